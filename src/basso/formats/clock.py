"""Time columns: seconds, clock times and dates, all turned into seconds from the first sample."""

from __future__ import annotations

import numpy as np
import polars as pl

from basso.units import FloatArray


def clock_seconds(column: pl.Series) -> FloatArray | None:
    """Parse ``HH:MM:SS.fff``, ``MM:SS.fff`` or ISO date-times to seconds; None when it is neither.

    A clock that passes midnight goes on counting. Blank cells become NaN.
    """
    text = column.str.strip_chars().str.replace(",", ".", literal=True)
    first = next((t for t in text.head(50).to_list() if t), "")
    if any(mark in first for mark in "-/T") and ":" in first:
        return _date_times(text)
    if ":" not in first:
        return None
    parts = text.str.split_exact(":", 2).struct.unnest()
    names = parts.columns
    numbers = [parts[n].cast(pl.Float64, strict=False).to_numpy() for n in names]
    three = first.count(":") == 2
    seconds = numbers[0] * 3600.0 + numbers[1] * 60.0 + numbers[2] if three else numbers[0] * 60.0 + numbers[1]
    return _past_midnight(seconds, 86400.0 if three else 3600.0)


def _past_midnight(seconds: FloatArray, period: float) -> FloatArray:
    step = np.diff(seconds, prepend=seconds[:1])
    turns = np.cumsum(np.nan_to_num(step) < -0.5 * period)
    return seconds + turns * period


def _date_times(text: pl.Series) -> FloatArray | None:
    for pattern in (
        None,
        "%d/%m/%Y %H:%M:%S%.f",
        "%Y/%m/%d %H:%M:%S%.f",
        "%d.%m.%Y %H:%M:%S%.f",
        "%d-%m-%Y %H:%M:%S%.f",
    ):
        try:
            parsed = text.str.replace(r"Z$", "").str.to_datetime(pattern, time_unit="us", strict=True)
        except pl.exceptions.PolarsError:
            continue
        micros = parsed.dt.epoch("us").cast(pl.Float64).to_numpy()
        first = micros[np.isfinite(micros)][:1]
        return np.asarray((micros - (first[0] if first.size else 0.0)) * 1e-6, dtype=np.float64)
    return None
