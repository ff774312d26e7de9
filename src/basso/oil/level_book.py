"""What a stick's reading means in litres, fitted to pours and drains; what the marks really hold.

A stick is calibrated by pouring (or draining) known volumes and reading it each time. Volume over depth is a straight
line in a pan with upright walls and bends where the pan widens; the fit takes the bend only when the readings ask for
it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from basso.errors import InputError

_LEAST_READINGS = 3
_T95 = (12.71, 4.30, 3.18, 2.78, 2.57, 2.45, 2.36, 2.31, 2.26, 2.23)
"""Student's t for 95 %, two-sided, 1 to 10 degrees of freedom."""
_CAUTIOUS_MM = 1.0
"""A stick is not read better than to a millimetre, however well three readings agree (default)."""


@dataclass(frozen=True, slots=True)
class Reading:
    """One reading: litres in the pan, depth on the stick in mm."""

    pan_l: float
    depth_mm: float


@dataclass(frozen=True, slots=True)
class LevelFit:
    """Volume over depth: ``litres = sum(coefficients[k] · depth**k)``, depth in mm.

    Attributes:
        lowest_mm, highest_mm: what was read; beyond it nothing is said.
        scatter_l: standard deviation of a reading about the line, in litres.
        readings: how many.
        inverse: of the normal matrix, for the interval.
    """

    coefficients: tuple[float, ...]
    lowest_mm: float
    highest_mm: float
    scatter_l: float
    readings: int
    inverse: tuple[tuple[float, ...], ...]

    def litres(self, depth_mm: float) -> tuple[float, float]:
        """Volume at a depth, and half the width of the 95 % interval of one more reading there.

        Raises:
            InputError: the depth lies outside what was calibrated by more than a tenth of it.
        """
        reach = 0.1 * (self.highest_mm - self.lowest_mm)
        if not self.lowest_mm - reach <= depth_mm <= self.highest_mm + reach:
            raise InputError(
                f"{depth_mm:.0f} mm lies outside what was calibrated ({self.lowest_mm:.0f} to "
                f"{self.highest_mm:.0f} mm); pour and "
                "read there first."
            )
        powers = np.array([depth_mm**k for k in range(len(self.coefficients))])
        spread = math.sqrt(1.0 + float(powers @ np.array(self.inverse) @ powers))
        freedom = max(self.readings - len(self.coefficients), 1)
        t = _T95[min(freedom, len(_T95)) - 1]
        return float(powers @ np.array(self.coefficients)), t * self.scatter_l * spread

    @property
    def litres_per_mm(self) -> float:
        """In the middle of what was calibrated."""
        middle = 0.5 * (self.lowest_mm + self.highest_mm)
        return sum(k * c * middle ** (k - 1) for k, c in enumerate(self.coefficients) if k)

    def depth_mm(self, litres: float) -> float | None:
        """Where the stick stands with this much in the pan; None outside what was calibrated."""
        depths = np.linspace(self.lowest_mm, self.highest_mm, 400)
        volumes = np.polyval(self.coefficients[::-1], depths)
        if not volumes[0] <= litres <= volumes[-1]:
            return None
        return float(np.interp(litres, volumes, depths))


def fit_level(readings: Sequence[Reading]) -> LevelFit | None:
    """Fit volume against depth; None with fewer than three readings or all at one depth, or when more oil reads
    lower."""
    if len(readings) < _LEAST_READINGS:
        return None
    depth = np.array([r.depth_mm for r in readings])
    litres = np.array([r.pan_l for r in readings])
    if float(np.ptp(depth)) < 5.0 or len({round(float(d), 1) for d in depth}) < _LEAST_READINGS:
        return None
    fits = [_poly(depth, litres, 1)]
    if len(readings) >= 5:
        bent = _poly(depth, litres, 2)
        # The bend has to pay for itself: half the scatter, and litres still rise all the way.
        slopes = bent.coefficients[1] + 2.0 * bent.coefficients[2] * np.array([depth.min(), depth.max()])
        if bent.scatter_l < 0.5 * fits[0].scatter_l and bool(np.all(slopes > 0)):
            fits.append(bent)
    best = fits[-1]
    return best if best.litres_per_mm > 0 else None


def _poly(depth: np.ndarray, litres: np.ndarray, degree: int) -> LevelFit:
    powers = np.vander(depth, degree + 1, increasing=True)
    coefficients, *_ = np.linalg.lstsq(powers, litres, rcond=None)
    left = litres - powers @ coefficients
    freedom = max(depth.size - degree - 1, 1)
    slope = abs(float(coefficients[1] + (2 * coefficients[2] * depth.mean() if degree == 2 else 0.0)))
    scatter = max(math.sqrt(float(left @ left) / freedom), _CAUTIOUS_MM * slope / math.sqrt(3.0))
    inverse = np.linalg.pinv(powers.T @ powers)
    return LevelFit(
        tuple(coefficients.tolist()),
        float(depth.min()),
        float(depth.max()),
        scatter,
        int(depth.size),
        tuple(tuple(row) for row in inverse.tolist()),
    )


def drunk_l(fit: LevelFit, before_mm: float, after_mm: float) -> tuple[float, float]:
    """What filter, cooler and lines took between two readings with nothing poured: litres and ± of the 95 %
    interval."""
    (a, da), (b, db) = fit.litres(before_mm), fit.litres(after_mm)
    return a - b, math.hypot(da, db)


def mixed_parts(mark_l: float, within_l: float, pan_l: float) -> str:
    """A warning when the full mark holds something else than the pan should; "" when they agree within what is
    known."""
    if abs(mark_l - pan_l) <= max(0.3, within_l):
        return ""
    way = "less" if mark_l < pan_l else "more"
    danger = "the pickup is uncovered early" if mark_l < pan_l else "the crank may sweep the oil"
    return (
        f"The stick's full mark holds {mark_l:.1f} L (± {within_l:.1f}), {abs(mark_l - pan_l):.1f} L "
        f"{way} than the pan's "
        f"{pan_l:.1f} L: stick, tube and pan may not belong together, and {danger}. Measure before the next start."
    )
