"""What can be done about starvation, by cause: what each option works on, what it leaves, and what it will not fix."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from typing import Literal

from basso.analysis import Analysis

Work = Literal["fill", "bolt-on", "weld", "new pan", "plumbing", "new system"]
_THROWN = ("right_turn", "left_turn", "turn", "braking", "acceleration")


@dataclass(frozen=True, slots=True)
class Option:
    """Something that can be done.

    Attributes:
        works_on: causes of dips (:mod:`basso.pressure.causes`) it can take away.
        leaves: what stays as it was; ``will_not_fix``: in a sentence.
        work: what it takes; ``look_under``: the station that predicts it, "" for none.
    """

    key: str
    title: str
    works_on: tuple[str, ...]
    leaves: str
    will_not_fix: str
    work: Work
    look_under: str = ""


OPTIONS: tuple[Option, ...] = (
    Option(
        "level",
        "More oil",
        _THROWN,
        "pan, pickup, baffle, pump, breathing",
        "Thin oil and worn bearings. Too much is beaten to froth by the crank.",
        "fill",
        "sump",
    ),
    Option(
        "pickup",
        "Pickup lower or moved",
        _THROWN,
        "pan, baffle, pump, breathing",
        "What it gains to one side it costs to the other; oil that is held up in the head.",
        "bolt-on",
        "sump",
    ),
    Option(
        "baffle",
        "Baffle, doors about the pickup",
        _THROWN,
        "pan, pump, breathing",
        "A level that is low, oil held up in the head, thin oil. Under the running level it does nothing.",
        "weld",
        "sump",
    ),
    Option(
        "tray",
        "Windage tray and scraper",
        ("high_rpm",),
        "pan, pickup, pump",
        "Oil thrown away from the pickup. Drains must not be blown closed.",
        "bolt-on",
        "corners",
    ),
    Option(
        "accumulator",
        "Accumulator",
        (*_THROWN, "high_rpm"),
        "pan, pickup, pump, breathing",
        "The uncovered pickup itself: it hides dips for seconds and needs time to refill. Thin oil.",
        "plumbing",
        "accumulator",
    ),
    Option(
        "oil",
        "Thicker oil, or a cooler",
        ("hot_oil",),
        "pan, pickup, baffle, pump",
        "An uncovered pickup. Cold, thick oil takes longer to reach the bearings.",
        "fill",
        "normal",
    ),
    Option(
        "pan",
        "Deeper or wider pan",
        _THROWN,
        "pump, breathing",
        "Thin oil, froth from the crank. Ground clearance; it needs its own pickup and stick.",
        "new pan",
        "sump",
    ),
    Option(
        "engine",
        "Bearings, relief valve, pump looked at",
        ("low_everywhere",),
        "pan, pickup, baffle",
        "Dips that come only in corners.",
        "new system",
        "normal",
    ),
    Option(
        "dry_sump",
        "Dry sump",
        (*_THROWN, "high_rpm"),
        "bearings, oil",
        "Worn bearings, thin oil; a stage or relief set wrong. Rules may bar it.",
        "new system",
    ),
)


@dataclass(frozen=True, slots=True)
class Weighed:
    """An option for one session: how many of its dips it works on, of ``dips``."""

    option: Option
    works_on: int
    dips: int


def weighed(a: Analysis) -> tuple[Weighed, ...]:
    """Every option for a session, those that work on most of its dips first, the less work before the more."""
    causes = Counter(d.cause.name for d in a.dips)
    rows = [Weighed(o, sum(causes[c] for c in o.works_on), len(a.dips)) for o in OPTIONS]
    return tuple(sorted(rows, key=lambda r: (-r.works_on, OPTIONS.index(r.option))))
