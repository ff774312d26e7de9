"""The window: its frame, painted at once, and the desk put on it right after the first paint.

Everything with plots, tables and judging is imported by the desk; the frame needs little, so that the window
stands there while the rest is still being loaded.
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QMainWindow, QVBoxLayout, QWidget

from basso.ui.models.settings import Settings
from basso.ui.theme.look import Look
from basso.ui.window.rail import Rail
from basso.ui.window.top_line import TopLine

if TYPE_CHECKING:
    from basso.ui.window.desk import Desk


class MainWindow(QMainWindow):
    """Top line, path, and room for the desk."""

    def __init__(self, look: Look, settings: Settings) -> None:
        super().__init__()
        self.look, self.settings = look, settings
        self.setWindowTitle("Basso")
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self.setMinimumSize(1100, 700)
        self.top, self.rail = TopLine(look), Rail(look)
        self._desk: Desk | None = None
        self._middle, self._column = QHBoxLayout(), QVBoxLayout()
        for layout in (self._middle, self._column):
            layout.setSpacing(0)
            layout.setContentsMargins(0, 0, 0, 0)
        self._middle.addWidget(self.rail)
        self._middle.addStretch(1)
        self._column.addWidget(self.top)
        self._column.addLayout(self._middle, 1)
        holder = QWidget()
        holder.setLayout(self._column)
        holder.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setCentralWidget(holder)
        holder.setFocus()

    @property
    def desk(self) -> Desk:
        """Everything on the window; made when first asked for."""
        if self._desk is None:
            from basso.ui.window.desk import Desk

            self._desk = Desk(self)
        return self._desk

    def place(self, station: QWidget, pan: QWidget, tide: QWidget) -> None:
        """Put the desk's parts into the frame."""
        self._middle.takeAt(1)
        self._middle.addWidget(station, 1)
        self._middle.addWidget(pan)
        self._column.addWidget(tide)

    def open_logs(self, paths: Sequence[Path]) -> None:
        """Open logs and show the first."""
        self.desk.logs.open_logs(paths)

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if self._desk is None:
            QTimer.singleShot(0, lambda: self.desk)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        self.open_logs([Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()])

    def closeEvent(self, event: QCloseEvent) -> None:
        self.settings.geometry = self.saveGeometry()
        if self._desk is not None:
            self._desk.leave()
        super().closeEvent(event)
