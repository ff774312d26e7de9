"""The flow model fitted to a car's own logs, with how sure it is, and whether it may predict anything.

Fitted are the few unknowns of :data:`basso.sump.flow.PARAMETERS`, to the pressure through every corner and braking
zone, with dips and without: least squares with weak priors, in which what lies far off has less say (soft L1). The
model is fitted once for each law of the air, and each fit says how well it meets passes of laps it has not seen (two
folds by lap). From the fit's curvature sets of parameters are drawn that agree with the logs about as well.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from basso.progress import Progress, silent
from basso.sump.compartments import Compartments
from basso.sump.flow import AIR_LAWS, PARAMETERS, USUAL_PUMP_M3_PER_REV, Run, at, drawn_air, heads_m, with_air
from basso.units import FloatArray

PRIOR_MIDDLE = {
    "slosh_hz": 0.9,
    "damping": 0.5,
    "held_l": 0.5,
    "held_s": 3.0,
    "cover_m": 0.004,
    "mouth_m": 0.008,
    "loss": 1.8,
    "delay_s": 0.2,
    "clearing_s": 0.2,
    "openings": 1.0,
    "film_m": 0.006,
    "tilt": 1.0,
    "lean_x_g": 0.0,
    "lean_y_g": 0.0,
}
PRIOR_WIDTH = {
    "slosh_hz": 0.6,
    "damping": 0.6,
    "held_l": 0.7,
    "held_s": 0.5,
    "cover_m": 0.008,
    "mouth_m": 0.7,
    "loss": 0.5,
    "delay_s": 0.5,
    "clearing_s": 0.6,
    "openings": 0.5,
    "film_m": 0.5,
    "tilt": 0.12,
    "lean_x_g": 0.05,
    "lean_y_g": 0.05,
}
"""Before any log is seen (default): middle, and standard deviation of the natural log (of ``cover_m`` and the leans: in
metres and g)."""
_LINEAR = [PARAMETERS.index(n) for n in ("cover_m", "lean_x_g", "lean_y_g")]
_LEAST_LAPS, _LEAST_DIPPING = 4, 4
_SIGMA_KPA = 20.0
_TRACE_SAY, _TRACE_EVERY = 1.5, 3
_SETS = 8
_STRUCTURES = (
    (AIR_LAWS[0], 0.0, 0.005),
    (AIR_LAWS[0], 0.0, 0.012),
    (AIR_LAWS[0], 0.005, 0.004),
    (AIR_LAWS[0], 0.005, 0.012),
    (AIR_LAWS[0], 0.015, 0.008),
    (AIR_LAWS[1], 0.008, 0.008),
)
"""What is tried side by side, for a log tells little of it and a change may hang on it (default): the law of the air,
how thick a film stays on a floor that the surface left, m (0: none), and over how much head the mouth comes to draw
air, m."""
_STRUCTURES_OF_MANY = (_STRUCTURES[0], _STRUCTURES[2], _STRUCTURES[4])
"""The same for pans of several compartments, which take longer."""
_HELD_WIDTH = 0.25
"""How far a tried film or mouth may be left by the fit: standard deviation of its natural log."""
_MUCH_WORSE = 1.6
"""A law or a side that misses unseen passes by so much more is left out (default)."""
_MOST_ERROR_KPA, _MOST_ERROR_SHARE, _LEAST_EXPLAINED = 15.0, 0.4, 0.7
"""Of unseen passes: over this error (and this share of what dipping passes lose), or with less of the spread explained,
the model predicts nothing (default; seeds 0 to 423 of ``benchmarks.sump_cures``)."""
_TOGETHER = 2.0
"""Passes of one lap are not independent: the parameters are less sure by the root of this (default)."""


@dataclass(frozen=True, slots=True)
class LoggedPass:
    """One pass through a corner or braking zone.

    Attributes:
        lap: which lap of which log; ``place``: its id.
        first, last: its stretch of the log's grid.
        lowest_kpa: the lowest pressure that was measured.
        floor_kpa: the floor there.
        dips: whether a dip lies in it.
    """

    lap: int
    place: str
    first: int
    last: int
    lowest_kpa: float
    floor_kpa: float
    dips: bool


@dataclass(frozen=True, slots=True, eq=False)
class Logged:
    """One log as the flow model needs it.

    Attributes:
        run: what the car did.
        measured_kpa: the pressure on the same grid, NaN where it was not judged; shape (n,).
        passes: of flying laps, through loaded places.
    """

    run: Run
    measured_kpa: FloatArray
    passes: tuple[LoggedPass, ...]

    def mirrored(self) -> Logged:
        """The same with left and right the other way round."""
        return replace(self, run=replace(self.run, ay_g=-self.run.ay_g))


@dataclass(frozen=True, slots=True, eq=False)
class Fit:
    """The model under one law of the air.

    Attributes:
        law: one of :data:`~basso.sump.flow.AIR_LAWS`; ``has_film``: whether a film stays on a floor the surface left.
        mirrored: with left and right the other way round than they were logged.
        best: the fitted set, shape (parameters,).
        sets: sets that agree with the logs about as well, shape (k, parameters).
        misfit: the sum of squares it was fitted to.
        held_out_kpa: what the lowest pressure of each pass is modelled too high by, by fits to other laps; shape
            (passes,), in the order of the logs and of their passes.
    """

    law: str
    has_film: bool
    mirrored: bool
    best: FloatArray
    sets: FloatArray
    misfit: float
    held_out_kpa: FloatArray

    @property
    def missed_kpa(self) -> float:
        """By how much it missed the lowest pressure of passes it had not seen: mean, far ones as 60 kPa."""
        return float(np.mean(np.minimum(np.abs(self.held_out_kpa), 60.0)))


@dataclass(frozen=True, slots=True)
class Interval:
    """A fitted parameter with 80 % of what the logs leave open."""

    value: float
    low: float
    high: float


@dataclass(frozen=True, slots=True, eq=False)
class Calibration:
    """The model of one car, with what it rests on.

    Attributes:
        usable: whether it reproduces the logs well enough to predict; ``reason`` says why, or why not.
        fits: one for each law of the air, the better first; empty where nothing could be fitted.
        passes: that were held out; ``error_kpa``: by how much the lowest pressure of dipping ones was missed, median.
        explained: the share of what tells passes apart that was predicted, at most 1.
        sigma_kpa: scatter of the lowest pressure of passes about the model.
        offset_m: scatter of passes about it as head over the mouth.
    """

    usable: bool
    reason: str
    compartments: Compartments
    logged: tuple[Logged, ...]
    volume_m3: float
    pump_m3_per_rev: float
    fits: tuple[Fit, ...] = ()
    passes: int = 0
    error_kpa: float = float("nan")
    explained: float = float("nan")
    sigma_kpa: float = _SIGMA_KPA
    offset_m: float = 0.005

    def fitted(self) -> dict[str, Interval]:
        """Each parameter the logs had a say in."""
        if not self.fits:
            return {}
        sets = np.concatenate([f.sets for f in self.fits])
        low, high = np.percentile(sets, [10.0, 90.0], axis=0)
        names = _free(self.compartments, self.fits[0].has_film)
        return {PARAMETERS[i]: Interval(float(self.fits[0].best[i]), float(low[i]), float(high[i])) for i in names}


def _free(c: Compartments, has_film: bool) -> list[int]:
    """The parameters that are fitted: openings only where there are any, the film where one is taken to stay."""
    without = {"openings"} if not c.ways else set()
    without |= set() if has_film else {"film_m"}
    return [i for i, name in enumerate(PARAMETERS) if name not in without]


_FILM, _MOUTH = PARAMETERS.index("film_m"), PARAMETERS.index("mouth_m")
_NO_FILM = -50.0
"""The natural log of no film."""


def sets_of(x: FloatArray) -> FloatArray:
    """Parameters in their own units from the scale they are fitted on: logs but for those that may be below 0."""
    made = np.exp(np.minimum(x, 20.0))
    made[..., _LINEAR] = x[..., _LINEAR]
    made[..., _FILM] = np.where(x[..., _FILM] <= _NO_FILM, 0.0, made[..., _FILM])
    return np.asarray(made)


@dataclass(frozen=True, slots=True, eq=False)
class _Stretches:
    """The moments of a log that its passes take, one pass after the other.

    Attributes:
        moments: of the log's grid; ``run``: what the car did at them; ``begins``: where each pass begins among them.
        held: those of them that the model is held to beside the lowest of each pass; of each, ``of_pass``: which pass,
            ``measured_kpa``: the pressure there, ``weight``: its say.
    """

    moments: NDArray[np.intp]
    run: Run
    begins: NDArray[np.intp]
    held: NDArray[np.intp]
    of_pass: NDArray[np.intp]
    measured_kpa: FloatArray
    weight: FloatArray

    @classmethod
    def of(cls, one: Logged) -> _Stretches:
        length = np.array([q.last + 1 - q.first for q in one.passes])
        begins = np.cumsum(length) - length
        moments = np.concatenate([np.arange(q.first, q.last + 1) for q in one.passes])
        held = np.concatenate([np.arange(b, b + n, _TRACE_EVERY) for b, n in zip(begins, length, strict=True)])
        of_pass = np.searchsorted(begins, held, side="right") - 1
        weight = np.sqrt(_TRACE_SAY / np.bincount(of_pass))[of_pass]
        measured = one.measured_kpa[moments[held]]
        judged = np.isfinite(measured)
        return cls(
            moments, one.run.only(moments), begins, held[judged], of_pass[judged], measured[judged], weight[judged]
        )


class _Problem:
    """The residuals of a set of logs, for any sets of parameters side by side."""

    def __init__(
        self,
        c: Compartments,
        logged: Sequence[Logged],
        volume_m3: float,
        pump: float,
        structure: tuple[str, float, float | None],
        middle: FloatArray,
        width: FloatArray,
    ) -> None:
        self.c, self.logged, self.volume, self.pump = c, logged, volume_m3, pump
        self.law, film, mouth = structure
        self.has_film = film > 0.0
        self.free = _free(c, self.has_film)
        self.middle, self.width = middle.copy(), width.copy()
        self.middle[_FILM] = np.log(film) if film > 0.0 else _NO_FILM
        if mouth is not None:
            self.middle[_MOUTH] = np.log(mouth)
            self.width[[_MOUTH, _FILM]] = _HELD_WIDTH
        self.sigma = _SIGMA_KPA
        self.use = np.ones(sum(len(x.passes) for x in logged), dtype=np.bool_)
        self.stretches = [_Stretches.of(x) for x in logged]
        self.lowest_kpa = np.array([q.lowest_kpa for x in logged for q in x.passes])

    def lowest(self, x: FloatArray) -> tuple[FloatArray, list[FloatArray]]:
        """The modelled lowest pressure of each pass (p, passes), and of each log the modelled pressure through its
        passes (p, moments)."""
        sets = sets_of(x)
        through: list[FloatArray] = []
        for one, s in zip(self.logged, self.stretches, strict=True):
            air = drawn_air(heads_m(self.c, one.run, self.volume, sets, self.pump), sets)
            through.append(with_air(s.run, at(sets, "loss") * air[:, s.moments], self.law))
        lowest = [np.minimum.reduceat(p, s.begins, axis=1) for p, s in zip(through, self.stretches, strict=True)]
        return np.concatenate(lowest, axis=1), through

    def residuals(self, x: FloatArray) -> FloatArray:
        """Shape (p, residuals): data softened, then the priors."""
        lowest, through = self.lowest(x)
        parts = [(lowest - self.lowest_kpa)[:, self.use]]
        uses = np.split(self.use, np.cumsum([len(one.passes) for one in self.logged])[:-1])
        for s, pressure, use in zip(self.stretches, through, uses, strict=True):
            counts = use[s.of_pass]
            off = pressure[:, s.held[counts]] - s.measured_kpa[counts]
            parts.append(off * s.weight[counts])
        data = np.concatenate(parts, axis=1) / self.sigma
        soft = np.sign(data) * np.sqrt(2.0 * (np.sqrt(1.0 + data * data) - 1.0))
        prior = ((x - self.middle) / self.width)[:, self.free]
        return np.concatenate([soft, prior], axis=1)

    def fit(self, start: FloatArray, most: int = 20) -> tuple[FloatArray, float, FloatArray]:
        """The best parameters from a start, the misfit, and the covariance of the free ones."""
        from scipy.optimize import least_squares

        def whole(free: FloatArray) -> FloatArray:
            x = start.copy()
            x[self.free] = free
            return x

        step = (0.02 * self.width)[self.free]

        def jacobian(free: FloatArray) -> FloatArray:
            x = np.repeat(whole(free)[None], len(self.free) + 1, axis=0)
            for row, (i, h) in enumerate(zip(self.free, step, strict=True)):
                x[row + 1, i] += h
            r = self.residuals(x)
            return np.asarray(((r[1:] - r[0]) / step[:, None]).T)

        lower = (self.middle - 4.0 * self.width)[self.free]
        upper = (self.middle + 4.0 * self.width)[self.free]

        def off(free: FloatArray) -> FloatArray:
            made: FloatArray = self.residuals(whole(free)[None])[0]
            return made

        made = least_squares(
            off,
            np.clip(start[self.free], lower + 1e-6, upper - 1e-6),
            jac=jacobian,
            bounds=(lower, upper),
            x_scale=self.width[self.free],
            max_nfev=most,
            xtol=1e-3,
            ftol=1e-3,
        )
        slopes = np.asarray(made.jac, dtype=np.float64)
        curvature: FloatArray = slopes.T @ slopes + 1e-9 * np.eye(len(self.free))
        covariance: FloatArray = np.linalg.inv(curvature).astype(np.float64)
        return whole(np.asarray(made.x)), float(2.0 * made.cost), covariance


def calibrate(
    c: Compartments,
    logged: Sequence[Logged],
    volume_m3: float,
    away_l: float | None = None,
    pump_m3_per_rev: float | None = None,
    side_proven: bool = True,
    progress: Progress = silent,
) -> Calibration:
    """Fit the flow model to logs of a car whose pan held ``volume_m3`` at rest.

    Args:
        away_l: oil up in the engine at racing speed, where somebody measured it.
        side_proven: whether it is known which side of the lateral g is left; else both are tried, and the one that
            meets unseen laps clearly better is taken.
    """
    pump = pump_m3_per_rev or USUAL_PUMP_M3_PER_REV
    none = Calibration(False, "", c, tuple(logged), volume_m3, pump)
    passes = [q for x in logged for q in x.passes]
    why = _cannot(passes)
    if why:
        return replace(none, reason=why)
    middle = np.array([PRIOR_MIDDLE[n] for n in PARAMETERS])
    in_logs = np.setdiff1d(np.arange(len(PARAMETERS)), _LINEAR)
    middle[in_logs] = np.log(middle[in_logs])
    width = np.array([PRIOR_WIDTH[n] for n in PARAMETERS])
    if away_l:
        at_held = PARAMETERS.index("held_l")
        middle[at_held], width[at_held] = np.log(max(away_l, 0.05)), 0.35
    rng = np.random.default_rng(20)
    structures = _STRUCTURES if not c.ways else _STRUCTURES_OF_MANY

    def problem(structure: tuple[str, float, float | None], mirrored: bool) -> _Problem:
        taken = [x.mirrored() for x in logged] if mirrored else list(logged)
        return _Problem(c, taken, volume_m3, pump, structure, middle, width)

    progress(0.0, "fitting how the oil moves")
    starts = {
        m: _first(problem((AIR_LAWS[0], PRIOR_MIDDLE["film_m"], None), m))
        for m in ((False,) if side_proven else (False, True))
    }
    least = min(misfit for _, misfit in starts.values())
    cases = [
        (m, start, k) for m, (start, misfit) in starts.items() if misfit <= _MUCH_WORSE * least for k in structures
    ]
    fits: list[Fit] = []
    for n, (mirrored, start, structure) in enumerate(cases):
        progress((n + 1) / (len(cases) + 1), "fitting how the oil moves")
        fits.append(_fit(problem(structure, mirrored), start, rng, passes, mirrored))
    progress(1.0, "fitted")
    nearest = min(f.missed_kpa for f in fits)
    kept = [f for f in fits if f.missed_kpa <= _MUCH_WORSE * nearest]
    return _judged(none, tuple(sorted(kept, key=lambda f: f.missed_kpa)), passes)


def _cannot(passes: Sequence[LoggedPass]) -> str:
    """Why there is nothing to fit; "" where there is."""
    laps = {q.lap for q in passes}
    dipping = sum(q.dips for q in passes)
    if len(laps) < _LEAST_LAPS:
        return f"the logs have {len(laps)} flying laps through corners; log at least {_LEAST_LAPS}"
    if dipping < _LEAST_DIPPING:
        return (
            f"only {dipping} passes dip below the floor, and it takes {_LEAST_DIPPING} to see how this engine's oil "
            "moves; log laps on which it dips, or state a higher floor"
        )
    return ""


def _first(problem: _Problem) -> tuple[FloatArray, float]:
    """Where the fits begin, with its misfit: the best of two, from a slow and from a quick surface."""
    starts = []
    for hz in (0.6, 1.4):
        x = problem.middle.copy()
        x[PARAMETERS.index("slosh_hz")] = np.log(hz)
        starts.append(problem.fit(x))
    return min(starts, key=lambda s: s[1])[:2]


def _fit(
    problem: _Problem, start: FloatArray, rng: np.random.Generator, passes: Sequence[LoggedPass], mirrored: bool
) -> Fit:
    """One structure fitted, held against laps left out, with sets that agree with the logs about as well."""
    at = start.copy()
    at[[_FILM, _MOUTH]] = problem.middle[[_FILM, _MOUTH]]
    best, misfit, covariance = problem.fit(at)
    measured = np.array([q.lowest_kpa for q in passes])
    off = problem.lowest(best[None])[0][0] - measured
    problem.sigma = float(np.clip(1.3 * np.median(np.abs(off[[q.dips for q in passes]])), 8.0, 60.0))
    best, misfit, covariance = problem.fit(best, 8)
    held = np.empty(len(passes))
    laps = sorted({q.lap for q in passes})
    odd = np.array([laps.index(q.lap) % 2 == 1 for q in passes])
    for fold in (odd, ~odd):
        problem.use = ~fold
        other = problem.fit(best, 8)[0]
        held[fold] = problem.lowest(other[None])[0][0][fold]
    problem.use = np.ones(len(passes), dtype=np.bool_)
    spread = np.linalg.cholesky(_TOGETHER * covariance)
    sets = np.repeat(best[None], _SETS, axis=0)
    sets[:, problem.free] += (spread @ rng.standard_normal((len(problem.free), _SETS))).T
    sets[:, problem.free] = np.clip(
        sets[:, problem.free],
        (problem.middle - 4.0 * problem.width)[problem.free],
        (problem.middle + 4.0 * problem.width)[problem.free],
    )
    if not problem.c.ways:
        # The logs say nothing of openings; a change that makes some is tried with what openings may be.
        at_openings = PARAMETERS.index("openings")
        sets[:, at_openings] += problem.width[at_openings] * rng.standard_normal(_SETS)
    return Fit(problem.law, problem.has_film, mirrored, sets_of(best), sets_of(sets), misfit, held - measured)


def _judged(none: Calibration, fits: tuple[Fit, ...], passes: Sequence[LoggedPass]) -> Calibration:
    """Whether the model reproduces what it has not seen."""
    dips: NDArray[np.bool_] = np.array([q.dips for q in passes])
    measured = np.array([q.lowest_kpa for q in passes])
    normal = np.array([x.run.normal_kpa[q.first : q.last + 1].min() for x in none.logged for q in x.passes])
    best = fits[0]
    error = float(np.median(np.abs(best.held_out_kpa[dips])))
    lost = normal - measured
    explained = 1.0 - float(np.sum(best.held_out_kpa**2) / max(np.sum((lost - lost.mean()) ** 2), 1.0))
    depth = float(np.median(lost[dips]))
    sigma = float(np.clip(1.4826 * error, 6.0, 80.0))
    made = replace(none, fits=fits, passes=int(dips.size), error_kpa=error, explained=explained, sigma_kpa=sigma)
    if error > max(_MOST_ERROR_KPA, _MOST_ERROR_SHARE * depth) or explained < _LEAST_EXPLAINED:
        return replace(made, reason="the model cannot reproduce them")
    return replace(made, usable=True, reason="")
