"""Recordings that were read before, kept as plain arrays so that they open at once.

A log is known by its content: a copy under another name is found too. Where a file's size and times are as they were,
its content is not even looked at. What was kept by another version of Basso, with other options, under another log's
name, or with a byte changed, is not used and read anew. Nothing here is needed: everything can be deleted at any time,
and where it cannot be written, nothing is kept.

Open format: a folder per recording with ``summary.json`` and, once its samples were asked for, ``samples.npy`` and
``places.json`` (:mod:`basso.formats.kept_form`). Each JSON file is ``{"key", "check", "kept"}``: the folder's own name,
so that one cannot stand for another, and the CRC-32 of the rest.
"""

from __future__ import annotations

import json
import os
import re
import time
import zlib
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING, Any

from basso.files import put_whole
from basso.formats.options import databases_beside
from basso.platform.code import stamp_of_code
from basso.platform.folders import cache_folder
from basso.recording.summary import Summary, from_plain

# What finding a kept log needs is imported here; what keeping one needs, where it is needed: finding must be quick.
if TYPE_CHECKING:
    from basso.formats.options import ReadOptions
    from basso.recording.recording import Recording

_ROOM_BYTES = 2_000_000_000
_ENTRY = re.compile(r"\d+-[0-9a-f]{32,64}-[0-9a-f]{24}")
_FINGERPRINT = re.compile("[0-9a-f]{33,64}")
_SETTLED_S = 2.0
"""A file touched this shortly before it was looked at may change again without its times showing it."""


_UNUSABLE = (OSError, ValueError, KeyError, TypeError, IndexError, AttributeError, RuntimeError)
"""What looking at changed files and at links in a circle raises: then nothing was kept."""


class Kept:
    """The recordings kept in one folder (default: the user's cache folder)."""

    def __init__(self, folder: Path | None = None) -> None:
        self._folder = folder or cache_folder() / "recordings"

    def summary(self, path: Path, options: ReadOptions) -> Summary | None:
        """What is in a log, if it was read before and has not changed since; else None."""
        with suppress(*_UNUSABLE):
            entry = self._entry_of(path, options)
            if entry is not None:
                return _summary(entry, options)
        return None

    def recording(self, path: Path, options: ReadOptions) -> Recording | None:
        """A log, if it or a copy of it was read before; else None."""
        from basso.formats.kept_form import load

        with suppress(*_UNUSABLE):
            entry = self._entry_of(path, options) or self._by_content(path, options)
            if entry is not None and (summary := _summary(entry, options)) is not None:
                kept = _checked(entry, "places.json")
                if kept["summary"]["content_hash"] == summary.content_hash:
                    return load(entry, path, {**kept, "summary": summary.as_plain()})
        return None

    def keep(
        self,
        recording: Recording,
        options: ReadOptions,
        summary: Summary,
        samples: bool,
        stamp: dict[str, int] | None = None,
    ) -> None:
        """Keep what a log holds, with or without its samples. Failing to is no fault.

        Args:
            recording, options, summary: what was read, and how.
            samples: keep them too.
            stamp: :func:`stamp_of` the file from before it was read. A file put in its place since has another, and is
                not taken for what was read; without it only a copy of the same content is found.
        """
        from basso.formats.kept_form import store

        with suppress(*_UNUSABLE):
            name = _entry_name(recording.path, recording.content_hash, options)
            entry = self._folder / name
            entry.mkdir(parents=True, exist_ok=True)
            if samples:
                _write(entry, "places.json", store(entry, recording))
                self._make_room(entry)
            _write(entry, "summary.json", {"summary": summary.as_plain(), "confirmed": _confirmed(summary, options)})
            if stamp is not None:
                self._note(recording.path, options, name, stamp)

    # Finding

    def _index_file(self, asked: str) -> Path:
        return self._folder / "index" / f"{zlib.crc32(asked.encode()):08x}.json"

    def _entry_of(self, path: Path, options: ReadOptions) -> Path | None:
        asked = _asked(path, options)
        index = self._index_file(asked)
        noted = json.loads(index.read_text(encoding="utf-8")) if index.is_file() else None
        if noted is None or noted["asked"] != asked or noted["file"] != stamp_of(path):
            return None
        name = str(noted["entry"])
        entry = self._folder / name
        if not _ENTRY.fullmatch(name) or not entry.is_dir():
            return None
        os.utime(entry)
        return entry

    def _by_content(self, path: Path, options: ReadOptions) -> Path | None:
        from basso.formats.fingerprint import content_hash

        stamp = stamp_of(path)
        size = stamp["size"]
        if not any(self._folder.glob(f"{size}-*")):
            return None
        name = _entry_name(path, content_hash(path), options)
        entry = self._folder / name
        if not entry.is_dir():
            return None
        self._note(path, options, name, stamp)
        return entry

    def _note(self, path: Path, options: ReadOptions, name: str, stamp: dict[str, int]) -> None:
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


def stamp_of(path: Path) -> dict[str, int]:
    """What changes when a file is written to or another is put in its place: size, times, inode. Raises OSError."""
    s = path.stat()
    changed = max(s.st_mtime_ns, s.st_ctime_ns)
    return {"size": s.st_size, "time_ns": s.st_mtime_ns, "changed_ns": changed, "inode": s.st_ino}


def _entry_name(path: Path, content: str, options: ReadOptions) -> str:
    import hashlib

    digest = hashlib.blake2b(_options_text(path, options).encode(), digest_size=12).hexdigest()
    # The size is that of the bytes that were read, which the fingerprint ends in.
    size = int(content[32:], 16) if _FINGERPRINT.fullmatch(content) else path.stat().st_size
    return f"{size}-{content}-{digest}"


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
        "databases": [(str(p), *stamp_of(p).values()) for p in sorted(beside)],
        # What another version kept is not taken for what this one reads.
        "readers": stamp_of_code("units", "formats", "recording"),
    }
    return json.dumps(said)


def _write(entry: Path, file: str, kept: dict[str, Any]) -> None:
    text = json.dumps(kept, allow_nan=False, ensure_ascii=False)
    body = f'{{"key": {json.dumps(entry.name)}, "check": {zlib.crc32(text.encode())}, "kept": {text}}}'
    put_whole(entry / file, body.encode(), lasting=False)


def _checked(entry: Path, file: str) -> dict[str, Any]:
    """What was written for this very entry, unchanged; raises ValueError, KeyError or OSError."""
    text = (entry / file).read_text(encoding="utf-8")
    body = json.loads(text)
    if body["key"] != entry.name or body["check"] != zlib.crc32(text[text.index('"kept": ') + 8 : -1].encode()):
        raise ValueError(entry)
    return dict(body["kept"])


def _confirmed(summary: Summary, options: ReadOptions) -> str:
    """What the user had confirmed for logs of this shape, as text to compare by."""
    known = options.confirmed.get(summary.shape)
    return "" if known is None else json.dumps(known.as_plain(), sort_keys=True)


def _summary(entry: Path, options: ReadOptions) -> Summary | None:
    """What was kept, unless other columns were confirmed since."""
    plain = _checked(entry, "summary.json")
    summary = from_plain(plain["summary"])
    return summary if plain["confirmed"] == _confirmed(summary, options) else None
