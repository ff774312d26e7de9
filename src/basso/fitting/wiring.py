"""A sensor's wiring: what current in a shared return does to the reading, and what is written down of it.

The sensor's output is measured against the logger's reference. Current in the return lifts the sensor's own ground by
``U = I · R``, and the logger reads that as pressure: ``error = I · R · (range ÷ output span)`` (Ohm).
"""

from __future__ import annotations

LEAST_TOLD_KPA = 3.0
"""As much as a zero may be off (default)."""


def ground_error_kpa(current_ma: float, resistance_ohm: float, range_kpa: float, span_v: float) -> float:
    """Pressure that is read too much, kPa.

    Args:
        current_ma: all that flows in the return, mA.
        resistance_ohm: of wire and joints from the sensor to the logger's reference.
        range_kpa: of the sensor; ``span_v``: its output from one end to the other.
    """
    return current_ma / 1000.0 * resistance_ohm * range_kpa / span_v
