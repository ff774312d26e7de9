"""The mapping panel: every column of a log with what it is, its unit, how sure that is, and a live preview."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from basso.recording.roles import Role
from basso.ui import layouts
from basso.ui.plain import Label, tip
from basso.ui.plots import paint
from basso.ui.plots.strokes import points_of
from basso.ui.stations.recordings.picture import ROLES, ColumnLine, Draft, column_lines, column_words, unit_choices
from basso.ui.theme.look import Look, Type
from basso.units import UNITS, FloatArray

if TYPE_CHECKING:
    from basso.recording.recording import Recording

NAME, IS, UNIT, SURE, SPAN, PREVIEW = range(6)
_HEADINGS = ("Column", "What it is", "Unit", "Confidence", "Min to max", "Preview, plausible band")
_NOTHING = "–"
_Index = QModelIndex | QPersistentModelIndex


class ColumnsModel(QAbstractTableModel):
    """The lines of :func:`column_lines` as a table whose "Is" and "Unit" can be changed."""

    drafted = Signal()

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self.recording: Recording | None = None
        self.draft = Draft()
        self.lines: list[ColumnLine] = []

    def show(self, recording: Recording | None) -> None:
        """Start from what was recognised in a recording."""
        self.beginResetModel()
        self.recording, self.draft = recording, Draft()
        self.lines = column_lines(recording, self.draft) if recording is not None else []
        self.endResetModel()

    def set_draft(self, draft: Draft) -> None:
        """Take over changes and work the previews out anew."""
        if self.recording is None:
            return
        self.draft = draft
        self.lines = column_lines(self.recording, draft)
        self.dataChanged.emit(self.index(0, 0), self.index(len(self.lines) - 1, PREVIEW))
        self.drafted.emit()

    def rowCount(self, parent: _Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.lines)

    def columnCount(self, parent: _Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(_HEADINGS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if orientation is Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return _HEADINGS[section]
        if orientation is Qt.Orientation.Horizontal and role == Qt.ItemDataRole.TextAlignmentRole:
            return int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        return None

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        line = self.lines[index.row()]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            return self.words(line, index.column())
        if role == Qt.ItemDataRole.ToolTipRole:
            return tip(line.told)
        if role == Qt.ItemDataRole.ForegroundRole:
            if index.column() == SURE and line.mark:
                return self._look.color("below" if line.mark == "below" else "ink")
            if line.role is None or index.column() in (SURE, SPAN):
                return self._look.color("soft")
        if role == Qt.ItemDataRole.FontRole and index.column() == IS and line.role is not None:
            return self._look.font(Type.STRONG)
        if role == Qt.ItemDataRole.AccessibleTextRole and index.column() == PREVIEW:
            return f"preview of {line.name}, {line.span}"
        return None

    def words(self, line: ColumnLine, column: int) -> str:
        """The text of a cell."""
        return {
            NAME: line.name,
            IS: line.role.words if line.role is not None else _NOTHING,
            UNIT: line.unit.symbol if line.unit is not None and line.unit.symbol else _NOTHING,
            SURE: line.sure,
            SPAN: line.span,
        }.get(column, "")

    def flags(self, index: _Index) -> Qt.ItemFlag:
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        line = self.lines[index.row()]
        if index.column() == IS or (index.column() == UNIT and unit_choices(line.role, line.unit)):
            flags |= Qt.ItemFlag.ItemIsEditable
        return flags

    def setData(self, index: _Index, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        if self.recording is None or role != Qt.ItemDataRole.EditRole:
            return False
        line = self.lines[index.row()]
        if index.column() == IS:
            chosen = next((r for r in ROLES if r.words == value), None)
            if chosen is line.role:
                return False
            self.set_draft(self.draft.with_role(self.recording, line.name, chosen))
            return True
        if index.column() == UNIT and value in UNITS and (line.unit is None or line.unit.symbol != value):
            self.set_draft(self.draft.with_unit(line.name, UNITS[str(value)]))
            return True
        return False


class _ColumnDelegate(QStyledItemDelegate):
    """Choices for "Is" and "Unit", and the preview's painting."""

    def __init__(self, look: Look, model: ColumnsModel) -> None:
        super().__init__()
        self._look, self._model = look, model

    def createEditor(self, parent: QWidget, option: QStyleOptionViewItem, index: _Index) -> QWidget:
        line = self._model.lines[index.row()]
        box = QComboBox(parent)
        if index.column() == IS:
            box.addItem(_NOTHING)
            box.addItems([r.words for r in ROLES])
        else:
            box.addItems([u.symbol for u in unit_choices(line.role, line.unit)])
        box.setAccessibleName(f"{_HEADINGS[index.column()]}: {line.name}")
        box.activated.connect(lambda _: self._chosen(box))
        return box

    def _chosen(self, box: QComboBox) -> None:
        self.commitData.emit(box)
        self.closeEditor.emit(box)

    def setEditorData(self, editor: QWidget, index: _Index) -> None:
        assert isinstance(editor, QComboBox)
        editor.setCurrentText(str(index.data()))
        editor.showPopup()

    def setModelData(self, editor: QWidget, model: Any, index: _Index) -> None:
        assert isinstance(editor, QComboBox)
        model.setData(index, editor.currentText())

    def sizeHint(self, option: QStyleOptionViewItem, index: _Index) -> QSize:
        return QSize(60, round(self._look.height() * 1.75))

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: _Index) -> None:
        if index.column() != PREVIEW:
            super().paint(painter, option, index)
            if index.flags() & Qt.ItemFlag.ItemIsEditable:
                self._paint_choice(painter, option)
            return
        painter.save()
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(option.rect, self._look.color("band"))
        self._paint_preview(painter, QRectF(option.rect).adjusted(8, 3, -8, -3), self._model.lines[index.row()])
        painter.restore()

    def _paint_choice(self, painter: QPainter, option: QStyleOptionViewItem) -> None:
        """A small mark that says: there is a choice here."""
        rect = QRectF(option.rect)
        x, y = rect.right() - 12, rect.center().y()
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(self._look.pen("soft", 1.2))
        painter.drawPolyline([QPointF(x - 3.5, y - 1.5), QPointF(x, y + 2), QPointF(x + 3.5, y - 1.5)])
        painter.restore()

    def _paint_preview(self, painter: QPainter, box: QRectF, line: ColumnLine) -> None:
        look = self._look
        known = np.isfinite(line.low)
        if not known.any():
            paint.label(painter, look, box.left(), box.center().y(), "no readings")
            return
        low, high = float(np.min(line.low[known])), float(np.max(line.high[known]))
        if line.band is not None:
            # The frame is what is plausible; readings far outside it run along its edge.
            reach = line.band[1] - line.band[0]
            bottom = max(min(line.band[0], low), line.band[0] - 0.4 * reach)
            top = min(max(line.band[1], high), line.band[1] + 0.4 * reach)
        else:
            bottom, top = (low, high) if high > low else (low - 1, high + 1)

        def py(v: FloatArray) -> FloatArray:
            return np.clip(box.bottom() - (v - bottom) / (top - bottom) * box.height(), box.top(), box.bottom())

        if line.band is not None:
            edges = py(np.asarray(line.band))
            painter.fillRect(QRectF(box.left(), edges[1], box.width(), edges[0] - edges[1]), look.color("expected"))
        x = box.left() + (np.arange(line.low.size) + 0.5) / line.low.size * box.width()
        top_y, bottom_y = py(line.high), py(line.low)
        bad = np.zeros(x.size, dtype=bool)
        if line.band is not None:
            reach = 0.05 * (line.band[1] - line.band[0])
            bad = (line.high > line.band[1] + reach) | (line.low < line.band[0] - reach)
        for mask, color in ((known & ~bad, "ink" if line.role is not None else "soft"), (known & bad, "below")):
            painter.setPen(look.pen(color, 1.0 if color != "below" else 1.6))
            for i in np.flatnonzero(mask):
                painter.drawLine(QPointF(x[i], top_y[i] - 0.5), QPointF(x[i], bottom_y[i] + 0.5))
        middle = 0.5 * (top_y + bottom_y)
        painter.setPen(paint.pen(look.color("ink" if line.role is not None else "soft"), 1.0))
        painter.drawPolyline(points_of(x[known], middle[known]))


