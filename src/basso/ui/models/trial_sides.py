"""The two sides of the trial, and what comparing them gave. Compares in the background."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QUndoStack

from basso.memory.memory import Memory
from basso.oil.grades import usual
from basso.progress import Progress
from basso.ui.models.jobs import Jobs
from basso.ui.models.judging import Judging
from basso.ui.models.sessions import Entry, Sessions
from basso.ui.models.undo import UndoStep

if TYPE_CHECKING:
    from basso.recording.recording import Recording
    from basso.trial.verdict import Comparison

Side = tuple[Entry, ...]


class TrialSides(QObject):
    """Before (:attr:`a`) against after (:attr:`b`)."""

    changed = Signal()
    failed = Signal(str)

    def __init__(self, sessions: Sessions, judging: Judging, jobs: Jobs, undo: QUndoStack, memory: Memory) -> None:
        super().__init__()
        self._sessions, self._judging, self._jobs, self._undo, self._memory = sessions, judging, jobs, undo, memory
        self.a: Side = ()
        self.b: Side = ()
        self.comparison: Comparison | None = None
        self.problem = ""
        self._scales_used: list[float | None] = []
        self._before_leaving: dict[Entry, tuple[Side, Side]] = {}
        sessions.left.connect(self._take_off)
        sessions.returned.connect(self._put_back)
        judging.stale.connect(self._renew)
        judging.garage_changed.connect(self._hold_scales)

    @property
    def names(self) -> tuple[str, str]:
        """What the two sides are called: their builds, else their sessions."""
        a, b = (", ".join(dict.fromkeys(e.build or e.title for e in side)) for side in (self.a, self.b))
        return a, b

    def choose(self, a: Side, b: Side) -> None:
        """Choose the two sides, as one undo step."""
        old = (self.a, self.b)
        if (a, b) != old:
            self._undo.push(UndoStep("trial sides", lambda: self._use(a, b), lambda: self._use(*old)))

    def toggle(self, entry: Entry, side: int, on: bool) -> None:
        """Put a session on one side (and off the other) or take it away."""
        sides = [[e for e in s if e != entry] for s in (self.a, self.b)]
        if on:
            sides[side].append(entry)
        self.choose(tuple(sides[0]), tuple(sides[1]))

    def go_on(self) -> None:
        """Compare again where that was stopped or failed."""
        if self.problem and self.comparison is None and self.a and self.b:
            self._run()
            self.changed.emit()

    def _use(self, a: Side, b: Side) -> None:
        self.a, self.b = a, b
        self.comparison = None
        self.changed.emit()
        self._run()

    def _take_off(self, entry: Entry) -> None:
        if entry in (*self.a, *self.b):
            self._before_leaving[entry] = (self.a, self.b)
            self._use(tuple(e for e in self.a if e != entry), tuple(e for e in self.b if e != entry))

    def _put_back(self, entry: Entry) -> None:
        if entry in self._before_leaving:
            self._use(*self._before_leaving.pop(entry))

    def _renew(self, entries: tuple[Entry, ...] | None) -> None:
        """What a trial rests on has changed (in some sessions, or in all): its old verdict goes at once."""
        if entries is None or any(e in (*self.a, *self.b) for e in entries):
            self._use(self.a, self.b)

    def _scales(self) -> list[float | None]:
        """By what the calibrations of their sensors put the logs right."""
        read = [self._sessions.of(e).recording for e in (*self.a, *self.b)]
        known = [self._judging.garage.for_trial(r) if r is not None else None for r in read]
        cards = [k.sensor if k is not None else None for k in known]
        return [c.gain if c is not None and c.gain_off else None for c in cards]

    def _hold_scales(self) -> None:
        before, self._scales_used = self._scales_used, self._scales()
        if before != self._scales_used:
            self._renew(None)

    def _run(self) -> None:
        if not self.a or not self.b:
            self._jobs.drop("trial")  # what is being compared is not what stands on the two sides now
            return
        sessions, memory, sides = self._sessions, self._memory, (self.a, self.b)
        known = {e: (sessions.of(e).recording, sessions.of(e).columns) for side in sides for e in side}
        floors, facts = self._judging.floors, self._judging.garage
        decided = {e: sessions.of(e).decision for side in sides for e in side}
        labels = self.names
        self._scales_used = self._scales()

        def work(progress: Progress) -> tuple[dict[Entry, Recording], Comparison]:
            from basso.pressure.options import JudgeOptions
            from basso.workflow import open_recording, run_trial

            read = {e: r or open_recording(e.path, columns, progress, memory) for e, (r, columns) in known.items()}
            a, b = ([read[e] for e in side] for side in sides)
            # One normal is learned from both sides together: by their oil where it is the same, else by the usual one.
            used = {facts.oils.get(r.content_hash, usual()) for r in (*a, *b)}
            options = JudgeOptions(floors=floors, oil=used.pop() if len(used) == 1 else usual())
            by = {r.content_hash: decided[e] or memory.decisions.of_log(r) for e, r in read.items()}
            cars = {r.content_hash: k for r in read.values() if (k := facts.for_trial(r)) is not None}
            return read, run_trial(
                label_a=labels[0],
                a=a,
                label_b=labels[1],
                b=b,
                options=options,
                progress=progress,
                decided=by,
                known=cars,
            )

        def done(result: tuple[dict[Entry, Recording], Comparison]) -> None:
            if sides != (self.a, self.b):
                return
            for entry, recording in result[0].items():
                if entry in sessions.entries:
                    sessions.of(entry).recording = recording
            self._scales_used = self._scales()
            self.comparison, self.problem = result[1], ""
            self.changed.emit()

        def rest(sentence: str) -> None:
            self.problem = sentence
            self.changed.emit()

        def failed(sentence: str) -> None:
            rest(sentence)
            self.failed.emit(sentence)

        def stopped() -> None:
            if sides == (self.a, self.b):
                rest("The comparison was stopped. Go on with F5.")

        self.problem = ""
        self._jobs.start("trial", "comparing before and after", work, done, failed, dropped=stopped)
