"""What an accumulator would have made of a logged drive, pass by pass, and the smallest that holds a floor."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from basso.accumulator.gas import Bottle
from basso.accumulator.replay import DRY_L, Gallery, Replayed, replay, replay_many
from basso.accumulator.valve import Line, Valve
from basso.analysis import Analysis
from basso.findings.accumulator.gallery import DippingPass
from basso.progress import Progress, silent
from basso.units import FloatArray

SIZES_L = np.round(np.arange(0.1, 6.01, 0.1), 1)
"""Sizes that are tried."""
MANY_STEP_S = 0.04
"""Many bottles side by side are replayed in steps of this."""


@dataclass(frozen=True, slots=True)
class CoveredPass:
    """A dipping pass with the bottle.

    Attributes:
        lowest_kpa: what its lowest pressure would have been.
        oil_left_l: the least oil in the bottle; ``spent_l``: given in it.
        ran_dry: whether the bottle was spent in it.
        short_s: how long it is still under the floor of its rules.
    """

    without: DippingPass
    lowest_kpa: float
    oil_left_l: float
    spent_l: float
    ran_dry: bool
    short_s: float


@dataclass(frozen=True, slots=True, eq=False)
class Cover:
    """A bottle replayed on a judged log.

    Attributes:
        alone_kpa, with_kpa: the pressure without and with it, at the log's own samples, shape (n,).
        passes: every pass that dips without it.
        spent_l_per_lap: given on a flying lap, mean; None without flying laps. ``emptiest_l``: the least oil in it on
            them; of a log without laps from the first pass on.
        taken_s: how long refilling alone pulls the pressure under the floor of the rules.
    """

    analysis: Analysis
    bottle: Bottle
    valve: Valve
    line: Line
    replayed: Replayed
    alone_kpa: FloatArray
    with_kpa: FloatArray
    passes: tuple[CoveredPass, ...]
    spent_l_per_lap: float | None
    emptiest_l: float | None
    taken_s: float


def cover_of(
    a: Analysis,
    gallery: Gallery,
    passes: Sequence[DippingPass],
    bottle: Bottle,
    valve: Valve,
    line: Line,
    alone_kpa: FloatArray | None = None,
) -> Cover:
    """Replay a bottle on a whole log; it is empty where the log starts.

    ``alone_kpa``: what the gallery would have shown without the bottle that was on the car, where one was, shape (n,).
    """
    made = replay(gallery, bottle, valve, line)
    rise = np.interp(a.time_s, gallery.time_s, made.pressure_kpa - gallery.alone_kpa)
    alone, told = (a.pressure_kpa, a.told_kpa) if alone_kpa is None else (alone_kpa, alone_kpa)
    with_kpa = alone + rise
    laps = [(lap.start_s, lap.end_s) for lap in a.rounds]
    spent = [_given(made, *lap) for lap in laps]
    ends = laps or ([(passes[0].start_s, passes[-1].end_s)] if passes else [])
    least = [float(_part(gallery, made.oil_l, *e).min()) for e in ends]
    return Cover(
        analysis=a,
        bottle=bottle,
        valve=valve,
        line=line,
        replayed=made,
        alone_kpa=alone,
        with_kpa=with_kpa,
        passes=tuple(_covered(a, made, (alone, told), rise, p) for p in passes),
        spent_l_per_lap=float(np.mean(spent)) if spent else None,
        emptiest_l=min(least) if least else None,
        taken_s=_taken_s(a, told, rise),
    )


def _part(gallery: Gallery, values: FloatArray, start_s: float, end_s: float) -> FloatArray:
    a, b = (int(np.clip(round((t - gallery.start_s) / gallery.step_s), 0, values.shape[-1])) for t in (start_s, end_s))
    return values[..., a : max(b, a) + 1]


def _given(made: Replayed, start_s: float, end_s: float) -> float:
    """Oil the bottle gave between two moments, L."""
    flow = _part(made.gallery, made.flow_lpm, start_s, end_s)
    return float(np.maximum(flow, 0.0).sum() * made.gallery.step_s / 60.0)


def _covered(
    a: Analysis, made: Replayed, without: tuple[FloatArray, FloatArray], rise: FloatArray, p: DippingPass
) -> CoveredPass:
    alone, steady = without
    first, last = (int(v) for v in np.searchsorted(a.time_s, (p.start_s, p.end_s)))
    inside = slice(first, max(last, first + 1))
    oil = _part(made.gallery, made.oil_l, p.start_s, p.end_s)
    # The lowest that was told of the pass may be less what its readings shake: the bottle lifts it as much.
    known = np.isfinite(alone[inside])
    lifted = alone[inside][known] + rise[inside][known]
    told = p.lowest_kpa + float(lifted.min() - alone[inside][known].min()) if known.any() else p.lowest_kpa
    step = np.diff(a.time_s[inside], append=a.time_s[min(last, a.time_s.size - 1)])
    under = steady[inside] + rise[inside] < a.floor.kpa[inside]
    return CoveredPass(
        without=p,
        lowest_kpa=told,
        oil_left_l=float(oil.min()),
        spent_l=_given(made, p.start_s, p.end_s),
        ran_dry=bool(oil.min() < DRY_L),
        short_s=float(np.maximum(step, 0.0)[under].sum()),
    )


def _taken_s(a: Analysis, steady: FloatArray, rise: FloatArray) -> float:
    """Seconds of judged running over the gate in which the pressure is under the floor with the bottle, and was not
    without."""
    was, now = steady >= a.floor.kpa, steady + rise < a.floor.kpa
    gate = a.rpm >= a.options.rules.rpm_gate
    step = float(np.median(np.diff(a.time_s)))
    return float((was & now & gate & a.judged).sum() * step)


def smallest_l(
    gallery: Gallery,
    passes: Sequence[DippingPass],
    bottle: Bottle,
    valve: Valve,
    line: Line,
    floor_kpa: float,
    progress: Progress = silent,
) -> float | None:
    """The least of :data:`SIZES_L` that keeps every dipping pass at ``floor_kpa`` or over, with the bottle's other
    figures as given; 0 where none is needed, None where none does."""
    if all(p.lowest_kpa >= floor_kpa for p in passes):
        return 0.0
    bottles = [replace(bottle, total_l=float(size)) for size in SIZES_L]
    lowest = lowest_of_many(gallery, passes, bottles, [valve] * len(bottles), line, progress)
    holds = np.all(lowest >= floor_kpa, axis=1)
    return float(SIZES_L[int(np.argmax(holds))]) if holds.any() else None


def lowest_of_many(
    gallery: Gallery,
    passes: Sequence[DippingPass],
    bottles: Sequence[Bottle],
    valves: Sequence[Valve],
    line: Line,
    progress: Progress = silent,
) -> FloatArray:
    """Lowest pressure of each pass with each bottle, kPa, shape (bottles, passes)."""
    part = gallery.part(gallery.start_s, passes[-1].end_s + 1.0).coarser(MANY_STEP_S)
    many = replay_many(part, bottles, valves, line, progress=progress)
    lowest = np.empty((len(bottles), len(passes)))
    for k, p in enumerate(passes):
        alone = _part(part, part.alone_kpa, p.start_s, p.end_s)
        held = _part(part, many.pressure_kpa, p.start_s, p.end_s)
        lowest[:, k] = p.lowest_kpa + held.min(axis=1) - alone.min()
    return lowest
