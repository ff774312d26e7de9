"""How the pressure answers the engine speed: is it only late, or does a filter round it off as well?

A filter in the logger, or air in a long line, makes of a sudden change a slow one: τ·dp/dt = p' − p, where p' is what
the gallery had. While the pan is settled p' is a surface over engine speed and oil temperature
(:mod:`basso.trust.surface`), and that surface, filtered and late by as much, must be what was logged. Both numbers are
those with which it fits best in the second after a gear change or a lift.

What is fitted is by how much the pressure changed within a second, not the pressure: what moves it slowly (oil that
gathers or runs out, a surface that is not quite right) would else drown what tells the two apart.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass, field
from functools import cache

import numpy as np
from numpy.typing import NDArray

from basso.recording.recording import Frame, Recording, frame_on
from basso.recording.roles import Role
from basso.recording.rolling import rolling_max, rolling_mean
from basso.trust.calm import most_g
from basso.trust.surface import FAR, asked, far_share, fitted, fitted_softly, hats, surface
from basso.units import FloatArray

GALLERY_S = 0.035
"""What a short, stiff line and the gallery need by themselves (default); not taken off."""
_GRID_S = 0.02
_ENOUGH_S = 1500.0
_CHANGE_S = 1.0
_LATEST_S, _SLOWEST_S = 0.70, 0.80
_COARSE = list(itertools.product((0, 2, 4, 6, 8, 10, 12, 16, 20, 26, 32), range(0, 35, 4)))
"""Where the search begins: (time constant in steps of ``_CONSTANT_S``, delay in steps of ``_GRID_S``)."""
_CONSTANT_S = 0.025
_TOGETHER, _KEPT = 8, 12
_QUICK = 0.35
"""Of log engine speed a second, from where on a change tells."""
_AFTER_S = 1.5
_CALM_G = 0.6
_CALM_FOR_S = 1.5
_SLOWEST_STEP_S = 0.11
_LEAST_MOMENTS, _ROUGH_MOMENTS, _MOST_MOMENTS = 250, 750, 3000
_SPEEDS, _TEMPERATURES = (12, 16, 20), 3
"""Knots: what surfaces of several shapes say on average is nearer the truth than what one of them says."""


@dataclass(frozen=True, slots=True)
class Response:
    """What explains the pressure best.

    Attributes:
        constant_s: of a filter of first order, beside what the gallery takes.
        late_s: how late it is beside both.
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
    rough = _moments(frame, _SPEEDS[0], _ROUGH_MOMENTS)
    ways = [m for speeds in _SPEEDS if (m := _moments(frame, speeds, _MOST_MOMENTS)) is not None]
    if rough is None:
        return None

    begun = {at: rough.spread(at[0] * _CONSTANT_S, at[1]) for at in _COARSE}
    far = FAR * min(begun.values())

    @cache
    def misfit(constant: int, late: int) -> float:
        if not (0 <= constant * _CONSTANT_S <= _SLOWEST_S and 0 <= late * _GRID_S <= _LATEST_S):
            return np.inf
        return float(np.mean([m.misfit(constant * _CONSTANT_S, late, far) for m in ways]))

    def lowest(here: tuple[int, int], wander: int) -> tuple[int, int]:
        for step in (2, 1):
            while (lower := min(_about(here, wander * step, step), key=lambda at: misfit(*at))) != here:
                here = lower
        return here

    alone = lowest(min((at for at in _COARSE if at[0] == 0), key=lambda at: begun[at]), 0)
    # Two ways down, for a valley may lie between two places of the coarse search.
    starts = min(_COARSE, key=lambda at: begun[at]), alone
    here = min((lowest(at, 1) for at in starts), key=lambda at: misfit(*at))
    constant_s, late_s = _lowest_between(here, [misfit(*at) for at in _about(here)])
    return Response(constant_s, late_s, 1.0 - misfit(*here) / misfit(*alone))


def _about(at: tuple[int, int], constants: int = 1, lates: int = 1) -> list[tuple[int, int]]:
    """A place of the search and its eight neighbours, so many steps away; itself first."""
    i, k = at
    ring = [(i + a * constants, k + b * lates) for a in (-1, 0, 1) for b in (-1, 0, 1) if (a, b) != (0, 0)]
    return [at, *ring]


def _lowest_between(at: tuple[int, int], misfits: list[float]) -> tuple[float, float]:
    """Where the surface of second order through a place and its neighbours is lowest: time constant and delay, s.

    At the edge of what there can be, where the parabola along the edge is.
    """
    x, y = np.array(_about((0, 0)), dtype=np.float64).T
    found = np.array(misfits)
    step = np.zeros(2)
    if np.all(np.isfinite(found)):
        design = np.column_stack([np.ones(9), x, y, 0.5 * x * x, x * y, 0.5 * y * y])
        _, *slope, bend_x, cross, bend_y = np.linalg.lstsq(design, found, rcond=None)[0]
        if bend_x > 0.0 and bend_x * bend_y > cross**2:
            step = -np.linalg.solve(np.array([[bend_x, cross], [cross, bend_y]]), np.array(slope))
    else:
        for axis, along, across in ((0, x, y), (1, y, x)):
            before, after = (float(found[(along == way) & (across == 0.0)][0]) for way in (-1.0, 1.0))
            bend = before - 2.0 * misfits[0] + after
            if np.isfinite(bend) and bend > 0.0:
                step[axis] = 0.5 * (before - after) / bend
    step = np.clip(step, -1.0, 1.0)
    return float((at[0] + step[0]) * _CONSTANT_S), float((at[1] + step[1]) * _GRID_S)


