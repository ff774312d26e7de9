"""What the oil feels of a g: a body that sloshes."""

from __future__ import annotations

import numpy as np

from basso.units import FloatArray

USUAL_SLOSH = (0.6, 0.7)
"""Frequency in Hz and damping by which passes are told apart, whatever is found for them (default)."""


def felt(g: FloatArray, step_s: float, slosh: tuple[float, float] = USUAL_SLOSH) -> FloatArray:
    """The g that the oil feels, shape (n,): the logged one through a body that sloshes with a frequency (Hz) and damping."""
    from scipy.signal import bilinear, lfilter, lfilter_zi

    w, damping = 2.0 * np.pi * slosh[0], slosh[1]
    b, a = bilinear([w * w], [1.0, 2.0 * damping * w, w * w], fs=1.0 / step_s)
    out, _ = lfilter(b, a, g, zi=lfilter_zi(b, a) * g[0])
    return np.asarray(out, dtype=np.float64)
