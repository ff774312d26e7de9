"""Starting the window: display check, fonts and look, demo data, screenshots."""

from __future__ import annotations

import os
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from basso.errors import InputError
from basso.platform import qt_libraries

if TYPE_CHECKING:
    from PySide6.QtWidgets import QApplication

    from basso.ui.window.main_window import MainWindow


def launch(logs: Sequence[str], *, demo: bool = False, screenshots: str | None = None) -> int:
    """Open the window and run until it is closed; returns the exit status.

    Raises:
        InputError: no display, or a system library is missing; one line that says what to do.
    """
    if screenshots is not None:
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
    _need_display()
    try:
        from PySide6.QtWidgets import QApplication
    except ImportError as error:
        _need_libraries()
        raise InputError(f"Qt cannot be loaded: {error}.") from None
    # Qt ends the process without a word for the user when its plug-in for the display lacks a library: find out first.
    _need_libraries()
    from basso.ui.window.collecting import CollectHere
    from basso.ui.window.doorbell import Doorbell, ring
    from basso.ui.window.ending import EndOnSignal
    from basso.ui.window.fault_hook import FaultHook

    # The demo keeps to itself: it is another window, with a garage of its own.
    alone = demo or screenshots is not None
    if not alone and ring(logs):
        return 0
    application = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(application, QApplication)
    application.setApplicationName("Basso")
    application.setDesktopFileName("basso")
    CollectHere(application)
    if screenshots is not None:
        from basso.ui.window.screenshots import take_all

        take_all(application, Path(screenshots))
        return 0
    window = make_window(application)
    faults = FaultHook(lambda sentence: window.desk.tell(sentence), window)
    ending = EndOnSignal(window)
    doorbell = None if alone else Doorbell(window)
    if doorbell is not None:
        doorbell.rung.connect(window.come_forward)
    window.show()
    _open_first(window, [Path(p) for p in logs], demo)
    status = int(application.exec())
    if doorbell is not None:
        doorbell.let_go()
    ending.let_go()
    faults.let_go()
    return status


def make_window(application: QApplication) -> MainWindow:
    """The window with remembered look and place; not yet shown, nothing opened."""
    from PySide6.QtCore import Qt
    from PySide6.QtGui import QIcon

    import basso
    from basso.ui.models.settings import Settings
    from basso.ui.theme.look import Look
    from basso.ui.window.main_window import MainWindow

    settings = Settings()
    theme = settings.theme
    if not settings.theme_chosen and application.styleHints().colorScheme() is Qt.ColorScheme.Dark:
        theme = "night"
    window = MainWindow(Look(application, theme, settings.text_size), settings)
    window.setWindowIcon(QIcon(str(Path(basso.__file__).parent / "desktop" / "basso.svg")))
    if settings.geometry is not None:
        window.restoreGeometry(settings.geometry)
    return window


def _open_first(window: MainWindow, logs: list[Path], demo: bool) -> None:
    """After the first paint, open what was asked for: logs, the demo, or what was open last."""
    from PySide6.QtCore import QTimer

    from basso.garage.place import FILE, default_folder

    def begin() -> None:
        if logs:
            window.open_logs(logs)
        elif demo:
            window.desk.run("demo.open")
        elif last := window.settings.last_logs:
            window.desk.logs.open_logs(last, come_in=False)
        if not demo and (default_folder() / FILE).is_file():
            # The path says how the car stands.
            window.desk.logs.after_first_sight(window.desk.bench.garage.open_own)

    QTimer.singleShot(0, begin)


def _need_display() -> None:
    if sys.platform.startswith("linux") and not os.environ.get("QT_QPA_PLATFORM"):
        if os.environ.get("WAYLAND_DISPLAY") or os.environ.get("DISPLAY"):
            return
        raise InputError(
            "there is no display to open a window on; run it on a desktop, or draw the views to files "
            "with: make screenshots"
        )


def _need_libraries() -> None:
    """Raise one line that names the packages of all libraries that cannot be loaded."""
    sentence = qt_libraries.problem(os.environ)
    if sentence:
        raise InputError(sentence)
