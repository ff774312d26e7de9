"""Draw every main view off-screen at 1280 × 800 from the demo data: each station's own pictures, then the window's."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QApplication, QDialog, QWidget

from basso.recording.roles import Role
from basso.ui.models.live_feed import LiveFeed
from basso.ui.models.settings import Settings
from basso.ui.stations.catalogue import STATIONS
from basso.ui.stations.recordings.widget import RecordingsPage
from basso.ui.theme.look import Look
from basso.ui.window.desk import Desk
from basso.ui.window.main_window import MainWindow
from basso.ui.window.working_dialog import WorkingDialog
from basso.units import UNITS
from basso.workflow import demo_folder

_LIVE_FROM_S = 640.0


def take_all(application: QApplication, folder: Path) -> None:
    """Write one PNG for each main view into ``folder``."""
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as temporary:
        store = QSettings(str(Path(temporary) / "settings.ini"), QSettings.Format.IniFormat)
        window = MainWindow(Look(application), Settings(store))
        window.resize(1280, 800)
        window.show()
        desk = window.desk
        sessions, trial, garage, jobs = desk.bench.sessions, desk.bench.trial, desk.bench.garage, desk.bench.jobs
        desk.run("demo.open")
        wait_until(application, lambda: sessions.analysis is not None and trial.comparison is not None)
        wait_until(application, lambda: garage.view is not None and not jobs.busy)
        _of_the_window(application, desk, folder)
        # The log that the sensors' pictures are taken of is another: theirs come last.
        for row in sorted(STATIONS, key=lambda r: r.key == "sensors"):
            station = desk.stations[row.key]
            for shot in station.shots():
                desk.go_to(row.key)
                shot.prepare()
                wait_until(application, lambda ready=shot.ready: ready() and not jobs.busy)  # type: ignore[misc]
                save(application, window, folder / f"{shot.name}.png")
        _live(application, desk, folder / "live.png")
        _odd_columns(application, desk, Path(temporary) / "paddock.csv", folder / "columns.png")
        window.close()


def _of_the_window(application: QApplication, desk: Desk, folder: Path) -> None:
    """Night and the working."""
    bench, window = desk.bench, desk.window
    desk.go_to("dips")
    day = bench.shown_units
    bench.units.choose(replace(day, pressure=UNITS["psi"], temperature=UNITS["°F"]))
    bench.look.set_theme("night")
    save(application, window, folder / "dips-night.png")
    bench.look.set_theme("day")
    bench.units.choose(day)
    working = desk.stations["dips"].working()
    assert working is not None
    save(application, WorkingDialog(window, bench.look, working.title, working.steps), folder / "working.png")


def _live(application: QApplication, desk: Desk, picture: Path) -> None:
    """The pit wall's window, well into a drive of the stand-in, in a dip."""
    from basso.alarm.session import LiveSession
    from basso.formats.options import ReadOptions
    from basso.formats.replayed_bus import ReplayedBus
    from basso.pressure.options import JudgeOptions
    from basso.standin.bus import DATABASE, frames_of
    from basso.standin.scenarios import generator, run

    bench, database = desk.bench, picture.with_suffix(".dbc")
    sessions = bench.sessions
    sessions.show(next(e for e in sessions.entries if e.path.name == "baseline-1.csv"))
    wait_until(application, lambda: sessions.analysis is not None and not bench.jobs.busy)
    a = sessions.analysis
    assert a is not None
    database.write_text(DATABASE, encoding="utf-8")
    try:
        frames = frames_of(run("baseline-2", 12)[0], generator("bus", 12))
        bus = ReplayedBus([(f.at_s, f.identifier, f.data) for f in frames], Path("live.log"))
        session = LiveSession(bus, database, ReadOptions(), JudgeOptions(normal=a.expected), clock=bus.clock)
        desk.live.show(LiveFeed(lambda: session), "socketcan can0")
        window = desk.live.window
        assert window is not None
        while bus.now_s < bus.end_s:
            bus.now_s += 0.1
            reading = session.tick()
            window.show_readings([reading])
            if bus.now_s > _LIVE_FROM_S and reading.state == "low" and window.board.lows.now is not None:
                break
        save(application, window, picture)
        window.finish()
        desk.live.window = None
    finally:
        database.unlink()


def _odd_columns(application: QApplication, desk: Desk, log: Path, picture: Path) -> None:
    """A log whose column names say little, with one column being set by hand."""
    lines = (demo_folder() / "baseline-1.csv").read_text(encoding="utf-8").splitlines()
    lines[0] = "Time,RPM,P3,Oil temp,Lat,Long,Speed [km/h],TPS,Lap"
    log.write_text("Vehicle,Car 31\nVenue,Harrowfell\nDate,2026-05-12\n\n" + "\n".join(lines), encoding="utf-8")
    desk.logs.open_logs([log])
    desk.go_to("recordings")
    sessions, logs = desk.bench.sessions, desk.bench.logs
    wait_until(application, lambda: sessions.analysis is not None and not logs.busy)
    page = desk.stations["recordings"].page
    assert isinstance(page, RecordingsPage)
    page.columns.choose("P3", Role.OIL_PRESSURE)
    page.columns.table.selectRow(2)
    save(application, desk.window, picture)


def wait_until(application: QApplication, done: Callable[[], bool], timeout_s: float = 240.0) -> None:
    """Let the window work until ``done`` holds; raises TimeoutError after a while."""
    end = time.monotonic() + timeout_s
    while not done():
        if time.monotonic() > end:
            raise TimeoutError("the window did not get ready")
        application.processEvents()
        time.sleep(0.005)
    application.processEvents()


def save(application: QApplication, view: QWidget, path: Path) -> None:
    """Show a view and write what it looks like."""
    view.show()
    for _ in range(3):
        application.processEvents()
    view.grab().save(str(path), "PNG")
    if isinstance(view, QDialog):
        view.close()
