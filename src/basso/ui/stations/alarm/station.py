"""The Alarm station at the bench, until it is built."""

from __future__ import annotations

from basso.ui.stations.station import State
from basso.ui.stations.waiting import WaitingStation


class AlarmStation(WaitingStation):
    """Says what it will be for."""

    key = "alarm"

    def state(self) -> State:
        """No limit is set."""
        return State("not set")
