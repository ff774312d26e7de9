"""How logs come onto the desk: opened, dropped, taken off a gauge, chosen in the list."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QFileDialog, QMenu

from basso.errors import InputError
from basso.progress import Progress
from basso.ui.passing import run_dialog

if TYPE_CHECKING:
    from basso.ui.desk import Desk
    from basso.ui.log_list import Row
    from basso.ui.stations.recordings.picture import Draft


class Opening:
    """Opens logs for one desk."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk

    def open_logs(self, paths: Sequence[Path]) -> None:
        """Open logs and show the first."""
        from basso.workflow import logs_in

        if not paths:
            return
        try:
            logs = logs_in(paths)
        except InputError as error:
            self._desk.tell(str(error))
            return
        self._desk.settings.folder = logs[0].parent
        if len(logs) > 1:
            self._desk.log_list.activate()
        self._desk.workspace.open_logs(logs)

    def open_demo(self) -> None:
        """Open the demo sessions and their trial."""
        from basso.ui.workspace import demo_entries
        from basso.workflow import demo_folder

        entries, a, b = demo_entries(demo_folder())
        self._desk.workspace.add(entries)
        first = next(e for e in entries if e.title == a[0])
        self._desk.workspace.show(first)
        sides = tuple(tuple(e for e in entries if e.title in names) for names in (a, b))
        QTimer.singleShot(0, lambda: self._desk.workspace.set_trial(*sides))
        self.after_first_sight(lambda: self._desk.garaging.open_demo())

    def after_first_sight(self, act: Callable[[], None]) -> None:
        """Do something with the garage once the shown log has been judged and the garage's modules are loaded beside it."""
        workspace = self._desk.workspace

        def load(_: Progress) -> None:
            import basso.garage.store
            import basso.ui.garaging
            import basso.ui.stations.garage.widget  # noqa: F401

        def begin() -> None:
            self._desk.jobs.start("loading", "opening the garage", load, lambda _: act(), self._desk.tell)

        def look() -> None:
            if workspace.analysis is not None or workspace.shown is None:
                workspace.shown_changed.disconnect(look)
                QTimer.singleShot(0, self._desk, begin)

        if workspace.analysis is not None or workspace.shown is None:
            begin()
        else:
            workspace.shown_changed.connect(look)

    def choose_files(self) -> None:
        """Ask for logs and open them."""
        from basso.formats.registry import LOG_SUFFIXES

        endings = " ".join(f"*{s}" for s in LOG_SUFFIXES)
        names, _ = QFileDialog.getOpenFileNames(
            self._desk.window, "Add logs", str(self._desk.settings.folder), f"Logs ({endings});;All files (*)"
        )
        self.open_logs([Path(n) for n in names])

    def choose_folder(self) -> None:
        """Ask for a folder and open the logs in it."""
        name = QFileDialog.getExistingDirectory(
            self._desk.window, "Add a folder of logs", str(self._desk.settings.folder)
        )
        if name:
            self.open_logs([Path(name)])

    def take_gauge_readings(self) -> None:
        """Take readings off a gauge by hand, keep them as a file and open that."""
        from basso.ui.stations.recordings.gauge import GaugeDialog

        dialog = GaugeDialog(self._desk.window, self._desk.look, self._desk.workspace.units)
        if not run_dialog(dialog):
            return
        name, _ = QFileDialog.getSaveFileName(
            self._desk.window,
            "Keep the readings",
            str(self._desk.settings.folder / "gauge-readings.csv"),
            "CSV (*.csv)",
        )
        if name and self._desk.exporting.write(Path(name), dialog.data):
            self.open_logs([Path(name)])
            self._desk.go_to("recordings")

    def choose_row(self, row: Row) -> None:
        """Show the log of a row of the list."""
        if row.entry in self._desk.workspace.entries and row.entry != self._desk.workspace.shown:
            self._desk.workspace.show(row.entry)

    def open_row(self, row: Row) -> None:
        """Enter on a log: look at its dips; on one that was not read, read it."""
        if row.stage in ("cancelled", "refused"):
            self._desk.log_list.retry(row)
        elif row.entry in self._desk.workspace.entries:
            self.choose_row(row)
            self._desk.go_to("dips")

    def use_columns(self, draft: Draft, remember: bool) -> None:
        recording, shown = self._desk.workspace.recording, self._desk.workspace.shown
        if recording is not None and shown is not None:
            self._desk.workspace.set_columns(draft.options(recording, self._desk.workspace.columns_of(shown)), remember)

    def confirm_lookalikes(self) -> None:
        """Take the columns that look like what is missing for it: in this log and in every one with these columns."""
        from basso.ui.stations.recordings.picture import Draft

        a = self._desk.workspace.analysis
        sure = [x for x in a.lookalikes if x.alone is not None] if a is not None else []
        if a is None or not sure:
            self._desk.go_to("recordings")
            return
        draft = Draft()
        for found in sure:
            draft = draft.with_role(a.recording, found.columns[0][0], found.role)
        self.use_columns(draft, remember=True)

    def pick_session(self) -> None:
        """Choose among the open sessions from a menu."""
        menu = QMenu(self._desk.window)
        for entry in self._desk.workspace.entries:
            action = menu.addAction(f"{entry.title}    {entry.circuit}".rstrip())
            action.setCheckable(True)
            action.setChecked(entry == self._desk.workspace.shown)
            action.triggered.connect(lambda _=False, e=entry: self._desk.workspace.show(e))
        if self._desk.workspace.entries:
            menu.addSeparator()
        menu.addAction(self._desk.actions["log.open"])
        menu.addAction(self._desk.actions["demo.open"])
        menu.exec(self._desk.top.crumbs.mapToGlobal(self._desk.top.crumbs.rect().bottomLeft()))
        menu.deleteLater()
