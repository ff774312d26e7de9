"""Corners in words, for window and command alike."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from basso.corners.told import CornersTold, PlaceTold
    from basso.pressure.knee import Knee
    from basso.pressure.thresholds import Threshold

DIRECTION_WORDS = {"left": "Left turns", "right": "Right turns", "braking": "Braking", "acceleration": "Acceleration"}
_HAIRPIN_M, _KINK_M = 22.0, 200.0
_LONG_M = 150.0


def place_words(p: PlaceTold) -> str:
    """What a place is, in a few words: "long left, 92 m"."""
    if not p.place.is_corner:
        return f"braking, {p.length_m:.0f} m"
    if p.radius_m < _HAIRPIN_M:
        return f"hairpin {p.place.kind}, {p.length_m:.0f} m"
    if p.radius_m > _KINK_M:
        return f"{p.place.kind} kink, {p.length_m:.0f} m"
    long = "long " if p.length_m > _LONG_M else ""
    return f"{long}{p.place.kind}, {p.length_m:.0f} m"


def threshold_words(t: Threshold) -> str:
    """From which g on, and how long a higher one may be held; "" where too few passes tell of it."""
    name = DIRECTION_WORDS[t.direction]
    keep = "keep" if name.endswith("s") else "keeps"
    if t.g is None:
        return f"{name} lost nothing up to {t.low_g:.2f} g." if t.low_g is not None and t.low_g >= 0.5 else ""
    band = f"{t.low_g:.2f}" if t.low_g is not None else "less"
    words = f"{name} {keep} the pressure below {t.g:.2f} g ({band} to {t.high_g:.2f})"
    top = float(np.percentile(t.felt_g, 95))
    held = t.held_s(top)
    return words + (f", or {top:.2f} g for {held:.1f} s." if held is not None and top > 1.03 * t.g else ".")


def side_words(told: CornersTold) -> str:
    """Both sides at equal g: so that the circuit's own way round does not decide."""
    known = [s for s in told.sides if math.isfinite(s.share) and s.seconds >= 5.0]
    if len(known) < 2:
        return ""
    parts = [
        f"{DIRECTION_WORDS[s.direction].lower()} {100.0 * s.share:.0f} %" for s in sorted(known, key=lambda s: -s.share)
    ]
    return f"Of the seconds at equal g, below the floor: {', '.join(parts)}."


def knee_words(knee: Knee | None) -> str:
    """Where the pressure sags with engine speed alone; "" where it does not."""
    if knee is None:
        return ""
    return (
        f"With the oil level it sags above {knee.rpm:.0f} rpm ({knee.low_rpm:.0f} to {knee.high_rpm:.0f}), by {100.0 * knee.fall:.0f} % at {knee.top_rpm:.0f} rpm: air beaten "
        "into the oil, not corners. Overfill, breather, windage tray."
    )
