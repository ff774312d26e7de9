"""Evidence drawn: lines and points on two axes with their units."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from basso.ui.plots import paint
from basso.ui.plots.strokes import points_of
from basso.ui.plots.ticks import ticks
from basso.ui.stations.sensors.evidence_picture import Evidence
from basso.ui.theme.look import Look, Type


class EvidencePlot(QWidget):
    """Draws what a check rests on."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self.evidence: Evidence | None = None
        look.fit(self, lambda w: w.setMinimumHeight(round(look.height() * 9)))
        self.setAccessibleName("Evidence")

    def show_evidence(self, drawn: Evidence | None) -> None:
        """Show a drawing, or nothing."""
        self.evidence = drawn
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        look, e = self._look, self.evidence
        painter.fillRect(self.rect(), look.color("paper"))
        if e is None:
            return
        small, soft, line = look.font(Type.SMALL), look.color("soft"), look.height(Type.SMALL)
        known = [s for s in e.series if s.x.size and np.isfinite(s.y).any()]
        if not known:
            return
        area = QRectF(line * 3.4, line * 2.6, self.width() - line * 5.0, self.height() - line * 5.4)
        x0, x1 = min(float(s.x.min()) for s in known), max(float(s.x.max()) for s in known)
        y0, y1 = min(float(np.nanmin(s.y)) for s in known), max(float(np.nanmax(s.y)) for s in known)
        if e.level is not None:
            y0, y1 = min(y0, e.level), max(y1, e.level)
        if y1 - y0 < e.least_span:
            y0, y1 = (y0 + y1 - e.least_span) / 2, (y0 + y1 + e.least_span) / 2
        pad = 0.06 * (y1 - y0 or 1.0)
        y0, y1, x1 = y0 - pad, y1 + pad, x1 if x1 > x0 else x0 + 1.0
        to_x = area.width() / (x1 - x0)
        to_y = area.height() / (y1 - y0)
        paint.label(painter, look, 0, line * 0.7, e.title, Type.SMALL_STRONG, "ink")
        paint.text(painter, 0, line * 1.9, e.y_label, small, soft)
        for v in ticks(y0, y1, 6):
            y = area.bottom() - (v - y0) * to_y
            paint.rule(painter, area.left(), y, area.right(), y, look.color("grid"))
            paint.text(painter, area.left() - 8, y, f"{v:g}".replace("-", "−"), small, soft, paint.RIGHT)
        for v in ticks(x0, x1, 7):
            if e.counts and v != round(v):
                continue
            x = area.left() + (v - x0) * to_x
            paint.text(painter, x, area.bottom() + line * 0.9, f"{v:g}".replace("-", "−"), small, soft, paint.CENTRE)
        paint.text(painter, area.right(), area.bottom() + line * 2.1, e.x_label, small, soft, paint.RIGHT)
        if e.level is not None:
            painter.setPen(look.pen("ink", 1.0, Qt.PenStyle.DashLine))
            y = area.bottom() - (e.level - y0) * to_y
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        named = area.right()
        for s in reversed(e.series):
            color = look.color(s.tone)
            keep = np.isfinite(s.y)
            px, py = area.left() + (s.x[keep] - x0) * to_x, area.bottom() - (s.y[keep] - y0) * to_y
            if s.points:
                painter.setPen(paint.pen(color, 6.0 if px.size < 40 else 3.4))
                painter.drawPoints(points_of(px, py))
            else:
                painter.setPen(paint.pen(color, 1.6, Qt.PenStyle.DashLine if s.dashed else Qt.PenStyle.SolidLine))
                painter.drawPolyline(points_of(px, py))
            if s.name:
                paint.text(
                    painter,
                    named,
                    line * 1.9,
                    ("● " if s.points else "- - " if s.dashed else "— ") + s.name,
                    look.font(Type.SMALL_STRONG),
                    color,
                    paint.RIGHT,
                )
                named -= painter.fontMetrics().horizontalAdvance(s.name) + line * 2.2
