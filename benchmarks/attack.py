"""Attack: thousands of damaged and crafted inputs, every one of which must be read or refused in one sentence.

``python -m benchmarks.attack [COUNT] [SEED]`` (default 2500, 1). Counted against: tracebacks, hangs over 20 s,
processes over 1.5 GB, files made or changed outside, garages changed by what was refused, messages without the file's
name.
"""

from __future__ import annotations

import concurrent.futures
import gzip
import hashlib
import io
import json
import multiprocessing
import os
import random
import resource
import shutil
import sys
import tempfile
import time
import warnings
import zipfile
from collections import Counter
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path

from basso.errors import BassoError
from basso.memory.memory import Memory
from basso.plain_text import spelled_out
from basso.workflow import demo_folder

LONGEST_S, MOST_BYTES = 20.0, 1_500_000_000
WORKERS = 2


@dataclass(frozen=True, slots=True)
class Attack:
    """One input: its kind, and what is wrong with how it was taken ("" when nothing is)."""

    kind: str
    name: str
    seconds: float
    wrong: str
    refused: bool


@dataclass(slots=True)
class Ground:
    """A folder of its own with sound originals and a garage; everything a process may write lies inside."""

    folder: Path
    sound: dict[str, bytes] = field(default_factory=dict)

    def put(self, name: str, data: bytes) -> Path:
        """A fresh file; its folder is emptied first."""
        room = self.folder / "room"
        shutil.rmtree(room, ignore_errors=True)
        room.mkdir()
        path = room / name
        path.write_bytes(data)
        return path


def damaged(rng: random.Random, sound: bytes) -> bytes:
    """Bytes changed, cut out, put in or doubled, a stretch of zeros, or the end cut off; once or several times."""
    data = bytearray(sound)
    for _ in range(rng.choice((1, 1, 1, 3, 10))):
        if len(data) < 8:
            break
        at = rng.randrange(len(data))
        kind = rng.randrange(6)
        if kind == 0:
            data[at] = rng.randrange(256)
        elif kind == 1:
            del data[at : at + rng.randrange(1, 400)]
        elif kind == 2:
            data[at:at] = rng.randbytes(rng.randrange(1, 60))
        elif kind == 3:
            data[at : at + 8] = rng.choice(
                (b"\xff" * 8, b"\x00" * 8, (1 << 62).to_bytes(8, "little"), rng.randbytes(8))
            )
        elif kind == 4:
            data[at:at] = data[max(0, at - 300) : at]
        else:
            del data[max(8, at) :]
    return bytes(data)


# Originals


def make_ground(folder: Path) -> Ground:
    """Sound logs of every kind, a database, a bundle."""
    import numpy as np
    import polars as pl
    from asammdf import MDF, Signal
    from asammdf.blocks.conversion_utils import from_dict
    from can import ASCWriter, BLFWriter, CanutilsLogReader, TRCWriter

    from basso.car.demo import make_demo_garage
    from basso.garage.bundle import export_car
    from basso.garage.records import Car
    from basso.garage.store import Garage

    folder.mkdir(parents=True, exist_ok=True)
    for variable, name in (
        ("XDG_CACHE_HOME", "cache"),
        ("XDG_DATA_HOME", "data"),
        ("XDG_STATE_HOME", "state"),
        ("HOME", "home"),
    ):
        (folder / name).mkdir(exist_ok=True)
        os.environ[variable] = str(folder / name)
    ground = Ground(folder)
    s = ground.sound
    rows = (demo_folder() / "hill-climb.csv").read_bytes().splitlines(keepends=True)
    s[".csv"] = b"".join(rows[:1200])
    s[".csv.gz"] = gzip.compress(s[".csv"])
    t = np.arange(600) * 0.05
    frame = pl.DataFrame(
        {
            "Time [s]": t,
            "RPM": 3500 + 1500 * np.sin(t),
            "Oil pressure [kPa]": 320 + 90 * np.sin(t),
            "Oil temp [C]": 90 + t / 4,
            "When": pl.Series(t).cast(pl.Duration("us")),
            "Note": ["x"] * t.size,
        }
    )
    for suffix, write in ((".parquet", frame.write_parquet), (".arrow", frame.write_ipc)):
        out = io.BytesIO()
        write(out)
        s[suffix] = out.getvalue()
    for version, suffix in (("4.10", ".mf4"), ("3.30", ".mdf")):
        with MDF(version=version) as file:
            raw = (np.arange(600) % 200).astype("u2")
            file.append(
                [
                    Signal(raw, t, name="RPM", unit="rpm", conversion=from_dict({"formula": "X*20+800"})),
                    Signal(320 + t, t, name="Oil pressure", unit="kPa"),
                    Signal(raw, t, name="gear", conversion=from_dict({"a": 2.0, "b": 1.0})),
                ]
            )
            target = folder / f"sound{suffix}"
            file.save(target, overwrite=True)
            s[suffix] = target.read_bytes()
    bus = demo_folder() / "bus" / "harrowfell.log"
    s[".log"] = b"".join(bus.read_bytes().splitlines(keepends=True)[:2000])
    s[".dbc"] = bus.with_suffix(".dbc").read_bytes()
    (folder / "sound.log").write_bytes(s[".log"])
    messages = list(CanutilsLogReader(str(folder / "sound.log")))
    for suffix, writer in ((".asc", ASCWriter), (".blf", BLFWriter), (".trc", TRCWriter)):
        with writer(str(folder / f"sound{suffix}")) as out_file:
            for m in messages:
                out_file.on_message_received(m)
        s[suffix] = (folder / f"sound{suffix}").read_bytes()
    make_demo_garage(demo_folder(), folder / "from")
    with Garage(folder / "from") as garage:
        (car, *_) = garage.all(Car)
        export_car(garage, car, folder / "sound.zip", Memory.own().decisions)
        s[".sqlite"] = _copy_of(garage)
    s[".zip"] = _smaller((folder / "sound.zip").read_bytes())
    return ground


