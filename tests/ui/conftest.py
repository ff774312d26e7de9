"""The application that every test of the interface shares, and a window of its own for each."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QApplication

from basso.car.demo import make_demo_garage
from basso.ui.models.settings import Settings
from basso.ui.theme.look import Look
from basso.ui.window.desk import Desk
from basso.ui.window.main_window import MainWindow
from basso.ui.window.screenshots import wait_until
from basso.workflow import demo_folder
from support import destroy, say_which_side


@pytest.fixture(scope="session")
def application() -> QApplication:
    app = QApplication.instance() or QApplication([])
    assert isinstance(app, QApplication)
    return app


@pytest.fixture(autouse=True)
def one_cache(shared_cache: None) -> None:
    """The demo's logs are read and looked at once for all windows."""


@pytest.fixture
def store(tmp_path: Path) -> QSettings:
    return QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat)


@pytest.fixture
def window(application: QApplication, store: QSettings) -> Iterator[MainWindow]:
    """A window that is shown and has the keyboard, with nothing open in it."""
    say_which_side()
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
def garage_desk(application: QApplication, wide_window: MainWindow, tmp_path: Path) -> Desk:
    """A desk with the demo garage open and no log."""
    desk = wide_window.desk
    desk.bench.garage.open(tmp_path / "garage", lambda folder: make_demo_garage(demo_folder(), folder))
    wait_until(application, lambda: desk.bench.garage.view is not None)
    desk.go_to("garage")
    application.processEvents()
    return desk
