"""The Sump station: the pan, the g that uncovers its pickup, and what each change would do."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QScrollArea

from basso.findings.sump.findings import running_uncover_g
from basso.sentence import read_in
from basso.ui import layouts
from basso.ui.stations.command_buttons import CommandButtons
from basso.ui.stations.station import Command
from basso.ui.stations.sump.picture import height_words, rows
from basso.ui.stations.sump.views import SumpBoard
from basso.ui.stations.what_if import WhatIfSlider
from basso.ui.stations.words import TitledPage
from basso.ui.theme.look import Look
from basso.units import DisplayUnits, Quantity
from basso.words.sump import sump_opening

if TYPE_CHECKING:
    from basso.findings.sump.findings import SumpFindings


class SumpPage(TitledPage):
    """Told what was found and the units; asks for commands by their key."""

    command_wanted = Signal(str)

    def __init__(self, look: Look, buttons: Sequence[Command]) -> None:
        """``buttons``: the commands that stand at the top."""
        super().__init__(look)
        self._found: SumpFindings | None = None
        self._units = DisplayUnits()
        self._buttons = CommandButtons(buttons, self.command_wanted.emit)
        self.board = SumpBoard(look)
        layout = layouts.column(self, (20, 12, 12, 4), 4)
        layout.addLayout(self.head())
        bar = layouts.Flow()
        for button in self._buttons.by_key.values():
            bar.add(button)
        self.fill, self.height_of_pickup = WhatIfSlider(look, "Fill"), WhatIfSlider(look, "Pickup")
        for slider in (self.fill, self.height_of_pickup):
            slider.moved.connect(self._suppose)
            bar.add(slider, at_end=True)
        layout.addLayout(bar)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.board)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.viewport().setAutoFillBackground(False)
        layout.addWidget(scroll, 1)

    def enable(self, can: Mapping[str, bool]) -> None:
        """Which of the commands at the top can be run now."""
        self._buttons.enable(can)

    def show_found(self, found: SumpFindings | None, units: DisplayUnits, waiting: str, hint: str) -> None:
        """Show a pan on a drive, or what is missing for one."""
        fresh = found is None or self._found is None or self._found.pan is not found.pan
        self._found, self._units = found, units
        self.board.show_found(found, units)
        self._offer_sliders(found, fresh)
        if found is None:
            self.say_nothing(
                waiting,
                "Measure the pan to see where the oil stands in it",
                hint
                or "Six to ten measurements with a tape are enough for a first answer: how long, wide and deep, where "
                "the pickup's mouth is, how much oil is in.",
            )
            return
        title, detail = sump_opening(found)
        self.say(str(read_in(title, units)), str(read_in(detail, units)))

    def _offer_sliders(self, found: SumpFindings | None, fresh: bool) -> None:
        """Both begin where the pan is; they stay where they were while it is the same pan."""
        known = found is not None and found.uncover_g.size > 0
        for slider in (self.fill, self.height_of_pickup):
            slider.setVisible(known)
        if found is None or not known or found.pan.pickup is None or found.pan.fill_l is None:
            return
        if fresh:
            capacity = 1000.0 * found.levels.solid.capacity_m3
            fill, z = found.pan.fill_l, found.pan.pickup.middle_m[2]
            self.fill.offer(-min(1.0, fill - 0.2), min(1.0, capacity - fill), 0.05)
            self.height_of_pickup.offer(-min(10.0, 1000.0 * (found.levels.clearance_m or z)), 20.0, 0.5)
        self._suppose()

    def _suppose(self) -> None:
        """Draw the curve with the fill and the pickup's height of the sliders, where they were moved."""
        found = self._found
        if found is None or found.pan.pickup is None or found.pan.fill_l is None:
            return
        x, y, z = found.pan.pickup.middle_m
        more, higher = self.fill.value, self.height_of_pickup.value
        fill, at = found.pan.fill_l + more, z + higher / 1000.0
        self.fill.say(self._units.text(fill, Quantity.VOLUME))
        self.height_of_pickup.say(f"{height_words(at, self._units)} {self._units.length.symbol}")
        if more == 0.0 and higher == 0.0:
            self.board.suppose(None)
            return
        pickup = replace(found.pan.pickup, middle_m=(x, y, at))
        supposed = replace(found.pan, fill_l=fill, pickup=pickup)
        self.board.suppose(running_uncover_g(supposed, found.levels.solid))

    def rows(self) -> list[list[str]]:
        """The changes, in the units shown."""
        found, units = self._found, self._units
        if found is None:
            return []
        unit = units.pressure.symbol
        heads = ["", "Change", f"Lowest, {unit}", "Where", f"Effect, {unit}", "Low", "High", "Dips a lap"]
        heads += [f"Fill up to, {units.volume.symbol}", "Work", "What it costs"]
        lines = [[self.title], [self.detail], heads]
        for r in rows(found, units):
            low, high = (f"{v:.1f}" if v is not None else "" for v in (r.low, r.high))
            lines.append(
                [r.letter, r.title, r.lowest, r.where, r.effect_words, low, high, r.dips, r.fill, r.work, r.cost]
            )
        return lines
