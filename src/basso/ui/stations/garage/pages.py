"""The pages beside the build line: oil and laboratory, level book."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent, QPolygonF
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QMenu,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from basso.car.history import CarHistory
from basso.errors import InputError
from basso.garage.fields import Field, read
from basso.garage.records import OilEntry, Record
from basso.ui import layouts
from basso.ui.dialogs import replace_menu
from basso.ui.plots import paint
from basso.ui.plots.ticks import ticks
from basso.ui.stations.garage.picture import LevelPage, level_page, level_words, oil_page, reading_words, series_of
from basso.ui.stations.words import Words
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits, Quantity


class OilPanel(QWidget):
    """What is in, what is due, the ledger, the laboratory."""

    record_wanted = Signal(object)
    """A record that is there is to be corrected or removed."""
    entry_wanted = Signal()
    sample_wanted = Signal()

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._title, self._pour = Words(look, Type.STATION), Words(look, Type.SMALL, "soft")
        self._found = Words(look)
        self._facts = QGridLayout()
        self._fact_labels: list[Words] = []
        self.ledger = _table(("Day", "What", "Grade", "Volume", "Filter", "Oil and lot", "Note"))
        self.laboratory = _table(())
        self.laboratory.horizontalHeader().setStretchLastSection(False)
        self.entry_button, self.sample_button = QPushButton("Pour or drain…"), QPushButton("Laboratory sample…")
        self.entry_button.setToolTip("Write down oil poured in or taken out, with its grade and lot")
        self.sample_button.setToolTip("Write down what a laboratory found in a sample of the oil")
        self._entries: tuple[OilEntry, ...] = ()
        self.ledger.setToolTip("Double-click or Enter to correct or remove an entry")
        self.ledger.itemActivated.connect(lambda item: self.record_wanted.emit(self._entries[item.row()]))
        self.samples_button = QPushButton("Correct a sample")
        self.samples_button.setToolTip("Choose a sample to correct or remove")
        self.entry_button.clicked.connect(self.entry_wanted)
        self.sample_button.clicked.connect(self.sample_wanted)
        layout = layouts.column(self, (0, 6, 0, 0), 4)
        head = QHBoxLayout()
        head.addWidget(self._title, 1)
        head.addWidget(self.entry_button)
        head.addWidget(self.sample_button)
        head.addWidget(self.samples_button)
        layout.addLayout(head)
        self._facts.setHorizontalSpacing(16)
        self._facts.setVerticalSpacing(2)
        layout.addLayout(self._facts)
        layout.addWidget(self._pour)
        layout.addWidget(self.ledger, 2)
        layout.addWidget(self._found)
        layout.addWidget(self.laboratory, 3)

    def show_car(self, view: CarHistory, units: DisplayUnits) -> None:
        """Show a car's oil."""
        page, look = oil_page(view, units), self._look
        nothing = "The laboratory found nothing that moved." if page.trends else ""
        for words, text in (
            (self._title, page.title),
            (self._pour, page.pour),
            (self._found, _sentences([f.sentence for f in page.findings], nothing)),
        ):
            words.show_words(text)
        for label in self._fact_labels:
            label.hide()  # till it goes it would be drawn under the new one
            label.deleteLater()
        self._fact_labels = []
        for i, (name, value) in enumerate(page.facts):
            for column, text, kind, tone in ((0, name, Type.SMALL, "soft"), (1, value, Type.BODY, "ink")):
                label = Words(look, kind, tone)
                label.setWordWrap(False)
                label.setText(text)
                self._facts.addWidget(label, i % 4, column + 2 * (i // 4))
                self._fact_labels.append(label)
        self._facts.setColumnStretch(1, 1)
        self._facts.setColumnStretch(3, 1)
        self._entries = page.entries
        _fill(self.ledger, page.ledger, look)
        _menu_of(
            self.samples_button,
            [(f"{x.day[:10]}  {x.bottle}".rstrip(), x) for x in view.samples],
            self.record_wanted.emit,
        )
        days = sorted({day for t in page.trends for day, _, _ in t.points})
        headings = ["Measure", *(d[:10] for d in days), *(f"{d[:10]}, per hour" for d in days)]
        self.laboratory.setColumnCount(len(headings))
        self.laboratory.setHorizontalHeaderLabels(headings)
        rows = []
        for t in sorted(page.trends, key=lambda t: (t.measure in _MEASURES, t.measure)):
            by_day = {day: (value, rate) for day, value, rate in t.points}
            values = [f"{by_day[d][0]:g}" if d in by_day else "" for d in days]
            rates = [f"{r:.2f}" if d in by_day and (r := by_day[d][1]) is not None else "" for d in days]
            rows.append((_MEASURES.get(t.measure, f"{t.measure}, mg/kg"), *values, *rates))
        _fill(self.laboratory, rows, look)
        self.laboratory.setVisible(bool(rows))


_MEASURES = {
    "v40": "viscosity at 40 °C, mm²/s",
    "v100": "viscosity at 100 °C, mm²/s",
    "bn": "base number, mg KOH/g",
    "fuel": "fuel, %",
    "water": "water, %",
    "glycol": "glycol, %",
}


def _sentences(found: Sequence[str], nothing: str) -> str:
    return " ".join(found) or nothing


class LevelPanel(QWidget):
    """The level book: the fit, the marks, and what a reading means."""

    reading_wanted = Signal(str)
    record_wanted = Signal(object)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._units = DisplayUnits()
        self._view: CarHistory | None = None
        self._page: LevelPage | None = None
        self.series = QComboBox()
        self.series.setAccessibleName("Pan and stick")
        self.series.activated.connect(lambda _: self._show())
        self.asked = QLineEdit()
        self.asked.setAccessibleName("Reading on the stick")
        look.fit(self.asked, lambda w: w.setMaximumWidth(round(look.height() * 5)))
        self.asked.textChanged.connect(lambda _: self._answer())
        self._ask, self._answered = Words(look, Type.BODY, "soft"), Words(look, Type.STRONG)
        self._title, self._lines = Words(look, Type.STATION), Words(look)
        self._warning = Words(look, Type.STRONG, "below")
        for words in (self._ask, self._answered, self._title):
            words.setWordWrap(False)
        self.add_button = QPushButton("Add a reading…")
        self.add_button.setToolTip("Oil poured in so far, and what the stick then shows")
        self.add_button.clicked.connect(lambda: self.reading_wanted.emit(self.series.currentText()))
        self.readings_button = QPushButton("Correct a reading")
        self.readings_button.setToolTip("Choose a reading to correct or remove")
        self.plot = _LevelPlot(look)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 6, 0, 0)
        head = QHBoxLayout()
        head.addWidget(self._title)
        head.addWidget(self.series)
        head.addStretch(1)
        head.addWidget(self.add_button)
        head.addWidget(self.readings_button)
        layout.addLayout(head)
        for label in (self._lines, self._warning):
            layout.addWidget(label)
        ask = QHBoxLayout()
        for widget in (self._ask, self.asked, self._answered):
            ask.addWidget(widget)
        ask.addStretch(1)
        layout.addLayout(ask)
        layout.addWidget(self.plot, 1)

    def show_car(self, view: CarHistory, units: DisplayUnits) -> None:
        """Show a car's level book."""
        self._view, self._units = view, units
        names, now = series_of(view), self.series.currentText()
        self.series.clear()
        self.series.addItems(names)
        if now in names:
            self.series.setCurrentText(now)
        self.series.setVisible(len(names) > 0)
        self._show()

    def _show(self) -> None:
        if self._view is None:
            return
        page = self._page = level_page(self._view, self.series.currentText(), self._units)
        self._title.setText(page.title)
        self._lines.setText("\n".join(page.lines))
        self._warning.setText(page.warning)
        self._ask.setText(f"The stick reads, {self._units.length.symbol}")
        self._answered.setText("")
        self._warning.setVisible(bool(page.warning))
        for widget in (self._ask, self.asked, self._answered):
            widget.setVisible(page.fit is not None)
        own = [x for x in self._view.levels if x.series == page.series]
        named = [(f"{x.day[:10]}  {level_words(x, self._units)}", x) for x in own]
        _menu_of(self.readings_button, named, self.record_wanted.emit)
        self.plot.show_page(page, self._units)
        self._answer()

    def _answer(self) -> None:
        if self._page is None or not self.asked.text().strip():
            self._answered.setText("")
            return
        try:
            depth = read(Field("depth_mm", "The reading", "number", Quantity.LENGTH), self.asked.text(), self._units)
            self._answered.setText(reading_words(self._page, float(depth), self._units))
        except InputError as error:
            self._answered.setText(str(error))

    @property
    def answer(self) -> str:
        """What was answered to the reading asked about."""
        return self._answered.text()


class _LevelPlot(QWidget):
    """Litres over depth: readings, the fitted line with its 95 % band, the marks."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._page: LevelPage | None = None
        self._units = DisplayUnits()
        look.fit(self, lambda w: w.setMinimumHeight(round(look.height() * 10)))
        self.setAccessibleName("Litres in the pan over the stick's reading")

    def show_page(self, page: LevelPage, units: DisplayUnits) -> None:
        self._page, self._units = page, units
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        look, page = self._look, self._page
        painter.fillRect(self.rect(), look.color("paper"))
        if page is None or not page.points:
            return
        line = look.height(Type.SMALL)
        area = QRectF(line * 3.6, line * 1.6, self.width() - line * 8.0, self.height() - line * 4.2)
        length, volume = self._units.length, self._units.volume
        xs = [length.from_base(d) for d, _ in page.points]
        ys = [volume.from_base(v) for _, v in page.points]
        pad_x, pad_y = 0.06 * (max(xs) - min(xs) or 1.0), 0.10 * (max(ys) - min(ys) or 1.0)
        x0, x1, y0, y1 = min(xs) - pad_x, max(xs) + pad_x, min(ys) - pad_y, max(ys) + pad_y

        def at(depth_mm: float, litres: float) -> QPointF:
            x, y = length.from_base(depth_mm), volume.from_base(litres)
            return QPointF(
                area.left() + (x - x0) / (x1 - x0) * area.width(), area.bottom() - (y - y0) / (y1 - y0) * area.height()
            )

        small, soft = look.font(Type.SMALL), look.color("soft")
        for v in ticks(y0, y1, 6):
            y = area.bottom() - (v - y0) / (y1 - y0) * area.height()
            paint.rule(painter, area.left(), y, area.right(), y, look.color("grid"))
            paint.text(painter, area.left() - 8, y, f"{v:g}", small, soft, paint.RIGHT)
        for v in ticks(x0, x1, 7):
            x = area.left() + (v - x0) / (x1 - x0) * area.width()
            paint.text(painter, x, area.bottom() + line * 0.9, f"{v:g}", small, soft, paint.CENTRE)
        paint.label(painter, look, 0, line * 0.6, f"In the pan, {volume.symbol}", Type.SMALL_STRONG, "ink")
        paint.text(
            painter,
            area.right(),
            area.bottom() + line * 2.0,
            f"reading on the stick, {length.symbol}",
            small,
            soft,
            paint.RIGHT,
        )
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        if page.curve.size:
            depth, litres, half = page.curve
            band = [at(d, v + h) for d, v, h in zip(depth, litres, half, strict=True)]
            band += [at(d, v - h) for d, v, h in zip(depth[::-1], litres[::-1], half[::-1], strict=True)]
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(look.color("oil_wash"))
            painter.drawPolygon(QPolygonF(band))
            painter.setPen(look.pen("oil", 2.0))
            painter.drawPolyline(QPolygonF([at(d, v) for d, v in zip(depth, litres, strict=True)]))
        for mark, depth_mm, marked in page.marks:
            spot = at(depth_mm, marked)
            painter.setPen(look.pen("ink", 1.0, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(spot.x(), area.bottom()), spot)
            painter.drawLine(spot, QPointF(area.right(), spot.y()))
            words = f"{mark}: {self._units.text(marked, Quantity.VOLUME)}"
            paint.label(painter, look, area.right() + 6, spot.y(), words, Type.SMALL_STRONG, "ink")
        painter.setBrush(look.color("paper"))
        painter.setPen(look.pen("ink", 1.5))
        for d, v in page.points:
            painter.drawEllipse(at(d, v), 4.0, 4.0)


def _menu_of(button: QPushButton, named: Sequence[tuple[str, Record]], chosen: Callable[[Record], object]) -> None:
    """A menu of records on a button; without any the button is away."""
    menu = QMenu(button)
    for words, record in named:
        menu.addAction(words).triggered.connect(lambda _=False, x=record: chosen(x))
    replace_menu(button, menu)
    button.setVisible(bool(named))


def _table(headings: Sequence[str]) -> QTableWidget:
    table = QTableWidget(0, len(headings))
    table.setTabKeyNavigation(False)
    table.setHorizontalHeaderLabels(list(headings))
    table.setShowGrid(False)
    table.verticalHeader().hide()
    table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
    header = table.horizontalHeader()
    header.setHighlightSections(False)
    header.setStyleSheet("QHeaderView::section { padding: 2px 4px; }")
    header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
    header.setStretchLastSection(True)
    return table


def _fill(table: QTableWidget, rows: Sequence[Sequence[str]], look: Look) -> None:
    table.setRowCount(len(rows))
    look.fit(table, lambda t: t.verticalHeader().setDefaultSectionSize(round(look.height() * 1.35)))
    for i, row in enumerate(rows):
        for j, text in enumerate(row):
            item = QTableWidgetItem(text)
            if text[:1].isdigit() and "-" not in text[:5]:  # numbers align at the right, days do not
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            table.setItem(i, j, item)
    table.resizeColumnsToContents()
    table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
