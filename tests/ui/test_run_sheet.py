"""The run sheet in the window: at once, then with the run before; follows the session shown; printed."""

from __future__ import annotations

from datetime import date, timedelta
from pathlib import Path

import pytest
from PySide6.QtWidgets import QApplication, QLabel

from basso.ui.plots.drawing_view import DrawingView
from basso.ui.window.desk import Desk
from basso.ui.window.main_window import MainWindow
from basso.ui.window.screenshots import wait_until
from basso.units import UNITS, DisplayUnits
from basso.workflow import demo_folder


def words_of(desk: Desk) -> str:
    dialog = desk.run_sheets.dialog
    assert dialog is not None
    return " | ".join(label.text() for label in dialog.findChildren(QLabel))


def test_the_run_sheet(
    application: QApplication, garage_desk: Desk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    desk = garage_desk
    first, second = (demo_folder() / f"{name}.csv" for name in ("baseline-1", "plus-0.4"))
    desk.bench.sessions.open_logs([second, first])
    desk.bench.sessions.show(next(e for e in desk.bench.sessions.entries if e.path == second))
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    desk.run("run.sheet")
    assert "Do not go until checked" in words_of(desk) and "a default: choose your own" in words_of(desk)
    wait_until(application, lambda: not desk.bench.jobs.busy)
    said = words_of(desk)
    assert "Oil 10W-40 since" in said and "Accumulator: none." in said and "act-now line of 276 kPa" in said
    assert len(desk.run_sheets.dialog.findChildren(DrawingView)) == 2
    desk.bench.units.choose(DisplayUnits(pressure=UNITS["psi"]))
    application.processEvents()
    assert "act-now line of 40 psi" in desk.run_sheets.dialog.report.blocks[0].text
    monkeypatch.setattr(desk.bench.files, "ask_save", lambda *_: tmp_path / "sheet")
    desk.run_sheets.dialog.save.click()
    assert (tmp_path / "sheet.pdf").read_bytes().startswith(b"%PDF")
    desk.bench.sessions.show(next(e for e in desk.bench.sessions.entries if e.path == first))
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    application.processEvents()
    assert desk.run_sheets._of is desk.bench.sessions.analysis
    desk.run_sheets.dialog.close()
    assert desk.run_sheets.dialog is None


def test_of_a_car_nobody_knows(application: QApplication, window: object) -> None:
    desk: Desk = window.desk  # type: ignore[attr-defined]
    desk.run("run.sheet")
    assert desk.run_sheets.dialog is None, "nothing is shown yet"
    desk.logs.open_logs([demo_folder() / "baseline-1.csv"])
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    desk.run("run.sheet")
    assert "this log's session is not in the garage" in words_of(desk)
    desk.run_sheets.dialog.close()


@pytest.mark.parametrize(("days_ago", "is_seen"), [(0, True), (3, False)])
def test_a_log_driven_today_is_met_by_its_run_sheet(
    application: QApplication, wide_window: MainWindow, tmp_path: Path, days_ago: int, is_seen: bool
) -> None:
    day = date.today() - timedelta(days=days_ago)
    log = tmp_path / "run.csv"
    log.write_text(f"Date,{day.isoformat()}\n\n" + (demo_folder() / "baseline-1.csv").read_text())
    wide_window.open_logs([log])
    desk = wide_window.desk
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    a = desk.bench.sessions.analysis
    assert a is not None and a.recording.started[:10] == day.isoformat()
    dialog = desk.run_sheets.dialog
    assert (dialog is not None and dialog.isVisible()) is is_seen
    if dialog is not None:
        dialog.close()
        desk.bench.sessions.shown_changed.emit()
        assert desk.run_sheets.dialog is None, "once"
