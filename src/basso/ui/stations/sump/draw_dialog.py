"""Draw the pan: plan and cuts to be dragged, the numbers of what is chosen to be typed, every step undoable."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QUndoCommand, QUndoStack
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QDoubleSpinBox,
    QFormLayout,
    QInputDialog,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QWidget,
)

from basso.errors import InputError
from basso.sump import editing
from basso.sump.editing import Part, parts_of
from basso.sump.measured import MeasuredPan, solid_of
from basso.sump.part_numbers import Number, numbers_of, with_changed_opening, with_number
from basso.ui import layouts
from basso.ui.dialogs import decision, label
from basso.ui.models.undo import UndoStep
from basso.ui.stations.sump.draw_canvas import DrawCanvas
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits, Quantity

_LACKING = -1e6


class DrawDialog(QDialog):
    """:attr:`pan` is the pan as it is drawn now; it can always be kept."""

    def __init__(self, parent: QWidget, look: Look, units: DisplayUnits, pan: MeasuredPan) -> None:
        super().__init__(parent)
        self.setWindowTitle("Draw pan")
        self.resize(round(look.height() * 66), round(look.height() * 40))
        self._look_of, self._units = look, units
        self.pan, self.part = pan, Part("pan")
        self._asked_of: Part | None = None
        self.undo = QUndoStack(self)
        self.canvas = DrawCanvas(look, units)
        self.parts = QListWidget()
        self.parts.setAccessibleName("Parts of the pan")
        self.edits: dict[str, QDoubleSpinBox] = {}
        self._form = QFormLayout()
        self.said = label(look, "", Type.SMALL)
        hint = label(
            look,
            "Drag corners, edges, heights, pickup and holes, or choose one and use the arrow keys (Shift: ten steps). "
            "Double-click an edge for a corner more.",
            Type.SMALL,
            soft=True,
        )
        self.add, self.remove = QPushButton("Add…"), QPushButton("Take out")
        self.add.clicked.connect(self._offer)
        self.remove.clicked.connect(self.take_out)
        self.back, self.again = QPushButton("Undo"), QPushButton("Redo")
        self.back.setShortcut(QKeySequence.StandardKey.Undo)
        self.again.setShortcut(QKeySequence.StandardKey.Redo)
        self.back.clicked.connect(self.undo.undo)
        self.again.clicked.connect(self.undo.redo)
        self.undo.indexChanged.connect(self._can)
        self.buttons = decision(self, self.accept, save=True)
        self._lay_out(hint)
        self.canvas.changed.connect(self._dragged)
        self.canvas.chosen.connect(self.choose)
        self.canvas.refused.connect(self.said.setText)
        self.canvas.removal_wanted.connect(self.take_out)
        self.parts.currentItemChanged.connect(lambda now, _: self._listed(now))
        self._show()

    def _lay_out(self, hint: QWidget) -> None:
        for button in (self.add, self.remove, self.back, self.again, *self.buttons.buttons()):
            if isinstance(button, QPushButton):
                button.setAutoDefault(False)  # Return ends typing a number, not the dialog
        edit_bar = layouts.row(None, (0, 0, 0, 0), 8)
        for button in (self.add, self.remove, self.back, self.again):
            edit_bar.addWidget(button)
        right = layouts.column(None, (0, 0, 0, 0), 8)
        right.addLayout(edit_bar)
        right.addWidget(self.parts, 2)
        right.addLayout(self._form)
        right.addStretch(1)
        right.addWidget(self.said)
        sides = layouts.row(None, (0, 0, 0, 0), 12)
        sides.addWidget(self.canvas, 3)
        holder = QWidget()
        holder.setLayout(right)
        holder.setFixedWidth(round(self._look_of.height() * 23))
        sides.addWidget(holder)
        whole = layouts.column(self, (14, 10, 14, 10), 8)
        whole.addWidget(hint)
        whole.addLayout(sides, 1)
        whole.addWidget(self.buttons)

    # What is shown

    def _show(self) -> None:
        """The pan, its parts, and the numbers of the one chosen."""
        self.canvas.show_pan(self.pan, self.part)
        self._list()
        self._ask()
        self._can()
        holds = 1000.0 * solid_of(self.pan).capacity_m3
        words = f"Holds {self._units.text(holds, Quantity.VOLUME)}."
        if self.pan.fill_l is not None and self.pan.fill_l > holds:
            words += f" {self._units.text(self.pan.fill_l, Quantity.VOLUME)} do not fit: less oil, or another size."
        self.said.setText(words)
        save = self.buttons.button(QDialogButtonBox.StandardButton.Save)
        if save is not None:
            save.setEnabled(self.pan.fill_l is None or self.pan.fill_l <= holds)

    def _list(self) -> None:
        self.parts.blockSignals(True)
        self.parts.clear()
        for part, words in parts_of(self.pan):
            item = QListWidgetItem(words)
            item.setData(Qt.ItemDataRole.UserRole, part)
            self.parts.addItem(item)
            mine = self.part.kind in ("corner", "edge") and part == Part("bay", self.part.index)
            if part == self.part or mine:
                self.parts.setCurrentItem(item)
        self.parts.blockSignals(False)

    def _listed(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.choose(item.data(Qt.ItemDataRole.UserRole))

    def choose(self, part: Part) -> None:
        """Choose a part: its numbers can be typed."""
        if part != self.part:
            self.part = part
            self.canvas.show_pan(self.pan, part)
            self._list()
            self._ask()
            self._can()

    def _ask(self) -> None:
        """A field for each number of the part chosen."""
        keys = [n.key for n in numbers_of(self.pan, self.part)]
        if list(self.edits) == keys and self._asked_of == self.part:
            for number in numbers_of(self.pan, self.part):
                edit = self.edits[number.key]
                edit.blockSignals(True)
                edit.setValue(self._shown(number))
                edit.blockSignals(False)
            return
        self._asked_of = self.part
        while self._form.rowCount():
            self._form.removeRow(0)
        self.edits = {}
        if self.part.kind == "bay":
            self._form.addRow("Called", self._name_edit())
        for number in numbers_of(self.pan, self.part):
            self._form.addRow(number.name, self._edit(number))
        if self.part.kind == "opening":
            self._form.addRow("Oil passes", self._way_edit())
        if self.part.kind == "pan":
            self._form.addRow("Pickup measured, gasket", self._gasket_edit())
            self._form.addRow("Crank lies", self._axis_edit())

    def _edit(self, number: Number) -> QDoubleSpinBox:
        symbol, _, decimals = self._unit(number)
        edit = QDoubleSpinBox()
        edit.setDecimals(decimals)
        low, high = (self._to_shown(number, v) for v in (number.low, number.high))
        edit.setRange(_LACKING if number.may_lack else low, high)
        if number.may_lack:
            edit.setSpecialValueText("not measured")
        edit.setSingleStep(10.0**-decimals if symbol in ("in", "US qt") else 0.1 if number.unit == "volume" else 1.0)
        edit.setValue(self._shown(number))
        edit.setSuffix(f" {symbol}")
        edit.setKeyboardTracking(False)
        edit.setAccessibleName(number.name)
        edit.setFixedWidth(round(self._look_of.height() * 8))
        edit.valueChanged.connect(lambda value, n=number: self._typed(n, value))
        self.edits[number.key] = edit
        return edit

    def _name_edit(self) -> QLineEdit:
        edit = QLineEdit(self.pan.bays[self.part.index].name)
        edit.setAccessibleName("What the bay is called")

        def rename() -> None:
            index, name = self.part.index, edit.text().strip()
            if name and name != self.pan.bays[index].name:
                self._try(lambda: editing.renamed(self.pan, index, name), "calling the bay something else")

        edit.editingFinished.connect(rename)
        return edit

    def _choice(self, choices: Sequence[tuple[str, str]], now: str, change: Callable[[str], MeasuredPan]) -> QComboBox:
        """A field for one of a few words; ``choices``: what is read, and what it stands for."""
        box = QComboBox()
        for words, value in choices:
            box.addItem(words, value)
        box.setCurrentIndex(max(box.findData(now), 0))
        box.activated.connect(lambda _: self._try(lambda: change(box.currentData()), f"choosing {box.currentText()}"))
        return box

    def _way_edit(self) -> QComboBox:
        part, wall = self.part, self.pan.walls[self.part.index]
        choices = [("both ways", ""), *((f"into {b} only (a door)", b) for b in wall.between)]

        def change(to: str) -> MeasuredPan:
            opening = self.pan.walls[part.index].openings[part.inner]
            return with_changed_opening(self.pan, part, replace(opening, to_bay=to))

        return self._choice(choices, wall.openings[part.inner].to_bay, change)

    def _axis_edit(self) -> QComboBox:
        choices = [("along the car", "along"), ("across, its front to the left", "across")]
        return self._choice(
            choices, self.pan.axis, lambda axis: replace(self.pan, axis="across" if axis == "across" else "along")
        )

    def _gasket_edit(self) -> QComboBox:
        choices = [("tightened", "pressed"), ("loose", "free"), ("out", "out")]
        return self._choice(
            choices,
            self.pan.gasket_as_measured,
            lambda how: editing.checked(replace(self.pan, gasket_as_measured=how)),  # type: ignore[arg-type]
        )

    # Numbers, as they are typed

    def _unit(self, number: Number) -> tuple[str, Quantity | None, int]:
        if number.unit == "length":
            symbol = self._units.length.symbol
            return symbol, Quantity.LENGTH, 3 if symbol == "in" else 1
        if number.unit == "volume":
            return self._units.volume.symbol, Quantity.VOLUME, 2
        return {"angle": ("°", None, 1), "share": ("%", None, 0), "cm³": ("cm³", None, 1)}[number.unit]

    def _to_shown(self, number: Number, value: float) -> float:
        quantity = self._unit(number)[1]
        if quantity is None:
            return 100.0 * value if number.unit == "share" else value
        base = 1000.0 * value if number.unit == "length" else value
        return float(self._units.unit(quantity).from_base(base))

    def _shown(self, number: Number) -> float:
        return _LACKING if number.value is None else self._to_shown(number, number.value)

    def _typed(self, number: Number, value: float) -> None:
        part, quantity = self.part, self._unit(number)[1]
        stored: float | None
        if number.may_lack and value <= _LACKING:
            stored = None
        elif quantity is None:
            stored = value / 100.0 if number.unit == "share" else value
        else:
            base = float(self._units.unit(quantity).to_base(value))
            stored = base / 1000.0 if number.unit == "length" else base
        if stored is not None and not number.low <= stored <= number.high:
            # Up from "not measured" by the arrow of the field: begin at nothing.
            stored = max(number.low, 0.0)
        self._try(lambda: with_number(self.pan, part, number.key, stored), f"{number.name.lower()}")

    # Changes

    def _try(self, change: Callable[[], MeasuredPan], what: str) -> None:
        try:
            made = change()
        except InputError as error:
            self._ask()
            self.said.setText(str(error))
            return
        self._keep(made, what)

    def _dragged(self, made: MeasuredPan, what: str) -> None:
        self._keep(made, what, goes_on=True)

    def _keep(self, made: MeasuredPan, what: str, goes_on: bool = False) -> None:
        """Show a changed pan; the steps of one drag are one step back."""
        before, part = self.pan, self.part
        if made is before:
            return

        def show(pan: MeasuredPan, chosen: Part) -> None:
            self.pan = pan
            there = {p for p, _ in parts_of(pan)}
            is_shape = chosen.kind in ("corner", "edge") and chosen.index < len(pan.bays)
            is_shape = is_shape and chosen.inner < len(pan.bays[chosen.index].outline_m)
            self.part = chosen if chosen in there or is_shape else Part("pan")
            self._show()

        self.undo.push(_PanStep(what, before, made, part, show, self.canvas.drag if goes_on else 0))

    def _can(self, _step: int = 0) -> None:
        self.back.setEnabled(self.undo.canUndo())
        self.again.setEnabled(self.undo.canRedo())
        self.back.setToolTip(f"Undo {self.undo.undoText()}" if self.undo.canUndo() else "Nothing to undo")
        self.again.setToolTip(f"Redo {self.undo.redoText()}" if self.undo.canRedo() else "Nothing to redo")
        self.remove.setEnabled(self.part.kind not in ("pan", "edge"))

    def take_out(self) -> None:
        """Take out what is chosen."""
        part = self.part
        if part.kind not in ("pan", "edge"):
            self._try(lambda: editing.without(self.pan, part), f"taking out the {part.kind}")

    def additions(self) -> list[tuple[str, Callable[[], MeasuredPan]]]:
        """What can be added where something is chosen."""
        pan, i = self.pan, self.part.index
        bay = i if self.part.kind in ("bay", "corner", "edge") else 0
        name = pan.bays[bay].name
        made: list[tuple[str, Callable[[], MeasuredPan]]] = [
            ("Bay beside it", lambda: editing.with_bay(pan)),
            (f"Plate over {name}", lambda: editing.with_plate(pan, bay)),
            (f"Wall across {name}, square to the crank", lambda: self._divided(bay, "x")),
            (f"Wall along {name}, with the crank", lambda: self._divided(bay, "y")),
        ]
        walled = {frozenset(w.between) for w in pan.walls}
        made += [
            (f"Wall between {name} and {b.name}", lambda b=b: editing.with_wall(pan, (name, b.name)))  # type: ignore[misc]
            for k, b in enumerate(pan.bays)
            if k != bay and frozenset((name, b.name)) not in walled and editing.touch(pan, bay, k)
        ]
        if self.part.kind in ("wall", "opening"):
            made.append(("Opening in this wall", lambda: editing.with_opening(pan, i)))
        if self.part.kind in ("plate", "hole"):
            made.append(("Hole in this plate", lambda: editing.with_hole(pan, i)))
        if pan.pickup is None:
            made.append(("Pickup", lambda: editing.with_pickup(pan)))
        return made

    def _divided(self, bay: int, axis: str) -> MeasuredPan:
        outline = self.pan.bays[bay].outline_m
        k = 0 if axis == "x" else 1
        low, high, middle = float(outline[:, k].min()), float(outline[:, k].max()), float(outline[:, k].mean())
        unit = self._units.unit(Quantity.LENGTH)
        shown, least, most = (float(unit.from_base(1000.0 * v)) for v in (middle, low, high))
        where = "forward" if axis == "x" else "to the left"
        value, given = QInputDialog.getDouble(
            self, "Wall", f"Where, {where} ({unit.symbol}), {least:.1f} to {most:.1f}:", shown, least, most, 1
        )
        if not given:
            return self.pan
        return editing.divided(self.pan, bay, "x" if axis == "x" else "y", float(unit.to_base(value)) / 1000.0)

    def _offer(self) -> None:
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for words, make in self.additions():
            menu.addAction(words).triggered.connect(lambda _=False, w=words, m=make: self._try(m, f"adding: {w}"))
        menu.popup(self.add.mapToGlobal(self.add.rect().bottomLeft()))


class _PanStep(UndoStep):
    """From one pan to another; the moves of one drag run together."""

    def __init__(
        self,
        what: str,
        before: MeasuredPan,
        after: MeasuredPan,
        part: Part,
        show: Callable[[MeasuredPan, Part], None],
        drag: int,
    ) -> None:
        self.before, self.after, self.drag = before, after, drag
        super().__init__(what, lambda: show(self.after, part), lambda: show(self.before, part))

    def id(self) -> int:
        """Steps of one drag have one number, others none."""
        return self.drag or -1

    def mergeWith(self, other: QUndoCommand) -> bool:
        """A later move of the same drag takes this one's place."""
        if not isinstance(other, _PanStep):
            return False
        self.after = other.after
        return True
