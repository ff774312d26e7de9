"""Lap numbers out of what loggers write instead of them: beacon pulses, running lap times, last lap times."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from basso.recording.channel import Channel
from basso.recording.gaps import or_zero
from basso.recording.roles import Role, take_apart
from basso.units import FloatArray, Quantity

_BEACON = re.compile(r"\b(beacon|marker|trigger|finish)\b")
_LAP_TIME = re.compile(r"\blap ?time\b|^time (in |of )?lap\b|\blap (running|elapsed|current)")
_LEAST_LAP_S = 10.0


def with_lap_numbers(channels: Sequence[Channel]) -> tuple[list[Channel], str]:
    """Add a lap channel where none is recognised but a beacon or lap-time column tells it; and a note about it."""
    known = list(channels)
    if any(c.role is Role.LAP for c in known):
        return known, ""
    for channel in known:
        if channel.role is not None or channel.values.size < 10:
            continue
        words = " ".join(take_apart(channel.name).words)
        numbers = None
        if _BEACON.search(words):
            numbers = laps_from_pulses(channel.time_s, channel.values)
        elif _LAP_TIME.search(words) and (channel.unit is None or channel.unit.quantity is Quantity.TIME):
            numbers = laps_from_times(channel.time_s, channel.values)
        if numbers is not None:
            made = replace(
                channel,
                name=f"Lap from {channel.name}",
                role=Role.LAP,
                unit=None,
                values=numbers,
                confidence=0.7,
                why=f"counted from '{channel.name}'",
            )
            return [*known, made], f"Laps were counted from '{channel.name}'."
    return known, ""


def laps_from_pulses(time_s: FloatArray, values: FloatArray) -> FloatArray | None:
    """Lap number at each sample from a line that rises once a lap; None when it does not look like one.

    Pulses closer than ten seconds are one crossing.
    """
    known = or_zero(values)
    middle = 0.5 * (float(known.min()) + float(known.max()))
    if known.max() <= known.min():
        return None
    high = known > middle
    rises = np.flatnonzero(high[1:] & ~high[:-1]) + 1
    return _counted(time_s, rises) if high.mean() < 0.2 else None


def laps_from_times(time_s: FloatArray, values: FloatArray) -> FloatArray | None:
    """Lap number from a lap time that runs up and falls back, or that changes once a lap; None when it does neither."""
    filled = values[np.isfinite(values)]
    if filled.size < 10:
        return None
    at = time_s[np.isfinite(values)]
    steps = np.diff(filled)
    still = float(np.mean(steps == 0))
    # A running time rises with nearly every sample and falls back to the start; a last lap's time stands still.
    turns = np.flatnonzero(steps < -1.0) + 1 if still < 0.5 else np.flatnonzero(steps != 0) + 1
    own = _counted(at, turns)
    if own is None:
        return None
    return own[np.clip(np.searchsorted(at, time_s, side="right") - 1, 0, own.size - 1)]


def _counted(time_s: FloatArray, turns: np.ndarray) -> FloatArray | None:
    kept: list[int] = []
    for i in turns.tolist():
        if not kept or time_s[i] - time_s[kept[-1]] >= _LEAST_LAP_S:
            kept.append(i)
    if not kept or len(kept) > 2000:
        return None
    numbers = np.zeros(time_s.shape)
    numbers[kept] = 1.0
    return np.cumsum(numbers)
