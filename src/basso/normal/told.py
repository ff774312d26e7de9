"""Everything that is told about one session's normal, in one place: the curve, the schools, the oils, cold to hot, what changed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from basso.analysis import Analysis
from basso.normal.question import OIL_L, TARGET_C, Question
from basso.normal.schools import SchoolFinding, held_by_schools
from basso.oil.grades import Grade, grades
from basso.pressure.adviser import AskedAt, OilAdvice, advise
from basso.pressure.changed import NormalChange, changed_normal
from basso.pressure.expected import ExpectedPressure
from basso.pressure.warmup import (
    Heating,
    HotIdle,
    ToShed,
    WarmUp,
    WaterAndOil,
    heating,
    hot_idle,
    to_shed,
    warm_up,
    water_and_oil,
)
from basso.progress import Progress, silent
from basso.recording.roles import Role
from basso.units import FloatArray


@dataclass(frozen=True, slots=True, eq=False)
class EarlierNormal:
    """An earlier normal to hold a session against: what it is called, its day ("" where not known), the curve."""

    title: str
    day: str
    expected: ExpectedPressure
    idle: HotIdle | None = None


@dataclass(frozen=True, slots=True, eq=False)
class HeldAgainst:
    """A session against one earlier normal."""

    earlier: EarlierNormal
    change: NormalChange


@dataclass(frozen=True, slots=True, eq=False)
class NormalTold:
    """What is told about a session's normal; carries the analysis and the question it answers.

    ``racing_rpm``, ``hot_c``: what the session was driven at, or what was asked for. ``history``: held against
    earlier normals, oldest first; empty where there is none.
    """

    analysis: Analysis
    question: Question
    racing_rpm: float
    hot_c: float
    schools: tuple[SchoolFinding, ...]
    advice: OilAdvice | None
    warm_up: WarmUp | None
    hot_idle: HotIdle | None
    heating: Heating | None
    to_shed: ToShed | None
    water: WaterAndOil | None
    history: tuple[HeldAgainst, ...]

    @property
    def change(self) -> NormalChange | None:
        """Against the newest earlier normal that can be told of; None where there is none to hold it against."""
        told = [h.change for h in self.history if h.change.candidates]
        return told[-1] if told else self.history[-1].change if self.history else None


def tell_normal(
    analysis: Analysis,
    question: Question | None = None,
    earlier: Sequence[EarlierNormal] = (),
    progress: Progress = silent,
) -> NormalTold | None:
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
    for i, e in enumerate(earlier):
        progress(i / len(earlier), f"holding it against {e.title}")
        history.append(HeldAgainst(e, changed_normal(e.expected, a.pressure_kpa, a.rpm, a.temperature_c, a.settled)))
    return NormalTold(
        a, question, rpm, hot, tuple(held_by_schools(a, rpm, hot, a.options.floors)), _advice(a, question, rpm, hot),
        warm_up(a.time_s, a.rpm, a.temperature_c), idle_of(a),
        found, to_shed(found, question.target_c or TARGET_C, question.oil_l or OIL_L), water_and_oil(a.rpm, _water(a), a.temperature_c),
        tuple(history),
    )  # fmt: skip


def _advice(a: Analysis, question: Question, rpm: float, hot_c: float) -> OilAdvice | None:
    if not np.isfinite(hot_c):
        return None
    known = {**grades(), **question.data_sheets}
    oils: Sequence[Grade] = [*known.values(), *([] if a.expected.oil.name in known else [a.expected.oil])]
    asked = AskedAt(
        rpm, hot_c, question.start_c, question.margin_kpa, question.listed, question.pump_cm3, question.window_kpa
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


def idles_before(told: NormalTold) -> FloatArray:
    """The hot idles of earlier sessions at this one's engine speed and oil temperature, kPa, oldest first.

    Each is moved there along its own session's normal: an idle is only compared at one temperature. Those more than 200 rpm
    or 20 °C away are left out.
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
    return a.settled & (np.interp(a.time_s, speed.time_s, np.nan_to_num(speed.values)) < 3.0)
