"""The window's frame: top line, path, and room for the desk. It needs little, so that it is painted at once."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QMainWindow, QVBoxLayout, QWidget

from basso.ui.models.settings import Settings
from basso.ui.theme.look import Look
from basso.ui.window.rail import Rail
from basso.ui.window.top_line import TopLine


class Frame(QMainWindow):
    """Top line, path, and room for what is placed in it."""

    resized = Signal()

    def __init__(self, look: Look, settings: Settings) -> None:
        super().__init__()
        self.look, self.settings = look, settings
        self.setWindowTitle("Basso")
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self.setMinimumSize(1100, 700)
        self.top, self.rail = TopLine(look), Rail(look)
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

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.resized.emit()

    def place(self, station: QWidget, pan: QWidget, tide: QWidget) -> None:
        """Put the desk's parts into the frame."""
        self._middle.takeAt(1)
        self._middle.addWidget(station, 1)
        self._middle.addWidget(pan)
        self._column.addWidget(tide)
