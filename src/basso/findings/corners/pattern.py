"""What the dips of a session have in common: every lap or only hot, from which lap on, after what."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from basso.analysis import Analysis, JudgedDip
from basso.findings.corners.passes import Pass
from basso.pressure.thresholds import Threshold
from basso.recording.gaps import median_known, or_zero
from basso.recording.rolling import rolling_mean
from basso.track.corners import Place
from basso.units import FloatArray

_WAYS = 30
"""Of so many orders in which the passes with and without a dip could have come, the one that parts them is no
chance."""
_APART_C = 2.0
_BEFORE_S = 20.0
_SOON_S = 8.0
_SURE_T = 4.0
_LEAST_LOSS = 0.05


@dataclass(frozen=True, slots=True)
class PlacePattern:
    """When a place dips.

    Attributes:
        place: its id; ``passes``, ``dips``: how many there are, and in how many the pressure lay below the floor.
        from_lap: it dips in every lap from this one on and in none before; None where that is not so.
        above_c: every pass with hotter oil dips and none with cooler; None where heat does not part them.
    """

    place: Place
    passes: int
    dips: int
    from_lap: int | None
    above_c: float | None


@dataclass(frozen=True, slots=True)
class HeldUp:
    """Oil held up in the engine: at equal g the pressure falls further after fast running, or soon after a turn the
    same way.

    Attributes:
        direction: "left", "right", "braking" or "acceleration".
        kind: "fast" (engine speed over the 20 s before) or "soon" (seconds since the last such turn).
        lost: share of normal lost more, from a calm tenth of the passes to a busy one.
        from_, to: that tenth and that tenth: rpm, or seconds.
    """

    direction: str
    kind: str
    lost: float
    from_: float
    to: float


def place_pattern(place: Place, passes: Sequence[Pass]) -> PlacePattern:
    """When a place dips, from its passes in order of laps."""
    low = np.array([p.below_s > 0.0 for p in passes], dtype=bool)
    from_lap, above = _parted(low, [p.lap_key[2] for p in passes], np.array([p.temperature_c for p in passes]))
    return PlacePattern(place, low.size, int(low.sum()), from_lap, above)


def lap_pattern(a: Analysis, dips: Sequence[JudgedDip]) -> tuple[int | None, float | None]:
    """From which lap on, and above which oil temperature in °C, every lap has one of these dips and none before or
    below.

    None where laps or heat do not part them.
    """
    laps = a.rounds
    low = np.array([any(d.dip.start_s < x.end_s and d.dip.end_s > x.start_s for d in dips) for x in laps], dtype=bool)
    heat = np.full(len(laps), np.nan)
    if a.temperature_c is not None:
        for i, lap in enumerate(laps):
            part = a.temperature_c[slice(*np.searchsorted(a.time_s, (lap.start_s, lap.end_s)))]
            heat[i] = median_known(part) if np.isfinite(part).any() else np.nan
    return _parted(low, [x.number for x in laps], heat)


def _parted(low: NDArray[np.bool_], laps: Sequence[int], heat: FloatArray) -> tuple[int | None, float | None]:
    if not low.size or math.comb(low.size, int(low.sum())) < _WAYS:
        return None, None
    first = int(np.argmax(low))
    from_lap = laps[first] if low[first:].all() else None
    if not np.isfinite(heat).all():
        return from_lap, None
    cool, hot = heat[~low], heat[low]
    apart = float(hot.min()) > float(cool.max()) and float(np.median(hot) - np.median(cool)) > _APART_C
    return from_lap, float((hot.min() + cool.max()) / 2.0) if apart else None


def held_up(a: Analysis, thresholds: Sequence[Threshold]) -> tuple[HeldUp, ...]:
    """Where more is lost at equal g after fast running, or soon after a turn the same way.

    The head and the return ways hold oil that the pan then lacks. For each direction the loss of every pass over the
    threshold is laid out over its g, the oil's temperature, the engine speed of the 20 s before and the time since the
    last pass; what is told is surer than |t| = 4 and costs 5 % of normal and more.
    """
    found = []
    step = float(np.median(np.diff(a.time_s))) if a.time_s.size > 2 else 0.0
    if step <= 0:
        return ()
    before = rolling_mean(or_zero(a.rpm), max(1, round(_BEFORE_S / step)), trailing=True)
    for t in thresholds:
        if t.g is None or t.passes < 15:
            continue
        over = t.felt_g > t.g
        at, lost, g = t.at[over], t.lost[over], t.felt_g[over]
        when = a.time_s[t.at]
        order = np.argsort(when)
        since = np.full(when.size, np.inf)
        since[order[1:]] = np.diff(when[order])
        fast = before[at] / 1000.0
        soon = np.exp(-since[over] / _SOON_S)
        heat = a.temperature_c[at] if a.temperature_c is not None else np.zeros(at.size)
        if at.size < 12 or not np.isfinite(heat).all():
            continue
        for kind, told in (("fast", fast), ("soon", soon)):
            other = soon if kind == "fast" else fast
            effect = _effect(lost, told, np.column_stack([g, heat, other]))
            low, high = (float(v) for v in np.percentile(told, (10, 90)))
            if effect is None or effect * (high - low) < _LEAST_LOSS:
                continue
            ends = (1000.0 * low, 1000.0 * high) if kind == "fast" else (_seconds(low), _seconds(high))
            found.append(HeldUp(t.direction, kind, effect * (high - low), *ends))
    return tuple(found)


def _seconds(soon: float) -> float:
    return float(-_SOON_S * np.log(max(soon, 1e-9)))


def _effect(lost: FloatArray, told: FloatArray, others: FloatArray) -> float | None:
    """Slope of the loss over one thing at equal others, where it is positive and sure; None else."""
    if float(np.std(told)) < 1e-6:
        return None
    columns = np.column_stack([told, others, np.ones(lost.size)])
    columns = columns[:, np.r_[True, columns[:, 1:-1].std(axis=0) > 1e-9, True]]
    found, *_ = np.linalg.lstsq(columns, lost, rcond=None)
    free = lost.size - columns.shape[1]
    left = lost - columns @ found
    spread = float(np.sqrt(left @ left / max(free, 1) * np.linalg.pinv(columns.T @ columns)[0, 0]))
    slope = float(found[0])
    return slope if free >= 6 and slope > _SURE_T * max(spread, 1e-9) else None
