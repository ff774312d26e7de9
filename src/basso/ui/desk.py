"""The desk: stations, pan and tide around one workspace and one cursor, and what every command does.

The window paints its frame first and puts the desk on it a moment later (see :mod:`basso.ui.main_window`).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import cached_property, partial
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QObject, Qt
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMenu, QMessageBox, QStackedWidget, QWidget

from basso.ui.commands import BY_KEY, COMMANDS, GROUPS, Command
from basso.ui.cornering import Cornering
from basso.ui.cursor import Cursor
from basso.ui.exporting import Exporting
from basso.ui.jobs import Jobs
from basso.ui.keeping import Keeping
from basso.ui.learning import Learning
from basso.ui.log_list import LogList
from basso.ui.opening import Opening
from basso.ui.pan.widget import Moment, PanView, ReadingLine
from basso.ui.passing import replace_menu, run_dialog
from basso.ui.player import Player
from basso.ui.plots.ticks import clock
from basso.ui.sensing import Sensing
from basso.ui.states import station_states
from basso.ui.stations.catalogue import BY_KEY as STATIONS_BY_KEY
from basso.ui.stations.catalogue import STATIONS
from basso.ui.stations.corners.widget import CornersStation
from basso.ui.stations.dips.dip_working import working
from basso.ui.stations.dips.picture import nearest, readings
from basso.ui.stations.dips.widget import ONE_DIP, SHARES, TRACES, DipsStation
from basso.ui.stations.normal.widget import NormalStation
from basso.ui.stations.recordings.widget import RecordingsStation
from basso.ui.stations.sensors.widget import DROPS, FIT, REGISTER, SensorsStation
from basso.ui.stations.trial.widget import TrialStation
from basso.ui.stations.waiting import WaitingStation
from basso.ui.surveying import Surveying
from basso.ui.tide.picture import TidePicture
from basso.ui.tide.widget import Tide
from basso.ui.workspace import Entry, Workspace
from basso.units import UNITS, DisplayUnits

if TYPE_CHECKING:
    from basso.ui.garage_model import GarageModel
    from basso.ui.garaging import Garaging
    from basso.ui.main_window import MainWindow
    from basso.ui.stations.garage.widget import GarageStation

_HELD_S = 0.6
"""The pan shows the oil under the g held this long: it follows late."""


class Desk(QObject):
    """Path, station, pan, tide and top line around one workspace and one cursor."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self.window = window
        look, settings = window.look, window.settings
        self.look, self.settings, self.top, self.rail = look, settings, window.top, window.rail
        self.jobs = Jobs()
        self.workspace = Workspace(self.jobs, settings.units)
        self.cursor = Cursor()
        self.player = Player(self.cursor)
        self.log_list = LogList(self.workspace, self.jobs)
        self.opening, self.exporting = Opening(self), Exporting(self)
        self.recordings = RecordingsStation(look)
        self.dips = DipsStation(look, self.cursor)
        self.sensors = SensorsStation(look)
        self.trial = TrialStation(look)
        self.normal = NormalStation(look)
        self.corners = CornersStation(look, self.cursor)
        self.pan = PanView(look, lambda: self.workspace.units)
        self.tide = Tide(look, self.cursor)
        self._stack = QStackedWidget()
        self._pages: dict[str, QWidget] = {}
        self._last_analysis: object = None
        self._lay_out()
        self.sensing = Sensing(self)
        self.keeping = Keeping(self)
        self.cornering = Cornering(self)
        self.surveying = Surveying(self)
        self.learning = Learning(self)
        self.actions = self._bind()
        self._connect()
        self._show_units()
        self.go_to(settings.station if settings.station in STATIONS_BY_KEY else "dips")
        self._refresh()
        self._refresh_trial()

    # The garage is made when it is first wanted: what is seen first must not wait for it.

    @cached_property
    def garage_model(self) -> GarageModel:
        """Cars and the one shown."""
        from basso.ui.garage_model import GarageModel

        return GarageModel(self.jobs, self.workspace.undo)

    @cached_property
    def garage(self) -> GarageStation:
        """The Garage station, in the place of the page that stood for it."""
        from basso.ui.stations.garage.widget import GarageStation

        station, before = GarageStation(self.look), self._pages["garage"]
        self._stack.insertWidget(self._stack.indexOf(before), station)
        if self._stack.currentWidget() is before:
            self._stack.setCurrentWidget(station)
        self._stack.removeWidget(before)
        before.deleteLater()
        self._pages["garage"] = station
        return station

    @cached_property
    def garaging(self) -> Garaging:
        """What the Garage station's verbs do."""
        from basso.ui.garaging import Garaging

        return Garaging(self)

    @property
    def has_garage(self) -> bool:
        """True once the garage was wanted."""
        return "garaging" in self.__dict__

    def _lay_out(self) -> None:
        built: dict[str, QWidget] = {
            "sensors": self.sensors,
            "recordings": self.recordings,
            "dips": self.dips,
            "trial": self.trial,
            "normal": self.normal,
            "corners": self.corners,
        }
        for station in STATIONS:
            page = built.get(station.key) or WaitingStation(self.look, station)
            self._pages[station.key] = page
            self._stack.addWidget(page)
        self.window.place(self._stack, self.pan, self.tide)
        self.pan.setVisible(self.settings.pan_shown)

    def _connect(self) -> None:
        w = self.workspace
        w.shown_changed.connect(self._refresh)
        w.entries_changed.connect(self.refresh_states)
        w.trial_changed.connect(self._refresh_trial)
        w.units_changed.connect(self._units_changed)
        w.problem.connect(self.tell)
        self.log_list.changed.connect(self._refresh_logs)
        self.log_list.moved.connect(self.recordings.refresh_row)
        r = self.recordings
        r.chosen.connect(self.opening.choose_row)
        r.demo_wanted.connect(self.opening.open_demo)
        r.opened.connect(self.opening.open_row)
        r.cleared.connect(self.log_list.clear)
        r.cancelled.connect(self.jobs.cancel_all)
        r.columns.used.connect(self.opening.use_columns)
        for signal, key in (
            (r.logs_wanted, "log.open"), (r.folder_wanted, "log.folder"), (r.gauge_wanted, "log.gauge"), (r.write_wanted, "log.write"),
        ):  # fmt: skip
            signal.connect(partial(self.run, key))
        self.jobs.progressed.connect(self.top.show_work)
        self.jobs.idle.connect(self.top.hide_work)
        self.top.cancelled.connect(self.jobs.cancel_all)
        self.top.units_chosen.connect(w.set_units)
        self.top.crumbs.clicked.connect(self.opening.pick_session)
        self.top.look_button.clicked.connect(lambda: self.run("view.night"))
        self.top.search_button.clicked.connect(lambda: self.run("search"))
        self.rail.chosen.connect(self.go_to)
        self.dips.open_wanted.connect(self.opening.choose_files)
        self.dips.demo_wanted.connect(self.opening.open_demo)
        self.dips.ruling_wanted.connect(lambda: self.run("judge.rule"))
        self.dips.columns_wanted.connect(lambda: self.go_to("recordings"))
        self.dips.confirm_wanted.connect(self.opening.confirm_lookalikes)
        self.cursor.moved.connect(lambda _: self._show_moment())

    # Commands

    def _bind(self) -> dict[str, QAction]:
        handlers: dict[str, Callable[[], object]] = {
            "log.open": self.opening.choose_files,
            "log.folder": self.opening.choose_folder,
            "log.gauge": self.opening.take_gauge_readings,
            "log.write": self.exporting.write_log,
            "analysis.export": self.exporting.export_analysis,
            "session.pick": self.opening.pick_session,
            "demo.open": self.opening.open_demo,
            "list.export": self.exporting.export_list,
            "picture.export": self.exporting.export_picture,
            "window.close": self.window.close,
            "edit.undo": self.workspace.undo.undo,
            "edit.redo": self.workspace.undo.redo,
            "edit.copy": self.exporting.copy,
            "judge.floors": self.keeping.edit_floors,
            "judge.normal": self.keeping.keep_normal,
            "judge.oils": self.keeping.edit_oils,
            "judge.rule": self.keeping.rule,
            "circuit.name": lambda: self._at_corners(lambda: self.surveying.name_place(self.corners.ladder.chosen)),
            "circuit.keep": self.surveying.keep_map,
            "circuit.line": lambda: self._at_corners(self.corners.circuit.begin_line),
            "dip.one": lambda: self._dips_page(ONE_DIP),
            "dip.shares": lambda: self._dips_page(SHARES),
            "dip.traces": lambda: self._dips_page(TRACES),
            "judge.readings": lambda: self.go_to("sensors"),
            "sensors.register": partial(self._sensors_page, REGISTER),
            "sensors.drops": partial(self._sensors_page, DROPS),
            "sensors.fit": partial(self._sensors_page, FIT),
            "judge.again": self._go_on,
            "judge.confirm": self.opening.confirm_lookalikes,
            "judge.columns": lambda: self.go_to("recordings"),
            "judge.working": self._show_working,
            "garage.history": lambda: self.garaging.act("history", None),
            "garage.symptoms": lambda: self.garaging.ask_symptoms(),
            "dip.next": lambda: self._step_dip(1),
            "dip.previous": lambda: self._step_dip(-1),
            "lap.next": lambda: self._step_lap(1),
            "lap.previous": lambda: self._step_lap(-1),
            "play.toggle": self.player.toggle,
            "play.slower": lambda: self._play_speed(0.5),
            "play.faster": lambda: self._play_speed(2.0),
            "zoom.in": lambda: self.cursor.zoom(0.6, self.cursor.time_s),
            "zoom.out": lambda: self.cursor.zoom(1 / 0.6, self.cursor.time_s),
            "zoom.all": lambda: self.cursor.show(*self.cursor.whole),
            "zoom.lap": self._show_lap,
            "view.pan": self._fold_pan,
            "view.night": self._turn_night,
            "units.next": self._next_unit,
            "search": self._search,
            "help": self._help,
            **{f"station.{s.key}": partial(self.go_to, s.key) for s in STATIONS},
        }
        actions = {}
        menu = QMenu(self.top.menu_button)
        groups = {g: menu.addMenu(g) for g in GROUPS}
        for command in COMMANDS:
            action = QAction(command.title, self.window)
            action.setShortcuts([QKeySequence(s) for s in command.shortcut])
            action.setStatusTip(command.hint)
            action.triggered.connect(lambda _=False, run=handlers[command.key]: run())
            self.window.addAction(action)
            groups[command.group].addAction(action)
            actions[command.key] = action
        self.top.menu_button.setMenu(menu)
        undo = self.workspace.undo
        for key, can in (("edit.undo", undo.canUndoChanged), ("edit.redo", undo.canRedoChanged)):
            actions[key].setEnabled(False)
            can.connect(actions[key].setEnabled)
        undo.undoTextChanged.connect(self._name_undo)
        undo.redoTextChanged.connect(self._name_redo)
        return actions

    def _name_undo(self, label: str) -> None:
        self.actions["edit.undo"].setText(f"{BY_KEY['edit.undo'].title} {label}".rstrip())

    def _name_redo(self, label: str) -> None:
        self.actions["edit.redo"].setText(f"{BY_KEY['edit.redo'].title} {label}".rstrip())

    def run(self, key: str) -> None:
        """Run a command by its key."""
        self.actions[key].trigger()

    def _help(self) -> None:
        from basso.ui.dialogs import HelpDialog

        run_dialog(HelpDialog(self.window, self.look))

    def _go_on(self) -> None:
        """Take up what was stopped, here and at the station that is looked at."""
        self.workspace.go_on()
        if self.has_garage:
            self.garage_model.go_on()
        self.log_list.go_on()
        self.cornering.go_on()
        self.learning.go_on()

    def _search(self) -> None:
        from basso.ui.dialogs import SearchDialog

        dialog = SearchDialog(self.window, self.look, lambda c: self.actions[c.key].isEnabled() and c.key != "search")
        if run_dialog(dialog) and isinstance(dialog.chosen, Command):
            self.run(dialog.chosen.key)

    # Stations

    @property
    def station(self) -> str:
        """Key of the station shown."""
        return next(k for k, page in self._pages.items() if page is self._stack.currentWidget())

    def go_to(self, key: str) -> None:
        """Show a station."""
        if key == "garage":
            self.garaging.activate()
        self._stack.setCurrentWidget(self._pages[key])
        self.rail.select(key)
        self.settings.station = key
        if key == "recordings":
            self.log_list.activate()
        elif key == "garage":
            self.garage.take_focus()
        elif key == "sensors":
            self.sensors.take_focus()
        elif key == "corners":
            self.cornering.refresh()
        elif key == "normal":
            self.learning.refresh()

    def show_ruling(self) -> None:
        """What the owner decided after the session shown."""
        self.dips.show_ruling(self.keeping.ruling_words())

    def _dips_page(self, page: int) -> None:
        self.go_to("dips")
        self.dips.show_page(page)

    def _at_corners(self, act: Callable[[], None]) -> None:
        self.go_to("corners")
        act()

    def _sensors_page(self, page: int) -> None:
        self.go_to("sensors")
        self.sensors.show_page(page)

    # Showing what changed

    def _refresh(self) -> None:
        w, a = self.workspace, self.workspace.analysis
        entry = w.shown
        self.top.set_crumbs(
            [entry.car, entry.build, ", ".join(x for x in (entry.circuit, entry.title) if x)]
            if entry is not None
            else []
        )
        self.dips.show_analysis(a, w.units, w.waiting)
        self.show_ruling()
        if a is None:
            self.tide.set_picture(None, "")
            self.pan.set_moment(None)
        else:
            picture = TidePicture(a)
            laps = sum(lap.complete for lap in a.laps)
            self.tide.set_picture(
                picture,
                (f"{laps} laps, " if laps else "") + f"{clock(picture.end_s - picture.start_s)} min",
                f"zero {a.zero_state}",
            )
            if self._last_analysis is None or getattr(self._last_analysis, "recording", None) is not a.recording:
                self.cursor.set_whole(picture.start_s, picture.end_s)
                self._start_at_worst()
            self._show_moment()
        self._last_analysis = a if a is not None else self._last_analysis
        self.sensors.show_analysis(a, w.units, w.waiting)
        self.recordings.show_log(w.recording, a, w.units, w.waiting)
        self._refresh_logs()
        self.refresh_states()

    def _refresh_logs(self) -> None:
        self.recordings.show_rows(self.log_list.rows, self.workspace.shown)

    def _start_at_worst(self) -> None:
        """A fresh session opens on the lap with its deepest dip, not on the pit lane."""
        a = self.workspace.analysis
        if a is not None and a.dips:
            worst = min(range(len(a.dips)), key=lambda i: a.dips[i].dip.told_margin_kpa)
            self.dips.select(worst)
            lap = a.dips[worst].lap
            if lap is not None and lap.complete:
                self.cursor.show(lap.start_s, lap.end_s)
        self.dips.traces.setFocus()

    def refresh_states(self) -> None:
        """Let every station say on the path how it stands."""
        self.rail.set_states(station_states(self.workspace, self.garage_model.view if self.has_garage else None))
        self._refresh_trial_menus()

    def _refresh_trial(self) -> None:
        w = self.workspace
        waiting = w.trial_problem or ("Comparing …" if w.trial_a and w.trial_b and w.comparison is None else "")
        names = tuple(", ".join(dict.fromkeys(e.build or e.title for e in side)) for side in (w.trial_a, w.trial_b))
        self.trial.show_comparison(w.comparison, w.units, (names[0], names[1]), waiting)
        self.trial.show_cards(self.garaging.trial_words(w.comparison) if self.has_garage else "")
        self.refresh_states()

    def _refresh_trial_menus(self) -> None:
        w = self.workspace
        for button, side in ((self.trial.side_a, 0), (self.trial.side_b, 1)):
            menu = QMenu(button)
            for entry in w.entries:
                action = menu.addAction(entry.title)
                action.setCheckable(True)
                action.setChecked(entry in (w.trial_a, w.trial_b)[side])
                action.triggered.connect(lambda on, e=entry, s=side: self._toggle_side(e, s, on))
            menu.addSeparator()
            menu.addAction(self.actions["log.open"])
            replace_menu(button, menu)

    def _toggle_side(self, entry: Entry, side: int, on: bool) -> None:
        """Put a session on one side of the trial (and off the other) or take it away."""
        w = self.workspace
        sides = [[e for e in s if e != entry] for s in (w.trial_a, w.trial_b)]
        if on:
            sides[side].append(entry)
        w.set_trial(tuple(sides[0]), tuple(sides[1]))

    def _show_moment(self) -> None:
        a = self.workspace.analysis
        if a is None or not self.pan.isVisibleTo(self.window):
            return
        at = self.cursor.time_s
        i = nearest(a.time_s, at)
        held = slice(int(np.searchsorted(a.time_s, a.time_s[i] - _HELD_S)), i + 1)

        def mean(values: np.ndarray | None) -> float | None:
            return float(np.nan_to_num(values[held]).mean()) if values is not None else None

        lap = next((f"lap {lap.number}" for lap in a.laps if lap.start_s <= at < lap.end_s), "")
        lines = [ReadingLine(r.name, r.value, r.unit, r.low) for r in readings(a, at, self.workspace.units)]
        self.pan.set_moment(Moment(at, lap, mean(a.longitudinal_g), mean(a.lateral_g), lines, a.side, a.judgeable))

    def tell(self, sentence: str) -> None:
        """Tell the user a problem, in one sentence, without stopping the work."""
        box = QMessageBox(QMessageBox.Icon.NoIcon, "Basso", sentence, QMessageBox.StandardButton.Ok, self.window)
        box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        box.setTextFormat(Qt.TextFormat.PlainText)
        box.setModal(False)
        box.open()

    # Units and look

    def _units_changed(self) -> None:
        self.settings.units = self.workspace.units
        self._show_units()
        self._refresh()
        self._refresh_trial()
        if self.has_garage and self.garage_model.is_open:
            self.garaging.refresh()

    def _show_units(self) -> None:
        self.top.set_units(self.workspace.units)

    def _next_unit(self) -> None:
        order = ("kPa", "bar", "psi")
        now = order.index(self.workspace.units.pressure.symbol)
        units: DisplayUnits = replace(self.workspace.units, pressure=UNITS[order[(now + 1) % 3]])
        self.workspace.set_units(units)

    def _turn_night(self) -> None:
        self.look.set_night(not self.look.is_night)
        self.settings.night = self.look.is_night

    def _fold_pan(self) -> None:
        shown = not self.pan.isVisible()
        self.pan.setVisible(shown)
        self.settings.pan_shown = shown
        self._show_moment()

    # Moving about

    def _step_dip(self, by: int) -> None:
        self.go_to("dips")
        self.dips.step(by)

    def _step_lap(self, by: int) -> None:
        a = self.workspace.analysis
        if a is None or not a.laps:
            return
        at = max((i for i, lap in enumerate(a.laps) if lap.start_s <= self.cursor.time_s), default=0)
        lap = a.laps[min(max(at + by, 0), len(a.laps) - 1)]
        self.cursor.show(lap.start_s, lap.end_s)
        self.cursor.move_to(lap.start_s)

    def _show_lap(self) -> None:
        a = self.workspace.analysis
        lap = next((x for x in a.laps if x.start_s <= self.cursor.time_s <= x.end_s), None) if a is not None else None
        if lap is not None:
            self.cursor.show(lap.start_s, lap.end_s)

    def _play_speed(self, factor: float) -> None:
        self.player.change_speed(factor)

    # Judging

    def _show_working(self) -> None:
        a, dip = self.workspace.analysis, self.dips.selected
        from basso.ui.dialogs import WorkingDialog

        if self.station == "normal" and self.normal.told is not None:
            steps = self.normal.working()
            run_dialog(WorkingDialog(self.window, self.look, self.normal.title, steps))
            return
        if self.station == "corners" and self.corners.told is not None:
            run_dialog(WorkingDialog(self.window, self.look, self.corners.title, self.corners.working()))
            return
        if a is None or not a.dips:
            return
        dip = max(dip, 0)
        title = f"Dip {dip + 1}, at {clock(a.dips[dip].dip.start_s, 1)}"
        run_dialog(WorkingDialog(self.window, self.look, title, working(a, a.dips[dip], self.workspace.units)))

    def leave(self) -> None:
        """The window closes: stop work and remember the place."""
        self.jobs.cancel_all()
        if self.has_garage:
            self.garage_model.close()
        entries, shown = self.workspace.entries, self.workspace.shown
        order = [shown, *(e for e in entries if e != shown)] if shown is not None else list(entries)
        self.settings.last_logs = [e.path for e in order if e is not None]
