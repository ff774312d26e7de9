"""What keeps a trial from a verdict, and which verdict an effect allows. Each guard is a line someone could be hurt
without."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import numpy as np

from basso.analysis import Analysis
from basso.recording.drive import same_log
from basso.sentence import in_celsius, in_degrees, in_kpa, phrase
from basso.track.alignment import align
from basso.track.corners import Place, TrackMap
from basso.trial.control import NOTICED_KPA, Control
from basso.trial.effect import Effect
from basso.trial.match import Likeness, Side, apart_c

Verdict = Literal["better", "worse", "no_clear_change", "not_comparable"]
LEAST_LAPS = 2
"""Fewer complete warm laps than this a side are no proof of anything: they are only shown side by side."""
_FEW_LAPS = 4
"""With fewer a side a verdict is only given where the effect stands clear of the spread between laps."""
_CLEAR = 1.5
"""So many half-widths of the interval it must stand away from no change then: two or three laps say little of how far
laps spread (default)."""
_TEMPERATURE_REACH_C = 3.0
"""Oil temperatures further apart than this are not held against each other."""
_G_APART = 0.15
"""Of the g held: further apart and the cornering is not alike."""
TAKES_IN_NONE = "the interval takes in no change"
TOO_SMALL = "the change is smaller than sensors and straights differ by"
_LEAST_EFFECT_KPA = 6.0
"""A change smaller than this is within what sensors and straights disagree by anyway."""


def blocked_by(a: Sequence[Analysis], b: Sequence[Analysis]) -> list[str]:
    """What makes two sides not comparable before a single figure is looked at."""
    for label, side in (("A", a), ("B", b)):
        for x in side:
            barred = x.barred_by
            if barred is not None:
                verb = "trusted" if x.judgeable else "judged"
                return [f"{x.recording.path.name} on side {label} cannot be {verb}: {barred.message}"]
    counts = [sum(lap.complete for x in side for lap in x.laps) for side in (a, b)]
    if min(counts) < LEAST_LAPS:
        return [
            f"{_laps(counts[0])} on side A and {_laps(counts[1])} on side B: one lap is no proof, since "
            "nothing tells how far laps spread; "
            "they are shown side by side. Drive at least two, better four and more, a side"
        ]
    for x in a:
        for y in b:
            if same_log(x.recording, y.recording):
                names = dict.fromkeys((x.recording.path.name, y.recording.path.name))
                return [f"the same drive is on both sides ({' and '.join(names)})"]
    tracks = [(x, x.track) for x in (*a, *b)]
    if any(t is None for _, t in tracks):
        name = next(x.recording.path.name for x, t in tracks if t is None)
        return [f"{name} has no laps with speed and g, so its passes cannot be matched"]
    first: TrackMap | None = tracks[0][1]
    for x, track in tracks[1:]:
        if first is not None and track is not None and (why := align(first.shape, track.shape).problem) is not None:
            return [phrase("{}: {}", x.recording.path.name, why)]
    return []


def unlike(a: Side, b: Side, likeness: Sequence[Likeness]) -> list[str]:
    """What makes two sides not comparable once their passes are known; [] where nothing does."""
    if not a.passes or not b.passes:
        return ["no warm passes through any corner are left on one side"]
    ta, tb = a.conditions.oil_temp_c, b.conditions.oil_temp_c
    if (ta is None) != (tb is None):
        return ["one side has no oil temperature, so the sides cannot be matched"]
    if ta is not None and tb is not None and apart_c(a, b) > _TEMPERATURE_REACH_C:
        return [
            phrase(
                "no oil temperature is shared: {:bare}–{} against {:bare}–{}; drive both sides at like temperatures",
                in_celsius(ta[0]),
                in_celsius(ta[2]),
                in_celsius(tb[0]),
                in_celsius(tb[2]),
            )
        ]
    ga, gb = a.conditions.peak_g, b.conditions.peak_g
    if ga is not None and gb is not None and abs(ga[1] / gb[1] - 1.0) > _G_APART:
        return [
            f"the cornering is not alike, {ga[1]:.2f} g against {gb[1]:.2f} g: wet against dry, other tyres or traffic"
        ]
    straights = next((x for x in likeness if x.what == "Straights agree"), None)
    if straights is not None and straights.state == "not matched":
        return [
            f"the straights disagree by {straights.finding}: the sensor, its zero, the oil or the engine changed too"
        ]
    return []


def decide(
    kpa: Effect | None, share: Effect | None, over: Sequence[Place], control: Control | None, gap_c: float
) -> tuple[Verdict, tuple[str, ...]]:
    """The verdict that an effect allows, and why.

    Args:
        share: the effect in % of normal, None where normal is not known; the two must not disagree in sign.
        over: the places it is averaged over; ``control``: what calm running reads otherwise on side B.
        gap_c: by how much the oil temperatures of the sides miss each other.
    """
    if kpa is None:
        return "not_comparable", ("too few laps are left once passes are matched",)
    # Share of normal has the engine's own rpm and temperature dependence taken out already; both must agree in sign.
    where = " and ".join(p.label for p in over[:3]) + (f" and {len(over) - 3} more" if len(over) > 3 else "")
    numbers = phrase(
        "lowest pressure {} ({:bare} to {:bare}) in {}",
        in_kpa(kpa.estimate, signed=True),
        in_kpa(kpa.low, signed=True),
        in_kpa(kpa.high, signed=True),
        where,
    )
    basis = phrase(
        "{} laps against {}, at {}, {:.0f} rpm and {:.2f} g",
        kpa.laps_a,
        kpa.laps_b,
        in_celsius(kpa.at_temperature_c),
        kpa.at_rpm,
        kpa.at_peak_g,
    )
    if not np.isfinite(kpa.at_temperature_c):
        basis = phrase("{} laps against {}; oil temperature is not logged and not matched", kpa.laps_a, kpa.laps_b)
    reasons = [numbers, basis, *_control_words(control)]
    if gap_c > 0.0:
        reasons.append(
            phrase(
                "the sides share no oil temperature: they are {} apart, and what lies between is carried on "
                "from each; the interval is wider for it",
                in_degrees(gap_c, 1),
            )
        )
    few = min(kpa.laps_a, kpa.laps_b) < _FEW_LAPS
    verdict: Verdict | None = change_of(kpa, share)
    if few and verdict is not None:
        reasons.append("few laps: the interval is that of so few, and the effect stands clear of it")
    elif few:
        few_words = f"{kpa.laps_a} laps against {kpa.laps_b}: the change does not stand clear of the spread of so few"
        return "not_comparable", (few_words, *reasons)
    if verdict is not None:
        return verdict, tuple(reasons)
    return "no_clear_change", (*reasons, TAKES_IN_NONE if kpa.low <= 0 <= kpa.high else TOO_SMALL)


def change_of(kpa: Effect, share: Effect | None = None) -> Literal["better", "worse"] | None:
    """What an effect says by itself; None where it takes in no change, or one within what sensors disagree by, or where
    few laps do not stand well clear of it."""
    half = 0.5 * (kpa.high - kpa.low)
    if min(kpa.laps_a, kpa.laps_b) < _FEW_LAPS and abs(0.5 * (kpa.low + kpa.high)) < _CLEAR * half:
        return None
    if kpa.low > 0 and kpa.estimate >= _LEAST_EFFECT_KPA and (share is None or share.estimate > 0):
        return "better"
    if kpa.high < 0 and kpa.estimate <= -_LEAST_EFFECT_KPA and (share is None or share.estimate < 0):
        return "worse"
    return None


def _control_words(control: Control | None) -> list[str]:
    """What calm running, which the change cannot touch, says of the two sides."""
    if control is None:
        return []
    unproven = ""
    if not control.zeros_proven:
        why = (
            "with the engine stopped it stands at its lowest reading: a lower zero would not show"
            if control.zeros_read
            else "no stretch with the engine stopped"
        )
        unproven = f"the sensor's zero is not proven on both sides ({why})"
    if not control.known:
        return (
            [f"{unproven}, and no calm running is shared that would show a shift: the interval is wider for it"]
            if unproven
            else []
        )
    shift = in_kpa(control.shift_kpa, signed=True)
    if abs(control.shift_kpa) >= NOTICED_KPA and abs(control.shift_kpa) > 2.0 * control.spread_kpa:
        words = phrase(
            "calm running, which the change cannot touch, reads {} on side B: sensor, oil or engine "
            "changed too; it is taken off",
            shift,
        )
        return [phrase("{}; {}", words, unproven) if unproven else words]
    return [f"{unproven}, but calm running reads the same on both sides"] if unproven else []


def _laps(n: int) -> str:
    return f"{n or 'no'} complete lap{'' if n == 1 else 's'}"
