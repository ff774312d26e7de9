"""Engine cards, job sheets part by part, photos, and what was done on earlier days, driven as a person would."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QFileDialog

from basso.garage.records import Engine, Job
from basso.ui.stations.form import RecordDialog
from basso.ui.stations.garage.history_dialog import HistoryDialog
from basso.ui.stations.garage.photo_dialog import PhotoDialog
from basso.ui.stations.garage.step import PartsTable, StepRow
from basso.ui.window.desk import Desk
from basso.units import UNITS, DisplayUnits

IMPERIAL = DisplayUnits(UNITS["psi"], UNITS["°F"], UNITS["mph"], UNITS["US qt"], UNITS["in"])


@pytest.fixture
def desk(garage_desk: Desk) -> Desk:
    return garage_desk


@pytest.fixture
def answer(monkeypatch: pytest.MonkeyPatch) -> Callable[..., None]:
    """Fills in whatever record is asked for, and saves it."""

    def say(**values: str) -> None:
        def exec_(self: RecordDialog) -> bool:
            for name, text in values.items():
                editor = self.form.editor(name)
                if isinstance(editor, QComboBox):
                    editor.setCurrentText(text)
                else:
                    editor.setText(text)
            return not self.form.take_all()

        monkeypatch.setattr(RecordDialog, "exec", exec_)

    return say


def view(desk: Desk) -> Any:
    assert desk.bench.garage.view is not None
    return desk.bench.garage.view


def begin(desk: Desk, sheet: str) -> list[StepRow]:
    desk.stations["garage"].page.show_page(3)
    desk.stations["garage"].page.jobs.begun.emit(sheet)
    QApplication.processEvents()
    return desk.stations["garage"].page.jobs.steps


def parts(desk: Desk, key: str) -> PartsTable:
    table = next(r.parts for r in desk.stations["garage"].page.jobs.steps if r.step.key == key)
    assert table is not None
    return table


def write_part(table: PartsTable, row: str, column: int, text: str) -> None:
    rows = [item.text() for i in range(table.rowCount()) if (item := table.item(i, 0)) is not None]
    cell = table.item(rows.index(row), column)
    assert cell is not None
    cell.setText(text)


class TestEngineCards:
    def test_a_new_card_leaves_the_sessions_before_it_with_theirs(
        self, desk: Desk, answer: Callable[..., None]
    ) -> None:
        before = {s.title: view(desk).card_of(s) for s in view(desk).sessions}
        desk.stations["garage"].page.select(min(view(desk).engines, key=lambda e: e.since).id)
        answer(since="2026-06-19", reason="main bearings renewed", clearance="race", main_mm="0.070")
        desk.stations["garage"].page.verb_wanted.emit("new card", None, "")
        cards = {s.title: view(desk).card_of(s) for s in view(desk).sessions}
        assert (cards["Gated baffle"], cards["Dyno baseline"]) == (before["Gated baffle"], before["Dyno baseline"])
        assert cards["Accumulator"].clearance == "race" and before["Accumulator"].clearance == "loose"
        row = next(r for r in desk.stations["garage"].page.line.rows if r.kind == "engine" and r.day == "2026-06-19")
        assert row.words == "main bearings renewed"
        assert row.more == "clearances: race; main clearance: 0.07 mm"
        desk.run("edit.undo")
        assert {s.title: view(desk).card_of(s) for s in view(desk).sessions} == before

    def test_a_card_is_corrected_where_it_stands_and_compared_with_another(self, desk: Desk) -> None:
        first, second = sorted(view(desk).engines, key=lambda e: e.since)
        desk.stations["garage"].page.select(second.id)
        editor = desk.stations["garage"].page.form.editor("rod_mm")
        assert not isinstance(editor, QComboBox) and editor.text() == "0.048"
        editor.setText("0.046")
        editor.editingFinished.emit()
        assert next(e for e in view(desk).engines if e.id == second.id).rod_mm == 0.046
        desk.stations["garage"].page.compare(first, next(e for e in view(desk).engines if e.id == second.id))
        assert desk.stations["garage"].page.compared_words.splitlines()[1:] == ["rod clearance: 0.052 mm → 0.046 mm"]

    def test_another_engine_is_made_and_chosen_for_a_build(self, desk: Desk, answer: Callable[..., None]) -> None:
        answer(name="Spare", clearance="production", since="2026-01-01")
        desk.stations["garage"].page.verb_wanted.emit("new engine", None, "")
        spare = next(e for e in view(desk).engines if e.name == "Spare")
        build = next(b for b in view(desk).builds if b.name == "Build 3, gated baffle")
        desk.stations["garage"].page.select(build.id)
        box = desk.stations["garage"].page.form.editor("engine")
        assert isinstance(box, QComboBox)
        box.setCurrentText("Spare")
        box.activated.emit(box.currentIndex())
        drive = next(s for s in view(desk).sessions if s.title == "Gated baffle")
        assert view(desk).card_of(drive) == spare
        desk.stations["garage"].page.select(drive.id)
        assert "Engine: Spare, card of 2026-01-01. production clearances" in desk.stations["garage"].page._card.text()
        build3 = next(r for r in desk.stations["garage"].page.line.rows if r.title == "Build 3, gated baffle")
        assert "engine: Spare" in build3.more

    def test_the_only_card_of_an_engine_that_a_build_has_stays(
        self, desk: Desk, answer: Callable[..., None], monkeypatch: pytest.MonkeyPatch
    ) -> None:
        told: list[str] = []
        monkeypatch.setattr(desk, "tell", told.append)
        first, second = sorted(view(desk).engines, key=lambda e: e.since)
        desk.stations["garage"].page.verb_wanted.emit("remove", second, "")
        assert view(desk).engines == (first,)
        desk.stations["garage"].page.verb_wanted.emit("remove", first, "")
        assert view(desk).engines == (first,) and "this is its only card" in told[0]
        answer(since="", reason="again")
        desk.stations["garage"].page.verb_wanted.emit("new card", None, "")
        assert view(desk).engines == (first,) and "has a card of the beginning already" in told[1]

    def test_a_session_is_moved_to_another_build(self, desk: Desk) -> None:
        drive = next(s for s in view(desk).sessions if s.title == "Hot day")
        desk.stations["garage"].page.select(drive.id)
        box = desk.stations["garage"].page.form.editor("build")
        assert isinstance(box, QComboBox)
        box.setCurrentText("Build 3, gated baffle")
        box.activated.emit(box.currentIndex())
        moved = next(s for s in view(desk).sessions if s.title == "Hot day")
        assert view(desk).build_of(moved).name == "Build 3, gated baffle"


class TestSheets:
    def test_bearings_are_written_down_shell_by_shell(self, desk: Desk) -> None:
        begin(desk, "bearing-check")
        assert parts(desk, "mains").rowCount() == 10 and parts(desk, "rods").rowCount() == 8
        write_part(parts(desk, "rods"), "Rod 2 upper", 1, "copper showing")
        job = desk.stations["garage"].page.jobs.job
        assert job is not None and job.entries["rods"]["rows"] == {"Rod 2 upper": {"surface": "copper showing"}}
        rods = next(r for r in desk.stations["garage"].page.jobs.steps if r.step.key == "rods")
        assert rods.reason.isVisibleTo(rods)
        desk.run("edit.undo")
        cell = parts(desk, "rods").item(2, 1)
        assert cell is not None and cell.text() == ""
        assert not rods.reason.isVisibleTo(rods)

    def test_a_cell_is_chosen_from_what_is_usual_with_the_keyboard(self, desk: Desk) -> None:
        begin(desk, "bearing-check")
        table = parts(desk, "mains")
        table.setCurrentCell(0, 1)
        table.edit(table.model().index(0, 1))
        box = table.findChild(QComboBox)
        assert isinstance(box, QComboBox) and "copper showing" in [box.itemText(i) for i in range(box.count())]
        box.setCurrentText("scored")
        QTest.keyClick(box, Qt.Key.Key_Return)
        QApplication.processEvents()
        job = desk.stations["garage"].page.jobs.job
        assert job is not None and job.entries["mains"]["rows"]["Main 1 upper"] == {"surface": "scored"}

    def test_what_was_new_comes_off_the_build_line(self, desk: Desk) -> None:
        rows = begin(desk, "bearing-check")
        next(r for r in rows if r.step.key == "new").work_button.click()
        said = next(r for r in desk.stations["garage"].page.jobs.steps if r.step.key == "new").words.text()
        assert "accumulator: 2 L, manual valve, precharge 70 kPa" in said

    def test_past_a_hold_point_nothing_can_be_ticked_until_somebody_looked(self, desk: Desk) -> None:
        rows = begin(desk, "pan-off")
        held = next(i for i, r in enumerate(rows) if r.step.key == "closing")
        assert rows[held].done.isEnabled() and not rows[held + 1].done.isEnabled()
        assert f"Step {held + 1} is a hold point" in rows[held + 1].done.toolTip()
        rows[held].done.click()
        assert not desk.stations["garage"].page.jobs.steps[held + 1].done.isEnabled()  # ticked, but nobody's name
        desk.stations["garage"].page.jobs.steps[held].words.setText("C.")
        desk.stations["garage"].page.jobs.steps[held].words.editingFinished.emit()
        assert desk.stations["garage"].page.jobs.steps[held + 1].done.isEnabled()
        assert not desk.stations["garage"].page.jobs.steps[-1].done.isEnabled()  # the next hold point

    def test_measurements_are_entered_in_the_units_shown_and_kept_in_ours(self, desk: Desk) -> None:
        desk.bench.units.choose(IMPERIAL)
        rows = begin(desk, "accumulator")
        row = next(r for r in rows if r.step.key == "precharge")
        assert row.value.accessibleName() == "precharge, psi"
        row.value.setText("10")
        row.value.editingFinished.emit()
        job = desk.stations["garage"].page.jobs.job
        assert job is not None and job.entries["precharge"]["value"] == pytest.approx(68.9476, abs=1e-3)
        row.done.click()  # what is shown rounded is not written back rounded
        kept = desk.stations["garage"].page.jobs.job
        assert kept is not None and kept.entries["precharge"]["value"] == job.entries["precharge"]["value"]
        desk.bench.units.choose(DisplayUnits())
        again = next(r for r in desk.stations["garage"].page.jobs.steps if r.step.key == "precharge")
        assert again.value.accessibleName() == "precharge, kPa" and again.value.text() == "68.9476"

    def test_a_photo_belongs_to_its_shell_and_is_looked_at_here(
        self, desk: Desk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        for name, color in (("a.png", 0xFF8E2340), ("b.png", 0xFF14555F)):
            image = QImage(40, 30, QImage.Format.Format_RGB32)
            image.fill(color)
            image.save(str(tmp_path / name))
        begin(desk, "bearing-check")
        chosen = iter(["a.png", "b.png"])
        monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(tmp_path / next(chosen)), ""))
        table = parts(desk, "rods")
        table.setCurrentCell(2, 4)
        QTest.keyClick(table, Qt.Key.Key_Space)
        parts(desk, "rods").cellClicked.emit(3, 4)
        cell = parts(desk, "rods").item(2, 4)
        assert cell is not None and cell.text() == "1 photo"
        first, second = (a for a in view(desk).attachments if a.part.startswith("Rod"))
        assert (first.part, second.part) == ("Rod 2 upper", "Rod 2 lower")
        seen: list[str] = []

        def look(self: PhotoDialog) -> int:
            seen.append(self.title.text())
            QTest.keyClick(self, Qt.Key.Key_Right)
            seen.append(self.title.text())
            return 0

        monkeypatch.setattr(PhotoDialog, "exec", look)
        desk.stations["garage"].page.jobs.photo_opened.emit(first.id)
        assert seen == ["Rod 2 upper: a.png   (1 of 2)", "Rod 2 lower: b.png   (2 of 2)"]


class TestWhatWasDone:
    def test_an_edit_of_an_earlier_day_is_taken_back_and_that_is_undone_too(self, desk: Desk) -> None:
        model = desk.bench.garage
        garage = model.garage
        assert garage is not None
        build = next(b for b in view(desk).builds if b.name == "Build 1")
        garage.change("the pan of Build 1", build, replace(build, pan="deep"))  # before this window knew of it
        model.refresh()
        assert "pan" not in desk.commands.actions["edit.undo"].text()
        dialog = HistoryDialog(desk.window, desk.bench.look, model)
        dialog.search.setText("pan of build")
        assert dialog.table.rowCount() == 1 and dialog.turn_button.text() == "Take back"
        dialog.turn_button.click()
        assert next(b for b in view(desk).builds if b.name == "Build 1").pan == "standard"
        assert dialog.turn_button.text() == "Make again" and dialog.said.text() == ""
        assert "taking back the pan of Build 1" in desk.commands.actions["edit.undo"].text()
        desk.run("edit.undo")
        assert next(b for b in view(desk).builds if b.name == "Build 1").pan == "deep"
        desk.run("edit.redo")
        assert next(b for b in view(desk).builds if b.name == "Build 1").pan == "standard"

    def test_what_was_changed_since_is_not_taken_back_but_told(
        self, desk: Desk, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        monkeypatch.setattr(desk, "tell", lambda sentence: None)
        model = desk.bench.garage
        build = next(b for b in view(desk).builds if b.name == "Build 1")
        deep = replace(build, pan="deep")
        model.change("the pan", build, deep)
        model.change("the tray", deep, replace(deep, tray="none"))
        dialog = HistoryDialog(desk.window, desk.bench.look, model)
        dialog.table.selectRow(1)
        dialog.turn_button.click()
        assert dialog.said.text() == (
            "'the pan' cannot be taken back: what it changed has been changed since; see to the later edits first."
        )
        assert next(b for b in view(desk).builds if b.name == "Build 1").pan == "deep"


def test_a_job_of_an_engine_with_six_cylinders_has_a_row_for_each_shell(desk: Desk) -> None:
    card = view(desk).engine
    assert isinstance(card, Engine)
    desk.bench.garage.change("cylinders", card, replace(card, cylinders=6, main_bearings=7))
    begin(desk, "bearing-check")
    assert parts(desk, "mains").rowCount() == 14 and parts(desk, "rods").rowCount() == 12
    assert isinstance(desk.stations["garage"].page.jobs.job, Job)