def _copy_of(garage: object) -> bytes:
    file = garage.back_up()  # type: ignore[attr-defined]
    return Path(file).read_bytes()


def _smaller(bundle: bytes) -> bytes:
    """The bundle without its samples, which make it slow to damage."""
    with zipfile.ZipFile(io.BytesIO(bundle)) as zipped:
        parts = {n: zipped.read(n) for n in zipped.namelist() if not n.startswith("samples/")}
    return bundle_of(parts)


def bundle_of(parts: dict[str, bytes], resign: bool = True) -> bytes:
    """A bundle of these parts, its sums put right."""
    if resign and "bundle.json" in parts:
        head = json.loads(parts["bundle.json"])
        head["contents"] = {
            n: hashlib.sha256(d).hexdigest() for n, d in parts.items() if n not in ("bundle.json", "README.txt")
        }
        parts = {**parts, "bundle.json": json.dumps(head).encode()}
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as zipped:
        for name, data in parts.items():
            zipped.writestr(name, data)
    return out.getvalue()


def parts_of(bundle: bytes) -> dict[str, bytes]:
    """The parts of a bundle."""
    with zipfile.ZipFile(io.BytesIO(bundle)) as zipped:
        return {n: zipped.read(n) for n in zipped.namelist()}


# What is planted

PLANTED = (
    "__import__('os').system('touch {mark}')",
    "X.__class__",
    "X[0]",
    "[x for x in (1,)]",
    "(lambda: 0)()",
    "9**9**9**9**9",
    "open('{mark}','w')",
    "exec('1')",
    "X if X else X",
    "f'{{X}}'",
    "X; X",
    "import os",
    "(" * 400 + "X" + ")" * 400,
    "print(X)",
    "X.tofile('{mark}')",
    "globals()",
    "1e400*X",
    "X and open('{mark}','w')",
    "X|X",
    "~X",
    "\\x41",
    "X" * 5000,
)
CELLS = (
    b"=1+1",
    b"<img src='/etc/passwd'>",
    b"\x1b[2J",
    b'"' + b"a" * 200_000 + b'"',
    b"1" * 400,
    b"-inf",
    b"1e999",
    b"\xff\xfe",
    "‮".encode(),
    b"\x00",
    b"nan",
    b"99999999999999999999",
    b"10:99:99",
    b"(" * 60_000,
    b"_" * 60_000,
    b"[" * 9_000 + b"]" * 9_000,
)
CLAIMS: tuple[tuple[bytes, bytes], ...] = (
    (b"0|16@1+", b"0|1000000000@1+"),
    (b"0|16@1+", b"0|0@1+"),
    (b"0|16@1+", b"99999|16@1+"),
    (b"(0.25,0)", b"(1e99999,0)"),
    (b"SG_ Throttle :", b"SG_ Throttle m0M :"),
    (b"SG_ EngineSpeed :", b"SG_ EngineSpeed M :"),
    (b"BO_ 1600", b"BO_ 99999999999999999999"),
    (b"VERSION", b"PK\x03\x04"),
    (b"CM_", b"CM_" * 5000),
    (b"BU_:", b"BU_: " + b"x " * 100_000),
    (b'"rpm"', b'"' + b"r" * 100_000 + b'"'),
    (b"CM_", b"SG_MUL_VAL_ 1600 Throttle EngineSpeed 0-100000000;\nCM_"),
    (b"CM_", b"SIG_VALTYPE_ 1600 EngineSpeed : 9;\nCM_"),
    (b"NS_ :", b"<?xml version='1.0'?><!DOCTYPE a [<!ENTITY b SYSTEM 'file:///etc/passwd'>]>"),
    (b"[0|16000]", b"[1e400|-1e400]"),
)


