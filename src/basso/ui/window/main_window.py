"""The window: its frame, painted at once, and the desk put on it right after the first paint.

Everything with plots, tables and judging is imported by the desk, so that the window stands there while the rest is
still being loaded.
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QPaintEvent

from basso.ui.models.settings import Settings
from basso.ui.theme.look import Look
from basso.ui.window.frame import Frame

if TYPE_CHECKING:
    from basso.ui.window.desk import Desk


class MainWindow(Frame):
    """The frame with the desk on it."""

    def __init__(self, look: Look, settings: Settings) -> None:
        super().__init__(look, settings)
        self._desk: Desk | None = None

    @property
    def desk(self) -> Desk:
        """Everything on the window; made when first asked for."""
        if self._desk is None:
            from basso.ui.window.desk import Desk

            self._desk = Desk(self)
        return self._desk

    def open_logs(self, paths: Sequence[Path]) -> None:
        """Open logs and show the first."""
        self.desk.logs.open_logs(paths)

    def come_forward(self, paths: Sequence[Path]) -> None:
        """Another start of Basso: open what it was given, in front of other windows."""
        if paths:
            self.open_logs(paths)
        self.setWindowState(self.windowState() & ~Qt.WindowState.WindowMinimized)
        self.raise_()
        self.activateWindow()

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
