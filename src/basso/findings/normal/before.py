"""What a car's earlier sessions say of this one's oil temperature: seasons, a cooler oil after a thicker grade, the
air's part."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from basso.normal.warmup import READY_C, OilHeat
from basso.oil.grades import Grade

_COLDER_AIR_C = 5.0
_SLOWER = 1.35
"""So many times longer than the colder air alone makes it, before oil is taken to pass the cooler (default)."""
_USUAL_RISE_C = 85.0
"""Oil over air at a hard pace, where no session shows where it settles (default)."""
_COOLER_C = 3.0
_THICKER = 1.08
_SAME_PACE = 0.10
_LEAST_SPREAD_C = 8.0
_LEAST_SESSIONS = 3


@dataclass(frozen=True, slots=True)
class HeatBefore:
    """How warm an earlier session drove its oil: what it is called, its day, its oil."""

    title: str
    day: str
    oil: Grade
    heat: OilHeat


@dataclass(frozen=True, slots=True)
class Seasons:
    """Warm-ups by the air they happened in.

    Attributes:
        rows: (day, title, air °C or None, start °C, minutes until ready or None where it never was), oldest first, this
            session last.
        never: how many of the earlier ones never were ready.
        longer: this warm-up over what the earlier ones' and the air's difference make of it; None where that cannot be
            told.
        air_alone: by how much the air's difference alone makes it longer.
        trickle: it took longer than colder air alone explains.
    """

    rows: tuple[tuple[str, str, float | None, float, float | None], ...]
    never: int
    longer: float | None
    air_alone: float | None
    trickle: bool


@dataclass(frozen=True, slots=True)
class CoolerOil:
    """Oil that runs cooler after a thicker grade: ambiguous.

    Attributes:
        before: the session on the thinner oil; ``cooler_c``: by how much this one is cooler.
        air_c: by how much its air was cooler; None where not known.
    """

    before: HeatBefore
    cooler_c: float
    air_c: float | None


def seasons(now: OilHeat | None, before: Sequence[HeatBefore]) -> Seasons | None:
    """This session's warm-up beside earlier ones; None where neither warmed from cold.

    First-order warming: the oil nears (air + rise) with one time constant, so the time to ready goes with
    log((air + rise − start) / (air + rise − ready)).
    """
    rows, factors, never = [], [], 0
    for b in before:
        warm = b.heat.warm_up
        if warm is None or warm.ready_s == 0.0:
            continue
        rows.append((b.day, b.title, b.heat.air_c, warm.start_c, _minutes(warm.ready_s)))
        if warm.ready_s is None:
            never += 1
        elif warm.start_c < READY_C - 10.0 and (span := _span(b.heat.air_c, _rise(b.heat), warm.start_c)) is not None:
            factors.append((warm.ready_s / span, b.heat.air_c or 0.0))
    warm = now.warm_up if now is not None else None
    longer, alone, trickle = None, None, False
    if now is not None and warm is not None and warm.ready_s != 0.0:
        rows.append(("", "this session", now.air_c, warm.start_c, _minutes(warm.ready_s)))
        span = _span(now.air_c, _rise(now), warm.start_c) if warm.start_c < READY_C - 10.0 else None
        if warm.ready_s is not None and span is not None and factors and now.air_c is not None:
            usual, air = (float(v) for v in np.median(np.array(factors), axis=0))
            longer = warm.ready_s / (usual * span)
            there = _span(air, _rise(now), warm.start_c)
            alone = span / there if there is not None else None
            trickle = longer >= _SLOWER and now.air_c < air - _COLDER_AIR_C
    return Seasons(tuple(rows), never, longer, alone, trickle) if rows else None


def _minutes(seconds: float | None) -> float | None:
    return seconds / 60.0 if seconds is not None else None


def _rise(heat: OilHeat) -> float:
    """Oil over air where it settles."""
    settles = heat.heating.steady_c if heat.heating is not None else None
    return settles - heat.air_c if settles is not None and heat.air_c is not None else _USUAL_RISE_C


def _span(air_c: float | None, rise_c: float, start_c: float) -> float | None:
    """Time constants until ready; None where it never would be, or the air is not known."""
    if air_c is None or air_c + rise_c < READY_C + 3.0:
        return None
    return float(np.log((air_c + rise_c - start_c) / (air_c + rise_c - READY_C)))


def cooler_oil(oil: Grade, now: OilHeat | None, before: Sequence[HeatBefore]) -> CoolerOil | None:
    """The newest earlier session on a thinner oil at like pace, where this one's thicker oil runs cooler; None without
    it."""
    if now is None:
        return None
    for b in reversed(before):
        if b.oil.at_100_mm2ps == oil.at_100_mm2ps or abs(b.heat.pace_rpm / now.pace_rpm - 1.0) > _SAME_PACE:
            continue
        cooler = b.heat.hot_c - now.hot_c
        if oil.at_100_mm2ps < _THICKER * b.oil.at_100_mm2ps or cooler < _COOLER_C:
            return None
        airs = (b.heat.air_c, now.air_c)
        return CoolerOil(b, cooler, airs[0] - airs[1] if airs[0] is not None and airs[1] is not None else None)
    return None


@dataclass(frozen=True, slots=True)
class AirsPart:
    """By how many °C the hot oil rises for each °C of air; ``sessions``: on how many that rests (0: taken as one for
    one)."""

    by_c: float
    low: float
    high: float
    sessions: int


ONE_FOR_ONE = AirsPart(1.0, 0.0, 1.0, 0)
"""What the air does where no session shows it: at most that, for a thermostatic cooler takes some of it."""


def airs_part(now: OilHeat | None, before: Sequence[HeatBefore]) -> AirsPart:
    """What the air does to the hot oil on this car, by its sessions at like pace; one for one where they do not show
    it.

    Without a thermostat a first-order balance lifts the oil by what the air rises; a thermostatic cooler takes some of
    it.
    """
    heats = [b.heat for b in before] + ([now] if now is not None else [])
    pace = now.pace_rpm if now is not None else float(np.median([h.pace_rpm for h in heats])) if heats else 0.0
    seen = [
        (h.air_c, h.hot_c)
        for h in heats
        if h.air_c is not None and abs(h.pace_rpm / max(pace, 1.0) - 1.0) <= _SAME_PACE
    ]
    if len(seen) < _LEAST_SESSIONS:
        return ONE_FOR_ONE
    air, hot = np.array(seen).T
    if float(np.ptp(air)) < _LEAST_SPREAD_C:
        return ONE_FOR_ONE
    slope, level = np.polyfit(air, hot, 1)
    left = hot - slope * air - level
    # No thermometer and no pace repeats to better than 2 °C, whatever a few sessions happen to do.
    sd = max(float(np.sqrt(np.sum(left**2) / max(air.size - 2, 1))), 2.0)
    error = 1.645 * sd / float(np.sqrt(np.sum((air - air.mean()) ** 2)))
    # Oil cannot rise by more than the air does: what a slope over one shows beside it is pace or sun.
    by = float(np.clip(slope, 0.0, 1.0))
    return AirsPart(by, max(by - error, 0.0), min(by + error, 1.0), air.size)
