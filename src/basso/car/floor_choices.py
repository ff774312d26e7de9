"""The owner's choice of floors and lines, read from the garage."""

from __future__ import annotations

from contextlib import suppress
from types import MappingProxyType

from basso.car.history import CarHistory
from basso.errors import InputError
from basso.garage.records import FloorChoice
from basso.pressure.floors import Fixed, Floor, Less, Slope, parse_floor
from basso.units import UNITS

_PSI_KPA = UNITS["psi"].to_base(1.0)
LINES = MappingProxyType({"target": "Design target", "act_now": "Act now", "alarm": "Alarm"})
"""The three lines by their field, and what each is called."""
USUAL_LINES: MappingProxyType[str, Floor] = MappingProxyType(
    {
        "target": Slope(10.0 * _PSI_KPA, 10.0 * _PSI_KPA),
        "act_now": Fixed(40.0 * _PSI_KPA),
        "alarm": Less(6.5 * _PSI_KPA),
    }
)
"""Where each begins (defaults): the full per-thousand rule; a back-off line of 40 psi; 5 to 8 psi under normal."""


def choice_in_force(history: CarHistory, day: str = "9999") -> FloorChoice | None:
    """The owner's newest choice that holds on a day; None where none was made."""
    held = sorted((c for c in history.floors if c.since[:10] <= day[:10]), key=lambda c: c.since)
    return held[-1] if held else None


def floors_of(choice: FloorChoice | None) -> tuple[Floor, ...]:
    """What sessions are judged by; a rule that cannot be read (written by another Basso) is passed over."""
    found = []
    for text in choice.floors if choice is not None else ():
        with suppress(InputError):
            found.append(parse_floor(text))
    return tuple(found)


def lines_of(choice: FloorChoice | None) -> tuple[tuple[str, Floor], ...]:
    """The lines that were chosen: what each is called, and the floor."""
    found = []
    for field, name in LINES.items():
        with suppress(InputError):
            if choice is not None and getattr(choice, field):
                found.append((name, parse_floor(getattr(choice, field))))
    return tuple(found)
