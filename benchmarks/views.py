"""How quick the linked views answer, in milliseconds a painted frame: ``python -m benchmarks.views [steps]``.

The demo's first stint in one off-screen window of 1280 × 800. Each step is what a hand does (a key, the cursor put
elsewhere) until everything that follows it is painted. A frame at 60 Hz is 16 ms. The bare cursor at Dips is the
reference of the ratios.
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path


def main() -> None:
    """Open the demo, walk, print."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    with tempfile.TemporaryDirectory() as folder:
        for name in ("CACHE", "CONFIG", "DATA"):
            os.environ[f"XDG_{name}_HOME"] = str(Path(folder) / name.lower())
        _measure(int(sys.argv[1]) if len(sys.argv) > 1 else 60)
        sys.stdout.flush()
        os._exit(0)


def _measure(steps: int) -> None:
    from PySide6.QtCore import Qt
    from PySide6.QtTest import QTest
    from PySide6.QtWidgets import QApplication

    from basso.ui.app import make_window
    from basso.ui.stations.dips.widget import ONE_DIP, TRACES
    from basso.ui.window.screenshots import wait_until

    application = QApplication([])
    window = make_window(application)
    window.resize(1280, 800)
    window.show()
    desk = window.desk
    desk.logs.open_demo()
    wait_until(
        application, lambda: desk.bench.sessions.analysis is not None and desk.bench.trial.comparison is not None
    )
    desk.bench.sessions.show(next(e for e in desk.bench.sessions.entries if "stint 1" in e.title))
    desk.go_to("corners")
    wait_until(
        application,
        lambda: (
            desk.stations["corners"].page.told is not None
            and desk.stations["corners"].page.told.analysis is desk.bench.sessions.analysis
            and not desk.bench.jobs.busy
        ),
    )

    def frames(step: Callable[[int], object]) -> list[float]:
        took = []
        for i in range(steps):
            start = time.perf_counter()
            step(i)
            application.processEvents()
            took.append(1000.0 * (time.perf_counter() - start))
        return sorted(took)

    def there_and_back(forth: str, back: str, i: int) -> None:
        desk.run(forth if i // 20 % 2 == 0 else back)

    desk.go_to("dips")
    walked = {"cursor, at Dips": frames(lambda i: desk.bench.cursor.move_to(300.0 + i))}
    for page, name in ((TRACES, "next dip, its traces"), (ONE_DIP, "next dip, its own page")):
        desk.stations["dips"].page.show_page(page)
        application.processEvents()
        walked[name] = frames(lambda i: there_and_back("dip.next", "dip.previous", i))
    desk.stations["dips"].page.show_page(TRACES)
    desk.go_to("corners")
    application.processEvents()
    ladder = desk.stations["corners"].page.ladder
    ladder.setFocus()
    walked["cursor, at Corners"] = frames(lambda i: desk.bench.cursor.move_to(300.0 + i))
    walked["next rung of the ladder"] = frames(lambda _: QTest.keyClick(ladder, Qt.Key.Key_Right))
    walked["next place"] = frames(
        lambda i: QTest.keyClick(ladder, Qt.Key.Key_Up if i // 10 % 2 == 0 else Qt.Key.Key_Down)
    )
    reference = walked["cursor, at Dips"][steps // 2]
    for name, took in walked.items():
        middle, late = took[steps // 2], took[int(0.9 * steps)]
        print(f"{name:<28}{middle:6.1f} ms median {late:6.1f} ms in 9 of 10 {middle / reference:6.1f} × the cursor")


if __name__ == "__main__":
    main()
