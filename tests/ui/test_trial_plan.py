"""Trial beside judging: a trial planned and its run card printed, and what would overturn the verdict shown."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtWidgets import QApplication, QDialog, QLabel, QPushButton

from basso.car.predictions import LowestChange, with_prediction
from basso.garage.records import Job
from basso.trial import plan
from basso.trial.fragile import Fragile
from basso.trial.plan import plan_trial
from basso.ui import dialogs
from basso.ui.stations.trial import verbs
from basso.ui.stations.trial.overturn_dialog import OverturnDialog
from basso.ui.stations.trial.plan_dialog import PlanDialog
from basso.ui.stations.trial.runs_dialog import RunsDialog
from basso.ui.window.desk import Desk
from basso.ui.window.screenshots import wait_until
from basso.units import UNITS, DisplayUnits
from basso.workflow import demo_folder, verdict_with_zero


@pytest.fixture
def compared(application: QApplication, garage_desk: Desk, monkeypatch: pytest.MonkeyPatch) -> Desk:
    """Two sessions of the demo on the two sides."""
    monkeypatch.setattr(plan, "_DRAWS", 60)
    desk = garage_desk
    desk.bench.sessions.open_logs([demo_folder() / f"{n}.csv" for n in ("baseline-1", "plus-0.4")])
    wait_until(application, lambda: len(desk.bench.sessions.entries) == 2 and not desk.bench.jobs.busy)
    a, b = desk.bench.sessions.entries
    desk.bench.trial.choose((a,), (b,))
    desk.go_to("trial")
    wait_until(application, lambda: desk.bench.trial.comparison is not None and not desk.bench.jobs.busy)
    return desk


def test_a_trial_is_planned_from_side_a_and_its_card_written(
    application: QApplication, compared: Desk, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    desk = compared
    desk.bench.units.choose(DisplayUnits(pressure=UNITS["psi"], temperature=UNITS["°F"]))
    seen: list[PlanDialog] = []

    def use(dialog: QDialog) -> bool:
        assert isinstance(dialog, PlanDialog)
        seen.append(dialog)
        dialog.change.setText("+0.3 L")
        assert not dialog.card.isEnabled() and dialog.effect.suffix() == " psi"
        dialog.effect.setValue(0.0)
        dialog.ask()
        assert "Give a change that matters" in dialog.said.text()
        dialog.effect.setValue(3.5)
        dialog.ask()
        wait_until(application, lambda: dialog.plan is not None, 60.0)
        for name in ("card.pdf", "card.html", "card.txt"):
            monkeypatch.setattr(desk.bench.files, "ask_save", lambda *_, n=name: tmp_path / n)
            dialog.card.click()
        return False

    monkeypatch.setattr(verbs, "run_dialog", use)
    desk.run("trial.plan")
    dialog = seen[0]
    assert dialog.plan is not None and dialog.plan.effect_kpa == pytest.approx(3.5 * 6.894757, rel=1e-6)
    assert "flying laps a side: A " in dialog.said.text()
    words = dialog.words.text()
    assert "psi from lap to lap" in words and "°F" in words and "kPa" not in words and "Stop when: " in words
    assert (tmp_path / "card.pdf").read_bytes().startswith(b"%PDF")
    card = (tmp_path / "card.html").read_text(encoding="utf-8")
    assert "Run card: +0.3 L" in card and card.count("<tr>") == 1 + len(dialog.plan.order) and "psi" in card
    assert not (tmp_path / "card.txt").exists()


def test_what_would_overturn_the_verdict_is_drawn_and_said(
    application: QApplication, compared: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    seen: list[OverturnDialog] = []
    monkeypatch.setattr(verbs, "run_dialog", lambda d: seen.append(d) or False)
    compared.run("trial.overturn")
    wait_until(application, lambda: bool(seen) and not compared.bench.jobs.busy, 60.0)
    assert seen[0].words.startswith("It holds for any plausible zero")
    c = compared.bench.trial.comparison
    assert c is not None and verdict_with_zero(c, 1, 0.0) == c.verdict == "better"
    rows = (Fragile("zero_b", 2.0, -19.0, "kPa"), Fragile("extreme_lap", 0.0, 1.0, "laps left out"))
    dialog = OverturnDialog(compared.window, compared.bench.look, DisplayUnits(), rows, ["x"])
    assert not dialog.grab().isNull()


def test_without_a_log_nothing_is_planned(garage_desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    told: list[str] = []
    station = garage_desk.stations["trial"]
    monkeypatch.setattr(verbs, "run_dialog", lambda _: pytest.fail("nothing to plan by"))
    monkeypatch.setattr(type(garage_desk.bench), "tell", property(lambda _: told.append))
    garage_desk.run("trial.plan")
    assert told and "how its own laps scatter" in told[0]
    can = {c.key: c.when() for c in station.commands()}
    assert not can["trial.overturn"]


def test_runs_are_held_against_the_card_that_was_written(
    application: QApplication, compared: Desk, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    desk, told = compared, list[str]()
    monkeypatch.setattr(type(desk.bench), "tell", property(lambda _: told.append))
    desk.run("trial.runs")
    assert told == ["No run card was written yet: plan a trial and write its run card first."]
    c = desk.bench.trial.comparison
    assert c is not None
    found = plan_trial(c.a.analyses, 20.0)
    monkeypatch.setattr(desk.bench.files, "ask_save", lambda *_: tmp_path / "card.html")
    verbs.TrialVerbs(desk.bench).print_card(found, "+0.4 L")
    verbs.TrialVerbs(desk.bench).print_card(replace(found, hold={"oil_temp_c": (60.0, 70.0)}), "")
    desk.bench.units.choose(DisplayUnits(temperature=UNITS["°F"]))
    seen: list[tuple[list[str], str, str]] = []

    def use(dialog: QDialog) -> bool:
        assert isinstance(dialog, RunsDialog)
        names = [dialog.card.itemText(i) for i in range(dialog.card.count())]
        newest = dialog.text
        dialog.card.setCurrentIndex(1)
        shown = [w.text() for w in dialog.findChildren(QLabel)]
        assert dialog.text.splitlines()[1].split(":")[0] in shown
        next(b for b in dialog.findChildren(QPushButton) if b.text() == "Copy").click()
        assert QApplication.clipboard().text() == dialog.text
        seen.append((names, newest, dialog.text))
        return False

    monkeypatch.setattr(verbs, "run_dialog", use)
    desk.run("trial.runs")
    wait_until(application, lambda: bool(seen), 60.0)
    names, newest, other = seen[0]
    assert [n.split(",")[0] for n in names] == ["A against B", "+0.4 L"]
    assert "Runs 1 (A) and 2 (B) are off the card." in newest and "°F hotter than the card" in newest
    assert "Run 2 · B · plus-0.4.csv" in other and other.startswith("Run 2 (B) is off the card.")
    assert "°C" not in newest + other and newest.count("°F hotter") == 2 and other.count("°F hotter") == 1


def test_a_prediction_is_held_against_what_was_measured_and_stays_with_its_job(
    application: QApplication, compared: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    desk, told = compared, list[str]()
    garage = desk.bench.garage
    monkeypatch.setattr(type(desk.bench), "tell", property(lambda _: told.append))
    desk.run("trial.prediction")
    assert told.pop().startswith("No prediction is kept of this car")
    assert garage.view is not None
    job = Job(car=garage.view.car.id, sheet="verification-drive", opened="2026-05-12")
    garage.add("planning +0.4 L", with_prediction(job, "+0.4 L", LowestChange(300.0, 250.0, 350.0)))
    page = desk.stations["trial"].page
    monkeypatch.setattr(dialogs, "run_dialog", lambda _: pytest.fail("asked by the verbs' own"))
    monkeypatch.setattr(verbs, "run_dialog", lambda d: d.reject())
    desk.run("trial.prediction")
    assert not told and "Predicted" not in page.cards
    monkeypatch.setattr(verbs, "run_dialog", lambda d: d.choose(0))
    desk.run("trial.prediction")
    assert "less than predicted. Predictions of this car that held when they were measured: 0 of 1." in told[0]
    assert "Predicted of +0.4 L: +300 kPa" in page.cards
    desk.bench.undo.undo()
    assert "Predicted" not in page.cards
