"""The valve between accumulator and gallery: a plain one that stays open, or a check valve with a pressure switch."""

from __future__ import annotations

from dataclasses import dataclass

from basso.errors import InputError
from basso.sentence import in_kpa, phrase

SHUTS_OVER_KPA = 15.0
"""How far over its trigger a pressure switch shuts again (the contract's)."""
RUNNING_RPM = 250.0
"""Under this the engine is stopped or being cranked: a switch fed by the ignition's running circuit is off."""


@dataclass(frozen=True, slots=True)
class Valve:
    """How oil gets out. It gets in through any valve that is open, and through a check valve always.

    Attributes:
        trigger_kpa: the gallery pressure under which the switch opens; None for a plain valve that stands open.
        shuts_over_kpa: by how much more it shuts again.
    """

    trigger_kpa: float | None = None
    shuts_over_kpa: float = SHUTS_OVER_KPA

    @property
    def shuts_kpa(self) -> float | None:
        """Where it shuts; None for a plain valve."""
        return self.trigger_kpa + self.shuts_over_kpa if self.trigger_kpa is not None else None


@dataclass(frozen=True, slots=True)
class Line:
    """What is lost between bottle and gallery, kPa at 20 L/min; it goes with the square of the flow.

    Attributes:
        out_kpa: on the way to the gallery; ``in_kpa``: on the way back, where a restrictor is in it.
    """

    out_kpa: float = 20.0
    in_kpa: float = 20.0


def checked(valve: Valve, line: Line) -> tuple[Valve, Line]:
    """Both, if there can be such.

    Raises:
        InputError: a value that no valve or line has.
    """
    for value, name, low, high in (
        (valve.trigger_kpa, "trigger", 0.0, 2000.0),
        (valve.shuts_over_kpa, "switch's span", 0.0, 500.0),
        (line.out_kpa, "line's loss", 0.0, 5000.0),
        (line.in_kpa, "refilling loss", 0.0, 100_000.0),
    ):
        if value is not None and not low <= value <= high:
            raise InputError(
                phrase("The {} cannot be {}; it lies between {:bare} and {}.", name, *map(in_kpa, (value, low, high)))
            )
    return valve, line
