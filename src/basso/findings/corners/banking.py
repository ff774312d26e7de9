"""Banking: where the g along the pan's floor and the curvature of the path disagree."""

from __future__ import annotations

import math

import numpy as np

from basso.findings.corners.line import CircuitLine
from basso.recording.rolling import bell_smooth
from basso.track.corners import Place
from basso.track.shape import GRID_M
from basso.units import STANDARD_GRAVITY_MPS2, FloatArray

LEAST_DEG = 5.0
"""A path from GPS, and a body that rolls by two or three degrees a g, do not tell less (default)."""
_HEADING_OFF = 0.04
"""By how much the way a median path leads may be off, in rad: what lies within twice what that makes is not told."""
_BEYOND_M = 15.0
"""A corner goes on for this much before and after it is told: there its g is small, and so is what a wrong end does."""
_LEAST_TURN = math.radians(20.0)


def banking_deg(place: Place, line: CircuitLine, lateral_g: FloatArray) -> float | None:
    """By how much the pan's floor leans into a corner, in degrees; None without a path, or where it tells of none.

    A car at speed v on a path of curvature κ needs v²κ towards the inside. Across a floor that leans in by θ the sensor
    reads v²κ/g · cos θ − sin θ. Summed over the corner ∫κ ds is the angle it turns by, which the path shows far better
    than any κ. (Body roll leans the floor out: what comes out is banking less roll, which is what the oil feels.)

    Args:
        lateral_g: of the median lap, at the line's distances, shape (n,).
    """
    if not line.from_gps or not place.is_corner:
        return None
    sign = 1.0 if place.kind == "left" else -1.0
    along = line.along_m
    around = (along >= place.start_m - _BEYOND_M) & (along <= place.end_m + _BEYOND_M)
    inside = (along >= place.start_m) & (along <= place.end_m)
    at = np.flatnonzero(around)
    if at.size < 6:
        return None
    heading = _heading(line)
    turned = sign * float(heading[at[-1]] - heading[at[0]])
    if turned < _LEAST_TURN:
        return None
    per_g = STANDARD_GRAVITY_MPS2 / np.maximum(line.speed_mps, 5.0) ** 2 * GRID_M
    read = sign * float(np.sum((per_g * lateral_g)[at[:-1]]))
    floor = float(np.sum(per_g[inside]))
    lean = 0.0
    for _ in range(4):  # cos θ is nearly 1
        lean = math.asin(max(-0.9, min(0.9, (turned * math.cos(lean) - read) / floor)))
    sure = abs(lean) >= max(math.radians(LEAST_DEG), 2.0 * _HEADING_OFF / floor)
    return math.degrees(lean) if sure else None


def _heading(line: CircuitLine) -> FloatArray:
    """Which way the line leads, in rad, going on over full turns, shape (n,)."""
    x, y = bell_smooth(line.x_m, 1.0), bell_smooth(line.y_m, 1.0)
    made: FloatArray = np.unwrap(np.arctan2(np.gradient(y), np.gradient(x)))
    return made
