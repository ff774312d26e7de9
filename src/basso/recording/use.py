"""What a drive asked of the engine and its oil: running time, hot time, distance, the hottest oil."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from basso.recording.channel import Channel
from basso.recording.recording import Recording
from basso.recording.roles import Role

_RUNNING_RPM = 500.0
_HOT_C = 100.0
_LONGEST_STEP_S = 2.0
"""A pause in the log longer than this is not counted as anything."""


@dataclass(frozen=True, slots=True)
class DriveUse:
    """Seconds with the engine running, of them with the oil at 100 °C and more; km; °C. None where it was not
    logged."""

    running_s: float | None
    hot_s: float | None
    distance_km: float | None
    peak_oil_c: float | None


def drive_use(recording: Recording) -> DriveUse:
    """Add up one recording. Values that are missing count for nothing."""
    rpm, oil, speed = (recording.channel(r) for r in (Role.RPM, Role.OIL_TEMP, Role.SPEED))
    distance = recording.channel(Role.DISTANCE)
    running = hot = km = peak = None
    if rpm is not None and rpm.values.size > 1:
        steps = _steps(rpm)
        on = rpm.values > _RUNNING_RPM
        running = float(steps[on].sum())
        if oil is not None and np.isfinite(oil.values).sum() > 1:
            known = np.isfinite(oil.values)
            heat = np.interp(rpm.time_s, oil.time_s[known], oil.values[known])
            hot = float(steps[on & (heat >= _HOT_C)].sum())
            # One spike is no temperature: what was reached for one part in two hundred of the log.
            peak = float(np.quantile(oil.values[known], 0.995))
    if speed is not None and speed.values.size > 1:
        km = float(np.nansum(np.clip(speed.values, 0.0, None) * _steps(speed))) / 1000.0
    elif distance is not None and np.isfinite(distance.values).sum() > 1:
        known = distance.values[np.isfinite(distance.values)]
        ahead = np.diff(known)
        km = float(ahead[ahead > 0].sum()) / 1000.0  # a distance that starts anew each lap adds up too
    return DriveUse(running, hot, km, peak)


def _steps(channel: Channel) -> np.ndarray:
    """Seconds that each sample stands for."""
    steps = np.diff(channel.time_s, append=channel.time_s[-1])
    return np.where(steps <= _LONGEST_STEP_S, steps, 0.0)
