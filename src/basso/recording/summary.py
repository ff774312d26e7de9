"""What is in a recording, in a few words and numbers: for the log list and ``basso import``, without its samples.

Needs no NumPy to be read back, so that a log that was read before is described at once.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from basso.recording.channel import Channel
    from basso.recording.recording import Recording


@dataclass(frozen=True, slots=True)
class ChannelSummary:
    """One channel: what it is and what its values span, in base units; None where there is nothing to say."""

    name: str
    role: str | None
    unit: str | None
    unit_assumed: bool
    rate_hz: float | None
    samples: int
    least: float | None
    most: float | None
    missing: int
    confidence: float
    why: str
    doubt: str


@dataclass(frozen=True, slots=True)
class Summary:
    """One recording. ``started`` is ISO text or ""."""

    format: str
    content_hash: str
    started: str
    manual: bool
    duration_s: float
    samples: int
    rate_hz: float | None
    channels: tuple[ChannelSummary, ...]
    notes: tuple[str, ...]
    facts: Mapping[str, str]
    shape: str
    damage: tuple[str, ...]

    def has(self, role: str) -> bool:
        """True when some channel carries the role and holds a value."""
        return any(c.role == role and c.missing < c.samples for c in self.channels)

    def as_plain(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {**asdict(self), "facts": dict(self.facts)}


def from_plain(plain: dict[str, Any]) -> Summary:
    """Read back what :meth:`Summary.as_plain` gave; raises TypeError or KeyError when it is something else."""
    channels = tuple(ChannelSummary(**c) for c in plain["channels"])
    return Summary(
        **{
            **plain,
            "channels": channels,
            "notes": tuple(plain["notes"]),
            "facts": dict(plain["facts"]),
            "damage": tuple(plain["damage"]),
        }
    )


def summarise(recording: Recording) -> Summary:
    """Look once over every channel."""
    return Summary(
        format=recording.format,
        content_hash=recording.content_hash,
        started=recording.started,
        manual=recording.manual,
        duration_s=recording.duration_s,
        samples=recording.samples,
        rate_hz=recording.rate_hz,
        channels=tuple(_channel(c) for c in recording.channels),
        notes=recording.notes,
        facts=dict(recording.facts),
        shape=recording.shape,
        damage=recording.damage,
    )


def _channel(channel: Channel) -> ChannelSummary:
    from basso.recording.channel import extremes

    values = channel.values
    low, high = extremes(values)
    missing = channel.missing
    known = missing < values.size
    return ChannelSummary(
        name=channel.name,
        role=channel.role.value if channel.role is not None else None,
        unit=channel.unit.symbol if channel.unit is not None else None,
        unit_assumed=channel.unit_assumed,
        rate_hz=channel.rate_hz,
        samples=int(values.size),
        least=low if known else None,
        most=high if known else None,
        missing=missing,
        confidence=channel.confidence,
        why=channel.why,
        doubt=channel.doubt,
    )
