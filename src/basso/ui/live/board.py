"""Draws a drive as it runs, to be read from three metres: pressure, state, scale, laps, tide."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QFont, QFontMetricsF, QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from basso.alarm.lap_lows import LapLows
from basso.alarm.live import LiveReading
from basso.track.corners import Place
from basso.ui.live.picture import GrowingTide, headline, others_low, pressure_text, scale_end, shown_places, signal_rows
from basso.ui.plots import paint
from basso.ui.plots.ticks import clock, ticks
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits, Quantity

_MOST_PLACES = 5
_LEAST_SCALE_KPA = 500.0


class LiveBoard(QWidget):
    """Told readings as they come; keeps what it draws of the drive so far."""

    def __init__(self, look: Look, places: Sequence[Place]) -> None:
        super().__init__()
        self._look, self._units = look, DisplayUnits()
        self._places = tuple(places)
        self.lows, self.tide = LapLows(places), GrowingTide()
        self.reading: LiveReading | None = None
        self._scale_kpa = _LEAST_SCALE_KPA
        self._dips_before_lap, self._lap = 0, -1
        self.kept = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(640, 420)
        self.setAccessibleName("The drive as it runs")
        look.changed.connect(self.update)

    def show_units(self, units: DisplayUnits) -> None:
        """Read it in other units."""
        self._units = units
        self.update()

    def hear(self, readings: Sequence[LiveReading]) -> None:
        """What came since the last time, in order."""
        for r in readings:
            self.lows.hear(r)
            self.tide.hear(r)
            self._scale_kpa = scale_end(r, self._scale_kpa)
            if r.lap is not None and r.lap != self._lap:
                self._lap, self._dips_before_lap = r.lap, r.dips
            self.reading = r
        if self.reading is not None:
            h = headline(self.reading, self._units, self.lows.now)
            words = f"{pressure_text(self.reading, self._units)} {self._units.pressure.symbol}"
            self.setAccessibleDescription("; ".join(x for x in (words, h.state, h.margin, h.share, h.where) if x))
        self.update()

    # Painting

    def _font(self, pixels: float, weight: QFont.Weight = QFont.Weight.DemiBold) -> QFont:
        font = QFont(self._look.font(Type.TITLE))
        font.setPixelSize(max(round(pixels), 13))
        font.setWeight(weight)
        return font

    def _write(
        self,
        painter: QPainter,
        x: float,
        y: float,
        words: str,
        pixels: float,
        tone: str = "ink",
        weight: QFont.Weight = QFont.Weight.Normal,
        align: Qt.AlignmentFlag = paint.LEFT,
    ) -> float:
        """Write a line with its vertical middle at ``y``; how wide it is."""
        font = self._font(pixels, weight)
        wide = QFontMetricsF(font).horizontalAdvance(words)
        left = x - (wide if align == paint.RIGHT else wide / 2 if align == paint.CENTRE else 0.0)
        painter.setFont(font)
        painter.setPen(self._look.color(tone))
        painter.drawText(QRectF(left, y - pixels, wide + 4, 2 * pixels), int(Qt.AlignmentFlag.AlignVCenter), words)
        return wide

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        painter.fillRect(self.rect(), self._look.color("paper"))
        r, width, height = self.reading, float(self.width()), float(self.height())
        if r is None:
            self._write(painter, 24, height * 0.2, "Waiting for the bus …", height * 0.06)
            return
        u = height / 100.0
        left, right = 24.0, width - 16.0
        self._paint_pressure(painter, r, left, u, width)
        self._paint_scale(painter, r, QRectF(left, 45.0 * u, right - left, 5.6 * u), u)
        self._paint_laps(painter, QRectF(left, 56.0 * u, (right - left) * 0.62, 28.0 * u), u)
        self._paint_counts(painter, r, left + (right - left) * 0.66, right, 56.0 * u, u)
        self._paint_tide(painter, QRectF(0, 86.0 * u, width, 14.0 * u), u)

    def _paint_pressure(self, painter: QPainter, r: LiveReading, left: float, u: float, width: float) -> None:
        name = self._write(painter, left, 2.6 * u, "Gallery pressure", 3.2 * u, "soft", QFont.Weight.Medium)
        self._write(painter, left + name + 1.6 * u, 2.6 * u, self._units.pressure.symbol, 3.2 * u, "soft")
        big = pressure_text(r, self._units)
        tone = "below" if r.state == "no signal" else "ink"
        wide = self._write(painter, left, 21.5 * u, big, 36.0 * u, tone, QFont.Weight.DemiBold)
        x = left + max(wide, 52.0 * u) + 4.0 * u
        h = headline(r, self._units, self.lows.now)
        state = self._write(painter, x, 9.0 * u, h.state, 12.0 * u, h.tone, QFont.Weight.DemiBold)
        if h.tone == "below":  # told by shape as well as by colour
            painter.save()
            painter.translate(x + state + 6.0 * u, 9.8 * u)
            painter.rotate(45)
            painter.fillRect(QRectF(-2.8 * u, -2.8 * u, 5.6 * u, 5.6 * u), self._look.color("below"))
            painter.restore()
        self._write(painter, x, 20.5 * u, h.margin, 4.8 * u, "ink", QFont.Weight.DemiBold)
        self._write(painter, x, 27.0 * u, h.share, 4.2 * u)
        self._write(painter, x, 33.0 * u, h.where, 4.2 * u)

    def _paint_scale(self, painter: QPainter, r: LiveReading, box: QRectF, u: float) -> None:
        look, units = self._look, self._units

        def x(kpa: float) -> float:
            return box.left() + min(max(kpa, 0.0), self._scale_kpa) / self._scale_kpa * box.width()

        painter.setPen(look.pen("rule", 1.2))
        painter.setBrush(look.color("panel"))
        painter.drawRect(box)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        bar = box.adjusted(0, 0.9 * u, 0, -0.9 * u)
        if r.expected_kpa is not None:
            at = x(r.expected_kpa)
            painter.fillRect(
                QRectF(at - 1.6 * u, box.top() - 0.8 * u, 3.2 * u, box.height() + 1.6 * u), look.color("fair")
            )
            words = f"normal {units.number(r.expected_kpa, Quantity.PRESSURE)}"
            self._write(painter, at, box.top() - 3.2 * u, words, 3.4 * u, "ample", QFont.Weight.DemiBold)
        if r.pressure_kpa is not None:
            end = x(r.pressure_kpa)
            painter.fillRect(QRectF(box.left(), bar.top(), end - box.left(), bar.height()), look.color("ink"))
            if r.floor_kpa is not None and r.pressure_kpa < r.floor_kpa:
                short = QRectF(end, bar.top(), x(r.floor_kpa) - end, bar.height())
                painter.fillRect(short, QBrush(look.color("below"), Qt.BrushStyle.BDiagPattern))
        if r.floor_kpa is not None:
            at = x(r.floor_kpa)
            painter.fillRect(
                QRectF(at - 0.35 * u, box.top() - 1.2 * u, 0.7 * u, box.height() + 2.4 * u), look.color("below")
            )
            words = f"floor {units.number(r.floor_kpa, Quantity.PRESSURE)}"
            self._write(painter, at, box.top() - 3.2 * u, words, 3.4 * u, "below", QFont.Weight.DemiBold, paint.RIGHT)
        for value in ticks(0.0, float(units.pressure.from_base(self._scale_kpa)), 6):
            at = x(float(units.pressure.to_base(value)))
            paint.rule(painter, at, box.bottom(), at, box.bottom() + 0.8 * u, look.color("ink"))
            align = paint.LEFT if value == 0.0 else paint.RIGHT if at > box.right() - 4 * u else paint.CENTRE
            self._write(painter, at, box.bottom() + 2.8 * u, f"{value:g}", 2.8 * u, "soft", align=align)

    def _paint_laps(self, painter: QPainter, box: QRectF, u: float) -> None:
        rows, units = self.lows.rows, self._units
        symbol = units.pressure.symbol
        name = self._write(
            painter, box.left(), box.top() + 1.6 * u, "Lowest margin", 3.0 * u, "soft", QFont.Weight.Medium
        )
        columns = shown_places(rows, self._places, _MOST_PLACES)
        said = f"{symbol}, by place" if columns else f"{symbol}, whole lap"
        self._write(painter, box.left() + name + 1.4 * u, box.top() + 1.6 * u, said, 3.0 * u, "soft")
        if not rows:
            self._write(painter, box.left(), box.top() + 8 * u, "No lap number on the bus yet.", 3.2 * u, "soft")
            return
        names = [p.id for p in columns] + ["others" if columns else "lap"]
        first = box.left() + 13.0 * u
        step = (box.right() - first) / max(len(names), 3)
        for n, words in enumerate(names):
            weight = QFont.Weight.Normal if words in ("others", "lap") else QFont.Weight.DemiBold
            x = first + (n + 0.9) * step
            self._write(painter, x, box.top() + 6.4 * u, words, 3.4 * u, "ink", weight, paint.RIGHT)
        y = box.top() + 9.2 * u
        for row in rows:
            paint.rule(painter, box.left(), y, box.right(), y, self._look.color("rule"))
            newest = row is rows[-1]
            self._write(painter, box.left(), y + 3.2 * u, f"lap {row.lap}", 3.2 * u, "ink" if newest else "soft")
            lows = [row.lows.get(p.id) for p in columns] + [others_low(row, columns)]
            for n, low in enumerate(lows):
                x = first + (n + 0.9) * step
                if low is None:
                    self._write(painter, x, y + 3.2 * u, "–", 4.2 * u, "soft", align=paint.RIGHT)
                    continue
                below = low < 0.0
                if below:
                    cell = QRectF(first + (n + 0.1) * step, y + 0.4 * u, 0.85 * step, 5.6 * u)
                    painter.fillRect(cell, self._look.color("wash"))
                    painter.fillRect(cell, QBrush(self._look.color("wash"), Qt.BrushStyle.BDiagPattern))
                words = units.number(low, Quantity.PRESSURE, difference=True, signed=True)
                tone = "below" if below else "ample"
                self._write(painter, x, y + 3.2 * u, words, 4.2 * u, tone, QFont.Weight.DemiBold, paint.RIGHT)
            y += 6.4 * u

    def _paint_counts(self, painter: QPainter, r: LiveReading, left: float, right: float, top: float, u: float) -> None:
        middle = left + (right - left) * 0.30
        lap = f"{r.lap}" if r.lap is not None else "–"
        this_lap = r.dips - self._dips_before_lap
        self._write(painter, left, top + 1.6 * u, "Lap", 3.0 * u, "soft", QFont.Weight.Medium)
        self._write(painter, left, top + 8.0 * u, lap, 9.0 * u, "ink", QFont.Weight.DemiBold)
        self._write(painter, left, top + 17.0 * u, "Dips", 3.0 * u, "soft", QFont.Weight.Medium)
        self._write(painter, left, top + 22.6 * u, f"{r.dips}", 7.0 * u, "ink", QFont.Weight.DemiBold)
        self._write(painter, left, top + 27.4 * u, f"{this_lap} this lap", 2.6 * u, "soft")
        self._write(painter, middle, top + 1.6 * u, "Signals", 3.0 * u, "soft", QFont.Weight.Medium)
        y = top + 5.2 * u
        for row in signal_rows(r):
            if row.is_late:
                painter.fillRect(
                    QRectF(middle - 1.0 * u, y - 1.8 * u, right - middle + 1.0 * u, 3.6 * u), self._look.color("ink")
                )
            tone = "paper" if row.is_late else "ink"
            weight = QFont.Weight.DemiBold if row.is_late else QFont.Weight.Normal
            self._write(painter, middle, y, row.name, 2.6 * u, tone, weight)
            self._write(painter, right - 1.0 * u, y, row.age, 2.6 * u, tone, weight, paint.RIGHT)
            y += 3.3 * u

    def _paint_tide(self, painter: QPainter, box: QRectF, u: float) -> None:
        look = self._look
        painter.fillRect(box, look.color("band"))
        end_s = self.tide.end_s
        room = box.adjusted(24, 1.2 * u, -24.0 - 22.0 * u, -3.4 * u)
        # The drive so far takes its share of the room it will have: the strip grows towards the right, ten minutes at a
        # time.
        whole_s = max(600.0, np.ceil(end_s / 600.0) * 600.0)
        wide = room.width() * end_s / whole_s
        count = max(int(wide / 2.0), 1)
        lows = self.tide.columns(count)
        known = lows[np.isfinite(lows)]
        up, down = max(float(np.max(known, initial=0.0)), 20.0), max(float(-np.min(known, initial=0.0)), 40.0)
        water = room.top() + room.height() * 0.58
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        for i in np.flatnonzero(np.isfinite(lows)).tolist():
            low, x = float(lows[i]), room.left() + i * wide / count
            if low >= 0.0:
                tall = min(low / up, 1.0) * (water - room.top())
                painter.fillRect(QRectF(x, water - tall, 2.0, tall), look.color("fair"))
            else:
                tall = min(-low / down, 1.0) * (room.bottom() - water)
                painter.fillRect(QRectF(x, water, 2.0, max(tall, 2.0)), look.color("below"))
        paint.rule(painter, room.left(), water, room.left() + wide, water, look.color("ink"))
        free = room.left()
        for start_s, number in self.tide.laps:
            x = room.left() + start_s / whole_s * room.width()
            paint.rule(painter, x, room.top(), x, box.bottom() - 1.0 * u, look.color("paper"))
            if x >= free:
                free = x + 8 + self._write(painter, x + 4, box.bottom() - 2.0 * u, f"{number}", 2.4 * u, "soft")
        now = room.left() + wide
        painter.fillRect(QRectF(now, room.top(), 3.0, room.height()), look.color("ink"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        x = box.right() - 22.0 * u
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(look.color("ink"))
        painter.drawEllipse(QPointF(x, box.top() + 4.0 * u), 1.2 * u, 1.2 * u)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        self._write(painter, x + 2.6 * u, box.top() + 4.0 * u, "Recording", 3.0 * u, "ink", QFont.Weight.DemiBold)
        self._write(painter, x + 2.6 * u, box.top() + 8.0 * u, f"{clock(end_s)} kept", 2.6 * u, "soft")
        self._write(painter, x - 2.0 * u, box.bottom() - 2.0 * u, "margin to the floor", 2.2 * u, "soft")
