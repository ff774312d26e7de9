"""Time columns of text: clock times and dates, turned into seconds."""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import UTC, datetime

import numpy as np
import polars as pl

from basso.units import FloatArray

_HALF_DAY = re.compile(r"(?i)\s*([ap])\.?m\.?$")
_BATCH = 1 << 16
_ZONE = re.compile(r"\s*(Z|[+-]\d{2}:?\d{2}|UTC)$")
_PATTERNS = (
    None,
    "%d/%m/%Y %H:%M:%S%.f",
    "%m/%d/%Y %H:%M:%S%.f",
    "%Y/%m/%d %H:%M:%S%.f",
    "%d.%m.%Y %H:%M:%S%.f",
    "%d-%m-%Y %H:%M:%S%.f",
    "%Y.%m.%d %H:%M:%S%.f",
    "%d/%m/%Y %H:%M",
    "%m/%d/%Y %I:%M:%S%.f %p",
    "%d/%m/%Y %I:%M:%S%.f %p",
    "%Y-%m-%d %I:%M:%S%.f %p",
)


def clock_seconds(column: pl.Series) -> tuple[FloatArray | None, str]:
    """Parse ``HH:MM:SS.fff``, ``MM:SS.fff``, either with AM or PM, or date-times; None when it is none of these.

    A clock that passes midnight goes on counting. Blank cells become NaN. The second value is when the column
    begins, as ISO text, where it holds dates.
    """
    first = next((t for t in column.head(50).str.strip_chars().to_list() if t), "")
    if ":" not in first:
        return None, ""
    if re.match(r"\d{1,4}[-/.]\d{1,2}[-/.]\d", first):
        return _date_times(column)
    if not re.match(r"\d{1,3}:\d{2}", first):
        return None, ""
    half_days = bool(_HALF_DAY.search(first))
    colons = _HALF_DAY.sub("", first).count(":")
    seconds = _in_batches(column, lambda text: _clock_times(text, min(colons, 3), half_days))
    return _past_midnight(seconds, 86400.0 if colons >= 2 else 3600.0), ""


def _in_batches(column: pl.Series, parse: Callable[[pl.Series], FloatArray]) -> FloatArray:
    """Parse a long column a batch at a time: texts in pieces take far more room than the numbers they become."""
    seconds = np.empty(column.len())
    for at in range(0, column.len(), _BATCH):
        text = column.slice(at, _BATCH).str.strip_chars()
        seconds[at : at + text.len()] = parse(text)
    return seconds


def _clock_times(text: pl.Series, colons: int, half_days: bool) -> FloatArray:
    afternoon: FloatArray | None = None
    if half_days:
        afternoon = text.str.contains(r"(?i)p\.?m\.?$").fill_null(False).to_numpy().astype(np.float64)
        text = text.str.replace(r"(?i)\s*[ap]\.?m\.?$", "")
    if "," in (text[0] or ""):
        text = text.str.replace(",", ".", literal=True)
    parts = text.str.split_exact(":", colons).struct.unnest()
    numbers = [parts[n].cast(pl.Float64, strict=False).to_numpy() for n in parts.columns]
    if colons == 1:
        return np.asarray(numbers[0] * 60.0 + numbers[1], dtype=np.float64)
    if colons == 3:  # HH:MM:SS:mmm
        numbers[2] = numbers[2] + numbers[3] / 1000.0
    hours = numbers[0] if afternoon is None else numbers[0] % 12.0 + 12.0 * afternoon
    return np.asarray(hours * 3600.0 + numbers[1] * 60.0 + numbers[2], dtype=np.float64)


def _past_midnight(seconds: FloatArray, period: float) -> FloatArray:
    step = np.diff(seconds, prepend=seconds[:1])
    turns = np.cumsum(np.nan_to_num(step) < -0.75 * period)
    return seconds + turns * period


def _date_times(column: pl.Series) -> tuple[FloatArray | None, str]:
    """Seconds since 1970 by the first pattern that fits every cell, and the first of them as ISO text."""
    for pattern in _PATTERNS:
        try:
            seconds = _in_batches(column, lambda text, p=pattern: _epoch_seconds(text, p))  # type: ignore[misc]
        except pl.exceptions.PolarsError:
            continue
        known = seconds[np.isfinite(seconds)]
        if not known.size:
            return None, ""
        begun = datetime.fromtimestamp(float(known[0]), UTC).strftime("%Y-%m-%dT%H:%M:%S")
        return seconds, begun
    return None, ""


def _epoch_seconds(text: pl.Series, pattern: str | None) -> FloatArray:
    first = next((t for t in text.head(50).to_list() if t), "")
    plain = text.str.replace(",", ".", literal=True) if "," in first else text
    if _ZONE.search(first):
        plain = plain.str.replace(_ZONE.pattern, "")
    if pattern is None and (seconds := _within_a_day(plain, first[:10])) is not None:
        return seconds
    parsed = plain.str.to_datetime(pattern, time_unit="us", strict=True)
    return np.asarray(parsed.dt.epoch("us").cast(pl.Float64).to_numpy() * 1e-6, dtype=np.float64)


def _within_a_day(text: pl.Series, day: str) -> FloatArray | None:
    """ISO date-times of one day, as a clock on top of its date: quicker than parsing every date again; else None."""
    if not re.fullmatch(r"\d{4}-\d{2}-\d{2}", day) or not text.str.starts_with(day).fill_null(False).all():
        return None
    seconds = _clock_times(text.str.slice(11), 2, False)
    midnight = datetime.fromisoformat(day).replace(tzinfo=UTC).timestamp()
    return seconds + midnight if bool(np.isfinite(seconds).all()) else None
