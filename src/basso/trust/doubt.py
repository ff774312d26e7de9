"""Readings that cannot be what their columns say: a wrong unit, a wrong column, a wrong clock. They qualify every
verdict."""

from __future__ import annotations

import numpy as np

from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.trust.verdict import Check

_ROLES = (Role.OIL_PRESSURE, Role.RPM, Role.OIL_TEMP)
_LAG_S = 0.05
_FASTEST_RPM_PER_S = 4000.0
"""The middle of all changes of engine speed: racing engines show up to about 1500 over a drive, a blip ten times
that."""


def check_doubts(recording: Recording) -> list[Check]:
    """What speaks against the channels a verdict rests on, as it stood when the log was read; and against its clock."""
    found = []
    for role in _ROLES:
        channel = recording.channel(role)
        if channel is not None and channel.doubt:
            found.append(Check("doubt", "warn", f"'{channel.name}' {channel.doubt}.", channel.name))
    if (clock := _check_time_scale(recording)) is not None:
        found.append(clock)
    return found


def _check_time_scale(recording: Recording) -> Check | None:
    """A clock whose unit is wrong makes the engine change speed as none can."""
    rpm = recording.channel(Role.RPM)
    if rpm is None or rpm.time_s.size < 200:
        return None
    step = float(np.median(np.diff(rpm.time_s)))
    lag = max(1, round(_LAG_S / step)) if step > 0 else 1
    if lag >= rpm.time_s.size // 4:
        return None
    known = rpm.values
    slope = np.abs(known[lag:] - known[:-lag]) / np.maximum(rpm.time_s[lag:] - rpm.time_s[:-lag], 1e-9)
    slope = slope[np.isfinite(slope) & (known[lag:] > 500.0)]
    if slope.size < 100 or float(np.median(slope)) < _FASTEST_RPM_PER_S:
        return None
    return Check(
        "doubt",
        "warn",
        f"By its clock the engine changes speed by {float(np.median(slope)):,.0f} rpm a second all the "
        "time, as no engine does; "
        "check the unit of the time column.",
        rpm.name,
    )
