"""How quick Basso is, as ratios to a plain reference in the same run: ``python -m benchmarks.speed``.

Whole processes are timed from outside, in turn with their reference, and medians of ratios are printed; frames are
timed in one off-screen window on an hour's log at 100 Hz with 20 channels.
"""

from __future__ import annotations

import os
import resource
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from basso.standin.car import Outing
from basso.standin.circuit import harrowfell
from basso.standin.engine import Heat
from basso.standin.faults import Logger
from basso.standin.scenarios import generator, run_setup
from basso.standin.simulate import Setup

if TYPE_CHECKING:
    from basso.ui.window.desk import Desk

_PLAIN_READ = "import sys, polars; polars.read_csv(sys.argv[1])"
_BARE_WINDOW = """
from PySide6.QtWidgets import QApplication, QMainWindow
app = QApplication([]); w = QMainWindow(); w.resize(1280, 800); w.show(); app.processEvents()
"""
_FIRST_PAINT = """
import os
from PySide6.QtWidgets import QApplication
from basso.ui.app import make_window
from basso.ui.window.main_window import MainWindow
app = QApplication([])
painted = MainWindow.paintEvent
def paint(self, event):
    painted(self, event); self.centralWidget().repaint(); os._exit(0)
MainWindow.paintEvent = paint
w = make_window(app); w.show(); app.exec()
"""
_DEMO_DRAWN = """
import os, time
from PySide6.QtWidgets import QApplication
from basso.ui.app import make_window, _open_first
app = QApplication([]); w = make_window(app); w.show(); _open_first(w, [], True)
while w._desk is None or w.desk.bench.sessions.analysis is None: app.processEvents(); time.sleep(0.001)
app.processEvents(); os._exit(0)
"""


