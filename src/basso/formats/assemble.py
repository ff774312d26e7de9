"""From columns of numbers, whatever file they came from, to a recording: names, roles, units, notes, start, laps."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path
from types import MappingProxyType

import numpy as np

from basso.errors import FormatError
from basso.formats.arrays import finite, without_error_codes
from basso.formats.options import ReadOptions
from basso.formats.reader_notes import ReaderNotes, with_losses
from basso.limits import LONGEST_LOG_S, LONGEST_NAME, MOST_COLUMNS, MOST_NUMBERS, SPLIT
from basso.memory.columns import Confirmed, shape_of
from basso.plain_text import plain
from basso.recording.channel import Channel, extremes
from basso.recording.lap_signals import with_lap_numbers
from basso.recording.plausible import PLAUSIBLE
from basso.recording.recognition import Recognition, recognise_columns
from basso.recording.recording import Recording
from basso.recording.roles import Heading, Role, clash, take_apart
from basso.units import UNITS, FloatArray, parse_unit

ROLE_FACT = "role "
"""A fact ``role oil_pressure`` → ``P3 gallery`` says what a column is."""
NO_ROLE_FACT = "no role "
"""A fact ``no role 1`` → ``Acc 3`` says that a column means nothing, whatever its name."""
MANUAL_KIND = "gauge readings"
"""What the fact ``Kind`` says of single readings off a gauge."""
_LONGEST_NOTE, _MOST_NOTES = 1_000, 300
_NEEDED = (Role.OIL_PRESSURE, Role.RPM)
_DATE_KEYS = re.compile(r"(?i)\b(date|datum|day|log ?date|start(ed)?|recorded|session date|created)\b")
_TIME_KEYS = re.compile(r"(?i)^(log |session |start |local )?(time|zeit|time of day|start time)$")
_BRACKETED_END = re.compile(r"\s*(\[[^\]]*\]|\([^)]*\)|<[^>]*>|\{[^}]*\})\s*$")
_DATES = (
    "%Y-%m-%d",
    "%d.%m.%Y",
    "%d/%m/%Y",
    "%m/%d/%Y",
    "%Y/%m/%d",
    "%d-%m-%Y",
    "%d %b %Y",
    "%d %B %Y",
    "%B %d %Y",
    "%Y%m%d",
)
_TIMES = ("", " %H:%M:%S", " %H:%M", " %H:%M:%S.%f", "T%H:%M:%S", "T%H:%M:%S.%f", " %I:%M:%S %p", " %I:%M %p")


@dataclass(slots=True)
class RawColumn:
    """One column as a file holds it.

    Attributes:
        heading: name, words, unit.
        time_s: seconds from the first sample of the file; columns sampled together share one array.
        values: in the unit as logged, NaN where missing. Handed over: it is converted in place.
    """

    heading: Heading
    time_s: FloatArray
    values: FloatArray


def headings_of(names: Sequence[str], units: Sequence[str] | None) -> list[Heading]:
    """Take headings apart; units from a row of their own win; names are made unique."""
    headings = []
    seen: dict[str, int] = {}
    for i, name in enumerate(names):
        heading = take_apart(name)
        stated = units[i] if units is not None and i < len(units) else ""
        unit = parse_unit(stated) if stated else None
        shown = heading.name or f"column {i + 1}"
        seen[shown] = seen.get(shown, 0) + 1
        if seen[shown] > 1:
            shown = f"{shown} ({seen[shown]})"
        headings.append(Heading(shown, heading.words, unit or heading.unit))
    return headings


def assemble(
    path: Path,
    kind: str,
    columns: Sequence[RawColumn],
    options: ReadOptions,
    notes: ReaderNotes,
    facts: Mapping[str, str],
    started: str = "",
) -> Recording:
    """Make the recording.

    Args:
        path, kind: the file and what sort it is.
        columns: every column; one recognised as time becomes the recording's own time channel.
        options: roles and units the user set.
        notes: of the reader so far; extended.
        facts: session facts.
        started: when it began, if the stamps tell; else looked for in the facts.

    Raises:
        FormatError: a column the user named does not exist.
    """
    if len(columns) > MOST_COLUMNS or sum(c.values.size for c in columns) > MOST_NUMBERS:
        raise FormatError(path, f"holds more than {MOST_NUMBERS:,} readings or {MOST_COLUMNS:,} channels", SPLIT)
    spans = [(float(c.time_s[0]), float(c.time_s[-1])) for c in columns if c.time_s.size]
    span = max((b for _, b in spans), default=0.0) - min((a for a, _ in spans), default=0.0)
    if not span <= LONGEST_LOG_S:
        raise FormatError(path, f"runs over {span / 86400:,.0f} days by its time", "check the time column and its unit")
    for column in columns:
        column.values = finite(without_error_codes(column.values, column.heading.name, notes))
    headings = [c.heading for c in columns]
    facts, options = _with_written_roles(facts, headings, options)
    shape = shape_of([h.name for h in headings])
    known = options.confirmed.get(shape)
    if known is not None:
        options = options.with_confirmed(known, [h.name for h in headings])
        notes.append(f"Columns and units are as you confirmed them for logs of this shape ({known.when}).")
    options = _with_whole_names(options, headings)
    forced = _forced(path, headings, options)
    for name in options.units:
        if name not in {h.name for h in headings}:
            raise FormatError(path, f"has no column '{name}' to set a unit for", f"use one of: {_some(headings)}")
    set_units = frozenset(i for i, h in enumerate(headings) if h.name in options.units)
    headings = [replace(h, unit=options.units.get(h.name, h.unit)) for h in headings]
    for i, role in forced.items():
        if why := clash(role, headings[i].unit):
            raise FormatError(
                path, f"column '{headings[i].name}' {why}", f"choose another column for {role}, or say its unit as well"
            )
    barred = frozenset(i for i, h in enumerate(headings) if h.name in options.ignored)
    recognised, more = recognise_columns(
        headings, [c.time_s for c in columns], [c.values for c in columns], forced, set_units, barred
    )
    if known is not None:
        recognised = [_as_confirmed(r, h.name, known) for r, h in zip(recognised, headings, strict=True)]
    channels = [
        _channel(column, heading, found)
        for column, heading, found in zip(columns, headings, recognised, strict=True)
        if heading.words or heading.unit is not None or not np.isnan(column.values).all()
    ]
    channels = [_without_nonsense(c, notes) for c in channels]
    notes += [r.note for r in recognised if r.note] + more
    notes += [
        f"'{c.name}' is absolute pressure ({c.unit.symbol}); the zero is taken from the engine-off reading."
        for c in channels
        if c.role is not None and c.unit is not None and c.unit.absolute
    ]
    channels, note = with_lap_numbers(channels)
    notes += [note] if note else []
    for role in _NEEDED:
        if not any(c.role is role for c in channels):
            notes.append(
                f"No column was recognised as {role.words}; say which one it is, under Columns or with "
                f'--role {role}="NAME".'
            )
    recording = Recording(
        path,
        kind,
        tuple(channels),
        tuple(plain(n, _LONGEST_NOTE) for n in list(dict.fromkeys(notes))[:_MOST_NOTES]),
        MappingProxyType(
            {plain(k, LONGEST_NAME): plain(v, LONGEST_NAME) for k, v in list(facts.items())[:_MOST_NOTES]}
        ),
        started=started or started_of(facts),
        manual=facts.get("Kind", "").lower() == MANUAL_KIND,
        shape=shape,
    )
    return with_losses(recording, notes)


def _with_written_roles(
    facts: Mapping[str, str], headings: Sequence[Heading], options: ReadOptions
) -> tuple[Mapping[str, str], ReadOptions]:
    """Roles that a file of Basso's own writing names among its facts; what the user says now goes before them."""
    names = {h.name for h in headings}
    written = {k.removeprefix(ROLE_FACT): v for k, v in facts.items() if k.startswith(ROLE_FACT) and v in names}
    roles = {Role(k): v for k, v in written.items() if k in set(Role) and v not in options.roles.values()}
    nothing = {v for k, v in facts.items() if k.startswith(NO_ROLE_FACT)} - set(options.roles.values())
    kept = {k: v for k, v in facts.items() if not k.startswith((ROLE_FACT, NO_ROLE_FACT))}
    return kept, replace(options, roles={**roles, **options.roles}, ignored=options.ignored | nothing)


