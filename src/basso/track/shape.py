"""How a lap looks: the median lap over distance, by which one drive round a circuit is laid on another."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from basso.recording.gaps import or_zero
from basso.recording.recording import Frame
from basso.recording.roles import Role
from basso.recording.rolling import bell_smooth
from basso.track.laps import Lap
from basso.track.line import DrivenPath
from basso.units import FloatArray

GRID_M = 5.0
"""A lap is kept every so many metres."""


@dataclass(frozen=True, slots=True, eq=False)
class LapPath:
    """Where a lap runs, every :data:`GRID_M` metres.

    Attributes:
        centre: latitude and longitude in degrees that x and y are counted from; None where a logger wrote metres of its
            own.
        east_m, north_m: shape (n,).
    """

    centre: tuple[float, float] | None
    east_m: FloatArray
    north_m: FloatArray


@dataclass(frozen=True, slots=True, eq=False)
class LapShape:
    """The median lap.

    Attributes:
        length_m: of the lap; ``laps``: how many it is the median of.
        lateral_g, longitudinal_g: every :data:`GRID_M` metres from its line on, shape (n,); the latter None where not
            logged.
        path: where it runs, None without a position.
        closed: it ends where it begins; else it is a route from start to finish.
    """

    length_m: float
    lateral_g: FloatArray
    longitudinal_g: FloatArray | None = None
    path: LapPath | None = None
    laps: int = 1
    closed: bool = True

    @property
    def along_m(self) -> FloatArray:
        """Distances from the line at which it is kept, shape (n,)."""
        along: FloatArray = GRID_M * np.arange(self.lateral_g.size, dtype=np.float64)
        return along

    def laid(self, length_m: float, shift_m: float) -> LapShape:
        """The same lap on another's distances: scaled to its length, then ``shift_m`` further on."""
        there = np.arange(0.0, length_m, GRID_M) - shift_m
        own = (np.mod(there, length_m) if self.closed else there) * (self.length_m / length_m)

        def turned(values: FloatArray) -> FloatArray:
            return np.interp(own, self.along_m, values, period=self.length_m if self.closed else None)

        path = self.path
        return LapShape(
            length_m,
            turned(self.lateral_g),
            turned(self.longitudinal_g) if self.longitudinal_g is not None else None,
            LapPath(path.centre, turned(path.east_m), turned(path.north_m)) if path is not None else None,
            self.laps,
            self.closed,
        )


def lap_shape(
    frame: Frame,
    laps: Sequence[Lap],
    lateral_g: FloatArray | None,
    longitudinal_g: FloatArray | None,
    path: DrivenPath | None,
    closed: bool = True,
) -> tuple[FloatArray, LapShape] | None:
    """Distance along the lap for every sample (NaN outside complete laps), and the median lap; None without laps, speed
    or g."""
    whole = [lap for lap in laps if lap.complete]
    travelled = _travelled_m(frame)
    if not whole or travelled is None or lateral_g is None:
        return None
    t = frame.time_s
    lap_distance = np.full(t.shape, np.nan)
    lengths = []
    slices: list[slice] = []
    for lap in whole:
        part = slice(int(np.searchsorted(t, lap.start_s)), int(np.searchsorted(t, lap.end_s)))
        if part.stop - part.start < 20:
            continue
        along = travelled[part] - travelled[part.start]
        slices.append(part)
        lengths.append(float(along[-1]))
        lap_distance[part] = along
    if not lengths or not 200.0 <= float(np.median(lengths)) < 1e5:
        return None
    length = float(np.median(lengths))
    for part, own in zip(slices, lengths, strict=True):
        lap_distance[part] *= length / own if own > 0 else 1.0
    grid = np.arange(0.0, length, GRID_M)

    def median(values: FloatArray) -> FloatArray:
        rows = np.array([np.interp(grid, lap_distance[p], or_zero(values[p])) for p in slices])
        middle: FloatArray = np.median(rows, axis=0)
        return middle

    def smooth(values: FloatArray) -> FloatArray:
        return bell_smooth(median(values), 1.5)

    kept = None
    if path is not None and path.time_s.size >= grid.size / 4:
        x, y = (np.interp(t, path.time_s, v) for v in (path.x_m, path.y_m))
        kept = LapPath(path.centre, median(x), median(y))
    along_g = smooth(longitudinal_g) if longitudinal_g is not None else None
    return lap_distance, LapShape(length, smooth(lateral_g), along_g, kept, len(slices), closed)


def _travelled_m(frame: Frame) -> FloatArray | None:
    distance = frame.get(Role.DISTANCE)
    if distance is not None and np.isfinite(distance).mean() > 0.95:
        known = or_zero(distance)
        steps = np.diff(known, prepend=known[0])
        total: FloatArray = np.cumsum(
            np.where((steps < 0) | (steps > 200.0), 0.0, steps)
        )  # a lap distance that starts again
        if total[-1] > 200.0:
            return total
    speed = frame.get(Role.SPEED)
    if speed is None or np.isfinite(speed).mean() < 0.9:
        return None
    known = or_zero(speed)
    return np.concatenate([[0.0], np.cumsum(0.5 * (known[1:] + known[:-1]) * np.clip(np.diff(frame.time_s), 0.0, 2.0))])
