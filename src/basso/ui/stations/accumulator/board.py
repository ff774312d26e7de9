"""Draws the lap with and without the accumulator, its oil, the bottle at the cursor, the map of sizes, the ladder."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QImage, QMouseEvent, QPainter, QPaintEvent, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from basso.accumulator.fitted import Fitted
from basso.sentence import read_in
from basso.ui.models.cursor import Cursor
from basso.ui.plots import paint, strokes
from basso.ui.plots.ticks import clock, ticks, time_ticks
from basso.ui.stations.accumulator.picture import (
    Stretch,
    axis_span,
    gas_now,
    ladder_marks,
    large_figures,
    map_classes,
    stretch_of,
)
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits, FloatArray, Quantity, Unit
from basso.words.accumulator import VESSEL, WILL_NOT_FIX, how_sure, ladder_words, masked_words, pan_words, window_words

if TYPE_CHECKING:
    from basso.findings.accumulator.findings import AccumulatorFindings, LapTrace

_WRAPPED = int(Qt.TextFlag.TextWordWrap | Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
_KINDS = ("ample", "fair", "below", "below")
_STRENGTH = (90, 70, 60, 120)


class AccumulatorBoard(QWidget):
    """Told what was found, the accumulator that is looked at and its lap; follows the cursor."""

    def __init__(self, look: Look, cursor: Cursor) -> None:
        super().__init__()
        self._look, self._units, self._cursor = look, DisplayUnits(), cursor
        self._found: AccumulatorFindings | None = None
        self._fitted: Fitted | None = None
        self._trace: LapTrace | None = None
        self._stretch: Stretch | None = None
        self._words: list[tuple[str, bool]] = []
        self._map: QImage | None = None
        self._map_extent = (0.0, 1.0, 0.0, 1.0)
        self._lanes: list[tuple[QRectF, float, float]] = []
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.MinimumExpanding)
        self.setAccessibleName("The accumulator on the lap that dips longest")
        look.changed.connect(self.update)
        look.changed.connect(self._forget_map)
        cursor.moved.connect(lambda _: self.update())

    def show_found(
        self, found: AccumulatorFindings | None, fitted: Fitted | None, trace: LapTrace | None, units: DisplayUnits
    ) -> None:
        """Show another drive, or another accumulator on it."""
        if found is not self._found:
            self._map = None
        self._found, self._fitted, self._trace, self._units = found, fitted, trace, units
        self._stretch = stretch_of(found, trace) if found is not None and trace is not None else None
        self._words = []
        if found is not None:
            faults = [r.is_fault for r in found.ladder.rungs]
            self._words = [
                (str(read_in(w, units)), bad) for w, bad in zip(ladder_words(found.ladder), faults, strict=True)
            ]
            more = [*masked_words(found), *window_words(found), *pan_words(found)]
            told = [(str(read_in(w, units)), bad) for w, bad in more]
            # Faults first, then what could hurt somebody, then the rest.
            told = sorted([*told, *self._words], key=lambda w: not w[1])
            bad_ones = sum(bad for _, bad in told)
            sure = (str(read_in(how_sure(), units)), False)
            self._words = [*told[:bad_ones], (VESSEL, False), (WILL_NOT_FIX, False), *told[bad_ones:], sure]
        self._take_room()
        self.setAccessibleDescription("; ".join(w for w, _ in self._words))
        self.update()

    def _take_room(self) -> None:
        lines = 34.5 + 1.5 * max(0, len(self._words) - 8)
        self.setMinimumHeight(round(self._look.height() * lines) if self._found is not None else 0)

    def _forget_map(self) -> None:
        self._map = None
        self._take_room()

    @property
    def trace(self) -> LapTrace | None:
        """The lap that is drawn."""
        return self._trace

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """A click in a trace moves the cursor there."""
        for box, start, end in self._lanes:
            if box.contains(event.position()):
                share = (event.position().x() - box.left()) / box.width()
                self._cursor.move_to(start + share * (end - start))
                return

    # Painting

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self._look.color("paper"))
        found, fitted = self._found, self._fitted
        if found is None or fitted is None:
            return
        line, width, height = self._look.height(), float(self.width()) - 8, float(self.height())
        self._paint_figures(painter, width)
        top, self._lanes = line * 3.4, []
        middle = top + (height - top) * 0.54
        bottle = QRectF(width * 0.76, top, width * 0.24, middle - top)
        if self._trace is not None:
            self._paint_lap(painter, QRectF(0, top, width * 0.74, middle - top), self._trace)
            self._paint_bottle(painter, bottle, fitted, self._trace)
        paint.rule(painter, 0, middle + line * 0.3, width, middle + line * 0.3, self._look.color("soft"))
        below = middle + line * 1.0
        self._paint_map(painter, QRectF(0, below, width * 0.38, height - below), fitted)
        self._paint_ladder(painter, QRectF(width * 0.42, below, width * 0.58, height - below), found, fitted)

    def _paint_figures(self, painter: QPainter, width: float) -> None:
        look, line = self._look, self._look.height()
        assert self._found is not None and self._fitted is not None
        x = 0.0
        for f in large_figures(self._found, self._fitted, self._trace, self._units):
            big = QFontMetricsF(look.font(Type.TITLE)).horizontalAdvance(f.value)
            unit = QFontMetricsF(look.font(Type.SMALL)).horizontalAdvance(f.unit)
            words = max(QFontMetricsF(look.font(Type.SMALL)).horizontalAdvance(w) for w in (f.name, f.note))
            tone = "below" if f.is_off else "ink"
            paint.label(painter, look, x, line * 1.0, f.value, Type.TITLE, tone)
            paint.label(painter, look, x + big + 4, line * 1.15, f.unit)
            left = x + big + unit + line * 0.8
            paint.label(painter, look, left, line * 0.6, f.name, Type.SMALL_STRONG, "ink")
            paint.label(painter, look, left, line * 1.5, f.note)
            x = left + words + line * 1.6
            if x > width:
                return

    def _paint_lap(self, painter: QPainter, box: QRectF, trace: LapTrace) -> None:
        look, line = self._look, self._look.height(Type.SMALL)
        lap = f"lap {trace.lap}" if trace.lap is not None else "part of the drive"
        unit = self._units.pressure.symbol
        paint.label(painter, look, box.left(), box.top(), "Gallery pressure", Type.SMALL_STRONG, "ink")
        paint.label(painter, look, box.left() + line * 6.4, box.top(), f"{unit}, {lap}, the longest under the floor")
        whole = Stretch(float(trace.time_s[0]), float(trace.time_s[-1]), ())
        parts = [(whole, 0.0, 0.56)]
        if self._stretch is not None:
            parts.append((self._stretch, 0.60, 1.0))
        left, top = box.left() + line * 2.6, box.top() + line * 2.0
        width, height = box.right() - left, box.bottom() - line * 1.4 - top
        for n, (stretch, a, b) in enumerate(parts):
            upper = QRectF(left + width * a, top, width * (b - a), height * 0.60)
            lower = QRectF(left + width * a, top + height * 0.70, width * (b - a), height * 0.30)
            self._lanes.append((QRectF(upper.left(), top, upper.width(), height), stretch.start_s, stretch.end_s))
            self._paint_pressure(painter, upper, stretch, trace, with_axis=n == 0)
            self._paint_oil(painter, lower, stretch, trace, with_axis=n == 0)
        paint.label(painter, look, box.left(), top + height * 0.66, "Oil in the bottle", Type.SMALL_STRONG, "ink")
        paint.label(painter, look, box.left() + line * 6.4, top + height * 0.66, self._units.volume.symbol)

    def _paint_pressure(
        self, painter: QPainter, box: QRectF, stretch: Stretch, trace: LapTrace, with_axis: bool
    ) -> None:
        look, line = self._look, self._look.height(Type.SMALL)
        low, high = axis_span((trace.alone_kpa, trace.with_kpa, trace.floor_kpa))
        at = _scaler(box, stretch, low, high)
        for value in ticks(_in(self._units.pressure, low), _in(self._units.pressure, high), 4):
            y = at(0.0, float(self._units.pressure.to_base(value))).y()
            paint.rule(painter, box.left(), y, box.right(), y, look.color("grid"))
            if with_axis:
                paint.label(painter, look, box.left() - 6, y, f"{value:g}", align=paint.RIGHT)
        shown = (trace.time_s >= stretch.start_s) & (trace.time_s <= stretch.end_s)
        time = trace.time_s[shown]
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        if stretch.passes:
            for start, end, name in stretch.passes:
                x0, x1 = at(start, 0.0).x(), at(min(end, stretch.end_s), 0.0).x()
                painter.fillRect(QRectF(x0, box.top(), max(x1 - x0, 2.0), box.height()), look.color("band"))
                paint.label(
                    painter, look, (x0 + x1) / 2, box.top() - line * 0.7, name, Type.SMALL_STRONG, "ink", paint.CENTRE
                )
        # Smooth lines are slow lines: only where there is room for them to show.
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, not with_axis)
        span = (low, high)
        x, floor = _pixels(time, trace.floor_kpa[shown], box, stretch, span)
        lines = {"side_a": trace.alone_kpa[shown], "ink": trace.with_kpa[shown]}
        drawn = {tone: _pixels(time, values, box, stretch, span)[1] for tone, values in lines.items()}
        short = QColor(look.color("below"))
        short.setAlpha(70)
        # What is still under the floor with the bottle: down the screen is less.
        strokes.band(painter, x, np.where(drawn["ink"] > floor, floor, np.nan), drawn["ink"], short)
        strokes.curve(painter, x, floor, look.pen("below", 1.2, Qt.PenStyle.DashLine))
        strokes.curve(painter, x, drawn["side_a"], look.pen("side_a", 1.3, Qt.PenStyle.DashLine))
        strokes.curve(painter, x, drawn["ink"], look.pen("ink", 1.8))
        if not with_axis:
            for i, (words, tone) in enumerate((("with", "ink"), ("without", "side_a"), ("floor", "below"))):
                paint.label(
                    painter,
                    look,
                    box.right() - line * 0.3,
                    box.bottom() - line * (2.5 - 0.95 * i),
                    words,
                    Type.SMALL_STRONG,
                    tone,
                    paint.RIGHT,
                )
        self._paint_times(painter, box, stretch, trace, at, words=False)

    def _paint_oil(self, painter: QPainter, box: QRectF, stretch: Stretch, trace: LapTrace, with_axis: bool) -> None:
        look, line = self._look, self._look.height(Type.SMALL)
        assert self._fitted is not None
        high = max(float(trace.oil_l.max()), trace.spent_l) * 1.12 + 1e-3
        at = _scaler(box, stretch, 0.0, high)
        if with_axis:
            for value in ticks(0.0, float(self._units.volume.from_base(high)), 3):
                y = at(0.0, float(self._units.volume.to_base(value))).y()
                paint.label(painter, look, box.left() - 6, y, f"{value:g}", align=paint.RIGHT)
        shown = (trace.time_s >= stretch.start_s) & (trace.time_s <= stretch.end_s)
        time, oil = trace.time_s[shown], trace.oil_l[shown]
        if time.size < 2:
            return
        base = box.bottom()
        x, height = _pixels(time, oil, box, stretch, (0.0, high))
        strokes.band(painter, x, height, np.full(x.shape, base), look.color("oil_wash"))
        strokes.curve(painter, x, height, look.pen("oil", 1.6))
        y = at(0.0, trace.spent_l).y()
        painter.fillRect(
            QRectF(box.left(), y, box.width(), base - y),
            QColor(look.color("paper").red(), look.color("paper").green(), look.color("paper").blue(), 120),
        )
        painter.setPen(look.pen("below", 1.2, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
        if with_axis:
            kept = self._units.text(trace.spent_l, Quantity.VOLUME)
            words = f"below {kept} the gas cannot hold the floor"
            paint.label(painter, look, box.left() + 6, min(y + line * 0.7, base - line * 0.5), words)
        self._paint_times(painter, box, stretch, trace, at, words=True)

    def _paint_times(
        self,
        painter: QPainter,
        box: QRectF,
        stretch: Stretch,
        trace: LapTrace,
        at: Callable[[float, float], QPointF],
        words: bool,
    ) -> None:
        look, line = self._look, self._look.height(Type.SMALL)
        begin = float(trace.time_s[0])
        if words:
            for t in time_ticks(stretch.start_s - begin, stretch.end_s - begin, 5):
                x = at(t + begin, 0.0).x()
                paint.label(painter, look, x, box.bottom() + line * 0.7, clock(t), align=paint.CENTRE)
        if stretch.start_s <= self._cursor.time_s <= stretch.end_s:
            x = at(self._cursor.time_s, 0.0).x()
            paint.rule(painter, x, box.top(), x, box.bottom(), look.color("ink"))

    def _paint_bottle(self, painter: QPainter, box: QRectF, fitted: Fitted, trace: LapTrace) -> None:
        """The bottle at the cursor; where that is on another lap, at its least oil."""
        look, line, units = self._look, self._look.height(Type.SMALL), self._units
        inside = trace.time_s[0] <= self._cursor.time_s <= trace.time_s[-1]
        i = int(np.searchsorted(trace.time_s, self._cursor.time_s)) if inside else int(np.argmin(trace.oil_l))
        i = min(i, trace.time_s.size - 1)
        oil, total = float(trace.oil_l[i]), fitted.bottle.total_l
        when = clock(float(trace.time_s[i] - trace.time_s[0]), 1)
        paint.label(painter, look, box.left(), box.top(), f"Bottle at {when}", Type.SMALL_STRONG, "ink")
        paint.label(painter, look, box.left(), box.top() + line * 0.95, "" if inside else "emptiest of the lap")
        body = QRectF(box.left() + line * 0.4, box.top() + line * 2.2, box.width() * 0.40, box.height() - line * 5.0)
        share = min(oil / total, 1.0)
        piston = body.bottom() - body.height() * share
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(look.color("oil_wash"))
        painter.drawRect(QRectF(body.left(), piston, body.width(), body.bottom() - piston))
        painter.setBrush(look.color("soft"))
        painter.drawRect(QRectF(body.left(), piston - 5, body.width(), 7))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(look.pen("ink", 2.0))
        painter.drawRoundedRect(body, 8, 8)
        painter.drawLine(QPointF(body.center().x(), body.bottom()), QPointF(body.center().x(), body.bottom() + line))
        for middle, name, litres in (
            ((body.top() + piston) / 2, "gas", total - oil),
            ((piston + body.bottom()) / 2, "oil", oil),
        ):
            if (body.height() * (litres / total)) > line * 2.4:
                paint.label(painter, look, body.center().x(), middle - line * 0.5, name, align=paint.CENTRE)
                paint.label(
                    painter,
                    look,
                    body.center().x(),
                    middle + line * 0.5,
                    units.text(litres, Quantity.VOLUME),
                    Type.STRONG,
                    "ink",
                    paint.CENTRE,
                )
        right = body.right() + line * 0.7
        gas = units.text(float(trace.gas_kpa[i]), Quantity.PRESSURE)
        rows = [
            (body.top() + line * 0.5, f"gas {gas}", "ink"),
            (
                body.top() + line * 1.4,
                f"precharge {units.text(fitted.bottle.precharge_kpa, Quantity.PRESSURE)}",
                "soft",
            ),
        ]
        spent = body.bottom() - body.height() * min(trace.spent_l / total, 1.0)
        painter.setPen(look.pen("below", 1.4))
        painter.drawLine(QPointF(body.right(), spent), QPointF(body.right() + line * 0.6, spent))
        rows.append((spent, f"spent: {units.text(trace.spent_l, Quantity.VOLUME)}", "below"))
        rows.append(
            (spent + line * 0.9, f"gas {units.text(gas_now(fitted, trace.spent_l), Quantity.PRESSURE)}", "soft")
        )
        for y, words, tone in rows:
            paint.label(painter, look, right, y, words, Type.SMALL_STRONG if tone != "soft" else Type.SMALL, tone)
        flow = float(trace.flow_lpm[i])
        word = "giving" if flow > 0.05 else "refilling at" if flow < -0.05 else "shut or even"
        amount = f" {abs(flow):.1f} L/min" if abs(flow) > 0.05 else ""
        paint.label(painter, look, box.left(), body.bottom() + line * 1.7, f"{word}{amount}")

    # Size and precharge

    def _paint_map(self, painter: QPainter, box: QRectF, fitted: Fitted) -> None:
        look, line, found = self._look, self._look.height(Type.SMALL), self._found
        assert found is not None
        paint.label(painter, look, box.left(), box.top() + line * 0.3, "Size and precharge", Type.SMALL_STRONG, "ink")
        if found.sizes is None:
            paint.label(painter, look, box.left(), box.top() + line * 1.6, "Nothing dips on this drive.")
            return
        lap = f"lap {found.sizes.lap}" if found.sizes.lap is not None else "the drive"
        words = f"seconds under the floor, {lap}: {', '.join(found.sizes.places) or 'all'}"
        paint.label(painter, look, box.left() + line * 7.4, box.top() + line * 0.3, words)
        if self._map is None:
            kinds, self._map_extent = map_classes(found.sizes)
            self._map = self._coloured(kinds)
        area = box.adjusted(line * 2.6, line * 1.3, -line * 0.4, -line * 2.4)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
        painter.drawImage(area, self._map)
        painter.setPen(look.pen("ink", 1.0))
        painter.drawRect(area)
        x0, x1, y0, y1 = self._map_extent

        def at(size: float, precharge: float) -> QPointF:
            return QPointF(
                area.left() + (size - x0) / (x1 - x0) * area.width(),
                area.bottom() - (precharge - y0) / (y1 - y0) * area.height(),
            )

        units = self._units
        for size in ticks(_in(units.volume, x0), _in(units.volume, x1), 6):
            x = at(float(units.volume.to_base(size)), y0).x()
            paint.label(painter, look, x, area.bottom() + line * 0.7, f"{size:g}", align=paint.CENTRE)
        for p in ticks(_in(units.pressure, y0), _in(units.pressure, y1), 4):
            y = at(x0, float(units.pressure.to_base(p))).y()
            paint.label(painter, look, area.left() - 5, y, f"{p:g}", align=paint.RIGHT)
        key = (("holds", 0), ("to 0.5 s", 1), ("to 2 s", 2), ("more", 3))
        x = area.left()
        for words, kind in key:
            painter.fillRect(QRectF(x, area.bottom() + line * 1.5, 10, 10), self._kind_color(kind))
            paint.label(painter, look, x + 14, area.bottom() + line * 1.8, words)
            x += 14 + QFontMetricsF(look.font(Type.SMALL)).horizontalAdvance(words) + line
        paint.label(
            painter,
            look,
            area.right(),
            area.bottom() + line * 1.8,
            f"{units.volume.symbol} across, {units.pressure.symbol} up",
            align=paint.RIGHT,
        )
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        now = at(min(max(fitted.bottle.total_l, x0), x1), min(max(fitted.bottle.precharge_kpa, y0), y1))
        painter.setPen(look.pen("ink", 2.0))
        painter.setBrush(look.color("panel"))
        painter.drawEllipse(now, 5.0, 5.0)
        toward_left = now.x() > area.center().x()
        paint.label(
            painter,
            look,
            now.x() + (-9 if toward_left else 9),
            now.y(),
            "this one",
            Type.SMALL_STRONG,
            "ink",
            paint.RIGHT if toward_left else paint.LEFT,
        )
        if (best := found.sizes.best) is not None:
            where = at(*best)
            painter.setBrush(look.color("ink"))
            painter.drawRect(QRectF(where.x() - 4, where.y() - 4, 8, 8))
            paint.label(painter, look, where.x() + 9, where.y(), "smallest that holds", Type.SMALL_STRONG, "ink")
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def _kind_color(self, kind: int) -> QColor:
        color = QColor(self._look.color(_KINDS[kind]))
        color.setAlpha(_STRENGTH[kind])
        return color

    def _coloured(self, kinds: FloatArray) -> QImage:
        rows, columns = kinds.shape
        image = QImage(columns, rows, QImage.Format.Format_ARGB32)
        colors = [self._kind_color(k).rgba() for k in range(4)]
        for r in range(rows):
            for c in range(columns):
                image.setPixel(c, r, colors[int(kinds[r, c])])
        return image

    # The ladder

    def _paint_ladder(self, painter: QPainter, box: QRectF, found: AccumulatorFindings, fitted: Fitted) -> None:
        look, line, units = self._look, self._look.height(Type.SMALL), self._units
        at_c = ""
        if found.ladder.hot_c is not None:
            at_c = f", oil up to {units.text(found.ladder.hot_c, Quantity.TEMPERATURE)}"
        paint.label(
            painter, look, box.left(), box.top() + line * 0.3, "Pressures that must not cross", Type.SMALL_STRONG, "ink"
        )
        paint.label(painter, look, box.left() + line * 11.2, box.top() + line * 0.3, f"{units.pressure.symbol}{at_c}")
        marks = ladder_marks(found.ladder, fitted)
        high = max([m.high for m in marks] + [100.0]) * 1.05
        y = box.top() + line * 3.9

        def px(kpa: float) -> float:
            return box.left() + kpa / high * (box.width() - line)

        paint.rule(painter, box.left(), y, box.right(), y, look.color("ink"))
        for value in ticks(0.0, float(units.pressure.from_base(high)), 6):
            x = px(float(units.pressure.to_base(value)))
            paint.rule(painter, x, y, x, y + 4, look.color("soft"))
            paint.label(painter, look, x, y + line * 0.8, f"{value:g}", align=paint.CENTRE)
        ends = [-1e9, -1e9]
        for m in marks:
            x0, x1 = px(m.low), px(m.high)
            color = QColor(look.color(m.tone))
            color.setAlpha(150)
            painter.fillRect(QRectF(x0 - 1, y - line * 0.8, max(x1 - x0, 2.0), line * 0.8), color)
            number = units.number(m.low, Quantity.PRESSURE)
            number += f"–{units.number(m.high, Quantity.PRESSURE)}" if m.high > m.low else ""
            words = f"{m.name} {number}"
            wide = QFontMetricsF(look.font(Type.SMALL)).horizontalAdvance(words)
            left = min(max((x0 + x1) / 2 - wide / 2, box.left()), box.right() - wide)
            level = 0 if left > ends[0] + 6 else 1 if left > ends[1] + 6 else 0
            ends[level] = left + wide
            top = y - line * (1.4 + 0.95 * level)
            paint.label(painter, look, left, top, words, Type.SMALL, m.tone if m.tone != "soft" else "ink")
        self._paint_words(painter, QRectF(box.left(), y + line * 1.7, box.width(), box.bottom() - y - line * 1.7))

    def _paint_words(self, painter: QPainter, box: QRectF) -> None:
        look, line = self._look, self._look.height(Type.SMALL)
        metrics = QFontMetricsF(look.font(Type.SMALL))
        y = box.top()
        for words, bad in self._words:
            room = QRectF(box.left() + line * 1.2, y, box.width() - line * 1.2, 400.0)
            tall = metrics.boundingRect(room, _WRAPPED, words).height()
            if y + tall > box.bottom() + line * 0.4:
                return
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(look.color("below" if bad else "ample"))
            middle = QPointF(box.left() + line * 0.4, y + line * 0.5)
            if bad:
                half = 4.0
                painter.drawPolygon(
                    QPolygonF(
                        [
                            QPointF(middle.x(), middle.y() - half),
                            QPointF(middle.x() + half, middle.y() + half),
                            QPointF(middle.x() - half, middle.y() + half),
                        ]
                    )
                )
            else:
                painter.drawEllipse(middle, 2.5, 2.5)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setFont(look.font(Type.SMALL))
            painter.setPen(look.color("ink"))
            painter.drawText(room, _WRAPPED, words)
            y += tall + line * 0.18


def _in(unit: Unit, value: float) -> float:
    return float(unit.from_base(value))


def _scaler(box: QRectF, stretch: Stretch, low: float, high: float) -> Callable[[float, float], QPointF]:
    wide, tall = max(stretch.end_s - stretch.start_s, 1e-6), max(high - low, 1e-6)

    def at(time_s: float, value: float) -> QPointF:
        return QPointF(
            box.left() + (time_s - stretch.start_s) / wide * box.width(),
            box.bottom() - (value - low) / tall * box.height(),
        )

    return at


def _pixels(
    time_s: FloatArray, values: FloatArray, box: QRectF, stretch: Stretch, span: tuple[float, float]
) -> tuple[FloatArray, FloatArray]:
    """Where values lie in a picture, px."""
    x = box.left() + (time_s - stretch.start_s) / max(stretch.end_s - stretch.start_s, 1e-6) * box.width()
    y = box.bottom() - (values - span[0]) / max(span[1] - span[0], 1e-6) * box.height()
    return x, y
