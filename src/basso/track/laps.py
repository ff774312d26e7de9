"""Laps: whole flying laps between the out-lap and the in-lap, however they can be told."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.track.line import crossings_from_path, driven_path
from basso.track.pattern import crossings_from_pattern
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
    """Laps from the lap column, else from crossing a line on the GPS path, else from what the g repeats.

    An out-lap, an in-lap, a lap with a stop and one more than 10 % off the median time are not complete. Where nothing
    tells laps there are none.
    """
    spans = _from_column(recording)
    if spans:
        return _told(recording, spans, edges_whole=True)
    return laps_between(recording, crossings_from_path(driven_path(recording)) or crossings_from_pattern(recording))


def laps_between(recording: Recording, crossings: Sequence[float]) -> tuple[Lap, ...]:
    """Laps from the times at which the line is crossed; none where it was crossed less than twice."""
    if len(crossings) < 2:
        return ()
    ends = [0.0, *crossings, recording.duration_s]
    return _told(recording, [(i, a, b) for i, (a, b) in enumerate(itertools.pairwise(ends)) if b > a], False)


def _told(recording: Recording, spans: list[tuple[int, float, float]], edges_whole: bool) -> tuple[Lap, ...]:
    """Which of the laps are whole flying laps; the first and the last may be only where a lap column says where they
    begin and end."""
    if len(spans) < 2:
        return tuple(Lap(n, a, b, False) for n, a, b in spans)
    inner = [b - a for _, a, b in spans[1:-1]] or [b - a for _, a, b in spans]
    usual = float(np.median(inner))
    laps = []
    for i, (number, start, end) in enumerate(spans):
        alike = abs((end - start) / usual - 1.0) < 0.10
        edge = i in (0, len(spans) - 1)
        whole = not edge or (edges_whole and not _slow(recording, start, end, spans))
        laps.append(Lap(number, start, end, alike and whole and _moves_throughout(recording, start, end)))
    return tuple(laps)


def _from_column(recording: Recording) -> list[tuple[int, float, float]]:
    """Number, start and end of each value of the lap column; empty without one that counts."""
    channel = recording.channel(Role.LAP)
    if channel is None or channel.missing == channel.values.size:
        return []
    known = np.isfinite(channel.values)
    times, values = channel.time_s[known], np.round(channel.values[known])
    changes = np.flatnonzero(np.diff(values) != 0) + 1
    if changes.size == 0:
        return []
    starts = np.concatenate([[0], changes])
    ends = np.concatenate([changes, [times.size - 1]])
    pairs = zip(starts.tolist(), ends.tolist(), strict=True)
    return [(int(values[s]), float(times[s]), float(times[e])) for s, e in pairs if times[e] > times[s]]


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
