"""A car's season: margin at one engine speed and oil temperature, dips a lap, zero and hot idle, session by session."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPaintEvent
from PySide6.QtWidgets import QDialog, QDoubleSpinBox, QScrollArea, QSizePolicy, QWidget

from basso.car.season import WAYS
from basso.plain_text import separated
from basso.report.season_document import season_rows
from basso.sentence import read_in
from basso.ui import layouts
from basso.ui.dialogs import copying, label
from basso.ui.plots import paint
from basso.ui.plots.ticks import ticks
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits, Quantity
from basso.words.season import season_words

if TYPE_CHECKING:
    from basso.car.season import Season, SeasonPoint

_WAY_TONES = {
    "left turns": "side_b",
    "right turns": "side_a",
    "turns": "side_b",
    "braking": "attention",
    "acceleration": "ample",
    "other": "edge",
}


class SeasonDialog(QDialog):
    """Drawn, said, and to be copied; the engine speed and oil temperature of the margin can be moved."""

    def __init__(self, parent: QWidget, look: Look, units: DisplayUnits, car: str, season: Season) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Season of {car}")
        self.resize(round(look.height() * 52), round(look.height() * 40))
        self._units, self._season = units, season
        self.first, self.said = label(look, "", Type.STATION), label(look, "")
        self.picture = SeasonPicture(look, units, season)
        self.rpm, self.heat = QDoubleSpinBox(), QDoubleSpinBox()
        self.rpm.setDecimals(0)
        self.rpm.setRange(500.0, 25000.0)
        self.rpm.setSingleStep(250.0)
        self.rpm.setSuffix(" rpm")
        self.rpm.setAccessibleName("Engine speed of the margin")
        unit = units.unit(Quantity.TEMPERATURE)
        self.heat.setDecimals(0)
        self.heat.setRange(float(unit.from_base(0.0)), float(unit.from_base(200.0)))
        self.heat.setSuffix(f" {unit.symbol}")
        self.heat.setAccessibleName("Oil temperature of the margin")
        known = season.rpm is not None and season.temperature_c is not None
        if season.rpm is not None and season.temperature_c is not None:
            self.rpm.setValue(season.rpm)
            self.heat.setValue(float(unit.from_base(season.temperature_c)))
        for box in (self.rpm, self.heat):
            box.setEnabled(known)
            box.valueChanged.connect(self._show)
        at = layouts.row(None, (0, 0, 0, 0), 8)
        at.addWidget(label(look, "Margin at", Type.BODY))
        at.addWidget(self.rpm)
        at.addWidget(self.heat)
        at.addStretch(1)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(self.picture)
        whole = layouts.column(self, (16, 12, 16, 12), 8)
        whole.addWidget(self.first)
        whole.addWidget(self.said)
        whole.addLayout(at)
        whole.addWidget(area, 1)
        if season.left_out:
            out = "; ".join(f"{title}: {why}" for title, why in season.left_out)
            whole.addWidget(label(look, f"Left out: {out}.", Type.SMALL, soft=True))
        whole.addLayout(copying(self, "Copy table", lambda: self.table))
        self._show()

    @property
    def at(self) -> tuple[float, float] | None:
        """Engine speed and oil temperature (°C) that margins are told at."""
        if not self.rpm.isEnabled():
            return None
        return self.rpm.value(), float(self._units.unit(Quantity.TEMPERATURE).to_base(self.heat.value()))

    @property
    def table(self) -> str:
        """A row for each session, tab-separated, in the units shown."""
        return separated(season_rows(self._season, self.at, self._units), "\t")

    def _show(self) -> None:
        rpm, heat = self.at or (None, None)
        first, *rest = (read_in(w, self._units) for w in season_words(self._season, rpm, heat))
        self.first.setText(first)
        self.said.setText(" ".join(rest))
        self.picture.show_at(self.at)


_Range = tuple[float, float, float]
_DIPS = "Dips a lap"


@dataclass(frozen=True, slots=True)
class _Strip:
    """One quantity over the sessions: what is written beside it, and of each session low, middle and high."""

    name: str
    values: tuple[_Range | None, ...]
    from_nothing: bool = False


class SeasonPicture(QWidget):
    """Strips under each other, one column for each session, builds told apart along the foot."""

    def __init__(self, look: Look, units: DisplayUnits, season: Season) -> None:
        super().__init__()
        self._look, self._units, self._season = look, units, season
        self._at: tuple[float, float] | None = None
        self.setMinimumHeight(round(look.height() * 24))
        self.setMinimumWidth(round(look.height() * (9 + 2.4 * len(season.points))))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Season")

    def show_at(self, at: tuple[float, float] | None) -> None:
        """Margins at this engine speed and oil temperature (°C)."""
        self._at = at
        names = [f"{p.session.began[:10]} {p.session.title}" for p in self._season.points]
        self.setAccessibleDescription("; ".join(names))
        self.update()

    def strips(self) -> list[_Strip]:
        """What is drawn, in the units shown; a quantity that no session shows is left out."""
        points, at = self._season.points, self._at

        def only(kpa: float | None) -> _Range | None:
            return None if kpa is None else (kpa, kpa, kpa)

        def idle(p: SeasonPoint) -> _Range | None:
            off = p.idle_scatter_kpa or 0.0
            return None if p.idle_kpa is None else (p.idle_kpa - off, p.idle_kpa, p.idle_kpa + off)

        made = [self._pressures("Margin", [p.margin_at(*at) for p in points])] if at is not None else []
        if any(p.laps for p in points):
            made.append(_Strip(_DIPS, tuple(_dips(p) for p in points), True))
        made.append(self._pressures("Zero read", [only(p.zero_kpa) for p in points]))
        made.append(self._pressures("Hot idle", [idle(p) for p in points], from_nothing=False))
        for part in dict.fromkeys(part for p in points for part in p.drops_kpa):
            made.append(self._pressures(f"Drop, {part}", [only(p.drops_kpa.get(part)) for p in points]))
        return [s for s in made if any(v is not None for v in s.values)]

    def _pressures(self, name: str, found: Sequence[_Range | None], from_nothing: bool = True) -> _Strip:
        unit = self._units.pressure

        def shown(x: _Range) -> _Range:
            low, middle, high = (unit.difference_from_base(v) for v in x)
            return low, middle, high

        return _Strip(f"{name}, {unit.symbol}", tuple(shown(x) if x is not None else None for x in found), from_nothing)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, look, line, points = QPainter(self), self._look, self._look.height(), self._season.points
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        painter.fillRect(self.rect(), look.color("panel"))
        strips = self.strips()
        if not points or not strips:
            return
        left, right = line * 7.0, self.width() - line * 1.0
        foot = line * 3.4
        column = (right - left) / len(points)
        self._paint_builds(painter, left, column, self.height() - foot)
        each = (self.height() - foot - line * 0.6) / len(strips)
        for n, strip in enumerate(strips):
            box = QRectF(left, line * 0.6 + n * each, right - left, each - line * 0.8)
            self._paint_strip(painter, strip, box, column)

    def _paint_builds(self, painter: QPainter, left: float, column: float, bottom: float) -> None:
        look, line, points = self._look, self._look.height(), self._season.points
        start = 0
        for i in range(1, len(points) + 1):
            if i < len(points) and points[i].build == points[start].build:
                continue
            x0, x1 = left + start * column, left + i * column
            if start:
                painter.setPen(look.pen("rule"))
                painter.drawLine(QPointF(x0, line * 0.4), QPointF(x0, self.height() - line * 0.2))
            name = _cut(points[start].build or "no build", look, x1 - x0 - 8)
            paint.label(painter, look, x0 + 4, bottom + line * 2.5, name, Type.SMALL_STRONG, "ink")
            start = i
        for i, p in enumerate(points):
            x = left + (i + 0.5) * column
            day = p.session.began[5:10] if column < line * 4.0 else p.session.began[:10]
            paint.label(painter, look, x, bottom + line * 0.5, day, align=paint.CENTRE)
            title = _cut(p.session.title, look, column - 6)
            paint.label(painter, look, x, bottom + line * 1.4, title, align=paint.CENTRE)

    def _paint_strip(self, painter: QPainter, strip: _Strip, box: QRectF, column: float) -> None:
        look, line = self._look, self._look.height()
        known = [v for x in strip.values if x is not None for v in x]
        low, high = min(known), max(known)
        if strip.from_nothing:
            low, high = min(low, 0.0), max(high, 0.0)
        room = 0.08 * (high - low) or 1.0
        low, high = (low - room if low < 0 or not strip.from_nothing else low), high + room

        def y(v: float) -> float:
            return box.bottom() - (v - low) / (high - low) * box.height()

        paint.label(painter, look, 4, box.top() + line * 0.3, strip.name, Type.SMALL_STRONG, "ink")
        for v in ticks(low, high, 4):
            paint.rule(painter, box.left(), y(v), box.right(), y(v), look.color("rule"))
            paint.label(painter, look, box.left() - 6, y(v), f"{v:g}".replace("-", "−"), align=paint.RIGHT)
        if strip.name == _DIPS:
            self._paint_key(painter, box.top() + line * 1.4)
        for i, told in enumerate(strip.values):
            if told is None:
                continue
            x, p = box.left() + (i + 0.5) * column, self._season.points[i]
            if strip.name == _DIPS:
                self._paint_dips(painter, p, x, y, min(column * 0.5, line * 1.6))
                continue
            tone = "soft" if p.masked else "ink"
            painter.setPen(look.pen(tone, 1.5))
            painter.drawLine(QPointF(x, y(told[0])), QPointF(x, y(told[2])))
            painter.setBrush(look.color("panel" if p.masked else tone))
            painter.drawEllipse(QPointF(x, y(told[1])), 4.0, 4.0)

    def _paint_key(self, painter: QPainter, top: float) -> None:
        look, step = self._look, self._look.height(Type.SMALL)
        for n, way in enumerate(w for w in WAYS if any(p.dips_per_lap.get(w) for p in self._season.points)):
            y = top + n * step
            painter.setPen(look.pen("ink", 0.8))
            painter.setBrush(look.color(_WAY_TONES[way]))
            painter.drawRect(QRectF(4, y - 4, 8, 8))
            paint.label(painter, look, 17, y, way)

    def _paint_dips(
        self, painter: QPainter, p: SeasonPoint, x: float, y: Callable[[float], float], width: float
    ) -> None:
        look, total = self._look, 0.0
        for way in WAYS:
            part = p.dips_per_lap.get(way, 0.0)
            if part:
                box = QRectF(x - width / 2, y(total + part), width, y(total) - y(total + part))
                painter.setPen(look.pen("ink", 0.8))
                painter.setBrush(look.color("panel" if p.masked else _WAY_TONES[way]))
                painter.drawRect(box)
                total += part
        painter.setPen(look.pen("ink", 2.0))
        painter.drawLine(QPointF(x - width / 2, y(0.0)), QPointF(x + width / 2, y(0.0)))


def _dips(p: SeasonPoint) -> _Range | None:
    most = sum(p.dips_per_lap.values())
    return (0.0, most, most) if p.laps else None


def _cut(words: str, look: Look, width: float) -> str:
    metrics = QFontMetricsF(look.font(Type.SMALL))
    return metrics.elidedText(words, Qt.TextElideMode.ElideRight, max(width, 0.0))
