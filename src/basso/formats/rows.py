"""From a table with one row a sample to columns at their own times: finding the clock, and blanks between slow
samples."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from basso.errors import FormatError
from basso.formats.assemble import MANUAL_KIND, RawColumn, headings_of
from basso.formats.options import ReadOptions
from basso.formats.reader_notes import ReaderNotes
from basso.formats.row_rate import held_to_rate, stated_rate
from basso.formats.table import TextTable
from basso.formats.timebase import repair
from basso.recording.roles import Heading, Role, recognise
from basso.units import FloatArray, Quantity, parse_unit

if TYPE_CHECKING:
    import polars as pl

_COUNTER = re.compile(
    r"^(reading|sample|samples|index|row|rows|record|no|nr|num|number|count|counter|id|n|i)( "
    r"(no|nr|number|index|count|id))?$"
)
_BETWEEN_READINGS_S = 60.0
"""Gauge readings are placed this far apart: wider than anything is drawn or worked out across."""


def columns_of(
    path: Path,
    table: TextTable,
    units: Sequence[str] | None,
    options: ReadOptions,
    facts: Mapping[str, str],
    notes: ReaderNotes,
) -> tuple[list[RawColumn], str]:
    """The columns of a table in time order, each at its own times, and when the log began if its stamps say so.

    Args:
        path: for errors.
        table: one row a sample; ``table.columns`` are let go of one by one.
        units: the units row, or None.
        options, facts: what the user and the file's head say.
        notes: extended with what was assumed and repaired.

    Raises:
        FormatError: there is no time, or no two rows in time order.
    """
    headings = headings_of(table.names, units)
    headings = _with_units_beside(table, headings)
    clock = _find_time(path, table, headings, options, facts, notes)
    if table.textual and clock.index >= 0:
        from basso.formats.long_table import columns_of_long

        if (columns := columns_of_long(table, headings, clock.index, clock.seconds, notes)) is not None:
            return columns, clock.started
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
        elif heading.words:
            notes.append(f"Column '{heading.name}' holds text and was left out.")
    del table
    seconds, numbers = repair(clock.seconds, numbers, notes)
    if seconds.size < 2:
        raise FormatError(path, "has fewer than two rows in time order", "export the whole session again")
    if clock.index >= 0 and (stated := stated_rate(facts)) is not None:
        seconds = held_to_rate(seconds, stated, notes)
    return _at_own_times([RawColumn(h, seconds, v) for h, v in zip(kept, numbers, strict=True)]), clock.started


def _with_units_beside(table: TextTable, headings: list[Heading]) -> list[Heading]:
    """Units written in a nameless column of their own beside each value: "12.5, kPa"."""
    found = list(headings)
    for i in sorted(table.textual):
        column = table.columns[i]
        if (
            i == 0
            or (headings[i].words and not headings[i].name.startswith("column "))
            or isinstance(column, np.ndarray)
        ):
            continue
        said = set(column.head(200).str.strip_chars().unique().to_list()) - {"", None}
        if len(said) == 1 and found[i - 1].unit is None and (unit := parse_unit(said.pop())) is not None:
            found[i - 1] = replace(found[i - 1], unit=unit)
            found[i] = replace(headings[i], words=())
    return found


@dataclass(frozen=True, slots=True)
class _Clock:
    """Stamps in seconds, not yet starting at zero; the column they came from, or −1; when the log began, or ""."""

    index: int
    seconds: FloatArray
    started: str = ""


def _find_time(
    path: Path,
    table: TextTable,
    headings: list[Heading],
    options: ReadOptions,
    facts: Mapping[str, str],
    notes: ReaderNotes,
) -> _Clock:
    """The time of each row: from the time column, or from a sampling rate that the file's head or the user gives."""
    roles = recognise(headings, _named_as_time(headings, options))
    order = [i for i, r in enumerate(roles) if r is Role.TIME]
    order += [i for i, h in enumerate(headings) if i not in order and _may_be_time(h)]
    nameless = roles[0] is None and not _COUNTER.search(" ".join(headings[0].words))
    order += [0] if 0 not in order and nameless else []
    for i in order if options.rate_hz is None else ():
        found = _clock_from(i, table.columns[i], headings[i], roles[i] is Role.TIME, table, notes)
        if found is not None:
            return found
    rows = len(table.columns[0])
    if facts.get("Kind", "").lower() == MANUAL_KIND:
        notes.append("Readings off a gauge have no time; each stands by itself.")
        return _Clock(-1, _BETWEEN_READINGS_S * np.arange(rows, dtype=np.float64))
    rate = options.rate_hz or stated_rate(facts)
    if rate is None:
        raise FormatError(
            path,
            "has no time column (none that rises steadily, in seconds or as a clock time)",
            'name it with --role time="NAME", or give the sampling rate with --rate HZ',
        )
    if notes.damaged_rows:
        raise FormatError(
            path,
            "is damaged there, and without a time column the rows below cannot be placed",
            "cut the file off above this row, or export it again with its time",
            f"row {notes.damaged_rows}",
        )
    said = "given" if options.rate_hz else "in the file's head"
    notes.append(f"Time was counted from the rows at {rate:g} Hz, the rate {said}.")
    return _Clock(-1, np.arange(rows) / rate)


