"""Reading CSV and other separated text, as loggers and their software write it."""

from __future__ import annotations

import gzip
import hashlib
import re
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING

import numpy as np

from basso.errors import FormatError
from basso.formats.assemble import RawColumn, assemble, headings_of
from basso.formats.registry import ReadOptions
from basso.formats.sniff import TextLayout, find_layout
from basso.formats.table import Table, read_table
from basso.formats.timebase import repair
from basso.progress import Progress
from basso.recording.recording import Recording
from basso.recording.roles import Heading, Role, recognise
from basso.units import FloatArray, Quantity

if TYPE_CHECKING:
    import polars as pl

_HEAD_BYTES = 262144
_HEAD_LINES = 400
_NAMES_OF_SEPARATORS = MappingProxyType({",": "comma", ";": "semicolon", "\t": "tab", "|": "bar"})
_COUNTER = re.compile(
    r"^(sample|samples|index|row|rows|record|no|nr|num|number|count|counter|id|n|i)( (no|nr|number|index|count|id))?$"
)
_RATE = re.compile(r"(sampl\w*|logging|log|data|record\w*) ?(rate|frequency|freq)|^(rate|frequency|freq)\b|abtastrate")
_STEP = re.compile(r"(sampl\w*|logging|log|time) ?(interval|period|step)|^(interval|period)\b")
_FIRST_NUMBER = re.compile(r"\d+(\.\d+)?")


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
        hashing = beside.submit(_content_hash, raw)
        layout = _layout(path, raw)
        progress(0.1, f"reading {path.name}")
        table = read_table(path, raw, layout, notes)
        digest = hashing.result()
    del raw, hashing
    progress(0.6, f"recognising the columns of {path.name}")
    facts = {r[0].rstrip(":"): r[1] for r in layout.preamble if len(r) >= 2 and r[0] and r[1]}
    columns, started = _columns(path, table, layout, options, facts, notes)
    separator = _NAMES_OF_SEPARATORS[layout.separator]
    kind = f"CSV, {separator}{', decimal comma' if layout.decimal_comma else ''}, {encoding}"
    recording = assemble(path, kind, columns, options, notes, facts, started)
    progress(1.0, f"read {path.name}")
    return replace(recording, content_hash=digest)


def _content_hash(raw: bytes) -> str:
    return hashlib.blake2b(raw, digest_size=16).hexdigest()


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


def _columns(
    path: Path, table: Table, layout: TextLayout, options: ReadOptions, facts: Mapping[str, str], notes: list[str]
) -> tuple[list[RawColumn], str]:
    """The columns in time order, each at its own times, and when the log began if its stamps say so."""
    headings = headings_of(table.names, layout.units)
    clock = _find_time(path, table, headings, options, facts, notes)
    kept: list[Heading] = []
    numbers: list[FloatArray] = []
    for i, heading in enumerate(headings):
        values = table.columns[i]
        if i == clock.index:
            kept.append(heading)
            numbers.append(clock.seconds)
        elif isinstance(values, np.ndarray):
            kept.append(heading)
            numbers.append(values)
        elif heading.name:
            notes.append(f"Column '{heading.name}' holds text and was left out.")
    del table
    seconds, numbers = repair(clock.seconds, numbers, notes)
    if seconds.size < 2:
        raise FormatError(path, "has fewer than two rows in time order", "export the whole session again")
    return _at_own_times([RawColumn(h, seconds, v) for h, v in zip(kept, numbers, strict=True)]), clock.started


@dataclass(frozen=True, slots=True)
class _Clock:
    """Stamps in seconds, not yet starting at zero; the column they came from, or −1; when the log began, or ""."""

    index: int
    seconds: FloatArray
    started: str = ""


def _find_time(
    path: Path, table: Table, headings: list[Heading], options: ReadOptions, facts: Mapping[str, str], notes: list[str]
) -> _Clock:
    """The time of each row: from the time column, or from a sampling rate that the file's head or the user gives."""
    roles = recognise(headings, _named_as_time(headings, options))
    order = [i for i, r in enumerate(roles) if r is Role.TIME]
    order += [i for i, h in enumerate(headings) if i not in order and "time" in h.words and "lap" not in h.words]
    order += [0] if 0 not in order and not _COUNTER.search(" ".join(headings[0].words)) else []
    for i in order if options.rate_hz is None else ():
        found = _clock_from(i, table.columns[i], headings[i], roles[i] is Role.TIME, table, notes)
        if found is not None:
            return found
    rows = len(table.columns[0])
    rate = options.rate_hz or _rate_in(facts)
    if rate is None:
        raise FormatError(
            path,
            "has no time column (none that rises steadily, in seconds or as a clock time)",
            'name it with --role time="NAME", or give the sampling rate with --rate HZ',
        )
    said = "given" if options.rate_hz else "in the file's head"
    notes.append(f"Time was counted from the rows at {rate:g} Hz, the rate {said}.")
    return _Clock(-1, np.arange(rows) / rate)


