"""Reading CSV and other separated text, as loggers and their software write it."""

from __future__ import annotations

import bisect
import gzip
import hashlib
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from basso.errors import FormatError
from basso.formats.registry import ReadOptions
from basso.formats.sniff import TextLayout, find_layout
from basso.formats.table import Table, read_table
from basso.progress import Progress
from basso.recording.channel import Channel
from basso.recording.plausible import assume_unit, contradicts
from basso.recording.recording import Recording
from basso.recording.roles import QUANTITY_OF, Heading, Role, recognise, take_apart
from basso.units import UNITS, FloatArray, Quantity, parse_unit

_HEAD_BYTES = 262144
_HEAD_LINES = 400
_SMALL_BYTES = 3_000_000
_NAMES_OF_SEPARATORS = MappingProxyType({",": "comma", ";": "semicolon", "\t": "tab", "|": "bar"})
_NEEDED = (Role.OIL_PRESSURE, Role.RPM)


def recognises(path: Path, head: bytes) -> bool:
    """True for gzip and for anything that begins as text: no zero bytes in its first lines unless it is UTF-16."""
    if head[:2] == b"\x1f\x8b" or head[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return True
    return b"\x00" not in head[:512]


def read(path: Path, options: ReadOptions, progress: Progress) -> Recording:
    """Read a text log into a recording.

    Raises:
        FormatError: one sentence that names the file, the place and what to do.
    """
    progress(0.0, f"reading {path.name}")
    notes: list[str] = []
    raw, encoding = _text_bytes(path, notes)
    # The hash lets go of the interpreter, so it costs nothing beside the parsing.
    with ThreadPoolExecutor(1) as beside:
        digest = beside.submit(_content_hash, raw)
        recording, layout = _parsed(path, raw, options, progress, notes)
    separator = _NAMES_OF_SEPARATORS[layout.separator]
    progress(1.0, f"read {path.name}")
    return replace(
        recording,
        format=f"CSV, {separator}{', decimal comma' if layout.decimal_comma else ''}, {encoding}",
        content_hash=digest.result(),
    )


def _content_hash(raw: bytes) -> str:
    return hashlib.blake2b(raw, digest_size=16).hexdigest()


def _parsed(
    path: Path, raw: bytes, options: ReadOptions, progress: Progress, notes: list[str]
) -> tuple[Recording, TextLayout]:
    layout = _layout(path, raw)
    progress(0.1, f"reading {path.name}")
    columns = _columns(path, read_table(path, raw, layout, notes), layout, notes)
    progress(0.6, f"recognising the columns of {path.name}")
    return _recording(path, layout, columns, options, notes), layout


def _text_bytes(path: Path, notes: list[str]) -> tuple[bytes, str]:
    """The file's text as UTF-8 bytes without a byte-order mark, and the name of its encoding."""
    raw = path.read_bytes()
    packed = ""
    if raw[:2] == b"\x1f\x8b":
        try:
            raw = gzip.decompress(raw)
        except (OSError, EOFError):
            raise FormatError(path, "is a damaged gzip file", "copy it from the logger again") from None
        packed = " in gzip"
    if raw[:3] == b"\xef\xbb\xbf":
        return raw[3:], "UTF-8" + packed
    if raw[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return raw.decode("utf-16", errors="replace").encode(), "UTF-16" + packed
    whole = raw.rstrip(b"\x00") if raw.endswith(b"\x00") else raw
    if len(whole) < len(raw):
        notes.append("The file ends in zero bytes, as after a power loss; they were left out.")
        raw = whole
    if b"\x00" in raw:
        row = raw.count(b"\n", 0, raw.index(b"\x00")) + 1
        raise FormatError(
            path,
            "holds zero bytes in the middle, as after a power loss while writing",
            "export it again, or cut the file off above this row",
            f"row {row}",
        )
    if raw.isascii():
        return raw, "UTF-8" + packed
    try:
        raw.decode("utf-8")
    except UnicodeDecodeError:
        return raw.decode("latin-1").encode(), "Latin-1" + packed
    return raw, "UTF-8" + packed


def _layout(path: Path, raw: bytes) -> TextLayout:
    if not raw[:_HEAD_BYTES].strip():
        raise FormatError(path, "is empty", "export it again, or take it off the logger again")
    head = raw[:_HEAD_BYTES].decode("utf-8", errors="replace")
    lines = head.splitlines()[:_HEAD_LINES]
    if len(raw) > _HEAD_BYTES and len(lines) < _HEAD_LINES and len(lines) > 1:
        lines = lines[:-1]
    layout = find_layout(lines)
    if layout is None:
        if len([x for x in lines if x.strip()]) < 2:
            raise FormatError(path, "has no rows of data under its first line", "export the whole session again")
        raise FormatError(
            path,
            "holds no table with a row of column names and rows of numbers below",
            "export the log as CSV with a heading row",
        )
    return layout


@dataclass(slots=True)
class _Column:
    heading: Heading
    numbers: FloatArray


def _columns(path: Path, table: Table, layout: TextLayout, notes: list[str]) -> tuple[list[_Column], FloatArray]:
    """The columns in time order, and the time in seconds."""
    headings = _headings(table.names, layout)
    clock_index, seconds = _find_time(path, table, headings, notes)
    columns: list[_Column] = []
    for i, (heading, values) in enumerate(zip(headings, table.columns, strict=True)):
        if i == clock_index:
            columns.append(_Column(heading, seconds))
        elif isinstance(values, np.ndarray):
            columns.append(_Column(heading, values))
        elif heading.name:
            notes.append(f"Column '{heading.name}' holds text and was left out.")
    return _in_order(columns, seconds, notes)


def _headings(names: Sequence[str], layout: TextLayout) -> list[Heading]:
    headings = []
    seen: dict[str, int] = {}
    for i, name in enumerate(names):
        heading = take_apart(name)
        stated = layout.units[i] if layout.units is not None and i < len(layout.units) else ""
        unit = parse_unit(stated) if stated else None
        shown = heading.name or f"column {i + 1}"
        seen[shown] = seen.get(shown, 0) + 1
        if seen[shown] > 1:
            shown = f"{shown} ({seen[shown]})"
        headings.append(Heading(shown, heading.words, unit or heading.unit))
    return headings


def _find_time(path: Path, table: Table, headings: list[Heading], notes: list[str]) -> tuple[int, FloatArray]:
    """The time column and its values in seconds (not yet starting at zero)."""
    roles = recognise(headings)
    order = [i for i, r in enumerate(roles) if r is Role.TIME]
    order += [i for i, h in enumerate(headings) if i not in order and "time" in h.words and "lap" not in h.words]
    order += [0] if 0 not in order else []
    for i in order:
        values = table.columns[i]
        if not isinstance(values, np.ndarray):
            from basso.formats.clock import clock_seconds

            seconds = clock_seconds(values)
            if seconds is not None and np.isfinite(seconds).mean() > 0.9:
                return i, seconds
            continue
        known = values[np.isfinite(values)]
        if known.size < 0.9 * values.size or known.size < 2 or known[-1] <= known[0]:
            continue
        steps = np.diff(known)
        if np.count_nonzero(steps >= 0) < 0.95 * steps.size:
            continue
        unit = headings[i].unit
        stated = unit is not None and unit.quantity is Quantity.TIME
        named = roles[i] is Role.TIME or "time" in headings[i].words
        if not named and not stated:
            notes.append(f"No column is named as time; '{headings[i].name}' rises steadily and was taken as seconds.")
        if unit is not None and stated:
            return i, unit.to_base(values)
        step = float(np.median(steps[steps > 0])) if np.any(steps > 0) else 0.0
        if known[0] > 1e11 or (step > 1.9 and float(step).is_integer() and known[-1] - known[0] > 20000):
            scale = 1e-6 if known[0] > 1e14 else 1e-3
            notes.append(
                f"'{headings[i].name}' has no unit; by its steps it was taken as {'µs' if scale < 1e-4 else 'ms'}."
            )
            return i, values * scale
        return i, values
    raise FormatError(
        path,
        "has no time column (none that rises steadily, in seconds or as a clock time)",
        'export it with time, or name the column with --role time="NAME"',
    )


def _in_order(columns: list[_Column], seconds: FloatArray, notes: list[str]) -> tuple[list[_Column], FloatArray]:
    """Rows without a time, repeated, backward and wild stamps are left out and reported."""
    if bool(np.all(np.diff(seconds) > 0)):  # False with any NaN
        return columns, seconds - seconds[0]
    known = np.flatnonzero(np.isfinite(seconds))
    if known.size < seconds.size:
        notes.append(f"{seconds.size - known.size} rows have no time and were left out.")
    kept = known[_longest_rise(seconds[known])]
    if kept.size < known.size:
        dropped = known.size - kept.size
        notes.append(f"{dropped} rows repeat an earlier time or are out of time order and were left out.")
    seconds = seconds[kept]
    return [_Column(c.heading, c.numbers[kept]) for c in columns], seconds - seconds[:1]


def _longest_rise(values: FloatArray) -> NDArray[np.intp]:
    """Indices of the longest strictly rising run of stamps: one wild stamp must not cost the rows after it."""
    tails: list[float] = []
    ends: list[int] = []
    before = np.full(values.size, -1, dtype=np.intp)
    for i, value in enumerate(values.tolist()):
        at = bisect.bisect_left(tails, value)
        if at == len(tails):
            tails.append(value)
            ends.append(i)
        else:
            tails[at] = value
            ends[at] = i
        before[i] = ends[at - 1] if at else -1
    kept = np.empty(len(ends), dtype=np.intp)
    i = ends[-1] if ends else -1
    for k in range(len(ends) - 1, -1, -1):
        kept[k] = i
        i = int(before[i])
    return kept


def _recording(
    path: Path, layout: TextLayout, table: tuple[list[_Column], FloatArray], options: ReadOptions, notes: list[str]
) -> Recording:
    columns, seconds = table
    if seconds.size < 2:
        raise FormatError(path, "has fewer than two rows in time order", "export the whole session again")
    headings = [c.heading for c in columns]
    forced = _forced(path, headings, options)
    for name in options.units:
        if name not in {h.name for h in headings}:
            raise FormatError(path, f"has no column '{name}' to set a unit for", f"use one of: {_some(headings)}")
    headings = [replace(h, unit=options.units.get(h.name, h.unit)) for h in headings]
    roles = recognise(headings, forced)
    channels: list[Channel] = []
    for column, heading, role in zip(columns, headings, roles, strict=True):
        if not heading.words and np.isnan(column.numbers).all():
            continue
        if role is Role.TIME:
            channels.append(Channel(heading.name, role, UNITS["s"], heading.unit is None, seconds, seconds))
            continue
        channels.append(_channel(heading, role, column.numbers, seconds, heading.name in options.units, notes))
    channels = _with_shared_times(channels)
    for role in _NEEDED:
        if not any(c.role is role for c in channels):
            notes.append(f'No column was recognised as {role}; name it with --role {role}="NAME".')
    facts = {r[0].rstrip(":"): r[1] for r in layout.preamble if len(r) >= 2 and r[0] and r[1]}
    return Recording(path, "CSV", tuple(channels), tuple(notes), MappingProxyType(facts))


def _forced(path: Path, headings: list[Heading], options: ReadOptions) -> dict[int, Role]:
    forced: dict[int, Role] = {}
    for role, name in options.roles.items():
        index = next((i for i, h in enumerate(headings) if h.name.strip() == name.strip()), None)
        if index is None:
            index = next((i for i, h in enumerate(headings) if h.name.lower() == name.lower()), None)
        if index is None:
            raise FormatError(path, f"has no column '{name}' for {role}", f"use one of: {_some(headings)}")
        forced[index] = role
    return forced


def _some(headings: list[Heading]) -> str:
    names = [f"'{h.name}'" for h in headings]
    return ", ".join(names[:12]) + (" …" if len(names) > 12 else "")


def _channel(
    heading: Heading, role: Role | None, values: FloatArray, seconds: FloatArray, unit_forced: bool, notes: list[str]
) -> Channel:
    unit, assumed = heading.unit, False
    quantity = QUANTITY_OF[role] if role is not None else None
    if role is not None and quantity is not None:
        if unit is None or unit.quantity is not quantity:
            unit, assumed = assume_unit(role, values), True
            if quantity in (Quantity.PRESSURE, Quantity.TEMPERATURE, Quantity.ACCELERATION, Quantity.SPEED):
                notes.append(f"'{heading.name}' has no unit; its values were taken as {unit.symbol}.")
        elif not unit_forced and (better := contradicts(role, unit, values)) is not None:
            notes.append(
                f"'{heading.name}' says {unit.symbol}, which no engine shows at these values; taken as {better.symbol}."
            )
            unit, assumed = better, True
    if unit is not None and unit.absolute:
        # The day's atmosphere is not known here; zero correction measures it. Keep the value as logged.
        notes.append(
            f"'{heading.name}' is absolute pressure ({unit.symbol}); the zero is taken from the engine-off reading."
        )
    base = unit.to_base(values) if unit is not None else values
    return Channel(heading.name, role, unit, assumed, seconds, np.ascontiguousarray(base, dtype=np.float64))


def _with_shared_times(channels: list[Channel]) -> list[Channel]:
    """A column that was sampled more slowly (regular blanks between its values) gets its own times."""
    result = []
    shared: dict[bytes, FloatArray] = {}
    for channel in channels:
        known = ~np.isnan(channel.values)
        count = int(known.sum())
        if count < 2 or count > 0.7 * known.size:
            result.append(channel)
            continue
        steps = np.diff(np.flatnonzero(known))
        usual = np.median(steps)
        if np.count_nonzero(np.abs(steps - usual) <= max(1.0, 0.2 * usual)) < 0.8 * steps.size:
            result.append(channel)
            continue
        key = hashlib.blake2b(np.packbits(known).tobytes(), digest_size=8).digest()
        times = shared.setdefault(key, channel.time_s[known])
        result.append(replace(channel, time_s=times, values=channel.values[known]))
    return result
