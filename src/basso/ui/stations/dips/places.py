"""The dips by place, the worst first: what a lap has against the engine, with its passes folded under each."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QItemSelectionModel, QModelIndex, QPoint, Qt, QTimer, Signal
from PySide6.QtGui import QBrush, QResizeEvent, QStandardItem, QStandardItemModel
from PySide6.QtWidgets import QAbstractItemView, QTreeView

from basso.ui.plain import tip
from basso.ui.stations.dips.picture import DipRow, PlaceRow
from basso.ui.stations.table import KeepsColor
from basso.ui.theme.look import Look, Type

_DIP_ROLE = Qt.ItemDataRole.UserRole
_LOWEST, _UNDER = 1, 2
_HEAT = 5
_NUMERIC = (1, 2, 3, 4)
_WIDTHS = (13.0, 5.4, 5.6, 5.6, 4.4, 5.8)


class PlaceList(QTreeView):
    """A row for each place, its dips under it; :attr:`chosen` carries a dip's index, :attr:`entered` too."""

    chosen = Signal(int)
    entered = Signal(int)
    menu_wanted = Signal(QPoint)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._model = QStandardItemModel()
        self._delegate = KeepsColor(self)
        self.setItemDelegate(self._delegate)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setUniformRowHeights(True)
        self.setTabKeyNavigation(False)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Dips by place")
        self.header().setStretchLastSection(True)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.customContextMenuRequested.connect(lambda at: self.menu_wanted.emit(self.viewport().mapToGlobal(at)))
        self.activated.connect(self._enter)
        look.changed.connect(self._dress)

    @property
    def rows(self) -> QStandardItemModel:
        """What is listed."""
        return self._model

    def show_rows(self, headings: Sequence[str], places: Sequence[PlaceRow], dips: Sequence[DipRow]) -> None:
        """List other dips; places that were unfolded stay so."""
        unfolded = {self._model.item(i).text() for i in range(self._model.rowCount()) if self.isExpanded(self._at(i))}
        model = QStandardItemModel()
        model.setHorizontalHeaderLabels(list(headings))
        for column in range(model.columnCount()):
            model.setHeaderData(column, Qt.Orientation.Horizontal, _side(column), Qt.ItemDataRole.TextAlignmentRole)
        for place in places:
            cells = _cells(place.cells, place.worst, place.reason)
            for dip in place.dips:
                row = dips[dip]
                cells[0].appendRow(_cells((place.passes[dip], *row.cells[2:]), dip, row.reason))
            model.appendRow(cells)
        self._model = model
        self.setModel(model)
        self.selectionModel().currentRowChanged.connect(lambda now, _: self._row_chosen(now))
        for i in range(model.rowCount()):
            self.setExpanded(self._at(i), model.item(i).text() in unfolded)
        self._dress()

    def show_dip(self, dip: int) -> None:
        """Mark a dip that was chosen elsewhere: in its place's row while that is folded."""
        selection = self.selectionModel()
        if selection is None or self._dip_at(self.currentIndex()) == dip:
            return
        for i in range(self._model.rowCount()):
            place = self._model.item(i)
            for k in range(place.rowCount()):
                if place.child(k).data(_DIP_ROLE) == dip:
                    at = place.child(k).index() if self.isExpanded(place.index()) else place.index()
                    selection.blockSignals(True)
                    how = QItemSelectionModel.SelectionFlag
                    selection.setCurrentIndex(at, how.ClearAndSelect | how.Rows)
                    selection.blockSignals(False)
                    self.viewport().update()
                    QTimer.singleShot(0, self, lambda: self.scrollTo(self.currentIndex()))
                    return

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit_columns()

    def _at(self, row: int) -> QModelIndex:
        return self._model.index(row, 0)

    def _dip_at(self, index: QModelIndex) -> int:
        dip = index.siblingAtColumn(0).data(_DIP_ROLE)
        return dip if isinstance(dip, int) else -1

    def _row_chosen(self, index: QModelIndex) -> None:
        if (dip := self._dip_at(index)) >= 0:
            self.chosen.emit(dip)

    def _enter(self, index: QModelIndex) -> None:
        """A place opens or folds, a dip is looked at by itself."""
        if self._model.hasChildren(index.siblingAtColumn(0)):
            self.setExpanded(index.siblingAtColumn(0), not self.isExpanded(index.siblingAtColumn(0)))
        else:
            self.entered.emit(self._dip_at(index))

    def _fit_columns(self) -> None:
        em = self._look.height()
        first, *rest = _WIDTHS
        # What is narrow gives first in the place's name, and no further than it can be read.
        spare = self.width() / em - sum(rest) - 13.0 + (rest[-1] if self.width() < 44.0 * em else 0.0)
        first = max(8.5, min(first, spare))
        if self._model.columnCount():
            self.setColumnHidden(_HEAT, self.width() < 44.0 * em)
        for column, width in enumerate((first, *rest)[: self._model.columnCount()]):
            self.setColumnWidth(column, round(width * em))

    def _dress(self) -> None:
        self.header().setFont(self._look.font(Type.SMALL))
        self.setIndentation(round(1.2 * self._look.height()))
        strong, below = self._look.font(Type.STRONG), QBrush(self._look.color("below"))
        for i in range(self._model.rowCount()):
            place = self._model.item(i)
            place.setFont(strong)
            for row in [place.index(), *(place.child(k).index() for k in range(place.rowCount()))]:
                self._model.itemFromIndex(row.siblingAtColumn(_LOWEST)).setFont(strong)
                self._model.itemFromIndex(row.siblingAtColumn(_UNDER)).setForeground(below)
        self._fit_columns()


def _side(column: int) -> Qt.AlignmentFlag:
    side = Qt.AlignmentFlag.AlignRight if column in _NUMERIC else Qt.AlignmentFlag.AlignLeft
    return side | Qt.AlignmentFlag.AlignVCenter


def _cells(texts: Sequence[str], dip: int, reason: str) -> list[QStandardItem]:
    cells = [QStandardItem(words) for words in texts]
    for column, cell in enumerate(cells):
        cell.setTextAlignment(_side(column))
        cell.setToolTip(tip(reason))
        cell.setAccessibleDescription(reason)
        cell.setData(dip, _DIP_ROLE)
    return cells
