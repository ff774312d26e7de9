"""What engine speed and oil temperature explain of a pressure: a surface of any shape, linear between knots.

Unlike a polynomial it takes a relief valve's knee along; what lies far from it (dips above all) does not count. It lies
over how much the engine asks for (:func:`asked`) rather than over engine speed: a relief valve opens at one pressure,
which cold oil reaches at less engine speed. Over engine speed its knee would wander, and what the surface misses of
that passes for something else.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from basso.oil.grades import usual
from basso.oil.viscosity import log_viscosity
from basso.units import FloatArray

_THICK = 0.9
"""Exponent of viscosity by that of engine speed in the pressure an engine asks for (default): both are about as
large."""
FAR = 2.5
"""Robust spreads from where on what is off does not count (default): a dip comes or goes."""

_SETTLED = 1e-3
"""Of the far spread: a fit that moves by less from round to round is there."""


def asked(log_rpm: FloatArray, temperature_c: FloatArray) -> FloatArray:
    """How much pressure the engine asks for at each moment, as log engine speed of oil of 95 °C; shape (n,).

    Before a relief valve opens pressure goes by engine speed and viscosity alike (:mod:`basso.normal.form`).
    """
    return log_rpm + _THICK * log_viscosity(usual(), temperature_c)


def hats(x: FloatArray, count: int, use: NDArray[np.bool_] | None = None) -> FloatArray:
    """How far each value belongs to each of ``count`` knots, shape (n, k); the knots stand at quantiles of ``x`` (where
    ``use``)."""
    knots = np.unique(np.round(np.quantile(x if use is None else x[use], np.linspace(0.0, 1.0, count)), 4))
    return np.column_stack([np.interp(x, knots, row) for row in np.eye(knots.size)])


def surface(first: FloatArray, second: FloatArray) -> FloatArray:
    """The design of a surface from the hats of its two sides: shape (n, k) and (n, m) give (n, k·m)."""
    return (first[:, :, None] * second[:, None, :]).reshape(first.shape[0], -1)


def fitted(
    values: FloatArray, design: FloatArray, use: NDArray[np.bool_], below: float, above: float, rounds: int = 5
) -> tuple[FloatArray, NDArray[np.bool_]]:
    """(values less the fit, shape (n,); where it held): least squares in which what lies off does not count.

    Args:
        use: what may count at all; below, above: as many robust spreads under and over the fit still do.
    """
    kept, off = use, values
    for _ in range(rounds):
        own = design[kept]
        square = own.T @ own
        square.flat[:: square.shape[0] + 1] += 1e-6 * max(
            own.shape[0], 1
        )  # a knot that nothing is near stays where it is
        off = values - design @ np.linalg.solve(square, own.T @ values[kept])
        spread = float(np.median(np.abs(off[kept]))) / 0.6745
        before, kept = kept, use & (off > -below * spread) & (off < above * spread)
        if np.array_equal(before, kept):
            break  # every round after this one would find the same
    return off, kept


def far_share(off: FloatArray, far: float) -> FloatArray:
    """1 − exp(−(off ÷ far)²), shaped as ``off``: its square where it is near, 1 where it is far (Welsch)."""
    share: FloatArray = -np.expm1(-((off / far) ** 2))
    return share


def fitted_softly(values: FloatArray, design: FloatArray, far: float, rounds: int = 8) -> FloatArray:
    """Values less the fit, shape (n,), that makes the sum of :func:`far_share` lowest (reweighted least squares)."""
    own, held, off = design, values, values
    for _ in range(rounds):
        square = own.T @ own  # of one matrix with itself the library computes half
        square.flat[:: square.shape[0] + 1] += 1e-6 * max(values.size, 1)
        before, off = off, values - design @ np.linalg.solve(square, own.T @ held)
        if float(np.max(np.abs(off - before), initial=0.0)) < _SETTLED * far:
            break
        roots = np.exp(-0.5 * (off / far) ** 2)
        own, held = design * roots[:, None], values * roots
    return off
