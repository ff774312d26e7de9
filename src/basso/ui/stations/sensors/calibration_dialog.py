"""Points of a calibration in, the line and what is left over beside them, as they are written."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QGridLayout,
    QHeaderView,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from basso.car.sensors import line_of
from basso.errors import InputError
from basso.fitting.calibration import calibration_words
from basso.garage.fields import Field, fields_of, read
from basso.garage.records import Calibration, Sensor
from basso.ui.dialogs import decision
from basso.ui.plain import Label
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits, Quantity, digits_of

_ROWS = 12
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
_HINT = (
    "Sensor off the engine or the line vented, on a hand pump or dead weight with a gauge you trust. "
    "Five pressures up, the same down "
    "again; wait until each stands. What you apply is gauge pressure."
)


class CalibrationDialog(QDialog):
    """``calibration`` is what was written, kPa inside. Returns ``REMOVED`` when it is to go."""

    REMOVED = 2

    def __init__(
        self,
        parent: QWidget,
        look: Look,
        card: Sensor,
        calibration: Calibration,
        units: DisplayUnits,
        removable: bool = False,
    ) -> None:
        super().__init__(parent)
        self._card, self._before, self._units = card, calibration, units
        self._off: list[QTableWidgetItem] = []
        self.setWindowTitle(f"Calibrate {card.name}")
        self.setMinimumWidth(round(look.height() * 30))
        head, hint = Label(f"Calibrate {card.name}"), Label(_HINT)
        head.setFont(look.font(Type.TITLE))
        hint.setFont(look.font(Type.SMALL))
        hint.setStyleSheet(f"color: {look.palette.soft};")
        hint.setWordWrap(True)
        self.day, self.against, self.reads = QLineEdit(calibration.day), QComboBox(), QComboBox()
        against = next(f for f in fields_of(Calibration) if f.name == "against")
        self.against.addItems(list(against.choices))
        self.against.setEditable(True)
        self.against.setCurrentText(calibration.against)
        self.reads.addItems([units.pressure.symbol, "V"])
        self.reads.setCurrentIndex(int(calibration.reads == "V"))
        grid = QGridLayout()
        for i, (words, widget) in enumerate(
            (("Day", self.day), ("Reference", self.against), ("It reads in", self.reads))
        ):
            label = Label(words)
            label.setBuddy(widget)
            widget.setAccessibleName(words)
            grid.addWidget(label, 0, 2 * i)
            grid.addWidget(widget, 0, 2 * i + 1)
        self.table = QTableWidget(max(_ROWS, len(calibration.points) + 2), 3)
        self.table.setAccessibleName("Points: applied, read, off the line")
        self.table.verticalHeader().setVisible(False)
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.table.horizontalHeader().setDefaultAlignment(_RIGHT)
        self.table.verticalHeader().setDefaultSectionSize(round(look.height() * 1.35))
        self.table.setMinimumHeight(round(look.height() * 15))
        self.said = Label(" ")
        self.said.setWordWrap(True)
        self.said.setMinimumHeight(round(look.height() * 4.2))
        self.said.setAlignment(Qt.AlignmentFlag.AlignTop)
        self._buttons = decision(self, self.accept, save=True)
        if removable:
            gone = self._buttons.addButton("Remove", QDialogButtonBox.ButtonRole.DestructiveRole)
            gone.clicked.connect(lambda: self.done(self.REMOVED))
        layout = QVBoxLayout(self)
        layout.addWidget(head)
        layout.addWidget(hint)
        layout.addLayout(grid)
        layout.addWidget(self.table, 1)
        layout.addWidget(self.said)
        layout.addWidget(self._buttons)
        self._fill()
        self.table.itemChanged.connect(self._work)
        self.reads.currentIndexChanged.connect(self._work)
        self.day.textChanged.connect(self._work)
        self._work()

    def _fill(self) -> None:
        pressure = self._units.pressure
        for row in range(self.table.rowCount()):
            off = QTableWidgetItem("")
            off.setFlags(Qt.ItemFlag.ItemIsEnabled)
            off.setTextAlignment(_RIGHT)
            self.table.setItem(row, 2, off)
            self._off.append(off)
            texts = ["", ""]
            if row < len(self._before.points):
                applied, got = self._before.points[row]
                shown = got if self._before.reads == "V" else float(pressure.difference_from_base(got))
                texts = [f"{value:.6g}" for value in (float(pressure.difference_from_base(applied)), shown)]
            for column, text in enumerate(texts):
                item = QTableWidgetItem(text)
                item.setTextAlignment(_RIGHT)
                self.table.setItem(row, column, item)

    def _points(self) -> list[tuple[int, float, float]]:
        """(row, applied kPa, read kPa or V) of the rows that are filled in.

        Raises:
            InputError: half a pair, or no number.
        """
        factor = self._units.unit(Quantity.PRESSURE).factor
        volts = self.reads.currentIndex() == 1
        found = []
        for row in range(self.table.rowCount()):
            texts = [item.text().strip() if (item := self.table.item(row, c)) is not None else "" for c in (0, 1)]
            if not any(texts):
                continue
            if not all(texts):
                raise InputError(f"Row {row + 1}: both what was applied and what it read are wanted.")
            applied, got = (read(Field("x", f"Row {row + 1}", "number"), t, self._units) for t in texts)
            found.append((row, applied * factor, got if volts else got * factor))
        return found

    def _work(self) -> None:
        """Read what stands there, and show the line."""
        pressure, volts = self._units.pressure, self.reads.currentIndex() == 1
        self.table.blockSignals(True)
        self.table.setHorizontalHeaderLabels(
            [
                f"Applied, {pressure.symbol}",
                f"Read, {'V' if volts else pressure.symbol}",
                f"Error from straight line, {pressure.symbol}",
            ]
        )
        for item in self._off:
            item.setText("")
        may = False
        try:
            points = self._points()
            read(next(f for f in fields_of(Calibration) if f.name == "day"), self.day.text(), self._units)
            line = line_of(self._card, self.calibration)
            for (row, _, _), off in zip(points, line.residual_kpa, strict=True):
                shown = f"{float(pressure.difference_from_base(float(off))):+.{digits_of(pressure) + 1}f}"
                if not float(shown):
                    shown = shown.lstrip("+-")
                self._off[row].setText(shown.replace("-", "−"))
            self.said.setText(calibration_words(line, self._units))
            may = True
        except InputError as error:
            self.said.setText(str(error))
        self.table.blockSignals(False)
        self._buttons.button(QDialogButtonBox.StandardButton.Save).setEnabled(may)

    @property
    def calibration(self) -> Calibration:
        """What was written.

        Raises:
            InputError: it does not make points.
        """
        points = tuple((applied, got) for _, applied, got in self._points())
        return replace(
            self._before,
            day=self.day.text().strip(),
            against=self.against.currentText().strip(),
            reads="V" if self.reads.currentIndex() == 1 else "kPa",
            points=points,
        )
