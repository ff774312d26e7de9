"""The two sides of a trial, and how like they were: what was matched, adjusted for, or cannot be held against each
other."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from basso.analysis import Analysis
from basso.findings.corners.passes import Pass, ReadAlike, passes_of, read_alike
from basso.sentence import in_celsius, in_kpa, phrase
from basso.track.alignment import align
from basso.track.corners import Place, TrackMap
from basso.trial.control import Control

_DIP_PRONE = 0.2
"""Of the passes of either side below the floor: from then on the change is judged at a place."""
_STRAIGHTS_MATCHED, _STRAIGHTS_FAIR = 0.04, 0.10
_CONTROL_MATCHED = 0.02


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
class Likeness:
    """How like the two sides were in one respect."""

    what: str
    finding: str
    state: Literal["matched", "adjusted", "fair", "not matched", "not known"]


def read_alike_of(sides: Sequence[Sequence[Analysis]], reference: TrackMap | None) -> ReadAlike | None:
    """How the passes of each side are read where a sensor shakes in one of them; None where the readings of all are
    exact."""
    if reference is None:
        return None
    places = [p for p in reference.places if p.loaded]
    laid = [[(x, align(reference.shape, x.track.shape).shift_m) for x in side if x.track is not None] for side in sides]
    return read_alike(laid, places, reference.length_m)


def side_of(
    label: str, analyses: Sequence[Analysis], reference: TrackMap | None, which: int, alike: ReadAlike | None
) -> Side:
    """One side: its passes through the places of ``reference``, read alike, and the conditions it was driven in."""
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


def likeness_of(a: Side, b: Side) -> tuple[Likeness, ...]:
    """Oil temperature, engine speed, g, straights and pace of both sides."""
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
    rows.append(straights_of(a, b))
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


def heat_slope(analyses: Sequence[Analysis]) -> float | None:
    """By how much normal falls for 1 °C, at the places where it was driven; None where no normal tells."""
    slopes = []
    for x in analyses:
        if x.temperature_c is None or not x.expected.valid:
            continue
        use = np.flatnonzero(x.judged)[:: max(1, int(x.judged.sum()) // 2000)]
        hotter = x.expected.at(x.rpm[use], x.temperature_c[use] + 1.0) - x.expected.at(x.rpm[use], x.temperature_c[use])
        if np.isfinite(hotter).any():
            slopes.append(float(np.nanmedian(hotter)))
    return float(np.mean(slopes)) if slopes else None


def apart_c(a: Side, b: Side) -> float:
    """By how many °C the oil temperatures of the sides miss each other; 0 where they share some or are not logged."""
    heat = [np.array([p.temperature_c for p in side.passes if np.isfinite(p.temperature_c)]) for side in (a, b)]
    if not heat[0].size or not heat[1].size:
        return 0.0
    return float(max(heat[0].min() - heat[1].max(), heat[1].min() - heat[0].max(), 0.0))


def with_control(rows: tuple[Likeness, ...], control: Control) -> tuple[Likeness, ...]:
    """The straights as calm running on both sides has them, where it tells."""
    if not control.known:
        return rows
    apart = abs(control.share)
    state: Literal["matched", "fair", "not matched"] = (
        "matched" if apart < _CONTROL_MATCHED else "fair" if apart < _STRAIGHTS_FAIR else "not matched"
    )
    return tuple(Likeness(r.what, f"{apart:.1%}", state) if r.what == "Straights agree" else r for r in rows)


def readings_of(a: Sequence[Analysis], b: Sequence[Analysis]) -> Likeness:
    """How far single readings are off on each side; said only where it matters."""
    off = [max(float(np.median(x.error.kpa)) for x in side) for side in (a, b)]
    words = phrase("± {:bare} against ± {}, read alike", in_kpa(off[0]), in_kpa(off[1]))
    return Likeness("Single readings", words, "adjusted")


def straights_of(a: Side, b: Side) -> Likeness:
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
        "matched" if abs(apart) < _STRAIGHTS_MATCHED else "fair" if abs(apart) < _STRAIGHTS_FAIR else "not matched",
    )


_AT_ONCE_S, _AS_LOW_KPA, _AT_THE_END = 0.2, 2.0, 0.25
"""A low is the next place's where that begins within so long of this one's end, is no more than so much higher, and
this one is lowest in its last part (default)."""


def dip_prone(places: Sequence[Place], a: Side, b: Side) -> tuple[Place, ...]:
    """Places where either side was below the floor in a fifth of its passes; else the three lowest shares. Not those
    whose low is that of the place after them: one dip counts once."""
    led = {p.id for p in places if _leads_on(p, (*a.passes, *b.passes))}
    places = [p for p in places if p.id not in led]

    def dip_share(side: Side, place: Place) -> float:
        mine = [p for p in side.passes if p.place == place.id]
        return sum(p.below_s > 0 for p in mine) / len(mine) if mine else 0.0

    usable = [p for p in places if all(any(q.place == p.id for q in s.passes) for s in (a, b))]
    prone = [p for p in usable if max(dip_share(a, p), dip_share(b, p)) >= _DIP_PRONE]
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


def _leads_on(place: Place, passes: Sequence[Pass]) -> bool:
    """Whether most passes of a place are lowest where the next place has begun already and is as low or lower."""
    by_lap: dict[tuple[int, int, int], list[Pass]] = {}
    for p in passes:
        by_lap.setdefault(p.lap_key, []).append(p)
    mine = [p for p in passes if p.place == place.id]
    led = [
        p
        for p in mine
        if any(
            p.start_s < q.start_s <= p.end_s + _AT_ONCE_S and q.min_pressure_kpa <= p.min_pressure_kpa + _AS_LOW_KPA
            for q in by_lap[p.lap_key]
            if q.place != p.place
        )
        and p.time_s >= p.end_s - _AT_THE_END * (p.end_s - p.start_s)
    ]
    return 2 * len(led) > len(mine)
