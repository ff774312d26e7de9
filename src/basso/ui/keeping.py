"""What is kept with a car beside its sessions: a build's normal, the owner's floors, the oils. Dialogs and edits; one desk."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from typing import TYPE_CHECKING

from basso.progress import Progress
from basso.ui.passing import run_dialog

if TYPE_CHECKING:
    from basso.garage.history import CarHistory
    from basso.garage.normals import Learned
    from basso.garage.records import Build, OilSheet, Session
    from basso.normal.question import Question
    from basso.ui.desk import Desk


class Keeping:
    """Acts for one desk."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self._own_oils: tuple[OilSheet, ...] = ()
        """Of logs that belong to no car: until Basso is closed."""

    # What the garage says

    @property
    def _view(self) -> CarHistory | None:
        """The history of the car whose log is shown; None where the garage does not know it."""
        return self._desk.garage_model.view if self._desk.has_garage and self.session is not None else None

    @property
    def session(self) -> Session | None:
        """The session whose log is shown; None where the garage has none of it."""
        view, shown = self._desk.garage_model.view if self._desk.has_garage else None, self._desk.workspace.recording
        if view is None or shown is None:
            return None
        return next((s for s in view.sessions if s.log_hash == shown.content_hash), None)

    @property
    def build(self) -> Build | None:
        """The build that the log shown was driven on."""
        view, session = self._view, self.session
        return view.build_of(session) if view is not None and session is not None else None

    def asked(self, question: Question) -> Question:
        """The question, with what the engine's card, the oils and the owner's lines say to it."""
        from basso.garage.history import CarHistory
        from basso.garage.oils import ceilings, data_sheets
        from basso.garage.questions import asked_of
        from basso.garage.records import Car

        view, session = self._view, self.session
        if view is not None and session is not None:
            return asked_of(view, session, question)
        own = CarHistory(Car(name=""), oil_sheets=self._own_oils)
        return replace(question, data_sheets=data_sheets(own), ceilings=ceilings(own))

    # Verbs

    def edit_floors(self) -> None:
        """Choose floors and lines; kept with the car where that is asked for."""
        from basso.garage.floor_choices import LINES, choice_in_force, lines_of
        from basso.garage.records import FloorChoice
        from basso.ui.floors_dialog import CarsFloors, FloorsDialog

        desk, view = self._desk, self._view
        points, caution = desk.garaging.floor_advice() if desk.has_garage else ((), "")
        cars = CarsFloors(maker_points=points, caution=caution)
        if view is not None:
            choice = choice_in_force(view)
            fields = {name: key for key, name in LINES.items()}
            lines = {fields[name]: line for name, line in lines_of(choice)}
            said = (choice.since, choice.reason) if choice is not None else ("", "")
            cars = replace(cars, car=view.car.name, since=said[0], reason=said[1], lines=lines)
        dialog = FloorsDialog(desk.window, desk.look, desk.workspace.floors, desk.workspace.units, cars)
        if not run_dialog(dialog):
            return
        if not dialog.keep or view is None:
            desk.workspace.set_floors(dialog.floors())
            return
        rules = {key: line.rule for key, line in dialog.lines().items()}
        made = FloorChoice(
            car=view.car.id, since=date.today().isoformat(), reason=dialog.reason, floors=tuple(f.rule for f in dialog.floors()), **rules,
        )  # fmt: skip
        desk.workspace.follow_the_car()
        before = next((c for c in view.floors if c.since == made.since), None)
        if before is not None:
            # A choice made and mended on one day is one choice.
            desk.garage_model.change("the choice of floors", before, replace(made, id=before.id, note=before.note))
        else:
            desk.garage_model.add("the choice of floors", made)

    def ruling_words(self) -> str:
        """What the owner decided last on the session shown; "" where nothing was."""
        view, session = self._view, self.session
        made = [r for r in view.rulings if r.session == session.id] if view is not None and session is not None else []
        if not made:
            return ""
        last = max(made, key=lambda r: r.day)
        limit = f" ({last.limit})" if last.limit else ""
        return f"Decided on {last.day}: {last.decision}{limit}. {last.reason}"

    def rule(self) -> None:
        """The owner decides what to do after this session, and why; kept with it, beside what it showed."""
        from basso.garage.records import RULINGS, Ruling
        from basso.report.session_words import exposure_words, unknowns_words
        from basso.ui.stations.form import RecordDialog

        desk, view, session, a = self._desk, self._view, self.session, self._desk.workspace.analysis
        if view is None or session is None or a is None:
            desk.tell(
                "A decision is kept with a session: put this log's session into the garage first (Garage, New session)."
            )
            return
        units = desk.workspace.units
        seen = exposure_words(a, units) or "No dips"
        record = Ruling(
            car=view.car.id, session=session.id, day=date.today().isoformat(), decision=RULINGS[-1] if a.dips else RULINGS[0],
            seen=f"{seen}. {unknowns_words(a, units)}".strip(),
        )  # fmt: skip
        hint = (
            "What an engine survives nobody can say, Basso neither. With a real low-pressure warning stop the engine; the engine "
            "builder, the maker's manual and the event's rules decide with you."
        )
        dialog = RecordDialog(desk.window, desk.look, f"Decide after {session.title}", hint, record, units)
        if run_dialog(dialog):
            desk.garage_model.add(f"the decision after {session.title}", dialog.record)

    def edit_oils(self) -> None:
        """Data sheets and ceilings."""
        from basso.garage.store import Change
        from basso.ui.oils_dialog import OilsDialog

        desk, view = self._desk, self._view
        before = view.oil_sheets if view is not None else self._own_oils
        car, name = (view.car.id, view.car.name) if view is not None else ("none", "")
        dialog = OilsDialog(desk.window, desk.look, car, before, desk.workspace.units, name)
        if not run_dialog(dialog):
            return
        if view is None:
            self._own_oils = dialog.sheets
            desk.learning.refresh()
            return
        old, new = {s.id: s for s in before}, {s.id: s for s in dialog.sheets}
        changes = [Change(old.get(i), new.get(i)) for i in {**old, **new} if old.get(i) != new.get(i)]
        if changes:
            desk.garage_model.edit("the oils' data sheets", *changes)

    def keep_normal(self) -> None:
        """Learn the normal of the build shown from its sessions together, and keep it as a new version."""
        from basso.garage.normals import learn_build, sessions_to_learn_from, versions
        from basso.ui.keep_normal_dialog import KeepNormalDialog

        desk, view, build = self._desk, self._view, self.build
        if view is None or build is None:
            desk.tell(
                "A normal is kept with a build: put this log's session into the garage first (Garage, New session)."
            )
            return
        good, out = sessions_to_learn_from(view, build.id)
        version = len(versions(view, build.id)) + 1
        dialog = KeepNormalDialog(desk.window, desk.look, view.names.build[build.id], good, out, version)
        if not good:
            desk.tell(f"{build.name} has no session to learn from: " + "; ".join(f"{t}: {why}" for t, why in out) + ".")
            return
        if not run_dialog(dialog):
            return
        log_of, chosen, reason = desk.garaging.log_of(), dialog.chosen, dialog.reason

        def work(progress: Progress) -> Learned:
            return learn_build(view, build, log_of, date.today().isoformat(), reason, chosen, progress)

        desk.jobs.start("learn", f"learning the normal of {build.name}", work, self._learned, desk.tell)

    def correct_normal(self, title: str) -> None:
        """Correct or remove a kept normal, by what it is called."""
        from basso.garage.normals import title_of

        view = self._view
        found = next((n for n in view.normals if title_of(view, n) == title), None) if view is not None else None
        if found is not None:
            self._desk.garaging.correct(found)

    def _learned(self, learned: Learned) -> None:
        desk = self._desk
        if learned.record is None:
            left = "".join(f" {title}: {why}." for title, why in learned.left_out)
            desk.tell(f"No normal could be learned: {learned.expected.reason}.{left}")
            return
        if not desk.garage_model.add("the build's normal", learned.record):
            return
        from basso.garage.normals import title_of
        from basso.report.garage_documents import normal_text

        view, record = desk.garage_model.view, learned.record
        build = next((b for b in view.builds if b.id == record.build), None) if view is not None else None
        kept = next((n for n in view.normals if n.id == record.id), None) if view is not None else None
        if view is not None and build is not None and kept is not None:
            desk.normal.say_kept(normal_text(view, build, learned, title_of(view, kept), desk.workspace.units))
