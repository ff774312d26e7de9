"""A warning device's line as a table of plain numbers, for whatever a gauge takes."""

from __future__ import annotations

import csv
import io

from basso.alarm.rules import AlarmRule
from basso.units import DisplayUnits, Quantity


def alarm_csv(rule: AlarmRule, units: DisplayUnits) -> str:
    """Rows of rpm and gauge pressure in the reader's units, with what else the device is set to above them."""
    unit = units.pressure.symbol
    out = io.StringIO()
    rows = csv.writer(out, lineterminator="\n")
    rows.writerow(["silent under [rpm]", f"{rule.gate_rpm:.0f}"])
    rows.writerow(["shows after [s]", f"{rule.delay_s:g}"])
    rows.writerow([f"goes out so much over the line [{unit}]", _number(rule.hysteresis_kpa, units)])
    act = rule.points if rule.caution_points is not None else None
    rows.writerow(["rpm", f"shows under [{unit}]", *([f"stays on under [{unit}]"] if act is not None else [])])
    for n, (rpm, kpa) in enumerate(rule.first_shown.points):
        rows.writerow([f"{rpm:.0f}", _number(kpa, units), *([_number(act[n][1], units)] if act is not None else [])])
    return out.getvalue()


def _number(kpa: float, units: DisplayUnits) -> str:
    return units.number(kpa, Quantity.PRESSURE)
