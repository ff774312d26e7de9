"""How a warning device is set: what its settings rest on, and the line that each setting draws."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from basso.alarm.backtest import Drive, Proof, drive_of, prove
from basso.alarm.rules import AlarmRule, Kind
from basso.analysis import Analysis
from basso.errors import InputError
from basso.normal.expected import ExpectedPressure
from basso.pressure.floors import Floor, highest_floor
from basso.sentence import in_celsius, phrase
from basso.units import FloatArray

MARGINS_KPA = (10.0, 15.0, 20.0, 25.0, 30.0, 40.0, 50.0, 60.0, 80.0, 100.0, 120.0)
SHARES = (0.95, 0.92, 0.9, 0.87, 0.85, 0.8, 0.75, 0.7, 0.65, 0.6)
NARROW_GATE_RPM, STEP_RPM = 3000.0, 500.0
FACTORY_KPA = 40.0
"""Where a factory's pressure switch usually closes (domain: 5–6 psi)."""
FIXED_DELAY_S = 0.5
HOTTER_C = 3.0
"""Worst credible oil: so much hotter than was logged (default)."""
_LEAST_HOT_C = 80.0
_MOST_UNDER_FLOOR_KPA = 50.0
"""Oil so hot that normal itself sinks below the floor is a reason to come in, and a line under normal never says so."""
_ACT_SHARE = 0.60
_STRANGE_SHARE = 0.15
"""A normal so far from the one an alarm is set by is another engine's, oil's or sensor's (default)."""
_LEAST_KPA = 20.0


@dataclass(frozen=True, slots=True)
class Setting:
    """What a person sets on a device.

    Attributes:
        amount: ``gated``, ``table``, ``two_stage``: kPa under normal; ``share``: of normal; ``fixed``: kPa.
        gate_rpm: silent below.
        at_c: oil temperature that normal is taken at; None where none was logged.
        delay_s: under the line for so long before it shows.
    """

    kind: Kind
    amount: float
    gate_rpm: float
    at_c: float | None
    delay_s: float = 0.15


@dataclass(frozen=True, slots=True, eq=False)
class Basis:
    """What settings of one car rest on.

    Attributes:
        normal: expected pressure.
        floors: the floors its dips were judged by.
        worst_c: the worst credible oil temperature; None where none was logged.
        top_rpm: as fast as it was driven.
        drives: what it is set by; ``held_out``: what it is proved on only.
        idle_kpa: the pressures at hot idle.
    """

    normal: ExpectedPressure
    floors: tuple[Floor, ...]
    worst_c: float | None
    top_rpm: float
    drives: tuple[Drive, ...]
    held_out: tuple[Drive, ...]
    idle_kpa: FloatArray

    def normal_kpa(self, rpm: FloatArray, at_c: float | None) -> FloatArray:
        """Normal pressure at engine speeds, shape (n,); NaN where it is not known."""
        return self.normal.at(rpm, None if at_c is None else np.full(rpm.shape, at_c))

    def rule(self, setting: Setting) -> AlarmRule:
        """The device as it is set.

        Raises:
            InputError: normal is not known over the gate.
        """
        if setting.kind == "fixed":
            return AlarmRule("fixed", 0.0, ((0.0, _kept(setting.amount)),), setting.delay_s)
        speeds, normal = self._known_normal(setting)
        if setting.kind == "gated":
            points: tuple[tuple[float, float], ...] = ((float(speeds[0]), _kept(normal[0] - setting.amount)),)
            return AlarmRule("gated", setting.gate_rpm, points, setting.delay_s)
        if setting.kind == "share":
            return AlarmRule("share", setting.gate_rpm, _points(speeds, setting.amount * normal), setting.delay_s)
        floor = highest_floor(self.floors, speeds, normal).kpa
        line = np.fmax(normal - setting.amount, floor - under_floor_kpa(setting.amount))
        if setting.kind == "table":
            return AlarmRule("table", setting.gate_rpm, _points(speeds, line), setting.delay_s)
        act = _points(speeds, np.minimum(_ACT_SHARE * normal, normal - setting.amount))
        return AlarmRule("two_stage", setting.gate_rpm, act, setting.delay_s, caution_points=_points(speeds, line))

    def _known_normal(self, setting: Setting) -> tuple[FloatArray, FloatArray]:
        """(speeds, normal) from the gate up, where normal is known."""
        gate = setting.gate_rpm
        speeds = np.arange(gate, max(self.top_rpm, gate + STEP_RPM) + STEP_RPM, STEP_RPM)
        normal = self.normal_kpa(speeds, setting.at_c)
        known = np.isfinite(normal)
        if not known.any():
            raise InputError(
                f"Normal pressure over {gate:.0f} rpm is not known; log a faster drive, or lower the gate."
            )
        return speeds[known], normal[known]

    def held_by_floor(self, setting: Setting) -> float:
        """Share of the line's points that the floor holds up."""
        if setting.kind not in ("table", "two_stage"):
            return 0.0
        speeds, normal = self._known_normal(setting)
        floor = highest_floor(self.floors, speeds, normal).kpa
        return float(np.mean(floor - under_floor_kpa(setting.amount) > normal - setting.amount))

    def idle_shown(self, rule: AlarmRule) -> float | None:
        """Share of hot idling under the line of what shows first; None where it never idled hot."""
        if not self.idle_kpa.size:
            return None
        if rule.gate_rpm > 0.0:
            return 0.0
        return float(np.mean(self.idle_kpa < rule.first_shown.points[0][1]))

    def amounts(self, kind: Kind) -> tuple[float, ...]:
        """What is tried of a kind, from the one nearest to normal on."""
        if kind == "share":
            return SHARES
        if kind == "fixed":
            fast = self.normal_kpa(np.array([self.top_rpm]), self.worst_c)[0]
            return tuple(np.arange(300.0 if np.isnan(fast) else round(fast, -1), 10.0, -20.0).tolist())
        return MARGINS_KPA


