"""Does the sensor shake? Noise that grows with the engine speed is the engine's own vibration, not oil."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from basso.recording.gaps import or_zero
from basso.recording.recording import Recording, frame_on
from basso.recording.roles import Role
from basso.sentence import in_kpa, phrase
from basso.trust.verdict import Check
from basso.units import FloatArray

_TIMES = 1.8
_NOTED_KPA = 4.0
_MUCH_KPA = 10.0
_STEADY = 0.015


def check_vibration(recording: Recording) -> Check | None:
    """Compare the noise at low and high engine speed; None with too little of either."""
    channel = recording.channel(Role.OIL_PRESSURE)
    if channel is None or not recording.has(Role.RPM):
        return None
    frame = frame_on(recording, Role.OIL_PRESSURE)
    rpm, pressure = frame.filled(Role.RPM, 0.0), frame.filled(Role.OIL_PRESSURE, np.nan)
    running = rpm > 600.0
    if running.sum() < 600:
        return None
    low, high = np.percentile(rpm[running], (20, 80))
    if high < 1.2 * low:
        return None
    second, bend = (np.abs(_second(v, 1)) for v in (pressure, rpm))
    # An engine speed that changes unevenly moves the pressure by itself.
    steady = running[1:-1] & np.isfinite(second) & (bend < _STEADY * np.maximum(rpm[1:-1], 1.0))
    quiet, loud = (_noise(second[steady & part[1:-1]]) for part in (rpm <= low, rpm >= high))
    if quiet is None or loud is None:
        return None
    grown = float(np.sqrt(max(loud**2 - quiet**2, 0.0)))
    if loud < _TIMES * max(quiet, 0.5) or grown < _NOTED_KPA:
        return Check(
            "vibration",
            "ok",
            phrase("The noise hardly grows with the engine speed ({:bare} to {}).", in_kpa(quiet, 1), in_kpa(loud, 1)),
            channel.name,
            measured=grown,
        )
    words = phrase(
        "The noise grows with the engine speed, from {} below {:.0f} rpm to {} above {:.0f} rpm: a "
        "sensor screwed into the block shakes like this, and dies of it. Lowest values read low by "
        "about twice the noise, and a dip of half a second no deeper than about {} is lost in it. "
        "Hang it on a flexible line.",
        in_kpa(quiet, 1),
        low,
        in_kpa(loud, 1),
        high,
        in_kpa(loud * min(1.0, 1.5 / np.sqrt(0.5 / frame.step_s))),
    )
    return Check("vibration", "warn" if loud >= _MUCH_KPA else "note", words, channel.name, measured=grown)


def noise_by_rpm(pressure: FloatArray, rpm: FloatArray) -> FloatArray:
    """Standard deviation of the pressure's sample-to-sample noise at each sample, kPa; arrays of shape (n,).

    From second differences in eight equal shares of the running samples by engine speed, linear between their means. 0
    with too few samples to tell.
    """
    bend = np.abs(_second(rpm, 1))
    with np.errstate(invalid="ignore"):
        steady = (rpm > 600.0) & np.pad(bend < _STEADY * rpm[1:-1], 1)
    return _by_rpm(pressure, rpm, steady, 1)


def slow_noise_by_rpm(off_normal: FloatArray, rpm: FloatArray, settled: NDArray[np.bool_], lag: int) -> FloatArray:
    """The same of what lies between readings ``lag`` samples apart, from what normal leaves of settled running.

    A filter between sensor and file makes neighbouring readings alike: from sample to sample its noise hardly shows.
    """
    every = settled.copy()
    every[lag:] &= settled[:-lag]
    every[:-lag] &= settled[lag:]
    return _by_rpm(off_normal, rpm, every, lag)


def noise_at(values: FloatArray, use: NDArray[np.bool_], lag: int) -> float | None:
    """Standard deviation of noise from readings ``lag`` samples to either side of those used; None with too few."""
    second = np.abs(_second(values, lag))[use[lag:-lag] & use[: -2 * lag] & use[2 * lag :]]
    return _noise(second[np.isfinite(second)])


def _second(values: FloatArray, lag: int) -> FloatArray:
    return values[2 * lag :] - 2.0 * values[lag:-lag] + values[: -2 * lag]


def _by_rpm(values: FloatArray, rpm: FloatArray, use: NDArray[np.bool_], lag: int) -> FloatArray:
    second, speed = np.abs(_second(values, lag)), rpm[lag:-lag]
    kept = use[lag:-lag] & np.isfinite(second) & np.isfinite(speed)
    second, speed = second[kept], speed[kept]
    order = np.argsort(speed)
    told = [(float(speed[part].mean()), noise) for part in np.array_split(order, 8) if (noise := _noise(second[part]))]
    if not told:
        return np.zeros(values.shape)
    speeds, noises = np.array(told).T
    return np.asarray(np.interp(or_zero(rpm), speeds, noises), dtype=np.float64)


def _noise(second: FloatArray) -> float | None:
    """Standard deviation of the noise from second differences (robust to what is real)."""
    return float(np.median(second) / 0.6745 / np.sqrt(6.0)) if second.size >= 150 else None
