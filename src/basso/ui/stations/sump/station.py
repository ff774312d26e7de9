"""The Sump station at the bench: the car's pan, calibrated on the log shown, and what changes to it would do."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import date
from typing import TYPE_CHECKING

from basso.errors import InputError
from basso.progress import Progress
from basso.ui.bench import Bench
from basso.ui.dialogs import run_dialog
from basso.ui.stations.finding_station import FindingStation
from basso.ui.stations.station import Command, Shot, State
from basso.ui.stations.table import Table

if TYPE_CHECKING:
    from basso.analysis import Analysis
    from basso.findings.sump.findings import SumpFindings
    from basso.sump.cures import Cure
    from basso.sump.measured import MeasuredPan
    from basso.ui.stations.sump.widget import SumpPage

_MANY_LEFT = 0.2
"""With more than this share of the dips left after the best change, the station wants attention (default)."""
_FILES = "Pans (*.toml);;All files (*)"


class SumpStation(FindingStation["SumpPage", "SumpFindings"]):
    """Where the oil stands in the car's pan, and which change keeps the pickup covered."""

    key, what = "sump", "the pan"

    def __init__(self, bench: Bench) -> None:
        super().__init__(bench)
        self._held: MeasuredPan | None = None
        """Of a log that belongs to no car: until Basso is closed."""
        self._own: tuple[Cure, ...] = ()
        bench.garage.changed.connect(self._garage_changed)

    def make_page(self) -> SumpPage:
        """The page."""
        from basso.ui.stations.sump.widget import SumpPage

        page = SumpPage(self.bench.look, [(c.key, c.title) for c in self.commands()])
        page.command_wanted.connect(self.bench.run)
        return page

    def pan(self) -> MeasuredPan | None:
        """The pan of the log shown: what the garage keeps with its build, else what was measured for it just now."""
        from basso.car.pans import pan_at

        garage = self.bench.garage
        session = garage.session_of(self.bench.sessions.recording)
        if garage.view is not None and session is not None and (kept := pan_at(garage.view, session)) is not None:
            return kept
        return self._held

    def state(self) -> State:
        """Which change cures it, as far as that was looked at."""
        if self.bench.sessions.shown is None:
            return State("")
        if self.pan() is None:
            return State("pan not measured")
        found = self.found
        if found is None:
            return State("pan measured")
        if found.calibration is None or not found.calibration.usable:
            return State("pan does not fit the log", "attention")
        from basso.sentence import read_in

        best = found.cures[0] if found.cures else None
        if best is None or best.told is None:
            return State("nothing tried")
        left = round(best.told.dips_after)
        words = f"{read_in(best.cure.title, self.bench.shown_units)}: {left} dip{'' if left == 1 else 's'} left"
        return State(words, "attention" if left > _MANY_LEFT * best.told.dips_before else "")

    def commands(self) -> tuple[Command, ...]:
        """What can be done to the pan."""
        group = "Judge"
        return (
            Command(
                "sump.measure", group, "Measure pan…", self._measure, (), "a few tape measurements, for a first answer"
            ),
            Command("sump.open", group, "Pan from a file…", self._open, (), "with walls, doors and plates (TOML)"),
            Command(
                "sump.save", group, "Pan to a file…", self._save, (), "to add walls, doors and plates", self._has_pan
            ),
            Command("sump.try", group, "Try a change…", self._try, (), "volume=+0.3, pickup_z=-4 …", self._has_pan),
        )

    def _has_pan(self) -> bool:
        return self.pan() is not None

    def table(self, only_selected: bool = False) -> Table | None:
        """The changes."""
        return Table("sump", self.page.rows()) if self.found is not None else None

    def shots(self) -> tuple[Shot, ...]:
        """The page."""
        return (Shot("sump", lambda: None, lambda: self.found is not None),)

    # Finding

    def wanted(self, a: Analysis) -> tuple[object, ...]:
        """The analysis, the pan and the user's own changes."""
        return (a, self.pan(), self._own)

    def work(self, a: Analysis) -> Callable[[Progress], SumpFindings | None]:
        """Calibrate and try."""
        from basso.car.pans import stick_readings

        pan, own, view = self.pan(), self._own, self.bench.garage.car_of(self.bench.sessions.recording)
        readings = stick_readings(view) if view is not None else ()

        def find(progress: Progress) -> SumpFindings | None:
            from basso.findings.sump.findings import find_sump

            return find_sump(a, pan, own, readings, progress) if pan is not None else None

        return find

    def nothing(self, a: Analysis) -> str:
        """Nothing without a pan."""
        return "" if self.pan() is None else "Nothing could be worked out for this pan"

    def show_findings(self, found: SumpFindings | None, waiting: str) -> None:
        """Show it, or what is missing."""
        if self.made:
            missing = self.pan() is None
            self.page.show_found(found, self.bench.shown_units, "" if missing else waiting, "")

    def forget(self) -> None:
        """Changes that were tried on one log are not tried on the next."""
        self._own = ()

    def _garage_changed(self) -> None:
        if self.looked_at:
            self._look_again()

    def _look_again(self) -> None:
        self.found = None
        self._rests = ""
        self.refresh()
        self.fill()

    # Verbs

    def _measure(self) -> None:
        from basso.ui.stations.sump.measure_dialog import MeasureDialog

        dialog = MeasureDialog(self.bench.window, self.bench.look, self.bench.shown_units)
        if run_dialog(dialog) and dialog.pan is not None:
            self._keep(dialog.pan)

    def _open(self) -> None:
        from basso.sump.pan_file import read_pan

        path = self.bench.files.ask_open("Pan from a file", _FILES)
        if path is None:
            return
        try:
            self._keep(read_pan(path))
        except InputError as error:
            self.bench.tell(str(error))

    def _save(self) -> None:
        from basso.sump.pan_file import pan_text

        pan = self.pan()
        if pan is None:
            return
        path = self.bench.files.ask_save("Pan to a file", "pan.toml", _FILES)
        if path is not None:
            self.bench.files.write(path, pan_text(pan).encode())

    def _keep(self, pan: MeasuredPan) -> None:
        """Keep a pan with the build of the log shown, or for as long as Basso is open."""
        garage = self.bench.garage
        session = garage.session_of(self.bench.sessions.recording)
        build = garage.view.build_of(session) if garage.view is not None and session is not None else None
        if garage.view is not None and build is not None:
            from basso.garage.records import Pan
            from basso.sump.pan_file import pan_text

            today = date.today().isoformat()
            record = Pan(car=garage.view.car.id, build=build.id, day=today, name=pan.name, shape=pan_text(pan))
            garage.add("the measured pan", record)
        else:
            self._held = pan
        self._look_again()

    def _try(self) -> None:
        from PySide6.QtWidgets import QInputDialog

        text, given = QInputDialog.getText(
            self.bench.window,
            "Try a change",
            "volume= (L), pickup_x=, pickup_y=, pickup_z= (mm); + or − changes the present value. Several with commas:",
        )
        pan = self.pan()
        if not given or not text.strip() or pan is None:
            return
        try:
            made = _changed(pan, text)
        except InputError as error:
            self.bench.tell(str(error).replace("--variant ", ""))
            return
        self._own = (*self._own, made)
        self._look_again()


def _changed(pan: MeasuredPan, text: str) -> Cure:
    """A pan with changes of the command line's form made to it.

    Raises:
        InputError: one is none, or the pan cannot hold it.
    """
    from basso.sump.compartments import compartments_of
    from basso.sump.cures import Cure
    from basso.sump.variants import changed, parse_change

    work = "fill"
    for part in text.replace("−", "-").split(","):
        change = parse_change(part.strip())
        changed(part.strip(), compartments_of(pan), (pan.fill_l or 0.0) / 1000.0, change)  # raises what cannot be
        if change.key == "volume":
            pan = replace(pan, fill_l=change.value + ((pan.fill_l or 0.0) if change.is_relative else 0.0))
            continue
        work = "bolt-on"
        pickup = pan.pickup
        assert pickup is not None
        at = list(pickup.middle_m)
        axis = "xyz".index(change.key[-1])
        at[axis] = change.value / 1000.0 + (at[axis] if change.is_relative else 0.0)
        pan = replace(pan, pickup=replace(pickup, middle_m=(at[0], at[1], at[2])))
    return Cure(text.strip(), "bolt-on" if work == "bolt-on" else "fill", pan)
