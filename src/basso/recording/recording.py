"""A recording: everything one logger wrote in one drive, never changed after it was read."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import Path
from types import MappingProxyType

import numpy as np

from basso.recording.channel import Channel
from basso.recording.roles import Role
from basso.units import FloatArray


@dataclass(frozen=True)
class Recording:
    """One log as read.

    Attributes:
        path: the file it came from.
        format: what kind of file that was, for people ("CSV, comma, UTF-8").
        channels: in file order.
        notes: what the reader had to assume or repair, one sentence each.
        facts: session facts found in the file's head ("Venue" → "Harrowfell").
        content_hash: hash of the file's bytes; the same file read twice has the same hash.
        started: date and, when known, time of day at which it began, ISO 8601 local ("2026-05-12T10:20:00"), or "".
        shape: logs written by the same logger in the same set-up share it (their column names).
        manual: the samples are single readings off a gauge, not a record of what happened in between.
        damage: which parts of the drive the file no longer holds, one sentence each; they stand in ``notes`` too.
    """

    path: Path
    format: str
    channels: tuple[Channel, ...]
    notes: tuple[str, ...] = ()
    facts: MappingProxyType[str, str] = field(default_factory=lambda: MappingProxyType({}))
    content_hash: str = ""
    started: str = ""
    manual: bool = False
    shape: str = ""
    damage: tuple[str, ...] = ()

    @cached_property
    def _by_role(self) -> dict[Role, Channel]:
        return {c.role: c for c in self.channels if c.role is not None}

    def channel(self, role: Role) -> Channel | None:
        """The channel that carries a role, or None."""
        return self._by_role.get(role)

    def has(self, role: Role) -> bool:
        """True when some channel carries the role and holds at least one value."""
        channel = self.channel(role)
        return channel is not None and channel.missing < channel.values.size

    @property
    def duration_s(self) -> float:
        """Seconds from the first to the last sample of any channel."""
        return max((float(c.time_s[-1]) for c in self.channels if c.time_s.size), default=0.0)

    @property
    def samples(self) -> int:
        """Rows of the fastest channel."""
        return max((c.time_s.size for c in self.channels), default=0)

    @property
    def rate_hz(self) -> float | None:
        """Rate of the fastest channel."""
        rates = [r for c in self.channels if (r := c.rate_hz) is not None]
        return max(rates, default=None)

    def with_channels(self, channels: tuple[Channel, ...]) -> Recording:
        """The same recording with other channels (a corrected copy; this one stays as it is)."""
        return replace(self, channels=channels)


@dataclass(frozen=True, slots=True)
class Frame:
    """Several roles brought to one time base: the only place where channels are resampled.

    Attributes:
        time_s: the time base, shape (n,): the own times of the channel the work is about.
        step_s: its median step.
        roles: role → values at ``time_s``, NaN where the channel has no value near by.
    """

    time_s: FloatArray
    step_s: float
    roles: MappingProxyType[Role, FloatArray]

    def get(self, role: Role) -> FloatArray | None:
        """Values of a role, or None when the recording does not carry it."""
        return self.roles.get(role)

    def filled(self, role: Role, default: float = 0.0) -> FloatArray:
        """Values of a role with ``default`` where it is missing altogether or for a while."""
        values = self.roles.get(role)
        if values is None:
            return np.full(self.time_s.shape, default)
        return np.where(np.isnan(values), default, values) if np.isnan(values).any() else values


_STEPPED = frozenset({Role.LAP, Role.ACCUMULATOR_VALVE})


def frame_on(recording: Recording, master: Role, longest_gap_s: float = 1.5) -> Frame:
    """Bring every channel with a role to the times of ``master``.

    Linear interpolation between a channel's own samples; counters (lap, valve) keep the last value. Between
    samples further apart than ``longest_gap_s`` (or five of the channel's own steps) the result is NaN: a gap
    stays a gap. The master's own samples are taken as they are, never smoothed.

    Raises:
        KeyError: the recording has no ``master``.
    """
    base = recording.channel(master)
    if base is None:
        raise KeyError(master)
    time_s = base.time_s
    step = 1.0 / rate if (rate := base.rate_hz) else 0.0
    roles: dict[Role, FloatArray] = {}
    for channel in recording.channels:
        if channel.role is None or channel.role is Role.TIME:
            continue
        if channel.role is not master and channel.missing == channel.values.size:
            continue  # a channel without a single value is no channel
        if (channel.time_s is time_s and not channel.missing) or channel.role is master:
            roles[channel.role] = channel.values
        else:
            roles[channel.role] = _at(channel, time_s, longest_gap_s)
    return Frame(time_s, step, MappingProxyType(roles))


def _at(channel: Channel, time_s: FloatArray, longest_gap_s: float) -> FloatArray:
    known = ~np.isnan(channel.values)
    own_time, own = channel.time_s[known], channel.values[known]
    if own.size == 0:
        return np.full(time_s.shape, np.nan)
    if own.size == 1:
        return np.where(np.abs(time_s - own_time[0]) <= longest_gap_s, own[0], np.nan)
    gap = max(longest_gap_s, 5.0 * float(np.median(np.diff(own_time))))
    after = np.searchsorted(own_time, time_s, side="right")
    left = np.clip(after - 1, 0, own.size - 1)
    right = np.clip(after, 0, own.size - 1)
    if channel.role in _STEPPED:
        values = own[left]
    else:
        values = np.interp(time_s, own_time, own)
    reach = own_time[right] - own_time[left]
    outside = np.maximum(own_time[0] - time_s, time_s - own_time[-1])
    return np.where((reach > gap) | (outside > gap), np.nan, values)
