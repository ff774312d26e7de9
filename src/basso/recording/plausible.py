"""Which unit a channel without one is most likely in, judged by its values.

Ranges are those an engine on land can show: gallery pressure up to about 12 bar, oil up to about 160 °C,
a few g. The assumption is always reported; it is never silent.
"""

from __future__ import annotations

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


def contradicts(role: Role, unit: Unit, values: FloatArray) -> Unit | None:
    """The unit the values speak for when the stated one cannot be right, else None.

    Only for what no engine can show: oil pressure over 30 bar, oil over 200 °C, 6 g and more held by a car.
    """
    known = _some(values)
    quantity = QUANTITY_OF[role]
    if known.size == 0 or quantity is None:
        return None
    base = unit.to_base(known)
    if role is Role.OIL_PRESSURE and float(np.percentile(base, 95)) > 2500.0 and unit.symbol != "Pa":
        guess = assume_unit(role, known)
        return guess if guess.symbol != unit.symbol else None
    if quantity is Quantity.TEMPERATURE and unit.symbol == "°C" and float(np.percentile(base, 95)) > 190.0:
        return UNITS["°F"]
    if quantity is Quantity.ACCELERATION and unit.symbol == "g" and float(np.percentile(np.abs(base), 99)) > 5.0:
        return UNITS["m/s²"]
    return None
