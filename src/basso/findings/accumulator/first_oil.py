"""Pre-oil: whether the gallery had pressure before the crank turned, from a bottle that was opened first."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from basso.analysis import Analysis

_TURNS_RPM, _STOPPED_RPM, _RUNS_RPM = 60.0, 20.0, 500.0
_BEFORE_S, _LEAST_S = 2.0, 1.0
PRE_OILED_KPA = 35.0
"""From this on the bearings have oil (default): what a factory warning switch opens at."""


@dataclass(frozen=True, slots=True)
class PreOil:
    """The first start in a log.

    Attributes:
        kpa: gallery pressure in the last second before the crank turned, in the middle.
        start_s: when it turned.
    """

    kpa: float
    start_s: float

    @property
    def is_pre_oiled(self) -> bool:
        """Whether there was pressure."""
        return self.kpa >= PRE_OILED_KPA


def pre_oil_of(a: Analysis) -> PreOil | None:
    """The first start that a log shows from the stopped engine on; None where it shows none."""
    turns = np.flatnonzero(a.rpm >= _TURNS_RPM)
    if not turns.size or not np.any(a.rpm[turns[0] :] >= _RUNS_RPM):
        return None
    start = float(a.time_s[turns[0]])
    before = (a.time_s >= start - _BEFORE_S) & (a.time_s < start)
    if start - float(a.time_s[0]) < _LEAST_S or not before.any() or float(a.rpm[before].max()) > _STOPPED_RPM:
        return None
    known = a.pressure_kpa[before & np.isfinite(a.pressure_kpa)]
    return PreOil(float(np.median(known)), start) if known.size else None
