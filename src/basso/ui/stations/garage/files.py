"""Files that come into the garage and go out of it: bundles, photos and papers, printed sheets, backups."""

from __future__ import annotations

from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QFileDialog

from basso.errors import InputError
from basso.files import is_plain_file, open_plain
from basso.garage.records import Attachment, Car, Job, Record
from basso.limits import MOST_BUNDLE_PART_BYTES
from basso.ui.dialogs import run_dialog
from basso.ui.plain import as_file_name

if TYPE_CHECKING:
    from basso.ui.bench import Bench


_VIEWED = frozenset(
    {
        ".png",
        ".jpg",
        ".jpeg",
        ".heic",
        ".webp",
        ".pdf",
        ".txt",
        ".csv",
        ".tsv",
        ".md",
        ".ods",
        ".odt",
        ".xlsx",
        ".docx",
        ".mp4",
        ".mov",
        ".webm",
    }
)
"""Kinds of attached files that the system's own viewer is asked to show; another kind may be a program."""


class GarageFiles:
    """Acts at one bench."""

    def __init__(self, bench: Bench) -> None:
        self._bench, self._model = bench, bench.garage

    def export(self) -> None:
        """Ask where to, and write the shown car as a bundle."""
        from basso.garage.bundle import export_car
        from basso.garage.place import BUNDLE_SUFFIX

        view, garage = self._model.view, self._model.garage
        if view is None or garage is None:
            return
        start = self._bench.settings.folder / f"{as_file_name(view.car.name.lower())}{BUNDLE_SUFFIX}"
        name, _ = QFileDialog.getSaveFileName(
            self._bench.window, "Export this car", str(start), f"Bundle (*{BUNDLE_SUFFIX})"
        )
        if name:
            car, path, decisions = view.car, Path(name), self._bench.memory.decisions
            self._bench.jobs.start(
                "bundle",
                f"writing {path.name}",
                lambda _: export_car(garage, car, path, decisions),
                lambda _: None,
                self._bench.tell,
            )

    def choose_bundle(self) -> None:
        """Ask for a bundle and take its car in."""
        name, _ = QFileDialog.getOpenFileName(
            self._bench.window, "Import a car", str(self._bench.settings.folder), "Bundle (*.zip);;All files (*)"
        )
        if name:
            self.take_in(Path(name))

    def take_in(self, path: Path) -> None:
        """Take a car in from a bundle, in the background."""
        from basso.garage.bundle import import_car

        garage = self._model.garage
        if garage is None:
            return

        def done(result: tuple[Car, int | None]) -> None:
            car, edit = result
            self._model.choose(car.id)
            if edit is not None:
                self._model.made_elsewhere(f"importing {car.name}", edit)
            else:
                self._bench.tell(f"{car.name} is here already, just like this.")

        self._bench.jobs.start(
            "bundle", f"taking in {path.name}", lambda _: import_car(garage, path), done, self._bench.tell
        )

    def accept(self) -> None:
        """Let the shown car, which came from elsewhere, act like one's own."""
        from basso.garage.bundle import accept_car

        view, garage = self._model.view, self._model.garage
        if view is None or garage is None:
            return
        try:
            edit = accept_car(garage, view.car, self._bench.memory.decisions)
        except InputError as error:
            self._bench.tell(str(error))
            return
        if edit is not None:
            self._model.made_elsewhere(f"accepting {view.car.name}", edit)

    def print_sheet(self, record: Record) -> None:
        """A job sheet as PDF, which every system prints."""
        view = self._model.view
        if view is None or not isinstance(record, Job):
            return
        from basso.car.jobs import sheet_of
        from basso.ui.stations.garage.sheet_picture import printed

        sheet = sheet_of(record)
        words = printed(record, sheet, view.car, self._bench.shown_units) if sheet is not None else ""
        self._bench.files.print_words(words, f"{record.sheet}-{record.opened}", "Print the sheet to a file")

    def attach(self, record: Record, part: str = "") -> None:
        """Ask for a photo or paper and keep it with a record, or with a part of it."""
        view, garage = self._model.view, self._model.garage
        name, _ = QFileDialog.getOpenFileName(
            self._bench.window, "Attach a photo or paper", str(self._bench.settings.folder)
        )
        if not name or view is None or garage is None:
            return
        path = Path(name)
        try:
            with open_plain(path) as stream:
                data = stream.read(MOST_BUNDLE_PART_BYTES + 1)
            if len(data) > MOST_BUNDLE_PART_BYTES:
                raise InputError(
                    f"{path}: is larger than {MOST_BUNDLE_PART_BYTES // 1_000_000} MB; attach a smaller copy."
                )
            kept = garage.files.keep_file(data, path.suffix)
        except OSError as error:
            self._bench.tell(f"{path}: cannot be read ({error.strerror}); choose another file.")
            return
        except InputError as error:
            self._bench.tell(str(error))
            return
        made = Attachment(
            car=view.car.id,
            about=record.id,
            part=part,
            day=date.today().isoformat(),
            file_name=path.name,
            file_hash=kept,
        )
        self._model.add(f"attaching {path.name}", made)

    def open_attachment(self, record: Record) -> None:
        """Show an attached photo with the others of the same record; another file in the system's own viewer."""
        from PySide6.QtCore import QUrl
        from PySide6.QtGui import QDesktopServices

        from basso.ui.stations.garage.photo_dialog import PhotoDialog, is_photo

        garage, view = self._model.garage, self._model.view
        if garage is None or view is None or not isinstance(record, Attachment):
            return
        path = garage.files.kept_file(record.file_hash)
        if not is_plain_file(path):
            self._bench.tell(f"{record.file_name}: its file is missing from the garage ({path}); attach it again.")
        elif not is_photo(path) and path.suffix not in _VIEWED:
            self._bench.tell(
                f"{record.file_name}: Basso opens photos, papers and tables, not files of the kind "
                f"'{path.suffix}', which could be "
                f"a program. It lies at {path}."
            )
        elif not is_photo(path):
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(path)))
        else:
            own = [
                a
                for a in view.attachments
                if a.about == record.about and a.file_hash and is_photo(garage.files.kept_file(a.file_hash))
            ]
            titled = [
                (": ".join(x for x in (a.part, a.text or a.file_name) if x), garage.files.kept_file(a.file_hash))
                for a in own
            ]
            run_dialog(PhotoDialog(self._bench.window, self._bench.look, titled, own.index(record)))

    def restore(self) -> None:
        """Put the newest backup in the place of a garage that cannot be opened."""
        from basso.garage.backups import backups_in, restore

        folder = self._model.folder
        newest = next(iter(backups_in(folder)), None)
        if newest is None:
            self._bench.tell(
                f"{folder / 'backups'}: there is no backup. Restore a copy of the garage, or begin a new one."
            )
            return
        try:
            aside = restore(folder, newest)
        except InputError as error:
            self._bench.tell(str(error))
            return
        self._bench.tell(f"{newest.name} was restored; what was there before is {aside.name}.")
        self._model.open(folder)

    def back_up(self) -> None:
        """Make a backup now."""
        if self._model.garage is not None:
            try:
                made = self._model.garage.back_up()
            except InputError as error:
                self._bench.tell(str(error))
                return
            self._bench.tell(f"Backed up: {made}")
