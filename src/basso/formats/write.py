"""Writing a recording to CSV or Parquet, so that Basso (and anyone) reads it back the same.

Every channel is written in the unit it was logged in, with the unit in its name. Channels of different rates stand on
the union of their times with blanks between their samples; nothing is resampled. What a name alone does not tell (a
role set by the user) and the session's facts stand in a Parquet file's metadata as ``key, value``. A CSV is plain, so
that any table reader and spreadsheet opens it as it is; the same lines stand above its heading where that is asked for.
"""

from __future__ import annotations

import codecs
import io
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from basso.errors import InputError
from basso.formats.assemble import MANUAL_KIND, NO_ROLE_FACT, ROLE_FACT
from basso.plain_text import as_cell, separated
from basso.recording.channel import Channel
from basso.recording.recording import Recording
from basso.recording.roles import Role, recognise, take_apart
from basso.units import FloatArray

if TYPE_CHECKING:
    import polars as pl

WRITTEN = (".csv", ".parquet")


def part_of(recording: Recording, start_s: float, end_s: float) -> Recording:
    """The stretch from ``start_s`` to ``end_s`` (both included), with times as in the whole.

    Raises:
        InputError: there is nothing in it.
    """
    channels, slices = [], {}
    for c in recording.channels:
        if id(c.time_s) not in slices:
            part = slice(*np.searchsorted(c.time_s, (start_s, np.nextafter(end_s, np.inf))).tolist())
            slices[id(c.time_s)] = (part, c.time_s[part].copy())
        part, times = slices[id(c.time_s)]
        values = times if c.role is Role.TIME else c.values[part].copy()
        channels.append(replace(c, time_s=times, values=values))
    if not any(c.time_s.size for c in channels):
        raise InputError(f"{recording.path}: has nothing between {start_s:g} and {end_s:g} s; choose another stretch.")
    return recording.with_channels(tuple(channels))


def recording_bytes(
    recording: Recording, suffix: str, facts: Mapping[str, str] | None = None, facts_above: bool = False
) -> bytes:
    """The recording as a file of the kind that ``suffix`` names.

    Args:
        suffix: ".csv" or ".parquet".
        facts: more facts to write, such as the corrections that were applied.
        facts_above: of a CSV: all facts above its heading, so that Basso reads back what it knew of the log.

    Raises:
        InputError: another kind of file.
    """
    if suffix.lower() not in WRITTEN:
        raise InputError(f"'{suffix}': logs are written as {' or '.join(WRITTEN)}; name the file so.")
    frame, said = frame_of(recording), {**_facts(recording), **(facts or {})}
    if suffix.lower() == ".parquet":
        binary = io.BytesIO()
        frame.write_parquet(binary, metadata=said)
        return binary.getvalue()
    # Readings off a gauge must never be taken for a log. Facts have a field of their own beside them, so that no line
    # of them can be taken for the heading.
    head = separated([*said.items(), []] if said and (facts_above or recording.manual) else [])
    # By the mark in front spreadsheets know the encoding: without it "°C" is written wrong there.
    return (
        codecs.BOM_UTF8
        + head.encode()
        + frame.rename({name: as_cell(name) for name in frame.columns}).write_csv().encode()
    )


def column_name(channel: Channel) -> str:
    """The heading of a channel: its own name, with its unit in brackets unless it says that unit already."""
    unit = channel.unit
    if channel.role is Role.TIME:
        return "Time [s]"
    if unit is None or not unit.symbol:
        return channel.name
    heading = take_apart(channel.name)
    if heading.unit is not None and heading.unit.symbol == unit.symbol:
        return channel.name
    return f"{_without_unit(channel.name) if heading.unit is not None else channel.name} [{unit.symbol}]"


def _without_unit(name: str) -> str:
    for opening in "[(<{":
        if opening in name:
            return name.rsplit(opening, 1)[0].strip() or name
    return name


def _facts(recording: Recording) -> dict[str, str]:
    facts = dict(recording.facts)
    if recording.started:
        facts["Started"] = recording.started
    if recording.manual:
        facts["Kind"] = MANUAL_KIND
    named = [column_name(c) for c in recording.channels]
    told = recognise([take_apart(n) for n in named])
    for channel, name, role in zip(recording.channels, named, told, strict=True):
        if channel.role is not None and channel.role is not Role.TIME and role is not channel.role:
            facts[f"{ROLE_FACT}{channel.role}"] = name
        elif channel.role is None and role is not None:
            facts[f"{NO_ROLE_FACT}{len(facts)}"] = name
    return {k: v for k, v in facts.items() if v}


def frame_of(
    recording: Recording, named: Callable[[Channel], str] = column_name, time_name: str = "Time [s]", si: bool = False
) -> pl.DataFrame:
    """Every channel on one grid of times: a row for each time at which any channel has a sample, null elsewhere.

    Args:
        named: what a channel's column is called; a name that is taken gets a number.
        si: a channel with a role in the unit of the JSON documents rather than as logged.
    """
    import polars as pl

    channels = [c for c in recording.channels if c.role is not Role.TIME and c.time_s.size]
    times: list[FloatArray] = []
    for c in channels:
        if not any(c.time_s is t for t in times):
            times.append(c.time_s)
    union = times[0] if len(times) == 1 else np.unique(np.concatenate(times)) if times else np.empty(0)
    rows = {id(t): np.searchsorted(union, t) for t in times}
    columns: dict[str, pl.Series] = {time_name: pl.Series(union)}
    for c in channels:
        as_logged = c.unit is not None and not (si and c.role is not None)
        shown = c.unit.from_base(c.values) if as_logged and c.unit is not None else c.values
        full = np.full(union.size, np.nan)
        full[rows[id(c.time_s)]] = shown
        name = named(c)
        while name in columns:
            name += " (2)"
        columns[name] = pl.Series(full).fill_nan(None)
    return pl.DataFrame(columns)
