"""Readings written down off a gauge, as a small CSV file like any other log."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass

from basso.errors import InputError
from basso.formats.assemble import MANUAL_KIND
from basso.recording.plausible import PLAUSIBLE
from basso.recording.roles import Role
from basso.units import Unit


@dataclass(frozen=True, slots=True)
class Triple:
    """One reading, in the units it was read in; the temperature may be missing."""

    rpm: float
    pressure: float
    temperature: float | None
    remark: str = ""


def gauge_csv(
    triples: Sequence[Triple], pressure: Unit, temperature: Unit, facts: Sequence[tuple[str, str]] = ()
) -> bytes:
    """The readings as a file that reads back as a recording of gauge readings.

    Raises:
        InputError: fewer than two readings, or one that no engine shows (a slip of the pen), naming it.
    """
    if len(triples) < 2:
        raise InputError("Fill in at least two readings with rpm and oil pressure.")
    for i, t in enumerate(triples):
        for role, value, unit in (
            (Role.RPM, t.rpm, None),
            (Role.OIL_PRESSURE, t.pressure, pressure),
            (Role.OIL_TEMP, t.temperature, temperature),
        ):
            if value is None:
                continue
            low, high = PLAUSIBLE[role]
            base = unit.to_base(value) if unit is not None else value
            if not low <= base <= 1.5 * high:
                raise InputError(
                    f"Reading {i + 1}: {value:g} {unit.symbol if unit is not None else 'rpm'} is no "
                    f"{role.words} an engine shows; "
                    "look at the number and the unit."
                )
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["Kind", MANUAL_KIND])
    writer.writerows([*facts, []])
    writer.writerow(
        [
            "Reading",
            "Engine speed [rpm]",
            f"Oil pressure [{pressure.symbol}]",
            f"Oil temperature [{temperature.symbol}]",
            "Remark",
        ]
    )
    for i, t in enumerate(triples):
        heat = "" if t.temperature is None else repr(t.temperature)
        writer.writerow([i + 1, repr(t.rpm), repr(t.pressure), heat, t.remark.replace("\n", " ")])
    return out.getvalue().encode()
