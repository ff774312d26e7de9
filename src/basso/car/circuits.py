"""The circuits of a car: each one's lasting map, made from its sessions' laps and kept with the names the team gives
its corners."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from basso.car.history import CarHistory
from basso.garage.records import Circuit, Session
from basso.track.circuit_map import CircuitMap, lay, map_of
from basso.track.corners import TrackMap

_FORM = 1
"""Of what stands in a record's ``survey``."""
_FORM_KEY = "form"
UNNAMED = "Unnamed circuit"


def map_in(circuit: Circuit) -> CircuitMap | None:
    """The map of a kept circuit; None where it was kept by a Basso that wrote it otherwise."""
    plain: dict[str, Any] = dict(circuit.survey)
    if plain.pop(_FORM_KEY, None) != _FORM:
        return None
    try:
        return CircuitMap.from_plain(circuit.name, plain)
    except (KeyError, TypeError, ValueError):
        return None


def with_map(circuit: Circuit, made: CircuitMap) -> Circuit:
    """A kept circuit with another map."""
    return replace(circuit, name=made.name, survey={_FORM_KEY: _FORM, **made.as_plain()})


def maps_for(history: CarHistory, session: Session | None) -> tuple[CircuitMap, ...]:
    """Every circuit's map, that which the session names first."""
    named = session.circuit.strip().casefold() if session is not None else ""
    kept = sorted(history.circuits, key=lambda c: c.name.casefold() != named)
    return tuple(m for c in kept if (m := map_in(c)) is not None)


def circuit_named(history: CarHistory, name: str) -> Circuit | None:
    """The circuit of that name; None where none is kept."""
    return next((c for c in history.circuits if c.name.casefold() == name.strip().casefold()), None)


def kept_circuit(
    history: CarHistory, session: Session, drives: Sequence[tuple[Session, TrackMap]], day: str
) -> Circuit:
    """A session's circuit as it is to be kept: learned from the drives that were not in it yet, with the names its
    corners have.

    Args:
        drives: sessions with where they went, the best first; those that lie elsewhere are left out.

    Raises:
        ValueError: there is neither a drive nor a map to begin with.
    """
    before = circuit_named(history, session.circuit)
    known = map_in(before) if before is not None else None
    record = before or Circuit(car=history.car.id, name=session.circuit.strip() or UNNAMED)
    new = [(s, t) for s, t in drives if s.id not in record.sessions or known is None]
    made = map_of(record.name, [t for _, t in new], known)
    there = [s.id for s, t in new if lay(t, made) is not None]
    return with_map(replace(record, day=day, sessions=tuple(dict.fromkeys((*record.sessions, *there)))), made)
