"""Which unit a channel without one is most likely in, judged by its values.

Ranges are those an engine on land can show: gallery pressure up to about 12 bar, oil up to about 160 °C,
a few g. The assumption is always reported; it is never silent.
"""

from __future__ import annotations

from types import MappingProxyType

import numpy as np

from basso.recording.roles import QUANTITY_OF, Role
from basso.units import UNITS, FloatArray, Quantity, Unit, base_unit


def _some(values: FloatArray) -> FloatArray:
    """A few thousand values spread over the log: enough for a percentile."""
    few = values[:: max(1, values.size // 8000)]
    return few[np.isfinite(few)]


def assume_unit(role: Role, values: FloatArray) -> Unit:
    """The unit in which ``values`` make sense for ``role``.

    Pressure whose 95th percentile is up to 14 is bar, up to 170 psi, above kPa (Pa above 5000). Temperature
    above 155 is °F (or K above 320). Acceleration whose 99th percentile exceeds 4 is m/s². Speed above
    100 is km/h (a car seldom exceeds 100 m/s). Everything else: the base unit.
    """
    quantity = QUANTITY_OF[role]
    known = _some(values)
    if quantity is None or known.size == 0:
        return base_unit(quantity) if quantity else UNITS["%"]
    if quantity is Quantity.PRESSURE:
        top = float(np.percentile(known, 95))
        for limit, symbol in ((14.0, "bar"), (170.0, "psi"), (5000.0, "kPa")):
            if top <= limit:
                return UNITS[symbol]
        return UNITS["Pa"]
    if quantity is Quantity.TEMPERATURE:
        top = float(np.percentile(known, 95))
        return UNITS["K"] if top > 320.0 else UNITS["°F"] if top > 155.0 else UNITS["°C"]
    if quantity is Quantity.ACCELERATION:
        top = float(np.percentile(np.abs(known), 99))
        return UNITS["m/s²"] if top > 4.0 else UNITS["g"]
    if quantity is Quantity.SPEED:
        return UNITS["km/h"] if float(np.percentile(known, 99)) > 62.0 else UNITS["m/s"]
    if quantity is Quantity.ROTATION:
        return UNITS["krpm"] if float(np.percentile(known, 99)) < 25.0 else UNITS["rpm"]
    return base_unit(quantity)


PLAUSIBLE: MappingProxyType[Role, tuple[float, float]] = MappingProxyType(
    {
        Role.RPM: (0.0, 16000.0),
        Role.OIL_PRESSURE: (0.0, 1000.0),
        Role.OIL_TEMP: (0.0, 160.0),
        Role.LATERAL_G: (-3.0, 3.0),
        Role.LONGITUDINAL_G: (-3.0, 2.0),
        Role.VERTICAL_G: (-3.0, 4.0),
        Role.SPEED: (0.0, 90.0),
        Role.LATITUDE: (-90.0, 90.0),
        Role.LONGITUDE: (-180.0, 180.0),
        Role.COOLANT_TEMP: (0.0, 130.0),
        Role.AIR_TEMP: (-30.0, 80.0),
        Role.AIR_PRESSURE: (50.0, 110.0),
        Role.ACCUMULATOR_PRESSURE: (0.0, 1400.0),
        Role.PRESSURE_PUMP_OUT: (0.0, 1400.0),
        Role.PRESSURE_COOLER_OUT: (0.0, 1400.0),
        Role.PRESSURE_FILTER_OUT: (0.0, 1400.0),
        Role.THROTTLE: (0.0, 100.0),
        Role.FUEL_LEVEL: (0.0, 120.0),
    }
)
"""Where a channel's values lie in an engine or car that runs, in base units. For the eye and for doubt, never for
cutting."""


def doubt_about(role: Role, unit: Unit | None, values: FloatArray) -> str:
    """What speaks against a role and unit, in words that follow the channel's name; "" when nothing does.

    Only what no sound channel shows through most of a drive, since a failing engine must not be explained away.
    """
    known = _some(values)
    if known.size < 20 or unit is None or role not in PLAUSIBLE:
        return ""
    base = unit.to_base(known)
    low, high = PLAUSIBLE[role]
    top, bottom = float(np.percentile(base, 95)), float(np.percentile(base, 5))
    if role is Role.OIL_PRESSURE and unit.symbol in ("psi", "kPa") and 2.0 < float(np.percentile(known, 95)) <= 14.0:
        return f"never goes over {float(known.max()):.3g} {unit.symbol}, which would suit bar; check its unit"
    if role is Role.OIL_PRESSURE and top < 20.0:
        return "reads next to nothing throughout; check sensor, wiring and unit"
    if role is Role.OIL_TEMP and unit.symbol == "°F" and 75.0 < float(np.percentile(known, 95)) < 145.0:
        return f"never goes over {float(known.max()):.0f} °F; as °C it would be a warm engine; check its unit"
    if role is Role.RPM and top < 400.0:
        return "never reaches an engine's idle; check column and unit"
    if float(np.ptp(base)) == 0.0 and role in (Role.OIL_PRESSURE, Role.RPM, Role.OIL_TEMP, Role.LATERAL_G):
        return "never changes; check sensor and wiring"
    if role is Role.ACCUMULATOR_PRESSURE or role is Role.AIR_PRESSURE:
        return ""
    span = high - low
    if top > high + 0.5 * span or bottom < low - 0.5 * span:
        return f"lies outside what {role.words} can be for much of the log; check column and unit"
    return ""


def contradicts(role: Role, unit: Unit, values: FloatArray) -> Unit | None:
    """The unit the values speak for when the stated one cannot be right, else None.

    Only for what no engine can show: oil pressure held over 16 bar, oil over 200 °C, 6 g and more held by a car.
    """
    known = _some(values)
    quantity = QUANTITY_OF[role]
    if known.size == 0 or quantity is None:
        return None
    base = unit.to_base(known)
    if role is Role.OIL_PRESSURE and float(np.percentile(base, 95)) > 1600.0 and unit.symbol != "Pa":
        guess = assume_unit(role, known)
        return guess if guess.symbol != unit.symbol else None
    if quantity is Quantity.TEMPERATURE and unit.symbol == "°C" and float(np.percentile(base, 95)) > 190.0:
        return UNITS["°F"]
    if quantity is Quantity.ACCELERATION and unit.symbol == "g" and float(np.percentile(np.abs(base), 99)) > 5.0:
        return UNITS["m/s²"]
    return None
