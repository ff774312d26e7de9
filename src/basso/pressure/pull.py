"""How hard a g pulls the oil from the pickup in each direction, as the session itself shows it."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from basso.units import FloatArray

DIRECTIONS = ("left_turn", "right_turn", "braking", "acceleration")
EQUAL: Mapping[str, float] = MappingProxyType(dict.fromkeys(DIRECTIONS, 1.0))
"""Where a session shows nothing: a g counts the same whichever way."""
_LEAST_LOW = 30

_ALIKE = 1.0
"""How firmly directions are held to each other, in samples per (1/g)²: what hardly occurs takes what the others
show."""
_TEMPER = 8.0
"""Samples that stand for one: neighbours of a tenth of a second say the same."""
_START = (1.0, 1.0, 1.0, 1.0, 0.0, -3.0)
_LEAST = np.array([0.0] * 5 + [-np.inf])
_MOST = np.array([60.0] * 5 + [np.inf])
_STEPS = 60


def thrown_ways(lateral_g: FloatArray, longitudinal_g: FloatArray) -> FloatArray:
    """What is held each way, in the order of :data:`DIRECTIONS`, never negative; shape (k, 4)."""
    ways = np.column_stack([lateral_g, -lateral_g, -longitudinal_g, longitudinal_g])
    made: FloatArray = np.maximum(ways, 0.0)
    return made


def find_pull(
    low: NDArray[np.bool_], lateral_g: FloatArray, longitudinal_g: FloatArray, fast: FloatArray
) -> Mapping[str, float]:
    """By direction, how much of baring the pickup one g does; only their ratio means something.

    The oil lies on a plane, so what each direction takes from the head over the pickup adds up: whether it is bare
    follows a sum of the g held each way. A logistic regression of "the share of normal is low" on them, each
    coefficient at least 0 and drawn towards the others' mean, so that a direction that hardly occurs is not called
    harmless.

    Args:
        low: where the share of normal is low, shape (k,).
        lateral_g, longitudinal_g: held, shape (k,).
        fast: by how many 1000 rpm the engine is faster than it mostly is, never negative, shape (k,): churning is not
            the pan's.
    """
    count = int(low.sum())
    if count < _LEAST_LOW or low.size - count < _LEAST_LOW:
        return EQUAL
    ways = thrown_ways(lateral_g, longitudinal_g)
    columns = np.column_stack([ways, fast, np.ones(low.size)])
    found = _regressed(columns, low)
    if float(found[:4].max()) < 0.5:
        return EQUAL
    return dict(zip(DIRECTIONS, (float(c) for c in found[:4] / found[:4].max()), strict=True))


def _regressed(columns: FloatArray, low: NDArray[np.bool_]) -> FloatArray:
    """The six coefficients of the logistic regression, columns of shape (k, 6), within their bounds.

    Newton's method, projected: the problem is convex and small. (The package that has a bounded minimiser takes four
    tenths of a second to load, as long as everything else that is loaded to judge a log.)
    """
    sign = np.where(low, 1.0, -1.0)
    alike = np.zeros((6, 6))
    alike[:4, :4] = 2.0 * _ALIKE * (np.eye(4) - 0.25)

    def loss(c: FloatArray) -> float:
        return float(np.sum(np.logaddexp(0.0, -sign * (columns @ c)))) / _TEMPER + 0.5 * float(c @ alike @ c)

    found = np.array(_START)
    now = loss(found)
    for _ in range(_STEPS):
        chance = 1.0 / (1.0 + np.exp(-np.clip(columns @ found, -60.0, 60.0)))
        slope = columns.T @ (chance - low) / _TEMPER + alike @ found
        bend = (columns.T * (chance * (1.0 - chance))) @ columns / _TEMPER + alike + 1e-9 * np.eye(6)
        # What stands at a bound and would go beyond it stays there.
        free = ~((found <= _LEAST) & (slope > 0.0)) & ~((found >= _MOST) & (slope < 0.0))
        step = np.zeros(6)
        step[free] = np.linalg.solve(bend[np.ix_(free, free)], slope[free])
        for part in 0.5 ** np.arange(20.0):
            tried = np.clip(found - part * step, _LEAST, _MOST)
            then = loss(tried)
            if then < now:
                break
        else:
            break
        gained, found, now = now - then, tried, then
        if gained < 1e-9 * max(1.0, now):
            break
    return found
