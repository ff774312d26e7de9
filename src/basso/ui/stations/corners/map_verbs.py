"""Verbs on circuits: keep a map, name a place, set the lap line. What is kept is the car's, in the garage, and can be
undone there."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QInputDialog

from basso.errors import InputError
from basso.progress import Progress
from basso.ui.plain import tip

if TYPE_CHECKING:
    from basso.analysis import Analysis
    from basso.car.history import CarHistory
    from basso.garage.records import Circuit, Session
    from basso.memory.decisions import Decisions
    from basso.recording.recording import Recording
    from basso.track.circuit_map import CircuitMap
    from basso.track.corners import TrackMap
    from basso.ui.bench import Bench


class MapVerbs:
    """Acts at one bench."""

    def __init__(self, bench: Bench) -> None:
        self._bench = bench

    def _here(self) -> tuple[CarHistory, Session, Analysis] | None:
        """The car, the session and the analysis shown; None, and said so, where a map has nowhere to be kept."""
        bench = self._bench
        a, view = bench.sessions.analysis, bench.garage.view
        session = bench.garage.session_of(bench.sessions.recording)
        if a is None or a.track is None:
            bench.tell("There is no circuit to keep: it needs laps, or runs over one route, with speed and g.")
            return None
        if view is None or session is None:
            bench.tell(
                "A circuit is kept with a car: put this log's session into the garage first (Garage, New session)."
            )
            return None
        return view, session, a

    def keep_map(self) -> None:
        """Make the circuit's map from every session that was driven there, and keep it."""
        from basso.car.circuits import circuit_named, kept_circuit

        here = self._here()
        if here is None:
            return
        view, session, a = here
        same = [
            s
            for s in view.sessions
            if s.log_hash and s.id != session.id and s.circuit.casefold() == session.circuit.casefold() and s.circuit
        ]
        log_of, track = self._bench.garage.log_reader(self._bench.sessions.entries), a.track
        decisions = self._bench.memory.decisions
        before = circuit_named(view, session.circuit)
        assert track is not None

        def work(progress: Progress) -> Circuit:
            drives = [(session, track)]
            for i, s in enumerate(same):
                progress(i / max(len(same), 1), f"laying {s.title} on it")
                other = _track_of(s, log_of, decisions)
                if other is not None:
                    drives.append((s, other))
            return kept_circuit(view, session, drives, date.today().isoformat())

        self._bench.jobs.start(
            "circuit",
            f"mapping {session.circuit or 'the circuit'}",
            work,
            lambda made: self._put(before, made, "map"),
            self._bench.tell,
        )

    def name_place(self, place: str) -> None:
        """Ask what a place is called."""
        here = self._here()
        if here is None or not place:
            return
        found = self._map(here)
        now = next((p for p in found[1].places if p.id == place), None)
        if now is None:
            return
        what = f"{'turn' if now.is_corner else now.kind} {now.id}"
        name, said = QInputDialog.getText(
            self._bench.window, "Name a place", tip(f"What does the team call {what}? Empty: no name."), text=now.name
        )
        if said and name.strip() != now.name:
            self._keep(here, found[1].named(place, name.strip()), f"name of {what}")

    def set_line(self, along_m: float) -> None:
        """Laps begin and end here from now on, in every session on this circuit."""
        from basso.track.circuit_map import begun_at

        here = self._here()
        if here is None:
            return
        circuit = self._map(here)[1]
        if not circuit.shape.closed:
            self._bench.tell("A route from start to finish has no lap line.")
            return
        self._keep(here, begun_at(circuit, along_m), "lap line")

    def _map(self, here: tuple[CarHistory, Session, Analysis]) -> tuple[Circuit | None, CircuitMap]:
        """The kept circuit and its map; a map made of the session shown where none is kept."""
        from basso.car.circuits import UNNAMED, circuit_named, map_in
        from basso.track.circuit_map import map_of

        view, session, a = here
        kept = circuit_named(view, session.circuit)
        known = map_in(kept) if kept is not None else None
        assert a.track is not None
        return kept, known or map_of(session.circuit.strip() or UNNAMED, [a.track])

    def _keep(self, here: tuple[CarHistory, Session, Analysis], made: CircuitMap, what: str) -> None:
        from basso.car.circuits import with_map
        from basso.garage.records import Circuit

        view, session, _ = here
        kept = self._map(here)[0]
        first = Circuit(car=view.car.id, name=made.name, day=date.today().isoformat(), sessions=(session.id,))
        self._put(kept, with_map(kept or first, made), what)

    def _put(self, before: Circuit | None, after: Circuit, what: str) -> None:
        label = f"the {what}, {after.name}"
        if before is None:
            self._bench.garage.add(label, after)
        elif before != after:
            self._bench.garage.change(label, before, after)
        self._bench.tell(f"Kept: {label}.")


def _track_of(session: Session, log_of: Callable[[Session], Recording | None], decisions: Decisions) -> TrackMap | None:
    """Where a session's drive went by itself, on no map; None where its log cannot be read or has no laps."""
    from basso.analysis import analyse
    from basso.pressure.options import JudgeOptions

    try:
        log = log_of(session)
    except InputError:
        return None
    if log is None:
        return None
    return analyse(log, JudgeOptions().by(decisions.of_log(log))).track
