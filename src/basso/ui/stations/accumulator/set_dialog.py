"""The accumulator's figures, typed: bottle, valve, line, pump and the floor it is to hold."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtWidgets import QComboBox, QDialog, QDialogButtonBox, QDoubleSpinBox, QFormLayout, QLineEdit, QWidget

from basso.accumulator.fitted import Fitted, checked
from basso.accumulator.valve import SHUTS_OVER_KPA, Line, Valve
from basso.errors import InputError
from basso.ui import layouts
from basso.ui.dialogs import decision, label
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits, Quantity
from basso.words.accumulator import VESSEL

_Q = Quantity


class SetDialog(QDialog):
    """:attr:`fitted` is what was typed."""

    def __init__(self, parent: QWidget, look: Look, units: DisplayUnits, fitted: Fitted) -> None:
        super().__init__(parent)
        self.setWindowTitle("Set accumulator")
        self._units, self._look, self.fitted = units, look, fitted
        b, line = fitted.bottle, fitted.line
        self.name = QLineEdit(fitted.name)
        self.name.setPlaceholderText("2 L, manual valve")
        self.total = self._edit("Volume with no oil in", b.total_l, _Q.VOLUME, 0.05, 50.0)
        self.precharge = self._edit("Precharge", b.precharge_kpa, _Q.PRESSURE, 0.0, 5000.0)
        self.set_c = self._edit("Set at", b.set_c, _Q.TEMPERATURE, -40.0, 60.0)
        self.gas_c = self._edit("Gas as driven", b.gas_c, _Q.TEMPERATURE, -40.0, 150.0)
        self.friction = self._edit("Piston's seals take", b.friction_kpa, _Q.PRESSURE, 0.0, 200.0)
        self.valve = QComboBox()
        self.valve.addItem("plain, stands open (manual tap)", False)
        self.valve.addItem("check valve with pressure switch", True)
        self.valve.setCurrentIndex(int(fitted.valve.trigger_kpa is not None))
        self.valve.setAccessibleName("Valve")
        trigger = fitted.valve.trigger_kpa
        self.trigger = self._edit("Opens under", trigger if trigger is not None else 250.0, _Q.PRESSURE, 0.0, 2000.0)
        self.over = self._edit("Shuts so much over that", fitted.valve.shuts_over_kpa, _Q.PRESSURE, 0.0, 500.0)
        self.out = self._edit("Line loses at 20 L/min", line.out_kpa, _Q.PRESSURE, 0.0, 5000.0)
        self.back = self._edit("Refilling loses at 20 L/min", line.in_kpa, _Q.PRESSURE, 0.0, 50_000.0)
        self.pump = QDoubleSpinBox()
        self.pump.setRange(0.0, 500.0)
        self.pump.setDecimals(1)
        self.pump.setSuffix(" cm³")
        self.pump.setSpecialValueText("not known")
        self.pump.setValue(fitted.pump_cm3_per_rev or 0.0)
        self.pump.setAccessibleName("Pump, for a turn of the crank")
        self.floor = self._edit("Floor to hold", fitted.floor_kpa or 0.0, _Q.PRESSURE, 0.0, 5000.0)
        self.floor.setSpecialValueText("the session's floors")
        self.said = label(look, "", Type.SMALL)
        self.buttons = decision(self, self.accept, save=True)
        self._lay_out()
        for edit in (*self._edits, self.pump):
            edit.valueChanged.connect(lambda _: self._read())
        self.valve.currentIndexChanged.connect(lambda _: self._read())
        self.name.textChanged.connect(lambda _: self._read())
        self._read()

    @property
    def _edits(self) -> tuple[QDoubleSpinBox, ...]:
        return (
            *(self.total, self.precharge, self.set_c, self.gas_c, self.friction, self.trigger, self.over),
            *(self.out, self.back, self.floor),
        )

    def _lay_out(self) -> None:
        columns = layouts.row(None, (0, 0, 0, 0), 24)
        left, right = QFormLayout(), QFormLayout()
        left.addRow("Called", self.name)
        left.addRow("Volume with no oil in", self.total)
        left.addRow("Precharge, gauge", self.precharge)
        left.addRow("Set at", self.set_c)
        left.addRow("Gas as driven", self.gas_c)
        left.addRow("Piston's seals take", self.friction)
        left.addRow("Floor to hold", self.floor)
        right.addRow("Valve", self.valve)
        right.addRow("Opens under", self.trigger)
        right.addRow("Shuts so much over that", self.over)
        right.addRow("Line loses at 20 L/min", self.out)
        right.addRow("Refilling loses at 20 L/min", self.back)
        right.addRow("Pump, for a turn of the crank", self.pump)
        columns.addLayout(left)
        columns.addLayout(right)
        whole = layouts.column(self, (16, 12, 16, 12), 8)
        hint = (
            "The precharge is set with the oil side empty, at a stated temperature. The size on the label is gas and "
            "oil together: less than half of it is oil that can be used."
        )
        for words in (hint, VESSEL):
            whole.addWidget(label(self._look, words, Type.SMALL, soft=True))
        whole.addLayout(columns)
        whole.addWidget(self.said)
        whole.addWidget(self.buttons)
        self.setMinimumWidth(round(self._look.height() * 46))

    def _edit(self, name: str, value: float, quantity: Quantity, low: float, high: float) -> QDoubleSpinBox:
        unit = self._units.unit(quantity)
        edit = QDoubleSpinBox()
        fine = unit.symbol in ("bar", "L", "US qt")
        edit.setDecimals(2 if fine else 1 if unit.symbol == "psi" else 0)
        edit.setRange(float(unit.from_base(low)), float(unit.from_base(high)))
        edit.setSingleStep(0.05 if fine else 1.0 if unit.symbol != "kPa" else 5.0)
        edit.setValue(float(unit.from_base(value)))
        edit.setSuffix(f" {unit.symbol}")
        edit.setAccessibleName(name)
        return edit

    def _value(self, edit: QDoubleSpinBox, quantity: Quantity, before: float) -> float:
        """In the base unit; what was not touched stays what it was, whatever digits are shown."""
        unit = self._units.unit(quantity)
        shown = round(float(unit.from_base(before)), edit.decimals())
        return before if abs(edit.value() - shown) < 1e-9 else float(unit.to_base(edit.value()))

    def _read(self) -> None:
        """Take what is typed, or say what cannot be."""
        before = self.fitted
        switched = bool(self.valve.currentData())
        for edit in (self.trigger, self.over):
            edit.setEnabled(switched)
        b, v, line = before.bottle, before.valve, before.line
        floor = self._value(self.floor, _Q.PRESSURE, before.floor_kpa or 0.0)
        over = self._value(self.over, _Q.PRESSURE, v.shuts_over_kpa)
        try:
            self.fitted = checked(
                Fitted(
                    bottle=replace(
                        b,
                        total_l=self._value(self.total, _Q.VOLUME, b.total_l),
                        precharge_kpa=self._value(self.precharge, _Q.PRESSURE, b.precharge_kpa),
                        set_c=self._value(self.set_c, _Q.TEMPERATURE, b.set_c),
                        gas_c=self._value(self.gas_c, _Q.TEMPERATURE, b.gas_c),
                        friction_kpa=self._value(self.friction, _Q.PRESSURE, b.friction_kpa),
                    ),
                    valve=Valve(self._value(self.trigger, _Q.PRESSURE, v.trigger_kpa or 250.0), over)
                    if switched
                    else Valve(None, SHUTS_OVER_KPA),
                    line=Line(
                        self._value(self.out, _Q.PRESSURE, line.out_kpa),
                        self._value(self.back, _Q.PRESSURE, line.in_kpa),
                    ),
                    pump_cm3_per_rev=self.pump.value() or None,
                    floor_kpa=floor or None,
                    name=self.name.text().strip(),
                )
            )
            self.said.setText("")
        except InputError as error:
            self.said.setText(str(error))
        save = self.buttons.button(QDialogButtonBox.StandardButton.Save)
        if save is not None:
            save.setEnabled(not self.said.text())
