"""The circuit as a line: from GPS where it was logged, else from speed and sideways g, closed."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from basso.analysis import Analysis
from basso.recording.roles import Role
from basso.recording.rolling import bell_smooth
from basso.units import FloatArray

_STEP_M = 5.0
_GRAVITY = 9.80665


@dataclass(frozen=True, slots=True, eq=False)
class CircuitLine:
    """The median lap as a closed line.

    Attributes:
        along_m: lap distance, shape (n,); ``x_m``, ``y_m``: where it is, y up.
        share: lowest share of normal over all laps there, NaN where nothing is expected; ``margin_kpa``: median margin.
        speed_mps: median speed.
        from_gps: drawn from a path, not worked out from speed and g.
    """

    along_m: FloatArray
    x_m: FloatArray
    y_m: FloatArray
    share: FloatArray
    margin_kpa: FloatArray
    speed_mps: FloatArray
    from_gps: bool


def circuit_line(a: Analysis) -> CircuitLine | None:
    """The circuit of a session; None without complete laps and speed."""
    if a.track is None or a.lateral_g is None:
        return None
    distance = a.track.lap_distance_m
    along = np.arange(0.0, a.track.length_m, _STEP_M)
    on = np.isfinite(distance)
    if on.sum() < along.size:
        return None
    speed = _speed(a, distance)
    laps = [part for lap in a.laps if lap.complete and (part := _part(a, lap.start_s, lap.end_s)).size > 20]
    if not laps:
        return None

    def median(values: FloatArray) -> FloatArray:
        rows = [np.interp(along, distance[p], np.nan_to_num(values[p])) for p in laps]
        return bell_smooth(np.median(rows, axis=0), 1.5)

    v, side = median(speed), median(np.nan_to_num(a.lateral_g))
    path = _from_gps(a, laps, distance, along)
    x, y = path if path is not None else _from_curvature(side, v)
    cell = np.minimum((distance[on] / _STEP_M).astype(int), along.size - 1)
    share, margin = np.full(along.size, np.inf), np.full(along.size, np.nan)
    known = np.isfinite(a.share[on]) & a.judged[on]
    np.minimum.at(share, cell[known], a.share[on][known])
    rows = [np.interp(along, distance[p], np.nan_to_num(a.margin_kpa[p])) for p in laps]
    margin = np.median(rows, axis=0)
    return CircuitLine(along, x, y, np.where(np.isfinite(share), share, np.nan), margin, v, path is not None)


def _part(a: Analysis, start_s: float, end_s: float) -> np.ndarray:
    first, last = np.searchsorted(a.time_s, (start_s, end_s))
    part = np.arange(int(first), int(last))
    return part[np.isfinite(a.track.lap_distance_m[part])] if a.track is not None else part


def _speed(a: Analysis, distance: FloatArray) -> FloatArray:
    channel = a.corrected.channel(Role.SPEED)
    if channel is not None and np.isfinite(channel.values).mean() > 0.9:
        known = np.isfinite(channel.values)
        return np.interp(a.time_s, channel.time_s[known], channel.values[known])
    return np.clip(np.gradient(np.nan_to_num(distance), a.time_s), 0.0, 120.0)


def _from_curvature(side_g: FloatArray, speed: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Heading from curvature a/v², stretched to one whole turn and closed: what is missing at the end is shared out evenly.

    Banking and slides make the sum of curvature differ from a turn; the shape is a sketch, not a survey.
    """
    curvature = side_g * _GRAVITY / np.maximum(speed, 5.0) ** 2
    total = float(np.sum(curvature) * _STEP_M)
    turns = 2.0 * np.pi * (np.sign(total) if total else 1.0)
    stretch = turns / total if total else 0.0
    if 0.5 <= stretch <= 2.0:
        # What banking and the sensor make of the g is alike in all corners: straights stay straight.
        heading = np.cumsum(curvature) * stretch * _STEP_M
    else:
        heading = np.cumsum(curvature) * _STEP_M + (turns - total) * np.arange(side_g.size) / side_g.size
    x, y = np.cumsum(np.cos(heading)) * _STEP_M, np.cumsum(np.sin(heading)) * _STEP_M
    share = np.arange(side_g.size) / max(side_g.size - 1, 1)
    return x - share * (x[-1] - x[0]), y - share * (y[-1] - y[0])


def _from_gps(
    a: Analysis, laps: list[np.ndarray], distance: FloatArray, along: FloatArray
) -> tuple[FloatArray, FloatArray] | None:
    latitude, longitude = a.corrected.channel(Role.LATITUDE), a.corrected.channel(Role.LONGITUDE)
    if latitude is None or longitude is None:
        return None
    both = np.isfinite(latitude.values) & np.isfinite(longitude.values)
    if both.sum() < along.size / 4:
        return None
    north = np.radians(np.interp(a.time_s, latitude.time_s[both], latitude.values[both])) * 6_371_000.0
    middle = float(np.nanmedian(latitude.values))
    east = np.radians(np.interp(a.time_s, longitude.time_s[both], longitude.values[both])) * 6_371_000.0
    east = (east - east.mean()) * np.cos(np.radians(middle))
    north -= north.mean()
    rows = [(np.interp(along, distance[p], east[p]), np.interp(along, distance[p], north[p])) for p in laps]
    return np.median([r[0] for r in rows], axis=0), np.median([r[1] for r in rows], axis=0)
