"""The physical form of gallery pressure, and its one-sided fit to cells of settled running.

    p = softmin(p_relief · n^r, k · n^b · v^c · exp(d·ln²n + e·ln n·ln v + f·ln²v)),   softmin(a, b) = (a^−m +
    b^−m)^(−1/m)

Pump flow against bearing clearance and viscosity, capped by the relief valve; n is rpm ÷ 4000 and v viscosity over that
at 95 °C by ASTM D341. The exponents are not quite the same from idle to redline, for jets pass oil by √p and bearings
heat with
speed: d, e and f let them change a little. A valve has to open wider the more it spills, so its pressure rises a little
    with
engine speed (r). The parameters go as one vector of :data:`PARAMETERS`.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from basso.normal.cells import Cells
from basso.units import FloatArray

PARAMETERS = ("log k", "b", "c", "log relief", "log m", "r", "d", "e", "f")
BY_SPEED_ONLY = (0, 1, 3, 4, 5, 6)
"""Those that are left without oil temperature."""
CENTRE = np.array([0.0, 0.85, 0.75, 0.0, np.log(9.0), 0.10, 0.0, 0.0, 0.0])
WIDTH = np.array([np.inf, 0.25, 0.35, np.inf, 0.5, 0.12, 0.15, 0.15, 0.15])
"""Prior mean and standard deviation. Flow through clearances gives b and c of 1, jets and heating bearings pull both
down; engines fall between 0.4 and 1.0 (default)."""
LEAST_CELLS = 6
_INLIER = 0.025
_NOISE = 0.012
"""What the middle of a cell is off by, as a share (default)."""


def fit_form(
    cells: Cells, top_kpa: float, with_temperature: bool, slow: NDArray[np.bool_]
) -> tuple[FloatArray, FloatArray]:
    """One-sided robust least squares in log pressure; returns the parameters and each cell's say.

    Froth that sets in at high rpm bends a fit down and hides in it. So the fit is started from all cells and from the
    lower half and two thirds of the rpm alone, and the start that most cells agree with wins. ``slow``: cells that are
    believed as they are, (n,).
    """
    best: tuple[float, FloatArray, FloatArray] | None = None
    for quantile in (1.0, 0.67, 0.5):
        first = cells.log_rpm <= np.quantile(cells.log_rpm, quantile)
        if int(first.sum()) < LEAST_CELLS:
            continue
        x, say = _reweighted(cells, first.astype(np.float64), top_kpa, with_temperature, slow)
        error = cells.log_p - log_pressure(x, cells.log_rpm, cells.log_v)
        agreeing = float(cells.weight[np.abs(error) < _INLIER].sum())
        if best is None or agreeing > 1.05 * best[0]:
            best = (agreeing, x, say)
    assert best is not None
    return best[1], best[2]


def _reweighted(
    cells: Cells, robust: FloatArray, top_kpa: float, with_temperature: bool, slow: NDArray[np.bool_]
) -> tuple[FloatArray, FloatArray]:
    """Iterate least squares in which a cell far under the curve loses its say; returns the parameters and each cell's
    say."""
    near = cells.log_p - CENTRE[1] * cells.log_rpm - CENTRE[2] * cells.log_v
    x = CENTRE.copy()
    x[0], x[3] = float(np.percentile(near, 70)), np.log(top_kpa * 1.05)
    x[2] = x[2] if with_temperature else 0.0
    lower, upper = bounds = bounds_of(top_kpa)
    x = np.clip(x, lower + 1e-6, upper - 1e-6)
    prior = CENTRE, np.diag(1.0 / WIDTH**2)
    for _ in range(6):
        x = damped_least_squares(
            lambda y: log_curve(y, cells.log_rpm, cells.log_v),
            lambda y: log_pressure(y, cells.log_rpm, cells.log_v),
            cells.log_p,
            robust * np.sqrt(cells.weight),
            x,
            bounds,
            prior,
        )
        robust = say_of(cells.log_p - log_pressure(x, cells.log_rpm, cells.log_v), robust, slow)
    return x, robust


def bounds_of(top_kpa: float) -> tuple[FloatArray, FloatArray]:
    """The least and the most each parameter may be, for an engine whose settled pressure reaches ``top_kpa``."""
    low, high = np.log(max(top_kpa * 0.65, 50.0)), np.log(max(top_kpa * 3.0, 100.0))
    lower = np.array([np.log(20.0), 0.15, -0.05, low, np.log(3.0), -0.02, -0.5, -0.5, -0.5])
    return lower, np.array([np.log(5000.0), 1.8, 1.8, high, np.log(60.0), 0.6, 0.5, 0.5, 0.5])


def say_of(error: FloatArray, say: FloatArray, slow: NDArray[np.bool_]) -> FloatArray:
    """The say of each cell after a fit that it lies ``error`` over, shape (n,): what lies far under loses its own (air
    does that)."""
    above = np.abs(error[(error > 0) & (say > 0.05)])
    scale = max(_NOISE, float(np.median(above)) / 0.6745) if above.size else 0.03
    under = np.clip(-error / (3.5 * scale), 0.0, 1.0)
    over = np.maximum(error / (2.0 * scale), 1.0)
    return np.where((error < 0) & ~slow, 1.0 - under**2, 1.0 / np.sqrt(over))


def free_and_capped(x: FloatArray, log_rpm: FloatArray, log_v: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Natural log of what pump and bearings alone would make, and of what the relief valve lets stand, at each
    place."""
    bent = x[6] * log_rpm**2 + (x[7] * log_rpm + x[8] * log_v) * log_v
    return x[0] + x[1] * log_rpm + x[2] * log_v + bent, x[3] + x[5] * log_rpm


