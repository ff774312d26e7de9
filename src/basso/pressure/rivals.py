"""Every cause a dip might have, with what in the record speaks for it and against it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from basso.pressure.causes import (
    LEAST_G,
    OIL_FALLS_KPA_S,
    SIDE_OF,
    Cause,
    Counted,
    Signals,
    fastest_fall,
    held_before,
    window,
)
from basso.pressure.dips import Dip
from basso.recording.gaps import median_known
from basso.sentence import in_celsius, in_kpa, phrase

CAUSE_WORDS = {
    "left_turn": "left turn",
    "right_turn": "right turn",
    "one_side": "turn to one side",
    "other_side": "turn to the other side",
    "braking": "braking",
    "acceleration": "acceleration",
    "high_rpm": "high rpm",
    "hot_oil": "hot thin oil",
    "low_everywhere": "low everywhere",
    "sensor": "sensor",
    "unknown": "not known",
}
_CALM_S = 20.0


@dataclass(frozen=True, slots=True)
class Rival:
    """A cause that a dip might have.

    Attributes:
        name: in the contract's words; "one_side" or "other_side" of a turn whose side is not proven.
        weight: what speaks for it less what speaks against it; only its order means something.
        speaks_for, speaks_against: sentences without an end, with the figures they rest on.
    """

    name: str
    weight: float
    speaks_for: tuple[str, ...]
    speaks_against: tuple[str, ...]


def rivals_of(dip: Dip, cause: Cause, s: Signals) -> tuple[Rival, ...]:
    """Every cause that something speaks for, or that a reader would ask after: the one that was judged first, then by
    weight."""
    share = dip.told_share
    found = [*_directions(dip, s), *_normal_itself(dip, s), _sensor(dip, s)]
    if not s.missing_g:  # without one of the two g, a sag without g is neither seen nor ruled out
        found.append(_frothing(dip, s))
    if share is None:
        found = [r for r in found if r.name not in ("hot_oil", "low_everywhere")]
    if not s.side_proven:
        found = [_without_side(r) for r in found]
    if all(r.name != cause.key for r in found):
        found.append(Rival(cause.key, 0.0, (cause.reason,), ()))
    return tuple(sorted(found, key=lambda r: (r.name != cause.key, -r.weight)))


def _without_side(rival: Rival) -> Rival:
    """A turn of which it is not proven to which side it went."""
    if rival.name not in SIDE_OF:
        return rival
    sided, words = CAUSE_WORDS[rival.name], CAUSE_WORDS[SIDE_OF[rival.name]]
    said = (tuple(w.replace(sided, words) for w in side) for side in (rival.speaks_for, rival.speaks_against))
    return Rival(SIDE_OF[rival.name], rival.weight, *said)


def _directions(dip: Dip, s: Signals) -> list[Rival]:
    held = held_before(dip, s)
    made = []
    for g, name, _, _, words in held:
        if g < 0.5 * LEAST_G:
            continue
        pro: list[str] = []
        con: list[str] = []
        alone = s.elsewhere.low_share_thrown_one_way(name, g)
        weight = g / max(held[0][0], 1e-6)
        (pro if g >= LEAST_G else con).append(
            phrase("{} {:.2f} g over the second before", words, g)
            + ("" if g >= LEAST_G else ": too little to uncover a pickup with oil over it")
        )
        if g < LEAST_G:
            weight -= 1.0
        if alone.enough:
            often = (
                f"elsewhere the same g alone came with low pressure {_percent(alone.fraction_low)} of the "
                f"time ({_seconds(alone)})"
            )
            (pro if alone.fraction_low > 0.25 else con).append(often)
            weight += alone.fraction_low - 0.25
        made.append(Rival(name, weight, tuple(pro), tuple(con)))
    return made


def _frothing(dip: Dip, s: Signals) -> Rival:
    rpm = median_known(s.rpm[dip.first : dip.last])
    still = s.elsewhere.low_share_at_rpm_without_g(rpm)
    if not still.enough:
        top = rpm >= s.high_rpm
        said = (
            f"{rpm:.0f} rpm is {'among the highest' if top else 'not high'} for this session, and was hardly "
            "driven without g"
        )
        return Rival("high_rpm", 0.1 if top else -0.3, (said,) if top else (), () if top else (said,))
    words = (
        f"at {rpm:.0f} rpm without g the pressure is at {_percent(still.median_share)} of normal, low in "
        f"{_percent(still.fraction_low)} of {_seconds(still)}"
    )
    sags = still.fraction_low > 0.3
    return Rival("high_rpm", still.fraction_low - 0.3, (words,) if sags else (), () if sags else (words,))


def _normal_itself(dip: Dip, s: Signals) -> list[Rival]:
    inside = slice(dip.first, dip.last)
    expected = s.expected_kpa[inside]
    if not np.isfinite(expected).any():
        return []
    share = median_known(s.pressure_kpa[inside] / expected)
    room = median_known(expected / s.floor.kpa[inside])
    heat = median_known(s.temperature_c[inside]) if s.temperature_c is not None else float("nan")
    at = phrase(" at {}", in_celsius(heat)) if np.isfinite(heat) else ""
    near = room < 1.12
    floor = phrase("normal{} lies {}{:.0f} % over the floor", at, "only " if near else "", 100.0 * (room - 1.0))
    falls = (
        f"the pressure falls to {_percent(dip.told_share or share)} of normal: thin oil lowers normal "
        "itself, not the % of normal"
    )
    keeps = f"the pressure stays at {_percent(share)} of normal"
    low_share = (dip.told_share or share) < 0.85
    hot = Rival(
        "hot_oil",
        (0.5 if near else -0.5) + (-0.6 if low_share else 0.4),
        tuple(w for w, yes in ((floor, near), (keeps, not low_share)) if yes),
        tuple(w for w, yes in ((floor, not near), (falls, low_share)) if yes),
    )
    calm = _calm_share(dip, s)
    if calm is None:
        words, weight = "there was no calm running around it to hold it against", -0.1
        return [hot, Rival("low_everywhere", weight, (), (words,))]
    low = min(calm, s.level_share) < 0.9
    words = f"calm running within {_CALM_S:.0f} s of it is at {_percent(calm)} of normal"
    return [
        hot,
        Rival("low_everywhere", 0.9 - calm if not low else 0.5, (words,) if low else (), () if low else (words,)),
    ]


def _calm_share(dip: Dip, s: Signals) -> float | None:
    around = window(s.time_s, dip.start_s - _CALM_S, dip.end_s + _CALM_S)
    g = np.zeros(around.stop - around.start)
    for values in (s.lateral_g, s.longitudinal_g):
        if values is not None:
            g = np.maximum(g, np.abs(values[around]))
    near = (s.pressure_kpa[around] / s.expected_kpa[around])[(g < 0.3) & (s.rpm[around] > 1500.0)]
    near = near[np.isfinite(near)]
    return float(np.median(near)) if near.size >= 20 else None


def _sensor(dip: Dip, s: Signals) -> Rival:
    fall = fastest_fall(s, dip)
    if fall > OIL_FALLS_KPA_S:
        return Rival("sensor", 0.6, (phrase("it fell by {} a second, faster than oil can", in_kpa(fall)),), ())
    return Rival("sensor", -0.8, (), (phrase("it fell by {} a second at most, as oil does", in_kpa(fall)),))


def _percent(share: float) -> str:
    return f"{100.0 * share:.0f} %"


def _seconds(counted: Counted) -> str:
    return f"{counted.seconds:.0f} s" if counted.seconds >= 1.0 else f"{counted.seconds:.1f} s"
