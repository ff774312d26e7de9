"""Has normal changed, and what changed it? A new session's settled running held against an earlier normal.

Each cause leaves its own pattern over engine speed and oil temperature:

- *relief valve*: the plateau has moved, what lies under it has not;
- *a leak, or the relief valve held open*: lost flow by √p, worst where the pump gives little, whatever the temperature;
- *worn bearings*: bearing flow is p·w/ν, so pressure is as with oil thinner by one factor at every temperature;
- *thinner oil* (wrong grade, fuel): as if the oil were hotter than it reads by so many degrees;
- *clogging filter*: lost in proportion to flow and viscosity, and to the square of the flow;
- *sensor's zero*: the same pressure everywhere; *sensor's scale*: the same share everywhere, on the plateau too.

Each is fitted by its one number to the log ratio of the two, with what both normals cannot know as correlated error,
and the evidences (likelihood averaged over the number's own range) are compared: Bayesian model selection, as in
MacKay, *Information Theory, Inference, and Learning Algorithms*, ch. 28.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from basso.normal.cells import REFERENCE_RPM, Cells, cells_of
from basso.normal.departure import UNSEEN
from basso.normal.expected import ExpectedPressure
from basso.oil.grades import Grade, grades
from basso.oil.viscosity import as_thick, walther
from basso.units import FloatArray

NONE = "none"
_LEAST_CELLS, _MOST_CELLS = 12, 130
_NAMED = 0.50
"""A cause is named where it is likelier than all others together; how likely is said with it."""
SURE = 0.90
_COMMON = 0.008
"""Both normals together may be off by this share everywhere: thermometers that lag differently, what is left of a
zero."""
_ROUGH, _ROUGH_LOG_RPM, _ROUGH_C = 0.003, 0.4, 14.0
"""And bend otherwise by this much over these reaches."""
_ONE_VISIT = 0.010
_AT_40 = 1.3
_Z90 = 1.645
_OTHER_OIL = ("thin_oil", "thick_oil")
_FREE_SD, _FREE_BEND = 0.02, 0.10
"""Of the pressure without a relief valve where it was always capped: level, and bend over a factor e of engine speed
(default)."""
OIL_SD = 0.05
"""Standard deviation of the log viscosity of an oil about its label, batch to batch and sheared with use (default)."""
_PRIOR_NONE = 4.0
"""Most sessions show no change; each cause counts 1 (default)."""


@dataclass(frozen=True, slots=True)
class Pattern:
    """A cause of change and the pattern that tells it.

    Attributes:
        key, words: what it is called.
        says: the pattern that says so.
        unit: of its number; ``values``: over which it is looked for, evenly likely.
    """

    key: str
    words: str
    says: str
    unit: str
    values: tuple[float, ...]


@dataclass(frozen=True, slots=True)
class Candidate:
    """One cause, how probable it is against the others, and its number with a 90 % interval."""

    pattern: Pattern
    probability: float
    value: float
    low: float
    high: float


@dataclass(frozen=True, slots=True, eq=False)
class NormalChange:
    """What a new session shows against an earlier normal.

    Attributes:
        cause: key of the pattern; "none"; or "" where it cannot be told, ``reason`` says why.
        candidates: every cause by probability, likeliest first; "none" is one of them.
        offset_kpa, low_kpa, high_kpa: by how much the session lies over the earlier normal on average over its settled
            running, with a 90 % interval.
        log_rpm, temperature_c, log_ratio: the cells that were compared, shape (n,).
    """

    cause: str
    reason: str
    candidates: tuple[Candidate, ...]
    offset_kpa: float
    low_kpa: float
    high_kpa: float
    log_rpm: FloatArray
    temperature_c: FloatArray
    log_ratio: FloatArray


def _steps(low: float, high: float, count: int = 33) -> tuple[float, ...]:
    return tuple(float(v) for v in np.linspace(low, high, count))


PATTERNS: tuple[Pattern, ...] = (
    Pattern(NONE, "no change", "nothing beyond what two sessions differ by", "", (0.0,)),
    Pattern(
        "relief_low",
        "relief valve opens sooner",
        "the plateau is lower, what lies under it is as it was",
        "of its pressure before",
        _steps(0.5, 0.97),
    ),
    Pattern(
        "relief_high",
        "relief valve opens later or sticks shut",
        "the plateau is higher, what lies under it is as it was",
        "of its pressure before",
        _steps(1.03, 2.0),
    ),
    Pattern(
        "leak",
        "relief valve held open, or a leak",
        "flow is lost at every pressure: worst at low engine speed, whatever the oil temperature",
        "of the pump's flow at 4000 rpm",
        _steps(0.01, 0.4),
    ),
    Pattern(
        "worn_bearings",
        "worn bearings",
        "low at hot idle and wherever the bearings set the pressure, and more so the hotter the oil",
        "times the bearing flow before",
        _steps(1.03, 2.5),
    ),
    Pattern(
        "thin_oil",
        "thinner oil: another grade, or fuel in it",
        "as if the oil were hotter than it is, the more so the colder it is",
        "of the viscosity at 100 °C before",
        _steps(0.45, 0.98, 28),
    ),
    Pattern(
        "thick_oil",
        "thicker oil than before",
        "as if the oil were colder than it is, the more so the colder it is",
        "of the viscosity at 100 °C before",
        _steps(1.02, 2.0, 28),
    ),
    Pattern(
        "clogged_filter",
        "a filter or cooler that clogs",
        "lost in step with flow and viscosity",
        "kPa at 5000 rpm and 15 mm²/s",
        _steps(3.0, 150.0),
    ),
    Pattern(
        "sensor_zero",
        "the sensor's zero",
        "the same pressure everywhere",
        "kPa",
        (*_steps(-60.0, -3.0, 20), *_steps(3.0, 60.0, 20)),
    ),
    Pattern(
        "sensor_scale",
        "the sensor's scale",
        "the same share everywhere, on the plateau too",
        "times",
        (*_steps(0.75, 0.97, 20), *_steps(1.03, 1.3, 20)),
    ),
)
BY_KEY = {p.key: p for p in PATTERNS}


def changed_normal(
    before: ExpectedPressure,
    pressure_kpa: FloatArray,
    rpm: FloatArray,
    temperature_c: FloatArray | None,
    is_settled: NDArray[np.bool_],
    oil_sd: float = 0.0,
) -> NormalChange:
    """Hold a session's settled running against an earlier normal; arrays of shape (n,).

    ``oil_sd``: standard deviation of the log viscosity of the oil between the two, where the earlier normal was moved
    to another oil by labels or laboratories (:data:`OIL_SD`).
    """
    if not before.valid or before.temperature_range_c is None or temperature_c is None:
        return _cannot_tell("oil temperature is needed on both sides: without it a hotter day looks like a change")
    use = is_settled & np.isfinite(pressure_kpa) & np.isfinite(rpm) & np.isfinite(temperature_c) & (pressure_kpa > 5.0)
    use &= before.covers(rpm, temperature_c)
    if int(use.sum()) < 40:
        return _cannot_tell("hardly any settled running lies where the earlier normal is known")
    cells = cells_of(pressure_kpa, rpm, temperature_c, use, before.oil, _MOST_CELLS)
    if cells.log_p.size < _LEAST_CELLS or cells.temperature_c is None:
        return _cannot_tell("settled running that both share covers too little engine speed and temperature")
    return _told(before, cells, cells.temperature_c, oil_sd)


@dataclass(frozen=True, slots=True)
class Apart:
    """How one normal lies to another at the same engine speed and oil temperature.

    Attributes:
        offset_kpa: later less earlier, mean over where both rest on data; ``low_kpa``, ``high_kpa``: its 90 % interval.
        rpm, temperature_c: from where to where both do; temperature None where they are by engine speed only.
    """

    offset_kpa: float
    low_kpa: float
    high_kpa: float
    rpm: tuple[float, float]
    temperature_c: tuple[float, float] | None


def normals_apart(before: ExpectedPressure, after: ExpectedPressure) -> Apart | None:
    """Lay one normal over another; None where they share no engine speed and temperature that both rest on."""
    if not before.valid or not after.valid:
        return None
    heats = before.temperature_range_c, after.temperature_range_c
    if (heats[0] is None) != (heats[1] is None):
        return None
    rpm = np.linspace(*_shared(before.rpm_range, after.rpm_range), 31)
    heat: FloatArray | None = None
    if heats[0] is not None and heats[1] is not None:
        grid = np.meshgrid(rpm, np.linspace(*_shared(heats[0], heats[1]), 16), indexing="ij")
        rpm, heat = grid[0].ravel(), grid[1].ravel()
    both = before.covers(rpm, heat) & after.covers(rpm, heat)
    if both.sum() < _LEAST_CELLS:
        return None
    rpm, heat = rpm[both], heat[both] if heat is not None else None
    older, newer = before.at(rpm, heat), after.at(rpm, heat)
    # Both curves are smooth, so what they are off by hardly averages out over where they are laid together.
    sd = np.sqrt(before.spread_at(rpm, heat) ** 2 + after.spread_at(rpm, heat) ** 2 + _COMMON**2)
    offset, error = float(np.mean(newer - older)), _Z90 * float(np.mean(sd * older))
    return Apart(
        offset,
        offset - error,
        offset + error,
        (float(rpm.min()), float(rpm.max())),
        (float(heat.min()), float(heat.max())) if heat is not None else None,
    )


def _shared(a: tuple[float, float], b: tuple[float, float]) -> tuple[float, float]:
    return max(a[0], b[0]), min(a[1], b[1])


def _cannot_tell(reason: str) -> NormalChange:
    nothing = np.empty(0)
    return NormalChange(
        cause="",
        reason=reason,
        candidates=(),
        offset_kpa=float("nan"),
        low_kpa=float("nan"),
        high_kpa=float("nan"),
        log_rpm=nothing,
        temperature_c=nothing,
        log_ratio=nothing,
    )


def _told(before: ExpectedPressure, cells: Cells, heat: FloatArray, oil_sd: float) -> NormalChange:
    rpm = REFERENCE_RPM * np.exp(cells.log_rpm)
    base = np.log(before.at(rpm, heat))
    ratio = cells.log_p - base
    # A thicker or thinner oil than its label acts on every cell together, as far as the relief valve leaves it.
    of_oil = oil_sd * before.c * _free_share(before, rpm, heat)
    shared = np.outer(of_oil, of_oil)
    errors = _errors(before, cells, rpm, heat) + shared
    fits = [_fit(p, before, cells, rpm, heat, base, errors, shared) for p in PATTERNS]
    weight, level = cells.weight / cells.weight.sum(), np.exp(base)
    offset = float(weight @ (np.exp(cells.log_p) - level))
    error = _Z90 * float(np.sqrt((weight * level) @ errors @ (weight * level)))
    # Where no pattern fits as well as the errors promise, the errors were too small: no cause is surer for that.
    too_small = max(1.0, min(float(misfit.min()) for misfit, _ in fits) / ratio.size)
    evidences, numbers = [], []
    for pattern, (misfit, log_det) in zip(PATTERNS, fits, strict=True):
        log_likelihood = -0.5 * (misfit / too_small + log_det)
        top = float(log_likelihood.max())
        weights = np.exp(log_likelihood - top)
        likely = top + float(np.log(weights.mean())) + (float(np.log(_PRIOR_NONE)) if pattern.key == NONE else 0.0)
        if pattern.key in _OTHER_OIL:
            # Another oil is as often one that is sold as one that is anything (sheared, or with fuel in it).
            sold = _sold(pattern.key, before, cells, rpm, heat, shared, too_small)
            likely = float(np.logaddexp(likely, sold)) - float(np.log(2.0))
        # A cause that lowers the pressure is not why it is clearly higher, however little is known where it would lead
        # to.
        way = _way(pattern.key, pattern.values[int(np.argmax(weights))])
        evidences.append(likely if abs(offset) <= error or way * offset >= 0.0 else -np.inf)
        numbers.append(_interval(np.array(pattern.values), weights))
    standing = np.exp(np.array(evidences) - max(evidences))
    standing /= standing.sum()
    candidates = tuple(
        sorted(
            (Candidate(p, float(s), *n) for p, s, n in zip(PATTERNS, standing, numbers, strict=True)),
            key=lambda c: -c.probability,
        )
    )
    best = candidates[0]
    cause, reason = best.pattern.key, ""
    if best.probability < _NAMED and cause != NONE:
        second = candidates[1]
        cause = ""
        reason = (
            f"{best.pattern.words} ({100.0 * best.probability:.0f} %) and {second.pattern.words} "
            f"({100.0 * second.probability:.0f} %) would look alike in what was driven"
        )
    return NormalChange(
        cause=cause,
        reason=reason,
        candidates=candidates,
        offset_kpa=offset,
        low_kpa=offset - error,
        high_kpa=offset + error,
        log_rpm=cells.log_rpm,
        temperature_c=heat,
        log_ratio=ratio,
    )


def _fit(
    pattern: Pattern,
    before: ExpectedPressure,
    cells: Cells,
    rpm: FloatArray,
    heat: FloatArray,
    base: FloatArray,
    errors: FloatArray,
    shared: FloatArray,
) -> tuple[FloatArray, FloatArray]:
    """Squared misfit by the errors, and the log determinant of those, for each value of a pattern's number; shape
    (values,)."""
    if pattern.key in ("relief_low", "relief_high"):
        return _fit_relief(pattern, before, cells, rpm, heat, base, errors)
    if pattern.key not in _AS_IF:
        root = np.linalg.cholesky(errors)
        left = np.linalg.solve(root, cells.log_p[:, None] - base[:, None] - _effects(pattern, before, rpm, heat, base))
        return np.sum(left**2, axis=0), np.full(left.shape[1], 2.0 * float(np.log(np.diag(root)).sum()))
    misfit, log_det = np.empty(len(pattern.values)), np.empty(len(pattern.values))
    for i, value in enumerate(pattern.values):
        # As if the oil had another temperature: the earlier normal is only as good as it is at that temperature.
        like = _AS_IF[pattern.key](before, heat, value)
        root = np.linalg.cholesky(_errors(before, cells, rpm, like) + shared)
        left = np.linalg.solve(root, cells.log_p - np.log(before.down_to(float(like.min())).at(rpm, like)))
        misfit[i], log_det[i] = float(left @ left), 2.0 * float(np.log(np.diag(root)).sum())
    return misfit, log_det


def _sold(
    cause: str,
    before: ExpectedPressure,
    cells: Cells,
    rpm: FloatArray,
    heat: FloatArray,
    shared: FloatArray,
    too_small: float,
) -> float:
    """Log evidence that the oil is one of the grades that are thinner, or thicker, than the one that normal is told
    for."""
    thinner = cause == "thin_oil"
    oils = [
        g
        for g in grades().values()
        if (
            g.at_100_mm2ps < 0.97 * before.oil.at_100_mm2ps
            if thinner
            else g.at_100_mm2ps > 1.03 * before.oil.at_100_mm2ps
        )
    ]
    found = []
    for oil in oils:
        like = as_thick(oil, heat, before.oil)
        root = np.linalg.cholesky(_errors(before, cells, rpm, like) + shared)
        left = np.linalg.solve(root, cells.log_p - np.log(before.down_to(float(like.min())).at(rpm, like)))
        found.append(-0.5 * (float(left @ left) / too_small + 2.0 * float(np.log(np.diag(root)).sum())))
    return float(np.logaddexp.reduce(found)) - float(np.log(len(found))) if found else -np.inf


def _way(cause: str, value: float) -> float:
    """Which way a cause moves the pressure at this number of its: 1 up, −1 down, 0 neither."""
    if cause in ("leak", "clogged_filter"):
        return -1.0
    if cause in (NONE, "sensor_zero"):
        return float(np.sign(value))
    return float(np.sign(1.0 - value if cause == "worn_bearings" else value - 1.0))


def _fit_relief(
    pattern: Pattern,
    before: ExpectedPressure,
    cells: Cells,
    rpm: FloatArray,
    heat: FloatArray,
    base: FloatArray,
    errors: FloatArray,
) -> tuple[FloatArray, FloatArray]:
    """As :func:`_fit`. Where the relief valve used to cap the pressure, what pump and bearings would make is only known
    from
    elsewhere: by the form, with the spread of its parameters."""
    sd = before.parameter_sd or (0.05, 0.05, 0.05, 0.05)
    log_rpm, log_v = (
        cells.log_rpm,
        np.log(walther(before.oil).viscosity_mm2ps(heat) / walther(before.oil).viscosity_mm2ps(np.array([95.0]))),
    )
    old = _free_share(before, rpm, heat)
    misfit, log_det = np.empty(len(pattern.values)), np.empty(len(pattern.values))
    for i, value in enumerate(pattern.values):
        other = replace(before, relief_kpa=value * before.relief_kpa)
        freed = np.maximum(_free_share(other, rpm, heat) - old, 0.0)
        basis = freed[:, None] * np.column_stack(
            [np.full(freed.shape, max(sd[0], _FREE_SD)), sd[1] * log_rpm, sd[2] * log_v, _FREE_BEND * log_rpm**2]
        )
        root = np.linalg.cholesky(errors + basis @ basis.T)
        left = np.linalg.solve(root, cells.log_p - np.log(other.at(rpm, heat)))
        misfit[i], log_det[i] = float(left @ left), 2.0 * float(np.log(np.diag(root)).sum())
    return misfit, log_det


def _errors(before: ExpectedPressure, cells: Cells, rpm: FloatArray, heat: FloatArray) -> FloatArray:
    """Covariance of the log ratio: each cell's own, what both normals may bend by, and what they may be off by
    everywhere."""
    apart = ((cells.log_rpm[:, None] - cells.log_rpm[None, :]) / _ROUGH_LOG_RPM) ** 2
    apart = apart + ((heat[:, None] - heat[None, :]) / _ROUGH_C) ** 2
    # What no log shows of itself is alike in both: the same thermometer, the same line.
    spread = np.sqrt(np.maximum(before.spread_at(rpm, heat) ** 2 - UNSEEN**2, 0.0) + _ROUGH**2)
    smooth = spread[:, None] * spread[None, :] * np.exp(-0.5 * apart)
    own = cells.noise**2 + _ONE_VISIT**2 / cells.visits
    return np.asarray(smooth + _COMMON**2 + np.diag(own))


def _effects(
    pattern: Pattern, before: ExpectedPressure, rpm: FloatArray, heat: FloatArray, base: FloatArray
) -> FloatArray:
    """Log ratio to the earlier normal in each cell for each value of a pattern's number; shape (n, values)."""
    of: dict[str, Callable[[float], FloatArray]] = {
        NONE: lambda _: np.zeros(rpm.shape),
        "relief_low": lambda f: _with_relief(before, f, rpm, heat) - base,
        "relief_high": lambda f: _with_relief(before, f, rpm, heat) - base,
        "leak": lambda q: _with_leak(before, q, rpm, heat, base),
        "clogged_filter": lambda kpa: (
            np.log(np.maximum(np.exp(base) - kpa * _filter_share(before, rpm, heat), 5.0)) - base
        ),
        "sensor_zero": lambda kpa: np.log(np.maximum(np.exp(base) + kpa, 5.0)) - base,
        "sensor_scale": lambda g: np.full(rpm.shape, np.log(g)),
    }
    return np.column_stack([of[pattern.key](v) for v in pattern.values])


