"""Does the oil temperature lag? The pressure knows the oil's true temperature.

A sensor that lags by τ reads T − τ·dT/dt of what it should (first order), so T + τ·dT/dt as logged is put in its place
and the τ sought with which pressure is a clean surface over engine speed and temperature (:mod:`basso.trust.surface`).
It is looked at in several ways (finer and coarser, calm running only and all), and what they say on average counts: one
alone is led astray by dips or by a relief valve that is open most of the time.

A lag that is there explains the pressure better all along while the oil warms, and one that a coarse converter or
something else feigns
does so in a few places only: how much better is held against how it differs from one half minute to the next.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from basso.recording.corrections import LEAD_WINDOW_S, Correction
from basso.recording.recording import Recording, frame_on
from basso.recording.roles import Role
from basso.recording.rolling import local_parabola, rolling_mean
from basso.sentence import in_degrees, in_kpa, phrase
from basso.trust.calm import most_g
from basso.trust.steps import COARSE_KPA, step_kpa
from basso.trust.surface import FAR, asked, far_share, fitted, fitted_softly, hats, surface
from basso.trust.verdict import Check
from basso.units import FloatArray

_GRID_S = 0.5
_CALM_FOR_S = 2.0
_LAGS = np.array([0.0, 10.0, 20.0, 30.0, 45.0, 60.0, 80.0, 100.0, 130.0, 160.0, 200.0])
_NOTED_LAG_S = 20.0
_BETTER = 0.07
"""As far must a lag lower the misfit (default): it did by up to 0.05 in 178 healthy logs and by 0.066 in one of 24
more, and by 0.07 and more in 142 with a lag of 30 s."""
_SURELY_BETTER = 0.08
"""From where on it is put right without being asked (default): every lag from 60 s on lowered it by 0.15 and more in 96
logs."""
_TOLD, _SURELY_TOLD = 1.3, 2.0
"""So many standard errors from nothing, in the middle of the looks (default): 2 of 140 logs with a coarse converter
feign a lag beyond, of 214 true ones every one lies there."""
_BLOCK_S = 30.0
_COARSE_C = 1.1
_WAYS_OF_LOOKING = ((10, 2, np.inf), (10, 3, np.inf), (10, 2, 0.6), (8, 2, 0.6), (10, 2, 0.9))
"""Knots in what the engine asks for and in temperature, and up to how much g within two seconds."""
_LEAST_MOMENTS, _MOST_MOMENTS = 200, 2500


@dataclass(frozen=True, slots=True, eq=False)
class _Look:
    """One way of looking at the lags; arrays of shape (lags,).

    Attributes:
        misfits: log misfit of the pressure with each lag against none.
        told: by how many standard errors each explains it better than none, from half minute to half minute.
    """

    misfits: FloatArray
    told: FloatArray


def check_lag(recording: Recording, name: str) -> list[Check]:
    """Look for the lag of the oil temperature, in the channel ``name``; nothing without enough to look at."""
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
            phrase("the oil temperature is logged in steps of {}", in_degrees(coarse, 1))
            if coarse > _COARSE_C
            else "the pressure is logged too slowly"
        )
        return [Check("oil_temp_lag", "note", phrase("Cannot be checked: {}.", why), name)]
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

    def looks_at(lags: FloatArray, ways: Sequence[tuple[int, int, float]]) -> list[_Look]:
        looks = []
        for knots, temperatures, up_to_g in ways:
            at = np.flatnonzero(use & (thrown <= up_to_g))
            if at.size >= _LEAST_MOMENTS:
                at = at[:: max(1, at.size // _MOST_MOMENTS)]
                block = (grid[at] // _BLOCK_S).astype(np.intp)
                moments = (np.log(pressure[at]), np.log(rpm[at]), calm[at], rate[at], block)
                looks.append(_look(*moments, lags=lags, knots=knots, temperatures=temperatures))
        return looks

    first = looks_at(_FIRST_LAGS, (_FIRST_WAY,)) or looks_at(_FIRST_LAGS, _WAYS_OF_LOOKING[:1])
    if not first or not _promising(first[0]):
        return [_no_lag(recording, name)]
    looks = looks_at(_LAGS, _WAYS_OF_LOOKING)
    misfits = np.exp(np.mean([look.misfits for look in looks], axis=0))
    worth = np.where(_LAGS >= _NOTED_LAG_S, misfits, np.inf)
    best = int(np.argmin(worth))
    lag, better = float(_LAGS[best]), 1.0 - float(worth[best])
    told = float(np.median([look.told[best] for look in looks]))
    if better < _BETTER or told < _TOLD:
        return [_no_lag(recording, name)]
    sure = better >= _SURELY_BETTER and told >= _SURELY_TOLD and _steps_kpa(recording) < COARSE_KPA
    words = (
        f"The pressure fits the oil temperature best as it would be {lag:.0f} s later (the misfit falls by "
        f"{100 * better:.0f} %): the sensor "
    )
    words += (
        "lags, and while the oil warms up it is hotter than it reads. What it was heading for is put in its place."
        if sure
        else "may lag; then the oil is hotter than it reads while it warms up. What it was heading for can "
        "be put in its place; this log "
        "alone does not prove it."
    )
    return [
        Check("oil_temp_lag", "warn", words, name, Correction(name, "lead", lag, "s", words), lag, offered=not sure)
    ]


def _steps_kpa(recording: Recording) -> float:
    channel = recording.channel(Role.OIL_PRESSURE)
    return step_kpa(channel.values) if channel is not None else 0.0


def _no_lag(recording: Recording, name: str) -> Check:
    """What is said where no lag shows."""
    steps_kpa = _steps_kpa(recording)
    if steps_kpa >= COARSE_KPA:
        why = phrase("the pressure reads in steps of {}, which would hide a lag", in_kpa(steps_kpa))
        return Check("oil_temp_lag", "note", phrase("Cannot be checked: {}.", why), name)
    words = "The pressure follows the oil temperature as it is logged."
    return Check("oil_temp_lag", "ok", words, name, measured=0.0)


_FIRST_WAY = _WAYS_OF_LOOKING[2]
"""Calm running tells best by itself: of 45 logs that all the ways together call it let 44 by, all running in two ways
37 (98 logs, 42 of them with lags of 20 to 45 s, seeds 1000 to 1013)."""
_FIRST_BETTER = 0.02
_FIRST_LAGS = np.array([0.0, 30.0, 80.0, 160.0])
"""What is tried first: what is better with any lag is better with one of these, if not as much."""


def _promising(look: _Look) -> bool:
    """Whether a first look at few lags shows a third of what a lag has to show: where it does not, the others are
    spared."""
    noted = _FIRST_LAGS >= _NOTED_LAG_S
    return bool(np.any(noted & ((1.0 - np.exp(look.misfits) >= _FIRST_BETTER) | (look.told >= _TOLD))))


def _step_c(recording: Recording) -> float:
    """The step in which the oil temperature is written, °C."""
    channel = recording.channel(Role.OIL_TEMP)
    values = np.unique(channel.values[np.isfinite(channel.values)]) if channel is not None else np.empty(0)
    return float(np.median(np.diff(values))) if values.size > 2 else 0.0


def _look(
    log_p: FloatArray,
    log_n: FloatArray,
    temperature: FloatArray,
    rate: FloatArray,
    block: NDArray[np.intp],
    *,
    lags: FloatArray,
    knots: int,
    temperatures: int,
) -> _Look:
    """How each lag fits, about a surface of ``knots`` × ``temperatures``, linear between them; arrays of shape (n,).

    Dips are left out in two ways, and the mean of both counts: one sees a small lag better, the other is not led astray
    by which it leaves out.
    ``block``: which half minute each moment belongs to; ``lags``: the first is none.
    """
    every = np.ones(log_p.size, dtype=bool)
    heats = [temperature + lag * rate for lag in lags]
    designs = [surface(hats(asked(log_n, heat), knots), hats(heat, temperatures)) for heat in heats]
    spreads = []
    for design in designs:
        off, kept = fitted(log_p, design, every, 1.5, 3.0)
        spreads.append(float(np.sqrt(np.mean(off[kept] ** 2))))
    far = FAR * min(spreads)
    soft = np.array([far_share(fitted_softly(log_p, design, far), far) for design in designs])
    misfits = 0.5 * (np.log(np.array(spreads)) + np.log(soft.mean(axis=1)))
    _, of = np.unique(block, return_inverse=True)
    better = soft[0] - soft
    better = np.array([np.bincount(of, row) for row in better - better.mean(axis=1, keepdims=True)])
    error = np.sqrt(np.sum(better**2, axis=1)) / log_p.size
    told = (soft[0].mean() - soft.mean(axis=1)) / np.maximum(error, 1e-9)
    return _Look(misfits - misfits[0], told)
