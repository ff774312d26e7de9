"""A log that no car has is placed with one in one small form; a new car takes a name."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtWidgets import QApplication, QDialog

from basso.ui.stations.garage import keep_verb
from basso.ui.stations.garage.keep_dialog import KeepDialog
from basso.ui.window.desk import Desk
from basso.ui.window.main_window import MainWindow
from basso.ui.window.screenshots import wait_until
from basso.workflow import demo_folder


@pytest.fixture
def strange(application: QApplication, wide_window: MainWindow) -> Desk:
    """A desk with a log of no car open, and an empty garage."""
    desk = wide_window.desk
    wide_window.open_logs([demo_folder() / "baseline-1.csv"])
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    return desk


def _answering(monkeypatch: pytest.MonkeyPatch, fill: Callable[[KeepDialog], None]) -> list[KeepDialog]:
    """The dialog is filled in as a user would, and saved."""
    seen: list[KeepDialog] = []

    def run(dialog: KeepDialog) -> int:
        seen.append(dialog)
        fill(dialog)
        dialog._save()
        return dialog.result()

    monkeypatch.setattr(keep_verb, "run_dialog", run)
    return seen


def test_a_new_car_takes_a_name_and_is_taken_back_in_one_step(
    application: QApplication, strange: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    page = strange.stations["dips"].page
    assert page.keep_button.isVisible()

    def fill(dialog: KeepDialog) -> None:
        assert dialog.build.currentText() == "Build 1"
        dialog.car.setCurrentText("Seven")
        dialog.grade.setCurrentText("10W-40")
        dialog.level.setText("4,3")
        dialog.circuit.setText("Harrowfell")

    _answering(monkeypatch, fill)
    page.keep_button.click()
    garage = strange.bench.garage
    wait_until(application, lambda: garage.view is not None and not strange.bench.jobs.busy)
    assert garage.view is not None
    (build,), (session,) = garage.view.builds, garage.view.sessions
    assert (garage.view.car.name, build.name, build.oil_grade, build.level_l) == ("Seven", "Build 1", "10W-40", 4.3)
    a = strange.bench.sessions.analysis
    assert a is not None
    assert (session.log_hash, session.circuit, session.laps) == (a.recording.content_hash, "Harrowfell", 7)
    assert build.engine == garage.view.engines[0].engine
    assert not page.keep_button.isVisible(), "it has a car now"
    strange.run("edit.undo")
    assert garage.cars == ()
    assert page.keep_button.isVisible()


def test_a_build_that_is_there_says_its_own_oil(
    application: QApplication, garage_desk: Desk, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    log = tmp_path / "new.csv"
    log.write_bytes((demo_folder() / "baseline-1.csv").read_bytes() + b"\n")
    garage_desk.bench.sessions.open_logs([log])
    wait_until(application, lambda: garage_desk.bench.sessions.analysis is not None and not garage_desk.bench.jobs.busy)
    view = garage_desk.bench.garage.view
    assert view is not None
    before = len(view.sessions)
    newest = max(view.builds, key=lambda b: b.since)

    def fill(dialog: KeepDialog) -> None:
        assert dialog.car.currentText() == view.car.name
        assert dialog.build.currentText() == newest.name
        assert not dialog.grade.isEnabled() and dialog.grade.currentText() == newest.oil_grade
        dialog.build.setCurrentText("Build 9")
        assert dialog.grade.isEnabled()

    _answering(monkeypatch, fill)
    garage_desk.run("garage.keep")
    wait_until(application, lambda: not garage_desk.bench.jobs.busy)
    after = garage_desk.bench.garage.view
    assert after is not None
    assert len(after.sessions) == before + 1
    assert any(b.name == "Build 9" for b in after.builds)


def test_what_cannot_be_is_said_and_nothing_is_lost(
    application: QApplication, strange: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    def fill(dialog: KeepDialog) -> None:
        dialog.car.setCurrentText("Seven")
        dialog.level.setText("four")
        dialog._save()
        assert "'four' is no amount of oil" in dialog.said.text()
        dialog.level.setText("4")
        dialog.car.setCurrentText(" ")

    (seen,) = [_answering(monkeypatch, fill)]
    strange.run("garage.keep")
    wait_until(application, lambda: bool(seen) and not strange.bench.jobs.busy)
    assert seen[0].said.text() == "Give the car a name."
    assert seen[0].result() == QDialog.DialogCode.Rejected
    assert strange.bench.garage.cars == ()
    assert seen[0].level.text() == "4"