def _with_relief(before: ExpectedPressure, share: float, rpm: FloatArray, heat: FloatArray) -> FloatArray:
    return np.asarray(np.log(replace(before, relief_kpa=share * before.relief_kpa).at(rpm, heat)))


def _free_share(before: ExpectedPressure, rpm: FloatArray, heat: FloatArray) -> FloatArray:
    """How much pump and bearings, not the relief valve, set the pressure: 1 far below the relief, 0 far above."""
    free = replace(before, relief_kpa=1e9).at(rpm, heat)
    return np.asarray(
        1.0 / (1.0 + (free / (before.relief_kpa * (rpm / REFERENCE_RPM) ** before.relief_rise)) ** before.sharpness)
    )


def _with_leak(
    before: ExpectedPressure, share: float, rpm: FloatArray, heat: FloatArray, base: FloatArray
) -> FloatArray:
    """Flow lost through an opening, by √p: the pump's flow grows with rpm, so the share lost falls with it."""
    at_4000 = before.at(np.full(rpm.shape, REFERENCE_RPM), heat)
    lost = share * np.sqrt(np.exp(base) / at_4000) * REFERENCE_RPM / rpm
    # Under a relief valve that spills, lost flow only makes it spill less.
    return np.asarray(before.b * np.log(np.maximum(1.0 - lost, 0.05)) * _free_share(before, rpm, heat))


