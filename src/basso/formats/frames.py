"""Frames out of a bus log, each identifier's own together. A line or block that is damaged costs itself and no more."""

from __future__ import annotations

import io
import logging
import re
from array import array
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from itertools import islice
from pathlib import Path
from typing import IO, TYPE_CHECKING, BinaryIO, TextIO, cast

import numpy as np
from numpy.typing import NDArray

from basso.errors import Cancelled, FormatError
from basso.files import open_plain
from basso.formats.kinds import ASC, CANDUMP
from basso.formats.reader_notes import ReaderNotes
from basso.limits import LONGEST_LINE_BYTES, MOST_FRAMES, SPLIT
from basso.platform.patience import time_box
from basso.progress import Progress
from basso.units import FloatArray

if TYPE_CHECKING:
    import can

Key = tuple[int, bool]
"""An identifier, and whether it is an extended one."""

_SCREEN = re.compile(
    r"^\s*(?:\((?P<time>\d+\.\d+)\))?\s*\S+\s+(?P<id>[0-9A-Fa-f]{3,8})\s+\[(?P<size>\d+)\]\s*(?P<data>(?:[0-9A-Fa-f]{2}\s*)*)"
)
_FRAMES_BETWEEN_REPORTS = 20000
_HEAD_LINES = 60
_FURTHEST_S = 4.3e9
"""Stamps beyond the year 2106 are damage."""
_BLF_HEADER = 144
_PIECE_BYTES = 1 << 20
_LONGEST_BLOCK_S, _MOST_IN_BLOCK, _BATCH = 2.0, 500_000, 200
"""To give the next frames, and how many a block of a BLF log (some 130 kB unpacked) can hold with room to spare."""


@dataclass(slots=True)
class Frames:
    """Every frame of one identifier: stamps in s, lengths in bytes, payloads one after another."""

    stamps: array[float] = field(default_factory=lambda: array("d"))
    lengths: bytearray = field(default_factory=bytearray)
    payloads: bytearray = field(default_factory=bytearray)

    def add(self, stamp: float, payload: bytes) -> None:
        """One more frame of at most 64 bytes."""
        self.stamps.append(stamp)
        self.lengths.append(len(payload))
        self.payloads += payload

    def table(self, first: float) -> tuple[FloatArray, NDArray[np.uint8], NDArray[np.intp]]:
        """Stamps in s from ``first``, payloads as a table padded with zeros, and each payload's true length."""
        lengths = np.frombuffer(self.lengths, dtype=np.uint8).astype(np.intp)
        data = np.frombuffer(self.payloads, dtype=np.uint8)
        width = int(lengths.max())
        table = np.zeros((lengths.size, width), dtype=np.uint8)
        table[np.arange(width) < lengths[:, None]] = data
        return np.frombuffer(self.stamps, dtype=np.float64) - first, table, lengths


@dataclass(slots=True)
class _Losses:
    """What could not be read: lines or blocks, where the first was, and what is missing at the end."""

    count: int = 0
    first: int = 0
    noun: str = "line"
    end: str = ""
    seconds: float = 0.0

    def at(self, place: int) -> None:
        """One more, at this line or byte."""
        self.first = self.first or place
        self.count += 1

    def told(self, notes: ReaderNotes, frames: int) -> None:
        """Say it, with its share of the whole."""
        if self.count:
            many = self.count > 1
            where = f"line {self.first:,}" if self.noun == "line" else f"byte {self.first:,}"
            share = 100.0 * self.count / (self.count + frames)
            of = f" ({share:.1f} % of the log)" if self.noun == "line" and share >= 0.1 else ""
            if self.seconds >= 0.1:
                of = f" (together {self.seconds:.1f} s of the drive)"
            (notes.lose if self.seconds >= 0.1 else notes.append)(
                f"{self.count:,} damaged {self.noun}{'s' if many else ''}{of} {'were' if many else 'was'} left out; "
                f"the first is at {where}."
            )
        if self.end:
            notes.broken_off = self.end


