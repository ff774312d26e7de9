"""Expected pressure: what this engine shows at an rpm and oil temperature with the pickup covered.

    p = softmin(p_relief · n^r, k · n^b · v^c · …)      (:mod:`basso.normal.form`)

with ν from ASTM D341. Air, churning and a bare pickup only ever lower the pressure, so the fit is one-sided: medians
over a grid of rpm × temperature of settled running, then least squares in log pressure in which a point far *under* the
curve loses its say and a point over it keeps it. Weak priors on b, c and the relief hold what a session does not show
(an oil that never changed temperature cannot tell c). How this engine departs from the form, and how sure the
expectation is, is learned from the same cells (:mod:`basso.normal.departure`).
"""

from __future__ import annotations

from dataclasses import asdict, dataclass, fields, replace
from statistics import NormalDist
from typing import Any

import numpy as np
from numpy.typing import NDArray

from basso.normal.cells import REFERENCE_RPM, Cells, cells_of
from basso.normal.departure import (
    OF_A_FORM_THAT_DOES_NOT,
    OF_A_FORM_THAT_FITS,
    Departure,
    Freedom,
    Points,
    fit_departure,
)
from basso.normal.form import (
    BY_SPEED_ONLY,
    CENTRE,
    LEAST_CELLS,
    WIDTH,
    fit_form,
    free_and_capped,
    log_curve,
    log_pressure,
    say_of,
)
from basso.oil.grades import Grade, usual
from basso.oil.viscosity import as_thick, log_viscosity
from basso.recording.spans import runs_of
from basso.units import FloatArray

_MOST_SCATTER = 0.10
_MOST_SCATTER_BY_RPM = 0.20
"""By rpm only, 25 °C of warming alone spread the pressure by 15 %."""
_WIDE = 0.7
"""Of a logged pressure that nothing is known of beforehand."""
_SLOW_SHARE = 0.5
_SHOULDER = 0.10
"""Of log rpm below the first that sags (default)."""
_COLDER_C = 3.0
"""As far below the coldest oil that was driven the curve is followed; colder oil is taken as that."""
_FAR, _MOST_FAR = 0.05, 0.10
"""As much of the settled running may lie this far off the form without air to explain it, before the form does not fit
(default)."""
_MOST_SPREAD = 0.025
"""Normal is valid where its own standard deviation is no more (default)."""


