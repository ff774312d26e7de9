"""The sample at a place in time. (No Qt.)"""

from __future__ import annotations

import numpy as np

from basso.units import FloatArray


def nearest(time_s: FloatArray, at_s: float) -> int:
    """Index of the sample nearest to a time."""
    i = int(np.searchsorted(time_s, at_s))
    if i <= 0:
        return 0
    if i >= time_s.size:
        return time_s.size - 1
    return i if time_s[i] - at_s < at_s - time_s[i - 1] else i - 1
