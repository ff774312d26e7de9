"""The zero of the pressure sensor, from the stretch with the engine stopped.

A gauge sensor must read 0 ± 3 kPa with the engine stopped; a sealed or absolute one reads about one atmosphere,
which falls with altitude and weather. What is subtracted is always what this log shows, never a constant.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from basso.recording.corrections import Correction
from basso.recording.recording import Recording, frame_on
from basso.recording.roles import Role
from basso.recording.spans import runs_of
from basso.sentence import in_kpa, phrase
from basso.trust.steps import NOTED_STEP_KPA, step_kpa
from basso.trust.verdict import Check
from basso.units import FloatArray

_GAUGE_TOLERANCE_KPA = 3.0
_STOPPED_RPM = 60.0
_LEAST_S = 0.8
_SETTLING_S = 3.0
_STEADY_KPA = 6.0
_OFTEN = 0.05
_ENOUGH_ALIKE, _NEARLY_ALL = 10, 0.8


def check_zero(recording: Recording) -> Check:
    """Find the zero from engine-off samples at the start or the end of the log.

    Before the first start the whole stretch counts; after a stop the first seconds, while the gallery drains,
    do not. Without any engine-off stretch the zero is an assumption and the check says so.
    """
    pressure = recording.channel(Role.OIL_PRESSURE)
    if pressure is None:
        return Check("zero", "fail", "There is no oil pressure channel.")
    if not recording.has(Role.RPM):
        return _assumed(pressure.name, "there is no engine speed to tell when the engine stood")
    frame = frame_on(recording, Role.OIL_PRESSURE)
    rpm, kpa = frame.filled(Role.RPM, np.nan), pressure.values
    stopped = (rpm < _STOPPED_RPM) & np.isfinite(kpa)
    readings = _steady_stopped(frame.time_s, stopped, kpa)
    if readings.size == 0:
        if pressure.unit is not None and pressure.unit.absolute:
            return _absolute_without_stop(recording, pressure.name)
        return _assumed(pressure.name, "the log has no steady stretch with the engine stopped")
    step = step_kpa(kpa)
    zero = _of_steps(readings, step) if step >= NOTED_STEP_KPA else float(np.median(readings))
    spread = float(np.percentile(readings, 84) - np.percentile(readings, 16)) / 2
    seconds = readings.size * frame.step_s
    evidence = phrase(
        "{:bare} ± {} over {:.1f} s with the engine stopped", in_kpa(zero, 1), in_kpa(max(spread, 0.1), 1), seconds
    )
    cut = _may_be_cut_off(readings, kpa, step)
    if abs(zero) <= _GAUGE_TOLERANCE_KPA:
        words = phrase(
            "The pressure reads {}: the zero is sound{}.",
            evidence,
            ", unless the logger writes nothing lower: nearly all of these readings are the same" if cut else "",
        )
        return Check("zero", "ok", words, pressure.name, measured=zero, at_most=cut)
    air = air_pressure_kpa(recording)
    if 60.0 <= zero <= 112.0 and (air is None or abs(zero - air) < 8.0):
        against = phrase("; the logged air pressure is {}", in_kpa(air, 1)) if air is not None else ""
        reason = phrase("Reads {}{}: the sensor counts from vacuum.", evidence, against)
        level = "warn"
    else:
        reason = phrase("Reads {}; a gauge sensor must read 0 ± {}.", evidence, in_kpa(_GAUGE_TOLERANCE_KPA))
        level = "warn" if abs(zero) < 60.0 else "fail"
    correction = Correction(pressure.name, "offset", -zero, "kPa", reason)
    return Check(
        "zero",
        "warn" if level == "warn" else "fail",
        phrase("{} {} is {}.", reason, in_kpa(abs(zero), 1), "taken off" if zero > 0 else "added"),
        pressure.name,
        correction,
        zero,
        at_most=cut,
    )


def _may_be_cut_off(readings: FloatArray, kpa: FloatArray, step: float) -> bool:
    """Whether a sensor that reads lower would look the same: nearly all readings are one, no other of the log is lower,
    and that is not for the coarseness of the steps."""
    lowest = float(np.nanmin(kpa))
    same = readings.size >= _ENOUGH_ALIKE and float(np.mean(readings == lowest)) >= _NEARLY_ALL
    return same and step < NOTED_STEP_KPA


def _of_steps(readings: FloatArray, step: float) -> float:
    """The zero of a coarse converter: where its reading goes to and fro between two steps the pressure stands on the
    edge between."""
    values, counts = np.unique(np.round(readings / step).astype(np.int64), return_counts=True)
    often = counts >= _OFTEN * counts.sum()
    if often.sum() <= 2:
        return float(np.median([np.median(readings[np.round(readings / step) == v]) for v in values[often]]))
    return float(np.mean(readings))


def _steady_stopped(time_s: FloatArray, stopped: NDArray[np.bool_], kpa: FloatArray) -> FloatArray:
    """Readings from stretches with the engine stopped in which the pressure no longer moves."""
    kept: list[FloatArray] = []
    for start, end in runs_of(stopped):
        begin = float(time_s[start]) + (_SETTLING_S if start > 0 else 0.0)
        # The last moment before a start may already hold the first turn of the crank.
        finish = float(time_s[end - 1]) - (0.2 if end < time_s.size else 0.0)
        part = slice(int(np.searchsorted(time_s, begin)), int(np.searchsorted(time_s, finish, side="right")))
        readings = kpa[part]
        readings = readings[np.isfinite(readings)]
        if readings.size < 3 or finish - begin < _LEAST_S:
            continue
        third = max(1, readings.size // 3)
        drift = abs(float(np.median(readings[-third:]) - np.median(readings[:third])))
        if start > 0 and drift > _STEADY_KPA:  # still draining: keep the last part only
            readings = readings[-third:]
            half = max(1, readings.size // 2)
            if abs(float(np.median(readings[-half:]) - np.median(readings[:half]))) > _STEADY_KPA / 2:
                continue
        kept.append(readings)
    if not kept:
        return np.empty(0)
    # Where two stretches disagree (a gallery that holds pressure after a stop) the lower one is the zero.
    lowest = min(float(np.median(r)) for r in kept)
    return np.concatenate([r for r in kept if float(np.median(r)) - lowest <= _STEADY_KPA])


def air_pressure_kpa(recording: Recording) -> float | None:
    """Air pressure as logged, kPa; None where it is not, or cannot be one."""
    air = recording.channel(Role.AIR_PRESSURE)
    if air is None:
        return None
    value = float(np.nanmedian(air.values)) if air.missing < air.values.size else float("nan")
    return value if 60.0 <= value <= 112.0 else None


def _absolute_without_stop(recording: Recording, name: str) -> Check:
    air = air_pressure_kpa(recording)
    if air is None:
        return Check(
            "zero",
            "fail",
            "The pressure is absolute, but the log has no stretch with the engine stopped and no air pressure, so the "
            "atmosphere to take off is unknown. Log a few seconds with the engine stopped.",
            name,
        )
    reason = phrase("The unit says absolute; the logged air pressure is {}.", in_kpa(air, 1))
    return Check("zero", "warn", reason, name, Correction(name, "offset", -air, "kPa", reason))


def _assumed(name: str, why: str) -> Check:
    return Check(
        "zero",
        "warn",
        phrase(
            "The zero is assumed to be 0: {}. If the sensor counts from vacuum every figure is about one "
            "atmosphere too high. Log a few seconds before the start.",
            why,
        ),
        name,
    )
