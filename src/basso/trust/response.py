"""How the pressure answers the engine speed: is it only late, or does a filter round it off as well?

A filter in the logger, or air in a long line, makes of a sudden change a slow one: τ·dp/dt = p' − p, where p' is what the gallery had.
While the pan is settled p' is a surface over engine speed and oil temperature (:mod:`basso.trust.surface`), and that surface, filtered and
late by as much, must be what was logged. Both numbers are those with which it fits best in the second after a gear change or a lift.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from functools import cache

import numpy as np

from basso.recording.recording import Frame, Recording, frame_on
from basso.recording.roles import Role
from basso.recording.rolling import rolling_max, rolling_mean
from basso.trust.surface import fitted, hats, surface
from basso.units import FloatArray

_GRID_S = 0.02
_ENOUGH_S = 1500.0
_CONSTANTS_S: FloatArray = np.array([0.0, 0.05, 0.10, 0.15, 0.20, 0.25, 0.30, 0.40, 0.50, 0.65, 0.80])
_LATEST_S = 0.70
_FINE_S = 0.04
_QUICK = 0.35
"""Of log engine speed a second, from where on a change tells."""
_AFTER_S = 1.5
_CALM_G = 0.6
_CALM_FOR_S = 1.5
_SLOWEST_STEP_S = 0.11
_LEAST_MOMENTS, _MOST_MOMENTS = 250, 1500
_SPEEDS, _TEMPERATURES = (7, 10, 5), 3
"""Knots: what surfaces of several shapes say on average is nearer the truth than what one of them says."""


@dataclass(frozen=True, slots=True)
class Response:
    """What explains the pressure best.

    Attributes:
        constant_s: of a filter of first order.
        late_s: how late it is beside.
        better: by what share the misfit is lower than with the best delay alone.
    """

    constant_s: float
    late_s: float
    better: float


def measure_response(recording: Recording) -> Response | None:
    """The filter and the delay of the oil pressure against the engine speed; None where too little tells."""
    frame = frame_on(recording, Role.OIL_PRESSURE)
    if frame.step_s <= 0.0 or frame.step_s > _SLOWEST_STEP_S:
        return None
    ways = [m for speeds in _SPEEDS if (m := _moments(frame, speeds)) is not None]
    if not ways:
        return None
    lates = int(_LATEST_S / _FINE_S)

    @cache
    def misfit(constant: int, late: int, all_ways: bool = True) -> float:
        if not (0 <= constant < _CONSTANTS_S.size and 0 <= late < lates):
            return np.inf
        looks = ways if all_ways else ways[:1]
        steps = round(late * _FINE_S / _GRID_S)
        return float(np.mean([m.misfit(float(_CONSTANTS_S[constant]), steps) for m in looks]))

    def lowest(constants: range) -> tuple[int, int]:
        here = min(itertools.product(constants, range(0, lates, 2)), key=lambda at: misfit(*at, all_ways=False))
        while (lower := min((p for p in _about(here) if p[0] in constants), key=lambda at: misfit(*at))) != here:
            here = lower
        return here

    here, alone = lowest(range(_CONSTANTS_S.size)), lowest(range(1))
    constant_s, late_s = _lowest_between(here, [misfit(*at) for at in _about(here)])
    return Response(constant_s, late_s, 1.0 - float(np.exp(misfit(*here) - misfit(*alone))))


def _about(at: tuple[int, int]) -> list[tuple[int, int]]:
    """A place on the grid and its eight neighbours; itself first."""
    i, k = at
    return [at, *((i + a, k + b) for a in (-1, 0, 1) for b in (-1, 0, 1) if (a, b) != (0, 0))]


def _lowest_between(at: tuple[int, int], misfits: list[float]) -> tuple[float, float]:
    """Where the surface of second order through a place and its neighbours is lowest: time constant and delay, s."""
    known = [(i, k, m) for (i, k), m in zip(_about(at), misfits, strict=True) if np.isfinite(m)]
    here = np.array([_CONSTANTS_S[at[0]], at[1] * _FINE_S])
    if len(known) < 9:
        return float(here[0]), float(here[1])
    x, y = np.array([(_CONSTANTS_S[i], k * _FINE_S) for i, k, _ in known]).T - here[:, None]
    design = np.column_stack([np.ones(9), x, y, 0.5 * x * x, x * y, 0.5 * y * y])
    _, *slope, bend_x, cross, bend_y = np.linalg.lstsq(design, np.array([m for _, _, m in known]), rcond=None)[0]
    if bend_x <= 0.0 or bend_x * bend_y <= cross**2:
        return float(here[0]), float(here[1])
    step = -np.linalg.solve(np.array([[bend_x, cross], [cross, bend_y]]), np.array(slope))
    step = np.clip(step, [x.min(), y.min()], [x.max(), y.max()])
    return float(here[0] + step[0]), float(here[1] + step[1])


@dataclass(frozen=True, slots=True, eq=False)
class _Moments:
    """The pressure at the moments that tell, shape (n,), and how much of each engine speed there was 0, 20, 40 … ms before, (n, m, knots)."""

    pressure: FloatArray
    before: FloatArray
    warmth: FloatArray

    def misfit(self, constant_s: float, late: int) -> float:
        """Log of the relative misfit with a filter of this constant and this many steps of delay."""
        reach = min(int(np.ceil(4.0 * constant_s / _GRID_S)) + 1, self.before.shape[1] - late)
        weights = np.exp(-np.arange(reach) * _GRID_S / max(constant_s, 1e-3))
        speeds = np.tensordot(self.before[:, late : late + reach], weights / weights.sum(), axes=([1], [0]))
        level = float(np.median(self.pressure))
        scale = level / np.maximum(self.pressure, 0.2 * level)
        design = surface(speeds, self.warmth) * scale[:, None]
        off, kept = fitted(self.pressure / level * scale, design, np.ones(scale.size, dtype=bool), 1.5, 3.0)
        return float(np.log(max(float(np.sqrt(np.mean(off[kept] ** 2))), 1e-6)))


def _moments(frame: Frame, speeds: int) -> _Moments | None:
    first = float(frame.time_s[0])
    grid = np.arange(first, min(float(frame.time_s[-1]), first + _ENOUGH_S), _GRID_S)
    pressure, rpm = (np.interp(grid, frame.time_s, frame.filled(r, 0.0)) for r in (Role.OIL_PRESSURE, Role.RPM))
    speed = np.log(np.maximum(rpm, 600.0))
    quick = np.abs(np.gradient(rolling_mean(speed, 5), _GRID_S)) > _QUICK
    told = rolling_max(quick.astype(np.float64), round(_AFTER_S / _GRID_S), trailing=True) > 0.0
    use = told & (rpm > 1500.0) & (pressure > 30.0) & (_thrown(frame, grid) <= _CALM_G)
    reach = round((_LATEST_S + 4.0 * float(_CONSTANTS_S[-1])) / _GRID_S)
    at = np.flatnonzero(use)
    at = at[at >= reach]
    if at.size < _LEAST_MOMENTS:
        return None
    at = at[:: -(-at.size // _MOST_MOMENTS)]
    temperature = frame.get(Role.OIL_TEMP)
    slow = grid[at] if temperature is None else np.interp(grid[at], frame.time_s, np.nan_to_num(temperature))
    belongs = hats(speed, speeds).astype(np.float32)
    before = belongs[at[:, None] - np.arange(reach)]
    return _Moments(pressure[at], before, hats(slow, _TEMPERATURES))


def _thrown(frame: Frame, grid: FloatArray) -> FloatArray:
    """The most sideways g of the last second and a half, shape of ``grid``; 0 where none is logged."""
    lateral = frame.get(Role.LATERAL_G)
    if lateral is None:
        return np.zeros(grid.size)
    g = np.abs(np.interp(grid, frame.time_s, np.nan_to_num(lateral)))
    return rolling_max(g, round(_CALM_FOR_S / _GRID_S) + 1, trailing=True)
