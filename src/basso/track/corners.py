"""Places on the circuit: corners and braking zones over the distance of a lap.

A thin first form: distance along the lap from the logged distance or the integrated speed, places from the
median lateral and longitudinal g of the complete laps. (One map per circuit with lasting identity comes
with the corners' own step; :func:`find_places` is the seam.)
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from basso.recording.recording import Frame
from basso.recording.roles import Role
from basso.recording.rolling import bell_smooth
from basso.recording.spans import runs_of
from basso.track.laps import Lap
from basso.units import FloatArray

_CORNER_G = 0.35
_BRAKE_G = 0.45
_GRID_M = 5.0


@dataclass(frozen=True, slots=True)
class Place:
    """A stretch of the lap.

    Attributes:
        id: "1", "2" … for corners in driving order, "B1" … for braking zones.
        kind: "left", "right" or "braking".
        start_m, apex_m, end_m: along the lap.
        peak_g: the largest lateral g (corners; signed, left positive) or deceleration (braking; positive).
    """

    id: str
    kind: str
    start_m: float
    apex_m: float
    end_m: float
    peak_g: float

    @property
    def is_corner(self) -> bool:
        """True for a left or a right, False for a braking zone."""
        return self.kind != "braking"

    @property
    def label(self) -> str:
        """For people: "turn 2 left", "braking B1"."""
        return f"turn {self.id} {self.kind}" if self.is_corner else f"braking {self.id}"


@dataclass(frozen=True, slots=True, eq=False)
class TrackMap:
    """Distance along the lap for every sample, and the places found.

    Attributes:
        lap_distance_m: shape (n,), NaN outside complete laps.
        length_m: median lap length.
        places: in driving order.
        lateral_profile_g: median lateral g every 5 m, the circuit's fingerprint.
    """

    lap_distance_m: FloatArray
    length_m: float
    places: tuple[Place, ...]
    lateral_profile_g: FloatArray

    def place_at(self, index: int) -> Place | None:
        """The place a sample lies in; a corner before a braking zone that overlaps it."""
        at = self.lap_distance_m[index]
        if not np.isfinite(at):
            return None
        inside = [p for p in self.places if p.start_m <= at <= p.end_m]
        return min(inside, key=lambda p: not p.is_corner, default=None)


def find_places(
    frame: Frame, laps: Sequence[Lap], lateral_g: FloatArray | None, longitudinal_g: FloatArray | None
) -> TrackMap | None:
    """Find corners and braking zones from the complete laps; None without laps, speed or g."""
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
    grid = np.arange(0.0, length, _GRID_M)

    def profile(values: FloatArray) -> FloatArray:
        rows = [np.interp(grid, lap_distance[p], np.nan_to_num(values[p])) for p in slices]
        return bell_smooth(np.median(rows, axis=0), 1.5)

    side = profile(lateral_g)
    places = _corners(grid, side)
    if longitudinal_g is not None:
        places += _braking_zones(grid, profile(longitudinal_g))
    return TrackMap(lap_distance, length, tuple(sorted(places, key=lambda p: p.apex_m)), side)


def _travelled_m(frame: Frame) -> FloatArray | None:
    distance = frame.get(Role.DISTANCE)
    if distance is not None and np.isfinite(distance).mean() > 0.95:
        known = np.nan_to_num(distance)
        steps = np.diff(known, prepend=known[0])
        total: FloatArray = np.cumsum(
            np.where((steps < 0) | (steps > 200.0), 0.0, steps)
        )  # a lap distance that starts again
        if total[-1] > 200.0:
            return total
    speed = frame.get(Role.SPEED)
    if speed is None or np.isfinite(speed).mean() < 0.9:
        return None
    known = np.nan_to_num(speed)
    return np.concatenate([[0.0], np.cumsum(0.5 * (known[1:] + known[:-1]) * np.clip(np.diff(frame.time_s), 0.0, 2.0))])


def _corners(grid: FloatArray, side: FloatArray) -> list[Place]:
    found = []
    for sign, kind in ((1.0, "left"), (-1.0, "right")):
        for start, end in runs_of(sign * side > _CORNER_G, 2):
            peak = start + int(np.argmax(sign * side[start:end]))
            if (end - start) * _GRID_M >= 12.0 and sign * side[peak] > _CORNER_G + 0.1:
                found.append(
                    (float(grid[start]), float(grid[peak]), float(grid[end - 1]) + _GRID_M, kind, float(side[peak]))
                )
    found.sort()
    return [Place(str(i + 1), kind, a, apex, b, g) for i, (a, apex, b, kind, g) in enumerate(found)]


def _braking_zones(grid: FloatArray, along: FloatArray) -> list[Place]:
    found = []
    for start, end in runs_of(-along > _BRAKE_G, 2):
        peak = start + int(np.argmin(along[start:end]))
        if (end - start) * _GRID_M >= 20.0 and -along[peak] > _BRAKE_G + 0.15:
            found.append((float(grid[start]), float(grid[peak]), float(grid[end - 1]) + _GRID_M, float(-along[peak])))
    return [Place(f"B{i + 1}", "braking", a, apex, b, g) for i, (a, apex, b, g) in enumerate(found)]
