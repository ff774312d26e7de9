"""A station that is not built yet: one line that says what it is for."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QWidget

from basso.ui import layouts
from basso.ui.plain import Label
from basso.ui.stations.catalogue import BY_KEY, Row
from basso.ui.stations.station import Station
from basso.ui.theme.look import Look, Type


class WaitingStation(Station["WaitingPage"]):
    """A station that is to come. ``key``: its own."""

    key = ""

    def make_page(self) -> WaitingPage:
        """What it will be for."""
        return WaitingPage(self.bench.look, BY_KEY[self.key])


class WaitingPage(QWidget):
    """Title and purpose, nothing else: no control that does nothing."""

    def __init__(self, look: Look, station: Row) -> None:
        super().__init__()
        self._look = look
        self._title, self._purpose, self._state = (
            Label(station.title),
            Label(station.purpose),
            Label("Not built yet."),
        )
        layout = layouts.column(self, (20, 12, 18, 8), 6)
        for label in (self._title, self._purpose, self._state):
            label.setWordWrap(True)
            layout.addWidget(label)
        layout.addStretch(1)
        layout.setAlignment(Qt.AlignmentFlag.AlignTop)
        look.changed.connect(self._restyle)
        self._restyle()

    def _restyle(self) -> None:
        p = self._look.palette
        for label, kind, color in (
            (self._title, Type.TITLE, p.ink),
            (self._purpose, Type.BODY, p.ink),
            (self._state, Type.BODY, p.soft),
        ):
            label.setFont(self._look.font(kind))
            label.setStyleSheet(f"color: {color};")
