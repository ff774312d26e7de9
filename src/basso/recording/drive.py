"""Telling whether two logs are of one drive: exported twice, converted, or renamed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.units import FloatArray

_POINTS = 240
_RPM, _KPA = 15.0, 6.0
"""What rounding and another unit may change in a reading."""


@dataclass(frozen=True, slots=True, eq=False)
class DriveMark:
    """A drive at :data:`_POINTS` evenly spaced moments: length in s, rpm, oil pressure in kPa, NaN where missing."""

    duration_s: float
    rpm: FloatArray
    pressure_kpa: FloatArray


def drive_mark(recording: Recording) -> DriveMark | None:
    """The mark of a recording; None without rpm, or with too little in it to tell drives apart."""
    rpm = recording.channel(Role.RPM)
    if rpm is None or recording.manual or recording.duration_s < 20.0:
        return None
    at = np.linspace(0.0, recording.duration_s, _POINTS + 2)[1:-1]
    turning = _at(recording, Role.RPM, at)
    if np.isfinite(turning).sum() < 0.5 * _POINTS or float(np.nanstd(turning)) < 50.0:
        return None
    return DriveMark(recording.duration_s, turning, _at(recording, Role.OIL_PRESSURE, at))


def _at(recording: Recording, role: Role, at: FloatArray) -> FloatArray:
    channel = recording.channel(role)
    if channel is None:
        return np.full(at.shape, np.nan)
    known = np.isfinite(channel.values)
    if not known.any():
        return np.full(at.shape, np.nan)
    return np.interp(at, channel.time_s[known], channel.values[known])


def same_drive(a: DriveMark, b: DriveMark) -> bool:
    """True when two marks are one drive's: as long, and alike in rpm and pressure nearly everywhere.

    Two laps are never that alike: engines speed up and slow down within fractions of a second.
    """
    if abs(a.duration_s - b.duration_s) > 0.2:
        return False
    for x, y, within in ((a.rpm, b.rpm, _RPM), (a.pressure_kpa, b.pressure_kpa, _KPA)):
        both = np.isfinite(x) & np.isfinite(y)
        if both.any() and np.mean(np.abs(x[both] - y[both]) <= within) < 0.9:
            return False
    return bool((np.isfinite(a.rpm) & np.isfinite(b.rpm)).any())


def same_log(a: Recording, b: Recording) -> bool:
    """True when two recordings are one drive, whether the files are the same or not."""
    if a.content_hash and a.content_hash == b.content_hash:
        return True
    x, y = drive_mark(a), drive_mark(b)
    return x is not None and y is not None and same_drive(x, y)


def each_once(recordings: Sequence[Recording]) -> tuple[list[Recording], list[str]]:
    """The recordings without those that repeat an earlier one, and a sentence about each that was left out."""
    kept: list[Recording] = []
    said = []
    for recording in recordings:
        first = next((k for k in kept if same_log(k, recording)), None)
        if first is None:
            kept.append(recording)
        else:
            said.append(f"{recording.path.name} is the same drive as {first.path.name}; it counts once")
    return kept, said