def _channel(column: RawColumn, heading: Heading, found: Recognition) -> Channel:
    if found.role is Role.TIME:
        # A time column may double as the recording's time; it is given in seconds from the first sample.
        return Channel(
            name=heading.name,
            role=Role.TIME,
            unit=UNITS["s"],
            unit_assumed=heading.unit is None,
            time_s=column.time_s,
            values=column.time_s,
            confidence=found.confidence,
            why=found.why,
        )
    base = np.ascontiguousarray(column.values, dtype=np.float64)
    column.values = np.empty(0)
    unit = found.unit
    if unit is not None and not base.flags.writeable:
        base = unit.to_base(base)
    elif unit is not None:
        if unit.factor != 1.0:
            base *= unit.factor
        if unit.offset != 0.0:
            base += unit.offset
    return Channel(
        name=heading.name,
        role=found.role,
        unit=unit,
        unit_assumed=found.unit_assumed,
        time_s=column.time_s,
        values=base,
        confidence=found.confidence,
        why=found.why,
        doubt=found.doubt,
    )


_FAR, _FEW = 50.0, 0.05


def _without_nonsense(channel: Channel, notes: list[str]) -> Channel:
    """Single readings that lie 50 spans beyond what the channel can be are damage, and become missing; told in a note.

    Many of them are no damage but a wrong unit or column, which is doubted elsewhere and never cut.
    """
    role = channel.role
    if role is None or role not in PLAUSIBLE or channel.values.size == 0:
        return channel
    low, high = PLAUSIBLE[role]
    reach = _FAR * (high - low)
    least, most = extremes(channel.values)
    if not (least < low - reach or most > high + reach):
        return channel
    wild = (channel.values < low - reach) | (channel.values > high + reach)
    count = int(np.count_nonzero(wild))
    if count > _FEW * channel.values.size:
        return channel
    first = float(channel.time_s[int(np.argmax(wild))])
    notes.append(
        f"'{channel.name}' holds {count} {'reading' if count == 1 else 'readings'} far beyond what "
        f"{role.words} can be (the first at "
        f"{first:.1f} s), as in a damaged file; {'it was' if count == 1 else 'they were'} taken as missing."
    )
    return replace(channel, values=np.where(wild, np.nan, channel.values))


