"""The effect of a change, B minus A, at the same place, oil temperature, rpm and g; laps as repetitions.

Passes of one lap share its heat, fuel and driver and are not independent. The regression is over passes: the place as a
factor; temperature, rpm and g as covariates, whose slopes are known beforehand about as well as engines differ, and
better the more the laps tell (a ridge about what is usual); a departure of its own for each lap (random effects, by
generalised least squares: Wooldridge, *Econometric Analysis of Cross Section and Panel Data*, ch. 10). Its interval
holds whatever passes of one lap have in common: the cluster-robust variance with the small-sample correction CR2 and
its own degrees of freedom (Bell & McCaffrey 2002; Pustejovsky & Tipton 2018), and on top of it what the slopes may be
off by.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from basso.findings.corners.passes import Pass
from basso.units import FloatArray


@dataclass(frozen=True, slots=True)
class Effect:
    """B minus A with a 95 % interval, at stated conditions.

    Attributes:
        estimate, low, high: in the measure's unit.
        per_degree: change of the measure for 1 °C more, common to both sides.
        at_temperature_c, at_rpm, at_peak_g: the conditions the comparison is made at.
        level_a, level_b: adjusted means of the two sides at those conditions.
        laps_a, laps_b: laps it rests on.
    """

    estimate: float
    low: float
    high: float
    per_degree: float
    at_temperature_c: float
    at_rpm: float
    at_peak_g: float
    level_a: float
    level_b: float
    laps_a: int
    laps_b: int


_SLOPE_SPREAD = {"temperature": 0.2, "rpm": 60.0, "g": 500.0}
"""How far engines' slopes at a dip lie about what is usual, kPa for 1 °C, 1000 rpm and 1 g: standard deviations
(default)."""
_HEAT_SPREAD = 0.15
"""On top of it, of the slope over temperature, as part of what normal says."""
_UNKNOWN_HEAT, _UNKNOWN_HEAT_SPREAD = -2.0, 2.0
"""The usual slope where no normal says anything, and its spread, kPa for 1 °C (default)."""
_OWN_SLOPE = 0.5
"""How far the slopes of single places lie about those of all, as part of that (default)."""
_BENT, _MATCHED_TO = ("rpm", "g"), 0.25
"""Over engine speed and g pressures go by no straight line: what matching by them takes off is known to this part of it
(default)."""
_LEAST_OF_OWN = 0.05
"""Of a lap that tells nearly all there is of something its residuals are taken to be at least this part of its errors
(default)."""


def effect_on_lowest(
    passes: Sequence[Pass], heat: float | None = None, lowest_kpa: FloatArray | None = None
) -> Effect | None:
    """The effect on the lowest pressure of each pass, kPa; None with under two laps a side.

    Args:
        heat: what normal changes by for 1 °C, kPa; pressures below normal change by their share of it.
        lowest_kpa: what it is taken to be, shape (n,), where that is not what the passes say.
    """
    values = np.array([p.min_pressure_kpa for p in passes]) if lowest_kpa is None else lowest_kpa
    usual, unsure = _heat_on_lowest(passes, heat)
    return estimate_effect(passes, values, heat=usual, unsure_heat=unsure)


def _heat_on_lowest(passes: Sequence[Pass], heat: float | None) -> tuple[float, float]:
    """What the lowest pressures usually change by for 1 °C, and by how much that may be off, kPa."""
    if heat is None:
        return _UNKNOWN_HEAT, _UNKNOWN_HEAT_SPREAD
    shares = np.array([p.min_share for p in passes])
    part = float(np.clip(shares.mean(), 0.0, 1.0)) if np.isfinite(shares).all() else 1.0
    return part * heat, _HEAT_SPREAD * abs(part * heat)


def effect_on_share(passes: Sequence[Pass], heat: float | None = None) -> Effect | None:
    """The effect on the lowest share of normal of each pass, 1 for all of it; None with under two laps a side, or where
    a share is not known. Normal has what heat changes in it already; ``heat`` as above."""
    shares = np.array([p.min_share for p in passes])
    if not np.isfinite(shares).all():
        return None
    part = 0.0 if heat is None else _HEAT_SPREAD * abs(float(shares.mean()) * heat)
    return estimate_effect(passes, shares, 1.0 / float(np.mean([p.expected_kpa for p in passes])), unsure_heat=part)


def estimate_effect(
    passes: Sequence[Pass],
    values: FloatArray,
    unit_kpa: float = 1.0,
    heat: float = 0.0,
    unsure_heat: float = _UNKNOWN_HEAT_SPREAD,
) -> Effect | None:
    """Estimate the effect on ``values`` (one for each pass, shape (n,)); None with under two laps a side.

    Args:
        unit_kpa: what one kPa comes to in the unit of ``values``: how far slopes may lie about the usual ones.
        heat: what ``values`` usually change by for 1 °C; ``unsure_heat``: by how much that may be off, kPa.
    """
    side = np.array([p.side for p in passes], dtype=np.float64)
    count_a, count_b = (len({p.lap_key for p in passes if p.side == s}) for s in (0, 1))
    if min(count_a, count_b) < 2:
        return None
    r = _regressors(passes, unit_kpa, heat, unsure_heat)
    first = 1 + r.places
    design = np.column_stack([side, r.columns])
    beta, error, df = _fit(design, values, _laps_of(passes), np.append(0.0, r.prior), np.append(np.inf, r.spread))
    matched = _matched(side, r, beta[first:])
    unsure = _MATCHED_TO * float(
        np.hypot.reduce([m for m, name in zip(matched, r.known, strict=True) if name in _BENT])
    )
    df, error = df * (1.0 + (unsure / max(error, 1e-9)) ** 2) ** 2, float(np.hypot(error, unsure))
    slope = {name: float(b) for name, b in zip(r.known, beta[first : first + len(r.known)], strict=True)}
    from scipy.special import stdtrit

    half = float(stdtrit(df, 0.975)) * error
    level = float(np.mean(beta[1:first]))
    return Effect(
        estimate=float(beta[0]),
        low=float(beta[0] - half),
        high=float(beta[0] + half),
        per_degree=slope.get("temperature", 0.0),
        at_temperature_c=r.centre["temperature"],
        at_rpm=1000.0 * r.centre["rpm"],
        at_peak_g=r.centre["g"],
        level_a=level,
        level_b=level + float(beta[0]),
        laps_a=count_a,
        laps_b=count_b,
    )


@dataclass(frozen=True, slots=True)
class Departures:
    """How the lowest pressures of one side depart from what place, temperature, engine speed and g make of them.

    Attributes:
        followed_kpa: what they make of each pass, shape (n,).
        lap_kpa: standard deviation from lap to lap; ``pass_kpa``: from pass to pass within a lap.
    """

    followed_kpa: FloatArray
    lap_kpa: float
    pass_kpa: float


def departures_of(passes: Sequence[Pass], heat: float | None = None) -> Departures:
    """What the estimate above would leave of passes that nothing was changed between; at least two laps.

    Args:
        heat: as for :func:`effect_on_lowest`.
    """
    values = np.array([p.min_pressure_kpa for p in passes])
    r = _regressors(passes, 1.0, *_heat_on_lowest(passes, heat))
    which = _laps_of(passes)
    counts = np.bincount(which).astype(np.float64)
    lap, own, followed = 0.0, float(np.var(values)), values
    for _ in range(4):
        weight = max(own, 1e-12) / r.spread**2
        inverse = np.linalg.inv(r.columns.T @ r.columns + np.diag(weight) + 1e-9 * np.eye(r.prior.size))
        followed = r.columns @ (inverse @ (r.columns.T @ values + weight * r.prior))
        taken = np.sum((r.columns @ inverse) * r.columns, axis=1).sum()
        between = float(np.sum((r.columns @ inverse) * _of_laps(r.columns, which, counts)))
        lap, own = scatter_of(values - followed, which, float(taken) - between, between)
    return Departures(followed, float(np.sqrt(lap)), float(np.sqrt(own)))


@dataclass(frozen=True, slots=True, eq=False)
class _Regressors:
    """What a pass's pressure follows but the side: its place, its conditions, and these at its place.

    Attributes:
        columns: shape (n, k): ``places`` dummies, one covariate for each of ``known``, then each of them by place.
        prior, spread: what each coefficient is taken to be beforehand, and how surely, shape (k,); infinite: not at
            all.
        centre: the conditions the sides are compared at.
    """

    columns: FloatArray
    prior: FloatArray
    spread: FloatArray
    places: int
    known: tuple[str, ...]
    centre: dict[str, float]


def _regressors(passes: Sequence[Pass], unit_kpa: float, heat: float, unsure_heat: float) -> _Regressors:
    side = np.array([p.side for p in passes], dtype=np.float64)
    places = sorted({p.place for p in passes})
    dummies = np.array([[p.place == name for name in places] for p in passes], dtype=np.float64)
    conditions = {
        "temperature": np.array([p.temperature_c for p in passes]),
        "rpm": np.array([p.rpm for p in passes]) / 1000.0,
        "g": np.array([p.peak_g for p in passes]),
    }
    centre = {name: _balanced_mean(c, side) for name, c in conditions.items()}
    known = [name for name, c in conditions.items() if np.isfinite(c).all()]
    usual = {"temperature": heat}
    spread = {**_SLOPE_SPREAD, "temperature": _SLOPE_SPREAD["temperature"] + unsure_heat}
    covariates = np.array([conditions[name] - centre[name] for name in known]).reshape(len(known), len(passes)).T
    # All but the temperature differ between places by nature; only what varies within a place adjusts.
    within = [k for k, name in enumerate(known) if name != "temperature"]
    covariates[:, within] -= dummies @ ((dummies.T @ covariates[:, within]) / dummies.sum(axis=0)[:, None])
    own = (covariates[:, :, None] * dummies[:, None, :]).reshape(len(passes), -1)
    prior = np.zeros(len(places) + len(known) * (1 + len(places)))
    spreads = np.full(prior.size, np.inf)
    first, after = len(places), len(places) + len(known)
    prior[first:after] = [usual.get(name, 0.0) for name in known]
    spreads[first:after] = [unit_kpa * spread[name] for name in known]
    spreads[after:] = np.repeat(_OWN_SLOPE * spreads[first:after], len(places))
    return _Regressors(np.column_stack([dummies, covariates, own]), prior, spreads, len(places), tuple(known), centre)


def _laps_of(passes: Sequence[Pass]) -> NDArray[np.intp]:
    """Which lap each pass is of, from 0."""
    lap_of = {key: n for n, key in enumerate(sorted({p.lap_key for p in passes}))}
    return np.array([lap_of[p.lap_key] for p in passes], dtype=np.intp)


def _matched(side: FloatArray, r: _Regressors, slopes: FloatArray) -> FloatArray:
    """What of the difference between the sides each covariate was taken to explain, shape (covariates,)."""
    many = len(r.known)
    dummies, covariates = r.columns[:, : r.places], r.columns[:, r.places : r.places + many]
    by_place = r.columns[:, r.places + many :].reshape(side.size, many, -1) * slopes[many:].reshape(many, -1)
    explained = covariates * slopes[:many] + by_place.sum(axis=2)
    found: FloatArray = np.linalg.lstsq(np.column_stack([side, dummies]), explained, rcond=None)[0][0]
    return found


def _balanced_mean(values: FloatArray, side: FloatArray) -> float:
    """The mean of the two sides' means: the condition both are compared at."""
    known = np.isfinite(values)
    if not known.any():
        return float("nan")
    return float(np.mean([values[known & (side == s)].mean() for s in (0.0, 1.0) if np.any(known & (side == s))]))


