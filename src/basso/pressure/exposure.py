"""Exposure: how long the engine ran below what it needs. A measure, never a promise of survival."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from basso.recording.spans import sampled_s
from basso.units import FloatArray

SHARES = (0.9, 0.8, 0.7, 0.6, 0.5, 0.4)


@dataclass(frozen=True, slots=True)
class Exposure:
    """Seconds running, seconds below the floor, and the fraction of judged time below shares of normal."""

    running_s: float
    judged_s: float
    below_floor_s: float
    share_of_time_below: tuple[tuple[float, float | None], ...]


def measure_exposure(
    time_s: FloatArray,
    is_running: NDArray[np.bool_],
    judged: NDArray[np.bool_],
    below_floor_s: float,
    share: FloatArray,
) -> Exposure:
    """Measure exposure; arrays of shape (n,). Time in a pause of the log belongs to nothing."""
    weights = sampled_s(time_s)
    counted = judged & np.isfinite(share)
    total = float(weights[counted].sum())
    below = tuple(
        (level, float(weights[counted & (share < level)].sum()) / total if total > 0 else None) for level in SHARES
    )
    return Exposure(float(weights[is_running].sum()), float(weights[judged].sum()), below_floor_s, below)


_RACING_RPM = 6000.0


def exposure_weight(rpm: float, share: float | None) -> float:
    """What a second below the floor weighs: engine speed over 6000 rpm, once for normal pressure and twice for none.

    Bearings load with the square of the speed and films grow with its first power: the first power is between. It
    orders dips and places; it promises nothing. ``share``: lowest share of normal; None or NaN where nothing is
    expected counts as normal.
    """
    known = share if share is not None and share == share else 1.0
    return rpm / _RACING_RPM * (2.0 - min(max(known, 0.0), 1.0))
