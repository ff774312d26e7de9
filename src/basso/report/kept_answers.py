"""What was judged before, kept: a log that has not changed, judged as before, is told at once.

An answer is known by everything it rests on: every sample and every name of the recording, every option with what the
garage knows of the car, and Basso's own judging code. Where anything of that is otherwise, it is judged anew. Nothing
here is needed: everything can be deleted at any time, and where it cannot be written, nothing is kept.

Open format: one JSON file per answer, ``{"check", "answer"}``, the first the CRC-32 of the second.
"""

from __future__ import annotations

import hashlib
import json
import os
import zlib
from collections.abc import Callable, Mapping
from contextlib import suppress
from dataclasses import asdict, fields, is_dataclass
from enum import Enum
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from basso.files import put_whole
from basso.platform.code import stamp_of_code
from basso.platform.folders import cache_folder

if TYPE_CHECKING:
    from basso.pressure.options import JudgeOptions
    from basso.recording.recording import Recording
    from basso.report.several import JudgedLog

_MOST = 500
"""So many answers are kept (default), the last ones that were asked for."""
JUDGING = (
    *("analysis", "findings", "fitting", "limits", "memory", "normal", "oil", "oilway", "pressure", "recording"),
    *("report", "sentence", "track", "trial", "trust", "units", "words"),
)
"""The rooms whose code an answer rests on."""
_UNUSABLE = (OSError, ValueError, KeyError, TypeError, IndexError, AttributeError, RuntimeError)


def judged_before(
    recording: Recording, options: JudgeOptions, judge: Callable[[], JudgedLog], folder: Path | None = None
) -> JudgedLog:
    """A judged log: as it was kept, or judged now and kept.

    Args:
        options: everything by which ``judge`` judges the recording.
        folder: where answers are kept (default: in the user's cache folder).
    """
    folder = folder or cache_folder() / "answers"
    file: Path | None = None
    with suppress(*_UNUSABLE):
        file = folder / f"{_key(recording, options)}.json"
        if file.is_file():
            kept = _read(file)
            os.utime(file)
            return kept
    answer = judge()
    if file is not None:
        with suppress(*_UNUSABLE):
            _write(file, answer)
    return answer


def _key(recording: Recording, options: JudgeOptions) -> str:
    """What an answer rests on, as one word. Raises TypeError for a value whose content cannot be told."""
    digest = hashlib.blake2b(digest_size=20)
    arrays: dict[int, bytes] = {}
    for part in (recording, options, stamp_of_code(*JUDGING)):
        _take_in(part, digest.update, arrays)
    return digest.hexdigest()


def _take_in(value: Any, update: Callable[[bytes], object], arrays: dict[int, bytes]) -> None:
    """``arrays``: what was made of those seen already; channels share their times."""
    if isinstance(value, np.ndarray):
        if id(value) not in arrays:
            # Every byte, and a hash of every sixteenth of the values: as files are known by (formats.fingerprint).
            whole = np.ascontiguousarray(value)
            some = np.ascontiguousarray(whole.ravel()[::16]).tobytes()
            arrays[id(value)] = f"{whole.dtype}{whole.shape}{zlib.crc32(whole.data):08x}".encode() + some
        update(arrays[id(value)])
    elif isinstance(value, Enum) or value is None or isinstance(value, str | int | float | bool | Path | np.generic):
        update(f"{type(value).__name__}:{value!r};".encode())
    elif is_dataclass(value):
        update(type(value).__qualname__.encode())
        for f in fields(value):
            update(f.name.encode())
            _take_in(getattr(value, f.name), update, arrays)
    elif isinstance(value, Mapping):
        _take_in(sorted(value.items(), key=repr), update, arrays)
    elif isinstance(value, frozenset | set):
        _take_in(sorted(value, key=repr), update, arrays)
    elif isinstance(value, tuple | list):
        update(f"{len(value)}(".encode())
        for v in value:
            _take_in(v, update, arrays)
    else:
        raise TypeError(type(value))


def _write(file: Path, log: JudgedLog) -> None:
    shape = log.shape
    plain = {
        "document": log.document,
        "shape": None
        if shape is None
        else {
            "length_m": shape.length_m,
            "lateral_g": shape.lateral_g.tolist(),
            "longitudinal_g": shape.longitudinal_g.tolist() if shape.longitudinal_g is not None else None,
            "path": None
            if shape.path is None
            else (shape.path.centre, shape.path.east_m.tolist(), shape.path.north_m.tolist()),
            "laps": shape.laps,
            "closed": shape.closed,
        },
        "places": [asdict(p) for p in log.places],
        "dips_m": log.dips_m,
    }
    text = json.dumps(plain, ensure_ascii=False)
    if json.loads(text)["document"] != log.document:
        return  # something in it is not plain: what comes back would be another answer
    file.parent.mkdir(parents=True, exist_ok=True)
    put_whole(file, f'{{"check": {zlib.crc32(text.encode())}, "answer": {text}}}'.encode(), lasting=False)
    kept = sorted(file.parent.glob("*.json"), key=lambda f: f.stat().st_mtime)
    for old in kept[:-_MOST]:
        old.unlink(missing_ok=True)


def _read(file: Path) -> JudgedLog:
    from basso.report.several import JudgedLog
    from basso.track.corners import Place
    from basso.track.shape import LapPath, LapShape

    text = file.read_text(encoding="utf-8")
    body = json.loads(text)
    if body["check"] != zlib.crc32(text[text.index('"answer": ') + 10 : -1].encode()):
        raise ValueError(file)
    plain, shape = body["answer"], None
    if (s := plain["shape"]) is not None:
        path = s["path"]
        shape = LapShape(
            length_m=s["length_m"],
            lateral_g=np.array(s["lateral_g"], dtype=np.float64),
            longitudinal_g=np.array(s["longitudinal_g"], dtype=np.float64) if s["longitudinal_g"] is not None else None,
            path=LapPath(
                centre=tuple(path[0]) if path[0] is not None else None,
                east_m=np.array(path[1], dtype=np.float64),
                north_m=np.array(path[2], dtype=np.float64),
            )
            if path is not None
            else None,
            laps=s["laps"],
            closed=s["closed"],
        )
    places = tuple(Place(**p) for p in plain["places"])
    return JudgedLog(plain["document"], shape, places, tuple((a, b) for a, b in plain["dips_m"]))
