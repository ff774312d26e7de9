"""A form for any record of the garage: each field is edited where it stands, and each edit is told as one."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFrame,
    QGridLayout,
    QLineEdit,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from basso.errors import InputError
from basso.garage.fields import NO_NAMES, Field, Names, changed, fields_of, show, unit_words
from basso.garage.records import Record
from basso.ui.bench import Bench
from basso.ui.dialogs import run_dialog
from basso.ui.plain import Label, tip
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits


class RecordForm(QWidget):
    """Shows one record. ``edited`` carries (label of the field, before, after)."""

    edited = Signal(str, object, object)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._record: Record | None = None
        self._units, self._names = DisplayUnits(), NO_NAMES
        self._editors: dict[str, QLineEdit | QComboBox] = {}
        self._labels: list[Label] = []
        self._beside: dict[str, tuple[Label, Label]] = {}
        self._wrong = Label()
        self._wrong.setWordWrap(True)
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 6, 0)
        self._grid.setHorizontalSpacing(8)
        self._grid.setVerticalSpacing(1)
        self._grid.setColumnStretch(1, 1)
        self._kind: type[Record] | None = None
        look.changed.connect(self._restyle)

    @property
    def record(self) -> Record | None:
        """What is shown, with every edit made so far."""
        return self._record

    def show_record(self, record: Record | None, units: DisplayUnits, names: Names = NO_NAMES) -> None:
        """Show a record; the form of its kind is built once. ``names``: what it may point to."""
        self._record, self._units, self._names = record, units, names
        if record is None:
            return
        if self._kind is not type(record):
            self._build(type(record))
        for field in fields_of(type(record)):
            editor, text = self._editors[field.name], show(field, getattr(record, field.name), units, names)
            editor.blockSignals(True)
            if isinstance(editor, QComboBox):
                if field.kind in ("engine", "build"):
                    editor.clear()
                    editor.addItems(([""] if field.kind == "engine" else []) + list(names.of(field.kind).values()))
                if not editor.isEditable() and editor.findText(text) < 0:
                    editor.addItem(text)
                editor.setCurrentText(text)
            elif not (editor.hasFocus() and editor.isModified()):
                editor.setText(text)
                editor.setCursorPosition(0)
            editor.setToolTip(tip(text))  # a long one does not fit its line
            editor.blockSignals(False)
            meant = field.only is None or getattr(record, field.only[0]) == field.only[1]
            for widget in (*self._beside[field.name], editor):
                widget.setVisible(meant)
        self._wrong.setText("")
        self._wrong.hide()
        self._restyle()

    def editor(self, name: str) -> QLineEdit | QComboBox:
        """The editor of a field."""
        return self._editors[name]

    def _build(self, kind: type[Record]) -> None:
        while (item := self._grid.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None and widget is not self._wrong:
                widget.hide()  # it is gone from the screen at once, and from memory when the loop comes round
                widget.deleteLater()
        self._editors, self._labels, self._beside, self._kind = {}, [], {}, kind
        row = 0
        for row, field in enumerate(fields_of(kind)):
            label, unit = Label(field.label), Label()
            editor = self._made(field)
            label.setBuddy(editor)
            editor.setAccessibleName(field.label)
            self._editors[field.name] = editor
            self._labels += [label, unit]
            self._beside[field.name] = (label, unit)
            unit.setProperty("field", field.name)
            self._grid.addWidget(label, row, 0)
            self._grid.addWidget(editor, row, 1)
            self._grid.addWidget(unit, row, 2)
        self._grid.addWidget(self._wrong, row + 1, 0, 1, 3)
        self._grid.setRowStretch(row + 2, 1)

    def _made(self, field: Field) -> QLineEdit | QComboBox:
        if field.kind == "flag":
            flag = QComboBox()
            flag.addItems(["", "yes"])
            flag.activated.connect(lambda _, f=field: self._take(f))
            return flag
        if field.choices or field.kind in ("engine", "build"):
            box = QComboBox()
            box.addItems(list(field.choices))
            box.setEditable(field.free)
            box.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
            box.activated.connect(lambda _, f=field: self._take(f))
            line = box.lineEdit()
            if line is not None:
                line.editingFinished.connect(lambda f=field: self._take(f))
            return box
        editor = _Line()
        editor.editingFinished.connect(lambda f=field: self._take(f))
        return editor

    def _take(self, field: Field) -> None:
        before = self._record
        if before is None:
            return
        editor = self._editors[field.name]
        text = editor.currentText() if isinstance(editor, QComboBox) else editor.text()
        try:
            after = changed(before, field, text, self._units, self._names)
        except InputError as error:
            self._wrong.setText(str(error))
            self._wrong.show()
            return
        self._wrong.hide()
        if isinstance(editor, QLineEdit):
            editor.setModified(False)
        if after != before:
            self._record = after
            if any(f.only is not None and f.only[0] == field.name for f in fields_of(type(after))):
                self.show_record(after, self._units, self._names)
            self.edited.emit(field.label.lower(), before, after)

    def take_focus(self) -> None:
        """To the first field, its words chosen, so that what is typed takes their place."""
        editor = next(iter(self._editors.values()), None)
        if editor is not None:
            editor.setFocus()
        if isinstance(editor, QLineEdit):
            editor.selectAll()

    def take_all(self) -> str:
        """Take every field as it stands; returns what is wrong, or ""."""
        for field in fields_of(type(self._record)) if self._record is not None else ():
            self._take(field)
            if not self._wrong.isHidden():
                return self._wrong.text()
        return ""

    def _restyle(self) -> None:
        p, look = self._look.palette, self._look
        for i, label in enumerate(self._labels):
            # The colour first: a style sheet set on a label that is shown takes its font back.
            label.setStyleSheet(f"color: {p.soft};")
            label.setFont(look.font(Type.SMALL))
            if i % 2 and self._kind is not None:
                field = next(f for f in fields_of(self._kind) if f.name == label.property("field"))
                label.setText(unit_words(field, self._units))
        self._wrong.setFont(look.font(Type.SMALL_STRONG))
        self._wrong.setStyleSheet(f"color: {p.below};")
        quiet = (
            f"QLineEdit {{ background: transparent; border: 0; border-bottom: 1px solid {p.rule}; "
            f"padding: 2px 1px; color: {p.ink}; }}"
            f"QLineEdit:focus {{ border-bottom: 1px solid {p.ink}; background: {p.panel}; }}"
        )
        for editor in self._editors.values():
            if isinstance(editor, QLineEdit):
                editor.setStyleSheet(quiet)


class _Line(QLineEdit):
    """A line whose Escape takes back what was typed and not yet taken."""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape and self.isModified():
            self.undo()
            self.setModified(False)
            return
        super().keyPressEvent(event)


class RecordDialog(QDialog):
    """A new record, filled in before it is made; or one that is there, to be corrected or removed."""

    REMOVED = 2
    """What :meth:`exec` returns when the record is to be removed."""

    def __init__(
        self,
        parent: QWidget,
        look: Look,
        title: str,
        hint: str,
        record: Record,
        units: DisplayUnits,
        names: Names = NO_NAMES,
        removable: bool = False,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.setMinimumWidth(round(look.height() * 24))
        self.form = RecordForm(look)
        head, words = Label(title), Label(hint)
        head.setFont(look.font(Type.TITLE))
        words.setFont(look.font(Type.SMALL))
        words.setWordWrap(True)
        words.setStyleSheet(f"color: {look.palette.soft};")
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Save | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self._save)
        if removable:
            remove = buttons.addButton("Remove", QDialogButtonBox.ButtonRole.DestructiveRole)
            remove.clicked.connect(lambda: self.done(self.REMOVED))
        buttons.rejected.connect(self.reject)
        # A long form scrolls rather than growing over the screen.
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setFrameShape(QFrame.Shape.NoFrame)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._scroll.setWidget(self.form)
        self._scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        layout = QVBoxLayout(self)
        for widget in (head, words, self._scroll, buttons):
            layout.addWidget(widget)
        words.setVisible(bool(hint))
        self.form.show_record(record, units, names)
        most = round(0.62 * self.screen().availableGeometry().height())
        self._scroll.setMinimumHeight(min(self.form.sizeHint().height() + 4, most))
        self.form.take_focus()

    def _save(self) -> None:
        if not self.form.take_all():
            self.accept()

    @property
    def record(self) -> Record:
        """The record as filled in."""
        assert self.form.record is not None
        return self.form.record


def ask_record(bench: Bench, title: str, hint: str, record: Record) -> Record | None:
    """Let a record be filled in; None when that is given up."""
    view = bench.garage.view
    names = view.names if view is not None else NO_NAMES
    dialog = RecordDialog(bench.window, bench.look, title, hint, record, bench.shown_units, names)
    return dialog.record if run_dialog(dialog) else None


def correct_record(bench: Bench, record: Record) -> None:
    """Correct or remove a record that is there."""
    view = bench.garage.view
    names = view.names if view is not None else NO_NAMES
    title = f"Correct the {record.noun}"
    dialog = RecordDialog(bench.window, bench.look, title, "", record, bench.shown_units, names, removable=True)
    outcome = run_dialog(dialog)
    if outcome == RecordDialog.REMOVED:
        bench.garage.remove(f"removing the {record.noun}", record)
    elif outcome:
        bench.garage.change(f"correcting the {record.noun}", record, dialog.record)
