"""Is the oil temperature that of the oil? A wire that is open, a sensor that sits in the cooler's stream, or one that
lags."""

from __future__ import annotations

import numpy as np

from basso.recording.channel import Channel
from basso.recording.corrections import Correction
from basso.recording.recording import Frame, Recording, frame_on
from basso.recording.roles import Role
from basso.recording.rolling import rolling_mean
from basso.sentence import in_celsius, in_degrees, phrase
from basso.trust.temperature_lag import check_lag
from basso.trust.verdict import Check

_LONG_ENOUGH_S = 120.0
_STANDS_C = 0.2
_GRID_S = 0.5
_AIRSTREAM_C = 0.3
_AIRSTREAM_AGREES = -0.40
_TOO_MUCH_C = 1.0
"""A temperature that swings by more either way within a lap costs more dips than none at all (default)."""
_LEFT_OUT = "It is left out, and normal follows the pressure of calm running."


def check_temperature(recording: Recording) -> list[Check]:
    """Stands still, swings with the air, lags: a check for each that can be made."""
    channel = recording.channel(Role.OIL_TEMP)
    if channel is None or not recording.has(Role.RPM):
        return []
    frame = frame_on(recording, Role.OIL_TEMP)
    running = frame.filled(Role.RPM) > 500.0
    if running.sum() * frame.step_s < _LONG_ENOUGH_S:
        return []
    known = channel.values[np.isfinite(channel.values)]
    spread = float(np.ptp(known)) if known.size else 0.0
    if spread < _STANDS_C and np.unique(np.round(known, 2)).size <= 3:
        what = phrase("stands at {}", in_celsius(float(np.median(known)), 1)) if known.size else "reads nothing"
        reason = phrase(
            "'{}' {} throughout while the engine runs: an open wire or a column that is not filled. {}",
            channel.name,
            what,
            _LEFT_OUT,
        )
        return [Check("oil_temp_flat", "warn", reason, channel.name, _without(channel, reason), 0.0)]
    checks = [
        Check("oil_temp_flat", "ok", phrase("The oil temperature moves, by {}.", in_degrees(spread)), channel.name)
    ]
    return [*checks, *_place(frame, channel), *check_lag(recording, channel.name)]


def _without(channel: Channel, reason: str) -> Correction:
    """Nothing of a channel is believed."""
    every = np.arange(channel.values.size)
    return Correction(channel.name, "spikes", float(every.size), "samples", reason, every)


def _place(frame: Frame, channel: Channel) -> list[Check]:
    """Oil in the pan is slow: what swings by degrees within a lap, against the speed, is air on the sensor.

    Normal is expected wrong by as much within each lap: from a few degrees on it is surer by calm running than by such
    a temperature.
    """
    name = channel.name
    if frame.get(Role.SPEED) is None:
        return [
            Check(
                "oil_temp_place",
                "note",
                "Cannot be checked: no speed is logged, so a sensor in the cooler's stream would not show.",
                name,
            )
        ]
    grid = np.arange(frame.time_s[0], frame.time_s[-1], _GRID_S)
    read = [
        np.interp(grid, frame.time_s[ok], values[ok])
        for values in (frame.filled(Role.OIL_TEMP, np.nan), frame.filled(Role.SPEED, np.nan))
        if (ok := np.isfinite(values)).sum() > 10
    ]
    window = round(60.0 / _GRID_S)
    if len(read) < 2 or grid.size < 3 * window:
        return []
    temperature, speed = read
    swing_t, swing_v = (v - rolling_mean(v, window) for v in (rolling_mean(temperature, 4), rolling_mean(speed, 4)))
    best, slope = 0.0, 0.0
    for lag_s in (0.0, 2.0, 4.0, 6.0, 9.0):
        lag = round(lag_s / _GRID_S)
        v, t = swing_v[: swing_v.size - lag], swing_t[lag:]
        if v.std() < 0.5 or t.std() < 1e-3:
            continue
        found = float(np.corrcoef(v, t)[0, 1])
        if found < best:
            best, slope = found, float(np.mean(v * t) / np.var(v))
    reach = -slope * 2.0 * float(np.std(swing_v))
    if best > _AIRSTREAM_AGREES or reach < _AIRSTREAM_C:
        return [Check("oil_temp_place", "ok", "The oil temperature does not swing with the speed.", name)]
    words = phrase(
        "The oil temperature swings against the speed within each lap (by {}, correlation {:.2f}): "
        "the sensor sits on the cooler or in its air. The oil in the pan is hotter than it says. Fit "
        "it in the pan or the gallery.",
        in_degrees(2 * reach, 1),
        best,
    )
    if reach < _TOO_MUCH_C:
        return [Check("oil_temp_place", "warn", words, name, measured=reach)]
    words += f" {_LEFT_OUT}"
    return [Check("oil_temp_place", "warn", words, name, _without(channel, words), reach)]
