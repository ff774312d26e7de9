"""The Accumulator station at the bench: an accumulator replayed on the log shown, while it is looked at."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from basso.progress import Progress
from basso.recording.roles import Role
from basso.ui.bench import Bench
from basso.ui.stations.accumulator.verbs import AccumulatorVerbs
from basso.ui.stations.finding_station import FindingStation
from basso.ui.stations.station import Command, Shot, State, Working
from basso.ui.stations.table import Table

if TYPE_CHECKING:
    from basso.analysis import Analysis
    from basso.findings.accumulator.findings import AccumulatorFindings
    from basso.ui.stations.accumulator.widget import AccumulatorPage


class AccumulatorStation(FindingStation["AccumulatorPage", "AccumulatorFindings"]):
    """How much an accumulator covers on this drive, for how long, and where it runs dry."""

    key, what = "accumulator", "the accumulator"

    def __init__(self, bench: Bench) -> None:
        super().__init__(bench)
        self._verbs = AccumulatorVerbs(bench, self)
        bench.garage.changed.connect(self._garage_changed)

    def make_page(self) -> AccumulatorPage:
        """The page."""
        from basso.ui.stations.accumulator.widget import AccumulatorPage

        page = AccumulatorPage(self.bench.look, self.bench.cursor, self.commands())
        page.command_wanted.connect(self.bench.run)
        page.settled.connect(self._verbs.take_sliders)
        return page

    def state(self) -> State:
        """What it covers, as far as that was looked at."""
        a = self.bench.sessions.analysis
        if a is None:
            return State("")
        found = self.found
        if found is None:
            return State("pressure logged" if a.recording.has(Role.ACCUMULATOR_PRESSURE) else "not looked at")
        if found.masked is not None:
            return State(f"armed, hides {len(found.masked.hidden) - len(a.dips)} dips", "attention")
        if not found.cover.passes:
            return State("nothing to cover")
        from basso.findings.accumulator.sizing import HOLDS_S

        left = sum(p.short_s > HOLDS_S for p in found.cover.passes)
        return State(f"{left} of {len(found.cover.passes)} left", "attention" if left else "")

    def commands(self) -> tuple[Command, ...]:
        """What can be done about it."""
        v, group = self._verbs, "Judge"
        return (
            Command("accumulator.set", group, "Set accumulator…", v.set, (), "size, precharge, valve, line and pump"),
            Command(
                "accumulator.options",
                group,
                "Compare options…",
                v.options,
                (),
                "level, pickup, baffle, accumulator, dry sump: what each works on and will not fix",
                lambda: self.bench.sessions.analysis is not None,
            ),
            Command(
                "accumulator.best",
                group,
                "Smallest that holds",
                v.take_best,
                (),
                "looks at the smallest that holds every floor on the worst lap",
                lambda: self.found is not None and self.found.sizes is not None and self.found.sizes.best is not None,
            ),
            Command(
                "accumulator.keep", group, "Keep accumulator", v.keep, (), "with the build of the log shown", self._has
            ),
            Command(
                "accumulator.job",
                group,
                "Plan fitting…",
                v.job,
                (),
                "a job: priming, wiring test, first use",
                self._has,
            ),
        )

    def _has(self) -> bool:
        return self.bench.garage.view is not None and self.bench.sessions.shown is not None

    def table(self, only_selected: bool = False) -> Table | None:
        """The dipping passes."""
        return Table("accumulator", self.page.rows()) if self.found is not None else None

    def working(self) -> Working | None:
        """How the figures came about."""
        if self.found is None:
            return None
        from basso.ui.stations.accumulator.accumulator_working import accumulator_working

        return Working(self.page.title, accumulator_working(self.found, self.bench.shown_units))

    def shots(self) -> tuple[Shot, ...]:
        """The page."""
        return (Shot("accumulator", lambda: None, lambda: self.found is not None),)

    # Finding

    def wanted(self, a: Analysis) -> tuple[object, ...]:
        """The analysis, the accumulator and the pan."""
        return (a, self._verbs.fitted, self.bench.pan.pan)

    def work(self, a: Analysis) -> Callable[[Progress], AccumulatorFindings | None]:
        """Replay it."""
        fitted, pan = self._verbs.fitted, self.bench.pan.pan

        def find(progress: Progress) -> AccumulatorFindings | None:
            from basso.findings.accumulator.findings import find_accumulator

            return find_accumulator(a, fitted, pan, progress)

        return find

    def nothing(self, a: Analysis) -> str:
        """It always tells something."""
        return "Nothing could be worked out for this log"

    def show_findings(self, found: AccumulatorFindings | None, waiting: str) -> None:
        """Show it, or what is missing."""
        if self.made:
            self.page.show_found(found, self.bench.shown_units, waiting)
            self.page.enable({c.key: c.when() for c in self.commands()})

    def forget(self) -> None:
        """What was supposed for one log is not for the next."""
        self._verbs.own = None

    def _garage_changed(self) -> None:
        if self.looked_at:
            self.refresh()

    def look_again(self) -> None:
        """The accumulator is another: what is shown stays until it is worked out."""
        self._rests = ""
        self.refresh()
