"""The Garage station at the bench: opens the garage when it is first wanted, shows the car, and does what the page asks
for."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from basso.progress import Progress
from basso.ui.bench import Bench
from basso.ui.dialogs import run_dialog
from basso.ui.models.sessions import Entry
from basso.ui.stations.garage.keep_verb import KeepVerb
from basso.ui.stations.garage.verb import Verb
from basso.ui.stations.station import Command, Shot, State, Station
from basso.ui.stations.table import Table

if TYPE_CHECKING:
    from basso.car.season import Season
    from basso.garage.records import Record, Session
    from basso.recording.recording import Recording
    from basso.ui.stations.garage.files import GarageFiles
    from basso.ui.stations.garage.job_verbs import JobVerbs
    from basso.ui.stations.garage.verbs import RecordVerbs
    from basso.ui.stations.garage.widget import GaragePage

Act = Callable[["Record | None", str], object]


class GarageStation(Station["GaragePage"]):
    """The car, its engine and oil system, and everything ever done to them."""

    shows_oil = False

    def __init__(self, bench: Bench) -> None:
        super().__init__(bench)
        self._keeping = KeepVerb(bench)
        bench.garage.changed.connect(self.fill)
        bench.units.changed.connect(self.fill)

    def make_page(self) -> GaragePage:
        """The page, and what its buttons do."""
        from basso.ui.stations.garage.files import GarageFiles
        from basso.ui.stations.garage.job_verbs import JobVerbs
        from basso.ui.stations.garage.verbs import RecordVerbs
        from basso.ui.stations.garage.widget import GaragePage

        page = GaragePage(self.bench.look)
        self._jobs = JobVerbs(self.bench, page.jobs.choose, lambda: page.current)
        records, files = RecordVerbs(self.bench, page), GarageFiles(self.bench)
        self._acts = acts_of(self.bench, records, self._jobs, files)
        page.edited.connect(records.edited)
        page.car_wanted.connect(self.bench.garage.choose)
        page.verb_wanted.connect(self.act)
        page.session_opened.connect(self._open_session)
        return page

    def act(self, verb: str, about: Record | None, part: str) -> None:
        """Do what a button or menu asks for."""
        self._acts[Verb(verb)](about, part)

    def state(self) -> State:
        """What is due or open, else how much is kept."""
        from basso.car.build_line import state_of_oil

        car, shown = self.bench.garage.view, self.bench.sessions.shown
        if car is None:
            return State(shown.build if shown is not None else "")
        oil = state_of_oil(car)
        due = oil.due[0] if oil is not None and oil.due else None
        if due is not None and due.used >= due.limit:
            return State("oil change overdue", "attention")
        unfinished = sum(not j.closed for j in car.jobs)
        if unfinished:
            return State(f"{unfinished} {'job' if unfinished == 1 else 'jobs'} open")
        return State(f"{len(car.builds)} builds, {len(car.sessions)} sessions")

    def commands(self) -> tuple[Command, ...]:
        """What can be asked for from anywhere."""
        return (
            Command(
                "garage.history",
                "Edit",
                "What was done in the garage…",
                lambda: self._at_hand(Verb.HISTORY),
                ("Ctrl+H",),
                "every edit of this and earlier days, to be taken back or made again",
            ),
            Command(
                "garage.keep",
                "Session",
                "Keep this log with a car…",
                self._keeping.keep,
                ("Ctrl+Alt+K",),
                "car, build and oil in one small form; a new car takes a name",
                when=self._keeping.wanted,
            ),
            Command(
                "garage.season",
                "Judge",
                "Season of the car…",
                self._show_season,
                (),
                "margin at one engine speed and oil temperature, dips a lap, zero and hot idle, session by session",
                when=lambda: self.bench.garage.view is not None,
            ),
            Command(
                "garage.symptoms",
                "Judge",
                "Symptoms…",
                self._ask_symptoms,
                ("Ctrl+I",),
                "a few questions, ranked causes, the cheapest test of each",
            ),
        )

    def show(self) -> None:
        """The user's own garage is opened, where none is open."""
        self.bench.garage.open_own()

    def focus(self) -> None:
        """To the build line."""
        self.page.take_focus()

    def fill(self) -> None:
        """The garage as it is now."""
        if not self.made:
            return
        m = self.bench.garage
        waiting = not m.is_open and not m.trouble and not m.is_stopped
        self.page.show_garage(m.view, m.cars, self.bench.shown_units, m.trouble, waiting, m.is_stopped)

    def table(self, only_selected: bool = False) -> Table | None:
        """The build line."""
        return Table("builds", self.page.rows())

    def go_on(self) -> None:
        """Open it after all, where that was stopped."""
        self.bench.garage.go_on()

    def shots(self) -> tuple[Shot, ...]:
        """The pages, with a build held against another."""
        pages = ((0, "garage"), (1, "garage-oil"), (3, "garage-jobs"))
        return tuple(Shot(name, lambda at=at: self._lay_out_for(at)) for at, name in pages)  # type: ignore[misc]

    def _lay_out_for(self, page: int) -> None:
        view = self.page.view
        assert view is not None
        baffle = next(b for b in view.builds if b.baffle)
        self.page.select(baffle.id)
        self.page.compare(next(b for b in view.builds if b.level_l == 4.0), baffle)
        self.page.show_page(page)
        self.page.level.asked.setText("50")

    def _at_hand(self, verb: Verb) -> None:
        assert self.page is not None
        self._acts[verb](None, "")

    def _ask_symptoms(self) -> None:
        assert self.page is not None
        self._jobs.ask_symptoms()

    def _show_season(self) -> None:
        """Judge every session of the car by itself and draw what they show."""
        view, garage = self.bench.garage.view, self.bench.garage.garage
        if view is None or garage is None:
            self.bench.tell("Open a car first: its season is drawn from the sessions in the garage.")
            return
        files, memory = garage.files, self.bench.memory
        here = {e.path.name: (e.path, self.bench.sessions.of(e).recording) for e in self.bench.sessions.entries}

        def log_of(session: Session) -> Recording | None:
            from basso.workflow import open_recording

            kept = files.samples_file(session.log_hash)
            if kept.is_file():
                return open_recording(kept, memory=memory)
            path, recording = here.get(session.log_name, (None, None))
            if recording is None and path is not None:
                recording = open_recording(path, memory=memory)
            return recording if recording is not None and recording.content_hash == session.log_hash else None

        def work(progress: Progress) -> Season:
            from basso.car.season import season_of

            return season_of(view, log_of, memory.decisions, progress)

        def done(season: Season) -> None:
            from basso.ui.stations.garage.season_dialog import SeasonDialog

            bench = self.bench
            run_dialog(SeasonDialog(bench.window, bench.look, bench.shown_units, view.car.name, season))

        self.bench.jobs.start("season", f"judging the sessions of {view.car.name}", work, done, self.bench.tell)

    def _open_session(self, session: Session) -> None:
        """Show a session's log: the one that is open, else what the garage keeps of it."""
        sessions, garage = self.bench.sessions, self.bench.garage.garage
        entry = next((e for e in sessions.entries if session.log_name and e.path.name == session.log_name), None)
        kept = garage.files.samples_file(session.log_hash) if garage is not None and session.log_hash else None
        if entry is not None:
            sessions.show(entry)
        elif kept is not None and kept.is_file():
            view = self.bench.garage.view
            entry = Entry(kept, session.title, view.car.name if view else "", "", session.circuit, session.began[:10])
            sessions.add([entry])
            sessions.show(entry)
        else:
            self.bench.tell(
                f"No log of {session.title} is kept here"
                + (f"; add {session.log_name} under Logs." if session.log_name else ": it was written down by hand.")
            )
            return
        self.bench.go_to("dips")


