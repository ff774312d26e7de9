"""Play: runs the cursor through the session in real, slow or quick time."""

from __future__ import annotations

from PySide6.QtCore import QElapsedTimer, QObject, QTimer

from basso.ui.models.cursor import Cursor


class Player(QObject):
    """Moves the cursor while playing; stops at the end."""

    def __init__(self, cursor: Cursor) -> None:
        super().__init__()
        self._cursor = cursor
        self.speed = 1.0
        self._timer = QTimer(self)
        self._timer.setInterval(16)
        self._timer.timeout.connect(self._tick)
        self._clock = QElapsedTimer()

    @property
    def playing(self) -> bool:
        """True while the cursor runs."""
        return self._timer.isActive()

    def toggle(self) -> None:
        """Play or pause; from the end it starts over."""
        if self.playing:
            self._timer.stop()
            return
        if self._cursor.time_s >= self._cursor.whole[1]:
            self._cursor.move_to(self._cursor.whole[0])
        self._clock.start()
        self._timer.start()

    def change_speed(self, factor: float) -> None:
        """Twice or half as fast, a quarter to eight times."""
        self.speed = min(max(self.speed * factor, 0.25), 8.0)

    def _tick(self) -> None:
        passed = self._clock.restart() / 1000.0 * self.speed
        self._cursor.move_to(self._cursor.time_s + passed)
        self._cursor.reveal(self._cursor.time_s, 0.1)
        if self._cursor.time_s >= self._cursor.whole[1]:
            self._timer.stop()
