"""Laps, from a lap column; every timed lap between the out-lap and the in-lap counts as complete."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.units import FloatArray


@dataclass(frozen=True, slots=True)
class Lap:
    """One lap: from ``start_s`` to ``end_s``; ``complete`` when it is a whole flying lap like the others."""

    number: int
    start_s: float
    end_s: float
    complete: bool

    @property
    def time_s(self) -> float:
        """Lap time in seconds."""
        return self.end_s - self.start_s


def find_laps(recording: Recording) -> tuple[Lap, ...]:
    """Laps from the lap column; without one there are none.

    The first and the last stretch are complete only where they are as long as the laps between and the car
    moves throughout: an out-lap, an in-lap and a lap with a stop are not. Pace more than 10 % off the
    median is not complete either.
    """
    channel = recording.channel(Role.LAP)
    if channel is None or channel.missing == channel.values.size:
        return ()
    known = np.isfinite(channel.values)
    times, values = channel.time_s[known], np.round(channel.values[known])
    changes = np.flatnonzero(np.diff(values) != 0) + 1
    starts = np.concatenate([[0], changes])
    ends = np.concatenate([changes, [times.size - 1]])
    spans = [
        (int(values[s]), float(times[s]), float(times[e]))
        for s, e in zip(starts, ends, strict=True)
        if times[e] > times[s]
    ]
    if len(spans) < 2:
        return tuple(Lap(n, a, b, False) for n, a, b in spans)
    inner = [b - a for _, a, b in spans[1:-1]] or [b - a for _, a, b in spans]
    usual = float(np.median(inner))
    laps = []
    for i, (number, start, end) in enumerate(spans):
        alike = abs((end - start) / usual - 1.0) < 0.10
        edge = i in (0, len(spans) - 1)
        complete = (
            alike and _moves_throughout(recording, start, end) and not (edge and _slow(recording, start, end, spans))
        )
        laps.append(Lap(number, start, end, complete))
    return tuple(laps)


def _speed_in(recording: Recording, start: float, end: float) -> FloatArray | None:
    speed = recording.channel(Role.SPEED)
    if speed is None:
        return None
    part = speed.values[
        int(np.searchsorted(speed.time_s, start)) : int(np.searchsorted(speed.time_s, end, side="right"))
    ]
    part = part[np.isfinite(part)]
    return part if part.size else None


def _moves_throughout(recording: Recording, start: float, end: float) -> bool:
    part = _speed_in(recording, start, end)
    return part is None or float(np.mean(part < 3.0)) < 0.01


def _slow(recording: Recording, start: float, end: float, spans: list[tuple[int, float, float]]) -> bool:
    """An edge lap whose mean speed is well under the others'."""
    part = _speed_in(recording, start, end)
    if part is None or len(spans) < 3:
        return True
    others = [p for _, a, b in spans[1:-1] if (p := _speed_in(recording, a, b)) is not None]
    return not others or float(part.mean()) < 0.95 * float(np.median([p.mean() for p in others]))
