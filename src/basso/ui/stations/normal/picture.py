"""What the Normal station draws and says, worked out without Qt: the tables and the sentences (the field is in
:mod:`basso.ui.stations.normal.field_picture`)."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from basso.findings.normal.adviser import TYPICAL_PUMP_CM3
from basso.normal.changed import NONE
from basso.pressure.floors import highest_floor, moves_with_normal, parse_floor
from basso.report.normal_documents import (
    ceiling_words,
    change_words,
    cooler_oil_words,
    cooler_words,
    met_words,
    seasons_words,
    temperature_words,
)
from basso.ui.stations.working import WorkingStep
from basso.units import DisplayUnits, FloatArray, Quantity
from basso.words.floors import floor_words
from basso.words.opening import Opening

if TYPE_CHECKING:
    from basso.analysis import Analysis
    from basso.findings.normal.adviser import GradeAdvice
    from basso.findings.normal.before import AirsPart
    from basso.findings.normal.findings import HeldAgainst, NormalFindings
    from basso.findings.normal.what_if import WhatIf
    from basso.normal.warmup import WaterAndOil

_P, _T = Quantity.PRESSURE, Quantity.TEMPERATURE
_LISTED = 6


def opening(told: NormalFindings, units: DisplayUnits) -> Opening:
    """What normal is at racing speed and the hottest oil, and how that lies to the floor."""
    e = told.analysis.expected
    if not e.valid:
        return Opening("Normal cannot be learned from this log", f"{e.reason[:1].upper() + e.reason[1:]}.")
    at = f"{told.racing_rpm:.0f} rpm"
    heat = np.array([told.hot_c]) if e.temperature_range_c is not None else None
    if heat is not None:
        at += f" and {units.text(told.hot_c, _T)}"
    rpm = np.array([told.racing_rpm])
    kpa = e.at(rpm, heat)
    low, high = e.interval(rpm, heat)
    title = (
        f"{units.text(float(kpa[0]), _P)} is normal at {at} ({units.number(float(low[0]), _P)} to "
        f"{units.number(float(high[0]), _P)})"
    )
    floor = _floor_at(told, kpa)
    if floor is not None:
        over = float(kpa[0]) - floor
        by = units.text(abs(over), _P, difference=True)
        title += f", {by} {'over' if over >= 0 else 'under'} the floor"
    return Opening(title, _basis(told.analysis, units))


def _scatter(kpa: float, units: DisplayUnits) -> str:
    words = units.text(kpa, _P, difference=True)
    return f"less than 1 {units.pressure.symbol}" if words.startswith("0 ") else words


def _floor_at(told: NormalFindings, kpa: FloatArray) -> float | None:
    absolute = [f for f in told.analysis.options.floors if not moves_with_normal(f)]
    if not absolute:
        return None
    return float(highest_floor(absolute, np.array([told.racing_rpm]), kpa).kpa[0])


def _basis(a: Analysis, units: DisplayUnits) -> str:
    e = a.expected
    how = (
        "Pump, bearings, viscosity and relief valve"
        if e.method.startswith("physical")
        else "From the data alone: the physical form does not fit this engine"
    )
    by = ""
    if e.temperature_range_c is None:
        by = " by engine speed, for no oil temperature was logged: "
        by += (
            "what warming does is in its scatter"
            if a.drift is None
            else "it follows calm running, here as in the middle of the session, up to "
            f"{np.exp(a.drift.thicker.max()) - 1.0:+.0%} while the oil was thickest"
        )
    words = (
        f"{how}{by}, from {e.samples} settled samples with {e.oil.name}; they scatter by "
        f"{_scatter(e.residual_kpa, units)}."
    )
    block = e.valid_range()
    if block is None:
        return f"{words} Nowhere dense enough to rely on."
    (low, high), heat = block
    where = f"{round(low, -2):.0f} to {round(high, -2):.0f} rpm"
    if heat is not None:
        where += f" and {units.number(heat[0], _T)} to {units.text(heat[1], _T)}"
    return f"{words} Sure from {where}."


def grade_rows(told: NormalFindings, units: DisplayUnits) -> list[tuple[str, ...]]:
    """The adviser's table: grade, holds to, interval, pressure when hot, over the floor, pump power, at a cold start,
    remark."""
    advice = told.advice
    if advice is None:
        return []
    rows: list[tuple[str, ...]] = []
    for g in advice.grades:
        band = f"{temperature_words(g.low_c, units)} – {temperature_words(g.high_c, units)}"
        rows.append(
            (
                g.grade.name,
                temperature_words(g.holds_to_c, units),
                band,
                units.number(g.at_hot_kpa, _P),
                units.number(g.over_kpa, _P, difference=True, signed=True),
                f"{g.pump_kw:.2f}" if g.pump_kw > 0.005 else "–",
                f"{g.start_mm2ps:.0f}",
                units.text(g.relief_under_c, _T) if g.relief_under_c is not None else "–",
                ("" if g.ceiling_set else "* ") + units.text(g.ceiling_c, _T),
                _remark(told, g),
            )
        )
    return rows


def _remark(told: NormalFindings, g: GradeAdvice) -> str:
    advice = told.advice
    assert advice is not None
    said = []
    if g.grade.name == told.analysis.expected.oil.name:
        said.append("in now")
    if advice.lightest is not None and g is advice.lightest:
        said.append("lightest that holds")
    if advice.heavier is not None and g is advice.heavier and g is not advice.lightest:
        said.append("heavier for the track")
    if g.holds is None:
        said.append("may hold")
    if g.listed is False:
        said.append("not in the maker's list")
    if not g.driven:
        said.append("outside the data")
    if not g.pressure_first:
        said.append("ceiling first")
    return ", ".join(said)


GRADE_HEADS = (
    "Grade",
    "Holds to",
    "90 % interval",
    "Hot",
    "Over floor",
    "Pump work",
    "Cold start",
    "Spills under",
    "Ceiling",
    "",
)
GRADE_TIPS = (
    "",
    "Oil temperature up to which normal holds the floor and your margin at racing speed",
    "From where to where that lies with 90 %",
    "Normal at racing speed and the hottest oil",
    "Of it over the floor and your margin",
    "Pump work in what is over: a cost, no virtue",
    "Viscosity at a cold start, 10 °C unless asked otherwise",
    "Oil colder than this keeps the relief valve spilling at 2000 rpm: no load before",
    "Up to which oil temperature it is used; * usual, not set by you (Oils…)",
    "",
)


def grade_units(units: DisplayUnits) -> tuple[str, ...]:
    """The units under the heads of the adviser's table."""
    p = units.pressure.symbol
    return ("", "", "", p, p, "kW", "mm²/s", "", "", "")


