"""Corrections: a layer over a recording that can be seen, refused and undone.

A correction never touches recorded values; :func:`apply` makes a corrected copy from the recording and the
corrections in force. Leaving one out undoes it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from basso.recording.channel import Channel
from basso.recording.recording import Recording

Kind = Literal["offset", "scale", "sign", "delay", "spikes"]


@dataclass(frozen=True, slots=True, eq=False)
class Correction:
    """One thing done to one channel.

    Attributes:
        channel: the channel's name.
        kind: ``offset``: ``value`` is added; ``scale``: multiplied; ``sign``: multiplied by −1;
            ``delay``: the channel is late by ``value`` seconds and is moved earlier;
            ``spikes``: ``value`` samples, at ``samples``, cannot be what the channel measures and become missing.
        value: in ``unit``.
        reason: the evidence, one sentence.
        samples: indices into the channel, for ``spikes``.
    """

    channel: str
    kind: Kind
    value: float
    unit: str
    reason: str
    samples: NDArray[np.intp] = field(default_factory=lambda: np.empty(0, dtype=np.intp))

    @property
    def key(self) -> tuple[str, str]:
        """What identifies a correction when the user refuses it."""
        return (self.channel, self.kind)


def apply(recording: Recording, corrections: Sequence[Correction]) -> Recording:
    """Return a corrected copy of ``recording``; the recording itself stays as it was read."""
    if not corrections:
        return recording
    channels = {c.name: c for c in recording.channels}
    for correction in corrections:
        channels[correction.channel] = _corrected(channels[correction.channel], correction)
    return recording.with_channels(tuple(channels[c.name] for c in recording.channels))


def _corrected(channel: Channel, correction: Correction) -> Channel:
    if correction.kind == "offset":
        return replace(channel, values=channel.values + correction.value)
    if correction.kind == "scale":
        return replace(channel, values=channel.values * correction.value)
    if correction.kind == "sign":
        return replace(channel, values=-channel.values)
    if correction.kind == "delay":
        return replace(channel, time_s=channel.time_s - correction.value)
    values = channel.values.copy()
    values[correction.samples] = np.nan
    return replace(channel, values=values)
