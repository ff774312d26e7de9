"""An accumulator whose own pressure was logged, held against its card: precharge seen, line and refilling fitted."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from basso.accumulator.fitted import Fitted
from basso.accumulator.gas import Bottle
from basso.accumulator.replay import Gallery
from basso.accumulator.valve import Line
from basso.analysis import Analysis
from basso.findings.accumulator.gallery import Pump, gallery_from
from basso.findings.accumulator.masked import driven_by
from basso.recording.gaps import or_zero
from basso.recording.roles import Role
from basso.recording.rolling import rolling_mean
from basso.recording.spans import runs_of
from basso.units import FloatArray

_MOST_S = 240.0
"""So much of a drive tells: its middle."""
_EVERY = 5
_LOST_KPA = 15.0
_SLOW = 3.0
"""A line that loses more than this many times its card's loss is slow (default)."""
_LEAST_SPAN_KPA = 40.0
_STEADY_S, _NOTHING_KPA = 0.5, 10.0
_CHARGED_KPA, _LEAK_LEAST_S, _LEAK_AFTER_S, _OPEN_KPA_PER_S = 30.0, 15.0, 3.0, 2.0
LEAK_KPA_PER_MIN = 2.0
"""More lost a minute than this is a leak, or a gas that cools fast (default; the hold test allows 35 kPa in half an
hour)."""


@dataclass(frozen=True, slots=True)
class MeasuredBottle:
    """What its own pressure says of an accumulator.

    Attributes:
        off_kpa: by how much the card's predicted pressure misses the logged one, root mean square; ``fitted_off_kpa``:
            once fitted.
        least_kpa: the lowest it was: its precharge where it emptied (``emptied``: engine stopped, gallery without
            pressure), else no more than that is known of it.
        out_kpa, in_kpa: fitted: the line's loss at 20 L/min out and in. (Of precharge and line only a product shows
            while oil is in; so the line is fitted with the precharge as seen, else as the card has it.)
        has_lost_precharge, is_slow: against the card.
        leak_kpa_per_min: what it loses with the engine stopped and its valve shut; None where the log does not show
            that for long enough.
        moves: whether the logged pressure moved enough to tell anything.
    """

    off_kpa: float
    fitted_off_kpa: float
    least_kpa: float
    emptied: bool
    out_kpa: float
    in_kpa: float
    has_lost_precharge: bool
    is_slow: bool
    leak_kpa_per_min: float | None
    moves: bool


def measured_bottle(a: Analysis, fitted: Fitted, pump: Pump) -> MeasuredBottle | None:
    """Fit a bottle to its logged pressure; None where that was not logged."""
    from scipy.optimize import least_squares

    channel = a.recording.channel(Role.ACCUMULATOR_PRESSURE)
    if channel is None:
        return None
    whole = gallery_from(a, pump)
    everywhere = np.interp(whole.time_s, channel.time_s, or_zero(channel.values))
    steady = rolling_mean(everywhere, max(1, round(_STEADY_S / whole.step_s)))
    stopped = ~whole.running & (whole.alone_kpa < _NOTHING_KPA)
    emptied = fitted.valve.trigger_kpa is None and bool(stopped.any())
    least = float(steady[stopped].min()) if emptied else float(steady.min())
    lost = least < fitted.bottle.precharge_driven_kpa - _LOST_KPA
    bottle = replace(fitted.bottle, precharge_kpa=max(least, 0.0)) if emptied or lost else fitted.bottle
    middle = 0.5 * (float(a.time_s[0]) + float(a.time_s[-1]))
    gallery = whole.part(middle - 0.5 * _MOST_S, middle + 0.5 * _MOST_S)
    logged = np.interp(gallery.time_s, channel.time_s, or_zero(channel.values))

    def off(bottle: Bottle, line: Line) -> FloatArray:
        return _gas(gallery, replace(fitted, bottle=bottle, line=line), float(logged[0])) - logged

    card = float(np.sqrt(np.mean(off(fitted.bottle, fitted.line) ** 2)))
    line = fitted.line
    moves = float(np.ptp(np.percentile(logged, [5.0, 95.0]))) >= _LEAST_SPAN_KPA

    def residuals(x: FloatArray) -> FloatArray:
        return off(bottle, Line(float(np.exp(x[0])), float(np.exp(x[1]))))[::_EVERY]

    if moves:
        made = least_squares(
            residuals,
            np.clip(np.log([max(line.out_kpa, 1.0), max(line.in_kpa, 1.0)]), -0.9, 13.0),
            bounds=([-1.0, -1.0], [11.0, 14.0]),
            diff_step=[0.02, 0.02],
            max_nfev=12,
            loss="soft_l1",
            f_scale=5.0,
        )
        line = Line(*(float(v) for v in np.exp(made.x)))
    return MeasuredBottle(
        off_kpa=card,
        fitted_off_kpa=float(np.sqrt(np.mean(off(bottle, line) ** 2))),
        least_kpa=least,
        emptied=emptied,
        out_kpa=line.out_kpa,
        in_kpa=line.in_kpa,
        has_lost_precharge=lost,
        is_slow=moves and line.out_kpa > _SLOW * max(fitted.line.out_kpa, 1.0),
        leak_kpa_per_min=_leak(whole.time_s, steady, stopped, least, whole.step_s),
        moves=moves,
    )


def _leak(
    time_s: FloatArray, steady_kpa: FloatArray, stopped: NDArray[np.bool_], least_kpa: float, step_s: float
) -> float | None:
    """The fall of the bottle's pressure over the longest stretch on which it stands charged at an empty gallery."""
    shut = stopped & (steady_kpa > least_kpa + _CHARGED_KPA)
    runs = [r for r in runs_of(shut) if (r[1] - r[0]) * step_s >= _LEAK_LEAST_S]
    if not runs:
        return None
    first, last = max(runs, key=lambda r: r[1] - r[0])
    first += round(_LEAK_AFTER_S / step_s)  # the valve has just shut
    slope = float(np.polyfit(time_s[first:last], steady_kpa[first:last], 1)[0])
    # A valve that is open empties the bottle within seconds: that is no leak.
    return None if slope < -_OPEN_KPA_PER_S else max(-60.0 * slope, 0.0)


def _gas(gallery: Gallery, fitted: Fitted, first_kpa: float) -> FloatArray:
    """The gas's pressure at a gallery that was logged with the bottle, begun where its logged pressure does."""
    from basso.accumulator.gas import stored_l

    oil = float(stored_l(fitted.bottle, first_kpa))
    return driven_by(gallery, fitted.bottle, fitted.valve, fitted.line, oil).gas_kpa
