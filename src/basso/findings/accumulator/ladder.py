"""Pressures that must not cross: precharge, hot idle, trigger, floor, normal, relief; what follows where they do."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from basso.accumulator.gas import Bottle, charged_l, stored_l
from basso.accumulator.valve import Valve
from basso.analysis import Analysis

IDLE_RPM = (500.0, 1300.0)
HOT_WITHIN_C = 12.0
"""Hot: within so many degrees of the hottest oil of the log (default)."""
_LEAST_IDLE_S = 3.0
_FAR_UNDER = 0.5
"""A precharge under this share of the floor keeps much of its oil back (default)."""

Kind = Literal[
    "floor_impossible",
    "trigger_over_normal",
    "trigger_over_idle",
    "plain_empties_at_idle",
    "trigger_under_floor",
    "precharge_over_floor",
    "precharge_far_under_floor",
    "precharge_over_normal",
    "trigger_right",
    "refills",
]


@dataclass(frozen=True, slots=True)
class Rung:
    """One conflict between two pressures, or that there is none.

    Attributes:
        kind: which; ``is_fault``: whether it keeps the bottle from its work.
        a, b: what the sentence needs: kPa, L or a share, by kind.
    """

    kind: Kind
    is_fault: bool
    a: float = 0.0
    b: float = 0.0


@dataclass(frozen=True, slots=True)
class Ladder:
    """The pressures of a bottle, a valve and an engine on one scale, kPa gauge; None where the log does not show one.

    Attributes:
        hot_idle, normal, relief: from where to where (tenth to ninetieth percentile): idling hot, normal on flying laps
            hot, and what the relief valve lets stand at racing speed.
        floor_kpa: what is to be held.
        refill_share: of the running time on flying laps, that in which the gallery is over the floor by what the seals
            take: only then does it put in oil that can be used.
        hot_c: oil temperature it was read at; None where that is not logged.
        rungs: every conflict, the worst first.
    """

    precharge_kpa: float
    floor_kpa: float
    trigger_kpa: float | None
    shuts_kpa: float | None
    hot_idle: tuple[float, float] | None
    normal: tuple[float, float] | None
    relief: float | None
    refill_share: float | None
    hot_c: float | None
    rungs: tuple[Rung, ...]


def ladder_of(a: Analysis, bottle: Bottle, valve: Valve, floor_kpa: float) -> Ladder:
    """Read an engine's pressures off a judged log and hold a bottle and its valve against them."""
    hot = np.ones(a.time_s.shape, dtype=np.bool_)
    hot_c = None
    if a.temperature_c is not None and np.isfinite(a.temperature_c).any():
        hot_c = float(np.nanmax(a.temperature_c))
        hot = np.nan_to_num(a.temperature_c, nan=-1e3) >= hot_c - HOT_WITHIN_C
    step = float(np.median(np.diff(a.time_s)))
    idle = hot & (a.rpm >= IDLE_RPM[0]) & (a.rpm <= IDLE_RPM[1]) & np.isfinite(a.pressure_kpa)
    flying = np.zeros(a.time_s.shape, dtype=np.bool_)
    for lap in a.rounds:
        flying |= (a.time_s >= lap.start_s) & (a.time_s < lap.end_s)
    if not flying.any():
        flying = a.rpm >= a.options.rules.rpm_gate
    racing = hot & flying & (a.rpm >= a.options.rules.rpm_gate) & np.isfinite(a.expected_kpa)
    known = racing if racing.any() else flying & np.isfinite(a.expected_kpa)
    hot_idle = _spread(a.pressure_kpa[idle]) if idle.sum() * step >= _LEAST_IDLE_S else None
    normal = _spread(a.expected_kpa[known]) if a.expected.valid and known.any() else None
    made = Ladder(
        precharge_kpa=bottle.precharge_driven_kpa,
        floor_kpa=floor_kpa,
        trigger_kpa=valve.trigger_kpa,
        shuts_kpa=valve.shuts_kpa,
        hot_idle=hot_idle,
        normal=normal,
        relief=float(a.expected.relief_kpa) if a.expected.valid else None,
        refill_share=_refill_share(a, flying, bottle, floor_kpa),
        hot_c=hot_c,
        rungs=(),
    )
    return Ladder(
        **{f: getattr(made, f) for f in Ladder.__slots__ if f != "rungs"},
        rungs=tuple(sorted(_rungs(made, bottle, valve), key=lambda r: not r.is_fault)),
    )


def _spread(values: np.ndarray) -> tuple[float, float]:
    low, high = np.nanpercentile(values, [10.0, 90.0])
    return float(low), float(high)


def _refill_share(a: Analysis, flying: np.ndarray, bottle: Bottle, floor_kpa: float) -> float | None:
    running = flying & np.isfinite(a.pressure_kpa)
    if not running.any():
        return None
    return float((a.pressure_kpa[running] > floor_kpa + 2.0 * bottle.friction_kpa).mean())


def _rungs(ladder: Ladder, bottle: Bottle, valve: Valve) -> list[Rung]:
    found: list[Rung] = []
    floor, precharge = ladder.floor_kpa, ladder.precharge_kpa
    peak = ladder.normal[1] if ladder.normal is not None else None
    if peak is not None:
        # It charges to the gallery's pressure less what the seals take, and gives it back less the same again.
        most = peak - 2.0 * bottle.friction_kpa
        if floor >= most:
            found.append(Rung("floor_impossible", True, floor, most))
        if precharge >= peak - bottle.friction_kpa:
            found.append(Rung("precharge_over_normal", True, precharge, peak))
    if valve.trigger_kpa is not None and ladder.shuts_kpa is not None:
        found += _of_trigger(ladder, bottle, valve.trigger_kpa, ladder.shuts_kpa)
    elif ladder.hot_idle is not None and peak is not None:
        poured = max(float(charged_l(bottle, peak) - stored_l(bottle, ladder.hot_idle[0])), 0.0)
        found.append(Rung("plain_empties_at_idle", True, ladder.hot_idle[0], poured))
    if precharge > floor:
        found.append(Rung("precharge_over_floor", True, precharge, floor))
    elif precharge < _FAR_UNDER * floor:
        found.append(Rung("precharge_far_under_floor", True, float(stored_l(bottle, floor)), floor))
    if ladder.refill_share is not None:
        found.append(Rung("refills", ladder.refill_share < 0.25, ladder.refill_share))
    return found


def _of_trigger(ladder: Ladder, bottle: Bottle, trigger: float, shuts: float) -> list[Rung]:
    found = []
    peak = ladder.normal[1] if ladder.normal is not None else None
    if peak is not None and shuts > peak:
        found.append(Rung("trigger_over_normal", True, shuts, peak))
    if ladder.hot_idle is not None and trigger > ladder.hot_idle[0]:
        poured = float(charged_l(bottle, peak) - stored_l(bottle, ladder.hot_idle[0])) if peak is not None else 0.0
        found.append(Rung("trigger_over_idle", True, ladder.hot_idle[0], max(poured, 0.0)))
    if trigger < ladder.floor_kpa:
        found.append(Rung("trigger_under_floor", True, ladder.floor_kpa, trigger))
    else:
        found.append(Rung("trigger_right", False, trigger - ladder.floor_kpa))
    return found
