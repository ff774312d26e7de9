"""The Dips station at the bench: shows the session's dips, steps through them, says what the owner decided."""

from __future__ import annotations

from typing import TYPE_CHECKING

from basso.pressure.gauge import judge_readings
from basso.ui.bench import Bench
from basso.ui.plots.ticks import clock
from basso.ui.stations.dips.dip_working import working
from basso.ui.stations.dips.lap_under import LapUnder
from basso.ui.stations.dips.widget import ONE_DIP, SHARES, TRACES, DipsPage
from basso.ui.stations.station import Command, Shot, State, Station, Working
from basso.ui.stations.table import Table

if TYPE_CHECKING:
    from basso.recording.recording import Recording


_MENU = (
    "dip.one",
    "dip.under",
    "judge.working",
    "judge.rule",
    "",
    "edit.copy",
    "list.export",
    "",
    "dip.next",
    "dip.previous",
)
"""What is expected of a dip that is pointed at."""


class DipsStation(Station[DipsPage]):
    """Where the pressure lay below the floor, how badly, and why."""

    def __init__(self, bench: Bench) -> None:
        super().__init__(bench)
        self._last: Recording | None = None
        self._under = LapUnder(bench, lambda laid, words: self.page.show_under(laid, words))
        bench.sessions.shown_changed.connect(self._refresh)
        bench.units.changed.connect(self.fill)
        bench.units.changed.connect(self._under.follow)
        bench.garage.changed.connect(self._show_ruling)

    def make_page(self) -> DipsPage:
        """The page."""
        page, run = DipsPage(self.bench.look, self.bench.cursor), self.bench.run
        page.open_wanted.connect(lambda: run("log.open"))
        page.demo_wanted.connect(lambda: run("demo.open"))
        page.ruling_wanted.connect(lambda: run("judge.rule"))
        page.under_wanted.connect(self._under.ask)
        page.keep_wanted.connect(lambda: run("garage.keep"))
        page.car_wanted.connect(lambda: self.bench.go_to("garage"))
        page.step_wanted.connect(self._step)
        page.menu_wanted.connect(lambda at: self.bench.pop_up(_MENU, at))
        page.columns_wanted.connect(lambda: run("judge.columns"))
        page.confirm_wanted.connect(lambda: run("judge.confirm"))
        return page

    def state(self) -> State:
        """How many dips, and how bad."""
        a = self.bench.sessions.analysis
        if a is None:
            return State("")
        if not a.judgeable:
            return State("cannot be judged yet", "attention")
        if a.recording.manual:
            readings = judge_readings(a.recording, a.options.floors)
            below = sum(r.margin_kpa is not None and r.margin_kpa < 0 for r in readings)
            return State(
                f"{below} of {len(readings)} readings" if below else "no reading below", "below" if below else ""
            )
        if not a.dips:
            return State("none found" if a.judged.any() else "nothing to judge")
        severe = sum(d.severity == "severe" for d in a.dips)
        return State(f"{len(a.dips)} dips" + (f", {severe} severe" if severe else ""), "below")

    def commands(self) -> tuple[Command, ...]:
        """Stepping from dip to dip, and the pages."""
        return (
            Command("dip.next", "Go", "Next dip", lambda: self._step(1), ("N", "Ctrl+Down")),
            Command("dip.previous", "Go", "Previous dip", lambda: self._step(-1), ("P", "Ctrl+Up")),
            Command(
                "dip.one",
                "Go",
                "One dip by itself",
                lambda: self._show_page(ONE_DIP),
                ("D",),
                "the seconds before and after, other laps behind it, what speaks for each cause",
            ),
            Command(
                "dip.under",
                "View",
                "Lay a lap under the traces…",
                lambda: self._under.ask(self.page.mapToGlobal(self.page.rect().center())),
                ("U",),
                "another lap, of this session or of another, by distance; its oil temperature is said",
                when=self._under.possible,
            ),
            Command("dip.traces", "Go", "Dips in their traces", lambda: self._show_page(TRACES), ("T",)),
            Command(
                "dip.shares",
                "Go",
                "% of normal",
                lambda: self._show_page(SHARES),
                ("S",),
                "how much of the running lay below which share, and against g",
            ),
        )

    def table(self, only_selected: bool = False) -> Table | None:
        """The dips; a dip's own page as it reads."""
        a, page = self.bench.sessions.analysis, self.page
        if a is None:
            return None
        if only_selected and page.page == ONE_DIP and page.one.text:
            return Table("dip", words=page.one.text)
        return Table(f"{a.recording.path.stem}-dips", page.rows(only_selected))

    def working(self) -> Working | None:
        """Of the chosen dip, else of the first."""
        a, chosen = self.bench.sessions.analysis, max(self.page.selected, 0)
        if a is None or not a.dips:
            return None
        title = f"Dip {chosen + 1}, at {clock(a.dips[chosen].dip.start_s, 1)}"
        return Working(title, working(a, a.dips[chosen], self.bench.shown_units))

    def shots(self) -> tuple[Shot, ...]:
        """The traces, one dip."""
        return (Shot("dips", lambda: self.page.show_page(TRACES)), Shot("dip", lambda: self.page.show_page(ONE_DIP)))

    def _show_page(self, page: int) -> None:
        self.bench.go_to("dips")
        self.page.show_page(page)

    def _step(self, by: int) -> None:
        self.bench.go_to("dips")
        self.page.step(by)

    def fill(self) -> None:
        """The session shown."""
        sessions = self.bench.sessions
        self.page.show_analysis(sessions.analysis, self.bench.shown_units, sessions.waiting)

    def _refresh(self) -> None:
        self.fill()
        self._show_ruling()
        self._under.follow()
        a = self.bench.sessions.analysis
        if a is not None and a.recording is not self._last:
            self._last = a.recording
            self._start_at_worst()

    def _start_at_worst(self) -> None:
        """A fresh session opens on the lap with its deepest dip, not on the pit lane."""
        a, cursor = self.bench.sessions.analysis, self.bench.cursor
        if a is not None and a.dips:
            worst = min(range(len(a.dips)), key=lambda i: a.dips[i].dip.told_margin_kpa)
            self.page.select(worst)
            lap = a.dips[worst].lap
            if lap is not None and lap.complete:
                cursor.show(lap.start_s, lap.end_s)
        self.page.traces.setFocus()

    def _show_ruling(self) -> None:
        self.page.show_ruling(self._ruling())
        a, garage = self.bench.sessions.analysis, self.bench.garage
        self.page.offer_keeping(a is not None and a.judgeable and garage.session_of(a.recording) is None)

    def _ruling(self) -> str:
        """What the owner decided last on the session shown; "" where nothing was."""
        garage = self.bench.garage
        session = garage.session_of(self.bench.sessions.recording)
        made = [r for r in garage.view.rulings if r.session == session.id] if garage.view and session else []
        if not made:
            return ""
        last = max(made, key=lambda r: r.day)
        limit = f" ({last.limit})" if last.limit else ""
        return f"Decided on {last.day}: {last.decision}{limit}. {last.reason}"
