"""The Sensors station: whether the readings can be believed, check by check, with the evidence drawn and what was
corrected."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property
from types import MappingProxyType
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from basso.sentence import read_in
from basso.trust.side import SIDE_CHECK
from basso.ui import layouts
from basso.ui.stations.sensors.evidence import EvidencePlot
from basso.ui.stations.sensors.evidence_picture import drop_curves, drop_trend, evidence
from basso.ui.stations.sensors.fit import FitPanel
from basso.ui.stations.sensors.picture import CheckLine, check_lines, correction_words, first_turn_of, opening
from basso.ui.stations.table import Table
from basso.ui.stations.words import PageBar, TitledPage, Words
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits, Quantity

if TYPE_CHECKING:
    from basso.analysis import Analysis
    from basso.memory.parts import Parts
    from basso.oilway.drops import Change, Drop
    from basso.ui.stations.sensors.register import RegisterPanel

CHECKS, REGISTER, DROPS, FIT = range(4)
"""The pages."""
_DROPS_HINT = "At one engine speed and one viscosity, so that a hot day is not taken for a clean filter."
_NO_DROPS = (
    "No drop can be told: this log has oil pressure at fewer than two places. Log it after the pump and "
    "after the cooler or the "
    "filter as well; what each takes, and whether it grows, then stands here."
)
_AMOUNTS = ("offset", "scale", "gain", "delay", "turn", "slip", "load", "lead")
"""Corrections by an amount that somebody may know better."""


_PAGES = MappingProxyType(
    {
        "Checks": "Can the readings be believed, and what was corrected",
        "Register": "What sensor sits where on this car, calibrated and wired how",
        "Drops": "Pressure lost along the oil's way, between two sensors",
        "Fit a sensor": "The shortest sound chain of parts from a port to a sensor",
    }
)


class SensorsPage(TitledPage):
    """Told an analysis; says what is decided about its corrections, and where to look."""

    decided = Signal(str, str, bool, object)
    """(channel, kind, put right, value or None for what Basso found)"""
    place_wanted = Signal(float, float)
    drops_wanted = Signal()
    register_wanted = Signal()

    def __init__(self, look: Look, parts: Parts) -> None:
        super().__init__(look)
        self._units = DisplayUnits()
        self._analysis: Analysis | None = None
        self.lines: list[CheckLine] = []
        self._kept = ""
        self.list = QListWidget()
        self.list.setAccessibleName("Checks of the readings")
        self.list.setWordWrap(True)
        self.list.setTextElideMode(Qt.TextElideMode.ElideNone)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentRowChanged.connect(lambda _: self._show_check())
        self._name, self._message = Words(look, Type.STATION), Words(look)
        self._costs, self._done = Words(look, Type.SMALL, "soft"), Words(look, Type.SMALL, "soft")
        self.accept, self.amount, self._unit = QCheckBox("Corrected"), QLineEdit(), Words(look, Type.SMALL, "soft")
        look.fit(self.amount, lambda w: w.setMaximumWidth(round(look.height() * 5)))
        self.accept.setToolTip("Whether the correction is used; Ctrl+Z takes the choice back")
        self.go_button = QPushButton("Show it in the log")
        self.go_button.setToolTip("Move the cursor to where it shows")
        self.turn_buttons = (QPushButton("It was a left"), QPushButton("It was a right"))
        for button, way in zip(self.turn_buttons, (1.0, -1.0), strict=True):
            button.setToolTip("Kept for every log with these columns")
            button.clicked.connect(lambda _=False, w=way: self._say_turn(w))
        self.plot = EvidencePlot(look)
        self.fit = FitPanel(look, parts)
        self.drops_plot, self.trend_plot = EvidencePlot(look), EvidencePlot(look)
        self._drops, self._drops_hint = Words(look), Words(look, Type.SMALL, "soft")
        self.pages = PageBar(look, _PAGES)
        self._pages = QStackedWidget()
        self._at = 0
        self._lay_out()
        self.accept.clicked.connect(lambda _: self._decide())
        self.amount.editingFinished.connect(self._amount_given)
        self.go_button.clicked.connect(self._go)
        look.changed.connect(self.plot.update)
        self.show_analysis(None, self._units)

    def _lay_out(self) -> None:
        layout = layouts.column(self, (20, 12, 12, 6), 4)
        layout.addLayout(self.head())
        bar = QHBoxLayout()
        bar.addWidget(self.pages)
        bar.addStretch(1)
        layout.addLayout(bar)
        self.pages.chosen.connect(self.show_page)
        side = QWidget()
        column = layouts.column(side, (16, 0, 0, 0), 6)
        for label in (self._name, self._message, self._costs):
            column.addWidget(label)
        row = QHBoxLayout()
        for widget in (*self.turn_buttons, self.accept, self.amount, self._unit):
            row.addWidget(widget)
        row.addWidget(self._done, 1)
        row.addWidget(self.go_button)
        column.addLayout(row)
        column.addWidget(self.plot, 1)
        split = layouts.split(Qt.Orientation.Horizontal, (self.list, 0), (side, 0))
        split.setSizes([340, 540])
        self._pages.addWidget(split)
        self._register_page = QWidget()
        QVBoxLayout(self._register_page).setContentsMargins(0, 0, 0, 0)
        self._pages.addWidget(self._register_page)
        self._pages.addWidget(self._drops_page())
        self._pages.addWidget(self.fit)
        layout.addWidget(self._pages, 1)
        self.show_page(0)

    def show_analysis(self, analysis: Analysis | None, units: DisplayUnits, waiting: str = "") -> None:
        """Show the checks of a judged log."""
        # Kept while a log is judged again: then there are no checks for a moment.
        self._kept = self.line.check.id if self.line is not None else self._kept
        self._analysis, self._units = analysis, units
        self.fit.show_units(units)
        title, detail = opening(analysis)
        self.say(waiting or title, "" if waiting else detail)
        self.lines = check_lines(analysis, units) if analysis is not None else []
        self.list.blockSignals(True)
        self.list.clear()
        for line in self.lines:
            item = QListWidgetItem(f"{line.name}\n{line.state}")
            color = {"below": "below", "attention": "ink", "soft": "soft"}.get(line.mark, "soft")
            item.setForeground(self._look.color(color))
            font = self._look.font(Type.STRONG if line.mark in ("below", "attention") else Type.BODY)
            item.setFont(font)
            self.list.addItem(item)
        at = next((i for i, x in enumerate(self.lines) if x.check.id == self._kept), 0 if self.lines else -1)
        self.list.setCurrentRow(at)
        self.list.blockSignals(False)
        self._show_check()
        if self._pages.currentIndex() == DROPS:
            self.drops_wanted.emit()

    @property
    def line(self) -> CheckLine | None:
        """The check that is selected."""
        at = self.list.currentRow()
        return self.lines[at] if 0 <= at < len(self.lines) else None

    def choose(self, check_id: str) -> None:
        """Select a check."""
        self.list.setCurrentRow(next((i for i, x in enumerate(self.lines) if x.check.id == check_id), -1))

    def _drops_page(self) -> QWidget:
        page = QWidget()
        column = layouts.column(page, (0, 12, 0, 0), 10)
        column.addWidget(self._drops_hint)
        column.addWidget(self._drops)
        plots = QHBoxLayout()
        plots.setSpacing(24)
        plots.addWidget(self.drops_plot, 3)
        plots.addWidget(self.trend_plot, 2)
        column.addLayout(plots, 1)
        return page

    @cached_property
    def register(self) -> RegisterPanel:
        """The register of sensors, made when it is first looked at."""
        from basso.ui.stations.sensors.register import RegisterPanel

        panel, layout = RegisterPanel(self._look), self._register_page.layout()
        assert layout is not None
        layout.addWidget(panel)
        return panel

    def show_page(self, page: int) -> None:
        """Show the checks, the register of sensors, the pressure drops or the fit planner: one of the pages above."""
        self.pages.choose(page)
        if page == REGISTER:
            self.register_wanted.emit()
        self._pages.setCurrentIndex(page)
        if page == DROPS:
            self.drops_wanted.emit()

    def show_drops(
        self,
        changes: Sequence[Change],
        earlier: Sequence[tuple[str, Sequence[Drop]]],
        redline_rpm: float,
        relief: str = "",
    ) -> None:
        """Show what cooler and filter take, and the relief valve; ``earlier``: the sessions it was held against, with
        their drops."""
        against = [title for title, _ in earlier]
        held = f"Held against {', '.join(against)}. " if against else "No earlier session has these pressures. "
        self._drops_hint.setText(held + _DROPS_HINT if changes else "")
        said = [*(c.words for c in changes)] or [_NO_DROPS]
        self._drops.setText("\n\n".join(read_in(x, self._units) for x in (*said, relief) if x))
        self.drops_plot.show_evidence(drop_curves(changes, redline_rpm, self._units))
        trend = drop_trend(changes, [drops for _, drops in earlier], self._units)
        self.trend_plot.show_evidence(trend)
        self.trend_plot.setVisible(trend is not None)

    @property
    def drops_words(self) -> str:
        """What is said of the drops."""
        return f"{self._drops_hint.text()}\n{self._drops.text()}".strip()

    def take_focus(self) -> None:
        """Give the keyboard to the list."""
        self.list.setFocus()

    def _show_check(self) -> None:
        line, a = self.line, self._analysis
        self._at = 0
        correction = line.check.correction if line is not None else None
        self.accept.setVisible(correction is not None)
        self._done.setVisible(correction is not None)
        by_amount = correction is not None and correction.kind in _AMOUNTS
        for widget in (self.amount, self._unit):
            widget.setVisible(by_amount)
        turn = (
            first_turn_of(a)
            if a is not None and line is not None and line.check.id == SIDE_CHECK and line.check.offered
            else None
        )
        for button in self.turn_buttons:
            button.setVisible(turn is not None)
        if line is None or a is None:
            for label in (self._name, self._message, self._costs):
                label.setText("")
            self.go_button.hide()
            self.plot.show_evidence(None)
            return
        self._name.setText(f"{line.name}: {line.state}")
        self._message.setText(line.finding)
        self._costs.setText(f"Why it matters: {line.costs}" if line.costs else "")
        if turn is not None:
            self._done.setText("")
            self.accept.setText("Turned over")
            self.accept.setChecked(line.check.correction is not None and a.puts_right(line.check))
        elif correction is not None:
            self.accept.setText("Corrected")
            used = next((c for c in a.corrections if c.key == correction.key), correction)
            self.accept.setChecked(a.puts_right(line.check))
            self._done.setText(
                correction_words(used, self._units) + ("" if used.value == correction.value else ", as you said")
            )
            self.amount.setText(self._amount_shown(used.value, correction.unit))
            self.amount.setAccessibleName(f"{line.name}, corrected by")
            self._unit.setText(self._units.pressure.symbol if correction.unit == "kPa" else correction.unit)
        drawn = evidence(a, line.check, self._units)
        self.plot.show_evidence(drawn)
        self.go_button.setVisible(drawn is not None and bool(drawn.spans))

    def _amount_shown(self, value: float, unit: str) -> str:
        shown = self._units.pressure.difference_from_base(value) if unit == "kPa" else value
        return f"{shown:.5g}"

    def _decide(self, value: float | None = None) -> None:
        correction = self.line.check.correction if self.line is not None else None
        if correction is not None:
            if self.line is not None and self.line.check.offered and self.accept.isChecked() and value is None:
                value = correction.value  # what is only offered is made by being said
            self.decided.emit(correction.channel, correction.kind, self.accept.isChecked(), value)

    def _say_turn(self, way: float) -> None:
        """The first turn after the start was a left (1) or a right (−1)."""
        a, check = self._analysis, self.line.check if self.line is not None else None
        turn = first_turn_of(a) if a is not None else None
        if turn is not None and check is not None and check.channel is not None:
            self.decided.emit(check.channel, "sign", True, 1.0 if way * turn[1] > 0 else -1.0)

    def _amount_given(self) -> None:
        correction = self.line.check.correction if self.line is not None else None
        if correction is None or not self.amount.isModified():
            return
        self.amount.setModified(False)
        try:
            given = float(self.amount.text().replace(",", ".").replace("−", "-"))
        except ValueError:
            self._done.setText(f"'{self.amount.text()}' is no number; write it like -12.5.")
            return
        if correction.unit == "kPa":
            given = given * self._units.unit(Quantity.PRESSURE).factor
        self.accept.setChecked(True)
        self._decide(given)

    def _go(self) -> None:
        """Go to the place in the log, and with each further press to the next one."""
        spans = self.plot.evidence.spans if self.plot.evidence is not None else ()
        if spans:
            start, end = spans[self._at % len(spans)]
            self._at += 1
            self.place_wanted.emit(start, end)

    def table(self) -> Table:
        """The checks; of the register, the drops and the planner the page as it reads."""
        page = self._pages.currentIndex()
        if page == DROPS:
            return Table("drops", words=self.drops_words)
        if page == FIT:
            return Table("sensor-fitting", words=self.fit.words)
        if page == REGISTER:
            return Table("sensors", words=self.register.words)
        heads = ["Check", "State", "Finding", "Why it matters"]
        return Table("checks", [heads, *([x.name, x.state, x.finding, x.costs] for x in self.lines)])
