"""Expected pressure: what this engine shows at an rpm and oil temperature with the pickup covered.

    p = softmin(p_relief, k · rpm^b · ν(T)^c),   softmin(a, b) = (a^−m + b^−m)^(−1/m)

with ν from ASTM D341. Air, churning and a bare pickup only ever lower the pressure, so the fit is one-sided:
medians over a grid of rpm × temperature of settled running, then least squares in log pressure in which a point
far *under* the curve loses its say and a point over it keeps it. Weak priors on b, c and the relief hold what
a session does not show (an oil that never changed temperature cannot tell c).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from basso.oil.grades import Grade, usual
from basso.oil.viscosity import walther
from basso.units import FloatArray

_REFERENCE_RPM = 4000.0
_REFERENCE_C = 95.0
_PRIORS = ((0.85, 0.25), (0.75, 0.35))
"""Mean and standard deviation of b and c: flow through clearances gives 1 and 1, jets and heating bearings
pull both down; engines fall between 0.4 and 1.0 (default)."""
_INLIER = 0.025
_MOST_SCATTER = 0.10
_MOST_SCATTER_BY_RPM = 0.20
"""By rpm only, 25 °C of warming alone spread the pressure by 15 %."""
_LEAST_CELLS = 6


@dataclass(frozen=True, slots=True, eq=False)
class ExpectedPressure:
    """A fitted normal, with what it rests on.

    Attributes:
        method: "physical, rpm and oil temperature" or "rpm only", or "none".
        log_k: natural log of the unlimited pressure in kPa at 4000 rpm and the reference viscosity.
        b, c: exponents of rpm and of viscosity.
        relief_kpa: where it flattens.
        sharpness: m of the softmin.
        oil: whose viscosity curve was used, by its label or as measured.
        rpm_range, temperature_range_c: range of the settled samples it rests on.
        residual_kpa: robust spread of the settled samples about it.
        samples: settled samples used.
        valid: False when it must not be used for a share of normal; ``reason`` says why.
    """

    method: str
    log_k: float
    b: float
    c: float
    relief_kpa: float
    sharpness: float
    oil: Grade
    rpm_range: tuple[float, float]
    temperature_range_c: tuple[float, float] | None
    residual_kpa: float
    samples: int
    valid: bool
    reason: str

    def at(self, rpm: FloatArray, temperature_c: FloatArray | None) -> FloatArray:
        """Expected pressure in kPa at each sample; NaN where it is not valid or an input is missing.

        Oil colder than the fitted range is taken as the coldest fitted (its pressure would only be higher).
        """
        rpm = np.asarray(rpm, dtype=np.float64)
        if not self.valid:
            return np.full(rpm.shape, np.nan)
        log_rpm = np.log(np.maximum(rpm, 200.0) / _REFERENCE_RPM)
        if temperature_c is not None and self.temperature_range_c is not None:
            log_v = log_viscosity(self.oil, np.maximum(temperature_c, self.temperature_range_c[0] - 3.0))
        else:
            log_v = np.zeros(rpm.shape)
        return _curve(np.array([self.log_k, self.b, self.c, np.log(self.relief_kpa)]), self.sharpness, log_rpm, log_v)

    def covers(self, rpm: FloatArray, temperature_c: FloatArray | None) -> NDArray[np.bool_]:
        """Where the expectation rests on data: within its rpm range ± 300 and its temperature range ± 5 °C."""
        inside = (rpm >= self.rpm_range[0] - 300.0) & (rpm <= self.rpm_range[1] + 300.0)
        if temperature_c is not None and self.temperature_range_c is not None:
            low, high = self.temperature_range_c
            inside &= (temperature_c >= low - 5.0) & (temperature_c <= high + 5.0)
        return np.asarray(inside & self.valid)


def no_expectation(reason: str) -> ExpectedPressure:
    """The answer when there is nothing to fit."""
    return ExpectedPressure("none", 0.0, 0.0, 0.0, 1.0, 1.0, usual(), (0.0, 0.0), None, float("nan"), 0, False, reason)


def log_viscosity(oil: Grade, temperature_c: FloatArray) -> FloatArray:
    """Natural log of viscosity relative to the reference temperature's, by ASTM D341."""
    curve = walther(oil)
    reference = float(curve.viscosity_mm2ps(np.array([_REFERENCE_C]))[0])
    # A table is exact to 1e-5 here and a hundred times quicker than the powers on a long log.
    knots = np.arange(-30.0, 201.0, 1.0)
    table = np.log(curve.viscosity_mm2ps(knots) / reference)
    return np.asarray(np.interp(temperature_c, knots, table), dtype=np.float64)


