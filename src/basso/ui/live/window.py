"""The pit-wall window: a drive as it runs, full screen if wanted, closed to end it."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QCloseEvent, QShortcut
from PySide6.QtWidgets import QApplication, QPushButton, QWidget

from basso.alarm.live import LiveReading
from basso.sump.measured import MeasuredPan
from basso.track.corners import Place
from basso.trust.side import Side
from basso.ui import layouts
from basso.ui.live.board import LiveBoard
from basso.ui.models.live_feed import QUEUED, LiveFeed
from basso.ui.models.units import UnitsShown
from basso.ui.pan.widget import Moment, PanView
from basso.ui.stations.words import Words
from basso.ui.theme.look import Look, Type

_HELD_READINGS = 15
"""The pan shows the oil under the g held so long, about 0.6 s: it follows late."""
_BEEP_EVERY_S = 1.0
_SIDE = Side(False, "")
"""A drive that runs has proved no side yet."""
_NOTES_SHOWN = 2


class LiveWindow(QWidget):
    """Shows a feed until one of the two ends."""

    left = Signal(object, str)
    """The drive has ended: its recording's path or None, and why where nobody asked for it."""

    def __init__(
        self,
        look: Look,
        units: UnitsShown,
        feed: LiveFeed,
        crumbs: str,
        places: Sequence[Place] = (),
        pan: MeasuredPan | None = None,
    ) -> None:
        """``crumbs``: car, build and bus, as one line."""
        super().__init__()
        self.setWindowTitle("Basso live")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.resize(1280, 800)
        self._look, self._units, self.feed = look, units, feed
        self.board = LiveBoard(look, places)
        self.pan = PanView(look, lambda: units.now)
        self.pan.set_pan(pan)
        self._g: list[tuple[float, float]] = []
        self._beeped_at = 0.0
        self._ended = False
        self.notes: list[str] = []
        self._crumbs, self._said = Words(look, Type.STRONG), Words(look, Type.BODY, "below")
        self._crumbs.setText(crumbs)
        self.sound = self._button("Sound off", self._turn_sound, "a tone each second while the alarm shows")
        self.sound.setCheckable(True)
        self.full = self._button("Full screen  F11", self.turn_full, "")
        self.leave = self._button("End  Esc", self.close, "ends recording; the log is opened and judged")
        top = layouts.row(None, (24, 8, 16, 4), 10)
        top.addWidget(self._crumbs, 1)
        for button in (self.sound, self.full, self.leave):
            top.addWidget(button)
        middle = layouts.row(None, (0, 0, 0, 0), 0)
        middle.addWidget(self.board, 1)
        middle.addWidget(self.pan)
        layout = layouts.column(self, (0, 0, 0, 0), 0)
        layout.addLayout(top)
        note_row = layouts.row(None, (24, 0, 16, 2), 0)
        note_row.addWidget(self._said)
        layout.addLayout(note_row)
        layout.addLayout(middle, 1)
        self._said.hide()
        for keys, run in (("F11", self.turn_full), ("Esc", self._escape), ("F9", self._turn_look)):
            QShortcut(keys, self, run)
        units.changed.connect(self._show_units)
        self._show_units()
        feed.came.connect(self._hear, QUEUED)
        feed.noted.connect(self._note, QUEUED)
        feed.ended.connect(self._end, QUEUED)
        look.changed.connect(self.update)

    def _button(self, words: str, run: Callable[[], object], tip: str) -> QPushButton:
        button = QPushButton(words)
        button.clicked.connect(lambda _=False: run())
        button.setToolTip(tip)
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        return button

    # What a person does

    def turn_full(self) -> None:
        """Full screen, or back."""
        self.showNormal() if self.isFullScreen() else self.showFullScreen()

    def _escape(self) -> None:
        """Out of full screen first; then the end."""
        self.showNormal() if self.isFullScreen() else self.close()

    def _turn_sound(self) -> None:
        self.sound.setText("Sound on" if self.sound.isChecked() else "Sound off")

    def _turn_look(self) -> None:
        self._look.turn()

    def _show_units(self) -> None:
        self.board.show_units(self._units.now)
        self.pan.update()

    # What comes

    def _hear(self) -> None:
        readings = self.feed.take()
        if readings and not self._ended:
            self.show_readings(readings)

    def show_readings(self, readings: Sequence[LiveReading]) -> None:
        """What came since the last time, in order."""
        self.board.hear(readings)
        r = readings[-1]
        for x in readings:
            if x.longitudinal_g is not None and x.lateral_g is not None:
                self._g.append((x.longitudinal_g, x.lateral_g))
        del self._g[:-_HELD_READINGS]
        known = r.longitudinal_g is not None and r.lateral_g is not None and bool(self._g)
        ahead, side = (sum(g[i] for g in self._g) / len(self._g) if known else None for i in (0, 1))
        lap = f"lap {r.lap}" if r.lap is not None else ""
        self.pan.set_moment(Moment(r.time_s or 0.0, lap, ahead, side, (), _SIDE))
        if r.state == "alarm" and self.sound.isChecked() and time.monotonic() - self._beeped_at >= _BEEP_EVERY_S:
            self._beeped_at = time.monotonic()
            QApplication.beep()

    def finish(self) -> None:
        """Go at once: the feed has ended, or is ended by somebody else."""
        self._ended = True
        self.close()

    def _note(self, sentence: str) -> None:
        self.notes.append(sentence)
        self._said.setText("  ".join(self.notes[-_NOTES_SHOWN:]))
        self._said.setVisible(True)

    def _end(self, path: Path | None, why: str) -> None:
        if self._ended:
            return
        self._ended = True
        self.left.emit(path, why)
        self.close()

    def closeEvent(self, event: QCloseEvent) -> None:
        """Ends the drive; the window goes once what was received is on disk."""
        if not self._ended:
            self.feed.stop()
            self._note("Ending …")
            event.ignore()
            return
        super().closeEvent(event)
