"""What is done with the garage's records: made, edited, taken away, each an undo step."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from typing import TYPE_CHECKING

from basso.car.jobs import ledger_of
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
from basso.ui.bench import Bench
from basso.ui.dialogs import run_dialog
from basso.ui.stations.form import ask_record
from basso.ui.stations.garage.keep_verb import keep_samples

if TYPE_CHECKING:
    from basso.recording.recording import Recording
    from basso.ui.stations.garage.widget import GaragePage

_HINTS = {
    "new car": "The car first; its engine and builds follow.",
    "new card": "The engine from this day on; sessions before it keep the card they have. Unknown is left empty.",
    "new engine": "Unknown is left empty; the maker's and the builder's figures go before any default. A build says "
    "which engine "
    "it has.",
    "new build": "What is on the car from this day on. Taken from the selected build: change what is new.",
    "new session": "A drive on the selected build. With a log open that is not in the garage yet, its facts are filled "
    "in and its "
    "samples are kept.",
    "new oil": "Measure what you pour and what comes out. Basso ranks no oil.",
    "new sample": "Values as the laboratory gave them, like: Fe 22; Pb 6; v40 93; v100 14.1; bn 7.4; fuel 0.6; water "
    "0.04",
    "level": "Pour or drain, wait, read. A discharged accumulator adds its oil to the pan: note its state.",
}


class RecordVerbs:
    """Acts at one bench, on what is chosen on the page."""

    def __init__(self, bench: Bench, page: GaragePage) -> None:
        self._bench, self._model, self._page = bench, bench.garage, page

    def edited(self, label: str, before: Record, after: Record) -> None:
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

    def new_car(self) -> None:
        """A car, with an engine and a first build."""
        car = ask_record(self._bench, "New car", _HINTS["new car"], Car(name="Car"))
        if isinstance(car, Car):
            engine = Engine(car=car.id, name="Engine")
            build = Build(car=car.id, engine=engine.engine, name="Build 1", since=date.today().isoformat())
            self._model.add(f"adding {car.name}", car, engine, build)

    def edit_car(self) -> None:
        """Its card."""
        view = self._model.view
        if view is not None and (after := ask_record(self._bench, view.car.name, "", view.car)) is not None:
            self._model.change(f"the card of {view.car.name}", view.car, after)

    def show_engine(self) -> None:
        """The card of the engine that is in, edited where it stands; without one a first card is made."""
        view = self._model.view
        if view is None:
            return
        if view.engine is None:
            self.new_engine()
        else:
            self._page.show_page(0)
            self._page.search.clear()
            self._page.select(view.engine.id)

    def new_card(self) -> None:
        """A new card of the engine that is selected, else of the one that is in."""
        view, now = self._model.view, self._page.current
        before = now if isinstance(now, Engine) else view.engine if view is not None else None
        if view is None or before is None:
            self.new_engine()
            return
        fresh = replace(before, id=new_id(), since=date.today().isoformat(), reason="", note="")
        card = ask_record(self._bench, "New engine card", _HINTS["new card"], fresh)
        if not isinstance(card, Engine):
            return
        if any(c.since[:10] == card.since[:10] for c in view.cards(card.engine)):
            self._bench.tell(f"{card.name} has a card of {card.since or 'the beginning'} already: correct that one.")
        elif self._model.add(f"a new card of {card.name}", card):
            self._page.select(card.id)

    def new_engine(self) -> None:
        """Another engine, or the first."""
        view = self._model.view
        if view is None:
            return
        fresh = Engine(
            car=view.car.id,
            name=f"Engine {len(view.names.engine) + 1}",
            since=date.today().isoformat() if view.engines else "",
        )
        engine = ask_record(
            self._bench, "Another engine" if view.engines else "The engine", _HINTS["new engine"], fresh
        )
        if isinstance(engine, Engine) and self._model.add(f"adding {engine.name}", engine):
            self._page.select(engine.id)

    def new_build(self) -> None:
        """What is on the car from today on."""
        view, now = self._model.view, self._page.current
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
        build = ask_record(self._bench, "New build", _HINTS["new build"], fresh)
        if isinstance(build, Build) and self._model.add(f"adding {build.name}", build):
            self._page.select(build.id)

    def new_session(self) -> None:
        """A drive; filled in from the log that is shown where the garage has not got it."""
        view, now = self._model.view, self._page.current
        if view is None or not view.builds:
            return
        newest = max(view.builds, key=lambda b: b.since)
        build = now.id if isinstance(now, Build) else now.build if isinstance(now, Session) else newest.id
        fresh, recording = self._fresh_session(view.car.id, build, {s.log_hash for s in view.sessions})
        session = ask_record(self._bench, "New session", _HINTS["new session"], fresh)
        if isinstance(session, Session) and self._model.add(f"adding {session.title}", session):
            self._page.select(session.id)
            if recording is not None:
                keep_samples(self._bench, recording)

    def _fresh_session(self, car: str, build: str, known: set[str]) -> tuple[Session, Recording | None]:
        """A session filled in from the log that is shown, if the garage has not got it yet."""
        from basso.car.sessions import fresh_session

        shown, a = self._bench.sessions.shown, self._bench.sessions.analysis
        today = date.today().isoformat()
        if shown is None or a is None or a.recording.content_hash in known:
            return Session(car=car, build=build, title="Session", began=today), None
        fresh = fresh_session(a, car=car, build=build, title=shown.title, day=shown.day or today)
        return replace(fresh, circuit=shown.circuit), a.recording

    def new_oil(self) -> None:
        """What was poured or drained."""
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
        entry = ask_record(self._bench, "Pour or drain", _HINTS["new oil"], fresh)
        if isinstance(entry, OilEntry):
            self._model.add(f"the {entry.kind} of {entry.day}", entry)

    def new_sample(self) -> None:
        """What the laboratory found."""
        view = self._model.view
        if view is None:
            return
        last = max(view.sessions, key=lambda s: s.began, default=None)
        fresh = OilSample(car=view.car.id, day=date.today().isoformat(), session=last.id if last else "")
        sample = ask_record(self._bench, "Laboratory sample", _HINTS["new sample"], fresh)
        if isinstance(sample, OilSample):
            self._model.add(f"sample {sample.bottle or sample.day}", sample)

    def new_level(self, series: str) -> None:
        """A reading of the stick."""
        view = self._model.view
        if view is None:
            return
        fresh = LevelPoint(car=view.car.id, series=series or "this pan, this stick", day=date.today().isoformat())
        point = ask_record(self._bench, "Level reading", _HINTS["level"], fresh)
        if isinstance(point, LevelPoint):
            self._model.add("a level reading", point)

    def note(self, record: Record) -> None:
        """Words kept with a record."""
        view = self._model.view
        if view is None:
            return
        note = ask_record(
            self._bench, "A note", "", Attachment(car=view.car.id, about=record.id, day=date.today().isoformat())
        )
        if isinstance(note, Attachment) and note.text:
            self._model.add("a note", note)

    def remove(self, record: Record) -> None:
        """Take a record away."""
        view, name = self._model.view, getattr(record, "name", "") or getattr(record, "title", "") or record.noun
        if isinstance(record, Engine) and view is not None and len(view.cards(record.engine)) == 1:
            on = next((b.name for b in view.builds if b.engine == record.engine), "")
            if on:
                self._bench.tell(
                    f"{on} has this engine and this is its only card: give the build another engine first."
                )
                return
            name = f"the engine {name}"
        elif isinstance(record, Engine):
            name = f"a card of {name}"
        self._model.remove(f"removing {name}", record)

    def remove_car(self) -> None:
        """Take the shown car away, with all of it."""
        if self._model.view is not None:
            self._model.remove(f"removing {self._model.view.car.name}", self._model.view.car)

    def history(self) -> None:
        """Everything that was done, on this day and earlier ones, to be taken back."""
        from basso.ui.stations.garage.history_dialog import HistoryDialog

        run_dialog(HistoryDialog(self._bench.window, self._bench.look, self._model))