def read_frames(path: Path, notes: ReaderNotes, progress: Progress) -> tuple[dict[Key, Frames], str]:
    """Frames by identifier, in the order they came; and what kind of log it was.

    Args:
        path: a candump, ASC, BLF or TRC log.
        notes: extended with what was lost and where.
        progress: hears how much is read.

    Raises:
        FormatError: nothing could be read, or there is more than one log can hold.
    """
    found: dict[Key, Frames] = {}
    logging.disable(logging.CRITICAL)  # the library speaks of every odd line
    losses = _Losses()
    count, wild = 0, 0
    with open_plain(path) as raw:
        size = max(raw.seek(0, io.SEEK_END), 1)
        raw.seek(0)
        reader, kind = _reader_of(raw, size, losses)
        for stamp, key, payload in reader:
            if not 0.0 <= stamp <= _FURTHEST_S or len(payload) > 64:
                wild += 1
                continue
            frames = found.get(key)
            if frames is None:
                frames = found[key] = Frames()
            frames.add(stamp, payload)
            count += 1
            if count % _FRAMES_BETWEEN_REPORTS == 0:
                progress(min(0.65, 0.65 * raw.tell() / size), f"reading {path.name}, {count:,} frames")
                if count > MOST_FRAMES:
                    raise FormatError(path, f"holds more than {MOST_FRAMES:,} bus frames", SPLIT)
    if wild:
        notes.append(f"{wild:,} frames with a time or a length that cannot be were left out.")
    if not count and (losses.count or wild):
        raise FormatError(
            path, f"is damaged (none of its {losses.noun}s holds a bus frame)", "copy it from the logger again"
        )
    losses.told(notes, count)
    return found, kind


_Frame = tuple[float, Key, bytes]


def _reader_of(raw: IO[bytes], size: int, losses: _Losses) -> tuple[Iterator[_Frame], str]:
    """An iterator over the frames, and the kind of log."""
    import can

    head = raw.read(4096)
    raw.seek(0)
    if head[:4] == b"LOGG":
        losses.noun = "block"
        return _blf_frames(raw, size, losses), "bus log, BLF"
    first = next((line for line in head.splitlines() if line.strip()), b"")
    lines = _Lines(raw, losses)
    if CANDUMP.match(first):
        if b"[" in first:
            return _screen_frames(lines, losses), "bus log, candump"
        return _text_frames(lambda f: can.CanutilsLogReader(f), lines, losses), "bus log, candump"
    if ASC.search(head):
        lines.keep_head(lambda line: not line.lstrip()[:1].isdigit())
        return _text_frames(lambda f: can.ASCReader(f, relative_timestamp=False), lines, losses), "bus log, ASC"
    lines.keep_head(lambda line: line.lstrip().startswith(";"))
    return _text_frames(lambda f: can.TRCReader(f), lines, losses), "bus log, TRC"


class _Lines:
    """The lines of a text file for a reader that stops at the first bad one: asked again, it goes on after that."""

    def __init__(self, raw: IO[bytes], losses: _Losses) -> None:
        self._raw = raw
        self._losses = losses
        self._head: list[str] = []
        self._replay: list[str] = []
        self._is_head: Callable[[str], bool] = lambda line: False
        self._in_head = True
        self._last = ""
        self.number = 0
        self.ended = False

    def keep_head(self, is_head: Callable[[str], bool]) -> None:
        """Lines above the first frame are given again to a reader that begins anew."""
        self._is_head = is_head

    def again(self) -> None:
        """Another reader begins, after the line the last one tripped over; in the head, that line is left out."""
        if self._tripped_in_head:
            self._head.remove(self._last)
        self._replay = list(self._head)
        self._in_head = False

    @property
    def _tripped_in_head(self) -> bool:
        return self._last in self._head

    def __iter__(self) -> Iterator[str]:
        return self

    def __next__(self) -> str:
        line = self.readline()
        if not line:
            raise StopIteration
        return line

    def readline(self, _: int = -1) -> str:
        """The next line, "" at the end. Lines are cut at a length no frame reaches."""
        self._last = self._next()
        return self._last

    def _next(self) -> str:
        if self._replay:
            return self._replay.pop(0)
        piece = self._raw.readline(LONGEST_LINE_BYTES)
        if not piece:
            self.ended = True
            return ""
        self.number += 1
        line = piece.decode("ascii", errors="replace")
        if self._in_head:
            if self._is_head(line) and len(self._head) < _HEAD_LINES:
                self._head.append(line)
            else:
                self._in_head = False
        return line

    read = readline

    def close(self) -> None:
        """The reader is done; the file stays open for the next one."""


def _text_frames(begin: Callable[[TextIO], Iterable[can.Message]], lines: _Lines, losses: _Losses) -> Iterator[_Frame]:
    """The frames of a text log by the library's reader, which begins anew after every line it trips over."""
    while True:
        try:
            yield from _messages(begin(cast(TextIO, lines)))
            if lines.ended:
                return
        except (Cancelled, MemoryError, GeneratorExit):
            raise
        except Exception:  # whatever its parser trips over
            losses.at(lines.number)
            if lines.ended:
                return
        lines.again()


