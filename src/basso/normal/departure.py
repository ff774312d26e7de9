"""How an engine departs from the physical form of the expected pressure, and how sure that is.

The form of four parameters bends a little otherwise than a real pump, relief valve and set of bearings do. What is left
is learned from the cells of settled running as a smooth surface over engine speed and oil temperature (Gaussian process
with the form's own parameters as explicit basis: Rasmussen and Williams, *Gaussian Processes for Machine Learning*,
2.7). Its
standard deviation grows away from what was driven: from it come the intervals and where normal is valid at all.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from basso.units import FloatArray

_NEAR_LOG_RPM, _NEAR_C = 0.15, 6.0
"""As far from what was driven normal still rests on data (default)."""
_SCATTERS = (0.006, 0.015, 0.035, 0.08)
_ALWAYS = 0.002
UNSEEN = 0.008
"""What no log shows of itself: a thermometer that follows late, what is left of a zero (a share of the pressure,
default)."""


@dataclass(frozen=True, slots=True)
class Freedom:
    """How freely an engine may depart: over what log rpm and temperature a departure stays alike, and how large it may
    be."""

    log_rpm: float
    heat_c: float
    amplitudes: tuple[float, ...]


OF_A_FORM_THAT_FITS = Freedom(0.40, 14.0, (0.004, 0.01, 0.025, 0.06))
OF_A_FORM_THAT_DOES_NOT = Freedom(0.10, 10.0, (0.06, 0.12, 0.25, 0.5))
"""Defaults; the second for pumps of two stages, valves of two springs and the like."""


@dataclass(frozen=True, slots=True, eq=False)
class Departure:
    """A surface in log pressure over log rpm and temperature.

    Attributes:
        log_rpm: shape (r,), of rpm ÷ 4000; ``temperature_c``: shape (t,), one only where normal is by engine speed
            alone.
        mean, sd: shape (r, t), natural log of pressure over the physical form's.
        apart: shape (r, t), how far the nearest settled running is, 1 being as far as it still counts.
    """

    log_rpm: FloatArray
    temperature_c: FloatArray
    mean: FloatArray
    sd: FloatArray
    apart: FloatArray

    def at(self, table: FloatArray, log_rpm: FloatArray, temperature_c: FloatArray | None) -> FloatArray:
        """One of the tables at each sample, shape (n,), linear between its edges; beyond them as at the edge."""
        row, up = _between(log_rpm, self.log_rpm)
        if temperature_c is None or self.temperature_c.size == 1:
            return np.asarray((1.0 - up) * table[row, 0] + up * table[row + 1, 0])
        column, over = _between(temperature_c, self.temperature_c)
        low = (1.0 - over) * table[row, column] + over * table[row, column + 1]
        high = (1.0 - over) * table[row + 1, column] + over * table[row + 1, column + 1]
        return np.asarray((1.0 - up) * low + up * high)

    def as_plain(self) -> dict[str, Any]:
        """As JSON holds it."""
        return {
            "log_rpm": self.log_rpm.tolist(),
            "temperature_c": self.temperature_c.tolist(),
            "mean": self.mean.tolist(),
            "sd": self.sd.tolist(),
            "apart": self.apart.tolist(),
        }

    @classmethod
    def from_plain(cls, plain: dict[str, Any]) -> Departure:
        """Back from JSON; raises KeyError, TypeError or ValueError where it is something else."""
        log_rpm, heat, mean, sd, apart = (
            np.asarray(plain[k], dtype=np.float64) for k in ("log_rpm", "temperature_c", "mean", "sd", "apart")
        )
        if log_rpm.size < 2 or any(z.shape != (log_rpm.size, heat.size) for z in (mean, sd, apart)):
            raise ValueError("a departure's table does not fit its edges")
        return cls(log_rpm, heat, mean, sd, apart)


def _between(values: FloatArray, knots: FloatArray) -> tuple[np.ndarray, FloatArray]:
    """Index of the evenly spaced knot below each value and the share of the way to the next; NaN goes to the first."""
    place = (np.nan_to_num(values, nan=knots[0]) - knots[0]) / (knots[1] - knots[0])
    place = np.clip(place, 0.0, knots.size - 1.0)
    index = np.minimum(place.astype(np.intp), knots.size - 2)
    return index, place - index


@dataclass(frozen=True, slots=True, eq=False)
class Points:
    """Where a departure was seen or is asked for: (n,) log rpm, temperature (or None), and the form's basis there (n,
    k).

    ``visits``: how often what was seen there was seen anew.
    """

    log_rpm: FloatArray
    temperature_c: FloatArray | None
    basis: FloatArray
    visits: FloatArray | None = None

    def scatter(self, once: float) -> FloatArray:
        """Variance that is left after all visits, of what one visit is off by."""
        visits = self.visits if self.visits is not None else np.ones(self.log_rpm.shape)
        return once**2 / visits + _ALWAYS**2

    def apart(self, other: Points, log_rpm: float, heat_c: float) -> FloatArray:
        """Squared distance of each from each in these measures; shape (n, m)."""
        apart = ((self.log_rpm[:, None] - other.log_rpm[None, :]) / log_rpm) ** 2
        if self.temperature_c is not None and other.temperature_c is not None:
            apart = apart + ((self.temperature_c[:, None] - other.temperature_c[None, :]) / heat_c) ** 2
        return np.asarray(apart)

    def covariance(self, other: Points, freedom: Freedom) -> FloatArray:
        """Of the departure itself, for an amplitude of 1; shape (n, m)."""
        return np.asarray(np.exp(-0.5 * self.apart(other, freedom.log_rpm, freedom.heat_c)))


def fit_departure(
    seen: Points,
    off: FloatArray,
    noise: FloatArray,
    prior_mean: FloatArray,
    prior_sd: FloatArray,
    log_rpm: FloatArray,
    temperature_c: FloatArray | None,
    basis_at: Callable[[FloatArray, FloatArray | None], FloatArray],
    freedom: Freedom,
) -> tuple[Departure, FloatArray]:
    """Learn the departure from cells, and how sure the form's parameters are (standard deviations, (k,)).

    Args:
        seen: the cells; ``off``: log of their pressure over the form's, shape (n,); ``noise``: its standard deviation,
            inf for a cell that has no say.
        prior_mean, prior_sd: of the changes of the form's parameters, shape (k,).
        log_rpm, temperature_c: evenly spaced edges of the table that is made.
        basis_at: gives the basis (n, k) at log rpm and temperature.
        freedom: how freely the engine may depart.
    """
    use = np.isfinite(noise)
    heats, visits = (z[use] if z is not None else None for z in (seen.temperature_c, seen.visits))
    seen = Points(seen.log_rpm[use], heats, seen.basis[use], visits)
    off, noise = off[use] - seen.basis @ prior_mean, noise[use]
    by_form = (seen.basis * prior_sd**2) @ seen.basis.T
    alike = seen.covariance(seen, freedom)
    amplitude, once = _likeliest(freedom.amplitudes, by_form, alike, off, noise, seen)
    total = by_form + amplitude**2 * alike + np.diag(noise**2 + seen.scatter(once))
    inverse = np.linalg.inv(total)

    heat = temperature_c if temperature_c is not None else np.array([0.0])
    r, t = (a.ravel() for a in np.meshgrid(log_rpm, heat, indexing="ij"))
    wanted = Points(r, t if temperature_c is not None else None, basis_at(r, t if temperature_c is not None else None))
    across = (wanted.basis * prior_sd**2) @ seen.basis.T + amplitude**2 * wanted.covariance(seen, freedom)
    weighted = across @ inverse
    mean = wanted.basis @ prior_mean + weighted @ off
    own = ((wanted.basis * prior_sd) ** 2).sum(axis=1) + amplitude**2
    variance = np.maximum(own - np.einsum("ij,ij->i", weighted, across), 0.0) + UNSEEN**2
    shape = (log_rpm.size, heat.size)
    apart = np.sqrt(wanted.apart(seen, _NEAR_LOG_RPM, _NEAR_C).min(axis=1))
    table, sd, far = (np.round(z.reshape(shape), 5) for z in (mean, np.sqrt(variance), apart))
    told = (seen.basis * prior_sd**2).T @ inverse
    left = prior_sd**2 - np.einsum("ij,ji->i", told, seen.basis * prior_sd**2)
    return Departure(log_rpm, heat, table, sd, far), np.sqrt(np.maximum(left, 0.0))


def _likeliest(
    amplitudes: tuple[float, ...],
    by_form: FloatArray,
    alike: FloatArray,
    off: FloatArray,
    noise: FloatArray,
    seen: Points,
) -> tuple[float, float]:
    """The amplitude of departures and the scatter of one visit under which what was seen is likeliest."""
    some = np.linspace(0, off.size - 1, min(off.size, 110)).astype(np.intp)
    by_form, alike, off, noise = by_form[np.ix_(some, some)], alike[np.ix_(some, some)], off[some], noise[some]
    best, chosen = -np.inf, (amplitudes[0], _SCATTERS[0])
    for amplitude in amplitudes:
        for once in _SCATTERS:
            total = by_form + amplitude**2 * alike + np.diag(noise**2 + seen.scatter(once)[some])
            root = np.linalg.cholesky(total)
            told = np.linalg.solve(root, off)
            likelihood = -0.5 * float(told @ told) - float(np.log(np.diag(root)).sum())
            if likelihood > best:
                best, chosen = likelihood, (amplitude, once)
    return chosen