def _change_rows(part: str, **changes: object) -> Callable[[dict[str, bytes]], None]:
    def apply(parts: dict[str, bytes]) -> None:
        rows = json.loads(parts[part])
        if rows:
            rows[0].update(changes)
        parts[part] = json.dumps(rows).encode()

    return apply


def _raw_part(part: str, data: bytes) -> Callable[[dict[str, bytes]], None]:
    return lambda parts: parts.update({part: data})


CRAFTED: tuple[Callable[[dict[str, bytes]], None], ...] = (
    _change_rows("records/attachments.json", file_hash="/etc/passwd"),
    _change_rows("records/attachments.json", file_hash="../garage.sqlite"),
    _change_rows("records/sessions.json", log_hash="../../etc/passwd"),
    _change_rows("records/sessions.json", log_hash="/etc/passwd"),
    _change_rows("records/sessions.json", title="\ud800"),
    _change_rows("records/sessions.json", air_c=10**400),
    _change_rows("records/sessions.json", laps=10**30),
    _change_rows("records/sessions.json", build="\x1b[2J"),
    _change_rows("records/cars.json", name="<img src='/dev/zero'>\x00\n"),
    _change_rows("records/cars.json", id=""),
    _change_rows("records/jobs.json", entries={"a": {"b": [{"c": 1}] * 3}}),
    _raw_part("records/jobs.json", b"[" * 100_000),
    _raw_part("records/oil.json", b'[{"a":' * 5000),
    _raw_part("records/sessions.json", b"[1" + b"0" * 100_000 + b"]"),
    _raw_part("records/sessions.json", b"[NaN]"),
    _raw_part("records/sessions.json", b"\xff\xfe[]"),
    _raw_part("samples/../../x.parquet", b"x"),
    _raw_part("files/" + "0" * 64 + ".desktop", b"x"),
    _raw_part("files/..", b"x"),
    _raw_part("records/decisions.json", b'{"/etc/passwd": {"refused": [], "edited": []}}'),
    _raw_part("records/decisions.json", b'{"a": {"refused": [["x","offset"]], "edited": [["x","offset",1e400]]}}'),
    _raw_part("bundle.json", b"{}"),
    _raw_part("bundle.json", b"[" * 50_000),
    _raw_part("samples/" + "a" * 40 + ".parquet", b"\x00" * 3_000_000),
    _raw_part("records/unknown.json", b"[]"),
    _change_rows("records/engines.json", maker_points=[[1, 2, 3]]),
)


# One attack of each kind


SHARES = {
    "text": 26,
    "cells": 10,
    "gz": 6,
    "parquet": 8,
    "arrow": 6,
    "mdf": 7,
    "formula": 3,
    "bus": 10,
    "dbc": 6,
    "bundle": 8,
    "crafted": 5,
    "database": 4,
    "memory": 3,
    "cache": 3,
    "special": 1,
}
QUICK = {
    "text": 70,
    "cells": 26,
    "gz": 8,
    "parquet": 4,
    "arrow": 3,
    "mdf": 5,
    "formula": 4,
    "bus": 6,
    "dbc": 5,
    "bundle": 20,
    "crafted": 26,
    "database": 8,
    "memory": 4,
    "cache": 4,
    "special": 7,
}
"""For the tests: the same kinds, fewer of those that take a process each."""


def attacks(count: int, seed: int, shares: Mapping[str, int]) -> Iterator[tuple[str, int]]:
    """Kinds and numbers of the attacks, in a shuffled order that a seed fixes."""
    total = sum(shares.values())
    made = [(kind, n) for kind, share in shares.items() for n in range(max(1, round(count * share / total)))]
    random.Random(seed).shuffle(made)
    yield from made


