"""Why a dip happened, from how g, rpm and temperature moved before it.

The oil follows the g late, so the g that counts is the one of the second before the crossing, not the one at
the bottom. Each candidate is weighed by what speaks for it in the record; the reason is kept in words.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from basso.normal.expected import ExpectedPressure
from basso.pressure.dips import Dip
from basso.pressure.floors import FloorLine
from basso.pressure.pull import EQUAL, find_pull
from basso.pressure.slosh import felt
from basso.recording.gaps import median_known, or_zero
from basso.recording.roles import Role
from basso.recording.rolling import rolling_mean, rolling_min
from basso.sentence import in_celsius, in_kpa, phrase
from basso.units import FloatArray

LEAST_G = 0.35
"""Less than this, held, does not bare a pickup that has oil over it (default)."""
OIL_FALLS_KPA_S = 6500.0
"""Faster no oil pressure falls."""
_LEAD_S = 1.0
_RECENT_S = 0.5
_PIPE_S = 0.1
"""From the pickup to the gallery (default)."""
_CLEARLY = 1.1
"""By so much the one pull has to be over the other to be told first against the larger g."""
_HELPS_G = 0.2
_HELPS_SHARE = 0.2
"""Of the pull on the oil: where the second direction does this much of it, both are told."""
_NEAR_NORMAL = 0.88
"""A dip whose share of normal stays above this is normal itself being low, not starvation."""
_SAG = 0.90
"""A share of normal under this is a sag (default)."""


@dataclass(frozen=True, slots=True)
class Cause:
    """The cause of a dip: its name in the contract's words, how sure, and why.

    Attributes:
        name: one of right_turn, left_turn, turn, braking, acceleration, high_rpm, hot_oil, low_everywhere, sensor,
            unknown; "turn" where it is not proven which side is left.
        confidence: 0 to 1.
        reason: one sentence with the numbers it rests on (g, rpm, shares; pressures are left to the screen's units).
        lateral_g, longitudinal_g: mean over the half second before the crossing, NaN when not logged.
        held_g: the most g held (over 0.3 s) the way of the cause in the second before the crossing; None when g is
            not the cause.
        lag_s: from the g reaching 70 % of its peak to the crossing; None when g is not the cause.
        together_with: the direction that helped to bare the pickup ("braking" into a turn); "" where one did it alone.
        needs: roles whose absence keeps the cause from being named: what would tell.
        side: of a "turn": "one_side" (the lateral g is positive there, as logged) or "other_side"; else "".
    """

    name: str
    confidence: float
    reason: str
    lateral_g: float
    longitudinal_g: float
    lag_s: float | None
    held_g: float | None = None
    together_with: str = ""
    needs: tuple[Role, ...] = ()
    side: str = ""

    @property
    def key(self) -> str:
        """What dips are told together by: the name, and of a turn without a proven side which of the two it is."""
        return self.side or self.name


SIDE_OF = MappingProxyType({"left_turn": "one_side", "right_turn": "other_side"})
_SIDE_WORDS = (("left turn", "turn to one side"), ("right turn", "turn to the other side"))


def in_contract(key: str) -> str:
    """A cause's key by its name in the contract: both sides of a turn without a proven side are a "turn"."""
    return "turn" if key in SIDE_OF.values() else key


def without_side(cause: Cause) -> Cause:
    """The same where it is not proven which side is left: the turn stays, its side is only told apart from the
    other."""
    reason = cause.reason
    for sided, words in _SIDE_WORDS:
        reason = reason.replace(sided, words)
    side = SIDE_OF.get(cause.name, "")
    return replace(
        cause,
        name="turn" if side else cause.name,
        side=side,
        reason=reason,
        together_with=SIDE_OF.get(cause.together_with, cause.together_with),
    )


@dataclass(frozen=True, slots=True, eq=False)
class Signals:
    """What causes are judged from; arrays of shape (n,), None when not logged. The g holds no NaN."""

    time_s: FloatArray
    rpm: FloatArray
    pressure_kpa: FloatArray
    expected_kpa: FloatArray
    floor: FloorLine
    lateral_g: FloatArray | None
    longitudinal_g: FloatArray | None
    temperature_c: FloatArray | None
    elsewhere: Elsewhere
    high_rpm: float
    """The rpm below which the engine spends 60 % of its judged time."""
    expected: ExpectedPressure
    coolest_c: float
    """The coolest warm oil of the session; NaN when not logged."""
    level_share: float
    """Settled pressure of this session as a share of the normal it is judged by (1 when fitted to itself)."""
    felt: tuple[FloatArray, FloatArray] | None = None
    """What the oil feels sideways and fore and aft, each of shape (n,); None where no g is logged."""

    launches: tuple[tuple[float, float], ...] = ()
    """(from, to) in s: driven off hard from a standstill, where a car does not corner."""
    side_proven: bool = True
    """Which side is left is proven; else left and right may stand in each other's place."""

    @property
    def missing_g(self) -> tuple[Role, ...]:
        """The g that is neither logged nor worked out: what it does to the oil is not known, which is not the same as
        nothing."""
        pairs = ((Role.LATERAL_G, self.lateral_g), (Role.LONGITUDINAL_G, self.longitudinal_g))
        return tuple(role for role, g in pairs if g is None)


_Held = tuple[float, str, FloatArray, float, str]
"""A candidate: held g, cause, channel, sign, words."""


@dataclass(frozen=True, slots=True, eq=False)
class Elsewhere:
    """The rest of the session, as evidence: what the same rpm does without g, and the same g at lower rpm.

    Arrays of shape (k,), thinned to what such a count needs. ``held_*_g`` is the mean
    g and ``held_rpm`` the lowest rpm of the last 0.6 s.
    """

    rpm: FloatArray
    held_rpm: FloatArray
    share: FloatArray
    held_lateral_g: FloatArray
    held_longitudinal_g: FloatArray
    level: NDArray[np.bool_]
    """Where the oil lay level: under 0.4 g held."""
    memory_s: float
    """Over how long the g adds up in this pan: the window over which it explains the low shares best."""
    sample_s: float = 0.05
    """How much of the session one sample stands for."""
    pull: Mapping[str, float] = field(default_factory=lambda: EQUAL)
    """How much of baring the pickup one g does, by direction."""
    has_both_g: bool = True
    """Without one of them nothing is known of running without g, or with g one way alone."""

    def low_share_at_rpm_without_g(self, rpm: float) -> Counted:
        """How often the share of normal is low at this rpm (or a little more) with the oil lying level."""
        return self._low(self.level & (self.held_rpm > rpm - 200.0) & (self.rpm < rpm + 500.0))

    def low_share_at_g_below(self, rpm: float, lateral_g: float, longitudinal_g: float) -> Counted:
        """How often it is low with as much g the same way, at well under this rpm.

        Only the larger component is held against the rest of the session.
        """
        if not self.has_both_g:
            return _NOTHING_KNOWN
        if abs(lateral_g) >= abs(longitudinal_g):
            same = self.held_lateral_g * np.sign(lateral_g) >= 0.9 * abs(lateral_g)
        else:
            same = self.held_longitudinal_g * np.sign(longitudinal_g) >= 0.9 * abs(longitudinal_g)
        return self._low(same & (self.rpm < rpm - 500.0))

    def low_share_thrown_one_way(self, name: str, g: float) -> Counted:
        """How often it is low with this much g held one way and little the other way: what that g does alone."""
        if not self.has_both_g:
            return _NOTHING_KNOWN
        side, along = self.held_lateral_g, self.held_longitudinal_g
        way, other = {
            "left_turn": (side, along),
            "right_turn": (-side, along),
            "braking": (-along, side),
            "acceleration": (along, side),
        }[name]
        return self._low((way >= 0.85 * g) & (np.abs(other) < 0.35))

    def _low(self, where: NDArray[np.bool_]) -> Counted:
        shares = self.share[where]
        if shares.size == 0:
            return _NOTHING_KNOWN
        return Counted(
            shares.size, float(np.mean(shares < _SAG)), float(np.median(shares)), shares.size * self.sample_s
        )


_MEMORIES_S = (0.2, 0.4, 0.7, 1.1, 1.6)


def _memory(share: FloatArray, known: NDArray[np.bool_], sides: list[FloatArray], step_s: float) -> float:
    """The window over which held g, in its best direction, follows the lack of pressure most closely.

    A shallow pan answers at once, a baffled one adds up the g of a second and more; 0.7 s when nothing is lacking.
    """
    lack = np.clip(1.0 - share[known], 0.0, 1.0)
    if int(np.count_nonzero(lack > 0.2)) < 20:
        return 0.7
    lack = lack - lack.mean()
    best = (0.0, 0.7)
    for memory in _MEMORIES_S:
        window = max(1, round(memory / step_s))
        for g in sides:
            held = rolling_mean(g, window, trailing=True)[known]
            for sign in (1.0, -1.0):
                thrown = np.clip(sign * held - 0.3, 0.0, None)
                spread = float(thrown.std())
                if spread > 0:
                    best = max(best, (float(lack @ (thrown - thrown.mean())) / spread, memory))
    return best[1]


@dataclass(frozen=True, slots=True)
class Counted:
    """Samples looked at, the fraction of them with a low share of normal, their median share, and how long they
    lasted."""

    samples: int
    fraction_low: float
    median_share: float
    seconds: float = 0.0

    @property
    def enough(self) -> bool:
        """True when a statement can rest on it."""
        return self.samples >= 12


_NOTHING_KNOWN = Counted(0, 0.0, 1.0)


def look_elsewhere(
    rpm: FloatArray,
    share: FloatArray,
    judged: NDArray[np.bool_],
    lateral_g: FloatArray | None,
    longitudinal_g: FloatArray | None,
    step_s: float,
) -> Elsewhere:
    """Gather the judged samples of a session as evidence for causes; 20 Hz is enough for it."""
    every = max(1, round(0.05 / max(step_s, 1e-3)))
    rpm, share, judged = or_zero(rpm[::every]), share[::every], judged[::every]
    sides = [or_zero(g[::every]) if g is not None else np.zeros(rpm.shape) for g in (lateral_g, longitudinal_g)]
    step_s = max(step_s, 1e-3) * every
    window = max(1, round(0.6 / step_s))
    side, along = (rolling_mean(g, window, trailing=True) for g in sides)
    held_rpm = rolling_min(rpm, window, trailing=True)
    known = judged & np.isfinite(share)
    memory = _memory(share, known, sides, step_s)
    use = np.flatnonzero(known)
    thin = max(1, use.size // 8000)
    use = use[::thin]
    side, along = side[use], along[use]
    has_both_g = lateral_g is not None and longitudinal_g is not None
    level = (np.hypot(side, along) < 0.40) & has_both_g
    # What the oil feels now shows in the gallery when it has come up the pipe.
    late = max(0, round(_PIPE_S / step_s))
    held = [np.roll(felt(g, step_s), late)[use] for g in sides] if use.size else sides
    known_rpm = rpm[use]
    fast = np.maximum(known_rpm - np.percentile(known_rpm, 60), 0.0) / 1000.0 if use.size else known_rpm
    pull = find_pull(share[use] < _SAG, held[0], held[1], fast)
    return Elsewhere(
        rpm=rpm[use],
        held_rpm=held_rpm[use],
        share=share[use],
        held_lateral_g=side,
        held_longitudinal_g=along,
        level=level,
        memory_s=memory,
        sample_s=step_s * thin,
        pull=pull,
        has_both_g=has_both_g,
    )


def find_cause(dip: Dip, s: Signals) -> Cause:
    """Judge the cause of one dip."""
    cause = _found(dip, s)
    return cause if s.side_proven else without_side(cause)


def _found(dip: Dip, s: Signals) -> Cause:
    t0 = dip.start_s
    lead = window(s.time_s, t0 - _RECENT_S, t0)
    inside = slice(dip.first, dip.last)
    rpm = median_known(s.rpm[inside])
    side = float(s.lateral_g[lead].mean()) if s.lateral_g is not None else float("nan")
    along = float(s.longitudinal_g[lead].mean()) if s.longitudinal_g is not None else float("nan")

    missing = s.missing_g
    fall = fastest_fall(s, dip)
    g_now = max(abs(np.nan_to_num(side)), abs(np.nan_to_num(along)))
    if fall > OIL_FALLS_KPA_S and g_now < LEAST_G and not missing:
        return Cause(
            "sensor",
            0.7,
            phrase(
                "fell by {} a second with {:.2f} g: faster than oil can, with nothing to throw it", in_kpa(fall), g_now
            ),
            side,
            along,
            None,
        )

    near_normal = _near_normal(dip, s, rpm, side, along)
    if near_normal is not None:
        return near_normal

    # Through minutes of turns, braking and straights alike no one g bares the pickup.
    lasting = dip.duration_s > _LONGER_THAN_A_TURN_S and not _one_way_throughout(dip, s)
    thrown = None if lasting else _thrown(dip, s, side, along)
    if missing and not (lasting and dip.duration_s > _LONGER_THAN_ANY_G_S):
        return _without_a_g(dip, s, thrown, rpm, side, along, missing)
    frothed = _frothed(dip, s, rpm, side, along, thrown) if not missing else None
    if frothed is not None:
        return frothed
    if thrown is not None:
        return thrown
    if lasting:
        words = (
            f"below the floor for {dip.duration_s:.0f} s on end, through turns, braking and straights alike: "
            "no g lasts so long"
        )
        return Cause("low_everywhere", 0.7, words, side, along, None)
    if rpm >= s.high_rpm:
        return Cause(
            "high_rpm",
            0.55,
            f"{rpm:.0f} rpm, the top of this session, with only {g_now:.2f} g before it",
            side,
            along,
            None,
        )
    why = f"only {g_now:.2f} g before it"
    return Cause(
        "unknown", 0.3, phrase("{}, {:.0f} rpm, and normal there is well above the floor", why, rpm), side, along, None
    )


_LONGER_THAN_A_TURN_S = 15.0
_LONGER_THAN_ANY_G_S = 60.0
_MOST_OF_IT = 0.6


def _one_way_throughout(dip: Dip, s: Signals) -> bool:
    """The oil is thrown one and the same way for most of a long dip, as on a banked oval."""
    inside = slice(dip.first, dip.last)
    ways = [sign * g[inside] for g in (s.lateral_g, s.longitudinal_g) if g is not None for sign in (1.0, -1.0)]
    return any(float(np.mean(way >= LEAST_G)) >= _MOST_OF_IT for way in ways)


def _without_a_g(
    dip: Dip, s: Signals, thrown: Cause | None, rpm: float, side: float, along: float, missing: tuple[Role, ...]
) -> Cause:
    """Without one of the two g, what it did is neither named nor ruled out.

    A launch from a standstill is the one exception: such a car does not corner. A turn near the limit of the tyres is
    none, though it
    leaves little grip for braking: it may have been over for seconds, and froth needs no g at all.
    """
    launched = any(start <= dip.start_s <= end for start, end in s.launches)
    if thrown is not None and thrown.name == "acceleration" and launched:
        reason = f"{thrown.reason}; no lateral g is known, and off the line a car does not corner"
        return replace(thrown, confidence=min(thrown.confidence, 0.8), reason=reason, needs=missing)
    names = " and ".join(role.words for role in missing)
    seen = f" ({thrown.reason})" if thrown is not None else ""
    return Cause(
        "unknown",
        0.3,
        f"without {names} it cannot be told which way the oil went{seen}; {rpm:.0f} rpm",
        side,
        along,
        None,
        needs=missing,
    )


def _frothed(dip: Dip, s: Signals, rpm: float, side: float, along: float, thrown: Cause | None) -> Cause | None:
    """Churning and air at high rpm: the rpm alone does it, and the g alone does not."""
    still = s.elsewhere.low_share_at_rpm_without_g(rpm)
    sags = still.enough and still.fraction_low > 0.30
    if thrown is None:
        if sags or (rpm >= s.high_rpm and not still.enough):
            return Cause("high_rpm", 0.8 if sags else 0.55, _froth_words(rpm, still), side, along, None)
        return None
    slower = s.elsewhere.low_share_at_g_below(rpm, np.nan_to_num(side), np.nan_to_num(along))
    harmless = slower.enough and slower.fraction_low < 0.10
    share = dip.told_share if dip.told_share is not None else 1.0
    explained = sags and share > still.median_share - 0.15
    if (explained and still.fraction_low > 0.6) or (sags and harmless):
        return Cause("high_rpm", 0.9 if harmless else 0.75, _froth_words(rpm, still), side, along, None)
    doubtful = not still.enough or still.fraction_low > 0.10 or thrown.name == "acceleration"
    if harmless and doubtful and rpm >= s.high_rpm:
        words = f"{rpm:.0f} rpm; as much g at lower rpm leaves the pressure at {slower.median_share:.0%} of normal"
        return Cause("high_rpm", 0.6, words, side, along, None)
    return None


def _froth_words(rpm: float, still: Counted) -> str:
    if not still.enough:
        return f"{rpm:.0f} rpm, the top of this session, with little g before it"
    return (
        f"{rpm:.0f} rpm; without g the pressure is also low there, {still.median_share:.0%} of normal: "
        "churning or air in the oil"
    )


def _near_normal(dip: Dip, s: Signals, rpm: float, side: float, along: float) -> Cause | None:
    """Normal itself lies at the floor: thin hot oil, or low everywhere."""
    inside = slice(dip.first, dip.last)
    expected = s.expected_kpa[inside]
    known = np.isfinite(expected)
    if s.level_share < 0.88:
        if s.temperature_c is None:
            return _heat_or_wear(f"settled running is at {s.level_share:.0%} of the earlier normal", side, along)
        share = median_known(s.pressure_kpa[inside] / expected) if known.any() else float("nan")
        if not np.isfinite(share) or share > s.level_share - 0.12:
            return Cause(
                "low_everywhere",
                0.85,
                f"settled running is at {s.level_share:.0%} of the earlier normal everywhere, not only here",
                side,
                along,
                None,
            )
        return None
    if not known.any():
        return None
    shares = s.pressure_kpa[inside] / expected
    share = median_known(shares)
    if float(np.nanpercentile(shares, 15)) < _NEAR_NORMAL or median_known(s.floor.kpa[inside] / expected) < 0.86:
        return None
    if _falls_locally(dip, s, shares) and _thrown(dip, s, side, along) is not None:
        return None
    temperature = median_known(s.temperature_c[inside]) if s.temperature_c is not None else float("nan")
    if np.isfinite(s.coolest_c) and np.isfinite(temperature):
        at_coolest = s.expected.at(s.rpm[inside], np.full(expected.shape, s.coolest_c))
        cool = median_known(at_coolest / s.floor.kpa[inside])
        if cool > 1.03 or temperature > 118.0:
            return Cause(
                "hot_oil",
                0.9 if cool > 1.08 else 0.7,
                phrase(
                    "pressure stays at {:.0%} of normal; at {} normal itself is down at the floor",
                    share,
                    in_celsius(temperature),
                ),
                side,
                along,
                None,
            )
        return Cause(
            "low_everywhere",
            0.7,
            f"pressure stays at {share:.0%} of normal, and normal lies at the floor at every temperature "
            "of this session",
            side,
            along,
            None,
        )
    return _heat_or_wear(f"pressure stays at {share:.0%} of normal", side, along)


def _heat_or_wear(seen: str, side: float, along: float) -> Cause:
    """Low, and no temperature that would tell thin oil from a loss."""
    reason = f"{seen}; without oil temperature heat cannot be told from wear"
    return Cause("unknown", 0.3, reason, side, along, None, needs=(Role.OIL_TEMP,))


def _falls_locally(dip: Dip, s: Signals, shares: FloatArray) -> bool:
    """The share of normal in the dip lies clearly under that of calm running just before and after it.

    The fit of normal is off by a few per cent here and there, but not from one second to the next.
    """
    around = window(s.time_s, dip.start_s - 20.0, dip.end_s + 20.0)
    g = np.zeros(around.stop - around.start)
    for values in (s.lateral_g, s.longitudinal_g):
        if values is not None:
            g = np.maximum(g, np.abs(values[around]))
    calm = (g < 0.3) & (s.rpm[around] > 1500.0)
    near = (s.pressure_kpa[around] / s.expected_kpa[around])[calm]
    near = near[np.isfinite(near)]
    if near.size < 20:
        return False
    return float(np.nanpercentile(shares, 20)) < 0.945 * float(np.median(near))


def held_before(dip: Dip, s: Signals) -> list[_Held]:
    """The g held each way in the second before the crossing, weighed by when the oil would have answered to it; the
    largest first."""
    candidates: list[tuple[str, FloatArray, float, str]] = []
    if s.lateral_g is not None:
        candidates += [("left_turn", s.lateral_g, 1.0, "left turn"), ("right_turn", s.lateral_g, -1.0, "right turn")]
    if s.longitudinal_g is not None:
        candidates += [
            ("braking", s.longitudinal_g, -1.0, "braking"),
            ("acceleration", s.longitudinal_g, 1.0, "acceleration"),
        ]
    before = window(s.time_s, dip.start_s - _LEAD_S, dip.start_s)
    # The pipe and pump pass on what the pickup drew a tenth of a second ago; the surface holds the g of its memory.
    age = dip.start_s - s.time_s[before]
    memory = s.elsewhere.memory_s
    weight = np.exp(-(((age - 0.1 - memory / 2) / (memory / 2)) ** 2) / 2)
    weight /= max(float(weight.sum()), 1e-9)
    held = [(sign * float(weight @ g[before]), name, g, sign, words) for name, g, sign, words in candidates]
    return sorted(held, key=lambda h: h[0], reverse=True)


def _thrown(dip: Dip, s: Signals, side: float, along: float) -> Cause | None:
    """The oil thrown to one side or end, judged by the larger g held before the crossing."""
    held = held_before(dip, s)
    if not held:
        return None
    if held[0][0] < LEAST_G:
        return None
    pulls = _pulls(s, held, dip.start_s)
    if len(held) > 1 and held[1][0] >= LEAST_G and _second_explains_better(s.elsewhere, held[0], held[1], pulls):
        held[0], held[1] = held[1], held[0]
    best, name, g, sign, words = held[0]
    second = held[1][0] if len(held) > 1 else 0.0
    confidence = float(np.clip(0.5 + 0.5 * (best - max(second, 0.0)) / best, 0.5, 0.98))
    felt_g, pull = pulls.get(held[1][1], (0.0, 0.0)) if len(held) > 1 else (0.0, 0.0)
    # The second direction did a good part of what bared the pickup: felt, just then, in a way that matters to this pan.
    helped = felt_g >= _HELPS_G and pull >= _HELPS_SHARE * (pull + pulls[name][1])
    before = window(s.time_s, dip.start_s - _LEAD_S, dip.start_s)
    back = window(s.time_s, dip.start_s - 6.0, dip.start_s + 0.05)
    lag = _lag(s.time_s[back], sign * g[back], dip.start_s)
    most = _most_held(s.time_s[before], sign * g[before])
    also = f"; {'together' if helped else ''} with {held[1][4]} {second:.2f} g" if helped or second > 0.6 * best else ""
    timing = f", {lag:.1f} s after it built up" if lag is not None else ""
    reason = phrase("{} {:.2f} g before it{}{}", words, most, timing, also.replace(";  ", "; "))
    return Cause(
        name=name,
        confidence=confidence,
        reason=reason,
        lateral_g=side,
        longitudinal_g=along,
        lag_s=lag,
        held_g=most,
        together_with=held[1][1] if helped else "",
    )


def _pulls(s: Signals, held: Sequence[_Held], start_s: float) -> dict[str, tuple[float, float]]:
    """By direction, what the oil feels when the pickup is bared, and that by how much it matters to this pan."""
    if s.felt is None:
        return {}
    at = window(s.time_s, start_s - _PIPE_S - 0.2, start_s - _PIPE_S)
    side, along = (float(g[at].mean()) for g in s.felt)
    ways = {"left_turn": side, "right_turn": -side, "braking": -along, "acceleration": along}
    return {name: (max(ways[name], 0.0), max(ways[name], 0.0) * s.elsewhere.pull[name]) for _, name, *_rest in held}


def _second_explains_better(
    elsewhere: Elsewhere, first: _Held, second: _Held, pulls: Mapping[str, tuple[float, float]]
) -> bool:
    """Combined g: the smaller one pulls the oil harder in this pan, or what the larger one does alone elsewhere is
    harmless."""
    if pulls and pulls[second[1]][1] > _CLEARLY * pulls[first[1]][1]:
        return True
    alone = elsewhere.low_share_thrown_one_way(first[1], first[0])
    if not alone.enough or alone.fraction_low > 0.10:
        return False
    other = elsewhere.low_share_thrown_one_way(second[1], max(second[0], LEAST_G))
    return not other.enough or other.fraction_low > alone.fraction_low + 0.05


def _most_held(time_s: FloatArray, g: FloatArray) -> float:
    """The largest mean of g over 0.3 s; arrays of shape (k,)."""
    if g.size < 2:
        return float(g.max(initial=0.0))
    step = float(np.median(np.diff(time_s)))
    return float(rolling_mean(g, max(1, round(0.3 / step))).max())


def _lag(time_s: FloatArray, g: FloatArray, start_s: float) -> float | None:
    """Seconds from the g reaching 70 % of its peak of the last 2 s to the crossing at ``start_s``; None where it was up
    all along.

    Counted from the rise that led to the peak, also when the g has let up again since.
    """
    lately = np.flatnonzero((time_s >= start_s - 2.0) & (time_s <= start_s))
    if lately.size == 0 or float(g[lately].max()) <= 0:
        return None
    top = int(lately[np.argmax(g[lately])])
    under = np.flatnonzero(g[:top] < 0.7 * g[top])
    if not under.size:
        return None  # it was held for longer than was looked back: when it built up is not known
    first = int(under[-1]) + 1
    return max(0.0, start_s - float(time_s[first]))


def fastest_fall(s: Signals, dip: Dip) -> float:
    part = slice(max(0, dip.first - 3), min(dip.lowest + 1, s.time_s.size))
    p, t = s.pressure_kpa[part], s.time_s[part]
    if p.size < 2:
        return 0.0
    fall = -np.diff(p) / np.maximum(np.diff(t), 1e-6)
    return float(np.nanmax(fall)) if np.isfinite(fall).any() else 0.0


def window(time_s: FloatArray, start: float, end: float) -> slice:
    first = int(np.searchsorted(time_s, start))
    last = int(np.searchsorted(time_s, end, side="right"))
    return slice(min(first, max(last - 1, 0)), max(last, 1))
