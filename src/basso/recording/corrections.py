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
from basso.recording.rolling import local_parabola
from basso.units import FloatArray

Kind = Literal["offset", "scale", "sign", "delay", "spikes", "swap", "turn", "slip", "gain", "load", "lead"]
LEAD_WINDOW_S = 30.0
_LEAD_STEP_S = 0.5
_SLOPE_WINDOW_S = 0.15
OF_ONE_CHANNEL = ("offset", "scale", "sign", "delay", "spikes")
"""The kinds that the headless contract lists; the others concern two channels, or two clocks."""


@dataclass(frozen=True, slots=True, eq=False)
class Correction:
    """One thing done to one channel.

    Attributes:
        channel: the channel's name.
        kind: ``offset``: ``value`` is added; ``scale``: multiplied; ``sign``: multiplied by −1;
            ``delay``: the channel is late by ``value`` seconds and is moved earlier, but for the part that a filter of
            first order with a time constant of ``filter_s`` made, which is undone;
            ``spikes``: ``value`` samples, at ``samples``, cannot be what the channel measures and become missing;
            ``swap``: this channel and ``other`` exchange what they mean;
            ``turn``: lateral g (this) and longitudinal g (``other``) are turned back by ``value`` degrees about the
            vertical;
            ``load``: less ``value`` for every volt that ``other``, the supply voltage, lies over its usual highest;
            ``gain``: multiplied, by what a calibration of the sensor found;
            ``lead``: the sensor warms up with a time constant of ``value`` seconds, and what it will read is put in
            place of what it reads;
            ``slip``: from sample ``samples[0]`` on the channel's clock is ``value`` seconds later than before.
        value: in ``unit``.
        reason: the evidence, one sentence.
        samples: indices into the channel, for ``spikes`` and ``slip``.
        other: the second channel, for ``swap`` and ``turn``.
        filter_s: of a ``delay``'s value; 0 where nothing was rounded off.
    """

    channel: str
    kind: Kind
    value: float
    unit: str
    reason: str
    samples: NDArray[np.intp] = field(default_factory=lambda: np.empty(0, dtype=np.intp))
    other: str = ""
    filter_s: float = 0.0

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
        own, other = channels[correction.channel], channels.get(correction.other)
        if other is None:
            channels[own.name] = _corrected(own, correction)
        elif correction.kind == "load":
            channels[own.name] = _without_load(own, other, correction.value)
        elif correction.kind == "swap":
            channels[own.name], channels[other.name] = replace(own, role=other.role), replace(other, role=own.role)
        else:
            channels[own.name], channels[other.name] = _turned_back(own, other, correction.value)
    return recording.with_channels(tuple(channels[c.name] for c in recording.channels))


def _corrected(channel: Channel, correction: Correction) -> Channel:
    if correction.kind == "offset":
        return replace(channel, values=channel.values + correction.value)
    if correction.kind in ("scale", "gain"):
        return replace(channel, values=channel.values * correction.value)
    if correction.kind == "sign":
        return replace(channel, values=-channel.values if correction.value < 0 else channel.values)
    if correction.kind == "slip":
        t = channel.time_s
        late = t >= t[correction.samples[0]]
        known = np.isfinite(channel.values)
        values = np.where(late, np.interp(t + correction.value, t[known], channel.values[known]), channel.values)
        return replace(channel, values=values)
    if correction.kind == "lead":
        return replace(channel, values=_ahead(channel, correction.value))
    if correction.kind == "delay":
        values = _unfiltered(channel, correction.filter_s) if correction.filter_s else channel.values
        return replace(channel, values=values, time_s=channel.time_s - (correction.value - correction.filter_s))
    values = channel.values.copy()
    values[correction.samples] = np.nan
    return replace(channel, values=values)


def _ahead(channel: Channel, constant_s: float) -> FloatArray:
    """What a sensor of first order with this time constant was heading for, T + τ·dT/dt; gaps stay gaps.

    The slope is that of a parabola through half a minute: the sensor's noise would grow as its slope does.
    """
    found = _smooth(channel, LEAD_WINDOW_S, _LEAD_STEP_S)
    return channel.values if found is None else found[0] + constant_s * found[1]


def _unfiltered(channel: Channel, constant_s: float) -> FloatArray:
    """What a filter of first order was given, p + τ·dp/dt; gaps stay gaps. The reading itself is not smoothed, its
    slope is."""
    step = float(np.median(np.diff(channel.time_s))) if channel.time_s.size > 2 else 0.0
    found = _smooth(channel, max(_SLOPE_WINDOW_S, 3.0 * step), step) if step > 0.0 else None
    return channel.values if found is None else channel.values + constant_s * found[1]


def _smooth(channel: Channel, window_s: float, step_s: float) -> tuple[FloatArray, FloatArray] | None:
    """Value and slope per second of the parabola through ``window_s`` about each sample, NaN in gaps; None for what is
    too short."""
    known = np.isfinite(channel.values)
    t = channel.time_s
    grid = np.arange(t[0], t[-1], step_s) if t.size else t
    window = round(window_s / step_s) | 1
    if grid.size < 2 * window or not known.any():
        return None
    middle, per_step = local_parabola(np.interp(grid, t[known], channel.values[known]), window)
    value, slope = (np.where(known, np.interp(t, grid, v), np.nan) for v in (middle, per_step / step_s))
    return value, slope


def _without_load(channel: Channel, voltage: Channel, per_volt: float) -> Channel:
    """A channel as it would read with the supply at its 90th percentile throughout; a gap in the voltage changes
    nothing."""
    known = np.isfinite(voltage.values)
    # Single readings of the voltage are noise, its steps are not.
    five = np.lib.stride_tricks.sliding_window_view(np.pad(voltage.values[known], 2, mode="edge"), 5)
    volts = np.median(five, axis=1)
    sag = np.interp(channel.time_s, voltage.time_s[known], volts) - float(np.percentile(volts, 90))
    return replace(channel, values=channel.values - per_volt * sag)


def _turned_back(across: Channel, along: Channel, degrees: float) -> tuple[Channel, Channel]:
    """Both g channels as a sensor that is not turned would have seen them; each keeps its own times."""
    cosine, sine = float(np.cos(np.radians(degrees))), float(np.sin(np.radians(degrees)))
    along_there = (
        along.values if along.time_s is across.time_s else np.interp(across.time_s, along.time_s, along.values)
    )
    across_there = (
        across.values if along.time_s is across.time_s else np.interp(along.time_s, across.time_s, across.values)
    )
    return (
        replace(across, values=cosine * across.values + sine * along_there),
        replace(along, values=cosine * along.values - sine * across_there),
    )
