"""The same log, car and decisions are judged the same in the window, on the command line, in the export and in the
report."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QApplication

from basso.car.demo import make_demo_garage
from basso.cli.main import main
from basso.garage.records import Car, FloorChoice
from basso.garage.store import Change, Garage
from basso.memory.decisions import Decision
from basso.memory.memory import Memory
from basso.report.documents import analysis_document, comparison_document, fragile_documents
from basso.trial.fragile import fragile_of
from basso.ui.models.settings import Settings
from basso.ui.theme.look import Look
from basso.ui.window.desk import Desk
from basso.ui.window.main_window import MainWindow
from basso.ui.window.screenshots import wait_until
from basso.workflow import demo_folder, export_analysis, open_recording, verdict_with_zero
from support import destroy

pytestmark = pytest.mark.usefixtures("shared_cache")

LOGS = ("shakedown", "baseline-1", "hot-day", "hill-climb")


@pytest.fixture
def garage(tmp_path: Path) -> Path:
    """The demo garage, with floors of the owner's choice."""
    folder = tmp_path / "garage"
    make_demo_garage(demo_folder(), folder)
    with Garage(folder) as opened:
        (car,) = opened.all(Car)
        choice = FloorChoice(
            car=car.id, since="2026-01-01", reason="the builder's word", floors=("fixed:190", "share:0.75")
        )
        opened.edit("floors", Change(None, choice))
    return folder


@pytest.fixture
def desk(application: QApplication, tmp_path: Path, garage: Path) -> Iterator[Desk]:
    store = QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat)
    window = MainWindow(Look(application), Settings(store))
    window.show()
    window.desk.bench.garage.open(garage, lambda _: None)
    wait_until(application, lambda: window.desk.bench.garage.view is not None)
    window.desk.go_to("garage")
    application.processEvents()
    yield window.desk
    destroy(window)


def _in_the_window(desk: Desk, log: Path) -> dict[str, object]:
    application = QApplication.instance()
    assert isinstance(application, QApplication)
    desk.logs.open_logs([log])
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    a = desk.bench.sessions.analysis
    assert a is not None and a.options.known is not None, "held against the garage"
    return analysis_document(a)


def _told(document: dict[str, object]) -> dict[str, object]:
    """What has to be the same, whatever the place it was read from."""
    return {k: v for k, v in document.items() if k != "log"}


@pytest.mark.parametrize("name", LOGS)
def test_window_and_command_line_say_the_same(
    desk: Desk, garage: Path, name: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    log = demo_folder() / f"{name}.csv"
    if name == "shakedown":  # its zero correction refused
        recording = open_recording(log)
        pressure = next(c.name for c in recording.channels if c.role == "oil_pressure")
        Memory.own().decisions.keep_log(recording, Decision(refused=frozenset({(pressure, "offset")})))
    seen = _in_the_window(desk, log)
    assert main(["analyze", str(log), "--garage", str(garage), "--json"]) == 0
    said = json.loads(capsys.readouterr().out)
    assert json.loads(json.dumps(_told(seen))) == _told(said)
    assert said["events"] or name == "hill-climb"
    assert all(e["rule"] in ("fixed:190", "share:0.75") for e in said["events"]), "the owner's floors"
    a = desk.bench.sessions.analysis
    assert a is not None
    out = tmp_path / "out.json"
    export_analysis(a, out)
    assert json.loads(out.read_text())["sentence"] == said["sentence"]
    assert main(["analyze", str(log), "--garage", str(garage), "--out", str(tmp_path / "cli.json")]) == 0
    assert said["sentence"] in capsys.readouterr().out
    assert _told(json.loads((tmp_path / "cli.json").read_text())) == _told(said)


def test_a_trial_is_judged_the_same_on_both_fronts(
    desk: Desk, garage: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    application = QApplication.instance()
    assert isinstance(application, QApplication)
    logs = [demo_folder() / f"{name}.csv" for name in ("baseline-1", "plus-0.4")]
    desk.logs.open_logs(logs)
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    first, second = desk.bench.sessions.entries[:2]
    desk.bench.trial.choose((first,), (second,))
    wait_until(application, lambda: desk.bench.trial.comparison is not None and not desk.bench.jobs.busy)
    assert desk.bench.trial.comparison is not None
    c = desk.bench.trial.comparison
    fragile = fragile_of(c, lambda side, by_kpa: verdict_with_zero(c, side, by_kpa))
    seen = json.loads(json.dumps({**comparison_document(c), "fragile": fragile_documents(fragile)}))
    assert main(["compare", "--a", str(logs[0]), "--b", str(logs[1]), "--garage", str(garage), "--json"]) == 0
    said = json.loads(capsys.readouterr().out)
    for document in (seen, said):
        for side in ("a", "b"):
            document[side]["label"] = ""
    seen["sentence"], said["sentence"] = (d["sentence"].partition(" with ")[0] for d in (seen, said))
    assert {k: v for k, v in said.items() if k != "cards"} == seen
    assert "left" in str([p.label for p in desk.bench.trial.comparison.over]) or "Kiln" in str(
        [p.label for p in desk.bench.trial.comparison.over]
    ), "the kept map names the places and proves the side"
