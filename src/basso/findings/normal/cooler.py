"""What a cooler gains in pressure by cooling the oil, and what it takes itself."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from basso.analysis import Analysis
from basso.normal.warmup import Heating
from basso.oil.viscosity import walther
from basso.oilway.drops import find_drops

_TYPICAL_DROP_KPA = (20.0, 70.0)
"""Taken by a cooler with its lines at racing speed (default, where it is not measured: 3 to 10 psi)."""


@dataclass(frozen=True, slots=True)
class CoolerTrade:
    """At racing speed: oil held at a temperature instead of where it settles by itself.

    Attributes:
        from_c, to_c: the two temperatures.
        gain_kpa: that normal rises by.
        drop_kpa: what the cooler takes, from and to; ``measured``: from pressures logged on both sides of it.
    """

    from_c: float
    to_c: float
    gain_kpa: float
    drop_kpa: tuple[float, float]
    measured: bool

    @property
    def net_kpa(self) -> tuple[float, float]:
        """What is left of the gain in the gallery, from and to; a cooler that is fitted already has taken its part."""
        return self.gain_kpa - self.drop_kpa[1], self.gain_kpa - self.drop_kpa[0]


def cooler_trade(a: Analysis, rpm: float, found: Heating | None, target_c: float) -> CoolerTrade | None:
    """Cooling to ``target_c`` at racing speed; None where the oil stays under it by itself, or where it settles is not
    known."""
    e = a.expected
    if found is None or found.steady_c is None or found.steady_c <= target_c + 0.5 or e.temperature_range_c is None:
        return None
    hot, cooled = (float(v) for v in e.at(np.full(2, rpm), np.array([found.steady_c, target_c])))
    if not np.isfinite(hot):
        return None
    drop = next((d for d in find_drops(a.corrected, a.options.oil) if d.parts == "cooler"), None)
    if drop is None:
        return CoolerTrade(found.steady_c, target_c, cooled - hot, _TYPICAL_DROP_KPA, False)
    thick = float(walther(a.options.oil).viscosity_mm2ps(np.array([target_c]))[0])
    taken, error = drop.at(rpm, thick), 1.645 * drop.error_kpa
    return CoolerTrade(found.steady_c, target_c, cooled - hot, (max(taken - error, 0.0), taken + error), True)
