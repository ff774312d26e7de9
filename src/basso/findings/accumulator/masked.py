"""A session driven with an armed accumulator: what the bottle gave, and what the dips would have been without it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from basso.accumulator.fitted import Fitted
from basso.accumulator.gas import FAST, SLOW, Bottle, stored_l
from basso.accumulator.replay import Gallery, Replayed, replay
from basso.accumulator.valve import Line, Valve
from basso.analysis import Analysis
from basso.findings.accumulator.gallery import Pump, gallery_from
from basso.recording.gaps import or_zero
from basso.recording.roles import Role
from basso.recording.rolling import rolling_mean
from basso.recording.spans import runs_of
from basso.units import FloatArray

_SMOOTH_S = 0.3
"""Over which the bottle's flow is steadied: the lowest of many shaking values is low by their shaking."""
_STIFF_OFF = 0.25
"""By how much a gallery's stiffness may be off (default)."""
_OFF_KPA = 6.0
"""What the pressure without the bottle may be off by beside that (default)."""
_GIVES_LPM, _GIVES_S, _JOIN_S = 4.0, 0.2, 0.4
"""More than this for so long is a discharge; two no further apart are one (default)."""


@dataclass(frozen=True, slots=True, eq=False)
class Unmasked:
    """What a gallery would have shown without the bottle that was armed; arrays of shape (n,) at the log's samples.

    Attributes:
        how: what it was worked out from: the bottle's own logged pressure, or its card alone.
        alone_kpa: without it; ``low_kpa``, ``high_kpa``: its band.
        flow_lpm: that the bottle gave; below 0 refilling.
        hidden: dips that it kept over the floor or made less: (start_s, end_s, lowest with it, lowest without it,
            lowest without it at best).
    """

    analysis: Analysis
    how: Literal["bottle's pressure", "card"]
    alone_kpa: FloatArray
    low_kpa: FloatArray
    high_kpa: FloatArray
    flow_lpm: FloatArray
    hidden: tuple[HiddenDip, ...]
    discharges_per_lap: float | None


@dataclass(frozen=True, slots=True)
class HiddenDip:
    """A dip as it would have been without the bottle, kPa; ``best_kpa``: at the band's upper end; ``lowest``: at which
    sample."""

    start_s: float
    end_s: float
    with_kpa: float
    without_kpa: float
    best_kpa: float
    floor_kpa: float
    lap: int | None
    place: str | None
    lowest: int


def unmasked(a: Analysis, fitted: Fitted, pump: Pump) -> Unmasked:
    """Take out of an armed session what its bottle did."""
    gallery = gallery_from(a, pump)
    flow = _flow_from_pressure(a, fitted.bottle)
    how: Literal["bottle's pressure", "card"] = "bottle's pressure"
    if flow is None:
        how = "card"
        made = driven_by(gallery, fitted.bottle, fitted.valve, fitted.line)
        flow = np.interp(a.time_s, gallery.time_s, made.flow_lpm)
    stiff = np.interp(a.time_s, gallery.time_s, gallery.stiffness_out)
    taken = np.interp(a.time_s, gallery.time_s, gallery.stiffness_in)
    step = float(np.median(np.diff(a.time_s)))
    flow = rolling_mean(flow, max(1, round(_SMOOTH_S / step)))
    gave = np.where(flow > 0.0, stiff, taken) * flow
    # A gas that had no time to warm gives less oil for the same fall of its pressure.
    least = gave / (FAST if how == "bottle's pressure" and fitted.bottle.exponent == SLOW else 1.0)
    told = steadied(a)
    alone = np.maximum(told - gave, 0.0)
    low = np.maximum(told - (1.0 + _STIFF_OFF) * gave - _OFF_KPA, 0.0)
    high = np.maximum(told - (1.0 - _STIFF_OFF) * least + _OFF_KPA, 0.0)
    low, high = np.minimum(low, high), np.maximum(low, high)
    return Unmasked(a, how, alone, low, high, flow, _hidden(a, alone, high), _discharges(a, flow))


def driven_by(gallery: Gallery, bottle: Bottle, valve: Valve, line: Line, oil_l: float = 0.0) -> Replayed:
    """A bottle at a gallery whose pressure is known as it was with it: the bottle follows, the gallery does not."""
    none = np.zeros(gallery.alone_kpa.shape)
    return replay(replace(gallery, stiffness_out=none, stiffness_in=none), bottle, valve, line, oil_l)


def _flow_from_pressure(a: Analysis, bottle: Bottle) -> FloatArray | None:
    """What the bottle gave, L/min, from its own logged pressure; None where that was not logged."""
    channel = a.recording.channel(Role.ACCUMULATOR_PRESSURE)
    if channel is None:
        return None
    values = np.interp(a.time_s, channel.time_s, or_zero(channel.values))
    made: FloatArray = -np.gradient(stored_l(bottle, values), a.time_s) * 60.0
    return made


def steadied(a: Analysis) -> FloatArray:
    """The pressure less what single readings shake by."""
    return rolling_mean(a.told_kpa, 5)


def _hidden(a: Analysis, alone: FloatArray, high: FloatArray) -> tuple[HiddenDip, ...]:
    step = float(np.median(np.diff(a.time_s)))
    under = (alone < a.floor.kpa) & a.judged & (a.rpm >= a.options.rules.rpm_gate)
    rows = []
    for start, end in runs_of(under, round(a.options.rules.join_s / step)):
        if (end - start) * step < a.options.rules.least_s:
            continue
        at = start + int(np.argmin(alone[start:end]))
        lap = next((x for x in a.laps if x.start_s <= a.time_s[at] < x.end_s), None)
        place = a.track.place_of(start, at) if a.track is not None else None
        rows.append(
            HiddenDip(
                start_s=float(a.time_s[start]),
                end_s=float(a.time_s[end - 1]),
                with_kpa=float(np.nanmin(a.told_kpa[start:end])),
                without_kpa=float(alone[at]),
                best_kpa=float(high[start:end].min()),
                floor_kpa=float(a.floor.kpa[at]),
                lap=lap.number if lap is not None else None,
                place=place.id if place is not None else None,
                lowest=at,
            )
        )
    return tuple(rows)


def _discharges(a: Analysis, flow_lpm: FloatArray) -> float | None:
    """How often it gives on a flying lap, mean; None without flying laps."""
    if not a.rounds:
        return None
    step = float(np.median(np.diff(a.time_s)))
    gives = runs_of(flow_lpm > _GIVES_LPM, round(_JOIN_S / step))
    times = np.array([a.time_s[start] for start, end in gives if (end - start) * step >= _GIVES_S])
    return float(np.mean([((times >= lap.start_s) & (times < lap.end_s)).sum() for lap in a.rounds]))
