"""Oil grades and their data-sheet viscosities."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass
from importlib import resources

from basso.errors import InputError


@dataclass(frozen=True, slots=True)
class Grade:
    """An oil by its label: kinematic viscosity in mm²/s at 40 °C and at 100 °C."""

    name: str
    at_40_mm2ps: float
    at_100_mm2ps: float


def grades() -> dict[str, Grade]:
    """The shipped table of typical grades, by name."""
    table = tomllib.loads(resources.files("basso.oil").joinpath("grades.toml").read_text(encoding="utf-8"))
    return {name: Grade(name, row["at_40"], row["at_100"]) for name, row in table.items()}


def grade(name: str) -> Grade:
    """One grade of the shipped table; raises InputError with the known names."""
    table = grades()
    if name not in table:
        raise InputError(f"'{name}' is no oil grade Basso knows; use one of {', '.join(table)}.")
    return table[name]
