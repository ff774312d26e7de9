"""What would overturn a verdict: for each assumption, the value nearest to today's at which it changes.

Temperature slope, floor and single laps are run through the trial's own estimate. A sensor's zero is first tried on the
judged logs, and what is found there is confirmed by judging the logs anew (``rerun``).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from basso.analysis import Analysis
from basso.findings.corners.passes import Pass
from basso.pressure.floors import FloorLine
from basso.trial.effect import effect_on_lowest
from basso.trial.guards import Verdict, decide
from basso.trial.match import heat_slope
from basso.trial.verdict import Comparison, compare, effects_of

ZERO_KPA = 30.0
"""A sensor's zero is plausible within this of what it is taken for (the contract's)."""
_TRIED = (-15.0, 15.0, -30.0, 30.0)
_SLOPE_OFF, _SLOPE_SHARE = 1.5, 0.6
"""A temperature slope is plausible within this many kPa for 1 °C, or this share of it, of what it is taken for: laps
that get hotter show it too (default)."""
_MOST_LAPS = 2

Rerun = Callable[[int, float], Verdict]
"""Judges everything anew with the zero of one side (0 A, 1 B) moved by so many kPa."""


@dataclass(frozen=True, slots=True)
class Fragile:
    """One assumption: what it is taken for, and the nearest value at which the verdict is another; None where no
    plausible one is."""

    assumption: str
    now: float
    flips_at: float | None
    unit: str


def fragile_of(c: Comparison, rerun: Rerun) -> tuple[Fragile, ...]:
    """What would overturn a comparison's verdict, in the order of the contract."""
    zeros = [_zero_of(side.analyses) for side in (c.a, c.b)]
    slope = c.effect_kpa.per_degree if c.effect_kpa is not None else 0.0
    known = c.verdict != "not_comparable"
    return (
        Fragile("zero_a", zeros[0], _zero(c, 0, zeros[0], rerun) if known else None, "kPa"),
        Fragile("zero_b", zeros[1], _zero(c, 1, zeros[1], rerun) if known else None, "kPa"),
        Fragile("temperature_slope", slope, _slope(c, slope) if known else None, "kPa/degC"),
        Fragile("floor", 0.0, _floor(c) if known else None, "kPa"),
        Fragile("extreme_lap", 0.0, _laps(c) if known else None, "laps left out"),
    )


def _zero_of(analyses: Sequence[Analysis]) -> float:
    """What is added to the pressure of a side's first log."""
    zero = next((x.zero for x in analyses if x.zero is not None), None)
    return float(zero.value) if zero is not None and zero.value is not None else 0.0


def _zero(c: Comparison, side: int, now: float, rerun: Rerun) -> float | None:
    def tried(by_kpa: float) -> Verdict:
        sides = [list(c.a.analyses), list(c.b.analyses)]
        sides[side] = [
            replace(x, pressure_kpa=x.pressure_kpa + by_kpa, told_kpa=x.told_kpa + by_kpa) for x in sides[side]
        ]
        # Readings moved by a constant move their own normal as far: there is nothing to fit anew.
        control = c.control.moved(by_kpa if side == 1 else -by_kpa) if c.control is not None else None
        return compare(c.a.label, sides[0], c.b.label, sides[1], control=control).verdict

    near = next((by for by in _TRIED if tried(by) != c.verdict), None)
    if near is None:
        return None
    for by in (near, float(np.sign(near)) * ZERO_KPA):
        if rerun(side, by) != c.verdict:
            return now + by
    return None


def _slope(c: Comparison, now: float) -> float | None:
    """The temperature slope of the lowest pressure at which the verdict changes."""
    passes = [p for p in c.passes_in_question if np.isfinite(p.temperature_c)]
    if len(passes) < len(c.passes_in_question) or not passes:
        return None
    heat = np.array([p.temperature_c for p in passes])
    lowest = np.array([p.min_pressure_kpa for p in passes])
    blind = [replace(p, temperature_c=float("nan")) for p in passes]

    def verdict(slope: float) -> Verdict:
        found = effect_on_lowest(blind, lowest_kpa=lowest - slope * (heat - heat.mean()))
        return decide(found, None, c.over, c.control, 0.0)[0]

    usual = verdict(now)
    reach = max(_SLOPE_OFF, _SLOPE_SHARE * abs(now))
    flipped = [float(s) for s in now + reach * np.linspace(-1.0, 1.0, 9) if verdict(float(s)) != usual]
    if usual != c.verdict or not flipped:
        return None
    far = min(flipped, key=lambda s: abs(s - now))
    return _between(now, far, lambda s: verdict(s) != usual)


def _between(holds: float, flips: float, is_flipped: Callable[[float], bool]) -> float:
    """From a value at which it holds to one at which it does not: the first at which it does not, nearly."""
    for _ in range(6):
        middle = 0.5 * (holds + flips)
        holds, flips = (holds, middle) if is_flipped(middle) else (middle, flips)
    return flips


def _floor(c: Comparison) -> float | None:
    """By how much every floor would have to lie elsewhere: which places are judged hangs on it."""

    def moved(x: Analysis, by_kpa: float) -> Analysis:
        line = x.floor
        return replace(x, floor=FloorLine(line.kpa + by_kpa, line.rule_index, line.floors))

    for by in _TRIED:
        sides = [[moved(x, by) for x in side.analyses] for side in (c.a, c.b)]
        if compare(c.a.label, sides[0], c.b.label, sides[1], control=c.control).verdict != c.verdict:
            return by
    return None


def _laps(c: Comparison) -> float | None:
    """How many laps, the most telling first, would have to be left out."""
    passes = list(c.passes_in_question)
    heat = heat_slope((*c.a.analyses, *c.b.analyses))
    for count in range(1, _MOST_LAPS + 1):
        tried = [(key, [p for p in passes if p.lap_key != key]) for key in sorted({p.lap_key for p in passes})]
        if any(_verdict(c, left, heat) != c.verdict for _, left in tried):
            return float(count)
        # Leave out the one without which the effect comes nearest to none, and look at the rest again.
        effects = [(abs(_estimate(left, heat)), left) for _, left in tried]
        passes = min(effects, key=lambda e: e[0])[1]
    return None


def _estimate(passes: Sequence[Pass], heat: float | None) -> float:
    found = effect_on_lowest(passes, heat)
    return found.estimate if found is not None else 0.0


def _verdict(c: Comparison, passes: Sequence[Pass], heat: float | None) -> Verdict:
    kpa, share = effects_of(passes, heat, c.control, 0.0)
    return decide(kpa, share, c.over, c.control, 0.0)[0]
