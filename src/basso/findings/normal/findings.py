"""Everything found about one session's normal: the curve, the floor rules, the oils, cold to hot, what changed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from basso.analysis import Analysis
from basso.findings.normal.adviser import AskedAt, FloorMet, OilAdvice, advise, ceiling_of, floor_met
from basso.findings.normal.before import AirsPart, CoolerOil, HeatBefore, Seasons, airs_part, cooler_oil, seasons
from basso.findings.normal.clearance import FlowNeed, flow_need
from basso.findings.normal.cooler import CoolerTrade, cooler_trade
from basso.findings.normal.floor_rules import FloorRuleFinding, held_by_floor_rules, held_by_lines
from basso.findings.normal.question import OIL_L, TARGET_C, Question
from basso.normal.changed import OIL_SD, NormalChange, changed_normal
from basso.normal.expected import ExpectedPressure
from basso.normal.warmup import (
    Heating,
    HotIdle,
    OilHeat,
    ToShed,
    WarmUp,
    WaterAndOil,
    heating,
    hot_idle,
    oil_heat,
    to_shed,
    warm_up,
    water_and_oil,
)
from basso.oil.grades import Grade, grades
from basso.pressure.earlier import Known, cold_peak_kpa
from basso.progress import Progress, silent
from basso.recording.gaps import median_known, or_zero
from basso.recording.roles import Role
from basso.units import FloatArray


@dataclass(frozen=True, slots=True, eq=False)
class EarlierNormal:
    """An earlier normal to hold a session against.

    Attributes:
        title, day: what it is called, its day ("" where not known).
        idle, heat: the hot idle and how warm the oil was driven, of a session.
        kept: a version of a build's normal that the garage keeps; ``masked``: an armed accumulator may have held it up.
    """

    title: str
    day: str
    expected: ExpectedPressure
    idle: HotIdle | None = None
    heat: OilHeat | None = None
    kept: bool = False
    masked: bool = False


@dataclass(frozen=True, slots=True, eq=False)
class HeldAgainst:
    """A session against one earlier normal. ``moved``: that normal was learned with another oil and moved to this
    one's."""

    earlier: EarlierNormal
    change: NormalChange
    moved: bool = False


@dataclass(frozen=True, slots=True, eq=False)
class NormalFindings:
    """What is told about a session's normal; carries the analysis and the question it answers.

    Attributes:
        racing_rpm, hot_c: what the session was driven at, or what was asked for.
        lines: what the owner holds the car to beside the floors.
        history: held against earlier normals, oldest first, kept ones last; empty where there is none.
        heat: how warm the oil was driven; ``seasons``, ``cooler_oil``, ``airs_part``: beside earlier sessions.
        cooler: what cooling to the wanted temperature would gain and cost in pressure.
        over_ceiling_s: seconds with the oil that is in over its ceiling; None where it has none.
        flow: what the engine's clearances ask for.
        cold_peak_kpa: highest pressure with the oil under 50 °C, None where it was never cold.
        floor_met: the oil temperature at which normal falls to the floor, every 500 rpm that was driven.
    """

    analysis: Analysis
    question: Question
    racing_rpm: float
    hot_c: float
    floor_rules: tuple[FloorRuleFinding, ...]
    lines: tuple[FloorRuleFinding, ...]
    advice: OilAdvice | None
    warm_up: WarmUp | None
    hot_idle: HotIdle | None
    heating: Heating | None
    to_shed: ToShed | None
    water: WaterAndOil | None
    history: tuple[HeldAgainst, ...]
    heat: OilHeat | None
    seasons: Seasons | None
    cooler_oil: CoolerOil | None
    airs_part: AirsPart
    cooler: CoolerTrade | None
    over_ceiling_s: float | None
    flow: FlowNeed | None
    cold_peak_kpa: float | None
    floor_met: tuple[FloorMet, ...]

    @property
    def held(self) -> HeldAgainst | None:
        """The earlier normal that says most: the newest that can be told of; None where there is none to hold it
        against."""
        told = [h for h in self.history if h.change.candidates]
        return told[-1] if told else self.history[-1] if self.history else None

    @property
    def change(self) -> NormalChange | None:
        """How the session lies to that one."""
        return self.held.change if self.held is not None else None


def earlier_of(known: Known | None) -> list[EarlierNormal]:
    """The normals that the garage knows of the car: those of earlier sessions, oldest first, then those that are kept.

    What says most stands last: the build's newest kept one. One that was learned from this very log says least.
    """
    if known is None:
        return []
    sessions = [EarlierNormal(e.title, e.day, e.expected, e.idle, e.heat, masked=e.masked) for e in known.earlier]
    own, other, holding = (
        [EarlierNormal(k.title, k.day, k.expected, k.idle, kept=True) for k in known.kept if wanted(k)]
        for wanted in (lambda k: k.own, lambda k: not k.own and not k.holds, lambda k: not k.own and k.holds)
    )
    return [*own, *other, *sessions, *holding]


