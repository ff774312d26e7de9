"""The desk: stations, pan and tide around one workspace and one cursor, and what every command does.

The window paints its frame first and puts the desk on it a moment later (see :mod:`basso.ui.main_window`).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QObject, Qt, QTimer
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QApplication, QFileDialog, QMenu, QMessageBox, QStackedWidget, QWidget

from basso.errors import InputError
from basso.ui.commands import BY_KEY, COMMANDS, GROUPS, Command
from basso.ui.cursor import Cursor
from basso.ui.jobs import Jobs
from basso.ui.log_list import LogList, Row
from basso.ui.pan.widget import Moment, PanView, ReadingLine
from basso.ui.player import Player
from basso.ui.plots.ticks import clock
from basso.ui.states import station_states
from basso.ui.stations.catalogue import BY_KEY as STATIONS_BY_KEY
from basso.ui.stations.catalogue import STATIONS
from basso.ui.stations.dips.picture import nearest, readings, working
from basso.ui.stations.dips.widget import DipsStation
from basso.ui.stations.recordings.picture import Draft
from basso.ui.stations.recordings.widget import RecordingsStation
from basso.ui.stations.trial.widget import TrialStation
from basso.ui.stations.waiting import WaitingStation
from basso.ui.tide.picture import TidePicture
from basso.ui.tide.widget import Tide
from basso.ui.workspace import Entry, Workspace
from basso.units import UNITS, DisplayUnits

if TYPE_CHECKING:
    from basso.ui.main_window import MainWindow

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
        self.recordings = RecordingsStation(look)
        self.dips = DipsStation(look, self.cursor)
        self.trial = TrialStation(look)
        self.pan = PanView(look, lambda: self.workspace.units)
        self.tide = Tide(look, self.cursor)
        self._stack = QStackedWidget()
        self._pages: dict[str, QWidget] = {}
        self._last_analysis: object = None
        self._lay_out()
        self._actions = self._bind()
        self._connect()
        self._show_units()
        self.go_to(settings.station if settings.station in STATIONS_BY_KEY else "dips")
        self._refresh()
        self._refresh_trial()

    def _lay_out(self) -> None:
        built: dict[str, QWidget] = {"recordings": self.recordings, "dips": self.dips, "trial": self.trial}
        for station in STATIONS:
            page = built.get(station.key) or WaitingStation(self.look, station)
            self._pages[station.key] = page
            self._stack.addWidget(page)
        self.window.place(self._stack, self.pan, self.tide)
        self.pan.setVisible(self.settings.pan_shown)

    def _connect(self) -> None:
        w = self.workspace
        w.shown_changed.connect(self._refresh)
        w.entries_changed.connect(self._refresh_states)
        w.trial_changed.connect(self._refresh_trial)
        w.units_changed.connect(self._units_changed)
        w.problem.connect(self.tell)
        self.log_list.changed.connect(self._refresh_logs)
        self.log_list.moved.connect(self.recordings.refresh_row)
        r = self.recordings
        r.chosen.connect(self._choose_row)
        r.demo_wanted.connect(self.open_demo)
        r.opened.connect(self._open_row)
        r.cleared.connect(self.log_list.clear)
        r.cancelled.connect(self.jobs.cancel_all)
        r.columns.used.connect(self._use_columns)
        for signal, key in (
            (r.logs_wanted, "log.open"), (r.folder_wanted, "log.folder"), (r.gauge_wanted, "log.gauge"), (r.write_wanted, "log.write"),
        ):  # fmt: skip
            signal.connect(partial(self.run, key))
        self.jobs.progressed.connect(self.top.show_work)
        self.jobs.idle.connect(self.top.hide_work)
        self.top.cancelled.connect(self.jobs.cancel_all)
        self.top.units_chosen.connect(w.set_units)
        self.top.crumbs.clicked.connect(self._pick_session)
        self.top.look_button.clicked.connect(lambda: self.run("view.night"))
        self.top.search_button.clicked.connect(lambda: self.run("search"))
        self.rail.chosen.connect(self.go_to)
        self.dips.open_wanted.connect(self._choose_log)
        self.dips.demo_wanted.connect(self.open_demo)
        self.dips.columns_wanted.connect(lambda: self.go_to("recordings"))
        self.cursor.moved.connect(lambda _: self._show_moment())

    # Commands

    def _bind(self) -> dict[str, QAction]:
        handlers: dict[str, Callable[[], object]] = {
            "log.open": self._choose_log,
            "log.folder": self._choose_folder,
            "log.gauge": self._take_gauge_readings,
            "log.write": self._write_log,
            "analysis.export": self._export_analysis,
            "session.pick": self._pick_session,
            "demo.open": self.open_demo,
            "list.export": self._export_list,
            "picture.export": self._export_picture,
            "window.close": self.window.close,
            "edit.undo": self.workspace.undo.undo,
            "edit.redo": self.workspace.undo.redo,
            "edit.copy": self._copy,
            "judge.floors": self._edit_floors,
            "judge.readings": self._show_readings,
            "judge.columns": lambda: self.go_to("recordings"),
            "judge.working": self._show_working,
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
        self._actions["edit.undo"].setText(f"{BY_KEY['edit.undo'].title} {label}".rstrip())

    def _name_redo(self, label: str) -> None:
        self._actions["edit.redo"].setText(f"{BY_KEY['edit.redo'].title} {label}".rstrip())

    def run(self, key: str) -> None:
        """Run a command by its key."""
        self._actions[key].trigger()

    def _help(self) -> None:
        from basso.ui.dialogs import HelpDialog

        HelpDialog(self.window, self.look).exec()

    def _search(self) -> None:
        from basso.ui.dialogs import SearchDialog

        dialog = SearchDialog(self.window, self.look, lambda c: self._actions[c.key].isEnabled() and c.key != "search")
        if dialog.exec() and isinstance(dialog.chosen, Command):
            self.run(dialog.chosen.key)

    # Stations

    @property
    def station(self) -> str:
        """Key of the station shown."""
        return next(k for k, page in self._pages.items() if page is self._stack.currentWidget())

    def go_to(self, key: str) -> None:
        """Show a station."""
        self._stack.setCurrentWidget(self._pages[key])
        self.rail.select(key)
        self.settings.station = key
        if key == "recordings":
            self.log_list.activate()

    # Sessions

    def open_logs(self, paths: Sequence[Path]) -> None:
        """Open logs and show the first."""
        from basso.workflow import logs_in

        if not paths:
            return
        try:
            logs = logs_in(paths)
        except InputError as error:
            self.tell(str(error))
            return
        self.settings.folder = logs[0].parent
        if len(logs) > 1:
            self.log_list.activate()
        self.workspace.open_logs(logs)

    def open_demo(self) -> None:
        """Open the demo sessions and their trial."""
        from basso.ui.workspace import demo_entries
        from basso.workflow import demo_folder

        entries, a, b = demo_entries(demo_folder())
        self.workspace.add(entries)
        first = next(e for e in entries if e.title == a[0])
        self.workspace.show(first)
        sides = tuple(tuple(e for e in entries if e.title in names) for names in (a, b))
        QTimer.singleShot(0, lambda: self.workspace.set_trial(*sides))

    def _choose_log(self) -> None:
        from basso.formats.registry import LOG_SUFFIXES

        endings = " ".join(f"*{s}" for s in LOG_SUFFIXES)
        names, _ = QFileDialog.getOpenFileNames(
            self.window, "Add logs", str(self.settings.folder), f"Logs ({endings});;All files (*)"
        )
        self.open_logs([Path(n) for n in names])

    def _choose_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self.window, "Add a folder of logs", str(self.settings.folder))
        if name:
            self.open_logs([Path(name)])

    def _take_gauge_readings(self) -> None:
        from basso.ui.stations.recordings.gauge import GaugeDialog

        dialog = GaugeDialog(self.window, self.look, self.workspace.units)
        if not dialog.exec():
            return
        name, _ = QFileDialog.getSaveFileName(
            self.window, "Keep the readings", str(self.settings.folder / "gauge-readings.csv"), "CSV (*.csv)"
        )
        if name and self._write(Path(name), dialog.data):
            self.open_logs([Path(name)])
            self.go_to("recordings")

    def _choose_row(self, row: Row) -> None:
        if row.entry in self.workspace.entries and row.entry != self.workspace.shown:
            self.workspace.show(row.entry)

    def _open_row(self, row: Row) -> None:
        """Enter on a log: look at its dips; on one that was not read, read it."""
        if row.stage in ("cancelled", "refused"):
            self.log_list.retry(row)
        elif row.entry in self.workspace.entries:
            self._choose_row(row)
            self.go_to("dips")

    def _use_columns(self, draft: Draft, remember: bool) -> None:
        recording, shown = self.workspace.recording, self.workspace.shown
        if recording is not None and shown is not None:
            self.workspace.set_columns(draft.options(recording, self.workspace.columns_of(shown)), remember)

    def _pick_session(self) -> None:
        menu = QMenu(self.window)
        for entry in self.workspace.entries:
            action = menu.addAction(f"{entry.title}    {entry.circuit}".rstrip())
            action.setCheckable(True)
            action.setChecked(entry == self.workspace.shown)
            action.triggered.connect(lambda _=False, e=entry: self.workspace.show(e))
        if self.workspace.entries:
            menu.addSeparator()
        menu.addAction(self._actions["log.open"])
        menu.addAction(self._actions["demo.open"])
        menu.exec(self.top.crumbs.mapToGlobal(self.top.crumbs.rect().bottomLeft()))

    # Showing what changed

    def _refresh(self) -> None:
        w, a = self.workspace, self.workspace.analysis
        entry = w.shown
        self.top.set_crumbs(
            [entry.car, entry.build, ", ".join(x for x in (entry.circuit, entry.title) if x)]
            if entry is not None
            else []
        )
        self.dips.show_analysis(a, w.units, f"Reading {entry.title} …" if entry is not None and a is None else "")
        if a is None:
            self.tide.set_picture(None, "")
            self.pan.set_moment(None)
        else:
            picture = TidePicture(a)
            laps = sum(lap.complete for lap in a.laps)
            self.tide.set_picture(
                picture, (f"{laps} laps, " if laps else "") + f"{clock(picture.end_s - picture.start_s)} min"
            )
            if self._last_analysis is None or getattr(self._last_analysis, "recording", None) is not a.recording:
                self.cursor.set_whole(picture.start_s, picture.end_s)
                self._start_at_worst()
            self._show_moment()
        self._last_analysis = a if a is not None else self._last_analysis
        self.recordings.show_log(w.recording, a, w.units, f"Reading {entry.title} …" if entry is not None else "")
        self._refresh_logs()
        self._refresh_states()

    def _refresh_logs(self) -> None:
        self.recordings.show_rows(self.log_list.rows, self.workspace.shown)

    def _start_at_worst(self) -> None:
        """A fresh session opens on the lap with its deepest dip, not on the pit lane."""
        a = self.workspace.analysis
        if a is not None and a.dips:
            worst = min(range(len(a.dips)), key=lambda i: a.dips[i].dip.min_margin_kpa)
            self.dips.select(worst)
            lap = a.dips[worst].lap
            if lap is not None and lap.complete:
                self.cursor.show(lap.start_s, lap.end_s)
        self.dips.traces.setFocus()

    def _refresh_states(self) -> None:
        self.rail.set_states(station_states(self.workspace))
        self._refresh_trial_menus()

    def _refresh_trial(self) -> None:
        w = self.workspace
        waiting = w.trial_problem or ("Comparing …" if w.trial_a and w.trial_b and w.comparison is None else "")
        names = tuple(", ".join(dict.fromkeys(e.build or e.title for e in side)) for side in (w.trial_a, w.trial_b))
        self.trial.show_comparison(w.comparison, w.units, (names[0], names[1]), waiting)
        self._refresh_states()

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
            menu.addAction(self._actions["log.open"])
            button.setMenu(menu)

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

        def mean(values: np.ndarray | None) -> float:
            return float(np.nan_to_num(values[held]).mean()) if values is not None else 0.0

        lap = next((f"lap {lap.number}" for lap in a.laps if lap.start_s <= at < lap.end_s), "")
        lines = [ReadingLine(r.name, r.value, r.unit, r.low) for r in readings(a, at, self.workspace.units)]
        self.pan.set_moment(Moment(at, lap, mean(a.longitudinal_g), mean(a.lateral_g), lines))

    def tell(self, sentence: str) -> None:
        """Tell the user a problem, in one sentence, without stopping the work."""
        box = QMessageBox(QMessageBox.Icon.NoIcon, "Basso", sentence, QMessageBox.StandardButton.Ok, self.window)
        box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        box.setModal(False)
        box.open()

    # Units and look

    def _units_changed(self) -> None:
        self.settings.units = self.workspace.units
        self._show_units()
        self._refresh()
        self._refresh_trial()

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

    def _edit_floors(self) -> None:
        from basso.ui.dialogs import FloorsDialog

        dialog = FloorsDialog(self.window, self.look, self.workspace.floors, self.workspace.units)
        if dialog.exec():
            self.workspace.set_floors(dialog.floors())

    def _show_readings(self) -> None:
        a = self.workspace.analysis
        if a is None:
            return
        from basso.ui.dialogs import ReadingsDialog

        dialog = ReadingsDialog(self.window, self.look, a, self.workspace.refused)
        if dialog.exec():
            self.workspace.set_refused(dialog.refused())

    def _show_working(self) -> None:
        a, dip = self.workspace.analysis, self.dips.selected
        if a is None or not a.dips:
            return
        from basso.ui.dialogs import WorkingDialog

        dip = max(dip, 0)
        WorkingDialog(
            self.window,
            self.look,
            f"Dip {dip + 1}, at {clock(a.dips[dip].dip.start_s, 1)}",
            working(a, a.dips[dip], self.workspace.units),
        ).exec()

    # Taking it along

    def _table_text(self, separator: str, only_selected: bool = False) -> str:
        if self.station == "recordings":
            return self.recordings.table_text(separator)
        if self.station == "trial":
            return self.trial.table_text(separator)
        return self.dips.table_text(separator, only_selected=only_selected)

    def _copy(self) -> None:
        QApplication.clipboard().setText(self._table_text("\t", only_selected=True))

    def _export_list(self) -> None:
        a, station = self.workspace.analysis, self.station
        if (station == "trial" and self.workspace.comparison is None) or (
            station not in ("trial", "recordings") and a is None
        ):
            return
        what = (
            {"trial": "trial", "recordings": "logs"}.get(station) or f"{a.recording.path.stem}-dips"
            if a is not None
            else station
        )
        name, _ = QFileDialog.getSaveFileName(
            self.window, "Export the list", str(self.settings.folder / f"{what}.csv"), "CSV (*.csv)"
        )
        if name:
            self._write(Path(name), self._table_text(",").encode())

    def _export_analysis(self) -> None:
        a, units = self.workspace.analysis, self.workspace.units
        if a is None:
            return
        name, _ = QFileDialog.getSaveFileName(
            self.window,
            "Export the analysis",
            str(self.settings.folder / f"{a.recording.path.stem}-analysis.xlsx"),
            "Spreadsheet (*.xlsx);;JSON (*.json);;CSV of the dips (*.csv)",
        )
        if name:
            from basso.workflow import export_analysis

            path = Path(name)
            self.jobs.start(
                "export", f"writing {path.name}", lambda _: export_analysis(a, path, units), lambda _: None, self.tell
            )

    def _write_log(self) -> None:
        a = self.workspace.analysis
        if a is None:
            return
        from basso.ui.write_dialog import WriteDialog

        dialog = WriteDialog(self.window, self.look, a, self.cursor.view)
        if not dialog.exec():
            return
        suffix, span, corrected = dialog.choice()
        name, _ = QFileDialog.getSaveFileName(
            self.window, "Write this log", str(self.settings.folder / f"{a.recording.path.stem}-written{suffix}"),
            {".csv": "CSV (*.csv)", ".parquet": "Parquet (*.parquet)"}[suffix],
        )  # fmt: skip
        if not name:
            return
        from basso.workflow import export_recording

        path = Path(name) if Path(name).suffix else Path(name + suffix)
        if path.exists() and path.samefile(a.recording.path):
            self.tell(f"{path.name} is the log itself, which is never changed; write to another file.")
            return
        self.jobs.start(
            "export",
            f"writing {path.name}",
            lambda _: export_recording(a.recording, path, span, a if corrected else None),
            lambda _: None,
            self.tell,
        )

    def _export_picture(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self.window, "Export this view", str(self.settings.folder / f"basso-{self.station}.png"), "PNG (*.png)"
        )
        if name and not self.window.grab().save(name, "PNG"):
            self.tell(f"{name} could not be written; choose another folder.")

    def _write(self, path: Path, data: bytes) -> bool:
        """Write a file whole or not at all; True when it is there."""
        from basso.files import write_whole

        try:
            write_whole(path, data)
        except InputError as error:
            self.tell(str(error))
            return False
        return True

    def leave(self) -> None:
        """The window closes: stop work and remember the place."""
        self.jobs.cancel_all()
        entries, shown = self.workspace.entries, self.workspace.shown
        order = [shown, *(e for e in entries if e != shown)] if shown is not None else list(entries)
        self.settings.last_logs = [e.path for e in order if e is not None]
