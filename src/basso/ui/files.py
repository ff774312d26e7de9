"""Files that leave the window: asked for by name, written whole or not at all."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QWidget

from basso.errors import InputError
from basso.ui.models.settings import Settings


class Files:
    """Asks for names beside the folder last used, and writes. ``tell``: says a problem in one sentence."""

    def __init__(self, window: QWidget, settings: Settings, tell: Callable[[str], None]) -> None:
        self._window, self._settings, self._tell = window, settings, tell

    def ask_save(self, title: str, name: str, kinds: str) -> Path | None:
        """Where to write to; None when that is given up."""
        chosen, _ = QFileDialog.getSaveFileName(self._window, title, str(self._settings.folder / name), kinds)
        return Path(chosen) if chosen else None

    def ask_open(self, title: str, kinds: str = "All files (*)") -> Path | None:
        """Which file to read; None when that is given up."""
        chosen, _ = QFileDialog.getOpenFileName(self._window, title, str(self._settings.folder), kinds)
        return Path(chosen) if chosen else None

    def ask_folder(self, title: str) -> Path | None:
        """Which folder; None when that is given up."""
        chosen = QFileDialog.getExistingDirectory(self._window, title, str(self._settings.folder))
        return Path(chosen) if chosen else None

    def write(self, path: Path, data: bytes) -> bool:
        """Write a file whole or not at all; True when it is there."""
        from basso.files import write_whole

        try:
            write_whole(path, data)
        except InputError as error:
            self._tell(str(error))
            return False
        return True

    def print_words(self, words: str, name: str, title: str) -> None:
        """Ask for a file and write words (HTML) to it as a PDF, which every system prints."""
        path = self.ask_save(title, f"{name}.pdf", "PDF (*.pdf)")
        if path is not None:
            self.write(path, pdf_of(words))


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
