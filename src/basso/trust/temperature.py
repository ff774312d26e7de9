"""Is the oil temperature that of the oil? A wire that is open, a sensor that sits in the cooler's stream, or one that lags."""

from __future__ import annotations

import numpy as np

from basso.recording.channel import Channel
from basso.recording.corrections import LEAD_WINDOW_S, Correction
from basso.recording.recording import Frame, Recording, frame_on
from basso.recording.roles import Role
from basso.recording.rolling import local_parabola, rolling_mean
from basso.trust.calm import most_g
from basso.trust.surface import FAR, far_share, fitted, fitted_softly, hats, surface
from basso.trust.verdict import Check
from basso.units import FloatArray

_LONG_ENOUGH_S = 120.0
_STANDS_C = 0.2
_GRID_S = 0.5
_CALM_FOR_S = 2.0
_AIRSTREAM_C = 0.3
_AIRSTREAM_AGREES = -0.40
_TOO_MUCH_C = 1.0
"""A temperature that swings by more either way within a lap costs more dips than none at all (default)."""
_LEFT_OUT = "It is left out, and normal follows the pressure of calm running."
_LAGS = np.array([0.0, 10.0, 20.0, 30.0, 45.0, 60.0, 80.0, 100.0, 130.0, 160.0, 200.0])
_NOTED_LAG_S = 20.0
_BETTER = 0.03
"""As far must a lag lower the misfit (default): it did by nothing in healthy logs of 48 engines, and by 0.04 and more with a lag of 30 s."""
_COARSE_C = 1.1
_WAYS_OF_LOOKING = ((6, 3, np.inf), (6, 4, np.inf), (6, 3, 0.6), (4, 3, 0.6), (6, 3, 0.9))
"""Knots in engine speed and in temperature, and up to how much g within two seconds."""
_SURELY_BETTER = 0.08
"""As far does every lag from 60 s on lower it in 96 logs (by 0.10 and more), and one of 120 healthy ones by 0.06 (default)."""
_LEAST_MOMENTS, _MOST_MOMENTS = 200, 2500


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
        what = f"stands at {float(np.median(known)):.1f} °C" if known.size else "reads nothing"
        reason = (
            f"'{channel.name}' {what} throughout while the engine runs: an open wire or a column "
            f"that is not filled. {_LEFT_OUT}"
        )
        return [Check("oil_temp_flat", "warn", reason, channel.name, _without(channel, reason), 0.0)]
    checks = [Check("oil_temp_flat", "ok", f"The oil temperature moves, by {spread:.0f} °C.", channel.name)]
    return [*checks, *_place(frame, channel), *_lag(recording, channel.name)]


def _without(channel: Channel, reason: str) -> Correction:
    """Nothing of a channel is believed."""
    every = np.arange(channel.values.size)
    return Correction(channel.name, "spikes", float(every.size), "samples", reason, every)


