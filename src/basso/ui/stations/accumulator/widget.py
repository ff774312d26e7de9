"""The Accumulator station: an accumulator on the drive shown, with sliders for what another would do."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QScrollArea

from basso.accumulator.fitted import Fitted
from basso.sentence import read_in
from basso.ui import layouts
from basso.ui.models.cursor import Cursor
from basso.ui.stations.accumulator.board import AccumulatorBoard
from basso.ui.stations.accumulator.picture import table_rows
from basso.ui.stations.command_buttons import CommandButtons
from basso.ui.stations.station import Command
from basso.ui.stations.what_if import WhatIfSlider
from basso.ui.stations.words import TitledPage
from basso.ui.theme.look import Look
from basso.units import DisplayUnits, Quantity
from basso.words.accumulator import station_opening

if TYPE_CHECKING:
    from basso.findings.accumulator.findings import AccumulatorFindings


class AccumulatorPage(TitledPage):
    """Told what was found and the units; asks for commands by their key."""

    command_wanted = Signal(str)
    settled = Signal()
    """A slider was let go: what it supposes is to be worked out for the whole drive."""

    def __init__(self, look: Look, cursor: Cursor, buttons: Sequence[Command]) -> None:
        """``buttons``: the commands that stand at the top."""
        super().__init__(look)
        self._found: AccumulatorFindings | None = None
        self._units = DisplayUnits()
        self._buttons = CommandButtons(buttons, self.command_wanted.emit)
        self.board = AccumulatorBoard(look, cursor)
        layout = layouts.column(self, (20, 12, 12, 4), 4)
        layout.addLayout(self.head())
        bar = layouts.Flow()
        for button in self._buttons.by_key.values():
            bar.add(button)
        self.size_slider = WhatIfSlider(look, "Size")
        self.precharge_slider = WhatIfSlider(look, "Precharge")
        self.trigger_slider = WhatIfSlider(look, "Trigger")
        for slider in self._sliders:
            slider.moved.connect(self._suppose)
            slider.slider.sliderReleased.connect(self.settled)
            bar.add(slider, at_end=True)
        layout.addLayout(bar)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.board)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.viewport().setAutoFillBackground(False)
        layout.addWidget(scroll, 1)

    @property
    def _sliders(self) -> tuple[WhatIfSlider, WhatIfSlider, WhatIfSlider]:
        return self.size_slider, self.precharge_slider, self.trigger_slider

    def enable(self, can: Mapping[str, bool]) -> None:
        """Which of the commands at the top can be run now."""
        self._buttons.enable(can)

    def show_found(self, found: AccumulatorFindings | None, units: DisplayUnits, waiting: str) -> None:
        """Show an accumulator on a drive, or what is missing for one."""
        self._found, self._units = found, units
        self._offer(found)
        if found is None:
            self.board.show_found(None, None, None, units)
            self.say_nothing(
                waiting,
                "Open a log to see what an accumulator would do on it",
                "Size and precharge, the valve's trigger and the pump's size are enough: what each dip would have "
                "become, where it runs dry, and the smallest that holds the floor.",
            )
            return
        title, detail = station_opening(found)
        self.say(str(read_in(title, units)), str(read_in(detail, units)))

    def _offer(self, found: AccumulatorFindings | None) -> None:
        """The sliders begin at the accumulator that is looked at."""
        for slider in self._sliders:
            slider.setVisible(found is not None)
        if found is None:
            return
        bottle, valve = found.fitted.bottle, found.fitted.valve
        self.size_slider.offer(-(bottle.total_l - 0.25), 6.0 - bottle.total_l, 0.05)
        self.precharge_slider.offer(-bottle.precharge_kpa, 350.0 - bottle.precharge_kpa, 2.0)
        self.trigger_slider.setVisible(valve.trigger_kpa is not None)
        if valve.trigger_kpa is not None:
            self.trigger_slider.offer(60.0 - valve.trigger_kpa, 450.0 - valve.trigger_kpa, 5.0)
        self._suppose()

    @property
    def supposed(self) -> Fitted | None:
        """The accumulator as the sliders have it; None without one."""
        if self._found is None:
            return None
        fitted = self._found.fitted
        bottle = replace(
            fitted.bottle,
            total_l=round(fitted.bottle.total_l + self.size_slider.value, 3),
            precharge_kpa=max(fitted.bottle.precharge_kpa + self.precharge_slider.value, 0.0),
        )
        trigger = fitted.valve.trigger_kpa
        if trigger is not None:
            trigger += self.trigger_slider.value
        return replace(fitted, bottle=bottle, valve=replace(fitted.valve, trigger_kpa=trigger))

    @property
    def is_moved(self) -> bool:
        """Whether a slider stands elsewhere than at what was found."""
        return any(s.value != 0.0 for s in self._sliders)

    def _suppose(self) -> None:
        """Draw the lap with the accumulator of the sliders."""
        from basso.findings.accumulator.findings import trace_of

        found, supposed, units = self._found, self.supposed, self._units
        if found is None or supposed is None:
            return
        self.size_slider.say(units.text(supposed.bottle.total_l, Quantity.VOLUME))
        self.precharge_slider.say(units.text(supposed.bottle.precharge_kpa, Quantity.PRESSURE))
        if supposed.valve.trigger_kpa is not None:
            self.trigger_slider.say(units.text(supposed.valve.trigger_kpa, Quantity.PRESSURE))
        self.board.show_found(found, supposed, trace_of(found, supposed), units)

    def rows(self) -> list[list[str]]:
        """The dipping passes, in the units shown."""
        if self._found is None:
            return []
        return [[self.title], [self.detail], *table_rows(self._found, self._units)]
