"""A live drive on a thread of its own: readings in, the last of them out whenever the window has time."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Qt, Signal

from basso.errors import BassoError
from basso.faults import note_fault

if TYPE_CHECKING:
    from basso.alarm.live import LiveReading
    from basso.alarm.session import LiveSession

_TICK_S = 0.04
_MOST_WAITING = 500
"""A window that does not look for twenty seconds gets the newest; nothing is lost on disk."""


class LiveFeed(QObject):
    """Hears a bus until it is stopped.

    Args:
        make: opens bus and judge; called on the feed's own thread, since some drivers take a second.
    """

    came = Signal()
    """Readings wait: see :meth:`take`."""
    noted = Signal(str)
    """Something is to be said, in one sentence."""
    ended = Signal(object, str)
    """The recording's path or None, and why it ended where that was not asked for."""

    def __init__(self, make: Callable[[], LiveSession]) -> None:
        super().__init__()
        self._make = make
        self._stop = threading.Event()
        self._lock = threading.Lock()
        self._waiting: list[LiveReading] = []
        self._thread = threading.Thread(target=self._run, name="basso live", daemon=True)
        self.session: LiveSession | None = None

    def start(self) -> None:
        """Begin to hear."""
        self._thread.start()

    def stop(self) -> None:
        """Ask it to end; :attr:`ended` follows."""
        self._stop.set()

    def wait(self, timeout_s: float) -> None:
        """Until it has ended, for so long at most: what was received is on disk then."""
        self._thread.join(timeout_s)

    def take(self) -> list[LiveReading]:
        """The readings since the last call, in their order."""
        with self._lock:
            taken, self._waiting = self._waiting, []
        return taken

    def _run(self) -> None:
        path: Path | None = None
        why = ""
        try:
            session = self.session = self._make()
            try:
                self._hear(session)
            finally:
                path = session.close()
        except BassoError as error:
            why = str(error)
        except Exception as error:
            why = f"{note_fault('listening to the bus', error)} What was received is recorded."
            path = session.source.path if self.session is not None else None
        self.ended.emit(path, why)

    def _hear(self, session: LiveSession) -> None:
        due = time.monotonic()
        while not self._stop.is_set():
            reading = session.tick()
            for note in session.take_notes():
                self.noted.emit(note)
            with self._lock:
                was_empty = not self._waiting
                self._waiting.append(reading)
                del self._waiting[:-_MOST_WAITING]
            if was_empty:
                self.came.emit()
            due = max(due + _TICK_S, time.monotonic())
            self._stop.wait(max(due - time.monotonic(), 0.0))


QUEUED = Qt.ConnectionType.QueuedConnection
"""How a window listens to a feed: on its own thread."""
