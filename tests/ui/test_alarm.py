"""The Alarm station, driven as a person would: read it, set it, draw its line, undo, export and print it."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from basso.report.alarm_document import best_rule
from basso.ui.stations import form
from basso.ui.stations.alarm.picture import LEAD_SPAN_S, drawn_line, field_of, kind_rows, lead_rows
from basso.ui.stations.alarm.widget import AlarmPage
from basso.ui.window.desk import Desk
from basso.ui.window.screenshots import wait_until
from basso.units import UNITS, DisplayUnits
from basso.workflow import demo_folder


def page_of(desk: Desk) -> AlarmPage:
    page = desk.stations["alarm"].page
    assert isinstance(page, AlarmPage)
    return page


@pytest.fixture
def shown(application: QApplication, wide_window: object) -> Desk:
    """The station with one log, and no garage to prove it on."""
    desk = wide_window.desk  # type: ignore[attr-defined]
    desk.logs.open_logs([demo_folder() / "baseline-1.csv"])
    desk.go_to("alarm")
    station = desk.stations["alarm"]
    wait_until(application, lambda: station.found is not None and not desk.bench.jobs.busy)
    page_of(desk).board.repaint()
    return desk


def test_it_opens_with_what_is_proposed_and_how_far_it_is_proved(shown: Desk) -> None:
    page, station = page_of(shown), shown.stations["alarm"]
    assert page.title == (
        "A lamp 40 kPa under normal catches 18 of 27 dips, none of them severe, with no false alarms in 16 min"
    )
    assert "no other log of this build" in page.detail and "one false alarm counts as 4 an hour" in page.detail
    assert station.state().words == "18 of 27 dips, 0 false"
    table = station.table()
    assert table is not None and "3000\t139" in table.text("\t") and "\tmissed" in table.text("\t")
    working = station.working()
    assert working is not None
    steps = {w.what: w for w in working.steps}
    assert "logged 78 to 110 °C" in steps["Worst oil"].formula and "proposed" in steps["Set to"].source
    assert "under normal with the coolest oil" in steps["4500 rpm"].source


def test_numbers_typed_are_proved_at_once_and_undone(shown: Desk) -> None:
    page = page_of(shown)
    before = page.title
    page.amount.setValue(10.0)
    assert page.title != before and "10 kPa under normal" in page.title
    page.gate.setValue(6000.0)
    assert "under the 6000 rpm gate" in page.board.accessibleDescription()
    shown.bench.undo.undo()
    shown.bench.undo.undo()
    assert page.title == before and page.amount.value() == 40.0 and page.gate.value() == 3000.0
    shown.bench.undo.redo()
    assert "10 kPa under normal" in page.title
    shown.run("alarm.best")
    assert page.title == before


def test_each_kind_begins_as_it_is_proposed(shown: Desk) -> None:
    page, found = page_of(shown), shown.stations["alarm"].found
    for kind, suffix in (("share", " %"), ("fixed", " kPa"), ("gated", " kPa"), ("two_stage", " kPa")):
        page.kind.setCurrentIndex(page.kind.findData(kind))
        proposed = found.proposal(kind).setting
        assert page.amount.suffix() == suffix
        assert page.amount.value() == pytest.approx(proposed.amount * (100.0 if kind == "share" else 1.0), abs=0.51)
        assert page.gate.isVisible() == page.heat.isVisible() == (kind != "fixed")
        assert page.typed == proposed, "what was not touched stays as exact as it was"


def test_in_other_units_nothing_changes_but_the_words(shown: Desk) -> None:
    page = page_of(shown)
    before = page.typed
    shown.bench.units.choose(DisplayUnits(pressure=UNITS["psi"], temperature=UNITS["°F"]))
    assert page.typed == before and page.amount.suffix() == " psi" and page.heat.suffix() == " °F"
    assert "psi" in page.title and "kPa" not in page.title + page.detail + page.board.accessibleDescription()


def test_a_point_is_drawn_elsewhere_with_the_mouse_and_that_is_one_step(shown: Desk) -> None:
    page = page_of(shown)
    board, before = page.board, page.title
    start = board._in_plot(4500.0, dict(board._chosen.rule.points)[4500.0]).toPoint()
    end = board._in_plot(4500.0, 300.0).toPoint()
    steps = shown.bench.undo.count()
    QTest.mousePress(board, Qt.MouseButton.LeftButton, pos=start)
    for share in (0.5, 1.0):
        held = QPointF(start + (end - start) * share)
        board.mouseMoveEvent(_held(held))
    QTest.mouseRelease(board, Qt.MouseButton.LeftButton, pos=end)
    assert dict(board._chosen.rule.points)[4500.0] == pytest.approx(300.0, abs=3.0)
    assert page.title.startswith("The line as drawn catches") and shown.bench.undo.count() == steps + 1
    shown.bench.undo.undo()
    assert page.title == before and not board._chosen.moved


def _held(at: QPointF) -> object:
    from PySide6.QtCore import QEvent
    from PySide6.QtGui import QMouseEvent

    left = Qt.MouseButton.LeftButton
    return QMouseEvent(QEvent.Type.MouseMove, at, at, left, left, Qt.KeyboardModifier.NoModifier)


def test_a_click_on_the_curve_on_a_kind_and_on_a_dip(shown: Desk) -> None:
    page = page_of(shown)
    board, found = page.board, shown.stations["alarm"].found
    box, span, top = board._curves[-1]
    nearest = page.board._curve.proofs[0]
    at = QPoint(
        round(box.left() + min(nearest.cries_per_hour, span) / span * box.width()),
        round(box.bottom() - nearest.caught / top * box.height()),
    )
    QTest.mouseClick(board, Qt.MouseButton.LeftButton, pos=at)
    assert page.typed.amount == 10.0
    board.repaint()
    row, kind = next((r, k) for r, k in board._kinds if k == "share")
    QTest.mouseClick(board, Qt.MouseButton.LeftButton, pos=row.center().toPoint())
    assert page.kind.currentData() == kind == "share"
    board.repaint()
    bar, index = board._bars[-1]
    QTest.mouseClick(board, Qt.MouseButton.LeftButton, pos=bar.center().toPoint())
    dip = board._chosen.proof.each[index].dip.dip
    assert shown.bench.cursor.time_s == pytest.approx(float(found.analysis.time_s[dip.lowest]))


def test_it_is_exported_and_printed(shown: Desk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    page = page_of(shown)
    page.kind.setCurrentIndex(page.kind.findData("two_stage"))
    for name in ("alarm.json", "alarm.csv", "alarm.dbc"):
        monkeypatch.setattr(shown.bench.files, "ask_save", lambda *_, n=name: tmp_path / n)
        shown.run("alarm.export")
    assert best_rule(json.loads((tmp_path / "alarm.json").read_text())) == page.board._chosen.rule
    assert "stays on under [kPa]" in (tmp_path / "alarm.csv").read_text()
    assert "Alarm_point" in (tmp_path / "alarm.dbc").read_text() and "6F0#" in (tmp_path / "alarm.log").read_text()
    monkeypatch.setattr(shown.bench.files, "ask_save", lambda *_: tmp_path / "card.pdf")
    shown.run("alarm.print")
    assert (tmp_path / "card.pdf").read_bytes().startswith(b"%PDF")
    monkeypatch.setattr(shown.bench.files, "ask_save", lambda *_: None)
    shown.run("alarm.export")
    assert len(list(tmp_path.glob("alarm*"))) == 4


def test_a_job_needs_a_session_in_the_garage(shown: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    said: list[str] = []
    monkeypatch.setattr(shown, "tell", said.append)
    shown.run("alarm.job")
    assert len(said) == 1 and "put this log's session into the garage first" in said[0]


def the_alarm_is_kept_with_the_build_and_proved_as_it_is_on_its_next_log(
    application: QApplication, desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    page, station = page_of(desk), desk.stations["alarm"]
    page.amount.setValue(25.0)
    rule = page.board._chosen.rule
    monkeypatch.setattr(form, "run_dialog", lambda dialog: dialog.form.take_all() == "")
    desk.run("alarm.keep")
    assert page.board._chosen.is_kept and page.title.startswith("The alarm kept with this build catches")
    desk.bench.sessions.show(next(e for e in desk.bench.sessions.entries if e.path.name == "baseline-2.csv"))
    wait_until(application, lambda: station.found is not None and not desk.bench.jobs.busy)
    assert page.board._chosen.rule == rule, "the numbers that are in the car, whatever normal is on this log"
    desk.run("alarm.best")
    assert page.board._chosen.rule != rule and not page.board._chosen.is_kept
    desk.bench.undo.undo()
    assert page.board._chosen.rule == rule
    page.board.point_moved.emit(4500.0, 300.0)
    page.board.point_let_go.emit()
    drawn = dict(page.board._chosen.rule.points)
    assert drawn == {**dict(rule.points), 4500.0: 300.0}, "the others stay where they were kept"
    desk.bench.undo.undo()
    (kept,) = desk.bench.garage.view.alarms
    assert kept.name == "Table by rpm, 25 kPa under normal"


def test_it_is_proved_on_the_other_sessions_of_the_build(
    application: QApplication, garage_desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    desk = garage_desk
    first, second = (demo_folder() / f"{name}.csv" for name in ("baseline-1", "baseline-2"))
    desk.bench.sessions.open_logs([second, first])
    desk.bench.sessions.show(next(e for e in desk.bench.sessions.entries if e.path == first))
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    desk.go_to("alarm")
    station = desk.stations["alarm"]
    wait_until(application, lambda: station.found is not None and not desk.bench.jobs.busy)
    page = page_of(desk)
    assert "On 1 other log of the build it catches" in page.detail
    held = station.found.basis.held_out
    assert [d.analysis.recording.path.name for d in held] == ["baseline-2.csv"]
    the_alarm_is_kept_with_the_build_and_proved_as_it_is_on_its_next_log(application, desk, monkeypatch)
    desk.run("alarm.job")
    jobs = [j for j in desk.bench.garage.view.jobs if j.sheet == "warning-proof"]
    assert len(jobs) == 1 and "25 kPa under normal" in jobs[0].note


def test_a_log_no_alarm_can_be_set_by_says_why(application: QApplication, shown: Desk) -> None:
    desk = shown
    desk.logs.open_logs([demo_folder() / "hill-climb.csv"])
    page, station = page_of(desk), desk.stations["alarm"]
    wait_until(application, lambda: "hill-climb.csv" in page.title and not desk.bench.jobs.busy)
    assert "the oil never got hotter than 78 °C" in page.title and station.found is None
    assert not page.amount.isVisible() and station.table() is None


class TestPicture:
    def test_the_line_is_level_outside_its_points(self) -> None:
        points = ((3000.0, 100.0), (4000.0, 200.0))
        assert drawn_line(points, 2000.0, 6000.0) == [(2000.0, 100.0), *points, (6000.0, 200.0)]
        assert drawn_line(points, 3500.0, 6000.0) == [(3500.0, 150.0), (4000.0, 200.0), (6000.0, 200.0)]

    def test_every_dip_has_its_bar_and_the_kinds_their_row(self, shown: Desk) -> None:
        station = shown.stations["alarm"]
        board = page_of(shown).board
        rows, elsewhere = lead_rows(board._chosen.proof, 3)
        assert len(rows) == 3 and sum(len(r.marks) for r in rows) + elsewhere == board._chosen.proof.dips
        assert len(board._bars) == board._chosen.proof.dips and LEAD_SPAN_S == 1.0
        kinds = kind_rows(station.found, board._chosen, DisplayUnits())
        assert [r.kind for r in kinds] == [None, "fixed", "gated", "share", "table", "two_stage"]
        assert [r.kind for r in kinds if r.is_chosen] == ["table"]
        field = field_of(station.found, board._chosen)
        known = np.isfinite(station.found.analysis.rpm) & np.isfinite(station.found.analysis.pressure_kpa)
        assert 0.98 * known.sum() < field.density.sum() <= known.sum()
