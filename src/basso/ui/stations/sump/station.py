"""The Sump station at the bench: the car's pan, calibrated on the log shown, and what changes to it would do."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from basso.progress import Progress
from basso.ui.bench import Bench
from basso.ui.stations.finding_station import FindingStation
from basso.ui.stations.station import Command, Shot, State, Working
from basso.ui.stations.sump.verbs import SumpVerbs
from basso.ui.stations.table import Table

if TYPE_CHECKING:
    from basso.analysis import Analysis
    from basso.findings.sump.findings import SumpFindings
    from basso.ui.stations.sump.widget import SumpPage

_MANY_LEFT = 0.2
"""With more than this share of the dips left after the best change, the station wants attention (default)."""


class SumpStation(FindingStation["SumpPage", "SumpFindings"]):
    """Where the oil stands in the car's pan, and which change keeps the pickup covered."""

    key, what = "sump", "the pan"

    def __init__(self, bench: Bench) -> None:
        super().__init__(bench)
        self._verbs = SumpVerbs(bench, self)
        bench.pan.changed.connect(self._pan_changed)

    def make_page(self) -> SumpPage:
        """The page."""
        from basso.ui.stations.sump.widget import SumpPage

        page = SumpPage(self.bench.look, [c for c in self.commands() if c.key not in ("sump.save", "sump.open")])
        page.command_wanted.connect(self.bench.run)
        return page

    def state(self) -> State:
        """Which change cures it, as far as that was looked at."""
        if self.bench.sessions.shown is None:
            return State("")
        if self.bench.pan.pan is None:
            return State("pan not measured")
        found = self.found
        if found is None:
            return State("pan measured")
        if found.calibration is None or not found.calibration.usable:
            fitted = found.calibration is not None and found.calibration.fits
            return State("pan does not fit the log", "attention") if fitted else State("not calibrated")
        from basso.sentence import read_in

        best = found.cures[0] if found.cures else None
        if best is None or best.told is None:
            return State("nothing tried")
        left = round(best.told.dips_after)
        words = f"{read_in(best.cure.title, self.bench.shown_units)}: {left} dip{'' if left == 1 else 's'} left"
        return State(words, "attention" if left > _MANY_LEFT * best.told.dips_before else "")

    def commands(self) -> tuple[Command, ...]:
        """What can be done to the pan."""
        v, group = self._verbs, "Judge"
        has_pan, has_change = self._has_pan, lambda: v.chosen() is not None
        return (
            Command(
                "sump.measure", group, "Measure pan…", v.measure, (), "a few tape measurements, for a first answer"
            ),
            Command("sump.draw", group, "Draw pan…", v.draw, (), "corners, heights, walls, doors, plates", has_pan),
            Command("sump.open", group, "Pan from a file…", v.open, (), "with walls, doors and plates (TOML)"),
            Command("sump.save", group, "Pan to a file…", v.save, (), "to add walls, doors and plates", has_pan),
            Command("sump.try", group, "Try a change…", v.try_change, (), "volume=+0.3, pickup_z=-4 …", has_pan),
            Command(
                "sump.plan",
                group,
                "Plan change…",
                v.plan,
                (),
                "a job in the garage, with what is predicted",
                has_change,
            ),
            Command(
                "sump.sheet",
                group,
                "Fabrication sheet…",
                v.sheet,
                (),
                "SVG, DXF or to print, of the change chosen",
                has_pan,
            ),
        )

    def _has_pan(self) -> bool:
        return self.bench.pan.pan is not None

    def table(self, only_selected: bool = False) -> Table | None:
        """The changes."""
        return Table("sump", self.page.rows()) if self.found is not None else None

    def working(self) -> Working | None:
        """How pan, fit and the change chosen came about."""
        if self.found is None:
            return None
        from basso.ui.stations.sump.sump_working import sump_working

        steps = sump_working(self.found, self._verbs.chosen(), self.bench.shown_units)
        return Working(self.page.title, steps)

    def shots(self) -> tuple[Shot, ...]:
        """The page."""
        return (Shot("sump", lambda: None, lambda: self.found is not None),)

    # Finding

    def wanted(self, a: Analysis) -> tuple[object, ...]:
        """The analysis, the pan and the user's own changes."""
        return (a, self.bench.pan.pan, self._verbs.own)

    def work(self, a: Analysis) -> Callable[[Progress], SumpFindings | None]:
        """Calibrate and try."""
        from basso.car.pans import stick_readings

        pan, own, view = self.bench.pan.pan, self._verbs.own, self.bench.garage.car_of(self.bench.sessions.recording)
        readings = stick_readings(view) if view is not None else ()

        def find(progress: Progress) -> SumpFindings | None:
            from basso.findings.sump.findings import find_sump

            return find_sump(a, pan, own, readings, progress) if pan is not None else None

        return find

    def nothing(self, a: Analysis) -> str:
        """Nothing without a pan."""
        return "" if self.bench.pan.pan is None else "Nothing could be worked out for this pan"

    def fresh(self) -> None:
        """The panel of the pan follows the model."""
        if self.found is not None:
            self.bench.pan.follow(self.found.pan, self.found.analysis, self.found.oil)

    def show_findings(self, found: SumpFindings | None, waiting: str) -> None:
        """Show it, or what is missing."""
        if self.made:
            missing = self.bench.pan.pan is None
            self.page.show_found(found, self.bench.shown_units, "" if missing else waiting, "")
            self.page.enable({c.key: c.when() for c in self.commands()})

    def forget(self) -> None:
        """Changes that were tried on one log are not tried on the next."""
        self._verbs.own = ()

    def _pan_changed(self) -> None:
        if self.found is not None and self.found.pan is not self.bench.pan.pan:
            self.found = None
            self.fill()
        if self.looked_at:
            self.refresh()

    def look_again(self) -> None:
        """The pan, or what is tried on it, is another."""
        self.found = None
        self._rests = ""
        self.refresh()
        self.fill()
