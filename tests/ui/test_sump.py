"""The Sump station, driven as a person would: measure a pan, read what would cure it, try a change, copy, undo."""

from __future__ import annotations

import tomllib
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialogButtonBox, QInputDialog

from basso.car.predictions import predictions_of
from basso.findings.sump import findings
from basso.sump import calibration
from basso.sump.calibration import Calibration
from basso.sump.flow import PARAMETERS
from basso.sump.measured import pickup_in_car_m, solid_of
from basso.sump.pan_file import pan_of, read_pan
from basso.ui.stations.sump.measure_dialog import MeasureDialog
from basso.ui.stations.sump.widget import SumpPage
from basso.ui.window.desk import Desk
from basso.ui.window.main_window import MainWindow
from basso.ui.window.screenshots import wait_until
from basso.units import UNITS, DisplayUnits
from basso.workflow import demo_folder


def page_of(desk: Desk) -> SumpPage:
    page = desk.stations["sump"].page
    assert isinstance(page, SumpPage)
    return page


def found(application: QApplication, desk: Desk) -> None:
    station = desk.stations["sump"]
    wait_until(application, lambda: station.found is not None and not desk.bench.jobs.busy, 180.0)


@pytest.fixture
def no_fit(monkeypatch: pytest.MonkeyPatch) -> None:
    """The flow model is not fitted: what does not hang on it is quick."""

    def unusable(analyses: object, c: object, volume_m3: float, *_: object) -> Calibration:
        return Calibration(False, "the test fits nothing", c, (), volume_m3, 1e-5)  # type: ignore[arg-type]

    monkeypatch.setattr(findings, "calibration_of", unusable)


@pytest.fixture
def log_desk(application: QApplication, garage_desk: Desk) -> Desk:
    """A session of the demo garage, whose pan was measured."""
    garage_desk.bench.sessions.open_logs([demo_folder() / "baseline-1.csv"])
    wait_until(application, lambda: garage_desk.bench.sessions.analysis is not None and not garage_desk.bench.jobs.busy)
    return garage_desk


