"""Is the oil temperature that of the oil? A wire that is open, a sensor that sits in the cooler's stream, or one that lags."""

from __future__ import annotations

import numpy as np

from basso.recording.corrections import Correction
from basso.recording.recording import Frame, Recording, frame_on
from basso.recording.roles import Role
from basso.recording.rolling import rolling_mean
from basso.trust.verdict import Check
from basso.units import FloatArray

_LONG_ENOUGH_S = 120.0
_STANDS_C = 0.2
_GRID_S = 0.5
_AIRSTREAM_C = 0.3
_AIRSTREAM_AGREES = -0.40
_LAGS = np.array([0.0, 10.0, 20.0, 30.0, 45.0, 60.0, 80.0, 100.0, 130.0, 160.0, 200.0])
_NOTED_LAG_S = 20.0
_BETTER = 0.05
_ON_RELIEF = 0.33


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
        reason = (
            f"'{channel.name}' stands at {float(np.median(known)):.1f} °C throughout while the engine runs: an open wire or a column "
            "that is not filled. It is left out, and share of normal is by rpm only."
        )
        every = np.arange(channel.values.size)
        correction = Correction(channel.name, "spikes", float(every.size), "samples", reason, every)
        return [Check("oil_temp_flat", "warn", reason, channel.name, correction, 0.0)]
    checks = [Check("oil_temp_flat", "ok", f"The oil temperature moves, by {spread:.0f} °C.", channel.name)]
    return [*checks, *_place(frame, channel.name), *_lag(recording, channel.name)]


def _place(frame: Frame, name: str) -> list[Check]:
    """Oil in the pan is slow: what swings by degrees within a lap, against the speed, is air on the sensor."""
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
    temperature, speed = (
        np.interp(grid, frame.time_s[ok], values[ok])
        for values in (frame.filled(Role.OIL_TEMP, np.nan), frame.filled(Role.SPEED, np.nan))
        if (ok := np.isfinite(values)).sum() > 10
    )
    window = round(60.0 / _GRID_S)
    if grid.size < 3 * window:
        return []
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
    words = (
        f"The oil temperature swings against the speed within each lap (by {2 * reach:.1f} °C, correlation {best:.2f}): the sensor sits on "
        "the cooler or in its air. The oil in the pan is hotter than it says. Fit it in the pan or the gallery."
    )
    return [Check("oil_temp_place", "warn", words, name, measured=reach)]


def _lag(recording: Recording, name: str) -> list[Check]:
    """The pressure knows the oil's true temperature: the lag that explains it best while the oil warms up."""
    if not recording.has(Role.OIL_PRESSURE):
        return []
    frame = frame_on(recording, Role.OIL_PRESSURE)
    grid = np.arange(frame.time_s[0], frame.time_s[-1], _GRID_S)
    taken = []
    for role in (Role.OIL_PRESSURE, Role.RPM, Role.OIL_TEMP):
        values = frame.filled(role, np.nan)
        ok = np.isfinite(values)
        if ok.sum() < 200:
            return []
        taken.append(np.interp(grid, frame.time_s[ok], values[ok]))
    pressure, rpm, temperature = taken
    window = round(15.0 / _GRID_S)
    calm = rolling_mean(temperature, window)
    rate = np.gradient(calm, _GRID_S)
    change = np.abs(np.gradient(rolling_mean(rpm, 3), _GRID_S)) / np.maximum(rpm, 500.0)
    use = (rpm > 2000.0) & (change < 0.10) & (pressure > 30.0)
    # Two hundred moments at least, and a rate of warming that changes: else a lag is only a shift of the curve.
    if use.sum() < 200 or float(np.ptp(np.percentile(rate[use], (5, 95)))) * 60.0 < 1.5:
        return [Check("oil_temp_lag", "note", "Cannot be checked: the oil hardly warms or cools in this log.", name)]
    top = float(np.percentile(pressure[use], 98))
    if float(np.mean(pressure[use] > 0.95 * top)) > _ON_RELIEF:
        message = "Cannot be checked: the relief valve holds the pressure most of the time, so it does not show the oil's temperature."
        return [Check("oil_temp_lag", "note", message, name)]
    at = np.flatnonzero(use)
    every, odd, even = (_best_lag(pressure, rpm, calm, rate, part) for part in (at, at[::2], at[1::2]))
    lag, better = every
    # A lag that half of the moments do not show is chance.
    if min(lag, odd[0], even[0]) < _NOTED_LAG_S or better < _BETTER:
        return [
            Check("oil_temp_lag", "ok", "The pressure follows the oil temperature as it is logged.", name, measured=lag)
        ]
    words = (
        f"The pressure fits the oil temperature best as it would be {lag:.0f} s later (the misfit falls by {100 * better:.0f} %): the sensor "
        "lags, and while the oil warms up it is hotter than it reads. Floors by share of normal are too high until it is warm."
    )
    return [Check("oil_temp_lag", "warn", words, name, measured=lag)]


def _best_lag(
    pressure: FloatArray, rpm: FloatArray, temperature: FloatArray, rate: FloatArray, at: np.ndarray
) -> tuple[float, float]:
    """The lag in s that explains the pressure best, and by which share the misfit falls against none."""
    log_p, log_n = np.log(pressure[at]), np.log(rpm[at])
    misfits = np.array([_misfit(log_p, log_n, temperature[at] + lag * rate[at]) for lag in _LAGS])
    best = int(np.argmin(misfits))
    return float(_LAGS[best]), 1.0 - float(misfits[best] / misfits[0])


def _misfit(log_p: FloatArray, log_n: FloatArray, temperature: FloatArray) -> float:
    """Spread of the log pressure about a smooth function of engine speed and temperature; dips do not count."""
    n, t = log_n - log_n.mean(), (temperature - temperature.mean()) / 20.0
    design = np.column_stack([np.ones_like(n), n, n * n, t, t * t, n * t])
    use = np.ones(n.size, dtype=bool)
    spread = 1.0
    for _ in range(5):
        fit = np.linalg.lstsq(design[use], log_p[use], rcond=None)[0]
        off = log_p - design @ fit
        spread = float(np.median(np.abs(off[use])) / 0.6745)
        use = (off > -1.5 * spread) & (off < 3.0 * spread)
    return spread
