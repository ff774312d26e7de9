"""Passes: every time a complete lap goes through a place, with what the pressure did and under what conditions."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from basso.analysis import Analysis
from basso.pressure.noise import parabola_about, reach_s
from basso.recording.gaps import median_known, or_zero
from basso.recording.rolling import rolling_mean
from basso.track.corners import Place
from basso.track.laps import Lap
from basso.units import FloatArray

_LEAST_SAMPLES = 3
_GRID = 81
_DRAIN_M = 40.0
"""Oil goes on sinking after a corner's end: the pass is followed this far beyond it."""


@dataclass(frozen=True, slots=True)
class Pass:
    """One pass through one place.

    Attributes:
        side: 0 for A (before), 1 for B (after).
        lap_key: which lap of which log; laps are the unit of repetition.
        place: the place's id on the shared map.
        min_pressure_kpa: lowest corrected pressure, as far as the readings tell.
        min_share: lowest share of normal, NaN without a shared expectation.
        expected_kpa: expected pressure at the lowest share.
        temperature_c, rpm, peak_g: conditions: medians through the place, and the highest g held for 0.3 s. (Not those
            at the lowest moment: where that lies depends on the change under test.)
        below_s: seconds below the floor.
        time_s: when the lowest was.
        start_s, end_s: from when to when it was followed.
        log: index of the log on its side.
    """

    side: int
    lap_key: tuple[int, int, int]
    place: str
    min_pressure_kpa: float
    min_share: float
    expected_kpa: float
    temperature_c: float
    rpm: float
    peak_g: float
    below_s: float
    time_s: float
    start_s: float
    end_s: float
    log: int


def _followed_to_m(place: Place, places: Sequence[Place]) -> float:
    """How far a pass is followed: past the place's end while the oil drains back, but not into the next place."""
    if not place.loaded:
        return place.end_m
    after = [p.start_m for p in places if p.loaded and p.start_m > place.apex_m]
    return min([place.end_m + _DRAIN_M, *after])


@dataclass(frozen=True, slots=True)
class ReadAlike:
    """How passes are read alike where the sensors of some sessions shake.

    The lowest of many shaking readings is low by their shaking, the more the more they shake. So the pressure is
    steadied as far in every session, and each pass is read where the other passes of its side are lowest on average:
    that is low by no noise of its own, however much there is of it. (Not where those of both sides are: what a change
    cured is lowest elsewhere.)

    Attributes:
        reach_s: how far to either side a parabola is fitted.
        at_m: place, log and lap → distances along the lap: where the pressure is lowest, and where its share of normal
            is.
    """

    reach_s: float
    at_m: Mapping[tuple[str, str, int], tuple[float, float]]


def read_alike(
    sides: Sequence[Sequence[tuple[Analysis, float]]], places: Sequence[Place], length_m: float
) -> ReadAlike | None:
    """How to read the passes of the sessions of each side, each with its shift along the lap; None where the readings
    of all are exact."""
    reach = max((reach_s(a.error, a.judged, _step_s(a)) for side in sides for a, _ in side), default=0.0)
    if reach == 0.0:
        return None
    at_m: dict[tuple[str, str, int], tuple[float, float]] = {}
    steadied = [[(a, _along_m(a, length_m, shift), _steadied(a, reach)) for a, shift in side] for side in sides]
    for place in places:
        grid = np.linspace(place.start_m, _followed_to_m(place, places), _GRID)
        rows = [
            {
                (place.id, a.recording.content_hash, lap.number): np.array(
                    [np.interp(grid, along[inside], v[inside]) for v in both]
                )
                for a, along, both in side
                if along is not None
                for lap in a.rounds
                if (inside := _inside(a, lap, along, grid[0], grid[-1])).size
            }
            for side in steadied
        ]
        for mine in rows:
            # A single pass has no others of its side to go by.
            among = mine if len(mine) > 1 else {k: row for side in rows for k, row in side.items()}
            total = np.sum(list(among.values()), axis=0)
            for key, row in mine.items():
                lowest = np.argmin(total - row if len(among) > 1 else total, axis=1)
                at_m[key] = float(grid[lowest[0]]), float(grid[lowest[1]])
    return ReadAlike(reach, at_m)


