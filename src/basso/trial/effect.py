"""The effect of a change, B minus A, at the same place, oil temperature, rpm and g; laps as repetitions.

Passes of one lap share its heat, fuel and driver and are not independent. The regression is over passes (place as
a factor, temperature, rpm and g as covariates) but its interval comes from leaving out one *lap* at a time
(the jackknife form of a cluster-robust variance, conservative in small samples) with a t quantile on the number
of laps less the covariates used.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

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


def estimate_effect(passes: Sequence[Pass], values: FloatArray, heat: float = 0.0) -> Effect | None:
    """Estimate the effect on ``values`` (one for each pass, shape (n,)); None with under two laps a side.

    ``heat``: what normal changes by for 1 °C, in the unit of ``values``: it matches the temperatures where laps are too
    few to show their own slope, and the interval takes in none of it and twice of it.
    """
    side = np.array([p.side for p in passes], dtype=np.float64)
    laps = sorted({p.lap_key for p in passes})
    count_a = len({p.lap_key for p in passes if p.side == 0})
    count_b = len(laps) - count_a
    if min(count_a, count_b) < 2:
        return None
    which = np.array([laps.index(p.lap_key) for p in passes])
    places = sorted({p.place for p in passes})
    dummies = np.array([[p.place == name for name in places] for p in passes], dtype=np.float64)
    conditions = np.array([[p.temperature_c, p.rpm / 1000.0, p.peak_g] for p in passes])
    known = np.isfinite(conditions).all(axis=0)
    centre = np.array([_balanced_mean(c, side) for c in conditions.T])
    usable = [i for i in range(3) if known[i] and np.ptp(conditions[:, i]) > (1.0, 0.05, 0.02)[i]]
    # Covariates cost laps: with few, those are kept in which the sides differ most.
    spare = len(laps) - 2
    apart = np.abs(_apart(conditions, side, dummies)) / _MATTERS
    kept = sorted(usable, key=lambda i: -apart[i])[: max(0, min(3, spare // 3))]
    left_out = [i for i in usable if i not in kept]
    usable = sorted(kept)
    covariates = conditions[:, usable] - centre[usable]
    # rpm and g differ between places by nature; only what varies within a place adjusts.
    for column, i in enumerate(usable):
        if i > 0:
            for d in dummies.T:
                inside = d > 0
                covariates[inside, column] -= covariates[inside, column].mean()
    design = np.column_stack([side, dummies, covariates])
    beta, spread, df = _clustered(design, values, which, len(laps), covariates.shape[1])
    from scipy.special import stdtrit

    half = float(stdtrit(df, 0.975)) * spread
    if 0 not in usable and known[0]:
        apart = float(conditions[side == 1, 0].mean() - conditions[side == 0, 0].mean())
        beta[0] -= heat * apart
        half += abs(heat * apart)
    if left_out:
        half += _unmatched(values, side, dummies, conditions, left_out)
    level = float(np.mean(beta[1 : 1 + len(places)]))
    slope = float(beta[1 + len(places) + usable.index(0)]) if 0 in usable else 0.0
    return Effect(
        estimate=float(beta[0]),
        low=float(beta[0] - half),
        high=float(beta[0] + half),
        per_degree=slope,
        at_temperature_c=float(centre[0]),
        at_rpm=float(centre[1] * 1000.0),
        at_peak_g=float(centre[2]),
        level_a=level,
        level_b=level + float(beta[0]),
        laps_a=count_a,
        laps_b=count_b,
    )


_MATTERS = np.array([3.0, 0.15, 0.04])
"""Differences between the sides that matter about equally: °C, 1000 rpm, g."""


def _apart(conditions: FloatArray, side: FloatArray, dummies: FloatArray) -> FloatArray:
    """By how much the sides differ in each condition at the same place, B less A; 0 where it is not known."""
    design = np.column_stack([side, dummies])
    return np.array(
        [np.linalg.lstsq(design, c, rcond=None)[0][0] if np.isfinite(c).all() else 0.0 for c in conditions.T]
    )


def _unmatched(
    values: FloatArray, side: FloatArray, dummies: FloatArray, conditions: FloatArray, left_out: Sequence[int]
) -> float:
    """What conditions that could not be matched for want of laps may make of the effect: their slope over passes times
    how far they differ."""
    away = conditions[:, left_out] - conditions[:, left_out].mean(axis=0)
    beta = np.linalg.lstsq(np.column_stack([side, dummies, away]), values, rcond=None)[0]
    return float(np.sum(np.abs(beta[-len(left_out) :] * _apart(conditions[:, left_out], side, dummies))))


def _balanced_mean(values: FloatArray, side: FloatArray) -> float:
    """The mean of the two sides' means: the condition both are compared at."""
    known = np.isfinite(values)
    if not known.any():
        return float("nan")
    return float(np.mean([values[known & (side == s)].mean() for s in (0.0, 1.0) if np.any(known & (side == s))]))


def _clustered(
    design: FloatArray, values: FloatArray, which: np.ndarray, clusters: int, covariates: int
) -> tuple[FloatArray, float, int]:
    """Least squares with the delete-one-cluster jackknife variance of the first coefficient."""
    gram = np.zeros((clusters, design.shape[1], design.shape[1]))
    moment = np.zeros((clusters, design.shape[1]))
    for c in range(clusters):
        rows = design[which == c]
        gram[c] = rows.T @ rows
        moment[c] = rows.T @ values[which == c]
    ridge = 1e-9 * np.eye(design.shape[1])
    total_gram, total_moment = gram.sum(axis=0), moment.sum(axis=0)
    beta = np.linalg.solve(total_gram + ridge, total_moment)
    left_out = np.linalg.solve(total_gram[None] - gram + ridge, (total_moment[None] - moment)[..., None])[:, 0, 0]
    variance = (clusters - 1) / clusters * float(np.sum((left_out - beta[0]) ** 2))
    return beta, float(np.sqrt(variance)), max(2, clusters - 2 - covariates)