def scatter_of(left: FloatArray, which: NDArray[np.intp], within: float, between: float = 1.0) -> tuple[float, float]:
    """What a fit leaves, shape (n,), parted into variance between laps and between passes of one lap.

    One-way analysis of variance, laps of unlike size (Searle, *Variance Components*, ch. 3).

    Args:
        which: lap of each pass, from 0.
        within, between: how many degrees of freedom the fit took within laps and between them.
    """
    counts = np.bincount(which).astype(np.float64)
    laps = counts.size
    means = np.bincount(which, weights=left) / counts
    own = float(np.sum((left - means[which]) ** 2)) / max(left.size - laps - within, 1.0)
    apart = float(np.sum(counts * (means - left.mean()) ** 2)) / max(laps - between, 1.0)
    usual = (left.size - float(np.sum(counts**2)) / left.size) / max(laps - 1, 1)
    return max((apart - own) / usual, 0.0), own


def _fit(
    design: FloatArray, values: FloatArray, which: NDArray[np.intp], prior: FloatArray, prior_spread: FloatArray
) -> tuple[FloatArray, float, float]:
    """The coefficients, the standard error of the first, and its degrees of freedom.

    Args:
        design: shape (n, k); ``which``: lap of each row, from 0.
        prior, prior_spread: what each coefficient is taken to be beforehand, and how surely; infinite: not at all.
    """
    plain = np.flatnonzero(np.isinf(prior_spread))
    left = values - design[:, plain] @ np.linalg.lstsq(design[:, plain], values, rcond=None)[0]
    for _ in range(2):
        lap, own = scatter_of(left, which, plain.size - 1)
        own = max(own, 1e-6 * float(np.var(values)), 1e-12)
        # What is left once part of a lap's mean is taken off has no part in common.
        counts = np.bincount(which).astype(np.float64)
        part = (1.0 - np.sqrt(own / (own + counts * lap)))[which][:, None]
        x = design - part * _of_laps(design, which, counts)
        y = values - part[:, 0] * _of_laps(values[:, None], which, counts)[:, 0]
        weight = own / prior_spread**2
        inverse = np.asarray(np.linalg.inv(x.T @ x + np.diag(weight) + 1e-9 * np.eye(x.shape[1])), dtype=np.float64)
        beta = inverse @ (x.T @ y + weight * prior)
        left = values - design @ beta
    variance, df = _cr2(x, y - x @ beta, which, inverse)
    unsure = own * float(np.sum(weight * inverse[0] ** 2))
    whole = variance + unsure
    return beta, float(np.sqrt(whole)), max(1.0, df * (whole / max(variance, 1e-30)) ** 2)


