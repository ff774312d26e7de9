"""Values that no engine or car can show, channel by channel: a wire, a bus error, a misread byte."""

from __future__ import annotations

from types import MappingProxyType

import numpy as np

from basso.recording.corrections import Correction
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.trust.verdict import Check, Level

BOUNDS: MappingProxyType[Role, tuple[float, float, str]] = MappingProxyType(
    {
        Role.RPM: (-50.0, 25_000.0, "rpm"),
        Role.OIL_TEMP: (-60.0, 300.0, "°C"),
        Role.COOLANT_TEMP: (-60.0, 250.0, "°C"),
        Role.LATERAL_G: (-15.0, 15.0, "g"),
        Role.LONGITUDINAL_G: (-15.0, 15.0, "g"),
        Role.VERTICAL_G: (-30.0, 30.0, "g"),
        Role.SPEED: (-10.0, 200.0, "m/s"),
    }
)
"""Generous limits (default): beyond them a value is wrong whatever the car. The oil pressure has its own check."""


def check_bounds(recording: Recording) -> list[Check]:
    """One check for each channel with values out of bounds, with the correction that makes them missing."""
    checks = []
    for role, (low, high, unit) in BOUNDS.items():
        channel = recording.channel(role)
        if channel is None:
            continue
        wrong = np.flatnonzero((channel.values < low) | (channel.values > high))
        if wrong.size == 0:
            continue
        share = wrong.size / channel.values.size
        reason = (
            f"{wrong.size} readings of '{channel.name}' lie outside {low:g} to {high:g} {unit}, which no car shows; "
            "they are left out."
        )
        level: Level = "warn" if share > 0.01 else "note"
        correction = Correction(channel.name, "spikes", float(wrong.size), "samples", reason, wrong)
        checks.append(Check(f"{role}_bounds", level, reason, channel.name, correction))
    return checks
