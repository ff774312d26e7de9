"""How far off normal the pressure should be by what was going on, told from the rest of the same session.

The same g, for the same time, at the same engine speed and oil temperature pulls the same oil away from the pickup. What a session shows
of that over a thousand bends says more of the one at hand than a handful of readings of a sensor that shakes by more than the dip is deep.
It is only ever what the readings are held against (:mod:`basso.pressure.told`): where they differ from it by more than they shake, they win.

Ridge regression on random cosines of those signals stands in for one with a Gaussian kernel (Rahimi and Recht 2007).
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from basso.units import FloatArray

_BLOCK_S = 0.1
_MEMORIES_S = (0.15, 0.5, 1.5)
"""Over which the oil answers g: from a splash to what has drained away."""
_ALIKE_G, _ALIKE_LOG_RPM, _ALIKE_C = 0.75, 0.22, 22.0
"""By so much may moments differ and still say something of each other (default)."""
_COSINES = 300
_USUAL_KPA = 60.0
"""How far off normal it is, before anything is known of the session."""
_STRETCH_S, _PARTS = 30.0, 4
"""No stretch is told from itself: each is left out together with every fourth one."""
_LEAST_NOISE_KPA = 3.0


def explained_kpa(
    off_kpa: FloatArray,
    noise_kpa: FloatArray,
    use: NDArray[np.bool_],
    g: Iterable[FloatArray | None],
    rpm: FloatArray,
    temperature_c: FloatArray | None,
    step_s: float,
) -> FloatArray:
    """What to expect of pressure less normal at each sample, kPa, shape (n,); 0 where the session shows nothing like it.

    Args:
        off_kpa: pressure less normal, shape (n,).
        noise_kpa: standard deviation of each reading's own error.
        use: what may be learned from.
        g: sideways and along, each shape (n,) or None where it is not logged.
        rpm, temperature_c: shape (n,).
        step_s: from sample to sample.
    """
    each = max(1, round(_BLOCK_S / step_s))
    blocks = off_kpa.size // each
    if blocks == 0:
        return np.zeros(off_kpa.shape)

    def means(values: FloatArray) -> FloatArray:
        mean: FloatArray = np.nan_to_num(values)[: blocks * each].reshape(blocks, each).mean(axis=1)
        return mean

    block_s = each * step_s
    sides = [_remembered(means(v), tau / block_s) / _ALIKE_G for v in g if v is not None for tau in _MEMORIES_S]
    sides.append(np.log(np.maximum(means(rpm), 500.0)) / _ALIKE_LOG_RPM)
    if temperature_c is not None:
        sides.append(means(temperature_c) / _ALIKE_C)
    signals = np.column_stack(sides)
    signals -= np.median(signals, axis=0)
    known = use & np.isfinite(off_kpa)
    share = means(known.astype(np.float64))
    off = means(np.where(known, off_kpa, 0.0)) / np.maximum(share, 1.0 / each)
    weights = np.where(share >= 0.5, each * share / np.maximum(means(noise_kpa), _LEAST_NOISE_KPA) ** 2, 0.0)

    rng = np.random.default_rng(0)
    pace, phase = rng.normal(size=(signals.shape[1], _COSINES)), rng.uniform(0.0, 2.0 * np.pi, _COSINES)
    part = (np.arange(blocks) * block_s // _STRETCH_S).astype(np.intp) % _PARTS
    parts = [np.flatnonzero(part == k) for k in range(_PARTS)]
    cosines = [np.sqrt(2.0 / _COSINES) * np.cos(signals[at] @ pace + phase) for at in parts]
    squares = [(c * weights[at, None]).T @ c for c, at in zip(cosines, parts, strict=True)]
    sums = [c.T @ (weights[at] * off[at]) for c, at in zip(cosines, parts, strict=True)]
    explained = np.zeros(blocks)
    for at, own, square, total in zip(parts, cosines, squares, sums, strict=True):
        rest = sum(squares) - square + np.eye(_COSINES) / _USUAL_KPA**2
        explained[at] = own @ np.linalg.solve(rest, sum(sums) - total)
    middles = (np.arange(blocks) + 0.5) * each - 0.5
    return np.interp(np.arange(off_kpa.size), middles, explained)


def _remembered(values: FloatArray, memory: float) -> FloatArray:
    """Each value with what went before it, whose weight fades over ``memory`` samples; what came first had lasted."""
    weights = np.exp(-np.arange(int(6.0 * memory) + 2) / memory)
    return np.convolve(np.pad(values, (weights.size - 1, 0), mode="edge"), weights / weights.sum(), "valid")