def log_pressure(
    x: FloatArray, log_rpm: FloatArray, log_v: FloatArray, thicker: FloatArray | float = 0.0
) -> FloatArray:
    """Natural log of the pressure in kPa at each place; NaN where the viscosity is.

    ``thicker``: the natural log of how much more pump and bearings alone make than the parameters say.
    """
    m = float(np.exp(x[4]))
    free, capped = free_and_capped(x, log_rpm, log_v)
    with np.errstate(invalid="ignore"):  # a missing temperature gives a missing expectation, quietly
        return np.asarray(-np.logaddexp(-m * (free + thicker), -m * capped) / m)


def log_curve(
    x: FloatArray, log_rpm: FloatArray, log_v: FloatArray, thicker: FloatArray | float = 0.0
) -> tuple[FloatArray, FloatArray]:
    """Natural log of the pressure at each place, and its Jacobian by the parameters (n, 9)."""
    m = float(np.exp(x[4]))
    free, capped = free_and_capped(x, log_rpm, log_v)
    free = free + thicker
    both = np.logaddexp(-m * free, -m * capped)
    unlimited = np.exp(-m * free - both)  # how much the free curve, not the relief, sets the pressure
    limited = 1.0 - unlimited
    by_m = both / m + unlimited * free + limited * capped
    jacobian = np.column_stack(
        [
            unlimited,
            unlimited * log_rpm,
            unlimited * log_v,
            limited,
            by_m,
            limited * log_rpm,
            unlimited * log_rpm**2,
            unlimited * log_rpm * log_v,
            unlimited * log_v**2,
        ]
    )
    return -both / m, jacobian


def damped_least_squares(
    curve: Callable[[FloatArray], tuple[FloatArray, FloatArray]],
    level: Callable[[FloatArray], FloatArray],
    seen: FloatArray,
    weight: FloatArray,
    x: FloatArray,
    bounds: tuple[FloatArray, FloatArray],
    prior: tuple[FloatArray, FloatArray],
) -> FloatArray:
    """Levenberg–Marquardt with an exact Jacobian over bounded parameters and their priors; from the start ``x``, shape
    (k,).

    (SciPy's general solver does the same; importing it takes six times as long as a whole fit.)

    Args:
        curve: the model at parameters, shape (n,), and its Jacobian, shape (n, k); ``level``: the model alone.
        seen, weight: what it is to meet and how much each counts, shape (n,).
        prior: where the parameters are expected, shape (k,), and how firmly, shape (k, k).
    """
    centre, firm = prior
    scaled = weight / _NOISE

    def cost(y: FloatArray) -> float:
        return float(np.sum((scaled * (seen - level(y))) ** 2) + (y - centre) @ firm @ (y - centre))

    damping, now = 1e-3, cost(x)
    for _ in range(60):
        fit, jacobian = curve(x)
        weighted = jacobian * scaled[:, None]
        gram = weighted.T @ weighted + firm
        slope = weighted.T @ (scaled * (seen - fit)) + firm @ (centre - x)
        step = np.linalg.solve(gram + damping * np.diag(np.diag(gram) + 1e-9), slope)
        tried = np.clip(x + step, *bounds)
        then = cost(tried)
        if then < now:
            gained, x, now = now - then, tried, then
            damping = max(damping * 0.3, 1e-9)
            if gained < 1e-7 * now + 1e-10:
                break
        else:
            damping *= 5.0
            if damping > 1e8:
                break
    return x
