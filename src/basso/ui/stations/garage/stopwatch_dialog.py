"""The priming stopwatch, for a car without a logger: the starter, the pressure and the start, a key each."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from basso.oilway.priming import Priming, priming_by_hand, priming_words
from basso.ui.dialogs import decision, label
from basso.ui.plain import Label
from basso.ui.theme.look import Look, Type

_SHORT_BURST_S, _REST_S = 10.0, 20.0


class StopwatchDialog(QDialog):
    """``priming`` is what was timed, None before the first burst has ended."""

    def __init__(
        self, parent: QWidget, look: Look, earlier: Sequence[float], clock: Callable[[], float] = time.monotonic
    ) -> None:
        super().__init__(parent)
        self._earlier, self._clock = earlier, clock
        self._bursts: list[tuple[float, float]] = []
        self._turning: float | None = None
        self._first: float | None = None
        self._started: float | None = None
        self.setWindowTitle("Priming")
        self.setMinimumWidth(round(look.height() * 26))
        head = label(look, "Priming: ignition and fuel off", Type.TITLE)
        caution = Label("The starter and the battery heat up. Fuel off, nobody near belts and fans.")
        caution.setFont(look.font(Type.SMALL_STRONG))
        caution.setStyleSheet(f"color: {look.palette.below};")
        self.count, self.said = Label("0.0 s"), Label()
        self.count.setFont(look.font(Type.BRAND))
        self.said.setWordWrap(True)
        self.said.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.said.setMinimumHeight(round(look.height() * 4))
        self.starter, self.pressure, self.start = (
            QPushButton(),
            QPushButton("Pressure shows  (P)"),
            QPushButton("Engine runs  (E)"),
        )
        for button, act in ((self.starter, self._turn), (self.pressure, self._show), (self.start, self._run)):
            button.setMinimumHeight(round(look.height() * 2.6))
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.clicked.connect(act)
        row = QHBoxLayout()
        for button in (self.starter, self.pressure, self.start):
            row.addWidget(button, 1)
        self._buttons = decision(self, self.accept, save=True)
        layout = QVBoxLayout(self)
        for widget in (head, caution, self.count):
            layout.addWidget(widget)
        layout.addLayout(row)
        layout.addWidget(self.said)
        layout.addWidget(self._buttons)
        self._timer = QTimer(self)
        self._timer.setInterval(100)
        self._timer.timeout.connect(self._tell)
        self._timer.start()
        self._tell()

    @property
    def priming(self) -> Priming | None:
        """What has been timed so far, with the burst that is going on."""
        going = [(self._turning, self._clock())] if self._turning is not None else []
        return priming_by_hand([*self._bursts, *going], self._first, self._started)

    @property
    def words(self) -> str:
        """What has been timed, against this car's earlier primings."""
        timed = self.priming
        return priming_words(timed, self._earlier) if timed is not None else ""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        act = {Qt.Key.Key_Space: self._turn, Qt.Key.Key_P: self._show, Qt.Key.Key_E: self._run}.get(Qt.Key(event.key()))
        if act is None:
            super().keyPressEvent(event)
        elif not event.isAutoRepeat():
            act()

    def _turn(self) -> None:
        now = self._clock()
        if self._turning is None:
            self._turning = now
        else:
            self._bursts.append((self._turning, now))
            self._turning = None
        self._tell()

    def _show(self) -> None:
        self._first = self._clock() if self._first is None else self._first
        self._tell()

    def _run(self) -> None:
        if self._turning is not None:
            self._turn()
        self._started = self._clock() if self._started is None else self._started
        self._tell()

    def _tell(self) -> None:
        now, turning = self._clock(), self._turning
        self.starter.setText("Starter stops  (Space)" if turning is not None else "Starter turns  (Space)")
        if turning is not None:
            long = now - turning > _SHORT_BURST_S
            self.count.setText(f"{now - turning:.1f} s{': let it rest' if long else ' turning'}")
        elif self._bursts and self._started is None:
            rest = now - self._bursts[-1][1]
            self.count.setText(f"{rest:.0f} s resting" + ("" if rest < _REST_S else ", ready"))
        self.said.setText(self.words)
        self._buttons.button(QDialogButtonBox.StandardButton.Save).setEnabled(bool(self._bursts) and turning is None)
