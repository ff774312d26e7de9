"""What matters in a session, in three sentences: what happened, when and how sure, and what to do next."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from basso.pressure.exposure import exposure_weight
from basso.pressure.rivals import CAUSE_WORDS
from basso.recording.gaps import or_zero
from basso.units import DisplayUnits, Quantity

if TYPE_CHECKING:
    from basso.analysis import Analysis, JudgedDip


def exposure_of(d: JudgedDip) -> float:
    """What a dip exposes the bearings to: its seconds, weighed by engine speed and by how far it fell."""
    return d.dip.duration_s * exposure_weight(d.rpm, d.dip.told_share)


def by_cause(dips: Sequence[JudgedDip]) -> list[tuple[str, list[JudgedDip]]]:
    """The dips by cause (its key), the most exposed cause first."""
    groups: dict[str, list[JudgedDip]] = defaultdict(list)
    for d in dips:
        groups[d.cause.key].append(d)
    return sorted(groups.items(), key=lambda g: -sum(exposure_of(d) for d in g[1]))


def together_words(group: Sequence[JudgedDip]) -> str:
    """The other direction that helped in most of them; "" where one did it alone."""
    helped = [d.cause.together_with for d in group if d.cause.together_with]
    if len(helped) < 0.5 * len(group):
        return ""
    return CAUSE_WORDS[max(dict.fromkeys(helped), key=helped.count)]


def when_words(from_lap: int | None, above_c: float | None, units: DisplayUnits) -> str:
    """When it happens, where laps or heat part them: "only from lap 5 on, above 112 °C"; "" where nothing does."""
    parts = [f"from lap {from_lap} on" if from_lap is not None else ""]
    if above_c is not None:
        parts.append(f"above {units.text(above_c, Quantity.TEMPERATURE)}")
    words = ", ".join(p for p in parts if p)
    return f"only {words}" if words else ""


def lowest_words(a: Analysis, kpa: float, units: DisplayUnits) -> str:
    """A lowest reading as digits: "≤" before it where sampling was too slow to have seen the lowest, "≥" where the
    sensor shakes below it."""
    mark = {(True, False): "≤\u2009", (False, True): "≥\u2009", (True, True): "≈\u2009"}
    return mark.get((a.at_or_below, a.at_or_above), "") + units.number(kpa, Quantity.PRESSURE)


def exposure_words(a: Analysis, units: DisplayUnits) -> str:
    """How long, how deep and at what engine speed: what is known of the risk; never that it is safe."""
    if not a.dips:
        return ""
    worst = max(a.dips, key=exposure_of)
    rpm = np.array([d.rpm for d in a.dips])
    seconds = np.array([d.dip.duration_s for d in a.dips])
    return (
        f"{a.exposure.below_floor_s:.1f} s below the floor in {a.exposure.running_s / 60:.0f} min, at "
        f"{np.average(rpm, weights=seconds):.0f} rpm on "
        f"average; the worst {worst.dip.duration_s:.1f} s at {worst.rpm:.0f} rpm down to "
        f"{lowest_words(a, worst.dip.min_pressure_kpa, units)} {units.pressure.symbol}"
    )


def _seen(a: Analysis, direction: str) -> str:
    return direction if a.side.proven else a.side.to(direction)


def unknowns_words(a: Analysis, units: DisplayUnits) -> str:
    """How far the session went: beyond it nothing was seen. "" where nothing was judged."""
    if not a.judged.any():
        return ""
    parts = []
    for g, ahead, behind in (
        (a.lateral_g, _seen(a, "left"), _seen(a, "right")),
        (a.longitudinal_g, "in acceleration", "in braking"),
    ):
        if g is not None:
            seen = or_zero(g)[a.judged]
            parts += [
                f"{v:.1f} g {way}"
                for v, way in zip(np.abs(np.percentile(seen, (99.5, 0.5))), (ahead, behind), strict=True)
            ]
    heat = a.temperature_c[a.judged] if a.temperature_c is not None else np.empty(0)
    if np.isfinite(heat).any():
        parts.append(f"oil at {units.text(float(np.nanpercentile(heat, 99)), Quantity.TEMPERATURE)}")
    parts.append(f"{float(np.nanpercentile(a.rpm[a.judged], 99)):.0f} rpm")
    return f"Seen up to {', '.join(parts)}; nothing is known beyond, nor with less oil."


def rank_words(rank: int, of: int) -> str:
    """ "Worst of 27", "7th worst of 27"; "The only one" of one."""
    if of == 1:
        return "The only one"
    if rank == 1:
        return f"Worst of {of}"
    tens = "th" if rank % 100 in (11, 12, 13) else {1: "st", 2: "nd", 3: "rd"}.get(rank % 10, "th")
    return f"{rank}{tens} worst of {of}"