class ColumnsPanel(QWidget):
    """The mapping panel of one log; :attr:`used` asks to read it as set, and whether to remember that."""

    used = Signal(object, bool)
    """Carries the :class:`Draft` and whether it holds for every log of this shape."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self.model = ColumnsModel(look)
        self._title, self._detail, self._told = Label(), Label(), Label()
        self.table = QTableView()
        self.table.setTabKeyNavigation(False)
        self.use_button, self.back_button = QPushButton("Apply"), QPushButton("Revert")
        self.use_button.setToolTip("Read the log with these columns and units; Ctrl+Z takes it back")
        self.back_button.setToolTip("Back to what the columns are taken for now")
        self.remember = QCheckBox("and every log with these columns")
        self._lay_out()
        self.model.drafted.connect(self._drafted)
        self.use_button.clicked.connect(lambda: self.used.emit(self.model.draft, self.remember.isChecked()))
        self.back_button.clicked.connect(lambda: self.model.set_draft(Draft()))
        look.changed.connect(self._restyle)
        self._restyle()

    def _lay_out(self) -> None:
        layout = layouts.column(self, (0, 6, 0, 0), 2)
        head = QHBoxLayout()
        words = QVBoxLayout()
        words.setSpacing(0)
        for label in (self._title, self._detail):
            label.setWordWrap(True)
            label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            words.addWidget(label)
        head.addLayout(words, 1)
        self.remember.setChecked(True)
        self.remember.setToolTip("Remembered, and applied without asking to logs with the same column names")
        for widget in (self.remember, self.back_button, self.use_button):
            # Room is kept for them: the rows below must not move under the pointer.
            policy = widget.sizePolicy()
            policy.setRetainSizeWhenHidden(True)
            widget.setSizePolicy(policy)
            head.addWidget(widget, 0, Qt.AlignmentFlag.AlignBottom)
        layout.addLayout(head)
        self.table.setModel(self.model)
        self._delegate = _ColumnDelegate(self._look, self.model)
        self.table.setItemDelegate(self._delegate)
        self.table.setShowGrid(False)
        self.table.verticalHeader().hide()
        look = self._look
        look.fit(self.table, lambda t: t.verticalHeader().setDefaultSectionSize(round(look.height() * 1.75)))
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setEditTriggers(
            QAbstractItemView.EditTrigger.SelectedClicked
            | QAbstractItemView.EditTrigger.DoubleClicked
            | QAbstractItemView.EditTrigger.EditKeyPressed
        )
        self.table.clicked.connect(self._clicked)
        self.table.setAccessibleName("Columns of the log")
        self.table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        header = self.table.horizontalHeader()
        header.setHighlightSections(False)
        header.setStyleSheet("QHeaderView::section { padding: 2px 4px; }")
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        for column, width in ((NAME, 11.0), (IS, 11.5), (UNIT, 5.6), (SURE, 6.2), (SPAN, 9.5)):
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.Interactive)
            self.table.setColumnWidth(column, round(self._look.height() * width))
        header.setSectionResizeMode(PREVIEW, QHeaderView.ResizeMode.Stretch)
        layout.addWidget(self.table, 1)
        self._told.setWordWrap(True)
        self._told.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        layout.addWidget(self._told)
        self.table.selectionModel().currentRowChanged.connect(lambda *_: self._tell())

    def _restyle(self) -> None:
        p = self._look.palette
        for label, kind, color in (
            (self._title, Type.STATION, p.ink),
            (self._detail, Type.BODY, p.soft),
            (self._told, Type.SMALL, p.soft),
        ):
            label.setFont(self._look.font(kind))
            label.setStyleSheet(f"color: {color};")
        self.table.viewport().update()

    def show_recording(self, recording: Recording | None, waiting: str = "") -> None:
        """Show what the columns of a log were taken for."""
        self.model.show(recording)
        self._waiting = waiting
        for row in range(self.model.rowCount()):
            self.table.setRowHeight(row, round(self._look.height() * 1.75))
        self._drafted()
        self._tell()

    def _clicked(self, index: QModelIndex) -> None:
        if index.flags() & Qt.ItemFlag.ItemIsEditable:
            self.table.edit(index)

    def _drafted(self) -> None:
        recording, draft = self.model.recording, self.model.draft
        for widget in (self.remember, self.back_button, self.use_button):
            widget.setVisible(recording is not None and not draft.is_empty)
        self.table.setVisible(recording is not None)
        if recording is None:
            self._title.setText("")
            self._detail.setText(getattr(self, "_waiting", ""))
            return
        self.use_button.setEnabled(not draft.clashes(recording))
        title, detail = column_words(recording, draft)
        self._title.setText(title)
        self._detail.setText(detail)

    def _tell(self) -> None:
        """The line under the table: why the current column was taken for this; else what the reader assumed."""
        recording = self.model.recording
        row = self.table.currentIndex().row()
        if recording is None:
            self._told.setText("")
        elif 0 <= row < len(self.model.lines):
            line = self.model.lines[row]
            self._told.setText(f"{line.name}: {line.told}")
        else:
            notes = recording.notes
            more = f" (and {len(notes) - 2} more under Sensors)" if len(notes) > 2 else ""
            self._told.setText(" ".join(notes[:2]) + more)

    @property
    def words(self) -> tuple[str, str, str]:
        """Title, the line under it, and the line under the table."""
        return self._title.text(), self._detail.text(), self._told.text()

    def role_words(self, name: str) -> str:
        """What a column is shown to be."""
        line = next(x for x in self.model.lines if x.name == name)
        return self.model.words(line, IS)

    def choose(self, name: str, role: Role | None = None, unit: str | None = None) -> None:
        """Set a column's role or unit, as a user does in its row."""
        row = next(i for i, x in enumerate(self.model.lines) if x.name == name)
        if role is not None:
            self.model.setData(self.model.index(row, IS), role.words)
        if unit is not None:
            self.model.setData(self.model.index(row, UNIT), unit)
