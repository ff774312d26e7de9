"""The pan of the log shown: what the garage keeps with its build, else what was measured for it just now."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from basso.ui.models.garage import GarageModel
from basso.ui.models.sessions import Sessions

if TYPE_CHECKING:
    from basso.analysis import Analysis
    from basso.sump.in_time import OilInTime
    from basso.sump.measured import MeasuredPan


class PanModel(QObject):
    """Tells which pan is drawn and calibrated."""

    changed = Signal()
    oil_changed = Signal()

    def __init__(self, sessions: Sessions, garage: GarageModel) -> None:
        super().__init__()
        self._sessions, self._garage = sessions, garage
        self._held: MeasuredPan | None = None
        self._oil: tuple[MeasuredPan, Analysis, OilInTime] | None = None
        garage.changed.connect(self.changed)
        sessions.shown_changed.connect(self.changed)

    @property
    def pan(self) -> MeasuredPan | None:
        """The pan of the log shown; None where none was measured. The same object as long as it is the same pan."""
        session = self._garage.session_of(self._sessions.recording)
        if self._garage.view is not None and session is not None:
            from basso.car.pans import pan_at

            return pan_at(self._garage.view, session)
        return self._held if self._sessions.shown is not None else None

    @property
    def oil(self) -> OilInTime | None:
        """Where a calibrated model has the oil through the log shown; None where none was calibrated for this pan on
        this log as it is judged now."""
        if self._oil is None:
            return None
        pan, analysis, oil = self._oil
        return oil if pan is self.pan and analysis is self._sessions.analysis else None

    def follow(self, pan: MeasuredPan, analysis: Analysis, oil: OilInTime | None) -> None:
        """A model was calibrated for a pan on a judged log; None: it is not usable."""
        self._oil = (pan, analysis, oil) if oil is not None else None
        self.oil_changed.emit()

    def hold(self, pan: MeasuredPan) -> None:
        """A pan of logs that belong to no car: until Basso is closed."""
        self._held = pan
        self.changed.emit()