def _named_as_time(headings: list[Heading], options: ReadOptions) -> dict[int, Role]:
    name = options.roles.get(Role.TIME, "").strip().lower()
    return {i: Role.TIME for i, h in enumerate(headings) if name and h.name.lower() == name}


def _clock_from(
    index: int, values: FloatArray | pl.Series, heading: Heading, is_time: bool, table: Table, notes: list[str]
) -> _Clock | None:
    """The clock in one column; None when it holds none."""
    if not isinstance(values, np.ndarray):
        from basso.formats.clock import clock_seconds

        seconds, started = clock_seconds(values)
        if seconds is not None and np.isfinite(seconds).mean() > 0.9:
            return _Clock(index, seconds, started)
        return None
    known = values[np.isfinite(values)]
    if known.size < 0.9 * values.size or known.size < 2:
        return None
    steps = np.diff(known)
    # A clock that was set once in mid-log still runs ahead with nearly every row.
    if np.count_nonzero(steps >= 0) < 0.95 * steps.size or not np.any(steps > 0):
        return None
    unit = heading.unit
    stated = unit is not None and unit.quantity is Quantity.TIME
    if not is_time and "time" not in heading.words and not stated:
        notes.append(f"No column is named as time; '{heading.name}' rises steadily and was taken as seconds.")
    if unit is not None and stated:
        return _Clock(index, unit.to_base(values), _epoch_start(float(unit.to_base(float(known[0])))))
    scale, name = _stamp_scale(float(np.median(known)), float(np.median(steps[steps > 0])), table)
    if name:
        notes.append(f"'{heading.name}' has no unit; by its steps it was taken as {name}.")
    return _Clock(index, values * scale if scale != 1.0 else values, _epoch_start(float(known[0]) * scale))


def _stamp_scale(middle: float, step: float, table: Table) -> tuple[float, str]:
    """Factor to seconds of stamps without a unit, and the unit's name when it is not seconds.

    Whole steps of two and more are too long for seconds where the other columns hardly change from row to row.
    """
    for least, scale, name in ((1e17, 1e-9, "ns"), (1e14, 1e-6, "µs"), (1e11, 1e-3, "ms")):
        if middle > least:
            return scale, name
    if step < 1.9 or not float(step).is_integer() or not _smooth(table):
        return 1.0, ""
    for least, scale, name in ((2e6, 1e-9, "ns"), (2e3, 1e-6, "µs")):
        if step >= least:
            return scale, name
    return 1e-3, "ms"


def _smooth(table: Table) -> bool:
    """True when the table's columns change little from row to row, as at many rows a second."""
    alike = []
    for values in table.columns:
        if not isinstance(values, np.ndarray):
            continue
        some = values[:20000]
        some = some[np.isfinite(some)]
        if some.size > 20 and float(np.ptp(some)) > 0:
            rough = float(np.mean(np.abs(np.diff(some)))) / float(np.std(some))
            alike.append(rough < 0.3)
    return sum(alike) > 0.5 * len(alike) if alike else True


def _epoch_start(seconds: float) -> str:
    """ISO text of a first stamp that counts from 1970, or ""."""
    if not 3e8 < seconds < 4.2e9:
        return ""
    return datetime.fromtimestamp(seconds, UTC).strftime("%Y-%m-%dT%H:%M:%S")


def _rate_in(facts: Mapping[str, str]) -> float | None:
    """The sampling rate in Hz that a file's head states, or None."""
    for key, value in facts.items():
        number = _FIRST_NUMBER.search(value.replace(",", "."))
        if number is None or not (found := float(number.group())) > 0:
            continue
        words = f"{key} {value}".lower()
        if _RATE.search(key.lower()):
            return 1000.0 * found if "khz" in words else found
        if _STEP.search(key.lower()):
            return 1.0 / (found * (1e-3 if re.search(r"\bms\b|milli", words) else 1.0))
    return None


def _at_own_times(columns: list[RawColumn]) -> list[RawColumn]:
    """A column that was sampled more slowly (regular blanks between its values) gets its own times."""
    shared: dict[bytes, FloatArray] = {}
    for column in columns:
        known = ~np.isnan(column.values)
        count = int(np.count_nonzero(known))
        if count < 2 or count > 0.7 * known.size:
            continue
        steps = np.diff(np.flatnonzero(known))
        usual = np.median(steps)
        if np.count_nonzero(np.abs(steps - usual) <= max(1.0, 0.2 * usual)) < 0.8 * steps.size:
            continue
        key = hashlib.blake2b(np.packbits(known).tobytes(), digest_size=8).digest()
        column.time_s = shared.setdefault(key, column.time_s[known])
        column.values = column.values[known]
    return columns
