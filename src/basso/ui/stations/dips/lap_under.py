"""Which lap lies under the traces: asked in a menu of every open session's laps, laid by the core, taken off again."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QMenu

from basso.sentence import read_in
from basso.ui.bench import Bench
from basso.ui.plots.ticks import clock
from basso.units import Quantity

if TYPE_CHECKING:
    from basso.analysis import Analysis
    from basso.findings.laid_under import LaidLap
    from basso.recording.recording import Recording
    from basso.track.laps import Lap
    from basso.ui.models.sessions import Entry


class LapUnder:
    """Acts at one bench; ``show`` takes the laid lap, or None, and what is said of it."""

    def __init__(self, bench: Bench, show: Callable[[LaidLap | None, str], None]) -> None:
        self._bench, self._show = bench, show
        self._chosen: tuple[Entry, int] | None = None
        self._of: Recording | None = None

    def possible(self) -> bool:
        """True where the session shown has laps over a known distance."""
        a = self._bench.sessions.analysis
        return a is not None and a.track is not None

    def follow(self) -> None:
        """Another session is shown: what lay under the last one goes; the same one judged anew keeps it."""
        a = self._bench.sessions.analysis
        if a is None or self._chosen is None:
            return
        if a.recording is self._of:
            self.lay()
        else:
            self._choose(None)

    def ask(self, at: QPoint) -> None:
        """Show the laps there are as a menu at a point of the screen."""
        sessions = self._bench.sessions
        if sessions.shown is None or not self.possible():
            return
        menu = QMenu(self._bench.window)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._add_laps(menu, sessions.shown)
        others = [e for e in sessions.entries if e != sessions.shown]
        if others:
            menu.addSeparator()
        for entry in others:
            title = entry.title.replace("&", "&&")
            if sessions.of(entry).analysis is not None:
                self._add_laps(menu.addMenu(title), entry)
            else:
                action = menu.addAction(f"{title}: its lap with the oil nearest in temperature")
                action.triggered.connect(lambda _=False, e=entry: self._judge_first(e))
        if self._chosen is not None:
            menu.addSeparator()
            menu.addAction("Nothing under the traces").triggered.connect(lambda: self._choose(None))
        menu.popup(at)

    def _add_laps(self, menu: QMenu, entry: Entry) -> None:
        a = self._bench.sessions.of(entry).analysis
        if a is None:
            return
        for lap in _complete(a):
            action = menu.addAction(self._words(a, lap))
            action.setCheckable(True)
            action.setChecked(self._chosen == (entry, lap.number))
            action.triggered.connect(lambda _=False, e=entry, n=lap.number: self._choose((e, n)))

    def _words(self, a: Analysis, lap: Lap) -> str:
        heat = _oil_c(a, lap)
        oil = f", oil {self._bench.shown_units.text(heat, Quantity.TEMPERATURE)}" if heat else ""
        return f"Lap {lap.number}, {clock(lap.time_s, 1)} min{oil}"

    def _judge_first(self, entry: Entry) -> None:
        """Of a log that was not looked at yet: judged, its lap with the oil nearest to this session's is laid."""

        def done() -> None:
            a, here = self._bench.sessions.of(entry).analysis, self._bench.sessions.analysis
            laps = _complete(a) if a is not None else []
            if a is None or here is None or not laps:
                self._show(None, f"{entry.title} has no complete lap.")
                return
            own = [_oil_c(here, lap) for lap in _complete(here)]
            middle = sorted(own)[len(own) // 2] if own else 0.0
            self._choose((entry, min(laps, key=lambda lap: abs(_oil_c(a, lap) - middle)).number))

        self._bench.judging.judge_beside(entry, done)

    def _choose(self, chosen: tuple[Entry, int] | None) -> None:
        self._chosen = chosen
        self.lay()

    def lay(self) -> None:
        """Lay the chosen lap under the session shown, in the units shown."""
        from basso.findings.laid_under import NotLaid, laid_under, laid_words

        sessions, a = self._bench.sessions, self._bench.sessions.analysis
        entry, number = self._chosen if self._chosen is not None else (None, 0)
        other = sessions.of(entry).analysis if entry in sessions.entries and entry is not None else None
        lap = next((x for x in _complete(other) if x.number == number), None) if other is not None else None
        if a is None or entry is None or other is None or lap is None:
            self._chosen = None
            self._show(None, "")
            return
        self._of = a.recording
        laid = laid_under(a, other, lap)
        if isinstance(laid, NotLaid):
            self._show(None, f"{entry.title} cannot be laid under this session: {laid.why}.")
        else:
            self._show(laid, read_in(laid_words(laid, entry.title), self._bench.shown_units))


def _complete(a: Analysis) -> list[Lap]:
    return [lap for lap in a.laps if lap.complete]


def _oil_c(a: Analysis, lap: Lap) -> float:
    """Median oil temperature of a lap; 0 where none is logged."""
    import numpy as np

    if a.temperature_c is None:
        return 0.0
    of_lap = a.temperature_c[(a.time_s >= lap.start_s) & (a.time_s < lap.end_s)]
    return float(np.nanmedian(of_lap)) if np.isfinite(of_lap).any() else 0.0
