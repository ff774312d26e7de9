"""Places on the circuit: corners, braking zones and straights over the distance of a lap."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from basso.recording.recording import Frame
from basso.recording.spans import runs_of
from basso.track.laps import Lap
from basso.track.line import DrivenPath
from basso.track.shape import GRID_M, LapShape, lap_shape
from basso.units import FloatArray

_CORNER_G = 0.35
_BRAKE_G = 0.45
_STRAIGHT_M = 120.0


@dataclass(frozen=True, slots=True)
class Place:
    """A stretch of the lap.

    Attributes:
        id: "1", "2" … for corners in driving order, "B1" … for braking zones, "S1" … for straights.
        kind: "left", "right", "braking" or "straight".
        start_m, apex_m, end_m: along the lap; of a straight the apex is its middle.
        peak_g: the largest lateral g (corners; signed, left positive) or deceleration (braking; positive); 0 on
            straights.
        name: what the team calls it; "" where it has no name.
        side_known: whether it is proven which side is left; else a "left" is only known to go the other way than a
            "right".
    """

    id: str
    kind: str
    start_m: float
    apex_m: float
    end_m: float
    peak_g: float
    name: str = ""
    side_known: bool = True

    @property
    def way(self) -> str:
        """ "left", "braking" … or "to one side" where nobody knows which."""
        if self.side_known or not self.is_corner:
            return self.kind
        return "to one side" if self.kind == "left" else "to the other side"

    @property
    def is_corner(self) -> bool:
        """True for a left or a right."""
        return self.kind in ("left", "right")

    @property
    def loaded(self) -> bool:
        """True where the oil is thrown: corners and braking zones."""
        return self.kind != "straight"

    @property
    def label(self) -> str:
        """For people: "turn 2 left", "braking B1", "turn 2 Kiln"; "turn 2" where it is not known which side is left."""
        what = "turn" if self.is_corner else self.kind
        called = self.name or (self.kind if self.is_corner and self.side_known else "")
        return f"{what} {self.id} {called}".rstrip()


@dataclass(frozen=True, slots=True, eq=False)
class TrackMap:
    """Distance along the lap for every sample, and the places there.

    Attributes:
        lap_distance_m: shape (n,), NaN outside complete laps.
        shape: this drive's median lap.
        places: in driving order.
        circuit: the name of the lasting map it is laid on; None where it stands for itself.
    """

    lap_distance_m: FloatArray
    shape: LapShape
    places: tuple[Place, ...]
    circuit: str | None = None

    def without_side(self) -> TrackMap:
        """The same where it is not proven which side is left."""
        return replace(self, places=tuple(replace(p, side_known=False) for p in self.places))

    @property
    def length_m(self) -> float:
        """Lap length."""
        return self.shape.length_m

    def place_of(self, *samples: int) -> Place | None:
        """The place that samples lie in; see :func:`place_of`."""
        return place_of(self.places, [float(self.lap_distance_m[i]) for i in samples])


def place_of(places: Sequence[Place], along_m: Sequence[float]) -> Place | None:
    """The first place that one of the distances along the lap lies in: corners before braking zones before straights.

    A distance that is not known (NaN) lies nowhere.
    """
    for kinds in (("left", "right"), ("braking",), ("straight",)):
        for at in along_m:
            found = next((p for p in places if p.kind in kinds and p.start_m <= at <= p.end_m), None)
            if found is not None:
                return found
    return None


def find_places(
    frame: Frame,
    laps: Sequence[Lap],
    lateral_g: FloatArray | None,
    longitudinal_g: FloatArray | None,
    path: DrivenPath | None = None,
    closed: bool = True,
) -> TrackMap | None:
    """Find the places from the complete laps (or, not ``closed``, runs over one route); None without any, speed or
    g."""
    found = lap_shape(frame, laps, lateral_g, longitudinal_g, path, closed)
    return TrackMap(found[0], found[1], places_of(found[1])) if found is not None else None


def places_of(shape: LapShape) -> tuple[Place, ...]:
    """Corners, braking zones and straights of a median lap, in driving order."""
    places = _corners(shape.along_m, shape.lateral_g)
    if shape.longitudinal_g is not None:
        places += _braking_zones(shape.along_m, shape.longitudinal_g)
    places.sort(key=lambda p: p.apex_m)
    return tuple(sorted([*places, *_straights(places, shape.length_m)], key=lambda p: p.apex_m))


def _corners(grid: FloatArray, side: FloatArray) -> list[Place]:
    found = []
    for sign, kind in ((1.0, "left"), (-1.0, "right")):
        for start, end in runs_of(sign * side > _CORNER_G, 2):
            peak = start + int(np.argmax(sign * side[start:end]))
            if (end - start) * GRID_M >= 12.0 and sign * side[peak] > _CORNER_G + 0.1:
                found.append(
                    (float(grid[start]), float(grid[peak]), float(grid[end - 1]) + GRID_M, kind, float(side[peak]))
                )
    found.sort()
    return [Place(str(i + 1), kind, a, apex, b, g) for i, (a, apex, b, kind, g) in enumerate(found)]


def _braking_zones(grid: FloatArray, along: FloatArray) -> list[Place]:
    found = []
    for start, end in runs_of(-along > _BRAKE_G, 2):
        peak = start + int(np.argmin(along[start:end]))
        if (end - start) * GRID_M >= 20.0 and -along[peak] > _BRAKE_G + 0.15:
            found.append((float(grid[start]), float(grid[peak]), float(grid[end - 1]) + GRID_M, float(-along[peak])))
    return [Place(f"B{i + 1}", "braking", a, apex, b, g) for i, (a, apex, b, g) in enumerate(found)]


def _straights(places: Sequence[Place], length_m: float) -> list[Place]:
    """What lies between the others, where it is long enough; the one over the line ends at it and begins anew."""
    edges = sorted((p.start_m, p.end_m) for p in places)
    ends = [0.0, *itertools.accumulate((b for _, b in edges), max)]
    gaps = zip(ends, [*(a for a, _ in edges), length_m], strict=True)
    long = [(a, b) for a, b in gaps if b - a >= _STRAIGHT_M]
    return [Place(f"S{i + 1}", "straight", a, (a + b) / 2.0, b, 0.0) for i, (a, b) in enumerate(long)]