FLOOR_MET_HEADS = ("Engine speed, rpm", "Normal meets the floor at", "90 % interval")


def floor_met_rows(told: NormalFindings, units: DisplayUnits) -> list[tuple[str, ...]]:
    """At each engine speed the oil temperature at which normal falls to the floor, with its interval."""
    return [
        (
            f"{m.rpm:.0f}",
            met_words(m, told.analysis.expected.temperature_range_c, units, interval=False),
            f"{temperature_words(m.low_c, units)} – {temperature_words(m.high_c, units)}",
        )
        for m in told.floor_met
    ]


def floor_rule_rows(told: NormalFindings, units: DisplayUnits) -> list[tuple[str, ...]]:
    """The floor rules, then the owner's lines: name, floor when hot, normal above it, dips and seconds it flags."""
    rows: list[tuple[str, ...]] = []
    for s in (*told.floor_rules, *told.lines):
        at = units.number(s.at_hot_kpa, _P) if s.at_hot_kpa is not None else "–"
        over = units.number(s.over_kpa, _P, difference=True, signed=True) if s.over_kpa is not None else "–"
        line = s in told.lines
        rows.append(
            (
                s.floor_rule.name,
                at,
                over,
                str(s.dips),
                f"{s.below_s:.1f}",
                "your line" if line else "active" if s.active else "",
            )
        )
    return rows


FLOOR_RULE_HEADS = ("Rule", "Floor", "Above floor", "Dips", "Below, s", "")


