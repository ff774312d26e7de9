"""Time columns of text: clock times and dates, turned into seconds."""

from __future__ import annotations

import re
from datetime import datetime

import numpy as np
import polars as pl

from basso.units import FloatArray

_HALF_DAY = re.compile(r"(?i)\s*([ap])\.?m\.?$")
_PATTERNS = (
    None,
    "%d/%m/%Y %H:%M:%S%.f", "%m/%d/%Y %H:%M:%S%.f", "%Y/%m/%d %H:%M:%S%.f", "%d.%m.%Y %H:%M:%S%.f",
    "%d-%m-%Y %H:%M:%S%.f", "%Y.%m.%d %H:%M:%S%.f", "%d/%m/%Y %H:%M", "%m/%d/%Y %I:%M:%S%.f %p",
    "%d/%m/%Y %I:%M:%S%.f %p", "%Y-%m-%d %I:%M:%S%.f %p",
)  # fmt: skip


def clock_seconds(column: pl.Series) -> tuple[FloatArray | None, str]:
    """Parse ``HH:MM:SS.fff``, ``MM:SS.fff``, either with AM or PM, or date-times; None when it is none of these.

    A clock that passes midnight goes on counting. Blank cells become NaN. The second value is when the column
    begins, as ISO text, where it holds dates.
    """
    text = column.str.strip_chars()
    first = next((t for t in text.head(50).to_list() if t), "")
    if any(mark in first for mark in "-/T.") and ":" in first and re.match(r"\d{1,4}[-/.]\d{1,2}[-/.]\d", first):
        return _date_times(text.str.replace(",", ".", literal=True))
    if ":" not in first or not re.match(r"\d{1,3}:\d{2}", first):
        return None, ""
    if "," in first:
        text = text.str.replace(",", ".", literal=True)
    afternoon: FloatArray | None = None
    if _HALF_DAY.search(first):
        afternoon = text.str.contains(r"(?i)p\.?m\.?$").to_numpy().astype(np.float64)
        text = text.str.replace(r"(?i)\s*[ap]\.?m\.?$", "")
        first = _HALF_DAY.sub("", first)
    colons = first.count(":")
    parts = text.str.split_exact(":", min(colons, 3)).struct.unnest()
    numbers = [parts[n].cast(pl.Float64, strict=False).to_numpy() for n in parts.columns]
    if colons == 3:  # HH:MM:SS:mmm
        numbers[2] = numbers[2] + numbers[3] / 1000.0
    if afternoon is not None:
        numbers[0] = numbers[0] % 12.0 + 12.0 * afternoon
    clock = colons >= 2
    seconds = numbers[0] * 3600.0 + numbers[1] * 60.0 + numbers[2] if clock else numbers[0] * 60.0 + numbers[1]
    return _past_midnight(seconds, 86400.0 if clock else 3600.0), ""


def _past_midnight(seconds: FloatArray, period: float) -> FloatArray:
    step = np.diff(seconds, prepend=seconds[:1])
    turns = np.cumsum(np.nan_to_num(step) < -0.75 * period)
    return seconds + turns * period


def _date_times(text: pl.Series) -> tuple[FloatArray | None, str]:
    plain = text.str.replace(r"\s*(Z|[+-]\d{2}:?\d{2}|UTC)$", "")
    for pattern in _PATTERNS:
        try:
            parsed = plain.str.to_datetime(pattern, time_unit="us", strict=True)
        except pl.exceptions.PolarsError:
            continue
        micros = parsed.dt.epoch("us").cast(pl.Float64).to_numpy()
        known = micros[np.isfinite(micros)]
        if not known.size:
            return None, ""
        begun = next((t for t in parsed.head(50).to_list() if isinstance(t, datetime)), None)
        started = begun.isoformat(timespec="seconds") if begun is not None else ""
        return np.asarray((micros - known[0]) * 1e-6, dtype=np.float64), started
    return None, ""
