"""Where an axis puts its ticks: round values, not too many."""

from __future__ import annotations

import math


def round_step(span: float, most: int) -> float:
    """The smallest step of 1, 2, 2.5 or 5 times a power of ten that gives at most ``most`` intervals."""
    if span <= 0 or not math.isfinite(span):
        return 1.0
    rough = span / max(most, 1)
    power = 10.0 ** math.floor(math.log10(rough))
    for factor in (1.0, 2.0, 2.5, 5.0, 10.0):
        if factor * power >= rough * (1 - 1e-9):
            return factor * power
    return 10.0 * power


def ticks(low: float, high: float, most: int) -> list[float]:
    """Round tick values within ``low`` … ``high``."""
    step = round_step(high - low, most)
    first = math.ceil(low / step - 1e-9)
    last = math.floor(high / step + 1e-9)
    return [round(i * step, 10) for i in range(first, last + 1)]


_TIME_STEPS = (0.1, 0.2, 0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1200, 1800, 3600)


def time_ticks(start_s: float, end_s: float, most: int) -> list[float]:
    """Round times for a time axis."""
    span = max(end_s - start_s, 1e-6)
    step = next((s for s in _TIME_STEPS if span / s <= most), 3600.0)
    first = math.ceil(start_s / step - 1e-9)
    last = math.floor(end_s / step + 1e-9)
    return [round(i * step, 3) for i in range(first, last + 1)]


def clock(seconds: float, decimals: int = 0) -> str:
    """Seconds as minutes and seconds: 74.2 → ``1:14.2``."""
    sign = "−" if seconds < 0 else ""
    total = abs(seconds)
    minutes = int(total // 60)
    rest = total - 60 * minutes
    digits = f"{rest:.{decimals}f}"
    if float(digits) >= 60:
        minutes, digits = minutes + 1, f"{0:.{decimals}f}"
    width = 2 if decimals == 0 else 3 + decimals
    return f"{sign}{minutes}:{digits.zfill(width)}"
