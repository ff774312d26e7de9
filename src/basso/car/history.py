"""One car with everything of it, as it stands in the garage now; and what was on it and in it on any day."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, TypeVar

from basso.garage.fields import Names
from basso.garage.records import (
    Accumulator,
    Alarm,
    Arrival,
    Attachment,
    Build,
    Calibration,
    Car,
    Circuit,
    Engine,
    FloorChoice,
    Job,
    LevelPoint,
    Normal,
    OilEntry,
    OilSample,
    OilSheet,
    Pan,
    Record,
    Ruling,
    Sensor,
    Session,
)

if TYPE_CHECKING:
    from basso.garage.store import Garage

R = TypeVar("R", bound=Record)


@dataclass(frozen=True)
class CarHistory:
    """A car and its records by kind, each in the order they were made."""

    car: Car
    engines: tuple[Engine, ...] = ()
    builds: tuple[Build, ...] = ()
    sessions: tuple[Session, ...] = ()
    oil: tuple[OilEntry, ...] = ()
    samples: tuple[OilSample, ...] = ()
    levels: tuple[LevelPoint, ...] = ()
    jobs: tuple[Job, ...] = ()
    attachments: tuple[Attachment, ...] = ()
    sensors: tuple[Sensor, ...] = ()
    calibrations: tuple[Calibration, ...] = ()
    normals: tuple[Normal, ...] = ()
    pans: tuple[Pan, ...] = ()
    accumulators: tuple[Accumulator, ...] = ()
    alarms: tuple[Alarm, ...] = ()
    floors: tuple[FloorChoice, ...] = ()
    oil_sheets: tuple[OilSheet, ...] = ()
    circuits: tuple[Circuit, ...] = ()
    rulings: tuple[Ruling, ...] = ()
    arrivals: tuple[Arrival, ...] = ()

    @property
    def arrival(self) -> Arrival | None:
        """Where the car came from, as long as it was not accepted: until then nothing of it acts on a log judged
        here."""
        return next(iter(self.arrivals), None)

    @property
    def newest_build(self) -> Build | None:
        """The build that is on now."""
        return max(self.builds, key=lambda b: b.since, default=None)

    @property
    def engine(self) -> Engine | None:
        """The card that holds now of the engine that is in."""
        return self.card_on(self.newest_build, "9999")

    def build_of(self, session: Session) -> Build | None:
        """The build a session was driven on."""
        return self._builds.get(session.build)

    def card_of(self, session: Session) -> Engine | None:
        """The engine's card as it was at a session."""
        return self.card_on(self.build_of(session), session.began)

    def card_on(self, build: Build | None, day: str) -> Engine | None:
        """The card of a build's engine that holds on a day; without a build's word the only engine there is.

        A day before the first card takes the first: it is the oldest that is known of the engine.
        """
        which = build.engine if build is not None else ""
        cards = self._cards.get(which) or (
            next(iter(self._cards.values())) if not which and len(self._cards) == 1 else ()
        )
        held = [c for c in cards if c.since[:10] <= day[:10]]
        return held[-1] if held else next(iter(cards), None)

    def cards(self, engine: str) -> tuple[Engine, ...]:
        """Every card of one engine, oldest first."""
        return self._cards.get(engine, ())

    @cached_property
    def names(self) -> Names:
        """What engines (by their newest card) and builds are called."""
        return Names(
            _told_apart((which, cards[-1].name) for which, cards in self._cards.items()),
            _told_apart((b.id, b.name) for b in sorted(self.builds, key=lambda b: b.since, reverse=True)),
        )

    @cached_property
    def _builds(self) -> dict[str, Build]:
        return {b.id: b for b in self.builds}

    @cached_property
    def _cards(self) -> dict[str, tuple[Engine, ...]]:
        found: dict[str, list[Engine]] = {}
        for card in sorted(self.engines, key=lambda c: c.since):
            found.setdefault(card.engine, []).append(card)
        return {which: tuple(cards) for which, cards in found.items()}


def _told_apart(named: Iterable[tuple[str, str]]) -> dict[str, str]:
    """Names by id; a name that occurs again gets a number."""
    made: dict[str, str] = {}
    for i, name in named:
        words, number = name, 2
        while words in made.values():
            words, number = f"{name} ({number})", number + 1
        made[i] = words
    return made


def car_history(garage: Garage, car: Car) -> CarHistory:
    """Read everything of a car."""

    def own(kind: type[R]) -> tuple[R, ...]:
        return tuple(garage.all(kind, car.id))

    return CarHistory(
        car=car,
        engines=own(Engine),
        builds=own(Build),
        sessions=own(Session),
        oil=own(OilEntry),
        samples=own(OilSample),
        levels=own(LevelPoint),
        jobs=own(Job),
        attachments=own(Attachment),
        sensors=own(Sensor),
        calibrations=own(Calibration),
        normals=own(Normal),
        pans=own(Pan),
        accumulators=own(Accumulator),
        alarms=own(Alarm),
        floors=own(FloorChoice),
        oil_sheets=own(OilSheet),
        circuits=own(Circuit),
        rulings=own(Ruling),
        arrivals=own(Arrival),
    )
