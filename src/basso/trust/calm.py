"""Where the oil was not thrown about: there the pressure is what engine speed and oil temperature make it."""

from __future__ import annotations

import numpy as np

from basso.recording.gaps import or_zero
from basso.recording.recording import Frame
from basso.recording.roles import Role
from basso.recording.rolling import rolling_max
from basso.units import FloatArray

BOTH_WAYS = (Role.LATERAL_G, Role.LONGITUDINAL_G)


def most_g(frame: Frame, grid_s: FloatArray, lasting_s: float, ways: tuple[Role, ...] = BOTH_WAYS) -> FloatArray:
    """The most g, either way, of the last ``lasting_s`` at evenly spaced times, shape of ``grid_s``; 0 where none is
    logged."""
    most = np.zeros(grid_s.size)
    if grid_s.size < 2:
        return most
    size = round(lasting_s / float(grid_s[1] - grid_s[0])) + 1
    for way in ways:
        values = frame.get(way)
        if values is not None:
            g = np.abs(np.interp(grid_s, frame.time_s, or_zero(values)))
            most = np.maximum(most, rolling_max(g, size, trailing=True))
    return most