def acts_of(bench: Bench, records: RecordVerbs, jobs: JobVerbs, files: GarageFiles) -> dict[Verb, Act]:
    """What each verb does with the record it is about and the part of it that is named."""

    def of(act: Callable[[Record], object]) -> Act:
        return lambda about, _: act(about) if about is not None else None

    def plain(act: Callable[[], object]) -> Act:
        return lambda _, __: act()

    from basso.ui.stations.form import correct_record

    return {
        Verb.NEW_CAR: plain(records.new_car),
        Verb.CAR: plain(records.edit_car),
        Verb.REMOVE_CAR: plain(records.remove_car),
        Verb.NEW_ENGINE: plain(records.new_engine),
        Verb.ENGINE: plain(records.show_engine),
        Verb.NEW_CARD: plain(records.new_card),
        Verb.NEW_BUILD: plain(records.new_build),
        Verb.NEW_SESSION: plain(records.new_session),
        Verb.NEW_OIL: plain(records.new_oil),
        Verb.NEW_SAMPLE: plain(records.new_sample),
        Verb.NEW_LEVEL: lambda _, series: records.new_level(series),
        Verb.BEGIN_JOB: lambda _, sheet: jobs.begin(sheet),
        Verb.CORRECT: of(lambda record: correct_record(bench, record)),
        Verb.REMOVE: of(records.remove),
        Verb.NOTE: of(records.note),
        Verb.ATTACH: of(files.attach),
        Verb.PHOTO: lambda about, part: files.attach(about, part) if about is not None else None,
        Verb.OPEN: of(files.open_attachment),
        Verb.PRINT: of(files.print_sheet),
        Verb.PRIME: of(jobs.prime),
        Verb.HOLD: of(jobs.hold),
        Verb.NEW_ON_BUILD: of(jobs.new_on_build),
        Verb.IMPORT: plain(files.choose_bundle),
        Verb.ACCEPT: plain(files.accept),
        Verb.EXPORT: plain(files.export),
        Verb.BACKUP: plain(files.back_up),
        Verb.RESTORE: plain(files.restore),
        Verb.HISTORY: plain(records.history),
        Verb.DEMO: plain(lambda: bench.run("demo.open")),
    }
