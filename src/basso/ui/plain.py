"""Text out of files shown as it is: names of columns, files and cars are never taken for markup.

Qt takes any text that looks like HTML for HTML and then opens the files that it names. Every label is one of these (a
test sees to it); where markup of our own is wanted, what comes from outside is escaped into it, and nothing is ever
loaded.
"""

from __future__ import annotations

import html
import re
from typing import Any

from PySide6.QtCore import QByteArray, Qt, QUrl
from PySide6.QtGui import QImage, QTextDocument
from PySide6.QtWidgets import QLabel, QTextBrowser


class Label(QLabel):
    """A label that shows its text letter by letter, unless it is told otherwise."""

    def __init__(self, text: str = "") -> None:
        super().__init__()
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setText(text)

    def show_words(self, words: str) -> None:
        """Say something; with nothing to say there is no label."""
        self.setText(words)
        self.setVisible(bool(words))


def _nothing(kind: int) -> Any:
    """In the place of what a document names: an empty picture. Where there is none, Qt opens the file itself."""
    if kind == QTextDocument.ResourceType.ImageResource.value:
        empty = QImage(1, 1, QImage.Format.Format_ARGB32)
        empty.fill(0)
        return empty
    return QByteArray(b" ")


class Document(QTextDocument):
    """Markup of our own to be printed; it loads nothing, whatever it names."""

    def loadResource(self, kind: int, name: QUrl | str) -> Any:
        """Nothing."""
        return _nothing(kind)


class Browser(QTextBrowser):
    """Markup of our own to be read; it loads nothing and follows no link."""

    def __init__(self) -> None:
        super().__init__()
        self.setOpenLinks(False)
        self.setOpenExternalLinks(False)

    def loadResource(self, kind: int, name: QUrl | str) -> Any:
        """Nothing."""
        return _nothing(kind)


def tip(text: str) -> str:
    """A text as a tool tip that shows it as it is and wraps; "" stays "" (no tip)."""
    return f"<p style='margin:0; white-space:pre-wrap'>{html.escape(text)}</p>" if text else ""


def as_file_name(text: str) -> str:
    """A car's or session's name as the beginning of a file's name: no separators, no leading dot."""
    return re.sub(r"[^\w.,()+-]+", "-", text).strip("-.")[:80] or "basso"
