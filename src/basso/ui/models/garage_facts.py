"""What the shown car's history says of logs, in the form judging takes it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from basso.car.floor_choices import choice_in_force, floors_of
from basso.car.known import known_for_trial, known_of
from basso.car.oils import oil_of
from basso.ui.models.judging import GarageFacts
from basso.ui.models.sessions import Entry

if TYPE_CHECKING:
    from basso.car.history import CarHistory
    from basso.garage.records import Session
    from basso.garage.store import Garage
    from basso.memory.memory import Memory
    from basso.oil.grades import Grade
    from basso.recording.recording import Recording


def facts_of(view: CarHistory, garage: Garage | None, entries: Sequence[Entry], memory: Memory) -> GarageFacts:
    """What a car's history says of logs; nothing while the car came from elsewhere and was not accepted."""
    if view.arrival is not None:
        return GarageFacts()
    log_of = log_reader(view, garage, entries, memory)

    basis = (
        view.car.id,
        view.sensors,
        view.calibrations,
        view.sessions,
        view.engines,
        view.builds,
        view.oil,
        view.samples,
        view.oil_sheets,
        view.normals,
        view.circuits,
    )
    return GarageFacts(
        oils=_oils(view),
        floors=floors_of(choice_in_force(view)),
        logs=frozenset(s.log_hash for s in view.sessions if s.log_hash and garage is not None),
        basis=basis,
        for_trial=lambda recording: known_for_trial(view, recording),
        known_of=lambda recording, told: known_of(view, recording, log_of, memory.decisions, told),
    )


def log_reader(
    view: CarHistory, garage: Garage | None, entries: Sequence[Entry], memory: Memory
) -> Callable[[Session], Recording | None]:
    """Gives the log of a session: what the garage keeps of it, else the open log of its name; None where there is
    neither."""
    samples = {s.log_hash: garage.files.samples_file(s.log_hash) for s in view.sessions if s.log_hash} if garage else {}
    by_name = {e.path.name: e for e in entries}

    def log_of(session: Session) -> Recording | None:
        from basso.workflow import open_recording

        kept, entry = samples.get(session.log_hash), by_name.get(session.log_name)
        if kept is not None and kept.is_file():
            return open_recording(kept, memory=memory)
        return open_recording(entry.path, memory=memory) if entry is not None else None

    return log_of


def _oils(view: CarHistory) -> dict[str, Grade]:
    """The oil of every session that has a log, by the log's fingerprint."""
    found = {s.log_hash: oil_of(view, s) for s in view.sessions if s.log_hash}
    return {log: oil for log, oil in found.items() if oil is not None}
