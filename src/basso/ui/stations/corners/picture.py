"""What the Corners station draws and says, worked out without Qt: the ladder, the thresholds, the sentences, the
table."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from basso.pressure.floors import Share
from basso.recording.roles import Role
from basso.track.runs import run_words
from basso.ui.stations.working import WorkingStep
from basso.units import DisplayUnits, FloatArray, Quantity
from basso.words.corners import held_up_words, place_words, run_row_words, runs_words, threshold_words
from basso.words.opening import Opening
from basso.words.session import when_words

if TYPE_CHECKING:
    from basso.findings.corners.findings import CornerFindings, PlaceFinding

_OFTEN = 0.5
_NO_G = "No g to throw the oil: what these show is under Normal."


@dataclass(frozen=True, slots=True)
class Rung:
    """One lap's lowest in a place: share of normal, the lap, when; ``below`` the floor."""

    share: float
    lap: int
    time_s: float
    below: bool


@dataclass(frozen=True, slots=True)
class LadderRow:
    """A place: its name, what it is, its rungs in order of laps; ``low`` where it dips in most laps."""

    id: str
    name: str
    words: str
    rungs: tuple[Rung, ...]
    low: bool


@dataclass(frozen=True, slots=True)
class Ladder:
    """The pass ladder. ``low``, ``high``: ends of its axis, shares of normal; ``lines``: floors that are a share of
    normal."""

    rows: tuple[LadderRow, ...]
    low: float
    high: float
    lines: tuple[float, ...]


def ladder(told: CornerFindings) -> Ladder:
    """A row for each place, a rung for each lap."""
    rows = []
    for p in told.places:
        rungs = tuple(
            Rung(x.min_share, x.lap_key[2], x.time_s, x.below_s > 0.0) for x in p.passes if math.isfinite(x.min_share)
        )
        rows.append(
            LadderRow(p.place.id, p.place.label, place_words(p), rungs, p.dips >= _OFTEN * max(len(p.passes), 1))
        )
    rows += _run_rows(told)
    shares = [r.share for row in rows for r in row.rungs]
    low = min([0.6, *shares])
    lines = tuple(f.fraction for f in told.analysis.options.floors if isinstance(f, Share))
    return Ladder(tuple(rows), math.floor(low * 10.0 - 0.2) / 10.0, max([1.05, *shares]) + 0.03, lines)


RUN_IDS = {
    "launch": "La",
    "stop": "St",
    "straight pass": "Pa",
    "hill climb": "Hi",
    "dyno sweep": "Dy",
    "cold start": "Co",
}
"""How the ladder calls a kind of run, short as a place's number."""


def _run_rows(told: CornerFindings) -> list[LadderRow]:
    """A row for each kind of run, a rung for each: of all kinds where there are no laps, else of those that dip."""
    rows = []
    for kind, row_id in RUN_IDS.items():
        own = [r for r in told.runs if r.run.kind == kind and math.isfinite(r.min_share)]
        low = sum(r.below_s > 0.0 for r in own)
        if not own or (told.places and not low):
            continue
        rungs = tuple(Rung(r.min_share, r.run.number, r.time_s, r.below_s > 0.0) for r in own)
        rows.append(LadderRow(row_id, kind, run_row_words(kind, own), rungs, low >= _OFTEN * len(own)))
    return rows


def opening(told: CornerFindings, units: DisplayUnits) -> Opening:
    """Where it happens, from which g on, and what to do next."""
    thresholds = " ".join(w for t in told.thresholds if (w := threshold_words(t, told.analysis.side)))
    if not told.places:
        runs = runs_words(told)
        dips = len(told.analysis.dips)
        if told.runs:
            kinds = [r.run.kind for r in told.runs]
            counts = [run_words(kind, kinds.count(kind)) for kind in RUN_IDS if kind in kinds]
            return Opening(f"No laps, but runs: {', '.join(counts)}", f"{runs} {thresholds} {_no_g(told)}".strip())
        return Opening(
            "No laps to find corners on" + (f"; {dips} dips stand under Dips" if dips else ""),
            f"{thresholds} Corners need laps: a lap column, GPS, or a few laps of speed and g. "
            f"{_missing_g(told)}".strip(),
        )
    if (
        all(p.dips >= _OFTEN * len(p.passes) for p in told.places if p.passes)
        and np.nanmedian([p.lowest for p in told.places]) > 0.9
    ):
        return Opening(
            "Below the floor everywhere: normal itself is under it, not the corners",
            f"{thresholds} Look under Normal: hotter or thinner oil, or a floor this engine cannot hold.",
        )
    often = [p for p in told.ranked if p.dips >= _OFTEN * len(p.passes)]
    if not often:
        some = f": {len(told.ranked)} places dip now and then" if told.ranked else ""
        return Opening(f"No place dips in most laps{some}", f"{thresholds} {_lean_words(told, units)}".strip())
    at, side = {p.place.kind for p in often}, told.analysis.side
    clear = [
        w
        for kind, w in (("left", side.turns("left")), ("right", side.turns("right")), ("braking", "braking zones"))
        if kind not in at and not (kind == "braking" and told.analysis.longitudinal_g is None)
    ]
    corners, zones = [p for p in often if p.place.is_corner], [p for p in often if not p.place.is_corner]
    places = [w for w in (f"in {_named(corners)}" if corners else "", f"under {_named(zones)}" if zones else "") if w]
    title = f"Oil is lost {' and '.join(places)}."
    if clear:
        clean = _listed([w[:1].lower() + w[1:] for w in clear])
        title += f" {clean[:1].upper()}{clean[1:]} are clean."
    said = (
        thresholds,
        _missing_g(told),
        _when_words(told, units),
        _lean_words(told, units),
        held_up_words(told),
        _test_words(told),
    )
    return Opening(title, " ".join(w for w in said if w))


