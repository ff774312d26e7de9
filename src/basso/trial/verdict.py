"""A trial judged: two sides, matched passes, the effect with its interval, and the verdict in a sentence."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np

from basso.analysis import Analysis
from basso.findings.accumulator.armed import is_armed
from basso.findings.corners.passes import Pass
from basso.pressure.exposure import SHARES
from basso.track.corners import Place
from basso.trial.control import Control, control_of, over_control
from basso.trial.effect import Effect, effect_on_lowest, effect_on_share, estimate_effect
from basso.trial.guards import Verdict, blocked_by, decide, unlike
from basso.trial.match import (
    Likeness,
    Side,
    apart_c,
    dip_prone,
    heat_slope,
    likeness_of,
    read_alike_of,
    readings_of,
    side_of,
    with_control,
)

Judgement = Literal["cured", "helps", "no_clear_change", "worse", "not_comparable"]
_TOO_WIDE_KPA = 50.0
"""A single place whose interval reaches further than this to either side tells nothing."""


@dataclass(frozen=True, slots=True)
class CornerRow:
    """One place, before and after. ``effect`` is None where the passes are too few, or spread too far, to tell."""

    place: Place
    a_min_kpa: float | None
    b_min_kpa: float | None
    effect: Effect | None
    passes_a: int
    passes_b: int
    dips_per_lap_a: float
    dips_per_lap_b: float


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class Comparison:
    """A judged trial; carries the two sides it came from."""

    a: Side
    b: Side
    verdict: Verdict
    reasons: tuple[str, ...]
    over: tuple[Place, ...]
    """The dip-prone places the headline effect is averaged over."""
    effect_kpa: Effect | None
    effect_share: Effect | None
    effect_below: Effect | None
    corners: tuple[CornerRow, ...]
    rest: Effect | None
    """The effect over all places not in ``over``: what should not have changed."""
    control: Control | None
    """What calm running reads otherwise on side B: no effect of the change, and taken off every effect above."""
    likeness: tuple[Likeness, ...]
    exceedance_a: tuple[float | None, ...]
    exceedance_b: tuple[float | None, ...]
    matched_on: tuple[str, ...]

    @property
    def passes_in_question(self) -> tuple[Pass, ...]:
        """The passes of both sides through the dip-prone places."""
        ids = {p.id for p in self.over}
        return tuple(p for p in (*self.a.passes, *self.b.passes) if p.place in ids)

    @property
    def naive_kpa(self) -> float | None:
        """Mean lowest pressure after less before over all flying passes of those places, as one would without matching:
        for contrast only. None where a side has none."""
        sides = [[p.min_pressure_kpa for p in self.passes_in_question if p.side == s] for s in (0, 1)]
        return float(np.mean(sides[1]) - np.mean(sides[0])) if all(sides) else None

    @property
    def judgement(self) -> Judgement:
        """The verdict, and whether a change for the better left no dip.

        A dip may also be hidden by an armed accumulator, which cures no pan: then it only helps.
        """
        if self.verdict != "better":
            return self.verdict
        dips = [sum(d.lap is not None and d.lap.complete for x in s.analyses for d in x.dips) for s in (self.a, self.b)]
        hidden = any(is_armed(x) for x in self.b.analyses)
        return "cured" if dips[0] > 0 and dips[1] == 0 and not hidden else "helps"


def compare(
    label_a: str,
    a: Sequence[Analysis],
    label_b: str,
    b: Sequence[Analysis],
    repeated: Sequence[str] = (),
    control: Control | None = None,
) -> Comparison:
    """Compare before (A) with after (B); both judged against the same normal and floor.

    ``repeated`` says which logs were left out because they repeat another; it is told with the reasons.
    ``control`` is what calm running reads otherwise, where that is known already; else it is fitted here.

    The seam for the full trial: planning, more measures and corner identity come with their own step.
    """
    tracks = [x.track for x in (*a, *b)]
    blocked = blocked_by(a, b)
    reference = next((t for t in tracks if t is not None), None)
    places = tuple(p for p in reference.places if p.loaded) if reference is not None else ()
    alike = read_alike_of((a, b), reference)
    side_a = side_of(label_a, a, reference, 0, alike)
    side_b = side_of(label_b, b, reference, 1, alike)
    likeness = likeness_of(side_a, side_b)
    if alike is not None:
        likeness = (*likeness, readings_of(a, b))
    if blocked:
        control = None
    elif control is None:
        control = control_of(a, b)
    if control is not None:
        likeness = with_control(likeness, control)
    if not blocked:
        blocked = unlike(side_a, side_b, likeness)
    over = dip_prone(places, side_a, side_b)
    heat = heat_slope((*a, *b))
    corners = tuple(_row(p, side_a, side_b, heat, control) for p in places)
    common: dict[str, Any] = {
        "a": side_a,
        "b": side_b,
        "over": over,
        "corners": corners,
        "control": control,
        "likeness": likeness,
        "exceedance_a": _exceedance(side_a),
        "exceedance_b": _exceedance(side_b),
    }
    if blocked:
        return Comparison(
            **common,
            verdict="not_comparable",
            reasons=(*blocked, *repeated),
            effect_kpa=None,
            effect_share=None,
            effect_below=None,
            rest=None,
            matched_on=(),
        )
    ids = {p.id for p in over}
    passes = [p for p in (*side_a.passes, *side_b.passes) if p.place in ids]
    gap = apart_c(side_a, side_b)
    kpa, share = effects_of(passes, heat, control, gap)
    below_s, lowest = (np.array(v) for v in zip(*((p.below_s, p.min_pressure_kpa) for p in passes), strict=True))
    below = estimate_effect(passes, below_s, unit_kpa=float(np.std(below_s) / max(np.std(lowest), 1.0)) or 1.0)
    others = [p for p in (*side_a.passes, *side_b.passes) if p.place not in ids]
    rest = effect_on_lowest(others, heat) if others else None
    if rest is not None and control is not None:
        rest = over_control(rest, control, float(np.mean([p.min_pressure_kpa for p in others])))
    verdict, reasons = decide(kpa, share, over, control, gap)
    matched = tuple(name for name in ("oil_temp_c", "rpm", "peak_g") if getattr(side_a.conditions, name) is not None)
    return Comparison(
        **common,
        verdict=verdict,
        reasons=(*reasons, *repeated),
        effect_kpa=kpa,
        effect_share=share,
        effect_below=below,
        rest=rest,
        matched_on=matched,
    )


def effects_of(
    passes: Sequence[Pass], heat: float | None, control: Control | None, gap_c: float
) -> tuple[Effect | None, Effect | None]:
    """The effect on the lowest pressure and on the lowest share of normal, less what calm running reads otherwise; None
    with too few laps, or where no normal is shared.

    ``heat``: what normal changes by for 1 °C, kPa, where it is known; ``gap_c``: by how much the oil
    temperatures of the sides miss each other.
    """
    lowest = np.array([p.min_pressure_kpa for p in passes])
    kpa = effect_on_lowest(passes, heat)
    share = effect_on_share(passes, heat)
    if control is not None and kpa is not None:
        level = float(np.mean(lowest))
        kpa = _widened(over_control(kpa, control, level), gap_c)
        share = over_control(share, control, level, in_share=True) if share is not None else None
    return kpa, share


def _widened(effect: Effect, gap_c: float) -> Effect:
    """An interval widened by what an extrapolation over temperatures that no side shares may be off."""
    if gap_c <= 0.0:
        return effect
    more = gap_c * max(abs(effect.per_degree), 1.0)
    return replace(effect, low=effect.low - more, high=effect.high + more)


def _row(place: Place, a: Side, b: Side, heat: float | None, control: Control | None) -> CornerRow:
    mine_a = [p for p in a.passes if p.place == place.id]
    mine_b = [p for p in b.passes if p.place == place.id]
    both = [*mine_a, *mine_b]
    lowest = np.array([p.min_pressure_kpa for p in both])
    effect = effect_on_lowest(both, heat) if both else None
    if effect is not None and control is not None:
        effect = over_control(effect, control, float(np.mean(lowest)))
    if effect is not None and effect.high - effect.low > 2.0 * _TOO_WIDE_KPA:
        effect = None
    return CornerRow(
        place=place,
        a_min_kpa=float(np.mean([p.min_pressure_kpa for p in mine_a])) if mine_a else None,
        b_min_kpa=float(np.mean([p.min_pressure_kpa for p in mine_b])) if mine_b else None,
        effect=effect,
        passes_a=len(mine_a),
        passes_b=len(mine_b),
        dips_per_lap_a=sum(p.below_s > 0 for p in mine_a) / max(len(mine_a), 1),
        dips_per_lap_b=sum(p.below_s > 0 for p in mine_b) / max(len(mine_b), 1),
    )


def _exceedance(side: Side) -> tuple[float | None, ...]:
    """Fraction of judged time in complete laps below each share of normal."""
    shares = []
    for x in side.analyses:
        inside = np.zeros(x.time_s.shape, dtype=bool)
        for lap in x.laps:
            if lap.complete:
                inside |= (x.time_s >= lap.start_s) & (x.time_s < lap.end_s)
        values = x.share[inside & x.judged]
        shares.append(values[np.isfinite(values)])
    joined = np.concatenate(shares) if shares else np.empty(0)
    if joined.size == 0:
        return tuple(None for _ in SHARES)
    return tuple(float(np.mean(joined < level)) for level in SHARES)
