"""Draw every main view off-screen at 1280 × 800 from the demo data."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QApplication

from basso.ui.main_window import MainWindow
from basso.ui.settings import Settings
from basso.ui.theme.look import Look


def take_all(application: QApplication, folder: Path) -> None:
    """Write one PNG for each main view into ``folder``."""
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as temporary:
        store = QSettings(str(Path(temporary) / "settings.ini"), QSettings.Format.IniFormat)
        window = MainWindow(Look(application), Settings(store))
        window.resize(1280, 800)
        window.show()
        desk = window.desk
        desk.open_demo()
        wait_until(application, lambda: desk.workspace.analysis is not None and desk.workspace.comparison is not None)
        desk.go_to("dips")
        _save(application, window, folder / "dips.png")
        desk.run("view.night")
        _save(application, window, folder / "dips-night.png")
        desk.run("view.night")
        desk.go_to("trial")
        _save(application, window, folder / "trial.png")
        desk.go_to("corners")
        _save(application, window, folder / "waiting.png")
        window.close()


def wait_until(application: QApplication, done: Callable[[], bool], timeout_s: float = 60.0) -> None:
    """Let the window work until ``done`` holds; raises TimeoutError after a while."""
    end = time.monotonic() + timeout_s
    while not done():
        if time.monotonic() > end:
            raise TimeoutError("the window did not get ready")
        application.processEvents()
        time.sleep(0.005)
    application.processEvents()


def _save(application: QApplication, window: MainWindow, path: Path) -> None:
    for _ in range(3):
        application.processEvents()
    window.grab().save(str(path), "PNG")
