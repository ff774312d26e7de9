"""A trial judged: two sides, matched passes, the effect with its interval, and the verdict in a sentence."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from basso.analysis import Analysis
from basso.findings.corners.passes import Pass, ReadAlike, passes_of, read_alike
from basso.pressure.exposure import SHARES
from basso.recording.drive import same_log
from basso.sentence import in_celsius, in_degrees, in_kpa, phrase
from basso.track.alignment import align
from basso.track.corners import Place, TrackMap
from basso.trial.control import NOTICED_KPA, Control, control_of, over_control
from basso.trial.effect import Effect, estimate_effect

Verdict = Literal["better", "worse", "no_clear_change", "not_comparable"]
LEAST_LAPS = 2
"""Fewer complete warm laps than this a side are no proof of anything: they are only shown side by side."""
_FEW_LAPS = 4
"""With fewer a side a verdict is only given where the effect stands clear of the spread between laps."""
_TEMPERATURE_REACH_C = 3.0
"""Oil temperatures further apart than this are not held against each other."""
TAKES_IN_NONE = "the interval takes in no change"
TOO_SMALL = "the change is smaller than sensors and straights differ by"
_TOO_WIDE_KPA = 50.0
"""A single place whose interval reaches further than this to either side tells nothing."""
_LEAST_EFFECT_KPA = 6.0
"""A change smaller than this is within what sensors and straights disagree by anyway."""


@dataclass(frozen=True, slots=True)
class Conditions:
    """Under what conditions a side was driven: 5th, 50th and 95th percentile of its passes, None when not logged."""

    oil_temp_c: tuple[float, float, float] | None
    rpm: tuple[float, float, float] | None
    peak_g: tuple[float, float, float] | None
    lap_time_s: float | None


@dataclass(frozen=True, slots=True, eq=False)
class Side:
    """One side of a trial: a label, its judged logs, its complete laps and passes."""

    label: str
    analyses: tuple[Analysis, ...]
    laps: int
    passes: tuple[Pass, ...]
    conditions: Conditions


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


@dataclass(frozen=True, slots=True)
class Likeness:
    """How like the two sides were in one respect."""

    what: str
    finding: str
    state: Literal["matched", "adjusted", "fair", "not matched", "not known"]


@dataclass(frozen=True, slots=True, eq=False)
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


def compare(
    label_a: str, a: Sequence[Analysis], label_b: str, b: Sequence[Analysis], repeated: Sequence[str] = ()
) -> Comparison:
    """Compare before (A) with after (B); both judged against the same normal and floor.

    ``repeated`` says which logs were left out because they repeat another; it is told with the reasons.

    The seam for the full trial: planning, more measures and corner identity come with their own step.
    """
    tracks = [x.track for x in (*a, *b)]
    blocked = _blocking(a, b)
    reference = next((t for t in tracks if t is not None), None)
    places = tuple(p for p in reference.places if p.loaded) if reference is not None else ()
    alike = _alike((*a, *b), reference)
    side_a = _side(label_a, a, reference, 0, alike)
    side_b = _side(label_b, b, reference, 1, alike)
    likeness = _likeness(side_a, side_b)
    if alike is not None:
        likeness = (*likeness, _readings(a, b))
    control = control_of(a, b) if not blocked else None
    if control is not None:
        likeness = _with_control(likeness, control)
    if not blocked:
        blocked = _unlike(side_a, side_b, likeness)
    over = _dip_prone(places, side_a, side_b)
    corners = tuple(_row(p, side_a, side_b, control) for p in places)
    exceedance = (_exceedance(side_a), _exceedance(side_b))
    if blocked:
        return Comparison(
            side_a,
            side_b,
            "not_comparable",
            (*blocked, *repeated),
            over,
            None,
            None,
            None,
            corners,
            None,
            control,
            likeness,
            *exceedance,
            (),
        )
    ids = {p.id for p in over}
    passes = [p for p in (*side_a.passes, *side_b.passes) if p.place in ids]
    by_share = all(np.isfinite(p.min_share) for p in passes)
    lowest = np.array([p.min_pressure_kpa for p in passes])
    kpa = estimate_effect(passes, lowest, heat=_heat_slope((*a, *b)))
    share = estimate_effect(passes, np.array([p.min_share for p in passes])) if by_share else None
    gap = _apart_c(side_a, side_b)
    if control is not None and kpa is not None:
        level = float(np.mean(lowest))
        kpa = _widened(over_control(kpa, control, level), gap)
        share = over_control(share, control, level, in_share=True) if share is not None else None
    below = estimate_effect(passes, np.array([p.below_s for p in passes]))
    others = [p for p in (*side_a.passes, *side_b.passes) if p.place not in ids]
    rest = estimate_effect(others, np.array([p.min_pressure_kpa for p in others])) if others else None
    if rest is not None and control is not None:
        rest = over_control(rest, control, float(np.mean([p.min_pressure_kpa for p in others])))
    verdict, reasons = _judge(kpa, share, over, control, gap)
    matched = tuple(name for name in ("oil_temp_c", "rpm", "peak_g") if getattr(side_a.conditions, name) is not None)
    return Comparison(
        side_a,
        side_b,
        verdict,
        (*reasons, *repeated),
        over,
        kpa,
        share,
        below,
        corners,
        rest,
        control,
        likeness,
        *exceedance,
        matched,
    )


def _alike(analyses: Sequence[Analysis], reference: TrackMap | None) -> ReadAlike | None:
    """How the passes of both sides are read where a sensor shakes in one of them; None where the readings of all are exact."""
    if reference is None:
        return None
    places = [p for p in reference.places if p.loaded]
    laid = [(x, align(reference.shape, x.track.shape).shift_m) for x in analyses if x.track is not None]
    return read_alike(laid, places, reference.length_m)


def _side(
    label: str, analyses: Sequence[Analysis], reference: TrackMap | None, which: int, alike: ReadAlike | None
) -> Side:
    passes: list[Pass] = []
    for log, x in enumerate(analyses):
        if reference is not None and x.track is not None:
            laid = align(reference.shape, x.track.shape)
            places = [p for p in reference.places if p.loaded]
            passes += passes_of(x, places, reference.length_m, which, log, laid.shift_m, alike)
    laps = sum(lap.complete for x in analyses for lap in x.laps)
    times = [lap.time_s for x in analyses for lap in x.laps if lap.complete]

    def spread(values: list[float]) -> tuple[float, float, float] | None:
        known = np.array([v for v in values if np.isfinite(v)])
        if known.size == 0:
            return None
        low, middle, high = np.percentile(known, [5, 50, 95])
        return float(low), float(middle), float(high)

    conditions = Conditions(
        spread([p.temperature_c for p in passes]),
        spread([p.rpm for p in passes]),
        spread([p.peak_g for p in passes]),
        float(np.median(times)) if times else None,
    )
    return Side(label, tuple(analyses), laps, tuple(passes), conditions)


def _blocking(a: Sequence[Analysis], b: Sequence[Analysis]) -> list[str]:
    """What makes two sides not comparable before a single figure is looked at."""
    for label, side in (("A", a), ("B", b)):
        for x in side:
            if not x.judgeable:
                missing = next(c.message for c in x.checks if c.level == "fail")
                return [f"{x.recording.path.name} on side {label} cannot be judged: {missing}"]
            fails = [
                c
                for c in x.checks
                if c.level == "fail" and (c.correction is None or (c.offered and not x.puts_right(c)))
            ]
            if fails:
                return [f"{x.recording.path.name} on side {label} cannot be trusted: {fails[0].message}"]
    counts = [sum(lap.complete for x in side for lap in x.laps) for side in (a, b)]
    if min(counts) < LEAST_LAPS:
        return [
            f"{_laps(counts[0])} on side A and {_laps(counts[1])} on side B: one lap is no proof, since nothing tells how far laps spread; "
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


def _unlike(a: Side, b: Side, likeness: Sequence[Likeness]) -> list[str]:
    if not a.passes or not b.passes:
        return ["no warm passes through any corner are left on one side"]
    ta, tb = a.conditions.oil_temp_c, b.conditions.oil_temp_c
    if (ta is None) != (tb is None):
        return ["one side has no oil temperature, so the sides cannot be matched"]
    if ta is not None and tb is not None and _apart_c(a, b) > _TEMPERATURE_REACH_C:
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
    if ga is not None and gb is not None and abs(ga[1] / gb[1] - 1.0) > 0.15:
        return [
            f"the cornering is not alike, {ga[1]:.2f} g against {gb[1]:.2f} g: wet against dry, other tyres or traffic"
        ]
    straights = next((x for x in likeness if x.what == "Straights agree"), None)
    if straights is not None and straights.state == "not matched":
        return [
            f"the straights disagree by {straights.finding}: the sensor, its zero, the oil or the engine changed too"
        ]
    return []


def _likeness(a: Side, b: Side) -> tuple[Likeness, ...]:
    rows: list[Likeness] = []
    ta, tb = a.conditions.oil_temp_c, b.conditions.oil_temp_c
    if ta is not None and tb is not None:
        apart = tb[1] - ta[1]
        state: Literal["matched", "adjusted"] = "matched" if abs(apart) < 3.0 else "adjusted"
        rows.append(
            Likeness(
                "Oil temperature",
                phrase("{:bare}–{:bare} against {:bare}–{}", *map(in_celsius, (ta[0], ta[2], tb[0], tb[2]))),
                state,
            )
        )
    else:
        why = "not logged" if a.passes and b.passes else "no passes on one side"
        rows.append(Likeness("Oil temperature", why, "not known"))
    na, nb = a.conditions.rpm, b.conditions.rpm
    if na is not None and nb is not None:
        apart = nb[1] - na[1]
        rows.append(
            Likeness(
                "Engine speed", f"{apart:+.0f} rpm".replace("-", "−"), "matched" if abs(apart) < 100 else "adjusted"
            )
        )
    ga, gb = a.conditions.peak_g, b.conditions.peak_g
    if ga is not None and gb is not None:
        rows.append(
            Likeness(
                "g held", f"{ga[1]:.2f} against {gb[1]:.2f} g", "matched" if abs(ga[1] - gb[1]) < 0.03 else "adjusted"
            )
        )
    rows.append(_straights(a, b))
    pa, pb = a.conditions.lap_time_s, b.conditions.lap_time_s
    if pa is not None and pb is not None:
        apart = pb - pa
        rows.append(
            Likeness(
                "Pace",
                f"{abs(apart):.1f} s {'slower' if apart > 0 else 'quicker'}",
                "matched" if abs(apart) < 0.01 * pa else "fair",
            )
        )
    return tuple(rows)


def _laps(n: int) -> str:
    return f"{n or 'no'} complete lap{'' if n == 1 else 's'}"


def _apart_c(a: Side, b: Side) -> float:
    """By how many °C the oil temperatures of the sides miss each other; 0 where they share some or are not logged."""
    heat = [np.array([p.temperature_c for p in side.passes if np.isfinite(p.temperature_c)]) for side in (a, b)]
    if not heat[0].size or not heat[1].size:
        return 0.0
    return float(max(heat[0].min() - heat[1].max(), heat[1].min() - heat[0].max(), 0.0))


def _heat_slope(analyses: Sequence[Analysis]) -> float:
    """By how much normal falls for 1 °C, at the places where it was driven; 0 where no normal tells."""
    slopes = []
    for x in analyses:
        if x.temperature_c is None or not x.expected.valid:
            continue
        use = np.flatnonzero(x.judged)[:: max(1, int(x.judged.sum()) // 2000)]
        hotter = x.expected.at(x.rpm[use], x.temperature_c[use] + 1.0) - x.expected.at(x.rpm[use], x.temperature_c[use])
        slopes.append(float(np.nanmedian(hotter)) if np.isfinite(hotter).any() else 0.0)
    return float(np.mean(slopes)) if slopes else 0.0


def _widened(effect: Effect, gap_c: float) -> Effect:
    """An interval widened by what an extrapolation over temperatures that no side shares may be off."""
    if gap_c <= 0.0:
        return effect
    more = gap_c * max(abs(effect.per_degree), 1.0)
    return replace(effect, low=effect.low - more, high=effect.high + more)


def _with_control(rows: tuple[Likeness, ...], control: Control) -> tuple[Likeness, ...]:
    """The straights as calm running on both sides has them, where it tells."""
    if not control.known:
        return rows
    apart = abs(control.share)
    state: Literal["matched", "fair", "not matched"] = (
        "matched" if apart < 0.02 else "fair" if apart < 0.10 else "not matched"
    )
    return tuple(Likeness(r.what, f"{apart:.1%}", state) if r.what == "Straights agree" else r for r in rows)


def _readings(a: Sequence[Analysis], b: Sequence[Analysis]) -> Likeness:
    """How far single readings are off on each side; said only where it matters."""
    off = [max(float(np.median(x.error.kpa)) for x in side) for side in (a, b)]
    words = phrase("± {:bare} against ± {}, read alike", in_kpa(off[0]), in_kpa(off[1]))
    return Likeness("Single readings", words, "adjusted")


def _straights(a: Side, b: Side) -> Likeness:
    """Settled running must show the same share of a common normal on both sides: else something else changed."""
    levels = []
    for side in (a, b):
        ratios = [x.share[x.settled & x.judged] for x in side.analyses]
        joined = np.concatenate(ratios) if ratios else np.empty(0)
        joined = joined[np.isfinite(joined)]
        levels.append(float(np.median(joined)) if joined.size >= 30 else float("nan"))
    apart = levels[1] - levels[0]
    if not np.isfinite(apart):
        return Likeness("Straights agree", "too few to tell", "not known")
    return Likeness(
        "Straights agree",
        f"{abs(apart):.1%}",
        "matched" if abs(apart) < 0.04 else "fair" if abs(apart) < 0.10 else "not matched",
    )


def _dip_prone(places: Sequence[Place], a: Side, b: Side) -> tuple[Place, ...]:
    """Places where either side was below the floor in a fifth of its passes; else the three lowest shares."""

    def dip_share(side: Side, place: Place) -> float:
        mine = [p for p in side.passes if p.place == place.id]
        return sum(p.below_s > 0 for p in mine) / len(mine) if mine else 0.0

    usable = [p for p in places if all(any(q.place == p.id for q in s.passes) for s in (a, b))]
    prone = [p for p in usable if max(dip_share(a, p), dip_share(b, p)) >= 0.2]
    if prone:
        return tuple(prone)

    def level(place: Place) -> float:
        return float(
            np.median(
                [
                    q.min_share if np.isfinite(q.min_share) else q.min_pressure_kpa
                    for q in (*a.passes, *b.passes)
                    if q.place == place.id
                ]
            )
        )

    return tuple(sorted(sorted(usable, key=level)[:3], key=lambda p: p.apex_m))


def _row(place: Place, a: Side, b: Side, control: Control | None) -> CornerRow:
    mine_a = [p for p in a.passes if p.place == place.id]
    mine_b = [p for p in b.passes if p.place == place.id]
    both = [*mine_a, *mine_b]
    lowest = np.array([p.min_pressure_kpa for p in both])
    effect = estimate_effect(both, lowest) if both else None
    if effect is not None and control is not None:
        effect = over_control(effect, control, float(np.mean(lowest)))
    if effect is not None and effect.high - effect.low > 2.0 * _TOO_WIDE_KPA:
        effect = None
    return CornerRow(
        place,
        float(np.mean([p.min_pressure_kpa for p in mine_a])) if mine_a else None,
        float(np.mean([p.min_pressure_kpa for p in mine_b])) if mine_b else None,
        effect,
        len(mine_a),
        len(mine_b),
        sum(p.below_s > 0 for p in mine_a) / max(len(mine_a), 1),
        sum(p.below_s > 0 for p in mine_b) / max(len(mine_b), 1),
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


def _judge(
    kpa: Effect | None, share: Effect | None, over: Sequence[Place], control: Control | None, gap_c: float
) -> tuple[Verdict, tuple[str, ...]]:
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
    agree_up = share is None or share.estimate > 0
    agree_down = share is None or share.estimate < 0
    verdict: Verdict | None = None
    if kpa.low > 0 and kpa.estimate >= _LEAST_EFFECT_KPA and agree_up:
        verdict = "better"
    elif kpa.high < 0 and kpa.estimate <= -_LEAST_EFFECT_KPA and agree_down:
        verdict = "worse"
    if few and verdict is not None:
        reasons.append("few laps: the interval is that of so few, and the effect stands clear of it")
    elif few:
        few_words = f"{kpa.laps_a} laps against {kpa.laps_b}: the change does not stand clear of the spread of so few"
        return "not_comparable", (few_words, *reasons)
    if verdict is not None:
        return verdict, tuple(reasons)
    return "no_clear_change", (*reasons, TAKES_IN_NONE if kpa.low <= 0 <= kpa.high else TOO_SMALL)


def _control_words(control: Control | None) -> list[str]:
    """What calm running, which the change cannot touch, says of the two sides."""
    if control is None:
        return []
    unproven = (
        ""
        if control.zeros_proven
        else "the sensor's zero is not proven on both sides (no stretch with the engine stopped)"
    )
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
