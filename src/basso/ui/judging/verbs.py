"""What the owner decides: by which floors it is judged, and what is done after a session. Kept with the car, where one
is known."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from typing import TYPE_CHECKING

from basso.ui.bench import Bench
from basso.ui.dialogs import run_dialog
from basso.ui.stations.station import Command

if TYPE_CHECKING:
    from basso.garage.records import Engine


class OwnersVerbs:
    """Acts at one bench."""

    def __init__(self, bench: Bench) -> None:
        self._bench = bench

    def commands(self) -> tuple[Command, ...]:
        """Both, for the menu."""
        return (
            Command(
                "judge.floors",
                "Judge",
                "Floors…",
                self.edit_floors,
                ("Ctrl+L",),
                "which floor rules apply, the highest wins; your own lines; kept with the car, with the reason",
            ),
            Command(
                "judge.rule",
                "Judge",
                "Decide…",
                self.rule,
                ("Ctrl+Shift+G",),
                "what the owner does after this session, and why; kept with what it showed",
            ),
        )

    def edit_floors(self) -> None:
        """Choose floors and lines; kept with the car where that is asked for."""
        from basso.car.floor_choices import LINES, choice_in_force, lines_of
        from basso.garage.records import FloorChoice
        from basso.ui.judging.floors_dialog import CarsFloors, FloorsDialog

        bench = self._bench
        view = bench.garage.car_of(bench.sessions.recording)
        session = bench.garage.session_of(bench.sessions.recording)
        # A card that came from elsewhere and was not accepted says nothing.
        accepted = view if view is not None and view.arrival is None else None
        points, caution = _advice(accepted.card_of(session) if accepted is not None and session is not None else None)
        cars = CarsFloors(maker_points=points, caution=caution)
        if view is not None:
            choice = choice_in_force(view)
            fields = {name: key for key, name in LINES.items()}
            lines = {fields[name]: line for name, line in lines_of(choice)}
            said = (choice.since, choice.reason) if choice is not None else ("", "")
            cars = replace(cars, car=view.car.name, since=said[0], reason=said[1], lines=lines)
        dialog = FloorsDialog(bench.window, bench.look, bench.judging.floors, bench.shown_units, cars)
        if not run_dialog(dialog):
            return
        if not dialog.keep or view is None:
            bench.judging.set_floors(dialog.floors())
            return
        rules = {key: line.rule for key, line in dialog.lines().items()}
        made = FloorChoice(
            car=view.car.id,
            since=date.today().isoformat(),
            reason=dialog.reason,
            floors=tuple(f.rule for f in dialog.floors()),
            **rules,
        )
        bench.judging.follow_the_car()
        before = next((c for c in view.floors if c.since == made.since), None)
        if before is not None:
            # A choice made and mended on one day is one choice.
            bench.garage.change("the choice of floors", before, replace(made, id=before.id, note=before.note))
        else:
            bench.garage.add("the choice of floors", made)

    def rule(self) -> None:
        """The owner decides what to do after this session, and why; kept with it, beside what it showed."""
        from basso.garage.records import Ruling
        from basso.ui.stations.form import RecordDialog
        from basso.words.session import exposure_words, unknowns_words

        bench, a = self._bench, self._bench.sessions.analysis
        view, session = bench.garage.view, bench.garage.session_of(bench.sessions.recording)
        if view is None or session is None or a is None:
            bench.tell(
                "A decision is kept with a session: put this log's session into the garage first (Garage, New session)."
            )
            return
        units = bench.shown_units
        seen = exposure_words(a, units) or "No dips"
        record = Ruling(
            car=view.car.id,
            session=session.id,
            day=session.began[:10] or date.today().isoformat(),
            seen=f"{seen}. {unknowns_words(a, units)}".strip(),
        )
        hint = (
            "What an engine survives nobody can say, Basso neither. With a real low-pressure warning "
            "stop the engine; the engine "
            "builder, the maker's manual and the event's rules decide with you."
        )
        dialog = RecordDialog(bench.window, bench.look, f"Decide after {session.title}", hint, record, units)
        if run_dialog(dialog):
            bench.garage.add(f"the decision after {session.title}", dialog.record)


def _advice(engine: Engine | None) -> tuple[tuple[tuple[float, float], ...], str]:
    """The maker's points of an engine, and a caution about its clearances; nothing of one that is not known."""
    if engine is None:
        return (), ""
    if engine.clearance == "production":
        return engine.maker_points, ""
    return engine.maker_points, (
        f"This engine's clearances are {engine.clearance} on its card: the 7 psi per 1000 rpm rule is "
        "for production clearances; "
        "wider ones want more."
    )
