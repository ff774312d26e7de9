"""Does the reading move with the electrical load? Then the sensor's ground or its five volts are shared, and nothing it says is oil.

At each step of the supply voltage (a fan, the lights) the pressure just after is held against the pressure just before, less
what the engine speed did between them.
"""

from __future__ import annotations

import numpy as np

from basso.recording.channel import Channel
from basso.recording.recording import Recording, frame_on
from basso.recording.roles import Role
from basso.recording.spans import runs_of
from basso.trust.verdict import Check
from basso.units import FloatArray

_STEP_V = 0.2
_EDGES = 6
_NOTED_KPA = 4.0
_MUCH_KPA = 15.0
_WORDS = ("batt", "vbat", "ubat", "supply", "volt")


def voltage_of(recording: Recording) -> Channel | None:
    """The channel that holds the supply voltage, by its name and values."""
    for channel in recording.channels:
        if channel.role is None and any(w in channel.name.lower() for w in _WORDS):
            known = channel.values[np.isfinite(channel.values)]
            if known.size and 9.0 < float(np.median(known)) < 17.0:
                return channel
    return None


def check_supply(recording: Recording) -> Check | None:
    """Say whether the pressure steps with the supply voltage; None without a pressure or an engine speed."""
    channel = recording.channel(Role.OIL_PRESSURE)
    if channel is None or not recording.has(Role.RPM):
        return None
    voltage = voltage_of(recording)
    if voltage is None:
        message = (
            "Cannot be checked: no supply voltage is logged, so a reading that moves with fan or lights would not show."
        )
        return Check("supply", "note", message, channel.name)
    frame = frame_on(recording, Role.OIL_PRESSURE)
    volts = np.interp(
        frame.time_s, voltage.time_s, np.nan_to_num(voltage.values, nan=float(np.nanmedian(voltage.values)))
    )
    steps = steps_at_load(
        frame.time_s, frame.filled(Role.OIL_PRESSURE, np.nan), frame.filled(Role.RPM, np.nan), volts, frame.step_s
    )
    if steps.size < _EDGES:
        return Check(
            "supply", "note", f"Cannot be checked: the supply voltage steps only {steps.size} times.", channel.name
        )
    shift = float(np.median(steps))
    doubt = 1.253 * float(np.median(np.abs(steps - shift))) / 0.6745 / np.sqrt(steps.size)
    if abs(shift) < max(_NOTED_KPA, 3.5 * doubt):
        words = f"The pressure does not move with the supply voltage (by {shift:.0f} ± {2 * doubt:.0f} kPa at {steps.size} steps)."
        return Check("supply", "ok", words, channel.name)
    words = (
        f"The pressure reads {abs(shift):.0f} ± {2 * doubt:.0f} kPa {'lower' if shift > 0 else 'higher'} whenever the supply voltage sags "
        f"({steps.size} steps): the sensor shares its ground or its five volts. Give it its own return to the logger."
    )
    return Check("supply", "warn" if abs(shift) < _MUCH_KPA else "fail", words, channel.name, measured=shift)


def steps_at_load(time_s: FloatArray, kpa: FloatArray, rpm: FloatArray, volts: FloatArray, step_s: float) -> FloatArray:
    """What the pressure falls by when a load comes on, at each step of the voltage; kPa."""
    beside = max(2, round(0.5 / step_s))
    level = _medians(volts, beside)
    change = level[2 * beside :] - level[: -2 * beside]
    off = kpa - _by_speed(kpa, rpm)
    found: list[float] = []
    for start, end in runs_of(np.abs(change) >= _STEP_V):
        at = start + int(np.argmax(np.abs(change[start:end])))
        edge = at + beside
        before, after = slice(max(edge - beside, 0), edge - 1), slice(edge + 2, edge + beside + 1)
        speed = [float(np.nanmedian(rpm[part])) if rpm[part].size else np.nan for part in (before, after)]
        # Where the engine speed moved much between, the pressure did so by itself.
        if not np.isfinite(speed).all() or abs(speed[1] - speed[0]) > 0.10 * max(max(speed), 600.0):
            continue
        there = [float(np.nanmedian(off[part])) if np.isfinite(off[part]).any() else np.nan for part in (before, after)]
        if np.isfinite(there).all():
            found.append((there[1] - there[0]) * (-1.0 if change[at] < 0 else 1.0))
    return np.array(found)


def _by_speed(kpa: FloatArray, rpm: FloatArray) -> FloatArray:
    """The usual pressure by engine speed, from medians of bands of it; 0 with the engine stopped."""
    bands = np.arange(500.0, 12_000.0, 250.0)
    at = np.digitize(rpm, bands)
    middles, usual = [0.0], [0.0]
    for band in np.unique(at[np.isfinite(kpa)]):
        own = (at == band) & np.isfinite(kpa)
        if band > 0 and own.sum() >= 20:
            middles.append(float(np.median(rpm[own])))
            usual.append(float(np.median(kpa[own])))
    return np.where(rpm < 60.0, 0.0, np.interp(rpm, middles, usual))


def _medians(values: FloatArray, size: int) -> FloatArray:
    """Centred moving medians, by shape (n,); edges repeat."""
    padded = np.pad(values, (size // 2, size - 1 - size // 2), mode="edge")
    return np.asarray(np.median(np.lib.stride_tricks.sliding_window_view(padded, size), axis=1))