def _curve(theta: FloatArray, sharpness: float, log_rpm: FloatArray, log_v: FloatArray) -> FloatArray:
    log_free = theta[0] + theta[1] * log_rpm + theta[2] * log_v
    # softmin in logs, safe against overflow
    with np.errstate(invalid="ignore"):  # a missing temperature gives a missing expectation, quietly
        both = np.logaddexp(-sharpness * log_free, -sharpness * theta[3])
    return np.asarray(np.exp(-both / sharpness), dtype=np.float64)


@dataclass(frozen=True, slots=True, eq=False)
class _Cells:
    log_rpm: FloatArray
    log_v: FloatArray
    log_p: FloatArray
    weight: FloatArray


def fit_expected(
    pressure_kpa: FloatArray,
    rpm: FloatArray,
    temperature_c: FloatArray | None,
    is_settled: NDArray[np.bool_],
    oil: Grade | None = None,
) -> ExpectedPressure:
    """Fit the expected pressure to the settled samples; arrays of shape (n,).

    ``oil`` gives the viscosity curve; 10W-40 where it is not known. Without temperature the fit is by rpm only. With fewer than six filled cells, under 1000 rpm of range or
    about three seconds of data the answer is :func:`no_expectation`.
    """
    oil = oil or usual()
    use = is_settled & np.isfinite(pressure_kpa) & np.isfinite(rpm) & (pressure_kpa > 5.0)
    if temperature_c is not None:
        use &= np.isfinite(temperature_c)
    if int(use.sum()) < 40:
        return no_expectation(
            "there is too little steady running with the pan level and the oil warm to learn normal from"
        )
    p, n = pressure_kpa[use], rpm[use]
    t = temperature_c[use] if temperature_c is not None else None
    cells = _grid(p, n, t, oil)
    span = float(np.percentile(n, 99) - np.percentile(n, 1))
    if cells.log_p.size < _LEAST_CELLS or span < 1000.0:
        return no_expectation("settled running covers too little engine speed to learn normal from")
    theta, sharpness = _robust_fit(cells, float(np.percentile(p, 99.5)), with_temperature=t is not None)
    log_v = log_viscosity(oil, t) if t is not None else np.zeros(n.shape)
    ratio = np.log(p / _curve(theta, sharpness, np.log(n / _REFERENCE_RPM), log_v))
    # Recentre on the settled samples' own mode: what lies under the curve may be air, what lies over is noise.
    shift, spread = _upper_centre(ratio)
    theta = theta + np.array([shift, 0.0, 0.0, shift])
    level = float(np.median(p))
    range_c = (float(np.percentile(t, 0.5)), float(np.percentile(t, 99.5))) if t is not None else None
    good = spread < (_MOST_SCATTER if t is not None else _MOST_SCATTER_BY_RPM)
    return ExpectedPressure(
        method="physical, rpm and oil temperature" if t is not None else "physical, rpm only",
        log_k=float(theta[0]),
        b=float(theta[1]),
        c=float(theta[2]) if t is not None else 0.0,
        relief_kpa=float(np.exp(theta[3])),
        sharpness=sharpness,
        oil=oil,
        rpm_range=(float(np.percentile(n, 0.5)), float(np.percentile(n, 99.5))),
        temperature_range_c=range_c,
        residual_kpa=spread * level,
        samples=int(use.sum()),
        valid=good,
        reason=""
        if good
        else f"settled pressure scatters by {spread:.0%} about any smooth curve of rpm and temperature",
    )


