"""What is open: the sessions, the one shown, how it is judged, and the trial. Emits what changed; draws nothing."""

from __future__ import annotations

import tomllib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QUndoCommand, QUndoStack

from basso.errors import InputError
from basso.formats.mappings import Confirmed, Mappings
from basso.oil.grades import Grade, usual
from basso.pressure.floors import DEFAULT_FLOORS, Floor
from basso.progress import Progress
from basso.trust.decisions import Decision, Decisions
from basso.ui.jobs import Jobs
from basso.units import DisplayUnits

if TYPE_CHECKING:
    from basso.analysis import Analysis
    from basso.formats.options import ReadOptions
    from basso.pressure.earlier import Known
    from basso.recording.recording import Recording
    from basso.trial.verdict import Comparison


@dataclass(frozen=True, slots=True)
class Entry:
    """One session in the window: where its log is, and what people call it."""

    path: Path
    title: str
    car: str = ""
    build: str = ""
    circuit: str = ""
    day: str = ""


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


@dataclass(slots=True)
class _Loaded:
    recording: Recording | None = None
    analysis: Analysis | None = None
    known: Known | None = None
    known_by: object = None
    """What the garage's facts rested on when ``known`` was asked of them."""
    decision: Decision | None = None
    """About its corrections; None until it is read what was decided earlier."""
    columns: ReadOptions | None = None
    rests: str = ""
    """Why it is not judged, where nothing is working on it: it was stopped, or failed."""


