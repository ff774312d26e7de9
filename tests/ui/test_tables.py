"""What every table of the window does alike."""

from __future__ import annotations

import pytest
from PySide6.QtGui import QBrush, QColor, QPalette, QStandardItem, QStandardItemModel
from PySide6.QtWidgets import QApplication, QStyleOptionViewItem, QTableView

from basso.ui.stations.table import KeepsColor, choose_row

RED = QColor("#8a2433")


@pytest.fixture
def table(application: QApplication) -> QTableView:
    view = QTableView()
    model = QStandardItemModel(3, 2, view)
    for row in range(3):
        model.setItem(row, 0, QStandardItem("15"))
        model.setItem(row, 1, QStandardItem("−26"))
        model.item(row, 1).setForeground(QBrush(RED))
    view.setModel(model)
    view.setItemDelegate(KeepsColor(view))
    return view


def _of_chosen_text(table: QTableView, column: int) -> QColor:
    option = QStyleOptionViewItem()
    option.palette = table.palette()
    delegate = table.itemDelegate()
    assert isinstance(delegate, KeepsColor)
    delegate.initStyleOption(option, table.model().index(1, column))
    return option.palette.color(QPalette.ColorRole.HighlightedText)


def test_a_loss_stays_red_in_the_chosen_row(table: QTableView) -> None:
    assert _of_chosen_text(table, 1) == RED
    assert _of_chosen_text(table, 0) == table.palette().color(QPalette.ColorRole.HighlightedText)


def test_one_row_is_chosen_whatever_was_before(table: QTableView) -> None:
    table.selectAll()
    choose_row(table, table.model().index(2, 0))
    assert {i.row() for i in table.selectionModel().selectedIndexes()} == {2}
    assert table.currentIndex().row() == 2
