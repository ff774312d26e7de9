"""What each station of the path says about itself, from real data. (No Qt widgets.)"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from basso.pressure.gauge import judge_readings
from basso.recording.roles import Role
from basso.track.runs import run_words
from basso.ui.rail import State
from basso.units import DisplayUnits, Quantity

if TYPE_CHECKING:
    from basso.analysis import Analysis
    from basso.garage.history import CarHistory
    from basso.ui.workspace import Workspace


def station_states(workspace: Workspace, car: CarHistory | None = None) -> dict[str, State]:
    """The state of every station that can say something."""
    a, units = workspace.analysis, workspace.units
    states = {"trial": _trial(workspace), "sump": State("pan not measured"), "alarm": State("not set")}
    if car is not None:
        states["garage"] = _garage(car)
    elif workspace.shown is not None and workspace.shown.build:
        states["garage"] = State(workspace.shown.build)
    if a is None:
        states["recordings"] = State(
            f"{len(workspace.entries)} logs" if workspace.entries else "no log open yet",
            "" if workspace.entries else "attention",
        )
        return states
    laps = sum(lap.complete for lap in a.laps)
    states["sensors"] = _sensors(a, units)
    channels = sum(c.role is not Role.TIME for c in a.recording.channels)
    states["recordings"] = State((f"{laps} laps, " if laps else "") + f"{channels} channels")
    states["normal"] = _normal(a, units)
    states["dips"] = _dips(a)
    states["corners"] = _corners(a)
    states["accumulator"] = State("pressure logged" if a.recording.has(Role.ACCUMULATOR_PRESSURE) else "none logged")
    return states


def _garage(car: CarHistory) -> State:
    from basso.garage.build_line import state_of_oil

    oil = state_of_oil(car)
    due = oil.due[0] if oil is not None and oil.due else None
    if due is not None and due.used >= due.limit:
        return State("oil change overdue", "attention")
    unfinished = sum(not j.closed for j in car.jobs)
    if unfinished:
        return State(f"{unfinished} {'job' if unfinished == 1 else 'jobs'} open")
    return State(f"{len(car.builds)} builds, {len(car.sessions)} sessions")


def _dips(a: Analysis) -> State:
    if not a.judgeable:
        return State("cannot be judged yet", "attention")
    if a.recording.manual:
        readings = judge_readings(a.recording, a.options.floors)
        below = sum(r.margin_kpa is not None and r.margin_kpa < 0 for r in readings)
        return State(f"{below} of {len(readings)} readings" if below else "no reading below", "below" if below else "")
    if not a.dips:
        return State("none found" if a.judged.any() else "nothing to judge")
    severe = sum(d.severity == "severe" for d in a.dips)
    return State(f"{len(a.dips)} dips" + (f", {severe} severe" if severe else ""), "below")


def _sensors(a: Analysis, units: DisplayUnits) -> State:
    offset = a.zero
    if offset is not None:
        return State(f"zero off by {units.text(abs(offset.value), Quantity.PRESSURE, difference=True)}", "attention")
    for level, mark in (("fail", "below"), ("warn", "attention")):
        found = [c for c in a.checks if c.level == level and c.id != "clearance"]
        if found:
            names = {
                "zero": "zero assumed",
                "spikes": "spikes left out",
                "oil_temp": "no oil temperature",
                "g": "no g logged",
                "expected": "no normal",
                "rpm": "no engine speed",
                "oil_pressure": "no oil pressure",
                "delay": "late, corrected",
                "update_rate": "renewed slowly",
                "gauge": "read off a gauge",
                "doubt": "a unit or column is doubted",
            }
            return State(names.get(found[0].id, found[0].id.replace("_", " ")), mark)
    return State("readings hold up" if a.side.proven else "left or right not proven")


def _normal(a: Analysis, units: DisplayUnits) -> State:
    if not a.expected.valid:
        return State("not enough to learn it", "attention")
    level = float(np.nanmedian(a.pressure_kpa[a.settled])) if a.settled.any() else float("nan")
    words = f"fits to {a.expected.residual_kpa / level:.1%}" if np.isfinite(level) else "learned"
    heat = a.expected.temperature_range_c
    if heat is not None:
        low, high = (units.number(v, Quantity.TEMPERATURE) for v in heat)
        words += f", {low}–{high} {units.temperature.symbol}"
    return State(words)


def _corners(a: Analysis) -> State:
    if a.track is None:
        kinds = [r.kind for r in a.runs]
        most = max(dict.fromkeys(kinds), key=kinds.count, default="")
        return State(run_words(most, kinds.count(most)) if most else "no laps to place dips on")
    places = [d.place.label for d in a.dips if d.place is not None]
    if not places:
        turns = f"{sum(p.is_corner for p in a.track.places)} turns"
        return State(f"{turns}, no dips" if a.judged.any() else f"{turns}, nothing to judge")
    worst = max(dict.fromkeys(places), key=places.count)  # of equals the one that came first
    return State(f"most in {worst}", "below")


def _trial(workspace: Workspace) -> State:
    c = workspace.comparison
    if c is None:
        return State("choose before and after" if not (workspace.trial_a and workspace.trial_b) else "comparing", "")
    words = {
        "better": "helps",
        "worse": "worse",
        "no_clear_change": "no clear change",
        "not_comparable": "not comparable",
    }[c.verdict]
    if c.effect_kpa is not None and c.verdict in ("better", "worse"):
        words += f", {workspace.units.text(c.effect_kpa.estimate, Quantity.PRESSURE, difference=True, signed=True)}"
    return State(words, "below" if c.verdict == "worse" else "attention" if c.verdict == "not_comparable" else "")