def _no_g(told: CornerFindings) -> str:
    return _missing_g(told) or (_NO_G if told.rose is None else "")


def _missing_g(told: CornerFindings) -> str:
    """What cannot be told for want of a g; "" where both are there."""
    a = told.analysis
    pairs = ((Role.LATERAL_G, a.lateral_g), (Role.LONGITUDINAL_G, a.longitudinal_g))
    missing = " and ".join(role.words for role, g in pairs if g is None)
    return (
        f"From which g on the pressure falls, and which way the oil went, cannot be told without {missing}."
        if missing
        else ""
    )


def _named(places: list[PlaceFinding]) -> str:
    """ "left turns 2, 4 and 6", "braking at B3"."""
    if not places:
        return ""
    if not places[0].place.is_corner:
        ids = [p.place.id for p in sorted(places, key=lambda p: p.place.apex_m)]
        return f"braking at {_listed(ids)}"
    parts = []
    for kind in ("left", "right"):
        ids = [p.place.id for p in sorted(places, key=lambda p: p.place.apex_m) if p.place.kind == kind]
        if ids:
            way = next(p.place.way for p in places if p.place.kind == kind)
            turns = f"turn{'s' if len(ids) > 1 else ''} {_listed(ids)}"
            parts.append(f"{way} {turns}" if way == kind else f"{turns} {way}")
    return _listed(parts)


def _listed(words: list[str]) -> str:
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}"


def _lean_words(told: CornerFindings, units: DisplayUnits) -> str:
    lean = [p for p in told.places if p.lean_per_lap is not None]
    worst = min(lean, key=lambda p: p.lean_per_lap or 0.0, default=None)
    if worst is None or worst.lean_per_lap is None or worst.lean_per_lap >= 0:
        return ""
    heat = [p.temperature_c for p in worst.passes]
    warmer = (
        f", as the oil warms from {units.number(heat[0], Quantity.TEMPERATURE)} to "
        f"{units.text(heat[-1], Quantity.TEMPERATURE)}"
        if heat and heat[-1] - heat[0] > 4.0
        else ""
    )
    return (
        f"{worst.place.label[:1].upper()}{worst.place.label[1:]} falls by {-100.0 * worst.lean_per_lap:.1f} "
        f"% a lap{warmer}."
    )


def _when_words(told: CornerFindings, units: DisplayUnits) -> str:
    """Places that dip only from a lap or a temperature on."""
    late = [
        p
        for p in told.ranked
        if p.pattern is not None and (p.pattern.from_lap is not None or p.pattern.above_c is not None)
    ]
    parts = []
    for p in late[:2]:
        assert p.pattern is not None
        parts.append(f"{p.place.label} {when_words(p.pattern.from_lap, p.pattern.above_c, units)}")
    words = "; ".join(parts)
    return f"{words[:1].upper()}{words[1:]}." if words else ""


def _test_words(told: CornerFindings) -> str:
    test = told.test_place
    if test is None:
        return ""
    often = [p for p in told.ranked if p.dips >= _OFTEN * len(p.passes)]
    others = [p.place.kind for p in often if p.place.kind != test.place.kind]
    missed = f"; it does not cover {_listed(list(dict.fromkeys(others)))}" if others else ""
    return f"Test a change on {test.place.label}, {test.dips} of {len(test.passes)} laps below the floor{missed}."


def circuit_words(told: CornerFindings) -> str:
    """Whose map it is, and what it is drawn from."""
    line, track = told.circuit, told.analysis.track
    if line is None or track is None:
        return ""
    whose = f"{track.circuit}, on its saved map. " if track.circuit else ""
    drawn = "Drawn from GPS." if line.from_gps else "Worked out from speed and g, for there is no path: a sketch."
    mirrored = "" if told.analysis.side.proven else " It may be mirrored: sign not proven."
    return whose + drawn + mirrored


