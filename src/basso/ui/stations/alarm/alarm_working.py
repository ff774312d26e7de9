"""The working behind the Alarm page: normal, floor and line at each rpm, cold, warm and at the worst oil. (No Qt.)"""

from __future__ import annotations

import numpy as np

from basso.alarm.findings import AlarmFindings, SetAlarm
from basso.alarm.proposals import MOST_FALSE_PER_HOUR
from basso.alarm.settings import HOTTER_C
from basso.pressure.floors import highest_floor
from basso.sentence import read_in
from basso.ui.stations.working import WorkingStep
from basso.units import DisplayUnits, Quantity
from basso.words.alarm import BENCH, idle_words, missed_words, setting_words, severe_words


def alarm_working(found: AlarmFindings, chosen: SetAlarm, units: DisplayUnits) -> list[WorkingStep]:
    """Step by step, from normal to what is caught."""
    s, basis, a = chosen.setting, found.basis, found.analysis

    def kpa(value: float) -> str:
        return units.text(value, Quantity.PRESSURE) if np.isfinite(value) else "not known"

    def heat(value: float) -> str:
        return units.text(value, Quantity.TEMPERATURE)

    logged = a.temperature_c[a.judged] if a.temperature_c is not None else np.empty(0)
    logged = logged[np.isfinite(logged)]
    steps = [
        WorkingStep(
            "Set to",
            read_in(setting_words(s, bool(chosen.moved)), units),
            "typed or drawn"
            if s != found.best.setting or chosen.moved
            else "proposed: of the kinds that cry no more "
            f"than {MOST_FALSE_PER_HOUR:g} times an hour, the one that catches most and follows the engine closest",
        )
    ]
    if s.at_c is not None and logged.size:
        steps.append(
            WorkingStep(
                "Worst oil",
                f"{heat(s.at_c)}; logged {units.number(float(logged.min()), Quantity.TEMPERATURE)} to "
                f"{heat(float(logged.max()))}",
                f"the hottest logged and {units.text(HOTTER_C, Quantity.TEMPERATURE, difference=True)} (default), "
                "unless typed",
            )
        )
    rule = chosen.rule
    for rpm, line in rule.first_shown.points if s.kind != "fixed" else ():
        speed = np.array([rpm])
        hot = basis.normal_kpa(speed, s.at_c)
        floor = highest_floor(basis.floors, speed, hot).kpa
        parts = [f"line {kpa(line)}", f"normal {kpa(float(hot[0]))}", f"floor {kpa(float(floor[0]))}"]
        others = []
        if logged.size:
            for name, at_c in (("coolest", float(logged.min())), ("middle", float(np.median(logged)))):
                normal = float(basis.normal_kpa(speed, at_c)[0])
                if np.isfinite(normal):
                    margin = units.text(normal - line, Quantity.PRESSURE, difference=True)
                    others.append(f"{margin} under normal with the {name} oil, {heat(at_c)}")
        drawn = "; drawn by hand" if rpm in chosen.moved else ""
        steps.append(WorkingStep(f"{rpm:.0f} rpm", ", ".join(parts), "; ".join(others) + drawn))
    steps.append(
        WorkingStep(
            "Shows",
            f"under the line for {rule.delay_s:g} s at {rule.gate_rpm:.0f} rpm or more, until "
            f"{units.text(rule.hysteresis_kpa, Quantity.PRESSURE, difference=True)} over it",
            "linear between points, level outside them",
        )
    )
    p = chosen.proof
    steps.append(
        WorkingStep(
            "Caught",
            f"{p.caught_severe} of {p.severe} severe, {p.caught} of {p.dips} dips, {p.false} false in "
            f"{60.0 * p.running_h:.0f} min; lit for {p.shown_s:.1f} s in all",
            f"{severe_words()}; caught: it shows while the dip lasts; false: a showing in which no dip lies",
        )
    )
    if chosen.act is not None:
        act = chosen.act
        steps.append(
            WorkingStep(
                "Stays on",
                f"{act.caught_severe} of {act.severe} severe, {act.caught} of {act.dips} dips, {act.false} false",
                "60 % of normal, or the caution line's margin where that is lower",
            )
        )
    title, why = missed_words(chosen)
    steps.append(WorkingStep(title, read_in(why, units), ""))
    steps.append(WorkingStep("At idle", idle_words(chosen), ""))
    for words in chosen.blind_to:
        steps.append(WorkingStep("Blind to", str(read_in(words, units)), ""))
    steps.append(WorkingStep("To mind", BENCH, ""))
    return steps
