"""What every station begins with: words that dress themselves by the look, and the bar that turns its pages."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QButtonGroup, QToolButton, QVBoxLayout, QWidget

from basso.ui import layouts
from basso.ui.plain import Label, tip
from basso.ui.theme.look import Look, Type


class Words(Label):
    """A label that wraps, can be selected and copied, and follows day and night. ``tone``: a colour of the palette."""

    def __init__(self, look: Look, kind: Type = Type.BODY, tone: str = "ink") -> None:
        super().__init__()
        self._look, self._kind, self._tone = look, kind, tone
        self.setWordWrap(True)
        self.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        look.changed.connect(self._dress)
        self._dress()

    def _dress(self) -> None:
        self.setFont(self._look.font(self._kind))
        self.setStyleSheet(f"color: {getattr(self._look.palette, self._tone)};")


class TitledPage(QWidget):
    """What a station's page begins with: a sentence at the top, and a line under it."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._title, self._detail = Words(look, Type.TITLE), Words(look, Type.BODY, "soft")

    def head(self) -> QVBoxLayout:
        """Both, one under the other."""
        column = QVBoxLayout()
        column.setSpacing(0)
        for words in (self._title, self._detail):
            column.addWidget(words)
        return column

    def say(self, title: str, detail: str = "") -> None:
        """Open with something else."""
        self._title.setText(title)
        self._detail.setText(detail)

    def say_nothing(self, waiting: str, title: str, hint: str) -> None:
        """Open with what is being waited for; where nothing is, with what to do and what it takes."""
        self.say(waiting or title, "" if waiting else hint)

    @property
    def title(self) -> str:
        """The sentence at the top."""
        return self._title.text()

    @property
    def detail(self) -> str:
        """The line under it."""
        return self._detail.text()


class HeldWords(QWidget):
    """Words that change while one steps through things: room for so many lines is kept, so that nothing around them
    moves.

    (A label in a layout has the whole window laid out and painted anew each time its text changes.)
    """

    def __init__(self, look: Look, lines: int, kind: Type = Type.BODY, tone: str = "ink") -> None:
        super().__init__()
        self._look, self._lines, self._kind = look, lines, kind
        self._words = Words(look, kind, tone)
        self._words.setParent(self)
        self._words.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
        look.changed.connect(self._keep_room)
        self._keep_room()

    def _keep_room(self) -> None:
        self.setFixedHeight(round((self._lines + 0.15) * self._look.height(self._kind)))

    def keep_lines(self, lines: int) -> None:
        """Keep room for another number of lines."""
        if lines != self._lines:
            self._lines = lines
            self._keep_room()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._words.setGeometry(self.rect())

    def setText(self, words: str) -> None:
        """Say something else; what does not fit can be read by pointing at it."""
        self._words.setText(words)
        self._words.setToolTip(tip(words))

    def text(self) -> str:
        """What is said."""
        return self._words.text()


class PageBar(QWidget):
    """Names of pages in a row, one of them chosen."""

    chosen = Signal(int)

    def __init__(self, look: Look, names: Mapping[str, str]) -> None:
        """``names``: what the pages are called, each with what is on it."""
        super().__init__()
        self._look = look
        self._group = QButtonGroup(self)
        layout = layouts.row(self, (0, 0, 0, 0), 2)
        for i, (name, hint) in enumerate(names.items()):
            button = QToolButton()
            button.setText(name)
            button.setToolTip(tip(hint))
            button.setCheckable(True)
            self._group.addButton(button, i)
            layout.addWidget(button)
        self._group.idClicked.connect(self.chosen)
        look.changed.connect(self._dress)
        self._dress()

    @property
    def page(self) -> int:
        """Which page is chosen."""
        return self._group.checkedId()

    def choose(self, page: int) -> None:
        """Choose a page, without telling of it."""
        self._group.button(page).setChecked(True)

    def _dress(self) -> None:
        p = self._look.palette
        for button in self._group.buttons():
            button.setStyleSheet(
                f"QToolButton {{ border: 0; border-bottom: 2px solid transparent; border-radius: 0; "
                f"padding: 3px 8px; color: {p.soft}; }}"
                f"QToolButton:checked {{ color: {p.ink}; border-bottom: 2px solid {p.ink}; }}"
                f"QToolButton:focus {{ background: {p.band}; }}"
            )
