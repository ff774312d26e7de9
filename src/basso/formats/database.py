"""Bus databases: which files are taken for one, whether what they say can be, and frames decoded by them.

A database comes from a stranger as a log does. Only four kinds are opened, told by content and name before any library
sees them; what a signal claims is checked before anything is decoded; and loading one has a time limit. Decoding is
done here, a whole signal at a time, because frame by frame an hour's log would take minutes.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from basso.errors import FormatError
from basso.files import open_plain
from basso.formats.assemble import RawColumn, headings_of
from basso.formats.frames import Frames, Key
from basso.formats.options import DATABASE_KINDS
from basso.formats.timebase import repair
from basso.limits import MOST_DATABASE_BYTES, MOST_NUMBERS, SPLIT
from basso.plain_text import plain
from basso.platform.patience import time_box
from basso.progress import Progress
from basso.units import FloatArray

if TYPE_CHECKING:
    from cantools.database import Message
    from cantools.database.can.signal import Signal

_MARKS = {
    "dbc": re.compile(r'(?m)^\s*(VERSION\s*"|BO_ +\d+ |BU_ *:|NS_ *:)'),
    "kcd": re.compile(r"<(\w+:)?NetworkDefinition\b"),
    "sym": re.compile(r"(?m)^\s*FormatVersion\s*="),
    "arxml": re.compile(r"<(\w+:)?AUTOSAR\b"),
}
_HEAD = 200_000
_LOADING_S = 12
_LONGEST_SIGNAL_BITS = 512
_FLOAT_BITS = (16, 32, 64)
_WIDEST_RANGE = 65_536
_DBC_LAYOUT = re.compile(r"(?m)^\s*SG_ +(\S+)[^:\n]{0,80}: *(\d+) *\| *(\d+) *@")
_DBC_RANGES = re.compile(r"(?m)^\s*SG_MUL_VAL_ +\d+ +(\S+) +\S+ +([^;\n]{0,10000})")
_RANGE = re.compile(r"(\d+)\s*-\s*(\d+)")


def load_database(path: Path) -> dict[Key, Message]:
    """The messages of a database, by identifier.

    Raises:
        FormatError: it is no database of a known kind, is damaged, or claims what no database can.
    """
    import cantools

    text, kind = _text_of(path)
    _check_claims(path, text, kind)
    try:
        with time_box(_LOADING_S):
            database: Any = cantools.database.load_string(text, database_format=kind, strict=False)
            return {(m.frame_id, bool(m.is_extended_frame)): m for m in database.messages}
    except MemoryError:
        raise FormatError(path, "asks for more memory than a database can need", "export it again as DBC") from None
    except TimeoutError:
        raise FormatError(
            path,
            f"takes longer than {_LOADING_S} s to be understood, as no sound database does",
            "export it again as DBC",
        ) from None
    except Exception as error:
        # The library tells a damaged database by whatever its parser trips over.
        raise FormatError(
            path, f"is no bus database that can be read ({type(error).__name__})", "export it again as DBC"
        ) from None


def _text_of(path: Path) -> tuple[str, str]:
    """A database's text and kind, told by its content; its name must not say another."""
    try:
        with open_plain(path) as stream:
            raw = stream.read(MOST_DATABASE_BYTES + 1)
    except OSError as error:
        raise FormatError(path, f"cannot be read ({error.strerror})", "check the disk") from None
    if len(raw) > MOST_DATABASE_BYTES:
        raise FormatError(
            path,
            f"is larger than any bus database ({MOST_DATABASE_BYTES // 1_000_000} MB)",
            "export the one for this bus",
        )
    text = raw.decode("utf-8-sig", errors="strict") if _is_utf8(raw) else raw.decode("cp1252", errors="replace")
    named = path.suffix.lower().removeprefix(".")
    kinds = [k for k in DATABASE_KINDS if _MARKS[k].search(text[:_HEAD])]
    if (
        not kinds
        or b"\x00" in raw
        or (named in DATABASE_KINDS and named not in kinds)
        or (named and named not in DATABASE_KINDS)
    ):
        raise FormatError(
            path,
            "is no bus database (those are DBC, KCD, SYM or ARXML files, by name and by content)",
            "export the database as DBC",
        )
    return text, named if named in kinds else kinds[0]


def _is_utf8(raw: bytes) -> bool:
    try:
        raw.decode("utf-8")
    except UnicodeDecodeError:
        return False
    return True


def _check_claims(path: Path, text: str, kind: str) -> None:
    """Claims that would make a library count for minutes or fill the memory, refused before it sees them."""
    if kind != "dbc":
        return
    for name, start, bits in _DBC_LAYOUT.findall(text):
        if len(bits) > 4 or len(start) > 5 or int(bits) > _LONGEST_SIGNAL_BITS:
            raise FormatError(
                path,
                f"gives the signal '{plain(name, 60)}' {plain(bits, 20)} bits from bit "
                f"{plain(start, 20)} on, and a frame "
                f"has {_LONGEST_SIGNAL_BITS}",
                "correct it or export the database again",
            )
    for name, ranges in _DBC_RANGES.findall(text):
        if any(len(b) > 9 or int(b) - int(a) > _WIDEST_RANGE for a, b in _RANGE.findall(ranges) if len(a) < 10):
            raise FormatError(
                path,
                f"lets '{plain(name, 60)}' stand for more multiplexer values than there are",
                "correct it or export the database again",
            )


