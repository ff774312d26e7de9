"""What every table of the window does alike."""

from __future__ import annotations

from PySide6.QtCore import QItemSelectionModel, QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtGui import QBrush, QPalette
from PySide6.QtWidgets import QStyledItemDelegate, QStyleOptionViewItem, QTableView


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