def cold_to_hot(told: NormalFindings, units: DisplayUnits) -> list[str]:
    """Warm-up and hot idle, a sentence each; what the record does not show is said."""
    said = []
    w = told.warm_up
    if w is None:
        said.append("No oil temperature: warm-up cannot be told.")
    elif w.ready_s == 0.0:
        said.append(f"Started warm, at {units.text(w.start_c, _T)}.")
    else:
        ready = (
            "never ready for load in this log"
            if w.ready_s is None
            else f"ready for load after {w.ready_s / 60.0:.1f} min"
        )
        load = (
            f"; {w.cold_load_s:.0f} s loaded before that, to {w.cold_top_rpm:.0f} rpm"
            if w.cold_load_s >= 1.0
            else "; not loaded before that"
        )
        said.append(f"Started at {units.text(w.start_c, _T)}, {ready}{load}.")
    if told.cold_peak_kpa is not None:
        said.append(
            f"Highest with the oil under 50 °C: {units.text(told.cold_peak_kpa, _P)}; that is cold oil, no normal."
        )
    i = told.hot_idle
    if i is None:
        said.append("No hot idle of four seconds in this log.")
    else:
        said.append(
            f"Hot idle: {units.text(i.kpa, _P)} at {i.rpm:.0f} rpm and "
            f"{units.text(i.temperature_c, _T)}{_idle_history(told, units)}."
        )
    return [*said, *(words for words in (seasons_words(told.seasons, units),) if words)]


def oil_temperature(told: NormalFindings, units: DisplayUnits) -> list[str]:
    """Where the oil's temperature is heading, what a cooler would do, ceilings, water: a sentence each."""
    said = []
    h = told.heating
    if h is not None and h.steady_c is not None and h.low_c is not None and h.high_c is not None:
        said.append(
            f"At this pace the oil settles at about {units.text(h.steady_c, _T)} "
            f"({units.number(h.low_c, _T)} to {units.number(h.high_c, _T)})."
        )
        shed = told.to_shed
        if shed is not None and shed.kw >= 0.05:
            said.append(
                f"To hold {units.text(shed.target_c, _T)} a cooler has to shed about {shed.kw:.1f} kW "
                f"more ({shed.low_kw:.1f} to {shed.high_kw:.1f})."
            )
        elif shed is not None:
            said.append(f"It stays under {units.text(shed.target_c, _T)} without more cooling.")
    elif h is not None:
        said.append(f"Where the oil's temperature would settle is not told: {h.reason}.")
    if told.water is not None:
        said.append(_water_words(told.water, units))
    oil = told.analysis.options.oil.name
    more = (cooler_words(told.cooler, units), ceiling_words(told, units), cooler_oil_words(told.cooler_oil, oil, units))
    return [*said, *(words for words in more if words)]


def _water_words(w: WaterAndOil, units: DisplayUnits) -> str:
    beside = f"Hot, the water is at {units.text(w.water_c, _T)} and the oil at {units.text(w.oil_c, _T)}"
    if w.holds_c is not None:
        return f"{beside}; the thermostat holds the water at {units.text(w.holds_c, _T)} while the oil still rises."
    if math.isnan(w.rises):
        return f"{beside}; too little warming to see what the thermostat does."
    return (
        f"{beside}; the water rises with it, by {w.rises:.1f} for each degree: the thermostat is wide open, "
        "or there is none."
    )


def _idle_history(told: NormalFindings, units: DisplayUnits) -> str:
    """How the hot idle lies to those of earlier sessions, moved to its engine speed and temperature."""
    from basso.findings.normal.findings import idles_before

    before = idles_before(told)
    if not before.size or told.hot_idle is None:
        return ""
    usual = float(np.median(before))
    sessions = f"{before.size} earlier {'session' if before.size == 1 else 'sessions'}"
    spread = max(float(before.max() - before.min()), 2.0 * told.hot_idle.scatter_kpa)
    moved = told.hot_idle.kpa - usual
    state = "as before" if abs(moved) <= spread else "lower than before" if moved < 0 else "higher than before"
    return f", {state}: {units.text(usual, _P)} there by {sessions}"


