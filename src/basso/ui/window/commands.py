"""The one table of commands: menus, keys, command search and the help page are all made from its rows."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PySide6.QtGui import QAction, QKeySequence, QUndoStack
from PySide6.QtWidgets import QMenu, QWidget

from basso.ui.stations.station import Command

GROUPS = ("Session", "Edit", "Judge", "Go", "View", "Help")
"""The menus, in their order."""


class CommandTable:
    """Binds rows to a window."""

    def __init__(self, window: QWidget, rows: Sequence[Command]) -> None:
        self.rows = tuple(sorted(rows, key=lambda c: GROUPS.index(c.group)))
        self.actions: dict[str, QAction] = {}
        for row in self.rows:
            action = QAction(row.title, window)
            action.setShortcuts([QKeySequence(k) for k in row.keys])
            action.setStatusTip(row.hint)
            action.triggered.connect(lambda _=False, run=row.run: run())
            window.addAction(action)
            self.actions[row.key] = action
        self.refresh()

    def menu(self, parent: QWidget) -> QMenu:
        """All of them, a menu for each group."""
        whole = QMenu(parent)
        for group in GROUPS:
            menu = whole.addMenu(group)
            for row in self.rows:
                if row.group == group:
                    menu.addAction(self.actions[row.key])
        return whole

    def run(self, key: str) -> None:
        """Run a command by its key."""
        self.actions[key].trigger()

    def refresh(self) -> None:
        """What cannot be run now is grey."""
        for row in self.rows:
            self.actions[row.key].setEnabled(row.when())

    def usable(self) -> list[Command]:
        """The rows that can be run now."""
        return [row for row in self.rows if self.actions[row.key].isEnabled()]

    def follow_undo(self, undo: QUndoStack) -> None:
        """Undo and redo say what they would take back or make again."""
        titles = {row.key: row.title for row in self.rows}
        for key, can, told in (
            ("edit.undo", undo.canUndoChanged, undo.undoTextChanged),
            ("edit.redo", undo.canRedoChanged, undo.redoTextChanged),
        ):
            can.connect(self.actions[key].setEnabled)
            told.connect(partial(_name, self.actions[key], titles[key]))


def _name(action: QAction, title: str, label: str) -> None:
    action.setText(f"{title} {label}".rstrip())
