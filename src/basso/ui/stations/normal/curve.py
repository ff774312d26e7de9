"""Draws normal over engine speed alone, for a log without oil temperature: its interval, the floor, what calm running
read."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from basso.ui.plots import paint, strokes
from basso.ui.plots.ticks import ticks
from basso.ui.stations.normal.curve_picture import CurvePicture
from basso.ui.theme.look import Look, Type
from basso.units import FloatArray


class CurveView(QWidget):
    """Normal over engine speed; drawn from a :class:`CurvePicture`."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self.picture: CurvePicture | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        look.fit(self, lambda w: w.setMinimumHeight(round(look.height() * 11.0)))
        self.setAccessibleName("Normal: expected pressure over engine speed")
        self.setToolTip(
            "Normal pressure with the oil of mid-session, with its 90 % interval; dots: calm running, "
            "each by its share "
            "of normal; dashed: the active floor. Where nothing was driven calmly there is no line."
        )
        look.changed.connect(self.update)

    def show_picture(self, picture: CurvePicture | None) -> None:
        """Show another curve."""
        self.picture = picture
        self.setVisible(picture is not None)
        self.update()

    def _area(self) -> QRectF:
        line = self._look.height(Type.SMALL)
        return QRectF(line * 2.6, line * 1.5, self.width() - line * 4.6, self.height() - line * 4.0)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, look, p = QPainter(self), self._look, self.picture
        painter.fillRect(self.rect(), look.color("paper"))
        if p is None:
            return
        area, small, soft = self._area(), look.font(Type.SMALL), look.color("soft")
        line = look.height(Type.SMALL)
        first, last = float(p.rpm[0]), float(p.rpm[-1])

        def x_of(rpm: FloatArray) -> FloatArray:
            return np.asarray(area.left() + (rpm - first) / (last - first) * area.width())

        def y_of(shown: FloatArray) -> FloatArray:
            return np.asarray(area.bottom() - shown / p.top * area.height())

        painter.fillRect(area, look.color("panel"))
        for value in ticks(0.0, p.top, 6):
            level = float(y_of(np.array(value)))
            paint.rule(painter, area.left(), level, area.right(), level, look.color("rule"))
            paint.text(painter, area.left() - 6, level, f"{value:g}", small, soft, paint.RIGHT)
        for value in ticks(first, last, 7):
            paint.text(
                painter,
                float(x_of(np.array(value))),
                area.bottom() + 0.8 * line,
                f"{value:.0f}",
                small,
                soft,
                paint.CENTRE,
            )
        paint.text(painter, area.left(), area.top() - 0.7 * line, f"normal, {p.unit}", small, soft)
        paint.text(painter, area.right(), area.bottom() + 1.9 * line, "engine speed, rpm", small, soft, paint.RIGHT)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        painter.setClipRect(area)
        x = x_of(p.rpm)
        painter.setPen(paint.pen(soft, 2.0))
        painter.drawPoints(strokes.points_of(x_of(p.dots[:, 0]), y_of(p.dots[:, 1])))
        haze = look.color("ample")
        haze.setAlpha(70)
        strokes.band(painter, x, y_of(p.high), y_of(p.low), haze)
        strokes.curve(painter, x, y_of(p.normal), look.pen("ample", 2.0))
        strokes.curve(painter, x, y_of(p.floor), look.pen("below", 1.6, Qt.PenStyle.DashLine))
        painter.setClipping(False)
        self._name(painter, x, y_of(p.floor), "active floor", "below", QPointF(0.8 * line, line), paint.LEFT)
        self._name(painter, x, y_of(p.high), "normal", "ample", QPointF(-0.8 * line, -0.8 * line), paint.RIGHT)

    def _name(
        self,
        painter: QPainter,
        x: FloatArray,
        y: FloatArray,
        words: str,
        color: str,
        off: QPointF,
        anchor: Qt.AlignmentFlag,
    ) -> None:
        """Write a line's name beside it, a third of the way along."""
        known = np.flatnonzero(np.isfinite(y))
        if known.size:
            at = int(known[known.size // 3])
            font, ink = self._look.font(Type.SMALL_STRONG), self._look.color(color)
            paint.text(painter, float(x[at]) + off.x(), float(y[at]) + off.y(), words, font, ink, anchor)
