"""The one table of commands: menus, keys, command search and the help page are all made from its rows."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QAction, QKeySequence, QUndoStack
from PySide6.QtWidgets import (
    QAbstractItemView,
    QAbstractSpinBox,
    QComboBox,
    QLineEdit,
    QMenu,
    QPlainTextEdit,
    QTextEdit,
    QWidget,
)

from basso.ui.stations.station import Command

GROUPS = ("Session", "Edit", "Judge", "Go", "View", "Help")
"""The menus, in their order."""
_TYPED_IN = (QAbstractItemView, QAbstractSpinBox, QComboBox, QLineEdit, QPlainTextEdit, QTextEdit)


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
        self._letters = [(self.actions[row.key], row.keys) for row in self.rows if any(len(k) == 1 for k in row.keys)]
        self.refresh()

    def heed_focus(self, now: QWidget | None) -> None:
        """Single letters act on plots: where something can be typed, or a list searched by typing, they are letters."""
        typed = isinstance(now, _TYPED_IN)
        for action, keys in self._letters:
            action.setShortcuts([QKeySequence(k) for k in keys if len(k) > 1 or not typed])

    def menu(self, parent: QWidget) -> QMenu:
        """All of them, a menu for each group."""
        whole = QMenu(parent)
        for group in GROUPS:
            menu = whole.addMenu(group)
            for row in self.rows:
                if row.group == group:
                    menu.addAction(self.actions[row.key])
        return whole

    def pop_up(self, parent: QWidget, keys: Sequence[str], at: QPoint) -> None:
        """Show some of them as a menu at a point of the screen; "" parts them with a rule."""
        menu = QMenu(parent)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for key in keys:
            if key:
                menu.addAction(self.actions[key])
            else:
                menu.addSeparator()
        menu.popup(at)

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
