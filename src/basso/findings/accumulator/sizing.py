"""Which size and precharge hold the floor on the worst lap: a map of how long the pressure still lies under it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from basso.accumulator.gas import Bottle
from basso.accumulator.replay import Gallery, replay_many
from basso.accumulator.valve import Line, Valve
from basso.analysis import Analysis
from basso.findings.accumulator.cover import MANY_STEP_S
from basso.findings.accumulator.gallery import DippingPass, in_reach
from basso.progress import Progress, silent
from basso.track.laps import Lap
from basso.units import FloatArray

MAP_SIZES_L = np.array([0.5, 1.0, 1.5, 2.0, 2.5, 3.0, 3.5, 4.0, 5.0, 6.0])
MAP_PRECHARGES_KPA = np.array([20.0, 50.0, 80.0, 110.0, 140.0, 170.0, 200.0, 230.0, 260.0, 300.0])
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
    if not passes:
        return None
    lap = worst_lap(a, passes)
    start, end = (lap.start_s, lap.end_s) if lap is not None else (passes[0].start_s, passes[-1].end_s)
    part = gallery.part(start - _LEAD_S, end).coarser(MANY_STEP_S)
    floor = floor_on(a, part)
    inside = np.zeros(part.time_s.shape, dtype=np.bool_)
    looked_at = [p for p in for_a_bottle(passes) if start <= p.start_s < end]
    for p in looked_at:
        inside |= (part.time_s >= p.start_s - _ABOUT_S) & (part.time_s <= p.end_s + _ABOUT_S)
    each = [
        replace(bottle, total_l=float(size), precharge_kpa=float(p)) for p in MAP_PRECHARGES_KPA for size in MAP_SIZES_L
    ]
    # It comes to the stretch that is looked at charged by what stands in the gallery there.
    first = np.array([_charged(b, float(np.median(part.alone_kpa))) for b in each])
    many = replay_many(part, each, [valve] * len(each), line, first, progress)
    under = (many.pressure_kpa < floor) & inside
    short = under.sum(axis=1) * part.step_s
    shape = (MAP_PRECHARGES_KPA.size, MAP_SIZES_L.size)
    places = tuple(dict.fromkeys(p.place for p in looked_at if p.place is not None))
    return SizeMap(
        lap.number if lap else None, places, start, end, MAP_SIZES_L, MAP_PRECHARGES_KPA, short.reshape(shape)
    )


def floor_on(a: Analysis, gallery: Gallery) -> FloatArray:
    """The floor of the rules on a gallery's grid; −inf where nothing is judged, or no bottle could hold it."""
    nearest = np.clip(np.searchsorted(a.time_s, gallery.time_s), 0, a.time_s.size - 1)
    judged = (a.judged & in_reach(a))[nearest] & (a.rpm[nearest] >= a.options.rules.rpm_gate)
    made: FloatArray = np.where(judged, a.floor.kpa[nearest], -np.inf)
    return made


def _charged(bottle: Bottle, peak_kpa: float) -> float:
    from basso.accumulator.gas import charged_l

    return float(charged_l(bottle, peak_kpa))