def _place(frame: Frame, channel: Channel) -> list[Check]:
    """Oil in the pan is slow: what swings by degrees within a lap, against the speed, is air on the sensor.

    Normal is expected wrong by as much within each lap: from a few degrees on it is surer by calm running than by such a temperature.
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
    if reach < _TOO_MUCH_C:
        return [Check("oil_temp_place", "warn", words, name, measured=reach)]
    words += f" {_LEFT_OUT}"
    return [Check("oil_temp_place", "warn", words, name, _without(channel, words), reach)]


def _lag(recording: Recording, name: str) -> list[Check]:
    """The pressure knows the oil's true temperature: the lag that explains it best while the oil warms up.

    A sensor that lags by τ reads T − τ·dT/dt of what it should (first order), so T + τ·dT/dt as logged is put in its place and
    the τ sought with which pressure is a clean surface over engine speed and temperature. The surface may have any shape, a
    relief valve's knee included; it is looked at in several ways (finer and coarser, with corners and without), and
    what they say on average counts: one alone is led astray by dips or by a relief valve that is open most of the time.
    """
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
    coarse = _step_c(recording)
    if coarse > _COARSE_C or frame.step_s > _GRID_S:
        why = (
            f"the oil temperature is logged in steps of {coarse:.1f} °C"
            if coarse > _COARSE_C
            else "the pressure is logged too slowly"
        )
        return [Check("oil_temp_lag", "note", f"Cannot be checked: {why}.", name)]
    window = round(LEAD_WINDOW_S / _GRID_S) | 1
    if grid.size < 4 * window:
        return []
    calm, per_step = local_parabola(temperature, window)
    rate = per_step / _GRID_S
    change = np.abs(np.gradient(rolling_mean(rpm, 3), _GRID_S)) / np.maximum(rpm, 500.0)
    use = (rpm > 600.0) & (change < 0.10) & (pressure > 30.0)
    # Enough moments, and a rate of warming that changes: else a lag is only a shift of the curve.
    if use.sum() < _LEAST_MOMENTS or float(np.ptp(np.percentile(rate[use], (5, 95)))) * 60.0 < 1.5:
        return [Check("oil_temp_lag", "note", "Cannot be checked: the oil hardly warms or cools in this log.", name)]
    thrown = most_g(frame, grid, _CALM_FOR_S)
    curves = []
    for speeds, temperatures, up_to_g in _WAYS_OF_LOOKING:
        at = np.flatnonzero(use & (thrown <= up_to_g))
        if at.size >= _LEAST_MOMENTS:
            at = at[:: max(1, at.size // _MOST_MOMENTS)]
            curves.append(_misfits(np.log(pressure[at]), np.log(rpm[at]), calm[at], rate[at], speeds, temperatures))
    misfits = np.exp(np.mean(curves, axis=0))
    worth = np.where(_LAGS >= _NOTED_LAG_S, misfits, np.inf)
    best = int(np.argmin(worth))
    lag, better = float(_LAGS[best]), 1.0 - float(worth[best])
    if better < _BETTER:
        return [
            Check("oil_temp_lag", "ok", "The pressure follows the oil temperature as it is logged.", name, measured=0.0)
        ]
    sure = better >= _SURELY_BETTER
    words = f"The pressure fits the oil temperature best as it would be {lag:.0f} s later (the misfit falls by {100 * better:.0f} %): the sensor "
    words += (
        "lags, and while the oil warms up it is hotter than it reads. What it was heading for is put in its place."
        if sure
        else "may lag; then the oil is hotter than it reads while it warms up. What it was heading for can be put in its place; this log "
        "alone does not prove it."
    )
    return [
        Check("oil_temp_lag", "warn", words, name, Correction(name, "lead", lag, "s", words), lag, offered=not sure)
    ]


def _step_c(recording: Recording) -> float:
    """The step in which the oil temperature is written, °C."""
    channel = recording.channel(Role.OIL_TEMP)
    values = np.unique(channel.values[np.isfinite(channel.values)]) if channel is not None else np.empty(0)
    return float(np.median(np.diff(values))) if values.size > 2 else 0.0


def _misfits(
    log_p: FloatArray, log_n: FloatArray, temperature: FloatArray, rate: FloatArray, speeds: int, temperatures: int
) -> FloatArray:
    """Log misfit of the pressure for each lag against none: about a surface of ``speeds`` × ``temperatures`` knots, linear between them.

    Dips are left out in two ways, and the mean of both counts: one sees a small lag better, the other is not led astray by which it leaves out.
    """
    by_speed = hats(log_n, speeds)
    every = np.ones(log_p.size, dtype=bool)
    designs = [surface(by_speed, hats(temperature + lag * rate, temperatures)) for lag in _LAGS]
    spreads = []
    for design in designs:
        off, kept = fitted(log_p, design, every, 1.5, 3.0)
        spreads.append(float(np.sqrt(np.mean(off[kept] ** 2))))
    far = FAR * min(spreads)
    soft = [float(np.mean(far_share(fitted_softly(log_p, design, far), far))) for design in designs]
    curve: FloatArray = 0.5 * (np.log(np.array(spreads)) + np.log(np.array(soft)))
    return np.asarray(curve - curve[0])
