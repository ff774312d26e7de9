"""Passes: every time a complete lap goes through a place, with what the pressure did and under what conditions."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from basso.analysis import Analysis
from basso.recording.rolling import rolling_mean
from basso.track.corners import Place

_DRAIN_M = 40.0
"""Oil goes on sinking after a corner's end: the pass is followed this far beyond it."""


@dataclass(frozen=True, slots=True)
class Pass:
    """One pass through one place.

    Attributes:
        side: 0 for A (before), 1 for B (after).
        lap_key: which lap of which log; laps are the unit of repetition.
        place: the place's id on the shared map.
        min_pressure_kpa: lowest corrected pressure.
        min_share: lowest share of normal, NaN without a shared expectation.
        expected_kpa: expected pressure at the lowest share.
        temperature_c, rpm, peak_g: conditions: medians through the place, and the highest g held for 0.3 s. (Not those
            at the lowest moment: where that lies depends on the change under test.)
        below_s: seconds below the floor.
        time_s: when the lowest was.
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
    log: int


def _followed_to_m(place: Place, places: Sequence[Place]) -> float:
    """How far a pass is followed: past the place's end while the oil drains back, but not into the next place."""
    if not place.loaded:
        return place.end_m
    after = [p.start_m for p in places if p.loaded and p.start_m > place.apex_m]
    return min([place.end_m + _DRAIN_M, *after])


def passes_of(
    analysis: Analysis, places: Sequence[Place], length_m: float, side: int, log: int, shift_m: float = 0.0
) -> list[Pass]:
    """All passes of the whole laps (or runs over one route) of one analysis through the places of the shared map."""
    track = analysis.track
    if track is None:
        return []
    along = track.lap_distance_m * (length_m / track.length_m) + shift_m
    if shift_m:
        along = np.mod(along, length_m)
    side_g = np.nan_to_num(analysis.lateral_g) if analysis.lateral_g is not None else np.zeros(along.shape)
    fore_g = np.nan_to_num(analysis.longitudinal_g) if analysis.longitudinal_g is not None else np.zeros(along.shape)
    step = float(np.median(np.diff(analysis.time_s)))
    held = max(1, round(0.3 / step))
    side_g, fore_g = rolling_mean(side_g, held), rolling_mean(fore_g, held)
    margin, share = analysis.margin_kpa, analysis.share
    found = []
    ends = {p.id: _followed_to_m(p, places) for p in places}
    for lap in analysis.rounds:
        first = int(np.searchsorted(analysis.time_s, lap.start_s))
        last = int(np.searchsorted(analysis.time_s, lap.end_s))
        lap_along = along[first:last]
        for place in places:
            inside = np.flatnonzero((lap_along >= place.start_m) & (lap_along <= ends[place.id])) + first
            inside = inside[analysis.judged[inside] & np.isfinite(analysis.pressure_kpa[inside])]
            if inside.size < 3:
                continue
            shares = share[inside]
            lowest = (
                inside[int(np.nanargmin(shares))]
                if np.isfinite(shares).any()
                else inside[int(np.argmin(analysis.pressure_kpa[inside]))]
            )
            g = fore_g if place.kind == "braking" else side_g
            temperature = (
                float(np.nanmedian(analysis.temperature_c[inside]))
                if analysis.temperature_c is not None
                else float("nan")
            )
            found.append(
                Pass(
                    side,
                    (side, log, lap.number),
                    place.id,
                    float(analysis.pressure_kpa[inside].min()),
                    float(share[lowest]),
                    float(analysis.expected_kpa[lowest]),
                    temperature,
                    float(np.nanmedian(analysis.rpm[inside])),
                    float(np.abs(g[inside]).max()),
                    float(np.count_nonzero(margin[inside] < 0) * step),
                    float(analysis.time_s[lowest]),
                    log,
                )
            )
    return found
