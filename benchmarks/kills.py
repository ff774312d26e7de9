"""Kills: work that is stopped dead (SIGKILL) at any moment loses nothing that was committed and leaves nothing half
kept.

``python -m benchmarks.kills [COUNT] [SEED]`` (default 200, 1): edit, import, export, backup, restore and keeping a log
in turn; after each kill the garage is opened again as the next start does, and everything in it is looked at.
"""

from __future__ import annotations

import random
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
import time
import zipfile
from collections import Counter
from contextlib import closing
from dataclasses import replace
from pathlib import Path

from basso.memory.memory import Memory

VERBS = ("edit", "import", "export", "backup", "restore", "keep")


def work(verb: str, folder: Path) -> None:
    """In the process that is killed: do one thing over and over, saying what is committed."""
    import os

    for variable in ("XDG_CACHE_HOME", "XDG_DATA_HOME", "XDG_STATE_HOME"):
        os.environ[variable] = str(folder / "home")
    from basso.garage.backups import backups_in, restore
    from basso.garage.bundle import export_car, import_car
    from basso.garage.records import Car
    from basso.garage.store import Garage

    print("ready", flush=True)
    for turn in range(1000):
        if verb == "restore":
            restore(folder, backups_in(folder)[-1])
        elif verb == "keep":
            from basso.workflow import open_recording

            shutil.rmtree(folder / "home" / "basso" / "recordings", ignore_errors=True)
            open_recording(folder / "log.csv")
        else:
            with Garage(folder) as garage:
                if verb == "edit":
                    car = min(garage.all(Car), key=lambda c: c.name)
                    garage.change("noting", car, replace(car, note=str(turn)))
                elif verb == "import":
                    import_car(garage, folder / "car.zip", f"Copy {turn}")
                elif verb == "export":
                    export_car(garage, garage.all(Car)[0], folder / "out" / "car.zip", Memory.own().decisions)
                else:
                    garage.back_up()
        print(turn, flush=True)


def look(verb: str, folder: Path, last: int) -> str:
    """What is wrong after the kill and the next start; "" when nothing is."""
    from basso.garage.records import Attachment, Car, Session
    from basso.garage.store import Garage

    if not (folder / "garage.sqlite").exists():
        return "the garage is gone"
    with Garage(folder) as garage:
        cars = garage.all(Car)
        if not any(c.name == "Car 31" for c in cars):
            return "the car is gone"
        car = min(cars, key=lambda c: c.name)
        if verb == "edit" and last >= 0 and (not car.note.isdigit() or int(car.note) < last):
            return f"edit {last} was committed and is lost"
        if verb == "import" and len(cars) - 1 < last + 1:
            return f"{last + 1} imports were committed, {len(cars) - 1} are there"
        wanted = len(garage.all(Session, car.id))
        if any(len(garage.all(Session, c.id)) != wanted for c in cars):
            return "half a car is there"
        named = {f"{s.log_hash}.parquet" for s in garage.all(Session)} | {a.file_hash for a in garage.all(Attachment)}
        left = [p.name for d in ("samples", "files") for p in (folder / d).glob("*") if p.name not in named]
        if left:
            return f"files that nothing names: {left[:3]}"
    odd = [p.name for p in (*folder.glob(".*"), *(folder / "backups").glob("*")) if _is_left_over(p)]
    if odd:
        return f"left over: {odd[:3]}"
    for backup in (folder / "backups").glob("*.sqlite"):
        with closing(sqlite3.connect(backup)) as connection:
            if connection.execute("PRAGMA integrity_check(1)").fetchone()[0] != "ok":
                return f"{backup.name} is not whole"
    out = folder / "out" / "car.zip"
    if out.exists():
        with zipfile.ZipFile(out) as zipped:
            if zipped.testzip() is not None:
                return "the exported car is not whole"
    if any((folder / "out").glob(".*")):
        return "an export left a half file behind"
    if verb == "keep":
        return _look_at_cache(folder)
    return ""


def _is_left_over(path: Path) -> bool:
    return path.name.startswith((".incoming-", ".restoring", ".garage.sqlite")) or ".part" in path.name


def _look_at_cache(folder: Path) -> str:
    import os

    import numpy as np

    from basso.formats.registry import read_recording
    from basso.workflow import open_recording

    os.environ["XDG_CACHE_HOME"] = str(folder / "home")
    kept, fresh = open_recording(folder / "log.csv"), read_recording(folder / "log.csv")
    same = all(
        np.array_equal(a.values, b.values, equal_nan=True) for a, b in zip(kept.channels, fresh.channels, strict=True)
    )
    return "" if same else "what was kept of the log is not the log"


def main() -> None:
    """Kill and report."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    rng = random.Random(int(sys.argv[2]) if len(sys.argv) > 2 else 1)
    wrong: Counter[str] = Counter()
    done: Counter[str] = Counter()
    mended = 0
    with tempfile.TemporaryDirectory(prefix="kills-") as root:
        sound = make_sound(Path(root) / "sound")
        for number in range(count):
            verb = VERBS[number % len(VERBS)]
            folder = Path(root) / f"{number}"
            shutil.copytree(sound, folder)
            last = kill(verb, folder, rng)
            before = len(list(folder.glob("garage-before-restore-*")))
            try:
                words = look(verb, folder, last)
            except Exception as error:
                words = f"{type(error).__name__}: {error}"
            mended += verb == "restore" and before > 0
            done[verb] += 1
            if words:
                wrong[verb] += 1
                print(f"  {number} {verb}, after {last + 1}: {words}", flush=True)
            shutil.rmtree(folder)
    print("  ".join(f"{verb} {done[verb]} ({wrong[verb]} wrong)" for verb in VERBS))
    print(f"{sum(done.values())} kills, {sum(wrong.values())} wrong")
    sys.exit(bool(wrong))


def make_sound(folder: Path) -> Path:
    """A garage with two backups, a bundle of its car, a log."""
    from basso.car.demo import make_demo_garage
    from basso.garage.bundle import export_car
    from basso.garage.records import Car
    from basso.garage.store import Garage
    from basso.workflow import demo_folder

    make_demo_garage(demo_folder(), folder)
    (folder / "out").mkdir()
    (folder / "home").mkdir()
    shutil.copy(demo_folder() / "hill-climb.csv", folder / "log.csv")
    with Garage(folder) as garage:
        session = next(iter(garage.of_car(garage.all(Car)[0].id)["sessions"]))
        garage.files.keep_samples(session.log_hash, b"PAR1" * 200_000)  # type: ignore[attr-defined]
        export_car(garage, garage.all(Car)[0], folder / "car.zip", Memory.own().decisions)
        garage.back_up()
        garage.back_up()
    return folder


def kill(verb: str, folder: Path, rng: random.Random) -> int:
    """Let it work for a moment and kill it; the last turn it said was committed, −1 for none."""
    command = [sys.executable, "-m", "benchmarks.kills", "--work", verb, str(folder)]
    with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True) as child:
        assert child.stdout is not None and child.stderr is not None
        child.stdout.readline()
        time.sleep(rng.uniform(0.0, 0.6))
        child.send_signal(signal.SIGKILL)
        said = child.stdout.read().split()
        problem = child.stderr.read()
    if "Traceback" in problem:
        print(problem)
    return int(said[-1]) if said else -1


if __name__ == "__main__":
    if sys.argv[1:2] == ["--work"]:
        work(sys.argv[2], Path(sys.argv[3]))
    else:
        main()
