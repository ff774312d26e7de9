"""Tables with one row a reading ("time, channel, value"): taken apart into a column for each channel."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from basso.formats.assemble import RawColumn, headings_of
from basso.formats.timebase import repair

if TYPE_CHECKING:
    import polars as pl

    from basso.formats.table import TextTable
    from basso.recording.roles import Heading
    from basso.units import FloatArray

_NAMES = {
    "channel",
    "signal",
    "name",
    "sensor",
    "parameter",
    "variable",
    "item",
    "kanal",
    "pid",
    "measurement",
    "field",
}
_VALUES = {"value", "val", "reading", "wert", "data", "sample"}
_UNITS = {"unit", "units", "einheit"}
_MOST_CHANNELS = 500


def columns_of_long(
    table: TextTable, headings: Sequence[Heading], clock: int, seconds: FloatArray, notes: list[str]
) -> list[RawColumn] | None:
    """The channels of a table with one row a reading, each at its own times; None when it is no such table.

    Args:
        table, headings: as read.
        clock: index of the time column, and ``seconds`` what it says, shape (rows,), not starting at 0.
        notes: extended.
    """
    texts = {i for i in range(len(headings)) if i != clock and not isinstance(table.columns[i], np.ndarray)}
    names = [i for i in texts if _NAMES & set(headings[i].words)]
    units = [i for i in texts if _UNITS & set(headings[i].words)]
    values = [
        i
        for i, h in enumerate(headings)
        if i != clock and i not in texts and len(h.words) == 1 and _VALUES & set(h.words)
    ]
    if len(names) != 1 or len(values) != 1:
        return None
    channel: pl.Series = table.columns[names[0]]  # type: ignore[assignment]
    readings: FloatArray = table.columns[values[0]]  # type: ignore[assignment]
    found = [n for n in channel.str.strip_chars().unique(maintain_order=True).to_list() if n]
    if not 1 < len(found) <= min(_MOST_CHANNELS, channel.len() // 2):
        return None
    unit_of: dict[str, str] = {}
    if units:
        stated: pl.Series = table.columns[units[0]]  # type: ignore[assignment]
        pairs = zip(channel.to_list(), stated.to_list(), strict=True)
        unit_of = {str(n).strip(): str(u).strip() for n, u in pairs if n and u}
    first = float(np.nanmin(seconds))
    label = channel.str.strip_chars()
    columns = []
    repairs: list[str] = []
    for name, heading in zip(found, headings_of(found, [unit_of.get(n, "") for n in found]), strict=True):
        rows = np.flatnonzero((label == name).fill_null(False).to_numpy())
        rows = rows[np.isfinite(seconds[rows])]
        if rows.size < 2:
            continue
        at, (own,) = repair(seconds[rows], [readings[rows]], repairs)
        if at.size >= 2:
            columns.append(RawColumn(heading, at + (seconds[rows].min() - first), own))
    notes += dict.fromkeys(repairs)
    notes.append(f"Each row holds one reading; it was taken apart into {len(columns)} channels.")
    return columns
