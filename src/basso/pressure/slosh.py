"""What the oil feels of a g: a body that sloshes."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from basso.units import FloatArray

USUAL_SLOSH = (0.6, 0.7)
"""Frequency in Hz and damping by which passes are told apart, whatever is found for them (default)."""


def felt(g: FloatArray, step_s: float, slosh: tuple[float, float] = USUAL_SLOSH) -> FloatArray:
    """The g that the oil feels, shape (n,): the logged one through a body that sloshes with a frequency (Hz) and damping."""
    from scipy.signal import lfilter

    b, a, start = _filter(*slosh, round(1.0 / step_s, 6))
    out, _ = lfilter(b, a, g, zi=start * g[0])
    return np.asarray(out, dtype=np.float64)


@lru_cache(maxsize=64)
def _filter(hz: float, damping: float, rate_hz: float) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Numerator, denominator and the state of standing still."""
    from scipy.signal import bilinear, lfilter_zi

    w = 2.0 * np.pi * hz
    b, a = bilinear([w * w], [1.0, 2.0 * damping * w, w * w], fs=rate_hz)
    return b, a, lfilter_zi(b, a)
