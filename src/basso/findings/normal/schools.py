"""The schools of floor side by side: what each would have flagged in one session."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from basso.analysis import Analysis
from basso.pressure.dips import find_dips
from basso.pressure.floors import SCHOOLS, Floor, School, highest_floor


@dataclass(frozen=True, slots=True)
class SchoolFinding:
    """What one school says of a session.

    Attributes:
        active: it is among the floors the session is judged by.
        dips, below_s: what it would flag by itself.
        at_hot_kpa: the floor at racing speed and the hottest oil; ``over_kpa``: expected pressure over it; None where
            nothing
            is expected.
    """

    school: School
    active: bool
    dips: int
    below_s: float
    at_hot_kpa: float | None
    over_kpa: float | None


def held_by_schools(a: Analysis, rpm: float, hot_c: float, chosen: Sequence[Floor] = ()) -> list[SchoolFinding]:
    """Judge a session by each school alone; ``chosen`` floors take the place of their school's default."""
    return _held(a, rpm, hot_c, _named(chosen))


def held_by_lines(a: Analysis, rpm: float, hot_c: float, lines: Sequence[tuple[str, Floor]]) -> list[SchoolFinding]:
    """Judge a session by each of the owner's lines alone: what it is called, and the floor."""
    return _held(
        a, rpm, hot_c, [(School(name, floor, "the owner's"), floor in a.options.floors) for name, floor in lines]
    )


def _held(a: Analysis, rpm: float, hot_c: float, schools: Sequence[tuple[School, bool]]) -> list[SchoolFinding]:
    speed = np.array([rpm])
    hot = a.expected.at(speed, np.array([hot_c]) if a.temperature_c is not None else None)
    found = []
    for school, active in schools:
        line = highest_floor([school.floor], a.followed_rpm, a.expected_kpa)
        dips = find_dips(a.time_s, a.pressure_kpa, line.kpa, a.expected_kpa, a.judged, a.error, a.options.rules)
        at_hot = float(school.floor.at(speed, hot)[0])
        over = float(hot[0]) - at_hot
        found.append(
            SchoolFinding(
                school,
                active,
                len(dips),
                float(sum(d.duration_s for d in dips)),
                at_hot if np.isfinite(at_hot) else None,
                over if np.isfinite(over) else None,
            )
        )
    return found


def _named(chosen: Sequence[Floor]) -> list[tuple[School, bool]]:
    """Every school with its floor, as chosen where it was, else by default; then what was chosen beside them."""
    left = [f for f in chosen if f not in {s.floor for s in SCHOOLS}]
    named = []
    for school in SCHOOLS:
        active = school.floor in chosen
        # A slope is no other slope's edit: two schools have one.
        own = None if active else next((f for f in left if type(f) is type(school.floor)), None)
        if own is not None and sum(type(s.floor) is type(own) for s in SCHOOLS) == 1:
            left.remove(own)
            named.append((School(school.name, own, school.reason), True))
        else:
            named.append((school, active))
    return [*named, *((School("Your own", f, "chosen by you"), True) for f in left)]