def under_floor_kpa(amount: float) -> float:
    """How far under the floor a line under normal may lie at most: where normal itself sinks below the floor."""
    return min(amount / 2.0, _MOST_UNDER_FLOOR_KPA)


def strangers(basis: Basis) -> list[tuple[str, float]]:
    """(log, its normal over that of the basis) of the sessions whose own normal is another: not this engine, oil or
    sensor, or not as it was. Held against each other where both are known, at the middle of that session's oil."""
    found = []
    for drive in (*basis.drives, *basis.held_out):
        a = drive.analysis
        if a.expected is basis.normal or not a.expected.valid:
            continue
        speeds = np.arange(NARROW_GATE_RPM, max(basis.top_rpm, NARROW_GATE_RPM) + 1.0, STEP_RPM)
        heat = None
        if a.temperature_c is not None and np.isfinite(a.temperature_c[a.judged]).any():
            heat = np.full(speeds.shape, float(np.nanmedian(a.temperature_c[a.judged])))
        ratio = a.expected.at(speeds, heat) / basis.normal.at(speeds, heat)
        ratio = ratio[np.isfinite(ratio)]
        if ratio.size and abs(float(np.median(ratio)) - 1.0) > _STRANGE_SHARE:
            found.append((a.recording.path.name, float(np.median(ratio))))
    return found


def basis_of(analyses: Sequence[Analysis], held_out: Sequence[Analysis] = ()) -> Basis:
    """What an alarm is set by: judged sessions of one car.

    Raises:
        InputError: a check failed that nothing rights, or the logs do not cover what an alarm is set for: fast with
            warm oil.
    """
    for a in (*analyses, *held_out):
        if a.barred_by is not None:
            raise InputError(
                phrase("{}: no alarm is set or proved by it: {}", a.recording.path.name, a.barred_by.message)
            )
        if a.zero_state == "wrong":
            raise InputError(
                f"{a.recording.path.name}: the oil pressure's zero is off and not put right; no alarm is set by it. "
                "Take its correction first."
            )
    name = analyses[0].recording.path.name
    model = next((a.expected for a in analyses if a.expected.valid), None)
    if model is None:
        raise InputError(
            f"{name}: normal pressure could not be learned, and an alarm is set by it; log a longer drive."
        )
    hot = [
        float(np.nanmax(a.temperature_c))
        for a in analyses
        if a.temperature_c is not None and np.isfinite(a.temperature_c).any()
    ]
    if hot and max(hot) < _LEAST_HOT_C:
        raise InputError(
            phrase(
                "{}: the oil never got hotter than {}; an alarm set by a cool drive cries on a hot one. Log a drive at "
                "racing temperature.",
                name,
                in_celsius(max(hot)),
            )
        )
    worst_c = max(hot) + HOTTER_C if hot else None
    top = max((float(np.nanpercentile(a.rpm[a.judged], 99.5)) for a in analyses if a.judged.any()), default=0.0)
    basis = Basis(
        normal=model,
        floors=tuple(analyses[0].floor.floors),
        worst_c=worst_c,
        top_rpm=top,
        drives=tuple(drive_of(a) for a in analyses),
        held_out=tuple(drive_of(a) for a in held_out),
        idle_kpa=_hot_idle(analyses),
    )
    reached = np.arange(NARROW_GATE_RPM, max(top, NARROW_GATE_RPM + STEP_RPM) + STEP_RPM, STEP_RPM)
    if not np.isfinite(basis.normal_kpa(reached, worst_c)).any():
        raise InputError(f"{name}: normal pressure over {NARROW_GATE_RPM:.0f} rpm is not known; log a faster drive.")
    return basis


@dataclass(frozen=True, slots=True)
class Curve:
    """What a kind catches for how many false alarms, from the amount nearest to normal on.

    Attributes:
        proofs: of each amount; of two stages, of what blinks.
    """

    kind: Kind
    amounts: tuple[float, ...]
    proofs: tuple[Proof, ...]


def curve_of(basis: Basis, setting: Setting) -> Curve:
    """The other amounts of a setting, proved on what it is set by."""
    amounts = basis.amounts(setting.kind)
    rules = [basis.rule(replace(setting, amount=amount)) for amount in amounts]
    return Curve(setting.kind, amounts, tuple(prove(r.first_shown, basis.drives) for r in rules))


def _hot_idle(analyses: Sequence[Analysis]) -> FloatArray:
    idle: list[FloatArray] = [np.empty(0)]
    for a in analyses:
        hot = np.ones(a.rpm.shape, dtype=np.bool_)
        if a.temperature_c is not None:
            hot = np.nan_to_num(a.temperature_c) >= np.nanmax(a.temperature_c) - 15.0
        at_idle = hot & (a.rpm >= IDLE_RPM[0]) & (a.rpm <= IDLE_RPM[1]) & np.isfinite(a.pressure_kpa)
        idle.append(a.pressure_kpa[at_idle])
    return np.concatenate(idle)


IDLE_RPM = (500.0, 1300.0)


def _kept(kpa: float) -> float:
    return round(float(max(kpa, _LEAST_KPA)), 1)


def _points(speeds: FloatArray, kpa: FloatArray) -> tuple[tuple[float, float], ...]:
    return tuple((float(n), _kept(p)) for n, p in zip(speeds, kpa, strict=True))
