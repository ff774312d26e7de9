"""The lowest margin of every flying lap in every place that oil is thrown in."""

from __future__ import annotations

import numpy as np

from basso.analysis import Analysis
from basso.track.corners import Place


def lowest_margins(a: Analysis) -> list[tuple[Place, list[tuple[int, float]]]]:
    """[(place, [(lap, kPa)])] in driving order; only laps that were judged there, [] without a map."""
    if a.track is None:
        return []
    margin, along = np.where(a.judged, a.margin_kpa, np.nan), a.track.lap_distance_m
    found = []
    for place in a.track.places:
        if not place.loaded:
            continue
        inside = (along >= place.start_m) & (along <= place.end_m) & np.isfinite(margin)
        marks = []
        for lap in a.rounds:
            first, last = np.searchsorted(a.time_s, (lap.start_s, lap.end_s)).tolist()
            here = margin[first:last][inside[first:last]]
            if here.size:
                marks.append((lap.number, float(here.min())))
        found.append((place, marks))
    return found