@dataclass(frozen=True, slots=True, eq=False)
class ExpectedPressure:
    """A fitted normal, with what it rests on.

    Attributes:
        method: "physical" or "from the data" (where the form does not fit), and by what: "rpm and oil temperature" or
            "rpm only"; or "none".
        log_k: natural log of the unlimited pressure in kPa at 4000 rpm and the reference viscosity.
        b, c: exponents of rpm and of viscosity.
        relief_kpa: where it flattens, at 4000 rpm; ``relief_rise``: exponent of rpm by which that rises.
        sharpness: m of the softmin.
        oil: of which normal is told, by its label or as measured; ``learned_with``: the oil it was learned with, where
            that was another one (see :meth:`on_oil`).
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
    departure: Departure | None = None
    parameter_sd: tuple[float, float, float, float] | None = None
    """Standard deviations of log k, b, c and the log of the relief; c's is 0 where normal is by engine speed only."""
    relief_rise: float = 0.0
    bends: tuple[float, float, float] = (0.0, 0.0, 0.0)
    """By how much the exponents change with engine speed and viscosity."""
    learned_with: Grade | None = None

    def as_plain(self) -> dict[str, Any]:
        """As JSON holds it."""
        plain = {f.name: getattr(self, f.name) for f in fields(self)}
        oils = {k: asdict(plain[k]) if plain[k] is not None else None for k in ("oil", "learned_with")}
        return {**plain, **oils, "departure": self.departure.as_plain() if self.departure is not None else None}

    @classmethod
    def from_plain(cls, plain: dict[str, Any]) -> ExpectedPressure:
        """Back from JSON; raises KeyError, TypeError or ValueError where it is something else."""
        heat, departure, with_oil = plain["temperature_range_c"], plain["departure"], plain.get("learned_with")
        return cls(
            **{
                **plain,
                "oil": Grade(**plain["oil"]),
                "rpm_range": tuple(plain["rpm_range"]),
                "bends": tuple(plain["bends"]),
                "temperature_range_c": tuple(heat) if heat is not None else None,
                "parameter_sd": tuple(plain["parameter_sd"]) if plain["parameter_sd"] is not None else None,
                "departure": Departure.from_plain(departure) if departure is not None else None,
                "learned_with": Grade(**with_oil) if with_oil is not None else None,
            }
        )

    def at(self, rpm: FloatArray, temperature_c: FloatArray | None, thicker: FloatArray | float = 0.0) -> FloatArray:
        """Expected pressure in kPa at each sample; NaN where it is not valid or an input is missing.

        Without temperature only a normal by engine speed alone says anything.
        Oil colder than the fitted range is taken as the coldest fitted (its pressure would only be higher).
        ``thicker``: see :func:`basso.normal.form.log_pressure`.
        """
        rpm = np.asarray(rpm, dtype=np.float64)
        if not self.valid or (temperature_c is None and self.temperature_range_c is not None):
            return np.full(rpm.shape, np.nan)
        log_rpm, heat, log_v = self._coordinates(rpm, temperature_c)
        d = self.departure
        log_kpa = log_pressure(self._form, log_rpm, log_v, thicker)
        return np.exp(log_kpa + d.at(d.mean, log_rpm, heat)) if d is not None else np.exp(log_kpa)

    def free_share_at(
        self, rpm: FloatArray, temperature_c: FloatArray | None, thicker: FloatArray | float = 0.0
    ) -> FloatArray:
        """How much pump and bearings, not the relief valve, set the pressure at each sample, 0 to 1."""
        log_rpm, _, log_v = self._coordinates(np.asarray(rpm, dtype=np.float64), temperature_c)
        free, _ = free_and_capped(self._form, log_rpm, log_v)
        held = log_pressure(self._form, log_rpm, log_v, thicker)
        # Of the softmin (a^−m + b^−m)^(−1/m) by log a: a^−m over the sum.
        return np.exp(self.sharpness * (held - free - thicker))

    def parts_at(self, rpm: float, temperature_c: float | None, thicker: float = 0.0) -> tuple[float, float, float]:
        """:meth:`curves_at` for one moment."""
        heat = np.array([temperature_c]) if temperature_c is not None else None
        free, capped, factor = self.curves_at(np.array([rpm]), heat)
        return float(free[0] * np.exp(thicker)), float(capped[0]), float(factor[0])

    def curves_at(self, rpm: FloatArray, temperature_c: FloatArray | None) -> tuple[FloatArray, FloatArray, FloatArray]:
        """What pump and bearings alone would make, what the relief valve lets stand (both kPa), and the engine's own
        factor, at each sample; their softmin by :attr:`sharpness` times the factor is normal."""
        log_rpm, heat, log_v = self._coordinates(np.asarray(rpm, dtype=np.float64), temperature_c)
        free, capped = free_and_capped(self._form, log_rpm, log_v)
        d = self.departure
        factor = np.exp(d.at(d.mean, log_rpm, heat)) if d is not None else np.ones(log_rpm.shape)
        return np.exp(free), np.exp(np.broadcast_to(capped, free.shape)), factor

    @property
    def _form(self) -> FloatArray:
        """The form's parameters as :mod:`basso.normal.form` takes them."""
        relief, m = np.log(self.relief_kpa), np.log(self.sharpness)
        return np.array([self.log_k, self.b, self.c, relief, m, self.relief_rise, *self.bends])

    def on_oil(self, oil: Grade) -> ExpectedPressure:
        """The same engine's normal with another oil in it: bearings and pump know an oil by its viscosity alone."""
        if oil == self.oil or self.temperature_range_c is None:
            return replace(self, oil=oil)
        learned = self.learned_oil
        low, high = as_thick(self.oil, np.array(self.temperature_range_c), oil)
        return replace(self, oil=oil, learned_with=learned, temperature_range_c=(float(low), float(high)))

    @property
    def learned_oil(self) -> Grade:
        """The oil it was learned with."""
        return self.learned_with or self.oil

    def down_to(self, coldest_c: float) -> ExpectedPressure:
        """The same curve followed to colder oil than it was learned with, where it is not taken as the coldest any
        more."""
        if self.temperature_range_c is None:
            return self
        low, high = self.temperature_range_c
        return replace(self, temperature_range_c=(min(low, coldest_c + _COLDER_C), high))

    def spread_at(self, rpm: FloatArray, temperature_c: FloatArray | None) -> FloatArray:
        """Standard deviation of the expectation itself, as a share of it, at each sample; NaN where there is none."""
        rpm = np.asarray(rpm, dtype=np.float64)
        if not self.valid or self.departure is None:
            return np.full(rpm.shape, np.nan)
        log_rpm, heat, log_v = self._coordinates(rpm, temperature_c)
        return np.where(np.isfinite(log_v), self.departure.at(self.departure.sd, log_rpm, heat), np.nan)

    def interval(
        self, rpm: FloatArray, temperature_c: FloatArray | None, level: float = 0.90, thicker: FloatArray | float = 0.0
    ) -> tuple[FloatArray, FloatArray]:
        """From where to where the engine's true normal lies with this probability, kPa at each sample."""
        kpa, times = self.at(rpm, temperature_c, thicker), NormalDist().inv_cdf(0.5 + level / 2.0)
        wide = np.exp(times * self.spread_at(rpm, temperature_c))
        return kpa / wide, kpa * wide

    def covers(self, rpm: FloatArray, temperature_c: FloatArray | None) -> NDArray[np.bool_]:
        """Where the expectation rests on data: settled running nearby (15 % in rpm, 6 °C), and its own spread small."""
        d = self.departure
        rpm = np.asarray(rpm, dtype=np.float64)
        if not self.valid or d is None:
            return np.zeros(rpm.shape, dtype=np.bool_)
        log_rpm, heat, log_v = self._coordinates(rpm, temperature_c)
        near = d.at(d.apart, log_rpm, heat) <= 1.0
        sure = d.at(d.sd, log_rpm, heat) <= _MOST_SPREAD
        low, high = (np.log(v / REFERENCE_RPM) for v in self.rpm_range)
        inside = (log_rpm >= low - 0.1) & (log_rpm <= high + 0.1) & np.isfinite(log_v)
        if temperature_c is not None and self.temperature_range_c is not None:
            coldest, hottest = self.temperature_range_c
            inside &= (temperature_c >= coldest - 3.0) & (temperature_c <= hottest + 6.0)
        return np.asarray(inside & near & sure)

    def valid_range(self) -> tuple[tuple[float, float], tuple[float, float] | None] | None:
        """The largest block of engine speeds and temperatures in which normal is valid throughout; None without any.

        Temperatures are None where normal is by engine speed only.
        """
        if not self.valid:
            return None
        rpm = np.linspace(*self.rpm_range, 41)
        heat = np.linspace(*self.temperature_range_c, 21) if self.temperature_range_c is not None else None
        if heat is None:
            inside = self.covers(rpm, None)[:, None]
        else:
            r, t = np.meshgrid(rpm, heat, indexing="ij")
            inside = self.covers(r.ravel(), t.ravel()).reshape(r.shape)
        block = largest_block(inside)
        if block is None:
            return None
        (top, bottom), (left, right) = block
        temperatures = (float(heat[left]), float(heat[right])) if heat is not None else None
        return (float(rpm[top]), float(rpm[bottom])), temperatures

    def _coordinates(
        self, rpm: FloatArray, temperature_c: FloatArray | None
    ) -> tuple[FloatArray, FloatArray | None, FloatArray]:
        """Log rpm, temperature and log viscosity at each sample, with colder oil taken as the coldest fitted."""
        log_rpm = np.log(np.maximum(rpm, 200.0) / REFERENCE_RPM)
        if temperature_c is None or self.temperature_range_c is None:
            return log_rpm, None, np.zeros(rpm.shape)
        heat = np.maximum(temperature_c, self.temperature_range_c[0] - _COLDER_C)
        learned = self.learned_oil
        if learned != self.oil:
            heat = as_thick(self.oil, heat, learned)
        return log_rpm, heat, log_viscosity(learned, heat)


