"""Everything runs with no monitor, no network, and settings of its own."""

from __future__ import annotations

import gc
import os
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING

import pytest
from hypothesis import settings

from basso.platform.memory import keep_freed_memory

if TYPE_CHECKING:
    from PySide6.QtWidgets import QApplication

# A machine that stands still for a second has not found a wrong answer.
settings.register_profile("basso", deadline=None)
settings.load_profile("basso")

os.environ["QT_QPA_PLATFORM"] = "offscreen"
keep_freed_memory()


@pytest.fixture(autouse=True)
def own_settings(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """No test reads or writes the user's own settings."""
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))
    monkeypatch.setenv("HOME", str(tmp_path))
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    yield


@pytest.fixture(scope="session")
def cache_of_all(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """What was worked out of logs by their content."""
    return tmp_path_factory.mktemp("cache")


@pytest.fixture
def shared_cache(own_settings: None, cache_of_all: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """One cache for every test that asks for it: the logs that ship are read and looked at once, not once a test."""
    monkeypatch.setenv("XDG_CACHE_HOME", str(cache_of_all))


@pytest.fixture(scope="session")
def application() -> QApplication:
    """The application that every window of the tests shares."""
    from PySide6.QtWidgets import QApplication

    from basso.ui.window.collecting import CollectHere

    app = QApplication.instance() or QApplication([])
    assert isinstance(app, QApplication)
    CollectHere(app)
    return app


@pytest.fixture(autouse=True)
def collected() -> Iterator[None]:
    """Once a window has been shown, collection waits for the event loop, which few tests keep running."""
    yield
    if not gc.isenabled():
        from basso.ui.window.collecting import collect_when_due

        collect_when_due()
