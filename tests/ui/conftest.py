"""A window of its own for every test of the interface."""

from __future__ import annotations

import importlib
import io
import pickle
import shutil
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QApplication

from basso import workflow
from basso.analysis import Analysis
from basso.car.demo import make_demo_garage
from basso.garage.place import default_folder
from basso.garage.store import Garage
from basso.pressure.options import JudgeOptions
from basso.progress import Progress, silent
from basso.recording.recording import Recording
from basso.ui.models.settings import Settings
from basso.ui.theme.look import Look
from basso.ui.window.desk import Desk
from basso.ui.window.main_window import MainWindow
from basso.ui.window.screenshots import wait_until
from basso.workflow import demo_folder
from support import destroy, say_which_side


@pytest.fixture(autouse=True)
def one_cache(shared_cache: None) -> None:
    """The demo's logs are read and looked at once for all windows."""


@pytest.fixture
def store(tmp_path: Path) -> QSettings:
    return QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat)


@pytest.fixture(scope="session")
def empty_garage(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A garage with nothing in it, made once: how one comes about is tested where garages are."""
    folder = tmp_path_factory.mktemp("empty") / "garage"
    Garage(folder).close()
    return folder


@pytest.fixture
def window(application: QApplication, store: QSettings, empty_garage: Path) -> Iterator[MainWindow]:
    """A window that is shown and has the keyboard, with nothing open in it."""
    say_which_side()
    shutil.copytree(empty_garage, default_folder(), dirs_exist_ok=True)
    made = MainWindow(Look(application), Settings(store))
    made.show()
    assert made.desk is not None
    made.activateWindow()
    application.processEvents()
    yield made
    destroy(made)


@pytest.fixture
def wide_window(window: MainWindow) -> MainWindow:
    """The same at the size people work at."""
    window.resize(1280, 800)
    return window


@pytest.fixture
def opened(application: QApplication, wide_window: MainWindow) -> MainWindow:
    """The same with a log of the demo open, judged, at its dips."""
    wide_window.open_logs([demo_folder() / "baseline-1.csv"])
    sessions, jobs = wide_window.desk.bench.sessions, wide_window.desk.bench.jobs
    wait_until(application, lambda: sessions.analysis is not None and not jobs.busy)
    wide_window.desk.go_to("dips")
    application.processEvents()
    return wide_window


@pytest.fixture(scope="session")
def made_garage(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo garage, made once."""
    folder = tmp_path_factory.mktemp("made") / "garage"
    make_demo_garage(demo_folder(), folder)
    return folder


@pytest.fixture
def garage_desk(application: QApplication, wide_window: MainWindow, made_garage: Path, tmp_path: Path) -> Desk:
    """A desk with the demo garage open and no log."""
    desk = wide_window.desk
    desk.bench.garage.open(tmp_path / "garage", lambda folder: shutil.copytree(made_garage, folder, dirs_exist_ok=True))
    wait_until(application, lambda: desk.bench.garage.view is not None)
    desk.go_to("garage")
    application.processEvents()
    return desk


class _ByContent(pickle.Pickler):
    """Logs and what was judged of them by what they hold; the rest as it is."""

    def persistent_id(self, thing: object) -> object:
        if isinstance(thing, Analysis):
            return _key(thing.recording, thing.options)
        if isinstance(thing, Recording):
            return thing.content_hash, [(c.name, c.role, c.unit, c.values.size) for c in thing.channels]
        return None


def _key(*things: object) -> bytes:
    out = io.BytesIO()
    _ByContent(out).dump(things)
    return out.getvalue()


_JUDGED: dict[bytes, Analysis] = {}
_FOUND: dict[bytes, Any] = {}
_FINDERS = (
    ("basso.findings.normal.findings", "find_normal"),
    ("basso.findings.corners.findings", "find_corners"),
    ("basso.findings.accumulator.findings", "find_accumulator"),
    ("basso.findings.sump.findings", "find_sump"),
    ("basso.alarm.findings", "find_alarm"),
)


@pytest.fixture(autouse=True)
def judged_once(monkeypatch: pytest.MonkeyPatch) -> None:
    """The same log judged by the same options, and what is found in it, are worked out once a run: how is not what the
    window's tests are about."""
    real = workflow.judge

    def judge(
        recording: Recording, options: JudgeOptions | None = None, *more: object, progress: Progress = silent
    ) -> Analysis:
        progress(0.0, "judging")
        if more:
            return real(recording, options, *more, progress=progress)  # type: ignore[arg-type]
        key = _key(recording, options)
        if key not in _JUDGED:
            _JUDGED[key] = real(recording, options, progress=progress)
        return replace(_JUDGED[key], recording=recording, options=options or JudgeOptions())

    monkeypatch.setattr(workflow, "judge", judge)
    for module, name in _FINDERS:
        monkeypatch.setattr(f"{module}.{name}", _found_once(getattr(importlib.import_module(module), name)))


def _found_once(find: Callable[..., Any]) -> Callable[..., Any]:
    """The same finder, whose answer is kept: for the same log and the same questions it holds again."""

    def found_once(analysis: Analysis, *asked: Any) -> Any:
        *questions, progress = asked
        progress(0.0, "looking")
        key = _key(find.__name__, analysis, *questions)
        if key not in _FOUND:
            _FOUND[key] = find(analysis, *asked)
        found = _FOUND[key]
        return found if found is None else replace(found, analysis=analysis)

    return found_once
