"""A trial day planned: how many laps a side, in which order, under which conditions.

The power is that of the trial's own estimate and its own rule (:mod:`basso.trial.effect`, :mod:`basso.trial.guards`),
tried on laps that scatter as this car's own do: for each place the mean and what temperature, engine speed and g change
there, for each lap a departure of its own, for each pass another. Conditions are those of the car's own laps, drawn
anew.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from basso.analysis import Analysis
from basso.errors import InputError
from basso.findings.corners.passes import Pass
from basso.progress import Progress, silent
from basso.track.corners import Place
from basso.trial.effect import departures_of, effect_on_lowest
from basso.trial.guards import LEAST_LAPS, change_of
from basso.trial.match import dip_prone, heat_slope, read_alike_of, side_of
from basso.units import FloatArray

Measure = Literal["min_pressure_kpa"]
MEASURES: tuple[Measure, ...] = ("min_pressure_kpa",)
LAPS_TRIED = (2, 3, 4, 5, 6, 8, 10, 12, 16, 20, 26, 34)
_DRAWS = 400
_ALWAYS = 0.98
"""From here on more laps are not tried."""
_LEAST_OWN_LAPS = 3
_MOST_RUN_LAPS = 6
"""Longer runs heat the oil further than the next one will start from (default)."""
_HELD_C, _HELD_PACE = 4.0, 0.01


@dataclass(frozen=True, slots=True)
class Scatter:
    """How a car's lowest pressures scatter at the places in question, kPa.

    Attributes:
        lap_kpa: from lap to lap; ``pass_kpa``: from pass to pass within a lap.
        laps, passes: it rests on.
    """

    lap_kpa: float
    pass_kpa: float
    laps: int
    passes: int


@dataclass(frozen=True, slots=True)
class TrialPlan:
    """What to drive.

    Attributes:
        effect_kpa: the smallest that matters; ``power``: the wanted certainty of seeing it.
        laps_per_side: complete flying laps; None where none up to the most that were tried reach it.
        reached: the power with that many.
        power_at: (laps a side, power) of every number that was tried.
        order, laps_per_run: runs in their order, and flying laps in each.
        hold: condition → from where to where it is to be kept.
        places: where it is judged; ``scatter``: of this car there.
    """

    measure: Measure
    effect_kpa: float
    power: float
    laps_per_side: int | None
    reached: float | None
    power_at: tuple[tuple[int, float], ...]
    order: tuple[str, ...]
    laps_per_run: tuple[int, ...]
    hold: dict[str, tuple[float, float]]
    places: tuple[Place, ...]
    scatter: Scatter
    hottest_c: float | None
    lap_time_s: float | None


def plan_trial(
    analyses: Sequence[Analysis], effect_kpa: float, power: float = 0.9, progress: Progress = silent
) -> TrialPlan:
    """Plan a trial from a car's own logs of one circuit.

    Raises:
        InputError: the logs hold too few flying laps with passes to know the car's scatter by.
    """
    reference = next((x.track for x in analyses if x.track is not None), None)
    name = analyses[0].recording.path.name
    if reference is None:
        raise InputError(
            f"{name} has no laps with speed and g, so passes cannot be told apart; log GPS or a lap signal."
        )
    side = side_of("A", analyses, reference, 0, read_alike_of([analyses], reference))
    own = len({p.lap_key for p in side.passes})
    if own < _LEAST_OWN_LAPS:
        raise InputError(
            f"{name}: {own} flying lap{'' if own == 1 else 's'} with passes; it takes {_LEAST_OWN_LAPS} to know how "
            "far this car's laps scatter. Name more logs."
        )
    over = dip_prone(tuple(p for p in reference.places if p.loaded), side, side)
    ids = {p.id for p in over}
    passes = [p for p in side.passes if p.place in ids]
    model = _Model(passes, heat_slope(analyses))
    tried = []
    for n, count in enumerate(LAPS_TRIED):
        progress(n / len(LAPS_TRIED), "trying numbers of laps")
        tried.append((count, model.power(count, effect_kpa)))
        if tried[-1][1] > max(_ALWAYS, power) and len(tried) > 2:
            break
    laps = _fewest(tried, power)
    runs = _runs(laps) if laps is not None else ((), ())
    heat = side.conditions.oil_temp_c
    g, pace = side.conditions.peak_g, side.conditions.lap_time_s
    hold: dict[str, tuple[float, float]] = {}
    if heat is not None:
        hold["oil_temp_c"] = (heat[1] - _HELD_C, heat[1] + _HELD_C)
    if g is not None:
        hold["peak_g"] = (g[1] - 0.04, g[1] + 0.04)
    if pace is not None:
        hold["lap_time_s"] = (pace * (1.0 - _HELD_PACE), pace * (1.0 + _HELD_PACE))
    return TrialPlan(
        measure="min_pressure_kpa",
        effect_kpa=effect_kpa,
        power=power,
        laps_per_side=laps,
        reached=_at(tried, laps) if laps is not None else None,
        power_at=tuple(tried),
        order=runs[0],
        laps_per_run=runs[1],
        hold=hold,
        places=over,
        scatter=model.scatter,
        hottest_c=heat[2] if heat is not None else None,
        lap_time_s=pace,
    )


class _Model:
    """A car's lowest pressures: what they follow, and what is left between laps and between passes."""

    def __init__(self, passes: Sequence[Pass], heat: float | None) -> None:
        self._heat = heat
        self._passes = list(passes)
        self._laps = sorted({p.lap_key for p in passes})
        self._by_lap = [[p for p in passes if p.lap_key == key] for key in self._laps]
        self._drawn_as: dict[tuple[int, int, int], list[Pass]] = {}
        self._departures = departures_of(passes, heat)
        self.scatter = Scatter(self._departures.lap_kpa, self._departures.pass_kpa, len(self._laps), len(passes))

    def power(self, laps: int, effect_kpa: float) -> float:
        """How often the trial says better or worse of such an effect, with so many laps a side."""
        rng = np.random.default_rng(1000 + laps)
        wanted = "better" if effect_kpa > 0.0 else "worse"
        followed = {id(p): float(v) for p, v in zip(self._passes, self._departures.followed_kpa, strict=True)}
        own = [np.array([followed[id(p)] for p in lap]) for lap in self._by_lap]
        right = 0
        for _ in range(_DRAWS):
            drawn: list[Pass] = []
            values: list[FloatArray] = []
            for side, n, k in ((s, n, int(k)) for s in (0, 1) for n, k in enumerate(rng.integers(len(own), size=laps))):
                drawn += self._as(side, n, k)
                apart = rng.normal(0.0, self.scatter.lap_kpa) + side * effect_kpa
                values.append(own[k] + apart + rng.normal(0.0, self.scatter.pass_kpa, own[k].size))
            found = effect_on_lowest(drawn, self._heat, np.concatenate(values))
            right += found is not None and change_of(found) == wanted
        return right / _DRAWS

    def _as(self, side: int, n: int, k: int) -> list[Pass]:
        """The passes of lap ``k``, as those of the n-th lap of a side; made once: they are drawn thousands of times."""
        if (side, n, k) not in self._drawn_as:
            self._drawn_as[side, n, k] = [replace(p, side=side, lap_key=(side, 0, n)) for p in self._by_lap[k]]
        return self._drawn_as[side, n, k]


def _at(tried: Sequence[tuple[int, float]], laps: int) -> float:
    return float(np.interp(laps, [n for n, _ in tried], [p for _, p in tried]))


def _fewest(tried: Sequence[tuple[int, float]], power: float) -> int | None:
    """The fewest laps that reach a power, between those that were tried; None where none does."""
    for laps in range(max(LEAST_LAPS, tried[0][0]), tried[-1][0] + 1):
        if _at(tried, laps) >= power:
            return laps
    return None


def _runs(laps: int) -> tuple[tuple[str, ...], tuple[int, ...]]:
    """A-B-B-A, so that what drifts through the day cancels; more blocks where runs would grow long."""
    blocks = max(1, math.ceil(laps / (2 * _MOST_RUN_LAPS)))
    each = math.ceil(laps / (2 * blocks))
    order = ("A", "B", "B", "A") * blocks
    return order, (each,) * len(order)
