"""Reports written from the window: the session shown, or the trial while it is looked at."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import QLocale
from PySide6.QtWidgets import QApplication

from basso.cli.main import main
from basso.ui.window.desk import Desk
from basso.ui.window.screenshots import wait_until
from basso.units import UNITS, DisplayUnits
from basso.workflow import demo_folder


@pytest.fixture
def desk(application: QApplication, window: object) -> Desk:
    found: Desk = window.desk  # type: ignore[attr-defined]
    found.run("demo.open")
    wait_until(application, lambda: found.bench.sessions.analysis is not None)
    wait_until(application, lambda: found.bench.trial.comparison is not None and not found.bench.jobs.busy)
    return found


def written(application: QApplication, desk: Desk, path: Path, monkeypatch: pytest.MonkeyPatch) -> bytes:
    monkeypatch.setattr(desk.bench.files, "ask_save", lambda *_: path)
    desk.run("report.write")
    wait_until(application, lambda: not desk.bench.jobs.busy)
    (made,) = path.parent.glob(f"{path.stem}*")
    return made.read_bytes()


def test_the_session_shown_and_the_trial(
    application: QApplication, desk: Desk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    desk.go_to("dips")
    desk.bench.units.choose(DisplayUnits(pressure=UNITS["psi"]))
    page = written(application, desk, tmp_path / "session.html", monkeypatch).decode()
    assert "Margin to the floor, psi" in page and "baseline-1.csv" in page
    desk.go_to("trial")
    page = written(application, desk, tmp_path / "trial.html", monkeypatch).decode()
    assert "Helps: lowest pressure up" in page and "What would overturn it" in page


def test_on_the_paper_of_the_country(
    application: QApplication, desk: Desk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    desk.go_to("dips")
    before = QLocale()
    try:
        for country, size in (("en_US", b"612 792"), ("de_DE", b"595.2756 841.8898")):
            QLocale.setDefault(QLocale(country))
            assert size in written(application, desk, tmp_path / country, monkeypatch), "without an ending: PDF"
    finally:
        QLocale.setDefault(before)


def test_another_ending_is_refused_in_one_sentence(
    application: QApplication, desk: Desk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    said: list[str] = []
    monkeypatch.setattr(desk, "tell", said.append)
    desk.go_to("dips")
    monkeypatch.setattr(desk.bench.files, "ask_save", lambda *_: tmp_path / "report.docx")
    desk.run("report.write")
    wait_until(application, lambda: not desk.bench.jobs.busy)
    assert len(said) == 1 and "reports are written as .html or .pdf" in said[0] and not list(tmp_path.glob("*.docx"))


def test_a_log_named_alone_is_opened(monkeypatch: pytest.MonkeyPatch) -> None:
    opened: list[object] = []
    monkeypatch.setattr("basso.ui.app.launch", lambda logs, **more: opened.append((logs, more["demo"])) or 0)
    log = str(demo_folder() / "gated.csv")
    assert main([log]) == 0 and main([log, "--demo"]) == 0
    assert opened == [([log], False), ([log], True)]
    assert main(["no-such-command-or-log"]) == 2 and len(opened) == 2
