"""What is done to the pan: measured, read and written, changes tried and planned, a sheet for the shop."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from typing import TYPE_CHECKING, Protocol

from basso.errors import InputError
from basso.ui.bench import Bench
from basso.ui.dialogs import run_dialog

if TYPE_CHECKING:
    from basso.findings.sump.findings import SumpFindings, TriedCure
    from basso.sump.cures import Cure, Work
    from basso.sump.measured import MeasuredPan
    from basso.ui.stations.sump.widget import SumpPage

_FILES = "Pans (*.toml);;All files (*)"
_SHEETS = "Drawing (*.svg);;Drawing for the shop (*.dxf);;To print (*.pdf)"
_JOBS: dict[Work, str] = {
    "fill": "verification-drive",
    "bolt-on": "pickup-height",
    "weld": "baffle",
    "new pan": "pan-off",
}
"""The job sheet that each kind of work begins with."""


class Shown(Protocol):
    """What the verbs ask of the station."""

    found: SumpFindings | None

    @property
    def page(self) -> SumpPage:
        """Its page."""

    @property
    def made(self) -> bool:
        """Whether there is a page yet."""

    def look_again(self) -> None:
        """The pan, or what is tried on it, is another."""


class SumpVerbs:
    """Acts at one bench for the station that shows the pan.

    Attributes:
        own: changes the user asked for on the log shown.
    """

    def __init__(self, bench: Bench, shown: Shown) -> None:
        self.bench, self._shown = bench, shown
        self.own: tuple[Cure, ...] = ()

    def chosen(self) -> TriedCure | None:
        """The change that is chosen in the table; None where it is the pan as it is."""
        found = self._shown.found
        if found is None or not self._shown.made:
            return None
        row = self._shown.page.board.chosen - 1
        return found.cures[row] if 0 <= row < len(found.cures) else None

    def plan(self) -> None:
        """A job for the change chosen, with what is predicted of it."""
        from basso.car.jobs import begun
        from basso.car.predictions import LowestChange, with_prediction
        from basso.garage.records import Job
        from basso.words.sump import plan_words

        tried, found, garage = self.chosen(), self._shown.found, self.bench.garage
        session = garage.session_of(self.bench.sessions.recording)
        if tried is None or found is None:
            self.bench.tell("Choose a change in the table first.")
            return
        if garage.view is None or session is None:
            self.bench.tell(
                "A change is planned for a car: put this log's session into the garage first (Garage, New session)."
            )
            return
        build = garage.view.build_of(session)
        sheet = _JOBS[tried.cure.work]
        job = Job(
            car=garage.view.car.id,
            build=build.id if build is not None else "",
            sheet=sheet,
            opened=date.today().isoformat(),
            begun_on=begun(sheet, garage.view.engine, build),
            note=str(plan_words(tried.cure, tried.told, found.pan)),
            follow_up=f"Drive it, then judge it under Trial against '{session.title}'.",
        )
        if (told := tried.told) is not None:
            effect = LowestChange(told.effect_kpa, told.low_kpa, told.high_kpa)
            job = with_prediction(job, tried.cure.title, effect)
        if garage.add(f"planning {tried.cure.title}", job):
            self.bench.tell(f"Planned: {tried.cure.title}. The job stands under Garage, Jobs.")

    def sheet(self) -> None:
        """The sheet of the change chosen, or of the pan as it is."""
        from basso.report.pan_sheet import as_dxf, as_html, as_svg, pan_sheet
        from basso.ui.files import pdf_of

        tried, pan = self.chosen(), self.bench.pan.pan
        if tried is not None:
            pan = tried.cure.pan
        if pan is None:
            return
        title = f"{pan.name}: {tried.cure.title}" if tried is not None else pan.name
        path = self.bench.files.ask_save("Fabrication sheet", "pan.svg", _SHEETS)
        if path is None:
            return
        made = pan_sheet(pan, title)
        kind = path.suffix.lower()
        if kind == ".dxf":
            data = as_dxf(made)
        elif kind == ".pdf":
            data = pdf_of(as_html(made))
        elif kind == ".svg":
            data = as_svg(made)
        else:
            self.bench.tell(f"'{path.name}': a sheet is written as .svg, .dxf or .pdf; name the file so.")
            return
        self.bench.files.write(path, data)

    def measure(self) -> None:
        """Ask for the measurements."""
        from basso.ui.stations.sump.measure_dialog import MeasureDialog

        dialog = MeasureDialog(self.bench.window, self.bench.look, self.bench.shown_units)
        if run_dialog(dialog) and dialog.pan is not None:
            self._keep(dialog.pan)

    def draw(self) -> None:
        """Change the pan in a drawing of it."""
        from basso.ui.stations.sump.draw_dialog import DrawDialog

        pan = self.bench.pan.pan
        if pan is None:
            return
        dialog = DrawDialog(self.bench.window, self.bench.look, self.bench.shown_units, pan)
        if run_dialog(dialog) and dialog.pan is not pan:
            self._keep(dialog.pan)

    def open(self) -> None:
        """Take a pan's file."""
        from basso.sump.pan_file import read_pan

        path = self.bench.files.ask_open("Pan from a file", _FILES)
        if path is None:
            return
        try:
            self._keep(read_pan(path))
        except InputError as error:
            self.bench.tell(str(error))

    def save(self) -> None:
        """Write the pan as its file."""
        from basso.sump.pan_file import pan_text

        pan = self.bench.pan.pan
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
            self.bench.pan.hold(pan)
        self._shown.look_again()

    def try_change(self) -> None:
        """Try a change of the user's own."""
        from PySide6.QtWidgets import QInputDialog

        text, given = QInputDialog.getText(
            self.bench.window,
            "Try a change",
            "volume= (L), pickup_x=, pickup_y=, pickup_z= (mm); + or − changes the present value. Several with commas:",
        )
        pan = self.bench.pan.pan
        if not given or not text.strip() or pan is None:
            return
        try:
            made = _changed(pan, text)
        except InputError as error:
            self.bench.tell(str(error).replace("--variant ", ""))
            return
        self.own = (*self.own, made)
        self._shown.look_again()


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
