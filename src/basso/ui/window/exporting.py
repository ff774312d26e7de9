"""What leaves the window: lists, analyses, logs and pictures, copied or written."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal

from PySide6.QtCore import QLocale
from PySide6.QtWidgets import QApplication

from basso.progress import Progress
from basso.ui.bench import Bench
from basso.ui.dialogs import run_dialog
from basso.ui.stations.station import Command

if TYPE_CHECKING:
    from basso.ui.stations.station import Station

_LETTER = (QLocale.Country.UnitedStates, QLocale.Country.Canada)
"""Where paper is not A4."""
_LOG_KINDS = {".csv": "CSV (*.csv)", ".parquet": "Parquet (*.parquet)"}


class Exporting:
    """Copies and writes what the station shown has to give. ``shown``: gives that station."""

    def __init__(self, bench: Bench, shown: Callable[[], Station[Any]]) -> None:
        self._bench, self._shown = bench, shown

    def commands(self) -> tuple[Command, ...]:
        """Every way out."""
        return (
            Command(
                "log.write",
                "Session",
                "Export log…",
                self.write_log,
                ("Ctrl+S",),
                "as CSV or Parquet, raw or corrected, whole or in part",
            ),
            Command(
                "list.export",
                "Session",
                "Export the list…",
                self.export_list,
                ("Ctrl+E",),
                "the logs, the dips or the trial's places, as CSV",
            ),
            Command(
                "analysis.export",
                "Session",
                "Export the analysis…",
                self.export_analysis,
                ("Ctrl+Shift+S",),
                "as a spreadsheet, JSON, or CSV of the dips",
            ),
            Command(
                "report.write",
                "Session",
                "Write report…",
                self.write_report,
                ("Ctrl+Alt+R",),
                "the session shown, or under Trial the trial, as one HTML or PDF file to hand on",
                lambda: self._bench.sessions.analysis is not None,
            ),
            Command(
                "picture.export", "Session", "Export this view as a picture…", self.export_picture, ("Ctrl+Shift+E",)
            ),
        )

    def copy(self) -> None:
        """Copy the selected rows, or all, with headings and units; a page that is no list as it reads."""
        table = self._shown().table(only_selected=True)
        if table is not None:
            QApplication.clipboard().setText(table.text("\t"))

    def export_list(self) -> None:
        """Write the station's list as CSV."""
        table = self._shown().table()
        if table is None:
            return
        path = self._bench.files.ask_save("Export the list", f"{table.name}.csv", "CSV (*.csv)")
        if path is not None:
            self._bench.files.write(path, table.text(",").encode())

    def export_analysis(self) -> None:
        """Write the analysis as spreadsheet, JSON or CSV."""
        a, units, bench = self._bench.sessions.analysis, self._bench.shown_units, self._bench
        if a is None:
            return
        name, kinds = (
            f"{a.recording.path.stem}-analysis.xlsx",
            "Spreadsheet (*.xlsx);;JSON (*.json);;CSV of the dips (*.csv)",
        )
        path = bench.files.ask_save("Export the analysis", name, kinds)
        if path is not None:
            from basso.workflow import export_analysis

            bench.jobs.start(
                "export", f"writing {path.name}", lambda _: export_analysis(a, path, units), lambda _: None, bench.tell
            )

    def write_report(self) -> None:
        """Write the session shown, or the trial while it is looked at, as one file to hand on."""
        bench, units = self._bench, self._bench.shown_units
        a, trial = bench.sessions.analysis, bench.trial.comparison
        is_trial = bench.settings.station == "trial" and trial is not None
        if a is None and not is_trial:
            return
        stem = "trial" if is_trial or a is None else a.recording.path.stem
        path = bench.files.ask_save("Write report", f"{stem}-report.pdf", "PDF (*.pdf);;HTML (*.html)")
        if path is None:
            return
        from basso.workflow import export_report

        path = path if path.suffix else path.with_suffix(".pdf")
        paper: Literal["a4", "letter"] = "letter" if QLocale().territory() in _LETTER else "a4"
        told = trial if is_trial else a
        assert told is not None

        def work(progress: Progress) -> None:
            export_report(told, path, units, paper, progress)

        bench.jobs.start("report", f"writing {path.name}", work, lambda _: None, bench.tell)

    def write_log(self) -> None:
        """Write the log shown, raw or corrected, whole or in part."""
        a, bench = self._bench.sessions.analysis, self._bench
        if a is None:
            return
        from basso.ui.window.write_dialog import WriteDialog

        dialog = WriteDialog(bench.window, bench.look, a, bench.cursor.view)
        if not run_dialog(dialog):
            return
        suffix, span, corrected, facts_above = dialog.choice()
        stem = f"{a.recording.path.stem}-{'corrected' if corrected else 'written'}"
        name = bench.files.ask_save("Export log", f"{stem}{suffix}", _LOG_KINDS[suffix])
        if name is None:
            return
        from basso.workflow import export_recording

        path = name if name.suffix else Path(f"{name}{suffix}")
        if path.exists() and path.samefile(a.recording.path):
            bench.tell(f"{path.name} is the log itself, which is never changed; write to another file.")
            return
        bench.jobs.start(
            "export",
            f"writing {path.name}",
            lambda _: export_recording(a.recording, path, span, a if corrected else None, facts_above),
            lambda _: None,
            bench.tell,
        )

    def export_picture(self) -> None:
        """Write a picture of the window."""
        name = f"basso-{self._bench.settings.station}.png"
        path = self._bench.files.ask_save("Export this view", name, "PNG (*.png)")
        if path is not None and not self._bench.window.grab().save(str(path), "PNG"):
            self._bench.tell(f"{path} could not be written; choose another folder.")
