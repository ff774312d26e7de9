"""The one time cursor. Every view listens to it; it knows no view."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal


class Cursor(QObject):
    """A time in the session, in seconds, and the stretch of it that the traces show."""

    moved = Signal(float)
    view_changed = Signal(float, float)

    def __init__(self) -> None:
        super().__init__()
        self._time_s = 0.0
        self._view = (0.0, 1.0)
        self._whole = (0.0, 1.0)

    @property
    def time_s(self) -> float:
        """Where the cursor stands."""
        return self._time_s

    @property
    def view(self) -> tuple[float, float]:
        """First and last second that the traces show."""
        return self._view

    @property
    def whole(self) -> tuple[float, float]:
        """First and last second of the session."""
        return self._whole

    def set_whole(self, start_s: float, end_s: float) -> None:
        """A new session: everything in view, the cursor at its start."""
        self._whole = (start_s, max(end_s, start_s + 1e-3))
        self._time_s = start_s
        self.show(*self._whole)
        self.moved.emit(self._time_s)

    def move_to(self, time_s: float) -> None:
        """Put the cursor at a time within the session."""
        time_s = min(max(time_s, self._whole[0]), self._whole[1])
        if time_s != self._time_s:
            self._time_s = time_s
            self.moved.emit(time_s)

    def show(self, start_s: float, end_s: float) -> None:
        """Show a stretch, kept within the session and at least 0.2 s long."""
        low, high = self._whole
        span = min(max(end_s - start_s, 0.2), high - low)
        start_s = min(max(start_s, low), high - span)
        view = (start_s, start_s + span)
        if view != self._view:
            self._view = view
            self.view_changed.emit(*view)

    def reveal(self, time_s: float, margin: float = 0.15) -> None:
        """Move the view, without changing its length, so that a time lies well inside it."""
        start, end = self._view
        room = (end - start) * margin
        if time_s < start + room:
            self.show(time_s - room, time_s - room + (end - start))
        elif time_s > end - room:
            self.show(time_s + room - (end - start), time_s + room)

    def zoom(self, factor: float, about_s: float) -> None:
        """Show ``factor`` times as much (below 1: less) with ``about_s`` staying where it is."""
        start, end = self._view
        span = (end - start) * factor
        share = (about_s - start) / (end - start)
        self.show(about_s - share * span, about_s + (1 - share) * span)