@dataclass(frozen=True, slots=True, eq=False)
class _Moments:
    """The moments that tell.

    Attributes:
        pressure, change: kPa, shape (n,): what it is, and by how much it has changed in ``_CHANGE_S``.
        before: how much of each knot of what the engine asked for there was 0, 20, 40 … ms before, shape (m, n ·
            knots).
        warmth: how much of each temperature, shape (n, k).
    """

    pressure: FloatArray
    change: FloatArray
    before: NDArray[np.float32]
    warmth: FloatArray
    _left: dict[tuple[float, int], NDArray[np.float32]] = field(default_factory=dict)
    """What was worked out already: by constant and by the first of ``_TOGETHER`` delays, shape (_TOGETHER, n ·
    knots)."""

    def spread(self, constant_s: float, late: int) -> float:
        """Of what a filter of this constant and this many steps of delay leave: relative, robust."""
        changes, design = self._equations(constant_s, late)
        off, kept = fitted(changes, design, np.ones(changes.size, dtype=bool), FAR, FAR)
        return max(float(np.sqrt(np.mean(off[kept] ** 2))), 1e-6)

    def misfit(self, constant_s: float, late: int, far: float) -> float:
        """Mean of 1 − exp(−(off ÷ far)²) with the surface that makes it lowest: smooth in both, unlike what leaves dips
        out."""
        changes, design = self._equations(constant_s, late)
        off = fitted_softly(changes, design, far)
        return float(np.mean(far_share(off, far)))

    def _equations(self, constant_s: float, late: int) -> tuple[FloatArray, FloatArray]:
        """Relative changes of pressure, shape (n,), and what each knot of the surface adds to them, shape (n, k)."""
        level = float(np.median(self.pressure))
        scale = level / np.maximum(self.pressure, 0.2 * level)
        then = late + round(_CHANGE_S / _GRID_S)
        moved = (self._speeds(constant_s, late) - self._speeds(constant_s, then)) * scale[:, None]
        return self.change / level * scale, surface(moved, self.warmth)

    def _speeds(self, constant_s: float, late: int) -> FloatArray:
        """How much of each knot the gallery and a filter have left, shape (n, knots).

        The search asks for neighbouring delays: a few are worked out at once, since reading ``before`` costs more than
        the sums.
        """
        first = late - late % _TOGETHER
        if (constant_s, first) not in self._left:
            weights = np.convolve(_fading(GALLERY_S), _fading(constant_s)).astype(self.before.dtype)
            shifted = np.zeros((_TOGETHER, weights.size + _TOGETHER - 1), dtype=self.before.dtype)
            for by in range(_TOGETHER):
                shifted[by, by : by + weights.size] = weights
            while len(self._left) >= _KEPT:
                self._left.pop(next(iter(self._left)))
            past = self.before[first : first + shifted.shape[1]]
            self._left[constant_s, first] = shifted[:, : past.shape[0]] @ past
        own = self._left[constant_s, first][late - first]
        return np.asarray(own, dtype=np.float64).reshape(self.pressure.size, -1)


def _fading(constant_s: float) -> FloatArray:
    """Weights of what was 0, 20, 40 … ms before in a filter's answer; by trapezia, so that it is late by its constant.

    What was longer ago than four constants is taken as it was then.
    """
    fades = float(np.exp(-_GRID_S / max(constant_s, 1e-3)))
    weights = fades ** np.arange(int(np.ceil(4.0 * constant_s / _GRID_S)) + 1)
    if weights.size > 1:
        weights[0] *= 0.5
        weights[-1] /= 1.0 - fades
    faded: FloatArray = weights / weights.sum()
    return faded


def _moments(frame: Frame, speeds: int, most: int) -> _Moments | None:
    first = float(frame.time_s[0])
    grid = np.arange(first, min(float(frame.time_s[-1]), first + _ENOUGH_S), _GRID_S)
    if grid.size < 3:
        return None
    pressure, rpm = (np.interp(grid, frame.time_s, frame.filled(r, 0.0)) for r in (Role.OIL_PRESSURE, Role.RPM))
    speed = np.log(np.maximum(rpm, 600.0))
    quick = np.abs(np.gradient(rolling_mean(speed, 5), _GRID_S)) > _QUICK
    told = rolling_max(quick.astype(np.float64), round(_AFTER_S / _GRID_S), trailing=True) > 0.0
    use = told & (rpm > 1500.0) & (pressure > 30.0) & (most_g(frame, grid, _CALM_FOR_S, (Role.LATERAL_G,)) <= _CALM_G)
    apart = round(_CHANGE_S / _GRID_S)
    reach = round((_LATEST_S + 4.0 * (_SLOWEST_S + GALLERY_S)) / _GRID_S) + 4 + apart
    read = np.interp(grid, frame.time_s, np.isfinite(frame.filled(Role.OIL_PRESSURE, np.nan))) > 0.99
    at = np.flatnonzero(use & read)
    at = at[at >= reach]
    at = at[read[at - apart]]
    if at.size < _LEAST_MOMENTS:
        return None
    at = at[:: -(-at.size // most)]
    temperature = frame.filled(Role.OIL_TEMP, np.nan)
    known = np.isfinite(temperature)
    over, slow = speed, grid  # an oil temperature that is not logged changes with time
    if known.any():
        slow = np.interp(grid, frame.time_s[known], temperature[known])
        over = asked(speed, slow)
    belongs = hats(over, speeds).astype(np.float32).T
    before = np.ascontiguousarray(belongs[:, at - np.arange(reach)[:, None]].transpose(1, 2, 0)).reshape(reach, -1)
    return _Moments(pressure[at], pressure[at] - pressure[at - apart], before, hats(slow[at], _TEMPERATURES))
