"""Normal over engine speed alone, as it is drawn for a log without oil temperature; worked out without Qt."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from basso.pressure.floors import highest_floor
from basso.units import FloatArray

if TYPE_CHECKING:
    from basso.findings.normal.findings import NormalFindings
    from basso.units import DisplayUnits

_POINTS, _DOTS = 160, 1200


@dataclass(frozen=True, slots=True, eq=False)
class CurvePicture:
    """Normal by engine speed.

    Attributes:
        rpm: shape (k,); ``normal``, ``low``, ``high``, ``floor``: shape (k,), in the unit shown; NaN in the first three
            where it rests on no data.
        dots: shape (m, 2): rpm and pressure of calm running, as with the oil of the middle of the session.
        top: of the picture, in the unit shown; ``unit``: its symbol.
    """

    rpm: FloatArray
    normal: FloatArray
    low: FloatArray
    high: FloatArray
    floor: FloatArray
    dots: FloatArray
    top: float
    unit: str


def curve_picture(told: NormalFindings, units: DisplayUnits) -> CurvePicture | None:
    """The curve of a session whose normal is by engine speed alone; None for every other."""
    a, e = told.analysis, told.analysis.expected
    if not e.valid or e.temperature_range_c is not None:
        return None
    shown = units.pressure.from_base
    rpm = np.linspace(e.rpm_range[0], max(e.rpm_range[1], told.racing_rpm), _POINTS)
    kpa, (low, high) = e.at(rpm, None), e.interval(rpm, None)
    floor = highest_floor(a.options.floors, rpm, kpa).kpa
    rests = np.where(e.covers(rpm, None), 1.0, np.nan)
    calm = np.flatnonzero(a.settled & a.judged & np.isfinite(a.share))
    calm = calm[:: max(1, calm.size // _DOTS)]
    # What thicker oil added then is taken off: the share of normal stays, whatever the oil was like.
    dots = np.column_stack([a.rpm[calm], shown(a.share[calm] * e.at(a.rpm[calm], None))])
    top = 1.08 * float(np.nanmax(shown(np.concatenate([high, floor]))))
    normal, least, most = (shown(v * rests) for v in (kpa, low, high))
    return CurvePicture(
        rpm=rpm, normal=normal, low=least, high=most, floor=shown(floor), dots=dots, top=top, unit=units.pressure.symbol
    )
