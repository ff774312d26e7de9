"""A pan from a few tape measurements, drawn while they are typed."""

from __future__ import annotations

import tomllib

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter, QPaintEvent, QPolygonF
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QDoubleSpinBox,
    QFormLayout,
    QLineEdit,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from basso.errors import InputError
from basso.sump.measured import MeasuredPan
from basso.sump.pan_file import pan_of, pan_text
from basso.sump.quick import KINDS, Measure, pan_from
from basso.sump.sections import Drawing, drawing_of, oil_in
from basso.ui import layouts
from basso.ui.dialogs import decision, label
from basso.ui.plots import paint
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits, Quantity


class MeasureDialog(QDialog):
    """Asks for the measurements of one of the usual shapes. :attr:`pan` is the pan they make, or None with the reason
    said."""

    def __init__(self, parent: QWidget, look: Look, units: DisplayUnits) -> None:
        super().__init__(parent)
        self.setWindowTitle("Measure pan")
        self.resize(round(look.height() * 54), round(look.height() * 34))
        self._units, self._look_of = units, look
        self.pan: MeasuredPan | None = None
        self.kind, self.axis, self.name = QComboBox(), QComboBox(), QLineEdit()
        for key, (title, _) in KINDS.items():
            self.kind.addItem(title, key)
        self.axis.addItem("along the car", "along")
        self.axis.addItem("across the car, its front to the car's left", "across")
        self.name.setPlaceholderText("Standard pan")
        self.edits: dict[str, QDoubleSpinBox] = {}
        self._form = QFormLayout()
        self._kept: dict[str, float] = {}
        self.picture = PanPreview(look, units)
        self.said = label(look, "", Type.SMALL)
        self.said.setWordWrap(True)
        hint = label(
            look,
            "Measure on the bench with the gasket in. Clean the pan first; a depth is straight down from the rail. "
            "Baffles and doors can be added in the pan's file later (Pan to a file…).",
            Type.SMALL,
            soft=True,
        )
        hint.setWordWrap(True)
        self.buttons = decision(self, self.accept, save=True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 14)
        layout.addWidget(hint)
        top = QFormLayout()
        top.addRow("Shape", self.kind)
        top.addRow("Crank lies", self.axis)
        top.addRow("Called", self.name)
        left = layouts.column(None, (0, 0, 0, 0), 8)
        left.addLayout(top)
        left.addLayout(self._form)
        left.addStretch(1)
        sides = layouts.row(None, (0, 6, 0, 6), 18)
        sides.addLayout(left, 3)
        sides.addWidget(self.picture, 2)
        layout.addLayout(sides, 1)
        layout.addWidget(self.said)
        layout.addWidget(self.buttons)
        self.kind.currentIndexChanged.connect(lambda _: self._ask())
        self.axis.currentIndexChanged.connect(lambda _: self._look())
        self.name.textChanged.connect(lambda _: self._look())
        self._ask()

    def _ask(self) -> None:
        """Ask for what the shape takes; what was typed for another shape stays."""
        self._kept.update(self.values)
        while self._form.rowCount():
            self._form.removeRow(0)
        self.edits = {}
        for m in KINDS[self.kind.currentData()][1]:
            line = layouts.row(None, (0, 0, 0, 0), 8)
            line.addWidget(self._edit(m))
            line.addWidget(label(self._look_of, m.hint, Type.SMALL, soft=True), 1)
            self._form.addRow(m.name, line)
        self._look()

    def _edit(self, m: Measure) -> QDoubleSpinBox:
        quantity = Quantity.VOLUME if m.unit == "L" else Quantity.LENGTH
        unit = self._units.unit(quantity)
        edit = QDoubleSpinBox()
        edit.setDecimals(2 if m.unit == "L" or unit.symbol == "in" else 1)
        low = -1500.0 if m.key in ("forward", "left") else 0.0
        edit.setRange(float(unit.from_base(low)), float(unit.from_base(3000.0 if m.unit == "mm" else 60.0)))
        edit.setSingleStep(0.1 if m.unit == "L" or unit.symbol == "in" else 1.0)
        edit.setValue(float(unit.from_base(self._kept.get(m.key, m.usual))))
        edit.setSuffix(f" {unit.symbol}")
        edit.setFixedWidth(round(self._look_of.height() * 8))
        edit.setAccessibleName(f"{m.name}: {m.hint}")
        edit.valueChanged.connect(lambda _: self._look())
        self.edits[m.key] = edit
        return edit

    @property
    def values(self) -> dict[str, float]:
        """What was typed, in mm and L."""
        found = {}
        for m in KINDS[self.kind.currentData()][1]:
            if m.key in self.edits:
                unit = self._units.unit(Quantity.VOLUME if m.unit == "L" else Quantity.LENGTH)
                found[m.key] = float(unit.to_base(self.edits[m.key].value()))
        return found

    def _look(self) -> None:
        """Draw it, or say what cannot be."""
        try:
            name = self.name.text().strip() or "Standard pan"
            made = pan_from(self.kind.currentData(), self.values, self.axis.currentData(), name)
            # As its file would be read: what cannot be is said in the same words.
            self.pan = pan_of(tomllib.loads(pan_text(made)), "The pan")
            capacity = self.picture.show_pan(self.pan)
            fill = self.pan.fill_l or 0.0
            if fill > 1000.0 * capacity:
                self.pan = None
                room = self._units.text(1000.0 * capacity, Quantity.VOLUME)
                self.said.setText(f"The pan holds {room}: less oil, or another measurement.")
            else:
                self.said.setText(f"Holds {self._units.text(1000.0 * capacity, Quantity.VOLUME)}.")
        except InputError as error:
            self.pan = None
            self.said.setText(str(error))
        save = self.buttons.button(QDialogButtonBox.StandardButton.Save)
        if save is not None:
            save.setEnabled(self.pan is not None)


