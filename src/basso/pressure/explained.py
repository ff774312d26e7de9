"""What the pressure should be by what was going on, told from the rest of the same session.

The same g, for the same time, at the same engine speed and oil temperature pulls the same oil away from the pickup.
What a session shows of that over a thousand bends says more of the one at hand than a handful of readings of a sensor
that shakes by more than the dip is deep. It is only ever what the readings are held against
(:mod:`basso.pressure.noise`): where they differ from it by more than they shake, they win.

Ridge regression on random cosines of those signals stands in for one with a Gaussian kernel (Rahimi and Recht 2007).
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from basso.recording.gaps import or_zero
from basso.units import FloatArray

_BLOCK_S = 0.1
_MEMORIES_S = (0.1, 0.25, 0.6, 1.5)
"""Over which the oil answers g, from a splash to what has drained away; each of two stages, for it has to be moved
before it lies elsewhere."""
_ALIKE_G, _ALIKE_LOG_RPM, _ALIKE_C = 0.7, 0.22, 40.0
"""By so much may moments differ and still say something of each other (default)."""
_COSINES = 600
_USUAL = 0.33
"""As a share of normal, how far off it is before anything is known of the session."""
_STRETCH_S, _PARTS = 30.0, 8
"""No stretch is told from itself: each is left out together with every eighth one."""
_LEAST_NOISE_KPA = 3.0


def explained_kpa(
    pressure_kpa: FloatArray,
    normal_kpa: FloatArray,
    noise_kpa: FloatArray,
    use: NDArray[np.bool_],
    g: Iterable[FloatArray | None],
    rpm: FloatArray,
    temperature_c: FloatArray | None,
    step_s: float,
) -> FloatArray:
    """The pressure to expect at each sample, starved or not, kPa, shape (n,); normal where the session shows nothing
    like it, NaN without one.

    What is learned is by what share of normal the pressure is off it: air in the oil takes a share.

    Args:
        pressure_kpa, normal_kpa: shape (n,).
        noise_kpa: standard deviation of each reading's own error.
        use: what may be learned from.
        g: sideways and along, each shape (n,) or None where it is not logged.
        rpm, temperature_c: shape (n,).
        step_s: from sample to sample.
    """
    each = max(1, round(_BLOCK_S / step_s))
    blocks = pressure_kpa.size // each
    if blocks == 0:
        return normal_kpa.copy()

    def means(values: FloatArray) -> FloatArray:
        mean: FloatArray = or_zero(values)[: blocks * each].reshape(blocks, each).mean(axis=1)
        return mean

    block_s = each * step_s
    sides = [_remembered(means(v), tau / block_s) / _ALIKE_G for v in g if v is not None for tau in _MEMORIES_S]
    sides.append(np.log(np.maximum(means(rpm), 500.0)) / _ALIKE_LOG_RPM)
    if temperature_c is not None:
        sides.append(means(temperature_c) / _ALIKE_C)
    signals = np.column_stack(sides)
    signals -= np.median(signals, axis=0)
    known = use & np.isfinite(pressure_kpa) & (normal_kpa > 0.0)
    normal = np.where(known, normal_kpa, 1.0)
    share = means(known.astype(np.float64))
    off = means(np.where(known, pressure_kpa / normal - 1.0, 0.0)) / np.maximum(share, 1.0 / each)
    noise = means(np.where(known, np.maximum(noise_kpa, _LEAST_NOISE_KPA) / normal, 0.0)) / np.maximum(
        share, 1.0 / each
    )
    weights = np.where(share >= 0.5, each * share / np.maximum(noise, 1e-6) ** 2, 0.0)

    rng = np.random.default_rng(0)
    pace, phase = rng.normal(size=(signals.shape[1], _COSINES)), rng.uniform(0.0, 2.0 * np.pi, _COSINES)

    def cosines(at: NDArray[np.intp]) -> FloatArray:
        made: FloatArray = np.sqrt(2.0 / _COSINES) * np.cos(signals[at] @ pace + phase)
        return made

    part = (np.arange(blocks) * block_s // _STRETCH_S).astype(np.intp) % _PARTS
    parts = [np.flatnonzero(part == k) for k in range(_PARTS)]
    squares, sums = [], []
    for at in parts:
        own = cosines(at)
        weighted = own * weights[at, None]
        squares.append(weighted.T @ own)
        sums.append(weighted.T @ off[at])
    every_square, every_sum = sum(squares) + np.eye(_COSINES) / _USUAL**2, sum(sums)
    explained = np.zeros(blocks)
    for at, square, total in zip(parts, squares, sums, strict=True):
        explained[at] = cosines(at) @ np.linalg.solve(every_square - square, every_sum - total)
    middles = (np.arange(blocks) + 0.5) * each - 0.5
    expected: FloatArray = normal_kpa * (1.0 + np.interp(np.arange(pressure_kpa.size), middles, explained))
    return expected


def _remembered(values: FloatArray, memory: float) -> FloatArray:
    """Each value with what went before it, twice over, whose weight fades over ``memory`` samples; what came first had
    lasted."""
    weights = np.exp(-np.arange(int(6.0 * memory) + 2) / memory)
    weights /= weights.sum()
    for _ in range(2):
        values = np.convolve(np.pad(values, (weights.size - 1, 0), mode="edge"), weights, "valid")
    return values
