"""The warning device that was on a car at a session, as its card has it."""

from __future__ import annotations

from functools import lru_cache

from basso.alarm.card import AlarmCard, card_of
from basso.car.history import CarHistory
from basso.errors import InputError
from basso.garage.records import Alarm, Build


def alarm_record(history: CarHistory, build: Build | None) -> Alarm | None:
    """The newest alarm of a build; None where none was kept, or the car is not accepted yet."""
    if history.arrival is not None:
        return None  # nothing of a car from elsewhere acts before it is accepted
    found = [a for a in history.alarms if build is not None and a.build == build.id]
    return max(found, key=lambda a: a.day, default=None)


def alarm_of(history: CarHistory, build: Build | None) -> AlarmCard | None:
    """What it is set to; None without one that can be read."""
    record = alarm_record(history, build)
    return _read(record.card) if record is not None else None


@lru_cache(maxsize=16)
def _read(card: str) -> AlarmCard | None:
    try:
        return card_of(card)
    except InputError:
        return None