def _once(command: list[str]) -> tuple[float, float]:
    """Wall and CPU seconds of one whole process."""
    before, start = resource.getrusage(resource.RUSAGE_CHILDREN), time.perf_counter()
    subprocess.run(command, check=False, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    wall, after = time.perf_counter() - start, resource.getrusage(resource.RUSAGE_CHILDREN)
    return wall, after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime


def ratio(name: str, command: list[str], reference: list[str], runs: int = 9, fresh: bool = False) -> None:
    """Time two commands in turn and print the median ratio of wall and CPU time.

    ``fresh``: what was kept of the log is deleted before each run, so that it is read anew.
    """

    def forget() -> None:
        if fresh:
            shutil.rmtree(Path(os.environ["XDG_CACHE_HOME"]) / "basso", ignore_errors=True)

    def once() -> tuple[float, float]:
        forget()
        return _once(command)

    for c in (once, lambda: _once(reference)) * 2:
        c()
    pairs = [(once(), _once(reference)) for _ in range(runs)]
    wall = statistics.median(a[0] / b[0] for a, b in pairs)
    cpu = statistics.median(a[1] / b[1] for a, b in pairs)
    base = statistics.median(b[0] for _, b in pairs)
    print(f"{name:<52}{wall:6.2f} × wall {cpu:6.2f} × cpu   (reference {base:.2f} s)")


def dialects(text: str) -> Iterator[tuple[str, bytes]]:
    """The same log in odd dialects."""
    head, *rows = text.strip().split("\n")

    def clock(row: str, day: str = "") -> str:
        seconds, rest = row.split(",", 1)
        t = 36000 + float(seconds)
        return f"{day}{int(t // 3600):02d}:{int(t % 3600 // 60):02d}:{t % 60:06.3f},{rest}"

    def thinned(i: int, row: str) -> str:
        cells = row.split(",")
        return row if i % 10 == 0 else ",".join([*cells[:9], *[""] * len(cells[9:])])

    plain_time = head.replace("Time [s]", "Time")
    yield "clock times", "\n".join([plain_time, *map(clock, rows)]).encode()
    yield "dates", "\n".join([plain_time, *(clock(r, "2026-05-12T") for r in rows)]).encode()
    yield "UTF-16", text.encode("utf-16")
    yield "decimal comma", text.replace(",", ";").replace(".", ",").encode()
    yield "sparse rows", "\n".join([head, *(thinned(i, r) for i, r in enumerate(rows))]).encode()


def frames(log: Path) -> None:
    """Median milliseconds a painted frame takes on a long log."""
    from PySide6.QtWidgets import QApplication

    from basso.ui.app import make_window
    from basso.ui.window.screenshots import wait_until

    application = QApplication([])
    window = make_window(application)
    window.resize(1280, 800)
    window.show()
    desk = window.desk
    window.open_logs([log])
    wait_until(application, lambda: desk.bench.sessions.analysis is not None)
    cursor = desk.bench.cursor

    def median(step: Callable[[int], object]) -> float:
        times = []
        for i in range(80):
            start = time.perf_counter()
            step(i)
            application.processEvents()
            times.append(1000 * (time.perf_counter() - start))
        return statistics.median(times)

    cursor.show(*cursor.whole)
    print(f"{'cursor move, every view, whole session':<52}{median(lambda i: cursor.move_to(100 + 20 * i)):6.1f} ms")
    cursor.show(1000, 1090)
    print(f"{'cursor move, every view, a lap':<52}{median(lambda i: cursor.move_to(1000 + i)):6.1f} ms")
    print(f"{'pan, a lap':<52}{median(lambda i: cursor.show(1000 + 7 * i, 1090 + 7 * i)):6.1f} ms")
    print(f"{'pan, ten seconds':<52}{median(lambda i: cursor.show(1000 + 2 * i, 1010 + 2 * i)):6.1f} ms")
    print(f"{'pan, twenty minutes':<52}{median(lambda i: cursor.show(300 + 7 * i, 1500 + 7 * i)):6.1f} ms")

    def zoom(i: int) -> None:
        cursor.zoom(0.8, 2000.0) if i % 20 else cursor.show(*cursor.whole)

    print(f"{'zoom':<52}{median(zoom):6.1f} ms")


def garage() -> None:
    """Median milliseconds of the Garage station with 20 cars of 100 sessions each, and of each letter of a search."""
    from PySide6.QtWidgets import QApplication

    from basso.garage.records import Build, Car, Engine
    from basso.garage.records import Session as Drive
    from basso.garage.store import Garage
    from basso.ui.app import make_window
    from basso.ui.window.screenshots import wait_until

    with tempfile.TemporaryDirectory() as folder:
        with Garage(Path(folder)) as kept:
            for c in range(20):
                car = Car(name=f"Car {c}")
                motor = Engine(car=car.id, name="Engine")
                builds = [
                    Build(car=car.id, engine=motor.id, name=f"Build {b}", since=f"2026-0{b + 1}-01") for b in range(5)
                ]
                drives = [
                    Drive(
                        car=car.id,
                        build=builds[i % 5].id,
                        title=f"Stint {i}",
                        began=f"2026-06-{i % 28 + 1:02d}",
                        circuit="Harrowfell",
                    )
                    for i in range(100)
                ]
                kept.add("adding", car, motor, *builds, *drives)
            for drive in kept.all(Drive)[:1]:  # and one car with a long life
                kept.add("adding", *(replace(drive, id=f"{i:032x}", title=f"Long {i}") for i in range(2000)))
        application = QApplication.instance() or QApplication([])
        assert isinstance(application, QApplication)
        window = make_window(application)
        window.resize(1280, 800)
        window.show()
        desk = window.desk
        desk.bench.garage.open(Path(folder))
        wait_until(application, lambda: len(desk.bench.garage.cars) == 20)

        def median(step: Callable[[int], object]) -> float:
            times = []
            for i in range(9):
                start = time.perf_counter()
                step(i)
                application.processEvents()
                times.append(1000 * (time.perf_counter() - start))
            return statistics.median(times)

        def come(i: int) -> None:
            desk.go_to("recordings")
            desk.bench.garage.refresh()
            desk.go_to("garage")

        for name in ("Car 5", next(c.name for c in desk.bench.garage.cars if len(kept_sessions(desk, c.id)) > 1000)):
            desk.bench.garage.choose(next(c.id for c in desk.bench.garage.cars if c.name == name))
            many = len(kept_sessions(desk, desk.bench.garage.view.car.id)) if desk.bench.garage.view else 0
            print(f"{f'garage read anew and shown, car of {many} sessions':<52}{median(come):6.1f} ms")
            print(
                f"{'a letter more in its search':<52}"
                f"{median(lambda i: desk.stations['garage'].page.search.setText('stint 77'[: i + 1])):6.1f} ms"
                ""
                "ms"
            )
        window.close()


def kept_sessions(desk: Desk, car: str) -> list[object]:
    """Sessions of a car in the open garage."""
    from basso.garage.records import Session as Drive

    assert desk.bench.garage.garage is not None
    return list(desk.bench.garage.garage.all(Drive, car))


def main() -> None:
    """Make the long log and measure."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    with tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_CONFIG_HOME"] = folder
        os.environ["XDG_CACHE_HOME"] = f"{folder}/cache"
        os.environ["XDG_DATA_HOME"] = f"{folder}/data"
        log = Path(folder) / "hour.csv"
        setup = Setup(harrowfell(), heat=Heat(start_c=82, tau_s=900), session=Outing(laps=38))
        log.write_bytes(run_setup(setup, replace(Logger(100), extra_channels=11), generator("hour", 1))[1])
        python = sys.executable
        basso = [python, "-m", "basso"]
        plain = [python, "-c", _PLAIN_READ, str(log)]
        print(f"One hour at 100 Hz with 20 channels, {log.stat().st_size / 1e6:.0f} MB")
        ratio("basso analyze / plain library read", [*basso, "analyze", str(log), "--json"], plain, fresh=True)
        ratio("basso import / plain library read", [*basso, "import", str(log), "--json"], plain, fresh=True)
        ratio("basso import again / plain library read", [*basso, "import", str(log), "--json"], plain)
        ratio("basso analyze again / plain library read", [*basso, "analyze", str(log), "--json"], plain)
        for name, data in dialects(log.read_text(encoding="utf-8")):
            odd = Path(folder) / f"{name}.csv"
            odd.write_bytes(data)
            ratio(
                f"basso import, {name} / plain read of the plain file",
                [*basso, "import", str(odd)],
                plain,
                5,
                fresh=True,
            )
            odd.unlink()
        bare = [python, "-c", _BARE_WINDOW]
        ratio("first window painted / bare Qt window", [python, "-c", _FIRST_PAINT], bare)
        ratio("demo session judged and drawn / bare Qt window", [python, "-c", _DEMO_DRAWN], bare)
        frames(log)
        garage()
        os._exit(0)


if __name__ == "__main__":
    main()
