"""The third step: the normal pressure, learned from settled running or taken from before, and the pressure's scale held
against it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from basso.analysis.located import Located
from basso.analysis.trusted import Trusted, accepted
from basso.normal.drift import Drift, fit_drifting
from basso.normal.expected import ExpectedPressure, fit_expected
from basso.normal.settled import SettledLimits, settled
from basso.pressure.earlier import KeptNormal, expected_before, heading_held
from basso.pressure.floors import LEAN_RULE, Slope
from basso.pressure.noise import steadied
from basso.pressure.options import JudgeOptions
from basso.recording.corrections import Correction
from basso.recording.gaps import or_zero
from basso.recording.recording import Frame, frame_on
from basso.recording.roles import Role
from basso.recording.rolling import rolling_min
from basso.sentence import phrase
from basso.trust.scale import check_scale_against
from basso.trust.verdict import Check
from basso.units import FloatArray

FOLLOW_S = 0.15
_BLIP_RPM = 250.0


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class Learned:
    """The normal a drive is held to; arrays of shape (n,) at the pressure's times.

    Attributes:
        readings: with the checks and corrections of the scale.
        followed_rpm: the engine speed that the gallery has had time to follow.
        given: the normal was not learned from this recording.
        drift: what normal followed where no oil temperature told.
    """

    drive: Located
    readings: Trusted
    frame: Frame
    pressure_kpa: FloatArray
    rpm: FloatArray
    followed_rpm: FloatArray
    temperature_c: FloatArray | None
    settled: NDArray[np.bool_]
    expected: ExpectedPressure
    expected_kpa: FloatArray
    given: bool
    drift: Drift | None


def learned(drive: Located, options: JudgeOptions) -> Learned:
    """The normal of a drive."""
    frame, readings = drive.frame, drive.readings
    pressure, rpm = frame.filled(Role.OIL_PRESSURE, np.nan), frame.filled(Role.RPM, np.nan)
    temperature = frame.get(Role.OIL_TEMP)
    is_settled = settled(frame, drive.lateral_g, drive.longitudinal_g, SettledLimits())
    given, held_to = _given_normal(options, temperature)
    readings = readings.with_checks(*held_to)
    followed = followed_rpm(rpm, frame.step_s, _follow_s(readings))
    drift: Drift | None = None
    if given is None:
        expected, drift = _learned(frame, pressure, temperature, is_settled, options)
    else:
        expected = given
    expected_kpa = _expected_kpa(expected, followed, temperature, drift, frame)
    before_kpa = _expected_before(options, followed, temperature)
    if before_kpa is not None:
        readings, made = _held_against(readings, pressure, before_kpa, rpm, is_settled, options)
        if made:
            frame = frame_on(readings.corrected, Role.OIL_PRESSURE)
            pressure = frame.filled(Role.OIL_PRESSURE, np.nan)
            if given is None:
                # What was learned from this log itself was learned on the wrong scale.
                expected, drift = _learned(frame, pressure, temperature, is_settled, options)
                expected_kpa = _expected_kpa(expected, followed, temperature, drift, frame)
    if not expected.valid and options.kept is not None and _can_hold(options.kept.expected, temperature):
        # Better an earlier normal of the same build than none; what is lost all the time then shows as well.
        given = options.kept.expected
        readings = readings.with_checks(_by_kept(options.kept, f"this log shows none: {expected.reason}"))
        expected, expected_kpa, drift = given, given.at(followed, temperature), None
    if drift is not None and expected.valid:
        readings = readings.with_checks(_drift_check(drift))
    if not expected.valid:
        readings = readings.with_checks(Check("expected", "warn", f"No expected pressure: {expected.reason}."))
    if options.known is not None:
        readings = readings.with_checks(*_lean_rule_on_wide_clearances(options, options.known.clearance))
    return Learned(
        drive=drive,
        readings=readings,
        frame=frame,
        pressure_kpa=pressure,
        rpm=rpm,
        followed_rpm=followed,
        temperature_c=temperature,
        settled=is_settled,
        expected=expected,
        expected_kpa=expected_kpa,
        given=given is not None,
        drift=drift,
    )


def _held_against(
    readings: Trusted,
    pressure: FloatArray,
    before_kpa: FloatArray,
    rpm: FloatArray,
    is_settled: NDArray[np.bool_],
    options: JudgeOptions,
) -> tuple[Trusted, Sequence[Correction]]:
    """The readings with their scale held against what the engine showed before, and what was put right of it."""
    channel = readings.corrected.channel(Role.OIL_PRESSURE)
    if channel is None:
        return readings, ()
    held = options.known is not None and heading_held(options.known.earlier, channel)
    scale = check_scale_against(channel, pressure, before_kpa, rpm, is_settled, heading_held=held)
    if scale is None:
        return readings, ()
    impossible = next((c for c in readings.checks if c.id == "scale" and c.level == "fail"), None)
    if impossible is not None and (scale.correction is None or scale.offered):
        # What no engine could show stays a reading that cannot be judged; by how much it is off is known better from
        # before.
        offer = scale.correction or impossible.correction
        scale = replace(
            impossible, correction=offer, offered=offer is not None, measured=scale.measured or impossible.measured
        )
    made = accepted([scale], options)
    checks = (*(c for c in readings.checks if c.id != "scale"), scale)
    return replace(readings, checks=checks).put_right(made), made


def _learned(
    frame: Frame,
    pressure: FloatArray,
    temperature: FloatArray | None,
    is_settled: NDArray[np.bool_],
    options: JudgeOptions,
) -> tuple[ExpectedPressure, Drift | None]:
    """The normal that a log shows itself; without temperature with the oil's drift about it."""
    rpm = frame.filled(Role.RPM, np.nan)
    pressure = steadied(pressure, rpm, is_settled, frame.step_s)
    if temperature is not None:
        return fit_expected(pressure, rpm, temperature, is_settled, options.oil), None
    return fit_drifting(frame.time_s, pressure, rpm, is_settled, options.oil)


