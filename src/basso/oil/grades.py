"""Oil grades and their data-sheet viscosities."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from importlib import resources
from types import MappingProxyType

from basso.errors import InputError


@dataclass(frozen=True, slots=True)
class Grade:
    """An oil by its label: kinematic viscosity in mm²/s at 40 °C and at 100 °C."""

    name: str
    at_40_mm2ps: float
    at_100_mm2ps: float


@cache
def grades() -> Mapping[str, Grade]:
    """The shipped table of typical grades, by name."""
    table = tomllib.loads(resources.files("basso.oil").joinpath("grades.toml").read_text(encoding="utf-8"))
    return MappingProxyType({name: Grade(name, row["at_40"], row["at_100"]) for name, row in table.items()})


def usual() -> Grade:
    """What is taken where the oil is not known: between the grades people race on (default)."""
    return grades()["10W-40"]


def parse_oil(text: str) -> Grade:
    """Read ``10W-40``, or measured viscosities at 40 and 100 °C in mm²/s, ``93,14.1``.

    Raises:
        InputError: neither; the sentence shows both forms.
    """
    if "," not in text:
        return grade(text.strip())
    try:
        cold, hot = (float(v) for v in text.split(","))
    except ValueError:
        raise InputError(f"'{text}' is no oil; name a grade, or two viscosities in mm²/s like 93,14.1.") from None
    return measured(cold, hot, "measured")


def measured(at_40_mm2ps: float, at_100_mm2ps: float, name: str) -> Grade:
    """An oil as a laboratory found it.

    Raises:
        InputError: viscosities that no oil has, or a viscosity that rises with heat.
    """
    if not 2.0 < at_100_mm2ps < at_40_mm2ps < 2000.0:
        raise InputError(
            f"Viscosities of {at_40_mm2ps:g} mm²/s at 40 °C and {at_100_mm2ps:g} at 100 °C belong to no "
            "oil; the first is the greater one."
        )
    return Grade(name, at_40_mm2ps, at_100_mm2ps)


def grade(name: str) -> Grade:
    """One grade of the shipped table; raises InputError with the known names."""
    table = grades()
    if name not in table:
        raise InputError(f"'{name}' is no oil grade Basso knows; use one of {', '.join(table)}.")
    return table[name]
