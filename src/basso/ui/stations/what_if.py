"""A slider that supposes another value of what is: for looking at what it would do, at once."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QSlider, QWidget

from basso.ui import layouts
from basso.ui.stations.words import Words
from basso.ui.theme.look import Look, Type


class WhatIfSlider(QWidget):
    """A slider with its name and what it stands for; a double click puts it back."""

    moved = Signal()

    def __init__(self, look: Look, name: str) -> None:
        super().__init__()
        self._step = 1.0
        self.slider = QSlider(Qt.Orientation.Horizontal)
        look.fit(self.slider, lambda w: w.setFixedWidth(round(look.height() * 5)))
        self.slider.setAccessibleName(f"What if: {name.lower()}")
        self._words = Words(look, Type.SMALL, "soft")
        self._words.setWordWrap(False)
        self._name = name
        layout = layouts.column(self, (0, 0, 0, 0), 0)
        layout.addWidget(self._words)
        layout.addWidget(self.slider)
        self.setToolTip("What if: draws the curve with this changed. Double click puts it back.")
        self.slider.valueChanged.connect(lambda _: self.moved.emit())

    def offer(self, low: float, high: float, step: float) -> None:
        """From where to where it goes, as changes of what is; it begins at none."""
        self._step = step
        self.slider.blockSignals(True)
        self.slider.setRange(round(low / step), round(high / step))
        self.slider.setValue(0)
        self.slider.blockSignals(False)

    @property
    def value(self) -> float:
        """The change."""
        return self.slider.value() * self._step

    def say(self, words: str) -> None:
        """What it stands for now."""
        self._words.setText(f"{self._name} {words}")

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Back to what is."""
        self.slider.setValue(0)