def one(ground: Ground, kind: str, number: int, seed: int) -> Attack:
    """Make one input, let Basso take it, and say what is wrong with how it did."""
    rng = random.Random(f"{seed} {kind} {number}")
    begun = time.perf_counter()
    mark = ground.folder / "room" / "planted"
    try:
        path, refused, wrong = _DO[kind](ground, rng, number)
        name = path.name
    except Exception as error:  # the attack itself went wrong, which is a fault of this file
        return Attack(kind, "?", 0.0, f"{type(error).__name__}: {error}"[:300], False)
    seconds = time.perf_counter() - begun
    if not wrong and seconds > LONGEST_S:
        wrong = f"took {seconds:.0f} s"
    if not wrong and mark.exists():
        wrong = "ran what was planted"
    return Attack(kind, f"{number} {name}", seconds, wrong, refused)


def _taken(path: Path, work: Callable[[], object]) -> tuple[bool, str]:
    """Whether it was refused, and what is wrong with that."""
    try:
        work()
    except BassoError as error:
        words = str(error)
        if "\n" in words or "\x1b" in words:
            return True, f"a message of several lines: {words[:200]!r}"
        if spelled_out(path.name)[:20] not in words:
            return True, f"a message without the file's name: {words[:200]}"
        return True, ""
    except BaseException as error:
        return False, f"{type(error).__name__}: {str(error)[:200]}"
    return False, ""


def _read(path: Path, database: Path | None = None) -> tuple[bool, str]:
    from basso.formats.options import ReadOptions
    from basso.workflow import judge, open_recording

    return _taken(path, lambda: judge(open_recording(path, ReadOptions(database=database))))


def _log(suffix: str) -> Callable[[Ground, random.Random, int], tuple[Path, bool, str]]:
    def attack(ground: Ground, rng: random.Random, number: int) -> tuple[Path, bool, str]:
        path = ground.put(f"log{number}{suffix}", damaged(rng, ground.sound[suffix]))
        return (path, *_read(path))

    return attack


def _any_log(*suffixes: str) -> Callable[[Ground, random.Random, int], tuple[Path, bool, str]]:
    return lambda ground, rng, number: _log(suffixes[number % len(suffixes)])(ground, rng, number)


def _cells(ground: Ground, rng: random.Random, number: int) -> tuple[Path, bool, str]:
    rows = [line.split(b",") for line in ground.sound[".csv"].splitlines()]
    for _ in range(rng.choice((1, 2, 20))):
        row = rows[0] if rng.random() < 0.4 else rng.choice(rows)
        row[rng.randrange(len(row))] = rng.choice(CELLS)
    path = ground.put(f"cells{number}.csv", b"\n".join(b",".join(r) for r in rows))
    return (path, *_read(path))


def _gz(ground: Ground, rng: random.Random, number: int) -> tuple[Path, bool, str]:
    data = damaged(rng, ground.sound[".csv.gz"])
    if number % 10 == 0:  # a bomb: 300 MB of one row
        out = io.BytesIO()
        with gzip.GzipFile(fileobj=out, mode="wb", compresslevel=1) as packed:
            packed.write(b"Time,RPM\n")
            for _ in range(300):
                packed.write(b"0,1\n" * 250_000)
        data = out.getvalue()
    path = ground.put(f"log{number}.csv.gz", data)
    return (path, *_read(path))


def _formula(ground: Ground, rng: random.Random, number: int) -> tuple[Path, bool, str]:
    import numpy as np
    from asammdf import MDF, Signal
    from asammdf.blocks.conversion_utils import from_dict

    mark = ground.folder / "room" / "planted"
    text = PLANTED[number % len(PLANTED)].replace("{mark}", str(mark))
    version, suffix = (("4.10", ".mf4"), ("3.30", ".mdf"))[number % 2]
    path = ground.put(f"formula{number}{suffix}", b"")
    t = np.arange(300) * 0.1
    raw = (np.arange(300) % 100).astype("u2")
    nested = {"lower_0": 0, "upper_0": 50, "text_0": "low", "default_addr": from_dict({"formula": text})}
    conversion = from_dict({"formula": text} if number % 3 or version == "3.30" else nested)
    with MDF(version=version) as file:
        file.append(
            [Signal(raw, t, name="Oil pressure", unit="kPa", conversion=conversion), Signal(3000 + t, t, name="RPM")]
        )
        file.save(path, overwrite=True)
    refused, wrong = _read(path)
    if not wrong and not refused:
        from basso.recording.roles import Role
        from basso.workflow import open_recording

        pressure = open_recording(path).channel(Role.OIL_PRESSURE)
        if pressure is not None and bool(np.array_equal(pressure.values, raw.astype(float))):
            wrong = "raw numbers stand as physical ones"
    return path, refused, wrong


