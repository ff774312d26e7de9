"""Draws the oil's way with the sensors on it; a click on one chooses it."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPolygonF
from PySide6.QtWidgets import QWidget

from basso.ui.plots import paint
from basso.ui.stations.sensors.circuit_picture import FILTER_X, WAY_Y, CircuitPicture, Label
from basso.ui.theme.look import Look, Type


class CircuitView(QWidget):
    """The sketch. ``chosen`` carries the id of a card."""

    chosen = Signal(str)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self.picture: CircuitPicture | None = None
        self._current = ""
        look.fit(self, lambda w: w.setFixedHeight(round(look.height() * 11.5)))
        self.setAccessibleName("The oil's way and the sensors on it")
        look.changed.connect(self.update)

    def show_picture(self, picture: CircuitPicture | None, current: str) -> None:
        """Show a sketch with one sensor marked."""
        self.picture, self._current = picture, current
        self.update()

    def _box(self, label: Label) -> QRectF:
        line = self._look.height(Type.SMALL)
        return QRectF(label.x * self.width(), label.y * self.height() - 4, label.width * self.width(), 2.2 * line + 6)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        for label in self.picture.labels if self.picture is not None else ():
            if self._box(label).contains(event.position()):
                self.chosen.emit(label.sensor)
                return

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        look, p = self._look, self.picture
        painter.fillRect(self.rect(), look.color("paper"))
        if p is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        ink, soft, oil = look.color("ink"), look.color("soft"), look.color("oil")
        self._draw_stems(painter, p, soft)
        self._draw_way(painter, p, oil, ink)
        self._draw_names(painter, p, soft)
        for label in p.labels:
            self._draw_label(painter, label, ink, soft)

    def _at(self, x: float, y: float) -> QPointF:
        return QPointF(x * self.width(), y * self.height())

    def _draw_stems(self, painter: QPainter, p: CircuitPicture, soft: QColor) -> None:
        painter.setPen(paint.pen(soft, 1.0))
        for label in p.labels:
            box, port = self._box(label), self._at(label.port_x, label.port_y)
            x = min(max(port.x(), box.left() + 6), box.right() - 6)
            above = box.bottom() < port.y()
            edge = QPointF(x, box.bottom() if above else box.center().y())
            if not above:  # beside it
                edge.setX(box.left() if box.left() > port.x() else box.right())
            painter.drawLine(edge, port)

    def _draw_way(self, painter: QPainter, p: CircuitPicture, oil: QColor, ink: QColor) -> None:
        line = self._look.height(Type.SMALL)
        thick, paper = paint.pen(oil, 4.0), self._look.color("paper")
        painter.setPen(thick)
        for x0, y0, x1, y1 in ((0.055, 0.86, 0.055, WAY_Y), (0.055, WAY_Y, 0.62, WAY_Y), (0.93, WAY_Y, 0.965, 0.42)):
            painter.drawLine(self._at(x0, y0), self._at(x1, y1))
        if p.accumulator:
            painter.drawLine(self._at(0.535, WAY_Y), self._at(0.535, 0.80))
        painter.setPen(paint.pen(oil, 9.0))
        painter.drawLine(self._at(0.62, WAY_Y), self._at(0.93, WAY_Y))
        painter.setPen(paint.pen(oil, 2.0))
        for i in range(5):
            x = 0.65 + 0.065 * i
            painter.drawLine(self._at(x, WAY_Y), self._at(x, 0.70))
        painter.setPen(paint.pen(ink, 1.4))
        painter.setBrush(paper)
        for i in range(5):
            centre = self._at(0.65 + 0.065 * i, 0.735)
            painter.drawEllipse(centre, line * 0.42, line * 0.42)
        pan = self._at(0.055, 0.86)
        wide, deep = 0.05 * self.width(), 0.115 * self.height()
        painter.setBrush(self._look.color("oil_wash"))
        painter.drawPolygon(
            QPolygonF(
                [
                    QPointF(pan.x() - wide, pan.y() - deep),
                    QPointF(pan.x() + wide, pan.y() - deep),
                    QPointF(pan.x() + 0.8 * wide, pan.y() + 0.6 * deep),
                    QPointF(pan.x() - 0.8 * wide, pan.y() + 0.6 * deep),
                ]
            )
        )
        painter.setBrush(paper)
        painter.drawEllipse(self._at(0.115, WAY_Y), line * 0.85, line * 0.85)
        half = line * 0.95
        boxes = [(FILTER_X - 0.012, 0.05)] + ([(0.255, 0.09)] if p.cooler else [])
        for x, width in boxes:
            left = self._at(x - width / 2, WAY_Y)
            painter.drawRect(QRectF(left.x(), left.y() - half, width * self.width(), 2 * half))
        if p.accumulator:
            bottle = self._at(0.535, 0.86)
            painter.drawRoundedRect(QRectF(bottle.x() - 9, bottle.y() - line * 1.1, 18, line * 1.7), 8, 8)
        painter.setBrush(ink)
        painter.setPen(Qt.PenStyle.NoPen)
        for _, x, y in p.ports:
            painter.drawEllipse(self._at(x, y), 2.5, 2.5)
        for label in p.labels:
            painter.setBrush(self._look.color("below") if label.wrong else ink)
            painter.drawEllipse(self._at(label.port_x, label.port_y), 4.5, 4.5)

    def _draw_names(self, painter: QPainter, p: CircuitPicture, soft: QColor) -> None:
        small, line = self._look.font(Type.SMALL), self._look.height(Type.SMALL)
        names = [(0.055, "pan"), (0.115, "pump"), (FILTER_X - 0.012, "filter"), (0.78, "")]
        if p.cooler:
            names.append((0.255, "cooler"))
        for x, name in names:
            down = 0.99 if name == "pan" else WAY_Y - 1.5 * line / self.height()
            paint.text(
                painter,
                x * self.width(),
                down * self.height() - (line * 0.4 if name == "pan" else 0),
                name,
                small,
                soft,
                paint.CENTRE,
            )
        paint.text(painter, 0.78 * self.width(), 0.86 * self.height(), "bearings", small, soft, paint.CENTRE)
        paint.text(painter, 0.965 * self.width(), 0.36 * self.height(), "head", small, soft, paint.CENTRE)
        x = (FILTER_X + 0.02) * self.width()
        paint.rule(
            painter, x, 0.44 * self.height(), x, 0.96 * self.height(), self._look.color("rule"), Qt.PenStyle.DashLine
        )
        under = 0.95 * self.height()
        paint.text(painter, x - 6, under, "reads more than the bearings get", small, soft, paint.RIGHT)
        paint.text(
            painter,
            x + 6 + (38 if p.accumulator else 0),
            under,
            "" if p.accumulator else "after the filter",
            small,
            soft,
        )
        lamp = f"warning lamp: {p.lamp}"
        color = self._look.color("below") if p.lamp == "gone" else soft
        paint.text(
            painter,
            self.width() - 2,
            under,
            lamp,
            self._look.font(Type.SMALL_STRONG if p.lamp == "gone" else Type.SMALL),
            color,
            paint.RIGHT,
        )

    def _draw_label(self, painter: QPainter, label: Label, ink: QColor, soft: QColor) -> None:
        box, line = self._box(label), self._look.height(Type.SMALL)
        chosen = label.sensor == self._current
        painter.setPen(paint.pen(ink if chosen else self._look.color("rule"), 1.6 if chosen else 1.0))
        painter.setBrush(self._look.color("panel"))
        painter.drawRoundedRect(box, 3, 3)
        strong, small = self._look.font(Type.SMALL_STRONG), self._look.font(Type.SMALL)
        tones = (self._look.color("below") if label.wrong else ink, soft)
        for i, (words, font) in enumerate(zip(label.lines, (strong, small), strict=False)):
            fits = QFontMetricsF(font).elidedText(words, Qt.TextElideMode.ElideRight, box.width() - 12)
            paint.text(painter, box.left() + 6, box.top() + 4 + line * (0.5 + 1.05 * i), fits, font, tones[i])
