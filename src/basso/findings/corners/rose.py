"""The oil rose: which way the oil was thrown, how hard, and the least of normal that was seen there."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from basso.analysis import Analysis
from basso.pressure.slosh import felt
from basso.recording.gaps import or_zero
from basso.units import FloatArray

SECTORS = 24
RING_G = 0.2
_LEAST_SAMPLES_S = 0.3
_LEAST_G = 0.3


@dataclass(frozen=True, slots=True, eq=False)
class Rose:
    """Sectors × rings of what the oil felt.

    Attributes:
        share: shape (sectors, rings), the least share of normal seen (its 5th percentile); NaN where the oil hardly
            was.
        seconds: shape (sectors, rings), how long it was there.

    Sector 0 is thrown to the nose (braking), a quarter further to the right (a left turn); ring k is from k to k + 1
    times :data:`RING_G`.
    """

    share: FloatArray
    seconds: FloatArray


def oil_rose(a: Analysis) -> Rose | None:
    """The rose of a session; None without both g, without g to speak of, or where nothing is expected.

    A g that is missing is not nothing: what it did would be drawn as if the other had.
    """
    if a.lateral_g is None or a.longitudinal_g is None:
        return None
    use = a.judged & np.isfinite(a.share)
    if not use.any():
        return None
    step = float(np.median(np.diff(a.time_s)))
    # Oil goes the other way than the car: left turn to the right, braking to the nose.
    right = felt(or_zero(a.lateral_g), step)
    nose = -felt(or_zero(a.longitudinal_g), step)
    size, angle = np.hypot(right, nose)[use], np.arctan2(right, nose)[use]
    if float(np.percentile(size, 99.9)) < _LEAST_G:
        return None
    sector = np.round(angle / (2.0 * np.pi) * SECTORS).astype(int) % SECTORS
    rings = max(1, int(np.ceil(np.percentile(size, 99.9) / RING_G)))
    ring = np.minimum((size / RING_G).astype(int), rings - 1)
    share, cell = a.share[use], sector * rings + ring
    order = np.argsort(cell, kind="stable")
    counts = np.bincount(cell, minlength=SECTORS * rings)
    least = np.full(SECTORS * rings, np.nan)
    for c, part in zip(np.flatnonzero(counts), np.split(share[order], np.cumsum(counts[counts > 0])[:-1]), strict=True):
        if part.size * step >= _LEAST_SAMPLES_S:
            least[c] = float(np.percentile(part, 5))
    seconds = counts.astype(np.float64) * step
    return Rose(least.reshape(SECTORS, rings), seconds.reshape(SECTORS, rings))
