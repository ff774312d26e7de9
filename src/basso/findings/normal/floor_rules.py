"""The floor rules side by side: what each would have flagged in one session."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from basso.analysis import Analysis
from basso.pressure.dips import find_dips
from basso.pressure.floors import FLOOR_RULES, Floor, FloorRule, highest_floor


@dataclass(frozen=True, slots=True)
class FloorRuleFinding:
    """What one floor rule says of a session.

    Attributes:
        active: it is among the floors the session is judged by.
        dips, below_s: what it would flag by itself.
        at_hot_kpa: the floor at racing speed and the hottest oil; ``over_kpa``: expected pressure over it; None where
            nothing is expected.
    """

    floor_rule: FloorRule
    active: bool
    dips: int
    below_s: float
    at_hot_kpa: float | None
    over_kpa: float | None


def held_by_floor_rules(a: Analysis, rpm: float, hot_c: float, chosen: Sequence[Floor] = ()) -> list[FloorRuleFinding]:
    """Judge a session by each floor rule alone; ``chosen`` floors take the place of their floor rule's default."""
    return _held(a, rpm, hot_c, _named(chosen))


def held_by_lines(a: Analysis, rpm: float, hot_c: float, lines: Sequence[tuple[str, Floor]]) -> list[FloorRuleFinding]:
    """Judge a session by each of the owner's lines alone: what it is called, and the floor."""
    return _held(
        a, rpm, hot_c, [(FloorRule(name, floor, "the owner's"), floor in a.options.floors) for name, floor in lines]
    )


def _held(
    a: Analysis, rpm: float, hot_c: float, floor_rules: Sequence[tuple[FloorRule, bool]]
) -> list[FloorRuleFinding]:
    speed = np.array([rpm])
    hot = a.expected.at(speed, np.array([hot_c]) if a.temperature_c is not None else None)
    found = []
    for floor_rule, active in floor_rules:
        line = highest_floor([floor_rule.floor], a.followed_rpm, a.expected_kpa)
        dips = find_dips(a.time_s, a.pressure_kpa, line.kpa, a.expected_kpa, a.judged, a.error, a.options.rules)
        at_hot = float(floor_rule.floor.at(speed, hot)[0])
        over = float(hot[0]) - at_hot
        found.append(
            FloorRuleFinding(
                floor_rule,
                active,
                len(dips),
                float(sum(d.duration_s for d in dips)),
                at_hot if np.isfinite(at_hot) else None,
                over if np.isfinite(over) else None,
            )
        )
    return found


def _named(chosen: Sequence[Floor]) -> list[tuple[FloorRule, bool]]:
    """Every floor rule with its floor, as chosen where it was, else by default; then what was chosen beside them."""
    left = [f for f in chosen if f not in {s.floor for s in FLOOR_RULES}]
    named = []
    for floor_rule in FLOOR_RULES:
        active = floor_rule.floor in chosen
        # A slope is no other slope's edit: two floor rules have one.
        own = None if active else next((f for f in left if type(f) is type(floor_rule.floor)), None)
        if own is not None and sum(type(s.floor) is type(own) for s in FLOOR_RULES) == 1:
            left.remove(own)
            named.append((FloorRule(floor_rule.name, own, floor_rule.reason), True))
        else:
            named.append((floor_rule, active))
    return [*named, *((FloorRule("Your own", f, "chosen by you"), True) for f in left)]
