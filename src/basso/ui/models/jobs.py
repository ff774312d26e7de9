"""Background work: snapshot in, result out by signal, progress, cancel; a stale result is dropped."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QObject, Qt, Signal

from basso.errors import BassoError, Cancelled
from basso.faults import note_fault
from basso.progress import Progress

Work = Callable[[Progress], Any]


@dataclass(slots=True)
class _Job:
    key: str
    label: str
    done: Callable[[Any], None]
    failed: Callable[[str], None]
    told: Progress | None = None
    dropped: Callable[[], None] | None = None
    cancelled: bool = False


class Jobs(QObject):
    """Runs work on threads and hands results back on the interface's thread.

    Starting work under a key cancels what runs under it: only the newest result is ever delivered.
    """

    progressed = Signal(str, float)
    idle = Signal()
    _told = Signal(object, float, str)
    _finished = Signal(object, object, str)

    def __init__(self) -> None:
        super().__init__()
        self._running: dict[str, _Job] = {}
        # One at a time: two computations at once only get in each other's way, and what was asked first is wanted
        # first.
        self._turn = threading.Lock()
        self._told.connect(self._tell, Qt.ConnectionType.QueuedConnection)
        self._finished.connect(self._finish, Qt.ConnectionType.QueuedConnection)

    def start(
        self,
        key: str,
        label: str,
        work: Work,
        done: Callable[[Any], None],
        failed: Callable[[str], None],
        told: Progress | None = None,
        dropped: Callable[[], None] | None = None,
    ) -> None:
        """Run ``work(progress)``; call ``done(result)`` or ``failed(sentence)`` afterwards.

        ``work`` must touch nothing but what it was given. ``told`` hears this work's own progress; ``dropped`` is
        called instead of the others when the user cancels.
        """
        if (before := self._running.get(key)) is not None:
            before.cancelled = True
        job = _Job(key, label, done, failed, told, dropped)
        self._running[key] = job
        self.progressed.emit(label, 0.0)
        threading.Thread(target=self._run, args=(job, work), name=f"basso {key}", daemon=True).start()

    def drop(self, key: str) -> None:
        """Stop what runs under a key, if anything does: what it was asked for is not wanted any more."""
        job = self._running.pop(key, None)
        if job is None:
            return
        job.cancelled = True
        if job.dropped is not None:
            job.dropped()
        if not self._running:
            self.idle.emit()

    def cancel_all(self) -> None:
        """Stop everything at its next step."""
        running = list(self._running.values())
        self._running.clear()
        for job in running:
            job.cancelled = True
            if job.dropped is not None:
                job.dropped()
        self.idle.emit()

    @property
    def busy(self) -> bool:
        """True while anything runs whose result is still wanted."""
        return bool(self._running)

    def _run(self, job: _Job, work: Work) -> None:
        def progress(fraction: float, what: str) -> None:
            if job.cancelled:
                raise Cancelled
            self._told.emit(job, fraction, what)

        result: Any = None
        problem = ""
        try:
            with self._turn:
                if job.cancelled:
                    return
                result = work(progress)
        except Cancelled:
            return
        except BassoError as error:
            problem = str(error)
        except MemoryError:
            problem = f"{job.label}: the memory is full; close other programs or logs and try again."
        except (
            BaseException
        ) as error:  # a library's panic is no Exception, and must not leave the work waiting for ever
            problem = note_fault(job.label, error)
        try:
            self._finished.emit(job, result, problem)
        except RuntimeError:  # the window was closed meanwhile
            return

    def _tell(self, job: _Job, fraction: float, what: str) -> None:
        if self._running.get(job.key) is job:
            self.progressed.emit(what, fraction)
            if job.told is not None:
                job.told(fraction, what)

    def _finish(self, job: _Job, result: Any, problem: str) -> None:
        if self._running.get(job.key) is not job:
            return
        del self._running[job.key]
        if problem:
            job.failed(problem)
        else:
            job.done(result)
        if not self._running:
            self.idle.emit()
