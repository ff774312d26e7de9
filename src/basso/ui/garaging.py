"""What the Garage station's verbs do: dialogs, files, jobs; the station only says what is wanted."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING

from basso.garage.cards import trial_cards
from basso.garage.fields import NO_NAMES
from basso.garage.jobs import begun, ledger_of
from basso.garage.records import (
    Attachment,
    Build,
    Car,
    Engine,
    Job,
    LevelPoint,
    OilEntry,
    OilSample,
    Record,
    Session,
    new_id,
)
from basso.progress import Progress
from basso.ui.garage_facts import facts_of, log_reader
from basso.ui.garage_files import GarageFiles
from basso.ui.passing import run_dialog
from basso.units import Quantity

if TYPE_CHECKING:
    from basso.pressure.priming import Priming
    from basso.recording.recording import Recording
    from basso.trial.verdict import Comparison
    from basso.ui.desk import Desk

_HINTS = {
    "new car": "The car first; its engine and builds follow.",
    "new card": "The engine from this day on; sessions before it keep the card they have. Unknown is left empty.",
    "new engine": "Unknown is left empty; the maker's and the builder's figures go before any default. A build says which engine "
    "it has.",
    "new build": "What is on the car from this day on. Taken from the selected build: change what is new.",
    "new session": "A drive on the selected build. With a log open that is not in the garage yet, its facts are filled in and its "
    "samples are kept.",
    "new oil": "Measure what you pour and what comes out. Basso ranks no oil.",
    "new sample": "Values as the laboratory gave them, like: Fe 22; Pb 6; v40 93; v100 14.1; bn 7.4; fuel 0.6; water 0.04",
    "level": "Pour or drain, wait, read. A discharged accumulator adds its oil to the pan: note its state.",
}


class Garaging:
    """Acts for one desk."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self._model, self._station = desk.garage_model, desk.garage
        self.files = GarageFiles(desk)
        self._model.changed.connect(self.refresh)
        self._model.problem.connect(desk.tell)
        s = self._station
        s.edited.connect(self._edited)
        s.car_wanted.connect(self._model.choose)
        s.verb_wanted.connect(self.act)
        s.session_opened.connect(self.open_session)
        self.refresh()

    def _edited(self, label: str, before: Record, after: Record) -> None:
        """A record was edited in its place. A signed-off oil change goes into the ledger with the same edit."""
        from basso.garage.store import Change

        view = self._model.view
        extra = (
            ledger_of(after, view.oil)
            if isinstance(after, Job) and isinstance(before, Job) and not before.closed and view
            else []
        )
        if before != after:
            self._model.edit(label, Change(before, after), *(Change(None, entry) for entry in extra))

    def refresh(self) -> None:
        """Show the garage as it is now."""
        self._desk.show_ruling()
        m = self._model
        waiting = not m.is_open and not m.trouble and not m.is_stopped
        self._station.show_garage(m.view, m.cars, self._desk.workspace.units, m.trouble, waiting, m.is_stopped)
        self._desk.trial.show_cards(self.trial_words(self._desk.workspace.comparison))
        self._desk.refresh_states()
        if m.view is not None:
            self._desk.workspace.set_garage(facts_of(m.view, m.garage, self._desk.workspace.entries))
        if self._desk.station == "normal":
            self._desk.learning.refresh()

    def log_of(self) -> Callable[[Session], Recording | None]:
        """What gives the log of a session of the shown car; for work in the background."""
        view = self._model.view
        if view is None:
            return lambda _: None
        return log_reader(view, self._model.garage, self._desk.workspace.entries)

    def trial_words(self, c: Comparison | None) -> str:
        """What the cards say of a trial's two sides: differences first listed, then what they make doubtful."""
        view = self._model.view
        if c is None or view is None:
            return ""
        on_a, on_b = ({a.recording.content_hash for a in side.analyses} for side in (c.a, c.b))
        cards = trial_cards([view], on_a, on_b, self._desk.workspace.units)
        return " ".join([cards.listed, *cards.cautions]) if cards is not None else ""

    @property
    def engine_shown(self) -> Engine | None:
        """The card of the engine whose log is shown; None where the garage does not know it."""
        view, shown = self._model.view, self._desk.workspace.recording
        if view is None or shown is None or view.arrival is not None:
            return None
        session = next((s for s in view.sessions if s.log_hash == shown.content_hash), None)
        return view.card_of(session) if session is not None else None

    def floor_advice(self) -> tuple[tuple[tuple[float, float], ...], str]:
        """The maker's points of the engine whose log is shown, and a caution about its clearances; nothing if not known."""
        engine = self.engine_shown
        if engine is None:
            return (), ""
        caution = "" if engine.clearance == "production" else (
            f"This engine's clearances are {engine.clearance} on its card: the lean per-thousand rule is for production clearances; "
            "wider ones want more."
        )  # fmt: skip
        return engine.maker_points, caution

    def activate(self) -> None:
        """The station is shown: open the garage if that has not been done."""
        self.open_own()

    def open_own(self) -> None:
        """Open the user's own garage, if none is open."""
        if not self._model.is_open and not self._model.trouble:
            self.refresh()
            self._model.open()

    def open_demo(self) -> None:
        """Open a garage made for the demo; nothing done to it stays."""
        import os

        def make(folder: Path) -> None:
            # In the background: the database library takes half a second to load.
            from basso.garage.demo import make_demo_garage
            from basso.workflow import demo_folder

            make_demo_garage(demo_folder(), folder)

        cache = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache")
        self._model.open(cache / "basso" / "demo-garage", make)

    # Verbs

    def act(self, verb: str, record: Record | None) -> None:
        """Do what a button or menu asks for."""
        kind, _, rest = verb.partition(" ")
        if kind == "job" and rest:
            self._begin_job(rest)
        elif kind == "level":
            self._new_level(rest)
        elif kind == "photo" and record is not None:
            self.files.attach(record, rest)
        else:
            handler = {
                "new car": self._new_car, "car": self._edit_car, "engine": self._show_engine, "new card": self._new_card, "new engine": self._new_engine, "new build": self._new_build,
                "new session": self._new_session, "new oil": self._new_oil, "new sample": self._new_sample, "import": self.files.choose_bundle, "accept": self.files.accept,
                "export": self.files.export, "remove car": self._remove_car, "history": self._history, "backup": self.files.back_up, "restore": self.files.restore, "demo": self._demo,
            }.get(verb)  # fmt: skip
            if handler is not None:
                handler()
            elif record is not None:
                {
                    "remove": self._remove,
                    "add a note": self._note,
                    "attach a file": self.files.attach,
                    "print": self.files.print_sheet,
                    "prime": self._prime,
                    "correct": self.correct,
                    "hold": self._hold,
                    "new": self._new_on_build,
                    "open": self.files.open_attachment,
                }[verb](record)

    def asked(self, title: str, hint: str, record: Record) -> Record | None:
        """Let a record be filled in; None when that is given up."""
        from basso.ui.stations.form import RecordDialog

        view = self._model.view
        names = view.names if view is not None else NO_NAMES
        dialog = RecordDialog(
            self._desk.window, self._desk.look, title, hint, record, self._desk.workspace.units, names
        )
        return dialog.record if run_dialog(dialog) else None

    def _demo(self) -> None:
        self._desk.opening.open_demo()

    def _new_car(self) -> None:
        car = self.asked("New car", _HINTS["new car"], Car(name="Car"))
        if isinstance(car, Car):
            engine = Engine(car=car.id, name="Engine")
            build = Build(car=car.id, engine=engine.engine, name="Build 1", since=date.today().isoformat())
            self._model.add(f"adding {car.name}", car, engine, build)

    def _edit_car(self) -> None:
        view = self._model.view
        if view is not None and (after := self.asked(view.car.name, "", view.car)) is not None:
            self._model.change(f"the card of {view.car.name}", view.car, after)

    def _show_engine(self) -> None:
        """The card of the engine that is in, edited where it stands; without one a first card is made."""
        view = self._model.view
        if view is None:
            return
        if view.engine is None:
            self._new_engine()
        else:
            self._station.show_page(0)
            self._station.search.clear()
            self._station.select(view.engine.id)

    def _new_card(self) -> None:
        """A new card of the engine that is selected, else of the one that is in."""
        view, now = self._model.view, self._station.current
        before = now if isinstance(now, Engine) else view.engine if view is not None else None
        if view is None or before is None:
            self._new_engine()
            return
        fresh = replace(before, id=new_id(), since=date.today().isoformat(), reason="", note="")
        card = self.asked("New engine card", _HINTS["new card"], fresh)
        if not isinstance(card, Engine):
            return
        if any(c.since[:10] == card.since[:10] for c in view.cards(card.engine)):
            self._desk.tell(f"{card.name} has a card of {card.since or 'the beginning'} already: correct that one.")
        elif self._model.add(f"a new card of {card.name}", card):
            self._station.select(card.id)

    def _new_engine(self) -> None:
        view = self._model.view
        if view is None:
            return
        fresh = Engine(
            car=view.car.id,
            name=f"Engine {len(view.names.engine) + 1}",
            since=date.today().isoformat() if view.engines else "",
        )
        engine = self.asked("Another engine" if view.engines else "The engine", _HINTS["new engine"], fresh)
        if isinstance(engine, Engine) and self._model.add(f"adding {engine.name}", engine):
            self._station.select(engine.id)

    def _new_build(self) -> None:
        view, now = self._model.view, self._station.current
        if view is None:
            return
        if isinstance(now, Session):
            now = next((b for b in view.builds if b.id == now.build), None)
        today = date.today().isoformat()
        fresh = Build(
            car=view.car.id,
            engine=view.engine.engine if view.engine else "",
            name=f"Build {len(view.builds) + 1}",
            since=today,
        )
        if isinstance(now, Build):
            fresh = replace(now, id=fresh.id, name=fresh.name, since=today, reason="", parts=(), note="")
        build = self.asked("New build", _HINTS["new build"], fresh)
        if isinstance(build, Build) and self._model.add(f"adding {build.name}", build):
            self._station.select(build.id)

    def _new_session(self) -> None:
        view, now = self._model.view, self._station.current
        if view is None or not view.builds:
            return
        newest = max(view.builds, key=lambda b: b.since)
        build = now.id if isinstance(now, Build) else now.build if isinstance(now, Session) else newest.id
        fresh, recording = self._fresh_session(view.car.id, build, {s.log_hash for s in view.sessions})
        session = self.asked("New session", _HINTS["new session"], fresh)
        if isinstance(session, Session) and self._model.add(f"adding {session.title}", session):
            self._station.select(session.id)
            if recording is not None:
                self._keep_samples(recording)

    def _fresh_session(self, car: str, build: str, known: set[str]) -> tuple[Session, Recording | None]:
        """A session filled in from the log that is shown, if the garage has not got it yet."""
        from basso.recording.use import drive_use

        shown, a = self._desk.workspace.shown, self._desk.workspace.analysis
        today = date.today().isoformat()
        if shown is None or a is None or a.recording.content_hash in known:
            return Session(car=car, build=build, title="Session", began=today), None
        use = drive_use(a.recording)

        def whole(value: float | None) -> float | None:
            return None if value is None else round(value, 1)

        return Session(
            car=car, build=build, title=shown.title, began=a.recording.started or shown.day or today, circuit=shown.circuit,
            log_name=a.recording.path.name, log_hash=a.recording.content_hash, running_s=whole(use.running_s), hot_s=whole(use.hot_s),
            distance_km=whole(use.distance_km), peak_oil_c=whole(use.peak_oil_c), laps=sum(x.complete for x in a.laps) or None,
        ), a.recording  # fmt: skip

    def _keep_samples(self, recording: Recording) -> None:
        garage = self._model.garage
        if garage is None:
            return

        def work(_: Progress) -> None:
            from basso.formats.write import recording_bytes

            garage.keep_samples(recording.content_hash, recording_bytes(recording, ".parquet", {}))

        self._desk.jobs.start("samples", f"keeping {recording.path.name}", work, lambda _: None, self._desk.tell)

    def open_session(self, session: Session) -> None:
        """Show a session's log: the one that is open, else what the garage keeps of it."""
        workspace, garage = self._desk.workspace, self._model.garage
        entry = next((e for e in workspace.entries if session.log_name and e.path.name == session.log_name), None)
        kept = garage.samples_file(session.log_hash) if garage is not None and session.log_hash else None
        if entry is not None:
            workspace.show(entry)
        elif kept is not None and kept.is_file():
            from basso.ui.workspace import Entry

            view = self._model.view
            entry = Entry(kept, session.title, view.car.name if view else "", "", session.circuit, session.began[:10])
            workspace.add([entry])
            workspace.show(entry)
        else:
            self._desk.tell(
                f"No log of {session.title} is kept here"
                + (
                    f"; add {session.log_name} under Recordings."
                    if session.log_name
                    else ": it was written down by hand."
                )
            )
            return
        self._desk.go_to("dips")

    def _new_oil(self) -> None:
        view = self._model.view
        if view is None:
            return
        last = max(view.oil, key=lambda e: e.day, default=None)
        fresh = OilEntry(
            car=view.car.id,
            day=date.today().isoformat(),
            kind="top-up",
            grade=last.grade if last else "",
            lot=last.lot if last else "",
        )
        entry = self.asked("Pour or drain", _HINTS["new oil"], fresh)
        if isinstance(entry, OilEntry):
            self._model.add(f"the {entry.kind} of {entry.day}", entry)

    def _new_sample(self) -> None:
        view = self._model.view
        if view is None:
            return
        last = max(view.sessions, key=lambda s: s.began, default=None)
        fresh = OilSample(car=view.car.id, day=date.today().isoformat(), session=last.id if last else "")
        sample = self.asked("Laboratory sample", _HINTS["new sample"], fresh)
        if isinstance(sample, OilSample):
            self._model.add(f"sample {sample.bottle or sample.day}", sample)

    def correct(self, record: Record) -> None:
        """Correct or remove a record that is there."""
        from basso.ui.stations.form import RecordDialog

        dialog = RecordDialog(
            self._desk.window,
            self._desk.look,
            f"Correct the {record.noun}",
            "",
            record,
            self._desk.workspace.units,
            self._model.view.names if self._model.view is not None else NO_NAMES,
            removable=True,
        )
        outcome = run_dialog(dialog)
        if outcome == RecordDialog.REMOVED:
            self._model.remove(f"removing the {record.noun}", record)
        elif outcome:
            self._model.change(f"correcting the {record.noun}", record, dialog.record)

    def _new_level(self, series: str) -> None:
        view = self._model.view
        if view is None:
            return
        fresh = LevelPoint(car=view.car.id, series=series or "this pan, this stick", day=date.today().isoformat())
        point = self.asked("Level reading", _HINTS["level"], fresh)
        if isinstance(point, LevelPoint):
            self._model.add("a level reading", point)

    def _begin_job(self, sheet: str) -> None:
        from basso.ui.stations.garage.sheet_picture import job_title

        view = self._model.view
        if view is None:
            return
        now = view.newest_build
        job = Job(
            car=view.car.id,
            build=now.id if now else "",
            sheet=sheet,
            opened=date.today().isoformat(),
            begun_on=begun(sheet, view.engine, now),
        )
        if self._model.add(f"beginning {job_title(job)}", job):
            self._station.jobs.choose(job.id)

    def _note(self, record: Record) -> None:
        view = self._model.view
        if view is None:
            return
        note = self.asked("A note", "", Attachment(car=view.car.id, about=record.id, day=date.today().isoformat()))
        if isinstance(note, Attachment) and note.text:
            self._model.add("a note", note)

    def _remove(self, record: Record) -> None:
        view, name = self._model.view, getattr(record, "name", "") or getattr(record, "title", "") or record.noun
        if isinstance(record, Engine) and view is not None and len(view.cards(record.engine)) == 1:
            on = next((b.name for b in view.builds if b.engine == record.engine), "")
            if on:
                self._desk.tell(f"{on} has this engine and this is its only card: give the build another engine first.")
                return
            name = f"the engine {name}"
        elif isinstance(record, Engine):
            name = f"a card of {name}"
        self._model.remove(f"removing {name}", record)

    def _remove_car(self) -> None:
        if self._model.view is not None:
            self._model.remove(f"removing {self._model.view.car.name}", self._model.view.car)

    def _history(self) -> None:
        """Everything that was done, on this day and earlier ones, to be taken back."""
        from basso.ui.history_dialog import HistoryDialog

        run_dialog(HistoryDialog(self._desk.window, self._desk.look, self._model))

    def _prime(self, record: Record) -> None:
        """Fill the priming of a job in from the log that is shown; with no cranking in it, by stopwatch."""
        from basso.garage.jobs import PRIMING_STEP, START_STEP, Entered, earlier_primings, sheet_of
        from basso.pressure.priming import find_priming, priming_words
        from basso.recording.corrections import apply

        view, a = self._model.view, self._desk.workspace.analysis
        recording = self._desk.workspace.recording
        if a is not None:
            # A sensor that reads an atmosphere high would show pressure before there is any.
            recording = apply(a.recording, [a.zero] if a.zero is not None else [])
        if view is None or not isinstance(record, Job):
            return
        priming = find_priming(recording) if recording is not None else None
        earlier = earlier_primings(view.jobs, record)
        sheet = sheet_of(record)
        with_start = sheet is not None and any(s.key == START_STEP for s in sheet.steps)
        if priming is not None and recording is not None:
            off_the_log = self._asked_about_log(record, recording, priming, with_start)
            if off_the_log is None:
                return
            if not off_the_log:
                priming = None
        by_log = priming is not None
        if priming is None:
            from basso.ui.stopwatch import StopwatchDialog

            dialog = StopwatchDialog(self._desk.window, self._desk.look, earlier)
            priming = dialog.priming if run_dialog(dialog) else None
            if priming is None:
                return
        source = f" Off the log {recording.path.name}." if by_log and recording is not None else ""
        words = priming_words(priming, earlier) + source
        got = Entered(done=priming.first_s is not None, value=priming.first_s, words=words)
        entries = {**record.entries, PRIMING_STEP: got.as_plain()}
        after_3_s = next((kpa for s, kpa in priming.after_start if s == 3.0), None)
        if by_log and with_start and after_3_s is not None:
            start = Entered(done=True, value=round(after_3_s, 1), words=source.strip())
            entries = {**entries, START_STEP: start.as_plain()}
        self._model.change("the priming off the log", record, replace(record, entries=entries))

    def _asked_about_log(self, job: Job, recording: Recording, priming: Priming, with_start: bool) -> bool | None:
        """Whether the priming is read off the log that is shown: True, False (by stopwatch), or None: nothing is done.

        The log may have nothing to do with the job, so what would be read off which log is said before anything is written.
        """
        from basso.garage.jobs import PRIMING_STEP, START_STEP
        from basso.ui.dialogs import ChoiceDialog

        units = self._desk.workspace.units
        when = f", begun {recording.started.replace('T', ' ')[:16]}" if recording.started else ""
        first = (
            f"{priming.first_s:.1f} s of cranking until pressure"
            if priming.first_s is not None
            else "no pressure while cranking"
        )
        after_3_s = next((kpa for s, kpa in priming.after_start if s == 3.0), None)
        start = (
            f", {units.text(after_3_s, Quantity.PRESSURE)} 3 s after the start"
            if with_start and after_3_s is not None
            else ""
        )
        kept = [
            k
            for k in (PRIMING_STEP, START_STEP)
            if isinstance(e := job.entries.get(k), dict) and e.get("value") is not None
        ]
        replaced = " What was entered before is replaced." if kept else ""
        dialog = ChoiceDialog(
            self._desk.window,
            self._desk.look,
            "Is this the log of this job?",
            f"{recording.path.name}{when}: {first}{start}.{replaced}",
            ("Read it off this log", "By stopwatch…"),
        )
        if not run_dialog(dialog) or dialog.chosen is None:
            return None
        return dialog.chosen == 0

    def _hold(self, record: Record) -> None:
        """Work the hold test of an accumulator job out."""
        from basso.garage.jobs import HOLD_STEP, Entered
        from basso.ui.hold_dialog import HoldDialog

        dialog = HoldDialog(self._desk.window, self._desk.look, self._desk.workspace.units)
        if isinstance(record, Job) and run_dialog(dialog) and dialog.held is not None:
            got = Entered(done=True, value=round(dialog.held.lost_kpa, 1), words=dialog.said.text())
            after = replace(record, entries={**record.entries, HOLD_STEP: got.as_plain()})
            self._model.change("the hold test", record, after)

    def _new_on_build(self, record: Record) -> None:
        """Write down, off the build line, what was new on the build a job is about."""
        from basso.garage.jobs import NEW_STEP, Entered
        from basso.ui.stations.garage.sheet_picture import new_on

        view = self._model.view
        if view is not None and isinstance(record, Job):
            got = Entered(done=True, words=new_on(view, record, self._desk.workspace.units))
            after = replace(record, entries={**record.entries, NEW_STEP: got.as_plain()})
            self._model.change("what was new", record, after)

    def ask_symptoms(self) -> None:
        """The symptom interview; its outcome may be kept as a note on a build."""
        from basso.ui.symptoms import SymptomsDialog

        view, about = self._model.view, self._station.current
        dialog = SymptomsDialog(self._desk.window, self._desk.look, about is not None)
        if run_dialog(dialog) and view is not None and about is not None:
            made = Attachment(car=view.car.id, about=about.id, day=date.today().isoformat(), text=dialog.note)
            self._model.add("the symptoms", made)
