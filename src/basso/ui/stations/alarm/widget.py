"""The Alarm station: the device that is set, as numbers to type and a line to draw, and what it does on the log."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from types import MappingProxyType
from typing import TYPE_CHECKING

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import QComboBox, QDoubleSpinBox, QHBoxLayout, QScrollArea, QWidget

from basso.sentence import read_in
from basso.ui import layouts
from basso.ui.models.cursor import Cursor
from basso.ui.stations.alarm.board import AlarmBoard
from basso.ui.stations.alarm.picture import kind_names, table_rows
from basso.ui.stations.command_buttons import CommandButtons
from basso.ui.stations.station import Command
from basso.ui.stations.words import TitledPage, Words
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits
from basso.words.alarm import opening

if TYPE_CHECKING:
    from basso.alarm.findings import AlarmFindings, SetAlarm
    from basso.alarm.settings import Curve, Setting

_AMOUNTS = {
    "fixed": ("lamp at", "At this gauge pressure and under, at any rpm"),
    "share": ("at", "% of the normal pressure at each rpm"),
    "gated": ("under normal", "Under the normal pressure at the gate"),
}
_UNDER = ("under normal", "Under the normal pressure at each rpm")


_TITLES = MappingProxyType({"alarm.export": "Export…", "alarm.print": "Card…", "alarm.keep": "Keep…"})


class AlarmPage(TitledPage):
    """Told what was found and what is set; asks for commands by their key."""

    command_wanted = Signal(str)
    setting_typed = Signal(object)
    """Carries the :class:`basso.alarm.settings.Setting` as it was typed."""

    def __init__(self, look: Look, cursor: Cursor, buttons: Sequence[Command]) -> None:
        """``buttons``: the commands that stand at the top."""
        super().__init__(look)
        self._found: AlarmFindings | None = None
        self._chosen: SetAlarm | None = None
        self._units = DisplayUnits()
        self._buttons = CommandButtons(buttons, self.command_wanted.emit, _TITLES)
        self.board = AlarmBoard(look, cursor)
        self.kind = QComboBox()
        for kind, name in kind_names():
            self.kind.addItem(name, kind)
        self.kind.setAccessibleName("Kind of warning")
        self.amount, self._amount_words = _spin(look, "under normal")
        self.gate, gate_words = _spin(look, "above")
        self.heat, self._heat_words = _spin(look, "oil at")
        self.delay, delay_words = _spin(look, "after")
        self.gate.setRange(0.0, 9900.0)
        self.gate.setSingleStep(250.0)
        self.gate.setDecimals(0)
        self.gate.setSuffix(" rpm")
        self.gate.setToolTip("Silent below. Usual: 3000 to 4500 rpm on a circuit, 2000 to 3500 rpm on the road.")
        self.heat.setToolTip("The worst credible oil: normal is taken at it, so the lamp stays dark on a hot day.")
        self.delay.setRange(0.0, 5.0)
        self.delay.setSingleStep(0.05)
        self.delay.setSuffix(" s")
        self.delay.setToolTip("Under the line for so long before it shows: longer is calmer and later.")
        layout = layouts.column(self, (20, 12, 12, 4), 4)
        layout.addLayout(self.head())
        bar = layouts.Flow()
        bar.add(self.kind)
        self._typed = (
            *((self._amount_words, self.amount), (gate_words, self.gate)),
            *((self._heat_words, self.heat), (delay_words, self.delay)),
        )
        self._boxes: list[QWidget] = []
        for words, spin in self._typed:
            box = QWidget()
            row = QHBoxLayout(box)
            row.setContentsMargins(0, 0, 0, 0)
            row.addWidget(words)
            row.addWidget(spin)
            self._boxes.append(box)
            bar.add(box)
            spin.valueChanged.connect(lambda _: self._type())
        self.kind.currentIndexChanged.connect(lambda _: self._take_kind())
        for button in self._buttons.by_key.values():
            bar.add(button, at_end=True)
        self._bar = QWidget()
        self._bar.setLayout(bar)
        layout.addWidget(self._bar)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.board)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.viewport().setAutoFillBackground(False)
        layout.addWidget(scroll, 1)
        self.board.kind_chosen.connect(self._choose_kind)
        self.board.amount_chosen.connect(self._choose_amount)

    def enable(self, can: Mapping[str, bool]) -> None:
        """Which of the commands at the top can be run now."""
        self._buttons.enable(can)

    def show_set(
        self,
        found: AlarmFindings | None,
        chosen: SetAlarm | None,
        curve: Curve | None,
        units: DisplayUnits,
        waiting: str,
    ) -> None:
        """Show a device on a log, or what is missing for one."""
        self._found, self._chosen, self._units = found, chosen, units
        self._bar.setVisible(found is not None)
        self.board.show_set(found, chosen, curve, units)
        if found is None or chosen is None:
            self.say_nothing(
                waiting,
                "Open a log to set a low-pressure warning by it",
                "The factory lamp comes on at idle pressure; at 6000 rpm that is far too late. Basso sets each kind of "
                "warning by this engine's own normal pressure and counts what it catches and how often it cries wolf.",
            )
            return
        self._fill(chosen)
        title, detail = opening(found, chosen)
        self.say(str(read_in(title, units)), str(read_in(detail, units)))

    def _fill(self, chosen: SetAlarm) -> None:
        s, units = chosen.setting, self._units
        held = [QSignalBlocker(w) for w in (self.kind, *(spin for _, spin in self._typed))]
        self.kind.setCurrentIndex(self.kind.findData(s.kind))
        words, tip = _AMOUNTS.get(s.kind, _UNDER)
        self._amount_words.setText(words)
        self.amount.setToolTip(tip)
        self.amount.setAccessibleName(f"Line: {words}")
        if s.kind == "share":
            self.amount.setRange(20.0, 100.0)
            self.amount.setSingleStep(1.0)
            self.amount.setDecimals(0)
            self.amount.setSuffix(" %")
            self.amount.setValue(100.0 * s.amount)
        else:
            unit = units.pressure
            self.amount.setRange(0.0, float(unit.from_base(990.0)))
            self.amount.setDecimals(2 if unit.symbol == "bar" else 0)
            self.amount.setSingleStep({"bar": 0.05, "psi": 1.0}.get(unit.symbol, 5.0))
            self.amount.setSuffix(f" {unit.symbol}")
            self.amount.setValue(float(unit.from_base(s.amount)))
        self.gate.setValue(s.gate_rpm)
        self.delay.setValue(s.delay_s)
        if s.at_c is not None:
            unit = units.temperature
            self.heat.setDecimals(0)
            self.heat.setSuffix(f" {unit.symbol}")
            self.heat.setRange(float(unit.from_base(20.0)), float(unit.from_base(180.0)))
            self.heat.setValue(float(unit.from_base(s.at_c)))
        by_normal = s.kind != "fixed"
        for box, shown in zip(self._boxes, (True, by_normal, by_normal and s.at_c is not None, True), strict=True):
            box.setVisible(shown)
        del held

    @property
    def typed(self) -> Setting | None:
        """The setting as the numbers stand; what was not touched stays as exact as it was."""
        if self._chosen is None:
            return None
        s, units = self._chosen.setting, self._units
        amount = (
            self.amount.value() / 100.0 if s.kind == "share" else float(units.pressure.to_base(self.amount.value()))
        )
        shown = 100.0 * s.amount if s.kind == "share" else float(units.pressure.from_base(s.amount))
        if abs(self.amount.value() - shown) < 0.51 * 10.0 ** -self.amount.decimals():
            amount = s.amount
        at_c = s.at_c
        if at_c is not None and abs(self.heat.value() - float(units.temperature.from_base(at_c))) > 0.51:
            at_c = float(units.temperature.to_base(self.heat.value()))
        return replace(s, amount=amount, gate_rpm=self.gate.value(), at_c=at_c, delay_s=round(self.delay.value(), 3))

    def _type(self) -> None:
        typed = self.typed
        if typed is not None and self._chosen is not None and typed != self._chosen.setting:
            self.setting_typed.emit(typed)

    def _take_kind(self) -> None:
        """Another kind begins as it is proposed."""
        if self._found is not None:
            self.setting_typed.emit(self._found.proposal(self.kind.currentData()).setting)

    def _choose_kind(self, kind: str) -> None:
        self.kind.setCurrentIndex(self.kind.findData(kind))

    def _choose_amount(self, amount: float) -> None:
        if self._chosen is not None and amount != self._chosen.setting.amount:
            self.setting_typed.emit(replace(self._chosen.setting, amount=amount))

    def rows(self) -> list[list[str]]:
        """The setting, the kinds and the dips, in the units shown."""
        if self._found is None or self._chosen is None:
            return []
        return [[self.title], [self.detail], [], *table_rows(self._found, self._chosen, self._units)]


def _spin(look: Look, name: str) -> tuple[QDoubleSpinBox, Words]:
    words = Words(look, Type.BODY, "soft")
    words.setText(name)
    words.setWordWrap(False)
    spin = QDoubleSpinBox()
    spin.setKeyboardTracking(False)
    spin.setAccessibleName(name.capitalize())
    return spin, words
