"""The physical form of gallery pressure, and its one-sided fit to cells of settled running.

    p = softmin(p_relief, k · rpm^b · ν(T)^c),   softmin(a, b) = (a^−m + b^−m)^(−1/m)

Pump flow against bearing clearance and viscosity, capped by the relief valve; ν from ASTM D341.
"""

from __future__ import annotations

import numpy as np

from basso.pressure.cells import Cells
from basso.units import FloatArray

PRIORS = ((0.85, 0.25), (0.75, 0.35))
"""Mean and standard deviation of b and c: flow through clearances gives 1 and 1, jets and heating bearings
pull both down; engines fall between 0.4 and 1.0 (default)."""
LEAST_CELLS = 6
_INLIER = 0.025


def fit_form(cells: Cells, top_kpa: float, with_temperature: bool) -> tuple[FloatArray, FloatArray]:
    """One-sided robust least squares in log pressure; returns (log k, b, c, log relief, log m) and each cell's say.

    Froth that sets in at high rpm bends a fit down and hides in it. So the fit is started from all cells and
    from the lower half and two thirds of the rpm alone, and the start that most cells agree with wins.
    """
    best: tuple[float, FloatArray, FloatArray] | None = None
    for quantile in (1.0, 0.67, 0.5):
        first = cells.log_rpm <= np.quantile(cells.log_rpm, quantile)
        if int(first.sum()) < LEAST_CELLS:
            continue
        x, say = _reweighted(cells, first.astype(np.float64), top_kpa, with_temperature)
        error = cells.log_p - log_curve(x, cells.log_rpm, cells.log_v)[0]
        agreeing = float(cells.weight[np.abs(error) < _INLIER].sum())
        if best is None or agreeing > 1.05 * best[0]:
            best = (agreeing, x, say)
    assert best is not None
    return best[1], best[2]


def _reweighted(
    cells: Cells, robust: FloatArray, top_kpa: float, with_temperature: bool
) -> tuple[FloatArray, FloatArray]:
    """Iterate least squares in which a cell far under the curve loses its say; returns five parameters and each cell's say."""
    prior_b, prior_c = PRIORS
    near = cells.log_p - prior_b[0] * cells.log_rpm - prior_c[0] * cells.log_v
    low = np.log(max(top_kpa * 0.75, 50.0))
    x = np.array(
        [
            float(np.percentile(near, 70)),
            prior_b[0],
            prior_c[0] if with_temperature else 0.0,
            np.log(top_kpa * 1.05),
            np.log(9.0),
        ]
    )
    lower = np.array([np.log(20.0), 0.15, -0.05, low, np.log(3.0)])
    upper = np.array([np.log(5000.0), 1.8, 1.8, np.log(max(top_kpa * 3.0, 100.0)), np.log(30.0)])
    x = np.clip(x, lower + 1e-6, upper - 1e-6)
    for _ in range(6):
        x = _damped_least_squares(cells, robust * np.sqrt(cells.weight), x, lower, upper)
        error = cells.log_p - log_curve(x, cells.log_rpm, cells.log_v)[0]
        above = np.abs(error[(error > 0) & (robust > 0.05)])
        scale = max(0.012, float(np.median(above)) / 0.6745) if above.size else 0.03
        under = np.clip(-error / (3.5 * scale), 0.0, 1.0)
        over = np.maximum(error / (2.0 * scale), 1.0)
        robust = np.where(error < 0, 1.0 - under**2, 1.0 / np.sqrt(over))
    return x, robust


def log_curve(x: FloatArray, log_rpm: FloatArray, log_v: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Log pressure of the five parameters (log k, b, c, log relief, log m) at each place, and its Jacobian (n, 5)."""
    m = float(np.exp(x[4]))
    free = x[0] + x[1] * log_rpm + x[2] * log_v
    both = np.logaddexp(-m * free, -m * x[3])
    unlimited = np.exp(-m * free - both)  # how much the free curve, not the relief, sets the pressure
    by_m = both / m + unlimited * free + (1.0 - unlimited) * x[3]
    jacobian = np.column_stack([unlimited, unlimited * log_rpm, unlimited * log_v, 1.0 - unlimited, by_m])
    return -both / m, jacobian


def _damped_least_squares(
    cells: Cells, weight: FloatArray, x: FloatArray, lower: FloatArray, upper: FloatArray
) -> FloatArray:
    """Levenberg–Marquardt with an exact Jacobian over five bounded parameters and their priors.

    (SciPy's general solver does the same; importing it takes six times as long as this whole fit.)
    """
    prior_b, prior_c = PRIORS
    centre = np.array([0.0, prior_b[0], prior_c[0], 0.0, np.log(9.0)])
    pull = np.array([0.0, 1.0 / prior_b[1], 1.0 / prior_c[1], 0.0, 2.0])
    scaled = weight / 0.03

    def cost(y: FloatArray) -> float:
        return float(
            np.sum((scaled * (cells.log_p - log_curve(y, cells.log_rpm, cells.log_v)[0])) ** 2)
            + np.sum((pull * (y - centre)) ** 2)
        )

    damping, now = 1e-3, cost(x)
    for _ in range(60):
        fit, jacobian = log_curve(x, cells.log_rpm, cells.log_v)
        weighted = jacobian * scaled[:, None]
        gram = weighted.T @ weighted + np.diag(pull**2)
        slope = weighted.T @ (scaled * (cells.log_p - fit)) + pull**2 * (centre - x)
        step = np.linalg.solve(gram + damping * np.diag(np.diag(gram) + 1e-9), slope)
        tried = np.clip(x + step, lower, upper)
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


def curve(theta: FloatArray, sharpness: float, log_rpm: FloatArray, log_v: FloatArray) -> FloatArray:
    """Pressure in kPa of log k, b, c and log relief at each place; NaN where the viscosity is."""
    log_free = theta[0] + theta[1] * log_rpm + theta[2] * log_v
    # softmin in logs, safe against overflow
    with np.errstate(invalid="ignore"):  # a missing temperature gives a missing expectation, quietly
        both = np.logaddexp(-sharpness * log_free, -sharpness * theta[3])
    return np.asarray(np.exp(-both / sharpness), dtype=np.float64)
