"""The hold test: does a charged, closed accumulator keep its pressure, with the gas's cooling allowed for?"""

from __future__ import annotations

from dataclasses import dataclass

from basso.errors import InputError
from basso.units import STANDARD_ATMOSPHERE_KPA

_KELVIN = 273.15


@dataclass(frozen=True, slots=True)
class Held:
    """What a hold test shows: kPa that cooling alone would leave, and kPa lost beyond that (less than 0: gained)."""

    expected_kpa: float
    lost_kpa: float


def hold_test(
    start_kpa: float, start_c: float, end_kpa: float, end_c: float, air_kpa: float = STANDARD_ATMOSPHERE_KPA
) -> Held:
    """Pressure lost by leaking: at constant volume the absolute pressure falls with the absolute temperature
    (Gay-Lussac).

    Args:
        start_kpa, end_kpa: gauge pressures when the valve was closed and at the end.
        start_c, end_c: temperature of the bottle then, not of the oil.
        air_kpa: the day's atmosphere.

    Raises:
        InputError: a pressure below vacuum, or a temperature that no bottle has.
    """
    for value, name, low, high in (
        (start_kpa, "pressure at the start", -air_kpa, 5000.0),
        (end_kpa, "pressure at the end", -air_kpa, 5000.0),
        (start_c, "temperature at the start", -60.0, 200.0),
        (end_c, "temperature at the end", -60.0, 200.0),
    ):
        if not low < value < high:
            raise InputError(f"The {name} cannot be {value:g}; read it again.")
    expected = (start_kpa + air_kpa) * (end_c + _KELVIN) / (start_c + _KELVIN) - air_kpa
    return Held(expected, expected - end_kpa)
