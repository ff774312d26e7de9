"""What readings that shake, or that a coarse converter wrote, tell of the pressure.

Whether the pressure lay below its floor is told from the margin itself where readings are exact to a few kPa. Else:

- A converter's steps say more than a rounded value: the pressure lay within half a step of every reading, and where the
  reading jumps it stood on the edge. A smooth margin that keeps within those bounds is looked for by smoothing and
  going back between the bounds in turn (projections onto convex sets, the usual way to a consistent reconstruction).
- Where the sensor shakes, the margin is that of a parabola fitted about each reading: unlike a mean it does not wash
out
  the bottom of a dip, and may therefore reach further.
- Where that leaves more than is needed, the margin is held against what the rest of the session leads to expect at that
moment
  (:mod:`basso.pressure.explained`): of what the readings differ from it by as much counts as is not their own shaking.
  Of what a converter's steps allow, half is what is smooth by itself and half what differs smoothly from that
  expectation.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from basso.recording.gaps import median_known
from basso.recording.rolling import rolling_mean
from basso.recording.spans import runs_of
from basso.trust.steps import step_noise_kpa
from basso.trust.vibration import noise_at, noise_by_rpm, slow_noise_by_rpm
from basso.units import FloatArray

_EXACT_KPA = 3.0
"""Noise up to here needs nothing done about it."""
_REACH_S = 0.7
_STEPS_REACH_S = 0.3
_TURNS = 20
_STEPS_LEAVE_KPA = 3.0
_APART_S = 0.3
_RISES = 1.3
_SLOWEST = 25
_ALIKE_S, _NEAR_KPA, _LEAST_WEIGHT = 2.0, 15.0, 0.02
"""How far differences from what the session leads to expect are alike, what lies near the floor, and what a difference
counts for at least (default)."""
_SHAKES_KPA = 6.0
_STEADIED_S = 2.0


@dataclass(frozen=True, slots=True, eq=False)
class ReadingError:
    """What each reading of the pressure may be off by on its own.

    Attributes:
        noise_kpa: standard deviation of the noise, shape (n,), or one for all.
        half_step_kpa: half a step of the converter; 0 where it is fine.
        alike: correlation of the noise of one reading with the next one's; over 0 where a filter lies between sensor
            and file.
    """

    noise_kpa: FloatArray | float
    half_step_kpa: float = 0.0
    alike: float = 0.0

    @property
    def kpa(self) -> FloatArray:
        """Standard deviation of both together, shaped as the noise; within a step all is alike (half a step ÷ √3)."""
        return np.asarray(np.hypot(self.noise_kpa, self.half_step_kpa / np.sqrt(3.0)), dtype=np.float64)


@dataclass(frozen=True, slots=True, eq=False)
class ToldMargin:
    """The margin that tells whether the pressure was below the floor.

    Attributes:
        margin_kpa: shape (n,); NaN where no reading is.
        unsure_kpa: its standard deviation, shape (n,).
        as_read: nothing was done to it.
    """

    margin_kpa: FloatArray
    unsure_kpa: FloatArray
    as_read: bool


def reading_error(pressure_kpa: FloatArray, rpm: FloatArray) -> ReadingError:
    """What readings are off by, told from themselves; arrays of shape (n,)."""
    return ReadingError(noise_by_rpm(pressure_kpa, rpm), step_noise_kpa(pressure_kpa) * float(np.sqrt(3.0)))


def error_off_normal(
    error: ReadingError, off_kpa: FloatArray, rpm: FloatArray, settled: NDArray[np.bool_], step_s: float
) -> ReadingError:
    """The same where normal is known, and noise that a filter spread over several readings shows too; arrays of shape
    (n,).

    Args:
        error: as told from the readings themselves.
        off_kpa: reading less normal.
        settled: where the pan is settled: there it differs from normal by noise only.

    Noise correlated by ρ from one reading to the next has second differences over h readings of 6 σ² (1 − ρʰ)(1 −
    ρʰ/3): they rise to 6 σ² where they are taken far apart, and half-way there tell ρ.
    """
    far = max(1, round(_APART_S / max(step_s, 1e-3)))
    if far == 1 or off_kpa.size < 4 * far:
        return error
    use = settled & np.isfinite(off_kpa) & np.isfinite(rpm)
    if not use.any():
        return error
    # Froth moves the pressure by itself, but at high engine speed: what shakes a sensor is there at all of them.
    slow = use & (rpm <= np.percentile(rpm[use], _SLOWEST))
    near, apart = noise_at(off_kpa, slow, 1), noise_at(off_kpa, slow, far)
    if near is None or apart is None:
        return error
    step_kpa = error.half_step_kpa / float(np.sqrt(3.0))
    most = float(np.sqrt(max(apart**2 - step_kpa**2, 0.0)))
    if most < _SHAKES_KPA or most < _RISES * np.hypot(near, step_kpa):
        return error
    lags = [h for h in (1, 2, 4, 8, 16, 32, 64) if h < far] + [far]
    noises = np.array([noise_at(off_kpa, use, h) or 0.0 for h in lags])
    parts = np.clip((noises / max(noises[-1], 1e-3)) ** 2, 0.0, 1.0)
    halfway = int(np.argmin(np.abs(parts - 0.5)))
    alike = float(2.0 - np.sqrt(1.0 + 3.0 * parts[halfway])) ** (1.0 / lags[halfway])
    return ReadingError(
        np.maximum(slow_noise_by_rpm(off_kpa, rpm, use, far), error.noise_kpa), error.half_step_kpa, alike
    )


def shakes(error: ReadingError, judged: NDArray[np.bool_]) -> bool:
    """Whether readings are off by so much on their own that the lowest of them is low by it."""
    return _usual(error, judged) > _EXACT_KPA


def reach_s(error: ReadingError, judged: NDArray[np.bool_], step_s: float) -> float:
    """How far to either side a parabola must reach to tell the pressure from what readings are off by; 0 where they are
    exact."""
    usual, half = _usual(error, judged), error.half_step_kpa
    if step_s <= 0.0 or max(usual, half / np.sqrt(3.0)) <= _EXACT_KPA:
        return 0.0
    if _by_steps(error, judged):
        return max(2.0 * step_s, _STEPS_REACH_S)
    reach, left = 1, 1.0
    while left * usual > _EXACT_KPA and (reach + 1) * step_s <= _REACH_S + 1e-6:
        reach += 1
        left = _left(_weights(reach)[1], error.alike)
    return reach * step_s


def leaves_doubt(error: ReadingError, judged: NDArray[np.bool_], step_s: float) -> bool:
    """Whether neighbouring readings do not tell the pressure on their own: so much shakes the sensor, or so coarse is
    the converter."""
    reach = reach_s(error, judged, step_s)
    if reach == 0.0 or _by_steps(error, judged):
        return reach > 0.0
    return _left(_weights(round(reach / step_s))[1], error.alike) * _usual(error, judged) > _EXACT_KPA


def tell_margin(
    margin_kpa: FloatArray,
    error: ReadingError,
    judged: NDArray[np.bool_],
    step_s: float,
    likely_kpa: FloatArray | None = None,
) -> ToldMargin:
    """The margin less what readings are off by; arrays of shape (n,).

    Args:
        margin_kpa: reading less floor (or less anything that is known exactly), NaN where either is missing.
        judged: where a floor is judged: how much a sensor shakes there (80th percentile) says how far a parabola
            reaches.
        step_s: from sample to sample.
        likely_kpa: the margin to be expected, where that is known; NaN elsewhere.

    The reaches were chosen on 40 made sessions of each of two kinds of fault and hold on as many others
    (docs/formulas.md).
    """
    noise = np.broadcast_to(np.asarray(error.noise_kpa, dtype=np.float64), margin_kpa.shape)
    reach = round(reach_s(error, judged, step_s) / step_s) if step_s > 0.0 else 0
    if reach == 0:
        return ToldMargin(margin_kpa, noise, True)
    if _by_steps(error, judged):
        half = error.half_step_kpa
        told = _within_steps(margin_kpa, margin_kpa, half, reach)
        if likely_kpa is not None:
            differ = margin_kpa - likely_kpa
            held = likely_kpa + _within_steps(np.clip(0.0, differ - half, differ + half), differ, half, reach)
            told = np.where(np.isfinite(held), 0.5 * (told + held), told)
        return ToldMargin(told, np.full(margin_kpa.shape, _STEPS_LEAVE_KPA), False)
    unsure = np.broadcast_to(_left(_weights(reach)[1], error.alike) * error.kpa, margin_kpa.shape)
    alone = ToldMargin(parabola_about(margin_kpa, reach), unsure, False)
    return alone if likely_kpa is None else _held_against(likely_kpa, margin_kpa, alone, reach, judged, step_s)


def _held_against(
    likely_kpa: FloatArray,
    margin_kpa: FloatArray,
    alone: ToldMargin,
    reach: int,
    judged: NDArray[np.bool_],
    step_s: float,
) -> ToldMargin:
    """The likely margin and, of what readings differ from it by (d, told with a standard deviation s), the share d² −
    s² is of d².

    d² is the mean of those of the session near its floor and of those within a second: either may be alike where the
    other is not.
    """
    differ = parabola_about(margin_kpa - likely_kpa, reach)
    noise = alone.unsure_kpa**2
    known = np.isfinite(differ)
    near = known & judged & (np.abs(likely_kpa + differ) < 2.0 * alone.unsure_kpa + _NEAR_KPA)
    usual = max(float(np.mean((differ**2 - noise)[near])), 0.0) if near.any() else np.inf
    lately = rolling_mean(np.where(known, differ, 0.0) ** 2, max(3, round(_ALIKE_S / step_s)))
    true = np.maximum(0.5 * lately + 0.5 * (usual + noise) - noise, 0.0)
    weight = np.maximum(1.0 - noise / (true + noise), _LEAST_WEIGHT)
    told = np.where(known, likely_kpa + weight * differ, alone.margin_kpa)
    return ToldMargin(told, np.where(known, np.sqrt(weight), 1.0) * alone.unsure_kpa, False)


def told_pressure(
    pressure_kpa: FloatArray,
    floor_kpa: FloatArray,
    error: ReadingError,
    judged: NDArray[np.bool_],
    step_s: float,
    likely_kpa: FloatArray | None = None,
) -> FloatArray:
    """The pressure less what readings are off by, shape (n,); ``likely_kpa`` is the pressure to be expected."""
    base = np.where(np.isfinite(floor_kpa), floor_kpa, 0.0)
    likely = None if likely_kpa is None else likely_kpa - base
    told = tell_margin(pressure_kpa - base, error, judged, step_s, likely)
    return pressure_kpa if told.as_read else told.margin_kpa + base


def _by_steps(error: ReadingError, judged: NDArray[np.bool_]) -> bool:
    return error.half_step_kpa / float(np.sqrt(3.0)) > _usual(error, judged)


def _usual(error: ReadingError, judged: NDArray[np.bool_]) -> float:
    noise = np.broadcast_to(np.asarray(error.noise_kpa, dtype=np.float64), judged.shape)
    return float(np.percentile(noise[judged], 80)) if judged.any() else 0.0


def steadied(pressure_kpa: FloatArray, rpm: FloatArray, settled: NDArray[np.bool_], step_s: float) -> FloatArray:
    """A pressure that shakes, averaged within each stretch of settled running: a one-sided fit would go by the noise's
    crests."""
    known = settled & np.isfinite(pressure_kpa)
    stretches = runs_of(known)
    if not stretches or not median_known(reading_error(pressure_kpa, rpm).kpa) > _SHAKES_KPA:
        return pressure_kpa
    at = np.flatnonzero(known)
    first, last = (np.repeat(ends, np.diff(stretches).ravel()) for ends in np.array(stretches).T)
    # As far to both sides, so that an engine speed that rises does not pull the middle along.
    half = np.minimum(np.minimum(at - first, last - 1 - at), round(0.5 * _STEADIED_S / max(step_s, 1e-3)))
    sums = np.concatenate([[0.0], np.cumsum(np.where(known, pressure_kpa, 0.0))])
    steady = pressure_kpa.copy()
    steady[at] = (sums[at + half + 1] - sums[at - half]) / (2 * half + 1)
    return steady


def _within_steps(start_kpa: FloatArray, read_kpa: FloatArray, half_kpa: float, reach: int) -> FloatArray:
    smooth = start_kpa
    for _ in range(_TURNS):
        smooth = np.clip(parabola_about(smooth, reach), read_kpa - half_kpa, read_kpa + half_kpa)
    return smooth


def _weights(reach: int) -> tuple[FloatArray, FloatArray]:
    """Weights of a local mean and of a local parabola's middle, over ``reach`` samples to either side (1 − u²,
    Epanechnikov)."""
    u = np.arange(-reach, reach + 1) / (reach + 1)
    mean = 1.0 - u**2
    area, second, fourth = (float(np.sum(mean * u**k)) for k in (0, 2, 4))
    return mean / area, mean * (fourth - second * u**2) / (area * fourth - second**2)


def _left(weights: FloatArray, alike: float) -> float:
    """What a weighted sum leaves of noise of which one reading's is like the next's."""
    apart = np.abs(np.arange(1 - weights.size, weights.size))
    return float(np.sqrt(np.sum(np.correlate(weights, weights, "full") * alike**apart)))


def parabola_about(values: FloatArray, reach: int) -> FloatArray:
    """The middle of a parabola about each value; the local mean of what is there beside gaps and at the ends."""
    if values.size <= 2 * reach + 1:
        return values
    mean, parabola = _weights(reach)
    known = np.isfinite(values)
    filled = np.where(known, values, 0.0)
    there = np.convolve(known.astype(np.float64), mean, "same")
    smooth = np.convolve(filled, parabola, "same")
    if float(there[known].min(initial=1.0)) < 1.0 - 1e-9:
        local_mean = np.convolve(filled, mean, "same") / np.maximum(there, 1e-9)
        smooth = np.where(there < 1.0 - 1e-9, local_mean, smooth)
    return np.where(known, smooth, np.nan)
