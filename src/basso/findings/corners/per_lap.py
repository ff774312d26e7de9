"""What a lap costs: seconds below the floor, the longest of them, area, recovery, time below shares; with intervals
over laps."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from basso.analysis import Analysis
from basso.pressure.exposure import SHARES
from basso.units import FloatArray

_LEVEL = 0.95


@dataclass(frozen=True, slots=True)
class PerLap:
    """A measure over the whole laps (or runs over one route); no in- and out-laps.

    Attributes:
        measure: "below_floor_s", "longest_s", "deficit_kpa_s", "recovery_s" or "below_share_0.70" and so on (a part of
            the lap's time).
        mean, low, high: of a lap, with the 95 % interval of the mean (Student's t over laps: samples of one lap are no
            repetitions); low and high are None with fewer than three laps.
        laps: how many it rests on; of "recovery_s" the dips.
    """

    measure: str
    mean: float
    low: float | None
    high: float | None
    laps: int


def per_lap(a: Analysis) -> tuple[PerLap, ...]:
    """Every measure; () without whole laps."""
    laps = a.rounds
    if not laps:
        return ()
    below, longest, area = [], [], []
    shares: dict[float, list[float]] = {s: [] for s in SHARES}
    for lap in laps:
        own = [d.dip for d in a.dips if lap.start_s <= d.dip.start_s < lap.end_s]
        lengths = [d.duration_s for d in own]
        below.append(sum(lengths))
        longest.append(max(lengths, default=0.0))
        area.append(sum(d.deficit_kpa_s for d in own))
        part = slice(*np.searchsorted(a.time_s, (lap.start_s, lap.end_s)))
        known = a.share[part][a.judged[part] & np.isfinite(a.share[part])]
        for level, values in shares.items():
            values.append(float(np.mean(known < level)) if known.size else 0.0)
    recovery = np.array([d.dip.end_s - float(a.time_s[d.dip.lowest_margin]) for d in a.dips])
    found = [_over("below_floor_s", below), _over("longest_s", longest), _over("deficit_kpa_s", area)]
    if recovery.size:
        found.append(_over("recovery_s", recovery.tolist()))
    return tuple(found + [_over(f"below_share_{level:.2f}", values) for level, values in shares.items()])


def _over(measure: str, values: list[float]) -> PerLap:
    """Mean and interval; what cannot be less than 0 is not shown as if it could."""
    from scipy.special import stdtrit

    made: FloatArray = np.array(values, dtype=np.float64)
    mean = float(made.mean())
    if made.size < 3:
        return PerLap(measure, mean, None, None, made.size)
    reach = float(stdtrit(made.size - 1, 0.5 + _LEVEL / 2.0) * made.std(ddof=1) / np.sqrt(made.size))
    return PerLap(measure, mean, max(mean - reach, 0.0), mean + reach, made.size)