def _steadied(a: Analysis, reach: float) -> tuple[FloatArray, FloatArray]:
    """Pressure and share of normal, steadied as far to either side; where nothing is expected the pressure stands for
    its share."""
    base = np.where(np.isfinite(a.expected_kpa), a.expected_kpa, 0.0)
    pressure = parabola_about(a.pressure_kpa - base, max(1, round(reach / _step_s(a)))) + base
    return pressure, pressure / np.where(base > 0.0, base, 1.0)


def _along_m(a: Analysis, length_m: float, shift_m: float) -> FloatArray | None:
    if a.track is None:
        return None
    along = a.track.lap_distance_m * (length_m / a.track.length_m) + shift_m
    return np.mod(along, length_m) if shift_m else along


def _inside(a: Analysis, lap: Lap, along: FloatArray, start_m: float, end_m: float) -> NDArray[np.intp]:
    """The judged samples of a lap between two distances; none where they are too few."""
    first, last = np.searchsorted(a.time_s, (lap.start_s, lap.end_s))
    inside: NDArray[np.intp] = np.flatnonzero((along[first:last] >= start_m) & (along[first:last] <= end_m)) + first
    inside = inside[a.judged[inside] & np.isfinite(a.pressure_kpa[inside])]
    if inside.size < _LEAST_SAMPLES:
        return np.empty(0, dtype=np.intp)
    return inside


def _step_s(a: Analysis) -> float:
    return float(np.median(np.diff(a.time_s)))


def passes_of(
    analysis: Analysis,
    places: Sequence[Place],
    length_m: float,
    side: int,
    log: int,
    shift_m: float = 0.0,
    alike: ReadAlike | None = None,
) -> list[Pass]:
    """All passes of the whole laps (or runs over one route) of one analysis through the places of the shared map.

    Args:
        alike: how they are read beside those of sessions that shake; None: as far as this one's readings tell.
    """
    along = _along_m(analysis, length_m, shift_m)
    if along is None:
        return []
    side_g = or_zero(analysis.lateral_g) if analysis.lateral_g is not None else np.zeros(along.shape)
    fore_g = or_zero(analysis.longitudinal_g) if analysis.longitudinal_g is not None else np.zeros(along.shape)
    step = _step_s(analysis)
    held = max(1, round(0.3 / step))
    side_g, fore_g = rolling_mean(side_g, held), rolling_mean(fore_g, held)
    margin, share, pressure = analysis.margin_kpa, analysis.share, analysis.told_kpa
    if alike is not None:
        pressure, share = _steadied(analysis, alike.reach_s)
        share, margin = np.where(np.isfinite(analysis.expected_kpa), share, np.nan), pressure - analysis.floor.kpa
    found = []
    ends = {p.id: _followed_to_m(p, places) for p in places}
    for lap in analysis.rounds:
        for place in places:
            inside = _inside(analysis, lap, along, place.start_m, ends[place.id])
            if inside.size == 0:
                continue
            shares = share[inside]
            key = (place.id, analysis.recording.content_hash, lap.number)
            if alike is not None and key in alike.at_m:
                deepest, lowest = (int(inside[int(np.argmin(np.abs(along[inside] - m)))]) for m in alike.at_m[key])
            else:
                deepest = int(inside[int(np.argmin(pressure[inside]))])
                lowest = int(inside[int(np.nanargmin(shares))]) if np.isfinite(shares).any() else deepest
            g = fore_g if place.kind == "braking" else side_g
            # A place over the lap line has samples at both ends of the lap: the stretch is the one with the lowest.
            apart = np.flatnonzero(np.diff(inside) > 1)
            stretch = np.split(inside, apart + 1)[int(np.searchsorted(inside[apart], lowest))] if apart.size else inside
            temperature = (
                median_known(analysis.temperature_c[inside]) if analysis.temperature_c is not None else float("nan")
            )
            found.append(
                Pass(
                    side=side,
                    lap_key=(side, log, lap.number),
                    place=place.id,
                    min_pressure_kpa=float(pressure[deepest]),
                    min_share=float(share[lowest]),
                    expected_kpa=float(analysis.expected_kpa[lowest]),
                    temperature_c=temperature,
                    rpm=median_known(analysis.rpm[inside]),
                    peak_g=float(np.abs(g[inside]).max()),
                    below_s=float(np.count_nonzero(margin[inside] < 0) * step),
                    time_s=float(analysis.time_s[lowest]),
                    start_s=float(analysis.time_s[stretch[0]]),
                    end_s=float(analysis.time_s[stretch[-1]]),
                    log=log,
                )
            )
    return found