def _dbc(ground: Ground, rng: random.Random, number: int) -> tuple[Path, bool, str]:
    data = ground.sound[".dbc"]
    if number % 2:
        for old, new in rng.sample(CLAIMS, rng.choice((1, 2))):
            data = data.replace(old, new, 1)
    else:
        data = damaged(rng, data)
    log = ground.put("sound.log", ground.sound[".log"])
    database = log.with_name(f"base{number}.dbc")
    database.write_bytes(data)
    refused, wrong = _read(log, database)
    if "without the file's name" in wrong and database.name in wrong:
        wrong = ""
    return database, refused, wrong


def _import(ground: Ground, path: Path) -> tuple[bool, str]:
    from basso.garage.bundle import import_car
    from basso.garage.store import Garage

    target = ground.folder / "to"
    if not target.exists():
        with Garage(target):
            pass
    with Garage(target) as garage:
        before = _listing(target), garage.stamp()
        refused, wrong = _taken(path, lambda: import_car(garage, path))
        if refused and not wrong and (_listing(target), garage.stamp()) != before:
            wrong = "a refused bundle changed the garage"
    if not refused:
        shutil.rmtree(target)
    return refused, wrong


def _listing(folder: Path) -> list[tuple[str, int]]:
    names = [p for p in sorted(folder.rglob("*")) if p.is_file() and not p.name.startswith("garage.sqlite")]
    return [(str(p.relative_to(folder)), p.stat().st_size) for p in names]


def _bundle(ground: Ground, rng: random.Random, number: int) -> tuple[Path, bool, str]:
    path = ground.put(f"car{number}.zip", damaged(rng, ground.sound[".zip"]))
    return (path, *_import(ground, path))


def _crafted(ground: Ground, rng: random.Random, number: int) -> tuple[Path, bool, str]:
    parts = parts_of(ground.sound[".zip"])
    CRAFTED[number % len(CRAFTED)](parts)
    try:
        data = bundle_of(parts)
    except (ValueError, RecursionError, TypeError):
        data = bundle_of(parts, resign=False)
    path = ground.put(f"crafted{number}.zip", data)
    return (path, *_import(ground, path))


def _database(ground: Ground, rng: random.Random, number: int) -> tuple[Path, bool, str]:
    from basso.garage.records import KINDS
    from basso.garage.store import Garage

    path = ground.put("garage.sqlite", damaged(rng, ground.sound[".sqlite"]))

    def work() -> None:
        with Garage(path.parent) as garage:
            for kind in KINDS:
                garage.all(kind)

    return (path, *_taken(path.parent, work))


def _memory(ground: Ground, rng: random.Random, number: int) -> tuple[Path, bool, str]:
    from basso.memory.columns import Columns, Confirmed
    from basso.memory.decisions import Decision, Decisions

    path = ground.put("kept.json", b"")
    if number % 2:
        Columns(path).remember("1-0", Confirmed({"rpm": "x"}, {}, (), "2026-01-01"))
    else:
        Decisions(path).keep("a", Decision(frozenset({("x", "offset")})))
    path.write_bytes(rng.choice((damaged(rng, path.read_bytes()), b"[" * 100_000, b'{"version": 1, "logs": 3}', b"")))

    def work() -> None:
        Columns(path).all()
        Decisions(path).of("a")
        Decisions(path).keep("b", Decision(frozenset({("x", "offset")})))
        Columns(path).remember("2-0", Confirmed())

    return (path, *_taken(path, work))


