"""A chart of a report, painted in the window: the same shapes as on the page and on paper, in the look's colours."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFont, QPainter, QPaintEvent, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from basso.report import drawing
from basso.report.drawing import Area, Drawing, Line
from basso.ui.plots import paint
from basso.ui.theme.look import Look, Type

_NAMES = {
    drawing.INK: "ink",
    drawing.SOFT: "soft",
    drawing.RULE: "rule",
    drawing.GRID: "grid",
    drawing.OIL: "oil",
    drawing.AMPLE: "ample",
    drawing.FAIR: "fair",
    drawing.SAND: "sand",
    drawing.BELOW: "below",
    drawing.PAPER: "paper",
    drawing.PANEL: "panel",
}


class DrawingView(QWidget):
    """Paints one drawing as wide as there is room."""

    def __init__(self, look: Look, shown: Drawing) -> None:
        super().__init__()
        self._look, self._drawing = look, shown
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(shown.says)
        look.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(640, self.heightForWidth(640))

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return round(width * self._drawing.height / self._drawing.width)

    def resizeEvent(self, _: object) -> None:
        self.setFixedHeight(self.heightForWidth(self.width()))

    def _color(self, named: str) -> QColor:
        return self._look.color(_NAMES[named]) if named in _NAMES else self._look.color("panel")

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, d = QPainter(self), self._drawing
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        scale = self.width() / d.width
        painter.fillRect(self.rect(), self._look.color("panel"))
        for s in d.shapes:
            if isinstance(s, Line | Area):
                shape = QPolygonF([QPointF(x * scale, y * scale) for x, y in s.points])
                if isinstance(s, Line):
                    pen = paint.pen(self._color(s.color), s.width * scale)
                    if s.dash:
                        pen.setDashPattern([v / max(s.width, 0.1) for v in s.dash])
                    painter.setPen(pen)
                    painter.drawPolyline(shape)
                    continue
                fill = QColor(self._color(s.fill))
                fill.setAlphaF(s.opacity)
                painter.setPen(paint.pen(self._color(s.edge)) if s.edge else Qt.PenStyle.NoPen)
                painter.setBrush(fill)
                painter.drawPolygon(shape)
                painter.setBrush(Qt.BrushStyle.NoBrush)
                continue
            font = QFont(self._look.font(Type.SMALL_STRONG if s.bold else Type.SMALL))
            font.setPixelSize(max(round(s.size * scale), 11))
            align = {"start": paint.LEFT, "middle": paint.CENTRE, "end": paint.RIGHT}[s.anchor]
            y = (s.y - 0.33 * s.size) * scale
            paint.text(painter, s.x * scale, y, s.text, font, self._color(s.color), align)
        painter.setPen(self._look.pen("rule"))
        painter.drawRect(QRectF(0, 0, self.width() - 1, self.height() - 1))