def decode(
    database: Path, path: Path, frames: dict[Key, Frames], first: float, notes: list[str], progress: Progress
) -> list[RawColumn]:
    """Every signal that the frames hold, each at its own times.

    Args:
        database: the file that describes them.
        path: the log, for errors.
        frames: by identifier.
        first: stamp that becomes 0 s.
        notes: extended with what is unknown or left out.
        progress: hears 0.7 to 0.9.

    Raises:
        FormatError: the database cannot be used, or none of its messages is in the log.
    """
    messages = load_database(database)
    known = {key: message for key, message in messages.items() if key in frames}
    if not known:
        raise FormatError(
            path,
            f"has none of the {len(messages)} identifiers that {database.name} describes",
            "name the database that belongs to this bus with --dbc FILE",
        )
    twice = names_given_twice(known)
    columns: list[RawColumn] = []
    wrong: list[str] = []
    for number, (key, message) in enumerate(known.items()):
        progress(0.7 + 0.2 * number / len(known), f"decoding {path.name}")
        columns += signals_of(message, frames[key], first, twice, notes, wrong)
        if sum(c.values.size for c in columns) > MOST_NUMBERS:
            raise FormatError(path, f"decodes to more than {MOST_NUMBERS:,} readings", SPLIT)
    unknown = len(frames) - len(known)
    if unknown:
        notes.append(f"{unknown} identifiers are not in {database.name} and were left out.")
    if wrong:
        some = ", ".join(f"'{plain(n, 60)}'" for n in wrong[:6]) + (" …" if len(wrong) > 6 else "")
        notes.append(f"{database.name} describes {some} in a way no frame can hold; left out.")
    notes.append(f"Decoded with {database.name}.")
    return columns


def names_given_twice(messages: Mapping[Key, Message]) -> set[str]:
    """Signals of one name in several messages: theirs goes before it."""
    seen = Counter(s.name for m in messages.values() for s in m.signals)
    return {name for name, count in seen.items() if count > 1}


def signals_of(
    message: Message, frames: Frames, first: float, twice: set[str], notes: list[str], wrong: list[str]
) -> list[RawColumn]:
    """Every signal of one message, at the frames' times in s from ``first``; ``notes`` and ``wrong`` (signals that no
    frame can hold) are extended."""
    stamps, data, lengths = frames.table(first)
    bits = np.unpackbits(data, axis=1, bitorder="little")
    sound = [s for s in message.signals if is_sound(s)]
    wrong += [s.name for s in message.signals if not is_sound(s)]
    selector = {s.name: raw_values(s, bits, lengths) for s in sound if s.is_multiplexer}
    by_name = {s.name: s for s in sound}
    columns = []
    for s in sound:
        raw = raw_values(s, bits, lengths)
        chain = _selected_by(by_name, s)
        if chain is None:
            wrong.append(s.name)
            continue
        for name, ids in chain:
            raw = np.where(np.isin(selector[name], ids), raw, np.nan)
        present = np.isfinite(raw)
        if not present.any():
            continue
        values = raw[present] * float(s.scale) + float(s.offset)
        at, (values,) = in_order(stamps if present.all() else stamps[present], [values], notes)
        name = f"{message.name}.{s.name}" if s.name in twice else s.name
        (heading,) = headings_of([name], [s.unit or ""])
        columns.append(RawColumn(heading, at, values))
    return _sharing_times(columns)


def is_sound(signal: Signal) -> bool:
    """False for a layout that no frame can hold or no number has."""
    if not (1 <= signal.length <= _LONGEST_SIGNAL_BITS and 0 <= signal.start < _LONGEST_SIGNAL_BITS):
        return False
    if signal.is_float and signal.length not in _FLOAT_BITS:
        return False
    try:
        return bool(np.isfinite([float(signal.scale), float(signal.offset)]).all())
    except (TypeError, ValueError, OverflowError):
        return False


def _sharing_times(columns: list[RawColumn]) -> list[RawColumn]:
    for c in columns[1:]:
        if c.time_s.size == columns[0].time_s.size and np.array_equal(c.time_s, columns[0].time_s):
            c.time_s = columns[0].time_s
    return columns


def _selected_by(by_name: dict[str, Signal], signal: Signal) -> list[tuple[str, list[int]]] | None:
    """Multiplexers that must show certain values for a signal to be there, up the chain; None where it goes in a
    circle."""
    chain: list[tuple[str, list[int]]] = []
    seen = {signal.name}
    while signal.multiplexer_signal is not None and signal.multiplexer_ids is not None:
        above = by_name.get(signal.multiplexer_signal)
        if (
            above is None
            or not above.is_multiplexer
            or above.name in seen
            or len(signal.multiplexer_ids) > _WIDEST_RANGE
        ):
            return None
        seen.add(above.name)
        chain.append((above.name, list(signal.multiplexer_ids)))
        signal = above
    return chain


def in_order(stamps: FloatArray, columns: list[FloatArray], notes: list[str]) -> tuple[FloatArray, list[FloatArray]]:
    """Stamps that rise, and the columns with them."""
    if stamps.size < 2 or bool(np.all(np.diff(stamps) > 0)):
        return stamps, columns
    start = float(stamps[0])
    repaired, columns = repair(stamps, columns, notes)
    return repaired + start, columns


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
