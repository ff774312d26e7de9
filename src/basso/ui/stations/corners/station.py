"""The Corners station at the bench: finds where it happens, in the background, while it is looked at."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from basso.progress import Progress
from basso.sentence import read_in
from basso.track.runs import run_words
from basso.ui.bench import Bench
from basso.ui.stations.corners.map_verbs import MapVerbs
from basso.ui.stations.finding_station import FindingStation
from basso.ui.stations.station import Command, Shot, State, Working
from basso.ui.stations.table import Table

if TYPE_CHECKING:
    from basso.analysis import Analysis
    from basso.findings.corners.findings import CornerFindings
    from basso.ui.stations.corners.widget import CornersPage


class CornersStation(FindingStation["CornersPage", "CornerFindings"]):
    """Where on the circuit it happens, lap after lap, and from which g on."""

    key = what = "corners"

    def __init__(self, bench: Bench) -> None:
        super().__init__(bench)
        self._map = MapVerbs(bench)

    def make_page(self) -> CornersPage:
        """The page."""
        from basso.ui.stations.corners.widget import CornersPage

        page = CornersPage(self.bench.look, self.bench.cursor)
        page.name_wanted.connect(self._map.name_place)
        page.keep_wanted.connect(self._map.keep_map)
        page.line_set.connect(self._map.set_line)
        page.refused.connect(self.bench.tell)
        return page

    def state(self) -> State:
        """Where most of it happens."""
        a = self.bench.sessions.analysis
        if a is None:
            return State("")
        if a.track is None:
            kinds = [r.kind for r in a.runs]
            most = max(dict.fromkeys(kinds), key=kinds.count, default="")
            return State(run_words(most, kinds.count(most)) if most else "no laps to place dips on")
        places = [d.place.label for d in a.dips if d.place is not None]
        if not places:
            turns = f"{sum(p.is_corner for p in a.track.places)} turns"
            return State(f"{turns}, no dips" if a.judged.any() else f"{turns}, nothing to judge")
        worst = max(dict.fromkeys(places), key=places.count)  # of equals the one that came first
        return State(f"most in {worst}", "below")

    def commands(self) -> tuple[Command, ...]:
        """What can be done to the circuit."""
        return (
            Command(
                "circuit.name",
                "Judge",
                "Name place…",
                lambda: self._here(lambda: self._map.name_place(self.page.ladder.chosen)),
                ("Ctrl+Shift+P",),
                "what the team calls the chosen corner, in every session here",
            ),
            Command(
                "circuit.keep",
                "Judge",
                "Save map",
                self._map.keep_map,
                ("Ctrl+Shift+M",),
                "one map of all sessions driven here: corners keep their numbers and names",
            ),
            Command(
                "circuit.line",
                "Judge",
                "Set lap line…",
                lambda: self._here(self.page.circuit.begin_line),
                ("Ctrl+Shift+T",),
                "two clicks across the circuit: laps begin there",
            ),
        )

    def table(self, only_selected: bool = False) -> Table | None:
        """Places and thresholds."""
        return Table("corners", self.page.rows()) if self.found is not None else None

    def working(self) -> Working | None:
        """Of the shown direction's threshold."""
        return Working(self.page.title, self.page.working()) if self.found is not None else None

    def shots(self) -> tuple[Shot, ...]:
        """The page."""
        return (Shot("corners", lambda: None, lambda: self.found is not None),)

    def work(self, a: Analysis) -> Callable[[Progress], CornerFindings | None]:
        """Places, passes, thresholds."""

        def work(progress: Progress) -> CornerFindings | None:
            from basso.findings.corners.findings import find_corners

            return find_corners(a, progress)

        return work

    def nothing(self, a: Analysis) -> str:
        """Why no corner can be judged."""
        from basso.words.coverage import coverage_of

        if a.recording.manual:
            return "Readings off a gauge tell of no corners. Log a run with both g."
        return (
            "No corner can be judged in this session. "
            f"{read_in(coverage_of(a).words, self.bench.shown_units)} Drive it warm, then look again."
        )

    def show_findings(self, found: CornerFindings | None, waiting: str) -> None:
        """On the page, once there is one."""
        if self.made:
            self.page.show_corners(found, self.bench.shown_units, waiting)

    def _here(self, act: Callable[[], None]) -> None:
        self.bench.go_to("corners")
        act()
