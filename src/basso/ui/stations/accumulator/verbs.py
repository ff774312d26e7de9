"""What is done about the accumulator: set, kept with the build, fitted as a job."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from typing import TYPE_CHECKING, Protocol

from basso.accumulator.fitted import Fitted
from basso.sentence import in_kpa, in_litres, phrase
from basso.ui.bench import Bench
from basso.ui.dialogs import run_dialog

if TYPE_CHECKING:
    from basso.findings.accumulator.findings import AccumulatorFindings
    from basso.ui.stations.accumulator.widget import AccumulatorPage

_FITTING_JOB = "accumulator"


class Shown(Protocol):
    """What the verbs ask of the station."""

    found: AccumulatorFindings | None

    @property
    def page(self) -> AccumulatorPage:
        """Its page."""

    @property
    def made(self) -> bool:
        """Whether there is a page yet."""

    def look_again(self) -> None:
        """The accumulator is another."""


class AccumulatorVerbs:
    """Acts at one bench for the station that shows the accumulator.

    Attributes:
        own: what the user set for the log shown; None: what its build has.
    """

    def __init__(self, bench: Bench, shown: Shown) -> None:
        self.bench, self._shown = bench, shown
        self.own: Fitted | None = None

    @property
    def fitted(self) -> Fitted:
        """The accumulator that is looked at: what the user set, else what the session's build has, else the newest of
        the car, else a usual one."""
        from basso.car.accumulators import fitted_at, newest

        if self.own is not None:
            return self.own
        garage = self.bench.garage
        session = garage.session_of(self.bench.sessions.recording)
        found = None
        if garage.view is not None and session is not None:
            found = fitted_at(garage.view, session) or newest(garage.view)
        usual = found or Fitted()
        pan = self.bench.pan.pan
        if usual.pump_cm3_per_rev is None and pan is not None and pan.pump_m3_per_rev is not None:
            return replace(usual, pump_cm3_per_rev=1e6 * pan.pump_m3_per_rev)
        return usual

    def set(self) -> None:
        """Type its figures."""
        from basso.ui.stations.accumulator.set_dialog import SetDialog

        before = self._supposed()
        dialog = SetDialog(self.bench.window, self.bench.look, self.bench.shown_units, before)
        if run_dialog(dialog) and dialog.fitted != before:
            self.own = dialog.fitted
            self._shown.look_again()

    def take_sliders(self) -> None:
        """What the sliders suppose is worked out for the whole drive."""
        supposed = self._supposed()
        if supposed != self.fitted:
            self.own = supposed
            self._shown.look_again()

    def take_best(self) -> None:
        """The smallest that holds every floor on the worst lap."""
        found = self._shown.found
        best = found.sizes.best if found is not None and found.sizes is not None else None
        if best is None:
            self.bench.tell("No size on the map holds the floor on that lap.")
            return
        now = self.fitted
        self.own = replace(now, bottle=replace(now.bottle, total_l=best[0], precharge_kpa=best[1]))
        self._shown.look_again()

    def keep(self) -> None:
        """Write it down with the build of the log shown."""
        from basso.accumulator.fitted import fitted_text
        from basso.garage.records import Accumulator

        garage = self.bench.garage
        session = garage.session_of(self.bench.sessions.recording)
        build = garage.view.build_of(session) if garage.view is not None and session is not None else None
        if garage.view is None or build is None:
            self.bench.tell(
                "An accumulator is kept with a build: put this log's session into the garage first (Garage, New "
                "session)."
            )
            return
        fitted = self._supposed()
        record = Accumulator(
            car=garage.view.car.id,
            build=build.id,
            day=date.today().isoformat(),
            name=fitted.name,
            card=fitted_text(fitted),
        )
        if garage.add("the accumulator", record):
            self.own = None
            self.bench.tell(f"Kept with {build.name}.")
            self._shown.look_again()

    def job(self) -> None:
        """A job for fitting it, with priming, wiring test and first use."""
        from basso.car.jobs import begun
        from basso.garage.records import Job

        garage = self.bench.garage
        session = garage.session_of(self.bench.sessions.recording)
        if garage.view is None or session is None:
            self.bench.tell(
                "A job is kept with a car: put this log's session into the garage first (Garage, New session)."
            )
            return
        build = garage.view.build_of(session)
        fitted = self._supposed()
        bottle = fitted.bottle
        note = phrase("Accumulator of {}, precharge {}.", in_litres(bottle.total_l, 1), in_kpa(bottle.precharge_kpa))
        if fitted.valve.trigger_kpa is not None:
            note = phrase("{} Switch opens under {}.", note, in_kpa(fitted.valve.trigger_kpa))
        job = Job(
            car=garage.view.car.id,
            build=build.id if build is not None else "",
            sheet=_FITTING_JOB,
            opened=date.today().isoformat(),
            begun_on=begun(_FITTING_JOB, garage.view.engine, build),
            note=str(note),
            follow_up=f"Drive it armed, then off; judge it under Trial against '{session.title}'.",
        )
        if garage.add("planning the accumulator", job):
            self.bench.tell("Planned. The job stands under Garage, Jobs.")

    def options(self) -> None:
        """What can be done about this session's dips, side by side; cost and rules as the owner writes them."""
        from basso.errors import InputError
        from basso.findings.options import weighed
        from basso.ui.stations.accumulator.options_dialog import OptionsDialog

        a, garage = self.bench.sessions.analysis, self.bench.garage
        if a is None:
            self.bench.tell("Open a log first: the options are weighed by its dips.")
            return
        session = garage.session_of(self.bench.sessions.recording)
        car = garage.view.car if garage.view is not None and session is not None else None
        kept = self.bench.memory.options
        key = car.id if car is not None else ""
        before = kept.of(key)
        dialog = OptionsDialog(self.bench.window, self.bench.look, weighed(a), before, car.name if car else "")
        if run_dialog(dialog) and dialog.notes != before:
            try:
                kept.keep(key, dialog.notes)
            except InputError as error:
                self.bench.tell(str(error))

    def _supposed(self) -> Fitted:
        supposed = self._shown.page.supposed if self._shown.made else None
        return supposed or self.fitted