def plan_and_draw(application: QApplication, desk: Desk, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    """The change chosen becomes a job with what is predicted of it, and a drawing."""
    view = desk.bench.garage.view
    assert view is not None
    jobs = len(view.jobs)
    page_of(desk).board.choose(1)
    desk.run("sump.plan")
    job = desk.bench.garage.view.jobs[-1]  # type: ignore[union-attr]
    assert len(desk.bench.garage.view.jobs) == jobs + 1 and job.sheet == "verification-drive"  # type: ignore[union-attr]
    assert job.note.startswith("Planned: +0.4 L. Predicted: lowest pressure +") and "of 26 dipping passes" in job.note
    assert "judge it under Trial against 'Full mark, stint 1'" in job.follow_up
    (kept,) = predictions_of(desk.bench.garage.view)  # type: ignore[arg-type]
    assert kept.what == "+0.4 L" and kept.measured is None and kept.predicted.low_kpa < kept.predicted.kpa
    assert f"lowest pressure +{kept.predicted.kpa:.0f} kPa" in job.note
    desk.bench.undo.undo()
    assert len(desk.bench.garage.view.jobs) == jobs  # type: ignore[union-attr]
    for name in ("sheet.svg", "sheet.dxf", "sheet.pdf"):
        monkeypatch.setattr(desk.bench.files, "ask_save", lambda *_, n=name: tmp_path / n)
        desk.run("sump.sheet")
        assert (tmp_path / name).stat().st_size > 1000
    page_of(desk).board.choose(3)


def the_panel_follows_the_model(application: QApplication, desk: Desk) -> None:
    """Once the model fits, the pan at the cursor shows its oil in time: bare at the deepest dip, and what is up in the
    engine is not in the pan."""
    a, flow, panel = desk.bench.sessions.analysis, desk.bench.pan.oil, desk.moments.pan
    assert a is not None and flow is not None
    deepest = min(a.dips, key=lambda d: float(a.pressure_kpa[d.dip.lowest]))
    desk.bench.cursor.move_to(float(a.time_s[deepest.dip.lowest]))
    application.processEvents()
    shown = panel.moment
    assert shown is not None and shown.oil is not None
    around = [flow.at(float(a.time_s[deepest.dip.lowest]) - 0.1 * k) for k in range(8)]
    assert min(m.head_m for m in around if m is not None) < 0.005, "bare at the dip, or nearly so"
    picture = panel.picture_of(shown)
    assert picture.in_time and 3.2 < picture.volume_l < 4.29
    assert "as calibrated" in panel.cover_words(picture)[1]
    desk.bench.cursor.move_to(float(a.time_s[0]))
    application.processEvents()
    at_start = flow.at(float(a.time_s[0]))
    assert at_start is not None and at_start.head_m > 0.02


def test_the_measured_pan_is_calibrated_and_what_helps_most_is_said_first(
    application: QApplication, log_desk: Desk, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    # Two structures are enough to see the page by; how right they are is told elsewhere.
    monkeypatch.setattr(calibration, "_STRUCTURES", calibration._STRUCTURES[:2])
    desk = log_desk
    desk.go_to("sump")
    found(application, desk)
    page = page_of(desk)
    assert page.title == "+0.4 L should be enough: 1 of 26 dipping passes left."
    assert "Work: fill." in page.detail
    table = desk.stations["sump"].table()
    assert table is not None
    text = table.text("\t")
    assert "A\tNow (as measured)" in text and "Pickup 4 mm lower\t" in text and "\tnew pan\t" in text
    assert desk.stations["sump"].state().words.startswith("+0.4 L: ")
    # A row is chosen with a click; its curve is drawn beside the pan's own.
    third = page.board._row_boxes[3].center()
    QTest.mouseClick(page.board, Qt.MouseButton.LeftButton, pos=QPoint(round(third.x()), round(third.y())))
    assert page.board.chosen == 3
    page.board.choose(1)
    working = desk.stations["sump"].working()
    assert working is not None and working.title == page.title
    steps = {w.what: w for w in working.steps}
    assert "8.32 L" in steps["Volume"].formula and "not used for the fit" in steps["Flow model"].source
    fitted = [w.formula for w in working.steps if w.what == "Fitted"]
    assert any(f.startswith("surface swings at 0.") and f.endswith(" Hz") for f in fitted)
    assert any("up in the engine at 6000 rpm" in f for f in fitted)
    assert len(fitted) >= len(PARAMETERS) - 2
    assert "lowest 175 kPa → " in steps["Turn 6"].formula and "mean over 7 passes; 7 dip now" in steps["Turn 6"].source
    page.board.choose(0)
    assert "Turn 6" not in {w.what for w in desk.stations["sump"].working().steps}  # type: ignore[union-attr]
    plan_and_draw(application, desk, monkeypatch, tmp_path)
    the_panel_follows_the_model(application, desk)
    # What if: a slider draws another curve, a double click takes it away.
    assert page.board._supposed is None
    page.fill.slider.setValue(page.fill.slider.minimum())
    less = page.board._supposed
    assert less is not None and "3.30 L" in page.fill._words.text()
    here = np.isfinite(less) & np.isfinite(page.board._rows[0].curve)
    assert np.all(less[here] <= page.board._rows[0].curve[here] + 1e-9), "less oil uncovers it at less g"
    QTest.mouseDClick(page.fill, Qt.MouseButton.LeftButton, pos=QPoint(4, 4))
    assert page.board._supposed is None
    desk.bench.units.choose(DisplayUnits(pressure=UNITS["psi"], length=UNITS["in"], volume=UNITS["US qt"]))
    assert page.title.startswith("+0.42 US qt should be enough"), "in the reader's units"
    assert "Pickup 0.16 in lower" in desk.stations["sump"].table().text("\t")  # type: ignore[union-attr]


def test_the_panel_draws_the_cars_own_pan(application: QApplication, log_desk: Desk) -> None:
    pan = log_desk.moments.pan
    assert pan.drawing.pan.name == "Standard pan" and pan.volume_l == pytest.approx(3.6)
    assert pan.drawing.pickup == pytest.approx((-0.03, 0.042, 0.008))
    log_desk.bench.sessions.open_logs([demo_folder() / "hill-climb.csv"])
    wait_until(application, lambda: log_desk.bench.sessions.analysis is not None and not log_desk.bench.jobs.busy)


def test_the_panel_gives_its_room_where_the_oils_place_says_nothing(application: QApplication, log_desk: Desk) -> None:
    desk = log_desk
    for key, shown in (("dips", True), ("garage", False), ("recordings", False), ("corners", True)):
        desk.go_to(key)
        assert desk.moments.pan.isVisible() is shown, key
    desk.go_to("garage")
    desk.run("view.pan")
    assert desk.moments.pan.isVisible(), "whoever wants it there has it"
    desk.go_to("dips")
    desk.run("view.pan")
    desk.go_to("corners")
    assert not desk.moments.pan.isVisible(), "folded away it stays away"
    desk.run("view.pan")


def test_without_a_pan_it_says_what_to_measure_and_keeps_what_is_measured_with_the_build(
    application: QApplication, log_desk: Desk, no_fit: None, monkeypatch: pytest.MonkeyPatch
) -> None:
    desk = log_desk
    view = desk.bench.garage.view
    assert view is not None
    assert desk.bench.garage.remove("the pan", *view.pans)
    desk.go_to("sump")
    application.processEvents()
    page = page_of(desk)
    assert page.title == "Measure the pan to see where the oil stands in it" and "tape" in page.detail
    assert desk.stations["sump"].state().words == "pan not measured"

    def typed(dialog: MeasureDialog) -> int:
        dialog.edits["length"].setValue(280.0)
        dialog.edits["left"].setValue(30.0)
        dialog.name.setText("Deep pan")
        assert dialog.said.text().startswith("Holds ")
        return 1

    monkeypatch.setattr("basso.ui.stations.sump.verbs.run_dialog", typed)
    desk.run("sump.measure")
    found(application, desk)
    kept = desk.bench.garage.view.pans  # type: ignore[union-attr]
    assert [p.name for p in kept] == ["Deep pan"]
    pan = pan_of(tomllib.loads(kept[0].shape), "kept")
    assert 1000.0 * solid_of(pan).capacity_m3 == pytest.approx(280 * 200 * 160 / 1e6)
    assert pickup_in_car_m(pan) == pytest.approx([0.0, 0.03, 0.008])
    assert page.title.startswith("Where the oil stands is shown") and "the test fits nothing" in page.detail
    desk.bench.undo.undo()
    assert desk.bench.garage.view.pans == ()  # type: ignore[union-attr]


def test_a_log_of_no_car_keeps_its_pan_while_basso_is_open_and_writes_it(
    application: QApplication, wide_window: MainWindow, no_fit: None, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    desk = wide_window.desk
    desk.bench.sessions.open_logs([demo_folder() / "baseline-1.csv"])
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    desk.go_to("sump")
    source, out = demo_folder() / "pan.toml", tmp_path / "out.toml"
    monkeypatch.setattr(desk.bench.files, "ask_open", lambda *_: source)
    monkeypatch.setattr(desk.bench.files, "ask_save", lambda *_: out)
    desk.run("sump.open")
    found(application, desk)
    assert desk.stations["sump"].state().words == "not calibrated"
    assert desk.moments.pan.drawing.pan.name == "Standard pan", "the panel draws it too"
    desk.run("sump.save")
    again, first = read_pan(out), read_pan(source)
    assert pickup_in_car_m(again) == pytest.approx(pickup_in_car_m(first))
    assert (again.fill_l, again.away_l, again.axis, again.sweep_m) == (4.3, 0.7, "across", pytest.approx(0.112))
    monkeypatch.setattr(QInputDialog, "getText", lambda *_: ("volume=+9", True))
    said: list[str] = []
    monkeypatch.setattr(desk, "tell", said.append)
    desk.run("sump.try")
    assert said == ["'volume=+9': makes 13.30 L; the pan holds 8.32 L."]
    monkeypatch.setattr(QInputDialog, "getText", lambda *_: ("volume=+0.3, pickup_z=−3", True))
    desk.run("sump.try")
    found(application, desk)
    assert any("volume=+0.3" in row[1] for row in page_of(desk).rows() if len(row) > 1)


def test_the_form_says_what_cannot_be(application: QApplication, wide_window: MainWindow) -> None:
    dialog = MeasureDialog(wide_window, wide_window.desk.bench.look, DisplayUnits())
    save = dialog.buttons.button(QDialogButtonBox.StandardButton.Save)
    assert dialog.pan is not None and save.isEnabled()
    dialog.edits["fill"].setValue(9.0)
    assert dialog.pan is None and not save.isEnabled() and "The pan holds 8.32 L" in dialog.said.text()
    dialog.edits["fill"].setValue(4.0)
    dialog.edits["forward"].setValue(400.0)
    assert dialog.pan is None and "pickup lies outside of every bay" in dialog.said.text()
    dialog.edits["forward"].setValue(-20.0)
    dialog.kind.setCurrentIndex(1)
    assert "shelf_length" in dialog.edits and dialog.edits["forward"].value() == -20.0, "what was typed stays"
    assert dialog.pan is not None and [b.name for b in dialog.pan.bays] == ["box", "shelf"]
    in_inches = MeasureDialog(wide_window, wide_window.desk.bench.look, DisplayUnits(length=UNITS["in"]))
    assert in_inches.edits["depth"].suffix() == " in" and in_inches.values["depth"] == pytest.approx(160.0, abs=0.2)
