"""The units everything is read in."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from basso.units import DisplayUnits


class UnitsShown(QObject):
    """The units in force; nothing is computed again when they change."""

    changed = Signal()

    def __init__(self, units: DisplayUnits) -> None:
        super().__init__()
        self.now = units

    def choose(self, units: DisplayUnits) -> None:
        """Read in other units."""
        if units != self.now:
            self.now = units
            self.changed.emit()
