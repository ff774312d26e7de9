"""Attached photos, looked at one after the other: the arrow keys or the buttons go on."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QImageReader, QKeyEvent, QPixmap, QResizeEvent
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QPushButton, QVBoxLayout, QWidget

from basso.files import is_plain_file
from basso.ui.plain import Label
from basso.ui.theme.look import Look, Type


def is_photo(path: Path) -> bool:
    """True for a picture that can be shown here: one of the kinds that cameras make and that name no other file."""
    reader = QImageReader(str(path))
    return is_plain_file(path) and reader.canRead() and reader.format().data() in _KINDS


_KINDS = (b"png", b"jpeg", b"jpg", b"webp", b"gif", b"bmp", b"tiff")


class PhotoDialog(QDialog):
    """Shows photos by their titles, beginning at one of them."""

    def __init__(self, parent: QWidget, look: Look, photos: Sequence[tuple[str, Path]], at: int) -> None:
        super().__init__(parent)
        self._photos, self._at = photos, at
        self.setWindowTitle("Photos")
        self.resize(round(look.height() * 44), round(look.height() * 34))
        self.title, self._picture = Label(), Label()
        self.title.setFont(look.font(Type.STATION))
        self.title.setWordWrap(True)
        self._picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._picture.setMinimumSize(QSize(100, 100))
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        self.before_button, self.next_button = QPushButton("Previous"), QPushButton("Next")
        for button, step in ((self.before_button, -1), (self.next_button, 1)):
            buttons.addButton(button, QDialogButtonBox.ButtonRole.ActionRole)
            button.clicked.connect(lambda _=False, s=step: self._go(s))
            button.setVisible(len(photos) > 1)
        buttons.rejected.connect(self.reject)
        layout = QVBoxLayout(self)
        layout.addWidget(self.title)
        layout.addWidget(self._picture, 1)
        layout.addWidget(buttons)
        self._show()

    def _go(self, step: int) -> None:
        self._at = min(max(self._at + step, 0), len(self._photos) - 1)
        self._show()

    def _show(self) -> None:
        title, path = self._photos[self._at]
        self.title.setText(f"{title}   ({self._at + 1} of {len(self._photos)})")
        reader = QImageReader(str(path))
        reader.setAutoTransform(True)  # a camera held upright says so in the file
        self._full = QPixmap.fromImage(reader.read())
        self.before_button.setEnabled(self._at > 0)
        self.next_button.setEnabled(self._at < len(self._photos) - 1)
        self._fit()

    def _fit(self) -> None:
        if not self._full.isNull():
            ways = (Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation)
            self._picture.setPixmap(self._full.scaled(self._picture.size(), *ways))
        else:
            self._picture.setText("This picture cannot be read.")

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if step is not None:
            self._go(step)
        else:
            super().keyPressEvent(event)
