"""The Normal station, driven as a person would: read, ask another question, slide to a hotter day, copy."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from basso.findings.normal.findings import find_normal
from basso.ui.stations.normal.curve_picture import curve_picture
from basso.ui.stations.normal.field_picture import field_picture
from basso.ui.window.desk import Desk
from basso.ui.window.main_window import MainWindow
from basso.ui.window.screenshots import wait_until
from basso.units import UNITS, DisplayUnits
from basso.workflow import demo_folder


def _told(application: QApplication, desk: Desk) -> None:
    wait_until(
        application,
        lambda: (
            desk.stations["normal"].page.told is not None
            and desk.stations["normal"].page.told.analysis is desk.bench.sessions.analysis
            and not desk.bench.jobs.busy
        ),
    )


@pytest.fixture
def desk(application: QApplication, wide_window: MainWindow) -> Desk:
    """A hot session looked at under Normal."""
    opened = wide_window.desk
    opened.bench.sessions.open_logs([demo_folder() / "baseline-2.csv"])
    wait_until(application, lambda: opened.bench.sessions.analysis is not None)
    opened.run("station.normal")
    _told(application, opened)
    return opened


def _cell(desk: Desk, table: str, row: int, column: int) -> str:
    item = getattr(desk.stations["normal"].page, table).item(row, column)
    return item.text() if item is not None else ""


def _column(desk: Desk, table: str, column: int) -> list[str]:
    return [_cell(desk, table, r, column) for r in range(getattr(desk.stations["normal"].page, table).rowCount())]


def test_normal_is_told_first_in_a_sentence(desk: Desk) -> None:
    told = desk.stations["normal"].page.told
    assert told is not None
    assert (
        "is normal at" in desk.stations["normal"].page.title and "over the floor" in desk.stations["normal"].page.title
    )
    assert f"{told.racing_rpm:.0f} rpm" in desk.stations["normal"].page.title
    active = [
        n
        for n, state in zip(_column(desk, "floor_rules", 0), _column(desk, "floor_rules", 5), strict=True)
        if state == "active"
    ]
    assert active == ["7 psi per 1000 rpm", "% of normal"]
    assert "Hot idle" in desk.stations["normal"].page.cold.text()
    assert desk.stations["normal"].page.supposition.text().startswith("As driven:")
    assert "keep its sessions in the garage" in desk.stations["normal"].page.change.text()


def test_a_hotter_day_and_back(application: QApplication, desk: Desk) -> None:
    station = desk.stations["normal"].page
    before = station.supposition.text()
    station.hotter.setValue(15)
    wait_until(application, lambda: not desk.bench.jobs.busy and station.supposition.text() != before)
    assert "instead of" in station.supposition.text() and "kPa" in station.supposition.text()
    desk.bench.units.choose(DisplayUnits(pressure=UNITS["psi"]))
    assert "psi" in station.supposition.text() and "kPa" not in station.supposition.text()
    station.hotter.setValue(0)
    wait_until(application, lambda: not desk.bench.jobs.busy and station.supposition.text().startswith("As driven"))


def test_the_adviser_answers_what_is_asked(application: QApplication, desk: Desk) -> None:
    station = desk.stations["normal"].page
    assert station.told is not None
    first = _column(desk, "grades", 4)
    station.margin.setValue(40.0)
    _told(application, desk)
    wait_until(application, lambda: _column(desk, "grades", 4) != first)
    fell = [
        float(a.replace("−", "-")) - float(b.replace("−", "-"))
        for a, b in zip(first, _column(desk, "grades", 4), strict=True)
    ]
    assert all(abs(v - 40.0) <= 1.0 for v in fell)
    # Another session asks its own question again.
    desk.bench.sessions.open_logs([demo_folder() / "dyno.csv"])
    wait_until(
        application,
        lambda: desk.bench.sessions.analysis is not None and desk.bench.sessions.analysis.recording.path.stem == "dyno",
    )
    _told(application, desk)
    assert station.margin.value() == 0.0


def test_other_floors_are_told_of_at_once(application: QApplication, desk: Desk) -> None:
    from basso.pressure.floors import Fixed

    desk.bench.judging.set_floors((Fixed(200.0),))
    wait_until(application, lambda: desk.bench.sessions.analysis is not None)
    _told(application, desk)
    assert [n for n, s in zip(_column(desk, "floor_rules", 0), _column(desk, "floor_rules", 5), strict=True) if s] == [
        "Fixed"
    ]
    desk.run("edit.undo")
    wait_until(application, lambda: desk.bench.sessions.analysis is not None)
    _told(application, desk)
    assert "% of normal" in [
        n for n, s in zip(_column(desk, "floor_rules", 0), _column(desk, "floor_rules", 5), strict=True) if s
    ]


def test_the_tables_copy_with_their_units(desk: Desk) -> None:
    desk.run("edit.copy")
    text = QGuiApplication.clipboard().text()
    assert text.splitlines()[0] == desk.stations["normal"].page.title
    assert "Hot, kPa" in text and "10W-40" in text and "7 psi per 1000 rpm" in text


def test_empty_says_what_it_takes(wide_window: MainWindow) -> None:
    wide_window.desk.run("station.normal")
    assert wide_window.desk.stations["normal"].page.title.startswith("Open a log to learn")
    assert wide_window.desk.stations["normal"].table() is None


def test_the_floor_line_lies_where_normal_meets_the_floor(desk: Desk) -> None:
    told = desk.stations["normal"].page.told
    assert told is not None
    found = find_normal(told.analysis)
    assert found is not None
    picture = field_picture(found, DisplayUnits())
    assert picture is not None and picture.floors
    ends = np.array(picture.floors[0].segments)
    rpm, heat = ends[:, 0], ends[:, 1]
    np.testing.assert_allclose(told.analysis.expected.at(rpm, heat), 48.3 * rpm / 1000.0, rtol=0.01)
    for contour in picture.contours:
        at = np.array(contour.segments)
        np.testing.assert_allclose(
            told.analysis.expected.at(at[:, 0], at[:, 1]), float(contour.words), rtol=0.02, atol=1.0
        )


def test_a_dip_stays_selected_when_the_session_is_judged_again(application: QApplication, desk: Desk) -> None:
    from basso.pressure.floors import DEFAULT_FLOORS, Fixed

    desk.run("station.dips")
    desk.stations["dips"].page.select(3)
    at = desk.bench.sessions.analysis.dips[3].dip.lowest_margin  # type: ignore[union-attr]
    desk.bench.judging.set_floors((*DEFAULT_FLOORS, Fixed(150.0)))
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    dip = desk.bench.sessions.analysis.dips[desk.stations["dips"].page.selected].dip  # type: ignore[union-attr]
    assert desk.stations["dips"].page.selected >= 0 and dip.first <= at < dip.last


def test_the_working_behind_normal_and_an_oil(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    from basso.ui.window.working_dialog import WorkingDialog

    shown: list[str] = []
    monkeypatch.setattr(WorkingDialog, "exec", lambda self: shown.append(self.words))
    desk.stations["normal"].page.grades.selectRow(_column(desk, "grades", 0).index("15W-50"))
    desk.run("judge.working")
    (words,) = shown
    for part in (
        "softmin",
        "this engine's own departure",
        "Relief valve",
        "15W-50 on this engine",
        "135 and 18.5 mm²/s",
        "11 cm³ a turn assumed",
        "48.3 kPa per 1000 rpm, chosen under Floors",
    ):
        assert part in words
    desk.run("station.dips")
    desk.run("judge.working")
    assert "Lowest margin's pressure" in shown[1]


def test_the_field_is_read_under_the_pointer(desk: Desk) -> None:
    field = desk.stations["normal"].page.field
    area = field._area()
    QTest.mouseMove(field, area.center().toPoint())
    QGuiApplication.processEvents()
    assert " is normal (" in field._said and "kPa" in field._said and "; floor " in field._said
    QTest.mouseMove(field, QPoint(2, 2))
    QGuiApplication.processEvents()
    assert field._said == ""
    desk.run("edit.copy")
    assert "Normal meets the floor at" in QGuiApplication.clipboard().text()


@pytest.fixture
def unheated(application: QApplication, wide_window: MainWindow, tmp_path: Path) -> Desk:
    """The same session from a logger without an oil temperature."""
    rows = [line.split(",") for line in (demo_folder() / "baseline-2.csv").read_text().splitlines()]
    (at,) = (k for k, name in enumerate(rows[0]) if name.startswith("Oil temp"))
    log = tmp_path / "unheated.csv"
    log.write_text("\n".join(",".join(r[:at] + r[at + 1 :]) for r in rows))
    opened = wide_window.desk
    opened.bench.sessions.open_logs([log])
    wait_until(application, lambda: opened.bench.sessions.analysis is not None)
    opened.run("station.normal")
    _told(application, opened)
    return opened


def test_without_an_oil_temperature_normal_is_a_curve_over_engine_speed(unheated: Desk) -> None:
    normal = unheated.stations["normal"].page
    told = normal.told
    assert told is not None
    assert not normal.field.isVisible() and normal.curve.isVisible()
    p = normal.curve.picture
    assert p is not None and p.unit == "kPa"
    known = np.isfinite(p.normal)
    assert known.any() and np.all(p.low[known] < p.normal[known]) and np.all(p.normal[known] < p.high[known])
    # The curve says what the sentence above it says.
    at = int(np.argmin(np.abs(p.rpm - told.racing_rpm)))
    assert float(normal.title.split(" kPa")[0]) == pytest.approx(p.normal[at], abs=4.0)
    # Calm running lies about it, whatever the oil was like, and under the top of the picture.
    beside = np.abs(p.dots[:, 1] - np.interp(p.dots[:, 0], p.rpm[known], p.normal[known]))
    assert float(np.median(beside)) < 8.0 and float(p.dots[:, 1].max()) < p.top
    assert not any(box.isEnabled() for box in (normal.air, normal.hotter, normal.faster, normal.racing, normal.margin))


def test_the_curve_is_in_the_units_shown(unheated: Desk) -> None:
    told = unheated.stations["normal"].page.told
    assert told is not None
    kpa, psi = (curve_picture(told, u) for u in (DisplayUnits(), replace(DisplayUnits(), pressure=UNITS["psi"])))
    assert kpa is not None and psi is not None and psi.unit == "psi"
    assert psi.floor == pytest.approx(kpa.floor / 6.894757, rel=1e-4)


def test_with_an_oil_temperature_there_is_the_field(desk: Desk) -> None:
    assert desk.stations["normal"].page.field.isVisible() and not desk.stations["normal"].page.curve.isVisible()
    assert desk.stations["normal"].page.air.isEnabled() and desk.stations["normal"].page.margin.isEnabled()


def test_every_floor_rule_that_is_a_pressure_is_drawn_on_the_field(desk: Desk) -> None:
    told = desk.stations["normal"].page.told
    assert told is not None
    picture = field_picture(told, DisplayUnits())
    assert picture is not None and len(picture.floors) == 1
    drawn = {c.words for c in picture.floor_rules if c.segments}
    assert {"10 psi + 10 psi per 1000 rpm", "Maker's figures", "Fixed"} <= drawn | {
        c.words for c in picture.floor_rules
    }
    assert "Fixed" in drawn and "% of normal" not in {c.words for c in picture.floor_rules}
    # Where the fixed line is drawn normal is what the line says.
    fixed = next(s.floor_rule.floor for s in told.floor_rules if s.floor_rule.name == "Fixed")
    line = next(c for c in picture.floor_rules if c.words == "Fixed")
    x, y = (np.array([s[i] for s in line.segments]) for i in (0, 1))
    assert told.analysis.expected.at(x, y) == pytest.approx(fixed.at(x, x)[0], rel=0.02)


def test_the_map_of_normal_is_large_and_the_rest_a_page_away(desk: Desk) -> None:
    page = desk.stations["normal"].page
    assert page.field.height() >= 300 and page.field.width() >= 380
    assert page.floor_rules.isVisible() and not page.grades.isVisible()
    page.pages._group.button(1).click()
    assert page.grades.isVisible() and page.racing.isVisible() and not page.field.isVisible()
    page.pages._group.button(2).click()
    assert page.air.isVisible() and not page.grades.isVisible()