def _of_laps(rows: FloatArray, which: NDArray[np.intp], counts: FloatArray) -> FloatArray:
    """The mean of each row's lap, shape as ``rows``."""
    sums = np.zeros((counts.size, rows.shape[1]))
    np.add.at(sums, which, rows)
    means: FloatArray = (sums / counts[:, None])[which]
    return means


def _cr2(x: FloatArray, left: FloatArray, which: NDArray[np.intp], inverse: FloatArray) -> tuple[float, float]:
    """The cluster-robust variance CR2 of the first coefficient, and Satterthwaite's degrees of freedom of it."""
    counts = np.bincount(which)
    order = np.argsort(which, kind="stable")
    place = np.arange(which.size) - np.repeat(np.cumsum(counts) - counts, counts)
    rows, off = np.zeros((counts.size, counts.max(), x.shape[1])), np.zeros((counts.size, counts.max()))
    rows[which[order], place], off[which[order], place] = x[order], left[order]
    values, vectors = np.linalg.eigh(np.eye(counts.max()) - rows @ inverse @ rows.transpose(0, 2, 1))
    roots = (vectors / np.sqrt(np.maximum(values, _LEAST_OF_OWN))[:, None, :]) @ vectors.transpose(0, 2, 1)
    told = (roots @ (rows @ inverse[0])[:, :, None])[:, :, 0]
    variance = float(np.sum(np.sum(told * off, axis=1) ** 2))
    along = np.einsum("gmk,gm->gk", rows, told)
    gamma = np.diag(np.sum(told**2, axis=1)) - 2.0 * along @ inverse @ along.T
    gamma += along @ inverse @ (x.T @ x) @ inverse @ along.T
    return variance, float(np.trace(gamma) ** 2 / max(np.sum(gamma**2), 1e-30))
