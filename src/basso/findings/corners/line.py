"""The circuit as a line: from GPS where it was logged, else from speed and lateral g, closed."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from basso.analysis import Analysis
from basso.recording.gaps import or_zero
from basso.recording.roles import Role
from basso.recording.rolling import bell_smooth
from basso.recording.spans import runs_of
from basso.track.shape import GRID_M
from basso.units import FloatArray

_GRAVITY = 9.80665
_BEND_PER_M = 1.0 / 900.0


@dataclass(frozen=True, slots=True, eq=False)
class CircuitLine:
    """The median lap as a closed line.

    Attributes:
        along_m: lap distance, shape (n,); ``x_m``, ``y_m``: where it is, y up.
        share: lowest share of normal over all laps there, NaN where nothing is expected; ``margin_kpa``: median margin.
        speed_mps: median speed.
        from_gps: drawn from a path, not worked out from speed and g; ``closed``: a circuit, not a route.
    """

    along_m: FloatArray
    x_m: FloatArray
    y_m: FloatArray
    share: FloatArray
    margin_kpa: FloatArray
    speed_mps: FloatArray
    from_gps: bool
    closed: bool = True


def circuit_line(a: Analysis) -> CircuitLine | None:
    """The circuit of a session; None without complete laps and speed."""
    if a.track is None or a.lateral_g is None:
        return None
    distance = a.track.lap_distance_m
    along = np.arange(0.0, a.track.length_m, GRID_M)
    on = np.isfinite(distance)
    if on.sum() < along.size:
        return None
    speed = speed_of(a, distance)
    laps = [part for lap in a.rounds if (part := _part(a, lap.start_s, lap.end_s)).size > 20]
    if not laps:
        return None

    def median(values: FloatArray) -> FloatArray:
        rows = [np.interp(along, distance[p], or_zero(values[p])) for p in laps]
        return bell_smooth(np.median(rows, axis=0), 1.5)

    v, side = median(speed), median(or_zero(a.lateral_g))
    path = a.track.shape.path
    x, y = (path.east_m, path.north_m) if path is not None else _from_curvature(side, v, a.track.shape.closed)
    cell = np.minimum((distance[on] / GRID_M).astype(int), along.size - 1)
    share, margin = np.full(along.size, np.inf), np.full(along.size, np.nan)
    known = np.isfinite(a.share[on]) & a.judged[on]
    np.minimum.at(share, cell[known], a.share[on][known])
    rows = [np.interp(along, distance[p], or_zero(a.margin_kpa[p])) for p in laps]
    margin = np.median(rows, axis=0)
    return CircuitLine(
        along_m=along,
        x_m=x,
        y_m=y,
        share=np.where(np.isfinite(share), share, np.nan),
        margin_kpa=margin,
        speed_mps=v,
        from_gps=path is not None,
        closed=a.track.shape.closed,
    )


def _part(a: Analysis, start_s: float, end_s: float) -> np.ndarray:
    first, last = np.searchsorted(a.time_s, (start_s, end_s))
    part = np.arange(int(first), int(last))
    if a.track is None:
        return part
    part = part[np.isfinite(a.track.lap_distance_m[part])]
    # On a lasting map a lap may run over the map's line.
    return part[np.argsort(a.track.lap_distance_m[part], kind="stable")]


def speed_of(a: Analysis, distance: FloatArray) -> FloatArray:
    """Speed in m/s at the pressure's times, as logged, else from the distance along the lap; shape (n,)."""
    channel = a.corrected.channel(Role.SPEED)
    if channel is not None and np.isfinite(channel.values).mean() > 0.9:
        known = np.isfinite(channel.values)
        return np.interp(a.time_s, channel.time_s[known], channel.values[known])
    return np.clip(np.gradient(or_zero(distance), a.time_s), 0.0, 120.0)


def _from_curvature(side_g: FloatArray, speed: FloatArray, closed: bool) -> tuple[FloatArray, FloatArray]:
    """Heading from curvature a/v², each bend stretched by as little as makes the lap one whole turn that meets its
    start.

    Banking and a leaning sensor make the g of a bend differ from its curvature; which bend is off by how much is not
    known, so the shape is a sketch, not a survey.
    """
    from scipy.optimize import least_squares

    turned = side_g * _GRAVITY / np.maximum(speed, 5.0) ** 2 * GRID_M
    if not closed:
        heading = np.cumsum(turned)
        return np.cumsum(np.cos(heading)) * GRID_M, np.cumsum(np.sin(heading)) * GRID_M
    total = float(np.sum(turned))
    whole = 2.0 * np.pi * (np.sign(total) if total else 1.0)
    bends = [slice(a, b) for a, b in runs_of(np.abs(turned) > _BEND_PER_M * GRID_M, 2)]
    angles = np.array([float(np.sum(turned[b])) for b in bends])
    length = side_g.size * GRID_M

    def path(stretch: FloatArray) -> tuple[FloatArray, FloatArray, float]:
        own = turned.copy()
        for bend, by in zip(bends, stretch, strict=True):
            own[bend] *= 1.0 + by
        heading = np.cumsum(own)
        x, y = np.cumsum(np.cos(heading)) * GRID_M, np.cumsum(np.sin(heading)) * GRID_M
        return x, y, float(heading[-1])

    def open_by(stretch: FloatArray) -> FloatArray:
        x, y, end = path(stretch)
        return np.concatenate(
            [[300.0 * x[-1] / length, 300.0 * y[-1] / length, 30.0 * (end - whole)], stretch * np.abs(angles)]
        )

    found = least_squares(open_by, np.zeros(len(bends)), max_nfev=60).x if bends else np.zeros(0)
    x, y, _ = path(found)
    share = np.arange(side_g.size) / max(side_g.size - 1, 1)
    return x - share * (x[-1] - x[0]), y - share * (y[-1] - y[0])
