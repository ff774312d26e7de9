"""One undo step made of two plain actions."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtGui import QUndoCommand


class UndoStep(QUndoCommand):
    """``label``: as a person would say it after "Undo"."""

    def __init__(self, label: str, redo: Callable[[], None], undo: Callable[[], None]) -> None:
        super().__init__(label)
        self._redo, self._undo = redo, undo

    def redo(self) -> None:
        self._redo()

    def undo(self) -> None:
        self._undo()
