"""Which column is what, and in which unit: for logs whose names say too little."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QComboBox, QDialog, QDialogButtonBox, QGridLayout, QLabel, QVBoxLayout, QWidget

from basso.recording.roles import QUANTITY_OF, Role
from basso.ui.theme.look import Look, Type
from basso.units import UNITS, Unit

if TYPE_CHECKING:
    from basso.recording.recording import Recording

_ROLES: tuple[tuple[Role, str, str], ...] = (
    (Role.OIL_PRESSURE, "Oil pressure", "needed"),
    (Role.RPM, "Engine speed", "needed"),
    (Role.OIL_TEMP, "Oil temperature", "without it heat cannot be told from wear"),
    (Role.LATERAL_G, "Sideways g, + left", "tells left and right turns"),
    (Role.LONGITUDINAL_G, "Fore–aft g, + forward", "tells braking and acceleration"),
    (Role.SPEED, "Speed", "needed for places on the circuit"),
    (Role.LAP, "Lap number", "else laps are found from the path or the g"),
)
_NONE = "–"


class ColumnsDialog(QDialog):
    """A row for each role that matters: the column that carries it and the unit it is read in."""

    def __init__(self, parent: QWidget, look: Look, recording: Recording) -> None:
        super().__init__(parent)
        self.setWindowTitle("Columns")
        self.setMinimumWidth(640)
        self._recording = recording
        self._rows: list[tuple[Role, QComboBox, QComboBox]] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 14)
        title = QLabel("Which column is what?")
        title.setFont(look.font(Type.TITLE))
        layout.addWidget(title)
        words = QLabel(
            f"{recording.path.name} is read again with what is chosen here. The file itself is never changed."
        )
        words.setStyleSheet(f"color: {look.palette.soft};")
        words.setWordWrap(True)
        layout.addWidget(words)
        grid = QGridLayout()
        grid.setHorizontalSpacing(14)
        grid.setColumnStretch(1, 1)
        for i, (role, name, why) in enumerate(_ROLES):
            column, unit = self._choices(role)
            label, hint = QLabel(name), QLabel(why)
            label.setBuddy(column)
            column.setAccessibleName(f"Column of {name}")
            unit.setAccessibleName(f"Unit of {name}")
            hint.setFont(look.font(Type.SMALL))
            hint.setStyleSheet(f"color: {look.palette.soft};")
            for j, widget in enumerate((label, column, unit, hint)):
                grid.addWidget(widget, i, j)
            self._rows.append((role, column, unit))
        layout.addLayout(grid)
        layout.addStretch(1)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        layout.addWidget(buttons)

    def _choices(self, role: Role) -> tuple[QComboBox, QComboBox]:
        column, unit = QComboBox(), QComboBox()
        column.addItem(_NONE)
        column.addItems([c.name for c in self._recording.channels if c.role is not Role.TIME])
        now = self._recording.channel(role)
        if now is not None:
            column.setCurrentText(now.name)
        quantity = QUANTITY_OF[role]
        if quantity is None:
            unit.setVisible(False)
            return column, unit
        unit.addItem("as read")
        unit.addItems([u.symbol for u in UNITS.values() if u.quantity is quantity])
        if now is not None and now.unit is not None and now.unit_assumed:
            unit.setItemText(0, f"taken as {now.unit.symbol}")
        elif now is not None and now.unit is not None:
            unit.setItemText(0, f"as read, {now.unit.symbol}")
        return column, unit

    def choice(self) -> tuple[dict[Role, str], dict[str, Unit]]:
        """Role → column for every column chosen, and column → unit for every unit that was set."""
        roles, units = {}, {}
        for role, column, unit in self._rows:
            if column.currentIndex() <= 0:
                continue
            roles[role] = column.currentText()
            if unit.currentIndex() > 0:
                units[column.currentText()] = UNITS[unit.currentText()]
        return roles, units
