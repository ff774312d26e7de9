"""The Accumulator station at the bench, until it is built."""

from __future__ import annotations

from basso.recording.roles import Role
from basso.ui.stations.station import State
from basso.ui.stations.waiting import WaitingStation


class AccumulatorStation(WaitingStation):
    """Says what it will be for."""

    key = "accumulator"

    def state(self) -> State:
        """Whether its pressure is logged."""
        a = self.bench.sessions.analysis
        if a is None:
            return State("")
        return State("pressure logged" if a.recording.has(Role.ACCUMULATOR_PRESSURE) else "none logged")
