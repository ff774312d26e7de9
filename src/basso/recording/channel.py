"""A channel: one measured quantity at its own times."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from basso.recording.roles import Role
from basso.units import FloatArray, Unit


def frozen(values: FloatArray) -> FloatArray:
    """Return the array marked read-only: recorded data is never changed in place."""
    values.flags.writeable = False
    return values


@dataclass(frozen=True, slots=True, eq=False)
class Channel:
    """One column of a log.

    Attributes:
        name: as the logger wrote it.
        role: what it means, or None when Basso does not know.
        unit: the unit the logger wrote it in; ``values`` are already in the base unit of its quantity.
        unit_assumed: True when the file did not say the unit.
        time_s: seconds from the first sample of the recording, ascending, shape (n,). Shared between
            channels that were sampled together.
        values: base-unit values, shape (n,), NaN where the logger wrote nothing.
        confidence: that role and unit are right, 0 to 1: 1 when the user said so.
        why: what role and unit were taken from, in words.
        doubt: what speaks against them, one sentence, or "".
        missing: samples with no value. Counted once: every resampling asks for it.
    """

    name: str
    role: Role | None
    unit: Unit | None
    unit_assumed: bool
    time_s: FloatArray
    values: FloatArray
    confidence: float = 1.0
    why: str = ""
    doubt: str = ""
    missing: int = field(init=False, repr=False)

    def __post_init__(self) -> None:
        if self.time_s.shape != self.values.shape:
            raise ValueError(f"{self.name}: {self.time_s.shape} times for {self.values.shape} values")
        frozen(self.values)
        frozen(self.time_s)
        # One quick pass says of most channels that none is missing.
        none = self.values.size and not np.isnan(self.values.min())
        object.__setattr__(self, "missing", 0 if none else int(np.count_nonzero(np.isnan(self.values))))

    @property
    def rate_hz(self) -> float | None:
        """Samples a second by the median step, or None with fewer than two samples."""
        return rate_of(self.time_s)


def rate_of(time_s: FloatArray) -> float | None:
    """Sampling rate in Hz by the median time step; None when there is none."""
    if time_s.size < 2:
        return None
    step = float(np.median(np.diff(time_s[: min(time_s.size, 20001)])))
    return 1.0 / step if step > 0 else None


def extremes(values: FloatArray) -> tuple[float, float]:
    """Least and most of the values that are there; NaN for none. The usual case, nothing missing, costs two quick
    passes."""
    if not values.size:
        return float("nan"), float("nan")
    low, high = float(values.min()), float(values.max())  # NaN as soon as one is
    if np.isnan(low) or np.isnan(high):
        return float(np.fmin.reduce(values)), float(np.fmax.reduce(values))
    return low, high