def _expected_kpa(
    expected: ExpectedPressure, rpm: FloatArray, temperature: FloatArray | None, drift: Drift | None, frame: Frame
) -> FloatArray:
    return expected.at(rpm, temperature, drift.at(frame.time_s, rpm) if drift is not None else 0.0)


def _drift_check(drift: Drift) -> Check:
    fallen = drift.fallen
    words = (
        "Without an oil temperature normal follows the pressure of calm running. What pump and bearings "
        f"make had fallen by {fallen:.0%} at the "
        "end since it was highest, as that of warming oil does: a pressure that is lost over minutes "
        "for another reason looks the same."
    )
    return Check("oil_drift", "note", words, measured=fallen)


def _given_normal(options: JudgeOptions, temperature: FloatArray | None) -> tuple[ExpectedPressure | None, list[Check]]:
    """The normal that a recording is held to other than its own, and what is to be said of it; None: it is held to its
    own."""
    if options.normal is not None:
        if _can_hold(options.normal, temperature):
            return options.normal, []
        words = (
            "The normal of the earlier recordings is by oil temperature, and this log has none: it is "
            "held to its own instead, by "
            "engine speed only, and a loss that is there all the time does not show."
        )
        return None, [Check("expected", "warn", words)]
    kept = options.kept
    if options.by_kept and kept is not None and _can_hold(kept.expected, temperature):
        return kept.expected, [_by_kept(kept, "chosen so")]
    return None, []


def _can_hold(normal: ExpectedPressure, temperature: FloatArray | None) -> bool:
    """Whether a recording has what a normal asks for; one that is not valid says so itself."""
    return not normal.valid or normal.temperature_range_c is None or temperature is not None


def _by_kept(kept: KeptNormal, why: str) -> Check:
    own = " This log is among those it was learned from." if kept.own else ""
    return Check("expected", "note", phrase("Normal is that of {}, kept on {} ({}).{}", kept.title, kept.day, why, own))


def _expected_before(options: JudgeOptions, rpm: FloatArray, temperature: FloatArray | None) -> FloatArray | None:
    """What this engine showed before, by the recordings that were named or by the garage; None where neither says."""
    if options.normal is not None:
        return options.normal.at(rpm, temperature)
    return expected_before(options.known.earlier, rpm, temperature) if options.known is not None else None


def _lean_rule_on_wide_clearances(options: JudgeOptions, clearance: str) -> list[Check]:
    """The lean per-thousand rule is for production clearances: on wider ones it asks too little, and that is said."""
    if clearance in ("", "production") or not any(
        isinstance(f, Slope) and f.rule == LEAN_RULE.rule for f in options.floors
    ):
        return []
    check = Check(
        "clearance",
        "warn",
        f"This engine's clearances are {clearance} on its card, and the 7 psi per 1000 rpm rule is for "
        "production ones: it asks too little "
        "of this engine. Choose its floor (Floors).",
    )
    return [check]


def _follow_s(readings: Trusted) -> float:
    """How long the gallery of this log takes to follow the rpm: 0.15 s, or longer where it was measured to be
    slower."""
    delay = next((c for c in readings.checks if c.id == "delay"), None)
    if delay is None or delay.measured is None:
        return FOLLOW_S
    taken_out = sum(c.value for c in readings.corrections if c.kind == "delay")
    return min(max(FOLLOW_S, 3.5 * (delay.measured - taken_out)), 4.0 * FOLLOW_S)


def followed_rpm(rpm: FloatArray, step_s: float, follow_s: float = FOLLOW_S) -> FloatArray:
    """The rpm the gallery has had time to follow.

    The gallery lags the engine: where the rpm jumps up by more than 250 within the time it takes to follow (a blip,
    a downshift), the lowest rpm of that time counts, so that a floor that leaps is not held against oil that cannot.
    """
    known = or_zero(rpm)
    size = max(1, round(follow_s / max(step_s, 1e-3)) + 1)
    lately = rolling_min(known, size, trailing=True)
    return np.where(known - lately > _BLIP_RPM, lately, known)
