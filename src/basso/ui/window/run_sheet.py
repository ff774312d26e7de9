"""The run sheet in the window: of the session shown, against the run before it, kept up while it is open."""

from __future__ import annotations

from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING

from basso.progress import Progress
from basso.ui.bench import Bench
from basso.ui.stations.station import Command
from basso.units import Quantity

if TYPE_CHECKING:
    from basso.analysis import Analysis
    from basso.garage.records import Session
    from basso.report.pages import Report
    from basso.trial.verdict import Comparison
    from basso.ui.window.report_dialog import ReportDialog


class RunSheets:
    """Makes and shows the run sheet at one bench."""

    def __init__(self, bench: Bench) -> None:
        self._bench = bench
        self.dialog: ReportDialog | None = None
        self._of: Analysis | None = None
        self._comparison: Comparison | None = None
        self._before = ""
        self._came_in: Path | None = None
        bench.sessions.shown_changed.connect(self._shown_changed)
        bench.units.changed.connect(self._fill)

    def commands(self) -> tuple[Command, ...]:
        """How it is opened."""
        return (
            Command(
                "run.sheet",
                "Judge",
                "Run sheet",
                self.show,
                ("Ctrl+R",),
                "may it go out again, by which rule; what changed against the run before; one page to print",
                lambda: self._bench.sessions.analysis is not None,
            ),
        )

    def show(self) -> None:
        """Open it, of the session shown."""
        from basso.ui.window.report_dialog import ReportDialog

        if self._bench.sessions.analysis is None:
            return
        if self.dialog is None:
            self.dialog = ReportDialog(self._bench.window, self._bench.look, "Run sheet", self._save)
            self.dialog.finished.connect(lambda _: self._gone())
        self._look_at(self._bench.sessions.analysis)
        self.dialog.show()
        self.dialog.raise_()

    def expect(self, path: Path) -> None:
        """A log has come in: driven today, its run sheet is what is seen first. One of another day is looked up, not
        waited for at a pit wall."""
        self._came_in = path

    def _gone(self) -> None:
        if self.dialog is not None:
            self.dialog.deleteLater()
        self.dialog = self._of = self._comparison = None

    def _shown_changed(self) -> None:
        a = self._bench.sessions.analysis
        if a is not None and a.recording.path == self._came_in:
            self._came_in = None
            if a.judgeable and a.recording.started[:10] == date.today().isoformat():
                self.show()
        if self.dialog is not None and a is not None and a is not self._of:
            self._look_at(a)

    def _look_at(self, a: Analysis) -> None:
        """Show what is known at once, and the run before as soon as it is compared."""
        bench = self._bench
        self._of, self._comparison, self._before = a, None, ""
        self._fill()
        before = self._run_before(a)
        if before is None:
            return
        self._before = before.title
        log_of, floors, rules = bench.garage.log_reader(bench.sessions.entries), a.options.floors, a.options.rules
        oil = a.options.oil

        def work(progress: Progress) -> Comparison | None:
            from basso.pressure.options import JudgeOptions
            from basso.workflow import run_trial

            recording = log_of(before)
            if recording is None:
                return None
            options = JudgeOptions(floors=floors, rules=rules, oil=oil)
            return run_trial("before", [recording], "this run", [a.recording], options, progress)

        def done(found: Comparison | None) -> None:
            if self._of is a:
                self._comparison = found
                self._fill()

        bench.jobs.start("run sheet", f"comparing with {before.title}", work, done, lambda _: None)

    def _run_before(self, a: Analysis) -> Session | None:
        """The newest earlier session of the car on the same circuit with a log."""
        garage = self._bench.garage
        view, own = garage.view, garage.session_of(a.recording)
        if view is None or own is None:
            return None
        earlier = [
            s
            for s in view.sessions
            if s.id != own.id and s.log_hash and s.kind == own.kind and s.circuit == own.circuit and s.began < own.began
        ]
        return max(earlier, key=lambda s: s.began, default=None)

    def _fill(self) -> None:
        if self.dialog is not None and self._of is not None:
            self.dialog.show_report(self._page(self._of))

    def _page(self, a: Analysis) -> Report:
        from basso.car.floor_choices import USUAL_LINES, choice_in_force
        from basso.errors import InputError
        from basso.pressure.floors import parse_floor
        from basso.report.run_sheet_page import run_sheet_page
        from basso.trial.run_sheet import run_sheet
        from basso.words.floors import floor_words

        bench = self._bench
        units, view = bench.shown_units, bench.garage.car_of(a.recording)
        line, whose = USUAL_LINES["act_now"], "a default: choose your own under Floors (Ctrl+L)"
        choice = choice_in_force(view) if view is not None and view.arrival is None else None
        if choice is not None and choice.act_now:
            try:
                line, whose = parse_floor(choice.act_now), f"the owner's since {choice.since[:10]}"
            except InputError:
                whose = "a default: the owner's cannot be read"
        sheet = run_sheet(a, line, self._comparison)
        entry = bench.sessions.shown
        about = " › ".join(p for p in (entry.car, entry.build, entry.title) if p) if entry is not None else ""
        act_now = f"{floor_words(line, units)}, {whose}"
        return run_sheet_page(sheet, about or a.recording.path.name, self._before, self._state(a), act_now, units)

    def _state(self, a: Analysis) -> list[str]:
        """Oil, level and accumulator as the garage knows them."""
        from basso.car.build_line import state_of_oil
        from basso.words.oil import oil_short

        garage = self._bench.garage
        view, session = garage.car_of(a.recording), garage.session_of(a.recording)
        if view is None or session is None:
            return ["Oil, level and accumulator are not known: this log's session is not in the garage."]
        build = view.build_of(session)
        oil = state_of_oil(view)
        said = [oil_short(oil) if oil is not None else "No oil is written down."]
        level = build.level_l if build is not None else None
        volume = self._bench.shown_units.text(level, Quantity.VOLUME) if level is not None else ""
        said.append(f"Level as built: {volume}." if volume else "Level not written down.")
        said.append(f"Accumulator: {session.accumulator}.")
        return said

    def _save(self, report: Report) -> None:
        from basso.report.html_page import to_html
        from basso.report.pdf_page import to_pdf

        path = self._bench.files.ask_save("Print or save", "run-sheet.pdf", "PDF (*.pdf);;HTML (*.html)")
        if path is None:
            return
        path = path if path.suffix else Path(f"{path}.pdf")
        made = to_html(report).encode() if path.suffix.lower() == ".html" else to_pdf(report)
        self._bench.files.write(path, made)
