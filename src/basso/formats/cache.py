"""Recordings that were read before, kept as plain arrays so that they open at once.

A log is known by its content: a copy under another name is found too. Where a file's size and times are as they were,
its content is not even looked at. What was kept by another version of Basso, with other options, or damaged, is not
used. Nothing here is needed: everything can be deleted at any time, and where it cannot be written, nothing is kept.

Open format: a folder per recording with ``summary.json`` and, once its samples were asked for, ``samples.npy`` (one row
of 64-bit floats) and ``places.json`` (where in it each channel's times and values stand).
"""

from __future__ import annotations

import json
import os
import time
import zlib
from contextlib import suppress
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING, Any

from basso.files import put_whole
from basso.formats.options import databases_beside
from basso.recording.summary import Summary, from_plain

# What finding a kept log needs is imported here; what keeping one needs, where it is needed: finding must be quick.
if TYPE_CHECKING:
    from basso.formats.options import ReadOptions
    from basso.recording.recording import Recording
    from basso.units import FloatArray

_ROOM_BYTES = 2_000_000_000
_SETTLED_S = 2.0
"""A file touched this shortly before it was looked at may change again without its times showing it."""


class Kept:
    """The recordings kept in one folder (default: the user's cache folder)."""

    def __init__(self, folder: Path | None = None) -> None:
        own = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache")
        self._folder = folder or own / "basso" / "recordings"

    def summary(self, path: Path, options: ReadOptions) -> Summary | None:
        """What is in a log, if it was read before and has not changed since; else None."""
        with suppress(OSError, ValueError, KeyError, TypeError):
            entry = self._entry_of(path, options)
            if entry is not None:
                return _summary(entry, options)
        return None

    def recording(self, path: Path, options: ReadOptions) -> Recording | None:
        """A log, if it or a copy of it was read before; else None."""
        with suppress(OSError, ValueError, KeyError, TypeError, IndexError):
            entry = self._entry_of(path, options) or self._by_content(path, options)
            if entry is not None and (summary := _summary(entry, options)) is not None:
                return _load(entry, path, summary)
        return None

    def keep(self, recording: Recording, options: ReadOptions, summary: Summary, samples: bool) -> None:
        """Keep what a log holds, with or without its samples. Failing to is no fault."""
        with suppress(OSError, ValueError):
            name = _entry_name(recording.path, recording.content_hash, options)
            entry = self._folder / name
            entry.mkdir(parents=True, exist_ok=True)
            if samples:
                _store(entry, recording)
                self._make_room(entry)
            plain = {"summary": summary.as_plain(), "confirmed": _confirmed(summary, options)}
            put_whole(
                entry / "summary.json", json.dumps(plain, allow_nan=False, ensure_ascii=False).encode(), lasting=False
            )
            self._note(recording.path, options, name)

    # Finding

    def _index_file(self, asked: str) -> Path:
        return self._folder / "index" / f"{zlib.crc32(asked.encode()):08x}.json"

    def _entry_of(self, path: Path, options: ReadOptions) -> Path | None:
        asked = _asked(path, options)
        index = self._index_file(asked)
        noted = json.loads(index.read_text(encoding="utf-8")) if index.is_file() else None
        if noted is None or noted["asked"] != asked or noted["file"] != _stamp(path):
            return None
        entry = self._folder / str(noted["entry"])
        if not entry.is_dir():
            return None
        os.utime(entry)
        return entry

    def _by_content(self, path: Path, options: ReadOptions) -> Path | None:
        from basso.formats.registry import content_hash

        size = path.stat().st_size
        if not any(self._folder.glob(f"{size}-*")):
            return None
        name = _entry_name(path, content_hash(path), options)
        entry = self._folder / name
        if not entry.is_dir():
            return None
        self._note(path, options, name)
        return entry

    def _note(self, path: Path, options: ReadOptions, name: str) -> None:
        stamp = _stamp(path)
        if time.time() - stamp["changed_ns"] * 1e-9 < _SETTLED_S:
            return
        asked = _asked(path, options)
        index = self._index_file(asked)
        index.parent.mkdir(parents=True, exist_ok=True)
        put_whole(index, json.dumps({"asked": asked, "file": stamp, "entry": name}).encode(), lasting=False)

    def _make_room(self, newest: Path) -> None:
        import shutil

        entries = [e for e in self._folder.iterdir() if e.is_dir() and e.name != "index"]
        sizes = {e: sum(f.stat().st_size for f in e.iterdir()) for e in entries}
        total = sum(sizes.values())
        for entry in sorted(entries, key=lambda e: e.stat().st_mtime):
            if total <= _ROOM_BYTES:
                return
            if entry != newest:
                shutil.rmtree(entry, ignore_errors=True)
                total -= sizes[entry]


