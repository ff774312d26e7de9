"""The Recordings station at the bench: the log list, what each column was taken for, readings off a gauge."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QMenu

from basso.recording.roles import Role
from basso.ui.bench import Bench
from basso.ui.dialogs import run_dialog
from basso.ui.stations.recordings.picture import Draft
from basso.ui.stations.station import Command, Shot, State, Station
from basso.ui.stations.table import Table

if TYPE_CHECKING:
    from basso.ui.models.log_list import Row
    from basso.ui.stations.recordings.widget import RecordingsPage


class RecordingsStation(Station["RecordingsPage"]):
    """Every log you have: brought in, recognised, mapped and kept."""

    shows_oil = False

    def __init__(self, bench: Bench) -> None:
        super().__init__(bench)
        bench.sessions.shown_changed.connect(self.fill)
        bench.units.changed.connect(self.fill)
        bench.logs.changed.connect(self._show_rows)
        bench.logs.moved.connect(self._refresh_row)

    def make_page(self) -> RecordingsPage:
        """The page."""
        from basso.ui.stations.recordings.widget import RecordingsPage

        page, bench = RecordingsPage(self.bench.look), self.bench
        page.chosen.connect(self._choose)
        page.opened.connect(self._open)
        page.cleared.connect(bench.logs.clear)
        page.cancelled.connect(bench.jobs.cancel_all)
        page.menu_wanted.connect(self._offer)
        page.columns.used.connect(self._use_columns)
        page.command_wanted.connect(bench.run)
        return page

    def state(self) -> State:
        """What is in the log shown, else how many are open."""
        sessions = self.bench.sessions
        a, entries = sessions.analysis, sessions.entries
        if a is None:
            return State(f"{len(entries)} logs" if entries else "no log open yet", "" if entries else "attention")
        laps = sum(lap.complete for lap in a.laps)
        channels = sum(c.role is not Role.TIME for c in a.recording.channels)
        return State((f"{laps} laps, " if laps else "") + f"{channels} channel{'' if channels == 1 else 's'}")

    def commands(self) -> tuple[Command, ...]:
        """Columns, and readings off a gauge."""
        return (
            Command(
                "log.gauge",
                "Session",
                "Gauge readings…",
                self._take_gauge_readings,
                ("Ctrl+G",),
                "by hand, for a car without a logger",
            ),
            Command(
                "judge.confirm",
                "Judge",
                "Confirm columns",
                self._confirm_lookalikes,
                ("Ctrl+Return",),
                "take the columns that look like what is missing for it, in every log with these columns",
            ),
            Command(
                "judge.columns",
                "Judge",
                "Columns",
                lambda: self.bench.go_to("recordings"),
                ("Ctrl+M",),
                "which column of the log is what, and in which unit",
            ),
        )

    def show(self) -> None:
        """The logs that were only named so far are read."""
        self.bench.logs.activate()

    def fill(self) -> None:
        """The columns of the session shown, and the list."""
        if not self.made:
            return
        sessions = self.bench.sessions
        self.page.show_log(sessions.recording, sessions.analysis, self.bench.shown_units, sessions.waiting)
        self._show_rows()

    def table(self, only_selected: bool = False) -> Table | None:
        """The log list."""
        return Table("logs", self.page.rows())

    def go_on(self) -> None:
        """Read what was stopped."""
        self.bench.logs.go_on()

    def shots(self) -> tuple[Shot, ...]:
        """The list of the demo's logs."""
        return (Shot("recordings", lambda: None, lambda: not self.bench.logs.busy),)

    def _show_rows(self) -> None:
        if self.made:
            self.page.show_rows(self.bench.logs.rows, self.bench.sessions.shown)

    def _refresh_row(self, row: int) -> None:
        if self.made:
            self.page.refresh_row(row)

    def _choose(self, row: Row) -> None:
        """Show the log of a row of the list."""
        sessions = self.bench.sessions
        if row.entry in sessions.entries and row.entry != sessions.shown:
            sessions.show(row.entry)

    def _open(self, row: Row) -> None:
        """Enter on a log: look at its dips; on one that was not read, read it."""
        if row.stage in ("cancelled", "refused"):
            self.bench.logs.retry(row)
        elif row.entry in self.bench.sessions.entries:
            self._choose(row)
            self.bench.go_to("dips")

    def _offer(self, row: Row, at: QPoint) -> None:
        """What is done with the log that was pointed at."""
        bench, entry = self.bench, row.entry
        menu = QMenu(bench.window)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        is_open = entry in bench.sessions.entries
        menu.addAction("Show its dips").triggered.connect(lambda: self._open(row))
        for side, name in enumerate("AB"):
            on = entry in (bench.trial.a, bench.trial.b)[side]
            action = menu.addAction(f"Side {name} of the trial")
            action.setCheckable(True)
            action.setChecked(on)
            action.setEnabled(is_open)
            action.triggered.connect(lambda now, s=side: bench.trial.toggle(entry, s, now))
        menu.addSeparator()
        menu.addAction("Copy the list").triggered.connect(lambda: bench.run("edit.copy"))
        menu.addAction("Take off the list").triggered.connect(lambda: bench.logs.clear(row))
        menu.popup(at)

    def _use_columns(self, draft: Draft, remember: bool) -> None:
        sessions = self.bench.sessions
        recording, shown = sessions.recording, sessions.shown
        if recording is not None and shown is not None:
            self.bench.judging.set_columns(draft.options(recording, sessions.columns_of(shown)), remember)

    def _confirm_lookalikes(self) -> None:
        """Take the columns that look like what is missing for it: in this log and in every one with these columns."""
        a = self.bench.sessions.analysis
        sure = [x for x in a.lookalikes if x.alone is not None] if a is not None else []
        if a is None or not sure:
            self.bench.go_to("recordings")
            return
        draft = Draft()
        for found in sure:
            draft = draft.with_role(a.recording, found.columns[0][0], found.role)
        self._use_columns(draft, remember=True)

    def _take_gauge_readings(self) -> None:
        """Take readings off a gauge by hand, keep them as a file and open that."""
        from basso.ui.stations.recordings.gauge import GaugeDialog

        bench = self.bench
        dialog = GaugeDialog(bench.window, bench.look, bench.shown_units)
        if not run_dialog(dialog):
            return
        path = bench.files.ask_save("Keep the readings", "gauge-readings.csv", "CSV (*.csv)")
        if path is not None and bench.files.write(path, dialog.data):
            bench.settings.folder = path.parent
            bench.sessions.open_logs([path])
            bench.go_to("recordings")
