"""Slides: where a car does not follow the g that its speed and the corner's bend ask for."""

from __future__ import annotations

import numpy as np

from basso.recording.rolling import rolling_mean
from basso.recording.spans import runs_of
from basso.track.corners import TrackMap
from basso.units import STANDARD_GRAVITY_MPS2, FloatArray

_OFF_G = 0.30
"""By so much the g has to lie off what the bend asks for (default); a line driven otherwise is off by half of it."""
_LEAST_S = 0.25
_SMOOTH_S = 0.15
_BEND_G = 0.4


def find_slides(
    time_s: FloatArray, lateral_g: FloatArray, speed_mps: FloatArray, track: TrackMap
) -> list[tuple[float, float]]:
    """Stretches, (start, end) in s, in which the lateral g is off what the median lap's bend asks for at this speed.

    The bend is taken from the drive's own median lap, g/v² at each place, so that banking and a leaning sensor are in
    it. A slide, a
    correction and a kerb look alike: the g breaks away and comes back. Arrays of shape (n,).
    """
    step = float(np.median(np.diff(time_s))) if time_s.size > 2 else 0.0
    along = track.lap_distance_m
    on = np.isfinite(along) & (speed_mps > 8.0)
    if step <= 0 or not on.any():
        return []
    shape = track.shape
    grid = shape.along_m
    cell = np.minimum((along[on] / (grid[1] - grid[0])).astype(int), grid.size - 1)
    sums, counts = np.bincount(cell, speed_mps[on], grid.size), np.bincount(cell, minlength=grid.size)
    usual = np.interp(grid, grid[counts > 0], (sums / np.maximum(counts, 1))[counts > 0])
    bend = shape.lateral_g * STANDARD_GRAVITY_MPS2 / np.maximum(usual, 8.0) ** 2
    asked = np.interp(np.nan_to_num(along), grid, bend) * speed_mps**2 / STANDARD_GRAVITY_MPS2
    off = rolling_mean(np.where(on, lateral_g - asked, 0.0), max(1, round(_SMOOTH_S / step)))
    slid = on & (np.abs(off) > _OFF_G) & (np.abs(asked) > _BEND_G)
    found = runs_of(slid, max(1, round(0.1 / step)))
    return [(float(time_s[a]), float(time_s[b - 1])) for a, b in found if (b - a) * step >= _LEAST_S]
