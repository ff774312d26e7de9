"""One step of a job sheet on screen: its caution, what is measured, written down, or found at each of several parts."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import QAbstractItemModel, QModelIndex, QPersistentModelIndex, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from basso.car.jobs import HOLD_STEP, NEW_STEP, PRIMING_STEP, Column, Entered, SheetStep, in_units, limits
from basso.errors import InputError
from basso.garage.fields import read, show, unit_words
from basso.ui.plain import Label
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits

_WORKED = {
    PRIMING_STEP: ("Time it…", "Bursts, rests and seconds to pressure: off the log that is shown, else by stopwatch"),
    HOLD_STEP: ("Work it out…", "From two pressures and two temperatures, with the cooling allowed for"),
    NEW_STEP: ("Off the build line", "What the build has that the one before had not, and its engine's card"),
}


class StepRow(QWidget):
    """``entered`` carries (step, entered); ``photo_wanted`` the part it is of."""

    entered = Signal(object, object)
    photo_wanted = Signal(str)

    def __init__(self, look: Look, number: int, step: SheetStep, units: DisplayUnits) -> None:
        super().__init__()
        self.step, self._look, self._units = step, look, units
        self._shown = Entered()
        self.done = QCheckBox()
        self.done.setAccessibleName(f"Step {number} done")
        self.value, self.reason = QLineEdit(), QLineEdit()
        self.words, self._words_box = _words_editor(step)
        self.parts = PartsTable(look, step) if step.rows else None
        self._limits, self._said, self._reason_row = Label(), Label(), QWidget()
        self.work_button = QPushButton(_WORKED.get(step.key, ("", ""))[0])
        self.work_button.setToolTip(_WORKED.get(step.key, ("", ""))[1])
        self.work_button.setVisible(step.key in _WORKED)
        self._lay_out(number)
        self.done.clicked.connect(lambda _: self._tell())
        for editor in (self.value, self.words, self.reason):
            editor.editingFinished.connect(self._tell)
        if isinstance(self._words_box, QComboBox):
            self._words_box.activated.connect(lambda _: self._tell())
        if self.parts is not None:
            self.parts.changed.connect(self._tell)
            self.parts.photo_wanted.connect(self.photo_wanted)

    def _lay_out(self, number: int) -> None:
        step, look = self.step, self._look
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 3, 0, 3)
        layout.addWidget(self.done, 0, Qt.AlignmentFlag.AlignTop)
        body = QVBoxLayout()
        body.setSpacing(1)
        body.addWidget(
            _label(f"{number}.  {in_units(step.text, self._units)}", look, Type.STRONG if step.hold else Type.BODY)
        )
        if step.caution:
            body.addWidget(_label(f"Caution: {step.caution}", look, Type.SMALL_STRONG, look.palette.below))
        if step.measure:
            line = QHBoxLayout()
            line.setSpacing(8)
            unit = unit_words(step.field, self._units)
            self.value.setMaximumWidth(round(look.height() * 4.5))
            self.value.setAccessibleName(f"{step.measure}, {unit}")
            for widget in (self.value, Label(unit)):
                line.addWidget(widget)
            line.addWidget(self._limits, 1)
            line.addWidget(self.work_button)
            body.addLayout(line)
            body.addWidget(self._said)
        for label, color in ((self._limits, look.palette.soft), (self._said, look.palette.ink)):
            label.setWordWrap(True)
            label.setFont(look.font(Type.SMALL))
            label.setStyleSheet(f"color: {color};")
        self._show_limits()
        if step.words or step.choices or step.hold:
            line = QHBoxLayout()
            self.words.setPlaceholderText(
                "who looked" if step.hold else "what was found" if step.words else "choose or write"
            )
            self._words_box.setAccessibleName(f"Step {number}, {self.words.placeholderText()}")
            line.addWidget(self._words_box, 1)
            if not step.measure:
                line.addWidget(self.work_button)
            body.addLayout(line)
        if self.parts is not None:
            self.parts.setAccessibleName(f"Step {number}, part by part")
            body.addWidget(self.parts)
        self.reason.setPlaceholderText("why may it stay so?")
        self.reason.setAccessibleName(f"Step {number}, reason")
        line = QHBoxLayout(self._reason_row)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(_label("Reason", look, Type.SMALL, look.palette.soft))
        line.addWidget(self.reason, 1)
        body.addWidget(self._reason_row)
        layout.addLayout(body, 1)

    def _show_limits(self) -> None:
        step = self.step
        words = f"{step.measure}, {limits(step, self._units)}. {in_units(step.why, self._units)}"
        self._limits.setText(words if step.measure else "")

    def show_entered(
        self, got: Entered, closed: bool, reason_wanted: bool, held: int, photos: Mapping[str, int]
    ) -> None:
        """Show what was entered; of a signed job nothing can be changed.

        Args:
            got: what was entered.
            closed: the job is signed.
            reason_wanted: what was entered may stay so only with a reason.
            held: the number of a hold point before this step that is not passed, 0 for none.
            photos: how many there are, by part.
        """
        self._shown = got
        self.done.setChecked(got.done)
        value = show(self.step.field, got.value, self._units) if self.step.measure else ""
        for editor, text in ((self.value, value), (self.words, got.words), (self.reason, got.reason)):
            if not editor.hasFocus() or not editor.isModified():
                editor.setText(text)
            editor.setReadOnly(closed)
        self._words_box.setEnabled(not closed or self._words_box is self.words)
        waits = bool(held) and not got.done
        self.done.setEnabled(not closed and not waits)
        self.done.setToolTip(f"Step {held} is a hold point: somebody has to look first" if waits else "")
        self.work_button.setEnabled(not closed)
        self._said.setText(got.words if self.step.measure and not self.step.words else "")
        self._said.setVisible(bool(self._said.text()))
        self._reason_row.setVisible(reason_wanted or bool(got.reason))
        if self.parts is not None:
            self.parts.show_rows(got.rows, closed, photos)

    def _tell(self) -> None:
        text, step = self.value.text().strip(), self.step
        shown = show(step.field, self._shown.value, self._units) if step.measure else ""
        try:
            # What is shown rounded is not written back rounded.
            value = self._shown.value if text == shown else read(step.field, text, self._units)
        except InputError as error:
            self._limits.setText(str(error))
            return
        self._show_limits()
        for editor in (self.value, self.words, self.reason):
            editor.setModified(False)
        # What was read off a log stays only with the number it goes with.
        kept = self._shown.words if value == self._shown.value else ""
        written = step.words or step.choices or step.hold
        words = self.words.text().strip() if written else kept
        rows = self.parts.rows() if self.parts is not None else {}
        self.entered.emit(step, Entered(self.done.isChecked(), value, words, self.reason.text().strip(), rows))


def _label(text: str, look: Look, kind: Type, color: str = "") -> Label:
    label = Label(text)
    label.setWordWrap(True)
    label.setFont(look.font(kind))
    if color:
        label.setStyleSheet(f"color: {color};")
    return label


def _words_editor(step: SheetStep) -> tuple[QLineEdit, QWidget]:
    """Where something is written down: the line, and the widget that holds it."""
    if not step.choices:
        line = QLineEdit()
        return line, line
    box = QComboBox()
    box.setEditable(True)
    box.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
    box.addItems(["", *step.choices])
    found = box.lineEdit()
    assert found is not None
    return found, box


class PartsTable(QTableWidget):
    """A row for each part, a column for each thing to write down, and a last one for photos."""

    changed = Signal()
    photo_wanted = Signal(str)

    def __init__(self, look: Look, step: SheetStep) -> None:
        super().__init__(len(step.rows), len(step.columns) + 2)
        self._step = step
        self._photo_column = len(step.columns) + 1
        self.setHorizontalHeaderLabels([step.row, *(c.name for c in step.columns), "photo"])
        self.verticalHeader().hide()
        self.setStyleSheet(f"QTableWidget {{ gridline-color: {look.palette.rule}; }}")
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.AllEditTriggers)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFont(look.font(Type.SMALL))
        header = self.horizontalHeader()
        header.setFont(look.font(Type.SMALL))
        header.setHighlightSections(False)
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        header.setStyleSheet("QHeaderView::section { padding: 1px 4px; }")
        height = round(look.height(Type.SMALL) * 1.5)
        self.verticalHeader().setMinimumSectionSize(height)
        self.verticalHeader().setDefaultSectionSize(height)
        self._delegates = [_Choices(self, column) for column in step.columns]
        for j, delegate in enumerate(self._delegates, 1):
            self.setItemDelegateForColumn(j, delegate)
        for i, row in enumerate(step.rows):
            for j in range(self.columnCount()):
                item = QTableWidgetItem(row if j == 0 else "")
                if j in (0, self._photo_column):
                    item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
                self.setItem(i, j, item)
        self.setColumnWidth(0, round(look.height() * 7.5))
        for j in range(1, self._photo_column):
            self.setColumnWidth(j, round(look.height() * 7))
        header.setStretchLastSection(True)
        self.setFixedHeight(height * (len(step.rows) + 1) + 14)
        self.itemChanged.connect(lambda _: self.changed.emit())
        self.cellClicked.connect(self._clicked)

    def show_rows(self, rows: Mapping[str, Mapping[str, str]], closed: bool, photos: Mapping[str, int]) -> None:
        """Show what was written down, and how many photos there are of each part."""
        self.blockSignals(True)
        for i, row in enumerate(self._step.rows):
            for j, column in enumerate(self._step.columns, 1):
                item = self._cell(i, j)
                said = rows.get(row, {}).get(column.name, "")
                item.setText(said)
                font = self.font()
                font.setBold(bool(column.good and said and said not in column.good))
                item.setFont(font)
                flag = Qt.ItemFlag.ItemIsEditable
                item.setFlags(item.flags() & ~flag if closed else item.flags() | flag)
            count = photos.get(row, 0)
            words = f"{count} {'photo' if count == 1 else 'photos'}" if count else "" if closed else "attach…"
            self._cell(i, self._photo_column).setText(words)
        self.blockSignals(False)
        self._closed = closed

    def rows(self) -> dict[str, dict[str, str]]:
        """What is written down; rows with nothing left out."""
        made = {}
        for i, row in enumerate(self._step.rows):
            cells = {
                c.name: text for j, c in enumerate(self._step.columns, 1) if (text := self._cell(i, j).text().strip())
            }
            if cells:
                made[row] = cells
        return made

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space) and self.currentColumn() == self._photo_column:
            self._clicked(self.currentRow(), self._photo_column)
            return
        super().keyPressEvent(event)

    def _cell(self, i: int, j: int) -> QTableWidgetItem:
        item = self.item(i, j)
        assert item is not None
        return item

    def _clicked(self, i: int, j: int) -> None:
        if j == self._photo_column and not self._closed:
            self.photo_wanted.emit(self._step.rows[i])


class _Choices(QStyledItemDelegate):
    """Edits a cell with what is usual to choose from, or anything else written."""

    def __init__(self, parent: QTableWidget, column: Column) -> None:
        super().__init__(parent)
        self._column = column

    def createEditor(
        self, parent: QWidget, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> QWidget:
        if not self._column.choices:
            return super().createEditor(parent, option, index)
        box = QComboBox(parent)
        box.setEditable(True)
        box.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        box.addItems(["", *self._column.choices])
        box.activated.connect(lambda _: self._chosen(box))
        return box

    def _chosen(self, box: QComboBox) -> None:
        self.commitData.emit(box)
        self.closeEditor.emit(box)

    def setEditorData(self, editor: QWidget, index: QModelIndex | QPersistentModelIndex) -> None:
        if isinstance(editor, QComboBox):
            editor.setCurrentText(str(index.data() or ""))
        else:
            super().setEditorData(editor, index)

    def setModelData(
        self, editor: QWidget, model: QAbstractItemModel, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        if isinstance(editor, QComboBox):
            model.setData(index, editor.currentText().strip())
        else:
            super().setModelData(editor, model, index)
