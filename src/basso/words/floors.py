"""A floor rule in words."""

from __future__ import annotations

from basso.pressure.floors import Fixed, Floor, Less, PointTable, Share, Slope
from basso.units import DisplayUnits, digits_of


def floor_words(floor: Floor, units: DisplayUnits) -> str:
    """A floor's rule in the reader's units."""
    unit = units.pressure.symbol
    digits = digits_of(units.pressure) + 1

    def plain(kpa: float) -> str:
        return f"{units.pressure.from_base(kpa):.{digits}f}"

    match floor:
        case Slope():
            base = f"{plain(floor.base_kpa)} + " if floor.base_kpa else ""
            return f"{base}{plain(floor.per_1000_kpa)} {unit} per 1000 rpm"
        case Fixed():
            return f"{plain(floor.kpa)} {unit} at any rpm"
        case Share():
            return f"{floor.fraction:.0%} of normal"
        case Less():
            return f"normal less {plain(floor.kpa)} {unit}"
        case PointTable():
            return "points " + ", ".join(f"{n:.0f} rpm {plain(p)} {unit}" for n, p in floor.points)
