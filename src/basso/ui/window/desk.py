"""The desk: models, stations, pan and tide around one cursor. A table of contents: what each does stands in its own
room.

The window paints its frame first and puts the desk on it a moment later (see :mod:`basso.ui.window.main_window`).
"""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, Qt
from PySide6.QtGui import QUndoStack
from PySide6.QtWidgets import QApplication, QMessageBox, QScrollArea, QWidget

from basso.memory.memory import Memory
from basso.plain_text import plain
from basso.ui.bench import Bench
from basso.ui.files import Files
from basso.ui.layouts import Pages
from basso.ui.live.verbs import LiveVerbs
from basso.ui.models.cursor import Cursor
from basso.ui.models.garage import GarageModel
from basso.ui.models.jobs import Jobs
from basso.ui.models.judging import Judging
from basso.ui.models.log_list import LogList
from basso.ui.models.pan import PanModel
from basso.ui.models.sessions import Sessions
from basso.ui.models.trial_sides import TrialSides
from basso.ui.models.units import UnitsShown
from basso.ui.stations.catalogue import BY_KEY, STATIONS
from basso.ui.window.commands import CommandTable
from basso.ui.window.exporting import Exporting
from basso.ui.window.logs import LogOpener
from basso.ui.window.moments import Moments
from basso.ui.window.run_sheet import RunSheets
from basso.ui.window.window_commands import window_commands

if TYPE_CHECKING:
    from basso.ui.stations.station import Station
    from basso.ui.window.frame import Frame


_LONGEST_TITLE = 80
_LEAST_LINES = (39.0, 32.0)
"""Width and height a station needs, in lines."""


