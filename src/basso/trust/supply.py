"""Does the reading move with the electrical load? Then the sensor's ground or its five volts are shared, and nothing it
says is oil.

What engine speed and oil temperature explain of the pressure is taken off (:mod:`basso.trust.surface`); what is left,
less its own slow drift, is regressed on the supply voltage, less its own. How sure that is comes from leaving out
twenty seconds at a time (jackknife).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from basso.recording.channel import Channel
from basso.recording.corrections import Correction
from basso.recording.recording import Frame, Recording, frame_on
from basso.recording.roles import Role
from basso.recording.rolling import rolling_mean
from basso.sentence import in_kpa, phrase
from basso.trust.calm import most_g
from basso.trust.surface import asked, fitted, hats, surface
from basso.trust.verdict import Check
from basso.units import FloatArray

_GRID_S = 0.1
_DRIFT_S = 30.0
_BLOCK_S = 20.0
_LEAST_V = 0.15
_ROUNDS = 3
_CALM_G, _CALM_FOR_S, _LEAST_CALM = 0.6, 2.0, 5
_WILD = 9.0
_NOTED_KPA, _SURE_KPA = 4.0, 12.0
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
    found = moved_by_load_kpa(frame_on(recording, Role.OIL_PRESSURE), voltage)
    if found is None:
        message = "Cannot be checked: the supply voltage hardly moves while the engine runs."
        return Check("supply", "note", message, channel.name)
    shift, doubt, per_volt = found
    if 3.0 * doubt > _SURE_KPA and abs(shift) < 3.0 * doubt:
        message = phrase(
            "Cannot be checked: too much else moves the pressure (by {:bare} ± {} from high to low voltage).",
            in_kpa(shift),
            in_kpa(2 * doubt),
        )
        return Check("supply", "note", message, channel.name)
    if abs(shift) < max(_NOTED_KPA, 3.0 * doubt):
        words = phrase(
            "The pressure does not move with the supply voltage (by {:bare} ± {} from high to low).",
            in_kpa(shift),
            in_kpa(2 * doubt),
        )
        return Check("supply", "ok", words, channel.name)
    reason = phrase(
        "The pressure reads {:bare} ± {} {} whenever the supply voltage sags: the sensor shares its "
        "ground or its five volts.",
        in_kpa(abs(shift)),
        in_kpa(2 * doubt),
        "lower" if shift > 0 else "higher",
    )
    words = phrase("{} What moves with the voltage is taken off; give it its own return to the logger.", reason)
    correction = Correction(channel.name, "load", round(per_volt, 3), "kPa/V", reason, other=voltage.name)
    return Check("supply", "warn", words, channel.name, correction, shift)


@dataclass(frozen=True, slots=True, eq=False)
class LeftOver:
    """What engine speed and oil temperature leave of the pressure, and the voltage, each less its own drift; shape
    (n,).

    ``high_v``, ``low_v``: 90th and 10th percentile of the voltage while the engine runs.
    """

    time_s: FloatArray
    kpa: FloatArray
    volts: FloatArray
    high_v: float
    low_v: float


def left_over(frame: Frame, voltage: Channel) -> LeftOver | None:
    """What the check rests on; None with too little of it."""
    known = np.isfinite(voltage.values)
    if known.sum() < 50:
        return None
    time_s = np.arange(frame.time_s[0], frame.time_s[-1], _GRID_S)
    if time_s.size < 3:
        return None
    volts = np.interp(time_s, voltage.time_s[known], voltage.values[known])
    pressure, rpm = (np.interp(time_s, frame.time_s, frame.filled(r)) for r in (Role.OIL_PRESSURE, Role.RPM))
    change = np.abs(np.gradient(rolling_mean(rpm, 3), _GRID_S)) / np.maximum(rpm, 500.0)
    use = (rpm > 1500.0) & (change < 0.25) & (pressure > 20.0)
    if use.sum() * _GRID_S < 5 * _BLOCK_S:
        return None
    calm = use & (most_g(frame, time_s, _CALM_FOR_S) <= _CALM_G)
    if calm.sum() * _GRID_S >= _LEAST_CALM * _BLOCK_S:
        use = calm
    high, low = np.percentile(volts[use], (90, 10))
    if high - low < _LEAST_V:
        return None
    temperature = frame.filled(Role.OIL_TEMP, np.nan)
    logged = np.isfinite(temperature)
    log_rpm = np.log(np.maximum(rpm, 500.0))
    if logged.any():
        heat = np.interp(time_s, frame.time_s[logged], temperature[logged])
        design = surface(hats(asked(log_rpm, heat), 12, use), hats(heat, 3, use))
    else:
        design = hats(log_rpm, 7, use)
    over, running = round(_DRIFT_S / _GRID_S), use
    left, sag, per_volt = volts, volts, 0.0
    for _ in range(_ROUNDS):
        # A load of more than the scatter would throw its own samples out of the fit: what was found of it is taken off
        # first.
        off, use = fitted(pressure - per_volt * (volts - high), design, running, 3.0, 6.0)
        weight = use.astype(np.float64)
        share = np.maximum(rolling_mean(weight, over), 1e-6)
        left, sag = (v - rolling_mean(v * weight, over) / share for v in (off, volts))
        left = left + per_volt * sag
        per_volt = float(np.sum((left * sag)[use]) / max(float(np.sum(sag[use] ** 2)), 1e-9))
    return LeftOver(time_s[use], left[use], sag[use], float(high), float(low))


def moved_by_load_kpa(frame: Frame, voltage: Channel) -> tuple[float, float, float] | None:
    """(kPa the pressure falls by from the 90th to the 10th percentile of the voltage, its standard error, kPa/V); None
    with too little."""
    found = left_over(frame, voltage)
    if found is None:
        return None
    block = (found.time_s // _BLOCK_S).astype(np.int64)
    top, bottom = (np.bincount(block, v) for v in (found.kpa * found.volts, found.volts**2))
    top, bottom = top[bottom > 0], bottom[bottom > 0]
    if top.size < 5:
        return None
    pull = np.abs(top - top.sum() / bottom.sum() * bottom)
    calm = pull <= _WILD * float(np.median(pull))  # twenty seconds in which something else moved the pressure
    top, bottom = top[calm], bottom[calm]
    slope = float(top.sum() / bottom.sum())
    without = (top.sum() - top) / (bottom.sum() - bottom)
    error = float(np.sqrt((top.size - 1) * np.mean((without - without.mean()) ** 2)))
    span = found.high_v - found.low_v
    return slope * span, error * span, slope
