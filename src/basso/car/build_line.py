"""Reading the garage: builds in time with their sessions and engine cards, finding a session, the oil of each."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from basso.car.cards import differences
from basso.car.history import CarHistory
from basso.garage.records import Build, Engine, OilEntry, OilSample, Session
from basso.oil.laboratory import Sampled
from basso.oil.life import Holding, OilState, oil_state
from basso.units import DisplayUnits


@dataclass(frozen=True, slots=True)
class Stage:
    """One build with its sessions in order of time; ``until``: the day the next build came, "" for the last."""

    build: Build
    until: str
    sessions: tuple[Session, ...]
    changed: tuple[str, ...]
    """What is other than on the build before, one phrase each."""
    caution: str = ""
    cards: tuple[Engine, ...] = ()
    """Engine cards that began in its time, oldest first."""


def stages(history: CarHistory, units: DisplayUnits) -> list[Stage]:
    """The build line, oldest first."""
    ordered = sorted(history.builds, key=lambda b: (b.since, b.name))
    drives: dict[str, list[Session]] = {}
    for s in sorted(history.sessions, key=lambda s: s.began):
        drives.setdefault(s.build, []).append(s)
    cards = cards_by_build(history, ordered)
    made = []
    for i, build in enumerate(ordered):
        until = ordered[i + 1].since if i + 1 < len(ordered) else ""
        changed = (
            tuple(f"{d.what}: {d.b or 'none'}" for d in differences(ordered[i - 1], build, units, history.names))
            if i
            else ()
        )
        caution = parts_caution(ordered[i - 1], build) if i else ""
        made.append(Stage(build, until, tuple(drives.get(build.id, ())), changed, caution, cards.get(build.id, ())))
    return made


def cards_by_build(history: CarHistory, ordered: Sequence[Build]) -> dict[str, tuple[Engine, ...]]:
    """Engine cards by the build in whose time each began; the first build takes what is older."""
    found: dict[str, list[Engine]] = {}
    for card in sorted(history.engines, key=lambda c: c.since):
        at = [b for b in ordered if b.since[:10] <= card.since[:10]] or list(ordered[:1])
        if at:
            found.setdefault(at[-1].id, []).append(card)
    return {build: tuple(cards) for build, cards in found.items()}


def find(sessions: Sequence[Session], builds: Sequence[Build], text: str) -> list[Session]:
    """Sessions in which every word of the text occurs: title, day, circuit, driver, weather, note, build or log."""
    words = text.lower().split()
    names = {b.id: b.name for b in builds}

    def said(s: Session) -> str:
        return " ".join(
            (
                s.title,
                s.began,
                s.circuit,
                s.driver,
                s.weather,
                s.tyres,
                s.kind,
                s.note,
                s.log_name,
                names.get(s.build, ""),
            )
        ).lower()

    return [s for s in sessions if all(w in said(s) for w in words)]


def holding(engine: Engine, build: Build | None = None) -> Holding:
    """What the parts of an engine's oil system hold, with the accumulator of a build."""
    fitted = build is not None and build.accumulator
    stored = build.accumulator_l if build is not None and fitted else 0.0
    return Holding(engine.full_l, engine.filter_l, engine.cooler_l, engine.lines_l, engine.galleries_l, stored)


def parts_caution(before: Build, build: Build) -> str:
    """A caution when pan or pickup was changed without the other and the gap between them was not measured anew; else
    ""."""
    pan, pickup = before.pan != build.pan, before.pickup != build.pickup
    if pan == pickup or (build.pickup_gap_mm is not None and build.pickup_gap_mm != before.pickup_gap_mm):
        return ""
    return f"{'pan' if pan else 'pickup'} changed alone: measure the gap"


def state_of_oil(history: CarHistory) -> OilState | None:
    """The oil that is in, against the intervals set for the engine."""
    engine = history.engine
    intervals = (engine.oil_hours, engine.oil_km, engine.oil_events) if engine is not None else (None, None, None)
    return oil_state(history.oil, history.sessions, *intervals)


def sampled(samples: Sequence[OilSample], entries: Sequence[OilEntry], sessions: Sequence[Session]) -> list[Sampled]:
    """Samples with the running hours of the oil they were drawn from; None where a session has no running time."""
    made = []
    for s in samples:
        # Oil drawn on the day of a change is the old oil, coming out.
        before = [e for e in entries if e.day[:10] < s.day[:10]]
        state = oil_state(before, sessions, until=s.day[:10])
        hours = state.running_h if state is not None and not state.unknown and state.running_h > 0 else None
        made.append(Sampled(s.day, {k: float(v) for k, v in s.values.items() if isinstance(v, int | float)}, hours))
    return made
