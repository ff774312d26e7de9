"""The pan at the right: oil, pickup and throw at the cursor, and the readings under it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QFont, QPainter, QPaintEvent, QPixmap, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from basso.sump.in_time import OilMoment
from basso.sump.measured import MeasuredPan
from basso.sump.sections import Drawing, PlateLine, Polygon, drawing_of, pan_of_box
from basso.sump.shape import PLAIN_BOX
from basso.trust.side import KNOWN, Side
from basso.ui.pan.picture import ASSUMED_VOLUME_L, PanPicture, flowing_picture, pan_picture
from basso.ui.plots import paint
from basso.ui.plots.ticks import clock
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits, Quantity


@dataclass(frozen=True, slots=True)
class ReadingLine:
    """A name, a value, a unit, and whether the value is below what it must be."""

    name: str
    value: str
    unit: str
    low: bool


@dataclass(frozen=True, slots=True)
class Moment:
    """What the pan shows: the time, the lap, the g held lately, the readings."""

    time_s: float
    lap: str
    ax_g: float | None
    ay_g: float | None
    """None where that g is neither logged nor worked out: the oil is then not drawn, since where it lies is not
    known."""
    readings: Sequence[ReadingLine]
    side: Side = KNOWN
    """Whether it is known which side is left."""
    is_judged: bool = True
    """False for a log that cannot be judged yet: then its g is not looked at, whether it is there or not."""
    oil: OilMoment | None = None
    """Where the calibrated flow model has the oil; None where there is no such model."""


class PanView(QWidget):
    """Paints a moment; it is told the moment and the units, and knows nothing else."""

    def __init__(self, look: Look, units: Callable[[], DisplayUnits]) -> None:
        super().__init__()
        self._look, self._units = look, units
        self._moment: Moment | None = None
        self._labels: tuple[object, QPixmap] | None = None
        self._pan: MeasuredPan | None = None
        self._drawing: Drawing | None = None
        self._big = False
        look.fit(self, lambda w: w.setFixedWidth(round(look.height() * 15.1)))
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Pan at the cursor")
        look.changed.connect(self.update)

    def set_pan(self, pan: MeasuredPan | None) -> None:
        """Draw the car's own pan; None where none was measured."""
        if pan is not self._pan or self._drawing is None:
            self._pan, self._drawing = pan, None
            self.update()

    @property
    def drawing(self) -> Drawing:
        """What is drawn: the measured pan, else a plain box."""
        if self._drawing is None:
            self._drawing = drawing_of(self._pan if self._pan is not None else pan_of_box(PLAIN_BOX))
        return self._drawing

    @property
    def volume_l(self) -> float:
        """Oil in it while the engine runs."""
        if self._pan is None or self._pan.fill_l is None:
            return ASSUMED_VOLUME_L
        return max(self._pan.fill_l - self._pan.away_l, 0.1)

    @property
    def moment(self) -> Moment | None:
        """What is shown."""
        return self._moment

    def set_moment(self, moment: Moment | None) -> None:
        """Show another moment, or none."""
        self._moment = moment
        if moment is not None:
            self.setAccessibleDescription("; ".join(f"{r.name} {r.value} {r.unit}" for r in moment.readings))
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        look, painter = self._look, QPainter(self)
        painter.fillRect(self.rect(), look.color("panel"))
        paint.rule(painter, 0, 0, 0, self.height(), look.color("rule"))
        line, left, right = look.height(Type.BODY), 16.0, self.width() - 16.0
        y = line * 1.3
        if self._moment is None:
            paint.label(painter, look, left, y, "Pan", Type.STRONG, "ink")
            paint.label(painter, look, left, y + line * 1.4, "Shown at the cursor once a log is open.")
            return
        m = self._moment
        if self._big:
            self._paint_big(painter, m)
            return
        paint.label(painter, look, left, y, f"Pan at {clock(m.time_s, 1)}", Type.STRONG, "ink")
        paint.label(painter, look, right, y, m.lap, align=paint.RIGHT)
        if m.ax_g is None or m.ay_g is None:
            self._paint_unknown(painter, QRectF(left, y + line * 0.6, right - left, line * 8.0), m)
            self._paint_readings(painter, y + line * 9.5, left, right, m.readings)
            return
        d = self.drawing
        picture = flowing_picture(d, m.oil) if m.oil is not None else pan_picture(d, self.volume_l, m.ax_g, m.ay_g)
        room = self.height() - line * (8.2 + 1.62 * len(m.readings))
        # In a low window, or with large type, the readings keep their room: first the cuts go, then the plan.
        cuts, plan = room >= line * 12.0, room >= line * 5.0
        cut_height, plan_height = (room * 0.29, room * 0.42) if cuts else (0.0, room)
        y += line * 1.15
        across, along = (d.pickup[1], d.pickup[0]) if d.pickup is not None else (None, None)
        for words, outlines, plates, oil, mouth in (
            (self._behind_words(m), d.behind, d.plates_behind, picture.behind, across),
            ("from the left, nose to the left", d.side, d.plates_side, picture.side, along),
        )[: 2 if cuts else 0]:
            box = QRectF(left, y, right - left, cut_height)
            y = self._paint_cut(painter, box, words, outlines, plates, oil, mouth, picture.covered)
        if plan:
            y = self._paint_plan(painter, QRectF(left, y, right - left, plan_height), picture)
        words = (
            "oil lies level"
            if picture.way == "level"
            else f"oil tilts {picture.tilt_deg:.0f}°{f' to the {picture.way}' if m.side.proven else ''}"
        )
        paint.label(painter, look, left, y + line * 0.1, words, Type.STRONG, "ink")
        y += line * 1.0
        first, second = self.cover_words(picture)
        paint.label(painter, look, left, y, first)
        paint.label(painter, look, left, y + line * 0.85, second)
        if not m.side.proven:
            paint.label(painter, look, left, y + line * 1.7, "Left or right is not known: sign not proven.")
        self._paint_readings(painter, y + line * (1.75 if m.side.proven else 2.5), left, right, m.readings)

    def _paint_big(self, painter: QPainter, m: Moment) -> None:
        """The readings alone, as large as they can be written in the column: to be read from a step away."""
        look, line = self._look, self._look.height(Type.BODY)
        left, right = 16.0, self.width() - 16.0
        paint.label(painter, look, left, line * 1.3, f"At {clock(m.time_s, 1)}", Type.STRONG, "ink")
        paint.label(painter, look, right, line * 1.3, m.lap, align=paint.RIGHT)
        step = min((self.height() - line * 2.4) / max(len(m.readings), 1), line * 4.4)
        large = QFont(look.font(Type.NUMBER))
        large.setPixelSize(max(round(step - line * 1.3), round(line)))
        for i, r in enumerate(m.readings):
            top = line * 2.2 + i * step
            paint.label(painter, look, left, top + line * 0.4, r.name)
            paint.label(painter, look, right, top + line * 0.4, r.unit, align=paint.RIGHT)
            color = look.color("below" if r.low else "ink")
            value = QRectF(left, top + line * 0.8, right - left, step - line * 0.9)
            painter.setFont(large)
            painter.setPen(color)
            painter.drawText(value, int(paint.RIGHT | Qt.AlignmentFlag.AlignVCenter), r.value)
            paint.rule(painter, left, top + step - 2, right, top + step - 2, look.color("rule"))

    def set_big(self, big: bool) -> None:
        """The readings alone, in large figures, or the pan with them."""
        self._big = big
        self.update()

    def picture_of(self, m: Moment) -> PanPicture:
        """Where the oil is at a moment whose g is known: as the flow model has it, else at rest under that g."""
        if m.oil is not None:
            return flowing_picture(self.drawing, m.oil)
        return pan_picture(self.drawing, self.volume_l, m.ax_g or 0.0, m.ay_g or 0.0)

    def cover_words(self, picture: PanPicture) -> tuple[str, str]:
        """Which pan is drawn with how much in it, and whether the pickup is covered: true of that pan at a steady g."""
        volume = self._units().text(picture.volume_l, Quantity.VOLUME)
        if picture.head_m is None:
            cover = "pickup not measured"
        else:
            head = self._units().text(abs(picture.head_m) * 1000.0, Quantity.LENGTH)
            cover = f"pickup {'covered' if picture.covered else 'uncovered'} by {head}"
        if self._pan is None:
            return f"Drawn as a plain box with {volume}", f"(no pan measured): {cover}"
        name = self._pan.name[:24]
        if picture.in_time:
            return f"{name}, {volume} in it now", f"as calibrated: {cover}"
        return f"{name}, {volume} while running", f"at a steady g: {cover}"

    def _paint_unknown(self, painter: QPainter, box: QRectF, m: Moment) -> None:
        """Say what is missing in the place of the oil."""
        missing = [w for w, g in (("lateral g", m.ay_g), ("longitudinal g", m.ax_g)) if g is None]
        painter.setFont(self._look.font(Type.SMALL))
        painter.setPen(self._look.color("soft"))
        words = (
            "Where the oil lies is worked out once the log can be judged."
            if not m.is_judged
            else (
                f"Where the oil lies is not known: no {' and no '.join(missing)} in this log. If a "
                "column holds it, say which "
                "under Logs."
            )
        )
        painter.drawText(box, int(Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap), words)

    def _behind_words(self, m: Moment) -> str:
        if m.ay_g is None or abs(m.ay_g) < 0.05:
            return "from behind"
        way = "left" if m.ay_g > 0 else "right"
        turn = f"{way} turn" if m.side.proven else f"turn {m.side.to(way)}"
        return f"from behind · {turn} {abs(m.ay_g):.2f} g"

    def _paint_cut(
        self,
        painter: QPainter,
        box: QRectF,
        words: str,
        outlines: Sequence[Polygon],
        plates: Sequence[PlateLine],
        oil: Sequence[Polygon],
        mouth_across: float | None,
        is_covered: bool,
    ) -> float:
        """A vertical cut: outline, oil, plates, pickup. Returns the y below it."""
        look, line, d = self._look, self._look.height(Type.SMALL), self.drawing
        paint.label(painter, look, box.left(), box.top() + line * 0.4, words)
        area = QRectF(box.left(), box.top() + line * 1.05, box.width(), max(30.0, box.height() - line * 1.35))
        points = [a for outline in outlines for a, _ in outline]
        if not points:
            return box.bottom() + line * 0.2
        least, most = min(points), max(points)
        scale = min(area.width() / (most - least), area.height() / (d.high_m - d.low_m))
        middle, floor, centre = area.center().x(), area.bottom(), (least + most) / 2

        def at(across: float, up: float) -> QPointF:
            # Both cuts are seen with their positive axis (left, forward) on the viewer's left.
            return QPointF(middle - (across - centre) * scale, floor - (up - d.low_m) * scale)

        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(look.color("oil_wash"))
        for polygon in oil:
            painter.drawPolygon(QPolygonF([at(*p) for p in polygon]))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(look.pen("ink", 1.6))
        for a, b, c, e in outlines:  # floor from a to b, roof from c to e: open above
            painter.drawPolyline(QPolygonF([at(*p) for p in (e, a, b, c)]))
        for plate in plates:
            painter.drawLine(at(*plate.start), at(*plate.end))
        if mouth_across is not None and d.pickup is not None:
            mouth = at(mouth_across, d.pickup[2])
            color = look.color("ink" if is_covered else "below")
            painter.setPen(paint.pen(color, 2.0))
            painter.drawLine(QPointF(mouth.x(), at(0.0, d.high_m).y() + 2), mouth)
            painter.setPen(paint.pen(color, 5.0))
            painter.drawLine(QPointF(mouth.x() - 10, mouth.y() - 2), QPointF(mouth.x() + 10, mouth.y() - 2))
        return box.bottom() + line * 0.2

    def _paint_plan(self, painter: QPainter, box: QRectF, picture: PanPicture) -> float:
        """From above, nose up: wetted floor, plates, doors, pickup, throw arrow. Returns the y below it."""
        look, line, d = self._look, self._look.height(Type.SMALL), self.drawing
        paint.label(painter, look, box.left(), box.top() + line * 0.4, "from above, nose up")
        area = QRectF(box.left(), box.top() + line * 1.05, box.width(), max(30.0, box.height() - line * 1.35))
        x0, x1, y0, y1 = d.extent
        scale = min(area.width() / (y1 - y0), area.height() / (x1 - x0))
        middle, x_mid, y_mid = area.center(), (x0 + x1) / 2, (y0 + y1) / 2

        def at(x_m: float, y_m: float) -> QPointF:
            return QPointF(middle.x() - (y_m - y_mid) * scale, middle.y() - (x_m - x_mid) * scale)

        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(look.color("oil_wash"))
        for polygon in picture.above:
            painter.drawPolygon(QPolygonF([at(*p) for p in polygon]))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(look.pen("ink", 1.6))
        for polygon in d.above:
            painter.drawPolygon(QPolygonF([at(*p) for p in polygon]))
        painter.setPen(look.pen("soft", 1.0, Qt.PenStyle.DashLine))
        for polygon in d.plates_above:
            painter.drawPolygon(QPolygonF([at(*p) for p in polygon]))
        mouth = at(d.pickup[0], d.pickup[1]) if d.pickup is not None else middle
        if d.pickup is not None:
            color = look.color("ink" if picture.covered else "below")
            painter.setPen(paint.pen(color, 1.6))
            painter.setBrush(QBrush(look.color("wash")) if not picture.covered else QBrush(look.color("panel")))
            painter.drawEllipse(mouth, 9, 9)
            painter.setBrush(Qt.BrushStyle.NoBrush)
        if picture.throw_g > 0.08:
            self._paint_arrow(painter, mouth, picture)
        return box.bottom() + line * 0.35

    def _paint_arrow(self, painter: QPainter, start: QPointF, picture: PanPicture) -> None:
        length = min(picture.throw_g, 1.6) * 42.0
        x, y = picture.throw
        dx, dy = -y / picture.throw_g, -x / picture.throw_g
        end = QPointF(start.x() + dx * length, start.y() + dy * length)
        painter.setPen(self._look.pen("ink", 2.0))
        painter.drawLine(start, end)
        for turn in (2.6, -2.6):
            c, s = float(np.cos(turn)), float(np.sin(turn))
            painter.drawLine(end, QPointF(end.x() + 8 * (dx * c - dy * s), end.y() + 8 * (dx * s + dy * c)))

    def _paint_readings(
        self, painter: QPainter, y: float, left: float, right: float, lines: Sequence[ReadingLine]
    ) -> None:
        """Only the values are written anew for each moment; names, units and rules come from a picture kept of them."""
        look, line = self._look, self._look.height(Type.BODY)
        painter.drawPixmap(0, round(y), self._reading_labels(left, right, lines))
        y = float(round(y))
        for r in lines:
            y += line * 1.5
            if y > self.height() - line * 0.3:
                return
            color = look.color("below" if r.low else "ink")
            paint.text(painter, right - line * 2.0, y, r.value, look.font(Type.NUMBER), color, paint.RIGHT)

    def _reading_labels(self, left: float, right: float, lines: Sequence[ReadingLine]) -> QPixmap:
        """Names, units and rules of the readings on the panel's ground."""
        look, line, ratio = self._look, self._look.height(Type.BODY), self.devicePixelRatioF()
        key = (tuple((r.name, r.unit) for r in lines), self.width(), ratio, look.state)
        if self._labels is None or self._labels[0] != key:
            picture = QPixmap(round(self.width() * ratio), round(line * (1.5 * len(lines) + 1.0) * ratio))
            picture.setDevicePixelRatio(ratio)
            picture.fill(look.color("panel"))
            painter = QPainter(picture)
            paint.rule(painter, 0, 0, 0, picture.height(), look.color("rule"))
            y = 0.0
            for r in lines:
                y += line * 1.5
                paint.label(painter, look, left, y, r.name, Type.BODY)
                paint.label(painter, look, right - line * 2.0 + 7, y, r.unit)
                paint.rule(painter, left, y + line * 0.72, right, y + line * 0.72, look.color("rule"))
            painter.end()
            self._labels = (key, picture)
        return self._labels[1]