def _air_words(w: WhatIf, part: AirsPart, units: DisplayUnits) -> str:
    """How much of it the air makes."""
    made = part.by_c * w.air_c
    by, air = (units.text(abs(v), _T, difference=True) for v in (made, w.air_c))
    how = (
        f"by this car's {part.sessions} sessions, {part.low:.1f} to {part.high:.1f} for each degree"
        if part.sessions
        else "one for one, the most it does; a thermostat takes some of it"
    )
    way = ("warmer", "hotter") if w.air_c > 0 else ("cooler", "cooler")
    return f"Air {air} {way[0]} makes the oil {by} {way[1]} ({how})."


def what_if_words(w: WhatIf | None, part: AirsPart, units: DisplayUnits) -> str:
    """The hot day's answer in a sentence or two."""
    if w is None:
        return "Needs normal by oil temperature."
    then, now = (units.text(v, _P) for v in w.normal_kpa)
    if w.hotter_c == 0.0 and w.faster_rpm == 0.0 and w.air_c == 0.0:
        return (
            f"As driven: {_count(w.dips)}, {w.below_s:.0f} s below the floor; normal {then} in the middle of "
            "the driving."
        )
    band = f"{w.low_dips} to {w.high_dips}" if w.low_dips != w.high_dips else ""
    seconds = f"{w.below_s:.0f} s ({w.low_s:.0f} to {w.high_s:.0f})"
    words = (
        f"{_count(w.dips)}{f' ({band})' if band else ''}, {seconds} below the floor; normal {now} instead of {then}."
    )
    if w.air_c:
        words += f" {_air_words(w, part, units)}"
    if w.outside > 0.05:
        words += f" {100.0 * w.outside:.0f} % of it lies outside what was driven."
    return words


def _count(dips: int) -> str:
    return f"{dips} {'dip' if dips == 1 else 'dips'}"


def change_line(told: NormalFindings, units: DisplayUnits) -> str:
    """How the session lies to the build's kept normal, else to the newest of the car's earlier sessions, and why."""
    if told.change is None:
        return "No earlier session of this car to hold it against: keep its sessions in the garage."
    held = told.held
    assert held is not None
    title = held.earlier.title
    words = (
        f"Against {title}{' of ' + held.earlier.day if held.earlier.day and not held.earlier.kept else ''}: "
        f"{change_words(told.change, units)}"
    )
    if held.moved:
        words += (
            f" {title} was learned with {held.earlier.expected.learned_oil.name}; it is held as it would be "
            f"with {told.analysis.options.oil.name}."
        )
    return words


HISTORY_HEADS = ("Day", "Earlier", "Now", "")


def shown_history(told: NormalFindings) -> tuple[HeldAgainst, ...]:
    """The earlier normals that are listed: every kept one, and the newest sessions up to six rows; what says most
    first."""
    kept = sum(h.earlier.kept for h in told.history)
    sessions = [h for h in told.history if not h.earlier.kept]
    listed = sessions[-max(_LISTED - kept, 2) :]
    return tuple(h for h in reversed(told.history) if h.earlier.kept or h in listed)


def history_rows(told: NormalFindings, units: DisplayUnits) -> list[tuple[str, ...]]:
    """Against each earlier session at the same engine speed and oil temperature: day, title, by how much, what it looks
    like."""
    rows: list[tuple[str, ...]] = []
    for h in shown_history(told):
        c = h.change
        if not c.candidates:
            rows.append((h.earlier.day, h.earlier.title, "–", "too little in common"))
            continue
        by = units.text(c.offset_kpa, _P, difference=True, signed=True)
        words = "unchanged" if c.cause == NONE else c.candidates[0].pattern.words if c.cause else "cannot tell why"
        rows.append((h.earlier.day, h.earlier.title, by, words))
    return rows


