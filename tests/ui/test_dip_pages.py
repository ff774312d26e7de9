"""The Dips station's further pages: one dip by itself, and the session's shares of normal."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from basso.standin.car import Outing
from basso.standin.circuit import harrowfell
from basso.standin.engine import Heat
from basso.standin.faults import Logger
from basso.standin.scenarios import generator, run_setup
from basso.standin.simulate import Setup
from basso.ui.stations.dips.one_dip import dip_detail, dip_picture, rival_rows, share_picture
from basso.ui.stations.dips.picture import dip_rows
from basso.ui.stations.dips.widget import ONE_DIP, SHARES, TRACES
from basso.ui.window.desk import Desk
from basso.ui.window.main_window import MainWindow
from basso.ui.window.screenshots import wait_until
from basso.units import DisplayUnits
from basso.words.headline import opening
from basso.words.session import by_cause, exposure_of, exposure_words, together_words
from basso.workflow import demo_folder
from support import judged_scenario


@pytest.fixture
def desk(application: QApplication, wide_window: MainWindow) -> Desk:
    desk = wide_window.desk
    desk.bench.sessions.open_logs([demo_folder() / "baseline-1.csv"])
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    desk.go_to("dips")
    return desk


def test_a_key_shows_the_dip_by_itself_and_stepping_goes_on_there(desk: Desk) -> None:
    a = desk.bench.sessions.analysis
    assert a is not None
    desk.stations["dips"].page.select(5)
    desk.run("dip.one")
    assert (
        desk.stations["dips"].page.page == ONE_DIP
        and desk.stations["dips"].page.one.isVisible()
        and not desk.stations["dips"].page.traces.isVisible()
    )
    first = desk.stations["dips"].page.one.text
    assert "lap 3, turn 6 left" in first and "Left turn with braking" in first
    desk.run("dip.next")
    assert desk.stations["dips"].page.page == ONE_DIP and desk.stations["dips"].page.one.text != first
    desk.run("edit.copy")
    assert QGuiApplication.clipboard().text() == desk.stations["dips"].page.one.text
    desk.run("dip.traces")
    assert desk.stations["dips"].page.page == TRACES and desk.stations["dips"].page.traces.isVisible()


def test_enter_on_a_row_opens_its_page(desk: Desk) -> None:
    desk.stations["dips"].page.select(2)
    desk.stations["dips"].page.table.setFocus()
    QTest.keyClick(desk.stations["dips"].page.table, Qt.Key.Key_Return)
    assert desk.stations["dips"].page.page == ONE_DIP


def test_a_low_window_takes_rows_from_the_list_rather_than_height_from_the_plot(desk: Desk) -> None:
    desk.stations["dips"].page.show_page(ONE_DIP)
    rows = []
    for height in (700, 800):
        desk.window.resize(1100, height)
        QApplication.processEvents()
        listed = desk.stations["dips"].page.places
        row = listed.visualRect(listed.rows.index(0, 0)).height()
        rows.append(listed.viewport().height() // row)
        assert listed.viewport().height() % row <= 6, "no row is shown by half"
        assert desk.stations["dips"].page.one.dip.height() >= 120
    assert rows == [2, 4]


def test_without_a_chosen_dip_the_page_says_how_to_choose_one(application: QApplication, desk: Desk) -> None:
    desk.bench.sessions.open_logs([demo_folder() / "dyno.csv"])
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.sessions.analysis.dips)
    desk.run("dip.one")
    assert "Choose a dip" in desk.stations["dips"].page.one._title.text() and desk.stations["dips"].page.one.text == ""


def test_shares_of_normal_are_drawn_for_the_session_shown(desk: Desk) -> None:
    desk.run("dip.shares")
    assert desk.stations["dips"].page.page == SHARES
    assert all(v.picture is not None and v.isVisible() for v in desk.stations["dips"].page.shares.views)


def test_other_laps_are_laid_behind_from_the_same_place() -> None:
    a = judged_scenario("baseline-1", 3).analysis
    d = next(d for d in a.dips if d.place is not None and d.place.id == "6" and d.lap is not None and d.lap.number == 5)
    p = dip_picture(a, d, DisplayUnits())
    assert len(p.others) == 6, "the other whole laps"
    assert p.time_s[0] == pytest.approx(-5.0, abs=0.1) and p.time_s[-1] >= 6.0 - 0.1
    # The hairpin is the slowest place: every lap's lowest lies within a second and a half of this one's.
    own = p.time_s[int(np.nanargmin(p.pressure))]
    for times, values in p.others:
        near = (times > -1.0) & (times < 3.0)
        assert abs(times[near][int(np.nanargmin(values[near]))] - own) < 1.5
    # It is entered on the brakes and then turned into, to the left.
    assert p.fore_g[: p.fore_g.size // 2].min() < -0.8 and p.side_g[-1] > 0.9
    assert p.g_time_s[0] == pytest.approx(-3.0, abs=0.1) and p.g_time_s[-1] > 0.0


def test_a_dip_says_where_it_stands_by_exposure_and_what_the_engine_did() -> None:
    a = judged_scenario("baseline-1", 3).analysis
    worst = max(a.dips, key=exposure_of)
    words = dip_detail(a, worst, DisplayUnits())
    assert f"Worst of {len(a.dips)}." in words and "in the second before" in words
    rows = rival_rows(a, worst)
    assert rows[0].judged and not any(r.judged for r in rows[1:]) and rows[0].name.startswith("Left turn")


def test_the_exceedance_curve_agrees_with_the_exposure_and_falls_with_g_only_to_the_left() -> None:
    a = judged_scenario("baseline-1", 3).analysis
    p = share_picture(a)
    assert p is not None and p.floor == 0.7
    for level, fraction in a.exposure.share_of_time_below:
        if level >= p.share[-1]:
            assert float(np.interp(level, p.share[::-1], p.below[::-1])) == pytest.approx(fraction, abs=0.02)
    assert p.share_at_g[p.g > 1.15].max() < 0.85 and p.share_at_g[p.g < -1.0].min() > 0.95
    assert share_picture(judged_scenario("dyno", 1).analysis) is not None


def test_a_session_opens_in_three_sentences_what_how_exposed_and_what_next() -> None:
    words = opening(judged_scenario("plus-0.4", 5).analysis, DisplayUnits())
    assert "only from lap 6 on, above 111 °C" in words.title
    assert "13 dips in 8 laps (hot thin oil 8, left turn 5)" in words.detail
    assert "27.6 s below the floor in 17 min" in words.detail and "Next: " in words.detail
    climb = opening(judged_scenario("hill-climb", 10).analysis, DisplayUnits())
    assert "on 1 of 4 runs" in climb.title and "in 4 runs" in climb.detail


def test_exposure_orders_causes_and_promises_nothing() -> None:
    a = judged_scenario("baseline-1", 3).analysis
    groups = by_cause(a.dips)
    sums = [sum(exposure_of(d) for d in g) for _, g in groups]
    assert sums == sorted(sums, reverse=True) and groups[0][0] == "left_turn"
    assert "safe" not in exposure_words(a, DisplayUnits())
    assert together_words(groups[0][1]) == "", "most left turns do it alone"
    hairpin = [d for d in a.dips if d.place is not None and d.place.id == "6"]
    assert together_words(hairpin) == "braking"
    assert exposure_words(judged_scenario("dyno", 1).analysis, DisplayUnits()) == ""


@pytest.mark.parametrize(
    ("logger", "mark"), [(Logger(50, vibration_kpa=40.0), "≥"), (Logger(4), "≤"), (Logger(20), "")]
)
def test_a_lowest_reading_says_on_which_side_of_it_the_pressure_was(
    application: QApplication,
    wide_window: MainWindow,
    tmp_path: Path,
    capfd: pytest.CaptureFixture[str],
    logger: Logger,
    mark: str,
) -> None:
    """A shaking sensor reads below what there was, a slow one misses the lowest; both are drawn under their dips."""
    log = tmp_path / "log.csv"
    setup = Setup(harrowfell(), heat=Heat(start_c=84), session=Outing(laps=3))
    log.write_bytes(run_setup(setup, logger, generator("marks", 2))[1])
    desk = wide_window.desk
    desk.bench.sessions.open_logs([log])
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    desk.go_to("dips")
    desk.stations["dips"].page.select(0)
    application.processEvents()
    a = desk.bench.sessions.analysis
    assert a is not None and a.dips
    lowest = [row.cells[2] for row in dip_rows(a, DisplayUnits())]
    assert all(cell.startswith(mark) if mark else cell[0].isdigit() for cell in lowest)
    assert not desk.stations["dips"].page.traces.grab().isNull()
    assert "Error" not in capfd.readouterr().err
    # By what is under the floor, not by the reading, is a dip judged.
    assert ("less what the sensor shakes by" in opening(a, DisplayUnits()).detail) is (mark == "≥")
    worst = a.dips[0].dip
    assert (worst.told_margin_kpa > worst.min_margin_kpa + 15.0) is (mark == "≥")