def _messages(reader: Iterable[can.Message]) -> Iterator[_Frame]:
    for m in reader:
        if not (m.is_error_frame or m.is_remote_frame) and m.data:
            yield m.timestamp, (m.arbitration_id, m.is_extended_id), bytes(m.data)


def _screen_frames(lines: _Lines, losses: _Losses) -> Iterator[_Frame]:
    """candump as it stands on a terminal: (stamp) bus id [size] bytes."""
    for line in lines:
        match = _SCREEN.match(line[:500])
        if match and match["time"] and match["data"]:
            data = bytes.fromhex(match["data"].replace(" ", ""))[:64]
            yield float(match["time"]), (int(match["id"], 16), len(match["id"]) > 3), data
        elif line.strip() and not (match and match["time"]):
            losses.at(lines.number)


class _BlfFile:
    """A BLF file for a reader: its header, then what stands from a place on."""

    def __init__(self, raw: IO[bytes], header: bytes, start: int) -> None:
        self._raw, self._header = raw, header
        raw.seek(start)

    def read(self, size: int = -1) -> bytes:
        """As of a file; a size below zero, which damage can ask for, ends the reader instead of filling the memory.

        Raises:
            ValueError: the size is below zero.
        """
        if size < 0:
            raise ValueError("negative size")
        if self._header:
            given, self._header = self._header[:size], self._header[size:]
            return given
        return self._raw.read(min(size, 64 * _PIECE_BYTES))

    def close(self) -> None:
        """The file stays open for the next reader."""


def _blf_frames(raw: IO[bytes], size: int, losses: _Losses) -> Iterator[_Frame]:
    """The frames of a BLF log; after a damaged block the next one is looked for by its mark."""
    header = raw.read(_BLF_HEADER)
    whole = int.from_bytes(header[16:24], "little")
    start = _BLF_HEADER
    if size < whole < 1 << 50:
        losses.end = f"the file is cut short: {100.0 * size / whole:.0f} % of it is there, {size:,} of {whole:,} bytes"
    last, broken = 0.0, False
    while start < size:
        try:
            for frame in _without_circles(_messages(_blf_reader(_BlfFile(raw, header, start), broken)), raw):
                if broken and last:
                    losses.seconds += max(frame[0] - last, 0.0)
                last, broken = frame[0], False
                yield frame
            return
        except (Cancelled, MemoryError, GeneratorExit):
            raise
        except Exception:
            if raw.tell() >= size and losses.end:
                return  # the cut itself
            at = max(raw.tell(), start + 1)
            losses.at(start if at == start + 1 else at)
            broken = True
            start = _next_mark(raw, at, size)
            header = header[:4] + _BLF_HEADER.to_bytes(4, "little") + header[8:]  # what else stood there was read


def _blf_reader(file: _BlfFile, resumes: bool) -> Iterable[can.Message]:
    """The library's reader. One that resumes after damage begins with the first whole object: the one before it began
    in a block that is lost."""
    import can

    class Resuming(can.BLFReader):
        _first = resumes

        def _parse_container(self, data: bytes) -> Iterator[can.Message]:
            if self._first:
                self._first = False
                data = data[max(data.find(b"LOBJ"), 0) :]
            return super()._parse_container(data)

    return Resuming(cast(BinaryIO, file))


def _without_circles(frames: Iterator[_Frame], raw: IO[bytes]) -> Iterator[_Frame]:
    """Frames of a reader that a damaged length can send round in a circle, within one block, with or without giving
    any."""
    at, given = -1, 0
    while True:
        batch: list[_Frame] = []
        try:
            with time_box(_LONGEST_BLOCK_S):
                batch.extend(islice(frames, _BATCH))
        except Exception:
            yield from batch  # what came before the damage
            raise
        if not batch:
            return
        if raw.tell() != at:
            at, given = raw.tell(), 0
        given += len(batch)
        if given > _MOST_IN_BLOCK:
            raise ValueError("a block without end")
        yield from batch


def _next_mark(raw: IO[bytes], start: int, size: int) -> int:
    """Where the next block begins; ``size`` where none does."""
    raw.seek(start)
    at, tail = start, b""
    while piece := raw.read(_PIECE_BYTES):
        found = (tail + piece).find(b"LOBJ")
        if found >= 0:
            return at - len(tail) + found
        at += len(piece)
        tail = piece[-3:]
    return size
