"""A folder that is watched: a log that appears in it, and is written to the end, is told."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

from basso.errors import BassoError

_EVERY_MS = 1000
_SAME_LOOKS = 2


class FolderWatch(QObject):
    """Looks once a second: what stands there when the watch begins is not new.

    A file is told once its size has stayed the same for two looks: loggers and copies write slowly.
    """

    came = Signal(object)
    """Carries the path of a new log."""
    lost = Signal(str)
    """The folder cannot be looked at any more, in one sentence; the watch goes on."""

    def __init__(self, folder: Path, every_ms: int = _EVERY_MS) -> None:
        super().__init__()
        self.folder = folder
        self._told_lost = False
        self._known = self._logs() or set()
        self._sizes: dict[Path, tuple[int, int]] = {}
        self._timer = QTimer(self, interval=every_ms)
        self._timer.timeout.connect(self.look)
        self._timer.start()

    def stop(self) -> None:
        """Watch no more."""
        self._timer.stop()

    def look(self) -> None:
        """Tell the logs that have come and rest."""
        found = self._logs()
        if found is None:
            return
        for path in sorted(found - self._known):
            try:
                size = path.stat().st_size
            except OSError:
                continue
            before, looks = self._sizes.get(path, (-1, 0))
            self._sizes[path] = (size, looks + 1 if size == before else 0)
            if size and self._sizes[path][1] >= _SAME_LOOKS:
                self._known.add(path)
                del self._sizes[path]
                self.came.emit(path)

    def _logs(self) -> set[Path] | None:
        from basso.workflow import logs_in

        if not self.folder.is_dir():
            if not self._told_lost:
                self._told_lost = True
                self.lost.emit(f"{self.folder}: is not there any more; the watch goes on when it is back.")
            return None
        self._told_lost = False
        try:
            return set(logs_in([self.folder]))
        except BassoError:
            return set()  # none in it yet
