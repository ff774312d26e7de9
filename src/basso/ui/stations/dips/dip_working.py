"""How the numbers of a dip came about, and what would change them; worked out without Qt."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np

from basso.pressure.floors import FLOOR_RULES
from basso.sentence import read_in
from basso.ui.stations.dips.picture import sentence
from basso.ui.stations.working import WorkingStep
from basso.units import DisplayUnits, Quantity
from basso.words.floors import floor_words

if TYPE_CHECKING:
    from basso.analysis import Analysis, JudgedDip
    from basso.pressure.dips import Dip

Q = Quantity


def _told_step(a: Analysis, dip: Dip, units: DisplayUnits) -> WorkingStep:
    """What list and verdict go by where single readings cannot be taken at their word."""
    told = f"margin {units.text(dip.told_margin_kpa, Q.PRESSURE, difference=True)}"
    if dip.told_share is not None:
        told += f", {dip.told_share:.0%} of normal"
    if a.at_or_above:
        off = units.text(
            float(np.median(np.broadcast_to(a.error.kpa, a.time_s.shape)[dip.first : dip.last])),
            Q.PRESSURE,
            difference=True,
        )
        why = (
            f"single readings are off by ± {off}, so the lowest of them is too low; a parabola about each "
            "reading gives what list and verdict go by"
        )
        how = "of what it differs from that, as much counts as the shaking does not explain"
    else:
        half = units.text(a.error.half_step_kpa, Q.PRESSURE, difference=True)
        why = (
            f"the pressure lay within {half} of each reading; what changes smoothly within that is what list "
            "and verdict go by"
        )
        how = "of two margins within the steps, one of which differs smoothly from that, the middle is taken"
    if a.likely_kpa is not None and math.isfinite(likely := float(a.likely_kpa[dip.lowest_margin])):
        at_such = (
            "such g, engine speed and oil temperature" if a.temperature_c is not None else "such g and engine speed"
        )
        why += f". At {at_such} the rest of the session leads to expect {units.text(likely, Q.PRESSURE)} here; {how}"
    return WorkingStep("Less the shaking" if a.at_or_above else "Within the steps", told, why)


def working(a: Analysis, d: JudgedDip, units: DisplayUnits) -> list[WorkingStep]:
    """How every number of one dip came about, and what would change it."""
    at, dip, e = d.dip.lowest_margin, d.dip, a.expected

    def p(kpa: float) -> str:
        return units.text(kpa, Q.PRESSURE)

    steps = [_reading_step(a, at, p, units)]
    expected = float(a.expected_kpa[at])
    if math.isfinite(expected):
        warm = float(a.temperature_c[at]) if a.temperature_c is not None else None
        heat = f", {units.text(warm, Q.TEMPERATURE)}" if warm is not None else ""
        # The gallery follows late: normal is that of the engine speed it has had time to follow.
        rpm = float(a.followed_rpm[at])
        thicker = float(a.drift.at(a.time_s[at : at + 1], np.array([rpm]))[0]) if a.drift is not None else 0.0
        if a.drift is not None:
            heat = (
                f", oil {math.exp(thicker):.2f} times as thick as in the middle of the session by what calm "
                "running shows"
            )
        free, capped, own = e.parts_at(rpm, warm, thicker)
        known_heat = np.array([warm]) if warm is not None else None
        low, high = (float(v[0]) for v in e.interval(np.array([rpm]), known_heat, thicker=thicker))
        steps.append(
            WorkingStep(
                "Normal pressure",
                f"softmin({p(free)} by pump and bearings, {p(capped)} by the relief valve) × {own:.3f} "
                "(this engine's own departure) = "
                f"{p(expected)} at {rpm:.0f} rpm{heat}; 90 % sure of {p(low)} to {p(high)}",
                f"fitted one-sidedly to {e.samples} samples of settled running (level pan, steady rpm, "
                f"warm); scatter ± {p(e.residual_kpa)}; "
                f"about {p(math.exp(e.log_k))} · (rpm/4000)^{e.b:.2f} · (ν/ν₉₅)^{e.c:.2f} below the "
                f"relief; viscosity of {e.oil.name} by ASTM D341",
            )
        )
        steps.append(
            WorkingStep(
                "% of normal",
                f"{p(float(a.pressure_kpa[at]))} / {p(expected)} = {float(a.pressure_kpa[at]) / expected:.0%}",
                f"lowest in the dip: {dip.min_share:.0%}" if dip.min_share is not None else "",
            )
        )
    floors = []
    for floor in a.floor.floors:
        level = float(floor.at(a.rpm[at : at + 1], a.expected_kpa[at : at + 1])[0])
        if math.isfinite(level):
            floors.append(f"{floor_words(floor, units)}: {p(level)}")
    steps.append(
        WorkingStep(
            "Floor",
            "; ".join(floors) + f"; the highest applies: {p(float(a.floor.kpa[at]))}",
            "rules chosen under Floors",
        )
    )
    steps.append(
        WorkingStep(
            "Margin",
            f"{p(float(a.pressure_kpa[at]))} − {p(float(a.floor.kpa[at]))} = {p(dip.min_margin_kpa)}",
            "the lowest margin and the lowest pressure need not fall on the same sample",
        )
    )
    if dip.told_margin_kpa != dip.min_margin_kpa:
        steps.append(_told_step(a, dip, units))
    steps.append(
        WorkingStep(
            "Length",
            f"{dip.end_s:.3f} s − {dip.start_s:.3f} s = {dip.duration_s:.2f} s",
            f"crossings of the floor, interpolated between samples; above {a.options.rules.rpm_gate:.0f} "
            f"rpm, at least {a.options.rules.least_s:g} s",
        )
    )
    steps.append(
        WorkingStep(
            "Deficit",
            f"∫ (floor − pressure) dt = {units.number(dip.deficit_kpa_s, Q.PRESSURE, difference=True)} "
            f"{units.pressure.symbol}·s",
            "trapezoids over the dip's own samples",
        )
    )
    steps.append(
        WorkingStep(
            "Cause", sentence(d, units), "g over the second before the crossing, held against the rest of the session"
        )
    )
    steps.append(WorkingStep("What would change it", _what_if(a, at, p), "the same sample under the other floor rules"))
    return steps


def _reading_step(a: Analysis, at: int, p: Callable[[float], str], units: DisplayUnits) -> WorkingStep:
    offset = a.zero
    value = float(a.pressure_kpa[at])
    name = next((c.name for c in a.recording.channels if c.role == "oil_pressure"), "oil pressure")
    formula = f"{p(value)}"
    source = f"'{name}' at {a.time_s[at]:.2f} s, as logged"
    if offset is not None:
        formula = (
            f"{p(value - offset.value)} as logged {'−' if offset.value < 0 else '+'} {p(abs(offset.value))} "
            f"= {p(value)}"
        )
        source = f"'{name}' at {a.time_s[at]:.2f} s; zero: {read_in(offset.reason, units)}"
    return WorkingStep("Lowest margin's pressure", formula, source)


def _what_if(a: Analysis, at: int, p: Callable[[float], str]) -> str:
    words = []
    for floor_rule in FLOOR_RULES:
        level = float(floor_rule.floor.at(a.rpm[at : at + 1], a.expected_kpa[at : at + 1])[0])
        if math.isfinite(level):
            under = float(a.pressure_kpa[at]) < level
            words.append(f"{floor_rule.name.lower()} {p(level)}: {'under' if under else 'not under'} it")
    return "; ".join(words)
