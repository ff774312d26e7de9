"""The accumulator that was on a car at a session, as its card has it."""

from __future__ import annotations

from functools import lru_cache

from basso.accumulator.fitted import Fitted, fitted_of
from basso.car.history import CarHistory
from basso.errors import InputError
from basso.garage.records import Accumulator, Build, Session

_MOST_TEXT = 20_000


def fitted_at(history: CarHistory, session: Session) -> Fitted | None:
    """The newest accumulator of the session's build; None where none was written down, or it cannot be read."""
    if history.arrival is not None:
        return None  # nothing of a car from elsewhere acts before it is accepted
    record = accumulator_record(history, history.build_of(session))
    return read_card(record.card) if record is not None else None


def newest(history: CarHistory) -> Fitted | None:
    """The newest accumulator of a car on any build: what it would do on the others can be asked."""
    if history.arrival is not None:
        return None
    record = max(history.accumulators, key=lambda a: a.day, default=None)
    return read_card(record.card) if record is not None else None


def accumulator_record(history: CarHistory, build: Build | None) -> Accumulator | None:
    """The newest accumulator of a build."""
    found = [a for a in history.accumulators if build is not None and a.build == build.id]
    return max(found, key=lambda a: a.day, default=None)


@lru_cache(maxsize=16)
def read_card(card: str) -> Fitted | None:
    """An accumulator's file as it is kept: the same each time. None where it cannot be read (written by another Basso,
    or by hand)."""
    if len(card) > _MOST_TEXT:
        return None
    try:
        return fitted_of(card)
    except InputError:
        return None
