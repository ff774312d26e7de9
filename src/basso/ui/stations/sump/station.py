"""The Sump station at the bench, until it is built."""

from __future__ import annotations

from basso.ui.stations.station import State
from basso.ui.stations.waiting import WaitingStation


class SumpStation(WaitingStation):
    """Says what it will be for."""

    key = "sump"

    def state(self) -> State:
        """Nothing can be said of a pan that was not measured."""
        return State("pan not measured")
