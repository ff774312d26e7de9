"""Corners in words, for window and command alike."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from basso.track.runs import run_words
from basso.trust.side import KNOWN, Side

if TYPE_CHECKING:
    from basso.findings.corners.findings import CornerFindings, PlaceFinding
    from basso.findings.corners.per_lap import PerLap
    from basso.findings.corners.runs import RunFinding
    from basso.pressure.thresholds import Threshold

_HAIRPIN_M, _KINK_M = 22.0, 200.0
_LONG_M = 150.0


def place_words(p: PlaceFinding) -> str:
    """What a place is, in a few words: "long left, 92 m", with its name before and its banking behind."""
    way = p.place.way
    what = way if p.place.side_known or not p.place.is_corner else f"turn {way}"
    if p.place.is_corner and p.radius_m < _HAIRPIN_M:
        what = f"hairpin {way}"
    elif p.place.is_corner and p.radius_m > _KINK_M:
        what = f"{way} kink" if p.place.side_known else f"kink {way}"
    elif p.place.is_corner and p.length_m > _LONG_M:
        what = f"long {what}"
    banked = f", banked {p.banking_deg:.0f}°" if p.banking_deg is not None else ""
    return f"{p.place.name + ', ' if p.place.name else ''}{what}, {p.length_m:.0f} m{banked}"


def threshold_words(t: Threshold, side: Side = KNOWN) -> str:
    """From which g on, and how long a higher one may be held; "" where too few passes tell of it."""
    name = side.turns(t.direction)
    where = f"In {name[:1].lower()}{name[1:]}" if t.direction in ("left", "right") else f"Under {name.lower()}"
    if t.g is None:
        return f"{where} nothing was lost up to {t.low_g:.2f} g." if t.low_g is not None and t.low_g >= 0.5 else ""
    band = f"{t.low_g:.2f}" if t.low_g is not None else "less"
    words = f"{where} pressure holds up to {t.g:.2f} g ({band} to {t.high_g:.2f})"
    top = float(np.percentile(t.felt_g, 95))
    held = t.held_s(top)
    return words + (f", or {top:.2f} g for {held:.1f} s." if held is not None and top > 1.03 * t.g else ".")


def side_words(told: CornerFindings) -> str:
    """Both sides at equal g: so that the circuit's own way round does not decide."""
    known = [s for s in told.sides if math.isfinite(s.share) and s.seconds >= 5.0]
    if len(known) < 2:
        return ""
    parts = [
        f"{told.analysis.side.turns(s.direction).lower()} {100.0 * s.share:.0f} %"
        for s in sorted(known, key=lambda s: -s.share)
    ]
    return f"Time below the floor at equal g: {', '.join(parts)}."


def runs_words(told: CornerFindings) -> str:
    """Launches and stops side by side, for they are the two ends of the pan; "" where there are none or nothing is
    expected."""
    parts = []
    for kind, end in (("launch", "tail"), ("stop", "nose")):
        own = [r for r in told.runs if r.run.kind == kind and math.isfinite(r.min_share)]
        if not own:
            continue
        worst = min(own, key=lambda r: r.min_share)
        g = f" at {worst.peak_g:.2f} g" if math.isfinite(worst.peak_g) else ""
        below = sum(r.below_s > 0 for r in own)
        often = f"{below} of {len(own)} below the floor" if below else "none below the floor"
        name = {"launch": "launches", "stop": "stops"}[kind] if len(own) > 1 else kind
        parts.append(
            f"{len(own)} {name} (oil to the {end}): down to {100.0 * worst.min_share:.0f} % of normal{g}, {often}"
        )
    return f"{'; '.join(parts)}." if parts else ""


def run_row_words(kind: str, runs: Sequence[RunFinding]) -> str:
    """What a row of runs is: "8 launches, 1.4 g"."""
    words = run_words(kind, len(runs))
    g = [r.peak_g for r in runs if math.isfinite(r.peak_g)]
    return (
        f"{words}, {np.median(g):.2f} g" if g and kind in ("launch", "stop", "straight pass", "hill climb") else words
    )


def held_up_words(told: CornerFindings) -> str:
    """Where oil is held up in the engine; "" where nothing shows it."""
    parts = []
    for h in told.held_up:
        name = told.analysis.side.turns(h.direction).lower()
        if h.kind == "fast":
            parts.append(
                f"{name} lose {100.0 * h.lost:.0f} % of normal more at equal g after 20 s at {h.to:.0f} "
                f"rpm than at {h.from_:.0f}"
            )
        else:
            parts.append(
                f"{name} lose {100.0 * h.lost:.0f} % of normal more at equal g {h.to:.0f} s after the "
                f"last than {h.from_:.0f} s after it"
            )
    return f"Oil is held up in the engine: {'; '.join(parts)}. Drain-back, or too little oil." if parts else ""


def slides_words(told: CornerFindings) -> str:
    """How often the car slid or was caught, and how many dips lie there; "" where it did not."""
    if not told.slides:
        return ""
    many = f"{len(told.slides)} slides or corrections" if len(told.slides) > 1 else "One slide or correction"
    dips = len(told.analysis.dips)
    return f"{many}: {told.dips_in_slides} of {dips} dips begin in or just after one." if dips else f"{many}."


_MEASURES = {
    "below_floor_s": ("{} s{} below the floor", 1.0),
    "longest_s": ("longest dip {} s{}", 1.0),
    "recovery_s": ("back over the floor {} s{} after the lowest", 1.0),
    "below_share_0.70": ("{} %{} of it below 70 % of normal", 100.0),
}


def per_lap_words(laps: Sequence[PerLap]) -> str:
    """What a lap costs, with the interval over laps: "A lap: 9.4 s below the floor (7.1 to 11.8) …"; "" without
    laps."""
    parts = []
    for m in laps:
        if m.measure in _MEASURES:
            words, by = _MEASURES[m.measure]
            band = f" ({by * m.low:.1f} to {by * m.high:.1f})" if m.low is not None and m.high is not None else ""
            parts.append(words.format(f"{by * m.mean:.1f}", band))
    count = next((m.laps for m in laps if m.measure == "below_floor_s"), 0)
    return f"Per lap ({count} laps), with 95 % interval: {'; '.join(parts)}." if parts else ""


def knee_words(told: CornerFindings) -> str:
    """Where the pressure sags with engine speed alone, and whether an accumulator hid some of it; "" where it does not
    sag."""
    knee, known = told.knee, told.analysis.options.known
    if knee is None:
        return ""
    state = known.accumulator if known is not None else "unknown"
    bottle = {
        "armed": " The accumulator was armed and fills such sags: the knee may lie lower.",
        "unknown": " The accumulator's state is not noted: an armed one hides part of it.",
    }.get(state, "")
    return (
        f"With the oil level it sags above {knee.rpm:.0f} rpm ({knee.low_rpm:.0f} to "
        f"{knee.high_rpm:.0f}), by {100.0 * knee.fall:.0f} % at {knee.top_rpm:.0f} rpm: air beaten "
        f"into the oil, not corners. Overfill, breather, windage tray.{bottle}"
    )
