"""A sensor read against known pressures: the line through the points, what is left over, and whether a line is right at
all."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from basso.errors import InputError
from basso.units import DisplayUnits, FloatArray, Quantity, digits_of

_BENT = 3.0
_LEAST_BEND = 0.01
"""A bend is told where it is three times its own doubt and 1 % of the span (default)."""
_OFF = 0.005
_SPAN_KPA = 100.0


@dataclass(frozen=True, slots=True, eq=False)
class CalibrationLine:
    """read = zero + gain · applied.

    Attributes:
        applied_kpa, read_kpa: the points, shape (n,), as taken; read as the logger would show it.
        gain: of kPa read to kPa applied; ``gain_error``: half of its 95 % interval, NaN with two points.
        zero_kpa: read at none; ``zero_error``: half of its 95 % interval.
        residual_kpa: read less the line, shape (n,).
        bent: the points lie on a bend, not on a line: no single factor puts them right.
        sticks_kpa: how far going up and coming down read apart at the same pressure; None where it was not tried.
    """

    applied_kpa: FloatArray
    read_kpa: FloatArray
    gain: float
    gain_error: float
    zero_kpa: float
    zero_error: float
    residual_kpa: FloatArray
    bent: bool
    sticks_kpa: float | None

    @property
    def worst_kpa(self) -> float:
        """The furthest point from the line."""
        return float(np.abs(self.residual_kpa).max())

    @property
    def is_off(self) -> bool:
        """True where the scale is surely another than it should be, by half a percent and more."""
        apart = abs(self.gain - 1.0)
        return bool(not self.bent and np.isfinite(self.gain_error) and apart > max(_OFF, self.gain_error))


def fit_line(
    points: Sequence[tuple[float, float]],
    volts: bool = False,
    range_kpa: tuple[float | None, float | None] = (None, None),
    range_v: tuple[float | None, float | None] = (None, None),
) -> CalibrationLine:
    """Least squares of what was read on what was applied.

    Args:
        points: (applied kPa, what was read: kPa as logged, or V).
        volts: it was read in V; then the sensor's range and output turn it into kPa as the logger does.
        range_kpa, range_v: of the sensor.

    Raises:
        InputError: fewer than two pressures, or volts without the sensor's range and output.
    """
    if len(points) < 2 or len({a for a, _ in points}) < 2:
        raise InputError("A line needs readings at two pressures at least, better at five, up and down again.")
    applied, read = (np.array(side, dtype=np.float64) for side in zip(*points, strict=True))
    if volts:
        (low, high), (low_v, high_v) = range_kpa, range_v
        if low is None or high is None or low_v is None or high_v is None or high_v == low_v:
            raise InputError("Read in V, the sensor's card must say its range and its output at both ends of it.")
        read = low + (read - low_v) * (high - low) / (high_v - low_v)
    middle = applied.mean()
    spread = float(np.sum((applied - middle) ** 2))
    gain = float(np.sum((applied - middle) * (read - read.mean())) / spread)
    zero = float(read.mean() - gain * middle)
    residual = read - zero - gain * applied
    gain_error = zero_error = float("nan")
    n = applied.size
    if n > 2:
        from scipy.special import stdtrit  # slow to load, and wanted here only

        scatter = float(np.sqrt(np.sum(residual**2) / (n - 2)))
        sure = float(stdtrit(n - 2, 0.975)) * scatter
        gain_error = sure / float(np.sqrt(spread))
        zero_error = sure * float(np.sqrt(1.0 / n + middle**2 / spread))
    return CalibrationLine(
        applied_kpa=applied,
        read_kpa=read,
        gain=gain,
        gain_error=gain_error,
        zero_kpa=zero,
        zero_error=zero_error,
        residual_kpa=residual,
        bent=_is_bent(applied, residual),
        sticks_kpa=_sticks(applied, residual),
    )


def _is_bent(applied: FloatArray, residual: FloatArray) -> bool:
    """A second-order term that is there beyond chance and worth a percent of the span."""
    if np.unique(applied).size < 4 or applied.size < 5:
        return False
    span = float(np.ptp(applied))
    x = (applied - applied.mean()) / span
    design = np.column_stack([np.ones_like(x), x, x * x])
    fit, *_ = np.linalg.lstsq(design, residual, rcond=None)
    left = residual - design @ fit
    doubt = float(np.sqrt(np.sum(left**2) / max(applied.size - 3, 1) * np.linalg.inv(design.T @ design)[2, 2]))
    bend = abs(float(fit[2])) / 8.0  # a parabola over the span lies an eighth of its term on either side of a line
    return bool(bend > _LEAST_BEND * span and abs(float(fit[2])) > _BENT * doubt)


def _sticks(applied: FloatArray, residual: FloatArray) -> float | None:
    """Largest distance between going up and coming down at one pressure."""
    top = int(np.argmax(applied))
    up, down = (
        dict(zip(applied[: top + 1], residual[: top + 1], strict=True)),
        dict(zip(applied[top + 1 :], residual[top + 1 :], strict=True)),
    )
    both = [abs(float(up[p] - down[p])) for p in up.keys() & down.keys()]
    return max(both) if both else None


def calibration_words(line: CalibrationLine, units: DisplayUnits) -> str:
    """What a calibration found, in sentences, in the units shown."""

    unit = units.unit(Quantity.PRESSURE)

    def pressure(kpa: float) -> str:
        # A digit more than of a reading: what is left over is small.
        return f"{unit.difference_from_base(kpa):.{digits_of(unit) + 1}f} {unit.symbol}".replace("-", "−")

    n = line.applied_kpa.size
    if n == 2:
        said = (
            f"Two points make a line and prove nothing: {line.gain:.3f} of what is applied. Take five, up "
            "and down again."
        )
    elif line.bent:
        said = (
            f"The points lie on a bend, up to {pressure(line.worst_kpa)} off a line: no single factor puts "
            "this sensor right."
        )
    else:
        sure = "its scale is off" if line.is_off else "its scale is sound"
        said = (
            f"Reads {line.gain:.3f} ± {line.gain_error:.3f} of what is applied: {sure}. "
            f"The furthest of {n} points is {pressure(line.worst_kpa)} off the line."
        )
    said += f" At no pressure it reads {pressure(line.zero_kpa)}; the zero is taken from each log itself."
    if line.sticks_kpa is not None and line.sticks_kpa > 0.01 * float(np.ptp(line.applied_kpa)):
        said += f" Going up and coming down it reads {pressure(line.sticks_kpa)} apart: it sticks."
    if float(np.ptp(line.applied_kpa)) < _SPAN_KPA:
        said += f" The points span only {pressure(float(np.ptp(line.applied_kpa)))}: beyond them nothing is known."
    return said