def _cache(ground: Ground, rng: random.Random, number: int) -> tuple[Path, bool, str]:
    import numpy as np

    from basso.workflow import open_recording

    log = ground.put("kept.csv", ground.sound[".csv"])
    cache = Path(os.environ["XDG_CACHE_HOME"]) / "basso" / "recordings"
    shutil.rmtree(cache, ignore_errors=True)
    sound = open_recording(log)
    copy = log.with_name("copy.csv")  # found by its content
    shutil.copy(log, copy)
    files = [p for p in cache.rglob("*") if p.is_file()]
    victim = files[number % len(files)]
    victim.write_bytes(rng.choice((damaged(rng, victim.read_bytes()), b"", b"{}")))
    wrong = ""

    def work() -> None:
        nonlocal wrong
        again = open_recording(copy)
        same = (
            len(again.channels) == len(sound.channels)
            and again.notes == sound.notes
            and all(
                a.name == b.name and a.role == b.role and np.array_equal(a.values, b.values, equal_nan=True)
                for a, b in zip(again.channels, sound.channels, strict=True)
            )
        )
        if not same:
            wrong = f"a changed {victim.name} was believed"

    refused, said = _taken(copy, work)
    return victim, refused, said or wrong


def _special(ground: Ground, rng: random.Random, number: int) -> tuple[Path, bool, str]:
    path = ground.put("sound.csv", ground.sound[".csv"])
    what = number % 7
    if what == 0:
        path = path.with_name("pipe.csv")
        os.mkfifo(path)
    elif what == 1:
        path = path.with_name("loop.csv")
        path.symlink_to(path)
    elif what == 2:
        path = Path("/dev/zero")
    elif what == 3:
        path = path.rename(path.with_name("two\nlines.csv"))
    elif what == 4:
        path = path.rename(path.with_name("red\x1b[31m.csv"))
    elif what == 5:
        os.mkfifo(path.with_name("sound.dbc"))
        log = path.with_name("sound.log")
        log.write_bytes(ground.sound[".log"])
        path = log
    else:
        with path.open("r+b") as sparse:
            sparse.truncate(4 << 30)
    return (path, *_read(path))


_DO: dict[str, Callable[[Ground, random.Random, int], tuple[Path, bool, str]]] = {
    "text": _any_log(".csv"),
    "cells": _cells,
    "gz": _gz,
    "parquet": _any_log(".parquet"),
    "arrow": _any_log(".arrow"),
    "mdf": _any_log(".mf4", ".mdf"),
    "formula": _formula,
    "bus": _any_log(".log", ".asc", ".blf", ".trc"),
    "dbc": _dbc,
    "bundle": _bundle,
    "crafted": _crafted,
    "database": _database,
    "memory": _memory,
    "cache": _cache,
    "special": _special,
}

_ground: Ground | None = None


def _begin(root: str) -> None:
    global _ground
    warnings.simplefilter("error", RuntimeWarning)  # what is printed on standard error is no sentence
    _ground = make_ground(Path(tempfile.mkdtemp(dir=root)))


def _work(kind: str, number: int, seed: int) -> tuple[Attack, int]:
    assert _ground is not None
    made = one(_ground, kind, number, seed)
    most = max(resource.getrusage(who).ru_maxrss for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN))
    return made, most * 1024


def main() -> None:
    """Attack and report."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 2500
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else 1
    begun = time.perf_counter()
    done: list[Attack] = []
    most = 0
    outside = Path.cwd() / "planted"
    with tempfile.TemporaryDirectory(prefix="attack-") as root:
        spawn = multiprocessing.get_context("spawn")
        with concurrent.futures.ProcessPoolExecutor(WORKERS, spawn, _begin, (root,)) as pool:
            wanted = [pool.submit(_work, kind, n, seed) for kind, n in attacks(count, seed, SHARES)]
            for future in concurrent.futures.as_completed(wanted):
                made, memory = future.result()
                done.append(made)
                most = max(most, memory)
                if made.wrong:
                    print(f"  {made.kind} {made.name}: {made.wrong}", flush=True)
    kinds = Counter(a.kind for a in done)
    print("kind        inputs  refused  wrong  slowest s")
    for kind, n in sorted(kinds.items()):
        own = [a for a in done if a.kind == kind]
        print(
            f"{kind:<10} {n:>7} {sum(a.refused for a in own):>8} {sum(bool(a.wrong) for a in own):>6} "
            f"{max(a.seconds for a in own):>10.1f}"
        )
    wrong = sum(bool(a.wrong) for a in done)
    print(
        f"{len(done)} inputs in {time.perf_counter() - begun:.0f} s: {wrong} wrong, slowest "
        f"{max(a.seconds for a in done):.1f} s, largest process "
        f"{most / 1e6:.0f} MB{'; a file was made outside' if outside.exists() else ''}"
    )
    sys.exit(bool(wrong or most > MOST_BYTES or outside.exists()))


if __name__ == "__main__":
    main()
