"""The garage as the window holds it: one car shown, edits as undo steps, changes of other windows noticed."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtGui import QUndoCommand, QUndoStack

from basso.errors import InputError
from basso.garage.place import default_folder
from basso.memory.memory import Memory
from basso.platform.folders import cache_folder
from basso.progress import Progress
from basso.ui.models.jobs import Jobs

if TYPE_CHECKING:
    from basso.car.history import CarHistory
    from basso.garage.records import Car, Record, Session
    from basso.garage.store import Change, Edit, Garage
    from basso.recording.recording import Recording
    from basso.ui.models.judging import GarageFacts
    from basso.ui.models.sessions import Entry

_LOOK_AGAIN_MS = 1500


class GarageModel(QObject):
    """Cars and the one shown. Opens its database in the background when it is first wanted."""

    changed = Signal()
    problem = Signal(str)

    def __init__(self, jobs: Jobs, undo: QUndoStack, memory: Memory) -> None:
        super().__init__()
        self._jobs, self._undo, self._memory = jobs, undo, memory
        self._garage: Garage | None = None
        self._stamp = (0, 0)
        self._chosen = ""
        self.trouble = ""
        self._again: Callable[[], None] | None = None
        self.folder = Path()
        self.cars: tuple[Car, ...] = ()
        self.view: CarHistory | None = None
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOK_AGAIN_MS)
        self._timer.timeout.connect(self.look_again)

    @property
    def garage(self) -> Garage | None:
        """The open garage, or None while it is being opened."""
        return self._garage

    @property
    def is_open(self) -> bool:
        """True once it can be looked into."""
        return self._garage is not None

    def open(self, folder: Path | None = None, make: Callable[[Path], None] | None = None) -> None:
        """Open the garage in a folder (default: the user's own); ``make`` fills it first, in the background."""

        where = self.folder = folder or default_folder()

        def work(progress: Progress) -> Garage:
            from basso.garage.store import Garage

            if make is not None:
                make(where)
            garage = Garage(where)
            garage.back_up_daily()
            return garage

        def done(garage: Garage) -> None:
            self.close()
            self._garage, self.trouble = garage, ""
            self._timer.start()
            self.refresh()
            for sentence in garage.news:
                self.problem.emit(sentence)

        def failed(sentence: str) -> None:
            self.trouble = sentence
            self.changed.emit()
            self.problem.emit(sentence)

        def stopped() -> None:
            self._again = lambda: self.open(folder, make)
            self.changed.emit()

        self._again = None
        self._jobs.start("garage", "opening the garage", work, done, failed, dropped=stopped)

    def open_own(self) -> None:
        """Open the user's own garage, if none is open."""
        if not self.is_open and not self.trouble:
            self.changed.emit()
            self.open()

    def open_demo(self) -> None:
        """Open a garage made for the demo; nothing done to it stays."""

        def make(folder: Path) -> None:
            # In the background: the database library takes half a second to load.
            from basso.car.demo import make_demo_garage
            from basso.workflow import demo_folder

            make_demo_garage(demo_folder(), folder)

        self.open(cache_folder() / "demo-garage", make)

    @property
    def is_stopped(self) -> bool:
        """True where opening it was stopped, and nothing is opening it."""
        return self._again is not None

    def go_on(self) -> None:
        """Open it after all, where that was stopped."""
        if self._again is not None:
            self._again()
            self.changed.emit()

    def close(self) -> None:
        """Let go of the database."""
        self._timer.stop()
        if self._garage is not None:
            self._garage.close()
        self._garage = None

    def choose(self, car: str) -> None:
        """Show another car."""
        self._chosen = car
        self.refresh()

    def refresh(self) -> None:
        """Read the shown car anew."""
        garage = self._garage
        if garage is None:
            return
        from basso.car.history import car_history
        from basso.garage.records import Car

        self._stamp = garage.stamp()
        self.cars = tuple(sorted(garage.all(Car), key=lambda c: c.name))
        car = next((c for c in self.cars if c.id == self._chosen), next(iter(self.cars), None))
        self._chosen = car.id if car is not None else ""
        self.view = car_history(garage, car) if car is not None else None
        self.changed.emit()

    def look_again(self) -> None:
        """Show what another window has changed meanwhile."""
        try:
            if self._garage is not None and self._garage.stamp() != self._stamp:
                self.refresh()
        except InputError as error:
            self._timer.stop()
            self.problem.emit(str(error))

    # What it knows of a log

    def session_of(self, recording: Recording | None) -> Session | None:
        """The session of the shown car that a log is of; None where the garage has none of it."""
        if self.view is None or recording is None:
            return None
        return next((s for s in self.view.sessions if s.log_hash == recording.content_hash), None)

    def car_of(self, recording: Recording | None) -> CarHistory | None:
        """The history of the shown car, where a log is of one of its sessions."""
        return self.view if self.session_of(recording) is not None else None

    def log_reader(self, entries: Sequence[Entry]) -> Callable[[Session], Recording | None]:
        """What gives the log of a session of the shown car; for work in the background."""
        if self.view is None:
            return lambda _: None
        from basso.ui.models.garage_facts import log_reader

        return log_reader(self.view, self._garage, entries, self._memory)

    def facts(self, entries: Sequence[Entry]) -> GarageFacts | None:
        """What the shown car says of logs; None while no car is shown."""
        from basso.ui.models.garage_facts import facts_of

        return facts_of(self.view, self._garage, entries, self._memory) if self.view is not None else None

    # Editing

    def edit(self, label: str, *changes: Change) -> bool:
        """Make an edit as one undo step; False when it could not be made (it has been told)."""
        garage = self._garage
        if garage is None:
            return False
        return self._made(label, lambda: garage.edit(label, *changes))

    def add(self, label: str, *records: Record) -> bool:
        """Make new records; a new car is shown."""
        garage = self._garage
        if garage is None:
            return False
        from basso.garage.records import Car

        made = self._made(label, lambda: garage.add(label, *records))
        car = next((r for r in records if isinstance(r, Car)), None)
        if made and car is not None:
            self.choose(car.id)
        return made

    def change(self, label: str, before: Record, after: Record) -> bool:
        """Put a record in the place of what it was."""
        garage = self._garage
        if garage is None or before == after:
            return False
        return self._made(label, lambda: garage.change(label, before, after))

    def remove(self, label: str, *records: Record) -> bool:
        """Take records away, with what belongs to them."""
        garage = self._garage
        if garage is None:
            return False
        return self._made(label, lambda: garage.remove(label, *records))

    def _made(self, label: str, make: Callable[[], int]) -> bool:
        try:
            number = make()
        except InputError as error:
            self.problem.emit(str(error))
            self.refresh()
            return False
        self.made_elsewhere(label, number)
        return True

    def made_elsewhere(self, label: str, number: int) -> None:
        """An edit was made (in the background, say): it becomes an undo step."""
        self._undo.push(_GarageEdit(self, label, number))
        self.refresh()

    def turn(self, number: int, back: bool) -> str:
        """Take an edit back or make it again; returns why it could not be (it has been told), or ""."""
        if self._garage is None:
            return ""
        wrong = ""
        try:
            if back:
                self._garage.undo(number)
            else:
                self._garage.redo(number)
        except InputError as error:
            wrong = str(error)
            self.problem.emit(wrong)
        self.refresh()
        return wrong

    def turn_as_edit(self, edit: Edit) -> str:
        """Take back an edit of any day, or make it again, as an undo step of its own; returns why not, or ""."""
        back = not edit.undone
        wrong = self.turn(edit.id, back)
        if not wrong:
            label = f"taking back {edit.label}" if back else f"making again {edit.label}"
            self._undo.push(_GarageEdit(self, label, edit.id, back))
        return wrong

    def edits(self, last: int) -> list[Edit]:
        """The last edits of the whole garage, newest first."""
        return self._garage.edits(last) if self._garage is not None else []


class _GarageEdit(QUndoCommand):
    """An edit that is on the disk already; undoing and redoing it goes there too."""

    def __init__(self, model: GarageModel, label: str, number: int, back: bool = False) -> None:
        """``back``: what was done is that an earlier edit was taken back."""
        super().__init__(label)
        self._model, self._number, self._back, self._first = model, number, back, True

    def redo(self) -> None:
        if self._first:
            self._first = False
        else:
            self._model.turn(self._number, self._back)

    def undo(self) -> None:
        self._model.turn(self._number, not self._back)
