"""Which size and precharge hold the floor on the worst lap: a map of how long the pressure still lies under it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from basso.accumulator.gas import Bottle, charged_l
from basso.accumulator.replay import Gallery, replay_many
from basso.accumulator.valve import Line, Valve
from basso.analysis import Analysis
from basso.findings.accumulator.cover import MANY_STEP_S
from basso.findings.accumulator.gallery import DippingPass, in_reach
from basso.progress import Progress, silent
from basso.recording.spans import runs_of
from basso.track.laps import Lap
from basso.units import FloatArray

MAP_SIZES_L = np.array([0.5, 1.0, 1.5, 2.0, 2.5, 3.0, 3.5, 4.0, 5.0, 6.0])
MAP_PRECHARGES_KPA = np.array([20.0, 50.0, 80.0, 110.0, 140.0, 170.0, 200.0, 230.0, 260.0, 300.0])
WINDOW_PRECHARGES_KPA = np.arange(20.0, 301.0, 10.0)
WINDOW_TRIGGERS_KPA = np.arange(60.0, 451.0, 10.0)
HOLDS_S = 0.05
"""Under the floor for no longer than this is held (default: one or two samples)."""
_LEAD_S, _ABOUT_S = 60.0, 1.0
"""Replayed before the lap: the bottle comes to it as charged as it would."""


@dataclass(frozen=True, slots=True, eq=False)
class SizeMap:
    """Seconds under the floor on one lap, for each precharge and size.

    Attributes:
        lap: which; None where the log has no laps and all of it was taken. ``places``: at which; dips that last longer
            than bottles do are left out.
        short_s: shape (precharges, sizes).
    """

    lap: int | None
    places: tuple[str, ...]
    start_s: float
    end_s: float
    sizes_l: FloatArray
    precharges_kpa: FloatArray
    short_s: FloatArray

    @property
    def best(self) -> tuple[float, float] | None:
        """The smallest size that holds, with the precharge in the middle of those at which it does; None for none."""
        holds = self.short_s <= HOLDS_S
        sizes = np.flatnonzero(holds.any(axis=0))
        if not sizes.size:
            return None
        at = np.flatnonzero(holds[:, sizes[0]])
        return float(self.sizes_l[sizes[0]]), float(self.precharges_kpa[at[at.size // 2]])


@dataclass(frozen=True, slots=True)
class Window:
    """What holds the floor on the worst lap with one bottle's other figures as they are.

    Attributes:
        precharge_kpa, trigger_kpa: from where to where; None where none does, or there is no switch.
        margin_kpa: the least of pressure over floor as it is; below 0 it falls short.
    """

    precharge_kpa: tuple[float, float] | None
    trigger_kpa: tuple[float, float] | None
    margin_kpa: float


def worst_lap(a: Analysis, passes: Sequence[DippingPass]) -> Lap | None:
    """The flying lap that is longest under the floor in dips a bottle may cover; None without one that dips."""
    under = {lap.number: 0.0 for lap in a.rounds}
    for p in for_a_bottle(passes):
        for lap in a.rounds:
            if lap.start_s <= p.start_s < lap.end_s:
                under[lap.number] += p.end_s - p.start_s
    laps = [lap for lap in a.rounds if under[lap.number] > 0.0]
    return max(laps, key=lambda lap: under[lap.number], default=None)


def for_a_bottle(passes: Sequence[DippingPass]) -> list[DippingPass]:
    """The passes that a bottle may cover; all where every one is long."""
    return [p for p in passes if not p.is_long] or list(passes)


def window_of(
    a: Analysis, gallery: Gallery, passes: Sequence[DippingPass], bottle: Bottle, valve: Valve, line: Line
) -> Window | None:
    """The precharges and triggers that hold the floor on the worst lap; None where nothing dips."""
    look = _worst_lap_of(a, gallery, passes)
    if look is None:
        return None
    each = [(bottle, valve)]
    each += [(replace(bottle, precharge_kpa=float(p)), valve) for p in WINDOW_PRECHARGES_KPA]
    triggers = WINDOW_TRIGGERS_KPA if valve.trigger_kpa is not None else np.empty(0)
    each += [(bottle, replace(valve, trigger_kpa=float(t))) for t in triggers]
    over = look.over_floor([b for b, _ in each], [v for _, v in each], line)
    short = (over < 0.0).sum(axis=1) * look.part.step_s
    n = WINDOW_PRECHARGES_KPA.size
    return Window(
        precharge_kpa=_span(WINDOW_PRECHARGES_KPA, short[1 : n + 1] <= HOLDS_S),
        trigger_kpa=_span(triggers, short[n + 1 :] <= HOLDS_S),
        margin_kpa=float(over[0].min()),
    )


def _span(values: FloatArray, holds: NDArray[np.bool_]) -> tuple[float, float] | None:
    """The longest run of values that hold; None for none."""
    runs = runs_of(holds)
    if not runs:
        return None
    first, last = max(runs, key=lambda r: r[1] - r[0])
    return float(values[first]), float(values[last - 1])


@dataclass(frozen=True, slots=True, eq=False)
class _WorstLap:
    """The stretch that is looked at: replayed from a lead on, looked at about the dips a bottle may cover."""

    lap: int | None
    start_s: float
    end_s: float
    places: tuple[str, ...]
    part: Gallery
    floor_kpa: FloatArray
    inside: NDArray[np.bool_]

    def over_floor(
        self, bottles: Sequence[Bottle], valves: Sequence[Valve], line: Line, progress: Progress = silent
    ) -> FloatArray:
        """Pressure over the floor with each bottle where it is looked at, kPa, shape (bottles, moments)."""
        # It comes to the stretch that is looked at charged by what stands in the gallery there.
        usual = float(np.median(self.part.alone_kpa))
        first = np.array([float(charged_l(b, usual)) for b in bottles])
        many = replay_many(self.part, bottles, valves, line, first, progress)
        where = self.inside & np.isfinite(self.floor_kpa)
        made: FloatArray = (many.pressure_kpa - self.floor_kpa)[:, where]
        return made if made.shape[1] else np.zeros((len(bottles), 1))


def _worst_lap_of(a: Analysis, gallery: Gallery, passes: Sequence[DippingPass]) -> _WorstLap | None:
    if not passes:
        return None
    lap = worst_lap(a, passes)
    start, end = (lap.start_s, lap.end_s) if lap is not None else (passes[0].start_s, passes[-1].end_s)
    part = gallery.part(start - _LEAD_S, end).coarser(MANY_STEP_S)
    inside = np.zeros(part.time_s.shape, dtype=np.bool_)
    looked_at = [p for p in for_a_bottle(passes) if start <= p.start_s < end]
    for p in looked_at:
        inside |= (part.time_s >= p.start_s - _ABOUT_S) & (part.time_s <= p.end_s + _ABOUT_S)
    places = tuple(dict.fromkeys(p.place for p in looked_at if p.place is not None))
    return _WorstLap(lap.number if lap is not None else None, start, end, places, part, floor_on(a, part), inside)


def size_map(
    a: Analysis,
    gallery: Gallery,
    passes: Sequence[DippingPass],
    bottle: Bottle,
    valve: Valve,
    line: Line,
    progress: Progress = silent,
) -> SizeMap | None:
    """The map of a judged log's worst lap; None where nothing dips."""
    look = _worst_lap_of(a, gallery, passes)
    if look is None:
        return None
    each = [
        replace(bottle, total_l=float(size), precharge_kpa=float(p)) for p in MAP_PRECHARGES_KPA for size in MAP_SIZES_L
    ]
    over = look.over_floor(each, [valve] * len(each), line, progress)
    short = ((over < 0.0).sum(axis=1) * look.part.step_s).reshape(MAP_PRECHARGES_KPA.size, MAP_SIZES_L.size)
    return SizeMap(look.lap, look.places, look.start_s, look.end_s, MAP_SIZES_L, MAP_PRECHARGES_KPA, short)


def floor_on(a: Analysis, gallery: Gallery) -> FloatArray:
    """The floor of the rules on a gallery's grid; −inf where nothing is judged, or no bottle could hold it."""
    nearest = np.clip(np.searchsorted(a.time_s, gallery.time_s), 0, a.time_s.size - 1)
    judged = (a.judged & in_reach(a))[nearest] & (a.rpm[nearest] >= a.options.rules.rpm_gate)
    made: FloatArray = np.where(judged, a.floor.kpa[nearest], -np.inf)
    return made
