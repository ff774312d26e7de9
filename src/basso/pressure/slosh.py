"""What the oil feels of a g: a body that sloshes."""

from __future__ import annotations

import numpy as np

from basso.units import FloatArray

USUAL_SLOSH = (0.6, 0.7)
"""Frequency in Hz and damping by which passes are told apart, whatever is found for them (default)."""
_FADED = 7.0
"""An answer that has decayed by e to this power is over."""


def felt(g: FloatArray, step_s: float, slosh: tuple[float, float] = USUAL_SLOSH) -> FloatArray:
    """The g that the oil feels, shape (n,): the logged one through a body that sloshes with a frequency (Hz) and
    damping under 1.

    Convolved with the answer of the damped oscillator ẍ + 2ζω·ẋ + ω²·x = ω²·g to a blow, e^(−ζωt)·sin(ω√(1−ζ²)·t), as
    far as it has not faded; before the first sample the g was what it is there. (A recursive filter would do, but the
    package that has one takes two seconds to load.)
    """
    if g.size == 0:
        return g
    w, damping = 2.0 * np.pi * slosh[0], slosh[1]
    taps = int(_FADED / (damping * w) / step_s)
    if taps < 3:  # the samples lie too far apart to show any slosh
        return g
    t = np.arange(min(taps, g.size)) * step_s
    answer = np.exp(-damping * w * t) * np.sin(w * np.sqrt(1.0 - damping * damping) * t)
    total = float(answer.sum()) or 1.0
    made: FloatArray = np.convolve(g - g[0], answer / total)[: g.size] + g[0]
    return made
