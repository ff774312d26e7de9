"""What a change cannot have done: calm running on both sides, held against each other.

A baffle, more oil or an accumulator keeps the pickup covered when the oil is thrown; with the pan level it changes
nothing. What calm running reads otherwise on side B than on side A is therefore the sensor (its zero, its range), or
another oil or engine: whatever it is, the loaded places read it too, and it is no effect of the change.

Each side's own normal is held against the other side's calm running where both were driven, so that hotter oil on one
side is not taken for a shift. The unit of repetition is the lap.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from basso.analysis import Analysis
from basso.normal.expected import ExpectedPressure, fit_expected
from basso.trial.effect import Effect
from basso.units import FloatArray

_LEAST_SAMPLES = 15
_LEAST_LAPS = 2
_HEAT_REACH_C = 1.0
ZERO_MAY_BE_OFF_KPA = 20.0
"""What a sensor's zero may be off by where nothing shows it (default; gauge sensors of the usual classes drift by up to
2 % of 10 bar)."""
_RANGE_MAY_BE_OFF = 0.04
"""What a sensor's range may be off by (default)."""
NOTICED_KPA = 3.0
_WITHIN_KPA = 1.5
"""What calm running differs by from day to day for no reason that matters."""


@dataclass(frozen=True, slots=True)
class Control:
    """What calm running reads on side B more than on side A, at the same engine speed and oil temperature.

    Attributes:
        shift_kpa, spread_kpa: the shift and its standard error over laps; NaN and 0 where no calm running tells.
        at_kpa: the pressure of that calm running.
        laps: laps that it rests on.
        zeros_proven: both sensors read their zero with the engine stopped: then a shift is in proportion, not a
            constant.
        zeros_read: they read it, but of one a lower zero would have looked the same.
    """

    shift_kpa: float
    spread_kpa: float
    at_kpa: float
    laps: int
    zeros_proven: bool
    zeros_read: bool = False

    @property
    def known(self) -> bool:
        """False where there is no calm running that both sides share."""
        return bool(np.isfinite(self.shift_kpa))

    @property
    def share(self) -> float:
        """The shift as a share of the pressure."""
        return self.shift_kpa / self.at_kpa if self.known else float("nan")

    def moved(self, by_kpa: float) -> Control:
        """The same where B reads that much more, or A that much less."""
        return replace(self, shift_kpa=self.shift_kpa + by_kpa)


def control_of(a: Sequence[Analysis], b: Sequence[Analysis]) -> Control:
    """Hold the calm running of both sides against each other."""
    proven = all(x.zero_proven for x in (*a, *b))
    read = all(x.zero_state in ("measured", "corrected") for x in (*a, *b))
    normals = [_normal(side) for side in (a, b)]
    on_b, at_b = _off(b, normals[0])
    on_a, at_a = _off(a, normals[1])
    parts = [
        (s * np.median(v), float(np.var(v, ddof=1) / v.size))
        for s, v in ((1.0, on_b), (-1.0, on_a))
        if v.size >= _LEAST_LAPS
    ]
    if not parts:
        return Control(float("nan"), 0.0, float("nan"), 0, proven, read)
    shift = float(np.mean([p[0] for p in parts]))
    # What both ways of looking disagree by is what the normals are off by.
    misfit = 0.5 * abs(parts[0][0] - parts[1][0]) if len(parts) == 2 else 0.0
    spread = float(np.sqrt(np.mean([p[1] for p in parts]) + misfit**2))
    return Control(shift, spread, float(np.mean(np.concatenate([at_a, at_b]))), on_a.size + on_b.size, proven, read)


def _normal(side: Sequence[Analysis]) -> ExpectedPressure:
    """The normal of one side by itself."""
    heat = [x.temperature_c for x in side]
    return fit_expected(
        np.concatenate([x.told_kpa for x in side]),
        np.concatenate([x.rpm for x in side]),
        np.concatenate([t for t in heat if t is not None]) if all(t is not None for t in heat) else None,
        np.concatenate([x.settled & x.judged for x in side]),
        side[0].options.oil,
    )


def _off(side: Sequence[Analysis], normal: ExpectedPressure) -> tuple[FloatArray, FloatArray]:
    """By how much each lap's calm running lies over a normal, where that was driven; and the pressure it is at."""
    off: list[float] = []
    at: list[float] = []
    if not normal.valid:
        return np.empty(0), np.empty(0)
    for x in side:
        use = x.settled & x.judged & (x.rpm >= normal.rpm_range[0]) & (x.rpm <= normal.rpm_range[1])
        if normal.temperature_range_c is not None:
            if x.temperature_c is None:
                continue
            low, high = normal.temperature_range_c
            use = use & (x.temperature_c >= low - _HEAT_REACH_C) & (x.temperature_c <= high + _HEAT_REACH_C)
        over = x.told_kpa - normal.at(x.rpm, x.temperature_c)
        use = use & np.isfinite(over)
        for lap in x.laps:
            inside = use & (x.time_s >= lap.start_s) & (x.time_s < lap.end_s)
            if int(inside.sum()) >= _LEAST_SAMPLES:
                off.append(float(np.median(over[inside])))
                at.append(float(np.median(x.told_kpa[inside])))
    return np.array(off), np.array(at)


def over_control(effect: Effect, control: Control, level_kpa: float, in_share: bool = False) -> Effect:
    """An effect less what calm running reads otherwise, by a constant and in proportion.

    With both zeros proven a shift is in proportion. Else it may be any mixture of both, and the interval is wider for
    it; where no calm running tells, it is widened by what an unproven zero may be off.

    Args:
        level_kpa: the pressure in the places the effect is of.
        in_share: the effect is in shares of normal, not in kPa.
    """
    half = 0.5 * (effect.high - effect.low)
    per = 1.0 / max(control.at_kpa, 1.0) if in_share else 1.0
    if not control.known:
        if control.zeros_proven:
            return effect
        off = ZERO_MAY_BE_OFF_KPA * (1.0 / max(level_kpa, 50.0) if in_share else 1.0)
        return replace(effect, low=effect.low - off, high=effect.high + off)
    seen = abs(control.shift_kpa) >= max(2.0 * control.spread_kpa, _WITHIN_KPA)
    if (control.zeros_proven or control.zeros_read) and not seen:
        return effect  # nothing is seen to have shifted
    reach = min(level_kpa / max(control.at_kpa, 1.0), 1.2)
    constant = unsure = 0.0
    if not control.zeros_proven:
        # Of a shift of the zero and one of the range only the sum is seen: each has its part by how far it may be off.
        zero, gain = ZERO_MAY_BE_OFF_KPA / 2.0, _RANGE_MAY_BE_OFF / 2.0 * control.at_kpa
        constant = control.shift_kpa * zero**2 / (zero**2 + gain**2)
        both = float(np.hypot(zero, gain))
        # A shift larger than sensors usually have says that neither is off by what is usual.
        unsure = 2.0 * abs(1.0 - reach) * zero * gain / both * max(1.0, abs(control.shift_kpa) / both)
    taken = (control.shift_kpa * reach + constant * (1.0 - reach)) * per
    half = float(np.hypot.reduce([half, 2.0 * control.spread_kpa * per, unsure * per]))
    middle = effect.estimate - taken
    return replace(effect, estimate=middle, low=middle - half, high=middle + half, level_b=effect.level_a + middle)