def _asked(path: Path, options: ReadOptions) -> str:
    return f"{path.resolve()}\n{_options_text(path, options)}"


def _stamp(path: Path) -> dict[str, int]:
    s = path.stat()
    changed = max(s.st_mtime_ns, s.st_ctime_ns)
    return {"size": s.st_size, "time_ns": s.st_mtime_ns, "changed_ns": changed, "inode": s.st_ino}


def _entry_name(path: Path, content: str, options: ReadOptions) -> str:
    import hashlib

    digest = hashlib.blake2b(_options_text(path, options).encode(), digest_size=12).hexdigest()
    return f"{path.stat().st_size}-{content}-{digest}"


def _options_text(path: Path, options: ReadOptions) -> str:
    """Everything besides the file that decides how it is read: options, databases at hand, Basso's own readers."""
    beside = [options.database] if options.database is not None else []
    if not beside:
        # A bus log takes the database beside it.
        beside = databases_beside(path)
    said = {
        "roles": sorted((str(r), n) for r, n in options.roles.items()),
        "units": sorted((n, u.symbol) for n, u in options.units.items()),
        "rate": options.rate_hz,
        "ignored": sorted(options.ignored),
        "databases": [(str(p), *_stamp(p).values()) for p in sorted(beside)],
        "readers": _readers(),
    }
    return json.dumps(said)


def _readers() -> list[tuple[str, int, int]]:
    """The readers' own files by size and time: what another version kept is not taken for this one's reading."""
    package = Path(__file__).parent.parent
    files = [
        package / "units.py",
        *sorted((package / "formats").glob("*.py")),
        *sorted((package / "recording").glob("*.py")),
    ]
    return [(f.name, (s := f.stat()).st_size, s.st_mtime_ns) for f in files]


def _store(folder: Path, recording: Recording) -> None:
    import tempfile

    import numpy as np

    places: dict[int, tuple[int, int]] = {}
    arrays: list[FloatArray] = []
    at = 0

    def place(values: FloatArray) -> tuple[int, int]:
        nonlocal at
        if id(values) not in places:
            places[id(values)] = (at, values.size)
            arrays.append(values)
            at += values.size
        return places[id(values)]

    where = [(place(c.time_s), place(c.values)) for c in recording.channels]
    handle, fresh = tempfile.mkstemp(dir=folder)
    try:
        with os.fdopen(handle, "wb") as stream:
            np.lib.format.write_array_header_1_0(stream, {"descr": "<f8", "fortran_order": False, "shape": (at,)})
            stream.flush()
            for values in arrays:
                np.ascontiguousarray(values).tofile(stream)
        Path(fresh).replace(folder / "samples.npy")
        put_whole(folder / "places.json", json.dumps(where).encode(), lasting=False)
    except BaseException:
        Path(fresh).unlink(missing_ok=True)
        raise


def _confirmed(summary: Summary, options: ReadOptions) -> str:
    """What the user had confirmed for logs of this shape, as text to compare by."""
    known = options.confirmed.get(summary.shape)
    return "" if known is None else json.dumps(known.as_plain(), sort_keys=True)


def _summary(entry: Path, options: ReadOptions) -> Summary | None:
    """What was kept, unless other columns were confirmed since."""
    plain = json.loads((entry / "summary.json").read_text(encoding="utf-8"))
    summary = from_plain(plain["summary"])
    return summary if plain["confirmed"] == _confirmed(summary, options) else None


def _load(folder: Path, path: Path, summary: Summary) -> Recording:
    import numpy as np

    from basso.recording.channel import Channel
    from basso.recording.recording import Recording
    from basso.recording.roles import Role
    from basso.units import UNITS, Unit

    where: list[Any] = json.loads((folder / "places.json").read_text(encoding="utf-8"))
    samples = np.asarray(np.load(folder / "samples.npy", mmap_mode="r"))
    views: dict[tuple[int, int], FloatArray] = {}

    def view(place: list[int]) -> FloatArray:
        start, size = place
        if start + size > samples.size:
            raise ValueError(folder)
        # Channels sampled together share one array of times, as they did when they were read.
        return views.setdefault((start, size), samples[start : start + size])

    def unit(symbol: str | None) -> Unit | None:
        return UNITS[symbol] if symbol is not None else None

    channels = tuple(
        Channel(
            c.name, Role(c.role) if c.role is not None else None, unit(c.unit), c.unit_assumed, view(times), view(values),
            c.confidence, c.why, c.doubt,
        )
        for c, (times, values) in zip(summary.channels, where, strict=True)
    )  # fmt: skip
    return Recording(
        path, summary.format, channels, summary.notes, MappingProxyType(dict(summary.facts)), summary.content_hash,
        summary.started, summary.manual, summary.shape,
    )  # fmt: skip
