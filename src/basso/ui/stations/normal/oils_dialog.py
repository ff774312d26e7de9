"""Oils as their data sheets have them, and up to which temperature each is used on this engine."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QHBoxLayout, QPushButton, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from basso.errors import InputError
from basso.findings.normal.adviser import usual_ceiling_c
from basso.garage.fields import fields_of, read, show
from basso.garage.records import OilSheet, new_id
from basso.oil.grades import grades, measured
from basso.ui.dialogs import decision, label
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits, Quantity

_FIELDS = ("name", "v40", "v100", "ceiling_c", "source", "note")


class OilsDialog(QDialog):
    """``sheets`` is what is kept as written: one for each row that says other than the grade's usual figures."""

    def __init__(
        self, parent: QWidget, look: Look, car: str, sheets: Sequence[OilSheet], units: DisplayUnits, kept_with: str
    ) -> None:
        """``car``: the id the sheets belong to; ``kept_with``: what the car is called, "" where nothing can be kept."""
        super().__init__(parent)
        self.setWindowTitle("Oils")
        self.resize(round(look.height() * 52), round(look.height() * 27))
        self._look, self._units, self._car = look, units, car
        self._before = {s.name: s for s in sheets}
        self.sheets: tuple[OilSheet, ...] = tuple(sheets)
        form = {f.name: f for f in fields_of(OilSheet)}
        self._fields = [form[name] for name in _FIELDS]
        heads = [
            f"{f.label}, {f.unit or (units.temperature.symbol if f.quantity is Quantity.TEMPERATURE else '')}".rstrip(
                ", "
            )
            for f in self._fields
        ]
        self.table = QTableWidget(0, len(heads))
        self.table.setTabKeyNavigation(False)
        self.table.setHorizontalHeaderLabels(heads)
        self.table.verticalHeader().setVisible(False)
        self.table.verticalHeader().setDefaultSectionSize(round(look.height() * 1.35))
        self.table.setAccessibleName("Oils")
        self.table.horizontalHeader().setStretchLastSection(True)
        self.said = label(look, " ", Type.SMALL_STRONG)
        self.said.setStyleSheet(f"color: {look.palette.below};")
        where = (
            f"Kept with {kept_with}"
            if kept_with
            else "The log shown belongs to no car of the garage: kept until Basso is closed"
        )
        hint = (
            "Figures in grey are usual for the grade; the oil's own data sheet is better: write over "
            "them. An oil may be added by the name "
            f"that its fills have. “Used up to” is the ceiling you set for it on this engine. {where}. "
            "Basso ranks no oil."
        )
        self.add_button = QPushButton("Add an oil")
        self.usual_button = QPushButton("As usual for the grade")
        self.add_button.clicked.connect(self._add)
        self.usual_button.clicked.connect(self._usual)
        row = QHBoxLayout()
        for button in (self.add_button, self.usual_button):
            button.setAutoDefault(False)
            row.addWidget(button)
        row.addStretch(1)
        buttons = decision(self, self._save, save=True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 14)
        for widget in (label(look, "Oils", Type.TITLE), label(look, hint, Type.SMALL, soft=True), self.table):
            layout.addWidget(widget)
        layout.addLayout(row)
        layout.addWidget(self.said)
        layout.addWidget(buttons)
        self._fill()
        self.table.itemChanged.connect(self._written)

    def _fill(self) -> None:
        own = [s for s in self._before.values() if s.name not in grades()]
        for name in grades():
            self._put(self._before.get(name) or OilSheet(car=self._car, name=name))
        for sheet in own:
            self._put(sheet)
        for column, f in enumerate(self._fields):
            side = Qt.AlignmentFlag.AlignRight if f.kind == "number" else Qt.AlignmentFlag.AlignLeft
            if (head := self.table.horizontalHeaderItem(column)) is not None:
                head.setTextAlignment(side | Qt.AlignmentFlag.AlignVCenter)
        self.table.resizeColumnsToContents()
        for column in (0, 4):
            self.table.setColumnWidth(column, max(self.table.columnWidth(column), round(self._look.height() * 9)))

    def _put(self, sheet: OilSheet) -> None:
        row = self.table.rowCount()
        self.table.insertRow(row)
        self._show(row, sheet)

    def _show(self, row: int, sheet: OilSheet) -> None:
        usual = _usual_of(sheet.name)
        self.table.blockSignals(True)
        for column, f in enumerate(self._fields):
            value = getattr(sheet, f.name)
            is_usual = value is None and usual is not None
            item = QTableWidgetItem(show(f, getattr(usual, f.name) if is_usual else value, self._units))
            if f.kind == "number":
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            if f.name == "name" and sheet.name in grades():
                item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
            self.table.setItem(row, column, item)
            self._shade(item, is_usual)
        self.table.blockSignals(False)

    def _shade(self, item: QTableWidgetItem, is_usual: bool) -> None:
        from PySide6.QtGui import QColor

        item.setForeground(QColor(self._look.palette.soft if is_usual else self._look.palette.ink))

    def _written(self, item: QTableWidgetItem) -> None:
        """What was written over is no usual figure any more."""
        name = self._text(item.row(), 0)
        usual, f = _usual_of(name), self._fields[item.column()]
        same = (
            usual is not None
            and f.kind == "number"
            and item.text().strip() == show(f, getattr(usual, f.name), self._units)
        )
        self.table.blockSignals(True)
        self._shade(item, same)
        self.table.blockSignals(False)

    def _add(self) -> None:
        self._put(OilSheet(car=self._car, name=""))
        self.table.setCurrentCell(self.table.rowCount() - 1, 0)
        if (item := self.table.currentItem()) is not None:
            self.table.editItem(item)

    def _usual(self) -> None:
        """The row that is chosen as it is usual for its grade; one that is no grade leaves the list."""
        row = self.table.currentRow()
        if row < 0:
            return
        name = self._text(row, 0)
        if name in grades():
            self._show(row, OilSheet(car=self._car, name=name))
        else:
            self.table.removeRow(row)

    def _text(self, row: int, column: int) -> str:
        item = self.table.item(row, column)
        return item.text().strip() if item is not None else ""

    def _save(self) -> None:
        try:
            self.sheets = self._read()
        except InputError as error:
            self.said.setText(str(error))
            return
        self.accept()

    def _read(self) -> tuple[OilSheet, ...]:
        found: dict[str, OilSheet] = {}
        seen: set[str] = set()
        for row in range(self.table.rowCount()):
            texts = [self._text(row, c) for c in range(len(self._fields))]
            if not any(texts):
                continue
            name = texts[0]
            if not name:
                raise InputError(f"Row {row + 1}: the oil needs a name, as its fills call it.")
            if name in seen:
                raise InputError(f"{name}: stands there twice; keep one row.")
            seen.add(name)
            before, usual = self._before.get(name), _usual_of(name)
            sheet = before or OilSheet(id=new_id(), car=self._car, name=name)
            for f, text in zip(self._fields[1:], texts[1:], strict=True):
                shown = (
                    getattr(sheet, f.name)
                    if getattr(sheet, f.name) is not None or usual is None
                    else getattr(usual, f.name)
                )
                if text == show(f, shown, self._units):
                    continue
                is_usual = (
                    usual is not None and f.kind == "number" and text == show(f, getattr(usual, f.name), self._units)
                )
                written: dict[str, Any] = {f.name: None if is_usual else read(f, text, self._units)}
                sheet = replace(sheet, **written)
            sheet = _whole(sheet, usual)
            if before is not None or sheet != OilSheet(id=sheet.id, car=self._car, name=name):
                found[name] = sheet
        # A row that is back at the usual figures needs no sheet.
        return tuple(s for s in found.values() if s != OilSheet(id=s.id, car=s.car, name=s.name))


def _usual_of(name: str) -> OilSheet | None:
    grade = grades().get(name)
    if grade is None:
        return None
    return OilSheet(car="", name=name, v40=grade.at_40_mm2ps, v100=grade.at_100_mm2ps, ceiling_c=usual_ceiling_c(grade))


def _whole(sheet: OilSheet, usual: OilSheet | None) -> OilSheet:
    """Both viscosities or neither; they must belong to an oil, and the ceiling to one that runs."""
    if sheet.ceiling_c is not None and not 40.0 <= sheet.ceiling_c <= 250.0:
        raise InputError(f"{sheet.name}: {sheet.ceiling_c:g} °C cannot be the ceiling of an oil; write it like 120.")
    if sheet.v40 is None and sheet.v100 is None:
        return sheet
    if usual is not None:
        sheet = replace(sheet, v40=sheet.v40 or usual.v40, v100=sheet.v100 or usual.v100)
    if sheet.v40 is None or sheet.v100 is None:
        raise InputError(f"{sheet.name}: give both viscosities, at 40 and at 100 °C, or neither.")
    try:
        measured(sheet.v40, sheet.v100, sheet.name)
    except InputError as error:
        raise InputError(f"{sheet.name}: {error}") from None
    return sheet
