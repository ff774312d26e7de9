"""Reading bus logs (candump text, ASC, BLF, TRC), decoded with a database.

A library reads the frames and the database; decoding is done here, a whole signal at a time, because frame by frame an
hour's log would take minutes. Signal layout follows the database's own definition: start bit, length, byte order, sign,
scale and offset, multiplexing.
"""

from __future__ import annotations

import logging
import re
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from basso.errors import Cancelled, FormatError
from basso.formats.assemble import RawColumn, assemble, headings_of
from basso.formats.kinds import ASC, CANDUMP
from basso.formats.options import ReadOptions, database_for
from basso.formats.rows import epoch_start
from basso.formats.timebase import repair
from basso.progress import Progress
from basso.recording.recording import Recording
from basso.units import FloatArray

if TYPE_CHECKING:
    import can
    from cantools.database import Message
    from cantools.database.can.signal import Signal

_SCREEN = re.compile(
    r"^\s*(?:\((?P<time>\d+\.\d+)\))?\s*\S+\s+(?P<id>[0-9A-Fa-f]{3,8})\s+\[(?P<size>\d+)\]\s*(?P<data>(?:[0-9A-Fa-f]{2}\s*)*)"
)
_FRAMES_BETWEEN_REPORTS = 20000


@dataclass(slots=True)
class _Frames:
    """Every frame of one identifier."""

    stamps: list[float] = field(default_factory=list)
    payloads: list[bytes] = field(default_factory=list)


def read(path: Path, options: ReadOptions, progress: Progress) -> Recording:
    """Read the frames and decode them; without a database the raw bytes become the channels."""
    progress(0.0, f"reading {path.name}")
    database_file = database_for(path, options)
    frames, kind = _frames(path, progress)
    if not frames:
        raise FormatError(path, "holds no bus frames with data", "record again, or check that this is the right file")
    notes: list[str] = []
    first = min(f.stamps[0] for f in frames.values())
    progress(0.7, f"decoding {path.name}")
    if database_file is None:
        notes.append(
            f"No database was given, so the {len(frames)} identifiers are shown byte by byte; name one with --dbc FILE, "
            "or put it beside the log."
        )
        columns = [c for key, f in sorted(frames.items()) for c in _raw(key, f, first, notes)]
    else:
        columns = _decoded(database_file, path, frames, first, notes, progress)
    headings = headings_of(
        [c.heading.name for c in columns], [c.heading.unit.symbol if c.heading.unit else "" for c in columns]
    )
    for column, heading in zip(columns, headings, strict=True):
        column.heading = heading
    if all(c.time_s.size < 2 for c in columns):
        notes.append("No identifier was seen more than once; there is nothing to judge in it.")
    return assemble(path, kind, columns, options, notes, {}, epoch_start(first))


def _frames(path: Path, progress: Progress) -> tuple[dict[tuple[int, bool], _Frames], str]:
    """Frames by (identifier, extended), in the order they came; and what kind of log it was."""
    found: dict[tuple[int, bool], _Frames] = defaultdict(_Frames)
    size = max(path.stat().st_size, 1)
    logging.getLogger("can").setLevel(logging.CRITICAL)
    count, kind = 0, ""
    try:
        reader, kind, bytes_a_frame = _reader_of(path)
        for stamp, key, payload in reader:
            frames = found[key]
            frames.stamps.append(stamp)
            frames.payloads.append(payload)
            count += 1
            if count % _FRAMES_BETWEEN_REPORTS == 0:
                progress(min(0.65, 0.65 * count * bytes_a_frame / size), f"reading {path.name}, {count:,} frames")
    except (Cancelled, MemoryError):
        raise
    except Exception as error:
        if count == 0:
            raise FormatError(
                path, f"is damaged ({type(error).__name__} before the first frame)", "copy it from the logger again"
            ) from None
    return found, kind


_Frame = tuple[float, tuple[int, bool], bytes]


