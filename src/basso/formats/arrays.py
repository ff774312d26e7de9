"""The columns of a table as arrays of numbers."""

from __future__ import annotations

import io
from dataclasses import replace
from typing import TYPE_CHECKING, cast

import numpy as np

from basso.recording.channel import extremes

if TYPE_CHECKING:
    import polars as pl

    from basso.formats.sniff import TextLayout
    from basso.formats.table import Table
    from basso.units import FloatArray


def in_numbers(table: Table) -> Table:
    """The table with its numbers as arrays. ``table`` is emptied on the way."""
    if all(isinstance(c, np.ndarray) for c in table.columns):
        return table
    columns = _numbers_of(cast("list[pl.Series]", table.columns), table.textual)
    return replace(table, columns=columns)


def _numbers_of(series: list[pl.Series], textual: frozenset[int]) -> list[FloatArray | pl.Series]:
    """The columns as numbers, all in one block of memory (which costs the system far less than one for each).

    ``series`` is emptied, so that the library's own copy is let go of column by column.
    """
    rows = series[0].len()
    block = np.empty((len(series) - len(textual), rows))
    free = iter(block)
    columns: list[FloatArray | pl.Series] = []
    series.reverse()
    while series:
        column = series.pop()
        if len(columns) in textual:
            columns.append(column)
            continue
        own = next(free)
        at = 0
        for chunk in column.get_chunks():
            own[at : at + chunk.len()] = chunk.to_numpy()
            at += chunk.len()
        columns.append(finite(own))
    return columns


def plain_numbers(body: bytes, layout: TextLayout, width: int) -> list[FloatArray | pl.Series] | None:
    """The columns of a small table of numbers and nothing else, or None when it is not one."""
    if body.count(b"\n") <= layout.data_line:
        return None
    try:
        table = np.loadtxt(
            io.BytesIO(body),
            delimiter=layout.separator,
            skiprows=layout.data_line,
            comments=None,
            ndmin=2,
            encoding="utf-8",
        )
    except ValueError:
        return None
    if table.shape[0] < 2 or table.shape[1] != width:
        return None
    return [finite(c) for c in np.ascontiguousarray(table.T)]


def finite(values: FloatArray) -> FloatArray:
    """Infinite and absurdly large readings become missing: no quantity reaches 1e30 in any unit."""
    low, high = extremes(values)
    if low < -1e30 or high > 1e30:
        return np.where(np.abs(values) > 1e30, np.nan, values)
    return values
