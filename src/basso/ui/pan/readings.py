"""The numbers at the cursor. (No Qt.)"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from basso.ui.plots.nearest import nearest
from basso.units import DisplayUnits, Quantity

if TYPE_CHECKING:
    from basso.analysis import Analysis

Q = Quantity


@dataclass(frozen=True, slots=True)
class Reading:
    """One line of the readings at the cursor."""

    name: str
    value: str
    unit: str
    low: bool = False


def readings(a: Analysis, time_s: float, units: DisplayUnits) -> list[Reading]:
    """The numbers at the cursor, at the nearest sample of the pressure."""
    i = nearest(a.time_s, time_s)
    p, t = units.pressure.symbol, units.temperature.symbol
    margin = float(a.pressure_kpa[i] - a.floor.kpa[i]) if a.judged[i] else float("nan")
    expected, floor = float(a.expected_kpa[i]), float(a.floor.kpa[i]) if a.judged[i] else float("nan")
    share = float(a.pressure_kpa[i]) / expected if a.rpm[i] > 300.0 else float("nan")
    rows = [
        Reading("Pressure", units.number(float(a.pressure_kpa[i]), Q.PRESSURE), p),
        Reading("Normal", units.number(expected if a.rpm[i] > 300.0 else float("nan"), Q.PRESSURE), p),
        Reading("Floor", units.number(floor, Q.PRESSURE), p),
        Reading(
            "% of normal",
            f"{100 * share:.0f}" if math.isfinite(share) else "–",
            "%",
            math.isfinite(share) and share < 0.7,
        ),
        Reading("Margin", units.number(margin, Q.PRESSURE, difference=True, signed=True), p, margin < 0),
        Reading("Engine", units.number(float(a.rpm[i]), Q.ROTATION), "rpm"),
    ]
    if a.temperature_c is not None:
        rows.append(Reading("Oil", units.number(float(a.temperature_c[i]), Q.TEMPERATURE), t))
    if a.lateral_g is not None and not np.isfinite(a.lateral_g[i]):
        rows.append(Reading("Lateral", "–", "g"))
    elif a.lateral_g is not None:
        side = float(a.lateral_g[i])
        way = f" {a.side.way('left')}" if side > 0.05 else f" {a.side.way('right')}" if side < -0.05 else ""
        rows.append(
            Reading("Lateral", f"{abs(side):.2f}{way}" if a.side.proven else f"{side:+.2f}".replace("-", "−"), "g")
        )
    if a.longitudinal_g is not None:
        rows.append(Reading("Longitudinal", units.number(float(a.longitudinal_g[i]), Q.ACCELERATION, signed=True), "g"))
    return rows