class Desk(QObject):
    """Everything on the window's frame."""

    def __init__(self, window: Frame) -> None:
        super().__init__(window)
        self.window = window
        self._stack = Pages()
        self.bench = self._set_up(window)
        # Before the stations: a fresh session is whole before one of them shows a part of it.
        self.moments = Moments(self.bench)
        self.stations: dict[str, Station[Any]] = {row.key: row.make(self.bench) for row in STATIONS}
        self._shown = ""
        crumbs = window.top.crumbs
        self.run_sheets = RunSheets(self.bench)
        self.logs = LogOpener(
            self.bench,
            lambda: crumbs.mapToGlobal(crumbs.rect().bottomLeft()),
            self.run_sheets.expect,
            self._take_in_car,
        )
        self.live = LiveVerbs(self.bench, self.run_sheets.show)
        self.exporting = Exporting(self.bench, lambda: self.stations[self.station])
        window.place(self._room(), self.moments.pan, self.moments.tide)
        own = window_commands(self)
        self.commands = CommandTable(window, [*own, *(c for s in self.stations.values() for c in s.commands())])
        window.top.menu_button.setMenu(self.commands.menu(window.top.menu_button))
        self.commands.follow_undo(self.bench.undo)
        self._connect()
        self._show_units()
        station = window.settings.station
        self.go_to(station if station in BY_KEY else "dips")
        self._show_session()

    def _set_up(self, window: Frame) -> Bench:
        memory, jobs, undo = Memory.own(), Jobs(), QUndoStack(self)
        sessions = Sessions(undo)
        judging = Judging(sessions, jobs, undo, memory)
        garage = GarageModel(jobs, undo, memory)
        return Bench(
            window=window,
            look=window.look,
            settings=window.settings,
            memory=memory,
            jobs=jobs,
            undo=undo,
            units=UnitsShown(window.settings.units),
            cursor=Cursor(),
            sessions=sessions,
            judging=judging,
            trial=TrialSides(sessions, judging, jobs, undo, memory),
            logs=LogList(sessions, jobs, memory),
            garage=garage,
            pan=PanModel(sessions, garage),
            files=Files(window, window.settings, self._tell),
            tell=self._tell,
            go_to=self.go_to,
            run=self.run,
            pop_up=lambda keys, at: self.commands.pop_up(window, keys, at),
            place=self._stack.addWidget,
        )

    def _connect(self) -> None:
        b, top = self.bench, self.window.top
        b.sessions.shown_changed.connect(self._show_session)
        for changed in (b.sessions.entries_changed, b.trial.changed, b.garage.changed, b.units.changed, b.jobs.idle):
            changed.connect(self._show_states)
        b.units.changed.connect(self._show_units)
        b.garage.changed.connect(self._tell_judging)
        for problem in (b.judging.problem, b.trial.failed, b.garage.problem):
            problem.connect(self._tell)
        b.jobs.progressed.connect(top.show_work)
        b.jobs.idle.connect(top.hide_work)
        top.cancelled.connect(b.jobs.cancel_all)
        top.units_chosen.connect(b.units.choose)
        for button, key in (
            (top.crumbs, "session.pick"),
            (top.look_button, "view.look"),
            (top.search_button, "search"),
        ):
            button.clicked.connect(lambda _=False, key=key: self.run(key))
        self.window.rail.chosen.connect(self.go_to)
        self.window.resized.connect(self._give_room)
        b.look.changed.connect(self._give_room)
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        application.focusChanged.connect(self._heed_focus)

    # What a station may ask for

    def run(self, key: str) -> None:
        """Run a command by its key."""
        self.commands.run(key)

    def tell(self, sentence: str) -> None:
        """Tell the user a problem, in one sentence, without stopping the work."""
        box = QMessageBox(QMessageBox.Icon.NoIcon, "Basso", sentence, QMessageBox.StandardButton.Ok, self.window)
        box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        box.setTextFormat(Qt.TextFormat.PlainText)
        box.setModal(False)
        box.open()

    def _tell(self, sentence: str) -> None:
        self.tell(sentence)  # looked up each time, so that it can be listened to

    @property
    def station(self) -> str:
        """Key of the station shown."""
        return self._shown

    def go_to(self, key: str) -> None:
        """Show a station; its page is made when it is first shown."""
        station = self.stations[key]
        for other in self.stations.values():
            other.looked_at = other is station
        self._shown = key
        station.show()
        self._give_room()
        self._stack.setCurrentWidget(station.page)
        self.window.rail.select(key)
        self.window.settings.station = key
        station.focus()

    def _room(self) -> QScrollArea:
        """Where the stations stand: with large type they scroll rather than run into each other."""
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.viewport().setAutoFillBackground(False)
        look = self.bench.look
        look.fit(self._stack, lambda s: s.setMinimumSize(*(round(n * look.height()) for n in _LEAST_LINES)))
        area.setWidget(self._stack)
        return area

    def _heed_focus(self, _: QWidget | None, now: QWidget | None) -> None:
        self.commands.heed_focus(now)

    def _give_room(self) -> None:
        """The pan stands beside the station only where that leaves it the width it needs."""
        pan, line = self.moments.pan, self.bench.look.height()
        wide = self.window.width() - self.window.rail.width() - pan.width() >= _LEAST_LINES[0] * line
        self.moments.tide.setVisible(self.bench.sessions.shown is not None)
        wide = wide and self.bench.sessions.shown is not None
        self.moments.give_room(self._shown in self.stations and self.stations[self._shown].shows_oil and wide)

    def _take_in_car(self, bundle: Path) -> None:
        """A car that was exported, dropped or opened: into the garage, which is opened first where it is not yet."""
        from basso.ui.stations.garage.files import GarageFiles

        garage, files = self.bench.garage, GarageFiles(self.bench)

        def when_open() -> None:
            if garage.is_open:
                garage.changed.disconnect(when_open)
                files.take_in(bundle)

        self.go_to("garage")
        garage.changed.connect(when_open)
        when_open() if garage.is_open else garage.open_own()

    # What changed

    def _show_session(self) -> None:
        entry = self.bench.sessions.shown
        where = [entry.car, entry.build, ", ".join(x for x in (entry.circuit, entry.title) if x)] if entry else []
        self.window.top.set_crumbs(where)
        name = " · ".join(x for x in (entry.title, entry.car) if x) if entry else ""
        self.window.setWindowTitle(f"{plain(name, _LONGEST_TITLE)} – Basso" if name else "Basso")
        self._give_room()
        self._show_states()

    def _show_states(self) -> None:
        """Let every station say on the path how it stands."""
        self.window.rail.set_states({key: station.state() for key, station in self.stations.items()})
        self.commands.refresh()

    def _show_units(self) -> None:
        self.window.settings.units = self.bench.shown_units
        self.window.top.set_units(self.bench.shown_units)

    def _tell_judging(self) -> None:
        facts = self.bench.garage.facts(self.bench.sessions.entries)
        if facts is not None:
            self.bench.judging.set_garage(facts)

    def go_on(self) -> None:
        """Take up what was stopped: the session shown, and what each station was at."""
        self.bench.judging.go_on()
        for station in self.stations.values():
            station.go_on()

    def leave(self) -> None:
        """The window closes: stop work and remember the place."""
        self.live.end()
        self.bench.jobs.cancel_all()
        self.bench.garage.close()
        entries, shown = self.bench.sessions.entries, self.bench.sessions.shown
        order = [shown, *(e for e in entries if e != shown)] if shown is not None else list(entries)
        from basso.workflow import demo_folder

        demo = demo_folder() if self.logs.demo_is_open else None
        own = [e.path for e in order if demo not in e.path.parents]
        if own or not order:  # the demo takes no user's logs away
            self.window.settings.last_logs = own