def _may_be_time(heading: Heading) -> bool:
    stated = heading.unit is not None and heading.unit.quantity is Quantity.TIME
    return ("time" in heading.words or stated) and not {"lap", "sector", "split"} & set(heading.words)


def _named_as_time(headings: list[Heading], options: ReadOptions) -> dict[int, Role]:
    name = options.roles.get(Role.TIME, "").strip().lower()
    return {i: Role.TIME for i, h in enumerate(headings) if name and h.name.lower() == name}


def _clock_from(
    index: int, values: FloatArray | pl.Series, heading: Heading, is_time: bool, table: TextTable, notes: list[str]
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
    if np.count_nonzero(steps <= 0) > 0.95 * steps.size and np.any(steps < 0) and (is_time or "time" in heading.words):
        notes.append("The rows run from the last to the first; they were put in order.")
        for i, column in enumerate(table.columns):
            table.columns[i] = column[::-1]
        return _clock_from(index, table.columns[index], heading, is_time, table, notes)
    # A clock that was set once in mid-log still runs ahead with nearly every row.
    if np.count_nonzero(steps >= 0) < 0.95 * steps.size or not np.any(steps > 0):
        # Stamps put on late may run backward often; a column that is named as time must only rise in the long run.
        later = known[20:] - known[:-20]
        if not is_time or np.count_nonzero(later > 0) < 0.95 * later.size or not later.size:
            return None
    unit = heading.unit
    stated = unit is not None and unit.quantity is Quantity.TIME
    if not is_time and "time" not in heading.words and not stated:
        notes.append(f"No column is named as time; '{heading.name}' rises steadily and was taken as seconds.")
    if unit is not None and stated:
        return _Clock(index, unit.to_base(values), epoch_start(float(unit.to_base(float(known[0])))))
    scale, name = _stamp_scale(float(np.median(known)), float(np.median(steps[steps > 0])), table)
    if name:
        notes.append(f"'{heading.name}' has no unit; by its steps it was taken as {name}.")
    return _Clock(index, values * scale if scale != 1.0 else values, epoch_start(float(known[0]) * scale))


def _stamp_scale(middle: float, step: float, table: TextTable) -> tuple[float, str]:
    """Factor to seconds of stamps without a unit, and the unit's name when it is not seconds.

    Whole steps of two and more are too long for seconds where the other columns hardly change from row to row.
    """
    for least, scale, name in ((1e17, 1e-9, "ns"), (1e14, 1e-6, "µs"), (1e11, 1e-3, "ms")):
        if middle > least:
            return scale, name
    if 2e4 < middle < 1e5 and step < 2e-4:
        return 86400.0, "days, as spreadsheets count them"
    if step < 1.9 or not float(step).is_integer() or not _smooth(table):
        return 1.0, ""
    for least, scale, name in ((2e6, 1e-9, "ns"), (2e3, 1e-6, "µs")):
        if step >= least:
            return scale, name
    return 1e-3, "ms"


def _smooth(table: TextTable) -> bool:
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


def epoch_start(seconds: float) -> str:
    """ISO text of a first stamp that counts from 1970, or ""."""
    if not 3e8 < seconds < 4.2e9:
        return ""
    return datetime.fromtimestamp(seconds, UTC).strftime("%Y-%m-%dT%H:%M:%S")


def _at_own_times(columns: list[RawColumn]) -> list[RawColumn]:
    """A column that was sampled more slowly (regular blanks between its values) gets its own times."""
    shared: dict[bytes, FloatArray] = {}
    even_rows: bool | None = None
    for column in columns:
        if not np.isnan(column.values.min()):  # NaN if there is any: one pass without a copy
            continue
        known = ~np.isnan(column.values)
        count = int(np.count_nonzero(known))
        if count < 2:
            continue
        if even_rows is None:
            even_rows = _even(column.time_s)
        # Nearly full columns on even rows have drop-outs; on uneven rows they may be the one rate among several.
        sparse = count <= 0.7 * known.size
        every_few_rows = sparse and _regular(np.diff(np.flatnonzero(known)).astype(np.float64), 1.0)
        if not every_few_rows and not ((sparse or not even_rows) and _even(column.time_s[known])):
            continue
        key = hashlib.blake2b(np.packbits(known).tobytes(), digest_size=8).digest()
        column.time_s = shared.setdefault(key, column.time_s[known])
        column.values = column.values[known]
    return columns


def _regular(steps: FloatArray, least: float, share: float = 0.8) -> bool:
    usual = float(np.median(steps))
    return bool(np.count_nonzero(np.abs(steps - usual) <= max(least, 0.2 * usual)) >= share * steps.size)


def _even(time_s: FloatArray) -> bool:
    """True when nearly all steps are the usual one."""
    return _regular(np.diff(time_s), 0.0, 0.95)
