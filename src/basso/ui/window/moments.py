"""Pan and tide: what follows the cursor whichever station is shown."""

from __future__ import annotations

import numpy as np

from basso.ui.bench import Bench
from basso.ui.pan.readings import readings
from basso.ui.pan.widget import Moment, PanView, ReadingLine
from basso.ui.plots.nearest import nearest
from basso.ui.plots.ticks import clock
from basso.ui.tide.picture import TidePicture
from basso.ui.tide.widget import Tide

_HELD_S = 0.6
"""The pan shows the oil under the g held this long: it follows late."""


class Moments:
    """Keeps both at the session shown and at the cursor."""

    def __init__(self, bench: Bench) -> None:
        self._bench = bench
        self._last: object = None
        self.pan = PanView(bench.look, lambda: bench.shown_units)
        self.tide = Tide(bench.look, bench.cursor)
        self.pan.setVisible(bench.settings.pan_shown)
        self.pan.set_big(bench.settings.big_readings)
        bench.sessions.shown_changed.connect(self._show_session)
        bench.units.changed.connect(self._show_session)
        bench.pan.changed.connect(self._show_pan)
        bench.pan.oil_changed.connect(self._show_moment)
        bench.cursor.moved.connect(lambda _: self._show_moment())

    def fold_pan(self) -> None:
        """Put the pan away, or back; where the station leaves it no room it comes back all the same."""
        shown = not self.pan.isVisible()
        self._bench.settings.pan_shown = shown
        self.pan.setVisible(shown)
        self._show_moment()

    def turn_big(self) -> None:
        """Large readings alone in the column, or the pan with them."""
        self._bench.settings.big_readings = not self._bench.settings.big_readings
        self.pan.set_big(self._bench.settings.big_readings)
        if not self.pan.isVisible():
            self.fold_pan()

    def give_room(self, shows_oil: bool) -> None:
        """A station is shown where the oil's place says something, or one where it does not."""
        self.pan.setVisible(self._bench.settings.pan_shown and shows_oil)
        self._show_moment()

    def _show_pan(self) -> None:
        """Draw the pan of the car the log shown is of."""
        self.pan.set_pan(self._bench.pan.pan)

    def _show_session(self) -> None:
        a = self._bench.sessions.analysis
        if a is None:
            self.tide.set_picture(None, "")
            self.pan.set_moment(None)
            return
        if not a.judgeable:
            self.tide.set_picture(None, f"{clock(a.recording.duration_s)} min", "cannot be judged yet")
            self._last = None
            self._show_moment()
            return
        picture = TidePicture(a)
        laps = sum(lap.complete for lap in a.laps)
        self.tide.set_picture(
            picture,
            (f"{laps} laps, " if laps else "") + f"{clock(picture.end_s - picture.start_s)} min",
            f"zero {a.zero_state}",
        )
        if self._last is not a.recording:
            self._last = a.recording
            self._bench.cursor.set_whole(picture.start_s, picture.end_s)
        self._show_moment()

    def _show_moment(self) -> None:
        a = self._bench.sessions.analysis
        if a is None or not self.pan.isVisibleTo(self._bench.window):
            return
        at = self._bench.cursor.time_s
        i = nearest(a.time_s, at)
        held = slice(int(np.searchsorted(a.time_s, a.time_s[i] - _HELD_S)), i + 1)

        def mean(values: np.ndarray | None) -> float | None:
            return float(np.nan_to_num(values[held]).mean()) if values is not None else None

        lap = next((f"lap {lap.number}" for lap in a.laps if lap.start_s <= at < lap.end_s), "")
        lines = [ReadingLine(r.name, r.value, r.unit, r.low) for r in readings(a, at, self._bench.shown_units)]
        ahead, side, flow = mean(a.longitudinal_g), mean(a.lateral_g), self._bench.pan.oil
        oil = flow.at(at) if flow is not None else None
        self.pan.set_moment(Moment(at, lap, ahead, side, lines, a.side, a.judgeable, oil))
