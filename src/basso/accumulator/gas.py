"""What an accumulator stores and delivers: the gas law in absolute pressure.

    (p_pre + p_air) · V_total^n = (p + p_air) · (V_total − V_oil)^n

n is 1 where the gas keeps its temperature (slowly) and goes toward 1.4 where it has no time to (quickly). Gauge
pressures at the edge, in kPa; volumes in L. Everything takes arrays where it takes a number.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeVar

import numpy as np

from basso.errors import InputError
from basso.sentence import Measured, phrase
from basso.units import STANDARD_ATMOSPHERE_KPA, FloatArray, Quantity

SETTLE_S = 5.0
"""A usual time for the gas of one to four litres at a few bar to come back to its bottle's temperature (default): some
7 g of gas against 0.1 m² of wall."""
SLOW, FAST = 1.0, 1.4
"""Exponents of a gas that keeps its temperature, and of one that exchanges no heat (dry nitrogen or air)."""
MOST_TOTAL_L, MOST_KPA = 50.0, 5000.0
KELVIN = 273.15
N = TypeVar("N", float, FloatArray)


@dataclass(frozen=True, slots=True)
class Bottle:
    """An accumulator.

    Attributes:
        total_l: its volume with no oil in it.
        precharge_kpa: of the gas with no oil in it, gauge, at ``set_c``.
        exponent: of its gas, from the precharge on, charging and discharging.
        set_c, gas_c: temperature of the gas when the precharge was set, and as it is driven.
        air_kpa: the day's atmosphere.
        friction_kpa: by which a piston's seals keep the oil's pressure from the gas's; 0 for a bladder.
        settle_s: in a replay, how long the gas takes to come back to the bottle's temperature: quick dips then meet a
            gas of exponent near :data:`FAST`, slow refills one near :data:`SLOW`. None: ``exponent`` throughout.
    """

    total_l: float
    precharge_kpa: float
    exponent: float = SLOW
    set_c: float = 20.0
    gas_c: float = 20.0
    air_kpa: float = STANDARD_ATMOSPHERE_KPA
    friction_kpa: float = 0.0
    settle_s: float | None = None

    @property
    def empty_kpa(self) -> float:
        """Absolute pressure of the gas with no oil in the bottle, as warm as it is driven (Gay-Lussac)."""
        return (self.precharge_kpa + self.air_kpa) * (self.gas_c + KELVIN) / (self.set_c + KELVIN)

    @property
    def precharge_driven_kpa(self) -> float:
        """Gauge pressure of the gas with no oil in, as warm as it is driven."""
        return self.empty_kpa - self.air_kpa


def checked(bottle: Bottle) -> Bottle:
    """The bottle, if there can be such a one.

    Raises:
        InputError: a value no accumulator has; the sentence names it.
    """
    for value, name, low, high, of in (
        (bottle.total_l, "total volume", 0.01, MOST_TOTAL_L, Quantity.VOLUME),
        (bottle.precharge_kpa, "precharge", 0.0, MOST_KPA, Quantity.PRESSURE),
        (bottle.exponent, "exponent", SLOW, 1.7, None),
        (bottle.set_c, "temperature at setting", -60.0, 200.0, Quantity.TEMPERATURE),
        (bottle.gas_c, "temperature of the gas", -60.0, 250.0, Quantity.TEMPERATURE),
        (bottle.air_kpa, "atmosphere", 30.0, 120.0, Quantity.PRESSURE),
        (bottle.friction_kpa, "friction", 0.0, 200.0, Quantity.PRESSURE),
        (SETTLE_S if bottle.settle_s is None else bottle.settle_s, "gas's time", 0.01, 1e4, Quantity.TIME),
    ):
        if not low <= value <= high:
            told = [Measured(v, of, 2) if of is not None else f"{v:g}" for v in (value, low, high)]
            raise InputError(phrase("The {} cannot be {}; it lies between {} and {}.", name, *told))
    return bottle


def stored_l(bottle: Bottle, pressure_kpa: N) -> N:
    """Oil in the bottle at a gas pressure (gauge); 0 at the precharge and under it."""
    ratio = bottle.empty_kpa / np.maximum(pressure_kpa + bottle.air_kpa, bottle.empty_kpa)
    made: N = bottle.total_l * (1.0 - ratio ** (1.0 / bottle.exponent))
    return made


def gas_kpa(bottle: Bottle, oil_l: N) -> N:
    """Gas pressure (gauge) with so much oil in; infinite where the oil fills it."""
    room = np.maximum(bottle.total_l - oil_l, 0.0)
    with np.errstate(divide="ignore"):
        made: N = bottle.empty_kpa * (bottle.total_l / room) ** bottle.exponent - bottle.air_kpa
    return made


def charged_l(bottle: Bottle, peak_kpa: N) -> N:
    """Oil taken in by a gallery at a pressure: what the seals hold back stays out."""
    return stored_l(bottle, peak_kpa - bottle.friction_kpa)


def usable_l(bottle: Bottle, peak_kpa: float, floor_kpa: float) -> float:
    """Oil it gives from a charge at ``peak_kpa`` while it holds the gallery at ``floor_kpa`` or over; 0 for none."""
    kept = stored_l(bottle, floor_kpa + bottle.friction_kpa)
    return float(max(charged_l(bottle, peak_kpa) - kept, 0.0))


def seconds_of_cover(oil_l: float, flow_lpm: float) -> float:
    """How long so much oil lasts at a flow; infinite where nothing flows."""
    return oil_l * 60.0 / flow_lpm if flow_lpm > 0.0 else float("inf")


def highest_floor_kpa(bottle: Bottle, peak_kpa: float, oil_l: float) -> float | None:
    """The highest pressure it still holds once it has given ``oil_l`` of a charge at ``peak_kpa``; None where it never
    holds so much."""
    left = float(charged_l(bottle, peak_kpa)) - oil_l
    if left < 0.0:
        return None
    return float(gas_kpa(bottle, left)) - bottle.friction_kpa


def curve(bottle: Bottle, peak_kpa: float, points: int = 21) -> tuple[FloatArray, FloatArray]:
    """Oil (L) and gas pressure (kPa gauge) from empty to a charge at ``peak_kpa``, ``points`` of each."""
    oil = np.linspace(0.0, float(stored_l(bottle, peak_kpa)), points)
    return oil, np.asarray(gas_kpa(bottle, oil))
