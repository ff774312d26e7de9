"""Which samples show the engine's normal: pan level, engine speed steady, oil warm."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from basso.recording.gaps import or_zero
from basso.recording.recording import Frame
from basso.recording.roles import Role
from basso.recording.rolling import any_lately, rolling_max, rolling_mean, rolling_min
from basso.units import FloatArray

WARM_C = 60.0
"""Below this the oil is cold (default): its pressure says nothing about normal and no floor is judged."""
RUNNING_RPM = 400.0
"""Above this the engine runs by itself; a starter turns it at 150 to 300."""


@dataclass(frozen=True, slots=True)
class SettledLimits:
    """When running counts as settled (defaults; the pan's oil needs about a second to come level)."""

    lateral_g: float = 0.30
    braking_g: float = 0.30
    driving_g: float = 0.45
    for_s: float = 1.2
    rpm_per_s: float = 900.0
    rpm_within: float = 250.0
    least_rpm: float = 700.0


def running(rpm: FloatArray) -> NDArray[np.bool_]:
    """Where the engine runs; NaN counts as not."""
    return or_zero(rpm) > RUNNING_RPM


def warm(frame: Frame) -> NDArray[np.bool_]:
    """Where the oil is warm enough to judge; everywhere when no temperature was logged."""
    temperature = frame.get(Role.OIL_TEMP)
    if temperature is None:
        return np.ones(frame.time_s.shape, dtype=bool)
    return np.nan_to_num(temperature, nan=-273.0) >= WARM_C


def settled(
    frame: Frame, lateral_g: FloatArray | None, longitudinal_g: FloatArray | None, limits: SettledLimits
) -> NDArray[np.bool_]:
    """Where the engine ran warm and steady with the pan level for the last moments; shape (n,).

    g is smoothed over 0.2 s before it is held against the limits, so that kerbs and noise do not count. A g
    channel that is missing limits nothing.
    """
    rpm = frame.filled(Role.RPM, np.nan)
    step = max(frame.step_s, 1e-3)
    calm = running(rpm) & warm(frame) & (or_zero(rpm) >= limits.least_rpm)
    known = or_zero(rpm)
    half = max(1, round(0.25 / step))
    swing = np.abs(np.roll(known, -half) - np.roll(known, half)) / (2 * half * step)
    swing[:half] = swing[-half:] = np.inf
    calm &= swing <= limits.rpm_per_s
    # A change of gear swings there and back: the pressure follows late, so the last quarter of a second counts as well.
    lately = round(0.25 / step) + 1
    calm &= rolling_max(known, lately, trailing=True) - rolling_min(known, lately, trailing=True) <= limits.rpm_within
    window = max(1, round(limits.for_s / step))
    smooth = max(1, round(0.2 / step))

    thrown = np.zeros(known.shape, dtype=bool)
    if lateral_g is not None:
        thrown |= np.abs(rolling_mean(or_zero(lateral_g), smooth)) > limits.lateral_g
    if longitudinal_g is not None:
        along = rolling_mean(or_zero(longitudinal_g), smooth)
        thrown |= (along > limits.driving_g) | (along < -limits.braking_g)
    calm &= ~any_lately(thrown, window)
    started = np.flatnonzero(running(rpm))
    if started.size:
        calm &= frame.time_s >= frame.time_s[started[0]] + 4.0
    return calm
