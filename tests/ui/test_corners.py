"""The Corners station, driven as a person would: read, choose a place and a lap, follow the cursor, copy, show working."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLabel

from basso.report.corners_words import threshold_words
from basso.ui.desk import Desk
from basso.ui.dialogs import WorkingDialog
from basso.ui.main_window import MainWindow
from basso.ui.screenshots import wait_until
from basso.ui.stations.corners.picture import ladder, opening, table_rows
from basso.units import DisplayUnits
from basso.workflow import demo_folder


def look_at(application: QApplication, desk: Desk, name: str) -> None:
    desk.workspace.open_logs([demo_folder() / f"{name}.csv"])
    wait_until(application, lambda: desk.workspace.analysis is not None)
    desk.run("station.corners")
    wait_until(
        application,
        lambda: (
            desk.corners.told is not None
            and desk.corners.told.analysis is desk.workspace.analysis
            and not desk.jobs.busy
        ),
    )


@pytest.fixture
def desk(application: QApplication, wide_window: MainWindow) -> Desk:
    look_at(application, wide_window.desk, "baseline-1")
    return wide_window.desk


def test_it_opens_with_where_and_from_which_g_on(desk: Desk) -> None:
    station = desk.corners
    assert station.title.startswith("Turns 2, 4, 6 and 7 left") and "nothing to the right" in station.title
    words = station._detail.text()
    assert (
        "Left turns keep the pressure below" in words
        and "Right turns lost nothing up to" in words
        and "Test a change on turn" in words
    )
    assert "left turns" in station.side_words.text()
    assert station.way.currentText() == "Left turns" and station.loss.picture is not None


def test_every_lap_has_a_rung_and_the_cursor_goes_to_it(desk: Desk) -> None:
    station, told = desk.corners, desk.corners.told
    assert told is not None
    rows = ladder(told).rows
    assert [len(r.rungs) for r in rows] == [len(p.passes) for p in told.places]
    station.ladder.setFocus()
    station.ladder.choose("6")
    assert "Turn 6 left, hairpin left" in station.place_words.text() and station.circuit.chosen == "6"
    QTest.keyClick(station.ladder, Qt.Key.Key_Right)
    first = next(r for r in rows if r.id == "6").rungs[0]
    assert desk.cursor.time_s == pytest.approx(first.time_s)
    QTest.keyClick(station.ladder, Qt.Key.Key_Right)
    assert desk.cursor.time_s == pytest.approx(next(r for r in rows if r.id == "6").rungs[1].time_s)
    QTest.keyClick(station.ladder, Qt.Key.Key_Up)
    assert station.ladder.chosen == "B3" and station.way.currentText() == "Braking"


def test_a_click_on_a_rung_a_pass_or_the_circuit_goes_there(desk: Desk) -> None:
    station = desk.corners
    view, rows = station.ladder, station.ladder.ladder
    assert rows is not None
    area, i = view._area(), next(i for i, r in enumerate(rows.rows) if r.id == "2")
    high = area.height() / len(rows.rows)
    rung = rows.rows[i].rungs[3]
    gap = min((high - 4.0) / len(rows.rows[i].rungs), 9.0)
    y = area.top() + (i + 0.5) * high - gap * (len(rows.rows[i].rungs) - 1) / 2 + 3 * gap
    QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=QPoint(round(view._x(rung.share)), round(y)))
    assert desk.cursor.time_s == pytest.approx(rung.time_s)
    p = station.loss.picture
    assert p is not None
    QTest.mouseClick(
        station.loss, Qt.MouseButton.LeftButton, pos=station.loss._at(float(p.felt_g[0]), float(p.share[0])).toPoint()
    )
    near = min(p.time_s, key=lambda t: abs(t - desk.cursor.time_s))
    assert desk.cursor.time_s == pytest.approx(near, abs=0.1)
    told = desk.corners.told
    assert told is not None and told.circuit is not None
    four = next(x.place for x in told.places if x.place.id == "4")
    spot = station.circuit._points()[int(four.apex_m / 5.0)]
    QTest.mouseClick(station.circuit, Qt.MouseButton.LeftButton, pos=spot.toPoint())
    assert station.ladder.chosen == "4"


def test_the_car_on_the_circuit_follows_the_cursor(desk: Desk) -> None:
    told = desk.corners.told
    assert told is not None and told.analysis.track is not None
    lap = next(x for x in told.analysis.laps if x.complete)
    desk.cursor.move_to(lap.start_s + 20.0)
    first = desk.corners.circuit.at_m
    desk.cursor.move_to(lap.start_s + 30.0)
    assert first == first and desk.corners.circuit.at_m > first


def test_it_copies_and_shows_its_working(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    desk.run("edit.copy")
    text = QGuiApplication.clipboard().text()
    assert text.splitlines()[0] == desk.corners.title and "turn 2 left" in text and "Left turns keep" in text
    shown: list[str] = []
    monkeypatch.setattr(WorkingDialog, "exec", lambda self: shown.extend(x.text() for x in self.findChildren(QLabel)))
    desk.run("judge.working")
    assert any("sloshes at" in t for t in shown) and any("profile likelihood" in t for t in shown)


def test_a_session_without_laps_says_what_it_takes_and_keeps_what_can_be_told(
    application: QApplication, wide_window: MainWindow
) -> None:
    desk = wide_window.desk
    desk.go_to("corners")
    assert "Open a log" in desk.corners.title
    look_at(application, desk, "hill-climb")
    assert desk.corners.title.startswith("No laps to find corners on")
    assert "Left turns keep the pressure below" in desk.corners._detail.text()
    assert not desk.corners.ladder.isVisible() and desk.corners.rose.isVisible()


def test_a_session_that_is_low_everywhere_blames_no_corner(application: QApplication, wide_window: MainWindow) -> None:
    look_at(application, wide_window.desk, "hot-day")
    told = wide_window.desk.corners.told
    assert told is not None
    assert "normal itself" in opening(told, DisplayUnits()).title
    assert len(table_rows(told)) == len(told.places) and any(threshold_words(t) for t in told.thresholds)
