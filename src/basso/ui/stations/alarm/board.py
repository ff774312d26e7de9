"""Draws pressure against rpm with the device's line, caught against false, the driver's card, dips and kinds."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QImage, QMouseEvent, QPainter, QPaintEvent, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from basso.sentence import read_in
from basso.ui.models.cursor import Cursor
from basso.ui.plots import paint, strokes
from basso.ui.plots.ticks import ticks
from basso.ui.stations.alarm.picture import (
    LEAD_SPAN_S,
    Field,
    Steps,
    drawn_line,
    false_span,
    field_of,
    kind_rows,
    lead_rows,
    steps_of,
)
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits, Quantity
from basso.words.alarm import BENCH, drivers_card, missed_words, severe_words

if TYPE_CHECKING:
    from basso.alarm.findings import AlarmFindings, SetAlarm
    from basso.alarm.rules import Kind
    from basso.alarm.settings import Curve

_WRAPPED = int(Qt.TextFlag.TextWordWrap | Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
_NEAR_PX = 12.0
_DASHES = {
    "fixed": Qt.PenStyle.DotLine,
    "gated": Qt.PenStyle.DashLine,
    "share": Qt.PenStyle.DashDotLine,
    "table": Qt.PenStyle.SolidLine,
    "two_stage": Qt.PenStyle.SolidLine,
}
_TONES = {"fixed": "soft", "gated": "fair", "share": "ample", "table": "ink", "two_stage": "ink"}


class AlarmBoard(QWidget):
    """Told what was found and the device that is set; a point that is dragged is told on."""

    point_moved = Signal(float, float)
    """A point of the line is drawn elsewhere: rpm, kPa."""
    point_let_go = Signal()
    amount_chosen = Signal(float)
    """A place on the curve of the kind that is set."""
    kind_chosen = Signal(str)

    def __init__(self, look: Look, cursor: Cursor) -> None:
        super().__init__()
        self._look, self._units, self._cursor = look, DisplayUnits(), cursor
        self._found: AlarmFindings | None = None
        self._chosen: SetAlarm | None = None
        self._curve: Curve | None = None
        self._field: Field | None = None
        self._ground: QImage | None = None
        self._plot = QRectF()
        self._curves: list[tuple[QRectF, float, float]] = []
        self._dips: list[tuple[QPointF, int]] = []
        self._bars: list[tuple[QRectF, int]] = []
        self._kinds: list[tuple[QRectF, Kind]] = []
        self._dragged: float | None = None
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.MinimumExpanding)
        look.fit(self, lambda w: w.setMinimumHeight(round(look.height() * 31)))
        self.setAccessibleName("The warning device on this log")
        look.changed.connect(self._dress)

    def show_set(
        self, found: AlarmFindings | None, chosen: SetAlarm | None, curve: Curve | None, units: DisplayUnits
    ) -> None:
        """Show another log, or another device on it."""
        self._found, self._chosen, self._curve, self._units = found, chosen, curve, units
        self._ground = None
        self._field = field_of(found, chosen) if found is not None and chosen is not None else None
        if chosen is not None:
            title, why = missed_words(chosen)
            self.setAccessibleDescription(f"{title}. {read_in(why, units)}")
        self.update()

    def _dress(self) -> None:
        self._ground = None
        self.update()

    # The mouse

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Takes a point of the line, a place on the curve, a dip or a kind."""
        at, chosen = event.position(), self._chosen
        if chosen is None or event.button() != Qt.MouseButton.LeftButton:
            return
        self._dragged = self._point_near(at)
        if self._dragged is not None:
            return
        for box, rpm_kind in self._kinds:
            if box.contains(at):
                self.kind_chosen.emit(rpm_kind)
                return
        near = self._dip_near(at)
        if near is not None:
            self._cursor.move_to(float(self._time_of(near)))
            return
        self._choose_amount(at)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Draws the point that is held elsewhere."""
        at = event.position()
        if self._dragged is not None and event.buttons() & Qt.MouseButton.LeftButton:
            self.point_moved.emit(self._dragged, round(max(self._kpa_at(at.y()), 0.0), 1))
            return
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._choose_amount(at)
            return
        can_drag = self._point_near(at) is not None
        can_click = any(b.contains(at) for b, _ in self._kinds) or self._dip_near(at) is not None
        shape = Qt.CursorShape.SizeVerCursor if can_drag else Qt.CursorShape.PointingHandCursor
        self.setCursor(shape if can_drag or can_click else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """The point stays where it was let go."""
        if self._dragged is not None:
            self._dragged = None
            self.point_let_go.emit()

    def _time_of(self, index: int) -> float:
        assert self._found is not None and self._chosen is not None
        return float(self._found.analysis.time_s[self._chosen.proof.each[index].dip.dip.lowest])

    def _dip_near(self, at: QPointF) -> int | None:
        for box, index in self._bars:
            if box.contains(at):
                return index
        near = [((p - at).manhattanLength(), i) for p, i in self._dips]
        return min(near)[1] if near and min(near)[0] <= 8.0 else None

    def _point_near(self, at: QPointF) -> float | None:
        chosen = self._chosen
        if chosen is None or not self._plot.contains(at) or chosen.setting.kind in ("fixed", "gated"):
            return None
        for rpm, kpa in chosen.rule.first_shown.points:
            if (self._in_plot(rpm, kpa) - at).manhattanLength() <= _NEAR_PX:
                return rpm
        return None

    def _choose_amount(self, at: QPointF) -> None:
        if self._curve is None:
            return
        for box, span, top in self._curves:
            if not box.adjusted(-8, -8, 8, 8).contains(at):
                continue
            steps = steps_of(self._curve)
            caught = steps.severe if box is self._curves[0][0] and len(self._curves) > 1 else steps.dips
            far = [
                (abs(box.left() + min(f, span) / span * box.width() - at.x()))
                + abs(box.bottom() - c / top * box.height() - at.y())
                for f, c in zip(steps.false_per_hour, caught, strict=True)
            ]
            self.amount_chosen.emit(self._curve.amounts[int(np.argmin(far))])
            return

    # Painting

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self._look.color("paper"))
        self._dips, self._bars, self._kinds, self._curves = [], [], [], []
        found, chosen, field = self._found, self._chosen, self._field
        if found is None or chosen is None or field is None:
            return
        line, width, height = self._look.height(), float(self.width()) - 8, float(self.height())
        middle = height * 0.52
        card = max(width * 0.2, line * 9.0)
        trade = width * 0.24
        self._paint_field(painter, QRectF(0, 0, width - card - trade - 2.4 * line, middle), chosen, field)
        self._paint_trade(painter, QRectF(width - card - trade - line, 0, trade, middle), found, chosen)
        self._paint_card(painter, QRectF(width - card, line * 0.2, card, middle - line * 0.6), chosen)
        paint.rule(painter, 0, middle + line * 0.3, width, middle + line * 0.3, self._look.color("soft"))
        below = middle + line * 0.9
        self._paint_leads(painter, QRectF(0, below, width * 0.33, height - below), chosen)
        self._paint_kinds(painter, QRectF(width * 0.37, below, width * 0.63, height - below), found, chosen)

    # Pressure against rpm

    def _in_plot(self, rpm: float, kpa: float) -> QPointF:
        f, box = self._field, self._plot
        assert f is not None
        return QPointF(
            box.left() + (rpm - f.rpm[0]) / (f.rpm[1] - f.rpm[0]) * box.width(),
            box.bottom() - (kpa - f.kpa[0]) / (f.kpa[1] - f.kpa[0]) * box.height(),
        )

    def _kpa_at(self, y: float) -> float:
        f, box = self._field, self._plot
        assert f is not None
        return f.kpa[0] + (box.bottom() - y) / box.height() * (f.kpa[1] - f.kpa[0])

    def _paint_field(self, painter: QPainter, box: QRectF, chosen: SetAlarm, field: Field) -> None:
        look, line, units = self._look, self._look.height(Type.SMALL), self._units
        paint.label(painter, look, box.left(), line * 0.5, "Pressure against rpm", Type.SMALL_STRONG, "ink")
        can_drag = chosen.setting.kind not in ("fixed", "gated")
        told = f"{units.pressure.symbol}; grey: every sample" + ("; drag a point to move it" if can_drag else "")
        paint.label(painter, look, box.left() + line * 8.2, line * 0.5, told)
        self._plot = plot = box.adjusted(line * 2.4, line * 1.6, -line * 0.4, -line * 2.2)
        low, high = (float(units.pressure.from_base(v)) for v in field.kpa)
        for value in ticks(low, high, 6):
            y = self._in_plot(0.0, float(units.pressure.to_base(value))).y()
            paint.rule(painter, plot.left(), y, plot.right(), y, look.color("grid"))
            paint.label(painter, look, plot.left() - 6, y, f"{value:g}", align=paint.RIGHT)
        if self._ground is None:
            self._ground = self._shaded(field)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
        painter.drawImage(plot, self._ground)
        paint.rule(painter, plot.left(), plot.bottom(), plot.right(), plot.bottom(), look.color("ink"))
        for rpm in ticks(*field.rpm, 8):
            x = self._in_plot(rpm, 0.0).x()
            paint.label(painter, look, x, plot.bottom() + line * 0.7, f"{rpm:.0f}", align=paint.CENTRE)
        paint.label(painter, look, plot.right(), plot.bottom() + line * 1.6, "engine speed, rpm", align=paint.RIGHT)
        painter.save()
        painter.setClipRect(plot)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        self._paint_normal(painter, chosen, field)
        self._paint_dips(painter, chosen)
        self._paint_line(painter, chosen, field)
        painter.restore()
        self._paint_key(painter, plot, chosen)

    def _shaded(self, field: Field) -> QImage:
        share = np.log1p(field.density) / max(float(np.log1p(field.density).max()), 1.0)
        soft = self._look.color("soft")
        image = np.zeros((*share.shape, 4), dtype=np.uint8)
        image[..., 0], image[..., 1], image[..., 2] = soft.blue(), soft.green(), soft.red()
        image[..., 3] = np.round(120 * share[::-1]).astype(np.uint8)
        image = np.ascontiguousarray(image)
        rows, columns = share.shape
        return QImage(image.data, columns, rows, 4 * columns, QImage.Format.Format_ARGB32).copy()

    def _paint_normal(self, painter: QPainter, chosen: SetAlarm, field: Field) -> None:
        look = self._look
        x = np.array([self._in_plot(float(n), 0.0).x() for n in field.speeds])

        def y(kpa: float) -> float:
            return self._in_plot(0.0, kpa).y() if np.isfinite(kpa) else float("nan")

        warm, hot = (np.array([y(float(p)) for p in line]) for line in (field.warm, field.hot))
        strokes.band(painter, x, np.minimum(warm, hot), np.maximum(warm, hot), look.color("expected"))
        lines = (
            [(hot, chosen.setting.at_c)] if field.warm_c is None else [(warm, field.warm_c), (hot, chosen.setting.at_c)]
        )
        for (values, heat), share in zip(lines, (0.5, 0.2), strict=False):
            strokes.curve(painter, x, values, look.pen("ample", 1.2))
            at = int(share * (x.size - 1))
            if not np.isfinite(values[at]):
                continue
            upper = values is lines[0][0]
            heat_words = self._units.text(heat, Quantity.TEMPERATURE) if heat is not None else ""
            words = (f"normal, oil at {heat_words}" if heat_words else "normal") if upper else f"at {heat_words}"
            align = paint.RIGHT if upper else paint.LEFT
            paint.label(
                painter, look, x[at] - (8 if upper else 2), values[at] + (-9 if upper else 11), words,
                Type.SMALL_STRONG, "ample", align,
            )  # fmt: skip

    def _paint_dips(self, painter: QPainter, chosen: SetAlarm) -> None:
        look = self._look
        for index, x in enumerate(chosen.proof.each):
            at = self._in_plot(x.dip.rpm, x.dip.dip.min_pressure_kpa)
            self._dips.append((at, index))
            painter.setPen(look.pen("below", 1.3))
            painter.setBrush(look.color("below") if x.is_severe else look.color("panel"))
            painter.drawPolygon(_diamond(at, 4.0))
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def _paint_line(self, painter: QPainter, chosen: SetAlarm, field: Field) -> None:
        look, rule = self._look, chosen.rule
        first = drawn_line(rule.first_shown.points, rule.gate_rpm, field.rpm[1])
        stages: list[tuple[Sequence[tuple[float, float]], Qt.PenStyle, float]] = [(first, Qt.PenStyle.SolidLine, 2.0)]
        if rule.caution_points is not None:
            act = drawn_line(rule.points, rule.gate_rpm, field.rpm[1])
            stages.append((act, Qt.PenStyle.DashLine, 1.6))
        for points, style, width in stages:
            painter.setPen(look.pen("ink", width, style))
            at = [self._in_plot(rpm, kpa) for rpm, kpa in points]
            gate = [QPointF(at[0].x(), self._plot.bottom())] if rule.gate_rpm > 0.0 else []
            painter.drawPolyline(QPolygonF([*gate, *at]))
        painter.setPen(look.pen("ink", 1.4))
        if chosen.setting.kind not in ("fixed", "gated"):
            for rpm, kpa in rule.first_shown.points:
                at_point = self._in_plot(rpm, kpa)
                painter.setBrush(look.color("ink" if rpm in chosen.moved else "panel"))
                painter.drawRect(QRectF(at_point.x() - 3.5, at_point.y() - 3.5, 7.0, 7.0))
            painter.setBrush(Qt.BrushStyle.NoBrush)

    def _paint_key(self, painter: QPainter, plot: QRectF, chosen: SetAlarm) -> None:
        """What the marks are, where nothing else is drawn: low on the right."""
        look, line = self._look, self._look.height(Type.SMALL)
        y = plot.bottom() - line * 0.8
        x = plot.right() - line * 10.6
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        for words, is_severe, step in (("severe dip", True, line * 5.4), ("other dip", False, 0.0)):
            painter.setPen(look.pen("below", 1.3))
            painter.setBrush(look.color("below") if is_severe else look.color("panel"))
            painter.drawPolygon(_diamond(QPointF(x, y), 4.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            paint.label(painter, look, x + 9, y, words, Type.SMALL, "ink")
            x += step
        two = chosen.rule.caution_points is not None
        names = (("blinks under", Qt.PenStyle.SolidLine), ("stays on under", Qt.PenStyle.DashLine)) if two else (
            ("shows under", Qt.PenStyle.SolidLine),
        )  # fmt: skip
        y -= line * 1.1 * len(names)
        x = plot.right() - line * 10.6
        for words, style in names:
            painter.setPen(look.pen("ink", 2.0, style))
            painter.drawLine(QPointF(x - 5, y), QPointF(x + 20, y))
            paint.label(painter, look, x + 26, y, words, Type.SMALL, "ink")
            y += line * 1.1

    # Caught against false

    def _paint_trade(self, painter: QPainter, box: QRectF, found: AlarmFindings, chosen: SetAlarm) -> None:
        look, line = self._look, self._look.height(Type.SMALL)
        paint.label(painter, look, box.left(), line * 0.5, "Caught against false", Type.SMALL_STRONG, "ink")
        curves = [steps_of(c) for c in found.curves if c.kind not in (chosen.setting.kind, "two_stage")]
        mine = steps_of(self._curve) if self._curve is not None else None
        span = false_span([*curves, *([mine] if mine is not None else [])])
        p = chosen.proof
        kinds = [(n, total) for n, total in (("severe dips", p.severe), ("all dips", p.dips)) if total]
        if not kinds:
            room = QRectF(box.left(), line * 1.6, box.width(), line * 6)
            painter.setFont(look.font(Type.SMALL))
            painter.setPen(look.color("soft"))
            painter.drawText(room, _WRAPPED, "No dip on this log, so nothing to catch: false alarms alone are counted.")
            return
        tall = (box.height() - line * 4.6) / len(kinds)
        for n, (name, total) in enumerate(kinds):
            top = line * 2.7 + n * tall
            plot = QRectF(box.left() + line * 1.6, top, box.width() - line * 1.8, tall - line * 1.5)
            self._curves.append((plot, span, float(total)))
            paint.label(painter, look, plot.left() - line * 0.2, top - line * 0.75, name)
            is_severe = name == "severe dips"
            for count in sorted({0, total // 2, total}):
                y = plot.bottom() - count / total * plot.height()
                paint.rule(painter, plot.left(), y, plot.right(), y, look.color("grid"))
                paint.label(painter, look, plot.left() - 5, y, f"{count}", align=paint.RIGHT)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
            for steps in [*curves, *([mine] if mine is not None else [])]:
                self._paint_steps(painter, plot, steps, span, total, is_severe, steps is mine)
            caught = p.caught_severe if is_severe else p.caught
            now = QPointF(
                plot.left() + min(p.cries_per_hour or 0.0, span) / span * plot.width(),
                plot.bottom() - caught / total * plot.height(),
            )
            painter.fillRect(QRectF(now.x() - 4.5, now.y() - 4.5, 9, 9), look.color("ink"))
            to_left = now.x() > plot.center().x()
            below = line * 0.9 if now.y() < plot.center().y() else -line * 0.9
            paint.label(
                painter, look, now.x() + (-6 if to_left else 6), now.y() + below, f"as set: {caught}",
                Type.SMALL_STRONG, "ink", paint.RIGHT if to_left else paint.LEFT,
            )  # fmt: skip
        bottom = self._curves[-1][0].bottom()
        for value in ticks(0.0, span, 4):
            x = self._curves[-1][0].left() + value / span * self._curves[-1][0].width()
            paint.label(painter, look, x, bottom + line * 0.7, f"{value:g}", align=paint.CENTRE)
        paint.label(painter, look, box.right(), bottom + line * 1.6, "false alarms an hour", align=paint.RIGHT)

    def _paint_steps(
        self, painter: QPainter, plot: QRectF, steps: Steps, span: float, total: int, severe: bool, mine: bool
    ) -> None:
        at = zip(steps.false_per_hour, steps.severe if severe else steps.dips, strict=True)
        points = [
            QPointF(plot.left() + f / span * plot.width(), plot.bottom() - c / total * plot.height())
            for f, c in at
            if f <= span
        ]
        if not points:
            return
        painter.setPen(
            paint.pen(
                self._look.color("ink" if mine else _TONES[steps.kind]), 2.0 if mine else 1.2, _DASHES[steps.kind]
            )
        )
        painter.drawPolyline(QPolygonF(points))

    # The driver's card

    def _paint_card(self, painter: QPainter, box: QRectF, chosen: SetAlarm) -> None:
        look, line = self._look, self._look.height()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        painter.setPen(look.pen("ink", 1.4))
        painter.setBrush(look.color("panel"))
        painter.drawRoundedRect(box, 6.0, 6.0)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        left, y = box.left() + line * 0.8, box.top() + line * 0.9
        room = box.width() - line * 1.6
        paint.label(painter, look, left, y, "Driver's card", Type.SMALL_STRONG, "ink")
        paint.label(painter, look, box.right() - line * 0.8, y, "oil light", align=paint.RIGHT)
        y += line * 0.7
        for part in drivers_card(chosen):
            if not part.heading and y + line * 2.4 > box.bottom():
                return  # said in the working and on paper
            paint.rule(painter, left, y, left + room, y, look.color("rule"))
            y += line * 0.9
            if part.heading:
                paint.label(painter, look, left, y, part.heading, Type.STRONG, "below")
                y += line * 1.15
            for order in part.orders:
                paint.label(painter, look, left, y, order, Type.NUMBER, "ink")
                y += line * 1.05
            y = (
                self._wrapped(painter, QRectF(left, y - line * 0.6, room, box.bottom() - y + line), part.note)
                + line * 0.4
            )

    def _wrapped(self, painter: QPainter, box: QRectF, words: str, tone: str = "ink") -> float:
        """Write words; where they end."""
        painter.setFont(self._look.font(Type.SMALL))
        painter.setPen(self._look.color(tone))
        tall = QFontMetricsF(self._look.font(Type.SMALL)).boundingRect(box, _WRAPPED, words).height()
        painter.drawText(QRectF(box.left(), box.top(), box.width(), tall + 2), _WRAPPED, words)
        return box.top() + tall

    # Dip by dip

    def _paint_leads(self, painter: QPainter, box: QRectF, chosen: SetAlarm) -> None:
        look, line = self._look, self._look.height(Type.SMALL)
        top = box.top()
        paint.label(painter, look, box.left(), top, "When it shows, dip by dip", Type.SMALL_STRONG, "ink")
        paint.label(painter, look, box.left() + line * 9.6, top, "ms before the lowest")
        if not chosen.proof.dips:
            paint.label(painter, look, box.left(), top + line * 1.3, "No dip on this log.")
            return
        name_room, count_room = line * 5.2, line * 3.2
        left, zero = box.left() + name_room, box.right() - count_room - line
        most = max(3, int((box.height() - line * 3.2) / (line * 1.9)))
        rows, elsewhere = lead_rows(chosen.proof, most)
        y = top + line * 1.2
        for share, words in ((0.0, "0"), (0.5, f"{500.0 * LEAD_SPAN_S:.0f}"), (1.0, f"{1000.0 * LEAD_SPAN_S:.0f}+")):
            x = zero - share * (zero - left)
            paint.label(painter, look, x, y, words, align=paint.CENTRE)
        y += line * 0.7
        end = box.bottom() - line * 1.4
        each = (end - y) / max(len(rows), 1)
        for share in (0.0, 0.5, 1.0):
            x = zero - share * (zero - left)
            paint.rule(painter, x, y, x, end, look.color("ink" if share == 0.0 else "grid"))
        for row in rows:
            paint.rule(painter, box.left(), y, box.right(), y, look.color("grid"))
            name = QFontMetricsF(look.font(Type.SMALL_STRONG)).elidedText(
                row.name, Qt.TextElideMode.ElideRight, name_room - 6
            )
            paint.label(painter, look, box.left(), y + each / 2, name, Type.SMALL_STRONG, "ink")
            paint.label(painter, look, box.right(), y + each / 2, row.words, Type.SMALL_STRONG, "ink", paint.RIGHT)
            step = min((each - 4) / max(len(row.marks), 1), 5.0)
            at = y + (each - step * len(row.marks)) / 2
            for lead, is_severe, index in row.marks:
                if lead is None:
                    bar, tone = QRectF(zero + 3, at, line * 0.9, max(step - 1, 1.0)), "below"
                else:
                    wide = min(max(lead, 0.01), LEAD_SPAN_S) / LEAD_SPAN_S * (zero - left)
                    bar, tone = QRectF(zero - wide, at, wide, max(step - 1, 1.0)), "ink" if is_severe else "fair"
                painter.fillRect(bar, look.color(tone))
                self._bars.append((QRectF(left, at - 0.5, box.right() - count_room - left, step), index))
                at += step
            y += each
        x = box.left()
        for words, tone in (("severe", "ink"), ("other", "fair"), ("missed", "below")):
            painter.fillRect(QRectF(x, end + line * 0.75, 18, 3), look.color(tone))
            paint.label(painter, look, x + 23, end + line * 0.8, words)
            x += 23 + QFontMetricsF(look.font(Type.SMALL)).horizontalAdvance(words) + line
        last = "caught" + (f"; {elsewhere} more elsewhere" if elsewhere else "")
        paint.label(painter, look, box.right(), end + line * 0.8, last, align=paint.RIGHT)

    # The kinds

    def _paint_kinds(self, painter: QPainter, box: QRectF, found: AlarmFindings, chosen: SetAlarm) -> None:
        look, line, units = self._look, self._look.height(Type.SMALL), self._units
        y = box.top()
        paint.label(painter, look, box.left(), y, "Kinds of warning on this log", Type.SMALL_STRONG, "ink")
        paint.label(painter, look, box.left() + line * 11.0, y, read_in(severe_words(), units))
        wide = box.width()
        severe_x, dips_x, false_x, lead_x, blind_x = (box.left() + wide * s for s in (0.50, 0.57, 0.66, 0.76, 0.79))
        y += line * 1.3
        paint.label(painter, look, box.left() + line * 2.4, y, "Kind")
        for x, words in ((severe_x, "Severe"), (dips_x, "All"), (false_x, "False/h"), (lead_x, "Lead, ms")):
            paint.label(painter, look, x, y, words, align=paint.RIGHT)
        paint.label(painter, look, blind_x, y, "Misses in")
        y += line * 0.75
        for row in kind_rows(found, chosen, units):
            area = QRectF(box.left(), y, wide, line * 1.5)
            if row.is_chosen:
                painter.fillRect(area, look.color("band"))
            if row.kind is not None:
                self._kinds.append((area, row.kind))
            at = area.center().y()
            style = _DASHES[row.kind] if row.kind is not None else Qt.PenStyle.DotLine
            tone = "ink" if row.is_chosen else _TONES[row.kind] if row.kind is not None else "soft"
            painter.setPen(look.pen(tone, 2.0, style))
            painter.drawLine(QPointF(box.left() + 4, at), QPointF(box.left() + line * 2.0, at))
            if row.kind == "two_stage":
                painter.setPen(look.pen(tone, 1.6, Qt.PenStyle.DashLine))
                painter.drawLine(QPointF(box.left() + 4, at + 4), QPointF(box.left() + line * 2.0, at + 4))
            kind = Type.SMALL_STRONG if row.is_chosen else Type.SMALL
            room = severe_x - line * 2.2 - box.left() - line * 2.4
            words = QFontMetricsF(look.font(kind)).elidedText(row.words, Qt.TextElideMode.ElideRight, room)
            paint.label(painter, look, box.left() + line * 2.4, at, words, kind, "ink")
            for x, words in ((severe_x, row.severe), (dips_x, row.dips), (false_x, row.false), (lead_x, row.lead)):
                paint.label(painter, look, x, at, words, kind, "ink", paint.RIGHT)
            blind = QFontMetricsF(look.font(kind)).elidedText(
                row.blind, Qt.TextElideMode.ElideRight, box.right() - blind_x
            )
            paint.label(painter, look, blind_x, at, blind, kind, "ink")
            y += line * 1.5
        y += line * 0.5
        paint.rule(painter, box.left(), y, box.right(), y, look.color("rule"))
        y += line * 0.8
        title, why = missed_words(chosen)
        paint.label(painter, look, box.left(), y, title, Type.SMALL_STRONG, "ink")
        y = self._wrapped(painter, QRectF(box.left(), y + line * 0.55, wide, line * 6), str(read_in(why, units)))
        self._wrapped(painter, QRectF(box.left(), y + line * 0.3, wide, line * 3), BENCH, "soft")


def _diamond(at: QPointF, half: float) -> QPolygonF:
    return QPolygonF(
        [
            QPointF(at.x(), at.y() - half),
            QPointF(at.x() + half, at.y()),
            QPointF(at.x(), at.y() + half),
            QPointF(at.x() - half, at.y()),
        ]
    )