def find_normal(
    analysis: Analysis,
    question: Question | None = None,
    earlier: Sequence[EarlierNormal] = (),
    progress: Progress = silent,
) -> NormalFindings | None:
    """Put together what is told about a session's normal; None where it cannot be judged at all.

    ``earlier``: normals that the session is held against, oldest first.
    """
    question = question or Question()
    a = analysis
    if not a.judgeable or not a.judged.any():
        return None
    rpm = question.rpm if question.rpm is not None else float(np.percentile(a.rpm[a.judged], 95))
    driven = a.temperature_c[a.judged & np.isfinite(a.temperature_c)] if a.temperature_c is not None else np.empty(0)
    hot = question.hot_c
    if hot is None:
        hot = float(np.percentile(driven, 99)) if driven.size else float("nan")
    found = heating(a.time_s, a.rpm, a.temperature_c)
    history = []
    plain = [e for e in earlier if e.expected.valid and not e.masked]
    for i, e in enumerate(plain):
        progress(i / len(plain), f"holding it against {e.title}")
        before, oil = e.expected, a.options.oil
        moved = before.learned_oil != oil and before.temperature_range_c is not None
        change = changed_normal(
            before.on_oil(oil), a.pressure_kpa, a.rpm, a.temperature_c, a.settled, OIL_SD if moved else 0.0
        )
        history.append(HeldAgainst(e, change, moved))
    heat = heat_of(a)
    heats = [HeatBefore(e.title, e.day, e.expected.oil, e.heat) for e in earlier if e.heat is not None and not e.kept]
    oil = a.options.oil
    advice = _advice(a, question, rpm, hot)
    lines = held_by_lines(a, rpm, hot, question.lines)
    over = next((g.over_kpa for g in advice.grades if g.grade == oil), None) if advice is not None else None
    return NormalFindings(
        analysis=a,
        question=question,
        racing_rpm=rpm,
        hot_c=hot,
        floor_rules=tuple(held_by_floor_rules(a, rpm, hot, a.options.floors)),
        lines=tuple(lines),
        advice=advice,
        warm_up=warm_up(a.time_s, a.rpm, a.temperature_c),
        hot_idle=idle_of(a),
        heating=found,
        to_shed=to_shed(found, question.target_c or TARGET_C, question.oil_l or OIL_L),
        water=water_and_oil(a.rpm, _water(a), a.temperature_c),
        history=tuple(history),
        heat=heat,
        seasons=seasons(heat, heats),
        cooler_oil=cooler_oil(oil, heat, heats),
        airs_part=airs_part(heat, heats),
        cooler=cooler_trade(a, rpm, found, question.target_c or TARGET_C),
        over_ceiling_s=_over_ceiling_s(a, question.ceilings),
        flow=flow_need(question.clearance, rpm, question.pump_cm3, over),
        cold_peak_kpa=cold_peak_kpa(a.pressure_kpa, a.temperature_c),
        floor_met=floor_met(a.expected, a.options.floors, _round_speeds(a.expected)),
    )


def _round_speeds(e: ExpectedPressure) -> list[float]:
    low, high = e.rpm_range
    return [float(n) for n in range(500, int(high) + 500, 500) if low - 250.0 <= n <= high + 250.0]


def heat_of(a: Analysis) -> OilHeat | None:
    """How warm a session drove its oil, with the air as logged, else as it was written down."""
    air = a.corrected.channel(Role.AIR_TEMP)
    logged = median_known(air.values) if air is not None and np.isfinite(air.values).any() else None
    written = a.options.known.air_c if a.options.known is not None else None
    return oil_heat(a.time_s, a.rpm, a.temperature_c, written if written is not None else logged)


def _over_ceiling_s(a: Analysis, ceilings: Mapping[str, float]) -> float | None:
    ceiling = ceiling_of(a.options.oil, ceilings)
    if ceiling is None or a.temperature_c is None:
        return None
    step = np.diff(a.time_s, append=a.time_s[-1:])
    # A pause between two stretches of a log is no time over anything.
    return float(step[(a.temperature_c > ceiling) & (step < 2.0)].sum())


def _advice(a: Analysis, question: Question, rpm: float, hot_c: float) -> OilAdvice | None:
    if not np.isfinite(hot_c):
        return None
    known = {**grades(), **question.data_sheets}
    oils: Sequence[Grade] = [*known.values(), *([] if a.expected.oil.name in known else [a.expected.oil])]
    asked = AskedAt(
        rpm=rpm,
        hot_c=hot_c,
        start_c=question.start_c,
        margin_kpa=question.margin_kpa,
        listed=question.listed,
        pump_cm3=question.pump_cm3,
        window_kpa=question.window_kpa,
        window_at=question.window_at,
        ceilings=question.ceilings,
    )
    return advise(a.expected, a.options.floors, oils, asked)


def _water(a: Analysis) -> FloatArray | None:
    channel = a.corrected.channel(Role.COOLANT_TEMP)
    if channel is None or np.isfinite(channel.values).sum() < 2:
        return None
    known = np.isfinite(channel.values)
    return np.interp(a.time_s, channel.time_s[known], channel.values[known])


def idle_of(a: Analysis) -> HotIdle | None:
    """A session's hot idle; None where it has none."""
    return hot_idle(a.time_s, a.rpm, a.pressure_kpa, a.temperature_c, _still(a))


def idles_before(told: NormalFindings) -> FloatArray:
    """The hot idles of earlier sessions at this one's engine speed and oil temperature, kPa, oldest first.

    Each is moved there along its own session's normal: an idle is only compared at one temperature. Those more than 200
    rpm or 20 °C away are left out.
    """
    now, found = told.hot_idle, []
    for e in (h.earlier for h in told.history):
        if (
            now is None
            or e.idle is None
            or abs(e.idle.rpm - now.rpm) > 200.0
            or abs(e.idle.temperature_c - now.temperature_c) > 20.0
        ):
            continue
        there, here = e.expected.at(
            np.array([e.idle.rpm, now.rpm]), np.array([e.idle.temperature_c, now.temperature_c])
        )
        if np.isfinite(here) and there > 0.0:
            found.append(e.idle.kpa * here / there)
    return np.array(found)


def _still(a: Analysis) -> np.ndarray:
    """Where the car stands, as far as it was logged, and the engine's speed is steady (settled says so)."""
    speed = a.corrected.channel(Role.SPEED)
    if speed is None or speed.values.size < 2:
        return a.settled
    return a.settled & (np.interp(a.time_s, speed.time_s, or_zero(speed.values)) < 3.0)
