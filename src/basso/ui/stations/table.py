"""What every table of the window does alike, and a table as it leaves the window."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QItemSelectionModel, QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtGui import QBrush, QPalette
from PySide6.QtWidgets import QStyledItemDelegate, QStyleOptionViewItem, QTableView

from basso.plain_text import separated


@dataclass(frozen=True, slots=True)
class Table:
    """A list as text: rows of cells, headings first; or a page that is no list, as it reads.

    Attributes:
        name: of the file it is offered as, without an ending.
    """

    name: str
    rows: Sequence[Sequence[str]] = ()
    words: str = ""

    def text(self, separator: str) -> str:
        """The whole as text, cells apart by ``separator``."""
        return self.words or separated(self.rows, separator)


class KeepsColor(QStyledItemDelegate):
    """Cells whose color says something keep it when their row is chosen."""

    def initStyleOption(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> None:
        """Qt's; a chosen row's text takes the cell's own color where it has one."""
        super().initStyleOption(option, index)
        own = index.data(Qt.ItemDataRole.ForegroundRole)
        if isinstance(own, QBrush):
            palette = option.palette
            palette.setBrush(QPalette.ColorRole.HighlightedText, own)
            option.palette = palette


def choose_row(table: QTableView, index: QModelIndex) -> None:
    """Make the row of an index the current and only selected one, whatever keys are held.

    The view's own methods toggle instead while Ctrl is down, as it is when Ctrl+Z refreshes the table.
    """
    flags = QItemSelectionModel.SelectionFlag.ClearAndSelect | QItemSelectionModel.SelectionFlag.Rows
    table.selectionModel().setCurrentIndex(index, flags)
