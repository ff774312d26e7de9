"""The card of a session: engine, build and conditions as they were on that day; and what two of them do not have in
common.

An engine's card is dated (:class:`basso.garage.records.Engine`), so a rebuild leaves the cards of earlier sessions
alone.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import TypeVar

from basso.car.history import CarHistory
from basso.car.sensors import fitted_on, read_differently
from basso.garage.fields import NO_NAMES, Field, Names, on_the_card, told
from basso.garage.records import Build, Engine, Record, Session
from basso.units import DisplayUnits

R = TypeVar("R", bound=Record)


@dataclass(frozen=True, slots=True)
class Difference:
    """One thing that two builds or sessions do not have in common."""

    what: str
    a: str
    b: str


def differences(a: R, b: R, units: DisplayUnits, names: Names = NO_NAMES) -> list[Difference]:
    """Only what differs between two records of one kind, in the order people ask for it."""
    return _apart([a], [b], on_the_card(type(a)), units, names)


def cards_apart(
    a: Sequence[Session], b: Sequence[Session], history: CarHistory, units: DisplayUnits
) -> list[Difference]:
    """What the cards of two sides of a trial do not have in common: the engine first, builds, then the sessions
    themselves."""
    names = history.names
    engines_a, engines_b = (_each_once(history.card_of(s) for s in side) for side in (a, b))
    builds_a, builds_b = (_each_once(history.build_of(s) for s in side) for side in (a, b))
    return [
        *_apart(engines_a, engines_b, on_the_card(Engine), units, names),
        *_apart(builds_a, builds_b, on_the_card(Build), units, names),
        *_apart(a, b, on_the_card(Session), units, names),
    ]


def _each_once(records: Iterable[R | None]) -> list[R]:
    return list(dict.fromkeys(r for r in records if r is not None))


def _apart(
    a: Sequence[Record], b: Sequence[Record], wanted: Sequence[Field], units: DisplayUnits, names: Names
) -> list[Difference]:
    found = []
    for field in wanted:
        on_a, on_b = (
            list(dict.fromkeys(told(field, getattr(r, field.name), units, names) for r in side)) for side in (a, b)
        )
        if sorted(on_a) != sorted(on_b):
            found.append(
                Difference(
                    field.words, *(" or ".join(x or "none" for x in on) if any(on) else "" for on in (on_a, on_b))
                )
            )
    return found


def trial_cautions(a: Sequence[Session], b: Sequence[Session], history: CarHistory) -> list[str]:
    """What on the cards makes a comparison doubtful, a sentence each."""
    said = []
    states = [{s.accumulator for s in side} for side in (a, b)]
    if states[0] != states[1] and "armed" in states[0] | states[1]:
        said.append(
            "The accumulator was armed on one side only: unless that is the test, this compares two things at once."
        )
    elif any("armed" in s and len(s) > 1 for s in states):
        said.append("On one side the accumulator was armed in some sessions only: it hides dips.")
    if any("unknown" in s for s in states) and any(
        (build := history.build_of(s)) is not None and build.accumulator for s in (*a, *b)
    ):
        said.append("Whether the accumulator was armed is not written down for every session: an armed one hides dips.")
    maps = [{s.map or (build.map if (build := history.build_of(s)) else "") for s in side} for side in (a, b)]
    if maps[0] != maps[1] and "" not in maps[0] | maps[1]:
        said.append("The engine map was not the same: rpm and heat may differ for that reason.")
    cards = [[card for s in side if (card := history.card_of(s)) is not None] for side in (a, b)]
    if cards[0] and cards[1]:
        engines, classes = ([{getattr(c, name) for c in side} for side in cards] for name in ("engine", "clearance"))
        if engines[0] != engines[1]:
            said.append("It was not the same engine: its pressure differs for that reason alone.")
        elif classes[0] != classes[1]:
            said.append(
                "The engine's clearances were of another class: the flow it needs differs for that reason alone."
            )
    fitted = [[fitted_on(history.sensors, s.began) for s in side] for side in (a, b)]
    return said + read_differently(*fitted)


@dataclass(frozen=True, slots=True)
class TrialCards:
    """What the garage knows of a trial's two sides, to be read before its verdict."""

    apart: tuple[Difference, ...]
    cautions: tuple[str, ...]

    @property
    def listed(self) -> str:
        """The differences as one sentence."""
        apart = "; ".join(f"{d.what} {d.a or 'none'} → {d.b or 'none'}" for d in self.apart)
        return f"Build sheet, A → B: {apart}." if apart else "Build sheet: no difference."


def trial_cards(
    histories: Iterable[CarHistory], a: Iterable[str], b: Iterable[str], units: DisplayUnits
) -> TrialCards | None:
    """The cards of a trial, by the fingerprints of its logs; None where the garage does not know both sides."""
    logs_a, logs_b = set(a) - {""}, set(b) - {""}
    cars_a: list[str] = []
    cars_b: list[str] = []
    for history in histories:
        on_a, on_b = ([s for s in history.sessions if s.log_hash in logs] for logs in (logs_a, logs_b))
        if on_a and on_b:
            return TrialCards(
                tuple(cards_apart(on_a, on_b, history, units)), tuple(trial_cautions(on_a, on_b, history))
            )
        cars_a += [history.car.name] if on_a else []
        cars_b += [history.car.name] if on_b else []
    if not cars_a or not cars_b:
        return None
    apart = Difference("car", ", ".join(cars_a), ", ".join(cars_b))
    return TrialCards((apart,), ("The two sides are different cars; a change is judged on one.",))
