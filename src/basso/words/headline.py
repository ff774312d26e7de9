"""The sentence at the top: what matters in a session, said the same in the window, on the command line and in
documents."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from basso.findings.accumulator.armed import is_armed
from basso.plain_text import plain
from basso.pressure.gauge import judge_readings
from basso.recording.roles import Role
from basso.sentence import read_in
from basso.trust.lookalikes import lookalike_words
from basso.units import DisplayUnits, Quantity
from basso.words.coverage import coverage_of
from basso.words.opening import Opening
from basso.words.session import by_cause, exposure_words, lowest_words, together_words, unknowns_words, when_words

if TYPE_CHECKING:
    from collections.abc import Sequence

    from basso.analysis import Analysis, JudgedDip

Q = Quantity
CAUSE_NAMES = {
    "left_turn": "Left turn",
    "right_turn": "Right turn",
    "one_side": "Turn to one side",
    "other_side": "Turn to the other side",
    "braking": "Braking",
    "acceleration": "Acceleration",
    "high_rpm": "High rpm",
    "hot_oil": "Hot thin oil",
    "low_everywhere": "Low everywhere",
    "sensor": "Sensor",
    "unknown": "Unknown",
}
_CLAIMS = {
    "left_turn": "Left turns above {g:.2f} g uncover the pickup",
    "right_turn": "Right turns above {g:.2f} g uncover the pickup",
    "one_side": "Turns to one side (sign not proven) above {g:.2f} g uncover the pickup",
    "other_side": "Turns to one side (sign not proven) above {g:.2f} g uncover the pickup",
    "braking": "Braking above {g:.2f} g uncovers the pickup",
    "acceleration": "Acceleration above {g:.2f} g uncovers the pickup",
    "high_rpm": "The pressure sags at high rpm without g",
    "hot_oil": "The oil is so hot and thin that normal itself is at the floor",
    "low_everywhere": "The pressure is low everywhere, not only in corners",
    "sensor": "The sensor, not the oil, makes these dips",
    "unknown": "The pressure falls below the floor, and the log does not show why",
}
_WHICH_SIDE = (
    "Next: say which way the first turn went (Sensors); check the level, then try more oil against this run (Trial)."
)
_NEXT = {
    "left_turn": "Next: check the level, then try more oil against this run (Trial).",
    "right_turn": "Next: check the level, then try more oil against this run (Trial).",
    "one_side": _WHICH_SIDE,
    "other_side": _WHICH_SIDE,
    "braking": "Next: check the level and the pickup's place, then try more oil against this run (Trial).",
    "acceleration": "Next: check the level and the pickup's place, then try more oil against this run (Trial).",
    "high_rpm": "Next: look for froth: overfill, breather, windage tray; log the level after a run.",
    "hot_oil": "Next: more cooling, or a grade that holds the floor this hot; ask the engine builder.",
    "low_everywhere": "Next: do not run it. Reference gauge, oil level, relief valve, filter, then bearings.",
    "sensor": "Next: connector and wiring, then log again before judging anything.",
    "unknown": "Next: log both g axes and oil temperature, then look again.",
}


def armed_words(a: Analysis) -> str:
    """That an accumulator was at work, and so what is not seen; "" where none was. Begins with a blank."""
    if not is_armed(a):
        return ""
    known = a.options.known
    if known is not None and known.accumulator == "armed":
        return " The accumulator was armed and hides dips: see Accumulator for what there was without it."
    return " An accumulator's pressure is logged: armed, it hides dips; see Accumulator for what there was without it."


def opening(a: Analysis, units: DisplayUnits) -> Opening:
    """What matters in this session, first; of a damaged log also what is missing."""
    said = _opening(a, units)
    return replace(said, detail=" ".join((*a.recording.damage, said.detail)))


def _opening(a: Analysis, units: DisplayUnits) -> Opening:
    from basso.findings.corners.pattern import lap_pattern

    alike = lookalike_words(a.lookalikes)
    if not a.judgeable:
        missing = " ".join(read_in(c.message, units) for c in a.checks if c.level == "fail")
        names = ", ".join(plain(c.name, 40) for c in a.recording.channels)
        return Opening(alike or "This log cannot be judged yet", f"{missing} Its columns are: {names}.")
    if a.recording.manual:
        return _gauge_words(a, units)
    resting = (
        " The sensor's zero is assumed, not measured."
        if a.zero_state == "assumed"
        else " The zero is wrong and its correction was refused."
        if a.zero_state == "wrong"
        else ""
    )
    doubts = doubt_words(a, units)
    resting += "".join(f" {read_in(c.message, units)}" for c in a.checks if c.id == "clearance")
    resting += armed_words(a)
    over = _count(len(a.rounds), _round_word(a)) if a.rounds else f"{a.exposure.running_s / 60:.0f} min of running"
    if not a.dips:
        margin = a.margin_kpa[a.judged]
        margin = margin[np.isfinite(margin)]
        seen = coverage_of(a)
        covered = read_in(seen.words, units)
        if margin.size == 0:
            return Opening("Nothing could be judged in this session", f"{doubts}{covered}")
        if doubts:
            return Opening("No verdict: a reading cannot be what its column says", f"{doubts}{covered}")
        least = units.text(float(margin.min()), Q.PRESSURE, difference=True, signed=True)
        return Opening(
            "No dips in what can be read of this damaged log"
            if a.recording.damage
            else "No dips: the pressure stayed above the floor"
            if seen.is_most
            else f"No dips in the {seen.judged_min:.1f} min that could be judged",
            f"Smallest margin {least} in {over}.{'' if seen.is_most else f' {covered}'}{resting} "
            f"{unknowns_words(a, units)}" + (f" {alike}" if alike else ""),
        )
    name, group = by_cause(a.dips)[0]
    lead = [d.cause.held_g for d in group if d.cause.held_g is not None]
    title = _CLAIMS[name].format(g=float(np.percentile(lead, 10)) if lead else 0.0)
    needed = tuple(dict.fromkeys(role for d in group for role in d.cause.needs)) if name == "unknown" else ()
    if needed:
        title = "The pressure falls below the floor"
    helped = together_words(group)
    title = (
        title.replace(" uncover the", f", with {helped}, uncover the").replace(
            " uncovers the", f", with {helped}, uncovers the"
        )
        if helped
        else title
    )
    when = when_words(*lap_pattern(a, group), units)
    title += f", {when}" if when else _how_often(group, a) + _with_heat(group)
    everywhere = _everywhere(a) if name == "low_everywhere" else None
    if everywhere is not None:
        title = everywhere.title
    title += f"; the cause cannot be told without {' and '.join(r.words for r in needed)}." if needed else "."
    of_needed = lookalike_words([x for x in a.lookalikes if x.role in needed or x.role is Role.SPEED])
    lowest = min(a.dips, key=lambda d: d.dip.told_margin_kpa)
    severe = sum(d.severity == "severe" for d in a.dips)
    others = [f"{CAUSE_NAMES[n].lower()} {len(g)}" for n, g in by_cause(a.dips)[1:3]]
    detail = (
        f"{doubts}{_count(len(a.dips), 'dip')} in {over}"
        + (f", {severe} severe" if severe else "")
        + (f" ({CAUSE_NAMES[name].lower()} {len(group)}, {', '.join(others)})" if others else "")
        + f"; lowest {_deepest_words(a, lowest, units)}; "
        f"{exposure_words(a, units)}.{resting} "
        f"{_missing_next(a, needed) or (everywhere.detail if everywhere is not None else _NEXT[name])}"
    )
    if of_needed:
        return Opening(of_needed, f"{title} {detail}")
    return Opening(title, f"{detail} {alike}".strip())


def _everywhere(a: Analysis) -> Opening | None:
    """Title and next step where the pressure is below the floor more often than not; None where it is not."""
    below_min, judged_min = a.exposure.below_floor_s / 60.0, coverage_of(a).judged_min
    if not judged_min or below_min < 0.5 * judged_min:
        return None
    known = a.judged & np.isfinite(a.expected_kpa) & np.isfinite(a.floor.kpa)
    over = float(np.mean(a.floor.kpa[known] > a.expected_kpa[known])) if known.any() else 0.0
    if over > 0.5 and a.options.normal is None:
        return Opening(
            f"Below the floor in {below_min:.1f} of {judged_min:.1f} min: it lies over the engine's own normal",
            "Next: is it the right floor for this engine? If so, do not run it: reference gauge, oil "
            "level, relief valve, oil grade.",
        )
    return Opening(
        f"The pressure is low everywhere, not only in corners: below the floor in {below_min:.1f} of "
        f"{judged_min:.1f} min",
        _NEXT["low_everywhere"],
    )


def _gauge_words(a: Analysis, units: DisplayUnits) -> Opening:
    """Single readings off a gauge: how many lie below the floor, and what they cannot show."""
    readings = judge_readings(a.recording, a.options.floors)
    floored = [r for r in readings if r.margin_kpa is not None]
    below = [r for r in floored if (r.margin_kpa or 0.0) < 0]
    more = "A gauge shows no dips between its readings; log a run to see them."
    if not floored:
        return Opening(
            "No floor applies to these readings",
            f"{_count(len(readings), 'reading')}, none with a floor at its engine speed. {more}",
        )
    least = min(floored, key=lambda r: r.margin_kpa or 0.0)
    margin = units.text(abs(least.margin_kpa or 0.0), Q.PRESSURE, difference=True)
    at = f"at {units.text(least.rpm, Q.ROTATION)}" + (
        f" and {units.text(least.temperature_c, Q.TEMPERATURE)}" if least.temperature_c is not None else ""
    )
    if not below:
        return Opening(
            f"None of {_count(len(floored), 'reading')} off the gauge lies below the floor",
            f"The smallest margin is {margin}, {at}. {more}",
        )
    return Opening(
        f"{len(below)} of {_count(len(floored), 'reading')} off the gauge "
        f"lie{'s' if len(below) == 1 else ''} below the floor",
        f"The worst is {margin} under it, {at}. Do not run it so: reference gauge, oil level, then the "
        f"engine builder. {more}",
    )


def _deepest_words(a: Analysis, lowest: JudgedDip, units: DisplayUnits) -> str:
    dip = lowest.dip
    need = units.text(dip.min_pressure_kpa - dip.min_margin_kpa, Q.PRESSURE)
    if a.at_or_above:
        under = units.number(-dip.told_margin_kpa, Q.PRESSURE, difference=True)
        return f"{under} under the {need} needed, less what the sensor shakes by (≥ is a reading with it)"
    return f"{lowest_words(a, dip.min_pressure_kpa, units)} {units.pressure.symbol} where {need} is needed"


def _count(n: int, word: str) -> str:
    return f"{n} {word}" + ("" if n == 1 else "s")


def _how_often(group: list[JudgedDip], a: Analysis) -> str:
    """In how many of the complete laps; a dip that lasts over several counts in each."""
    laps, word = a.rounds, _round_word(a)
    with_it = sum(any(d.dip.start_s < lap.end_s and d.dip.end_s > lap.start_s for d in group) for lap in laps)
    if len(laps) < 2 or with_it == 0:
        return ""
    return f" on every {word}" if with_it == len(laps) else f" on {with_it} of {len(laps)} {word}s"


def _round_word(a: Analysis) -> str:
    return "lap" if any(lap.complete for lap in a.laps) else "run"


def _with_heat(group: list[JudgedDip]) -> str:
    """ "; deeper as the oil warms" when the depth follows the temperature beyond doubt."""
    pairs = [
        (d.temperature_c, d.dip.min_share) for d in group if d.temperature_c is not None and d.dip.min_share is not None
    ]
    if len(pairs) < 8:
        return ""
    heat, share = np.array(pairs).T
    if np.ptp(heat) < 5.0 or np.std(share) < 0.01:
        return ""
    r = float(np.corrcoef(heat, share)[0, 1])
    return (
        "; deeper as the oil warms"
        if r < -0.5 and abs(r) * math.sqrt((len(pairs) - 2) / max(1 - r * r, 1e-9)) > 3
        else ""
    )


def _missing_next(a: Analysis, needed: Sequence[Role]) -> str:
    """What would tell: the columns that may be the missing ones, or logging them; "" where nothing is missing."""
    if not needed:
        return ""
    names = " and ".join(role.words for role in needed)
    free = [c.name for c in a.recording.channels if c.role is None and not np.isnan(c.values).all()]
    if any(x.role in needed for x in a.lookalikes):
        return "Next: confirm the column, then look again."
    if not free:
        return f"Next: log {names}, then look again."
    some = ", ".join(f"'{plain(n, 40)}'" for n in free[:4]) + (" …" if len(free) > 4 else "")
    return (
        f"Next: if {names} {'is' if len(needed) == 1 else 'are'} among the columns not recognised ({some}), "
        "say which; else log it and look again."
    )


def doubt_words(a: Analysis, units: DisplayUnits) -> str:
    """What speaks against the readings being what their columns say, with a blank after it; "" where nothing does."""
    said = [read_in(c.message, units) for c in a.checks if c.id == "doubt"]
    return f"{' '.join(said)} " if said else ""


def sentence(a: Analysis, units: DisplayUnits) -> str:
    """The opening lines as one text."""
    words = opening(a, units)
    title = words.title if words.title.endswith(".") else f"{words.title}."
    return f"{title} {words.detail}".strip()
