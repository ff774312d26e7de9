"""The few dialogs: readings, working, command search, help."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QGridLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from basso.ui.commands import COMMANDS, GROUPS, Command
from basso.ui.plain import Label
from basso.ui.stations.working import Step
from basso.ui.theme.look import Look, Type

if TYPE_CHECKING:
    pass

_LEVELS = ("fail", "warn", "note", "ok")
CAUTION = (
    "Basso advises; the engine builder, the maker's manual, the event's rules and local law decide. Test only on a closed "
    "course, never on the road. With a real low-pressure warning stop the engine."
)


def label(look: Look, words: str, kind: Type = Type.BODY, soft: bool = False) -> Label:
    """Words in a dialog that wrap and can be copied."""
    made = Label(words)
    made.setWordWrap(True)
    made.setFont(look.font(kind))
    made.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    if soft:
        made.setStyleSheet(f"color: {look.palette.soft};")
    return made


class ChoiceDialog(QDialog):
    """A question with a few answers, a button each; :attr:`chosen` is the answer's place, None where it was closed without one."""

    def __init__(self, parent: QWidget, look: Look, title: str, words: str, answers: Sequence[str]) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.chosen: int | None = None
        self.words = words
        layout = QVBoxLayout(self)
        layout.addWidget(label(look, title, Type.STATION))
        layout.addWidget(label(look, words))
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        for i, answer in enumerate(answers):
            button = self.buttons.addButton(answer, QDialogButtonBox.ButtonRole.ActionRole)
            button.clicked.connect(lambda _=False, at=i: self.choose(at))
        self.buttons.rejected.connect(self.reject)
        layout.addWidget(self.buttons)
        self.setMinimumWidth(round(look.height() * 26))

    def choose(self, answer: int) -> None:
        """Give an answer."""
        self.chosen = answer
        self.accept()


def scrolled(layout: QVBoxLayout) -> tuple[QWidget, QVBoxLayout]:
    """A column that scrolls when it is longer than the dialog."""
    body = QWidget()
    column = QVBoxLayout(body)
    column.setContentsMargins(0, 4, 10, 0)
    column.setSpacing(1)
    scroll = QScrollArea()
    scroll.setWidgetResizable(True)
    scroll.setWidget(body)
    scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    body.setAutoFillBackground(False)
    scroll.viewport().setAutoFillBackground(False)
    layout.addWidget(scroll, 1)
    return body, column


class WorkingDialog(QDialog):
    """How numbers came about: formula, inputs and their source, what would change them."""

    def __init__(self, parent: QWidget, look: Look, title: str, steps: Sequence[Step]) -> None:
        super().__init__(parent)
        self.setWindowTitle("Working")
        self.resize(640, 600)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 12, 14)
        layout.addWidget(label(look, title, Type.TITLE))
        _, column = scrolled(layout)
        for step in steps:
            column.addWidget(label(look, step.what, Type.SMALL_STRONG))
            column.addWidget(label(look, step.formula))
            if step.source:
                column.addWidget(label(look, step.source, Type.SMALL, soft=True))
            column.addSpacing(9)
        column.addStretch(1)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        layout.addWidget(buttons)
        self.words = "\n".join(f"{s.what}: {s.formula} ({s.source})" for s in steps)


class SearchDialog(QDialog):
    """Type a few letters of a command, Enter runs it."""

    def __init__(self, parent: QWidget, look: Look, usable: Callable[[Command], bool]) -> None:
        super().__init__(parent)
        self.setWindowTitle("Find a command")
        self.resize(460, 380)
        self._commands = [c for c in COMMANDS if usable(c)]
        self.chosen: Command | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 12, 12, 12)
        self.entry = QLineEdit()
        self.entry.setPlaceholderText("Find a command or a station")
        self.entry.setAccessibleName("Find a command")
        self.list = QListWidget()
        self.list.setFont(look.font(Type.BODY))
        layout.addWidget(self.entry)
        layout.addWidget(self.list)
        self.entry.textChanged.connect(self._filter)
        self.entry.returnPressed.connect(self._take)
        self.list.itemActivated.connect(lambda _: self._take())
        self.list.itemClicked.connect(lambda _: self._take())
        self._filter("")

    def _filter(self, typed: str) -> None:
        wanted = typed.lower().split()
        self.list.clear()
        # A command called so comes before one that merely mentions it.
        for command in sorted(self._commands, key=lambda c: not all(w in c.title.lower() for w in wanted)):
            text = f"{command.title} {command.group} {command.hint}".lower()
            if all(w in text for w in wanted):
                shortcut = f"    {command.shortcut[0]}" if command.shortcut else ""
                item = QListWidgetItem(f"{command.title}{shortcut}")
                item.setData(Qt.ItemDataRole.UserRole, command.key)
                item.setToolTip(command.hint)
                self.list.addItem(item)
        self.list.setCurrentRow(0)

    def _take(self) -> None:
        item = self.list.currentItem()
        if item is not None:
            key = item.data(Qt.ItemDataRole.UserRole)
            self.chosen = next(c for c in self._commands if c.key == key)
            self.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        moves = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}
        key = Qt.Key(event.key())
        if key in moves:
            self.list.setCurrentRow(min(max(self.list.currentRow() + moves[key], 0), self.list.count() - 1))
        else:
            super().keyPressEvent(event)


class HelpDialog(QDialog):
    """What Basso does in a few sentences, and every shortcut."""

    def __init__(self, parent: QWidget, look: Look) -> None:
        super().__init__(parent)
        self.setWindowTitle("Help and shortcuts")
        self.resize(700, 620)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 12, 14)
        _, column = scrolled(layout)
        column.setSpacing(5)
        column.addWidget(label(look, "From a log to its dips", Type.TITLE))
        for words in (
            "Drop a log on the window. Basso finds the columns it needs, checks the readings and takes the sensor's zero from the "
            "seconds with the engine stopped; what it assumed is listed under Sensors.",
            "A dip is a stretch in which the gallery pressure lay below the floor while the engine ran warm above 1500 rpm. The "
            "floor is the highest of the rules under Floors. The margin is pressure less floor; the tide along the bottom shows it "
            "for the whole session.",
            "Normal is what this engine shows at the same rpm and oil temperature with the pan level, learned from the session's own "
            "straights. Share of normal is pressure over that.",
            "The cause is judged from the g before the dip, since oil follows late, and held against the rest of the session. "
            "“Not sure” and “not comparable” are meant.",
            CAUTION,
        ):
            column.addWidget(label(look, words))
        for group in GROUPS:
            column.addSpacing(8)
            column.addWidget(label(look, group, Type.STRONG))
            grid = QGridLayout()
            grid.setColumnStretch(2, 1)
            grid.setColumnMinimumWidth(0, 150)
            grid.setColumnMinimumWidth(1, 190)
            grid.setHorizontalSpacing(18)
            for i, command in enumerate(c for c in COMMANDS if c.group == group):
                grid.addWidget(label(look, "  or  ".join(command.shortcut) or "–", soft=True), i, 0)
                grid.addWidget(Label(command.title), i, 1)
                grid.addWidget(label(look, command.hint, Type.SMALL, soft=True), i, 2)
            column.addLayout(grid)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        layout.addWidget(buttons)
