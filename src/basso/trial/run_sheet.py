"""Between two runs: may it go out again, by which rule; what changed against the run before, place by place."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from basso.analysis import Analysis, JudgedDip
from basso.findings.accumulator.armed import is_armed
from basso.findings.corners.lowest import lowest_margins
from basso.normal.settled import running
from basso.pressure.floors import Floor, Share, highest_floor
from basso.sentence import in_celsius, in_kpa, joined, phrase
from basso.track.corners import Place
from basso.trial.effect import Effect
from basso.trial.verdict import Comparison, CornerRow

Call = Literal["go", "limit", "stop", "cannot tell"]
Change = Literal["better", "worse", "no clear change", "new", "gone", "too few", "not compared"]
LEAST_JUDGED_MIN, LEAST_JUDGED_SHARE = 2.0, 0.8
"""With less judged running, in minutes or of all above the gate, nothing is said for going out (defaults)."""
_INDICATION_LAPS = 4
"""With fewer flying laps on a side a change is an indication (default)."""
_FEW_PERCENT = 10.0
_WAYS = {
    "left_turn": "left turns under {:.2f} g",
    "right_turn": "right turns under {:.2f} g",
    "one_side": "turns under {:.2f} g",
    "other_side": "turns under {:.2f} g",
    "braking": "braking under {:.2f} g",
    "acceleration": "acceleration under {:.2f} g",
}


@dataclass(frozen=True, slots=True)
class Verdict:
    """Whether the car may go out again.

    Attributes:
        rule: what says so, with its figures.
        limit: what to keep under; "" where nothing is stated.
    """

    call: Call
    rule: str
    limit: str = ""


@dataclass(frozen=True, slots=True)
class PlaceRow:
    """One place on the lap.

    Attributes:
        marks: the lowest margin of each flying lap, kPa.
        low: flying laps on which it lay below the floor for as long as a dip takes; ``before``: in the run before,
            None without one; ``laps_before``: of so many.
        effect: this run less the one before, at like temperature, rpm and g; None where that cannot be told.
    """

    place: Place
    marks: tuple[float, ...]
    low: int
    before: int | None
    laps_before: int
    effect: Effect | None
    change: Change


@dataclass(frozen=True, slots=True, eq=False)
class RunSheet:
    """What is known between two runs.

    Attributes:
        places: with dips or a clear change, the lowest first.
        is_indication: laps are too few on a side for more than a hint.
    """

    analysis: Analysis
    verdict: Verdict
    places: tuple[PlaceRow, ...]
    comparison: Comparison | None
    is_indication: bool


def run_sheet(a: Analysis, act_now: Floor, comparison: Comparison | None = None) -> RunSheet:
    """Put it together.

    Args:
        act_now: the owner's line under which a run is not followed by another before somebody looked.
        comparison: of the run before (A) with this one (B); None without one.
    """
    laps = [side.laps for side in (comparison.a, comparison.b)] if comparison is not None else []
    return RunSheet(
        analysis=a,
        verdict=verdict_of(a, act_now),
        places=_places(a, comparison),
        comparison=comparison,
        is_indication=bool(laps) and min(laps) < _INDICATION_LAPS,
    )


def verdict_of(a: Analysis, act_now: Floor) -> Verdict:
    """Go, go with a limit, do not go until checked, or cannot tell: the first rule that holds, the gravest first."""
    if not a.judgeable:
        return Verdict("cannot tell", _failed(a) or "The log cannot be judged.")
    if a.barred_by is not None:
        return Verdict("stop", phrase("The readings cannot be relied on: {}", a.barred_by.message))
    if a.zero_state == "wrong":
        return Verdict("stop", "The oil pressure's zero is off and not put right.")
    doubt = next((c.message for c in a.checks if c.id == "doubt"), None)
    if doubt is not None:
        return Verdict("stop", doubt)
    if any(d.cause.key == "low_everywhere" for d in a.dips):
        return Verdict("stop", "The pressure is low everywhere, not only in corners.")
    worst = _under(a, act_now)
    if worst is not None:
        d, line = worst
        where = f" in {d.place.label}" if d.place is not None else ""
        rule = phrase("Lowest {}{}, under the act-now line of {}.", in_kpa(d.dip.min_pressure_kpa), where, in_kpa(line))
        return Verdict("stop", rule)
    severe = [d for d in a.dips if d.severity == "severe"]
    if severe:
        share = min((d.dip.told_share for d in severe if d.dip.told_share is not None), default=0.0)
        return Verdict(
            "stop", f"{len(severe)} severe dip{'s' * (len(severe) > 1)}, down to {100 * share:.0f} % of normal."
        )
    if a.dips:
        return _with_limit(a)
    step_min = _step_s(a) / 60.0
    known = a.judged & np.isfinite(a.told_kpa) & np.isfinite(a.floor.kpa)
    judged_min = float(np.count_nonzero(known)) * step_min
    running_min = float(np.count_nonzero(running(a.rpm) & (a.rpm > a.options.rules.rpm_gate))) * step_min
    if judged_min < max(LEAST_JUDGED_MIN, LEAST_JUDGED_SHARE * running_min):
        return Verdict(
            "cannot tell", f"No dip, but only {judged_min:.1f} of {running_min:.1f} min of running could be judged."
        )
    if a.zero_state == "assumed":
        return Verdict(
            "cannot tell", "No dip, but the sensor's zero is assumed: log a few seconds with the engine stopped."
        )
    if is_armed(a):
        return Verdict(
            "limit", "No dip, but an armed accumulator hides them.", "no more g, heat or laps than in this run"
        )
    return Verdict("go", f"No dip in {judged_min:.0f} min of judged running, above every floor.")


def _step_s(a: Analysis) -> float:
    return float(np.median(np.diff(a.time_s))) if a.time_s.size > 1 else 0.0


def _failed(a: Analysis) -> str:
    return next((c.message for c in a.checks if c.level == "fail"), "")


def _under(a: Analysis, act_now: Floor) -> tuple[JudgedDip, float] | None:
    """The dip that lies deepest under the act-now line, and the line there."""
    found: list[tuple[float, JudgedDip, float]] = []
    for d in a.dips:
        at = slice(d.dip.lowest, d.dip.lowest + 1)
        if isinstance(act_now, Share) and not np.isfinite(a.expected_kpa[at]).all():
            continue
        line = float(highest_floor([act_now], a.followed_rpm[at], a.expected_kpa[at]).kpa[0])
        if np.isfinite(line) and float(a.told_kpa[d.dip.lowest]) < line:
            found.append((float(a.told_kpa[d.dip.lowest]) - line, d, line))
    return min(found, key=lambda x: x[0])[1:] if found else None


def _with_limit(a: Analysis) -> Verdict:
    """Dips that stay over the act-now line: what to keep under so that they do not come again."""
    limits: list[str] = []
    for key, words in _WAYS.items():
        held = [d.cause.held_g for d in a.dips if d.cause.key == key and d.cause.held_g is not None]
        if held:
            limits.append(words.format(float(np.percentile(held, _FEW_PERCENT))))
    heats = [d.temperature_c for d in a.dips if d.temperature_c is not None]
    count = len(a.dips)
    rule = phrase(
        "{} dip{}, lowest {}: under the floor, over the act-now line.",
        count,
        "" if count == 1 else "s",
        in_kpa(min(d.dip.min_pressure_kpa for d in a.dips)),
    )
    if any(d.cause.key == "hot_oil" for d in a.dips) and heats:
        limits.append(phrase("oil under {}", in_celsius(min(heats))))
    rpm = [d.rpm for d in a.dips if d.cause.key == "high_rpm"]
    if rpm:
        limits.append(f"under {100.0 * np.floor(min(rpm) / 100.0):.0f} rpm")
    if not limits:
        return Verdict("stop", phrase("{} What causes them is not known, so no limit can be stated.", rule))
    return Verdict("limit", rule, joined(", ", limits))


def _places(a: Analysis, c: Comparison | None) -> tuple[PlaceRow, ...]:
    found = []
    for place, laps in lowest_margins(a):
        marks = [kpa for _, kpa in laps]
        row = _row_of(c, place) if c is not None else None
        before = now = None
        laps_before = 0
        if c is not None and row is not None:
            mine = [[p for p in side.passes if p.place == row.place.id] for side in (c.a, c.b)]
            before, now = (sum(p.below_s >= a.options.rules.least_s for p in passes) for passes in mine)
            laps_before = len(mine[0])
        low = now if now is not None else sum(m < 0.0 for m in marks)
        effect = row.effect if row is not None else None
        change = _change(low, before, effect, row is not None)
        if low or before or change in ("better", "worse"):
            found.append(PlaceRow(place, tuple(marks), low, before, laps_before, effect, change))
    return tuple(sorted(found, key=lambda r: min(r.marks, default=0.0)))


def _row_of(c: Comparison, place: Place) -> CornerRow | None:
    """The comparison's own row of a place: its map is that of the run before, on which numbers may be others."""

    def overlap_m(r: CornerRow) -> float:
        return min(r.place.end_m, place.end_m) - max(r.place.start_m, place.start_m)

    alike = [r for r in c.corners if r.place.is_corner == place.is_corner and overlap_m(r) > 0.0]
    return max(alike, key=overlap_m, default=None)


def _change(low: int, before: int | None, effect: Effect | None, is_compared: bool) -> Change:
    if not is_compared:
        return "not compared"
    if low and before == 0:
        return "new"
    if effect is None:
        return "too few"
    if effect.low > 0.0:
        return "gone" if before and not low else "better"
    return "worse" if effect.high < 0.0 else "no clear change"
