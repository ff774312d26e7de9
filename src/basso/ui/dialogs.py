"""What dialogs are made of, and how they and menus are let go of: Qt leaves that to the caller."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import (
    QApplication,
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QMenu,
    QPushButton,
    QScrollArea,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from basso.ui import layouts
from basso.ui.plain import Label
from basso.ui.theme.look import Look, Type

CAUTION = (
    "Basso advises; the engine builder, the maker's manual, the event's rules and local law decide. "
    "Test only on a closed "
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


def decision(dialog: QDialog, accept: Callable[[], object], save: bool = False) -> QDialogButtonBox:
    """The buttons a dialog ends with: OK (or Save), which calls ``accept``, and Cancel."""
    standard = QDialogButtonBox.StandardButton
    buttons = QDialogButtonBox((standard.Save if save else standard.Ok) | standard.Cancel)
    buttons.accepted.connect(accept)
    buttons.rejected.connect(dialog.reject)
    return buttons


def closing(dialog: QDialog) -> QDialogButtonBox:
    """The button of a dialog that only shows: Close."""
    buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
    buttons.rejected.connect(dialog.reject)
    return buttons


def copying(dialog: QDialog, title: str, text: Callable[[], str]) -> QHBoxLayout:
    """The foot of a dialog that only shows what can be copied: a button that copies it, and Close."""
    copy = QPushButton(title)
    copy.clicked.connect(lambda: QApplication.clipboard().setText(text()))
    bar = layouts.row(None, (0, 0, 0, 0), 8)
    bar.addWidget(copy)
    bar.addStretch(1)
    bar.addWidget(closing(dialog))
    return bar


class ChoiceDialog(QDialog):
    """A question with a few answers, a button each; :attr:`chosen` is the answer's place, None where it was closed
    without one."""

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
    column = layouts.column(body, (0, 4, 10, 0), 1)
    scroll = QScrollArea()
    scroll.setWidgetResizable(True)
    scroll.setWidget(body)
    scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    body.setAutoFillBackground(False)
    scroll.viewport().setAutoFillBackground(False)
    layout.addWidget(scroll, 1)
    return body, column


class TickMenu(QMenu):
    """A menu whose ticks can be set one after another: it closes when something else is chosen, or beside it."""

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """A tick is set or taken, and the menu stays."""
        action = self.actionAt(event.position().toPoint())
        if action is not None and action.isCheckable() and action.isEnabled():
            action.trigger()
        else:
            super().mouseReleaseEvent(event)


def replace_menu(button: QPushButton | QToolButton, menu: QMenu) -> None:
    """Give a button another menu; the one before is let go of."""
    before = button.menu()
    button.setMenu(menu)
    if before is not None and before is not menu:
        before.deleteLater()


def run_dialog(dialog: QDialog) -> int:
    """Show a dialog until it is answered; it can still be asked what was filled in, and goes when the caller is done.

    Without this every opening of a dialog stays with the window that it belongs to, as long as that is open.
    """
    outcome = dialog.exec()
    dialog.deleteLater()
    return outcome
