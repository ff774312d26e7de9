"""Draws the pressure field: engine speed × oil temperature, expected pressure as contours, the floor as a line through
it."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QEvent, QLineF, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QFontMetricsF, QImage, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from basso.ui.plots import paint
from basso.ui.plots.ticks import ticks
from basso.ui.stations.normal.field_picture import Contour, FieldPicture
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits


class FieldView(QWidget):
    """The field of one session; drawn from a :class:`FieldPicture`. ``looked_at`` carries rpm and °C under the
    pointer."""

    looked_at = Signal(float, float)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self.picture: FieldPicture | None = None
        self._units = DisplayUnits()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        look.fit(self, lambda w: w.setMinimumHeight(round(look.height() * 11.0)))
        self.setAccessibleName("Pressure field: expected pressure over engine speed and oil temperature")
        self.setToolTip(
            "Lines of expected pressure; shaded where the car ran settled; hatched where it was not "
            "driven: there the lines are the "
            "form's own guess. Plum: where normal meets the active floor; thin: each other rule's, and "
            "your own lines. The ring: racing speed and the hottest oil."
        )
        self.setMouseTracking(True)
        self._said = ""
        self._taken: list[QRectF] = []
        """Where labels stand already."""
        look.changed.connect(self.update)

    def say(self, words: str) -> None:
        """What is known of the place that is looked at; it stands under the field."""
        self._said = words
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        p, area, at = self.picture, self._area(), event.position()
        if p is None or not area.contains(at):
            self.say("")
            return
        x, y = (at.x() - area.left()) / area.width(), (area.bottom() - at.y()) / area.height()
        self.looked_at.emit(p.rpm[0] + x * (p.rpm[1] - p.rpm[0]), p.heat[0] + y * (p.heat[1] - p.heat[0]))

    def leaveEvent(self, event: QEvent) -> None:
        self.say("")

    def show_picture(self, picture: FieldPicture | None, units: DisplayUnits) -> None:
        """Show another field."""
        self.picture, self._units = picture, units
        self.update()

    def _area(self) -> QRectF:
        line = self._look.height(Type.SMALL)
        return QRectF(line * 2.6, line * 1.5, self.width() - line * 3.2, self.height() - line * 4.0)

    def _at(self, rpm: float, heat: float) -> QPointF:
        p, area = self.picture, self._area()
        assert p is not None
        x = (rpm - p.rpm[0]) / (p.rpm[1] - p.rpm[0])
        y = (heat - p.heat[0]) / (p.heat[1] - p.heat[0])
        return QPointF(area.left() + x * area.width(), area.bottom() - y * area.height())

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, look, p = QPainter(self), self._look, self.picture
        painter.fillRect(self.rect(), look.color("paper"))
        if p is None:
            return
        area = self._area()
        painter.drawImage(area, self._ground(p))
        self._hatch(painter, p)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        self._taken.clear()
        for contour in p.contours:
            self._draw(painter, contour, look.color("ample"), 1.1, label=contour.words)
        for contour in p.floors:
            self._draw(painter, contour, look.color("below"), 2.4, label=contour.words)
        for contour in p.floor_rules:
            self._draw(painter, contour, look.color("below"), 0.9, label=contour.words)
        self._draw_hot_area(painter, p)
        self._draw_axes(painter, p, area)

    def _ground(self, p: FieldPicture) -> QImage:
        """How often the car ran settled there, as depth of ink on the panel."""
        share = np.log1p(p.density) / max(float(np.log1p(p.density).max()), 1.0)
        panel, soft = self._look.color("panel"), self._look.color("soft")
        mixed = np.empty((*share.shape, 3), dtype=np.uint8)
        for i, (a, b) in enumerate(
            ((panel.red(), soft.red()), (panel.green(), soft.green()), (panel.blue(), soft.blue()))
        ):
            mixed[..., i] = np.round(a + (b - a) * 0.55 * share[::-1]).astype(np.uint8)
        mixed = np.ascontiguousarray(mixed)
        return QImage(
            mixed.data, mixed.shape[1], mixed.shape[0], 3 * mixed.shape[1], QImage.Format.Format_RGB888
        ).copy()

    def _hatch(self, painter: QPainter, p: FieldPicture) -> None:
        """What rests on no data is hatched: its contours are the form's own guess."""
        pen = self._look.pen("rule")
        painter.setPen(pen)
        rows, columns = p.covered.shape
        lines = []
        low, high = p.heat
        left, right = p.rpm
        for row in range(0, rows - 1, 2):
            for column in range(0, columns - 1, 2):
                if not p.covered[row, column]:
                    a = self._at(left + (right - left) * column / (columns - 1), low + (high - low) * row / (rows - 1))
                    b = self._at(
                        left + (right - left) * min(column + 2, columns - 1) / (columns - 1),
                        low + (high - low) * min(row + 2, rows - 1) / (rows - 1),
                    )
                    lines.append(QLineF(a, b))
        painter.drawLines(lines)

    def _draw(self, painter: QPainter, contour: Contour, color: QColor, width: float, label: str) -> None:
        painter.setPen(paint.pen(color, width))
        painter.drawLines([QLineF(self._at(x0, y0), self._at(x1, y1)) for x0, y0, x1, y1 in contour.segments])
        font = self._look.font(Type.SMALL_STRONG if width > 2 else Type.SMALL)
        box = QFontMetricsF(font).boundingRect(label).adjusted(-3, -1, 3, 1)
        area = self._area().adjusted(4, 2, -4, -2)
        for place in contour.label_at:
            at = self._at(*place)
            box.moveCenter(at)
            if area.contains(box) and not any(box.intersects(other) for other in self._taken):
                self._taken.append(QRectF(box))
                painter.fillRect(box, self._look.color("panel"))
                paint.text(painter, at.x(), at.y(), label, font, color, paint.CENTRE)
                return

    def _draw_hot_area(self, painter: QPainter, p: FieldPicture) -> None:
        ink = self._look.color("ink")
        if p.hot_area is not None:
            low, high, cool, hot = p.hot_area
            box = QRectF(self._at(low, hot), self._at(high, cool))
            painter.setPen(paint.pen(ink, 1.4, Qt.PenStyle.DashLine))
            painter.drawRect(box)
            paint.text(
                painter,
                box.left() - 5,
                box.center().y(),
                "hot working range",
                self._look.font(Type.SMALL_STRONG),
                ink,
                paint.RIGHT,
            )
        at = self._at(*p.moment)
        painter.setPen(paint.pen(ink, 1.6))
        painter.setBrush(self._look.color("panel"))
        painter.drawEllipse(at, 4.5, 4.5)
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def _draw_axes(self, painter: QPainter, p: FieldPicture, area: QRectF) -> None:
        look = self._look
        small, soft, line = look.font(Type.SMALL), look.color("soft"), look.height(Type.SMALL)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        painter.setPen(look.pen("soft"))
        painter.drawRect(area)
        for rpm in ticks(*p.rpm, 7):
            x = self._at(rpm, p.heat[0]).x()
            paint.text(painter, x, area.bottom() + line * 0.8, f"{rpm:.0f}", small, soft, paint.CENTRE)
        unit = self._units.temperature
        low, high = (unit.from_base(v) for v in p.heat)
        for value in ticks(low, high, 6):
            y = self._at(p.rpm[0], unit.to_base(value)).y()
            paint.text(painter, area.left() - 6, y, f"{value:g}", small, soft, paint.RIGHT)
        paint.text(painter, 0, line * 0.6, f"oil temperature, {unit.symbol}", small, soft)
        if self._said:
            paint.text(painter, area.left(), area.bottom() + line * 1.7, self._said, small, look.color("ink"))
        else:
            paint.text(painter, area.right(), area.bottom() + line * 1.7, "engine speed, rpm", small, soft, paint.RIGHT)
        told = f"lines: normal, {self._units.pressure.symbol}; shaded: driven; hatched: not"
        free = area.width() - QFontMetricsF(small).horizontalAdvance("oil temperature, °C") - line
        if QFontMetricsF(small).horizontalAdvance(told) <= free:
            paint.text(painter, area.right(), line * 0.6, told, small, soft, paint.RIGHT)