class Workspace(QObject):
    """The model behind the window."""

    entries_changed = Signal()
    shown_changed = Signal()
    """Another session is shown, or the shown one has (not) been judged: :attr:`analysis` may be None."""
    trial_changed = Signal()
    units_changed = Signal()
    columns_confirmed = Signal(str)
    """What the columns of logs of this shape are was confirmed, or taken back."""
    read_again = Signal(object)
    """Carries the list of entries whose logs are read with other columns from now on."""
    problem = Signal(str)
    log_refused = Signal(object, str)
    """An entry whose log cannot be read, and why; it leaves the list of sessions."""

    def __init__(self, jobs: Jobs, units: DisplayUnits) -> None:
        super().__init__()
        self._jobs = jobs
        self._loaded: dict[Entry, _Loaded] = {}
        self.shown: Entry | None = None
        self.units = units
        self.floors: tuple[Floor, ...] = DEFAULT_FLOORS
        self._floors_by_hand = False
        self.by_kept = False
        """Sessions are held to the kept normal of their build, not to what each shows itself."""
        self.garage = GarageFacts()
        self.undo = QUndoStack(self)
        self.trial_a: tuple[Entry, ...] = ()
        self.trial_b: tuple[Entry, ...] = ()
        self.comparison: Comparison | None = None
        self.trial_problem = ""

    # Sessions

    @property
    def entries(self) -> tuple[Entry, ...]:
        """Every open session, in the order it was opened."""
        return tuple(self._loaded)

    @property
    def analysis(self) -> Analysis | None:
        """The judged shown session, or None while it is being worked on."""
        return self._loaded[self.shown].analysis if self.shown is not None else None

    @property
    def recording(self) -> Recording | None:
        """The shown session's recording, or None while it is being read."""
        return self._loaded[self.shown].recording if self.shown is not None else None

    @property
    def read(self) -> tuple[tuple[Entry, Recording], ...]:
        """Every open session whose log has been read."""
        return tuple((e, v.recording) for e, v in self._loaded.items() if v.recording is not None)

    @property
    def waiting(self) -> str:
        """What stands where a judged session would: that it is being read, or why it is not; "" where it is there, or none is shown."""
        if self.shown is None or self.analysis is not None:
            return ""
        return self._loaded[self.shown].rests or f"Reading {self.shown.title} …"

    @property
    def rests(self) -> bool:
        """True where the shown session is not judged and nothing is working on it."""
        return self.shown is not None and self.analysis is None and bool(self._loaded[self.shown].rests)

    def columns_of(self, entry: Entry) -> ReadOptions | None:
        """The columns and units the user chose for a session, or None."""
        return self._loaded[entry].columns if entry in self._loaded else None

    @property
    def decision(self) -> Decision:
        """What the user decided about the corrections of the shown session."""
        return (self._loaded[self.shown].decision if self.shown is not None else None) or Decision()

    def add(self, entries: Sequence[Entry]) -> None:
        """Add sessions that are not open yet."""
        for entry in entries:
            self._loaded.setdefault(entry, _Loaded())
        self.entries_changed.emit()

    def open_logs(self, paths: Sequence[Path]) -> None:
        """Add logs by path and show the first; one that is open already is shown again."""
        known = {e.path.resolve(): e for e in self.entries}
        entries = [known.get(p.resolve()) or Entry(p, p.stem) for p in paths]
        if entries:
            self.add(entries)
            self.show(entries[0])

    def close(self, entry: Entry) -> None:
        """Take a session off the list, as one undo step; its file stays where it is."""
        if entry not in self._loaded:
            return
        order, sides = list(self._loaded), (self.trial_a, self.trial_b)

        def put_back() -> None:
            kept = {**self._loaded, entry: self._loaded.get(entry, _Loaded())}
            self._loaded = {e: kept[e] for e in [*order, *(e for e in kept if e not in order)] if e in kept}
            self.trial_a, self.trial_b = sides
            self.entries_changed.emit()
            self.show(entry)
            self._renew_trial(entry)

        self.undo.push(Edit(f"closing {entry.title}", lambda: self.forget(entry), put_back))

    def show(self, entry: Entry) -> None:
        """Show a session; reads and judges it in the background when that has not been done."""
        self.shown = entry
        self.shown_changed.emit()
        if self._loaded[entry].analysis is None:
            self._judge()
        else:
            self._hold_against_garage()

    def _judge(self) -> None:
        """Judge the shown log, without waiting for what the garage knows: that follows."""
        entry = self.shown
        if entry is None:
            return
        loaded = self._loaded[entry]
        loaded.rests = ""
        recording, columns, floors, decided = loaded.recording, loaded.columns, self.floors, loaded.decision
        by_kept = self.by_kept
        oils, known = self.garage.oils, loaded.known if loaded.known_by == self.garage.basis else None

        def work(progress: Progress) -> tuple[Recording, Analysis, Decision]:
            from basso.pressure.options import JudgeOptions
            from basso.workflow import judge, open_recording, options_for

            read = recording or open_recording(entry.path, columns, progress)
            oil = oils.get(read.content_hash, usual())
            by = decided if decided is not None else Decisions().of_log(read)
            # The floors shown are the car's already, or were chosen here.
            options = options_for(read, JudgeOptions(floors=floors, by_kept=by_kept), known, by, follow_car=False)
            return read, judge(read, replace(options, oil=oil), progress=progress), by

        def done(result: tuple[Recording, Analysis, Decision]) -> None:
            loaded.recording, loaded.analysis, loaded.decision = result
            if self.shown == entry:
                self.shown_changed.emit()
                self._hold_against_garage()

        def failed(sentence: str) -> None:
            if loaded.recording is None:
                self.log_refused.emit(entry, sentence)
                self.forget(entry)
            else:
                rest(f"{entry.title} could not be judged: {sentence}")
            self.problem.emit(sentence)

        def rest(sentence: str) -> None:
            loaded.rests = sentence
            if self.shown == entry:
                self.shown_changed.emit()

        def stopped() -> None:
            rest(f"{entry.title} was not read to the end: it was stopped. Go on with F5.")

        self._jobs.start("judge", f"judging {entry.title}", work, done, failed, dropped=stopped)

    def _hold_against_garage(self) -> None:
        """Judge the shown log once more with its sensor's card and the car's earlier sessions; till then it stays as it is."""
        entry, facts = self.shown, self.garage
        if entry is None:
            return
        loaded = self._loaded[entry]
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
            if self.shown == entry:
                self.shown_changed.emit()

        self._jobs.start("judge", f"{entry.title}: looking at earlier sessions", work, done, self.problem.emit)

    def go_on(self) -> None:
        """Take up again what was stopped or failed: reading and judging the shown session, and the trial."""
        if self.rests:
            self._judge()
            self.shown_changed.emit()
        if self.trial_problem and self.comparison is None and self.trial_a and self.trial_b:
            self._run_trial()
            self.trial_changed.emit()

    def forget(self, entry: Entry) -> None:
        """A log leaves the list (it could not be read, or is there already); what was shown before comes back."""
        if self._loaded.pop(entry, None) is None:
            return
        in_trial = entry in (*self.trial_a, *self.trial_b)
        self.trial_a = tuple(e for e in self.trial_a if e != entry)
        self.trial_b = tuple(e for e in self.trial_b if e != entry)
        if self.shown == entry:
            judged = [e for e, v in self._loaded.items() if v.analysis is not None]
            self.shown = judged[-1] if judged else next(iter(self._loaded), None)
        self.entries_changed.emit()
        self.shown_changed.emit()
        if self.shown is not None and self.analysis is None:
            self._judge()
        if in_trial:
            self._renew_trial()

    def set_garage(self, facts: GarageFacts) -> None:
        """The garage has something else to say: what was judged by another oil is judged again, and held against the rest anew."""
        sensors = self._scales()
        self.garage = facts
        floors = facts.floors or DEFAULT_FLOORS
        if not self._floors_by_hand and floors != self.floors:
            self._use_floors(floors)
        stale = [
            e
            for e, v in self._loaded.items()
            if v.analysis is not None
            and v.analysis.options.oil != facts.oils.get(v.analysis.recording.content_hash, usual())
        ]
        for entry in stale:
            self._loaded[entry].analysis = None
        if self.shown in stale:
            self.shown_changed.emit()
            self._judge()
        else:
            self._hold_against_garage()
        if any(e in (*self.trial_a, *self.trial_b) for e in stale) or sensors != self._scales():
            self._renew_trial()

    def _scales(self) -> list[float | None]:
        """By what the calibrations of their sensors put the trial's logs right."""
        read = [self._loaded[e].recording for e in (*self.trial_a, *self.trial_b)]
        known = [self.garage.for_trial(r) if r is not None else None for r in read]
        cards = [k.sensor if k is not None else None for k in known]
        return [c.gain if c is not None and c.gain_off else None for c in cards]

    # Judging, undoable

    def set_floors(self, floors: tuple[Floor, ...]) -> None:
        """Judge by other floors, as one undo step."""
        before, was_by_hand = self.floors, self._floors_by_hand

        def use(chosen: tuple[Floor, ...], by_hand: bool) -> None:
            self._floors_by_hand = by_hand
            self._use_floors(chosen)

        if floors != before:
            self.undo.push(Edit("floors", lambda: use(floors, True), lambda: use(before, was_by_hand)))

    def follow_the_car(self) -> None:
        """The floors are the car's choice again, whatever was chosen here."""
        self._floors_by_hand = False

    def set_by_kept(self, by_kept: bool) -> None:
        """Hold sessions to the kept normal of their build, or each to its own, as one undo step."""
        if by_kept != self.by_kept:
            self.undo.push(
                Edit("what normal is", lambda: self._use_by_kept(by_kept), lambda: self._use_by_kept(not by_kept))
            )

    def _use_by_kept(self, by_kept: bool) -> None:
        self.by_kept = by_kept
        for loaded in self._loaded.values():
            if loaded.known is not None and loaded.known.kept:
                loaded.analysis = None
        self.shown_changed.emit()
        if self.shown is not None and self._loaded[self.shown].analysis is None:
            self._judge()

    def decide(self, decision: Decision) -> None:
        """Decide about the corrections of the shown session, as one undo step; it is kept with the log."""
        entry, before = self.shown, self.decision
        if entry is not None and decision != before:
            self.undo.push(
                Edit(
                    "corrections",
                    lambda: self._use_decision(entry, decision),
                    lambda: self._use_decision(entry, before),
                )
            )

    def set_columns(self, columns: ReadOptions, remember: bool = False) -> None:
        """Read the shown session again with other columns or units, as one undo step.

        With ``remember`` they hold for every log of the same shape, now and later.
        """
        entry = self.shown
        if entry is None:
            return
        before, recording = self._loaded[entry].columns, self._loaded[entry].recording
        shape = recording.shape if recording is not None else ""
        known = Mappings().all().get(shape)
        confirmed = _confirmed(columns) if remember and shape else known
        self.undo.push(
            Edit(
                "columns",
                lambda: self._use_columns(entry, columns, shape, confirmed),
                lambda: self._use_columns(entry, before, shape, known),
            )
        )

    def _use_columns(self, entry: Entry, columns: ReadOptions | None, shape: str, confirmed: Confirmed | None) -> None:
        memory = Mappings()
        renewed = [entry]
        if changed := bool(shape and memory.all().get(shape) != confirmed):
            try:
                memory.remember(shape, confirmed)
            except InputError as error:
                self.problem.emit(str(error))
            renewed += [
                e for e, v in self._loaded.items()
                if e != entry and v.columns is None and v.recording is not None and v.recording.shape == shape
            ]  # fmt: skip
        self._loaded[entry].columns = columns
        for e in renewed:
            self._loaded[e].recording = self._loaded[e].analysis = None
        self.read_again.emit(renewed)
        if changed:
            self.columns_confirmed.emit(shape)
        if self.shown in renewed:
            self.shown_changed.emit()
            self._judge()
        for e in renewed:
            self._renew_trial(e)

    def _use_floors(self, floors: tuple[Floor, ...]) -> None:
        self.floors = floors
        for loaded in self._loaded.values():
            loaded.analysis = None
        self.shown_changed.emit()
        self._judge()
        self._renew_trial()

    def _use_decision(self, entry: Entry, decision: Decision) -> None:
        loaded = self._loaded[entry]
        loaded.decision, loaded.analysis = decision, None
        if loaded.recording is not None:
            try:
                Decisions().keep_log(loaded.recording, decision)
            except InputError as error:
                self.problem.emit(str(error))
            self._forget_signs(entry, loaded.recording.shape)
        if self.shown == entry:
            self.shown_changed.emit()
            self._judge()
        self._renew_trial(entry)

    def _forget_signs(self, entry: Entry, shape: str) -> None:
        """Other logs with these columns are judged by the signs that were said of them, when they are next shown."""
        for other, loaded in self._loaded.items():
            if other != entry and loaded.recording is not None and loaded.recording.shape == shape:
                loaded.decision, loaded.analysis = None, None
                self._renew_trial(other)

    # Units

    def set_units(self, units: DisplayUnits) -> None:
        """Read in other units; nothing is computed again."""
        if units != self.units:
            self.units = units
            self.units_changed.emit()

    # Trial

    def set_trial(self, a: tuple[Entry, ...], b: tuple[Entry, ...]) -> None:
        """Choose the two sides, as one undo step; compared in the background."""
        old = (self.trial_a, self.trial_b)
        if (a, b) != old:
            self.undo.push(Edit("trial sides", lambda: self._use_trial(a, b), lambda: self._use_trial(*old)))

    def _use_trial(self, a: tuple[Entry, ...], b: tuple[Entry, ...]) -> None:
        self.trial_a, self.trial_b = a, b
        self.comparison = None
        self.trial_changed.emit()
        self._run_trial()

    def _renew_trial(self, entry: Entry | None = None) -> None:
        """What a trial rests on has changed (in one session, or in all): its old verdict goes at once."""
        if entry is None or entry in (*self.trial_a, *self.trial_b):
            self.comparison = None
            self.trial_changed.emit()
            self._run_trial()

    def _run_trial(self) -> None:
        if not self.trial_a or not self.trial_b:
            self._jobs.drop("trial")  # what is being compared is not what stands on the two sides now
            return
        sides = (self.trial_a, self.trial_b)
        known = {e: (self._loaded[e].recording, self._loaded[e].columns) for side in sides for e in side}
        floors, facts = self.floors, self.garage
        decided = {e: self._loaded[e].decision for side in sides for e in side}
        labels = [", ".join(dict.fromkeys(e.build or e.title for e in side)) for side in sides]

        def work(progress: Progress) -> tuple[dict[Entry, Recording], Comparison]:
            from basso.pressure.options import JudgeOptions
            from basso.workflow import open_recording, run_trial

            read = {e: r or open_recording(e.path, columns, progress) for e, (r, columns) in known.items()}
            a, b = ([read[e] for e in side] for side in sides)
            # One normal is learned from both sides together: by their oil where it is the same, else by the usual one.
            used = {facts.oils.get(r.content_hash, usual()) for r in (*a, *b)}
            options = JudgeOptions(floors=floors, oil=used.pop() if len(used) == 1 else usual())
            kept = Decisions()
            by = {r.content_hash: decided[e] or kept.of_log(r) for e, r in read.items()}
            cars = {r.content_hash: k for r in read.values() if (k := facts.for_trial(r)) is not None}
            return read, run_trial(labels[0], a, labels[1], b, options, progress, by, cars)

        def done(result: tuple[dict[Entry, Recording], Comparison]) -> None:
            if sides != (self.trial_a, self.trial_b):
                return
            for entry, recording in result[0].items():
                if entry in self._loaded:
                    self._loaded[entry].recording = recording
            self.comparison, self.trial_problem = result[1], ""
            self.trial_changed.emit()

        def rest(sentence: str) -> None:
            self.trial_problem = sentence
            self.trial_changed.emit()

        def failed(sentence: str) -> None:
            rest(sentence)
            self.problem.emit(sentence)

        def stopped() -> None:
            if sides == (self.trial_a, self.trial_b):
                rest("The comparison was stopped. Go on with F5.")

        self.trial_problem = ""
        self._jobs.start("trial", "comparing before and after", work, done, failed, dropped=stopped)


class Edit(QUndoCommand):
    """One undo step made of two plain actions."""

    def __init__(self, label: str, redo: Callable[[], None], undo: Callable[[], None]) -> None:
        super().__init__(label)
        self._redo, self._undo = redo, undo

    def redo(self) -> None:
        self._redo()

    def undo(self) -> None:
        self._undo()


def _confirmed(columns: ReadOptions) -> Confirmed:
    return Confirmed(
        {str(role): name for role, name in columns.roles.items()},
        {name: unit.symbol for name, unit in columns.units.items()},
        tuple(sorted(columns.ignored)),
        date.today().isoformat(),
    )


def demo_entries(folder: Path) -> tuple[list[Entry], tuple[str, ...], tuple[str, ...]]:
    """The demo sessions, and the names of those on the two sides of its trial."""
    table = tomllib.loads((folder / "sessions.toml").read_text(encoding="utf-8"))
    entries = [
        Entry(folder / s["log"], s["title"], table["car"], s["build"], s["circuit"], s["day"]) for s in table["session"]
    ]
    return entries, tuple(table["trial"]["a"]), tuple(table["trial"]["b"])
