"""Four readings in, the pressure lost by leaking out."""

from __future__ import annotations

from PySide6.QtWidgets import QDialog, QDialogButtonBox, QGridLayout, QLineEdit, QVBoxLayout, QWidget

from basso.accumulator.hold import Held, hold_test
from basso.errors import InputError
from basso.garage.fields import Field, read
from basso.ui.dialogs import decision, label
from basso.ui.plain import Label
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits, Quantity

_ASKED = (
    Field("start_kpa", "Pressure when the valve was closed", "number", Quantity.PRESSURE),
    Field("start_c", "Temperature of the bottle then", "number", Quantity.TEMPERATURE),
    Field("end_kpa", "Pressure at the end", "number", Quantity.PRESSURE),
    Field("end_c", "Temperature of the bottle then", "number", Quantity.TEMPERATURE),
)


class HoldDialog(QDialog):
    """The accumulator's hold test. ``held`` is the outcome, None until all four are there."""

    def __init__(self, parent: QWidget, look: Look, units: DisplayUnits) -> None:
        super().__init__(parent)
        self._units = units
        self.held: Held | None = None
        self.setWindowTitle("Hold test")
        head = label(look, "Hold test, with the cooling allowed for", Type.TITLE)
        self.lines: dict[str, QLineEdit] = {}
        grid = QGridLayout()
        for row, field in enumerate(_ASKED):
            line = QLineEdit()
            line.setAccessibleName(field.label)
            line.textChanged.connect(lambda _: self._work())
            self.lines[field.name] = line
            assert field.quantity is not None
            grid.addWidget(Label(field.label), row, 0)
            grid.addWidget(line, row, 1)
            grid.addWidget(Label(units.unit(field.quantity).symbol), row, 2)
        self.said = Label(" ")
        self.said.setWordWrap(True)
        self.said.setFont(look.font(Type.STRONG))
        self._buttons = decision(self, self.accept, save=True)
        layout = QVBoxLayout(self)
        layout.addWidget(head)
        layout.addLayout(grid)
        layout.addWidget(self.said)
        layout.addWidget(self._buttons)
        self._work()

    def _work(self) -> None:
        self.held = None
        words = "At constant volume the gas's absolute pressure falls with its absolute temperature."
        if all(line.text().strip() for line in self.lines.values()):
            try:
                values = [float(read(f, self.lines[f.name].text(), self._units)) for f in _ASKED]
                self.held = hold_test(*values)
                q = Quantity.PRESSURE
                words = (
                    f"Cooling alone leaves {self._units.text(self.held.expected_kpa, q)}; "
                    f"{self._units.text(self.held.lost_kpa, q, difference=True)} lost beyond that."
                )
            except InputError as error:
                words = str(error)
        self.said.setText(words)
        save = self._buttons.button(QDialogButtonBox.StandardButton.Save)
        save.setEnabled(self.held is not None)