def _as_confirmed(found: Recognition, name: str, known: Confirmed) -> Recognition:
    """What the user confirmed for a log of the same shape needs no asking and no note."""
    if name not in known.roles.values() and name not in known.units:
        return found
    return replace(found, confidence=1.0, why="confirmed by you for logs of this shape", note="", doubt="")


def _with_whole_names(options: ReadOptions, headings: list[Heading]) -> ReadOptions:
    """Columns that were named without their unit or in other case, by their whole names, where just one is meant."""
    exact = {h.name.strip() for h in headings}

    def whole(name: str) -> str:
        if name.strip() in exact:
            return name
        for short in (str.casefold, lambda n: _BRACKETED_END.sub("", n).strip().casefold()):
            meant = [h.name for h in headings if short(h.name) == name.strip().casefold()]
            if len(meant) == 1:
                return meant[0]
        return name

    return replace(
        options,
        roles={role: whole(name) for role, name in options.roles.items()},
        units={whole(name): unit for name, unit in options.units.items()},
    )


def _forced(path: Path, headings: list[Heading], options: ReadOptions) -> dict[int, Role]:
    forced: dict[int, Role] = {}
    for role, name in options.roles.items():
        index = next((i for i, h in enumerate(headings) if h.name.strip() == name.strip()), None)
        if index is None:
            raise FormatError(path, f"has no column '{name}' for {role}", f"use one of: {_some(headings)}")
        forced[index] = role
    return forced


def _some(headings: list[Heading]) -> str:
    names = [f"'{h.name}'" for h in headings]
    return ", ".join(names[:12]) + (" …" if len(names) > 12 else "")


def started_of(facts: Mapping[str, str]) -> str:
    """When a session began, as ISO text, from facts such as ("Date", "12.05.2026") and ("Time", "10:20"); else ""."""
    date = next((v for k, v in facts.items() if _DATE_KEYS.search(k) and any(c.isdigit() for c in v)), "")
    clock = next((v for k, v in facts.items() if _TIME_KEYS.match(k.strip()) and ":" in v), "")
    for text in (f"{date} {clock}".strip(), date) if date else ():
        if (when := parse_start(text)) is not None:
            return when
    return ""


def parse_start(text: str) -> str | None:
    """ISO text of a date, with or without a time of day, in one of the usual spellings; day before month."""
    plain = re.sub(r"(?i)^\w+day,?\s+", "", text.strip().replace(",", "")).rstrip("Zz")
    for date in _DATES:
        for clock in _TIMES:
            try:
                made = datetime.strptime(plain, date + clock)  # loggers write local time without a zone
            except ValueError:
                continue
            if 1980 <= made.year <= 2100:
                return made.date().isoformat() if not clock else made.isoformat(timespec="seconds")
    return None