def largest_block(inside: NDArray[np.bool_]) -> tuple[tuple[int, int], tuple[int, int]] | None:
    """First and last row and column of the largest all-true block; None where nothing is true."""
    best, found = 0, None
    for top in range(inside.shape[0]):
        whole = np.ones(inside.shape[1], dtype=bool)
        for bottom in range(top, inside.shape[0]):
            whole &= inside[bottom]
            for left, right in runs_of(whole):
                size = (bottom - top + 1) * (right - left)
                if size > best:
                    best, found = size, ((top, bottom), (left, right - 1))
            if not whole.any():
                break
    return found


def no_expectation(reason: str) -> ExpectedPressure:
    """The answer when there is nothing to fit."""
    return ExpectedPressure(
        method="none",
        log_k=0.0,
        b=0.0,
        c=0.0,
        relief_kpa=1.0,
        sharpness=1.0,
        oil=usual(),
        rpm_range=(0.0, 0.0),
        temperature_range_c=None,
        residual_kpa=float("nan"),
        samples=0,
        valid=False,
        reason=reason,
    )


def fit_expected(
    pressure_kpa: FloatArray,
    rpm: FloatArray,
    temperature_c: FloatArray | None,
    is_settled: NDArray[np.bool_],
    oil: Grade | None = None,
    form: FloatArray | None = None,
) -> ExpectedPressure:
    """Fit the expected pressure to the settled samples; arrays of shape (n,).

    ``oil`` gives the viscosity curve; 10W-40 where it is not known. Without temperature the fit is by rpm only. With
    fewer than six filled cells, under 1000 rpm of range or
    about three seconds of data the answer is :func:`no_expectation`. ``form``: its parameters, where they are known
    from elsewhere.
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
    cells = cells_of(pressure_kpa, rpm, temperature_c, use, oil)
    span = float(np.percentile(n, 99) - np.percentile(n, 1))
    if cells.log_p.size < LEAST_CELLS or span < 1000.0:
        return no_expectation("settled running covers too little engine speed to learn normal from")
    range_c = (float(np.percentile(t, 0.5)), float(np.percentile(t, 99.5))) if t is not None else None
    rpm_range = (float(np.percentile(n, 0.5)), float(np.percentile(n, 99.5)))
    slow = cells.log_rpm < np.log(_SLOW_SHARE * rpm_range[1] / REFERENCE_RPM)
    if form is None:
        x, say = fit_form(cells, float(np.percentile(p, 99.5)), t is not None, slow)
    else:
        error = cells.log_p - log_pressure(form, cells.log_rpm, cells.log_v)
        x, say = form, say_of(error, np.ones(error.shape), slow)
    departure, sd, fits = _departure(cells, x, say, slow, rpm_range, range_c, oil)
    fit = ExpectedPressure(
        method=("physical" if fits else "from the data")
        + (", rpm and oil temperature" if t is not None else ", rpm only"),
        log_k=float(x[0]),
        b=float(x[1]),
        c=float(x[2]) if t is not None else 0.0,
        relief_kpa=float(np.exp(x[3])),
        sharpness=float(np.exp(x[4])),
        oil=oil,
        rpm_range=rpm_range,
        temperature_range_c=range_c,
        residual_kpa=0.0,
        samples=int(use.sum()),
        valid=True,
        reason="",
        departure=departure,
        parameter_sd=(float(sd[0]), float(sd[1]), float(sd[2]), float(sd[3])),
        relief_rise=float(x[5]),
        bends=(float(x[6]), float(x[7]), float(x[8])),
    )
    some = slice(None, None, max(1, p.size // 40_000))
    spread = _upper_spread(np.log(p[some] / fit.at(n[some], t[some] if t is not None else None)))
    good = spread < (_MOST_SCATTER if t is not None else _MOST_SCATTER_BY_RPM)
    reason = "" if good else f"settled pressure scatters by {spread:.0%} about any smooth curve of rpm and temperature"
    return replace(fit, residual_kpa=spread * float(np.median(p)), valid=good, reason=reason)


def _departure(
    cells: Cells,
    x: FloatArray,
    robust: FloatArray,
    slow: NDArray[np.bool_],
    rpm_range: tuple[float, float],
    range_c: tuple[float, float] | None,
    oil: Grade,
) -> tuple[Departure, FloatArray, bool]:
    """How the engine departs from the form with the parameters ``x``, how sure those are, and whether the form fits at
    all.

    Cells that lie far under the form at speed have no say. At low engine speed a cell is believed as it is: with the
    pan level nothing but the engine makes it lie where it lies.
    """

    def basis_at(log_rpm: FloatArray, heat: FloatArray | None) -> FloatArray:
        log_v = log_viscosity(oil, heat) if heat is not None else np.zeros(log_rpm.shape)
        return log_curve(x, log_rpm, log_v)[1][:, of_form]

    of_form = list(range(x.size)) if range_c is not None else list(BY_SPEED_ONLY)
    known = np.isfinite(WIDTH)
    centre, width = np.where(known, CENTRE - x, 0.0)[of_form], np.where(known, WIDTH, _WIDE)[of_form]
    sagging = _sagging(cells) & ~slow
    # Froth begins a little before it makes the pressure fall: what is low on its shoulder is not believed either.
    shoulder = cells.log_rpm > _froths_from(cells, sagging) - _SHOULDER
    seen = Points(cells.log_rpm, cells.temperature_c, basis_at(cells.log_rpm, cells.temperature_c), cells.visits)
    off = cells.log_p - log_pressure(x, cells.log_rpm, cells.log_v)
    say = np.where(slow, 1.0, np.where(shoulder & (off < 0.0), 0.0, robust))
    low, high = (np.log(v / REFERENCE_RPM) for v in (0.9 * rpm_range[0], 1.06 * rpm_range[1]))
    heat = np.arange(range_c[0] - 14.0, range_c[1] + 32.0, 2.0) if range_c is not None else None

    def fit(say: FloatArray, freedom: Freedom, knots: int) -> tuple[Departure, FloatArray]:
        believed = say > 0.05
        if np.count_nonzero(believed) < LEAST_CELLS:
            # Nothing lies near one curve: all is taken as it is, and its scatter then says that it is no normal.
            believed, say = np.ones_like(believed), np.ones_like(say)
        noise = np.where(believed, cells.noise / np.sqrt(np.maximum(say, 1e-3)), np.inf)
        edges = np.linspace(low, high, knots)
        return fit_departure(
            seen=seen,
            off=off,
            noise=noise,
            prior_mean=centre,
            prior_sd=width,
            log_rpm=edges,
            temperature_c=heat,
            basis_at=basis_at,
            freedom=freedom,
        )

    departure, sd = fit(say, OF_A_FORM_THAT_FITS, 36)
    far = np.abs(off - departure.at(departure.mean, cells.log_rpm, cells.temperature_c)) > _FAR
    fits = float(cells.weight[far & ~sagging].sum()) <= _MOST_FAR * float(cells.weight.sum())
    if not fits:
        # What lies off the form and yet rises with engine speed is no air: this engine's curve has another shape.
        departure, sd = fit(np.where(sagging, say, 1.0), OF_A_FORM_THAT_DOES_NOT, 90)
    sure = np.zeros(x.size)
    sure[of_form] = sd
    return departure, sure, fits


def _froths_from(cells: Cells, sagging: NDArray[np.bool_]) -> float:
    """Log rpm from which on most of the settled running sags; infinite where it does not."""
    order = np.argsort(-cells.log_rpm)
    weight = cells.weight[order]
    most = np.cumsum(weight * sagging[order]) >= 0.6 * np.cumsum(weight)
    most &= sagging[order]
    return float(cells.log_rpm[order][most].min()) if most.any() else np.inf


def _sagging(cells: Cells) -> NDArray[np.bool_]:
    """Cells whose pressure lies under what lower engine speed made at the same temperature: only air does that."""
    lower = cells.log_rpm[None, :] < cells.log_rpm[:, None] - 0.02
    if cells.temperature_c is not None:
        lower &= np.abs(cells.temperature_c[None, :] - cells.temperature_c[:, None]) < 4.0
    highest = np.where(lower, cells.log_p[None, :], -np.inf).max(axis=1)
    return np.asarray(cells.log_p < highest - 0.03)


def _upper_spread(log_ratio: FloatArray) -> float:
    """Spread of the healthy samples about the curve: of what lies over their half-sample mode, for what lies under may
    be air."""
    ordered = np.sort(log_ratio)
    half = max(2, ordered.size // 2)
    best = int(np.argmin(ordered[half - 1 :] - ordered[: ordered.size - half + 1]))
    centre = float(np.median(ordered[best : best + half]))
    return float(np.percentile(ordered[ordered >= centre] - centre, 68))
