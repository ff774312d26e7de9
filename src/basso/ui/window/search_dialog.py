"""Finding a command by a few of its letters."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from basso.ui.stations.station import Command
from basso.ui.theme.look import Look, Type


class SearchDialog(QDialog):
    """Type a few letters of a command, Enter runs it."""

    def __init__(self, parent: QWidget, look: Look, commands: Sequence[Command]) -> None:
        super().__init__(parent)
        self.setWindowTitle("Find a command")
        self.resize(460, 380)
        self._commands = list(commands)
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
                shortcut = f"    {command.keys[0]}" if command.keys else ""
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
