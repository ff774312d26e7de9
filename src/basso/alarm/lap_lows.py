"""Where on the lap the margin was lowest, lap after lap, while the car runs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from basso.alarm.live import LiveReading
from basso.track.corners import Place, place_of

_LONGEST_STEP_S = 0.5
"""Over a longer silence the distance is not known until the next lap begins."""


@dataclass(slots=True)
class LapRow:
    """One lap.

    Attributes:
        lows: the lowest margin in each place, kPa, by its id.
        other_kpa: the lowest elsewhere; None where nothing was judged.
        places_known: False for a lap of which the beginning was not seen.
    """

    lap: int
    lows: dict[str, float] = field(default_factory=dict)
    other_kpa: float | None = None
    places_known: bool = False


class LapLows:
    """The last laps of a live drive, place by place.

    The distance along the lap is the speed added up from where the lap number changes: known once one has begun here.

    Args:
        places: of the circuit, as an earlier session found them.
        keep: so many laps.
    """

    def __init__(self, places: Sequence[Place], keep: int = 3) -> None:
        self._places, self._keep = tuple(places), keep
        self._rows: list[LapRow] = []
        self._time_s: float | None = None
        self._along_m: float | None = None
        self.now: Place | None = None
        """Where the car is; None where that is not known, or between places."""

    @property
    def rows(self) -> tuple[LapRow, ...]:
        """The last laps, the newest last."""
        return tuple(self._rows)

    def hear(self, r: LiveReading) -> None:
        """A reading later than all before."""
        self._move(r)
        if r.lap is None:
            self._along_m = self.now = None
            return
        if not self._rows or self._rows[-1].lap != r.lap:
            seen_beginning = bool(self._rows)
            self._rows.append(LapRow(r.lap, places_known=seen_beginning))
            del self._rows[: -self._keep]
            self._along_m = 0.0 if seen_beginning else None
        row = self._rows[-1]
        if self._along_m is None:
            row.places_known = False
        self.now = place_of(self._places, [self._along_m]) if self._along_m is not None else None
        low = r.low_margin_kpa
        if low is None:
            return
        if self.now is None:
            row.other_kpa = low if row.other_kpa is None else min(row.other_kpa, low)
        else:
            row.lows[self.now.id] = min(row.lows.get(self.now.id, low), low)

    def _move(self, r: LiveReading) -> None:
        before, self._time_s = self._time_s, r.time_s
        if self._along_m is None or before is None or r.time_s is None:
            return
        if r.speed_mps is None or r.time_s - before > _LONGEST_STEP_S:
            self._along_m = None
        else:
            self._along_m += r.speed_mps * max(r.time_s - before, 0.0)