TABLE_HEADS = ("Place", "What it is", "Passes", "Below", "Lowest", "Worst", "Below a pass, s", "Lowest in")


def table_rows(told: CornerFindings) -> list[tuple[str, ...]]:
    """The places as text: for copying, and for those who read rather than look."""
    return [
        (
            p.place.label,
            place_words(p),
            str(len(p.passes)),
            str(p.dips),
            _percent(p.lowest),
            _percent(p.worst),
            f"{p.below_s:.2f}",
            p.phase or "–",
        )
        for p in told.places
    ]


def _percent(share: float) -> str:
    return f"{100.0 * share:.0f} %" if math.isfinite(share) else "–"


def place_line(p: PlaceFinding, units: DisplayUnits) -> str:
    """One place in a sentence."""
    what = place_words(p).removeprefix(f"{p.place.name}, ")
    words = (
        f"{p.place.label[:1].upper()}{p.place.label[1:]}, {what}: lowest {_percent(p.lowest)} of normal, "
        f"median of {len(p.passes)} passes"
    )
    if p.dips:
        words += f", below the floor in {p.dips} of them, {p.below_s:.2f} s a pass"
    if p.phase:
        words += (
            f"; lowest {'at the' if p.phase == 'exit' else 'in the' if p.phase == 'middle' else 'at'} {p.phase}"
            if p.phase != "after it"
            else "; lowest after it"
        )
    if p.passes:
        heat = (
            float(np.nanmedian([x.temperature_c for x in p.passes]))
            if any(math.isfinite(x.temperature_c) for x in p.passes)
            else float("nan")
        )
        words += f"; {np.median([x.peak_g for x in p.passes]):.2f} g at {np.median([x.rpm for x in p.passes]):.0f} rpm"
        words += f" and {units.text(heat, Quantity.TEMPERATURE)}" if math.isfinite(heat) else ""
    return f"{words}."


@dataclass(frozen=True, slots=True, eq=False)
class ThresholdPicture:
    """Loss against g felt, in one direction.

    Attributes:
        direction: which; ``felt_g``, ``share``, ``time_s``: of each pass, shape (passes,).
        g, low_g, high_g: the threshold; None where there is none.
    """

    direction: str
    words: str
    felt_g: FloatArray
    share: FloatArray
    time_s: FloatArray
    g: float | None
    low_g: float | None
    high_g: float | None


def threshold_picture(told: CornerFindings, direction: str) -> ThresholdPicture | None:
    """Every pass in a direction; None with too few."""
    t = told.threshold(direction)
    if t is None or t.passes < 3:
        return None
    turns = told.analysis.side.turns(direction)
    words = f"{turns}, {t.passes} passes"
    return ThresholdPicture(
        direction=direction,
        words=words,
        felt_g=t.felt_g,
        share=1.0 - t.lost,
        time_s=told.analysis.time_s[t.at],
        g=t.g,
        low_g=t.low_g,
        high_g=t.high_g,
    )


def working(told: CornerFindings, direction: str) -> list[WorkingStep]:
    """How a direction's threshold came about."""
    t = told.threshold(direction)
    if t is None:
        return []
    hz, damping = t.slosh
    turns = told.analysis.side.turns(direction)
    steps = [
        WorkingStep(
            "Passes",
            f"{t.passes} through {turns.lower()}, {t.fell} of which lost more than their scatter",
            "felt over 0.25 g; those in which another direction may have bared the pickup, or that "
            "began low, are left out",
        )
    ]
    if t.g is None:
        steps.append(WorkingStep("Threshold", "none", t.reason))
        return steps
    steps += [
        WorkingStep(
            "What the oil feels",
            f"the logged g through a body that sloshes at {hz:.2f} Hz with damping {damping:.2f}",
            "found with the threshold, of eleven that were tried; a g held steady feels like itself, a "
            "short one like less",
        ),
        WorkingStep(
            "Threshold",
            f"{t.g:.2f} g; 95 %: {t.low_g if t.low_g is None else round(t.low_g, 2)} to {t.high_g:.2f} g",
            f"change-point: loss flat up to it, then {100.0 * t.slope:.0f} % of normal lost a g; where "
            "the profile likelihood is within 1.92 of its top, and 8 % for what one body's slosh does "
            "not tell",
        ),
        WorkingStep(
            "At",
            f"{t.rpm:.0f} rpm in the middle",
            "at another level, oil temperature or speed it lies elsewhere: the head holds oil up at speed",
        ),
    ]
    return steps
