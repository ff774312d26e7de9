"""Readings off a gauge: the panel that judges them one by one, and the dialog that takes them in."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import (
    QApplication,
    QComboBox,
    QDialog,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from basso.errors import InputError
from basso.formats.gauge import Triple, gauge_csv
from basso.pressure.gauge import GaugeReading, judge_readings
from basso.ui.dialogs import decision
from basso.ui.plain import Label
from basso.ui.theme.look import Look, Type
from basso.units import UNITS, DisplayUnits, Quantity

if TYPE_CHECKING:
    from basso.analysis import Analysis

_ROWS = 12


class GaugePanel(QWidget):
    """A line of judgement for each reading; hidden for logs from a logger."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._title = Label()
        self.table = QTableWidget(0, 6)
        self.table.setShowGrid(False)
        self.table.verticalHeader().hide()
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.setAccessibleName("Gauge readings")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 6, 0, 0)
        layout.addWidget(self._title)
        layout.addWidget(self.table, 1)
        self.hide()

    def show_analysis(self, analysis: Analysis | None, units: DisplayUnits) -> None:
        """Judge the readings of a manual recording against its floors."""
        self.setVisible(analysis is not None)
        if analysis is None:
            return
        readings = judge_readings(analysis.recording, analysis.options.floors)
        self._title.setFont(self._look.font(Type.STATION))
        self._title.setText(gauge_words(readings, units))
        self._title.setWordWrap(True)
        self.table.setHorizontalHeaderLabels(
            [
                "Reading",
                "Engine speed, rpm",
                f"Oil pressure, {units.pressure.symbol}",
                f"Oil temperature, {units.temperature.symbol}",
                f"Floor, {units.pressure.symbol}",
                f"Margin, {units.pressure.symbol}",
            ]
        )
        self.table.setRowCount(len(readings))
        for i, reading in enumerate(readings):
            for j, text in enumerate(reading_cells(reading, units)):
                item = QTableWidgetItem(text)
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                if reading.margin_kpa is not None and reading.margin_kpa < 0:
                    item.setForeground(self._look.color("below"))
                self.table.setItem(i, j, item)
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)


def gauge_words(readings: Sequence[GaugeReading], units: DisplayUnits) -> str:
    """What the readings come to, in one sentence."""
    below = [r for r in readings if r.margin_kpa is not None and r.margin_kpa < 0]
    if not readings:
        return "No reading has both engine speed and oil pressure."
    if not below:
        return (
            f"None of {len(readings)} readings lies below the floor; what happened between them a gauge does not show."
        )
    worst = min(below, key=lambda r: r.margin_kpa or 0.0)
    under = units.text(-(worst.margin_kpa or 0.0), Quantity.PRESSURE, difference=True)
    return (
        f"{len(below)} of {len(readings)} readings below the floor; the worst {under} under it at {worst.rpm:.0f} rpm."
    )


def reading_cells(r: GaugeReading, units: DisplayUnits) -> list[str]:
    """A reading's numbers in the units shown; "–" where no floor says anything or nothing was read."""
    q = Quantity
    floor = "–" if r.floor_kpa is None else units.number(r.floor_kpa, q.PRESSURE)
    margin = "–" if r.margin_kpa is None else units.number(r.margin_kpa, q.PRESSURE, difference=True, signed=True)
    heat = "–" if r.temperature_c is None else units.number(r.temperature_c, q.TEMPERATURE)
    return [str(r.number), f"{r.rpm:.0f}", units.number(r.pressure_kpa, q.PRESSURE), heat, floor, margin]


