"""Lap boundaries from the path: the times at which the car crosses one line again and again.

No line has to be known: among places along the drive the one that parts it into the most whole laps, all driven at pace, is
taken as the line; of equals the one that is passed fastest. (A line in the middle of the lap is crossed once more, but then
out-lap and in-lap spoil the laps at both ends.)
"""

from __future__ import annotations

import numpy as np

from basso.recording.recording import Recording, frame_on
from basso.recording.roles import Role
from basso.recording.rolling import rolling_mean
from basso.units import DEGREE_OF_ARC_M, FloatArray

_CANDIDATES = 40
_HALF_LINE_M = 20.0
_SHORTEST_LAP_S = 15.0
_AT_PACE = 0.05
_SLOWEST_MPS = 5.0


def path_m(recording: Recording) -> tuple[FloatArray, FloatArray, FloatArray] | None:
    """Time in s, and the path east and north in m about its middle, at no more than 10 Hz; None without a position.

    From latitude and longitude on a sphere (a circuit is small), or from plain x and y.
    """
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
    x, y = x - np.median(x), y - np.median(y)
    if degrees:
        middle = float(np.median(frame.filled(north, np.nan)[::every][known]))
        x, y = DEGREE_OF_ARC_M * np.cos(np.radians(middle)) * x, DEGREE_OF_ARC_M * y
    return time_s, x, y


def crossings_from_path(recording: Recording) -> list[float]:
    """Times in seconds of crossing the best line; empty without GPS or a repeated path."""
    path = path_m(recording)
    if path is None:
        return []
    time_s, x, y = path
    x, y = rolling_mean(x, 3), rolling_mean(y, 3)
    vx, vy = np.gradient(x, time_s), np.gradient(y, time_s)
    speed = np.hypot(vx, vy)
    moving = np.flatnonzero(speed > _SLOWEST_MPS)
    if moving.size < 50:
        return []
    candidates = moving[(np.linspace(0.15, 0.85, _CANDIDATES) * (moving.size - 1)).astype(np.int64)]
    best: tuple[int, float, list[float]] = (0, 0.0, [])
    for i in candidates.tolist():
        found = _crossings(time_s, x, y, vx, vy, i)
        pace = float(speed[i])
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


def _crossings(
    time_s: FloatArray, x: FloatArray, y: FloatArray, vx: FloatArray, vy: FloatArray, at: int
) -> list[float]:
    """Times at which the line through sample ``at``, square to its heading, is crossed the same way."""
    pace = float(np.hypot(vx[at], vy[at]))
    ux, uy = vx[at] / pace, vy[at] / pace
    along = (x - x[at]) * ux + (y - y[at]) * uy
    across = np.abs((y - y[at]) * ux - (x - x[at]) * uy)
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
