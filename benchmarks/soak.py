"""A soak: random acts of a user on the real window, with a fixed seed.

``python -m benchmarks.soak [SECONDS] [SEED]`` (default 3600, 1): stations, commands, clicks, typing, undo, other logs,
theme, text size, window size; dialogs are filled in at random and answered. Prints what failed (the exception and the
acts that led there), and how memory and widgets grew after the first fifth.
"""

from __future__ import annotations

import os
import random
import resource
import shutil
import sys
import tempfile
import time
import traceback
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

_NEVER = frozenset({"window.close", "session.pick", "live.listen", "live.demo", "live.watch"})
"""Commands a soak leaves alone: they end it, wait for a bus, or open a menu that Qt itself waits in."""


@dataclass
class Soak:
    """What a soak saw.

    Attributes:
        acts: how many of each kind.
        failed: exceptions, each with the last acts before it.
        grown_mb, grown_widgets: after the warm-up.
    """

    acts: Counter[str] = field(default_factory=Counter)
    failed: list[str] = field(default_factory=list)
    grown_mb: float = 0.0
    grown_widgets: int = 0


def soak(seconds: float, seed: int, folder: Path) -> Soak:
    """Work in a window of its own for so long; ``folder``: an empty one, for all that is written."""
    from PySide6.QtCore import QCoreApplication, QEvent, Qt
    from PySide6.QtTest import QTest
    from PySide6.QtWidgets import (
        QAbstractButton,
        QAbstractSpinBox,
        QApplication,
        QComboBox,
        QDialog,
        QFileDialog,
        QInputDialog,
        QLineEdit,
        QListWidget,
        QMenu,
        QMessageBox,
        QPushButton,
        QTableView,
        QToolButton,
        QWidget,
    )

    from basso.ui.app import make_window
    from basso.ui.window.collecting import CollectHere
    from basso.workflow import demo_folder

    rng, told, last = random.Random(seed), Soak(), list[str]()
    logs = [shutil.copy(p, folder) for p in sorted(demo_folder().glob("*.csv"))]
    cut = folder / "cut.csv"
    cut.write_bytes(Path(logs[0]).read_bytes()[:200_000])
    (folder / "junk.csv").write_bytes(rng.randbytes(5000))
    names = [*logs, str(cut), str(folder / "junk.csv"), str(folder / "missing.csv"), ""]
    application = QApplication.instance() or QApplication([])
    assert isinstance(application, QApplication)
    CollectHere(application)

    def failed(kind: type[BaseException], error: BaseException, trace: object) -> None:
        where = "".join(traceback.format_exception(error)[-3:])
        told.failed.append(f"{where}  after {' · '.join(last[-6:])}")

    def written(*_: object, **__: object) -> tuple[str, str]:
        return rng.choice(
            ["", str(folder / "out.csv"), str(folder / "no such" / "out.pdf"), str(folder / "o.json")]
        ), ""

    def answer(dialog: QDialog) -> int:
        """What a user does with a dialog: some typing, some clicks, an answer."""
        dialog.show()
        for _ in range(rng.randrange(4)):
            touch(dialog)
        application.processEvents()
        dialog.close() if rng.random() < 0.5 else dialog.accept()
        return dialog.result()

    def pick(menu: QMenu, *_: object) -> object:
        actions = [a for a in menu.actions() if a.isEnabled() and not a.isSeparator()]
        act = rng.choice(actions) if actions and rng.random() < 0.6 else None
        if act is not None:
            act.trigger()
        return act

    typed = lambda *_, **__: (rng.choice(["volume=+0.4", "pickup_z=-5", "nonsense", ""]), rng.random() < 0.7)  # noqa: E731
    # What Qt itself would wait in for an answer.
    for owner, name, stand_in in (
        (QFileDialog, "getSaveFileName", written),
        (QFileDialog, "getOpenFileName", lambda *_, **__: (rng.choice(names), "")),
        (QFileDialog, "getOpenFileNames", lambda *_, **__: (rng.sample(names[:-1], 2), "")),
        (QFileDialog, "getExistingDirectory", lambda *_, **__: ""),
        (QInputDialog, "getText", typed),
        (QInputDialog, "getDouble", lambda *_, **__: (rng.choice([0.0, 3.5, -2.0, 400.0]), rng.random() < 0.7)),
    ):
        setattr(owner, name, staticmethod(stand_in))
    for waits, answers in ((QDialog, answer), (QMessageBox, answer), (QMenu, pick)):
        setattr(waits, "exec", answers)  # noqa: B010
    before = sys.excepthook
    sys.excepthook = failed
    window = make_window(application)
    window.resize(1280, 800)
    window.show()
    desk = window.desk
    desk.run("demo.open")

    def touch(whole: QWidget) -> None:
        """Click, type or choose at a place that can be seen."""
        kinds = (QAbstractButton, QLineEdit, QComboBox, QListWidget, QTableView, QAbstractSpinBox)
        seen = [w for w in whole.findChildren(QWidget) if isinstance(w, kinds) and w.isVisible() and w.isEnabled()]
        if not seen:
            return
        w = rng.choice(seen)
        last.append(f"{type(w).__name__} {w.accessibleName() or getattr(w, 'text', str)()}"[:60])
        if isinstance(w, QLineEdit | QAbstractSpinBox):
            QTest.keyClicks(w, rng.choice(["12", "-3.5", "abc", "1e9", "=1+1;", " ", "100"]))
            QTest.keyClick(w, Qt.Key.Key_Return)
        elif isinstance(w, QComboBox):
            w.setCurrentIndex(rng.randrange(max(w.count(), 1)))
        elif isinstance(w, QListWidget | QTableView):
            w.setCurrentIndex(w.model().index(rng.randrange(max(w.model().rowCount(), 1)), 0))
        elif isinstance(w, QPushButton | QToolButton) and w.menu() is not None:
            pick(w.menu())  # by itself it would wait in Qt
        else:
            QTest.mouseClick(w, Qt.MouseButton.LeftButton)

    def command() -> None:
        row = rng.choice([c for c in desk.commands.usable() if c.key not in _NEVER])
        last.append(row.key)
        desk.run(row.key)

    def station() -> None:
        key = rng.choice(list(desk.stations))
        last.append(key)
        desk.go_to(key)

    def scrub() -> None:
        first, end = desk.bench.cursor.whole
        desk.bench.cursor.move_to(rng.uniform(first, end))

    def wait() -> None:
        began = time.monotonic()
        while desk.bench.jobs.busy and time.monotonic() - began < 20.0:
            application.processEvents()
            time.sleep(0.005)

    acts: tuple[tuple[str, int, Callable[[], object]], ...] = (
        ("click", 8, lambda: touch(desk.stations[desk.station].page)),
        ("command", 6, command),
        ("station", 4, station),
        ("scrub", 3, scrub),
        ("undo", 2, desk.bench.undo.undo),
        ("redo", 1, desk.bench.undo.redo),
        ("resize", 1, lambda: window.resize(rng.randrange(1100, 2561), rng.randrange(700, 1441))),
        ("open", 1, lambda: window.open_logs([Path(rng.choice(names[:-1]))])),
        ("wait", 3, wait),
    )
    began = time.monotonic()
    warm: tuple[float, int] | None = None
    while (spent := time.monotonic() - began) < seconds:
        name, _, act = rng.choices(acts, [weight for _, weight, _ in acts])[0]
        told.acts[name] += 1
        last.append(name)
        del last[:-12]
        try:
            act()
            for dialog in [w for w in application.topLevelWidgets() if isinstance(w, QDialog) and w.isVisible()]:
                dialog.close()
            application.processEvents()
            # What was let go of goes when the event loop comes round, which here is by hand.
            QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        except Exception as error:
            failed(type(error), error, None)
        if warm is None and spent > 0.2 * seconds:
            wait()
            warm = _resident_mb(), len(application.allWidgets())
    wait()
    if warm is not None:
        told.grown_mb = _resident_mb() - warm[0]
        told.grown_widgets = len(application.allWidgets()) - warm[1]
    window.close()
    sys.excepthook = before
    return told


def _resident_mb() -> float:
    pages = int(Path("/proc/self/statm").read_text(encoding="ascii").split()[1])
    return pages * resource.getpagesize() / 1e6


def main() -> None:
    """Soak and tell."""
    seconds = float(sys.argv[1]) if len(sys.argv) > 1 else 3600.0
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else 1
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    with tempfile.TemporaryDirectory() as name:
        for variable in ("HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME", "XDG_DATA_HOME", "XDG_STATE_HOME"):
            os.environ[variable] = name
        told = soak(seconds, seed, Path(name))
        print(f"seed {seed}, {seconds:.0f} s: {sum(told.acts.values())} acts {dict(told.acts)}")
        print(f"after the warm-up: {told.grown_mb:+.1f} MB, {told.grown_widgets:+d} widgets")
        for words, count in Counter(told.failed).most_common():
            print(f"{count} × {words}")
        sys.stdout.flush()
        os._exit(1 if told.failed else 0)


if __name__ == "__main__":
    main()