def _reader_of(path: Path) -> tuple[Iterator[_Frame], str, float]:
    """An iterator over the frames, the kind of log, and about how many bytes a frame takes in the file."""
    import can

    head = path.open("rb").read(4096)
    if head[:4] == b"LOGG":
        return _messages(can.BLFReader(str(path))), "bus log, BLF", 25.0
    first = next((line for line in head.splitlines() if line.strip()), b"")
    if CANDUMP.match(first):
        if b"[" in first:
            return _from_screen(path), "bus log, candump", 60.0
        return _messages(can.CanutilsLogReader(str(path))), "bus log, candump", 45.0
    if ASC.search(head):
        return _messages(can.ASCReader(str(path), relative_timestamp=False)), "bus log, ASC", 60.0
    return _messages(can.TRCReader(str(path))), "bus log, TRC", 55.0


def _messages(reader: Iterable[can.Message]) -> Iterator[_Frame]:
    for m in reader:
        if not (m.is_error_frame or m.is_remote_frame) and m.data:
            yield m.timestamp, (m.arbitration_id, m.is_extended_id), bytes(m.data)


def _from_screen(path: Path) -> Iterator[_Frame]:
    """candump as it stands on a terminal: (stamp) bus id [size] bytes."""
    with path.open(encoding="ascii", errors="replace") as lines:
        for line in lines:
            match = _SCREEN.match(line)
            if match and match["time"] and match["data"]:
                data = bytes.fromhex(match["data"].replace(" ", ""))
                yield float(match["time"]), (int(match["id"], 16), len(match["id"]) > 3), data


def _table_of(frames: _Frames, first: float) -> tuple[FloatArray, NDArray[np.uint8], NDArray[np.intp]]:
    """Stamps in s, payloads as a table padded with zeros, and each payload's true length."""
    lengths = np.fromiter((len(p) for p in frames.payloads), dtype=np.intp, count=len(frames.payloads))
    width = int(lengths.max())
    joined = b"".join(p.ljust(width, b"\x00") for p in frames.payloads)
    return np.asarray(frames.stamps) - first, np.frombuffer(joined, dtype=np.uint8).reshape(-1, width), lengths


def _in_order(stamps: FloatArray, columns: list[FloatArray], notes: list[str]) -> tuple[FloatArray, list[FloatArray]]:
    if stamps.size < 2 or bool(np.all(np.diff(stamps) > 0)):
        return stamps, columns
    start = float(stamps[0])
    repaired, columns = repair(stamps, columns, notes)
    return repaired + start, columns


def _raw(key: tuple[int, bool], frames: _Frames, first: float, notes: list[str]) -> list[RawColumn]:
    stamps, data, lengths = _table_of(frames, first)
    values = [np.where(lengths > i, data[:, i].astype(np.float64), np.nan) for i in range(data.shape[1])]
    stamps, values = _in_order(stamps, values, notes)
    names = [f"id {key[0]:X} byte {i}" for i in range(len(values))]
    return [RawColumn(h, stamps, v) for h, v in zip(headings_of(names, None), values, strict=True)]


def _decoded(
    database_file: Path,
    path: Path,
    frames: dict[tuple[int, bool], _Frames],
    first: float,
    notes: list[str],
    progress: Progress,
) -> list[RawColumn]:
    import cantools

    try:
        database: Any = cantools.database.load_file(str(database_file), strict=False)
        messages = {(m.frame_id, bool(m.is_extended_frame)): m for m in database.messages}
    except Exception as error:
        # The library tells a damaged database by whatever its parser trips over.
        raise FormatError(
            database_file, f"is no bus database that can be read ({type(error).__name__})", "export it again as DBC"
        ) from None
    known = {key: message for key, message in messages.items() if key in frames}
    if not known:
        raise FormatError(
            path,
            f"has none of the {len(messages)} identifiers that {database_file.name} describes",
            "name the database that belongs to this bus with --dbc FILE",
        )
    seen: dict[str, int] = defaultdict(int)
    for m in known.values():
        for s in m.signals:
            seen[s.name] += 1
    twice = {name for name, count in seen.items() if count > 1}
    columns: list[RawColumn] = []
    for number, (key, message) in enumerate(known.items()):
        progress(0.7 + 0.2 * number / len(known), f"decoding {path.name}")
        columns += _signals(message, frames[key], first, twice, notes)
    unknown = len(frames) - len(known)
    if unknown:
        notes.append(f"{unknown} identifiers are not in {database_file.name} and were left out.")
    notes.append(f"Decoded with {database_file.name}.")
    return columns


