"""Where a drive went: its laps and places, on a circuit's lasting map where one is known."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from basso.recording.recording import Frame, Recording
from basso.track.circuit_map import CircuitMap, lay
from basso.track.corners import TrackMap, find_places
from basso.track.laps import Lap, find_laps, laps_between
from basso.track.line import DrivenPath, crossings_of, driven_path
from basso.track.runs import Run, find_runs, route_of
from basso.units import DEGREE_OF_ARC_M, FloatArray

_AT_LINE_M = 15.0


@dataclass(frozen=True, slots=True, eq=False)
class Located:
    """Where a drive went.

    Attributes:
        laps: every lap, whole or not; ``runs``: what was driven where there are none, and launches, stops and starts
            anywhere.
        track: places over the distance of a lap, or of the route where runs went over one; None where neither is known.
    """

    laps: tuple[Lap, ...]
    runs: tuple[Run, ...]
    track: TrackMap | None


def locate(
    recording: Recording,
    frame: Frame,
    lateral_g: FloatArray | None,
    longitudinal_g: FloatArray | None,
    circuits: Sequence[CircuitMap] = (),
) -> Located:
    """Laps, runs and places of a drive.

    Args:
        frame: the recording's channels at the times at which places are wanted, shape (n,).
        circuits: maps that it may lie on, the likeliest first; where one has a line that was set, laps are cut there.
    """
    path = driven_path(recording)
    laps = find_laps(recording)
    runs = find_runs(frame, laps, lateral_g, longitudinal_g)
    own = find_places(frame, laps, lateral_g, longitudinal_g, path)
    if own is None:
        own = find_places(frame, rounds(laps, runs), lateral_g, longitudinal_g, path, closed=False)
    for circuit in circuits:
        laid = lay(own, circuit) if own is not None else None
        if circuit.line_set:
            crossings = _over_the_line(circuit, path, laid, frame.time_s)
            cut = laps_between(recording, crossings)
            again = find_places(frame, cut, lateral_g, longitudinal_g, path) if any(x.complete for x in cut) else None
            if again is not None and (moved := lay(again, circuit)) is not None:
                return Located(cut, find_runs(frame, cut, lateral_g, longitudinal_g), moved)
        if laid is not None:
            return Located(laps, runs, laid)
    return Located(laps, runs, own)


def rounds(laps: Sequence[Lap], runs: Sequence[Run]) -> tuple[Lap, ...]:
    """What repeats: the whole laps, else the runs over one route."""
    whole = tuple(lap for lap in laps if lap.complete)
    return whole or tuple(Lap(r.number, r.start_s, r.end_s, True) for r in route_of(runs))


def _over_the_line(
    circuit: CircuitMap, path: DrivenPath | None, laid: TrackMap | None, time_s: FloatArray
) -> list[float]:
    """Times at which a circuit's line was crossed: by the path, else by the distance along the lap."""
    own = circuit.shape.path
    if path is not None and path.centre is not None and own is not None and own.centre is not None:
        east = (own.centre[1] - path.centre[1]) * DEGREE_OF_ARC_M * float(np.cos(np.radians(own.centre[0])))
        north = (own.centre[0] - path.centre[0]) * DEGREE_OF_ARC_M
        x, y = own.east_m + east, own.north_m + north
        found = crossings_of(path, (float(x[0]), float(y[0])), (float(x[2] - x[-2]), float(y[2] - y[-2])))
        if len(found) >= 2:
            return found
    if laid is None:
        return []
    along, length = laid.lap_distance_m, laid.length_m
    on = np.flatnonzero(np.isfinite(along))
    here, there = on[:-1], on[1:]
    over = (there == here + 1) & (along[there] - along[here] < -0.5 * length)
    before = length - along[here[over]]
    share = before / np.maximum(before + along[there[over]], 1e-6)
    times: list[float] = (time_s[here[over]] + share * (time_s[there[over]] - time_s[here[over]])).tolist()
    # Where laps were cut at the line already, the first begins and the last ends on it, with nothing known beyond.
    edge = there != here + 1
    begins = np.concatenate([on[:1], there[edge]])
    ends = np.concatenate([here[edge], on[-1:]])
    times += [float(time_s[k]) for k in begins if along[k] < _AT_LINE_M]
    times += [float(time_s[k]) for k in ends if along[k] > length - _AT_LINE_M]
    return sorted(times)