class PanPreview(QWidget):
    """The pan from above and from behind, with its oil at rest."""

    def __init__(self, look: Look, units: DisplayUnits) -> None:
        super().__init__()
        self._look, self._units = look, units
        self._drawing: Drawing | None = None
        self.setMinimumWidth(round(look.height() * 16))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("The pan as measured")

    def show_pan(self, pan: MeasuredPan) -> float:
        """Draw it; returns what it holds, m³."""
        self._drawing = drawing_of(pan)
        self.update()
        return self._drawing.table.capacity_m3

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, look, d = QPainter(self), self._look, self._drawing
        if d is None:
            return
        line = look.height(Type.SMALL)
        x0, x1, y0, y1 = d.extent
        box = QRectF(self.rect()).adjusted(6, line * 1.2, -6, -6)
        upper = QRectF(box.left(), box.top(), box.width(), box.height() * 0.55)
        lower = QRectF(box.left(), upper.bottom() + line * 2, box.width(), box.bottom() - upper.bottom() - line * 2)
        paint.label(painter, look, box.left(), line * 0.6, "from above, nose up")
        paint.label(painter, look, box.left(), upper.bottom() + line, "from behind, oil at rest")
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        scale = min(upper.width() / (y1 - y0), upper.height() / (x1 - x0))
        middle = upper.center()

        def plan(x: float, y: float) -> QPointF:
            return QPointF(middle.x() - (y - (y0 + y1) / 2) * scale, middle.y() - (x - (x0 + x1) / 2) * scale)

        painter.setPen(look.pen("ink", 1.6))
        for outline in d.above:
            painter.drawPolygon(QPolygonF([plan(*p) for p in outline]))
        if d.pickup is not None:
            painter.drawEllipse(plan(d.pickup[0], d.pickup[1]), 7, 7)
        points = [a for o in d.behind for a, _ in o]
        if not points:
            return
        least, most = min(points), max(points)
        size = min(lower.width() / (most - least), lower.height() / (d.high_m - d.low_m))

        def cut(across: float, up: float) -> QPointF:
            x = lower.center().x() - (across - (least + most) / 2) * size
            return QPointF(x, lower.bottom() - (up - d.low_m) * size)

        if d.pan.fill_l is not None:
            painter.setPen(look.pen("oil_wash", 0.5))
            painter.setBrush(look.color("oil_wash"))
            for polygon in oil_in(d, d.pan.fill_l / 1000.0, 0.0, 0.0).behind:
                painter.drawPolygon(QPolygonF([cut(*p) for p in polygon]))
        painter.setBrush(look.color("panel"))
        painter.setPen(look.pen("ink", 1.6))
        for a, b, c, e in d.behind:
            painter.drawPolyline(QPolygonF([cut(*p) for p in (e, a, b, c)]))
        if d.pickup is not None:
            mouth = cut(d.pickup[1], d.pickup[2])
            painter.drawLine(QPointF(mouth.x(), cut(0.0, d.high_m).y()), mouth)
            painter.drawLine(QPointF(mouth.x() - 9, mouth.y()), QPointF(mouth.x() + 9, mouth.y()))
