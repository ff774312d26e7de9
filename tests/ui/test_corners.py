"""The Corners station, driven as a person would: read, choose a place and a lap, follow the cursor, copy, show
working."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QInputDialog, QLabel

from basso.errors import BassoError
from basso.ui.stations.corners.picture import ladder, opening, table_rows
from basso.ui.window.desk import Desk
from basso.ui.window.main_window import MainWindow
from basso.ui.window.screenshots import wait_until
from basso.ui.window.working_dialog import WorkingDialog
from basso.units import DisplayUnits
from basso.words.corners import threshold_words
from basso.workflow import demo_folder


def look_at(application: QApplication, desk: Desk, name: str) -> None:
    desk.bench.sessions.open_logs([demo_folder() / f"{name}.csv"])
    wait_until(application, lambda: desk.bench.sessions.analysis is not None)
    desk.run("station.corners")
    wait_until(
        application,
        lambda: (
            desk.stations["corners"].page.told is not None
            and desk.stations["corners"].page.told.analysis is desk.bench.sessions.analysis
            and not desk.bench.jobs.busy
        ),
    )


@pytest.fixture
def desk(application: QApplication, wide_window: MainWindow) -> Desk:
    look_at(application, wide_window.desk, "baseline-1")
    return wide_window.desk


@pytest.fixture
def unmapped_desk(application: QApplication, garage_desk: Desk) -> Desk:
    """The demo garage without the maps of its circuits."""
    model = garage_desk.bench.garage
    assert model.view is not None
    model.remove("the maps", *model.view.circuits)
    wait_until(application, lambda: model.view is not None and not model.view.circuits)
    return garage_desk


def test_the_demo_knows_its_circuit_and_what_the_team_calls_its_turns(
    application: QApplication, garage_desk: Desk
) -> None:
    for log in ("baseline-1", "hot-day"):
        look_at(application, garage_desk, log)
        settle(application, garage_desk)
        told = garage_desk.stations["corners"].page.told
        assert told is not None
        named = [p.place.label for p in told.places if p.place.name]
        assert named == ["turn 2 Kiln", "turn 4 Barley", "turn 6 Crook", "turn 8 Saucer"]


def test_it_opens_with_where_and_from_which_g_on(desk: Desk) -> None:
    station = desk.stations["corners"].page
    assert station.title == "Oil is lost in left turns 2, 4, 6 and 7 and under braking at B3. Right turns are clean."
    words = station._detail.text()
    assert (
        "In left turns pressure holds up to" in words
        and "In right turns nothing was lost up to" in words
        and "Test a change on turn" in words
    )
    assert "left turns" in station.side_words.text()
    assert station.way.currentText() == "Left turns" and station.loss.picture is not None


def test_every_lap_has_a_rung_and_the_cursor_goes_to_it(desk: Desk) -> None:
    station, told = desk.stations["corners"].page, desk.stations["corners"].page.told
    assert told is not None
    rows = ladder(told).rows
    assert [len(r.rungs) for r in rows] == [len(p.passes) for p in told.places]
    station.ladder.setFocus()
    station.ladder.choose("6")
    assert "Turn 6 left, hairpin left" in station.place_words.text() and station.circuit.chosen == "6"
    QTest.keyClick(station.ladder, Qt.Key.Key_Right)
    first = next(r for r in rows if r.id == "6").rungs[0]
    assert desk.bench.cursor.time_s == pytest.approx(first.time_s)
    QTest.keyClick(station.ladder, Qt.Key.Key_Right)
    assert desk.bench.cursor.time_s == pytest.approx(next(r for r in rows if r.id == "6").rungs[1].time_s)
    QTest.keyClick(station.ladder, Qt.Key.Key_Up)
    assert station.ladder.chosen == "B3" and station.way.currentText() == "Braking"


def test_a_click_on_a_rung_a_pass_or_the_circuit_goes_there(desk: Desk) -> None:
    station = desk.stations["corners"].page
    view, rows = station.ladder, station.ladder.ladder
    assert rows is not None
    area, i = view._area(), next(i for i, r in enumerate(rows.rows) if r.id == "2")
    high = area.height() / len(rows.rows)
    rung = rows.rows[i].rungs[3]
    gap = min((high - 4.0) / len(rows.rows[i].rungs), 9.0)
    y = area.top() + (i + 0.5) * high - gap * (len(rows.rows[i].rungs) - 1) / 2 + 3 * gap
    QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=QPoint(round(view._x(rung.share)), round(y)))
    assert desk.bench.cursor.time_s == pytest.approx(rung.time_s)
    p = station.loss.picture
    assert p is not None
    QTest.mouseClick(
        station.loss, Qt.MouseButton.LeftButton, pos=station.loss._at(float(p.felt_g[0]), float(p.share[0])).toPoint()
    )
    near = min(p.time_s, key=lambda t: abs(t - desk.bench.cursor.time_s))
    assert desk.bench.cursor.time_s == pytest.approx(near, abs=0.1)
    told = desk.stations["corners"].page.told
    assert told is not None and told.circuit is not None
    four = next(x.place for x in told.places if x.place.id == "4")
    spot = station.circuit._points()[int(four.apex_m / 5.0)]
    QTest.mouseClick(station.circuit, Qt.MouseButton.LeftButton, pos=spot.toPoint())
    assert station.ladder.chosen == "4"


def test_the_car_on_the_circuit_follows_the_cursor(desk: Desk) -> None:
    told = desk.stations["corners"].page.told
    assert told is not None and told.analysis.track is not None
    lap = next(x for x in told.analysis.laps if x.complete)
    desk.bench.cursor.move_to(lap.start_s + 20.0)
    first = desk.stations["corners"].page.circuit.at_m
    desk.bench.cursor.move_to(lap.start_s + 30.0)
    assert first == first and desk.stations["corners"].page.circuit.at_m > first


def test_it_copies_and_shows_its_working(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    desk.run("edit.copy")
    text = QGuiApplication.clipboard().text()
    assert (
        text.splitlines()[0] == desk.stations["corners"].page.title
        and "turn 2 left" in text
        and "In left turns pressure holds" in text
    )
    shown: list[str] = []
    monkeypatch.setattr(WorkingDialog, "exec", lambda self: shown.extend(x.text() for x in self.findChildren(QLabel)))
    desk.run("judge.working")
    assert any("sloshes at" in t for t in shown) and any("profile likelihood" in t for t in shown)


def test_a_session_without_laps_says_what_it_takes_and_keeps_what_can_be_told(
    application: QApplication, wide_window: MainWindow
) -> None:
    desk = wide_window.desk
    desk.go_to("corners")
    assert "Open a log" in desk.stations["corners"].page.title
    look_at(application, desk, "dyno")
    assert (
        desk.stations["corners"].page.title == "No laps, but runs: 7 dyno sweeps"
        and "No g" in desk.stations["corners"].page._detail.text()
    )
    (row,) = (
        desk.stations["corners"].page.ladder.ladder.rows
        if desk.stations["corners"].page.ladder.ladder is not None
        else ()
    )
    assert len(row.rungs) == 7 and not row.low
    assert not desk.stations["corners"].page.rose.isVisible() and not desk.stations["corners"].page.circuit.isVisible()
    assert not desk.stations["corners"].page.name_button.isEnabled()
    look_at(application, desk, "hill-climb")
    assert (
        desk.stations["corners"].page.title.startswith("Oil is lost in turns 1 and 3 to one side.")
        and desk.stations["corners"].page.rose.isVisible()
    )
    assert not desk.stations["corners"].page.line_button.isVisible(), "a route has no lap line"


def test_a_session_that_is_low_everywhere_blames_no_corner(application: QApplication, wide_window: MainWindow) -> None:
    look_at(application, wide_window.desk, "hot-day")
    told = wide_window.desk.stations["corners"].page.told
    assert told is not None
    assert "normal itself" in opening(told, DisplayUnits()).title
    assert len(table_rows(told)) == len(told.places) and any(threshold_words(t) for t in told.thresholds)


def settle(application: QApplication, desk: Desk) -> None:
    def still() -> bool:
        return (
            not desk.bench.jobs.busy
            and desk.stations["corners"].page.told is not None
            and desk.stations["corners"].page.told.analysis is desk.bench.sessions.analysis
        )

    wait_until(application, still)
    wait_until(application, still)


def test_a_corner_that_is_named_keeps_its_name_in_the_next_session_and_undo_takes_it_back(
    application: QApplication, unmapped_desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    desk = unmapped_desk
    look_at(application, desk, "baseline-1")
    desk.stations["corners"].page.ladder.choose("2")
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("Kiln", True))
    desk.run("circuit.name")
    wait_until(application, lambda: any(c.name == "Harrowfell" for c in desk.bench.garage.view.circuits))  # type: ignore[union-attr]
    settle(application, desk)
    row = next(r for r in desk.stations["corners"].page.ladder.ladder.rows if r.id == "2")  # type: ignore[union-attr]
    assert row.words.startswith("Kiln, long left") and "turn 2 Kiln" in desk.stations["corners"].page._detail.text()
    assert desk.stations["corners"].page._circuit_words.text().startswith("Harrowfell, on its saved map")
    look_at(application, desk, "gated")
    settle(application, desk)
    told = desk.stations["corners"].page.told
    assert told is not None and told.analysis.track is not None and told.analysis.track.circuit == "Harrowfell"
    assert [p.place.label for p in told.places if p.place.name] == ["turn 2 Kiln"]
    desk.run("edit.undo")
    settle(application, desk)
    wait_until(
        application,
        lambda: desk.bench.sessions.analysis is not None and desk.bench.sessions.analysis.track.circuit is None,
    )  # type: ignore[union-attr]


def test_keeping_a_map_lays_every_session_there_on_it(application: QApplication, unmapped_desk: Desk) -> None:
    desk = unmapped_desk
    look_at(application, desk, "gated")
    look_at(application, desk, "baseline-1")
    desk.stations["corners"].page.keep_button.click()
    wait_until(application, lambda: bool(desk.bench.garage.view.circuits) and not desk.bench.jobs.busy)  # type: ignore[union-attr]
    (circuit,) = desk.bench.garage.view.circuits  # type: ignore[union-attr]
    assert circuit.name == "Harrowfell" and circuit.survey["laps"] == 7 + 6 and len(circuit.sessions) == 2


def test_two_clicks_across_the_circuit_set_the_lap_line(application: QApplication, unmapped_desk: Desk) -> None:
    desk = unmapped_desk
    look_at(application, desk, "baseline-1")
    before = [lap.start_s for lap in desk.bench.sessions.analysis.laps if lap.complete]  # type: ignore[union-attr]
    view = desk.stations["corners"].page.circuit
    # Across the straight behind turn 4, where no other part of the sketch is near.
    points = view._points()
    at = points[int(1650 / 5)]
    ahead = points[int(1670 / 5)] - at
    across = QPointF(-ahead.y(), ahead.x()) * (14.0 / max((ahead.x() ** 2 + ahead.y() ** 2) ** 0.5, 1e-6))
    desk.stations["corners"].page.line_button.click()
    QTest.keyClick(view, Qt.Key.Key_Escape)
    QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=at.toPoint())
    assert not desk.bench.garage.view.circuits, "Escape gave it up"  # type: ignore[union-attr]
    desk.stations["corners"].page.line_button.click()
    for end in (at - across, at + across):
        QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=end.toPoint())
    wait_until(application, lambda: bool(desk.bench.garage.view.circuits) and not desk.bench.jobs.busy)  # type: ignore[union-attr]
    settle(application, desk)
    a = desk.bench.sessions.analysis
    assert a is not None and a.track is not None and a.track.circuit == "Harrowfell"
    after = [lap.start_s for lap in a.laps if lap.complete]
    assert len(after) in (6, 7) and all(min(abs(x - y) for y in before) > 10.0 for x in after)
    first = next(p for p in a.track.places if p.is_corner)
    assert first.id == "1" and first.kind == "left", "corners are numbered from the line: what was 5 is 1"


def test_a_circuit_has_nowhere_to_be_kept_without_a_garage(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    said: list[str] = []
    monkeypatch.setattr(desk, "tell", said.append)
    desk.run("circuit.keep")
    assert len(said) == 1 and "garage" in said[0]


def test_what_failed_once_is_asked_again(
    application: QApplication, desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    def fails(*_: object) -> None:
        raise BassoError("The circuit could not be read.")

    said: list[str] = []
    monkeypatch.setattr(desk, "tell", said.append)
    shown = desk.bench.sessions.analysis
    with monkeypatch.context() as broken:
        broken.setattr("basso.findings.corners.findings.find_corners", fails)
        desk.bench.sessions.open_logs([demo_folder() / "gated.csv"])
        wait_until(application, lambda: desk.bench.sessions.analysis not in (None, shown) and bool(said))
        assert desk.stations["corners"].page.told is None and said == ["The circuit could not be read."]
    desk.run("station.dips")
    desk.run("station.corners")
    wait_until(application, lambda: desk.stations["corners"].page.told is not None and not desk.bench.jobs.busy)
    assert (
        desk.stations["corners"].page.told is not None
        and desk.stations["corners"].page.told.analysis is desk.bench.sessions.analysis
    )
