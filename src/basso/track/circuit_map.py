"""The lasting map of a circuit: one for all its sessions, so that a corner keeps its number and its name."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from basso.track.alignment import align
from basso.track.corners import Place, TrackMap, places_of
from basso.track.shape import LapPath, LapShape

_SAME_M = 40.0


@dataclass(frozen=True, slots=True, eq=False)
class CircuitMap:
    """A circuit.

    Attributes:
        name: what it is called.
        shape: its median lap, from the line on.
        places: in driving order, with the names they were given.
        line_set: the line was set by the user; else it lies where the first session's laps began.
    """

    name: str
    shape: LapShape
    places: tuple[Place, ...]
    line_set: bool = False

    def as_plain(self) -> dict[str, Any]:
        """As JSON holds it: the shape to a centimetre and a thousandth of a g."""
        path, along = self.shape.path, self.shape.longitudinal_g
        return {
            "length_m": self.shape.length_m,
            "laps": self.shape.laps,
            "line_set": self.line_set,
            "closed": self.shape.closed,
            "lateral_g": [round(float(v), 3) for v in self.shape.lateral_g],
            "longitudinal_g": [round(float(v), 3) for v in along] if along is not None else None,
            "path": {
                "centre": list(path.centre) if path.centre is not None else None,
                "east_m": [round(float(v), 2) for v in path.east_m],
                "north_m": [round(float(v), 2) for v in path.north_m],
            }
            if path is not None
            else None,
            "places": [
                {
                    "id": p.id,
                    "kind": p.kind,
                    "start_m": p.start_m,
                    "apex_m": p.apex_m,
                    "end_m": p.end_m,
                    "peak_g": p.peak_g,
                    "name": p.name,
                }
                for p in self.places
            ],
        }

    @staticmethod
    def from_plain(name: str, plain: dict[str, Any]) -> CircuitMap:
        """Back from JSON.

        Raises:
            KeyError, TypeError, ValueError: it is written otherwise.
        """
        path, along = plain["path"], plain["longitudinal_g"]
        shape = LapShape(
            float(plain["length_m"]),
            np.array(plain["lateral_g"], dtype=np.float64),
            np.array(along, dtype=np.float64) if along is not None else None,
            LapPath(
                (float(path["centre"][0]), float(path["centre"][1])) if path["centre"] is not None else None,
                np.array(path["east_m"], dtype=np.float64),
                np.array(path["north_m"], dtype=np.float64),
            )
            if path is not None
            else None,
            int(plain["laps"]),
            bool(plain["closed"]),
        )
        return CircuitMap(name, shape, tuple(Place(**p) for p in plain["places"]), bool(plain["line_set"]))

    def named(self, place: str, name: str) -> CircuitMap:
        """The same with another name for a place."""
        return replace(self, places=tuple(replace(p, name=name) if p.id == place else p for p in self.places))


def lay(track: TrackMap, circuit: CircuitMap) -> TrackMap | None:
    """A drive on a circuit's map: its distances and its places; None where it was not driven there."""
    laid = align(circuit.shape, track.shape)
    if laid.problem is not None:
        return None
    length = circuit.shape.length_m
    along = track.lap_distance_m * (length / track.length_m) + laid.shift_m
    along = np.mod(along, length) if circuit.shape.closed else np.clip(along, 0.0, length)
    shape = track.shape.laid(length, laid.shift_m)
    if shape.path is None:
        shape = replace(shape, path=circuit.shape.path)
    return TrackMap(along, shape, circuit.places, circuit.name)


def map_of(name: str, tracks: Sequence[TrackMap], known: CircuitMap | None = None) -> CircuitMap:
    """A map from one or more drives; those that do not lie on the first (or on ``known``) are left out.

    Every lap counts as much as another. Places are found anew in what all show together, in order from the line; one
    that is where a place of ``known`` was keeps its name.

    Raises:
        ValueError: there is neither a drive nor a map to begin with.
    """
    first = known.shape if known is not None else tracks[0].shape if tracks else None
    if first is None:
        raise ValueError("a map is made of at least one drive")
    shapes = [first] if known is not None else []
    for track in tracks:
        laid = align(first, track.shape)
        if laid.problem is None:
            shapes.append(track.shape.laid(first.length_m, laid.shift_m))
    shape = _together(shapes)
    places = places_of(shape)
    names = {} if known is None else _names(known.places, places, shape.length_m)
    return CircuitMap(
        name,
        shape,
        tuple(replace(p, name=names.get(p.id, "")) for p in places),
        known.line_set if known is not None else False,
    )


def begun_at(circuit: CircuitMap, line_m: float) -> CircuitMap:
    """The same circuit with its line elsewhere: corners are numbered from there on and keep their names."""
    shape = circuit.shape.laid(circuit.shape.length_m, -line_m)
    length = shape.length_m
    moved = [
        replace(p, start_m=p.start_m - line_m, apex_m=(p.apex_m - line_m) % length, end_m=p.end_m - line_m)
        for p in circuit.places
    ]
    places = places_of(shape)
    names = _names(moved, places, length)
    return CircuitMap(circuit.name, shape, tuple(replace(p, name=names.get(p.id, "")) for p in places), True)


def _together(shapes: Sequence[LapShape]) -> LapShape:
    weights = np.array([float(s.laps) for s in shapes])
    along = [(s.longitudinal_g, w) for s, w in zip(shapes, weights, strict=True) if s.longitudinal_g is not None]
    path = next((s.path for s in shapes if s.path is not None), None)
    side = np.average([s.lateral_g for s in shapes], axis=0, weights=weights)
    fore = np.average([g for g, _ in along], axis=0, weights=[w for _, w in along]) if along else None
    return LapShape(shapes[0].length_m, side, fore, path, int(weights.sum()), shapes[0].closed)


def _names(before: Sequence[Place], after: Sequence[Place], length_m: float) -> dict[str, str]:
    """Names by the id they have now: of the nearest place of the same kind."""

    def apart(a: Place, b: Place) -> float:
        off = abs(a.apex_m - b.apex_m) % length_m
        return min(off, length_m - off)

    found: dict[str, str] = {}
    for old in (p for p in before if p.name):
        same = [p for p in after if p.kind == old.kind and p.id not in found]
        new = min(same, key=lambda p: apart(old, p), default=None)
        if new is not None and apart(old, new) < max(_SAME_M, 0.6 * (old.end_m - old.start_m)):
            found[new.id] = old.name
    return found
