"""The columns of a table as arrays of numbers."""

from __future__ import annotations

import io
from typing import TYPE_CHECKING

import numpy as np

from basso.recording.channel import extremes

if TYPE_CHECKING:
    import polars as pl

    from basso.formats.sniff import TextLayout
    from basso.units import FloatArray


def numbers_of(series: list[pl.Series], textual: frozenset[int]) -> list[FloatArray | pl.Series]:
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


_ERROR_CODES = (
    -999.0,
    -9999.0,
    -99999.0,
    -32768.0,
    -2147483648.0,
    9999.0,
    32767.0,
    65534.0,
    65535.0,
    99999.0,
    999999.0,
    2147483647.0,
    4294967295.0,
)
"""What loggers write where a channel gave nothing."""


def without_error_codes(values: FloatArray, name: str, notes: list[str]) -> FloatArray:
    """Readings that are a logger's code for "nothing", far from all others, become missing; told in a note.

    A code is believed to be one only where it lies further outside the other readings than three times their own span.
    """
    low, high = extremes(values)
    for code in {low, high} & set(_ERROR_CODES):
        coded = values == code
        rest_low, rest_high = extremes(values[~coded])
        away = max(code - rest_high, rest_low - code)
        span = rest_high - rest_low
        if not (span > 0 and away > 3.0 * span):  # NaN where nothing else was read
            continue
        count = int(np.count_nonzero(coded))
        notes.append(
            f"'{name}' holds {code:.0f} in {count} {'row' if count == 1 else 'rows'}, which is a code for no reading; "
            f"{'it was' if count == 1 else 'they were'} taken as missing."
        )
        values = np.where(coded, np.nan, values)
    return values
