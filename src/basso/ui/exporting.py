"""What leaves the desk: lists, analyses, logs and pictures, copied or written."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QApplication, QFileDialog

from basso.errors import InputError
from basso.ui.passing import run_dialog
from basso.ui.stations.dips.widget import ONE_DIP

if TYPE_CHECKING:
    from basso.ui.desk import Desk


class Exporting:
    """Copies and writes what one desk shows."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk

    def _table_text(self, separator: str, only_selected: bool = False) -> str:
        if self._desk.station == "recordings":
            return self._desk.recordings.table_text(separator)
        if self._desk.station == "garage":
            return self._desk.garage.table_text(separator)
        if self._desk.station == "sensors":
            return self._desk.sensors.table_text(separator)
        if self._desk.station == "trial":
            return self._desk.trial.table_text(separator)
        if self._desk.station == "corners":
            return self._desk.corners.table_text(separator)
        if self._desk.station == "normal":
            return self._desk.normal.table_text(separator)
        return self._desk.dips.table_text(separator, only_selected=only_selected)

    def copy(self) -> None:
        """Copy the selected rows, or all, with headings and units; a dip's own page as it reads."""
        if self._desk.station == "dips" and self._desk.dips.page == ONE_DIP and self._desk.dips.one.text:
            QApplication.clipboard().setText(self._desk.dips.one.text)
            return
        QApplication.clipboard().setText(self._table_text("\t", only_selected=True))

    def export_list(self) -> None:
        """Write the station's list as CSV."""
        a, station = self._desk.workspace.analysis, self._desk.station
        if (station == "trial" and self._desk.workspace.comparison is None) or (
            station not in ("trial", "recordings", "garage") and a is None
        ):
            return
        what = (
            {"trial": "trial", "recordings": "logs", "garage": "builds", "sensors": "checks"}.get(station)
            or f"{a.recording.path.stem}-dips"
            if a is not None
            else station
        )
        name, _ = QFileDialog.getSaveFileName(
            self._desk.window, "Export the list", str(self._desk.settings.folder / f"{what}.csv"), "CSV (*.csv)"
        )
        if name:
            self.write(Path(name), self._table_text(",").encode())

    def export_analysis(self) -> None:
        """Write the analysis as spreadsheet, JSON or CSV."""
        a, units = self._desk.workspace.analysis, self._desk.workspace.units
        if a is None:
            return
        name, _ = QFileDialog.getSaveFileName(
            self._desk.window,
            "Export the analysis",
            str(self._desk.settings.folder / f"{a.recording.path.stem}-analysis.xlsx"),
            "Spreadsheet (*.xlsx);;JSON (*.json);;CSV of the dips (*.csv)",
        )
        if name:
            from basso.workflow import export_analysis

            path = Path(name)
            self._desk.jobs.start(
                "export",
                f"writing {path.name}",
                lambda _: export_analysis(a, path, units),
                lambda _: None,
                self._desk.tell,
            )

    def write_log(self) -> None:
        """Write the log shown, raw or corrected, whole or in part."""
        a = self._desk.workspace.analysis
        if a is None:
            return
        from basso.ui.write_dialog import WriteDialog

        dialog = WriteDialog(self._desk.window, self._desk.look, a, self._desk.cursor.view)
        if not run_dialog(dialog):
            return
        suffix, span, corrected = dialog.choice()
        name, _ = QFileDialog.getSaveFileName(
            self._desk.window, "Write this log", str(self._desk.settings.folder / f"{a.recording.path.stem}-written{suffix}"),
            {".csv": "CSV (*.csv)", ".parquet": "Parquet (*.parquet)"}[suffix],
        )  # fmt: skip
        if not name:
            return
        from basso.workflow import export_recording

        path = Path(name) if Path(name).suffix else Path(name + suffix)
        if path.exists() and path.samefile(a.recording.path):
            self._desk.tell(f"{path.name} is the log itself, which is never changed; write to another file.")
            return
        self._desk.jobs.start(
            "export",
            f"writing {path.name}",
            lambda _: export_recording(a.recording, path, span, a if corrected else None),
            lambda _: None,
            self._desk.tell,
        )

    def export_picture(self) -> None:
        """Write a picture of the window."""
        name, _ = QFileDialog.getSaveFileName(
            self._desk.window,
            "Export this view",
            str(self._desk.settings.folder / f"basso-{self._desk.station}.png"),
            "PNG (*.png)",
        )
        if name and not self._desk.window.grab().save(name, "PNG"):
            self._desk.tell(f"{name} could not be written; choose another folder.")

    def print_words(self, words: str, name: str, title: str) -> None:
        """Ask for a file and write words (HTML) to it as a PDF, which every system prints."""
        start = str(self._desk.settings.folder / f"{name}.pdf")
        path, _ = QFileDialog.getSaveFileName(self._desk.window, title, start, "PDF (*.pdf)")
        if path:
            self.write(Path(path), pdf_of(words))

    def write(self, path: Path, data: bytes) -> bool:
        """Write a file whole or not at all; True when it is there."""
        from basso.files import write_whole

        try:
            write_whole(path, data)
        except InputError as error:
            self._desk.tell(str(error))
            return False
        return True


def pdf_of(words: str) -> bytes:
    """HTML as the bytes of a PDF on A4."""
    from PySide6.QtCore import QBuffer, QIODevice
    from PySide6.QtGui import QPageSize, QPdfWriter

    from basso.ui.plain import Document

    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(buffer)
    writer.setPageSize(QPageSize(QPageSize.PageSizeId.A4))
    document = Document()
    document.setHtml(words)
    document.print_(writer)
    del writer
    return bytes(buffer.data().data())
