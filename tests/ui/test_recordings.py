"""The Recordings station: what is dropped on it is read, listed, mapped, remembered and written."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QTableWidgetItem

from basso import workflow
from basso.formats.registry import read_recording
from basso.memory.memory import Memory
from basso.recording.roles import Role
from basso.ui.models.log_list import Row
from basso.ui.stations.recordings.gauge import GaugeDialog
from basso.ui.window.desk import Desk
from basso.ui.window.main_window import MainWindow
from basso.ui.window.screenshots import wait_until
from basso.ui.window.write_dialog import WriteDialog
from basso.units import UNITS, DisplayUnits


@pytest.fixture
def desk(wide_window: MainWindow) -> Desk:
    wide_window.desk.go_to("recordings")
    return wide_window.desk


def _log(seed: int = 0, head: str = "Time [s],RPM,Oil pressure [kPa],Oil temp [°C],Lat acc [g],Long acc [g]") -> str:
    rng = np.random.default_rng(seed)
    t = np.arange(1200) * 0.1
    rpm = 3500 + 1500 * np.sin(t / (3 + seed))
    columns = [t, rpm, 80 + 0.07 * rpm + rng.normal(0, 2, t.size), 85 + t / 60, np.sin(t / 4), 0.3 * np.cos(t / 5)]
    return head + "\n" + "\n".join(",".join(f"{v:.3f}" for v in row) for row in zip(*columns, strict=True))


def _open(application: QApplication, desk: Desk, *paths: Path) -> None:
    desk.logs.open_logs(list(paths))
    _wait(application, desk)


def _wait(application: QApplication, desk: Desk) -> None:
    wait_until(application, lambda: not desk.bench.logs.busy and not desk.bench.jobs.busy)


def _row(desk: Desk, title: str) -> Row:
    return next(r for r in desk.bench.logs.rows if r.entry.title == title)


def test_a_folder_is_read_and_every_log_listed(application: QApplication, desk: Desk, tmp_path: Path) -> None:
    folder = tmp_path / "logs"
    (folder / "deeper").mkdir(parents=True)
    (folder / "a.csv").write_text("Vehicle,Car 31\nVenue,Harrowfell\nDate,2026-05-12\n\n" + _log(1))
    (folder / "deeper" / "b.csv").write_text(_log(2, "Time [s],RPM,Oil pressure [kPa],Aux,Lat acc [g],Long acc [g]"))
    (folder / ".hidden.csv").write_text(_log(3))
    (folder / "readme.md").write_text("no log")
    (folder / "broken.csv").write_text("Time,RPM\nabc")
    _open(application, desk, folder)
    lines = {x.title: x for x in desk.stations["recordings"].page.model.lines}
    assert set(lines) == {"a", "b", "broken"}
    assert (lines["a"].date, lines["a"].car, lines["a"].length) == ("2026-05-12", "Car 31 · Harrowfell", "2:00 min")
    assert lines["a"].finding == "no speed or lap number"
    assert "oil temperature" in lines["b"].finding
    assert lines["broken"].mark == "below" and "no table" in lines["broken"].finding
    title, detail = desk.stations["recordings"].page.words
    assert title == "3 logs" and "1 could not be read" in detail
    assert [e.title for e in desk.bench.sessions.entries] == ["a", "b"]


def test_a_folder_without_logs_is_said(
    application: QApplication, desk: Desk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    told: list[str] = []
    monkeypatch.setattr(desk, "tell", told.append)
    (tmp_path / "none").mkdir()
    desk.logs.open_logs([tmp_path / "none"])
    assert "holds no file that ends like a log" in told[0]


def test_the_same_log_twice_is_one_log(application: QApplication, desk: Desk, tmp_path: Path) -> None:
    (tmp_path / "a.csv").write_text(_log(1))
    (tmp_path / "copy.csv").write_text(_log(1))
    (tmp_path / "other.csv").write_text(_log(2))
    _open(application, desk, *(tmp_path / n for n in ("a.csv", "copy.csv", "other.csv")))
    assert "the same log as a" in _row(desk, "copy").words
    assert [e.title for e in desk.bench.sessions.entries] == ["a", "other"]
    workflow.export_recording(read_recording(tmp_path / "a.csv"), tmp_path / "again.parquet")
    _open(application, desk, tmp_path / "again.parquet", tmp_path / "a.csv")
    assert "the same drive as a" in _row(desk, "again").words
    assert _row(desk, "other").words == ""


def test_choosing_a_row_shows_that_session_and_enter_its_dips(
    application: QApplication, desk: Desk, tmp_path: Path
) -> None:
    for n in (1, 2):
        (tmp_path / f"{n}.csv").write_text(_log(n))
    _open(application, desk, tmp_path / "1.csv", tmp_path / "2.csv")
    table = desk.stations["recordings"].page.table
    table.setCurrentIndex(desk.stations["recordings"].page.model.index(1, 0))
    _wait(application, desk)
    assert desk.bench.sessions.shown is not None and desk.bench.sessions.shown.title == "2"
    assert desk.stations["recordings"].page.columns.words[0] == "Columns of 2.csv"
    QTest.keyClick(table, Qt.Key.Key_Return)
    assert desk.station == "dips"


def test_taking_a_log_off_the_list_can_be_undone(application: QApplication, desk: Desk, tmp_path: Path) -> None:
    for n in (1, 2):
        (tmp_path / f"{n}.csv").write_text(_log(n))
    _open(application, desk, tmp_path / "1.csv", tmp_path / "2.csv")
    desk.stations["recordings"].page.table.setCurrentIndex(desk.stations["recordings"].page.model.index(0, 0))
    QTest.keyClick(desk.stations["recordings"].page.table, Qt.Key.Key_Delete)
    _wait(application, desk)
    assert [e.title for e in desk.bench.sessions.entries] == ["2"]
    assert (tmp_path / "1.csv").exists()
    desk.run("edit.undo")
    _wait(application, desk)
    assert [r.entry.title for r in desk.bench.logs.rows] == ["1", "2"]


def test_a_column_is_named_and_remembered_for_logs_of_its_shape(
    application: QApplication, desk: Desk, tmp_path: Path
) -> None:
    head = "Time [s],RPM,P3,Temp B,Lat acc [g],Long acc [g]"
    for n in (1, 2):
        (tmp_path / f"{n}.csv").write_text(_log(n, head))
    _open(application, desk, tmp_path / "1.csv")
    panel = desk.stations["recordings"].page.columns
    assert "No oil pressure: nothing can be judged." in panel.words[1]
    assert "may be 'P3'" in " ".join(desk.bench.sessions.recording.notes if desk.bench.sessions.recording else ())
    panel.choose("P3", Role.OIL_PRESSURE)
    panel.choose("P3", unit="kPa")
    panel.choose("Temp B", Role.OIL_TEMP)
    assert panel.use_button.isVisible()
    assert "No oil pressure" not in panel.words[1]
    panel.use_button.click()
    _wait(application, desk)
    recording = desk.bench.sessions.recording
    assert recording is not None and recording.has(Role.OIL_PRESSURE) and recording.has(Role.OIL_TEMP)
    channel = recording.channel(Role.OIL_PRESSURE)
    assert channel is not None and channel.unit is UNITS["kPa"] and float(channel.values.max()) > 300
    # Another log with these columns needs no asking, here or on the command line.
    _open(application, desk, tmp_path / "2.csv")
    other = desk.bench.sessions.recording
    assert other is not None and other.path.name == "2.csv" and other.has(Role.OIL_PRESSURE)
    assert any("as you confirmed" in n for n in other.notes)
    assert workflow.describe(tmp_path / "2.csv", memory=Memory.own()).has("oil_pressure")
    # Undone, nothing of it is left.
    desk.bench.undo.undo()
    _wait(application, desk)
    assert Memory.own().columns.all() == {}
    assert not workflow.describe(tmp_path / "2.csv", memory=Memory.own()).has("oil_pressure")


def test_a_wrong_role_is_taken_away_and_moves_to_another_column(
    application: QApplication, desk: Desk, tmp_path: Path
) -> None:
    head = "Time [s],RPM,Oil pressure [kPa],Oil temp [°C],Lat acc [g],P gallery [kPa]"
    (tmp_path / "1.csv").write_text(_log(1, head))
    _open(application, desk, tmp_path / "1.csv")
    panel = desk.stations["recordings"].page.columns
    assert panel.role_words("Oil pressure [kPa]") == "oil pressure"
    panel.choose("P gallery [kPa]", Role.OIL_PRESSURE)
    assert panel.role_words("Oil pressure [kPa]") == "–"
    panel.remember.setChecked(False)
    panel.use_button.click()
    _wait(application, desk)
    recording = desk.bench.sessions.recording
    assert recording is not None
    channel = recording.channel(Role.OIL_PRESSURE)
    assert channel is not None and channel.name == "P gallery [kPa]"
    assert next(c for c in recording.channels if c.name == "Oil pressure [kPa]").role is None
    assert Memory.own().columns.all() == {}, "not remembered unless asked"
    panel.choose("P gallery [kPa]", unit="psi")
    panel.back_button.click()
    assert not panel.use_button.isVisible()


def test_a_doubtful_unit_stands_out_in_the_panel(application: QApplication, desk: Desk, tmp_path: Path) -> None:
    lines = [line.split(",") for line in _log(1).splitlines()]
    text = "\n".join(
        ",".join([*f[:2], f"{float(f[2]) / 100:.3f}" if f[2][0].isdigit() else "Oil pressure [psi]", *f[3:]])
        for f in lines
    )
    (tmp_path / "1.csv").write_text(text)
    _open(application, desk, tmp_path / "1.csv")
    line = desk.stations["recordings"].page.columns.model.lines[0]
    assert line.role is Role.OIL_PRESSURE and line.mark == "below"
    assert "suit bar" in line.told
    assert "Look at" in desk.stations["recordings"].page.columns.words[1]


def test_reading_can_be_stopped_and_taken_up_again(application: QApplication, desk: Desk, tmp_path: Path) -> None:
    paths = []
    for n in range(6):
        paths.append(tmp_path / f"{n}.csv")
        paths[-1].write_text(_log(n))
    desk.logs.open_logs(paths)
    desk.stations["recordings"].page.cancel_button.click()
    assert not desk.bench.logs.busy
    stopped = [r for r in desk.bench.logs.rows if r.stage == "cancelled"]
    assert stopped
    desk.stations["recordings"].page.opened.emit(stopped[-1])
    _wait(application, desk)
    assert stopped[-1].stage == "known"


def _typed(dialog: GaugeDialog, rows: list[tuple[str, str, str]]) -> None:
    for i, cells in enumerate(rows):
        for j, cell in enumerate(cells):
            dialog.sheet.setItem(i, j, QTableWidgetItem(cell))


def test_gauge_readings_become_a_recording_judged_one_by_one(
    application: QApplication, desk: Desk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def fill(dialog: GaugeDialog) -> int:
        dialog.pressure.setCurrentText("psi")
        _typed(dialog, [("2500", "34", "104"), ("4500", "29", "109"), ("6000", "55,5", "")])
        dialog._take()
        return dialog.result()

    monkeypatch.setattr(GaugeDialog, "exec", fill)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "gauge.csv"), ""))
    desk.run("log.gauge")
    _wait(application, desk)
    a = desk.bench.sessions.analysis
    assert a is not None and a.recording.manual and a.dips == ()
    panel = desk.stations["recordings"].page.gauge
    assert panel.isVisible() and panel.table.rowCount() == 3
    # 29 psi at 4500 rpm: floor 48.3 × 4.5 = 217 kPa, 200 kPa read.
    item = panel.table.item(1, 5)
    assert item is not None and item.text() == "−17"
    assert "1 of 3 readings below the floor" in panel._title.text()
    text = (tmp_path / "gauge.csv").read_text()
    assert "Oil pressure [psi]" in text and "55.5" in text


def test_a_slip_of_the_pen_is_said_and_nothing_is_lost(application: QApplication, desk: Desk) -> None:
    dialog = GaugeDialog(desk.window, desk.bench.look, DisplayUnits())
    for rows, words in (
        ([("2500", "x", "")], "Line 1: the oil pressure 'x' is no number"),
        ([("2500", "", "90")], "needs engine speed and oil pressure"),
        ([("2500", "300", "")], "at least two readings"),
        ([("2500", "300", ""), ("25000", "300", "")], "Reading 2: 25000 rpm"),
    ):
        dialog.sheet.clearContents()
        _typed(dialog, rows)
        dialog._take()
        assert words in dialog.problem
        item = dialog.sheet.item(0, 0)
        assert item is not None and item.text() == "2500"
    QApplication.clipboard().setText("1000\t80\t90\n2000\t150\t95")
    dialog.sheet.clearContents()
    dialog.sheet.setCurrentCell(0, 0)
    QTest.keySequence(dialog.sheet, QKeySequence(QKeySequence.StandardKey.Paste))
    assert [t.pressure for t in dialog.triples()] == [80.0, 150.0]
    dialog.close()


@pytest.mark.parametrize("part", [False, True])
def test_a_log_is_written_from_the_window(
    application: QApplication, desk: Desk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, part: bool
) -> None:
    (tmp_path / "1.csv").write_text(_log(1))
    _open(application, desk, tmp_path / "1.csv")
    desk.bench.cursor.show(10.0, 20.0)

    def choose(dialog: WriteDialog) -> int:
        dialog.kind[2].setChecked(True)
        dialog.part[1 if part else 0].setChecked(True)
        return 1

    monkeypatch.setattr(WriteDialog, "exec", choose)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "out.parquet"), ""))
    desk.run("log.write")
    _wait(application, desk)
    assert read_recording(tmp_path / "out.parquet").duration_s == pytest.approx(10.0 if part else 119.9, abs=0.11)


@pytest.mark.parametrize("suffix", [".xlsx", ".json", ".csv"])
def test_the_analysis_is_exported_from_the_window(
    application: QApplication, desk: Desk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, suffix: str
) -> None:
    (tmp_path / "1.csv").write_text(_log(1))
    _open(application, desk, tmp_path / "1.csv")
    out = tmp_path / f"out{suffix}"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(out), ""))
    desk.run("analysis.export")
    _wait(application, desk)
    assert out.stat().st_size > 50


def test_the_log_list_copies_with_its_headings(application: QApplication, desk: Desk, tmp_path: Path) -> None:
    (tmp_path / "1.csv").write_text(_log(1))
    _open(application, desk, tmp_path / "1.csv")
    desk.run("edit.copy")
    lines = QApplication.clipboard().text().splitlines()
    assert lines[0].startswith("Session\tDate") and lines[1].startswith("1\t")


def test_an_empty_list_says_what_to_do(application: QApplication, desk: Desk) -> None:
    assert desk.stations["recordings"].page.words[0] == "No log yet"
    application.processEvents()
    assert desk.stations["recordings"].page._empty.isVisibleTo(desk.stations["recordings"].page)
    desk.stations["recordings"].page._empty.demo.click()
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.logs.busy)
    assert desk.stations["recordings"].page.words[0] == "10 logs"
    assert {x.finding for x in desk.stations["recordings"].page.model.lines if x.title == "Full mark, stint 1"} == {
        "nothing"
    }


def test_one_key_confirms_the_column_that_looks_like_the_missing_one_in_every_log_with_these_columns(
    application: QApplication, desk: Desk, tmp_path: Path
) -> None:
    demo = (workflow.demo_folder() / "baseline-1.csv").read_text(encoding="utf-8")
    changed = demo.replace("Lateral acc [g]", "CH5 [g]", 1)
    first, second = tmp_path / "first.csv", tmp_path / "second.csv"
    first.write_text(changed, encoding="utf-8")
    second.write_text("\n".join(changed.splitlines()[:-40]), encoding="utf-8")
    _open(application, desk, first, second)
    desk.go_to("dips")
    shown = desk.bench.sessions.shown
    assert desk.stations["dips"].page._title.text() == "Lateral g not recognised: CH5 [g] looks like it. Confirm."
    assert (
        desk.stations["dips"].page.confirm_button.isVisible()
        and desk.stations["dips"].page.confirm_button.text() == "Confirm CH5 [g] as lateral g"
    )
    QTest.keyClick(desk.window, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    _wait(application, desk)
    assert desk.bench.sessions.shown == shown and desk.stations["dips"].page._title.text().startswith(
        "Turns to one side (sign not proven)"
    )
    assert not desk.stations["dips"].page.confirm_button.isVisible()
    # The other log was only listed so far, and has its lateral g at once.
    card = _row(desk, "second").card
    assert card is not None and card.summary.has("lateral_g")
    desk.run("edit.undo")
    _wait(application, desk)
    card = _row(desk, "second").card
    assert card is not None and not card.summary.has("lateral_g")
    assert "not recognised" in desk.stations["dips"].page._title.text()


def test_a_stated_unit_stays_when_the_role_changes(application: QApplication, desk: Desk, tmp_path: Path) -> None:
    log = tmp_path / "a.csv"
    log.write_text(_log(1, "Time [s],RPM,Oil pressure [kPa],P7 [bar],Lat acc [g],Long acc [g]"))
    _open(application, desk, log)
    panel = desk.stations["recordings"].page.columns
    panel.choose("P7 [bar]", role=Role.OIL_TEMP)
    assert "says bar, which is no unit of oil temperature" in panel.words[1] and not panel.use_button.isEnabled()
    panel.choose("P7 [bar]", unit="°F")
    assert panel.use_button.isEnabled()
    panel.choose("P7 [bar]", role=Role.COOLANT_TEMP)
    line = next(x for x in panel.model.lines if x.name == "P7 [bar]")
    assert line.unit is UNITS["°F"]
