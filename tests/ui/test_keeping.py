"""What is kept with a car beside its sessions, driven as a person would: a build's normal, floors and lines, the
oils."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialog, QLabel

from basso.garage.records import OilSheet, Ruling
from basso.pressure.floors import DEFAULT_FLOORS, Fixed, Less, Share, Slope
from basso.ui.judging.floors_dialog import CarsFloors, FloorsDialog
from basso.ui.stations.form import RecordDialog
from basso.ui.stations.normal.keep_dialog import KeepNormalDialog
from basso.ui.stations.normal.oils_dialog import OilsDialog
from basso.ui.window.desk import Desk
from basso.ui.window.main_window import MainWindow
from basso.ui.window.screenshots import wait_until
from basso.units import UNITS, DisplayUnits
from basso.workflow import demo_folder


def settle(application: QApplication, desk: Desk) -> None:
    def still() -> bool:
        a = desk.bench.sessions.analysis
        return (
            a is not None
            and not desk.bench.jobs.busy
            and (
                desk.station != "normal"
                or (desk.stations["normal"].page.told is not None and desk.stations["normal"].page.told.analysis is a)
            )
        )

    wait_until(application, still)
    wait_until(application, still)


@pytest.fixture
def desk(application: QApplication, garage_desk: Desk) -> Desk:
    """Two sessions of one build of the demo car open, the second shown under Normal."""
    garage_desk.bench.sessions.open_logs([demo_folder() / "baseline-1.csv"])
    settle(application, garage_desk)
    garage_desk.bench.sessions.open_logs([demo_folder() / "baseline-2.csv"])
    settle(application, garage_desk)
    garage_desk.run("station.normal")
    settle(application, garage_desk)
    return garage_desk


def saying(monkeypatch: pytest.MonkeyPatch, dialog: type[QDialog], act: Callable[[QDialog], object]) -> None:
    """When the dialog opens, act on it."""

    def opened(self: QDialog) -> int:
        act(self)
        return self.result()

    monkeypatch.setattr(dialog, "exec", opened)


def keep(application: QApplication, desk: Desk, monkeypatch: pytest.MonkeyPatch, only: str = "") -> None:
    def act(dialog: QDialog) -> None:
        assert isinstance(dialog, KeepNormalDialog)
        for box in dialog.boxes.values():
            box.setChecked(only in box.text())
        QTest.keyClicks(dialog.reason_line, "first of this build")
        dialog.keep_button.click()

    saying(monkeypatch, KeepNormalDialog, act)
    desk.stations["normal"].page.verbs["judge.normal"].click()
    settle(application, desk)
    settle(application, desk)


def history(desk: Desk) -> list[str]:
    items = [
        desk.stations["normal"].page.history.item(r, 1) for r in range(desk.stations["normal"].page.history.rowCount())
    ]
    return [i.text() for i in items if i is not None]


def test_a_builds_normal_is_kept_held_against_and_taken_back(
    application: QApplication, desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert not desk.stations["normal"].page.held_to.isEnabled()
    keep(application, desk, monkeypatch, only="Full mark, stint 1")
    view = desk.bench.garage.view
    assert view is not None and len(view.normals) == 1 and view.normals[0].reason == "first of this build"
    assert "version 1, from 1 session" in desk.stations["normal"].page.kept_words.text()
    # The session shown was not among those, so it is held against what was kept before all else.
    assert history(desk)[0] == "Build 2, full mark, version 1"
    assert (
        desk.stations["normal"]
        .page.change.text()
        .startswith("Against Build 2, full mark, version 1: Normal is unchanged")
    )
    desk.go_to("garage")
    desk.stations["garage"].page.select(view.normals[0].build)
    assert any(
        "Normal: Version 1 of" in w.text() for w in desk.stations["garage"].page.findChildren(QLabel) if w.isVisible()
    )
    desk.run("edit.undo")
    assert desk.bench.garage.view is not None and desk.bench.garage.view.normals == ()
    desk.go_to("normal")
    settle(application, desk)
    assert (
        not any("version" in title for title in history(desk)) and not desk.stations["normal"].page.held_to.isEnabled()
    )


def test_sessions_are_held_to_the_kept_normal_when_asked(
    application: QApplication, desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    keep(application, desk, monkeypatch)
    assert desk.stations["normal"].page.held_to.isEnabled() and desk.stations["normal"].page.held_to.currentIndex() == 0
    own = desk.bench.sessions.analysis
    desk.stations["normal"].page.held_to.setCurrentIndex(1)
    desk.stations["normal"].page.held_to.activated.emit(1)
    settle(application, desk)
    held = desk.bench.sessions.analysis
    assert own is not None and held is not None and held.expected.samples > own.expected.samples
    assert any("kept on" in c.message and "chosen so" in c.message for c in held.checks)
    assert "version 1" in desk.stations["normal"].page.held_to.currentText()
    desk.run("edit.undo")
    settle(application, desk)
    assert (
        desk.bench.sessions.analysis is not None
        and desk.bench.sessions.analysis.expected.samples == own.expected.samples
    )
    assert desk.stations["normal"].page.held_to.currentIndex() == 0


def test_a_second_version_says_how_it_lies_to_the_first(
    application: QApplication, desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    keep(application, desk, monkeypatch, only="Full mark, stint 1")
    keep(application, desk, monkeypatch)
    words = desk.stations["normal"].page.kept_words.text()
    assert (
        "version 2, from" in words
        and "To the version before" in words
        and "no more than two learnings differ by" in words
    )


def test_a_kept_normal_can_be_corrected_and_removed(
    application: QApplication, desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    keep(application, desk, monkeypatch, only="Full mark, stint 1")
    saying(monkeypatch, RecordDialog, lambda d: d.done(RecordDialog.REMOVED))
    desk.stations["normal"].page.history.setCurrentCell(1, 1)
    desk.stations["normal"].page.history.setFocus()
    QTest.keyClick(desk.stations["normal"].page.history, Qt.Key.Key_Return)  # an earlier session is none to correct
    assert desk.bench.garage.view is not None and len(desk.bench.garage.view.normals) == 1
    desk.stations["normal"].page.history.setCurrentCell(0, 1)
    QTest.keyClick(desk.stations["normal"].page.history, Qt.Key.Key_Return)
    assert desk.bench.garage.view is not None and desk.bench.garage.view.normals == ()


def test_without_a_garage_it_says_where_a_normal_is_kept(
    application: QApplication, wide_window: MainWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    desk = wide_window.desk
    desk.bench.sessions.open_logs([demo_folder() / "baseline-2.csv"])
    settle(application, desk)
    told: list[str] = []
    monkeypatch.setattr(desk, "tell", told.append)
    desk.run("judge.normal")
    assert len(told) == 1 and "put this log's session into the garage first" in told[0]


def test_the_owners_choice_of_floors_is_kept_with_its_reason_and_holds(
    application: QApplication, desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    said: list[str] = []

    def act(dialog: QDialog) -> None:
        assert isinstance(dialog, FloorsDialog)
        for check, _ in dialog._rows:
            check.setChecked(check.text() in ("Fixed", "% of normal"))
        dialog.forms["act_now"].setCurrentText("fixed")
        dialog._try_accept()
        said.append(dialog._problem.text())
        dialog.keep_box.setChecked(True)
        dialog._try_accept()
        said.append(dialog._problem.text())
        QTest.keyClicks(dialog.reason_line, "the builder's word")
        dialog._try_accept()

    saying(monkeypatch, FloorsDialog, act)
    desk.stations["normal"].page.verbs["judge.floors"].click()
    settle(application, desk)
    settle(application, desk)
    assert "tick that, and say why" in said[0] and said[1].startswith("Say why")
    view = desk.bench.garage.view
    assert view is not None
    (choice,) = view.floors
    assert choice.reason == "the builder's word" and choice.act_now.startswith("fixed:") and choice.target == ""
    assert {type(f) for f in desk.bench.judging.floors} == {Fixed, Share}
    floor_rules = [
        desk.stations["normal"].page.floor_rules.item(r, 0)
        for r in range(desk.stations["normal"].page.floor_rules.rowCount())
    ]
    assert "Act now" in [i.text() for i in floor_rules if i is not None]
    # Chosen here without keeping: that goes first, until it is taken back.
    desk.bench.judging.set_floors((Fixed(150.0),))
    settle(application, desk)
    desk.stations["garage"].fill()
    assert desk.bench.judging.floors == (Fixed(150.0),)
    desk.run("edit.undo")
    settle(application, desk)
    assert {type(f) for f in desk.bench.judging.floors} == {Fixed, Share}
    desk.run("edit.undo")  # and the choice itself
    settle(application, desk)
    assert (
        desk.bench.judging.floors == DEFAULT_FLOORS
        and desk.bench.garage.view is not None
        and desk.bench.garage.view.floors == ()
    )


def test_the_dialog_opens_with_the_cars_choice_and_an_untouched_one_changes_nothing(wide_window: MainWindow) -> None:
    lines = {"target": Slope(68.9, 68.9), "alarm": Less(45.0)}
    cars = CarsFloors("Car 31", "2026-05-01", "heavy rods", lines)
    psi = DisplayUnits(pressure=UNITS["psi"])
    dialog = FloorsDialog(wide_window, wide_window.look, (Fixed(207.0),), psi, cars)
    assert dialog.lines() == lines and dialog.floors() == (Fixed(207.0),) and not dialog.keep
    assert any("Car 31's choice since 2026-05-01: heavy rods." in w.text() for w in dialog.findChildren(QLabel))
    dialog._try_accept()
    assert dialog.result() == QDialog.DialogCode.Accepted
    of_none = FloorsDialog(wide_window, wide_window.look, (Fixed(207.0),), psi)
    assert not of_none.keep_box.isEnabled()
    of_none.forms["alarm"].setCurrentText("under normal")
    of_none._try_accept()
    assert of_none.result() != QDialog.DialogCode.Accepted and "into the garage first" in of_none._problem.text()


def cell(dialog: OilsDialog, name: str, column: int) -> object:
    for row in range(dialog.table.rowCount()):
        item = dialog.table.item(row, 0)
        if item is not None and item.text() == name:
            return dialog.table.item(row, column)
    raise AssertionError(name)


def test_a_data_sheet_and_a_ceiling_change_the_advice(
    application: QApplication, desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    def act(dialog: QDialog) -> None:
        assert isinstance(dialog, OilsDialog)
        for column, text in ((1, "118"), (2, "16.9"), (3, "112"), (4, "data sheet")):
            cell(dialog, "15W-50", column).setText(text)  # type: ignore[attr-defined]
        dialog._save()

    saying(monkeypatch, OilsDialog, act)
    told = desk.stations["normal"].page.told
    assert told is not None and told.advice is not None
    before = {g.grade.name: g for g in told.advice.grades}["15W-50"]
    desk.stations["normal"].page.verbs["judge.oils"].click()
    settle(application, desk)
    wait_until(application, lambda: desk.stations["normal"].page.told is not told and not desk.bench.jobs.busy)
    view = desk.bench.garage.view
    assert view is not None
    (sheet,) = view.oil_sheets
    assert (sheet.name, sheet.v40, sheet.v100, sheet.ceiling_c, sheet.source) == (
        "15W-50",
        118.0,
        16.9,
        112.0,
        "data sheet",
    )
    told = desk.stations["normal"].page.told
    assert told is not None and told.advice is not None
    after = {g.grade.name: g for g in told.advice.grades}["15W-50"]
    assert after.at_hot_kpa < before.at_hot_kpa and after.ceiling_c == 112.0 and not after.pressure_first
    assert desk.bench.sessions.analysis is not None

    def back(dialog: QDialog) -> None:
        assert isinstance(dialog, OilsDialog)
        item = cell(dialog, "15W-50", 0)
        dialog.table.setCurrentItem(item)  # type: ignore[arg-type]
        dialog.usual_button.click()
        dialog._save()

    saying(monkeypatch, OilsDialog, back)
    desk.run("judge.oils")
    assert desk.bench.garage.view is not None and desk.bench.garage.view.oil_sheets == ()


@pytest.mark.parametrize(
    ("name", "texts", "says"),
    [
        ("", ("90", "14", "", ""), "needs a name"),
        ("House", ("90", "", "", ""), "give both viscosities"),
        ("House", ("14", "90", "", ""), "belong to no oil"),
        ("House", ("90", "14", "900", ""), "cannot be the ceiling"),
        ("10W-40", ("90", "14", "", ""), "stands there twice"),
        ("House", ("thick", "14", "", ""), "is no number"),
    ],
)
def test_an_oil_that_cannot_be_is_refused_with_a_sentence(
    wide_window: MainWindow, name: str, texts: tuple[str, ...], says: str
) -> None:
    dialog = OilsDialog(wide_window, wide_window.look, "c", (), DisplayUnits(), "Car 31")
    dialog.add_button.click()
    row = dialog.table.rowCount() - 1
    for column, text in enumerate((name, *texts)):
        item = dialog.table.item(row, column)
        assert item is not None
        item.setText(text)
    dialog._save()
    assert dialog.result() != QDialog.DialogCode.Accepted and says in dialog.said.text()


def test_an_untouched_oils_dialog_changes_nothing(wide_window: MainWindow) -> None:
    sheets = (OilSheet(car="c", name="House", v40=91.0, v100=14.2), OilSheet(car="c", name="5W-40", ceiling_c=118.5))
    fahrenheit = DisplayUnits(temperature=UNITS["°F"])
    dialog = OilsDialog(wide_window, wide_window.look, "c", sheets, fahrenheit, "Car 31")
    dialog._save()
    assert {s.id: s for s in dialog.sheets} == {s.id: s for s in sheets}
    item = cell(dialog, "5W-40", 3)
    assert item.text() == "245.3"  # type: ignore[attr-defined]


def test_air_oil_and_speed_make_another_day(application: QApplication, desk: Desk) -> None:
    station = desk.stations["normal"].page
    station.air.setValue(10)
    wait_until(
        application, lambda: not desk.bench.jobs.busy and "Air 10 °C warmer makes the oil" in station.supposition.text()
    )
    station.air.setValue(0)
    wait_until(application, lambda: not desk.bench.jobs.busy and station.supposition.text().startswith("As driven"))


def test_what_was_asked_before_does_not_hide_what_the_garage_says_since(
    application: QApplication, desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    def ceiling(text: str) -> Callable[[QDialog], None]:
        def act(dialog: QDialog) -> None:
            assert isinstance(dialog, OilsDialog)
            cell(dialog, "15W-50", 3).setText(text)  # type: ignore[attr-defined]
            dialog._save()

        return act

    def told() -> float:
        settle(application, desk)
        wait_until(application, lambda: not desk.bench.jobs.busy)
        found = desk.stations["normal"].page.told
        assert found is not None and found.advice is not None
        return next(g.ceiling_c for g in found.advice.grades if g.grade.name == "15W-50")

    saying(monkeypatch, OilsDialog, ceiling("112"))
    desk.run("judge.oils")
    assert told() == 112.0
    desk.stations["normal"].page.margin.setValue(20.0)
    assert told() == 112.0
    saying(monkeypatch, OilsDialog, ceiling("118"))
    desk.run("judge.oils")
    assert told() == 118.0


def test_the_owner_decides_and_what_was_seen_stands_beside_it(
    application: QApplication, desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    def fill(dialog: QDialog) -> int:
        assert isinstance(dialog, RecordDialog)
        assert any("nobody can say" in x.text() for x in dialog.findChildren(QLabel))
        made = dialog.record
        assert isinstance(made, Ruling)
        assert "below the floor" in made.seen and "nothing is known beyond" in made.seen
        assert "safe" not in made.seen and made.decision == "", "nothing is decided by default"
        monkeypatch.setattr(
            RecordDialog,
            "record",
            property(
                lambda _: replace(
                    made, decision="run with a limit", limit="lift below 280 kPa", reason="One more stint."
                )
            ),
        )
        return 1

    monkeypatch.setattr(RecordDialog, "exec", fill)
    desk.go_to("dips")
    assert not desk.stations["dips"].page._ruling.isVisible()
    desk.stations["dips"].page.rule_button.click()
    settle(application, desk)
    words = desk.stations["dips"].page._ruling.text()
    assert (
        words.endswith("run with a limit (lift below 280 kPa). One more stint.")
        and desk.stations["dips"].page._ruling.isVisible()
    )
    desk.bench.sessions.show(
        next(e for e in desk.bench.sessions.entries if "stint 1" in e.title or "baseline-1" in str(e.path))
    )
    settle(application, desk)
    assert desk.stations["dips"].page._ruling.text() == "", "it is the other session's"
    desk.run("edit.undo")
    view = desk.bench.garage.view
    assert view is not None and view.rulings == ()


def test_a_decision_has_nowhere_to_be_kept_without_the_session_in_a_garage(
    window: MainWindow, application: QApplication, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert window.desk is not None
    said: list[str] = []
    monkeypatch.setattr(window.desk, "tell", said.append)
    window.desk.run("judge.rule")
    assert len(said) == 1 and "garage" in said[0]
