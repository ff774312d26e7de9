"""What every table of the window does alike."""

from __future__ import annotations

from PySide6.QtCore import QItemSelectionModel, QModelIndex
from PySide6.QtWidgets import QTableView


def choose_row(table: QTableView, index: QModelIndex) -> None:
    """Make the row of an index the current and only selected one, whatever keys are held.

    The view's own methods toggle instead while Ctrl is down, as it is when Ctrl+Z refreshes the table.
    """
    flags = QItemSelectionModel.SelectionFlag.ClearAndSelect | QItemSelectionModel.SelectionFlag.Rows
    table.selectionModel().setCurrentIndex(index, flags)