class GaugeDialog(QDialog):
    """A sheet to write readings into: rpm, oil pressure, oil temperature, a remark."""

    def __init__(self, parent: QWidget, look: Look, units: DisplayUnits) -> None:
        super().__init__(parent)
        self.setWindowTitle("Gauge readings")
        self.resize(640, 560)
        self.data = b""
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 14)
        title = Label("Readings off a gauge")
        title.setFont(look.font(Type.TITLE))
        words = Label(
            "One line for each reading: engine speed, oil pressure, and oil temperature if there is a "
            "gauge for it. Read warm, at "
            "steady rpm; let somebody else read while you drive, on a closed course. Each is held "
            "against the floors by itself: a "
            "gauge shows no dips."
        )
        words.setWordWrap(True)
        words.setStyleSheet(f"color: {look.palette.soft};")
        layout.addWidget(title)
        layout.addWidget(words)
        line = QHBoxLayout()
        self.pressure, self.temperature = QComboBox(), QComboBox()
        self.pressure.addItems(["psi", "bar", "kPa"])
        self.pressure.setCurrentText(units.pressure.symbol)
        self.temperature.addItems(["°C", "°F"])
        self.temperature.setCurrentText(units.temperature.symbol)
        self.car, self.day = QLineEdit(), QLineEdit(date.today().isoformat())
        self.car.setPlaceholderText("car")
        for name, widget in (
            ("Pressure in", self.pressure),
            ("temperature in", self.temperature),
            ("Car", self.car),
            ("Date", self.day),
        ):
            label = Label(name)
            label.setBuddy(widget)
            widget.setAccessibleName(name)
            line.addWidget(label)
            line.addWidget(widget)
        layout.addLayout(line)
        self.sheet = _Sheet(_ROWS, 4)
        self.sheet.setHorizontalHeaderLabels(["Engine speed, rpm", "Oil pressure", "Oil temperature", "Remark"])
        self.sheet.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.sheet.setAccessibleName("Readings")
        self.sheet.setStyleSheet(
            f"QTableView {{ gridline-color: {look.palette.rule}; background: {look.palette.panel}; }}"
        )
        layout.addWidget(self.sheet, 1)
        self._problem = Label()
        self._problem.setWordWrap(True)
        self._problem.setStyleSheet(f"color: {look.palette.below};")
        layout.addWidget(self._problem)
        buttons = decision(self, self._take, save=True)
        layout.addWidget(buttons)

    def _take(self) -> None:
        try:
            facts = [("Vehicle", self.car.text().strip()), ("Date", self.day.text().strip())]
            self.data = gauge_csv(
                self.triples(),
                UNITS[self.pressure.currentText()],
                UNITS[self.temperature.currentText()],
                [f for f in facts if f[1]],
            )
        except InputError as error:
            self._problem.setText(str(error))
            return
        self.accept()

    def triples(self) -> list[Triple]:
        """The readings filled in; raises InputError that names the line and cell that is no number."""
        found = []
        for row in range(self.sheet.rowCount()):
            cells = [item.text().strip() if (item := self.sheet.item(row, c)) is not None else "" for c in range(4)]
            if not any(cells[:3]):
                continue
            numbers: list[float | None] = []
            for name, cell in zip(("engine speed", "oil pressure", "oil temperature"), cells, strict=False):
                try:
                    numbers.append(float(cell.replace(",", ".")) if cell else None)
                except ValueError:
                    raise InputError(f"Line {row + 1}: the {name} '{cell}' is no number.") from None
            rpm, pressure, heat = numbers
            if rpm is None or pressure is None:
                raise InputError(f"Line {row + 1}: a reading needs engine speed and oil pressure.")
            found.append(Triple(rpm, pressure, heat, cells[3]))
        return found

    @property
    def problem(self) -> str:
        """What keeps the readings from being taken."""
        return self._problem.text()


class _Sheet(QTableWidget):
    """Takes pasted tables; grows by a line when the last one is filled."""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not event.matches(QKeySequence.StandardKey.Paste):
            super().keyPressEvent(event)
            return
        row, column = max(self.currentRow(), 0), max(self.currentColumn(), 0)
        for i, line in enumerate(QApplication.clipboard().text().splitlines()):
            if row + i >= self.rowCount():
                self.insertRow(self.rowCount())
            for j, cell in enumerate(line.split("\t")[: self.columnCount() - column]):
                self.setItem(row + i, column + j, QTableWidgetItem(cell))