def _as_thin(before: ExpectedPressure, heat: FloatArray, times: float) -> FloatArray:
    """The temperature at which the oil is thinner by a factor than at each temperature."""
    curve = walther(before.oil)
    return curve.temperature_c(curve.viscosity_mm2ps(heat) / times)


def _as_other_oil(before: ExpectedPressure, heat: FloatArray, share: float) -> FloatArray:
    """The temperature at which the oil is as thin as one with this share of its viscosity at 100 °C.

    From grade to grade of :mod:`basso.oil.grades` the log of the viscosity changes at 40 °C by about 1.3 times what it
    changes at 100 °C (default).
    """
    oil = before.oil
    other = Grade("", oil.at_40_mm2ps * share**_AT_40, oil.at_100_mm2ps * share)
    return as_thick(other, heat, oil)


_AS_IF: dict[str, Callable[[ExpectedPressure, FloatArray, float], FloatArray]] = {
    "worn_bearings": _as_thin,
    "thin_oil": _as_other_oil,
    "thick_oil": _as_other_oil,
}


def _filter_share(before: ExpectedPressure, rpm: FloatArray, heat: FloatArray) -> FloatArray:
    """What a filter takes, 1 at 5000 rpm and 15 mm²/s: half laminar, half by the square of the flow."""
    flow, thick = rpm / 5000.0, walther(before.oil).viscosity_mm2ps(heat) / 15.0
    return np.asarray(0.5 * flow * thick + 0.5 * flow**2)


def _interval(values: FloatArray, weights: FloatArray) -> tuple[float, float, float]:
    """Middle and 90 % interval of a number under weights over evenly spaced values."""
    share = np.cumsum(weights) / weights.sum()
    low, middle, high = (float(values[min(int(np.searchsorted(share, q)), values.size - 1)]) for q in (0.05, 0.5, 0.95))
    return middle, low, high
