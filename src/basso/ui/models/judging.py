"""How the open sessions are judged: floors, normal, decisions, columns, what the garage says of their car. Judges in
the background."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from datetime import date
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QUndoStack

from basso.errors import InputError
from basso.memory.columns import Confirmed
from basso.memory.decisions import Decision
from basso.memory.memory import Memory
from basso.oil.grades import Grade, usual
from basso.pressure.floors import DEFAULT_FLOORS, Floor
from basso.progress import Progress
from basso.ui.models.jobs import Jobs
from basso.ui.models.sessions import Entry, Sessions
from basso.ui.models.undo import UndoStep

if TYPE_CHECKING:
    from basso.analysis import Analysis
    from basso.formats.options import ReadOptions
    from basso.pressure.earlier import Known
    from basso.recording.recording import Recording


@dataclass(frozen=True, slots=True, eq=False)
class GarageFacts:
    """What the garage has to say of logs, by the fingerprint of their content.

    Attributes:
        oils: their oil.
        floors: what the car's owner chose to judge by; () without a choice.
        logs: the logs it has a session of.
        basis: what the rest comes from; equal while nothing of it has changed.
        for_trial: what a trial uses of a log's car: its sensor's card, its circuit's map; quick.
        known_of: that and the car's earlier sessions; reads logs, so off the interface's thread.
    """

    oils: Mapping[str, Grade] = field(default_factory=dict)
    floors: tuple[Floor, ...] = ()
    logs: frozenset[str] = frozenset()
    basis: object = None
    for_trial: Callable[[Recording], Known | None] = lambda _: None
    known_of: Callable[[Recording, Progress], Known | None] = lambda _, __: None


class Judging(QObject):
    """Judges the session shown, and again when what it rests on has changed."""

    stale = Signal(object)
    """What was judged of these entries (a tuple; None: of all) holds no longer."""
    garage_changed = Signal()
    problem = Signal(str)

    def __init__(self, sessions: Sessions, jobs: Jobs, undo: QUndoStack, memory: Memory) -> None:
        super().__init__()
        self._sessions, self._jobs, self._undo, self._memory = sessions, jobs, undo, memory
        self.floors: tuple[Floor, ...] = DEFAULT_FLOORS
        self._floors_by_hand = False
        self.by_kept = False
        """Sessions are held to the kept normal of their build, not to what each shows itself."""
        self.garage = GarageFacts()
        sessions.wanted.connect(self._judge_where_needed)

    @property
    def decision(self) -> Decision:
        """What the user decided about the corrections of the shown session."""
        shown = self._sessions.shown
        return (self._sessions.of(shown).decision if shown is not None else None) or Decision()

    # The background work

    def _judge_where_needed(self) -> None:
        if self._sessions.analysis is None:
            self._judge()
        else:
            self._hold_against_garage()

    def judge_beside(self, entry: Entry, then: Callable[[], None]) -> None:
        """Judge a log that is not shown, where that was not done, and go on with it."""
        if self._sessions.of(entry).analysis is not None:
            then()
        else:
            self._judge(entry, then)

    def _judge(self, entry: Entry | None = None, then: Callable[[], None] = lambda: None) -> None:
        """Judge a log (the one shown), without waiting for what the garage knows: that follows."""
        sessions, entry = self._sessions, entry or self._sessions.shown
        if entry is None:
            return
        loaded = sessions.of(entry)
        loaded.rests = ""
        recording, columns, floors, decided = loaded.recording, loaded.columns, self.floors, loaded.decision
        by_kept, memory = self.by_kept, self._memory
        oils, known = self.garage.oils, loaded.known if loaded.known_by == self.garage.basis else None

        def work(progress: Progress) -> tuple[Recording, Analysis, Decision]:
            import basso.findings.corners.pattern  # noqa: F401 the headline wants it: loaded here, nothing waits
            from basso.pressure.options import JudgeOptions
            from basso.workflow import judge, open_recording, options_for

            read = recording or open_recording(entry.path, columns, progress, memory)
            asked = JudgeOptions(floors=floors, by_kept=by_kept)
            by = decided if decided is not None else memory.decisions.of_log(read)
            # The floors shown are the car's already, or were chosen here.
            options = options_for(read, asked, memory, known, by, follow_car=False)
            oil = oils.get(read.content_hash, usual())
            return read, judge(read, replace(options, oil=oil), progress=progress), by

        def done(result: tuple[Recording, Analysis, Decision]) -> None:
            loaded.recording, loaded.analysis, loaded.decision = result
            if sessions.shown == entry:
                sessions.shown_changed.emit()
                self._hold_against_garage()
            then()

        def failed(sentence: str) -> None:
            if loaded.recording is None:
                sessions.refused.emit(entry, sentence)
                sessions.forget(entry)
            else:
                rest(f"{entry.title} could not be judged: {sentence}")
            self.problem.emit(sentence)

        def rest(sentence: str) -> None:
            loaded.rests = sentence
            if sessions.shown == entry:
                sessions.shown_changed.emit()

        def stopped() -> None:
            rest(f"{entry.title} was not read to the end: it was stopped. Go on with F5.")

        self._jobs.start("judge", f"judging {entry.title}", work, done, failed, dropped=stopped)

    def _hold_against_garage(self) -> None:
        """Judge the shown log once more with its sensor's card and the car's earlier sessions; till then it stays as it
        is."""
        sessions, entry, facts = self._sessions, self._sessions.shown, self.garage
        if entry is None:
            return
        loaded = sessions.of(entry)
        analysis = loaded.analysis
        if analysis is None or analysis.recording.manual or loaded.known_by == facts.basis:
            return
        if analysis.recording.content_hash not in facts.logs and loaded.known is None:
            return

        def work(progress: Progress) -> tuple[Analysis, Known | None]:
            from basso.workflow import judge

            known = facts.known_of(analysis.recording, progress)
            return judge(analysis.recording, replace(analysis.options, known=known), progress=progress), known

        def done(result: tuple[Analysis, Known | None]) -> None:
            (loaded.analysis, loaded.known), loaded.known_by = result, facts.basis
            if sessions.shown == entry:
                sessions.shown_changed.emit()

        self._jobs.start("judge", f"{entry.title}: looking at earlier sessions", work, done, self.problem.emit)

    def _judge_anew(self) -> None:
        self._sessions.shown_changed.emit()
        self._judge()

    def go_on(self) -> None:
        """Take up again what was stopped or failed: reading and judging the shown session."""
        if self._sessions.rests:
            self._judge()
            self._sessions.shown_changed.emit()

    # What the garage says

    def set_garage(self, facts: GarageFacts) -> None:
        """The garage has something else to say: what was judged by another oil is judged again, and held against the
        rest anew."""
        self.garage = facts
        floors = facts.floors or DEFAULT_FLOORS
        if not self._floors_by_hand and floors != self.floors:
            self._use_floors(floors)
        stale = tuple(
            e
            for e in self._sessions.entries
            if (a := self._sessions.of(e).analysis) is not None
            and a.options.oil != facts.oils.get(a.recording.content_hash, usual())
        )
        for entry in stale:
            self._sessions.of(entry).analysis = None
        if self._sessions.shown in stale:
            self._judge_anew()
        else:
            self._hold_against_garage()
        if stale:
            self.stale.emit(stale)
        self.garage_changed.emit()

    # What the user says, undoable

    def set_floors(self, floors: tuple[Floor, ...]) -> None:
        """Judge by other floors, as one undo step."""
        before, was_by_hand = self.floors, self._floors_by_hand

        def use(chosen: tuple[Floor, ...], by_hand: bool) -> None:
            self._floors_by_hand = by_hand
            self._use_floors(chosen)

        if floors != before:
            self._undo.push(UndoStep("floors", lambda: use(floors, True), lambda: use(before, was_by_hand)))

    def follow_the_car(self) -> None:
        """The floors are the car's choice again, whatever was chosen here."""
        self._floors_by_hand = False

    def _use_floors(self, floors: tuple[Floor, ...]) -> None:
        self.floors = floors
        for entry in self._sessions.entries:
            self._sessions.of(entry).analysis = None
        self._judge_anew()
        self.stale.emit(None)

    def set_by_kept(self, by_kept: bool) -> None:
        """Hold sessions to the kept normal of their build, or each to its own, as one undo step."""
        if by_kept != self.by_kept:
            use = self._use_by_kept
            self._undo.push(UndoStep("what normal is", lambda: use(by_kept), lambda: use(not by_kept)))

    def _use_by_kept(self, by_kept: bool) -> None:
        self.by_kept = by_kept
        for loaded in map(self._sessions.of, self._sessions.entries):
            if loaded.known is not None and loaded.known.kept:
                loaded.analysis = None
        self._sessions.shown_changed.emit()
        if self._sessions.shown is not None and self._sessions.analysis is None:
            self._judge()

    def decide(self, decision: Decision) -> None:
        """Decide about the corrections of the shown session, as one undo step; it is kept with the log."""
        entry, before = self._sessions.shown, self.decision
        if entry is not None and decision != before:
            use = self._use_decision
            self._undo.push(UndoStep("corrections", lambda: use(entry, decision), lambda: use(entry, before)))

    def _use_decision(self, entry: Entry, decision: Decision) -> None:
        loaded = self._sessions.of(entry)
        loaded.decision, loaded.analysis = decision, None
        stale = [entry]
        if loaded.recording is not None:
            try:
                self._memory.decisions.keep_log(loaded.recording, decision)
            except InputError as error:
                self.problem.emit(str(error))
            stale += self._forget_signs(entry, loaded.recording.shape)
        if self._sessions.shown == entry:
            self._judge_anew()
        self.stale.emit(tuple(stale))

    def _forget_signs(self, entry: Entry, shape: str) -> list[Entry]:
        """Other logs with these columns are judged by the signs that were said of them, when they are next shown."""
        alike = [e for e, r in self._sessions.read if e != entry and r.shape == shape]
        for other in alike:
            loaded = self._sessions.of(other)
            loaded.decision, loaded.analysis = None, None
        return alike

    def set_columns(self, columns: ReadOptions, remember: bool = False) -> None:
        """Read the shown session again with other columns or units, as one undo step.

        With ``remember`` they hold for every log of the same shape, now and later.
        """
        entry = self._sessions.shown
        if entry is None:
            return
        before, recording = self._sessions.of(entry).columns, self._sessions.of(entry).recording
        shape = recording.shape if recording is not None else ""
        known = self._memory.columns.all().get(shape)
        confirmed = _confirmed(columns) if remember and shape else known
        use = self._use_columns
        self._undo.push(
            UndoStep("columns", lambda: use(entry, columns, shape, confirmed), lambda: use(entry, before, shape, known))
        )

    def _use_columns(self, entry: Entry, columns: ReadOptions | None, shape: str, confirmed: Confirmed | None) -> None:
        sessions, memory = self._sessions, self._memory.columns
        renewed = [entry]
        if changed := bool(shape and memory.all().get(shape) != confirmed):
            try:
                memory.remember(shape, confirmed)
            except InputError as error:
                self.problem.emit(str(error))
            renewed += [
                e for e, r in sessions.read if e != entry and sessions.columns_of(e) is None and r.shape == shape
            ]
        sessions.of(entry).columns = columns
        for loaded in map(sessions.of, renewed):
            loaded.recording = loaded.analysis = None
        sessions.read_again.emit(renewed)
        if changed:
            sessions.columns_confirmed.emit(shape)
        if sessions.shown in renewed:
            self._judge_anew()
        self.stale.emit(tuple(renewed))


def _confirmed(columns: ReadOptions) -> Confirmed:
    return Confirmed(
        {str(role): name for role, name in columns.roles.items()},
        {name: unit.symbol for name, unit in columns.units.items()},
        tuple(sorted(columns.ignored)),
        date.today().isoformat(),
    )