def _signals(message: Message, frames: _Frames, first: float, twice: set[str], notes: list[str]) -> list[RawColumn]:
    stamps, data, lengths = _table_of(frames, first)
    bits = np.unpackbits(data, axis=1, bitorder="little")
    selector = {s.name: raw_values(s, bits, lengths) for s in message.signals if s.is_multiplexer}
    columns = []
    for s in message.signals:
        raw = raw_values(s, bits, lengths)
        for name, ids in _selected_by(message, s):
            raw = np.where(np.isin(selector[name], list(ids)), raw, np.nan)
        present = np.isfinite(raw)
        if not present.any():
            continue
        values = raw[present] * float(s.scale) + float(s.offset)
        at, (values,) = _in_order(stamps if present.all() else stamps[present], [values], notes)
        name = f"{message.name}.{s.name}" if s.name in twice else s.name
        (heading,) = headings_of([name], [s.unit or ""])
        columns.append(RawColumn(heading, at, values))
    return _sharing_times(columns)


def _sharing_times(columns: list[RawColumn]) -> list[RawColumn]:
    for c in columns[1:]:
        if c.time_s.size == columns[0].time_s.size and np.array_equal(c.time_s, columns[0].time_s):
            c.time_s = columns[0].time_s
    return columns


def _selected_by(message: Message, signal: Signal) -> Iterator[tuple[str, Iterable[int]]]:
    """Multiplexers that must show certain values for the signal to be there, up the chain."""
    while signal.multiplexer_signal is not None and signal.multiplexer_ids is not None:
        yield signal.multiplexer_signal, signal.multiplexer_ids
        signal = message.get_signal_by_name(signal.multiplexer_signal)


def raw_values(signal: Signal, bits: NDArray[np.uint8], lengths: NDArray[np.intp]) -> FloatArray:
    """The unscaled numbers of one signal in every frame, NaN in frames too short to hold it.

    Args:
        signal: start (bit number in the database's own counting), length, byte_order, is_signed, is_float.
        bits: shape (frames, 8 × bytes), bit 0 of byte 0 first.
        lengths: bytes in each frame.
    """
    places = bit_places(signal.start, signal.length, signal.byte_order == "little_endian")
    needed = max(places) // 8 + 1
    if needed * 8 > bits.shape[1]:
        return np.full(bits.shape[0], np.nan)
    # Most significant first in both orders from here on.
    if signal.length > 64:
        weights = 2.0 ** np.arange(signal.length - 1, -1, -1)
        return np.where(lengths >= needed, bits[:, places] @ weights, np.nan)
    number = np.zeros(bits.shape[0], dtype=np.uint64)
    for place in places:
        number = (number << np.uint64(1)) | bits[:, place].astype(np.uint64)
    values: FloatArray
    if signal.is_float:
        kinds: dict[int, Callable[[], FloatArray]] = {
            16: lambda: number.astype(np.uint16).view(np.float16).astype(np.float64),
            32: lambda: number.astype(np.uint32).view(np.float32).astype(np.float64),
            64: lambda: number.view(np.float64),
        }
        values = kinds[signal.length]()
    elif signal.is_signed:
        room = np.uint64(64 - signal.length)
        values = ((number << room).view(np.int64) >> room.astype(np.int64)).astype(np.float64)
    else:
        values = number.astype(np.float64)
    return np.where(lengths >= needed, values, np.nan)


def bit_places(start: int, length: int, little: bool) -> list[int]:
    """Where a signal's bits lie, most significant first, as bit numbers counted from bit 0 of byte 0.

    In little-endian order ``start`` is the least significant bit; in big-endian order it is the most significant one,
    and the signal runs down through the byte and on at the top of the next.
    """
    if little:
        return list(range(start + length - 1, start - 1, -1))
    places, place = [], start
    for _ in range(length):
        places.append(place)
        place = place - 1 if place % 8 else place + 15
    return places