def working(told: NormalFindings, row: int, units: DisplayUnits) -> list[WorkingStep]:
    """How normal at racing speed and the hottest oil came about, and what one oil (by its row) does there."""
    e = told.analysis.expected
    if not e.valid:
        return [WorkingStep("Normal", "none", e.reason)]

    def p(kpa: float) -> str:
        return units.text(kpa, _P)

    warm = told.hot_c if e.temperature_range_c is not None else None
    rpm, heat = np.array([told.racing_rpm]), np.array([warm]) if warm is not None else None
    kpa, (low, high) = float(e.at(rpm, heat)[0]), (float(v[0]) for v in e.interval(rpm, heat))
    free, capped, own = e.parts_at(told.racing_rpm, warm)
    at = f"{told.racing_rpm:.0f} rpm" + (f", {units.text(warm, _T)}" if warm is not None else "")
    sd = e.parameter_sd or (0.0, 0.0, 0.0, 0.0)
    steps = [
        WorkingStep(
            "Normal",
            f"softmin({p(free)} by pump and bearings, {p(capped)} by the relief valve) × {own:.3f} = {p(kpa)} at {at}",
            f"{e.method}; the factor is this engine's own departure from the form, learned from the same "
            f"{e.samples} settled samples",
        ),
        WorkingStep(
            "Pump and bearings",
            f"about {p(math.exp(e.log_k))} · (rpm/4000)^{e.b:.2f} · (ν/ν₉₅)^{e.c:.2f}",
            f"90 %: k ± {100.0 * math.expm1(1.645 * sd[0]):.1f} %, exponents ± {1.645 * sd[1]:.2f} and ± "
            f"{1.645 * sd[2]:.2f}; bent by "
            f"{e.bends[0]:+.2f}, {e.bends[1]:+.2f}, {e.bends[2]:+.2f} over a factor e of speed and "
            f"viscosity; ν of {e.oil.name} by ASTM D341",
        ),
        WorkingStep(
            "Relief valve",
            f"{p(e.relief_kpa)} at 4000 rpm, rising as rpm^{e.relief_rise:.2f}; softmin of sharpness {e.sharpness:.0f}",
            f"90 %: ± {100.0 * math.expm1(1.645 * sd[3]):.1f} %",
        ),
        WorkingStep(
            "Interval",
            f"{p(low)} to {p(high)}, 90 %",
            "from the fit's own spread there, which grows away from what was driven, and 0.8 % for what "
            "no log shows of itself (a thermometer "
            "that follows late, what is left of a zero)",
        ),
    ]
    advice = told.advice
    if advice is None:
        return steps
    chosen = (
        advice.grades[row]
        if 0 <= row < len(advice.grades)
        else next((g for g in advice.grades if g.grade.name == e.oil.name), advice.grades[0])
    )
    wanted = advice.floor_kpa + advice.asked.margin_kpa
    steps.append(
        WorkingStep(
            "Floor",
            f"{p(advice.floor_kpa)} at {told.racing_rpm:.0f} rpm, with the margin {p(wanted)}",
            f"{floor_words(parse_floor(advice.rule), units)}, chosen under Floors",
        )
    )
    name = chosen.grade.name
    steps.append(
        WorkingStep(
            f"{name} on this engine",
            f"{p(chosen.at_hot_kpa)} when hot ({p(chosen.at_hot_low_kpa)} to "
            f"{p(chosen.at_hot_high_kpa)}); holds to {temperature_words(chosen.holds_to_c, units)}",
            f"the fitted curve at the temperature at which {e.oil.name} is as thick as {name} "
            f"({chosen.grade.at_40_mm2ps:g} and "
            f"{chosen.grade.at_100_mm2ps:g} mm²/s at 40 and 100 °C, typical for the grade: the data sheet is better)",
        )
    )
    pump = advice.asked.pump_cm3
    steps.append(
        WorkingStep(
            "Pump work",
            f"{chosen.pump_kw:.2f} kW = {units.text(max(chosen.over_kpa, 0.0), _P, difference=True)} "
            f"over floor and margin × pump flow at {told.racing_rpm:.0f} rpm",
            f"pump of {pump:g} cm³ a turn by the engine's card"
            if pump is not None
            else f"pump of {TYPICAL_PUMP_CM3:g} cm³ a turn assumed: the engine's card does not say",
        )
    )
    return steps