def _upper_centre(log_ratio: FloatArray) -> tuple[float, float]:
    """Centre and spread of the healthy samples: the half-sample mode and the spread of what lies above it."""
    ordered = np.sort(log_ratio)
    half = max(2, ordered.size // 2)
    widths = ordered[half - 1 :] - ordered[: ordered.size - half + 1]
    best = int(np.argmin(widths))
    centre = float(np.median(ordered[best : best + half]))
    above = ordered[ordered >= centre] - centre
    spread = float(np.percentile(above, 68)) if above.size else 0.0
    return centre, spread


def _grid(p: FloatArray, n: FloatArray, t: FloatArray | None, oil: Grade) -> _Cells:
    """Medians of settled pressure over a grid of rpm × temperature."""
    rows = np.clip(((n - n.min()) / max(float(np.ptp(n)), 1.0) * 48).astype(np.int64), 0, 47)
    if t is not None:
        width = max(1.0, float(np.ptp(t)) / 32)
        columns = np.clip(((t - t.min()) / width).astype(np.int64), 0, 31)
    else:
        columns = np.zeros(p.shape, dtype=np.int64)
    cell = rows * 32 + columns
    order = np.lexsort((p, cell))
    cell, p, n = cell[order], p[order], n[order]
    starts = np.flatnonzero(np.diff(cell, prepend=-1))
    counts = np.diff(np.append(starts, cell.size))
    middle = p[starts + counts // 2]
    mean_n = np.add.reduceat(n, starts) / counts
    if t is not None:
        mean_t = np.add.reduceat(t[order], starts) / counts
        log_v = log_viscosity(oil, mean_t)
    else:
        log_v = np.zeros(starts.shape)
    full = counts >= 3
    return _Cells(
        np.log(mean_n[full] / _REFERENCE_RPM), log_v[full], np.log(middle[full]), np.minimum(counts[full], 60.0) / 60.0
    )


def _robust_fit(cells: _Cells, top_kpa: float, with_temperature: bool) -> tuple[FloatArray, float]:
    """One-sided robust least squares in log pressure; returns (log k, b, c, log relief) and sharpness.

    Froth that sets in at high rpm bends a fit down and hides in it. So the fit is started from all cells and
    from the lower half and two thirds of the rpm alone, and the start that most cells agree with wins.
    """
    best: tuple[float, FloatArray] | None = None
    for quantile in (1.0, 0.67, 0.5):
        first = cells.log_rpm <= np.quantile(cells.log_rpm, quantile)
        if int(first.sum()) < _LEAST_CELLS:
            continue
        x = _reweighted(cells, first.astype(np.float64), top_kpa, with_temperature)
        error = cells.log_p - np.log(_curve(x[:4], float(np.exp(x[4])), cells.log_rpm, cells.log_v))
        agreeing = float(cells.weight[np.abs(error) < _INLIER].sum())
        if best is None or agreeing > 1.05 * best[0]:
            best = (agreeing, x)
    assert best is not None
    return best[1][:4], float(np.exp(best[1][4]))


def _reweighted(cells: _Cells, robust: FloatArray, top_kpa: float, with_temperature: bool) -> FloatArray:
    """Iterate least squares in which a cell far under the curve loses its say; returns five parameters."""
    prior_b, prior_c = _PRIORS
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
        error = cells.log_p - _log_curve(x, cells)[0]
        above = np.abs(error[(error > 0) & (robust > 0.05)])
        scale = max(0.012, float(np.median(above)) / 0.6745) if above.size else 0.03
        under = np.clip(-error / (3.5 * scale), 0.0, 1.0)
        over = np.maximum(error / (2.0 * scale), 1.0)
        robust = np.where(error < 0, 1.0 - under**2, 1.0 / np.sqrt(over))
    return x


def _log_curve(x: FloatArray, cells: _Cells) -> tuple[FloatArray, FloatArray]:
    """Log pressure of the five parameters (log k, b, c, log relief, log m) at the cells, and its Jacobian (n, 5)."""
    m = float(np.exp(x[4]))
    free = x[0] + x[1] * cells.log_rpm + x[2] * cells.log_v
    both = np.logaddexp(-m * free, -m * x[3])
    unlimited = np.exp(-m * free - both)  # how much the free curve, not the relief, sets the pressure
    by_m = both / m + unlimited * free + (1.0 - unlimited) * x[3]
    jacobian = np.column_stack([unlimited, unlimited * cells.log_rpm, unlimited * cells.log_v, 1.0 - unlimited, by_m])
    return -both / m, jacobian


def _damped_least_squares(
    cells: _Cells, weight: FloatArray, x: FloatArray, lower: FloatArray, upper: FloatArray
) -> FloatArray:
    """Levenberg–Marquardt with an exact Jacobian over five bounded parameters and their priors.

    (SciPy's general solver does the same; importing it takes six times as long as this whole fit.)
    """
    prior_b, prior_c = _PRIORS
    centre = np.array([0.0, prior_b[0], prior_c[0], 0.0, np.log(9.0)])
    pull = np.array([0.0, 1.0 / prior_b[1], 1.0 / prior_c[1], 0.0, 2.0])
    scaled = weight / 0.03

    def cost(y: FloatArray) -> float:
        return float(
            np.sum((scaled * (cells.log_p - _log_curve(y, cells)[0])) ** 2) + np.sum((pull * (y - centre)) ** 2)
        )

    damping, now = 1e-3, cost(x)
    for _ in range(60):
        fit, jacobian = _log_curve(x, cells)
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
