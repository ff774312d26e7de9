"""The knee: from which engine speed on the pressure sags with the oil lying level, and by how much: froth, not g.

Only moments are looked at in which the oil felt little g for a while, so that no corner speaks in it; the relief valve
does not either, for the share of normal already knows it. Medians by engine speed, then a change point: 1 up to the
knee, falling from there.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from basso.pressure.slosh import USUAL_SLOSH, felt
from basso.recording.rolling import any_lately
from basso.units import FloatArray

_CALM_G = 0.35
_CALM_S = 1.0
_BIN_RPM = 100.0
_LEAST_S = 0.5
_LEAST_BINS = 8
_LEAST_FALL = 0.04
_SCATTER = 0.01
"""Of a bin's median about normal, however many samples are in it (default)."""
_DROP = 1.92
_LATE_RPM = 150.0
"""As far may it be off for the moment that froth takes to come and go while the engine speeds up (default)."""


@dataclass(frozen=True, slots=True)
class Knee:
    """Where the pressure begins to sag with engine speed alone.

    Attributes:
        rpm, low_rpm, high_rpm: the knee with its 95 % interval.
        fall: share of normal lost at the fastest that was driven calmly, ``top_rpm``.
        seconds: of calm running beyond the knee.
    """

    rpm: float
    low_rpm: float
    high_rpm: float
    fall: float
    top_rpm: float
    seconds: float


def find_knee(
    time_s: FloatArray,
    share: FloatArray,
    rpm: FloatArray,
    lateral_g: FloatArray | None,
    longitudinal_g: FloatArray | None,
    judged: NDArray[np.bool_],
) -> Knee | None:
    """Find the knee; arrays of shape (n,), evenly sampled, g without gaps. None where nothing sags, or too little is
    calm to tell."""
    if time_s.size < 50:
        return None
    step = float(np.median(np.diff(time_s)))
    thrown = np.zeros(time_s.size, dtype=np.bool_)
    for g in (lateral_g, longitudinal_g):
        if g is not None:
            thrown |= np.abs(felt(g, step, USUAL_SLOSH)) > _CALM_G
    calm = judged & np.isfinite(share) & ~any_lately(thrown, max(1, round(_CALM_S / step)))
    if calm.sum() * step < 5.0:
        return None
    cell = (rpm[calm] / _BIN_RPM).astype(int)
    cells = [c for c in np.unique(cell) if (cell == c).sum() * step >= _LEAST_S]
    if len(cells) < _LEAST_BINS:
        return None
    speed = (np.array(cells) + 0.5) * _BIN_RPM
    level = np.array([float(np.median(share[calm][cell == c])) for c in cells])
    flat = float(np.median(level[: max(len(cells) // 2, 4)]))
    lost = flat - level
    grid = np.arange(speed[2], speed[-1], 25.0)
    over = np.maximum(0.0, speed[None, :] - grid[:, None])
    slope = np.maximum((over @ lost) / np.maximum(np.sum(over**2, axis=1), 1e-9), 0.0)
    misfit = np.sum((lost[None, :] - slope[:, None] * over) ** 2, axis=1) / _SCATTER**2
    best = int(np.argmin(misfit))
    fall = float(slope[best] * over[best, -1])
    if fall < _LEAST_FALL or float(np.sum(lost**2)) / _SCATTER**2 - misfit[best] < 4.0 * _DROP:
        return None
    too_sure = max(1.0, float(misfit[best]) / len(cells))
    inside = grid[misfit <= misfit[best] + 2.0 * _DROP * too_sure]
    return Knee(
        float(grid[best]),
        float(inside[0]) - _LATE_RPM,
        float(inside[-1]) + _LATE_RPM,
        fall,
        float(speed[-1]),
        float((calm & (rpm > grid[best])).sum() * step),
    )
