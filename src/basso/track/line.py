"""Lap boundaries from the path: the times at which the car crosses one line again and again.

No line has to be known: among places along the drive the one that parts it into the most whole laps, all driven at
pace, is taken as the line; of equals the one that is passed fastest. (A line in the middle of the lap is crossed once
more, but then out-lap and in-lap spoil the laps at both ends.)
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from basso.recording.recording import Recording, frame_on
from basso.recording.roles import Role
from basso.recording.rolling import rolling_mean
from basso.units import DEGREE_OF_ARC_M, FloatArray

_CANDIDATES = 40
_HALF_LINE_M = 20.0
_SHORTEST_LAP_S = 15.0
_AT_PACE = 0.05
_SMOOTH_S = 0.3
_SLOWEST_MPS = 5.0


@dataclass(frozen=True, slots=True, eq=False)
class DrivenPath:
    """Where the car was, at no more than 10 Hz.

    Attributes:
        time_s, x_m, y_m: shape (n,); east and north about the centre, in m.
        centre: its latitude and longitude in degrees; None where the logger wrote metres of its own.
    """

    time_s: FloatArray
    x_m: FloatArray
    y_m: FloatArray
    centre: tuple[float, float] | None


def driven_path(recording: Recording) -> DrivenPath | None:
    """From latitude and longitude on a sphere (a circuit is small), or from plain x and y; None without a position."""
    degrees = recording.has(Role.LATITUDE) and recording.has(Role.LONGITUDE)
    if not degrees and not (recording.has(Role.POSITION_X) and recording.has(Role.POSITION_Y)):
        return None
    east, north = (Role.LONGITUDE, Role.LATITUDE) if degrees else (Role.POSITION_X, Role.POSITION_Y)
    frame = frame_on(recording, north)
    every = max(1, round(0.1 / frame.step_s)) if frame.step_s > 0 else 1
    time_s = frame.time_s[::every]
    x, y = frame.filled(east, np.nan)[::every], frame.filled(north, np.nan)[::every]
    # Receivers write 0, 0 until they know where they are.
    known = np.isfinite(x) & np.isfinite(y) & ((np.abs(x) + np.abs(y) > 1e-6) | (not degrees))
    if int(known.sum()) < 100:
        return None
    time_s, x, y = time_s[known], x[known], y[known]
    fresh = _updates(time_s, x, y)
    time_s, x, y = time_s[fresh], x[fresh], y[fresh]
    if time_s.size < 50:
        return None
    middle_x, middle_y = float(np.median(x)), float(np.median(y))
    x, y = x - middle_x, y - middle_y
    if not degrees:
        return DrivenPath(time_s, x, y, None)
    return DrivenPath(
        time_s, DEGREE_OF_ARC_M * np.cos(np.radians(middle_y)) * x, DEGREE_OF_ARC_M * y, (middle_y, middle_x)
    )


def _updates(time_s: FloatArray, x: FloatArray, y: FloatArray) -> NDArray[np.intp]:
    """Where the receiver wrote a new position: loggers write the last one again until it does.

    A car that stands writes one position for long: then its last sample is kept as well.
    """
    new = np.flatnonzero(np.concatenate([[True], (np.diff(x) != 0) | (np.diff(y) != 0)]))
    gaps = np.diff(time_s[new])
    if not gaps.size:
        return new
    stood = new[1:][gaps > 2.5 * float(np.median(gaps))] - 1
    return np.unique(np.concatenate([new, stood, [time_s.size - 1]]))


def crossings_from_path(path: DrivenPath | None) -> list[float]:
    """Times in seconds of crossing the best line; empty without GPS or a repeated path."""
    if path is None:
        return []
    time_s = path.time_s
    smooth = max(1, round(_SMOOTH_S / float(np.median(np.diff(time_s)))))
    x, y = rolling_mean(path.x_m, smooth), rolling_mean(path.y_m, smooth)
    vx, vy = np.gradient(x, time_s), np.gradient(y, time_s)
    speed = np.hypot(vx, vy)
    moving = np.flatnonzero(speed > _SLOWEST_MPS)
    if moving.size < 50:
        return []
    candidates = moving[(np.linspace(0.15, 0.85, _CANDIDATES) * (moving.size - 1)).astype(np.int64)]
    best: tuple[int, float, list[float]] = (0, 0.0, [])
    for i in candidates.tolist():
        pace = float(speed[i])
        found = _crossings(time_s, x, y, vx, vy, (float(x[i]), float(y[i])), (float(vx[i] / pace), float(vy[i] / pace)))
        if (whole_laps(found), pace) > best[:2]:
            best = (whole_laps(found), pace, found)
    return best[2]


def whole_laps(crossings: list[float]) -> int:
    """How many of the laps between crossings were driven at pace: near the usual time of the faster half."""
    if len(crossings) < 2:
        return 0
    times = np.sort(np.diff(crossings))
    usual = float(np.median(times[: max(1, (times.size + 1) // 2)]))
    return int(np.count_nonzero(np.abs(times / usual - 1.0) < _AT_PACE))


def crossings_of(path: DrivenPath, at_m: tuple[float, float], heading: tuple[float, float]) -> list[float]:
    """Times in seconds at which the line through a point, square to a heading, is crossed that way.

    Args:
        at_m: the point, east and north about the path's centre.
        heading: a vector of any length.
    """
    x, y = path.x_m, path.y_m
    size = math.hypot(*heading)
    vx, vy = np.gradient(x, path.time_s), np.gradient(y, path.time_s)
    return _crossings(path.time_s, x, y, vx, vy, at_m, (heading[0] / size, heading[1] / size))


def _crossings(
    time_s: FloatArray,
    x: FloatArray,
    y: FloatArray,
    vx: FloatArray,
    vy: FloatArray,
    at: tuple[float, float],
    way: tuple[float, float],
) -> list[float]:
    """Times at which the line through ``at``, square to the unit vector ``way``, is crossed that way."""
    ux, uy = way
    along = (x - at[0]) * ux + (y - at[1]) * uy
    across = np.abs((y - at[1]) * ux - (x - at[0]) * uy)
    forward = vx * ux + vy * uy > 0.5 * np.hypot(vx, vy)
    near = (across < _HALF_LINE_M) & (np.abs(along) < 60.0) & forward
    over = np.flatnonzero((along[:-1] < 0) & (along[1:] >= 0) & near[:-1] & near[1:])
    times: list[float] = []
    for k in over.tolist():
        share = -along[k] / (along[k + 1] - along[k])
        t = float(time_s[k] + share * (time_s[k + 1] - time_s[k]))
        if not times or t - times[-1] > _SHORTEST_LAP_S:
            times.append(t)
    return times
