"""The Normal station: the pressure field, the floor rules, the oils, a hotter day, cold to hot."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from types import MappingProxyType
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QScrollArea,
    QSlider,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from basso.findings.normal.question import Question
from basso.report.normal_documents import flow_words, port_words
from basso.sentence import joined, read_in
from basso.ui import layouts
from basso.ui.plain import Label, tip
from basso.ui.stations.normal.curve import CurveView
from basso.ui.stations.normal.curve_picture import curve_picture
from basso.ui.stations.normal.field import FieldView
from basso.ui.stations.normal.field_picture import field_picture, reading_at
from basso.ui.stations.normal.picture import (
    FLOOR_MET_HEADS,
    FLOOR_RULE_HEADS,
    GRADE_HEADS,
    GRADE_TIPS,
    HISTORY_HEADS,
    change_line,
    cold_to_hot,
    floor_met_rows,
    floor_rule_rows,
    grade_rows,
    grade_units,
    history_rows,
    oil_temperature,
    opening,
    shown_history,
    what_if_words,
    working,
)
from basso.ui.stations.words import PageBar, TitledPage, Words
from basso.ui.stations.working import WorkingStep
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits, Quantity

if TYPE_CHECKING:
    from basso.findings.normal.findings import NormalFindings
    from basso.findings.normal.what_if import WhatIf

_WARMER_C, _HOTTER_C, _FASTER_RPM = 25, 30, 1500


_PAGES = MappingProxyType(
    {
        "What is normal": "The pressure this engine shows by speed and oil temperature, and what each floor would flag",
        "Which oil": "Which grade holds the floor on this engine, and where it stops",
        "Earlier and what if": "Against the car's earlier sessions; and on a hotter day, or a faster one",
    }
)


class NormalPage(TitledPage):
    """Told what is told of normal, and the units.

    ``asked`` carries a :class:`Question` when the user asks the adviser something else; ``supposed``: the
    day is another (:attr:`another_day`); ``held_to_kept`` whether sessions are held to their build's kept normal;
    ``command_wanted`` a command's key.
    """

    asked = Signal(object)
    supposed = Signal()
    held_to_kept = Signal(bool)
    command_wanted = Signal(str)
    kept_opened = Signal(str)
    """Carries what a kept normal is called: it is to be corrected or removed."""

    def __init__(self, look: Look, keys: Mapping[str, str]) -> None:
        """``keys``: of the commands that have a button here."""
        super().__init__(look)
        self._keys = keys
        self.told: NormalFindings | None = None
        self._answer: WhatIf | None = None
        self._units = DisplayUnits()
        self.field = FieldView(look)
        self.field.looked_at.connect(self._read_field)
        self.curve = CurveView(look)
        self.floor_rules, self.grades = _table(len(FLOOR_RULE_HEADS)), _table(len(GRADE_HEADS))
        self.history = _table(len(HISTORY_HEADS))
        self.cold, self.heat, self.change = (Words(look, Type.SMALL) for _ in range(3))
        self.supposition = Words(look, Type.STRONG)
        self._floor_rules_head = self._head("")
        self.cautions = Words(look, Type.SMALL, "soft")
        self.air, self.hotter, self.faster = (
            _slider(-_WARMER_C, _WARMER_C, "Air warmer by"),
            _slider(-10, _HOTTER_C, "Oil hotter by"),
            _slider(0, _FASTER_RPM, "Engine speed higher by"),
        )
        self.faster.setSingleStep(50)
        self.faster.setPageStep(250)
        self._air_words, self._hotter_words, self._faster_words = (Words(look, Type.SMALL) for _ in range(3))
        self.racing, self.hottest, self.margin = (QDoubleSpinBox() for _ in range(3))
        self.held_to = QComboBox()
        self.held_to.setAccessibleName("Compare with")
        self.held_to.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.held_to.activated.connect(lambda i: self.held_to_kept.emit(i == 1))
        self.kept_words = Words(look, Type.SMALL, "soft")
        self.history.setToolTip("Double-click or Enter on a saved normal to correct or remove it")
        self.history.activated.connect(lambda index: self._open_kept(index.row()))
        self._lay_out()
        for slider in (self.air, self.hotter, self.faster):
            slider.valueChanged.connect(self._suppose)
        for box in (self.racing, self.hottest, self.margin):
            box.setKeyboardTracking(False)
            box.valueChanged.connect(self._ask)
        look.changed.connect(self._dress)
        self._dress()

    def _lay_out(self) -> None:
        self.pages, self._body = PageBar(self._look, _PAGES), layouts.Pages()
        for page in (self._what_is_normal(), self._which_oil(), self._earlier_and_what_if()):
            scroll = QScrollArea()
            scroll.setWidgetResizable(True)
            scroll.setWidget(page)
            scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
            scroll.viewport().setAutoFillBackground(False)
            page.setAutoFillBackground(False)
            self._body.addWidget(scroll)
        self.pages.choose(0)
        self.pages.chosen.connect(self._body.setCurrentIndex)
        whole = layouts.column(self, (20, 12, 6, 4), 2)
        whole.addLayout(self.head())
        whole.addLayout(self._verbs())
        bar = QHBoxLayout()
        bar.addWidget(self.pages)
        bar.addStretch(1)
        whole.addLayout(bar)
        whole.addWidget(self._body, 1)

    def show_page(self, page: int) -> None:
        """Turn to a page: what is normal, which oil, earlier sessions and another day."""
        self.pages.choose(page)
        self._body.setCurrentIndex(page)

    def _what_is_normal(self) -> QWidget:
        """The map or the curve, as large as there is room; what each floor would flag, and the oil's heat."""
        page = QWidget()
        left, right = QVBoxLayout(), QVBoxLayout()
        left.addWidget(self.field, 1)
        left.addWidget(self.curve, 1)
        right.setSpacing(3)
        for piece in (
            self._floor_rules_head,
            self.floor_rules,
            self._head("Cold to hot"),
            self.cold,
            self._head("Oil temperature"),
            self.heat,
        ):
            right.addWidget(piece)
        right.addStretch(1)
        row = layouts.row(page, (0, 4, 8, 4), 18)
        row.addLayout(left, 50)
        row.addLayout(right, 50)
        return page

    def _which_oil(self) -> QWidget:
        page = QWidget()
        layout = layouts.column(page, (0, 8, 8, 4), 6)
        layout.addLayout(self._questions())
        layout.addWidget(self.grades)
        layout.addWidget(self.cautions)
        layout.addStretch(1)
        return page

    def _earlier_and_what_if(self) -> QWidget:
        page = QWidget()
        layout = layouts.column(page, (0, 8, 8, 4), 6)
        for piece in (self._head("Against earlier sessions"), self.change, self.history):
            layout.addWidget(piece)
        layout.addSpacing(round(self._look.height()))
        layout.addWidget(self._head("What if the day were another"))
        layout.addLayout(self._another_day())
        layout.addWidget(self.supposition)
        layout.addStretch(1)
        return page

    def _verbs(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(8)
        self._held_words = self._head("Compare with")
        row.addWidget(self._held_words)
        row.addWidget(self.held_to)
        self.verbs: dict[str, QPushButton] = {}
        for key, words, hint in (
            (
                "judge.normal",
                "Save normal…",
                "Learn this build's normal from its sessions together and save it with the build",
            ),
            ("judge.floors", "Floors…", "Which floor rules apply, and your own lines"),
            ("judge.oils", "Oils…", "Data sheets, and up to which temperature each oil is used"),
        ):
            button = QPushButton(words)
            button.setToolTip(f"{hint} ({self._keys[key]})" if key in self._keys else hint)
            button.clicked.connect(lambda _=False, key=key: self.command_wanted.emit(key))
            row.addWidget(button)
            self.verbs[key] = button
        row.addWidget(self.kept_words, 1)
        return row

    def show_kept(self, title: str, by_kept: bool) -> None:
        """The build's kept normal, by what it is called ("" without one), and whether sessions are held to it."""
        words = ["each log's own normal", f"the saved normal: {title}" if title else "a saved normal (none yet)"]
        if [self.held_to.itemText(i) for i in range(self.held_to.count())] != words:
            self.held_to.clear()
            self.held_to.addItems(words)
        self.held_to.setCurrentIndex(1 if by_kept and title else 0)
        self.held_to.setEnabled(bool(title))

    def say_kept(self, words: str) -> None:
        """What was just kept, and how it lies to the version before."""
        self.kept_words.setText(words)

    def _head(self, words: str) -> Words:
        label = Words(self._look, Type.SMALL_STRONG)
        label.setText(words)
        label.setWordWrap(False)
        return label

    def _another_day(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        for column, (slider, words) in enumerate(
            ((self.air, self._air_words), (self.hotter, self._hotter_words), (self.faster, self._faster_words))
        ):
            grid.addWidget(words, 0, 2 * column)
            grid.addWidget(slider, 0, 2 * column + 1)
            grid.setColumnMinimumWidth(2 * column, round(self._look.height() * 7.5))
            grid.setColumnStretch(2 * column + 1, 1)
        return grid

    def _questions(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(8)
        row.addWidget(self._head("Which oil holds the floor on this engine, at"))
        for box, name, low, high in (
            (self.racing, "Racing speed", 1500.0, 20000.0),
            (self.hottest, "Hottest oil", 0.0, 400.0),
            (self.margin, "Margin over the floor", 0.0, 200.0),
        ):
            box.setRange(low, high)
            box.setAccessibleName(name)
            box.setToolTip(tip(name))
            row.addWidget(box)
        self.racing.setDecimals(0)
        self.racing.setSingleStep(100.0)
        self.racing.setSuffix(" rpm")
        self.hottest.setDecimals(0)
        self._margin_word = Label("with a margin of")
        row.insertWidget(3, self._margin_word)
        row.addStretch(1)
        return row

    def _dress(self) -> None:
        self._margin_word.setFont(self._look.font(Type.SMALL_STRONG))
        for table in (self.floor_rules, self.grades, self.history):
            table.setFont(self._look.font(Type.SMALL))
            table.horizontalHeader().setFont(self._look.font(Type.SMALL))
        if self.told is not None:
            self._fill()

    # Showing

    def show_normal(self, told: NormalFindings | None, units: DisplayUnits, waiting: str = "") -> None:
        """Show what is told, or what is missing for it."""
        fresh = told is not None and (self.told is None or self.told.analysis.recording is not told.analysis.recording)
        self.told, self._units = told, units
        self._body.setVisible(told is not None)
        if told is None:
            self.say_nothing(
                waiting,
                "Open a log to learn this engine's normal pressure",
                "It is learned from steady running with the pan level: straights, the pit lane, a dyno. "
                "Oil temperature belongs to it.",
            )
            return
        words = opening(told, units)
        self.say(words.title, words.detail)
        self._show_question(told)
        if fresh:
            self.kept_words.setText("")
            for slider in (self.air, self.hotter, self.faster):
                slider.blockSignals(True)
                slider.setValue(0)
                slider.blockSignals(False)
        self._name_sliders()
        self._fill()
        if fresh:
            self.supposition.setText("")
        else:
            self.show_supposition(self._answer)

    def _show_question(self, told: NormalFindings) -> None:
        units = self._units
        for box, value, suffix in (
            (self.racing, told.racing_rpm, " rpm"),
            (self.hottest, units.temperature.from_base(told.hot_c), f" {units.temperature.symbol}"),
            (self.margin, units.pressure.difference_from_base(told.question.margin_kpa), f" {units.pressure.symbol}"),
        ):
            box.blockSignals(True)
            box.setSuffix(suffix)
            box.setValue(value if value == value else 0.0)
            box.blockSignals(False)
        self.margin.setDecimals(1 if units.pressure.symbol == "bar" else 0)

    def _fill(self) -> None:
        told, units = self.told, self._units
        assert told is not None
        self.field.show_picture(field_picture(told, units), units)
        self.field.setVisible(self.field.picture is not None)
        self.curve.show_picture(curve_picture(told, units))
        by_heat = self.curve.picture is None
        for box in (self.air, self.hotter, self.faster, self.racing, self.hottest, self.margin):
            box.setEnabled(by_heat)  # what they ask needs normal by oil temperature, as is said beside them
        self._floor_rules_head.setText(
            f"Floor rules at {told.racing_rpm:.0f} rpm"
            + (f" and {units.text(told.hot_c, Quantity.TEMPERATURE)}" if told.hot_c == told.hot_c else "")
            + f", {units.pressure.symbol}; normal over it; what it would flag"
        )
        _fill(self.floor_rules, FLOOR_RULE_HEADS, floor_rule_rows(told, units), words=(0, 5))
        heads = tuple(f"{h}, {u}" if u else h for h, u in zip(GRADE_HEADS, grade_units(units), strict=True))
        _fill(self.grades, heads, grade_rows(told, units), words=(0, 9))
        for c, hint in enumerate(GRADE_TIPS):
            if (head := self.grades.horizontalHeaderItem(c)) is not None:
                head.setToolTip(hint)
        self.grades.setVisible(told.advice is not None)
        self.cold.setText(" ".join(cold_to_hot(told, units)))
        self.heat.setText(" ".join(oil_temperature(told, units)))
        self.change.setText(change_line(told, units))
        _fill(self.history, HISTORY_HEADS, history_rows(told, units), words=(0, 1, 3))
        header = self.history.horizontalHeader()
        header.setStretchLastSection(False)
        header.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        self.history.setVisible(bool(told.history))
        advice = told.advice
        self.cautions.setText(
            read_in(
                joined(
                    " ",
                    (x for x in (advice.window, port_words(told), flow_words(told.flow, units), *advice.cautions) if x),
                ),
                units,
            )
            if advice is not None
            else "No oil can be advised: that needs normal by oil temperature, and a floor that is a pressure."
        )

    def show_supposition(self, answer: WhatIf | None) -> None:
        """The other day's answer."""
        self._answer = answer
        if self.told is not None:
            self.supposition.setText(what_if_words(answer, self.told.airs_part, self._units))

    # Asking

    def _name_sliders(self) -> None:
        unit = self._units.temperature
        air, by = (unit.difference_from_base(float(s.value())) for s in (self.air, self.hotter))
        self._air_words.setText(f"Air {'warmer' if air >= 0 else 'cooler'} by {abs(air):.0f} {unit.symbol}")
        self._hotter_words.setText(f"Oil {'hotter' if by >= 0 else 'cooler'} by {abs(by):.0f} {unit.symbol}")
        self._faster_words.setText(f"Engine faster by {self.faster.value()} rpm")

    def _suppose(self) -> None:
        self._name_sliders()
        self.supposed.emit()

    @property
    def another_day(self) -> tuple[float, float, float]:
        """By how much the air is warmer (°C), the oil hotter beside that (°C) and the engine faster (rpm)."""
        return float(self.air.value()), float(self.hotter.value()), float(self.faster.value())

    def _ask(self) -> None:
        if self.told is None:
            return
        units = self._units
        margin = self.margin.value() / max(units.pressure.difference_from_base(1.0), 1e-9)
        self.asked.emit(
            Question(rpm=self.racing.value(), hot_c=units.temperature.to_base(self.hottest.value()), margin_kpa=margin)
        )

    def _read_field(self, rpm: float, heat: float) -> None:
        if self.told is not None:
            self.field.say(reading_at(self.told, rpm, heat, self._units))

    def _open_kept(self, row: int) -> None:
        shown = shown_history(self.told) if self.told is not None else ()
        if 0 <= row < len(shown) and shown[row].earlier.kept:
            self.kept_opened.emit(shown[row].earlier.title)

    def working(self) -> list[WorkingStep]:
        """How normal came about, and the row of the oils that is chosen (else the oil that is in)."""
        return working(self.told, self.grades.currentRow(), self._units) if self.told is not None else []

    def rows(self) -> list[Sequence[str]]:
        """Floor rules, oils, and where normal meets the floor at each engine speed, in the units shown."""
        if self.told is None:
            return []
        units = self._units
        heads = [f"{h}, {u}" if u else h for h, u in zip(GRADE_HEADS, grade_units(units), strict=True)]
        return [
            [self.title],
            [self._floor_rules_head.text()],
            FLOOR_RULE_HEADS,
            *floor_rule_rows(self.told, units),
            heads,
            *grade_rows(self.told, units),
            FLOOR_MET_HEADS,
            *floor_met_rows(self.told, units),
        ]


def _slider(low: int, high: int, name: str) -> QSlider:
    slider = QSlider(Qt.Orientation.Horizontal)
    slider.setRange(low, high)
    slider.setAccessibleName(name)
    return slider


def _table(columns: int) -> QTableWidget:
    table = QTableWidget(0, columns)
    table.setTabKeyNavigation(False)
    table.verticalHeader().hide()
    table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    table.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
    table.horizontalHeader().setStretchLastSection(True)
    table.horizontalHeader().setHighlightSections(False)
    table.horizontalHeader().setStyleSheet("QHeaderView::section { padding: 2px 5px 2px 2px; }")
    table.setStyleSheet("QTableView::item { padding: 0 5px 0 2px; }")
    table.setShowGrid(False)
    return table


def _fill(table: QTableWidget, heads: Sequence[str], rows: Sequence[Sequence[str]], words: Sequence[int]) -> None:
    """Fill a table and give it the height of its rows; ``words``: columns of text, the others are numbers."""
    for c, head in enumerate(heads):
        item = QTableWidgetItem(head)
        item.setTextAlignment(_side(c in words))
        table.setHorizontalHeaderItem(c, item)
    table.verticalHeader().setMinimumSectionSize(1)
    table.verticalHeader().setDefaultSectionSize(round(table.fontMetrics().height() * 1.2))
    table.setRowCount(len(rows))
    for r, row in enumerate(rows):
        for c, text in enumerate(row):
            item = QTableWidgetItem(text)
            item.setTextAlignment(_side(c in words))
            if c in words:
                item.setToolTip(tip(text))
            table.setItem(r, c, item)
    table.setFixedHeight(table.horizontalHeader().sizeHint().height() + table.verticalHeader().length() + 2)


def _side(is_words: bool) -> Qt.AlignmentFlag:
    return (Qt.AlignmentFlag.AlignLeft if is_words else Qt.AlignmentFlag.AlignRight) | Qt.AlignmentFlag.AlignVCenter
