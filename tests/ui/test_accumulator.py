"""The Accumulator station, driven as a person would: read it, move its sliders, set, keep and plan an accumulator."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QDialogButtonBox

from basso.accumulator.fitted import Fitted, fitted_of
from basso.accumulator.gas import Bottle
from basso.accumulator.valve import Valve
from basso.ui.stations.accumulator import verbs
from basso.ui.stations.accumulator.options_dialog import OptionsDialog
from basso.ui.stations.accumulator.picture import CLASSES_S, large_figures, map_classes, stretch_of
from basso.ui.stations.accumulator.set_dialog import SetDialog
from basso.ui.stations.accumulator.widget import AccumulatorPage
from basso.ui.window.desk import Desk
from basso.ui.window.main_window import MainWindow
from basso.ui.window.screenshots import wait_until
from basso.units import UNITS, DisplayUnits
from basso.workflow import demo_folder


def page_of(desk: Desk) -> AccumulatorPage:
    page = desk.stations["accumulator"].page
    assert isinstance(page, AccumulatorPage)
    return page


def found(application: QApplication, desk: Desk) -> None:
    station = desk.stations["accumulator"]

    def ready() -> bool:
        return (
            station.found is not None
            and station.found.analysis is desk.bench.sessions.analysis
            and not desk.bench.jobs.busy
        )

    wait_until(application, ready, 60.0)


@pytest.fixture
def shown(application: QApplication, garage_desk: Desk) -> Desk:
    """The station with a session of the demo garage that was driven without an accumulator."""
    garage_desk.bench.sessions.open_logs([demo_folder() / "baseline-1.csv"])
    wait_until(application, lambda: garage_desk.bench.sessions.analysis is not None and not garage_desk.bench.jobs.busy)
    garage_desk.go_to("accumulator")
    found(application, garage_desk)
    return garage_desk


def a_click_in_the_lap_moves_the_cursor_there(desk: Desk) -> None:
    board = page_of(desk).board
    board.repaint()
    box, start, end = board._lanes[0]
    at = QPoint(round(box.left() + 0.5 * box.width()), round(box.center().y()))
    QTest.mouseClick(board, Qt.MouseButton.LeftButton, pos=at)
    assert desk.bench.cursor.time_s == pytest.approx(0.5 * (start + end), abs=1.0)


def the_map_has_four_kinds_and_the_chain_of_dips_is_enlarged(desk: Desk) -> None:
    page, station = page_of(desk), desk.stations["accumulator"]
    sizes = station.found.sizes
    kinds, extent = map_classes(sizes)
    assert set(np.unique(kinds)) <= {0.0, 1.0, 2.0, 3.0} and extent == (0.5, 6.0, 20.0, 300.0)
    shaped = replace(sizes, short_s=np.full(sizes.short_s.shape, CLASSES_S[1]))
    assert np.all(map_classes(shaped)[0] == 1.0), "exactly half a second is of the second kind"
    assert np.all(map_classes(replace(shaped, short_s=shaped.short_s + 0.01))[0] == 2.0)
    stretch = stretch_of(station.found, page.board.trace)
    assert stretch is not None and [name for _, _, name in stretch.passes] == ["B3", "6", "7"]
    assert stretch.end_s - stretch.start_s < 40.0


def figures_and_words_follow_the_units(desk: Desk) -> None:
    page = page_of(desk)
    desk.bench.units.choose(DisplayUnits(pressure=UNITS["psi"], temperature=UNITS["°F"], volume=UNITS["US qt"]))
    station = desk.stations["accumulator"]
    figures = large_figures(station.found, station.found.fitted, page.board.trace, desk.bench.shown_units)
    assert [f.unit for f in figures] == ["US qt", "s", "s", "s"] and figures[0].name == "usable over the floor"
    everything = page.title + page.detail + page.board.accessibleDescription()
    assert "kPa" not in everything and " L " not in everything and "psi" in everything
    assert "psi" in page.precharge_slider._words.text()


def test_the_cars_newest_accumulator_is_tried_on_a_drive_without_one(shown: Desk) -> None:
    page, station = page_of(shown), shown.stations["accumulator"]
    assert page.title.startswith("The 2.0 L bottle covers ") and "but not turns" in page.title
    assert station.found.fitted.name == "2 L, manual valve"
    assert station.state().words.endswith(" of 26 left") and station.state().mark == "attention"
    table = station.table()
    assert table is not None
    text = table.text("\t")
    assert "Lap\tPlace\tLowest without, kPa" in text and "\tturn 6\t" in text
    working = station.working()
    assert working is not None and working.title == page.title
    steps = {w.what: w for w in working.steps}
    assert "(70 kPa + 101 kPa) · 2.00 L" in steps["Gas law"].formula
    assert "11.2 cm³" in steps["Gallery"].source and "assumed" not in steps["Gallery"].source
    assert any(w.what.startswith("Turn 6 on lap ") for w in working.steps)
    a_click_in_the_lap_moves_the_cursor_there(shown)
    the_map_has_four_kinds_and_the_chain_of_dips_is_enlarged(shown)
    figures_and_words_follow_the_units(shown)


def test_a_slider_draws_another_bottle_at_once_and_let_go_it_is_worked_out_for_the_drive(
    application: QApplication, shown: Desk
) -> None:
    page, station = page_of(shown), shown.stations["accumulator"]
    before, oil = station.found, page.board.trace.oil_l.copy()
    page.size_slider.slider.setValue(page.size_slider.slider.maximum())
    assert page.is_moved and "6.00 L" in page.size_slider._words.text()
    assert page.board.trace.oil_l.max() > 2.0 * oil.max() and station.found is before
    page.size_slider.slider.sliderReleased.emit()
    wait_until(application, lambda: station.found is not before and not shown.bench.jobs.busy, 60.0)
    assert station.found.fitted.bottle.total_l == pytest.approx(6.0) and page.title.startswith("The 6.0 L bottle")
    assert not page.is_moved, "it begins where the bottle now is"
    QTest.mouseDClick(page.precharge_slider, Qt.MouseButton.LeftButton, pos=QPoint(4, 4))
    assert page.supposed == station.found.fitted


def test_it_is_kept_with_the_build_and_taken_back(application: QApplication, shown: Desk) -> None:
    page, garage = page_of(shown), shown.bench.garage
    assert garage.view is not None
    before = len(garage.view.accumulators)
    page.size_slider.slider.setValue(0)
    page.precharge_slider.slider.setValue(20)
    supposed = page.supposed
    shown.run("accumulator.keep")
    found(application, shown)
    assert len(garage.view.accumulators) == before + 1
    record = garage.view.accumulators[-1]
    assert fitted_of(record.card) == supposed
    assert shown.stations["accumulator"].found.fitted == supposed
    shown.bench.undo.undo()
    found(application, shown)
    assert len(garage.view.accumulators) == before
    jobs = len(garage.view.jobs)
    shown.run("accumulator.job")
    job = garage.view.jobs[-1]
    assert len(garage.view.jobs) == jobs + 1 and job.sheet == "accumulator"
    assert job.note.startswith("Accumulator of 2.0 L, precharge ") and "judge it under Trial" in job.follow_up


def test_an_armed_session_opens_with_what_the_bottle_hid(application: QApplication, garage_desk: Desk) -> None:
    desk = garage_desk
    desk.bench.sessions.open_logs([demo_folder() / "accumulator.csv"])
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    desk.go_to("accumulator")
    found(application, desk)
    station, page = desk.stations["accumulator"], page_of(desk)
    assert page.title.startswith("The accumulator was armed: 9 dips show of ")
    assert station.state().words.startswith("armed, hides ") and station.state().mark == "attention"
    said = page.board.accessibleDescription()
    assert "Emptied, it reads 69 kPa: its precharge is there." in said and "it refills at" in said
    before = station.found
    desk.run("accumulator.best")
    wait_until(application, lambda: station.found is not before and not desk.bench.jobs.busy, 60.0)
    best = before.sizes.best
    assert (station.found.fitted.bottle.total_l, station.found.fitted.bottle.precharge_kpa) == best


def test_what_is_typed_is_taken_in_the_units_shown(wide_window: MainWindow) -> None:
    assert wide_window.desk is not None
    units = DisplayUnits(pressure=UNITS["psi"], volume=UNITS["US qt"])
    fitted = Fitted(Bottle(2.0, 70.0, settle_s=5.0), Valve(), pump_cm3_per_rev=11.2)
    dialog = SetDialog(wide_window, wide_window.desk.bench.look, units, fitted)
    assert dialog.fitted == fitted, "what nobody touched stays what it was, whatever digits are shown"
    assert not dialog.trigger.isEnabled()
    dialog.precharge.setValue(29.0)
    assert dialog.fitted.bottle.precharge_kpa == pytest.approx(29.0 * 6.894757, rel=1e-6)
    dialog.valve.setCurrentIndex(1)
    dialog.trigger.setValue(38.0)
    assert dialog.trigger.isEnabled() and dialog.fitted.valve.trigger_kpa == pytest.approx(38.0 * 6.894757, rel=1e-6)
    dialog.floor.setValue(30.0)
    assert dialog.fitted.floor_kpa == pytest.approx(30.0 * 6.894757, rel=1e-6)
    dialog.floor.setValue(0.0)
    assert dialog.fitted.floor_kpa is None and dialog.floor.text() == "the session's floors"
    dialog.pump.setValue(0.0)
    assert dialog.fitted.pump_cm3_per_rev is None
    dialog.valve.setCurrentIndex(0)
    assert dialog.fitted.valve == Valve()
    dialog.total.setValue(dialog.total.minimum())
    save = dialog.buttons.button(QDialogButtonBox.StandardButton.Save)
    assert save.isEnabled() and dialog.fitted.bottle.total_l == pytest.approx(0.05, abs=0.01)


def test_options_stand_side_by_side_and_what_is_written_is_there_again(
    shown: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    seen: list[OptionsDialog] = []

    def write(dialog: OptionsDialog) -> bool:
        seen.append(dialog)
        dialog.table.item(0, 5).setText("45")
        box = dialog.table.cellWidget(5, 6)
        assert isinstance(box, QComboBox)
        box.setCurrentIndex(box.findText("not allowed"))
        dialog._dry["stages"].setText("3")
        return True

    monkeypatch.setattr(verbs, "run_dialog", write)
    shown.run("accumulator.options")
    dialog = seen[0]
    assert dialog.table.item(0, 0).text() == "More oil" and dialog.table.item(0, 1).text() == "27 of 27"
    text = dialog.as_table().text("\t")
    assert "Accumulator\t27 of 27\tpan, pickup, pump, breathing\tThe uncovered pickup itself" in text
    monkeypatch.setattr(verbs, "run_dialog", lambda d: seen.append(d) or False)
    shown.run("accumulator.options")
    again = seen[1].notes
    assert again.cost == {"level": "45"} and again.rules == {"dry_sump": "not allowed"}
    assert again.dry_sump == {"stages": "3"}


def test_without_a_log_it_says_what_is_needed(application: QApplication, wide_window: MainWindow) -> None:
    desk = wide_window.desk
    assert desk is not None
    desk.go_to("accumulator")
    application.processEvents()
    page = page_of(desk)
    assert "Open a log" in page.title and "smallest that holds the floor" in page.detail
    can = {c.key: c.when() for c in desk.stations["accumulator"].commands()}
    assert not can["accumulator.best"] and not can["accumulator.keep"] and can["accumulator.set"]
