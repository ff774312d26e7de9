"""Draw every main view off-screen at 1280 × 800 from the demo data."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QApplication, QDialog, QWidget

from basso.recording.roles import Role
from basso.ui.dialogs import WorkingDialog
from basso.ui.floors_dialog import FloorsDialog
from basso.ui.main_window import MainWindow
from basso.ui.settings import Settings
from basso.ui.stations.dips.dip_working import working
from basso.ui.stations.dips.widget import ONE_DIP, SHARES, TRACES
from basso.ui.stations.sensors.widget import FIT, REGISTER
from basso.ui.theme.look import Look
from basso.units import UNITS
from basso.workflow import demo_folder


def take_all(application: QApplication, folder: Path) -> None:
    """Write one PNG for each main view into ``folder``."""
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as temporary:
        store = QSettings(str(Path(temporary) / "settings.ini"), QSettings.Format.IniFormat)
        window = MainWindow(Look(application), Settings(store))
        window.resize(1280, 800)
        window.show()
        desk = window.desk
        desk.opening.open_demo()
        wait_until(application, lambda: desk.workspace.analysis is not None and desk.workspace.comparison is not None)
        wait_until(application, lambda: desk.garage_model.view is not None and not desk.jobs.busy)
        desk.go_to("dips")
        _save(application, window, folder / "dips.png")
        night = replace(desk.workspace.units, pressure=UNITS["psi"], temperature=UNITS["°F"])
        day = desk.workspace.units
        desk.workspace.set_units(night)
        desk.run("view.night")
        _save(application, window, folder / "dips-night.png")
        desk.run("view.night")
        desk.workspace.set_units(day)
        for page, name in ((ONE_DIP, "dip"), (SHARES, "shares"), (TRACES, "")):
            desk.dips.show_page(page)
            if name:
                _save(application, window, folder / f"{name}.png")
        desk.go_to("normal")
        wait_until(application, lambda: desk.normal.told is not None and not desk.jobs.busy)
        _save(application, window, folder / "normal.png")
        desk.go_to("corners")
        wait_until(application, lambda: desk.corners.told is not None and not desk.jobs.busy)
        _save(application, window, folder / "corners.png")
        desk.go_to("trial")
        _save(application, window, folder / "trial.png")
        _garage(application, window, folder)
        desk.go_to("dips")
        analysis = desk.workspace.analysis
        assert analysis is not None
        steps = working(analysis, analysis.dips[desk.dips.selected], day)
        title = f"Dip {desk.dips.selected + 1}"
        _save(application, WorkingDialog(window, window.look, title, steps), folder / "working.png")
        _save(application, FloorsDialog(window, window.look, desk.workspace.floors, day), folder / "floors.png")
        desk.go_to("recordings")
        wait_until(application, lambda: not desk.log_list.busy)
        _save(application, window, folder / "recordings.png")
        _odd_columns(application, window, Path(temporary) / "paddock.csv", folder / "columns.png")
        desk.go_to("dips")
        connector = next(e for e in desk.workspace.entries if e.path.stem == "shakedown")
        desk.workspace.show(connector)
        wait_until(application, lambda: desk.workspace.analysis is not None)
        wait_until(application, lambda: not desk.jobs.busy)
        desk.go_to("sensors")
        _save(application, window, folder / "sensors.png")
        for page, name in ((REGISTER, "register"), (FIT, "fit")):
            desk.sensors.show_page(page)
            _save(application, window, folder / f"{name}.png")
        window.close()


def _garage(application: QApplication, window: MainWindow, folder: Path) -> None:
    """The pages of the Garage station."""
    station = window.desk.garage
    window.desk.go_to("garage")
    assert station.view is not None
    baffle = next(b for b in station.view.builds if b.baffle)
    before = next(b for b in station.view.builds if b.level_l == 4.0)
    station.select(baffle.id)
    station.compare(before, baffle)
    for page, name in enumerate(("garage", "garage-oil", "garage-level", "garage-jobs")):
        station.show_page(page)
        station.level.asked.setText("50")
        _save(application, window, folder / f"{name}.png")
    station.show_page(0)


def _odd_columns(application: QApplication, window: MainWindow, log: Path, picture: Path) -> None:
    """A log whose column names say little, with one column being set by hand."""
    lines = (demo_folder() / "baseline-1.csv").read_text(encoding="utf-8").splitlines()
    lines[0] = "Time,RPM,P3,Oil temp,Lat,Long,Speed [km/h],TPS,Lap"
    log.write_text("Vehicle,Car 31\nVenue,Harrowfell\nDate,2026-05-12\n\n" + "\n".join(lines), encoding="utf-8")
    desk = window.desk
    desk.opening.open_logs([log])
    desk.go_to("recordings")
    wait_until(application, lambda: desk.workspace.analysis is not None and not desk.log_list.busy)
    desk.recordings.columns.choose("P3", Role.OIL_PRESSURE)
    desk.recordings.columns.table.selectRow(2)
    _save(application, window, picture)


def wait_until(application: QApplication, done: Callable[[], bool], timeout_s: float = 60.0) -> None:
    """Let the window work until ``done`` holds; raises TimeoutError after a while."""
    end = time.monotonic() + timeout_s
    while not done():
        if time.monotonic() > end:
            raise TimeoutError("the window did not get ready")
        application.processEvents()
        time.sleep(0.005)
    application.processEvents()


def _save(application: QApplication, view: QWidget, path: Path) -> None:
    view.show()
    for _ in range(3):
        application.processEvents()
    view.grab().save(str(path), "PNG")
    if isinstance(view, QDialog):
        view.close()
