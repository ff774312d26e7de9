"""Normal over a session without oil temperature: what calm running shows of the oil's thickness, minute by minute.

Oil warms and cools slowly, and its pressure with it. Where no temperature tells, the settled running itself does: the
same form as with temperature (:mod:`basso.normal.form`), in which a curve over time that bends little stands for the
viscosity. What changes within seconds (a dip) stays what it is. What changes over minutes is taken for the oil's
warmth, so that a slow loss of pressure is no
dip either: it has to be told by itself.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from basso.normal.cells import REFERENCE_RPM
from basso.normal.expected import ExpectedPressure, fit_expected
from basso.normal.form import (
    BY_SPEED_ONLY,
    CENTRE,
    WIDTH,
    bounds_of,
    damped_least_squares,
    log_curve,
    log_pressure,
    say_of,
)
from basso.oil.grades import Grade
from basso.recording.gaps import or_zero
from basso.units import FloatArray

_BIN_S = 20.0
_SPEEDS = 24
"""Steps of engine speed in which the settled running of a bin is told apart."""
_LEAST_SAMPLES = 3
_LEAST_BINS = 6
_MOST_BINS, _MOST_CELLS = 180, 1500
_BEND = 0.006
"""By how much the slope of the log changes from one bin of 20 s to the next, as oil does that warms up over minutes
(default)."""
_THICK = 0.5
"""How far the log strays over a session, about: from 70 to 110 °C (default)."""
_BY_SPEED = 0.2
"""How much more or less viscosity counts at e times the engine speed, about (default)."""
_SLOW_SHARE = 0.5
_ROUNDS = 6


@dataclass(frozen=True, slots=True, eq=False)
class Drift:
    """By how much more than the curve says pump and bearings alone make, as a natural log.

    Attributes:
        thicker: at 4000 rpm, shape (k,) at ``time_s``, shape (k,).
        by_speed: by what share of itself it grows with the natural log of the engine speed.
    """

    time_s: FloatArray
    thicker: FloatArray
    by_speed: float = 0.0

    def at(self, time_s: FloatArray, rpm: FloatArray) -> FloatArray:
        """At any times and engine speeds, shape (n,); before the first time and after the last it stays as there."""
        log_rpm = np.log(np.maximum(or_zero(rpm), 200.0) / REFERENCE_RPM)
        return np.asarray(np.interp(time_s, self.time_s, self.thicker) * (1.0 + self.by_speed * log_rpm))

    @property
    def fallen(self) -> float:
        """The share of what pump and bearings make that calm running had lost by the end since it was highest."""
        return float(1.0 - np.exp(self.thicker[-1] - self.thicker.max()))


@dataclass(frozen=True, slots=True, eq=False)
class _Seen:
    """The middle of the settled running by bin and engine speed; shape (n,): log rpm, log pressure, bin, weight up to
    1."""

    log_rpm: FloatArray
    log_p: FloatArray
    bin: NDArray[np.intp]
    weight: FloatArray


def fit_drifting(
    time_s: FloatArray, pressure_kpa: FloatArray, rpm: FloatArray, settled: NDArray[np.bool_], oil: Grade | None = None
) -> tuple[ExpectedPressure, Drift | None]:
    """Normal by engine speed, and how the oil's thickness drifted about it; arrays of shape (n,).

    No drift where the settled running is too short to show one.
    """
    plain = fit_expected(pressure_kpa, rpm, None, settled, oil)
    use = settled & np.isfinite(pressure_kpa) & np.isfinite(rpm) & (pressure_kpa > 5.0)
    if plain.method == "none":
        return plain, None
    bin_s = max(_BIN_S, float(np.ptp(time_s[use])) / _MOST_BINS)
    began = float(time_s[use][0])
    seen = _seen((time_s[use] - began) / bin_s, np.log(rpm[use] / REFERENCE_RPM), np.log(pressure_kpa[use]))
    if np.unique(seen.bin).size < _LEAST_BINS:
        return plain, None
    bend = _BEND * (bin_s / _BIN_S) ** 2
    x, thicker, by_speed = _together(seen, float(np.percentile(pressure_kpa[use], 99.5)), bend)
    drift = Drift(np.asarray(began + bin_s * (np.arange(thicker.size) + 0.5)), thicker, by_speed)
    log_rpm, nothing = np.log(np.maximum(rpm, 200.0) / REFERENCE_RPM), np.zeros(rpm.shape)
    taken = log_pressure(x, log_rpm, nothing, drift.at(time_s, rpm)) - log_pressure(x, log_rpm, nothing)
    # The valve may have opened only while the oil was cold: what is left of the pressure does not show it, so the form
    # is kept.
    return fit_expected(pressure_kpa * np.exp(-taken), rpm, None, settled, oil, x), drift


def _seen(place: FloatArray, log_rpm: FloatArray, log_p: FloatArray) -> _Seen:
    """Medians by bin (``place`` rounded down) and step of engine speed; arrays of shape (n,), in the order of time."""
    bins = place.astype(np.intp)
    edges = np.linspace(float(log_rpm.min()), float(log_rpm.max()) + 1e-9, _SPEEDS + 1)
    cell = bins * _SPEEDS + np.clip(np.searchsorted(edges, log_rpm, side="right") - 1, 0, _SPEEDS - 1)
    order = np.lexsort((log_p, cell))
    found, first, count = np.unique(cell[order], return_index=True, return_counts=True)
    enough = np.flatnonzero(count >= _LEAST_SAMPLES)
    enough = enough[:: -(-enough.size // _MOST_CELLS) or 1]
    found, first, count = found[enough], first[enough], count[enough]
    middle = log_p[order][first + count // 2]
    sums = np.concatenate([[0.0], np.cumsum(log_rpm[order])])
    mean = (sums[first + count] - sums[first]) / count
    return _Seen(mean, middle, found // _SPEEDS, np.minimum(count, 60) / 60.0)


def _together(s: _Seen, top_kpa: float, bend: float) -> tuple[FloatArray, FloatArray, float]:
    """The form's parameters, the drift by bin, and how it grows with speed, that meet what was seen; the drift's middle
    is 0."""
    size, own = int(s.bin.max()) + 1, list(BY_SPEED_ONLY)
    count, nothing = len(own) + 1, np.zeros(s.log_rpm.shape)
    turns = np.diff(np.eye(size), 2, axis=0) / bend
    firm = np.zeros((count + size, count + size))
    firm[:count, :count] = np.diag(1.0 / np.append(WIDTH[own], _BY_SPEED) ** 2)
    firm[count:, count:] = turns.T @ turns + np.eye(size) / (_THICK**2 * size)
    centre = np.concatenate([CENTRE[own], np.zeros(1 + size)])
    low, high = bounds_of(top_kpa)
    bounds = (
        np.concatenate([low[own], [-0.5], np.full(size, -3.0)]),
        np.concatenate([high[own], [0.5], np.full(size, 3.0)]),
    )
    hats = np.zeros((s.bin.size, size))
    hats[np.arange(s.bin.size), s.bin] = 1.0

    def form(y: FloatArray) -> FloatArray:
        x = np.zeros(CENTRE.size)
        x[own] = y[: count - 1]
        return x

    def thicker_in(y: FloatArray) -> FloatArray:
        return np.asarray(y[count:][s.bin] * (1.0 + y[count - 1] * s.log_rpm))

    def level(y: FloatArray) -> FloatArray:
        return log_pressure(form(y), s.log_rpm, nothing, thicker_in(y))

    def curve(y: FloatArray) -> tuple[FloatArray, FloatArray]:
        fit, jacobian = log_curve(form(y), s.log_rpm, nothing, thicker_in(y))
        free, grows = jacobian[:, :1], (1.0 + y[count - 1] * s.log_rpm)[:, None]
        by_speed = free * (y[count:][s.bin] * s.log_rpm)[:, None]
        return fit, np.hstack([jacobian[:, own], by_speed, free * grows * hats])

    start = centre.copy()
    start[0] = float(np.percentile(s.log_p - CENTRE[1] * s.log_rpm, 70))
    start[own.index(3)] = np.log(top_kpa * 1.05)
    y = np.clip(start, bounds[0] + 1e-6, bounds[1] - 1e-6)
    slow = s.log_rpm < np.log(_SLOW_SHARE) + float(s.log_rpm.max())
    say = np.ones(s.bin.size)
    for _ in range(_ROUNDS):
        y = damped_least_squares(curve, level, s.log_p, say * np.sqrt(s.weight), y, bounds, (centre, firm))
        say = say_of(s.log_p - level(y), say, slow)
    middle = float(np.median(y[count:][np.unique(s.bin)]))
    x, thicker, by_speed = form(y), y[count:] - middle, float(y[count - 1])
    x[0] += middle
    x[1] += middle * by_speed
    return x, thicker, by_speed
