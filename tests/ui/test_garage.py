"""The Garage station, driven as a person would: edit in place, undo, search, compare, oil, level book, jobs,
bundles."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import fields, replace
from datetime import date
from pathlib import Path
from typing import Any

import pytest
from PySide6.QtCore import QSettings, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QDialogButtonBox, QFileDialog, QLabel, QLineEdit

from basso.car.build_line import state_of_oil
from basso.car.jobs import sheet_of, sheets
from basso.garage.fields import changed, fields_of, show
from basso.garage.place import default_folder
from basso.garage.records import KINDS, Build, Job
from basso.garage.store import Garage
from basso.ui.app import _open_first, make_window
from basso.ui.dialogs import ChoiceDialog
from basso.ui.judging.floors_dialog import FloorsDialog
from basso.ui.models.garage_facts import facts_of
from basso.ui.models.settings import Settings
from basso.ui.stations.form import RecordDialog
from basso.ui.stations.garage.hold_dialog import HoldDialog
from basso.ui.stations.garage.jobs import StepRow
from basso.ui.stations.garage.stopwatch_dialog import StopwatchDialog
from basso.ui.stations.garage.symptoms_dialog import SymptomsDialog
from basso.ui.theme.look import Look
from basso.ui.window.desk import Desk
from basso.ui.window.main_window import MainWindow
from basso.ui.window.screenshots import wait_until
from basso.units import UNITS, DisplayUnits
from basso.workflow import demo_folder
from garage_support import a_car
from support import destroy


@pytest.fixture
def desk(garage_desk: Desk) -> Desk:
    return garage_desk


def record(desk: Desk, name: str) -> Any:
    view = desk.bench.garage.view
    assert view is not None
    return next(r for r in (*view.builds, *view.sessions) if name in (getattr(r, "name", ""), getattr(r, "title", "")))


def write(desk: Desk, field: str, text: str) -> None:
    """Write into a field of the card, as a person does, and leave it."""
    editor = desk.stations["garage"].page.form.editor(field)
    if isinstance(editor, QComboBox):
        editor.setCurrentText(text)
        editor.activated.emit(editor.currentIndex())
        return
    editor.setFocus()
    editor.selectAll()
    QTest.keyClicks(editor, text)
    QTest.keyClick(editor, Qt.Key.Key_Return)


def fill(monkeypatch: pytest.MonkeyPatch, **values: str) -> list[str]:
    """Answer the next dialogs by filling fields in and saving; returns what each title was."""
    titles: list[str] = []

    def answer(self: RecordDialog) -> bool:
        titles.append(self.windowTitle())
        for name, text in values.items():
            editor = self.form.editor(name)
            if isinstance(editor, QLineEdit):
                editor.setText(text)
            else:
                editor.setCurrentText(text)
        return not self.form.take_all()

    monkeypatch.setattr(RecordDialog, "exec", answer)
    return titles


def test_it_opens_on_what_is_on_the_car_now(desk: Desk) -> None:
    assert desk.stations["garage"].page.title == "Car 31: Build 4, accumulator since 2026-06-18"
    assert (
        "5 builds, 13 sessions." in desk.stations["garage"].page.detail
        and "due in 2 sessions" in desk.stations["garage"].page.detail
    )
    rows = desk.stations["garage"].page.line.rows
    assert next(r.title for r in rows if r.kind == "build") == "Build 4, accumulator"
    hot = next(r for r in rows if r.title == "Hot day")
    assert hot.mark == "back on this build" and "oil 136 °C" in hot.words


def test_a_field_is_edited_where_it_stands_and_undone(application: QApplication, desk: Desk) -> None:
    build = record(desk, "Build 3, gated baffle")
    desk.stations["garage"].page.select(build.id)
    write(desk, "baffle", "box of six gates")
    assert record(desk, build.name).baffle == "box of six gates"
    assert "baffle of Build 3" in desk.commands.actions["edit.undo"].text()
    desk.run("edit.undo")
    assert record(desk, build.name).baffle == build.baffle
    editor = desk.stations["garage"].page.form.editor("baffle")
    assert isinstance(editor, QLineEdit) and editor.text() == build.baffle
    desk.run("edit.redo")
    with Garage(desk.bench.garage.garage.folder) as other:  # type: ignore[union-attr]
        assert next(b for b in other.all(Build) if b.id == build.id).baffle == "box of six gates"


def test_the_card_shows_a_build_or_a_session_and_never_both(application: QApplication, desk: Desk) -> None:
    for name, first in (("Build 1", "since"), ("Hot day", "began"), ("Build 1", "since")):
        desk.stations["garage"].page.select(record(desk, name).id)
        application.processEvents()
        seen = [
            e
            for e in desk.stations["garage"].page.form.findChildren(QLineEdit)
            if e.isVisible() and e.parent() is desk.stations["garage"].page.form
        ]
        assert desk.stations["garage"].page.form.editor(first) in seen
        assert len(seen) == sum(
            isinstance(desk.stations["garage"].page.form.editor(f.name), QLineEdit)
            for f in fields_of(type(record(desk, name)))
        )


def test_a_wrong_number_is_said_at_the_field_and_changes_nothing(desk: Desk) -> None:
    build = record(desk, "Build 1")
    desk.stations["garage"].page.select(build.id)
    write(desk, "level_l", "three and a half")
    assert "Oil in the pan: 'three and a half' is no number" in desk.stations["garage"].page.form._wrong.text()
    write(desk, "since", "last spring")
    assert "write it like 2026-05-12" in desk.stations["garage"].page.form._wrong.text()
    assert record(desk, "Build 1") == build


def test_units_follow_the_window_and_stored_data_does_not(desk: Desk) -> None:
    build = record(desk, "Build 1")
    desk.stations["garage"].page.select(build.id)
    desk.bench.units.choose(replace(desk.bench.units.now, volume=UNITS["US qt"]))
    editor = desk.stations["garage"].page.form.editor("level_l")
    assert isinstance(editor, QLineEdit) and float(editor.text()) == pytest.approx(3.6 / 0.946353, abs=1e-3)
    editor.setFocus()
    QTest.keyClick(editor, Qt.Key.Key_Return)  # leaving a field as it is edits nothing, however it was rounded
    assert record(desk, "Build 1") == build
    write(desk, "level_l", "4")
    assert record(desk, "Build 1").level_l == pytest.approx(4 * 0.946352946)


def test_search_as_you_type(desk: Desk) -> None:
    QTest.keyClicks(desk.stations["garage"].page.search, "quarry")
    assert [r.title for r in desk.stations["garage"].page.line.rows] == ["Build 2, full mark", "Four timed runs"]
    desk.stations["garage"].page.search.setText("nothing at all like this")
    assert desk.stations["garage"].page.line.rows == []
    desk.stations["garage"].page.search.clear()
    assert len(desk.stations["garage"].page.line.rows) == 5 + 13 + 2  # builds, sessions, cards of the engine


def test_two_builds_are_compared_by_what_differs_only(desk: Desk) -> None:
    a, b = record(desk, "Build 2, full mark"), record(desk, "Build 2, +0.4 L")
    desk.stations["garage"].page.select(b.id)
    desk.stations["garage"].page.compare(a, b)
    assert desk.stations["garage"].page.compared_words.splitlines()[1:] == ["oil in the pan: 3.6 L → 4 L"]


def test_a_new_build_starts_as_the_selected_one(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    desk.stations["garage"].page.select(record(desk, "Build 4, accumulator").id)
    titles = fill(monkeypatch, name="Build 5", since="2026-07-20", reason="Rules", accumulator="")
    desk.stations["garage"].page.buttons["new build"].click()
    assert titles == ["New build"]
    made = record(desk, "Build 5")
    assert (made.accumulator, made.pan, made.since) == ("", "standard", "2026-07-20")
    assert desk.stations["garage"].page.title.startswith("Car 31: Build 5")


def test_removing_a_build_takes_its_sessions_and_undo_brings_all_back(desk: Desk) -> None:
    view = desk.bench.garage.view
    assert view is not None
    desk.stations["garage"].page.select(record(desk, "Build 1").id)
    desk.stations["garage"].page.buttons["remove"].click()
    after = desk.bench.garage.view
    assert after is not None and (len(after.builds), len(after.sessions)) == (4, 10)
    desk.run("edit.undo")
    again = desk.bench.garage.view
    assert again is not None and {s.id for s in again.sessions} == {s.id for s in view.sessions}


def test_what_another_window_changes_is_shown_and_not_overwritten(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    told: list[str] = []
    monkeypatch.setattr(desk, "tell", told.append)
    desk.bench.garage.problem.connect(told.append)
    garage = desk.bench.garage.garage
    assert garage is not None
    build = record(desk, "Build 1")
    desk.stations["garage"].page.select(build.id)
    with Garage(garage.folder) as other:
        other.change("there", build, replace(build, pan="deep"))
    write(desk, "pan", "shallow")
    assert any("changed in another window" in t for t in told)
    assert record(desk, "Build 1").pan == "deep"
    with Garage(garage.folder) as other:
        deep = next(b for b in other.all(Build) if b.name == "Build 1")
        other.change("there", deep, replace(deep, pan="deeper"))
    desk.bench.garage.look_again()
    assert record(desk, "Build 1").pan == "deeper"


def test_a_log_becomes_a_session_with_its_facts_and_samples(
    application: QApplication, desk: Desk, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    log = tmp_path / "friday.csv"
    log.write_bytes((demo_folder() / "baseline-1.csv").read_bytes() + b"\n")
    desk.logs.open_logs([log])
    wait_until(application, lambda: desk.bench.sessions.analysis is not None)
    dips = len(desk.bench.sessions.analysis.dips)  # type: ignore[union-attr]
    assert dips == 27  # as many as the stand-in knows of
    desk.stations["garage"].page.select(record(desk, "Build 4, accumulator").id)
    fill(monkeypatch, driver="C")
    desk.stations["garage"].page.buttons["new session"].click()
    made = record(desk, "friday")
    assert (made.laps, made.driver) == (7, "C") and made.running_s == pytest.approx(942.5, abs=1.0)
    garage = desk.bench.garage.garage
    assert garage is not None
    wait_until(application, lambda: garage.files.samples_file(made.log_hash).is_file() and not desk.bench.jobs.busy)
    desk.bench.sessions.forget(next(e for e in desk.bench.sessions.entries if e.title == "friday"))
    log.unlink()
    desk.go_to("garage")
    desk.stations["garage"].page.session_opened.emit(made)  # Enter on it: what is kept is shown though the log is gone
    wait_until(application, lambda: desk.bench.sessions.analysis is not None)
    assert desk.station == "dips" and len(desk.bench.sessions.analysis.dips) == dips  # type: ignore[union-attr]


def test_a_session_without_a_log_says_so(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    told: list[str] = []
    monkeypatch.setattr(desk, "tell", told.append)
    desk.stations["garage"].page.select(record(desk, "Practice, logger off").id)
    QTest.keyClick(desk.stations["garage"].page.line, Qt.Key.Key_Return)
    assert told == ["No log of Practice, logger off is kept here: it was written down by hand."]


def test_oil_poured_counts_at_once(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    desk.stations["garage"].page.show_page(1)
    fill(monkeypatch, day="2026-07-06", kind="change", grade="15W-50", volume_l="3,9", filter_new="yes")
    desk.stations["garage"].page.oil.entry_button.click()
    view = desk.bench.garage.view
    assert view is not None and state_of_oil(view) is not None
    assert (state_of_oil(view).grade, state_of_oil(view).since, state_of_oil(view).sessions) == (
        "15W-50",
        "2026-07-06",
        0,
    )
    assert desk.stations["garage"].page.oil.ledger.item(0, 3).text() == "3.90 L"
    desk.run("edit.undo")
    view = desk.bench.garage.view
    assert view is not None and state_of_oil(view) is not None and state_of_oil(view).grade == "10W-40"


def test_what_was_written_down_can_be_corrected_and_removed(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    desk.stations["garage"].page.show_page(1)
    titles = fill(monkeypatch, volume_l="0.5")
    ledger = desk.stations["garage"].page.oil.ledger
    ledger.itemActivated.emit(ledger.item(0, 0))
    assert titles == ["Correct the oil entry"] and ledger.item(0, 3).text() == "0.50 L"
    monkeypatch.setattr(RecordDialog, "exec", lambda self: RecordDialog.REMOVED)
    ledger.itemActivated.emit(ledger.item(0, 0))
    view = desk.bench.garage.view
    assert view is not None and len(view.oil) == 6
    for button in (desk.stations["garage"].page.oil.samples_button, desk.stations["garage"].page.level.readings_button):
        menu = button.menu()
        assert menu is not None
        menu.actions()[0].trigger()
    view = desk.bench.garage.view
    assert view is not None and (len(view.samples), len(view.levels)) == (1, 7)
    for _ in range(4):
        desk.run("edit.undo")
    view = desk.bench.garage.view
    assert view is not None and (len(view.oil), len(view.samples), len(view.levels)) == (7, 2, 8)
    assert desk.stations["garage"].page.oil.ledger.item(0, 3).text() == "0.60 L"


def test_a_sample_that_moved_is_said(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    fill(monkeypatch, day="2026-07-05", values="Fe 150; Cu 20; fuel 2,6")
    desk.stations["garage"].page.oil.sample_wanted.emit()
    words = desk.stations["garage"].page.oil._found.text()
    assert "Iron (cylinders, crank, timing gear)" in words and "up from" in words and "2.6 % fuel" in words


def test_the_level_book_answers_and_warns(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    desk.stations["garage"].page.show_page(2)
    level = desk.stations["garage"].page.level
    QTest.keyClicks(level.asked, "50")
    assert level.answer == (
        "3.37 L in the pan (± 0.10 L); read with the accumulator charged, 4.67 L once it has emptied "
        "into the pan; read with it empty, "
        "2.07 L once it is charged"
    )
    level.asked.setText("200")
    assert "outside what was calibrated" in level.answer
    fill(monkeypatch, mark="full", depth_mm="30", pan_l="")
    level.add_button.click()
    assert "stick, tube and pan may not belong together" in level._warning.text()


def test_a_job_is_worked_through_and_signed_off(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    desk.stations["garage"].page.show_page(3)
    desk.stations["garage"].page.jobs.begun.emit("pickup-height")
    jobs = desk.stations["garage"].page.jobs
    assert jobs.job is not None and jobs.job.sheet == "pickup-height" and not jobs.sign_button.isEnabled()
    assert jobs.wrong == "6 steps are not done."
    for row, value in zip(jobs.steps, ("", "118", "118", "2.5", "1.5", "1.5"), strict=True):
        if value:
            row.value.setText(value)
            row.value.editingFinished.emit()
        row.done.click()
    assert "Step 6: gap 1.5 mm is outside 3 to 10 mm; say why it may stay so." in jobs.wrong
    assert not jobs.sign_button.isEnabled()
    jobs.steps[5].reason.setText("Shim ordered; car stays on stands")
    jobs.steps[5].reason.editingFinished.emit()
    assert jobs.sign_button.isEnabled() and jobs.wrong == ""
    jobs.sign_button.click()
    assert jobs.wrong == "Who signs it off? Write a name."
    jobs.signed.setText("B.")
    jobs.minutes.setText("40")
    jobs.sign_button.click()
    view = desk.bench.garage.view
    assert view is not None
    done = next(j for j in view.jobs if j.sheet == "pickup-height" and j.signed == "B." and j.minutes == 40)
    assert done.closed and done.entries["clay"]["reason"].startswith("Shim")


def test_a_signed_oil_change_goes_into_the_ledger_and_comes_out_with_undo(desk: Desk) -> None:
    desk.stations["garage"].page.jobs.begun.emit("oil-change")
    jobs = desk.stations["garage"].page.jobs
    values = {"accumulator": "0", "drain": "3.5", "fill": "3.6", "prime": "9", "start": "450", "topup": "0.3"}
    assert any("Computed: 5.2 L" in w.text() for row in jobs.steps for w in row.findChildren(QLabel))
    for row in jobs.steps:
        row.value.setText(values.get(row.step.key, ""))
        row.words.setText(
            {"oil": "10W-40, can of May"}.get(row.step.key, "clean") if row.step.words or row.step.choices else ""
        )
        row.done.click()
    assert jobs.wrong == ""
    jobs.signed.setText("B.")
    jobs.sign_button.click()
    today = date.today().isoformat()
    view = desk.bench.garage.view
    assert view is not None and state_of_oil(view) is not None
    made = {e.kind: e for e in view.oil if e.day == today}
    assert (made["drain"].volume_l, made["change"].volume_l, made["change"].grade) == (3.5, 3.9, "10W-40")
    assert state_of_oil(view).since == today
    desk.run("edit.undo")
    view = desk.bench.garage.view
    assert view is not None and not [e for e in view.oil if e.day == today]
    assert jobs.job is not None and not jobs.job.closed


def test_one_sheet_is_seen_at_a_time(application: QApplication, desk: Desk) -> None:
    desk.stations["garage"].page.show_page(3)
    view = desk.bench.garage.view
    assert view is not None
    for job in view.jobs:
        desk.stations["garage"].page.jobs.choose(job.id)
        application.processEvents()
        seen = [r for r in desk.stations["garage"].page.jobs.findChildren(StepRow) if r.isVisible()]
        sheet = sheet_of(job)
        assert sheet is not None and [r.step for r in seen] == list(sheet.steps)


def test_a_sheet_prints_with_its_cautions(desk: Desk, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    target = tmp_path / "sheet.pdf"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(target), ""))
    desk.stations["garage"].page.show_page(3)
    desk.stations["garage"].page.jobs.print_button.click()
    assert target.read_bytes()[:4] == b"%PDF"
    from basso.ui.stations.garage.sheet_picture import printed

    view = desk.bench.garage.view
    assert view is not None
    for sheet in sheets().values():
        text = printed(replace(view.jobs[0], sheet=sheet.key, entries={}), sheet, view.car, DisplayUnits())
        assert all(s.caution.replace("'", "&#x27;") in text for s in sheet.steps)


def test_a_car_goes_out_and_another_garage_takes_it_in(
    application: QApplication, desk: Desk, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    bundle = tmp_path / "car.basso.zip"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(bundle), ""))
    desk.stations["garage"].page.verb_wanted.emit("export", None, "")
    wait_until(application, lambda: bundle.is_file() and not desk.bench.jobs.busy)
    before = desk.bench.garage.view
    desk.stations["garage"].page.verb_wanted.emit("remove car", None, "")
    assert desk.bench.garage.view is None and desk.stations["garage"].page.title == "No car yet"
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(bundle), ""))
    desk.stations["garage"].page.verb_wanted.emit("import", None, "")
    wait_until(application, lambda: desk.bench.garage.view is not None)
    shown = desk.bench.garage.view
    assert shown is not None and replace(shown, arrivals=()) == before
    # A car from elsewhere acts on no log before it is accepted, and says so.
    assert "came from elsewhere (car.basso.zip" in desk.stations["garage"].page.detail and desk.stations[
        "garage"
    ].page.accept_button.isVisibleTo(desk.stations["garage"].page)
    assert facts_of(shown, desk.bench.garage.garage, [], desk.bench.memory).oils == {}
    desk.stations["garage"].page.accept_button.click()
    assert desk.bench.garage.view == before and "came from" not in desk.stations["garage"].page.detail
    assert facts_of(before, desk.bench.garage.garage, [], desk.bench.memory).oils and not desk.stations[
        "garage"
    ].page.accept_button.isVisibleTo(desk.stations["garage"].page)
    desk.bench.undo.undo()
    assert desk.bench.garage.view == shown
    desk.run("edit.undo")
    assert desk.bench.garage.view is None
    desk.run("edit.redo")
    assert desk.bench.garage.view == shown


def test_a_new_car_from_nothing(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    fill(monkeypatch, name="Car 32")
    desk.stations["garage"].page.verb_wanted.emit("new car", None, "")
    assert desk.stations["garage"].page.title.startswith("Car 32: Build 1 since")
    assert [c.name for c in desk.bench.garage.cars] == ["Car 31", "Car 32"]


def test_a_damaged_garage_is_said_and_left_alone(
    application: QApplication, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = tmp_path / "data" / "basso" / "garage"
    folder.mkdir(parents=True)
    (folder / "garage.sqlite").write_bytes(b"no database at all" * 100)
    window = MainWindow(Look(application), Settings(QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat)))
    window.show()
    monkeypatch.setattr(window.desk, "tell", lambda sentence: None)
    window.desk.go_to("garage")
    wait_until(application, lambda: bool(window.desk.bench.garage.trouble))
    assert "is damaged and was left as it is" in window.desk.stations["garage"].page.detail
    assert (folder / "garage.sqlite").read_bytes() == b"no database at all" * 100
    destroy(window)


def test_the_users_own_garage_opens_by_itself_and_tells_the_path(application: QApplication, tmp_path: Path) -> None:
    with Garage(default_folder()) as own:
        own.add("adding", *a_car())
    window = make_window(application)
    window.show()
    _open_first(window, [], False)
    wait_until(application, lambda: window.desk.bench.garage.view is not None)
    assert window.desk.window.rail.state_words("garage") == "1 job open"
    destroy(window)


def test_copy_gives_the_build_line(desk: Desk) -> None:
    desk.run("edit.copy")
    lines = QApplication.clipboard().text().splitlines()
    assert len(lines) == 1 + 5 + 13 + 2 and lines[0].split("\t")[0] == "Day"


def test_every_field_that_is_kept_can_be_reached_and_written_back() -> None:
    hidden = {
        "id",
        "car",
        "build",
        "engine",
        "sensor",
        "log_name",
        "log_hash",
        "session",
        "about",
        "part",
        "file_name",
        "file_hash",
        # What a normal was learned as, a circuit's map, a pan's and an accumulator's file are not typed.
        "shape",
        "card",
        "survey",
        "sessions",
        "curve",
        "idle",
        "decisions",
    }
    for kind in set(KINDS) - {Job}:
        assert {f.name for f in fields(kind)} - hidden == {f.name for f in fields_of(kind)} - hidden, kind
    units = DisplayUnits(pressure=UNITS["psi"], temperature=UNITS["°F"], volume=UNITS["US qt"], length=UNITS["in"])
    for made in a_car():
        if made.table == "jobs":
            continue
        for field in fields_of(type(made)):
            text = show(field, getattr(made, field.name), units)
            assert changed(made, field, text, units) is made
            assert isinstance(text, str)


def test_the_trial_lists_what_the_cards_do_not_have_in_common(application: QApplication, desk: Desk) -> None:
    desk.logs.open_demo()
    wait_until(
        application,
        lambda: desk.bench.trial.comparison is not None and desk.bench.garage.is_open and not desk.bench.jobs.busy,
    )
    assert (
        "oil in the pan 3.6 L → 4 L" in desk.stations["trial"].page.cards
        and "driver A or B → A" in desk.stations["trial"].page.cards
    )
    assert "pan standard" not in desk.stations["trial"].page.cards
    session = record(desk, "Full mark +0.4 L")
    desk.bench.garage.change("armed", session, replace(session, accumulator="armed"))
    assert "armed on one side only: unless that is the test" in desk.stations["trial"].page.cards


def _cranking(path: Path) -> Path:
    rows = ["Time [s],RPM,Oil pressure [kPa]"]
    for i in range(1600):
        t = i * 0.05
        cranking = 5 <= t < 12 or 35 <= t < 41
        rpm = 220 if cranking else 900 if t >= 60 else 0
        kpa = 140 if cranking and t >= 37 else 400 if t >= 60.3 else 0
        rows.append(f"{t:.2f},{rpm},{kpa}")
    path.write_text("\n".join(rows) + "\n")
    return path


def test_a_priming_is_read_off_the_log_once_it_was_said_that_it_is_that_log(
    application: QApplication, desk: Desk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    desk.stations["garage"].page.jobs.begun.emit("oil-change")
    step = next(s for s in desk.stations["garage"].page.jobs.steps if s.step.key == "prime")
    desk.logs.open_logs([_cranking(tmp_path / "crank.csv")])
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    asked: list[str] = []

    def answer(said: int | None) -> Callable[[ChoiceDialog], int]:
        def shown(dialog: ChoiceDialog) -> int:
            asked.append(dialog.words)
            dialog.chosen = said
            return said is not None

        return shown

    monkeypatch.setattr(ChoiceDialog, "exec", answer(None))
    step.work_button.click()
    job = desk.stations["garage"].page.jobs.job
    assert job is not None and "prime" not in job.entries, "nothing is written before it was said which log it is"
    assert (
        "crank.csv" in asked[0] and "9.0 s of cranking until pressure" in asked[0] and "400 kPa 3 s after" in asked[0]
    )
    monkeypatch.setattr(ChoiceDialog, "exec", answer(0))
    step.work_button.click()
    job = desk.stations["garage"].page.jobs.job
    assert job is not None
    kept = job.entries["prime"]
    assert kept["value"] == pytest.approx(9.0, abs=0.2) and kept["done"]
    assert job.entries["start"]["value"] == pytest.approx(400.0, abs=1.0)
    assert "Off the log crank.csv" in kept["words"]
    monkeypatch.setattr(ChoiceDialog, "exec", answer(None))
    step.work_button.click()
    assert "What was entered before is replaced" in asked[-1]
    assert "2 bursts, 13.0 s in all" in kept["words"] and "too few earlier" in kept["words"]
    assert step.value.text() == f"{kept['value']:g}"


def test_without_a_log_a_priming_is_timed_by_hand(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    now = [100.0]

    def timed(self: StopwatchDialog) -> bool:
        self._clock = lambda: now[0]
        for key, seconds in (("space", 6.0), ("space", 25.0), ("space", 3.0), ("p", 2.0), ("space", 20.0), ("e", 1.0)):
            QTest.keyClick(self, {"space": Qt.Key.Key_Space, "p": Qt.Key.Key_P, "e": Qt.Key.Key_E}[key])
            now[0] += seconds
            if key == "p":
                assert "9.0 s of cranking to pressure" in self.words  # while the starter still turns
        return self._buttons.button(QDialogButtonBox.StandardButton.Save).isEnabled()

    monkeypatch.setattr(StopwatchDialog, "exec", timed)
    desk.stations["garage"].page.jobs.begun.emit("oil-change")
    next(s for s in desk.stations["garage"].page.jobs.steps if s.step.key == "prime").work_button.click()
    job = desk.stations["garage"].page.jobs.job
    assert job is not None
    assert job.entries["prime"]["value"] == pytest.approx(9.0)  # 6 s of the first burst, 3 of the second
    assert "2 bursts, 11.0 s in all" in job.entries["prime"]["words"]


def test_a_damaged_garage_is_restored_in_the_window(
    application: QApplication, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    with Garage(default_folder()) as own:
        own.add("adding", *a_car())
        own.back_up()
    file = default_folder() / "garage.sqlite"
    file.write_bytes(file.read_bytes()[:6000])
    window = make_window(application)
    window.show()
    desk, told = window.desk, []
    monkeypatch.setattr(desk, "tell", told.append)
    desk.go_to("garage")
    wait_until(application, lambda: bool(desk.bench.garage.trouble))
    assert desk.stations["garage"].page.restore_button.isVisible()
    desk.stations["garage"].page.restore_button.click()
    wait_until(application, lambda: desk.bench.garage.view is not None)
    assert any("was restored" in t for t in told)
    assert desk.stations["garage"].page.title == "Car 31: Build 1 since 2026-04-01"
    destroy(window)


def test_a_file_is_attached_listed_and_kept(desk: Desk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    photo = tmp_path / "pickup.png"
    photo.write_bytes(b"\x89PNG made up")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(photo), ""))
    opened: list[str] = []
    monkeypatch.setattr("PySide6.QtGui.QDesktopServices.openUrl", lambda url: opened.append(url.toLocalFile()))
    build = record(desk, "Build 1")
    desk.stations["garage"].page.select(build.id)
    desk.stations["garage"].page.buttons["attach"].click()
    photo.unlink()
    view = desk.bench.garage.view
    assert view is not None
    kept = next(a for a in view.attachments if a.about == build.id)
    assert "pickup.png" in desk.stations["garage"].page._notes.text()
    desk.stations["garage"].page._notes.linkActivated.emit(kept.id)
    assert Path(opened[0]).read_bytes() == b"\x89PNG made up"


def test_symptoms_are_ranked_as_they_are_answered_and_kept(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    shown: list[SymptomsDialog] = []

    def answer(self: SymptomsDialog) -> bool:
        shown.append(self)
        for key, words in (("when", "in left turns"), ("level", "at the full mark"), ("lamp", "stays on for seconds")):
            self.answers[key].setCurrentText(words)
        return True

    monkeypatch.setattr(SymptomsDialog, "exec", answer)
    build = record(desk, "Build 2, full mark")
    desk.stations["garage"].page.select(build.id)
    desk.run("garage.symptoms")
    assert shown[0].stop.text().startswith("Stop:")
    ranked = shown[0].ranked.text()
    assert ranked.index("Too little oil") < ranked.index("Pickup too high") < ranked.index("Hot, thin oil")
    assert "Engine off" in ranked and "Log g" not in ranked
    view = desk.bench.garage.view
    assert view is not None
    note = next(a.text for a in view.attachments if a.about == build.id)
    assert note.startswith(
        "Symptoms: in left turns; stays on for seconds; at the full mark. Look first at: Too little oil"
    )


def test_the_hold_test_allows_for_cooling(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    def answer(self: HoldDialog) -> bool:
        for name, text in (("start_kpa", "400"), ("start_c", "70"), ("end_kpa", "320"), ("end_c", "25")):
            self.lines[name].setText(text)
        return self.held is not None

    monkeypatch.setattr(HoldDialog, "exec", answer)
    jobs = desk.stations["garage"].page.jobs
    view = desk.bench.garage.view
    assert view is not None
    jobs.choose(next(j.id for j in view.jobs if j.sheet == "accumulator"))
    next(s for s in jobs.steps if s.step.key == "hold").work_button.click()
    assert jobs.job is not None
    kept = jobs.job.entries["hold"]
    assert kept["value"] == pytest.approx(14.3) and "Cooling alone leaves 334 kPa; 14 kPa lost" in kept["words"]


def test_a_photo_goes_with_a_job(desk: Desk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    photo = tmp_path / "shell-3.jpg"
    photo.write_bytes(b"made up")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(photo), ""))
    desk.stations["garage"].page.jobs.begun.emit("bearing-check")
    desk.stations["garage"].page.jobs.photo_button.click()
    assert "shell-3.jpg" in desk.stations["garage"].page.jobs._photos.text()


def test_the_floors_know_the_engines_card(
    application: QApplication, desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    seen: list[FloorsDialog] = []
    monkeypatch.setattr(FloorsDialog, "exec", lambda self: seen.append(self))
    desk.run("judge.floors")
    desk.logs.open_logs([demo_folder() / "baseline-1.csv"])
    wait_until(application, lambda: desk.bench.sessions.analysis is not None)
    desk.run("judge.floors")
    without, with_card = ([x.text() for x in d.findChildren(QLabel)] for d in seen)
    assert not any("clearances are loose" in t for t in without) and any("clearances are loose" in t for t in with_card)
    assert "The maker's points on this engine's card." in with_card


def test_what_the_filter_drank_is_said(desk: Desk) -> None:
    assert "Filter, cooler and lines took 0.31 L" in desk.stations["garage"].page.level._lines.text()


def test_a_measured_viscosity_feeds_the_expected_pressure(application: QApplication, desk: Desk) -> None:
    desk.logs.open_logs([demo_folder() / "gated.csv"])
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    analysis = desk.bench.sessions.analysis
    assert analysis is not None and analysis.expected.oil.name == "10W-40 as measured on 2026-06-30"
    view = desk.bench.garage.view
    assert view is not None
    desk.bench.garage.remove("no sample", *view.samples)
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    again = desk.bench.sessions.analysis
    assert again is not None and again.expected.oil.name == "10W-40"
    desk.run("edit.undo")
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    assert desk.bench.sessions.analysis is not None and "measured" in desk.bench.sessions.analysis.expected.oil.name
