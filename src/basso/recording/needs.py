"""What each channel is needed for, and what it costs when it is missing."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Cost:
    """A missing channel and what cannot be done, or not as well, without it.

    Attributes:
        role: the role's name.
        what: as people say it.
        cost: in words that follow "no …: ".
        weight: 2 when nothing can be judged, 1 when verdicts are weaker, 0 when another channel stands in.
    """

    role: str
    what: str
    cost: str
    weight: int


def costs(has: Callable[[str], bool]) -> list[Cost]:
    """What is missing in a log, the dearest first.

    Args:
        has: tells whether a role (by name) is there.
    """
    path = (has("latitude") and has("longitude")) or (has("position_x") and has("position_y"))
    found: list[Cost] = []

    def missing(role: str, what: str, cost: str, weight: int) -> None:
        if not has(role):
            found.append(Cost(role, what, cost, weight))

    missing("oil_pressure", "oil pressure", "nothing can be judged", 2)
    missing("rpm", "engine speed", "nothing can be judged", 2)
    missing(
        "oil_temp",
        "oil temperature",
        "% of normal is by engine speed and calm running, and hot oil cannot be told from worn parts",
        1,
    )
    if path:
        missing("lateral_g", "lateral g", "it is taken from the path, which is coarser", 0)
    else:
        missing("lateral_g", "lateral g", "left and right turns cannot be told apart", 1)
    if has("speed"):
        missing("longitudinal_g", "longitudinal g", "it is taken from the speed, which is coarser", 0)
    else:
        missing("longitudinal_g", "longitudinal g", "braking and acceleration cannot be told apart", 1)
    if not has("distance"):
        missing("speed", "speed", "dips have no place on the circuit", 1)
    if path:
        missing("lap", "lap number", "laps are found from the path", 0)
    elif has("lateral_g") and has("speed"):
        missing("lap", "lap number", "laps are found from the repeated pattern of g and speed", 0)
    else:
        missing("lap", "lap number", "there are no laps to compare", 1)
    return sorted(found, key=lambda c: -c.weight)
