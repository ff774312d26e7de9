"""Draws one dip, the way the g went, and a session's shares of normal."""

from __future__ import annotations

from typing import Generic, TypeVar

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPolygonF
from PySide6.QtWidgets import QWidget

from basso.recording.spans import runs_of
from basso.ui.plots import paint
from basso.ui.plots.ticks import ticks
from basso.ui.stations.dips.one_dip import DipPicture, SharePicture
from basso.ui.theme.look import Look, Type
from basso.units import FloatArray

P = TypeVar("P")


class _Plot(QWidget, Generic[P]):
    """A plot of a picture, with an area inside its axes."""

    def __init__(self, look: Look, lines: float) -> None:
        super().__init__()
        self._look = look
        self.picture: P | None = None
        self.setMinimumHeight(round(look.height() * lines))
        look.changed.connect(self.update)

    def show_picture(self, picture: P | None) -> None:
        """Show another one."""
        self.picture = picture
        self.update()

    def _area(self) -> QRectF:
        line = self._look.height(Type.SMALL)
        return QRectF(line * 3.4, line * 0.9, self.width() - line * 4.2, self.height() - line * 3.3)

    def _axes(
        self,
        painter: QPainter,
        x: tuple[float, float],
        y: tuple[float, float],
        words: tuple[str, str],
        y_digits: str = "g",
    ) -> None:
        look, area = self._look, self._area()
        small, soft, line = look.font(Type.SMALL), look.color("soft"), look.height(Type.SMALL)
        for v in ticks(*y, 5):
            at = self._at(0.0, v, x, y).y()
            paint.rule(painter, area.left(), at, area.right(), at, look.color("grid"))
            paint.text(painter, area.left() - 6, at, f"{v:{y_digits}}", small, soft, paint.RIGHT)
        for v in ticks(*x, 8):
            at = self._at(v, 0.0, x, y).x()
            paint.text(painter, at, area.bottom() + line * 0.8, f"{v:g}".replace("-", "−"), small, soft, paint.CENTRE)
        paint.text(painter, area.right(), area.bottom() + line * 1.7, words[0], small, soft, paint.RIGHT)
        paint.text(painter, area.left() + 4, area.top() - line * 0.2, words[1], small, soft)

    def _at(self, u: float, v: float, x: tuple[float, float], y: tuple[float, float]) -> QPointF:
        area = self._area()
        return QPointF(
            area.left() + (u - x[0]) / (x[1] - x[0]) * area.width(),
            area.bottom() - (v - y[0]) / (y[1] - y[0]) * area.height(),
        )

    def _line(self, u: FloatArray, v: FloatArray, x: tuple[float, float], y: tuple[float, float]) -> list[QPolygonF]:
        """The curve in pieces, broken where a value is missing."""
        area = self._area()
        across = area.left() + (u - x[0]) / (x[1] - x[0]) * area.width()
        down = area.bottom() - (v - y[0]) / (y[1] - y[0]) * area.height()
        return [
            QPolygonF(
                [QPointF(a, b) for a, b in zip(across[first:last].tolist(), down[first:last].tolist(), strict=True)]
            )
            for first, last in runs_of(np.isfinite(down))
        ]


class DipView(_Plot[DipPicture]):
    """Pressure through the dip, with the other laps at the same place behind it."""

    def __init__(self, look: Look) -> None:
        super().__init__(look, 5.5)
        self.setAccessibleName("Pressure through the dip, with the other laps at the same place")
        self.setToolTip("Black: this dip. Grey: the other laps, from the same distance along the lap.")

    def paintEvent(self, event: QPaintEvent) -> None:
        p, look = self.picture, self._look
        if p is None:
            return
        painter, area = QPainter(self), self._area()
        x = float(p.time_s[0]), float(p.time_s[-1])
        high = np.nanmax(
            np.concatenate([p.pressure, p.expected[np.isfinite(p.expected)], p.floor[np.isfinite(p.floor)]])
        )
        y = 0.0, float(high) * 1.08
        left, right = self._at(0.0, 0.0, x, y).x(), self._at(min(p.end_s, x[1]), 0.0, x, y).x()
        painter.fillRect(QRectF(left, area.top(), right - left, area.height()), look.color("band"))
        self._axes(painter, x, y, ("seconds from the crossing", f"pressure, {p.unit}"))
        painter.setClipRect(area)
        faint = look.color("soft")
        faint.setAlphaF(0.38)
        for times, values in p.others:
            painter.setPen(paint.pen(faint, 1.0))
            for piece in self._line(times, values, x, y):
                painter.drawPolyline(piece)
        for values, color, style in (
            (p.expected, "fair", Qt.PenStyle.SolidLine), (p.floor, "below", Qt.PenStyle.DashLine), (p.pressure, "ink", Qt.PenStyle.SolidLine),
        ):  # fmt: skip
            painter.setPen(paint.pen(look.color(color), 1.0, style))
            for piece in self._line(p.time_s, values, x, y):
                painter.drawPolyline(piece)
        painter.setClipping(False)
        line = look.height(Type.SMALL)
        for values, color, words, up in ((p.expected, "fair", "expected", -0.8), (p.floor, "below", "floor", 0.8)):
            known = np.flatnonzero(np.isfinite(values))
            if known.size:
                at = self._at(x[1], float(values[known[-1]]), x, y)
                paint.text(
                    painter,
                    area.right() - 4,
                    at.y() + up * line,
                    words,
                    look.font(Type.SMALL_STRONG),
                    look.color(color),
                    paint.RIGHT,
                )


class GPathView(_Plot[DipPicture]):
    """The way the g went: sideways against fore and aft, as seen from above, the oil going the other way."""

    def __init__(self, look: Look) -> None:
        super().__init__(look, 5.5)
        self.setAccessibleName("The way the g went before the dip")
        self.setToolTip(
            "From three seconds before the crossing (thin) to the deepest point (thick); the mark is the crossing."
        )

    def _area(self) -> QRectF:
        side = min(self.width(), self.height()) - 2.0 * self._look.height(Type.SMALL)
        return QRectF((self.width() - side) / 2.0, (self.height() - side) / 2.0, side, side)

    def paintEvent(self, event: QPaintEvent) -> None:
        p, look = self.picture, self._look
        if p is None or not p.side_g.size:
            return
        painter, area = QPainter(self), self._area()
        most = max(1.0, float(np.ceil(np.hypot(p.side_g, p.fore_g).max() * 2.0) / 2.0))
        span = (-most, most)
        middle = self._at(0.0, 0.0, span, span)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        small, soft = look.font(Type.SMALL), look.color("soft")
        for ring in np.arange(0.5, most + 0.01, 0.5):
            far = ring / most * area.width() / 2.0
            painter.setPen(paint.pen(look.color("grid")))
            painter.drawEllipse(middle, far, far)
            paint.text(painter, middle.x() + 3, middle.y() - far + 7, f"{ring:g} g", small, soft)
        for words, u, v, anchor in (
            ("accelerating", 0.0, most, paint.CENTRE), ("braking", 0.0, -most, paint.CENTRE), ("left", -most, 0.0, paint.RIGHT), ("right", most, 0.0, paint.LEFT),
        ):  # fmt: skip
            at = self._at(u, v, span, span)
            paint.text(painter, at.x(), at.y() + (-8 if v > 0 else 8 if v < 0 else 0), words, small, soft, anchor)
        # A left turn is drawn to the left, as the driver feels it.
        points = [self._at(-a, b, span, span) for a, b in zip(p.side_g.tolist(), p.fore_g.tolist(), strict=True)]
        for i in range(1, len(points)):
            inside = p.g_time_s[i] >= 0.0
            painter.setPen(paint.pen(look.color("below" if inside else "ink"), 2.4 if inside else 1.2))
            painter.drawLine(points[i - 1], points[i])
        cross = points[min(int(np.searchsorted(p.g_time_s, 0.0)), len(points) - 1)]
        painter.setPen(paint.pen(look.color("ink"), 1.4))
        painter.setBrush(look.color("panel"))
        painter.drawEllipse(cross, 4.5, 4.5)


class ShareView(_Plot[SharePicture]):
    """How much of the running lay below which share of normal."""

    def __init__(self, look: Look) -> None:
        super().__init__(look, 5.5)
        self.setAccessibleName("Part of the running below each share of normal")
        self.setToolTip("Read up from a share of normal: so much of the warm running above the gate lay below it.")

    def paintEvent(self, event: QPaintEvent) -> None:
        p, look = self.picture, self._look
        if p is None:
            return
        painter = QPainter(self)
        x = (100.0 * float(p.share[-1]), 105.0)
        top = max(0.05, min(1.0, 1.3 * float(np.interp(0.97, p.share[::-1], p.below[::-1]))))
        y = (0.0, 100.0 * top)
        self._axes(painter, x, y, ("share of normal, %", "of warm running below it, %"))
        painter.setClipRect(self._area())
        painter.setPen(paint.pen(look.color("ink"), 1.0))
        for piece in self._line(100.0 * p.share, 100.0 * p.below, x, y):
            painter.drawPolyline(piece)
        painter.setClipping(False)
        if p.floor is not None:
            area, at = self._area(), self._at(100.0 * p.floor, 0.0, x, y).x()
            part = float(np.interp(p.floor, p.share[::-1], p.below[::-1]))
            paint.rule(painter, at, area.top(), at, area.bottom(), look.color("below"), Qt.PenStyle.DashLine)
            words = f"{100.0 * part:.1f} % below {100.0 * p.floor:.0f} %"
            paint.text(
                painter,
                at + 6,
                area.top() + look.height(Type.SMALL),
                words,
                look.font(Type.SMALL_STRONG),
                look.color("below"),
            )


class GView(_Plot[SharePicture]):
    """The share of normal against g, sideways or fore and aft: the middle, and the lowest twentieth."""

    def __init__(self, look: Look, fore: bool) -> None:
        super().__init__(look, 5.5)
        self._fore = fore
        self.setAccessibleName(f"Share of normal against g {'fore and aft' if fore else 'sideways'}")
        self.setToolTip("Line: the middle of the running at that g. Bars: down to its lowest twentieth.")

    def paintEvent(self, event: QPaintEvent) -> None:
        p, look = self.picture, self._look
        if p is None:
            return
        # To the left what throws the car left, or stops it: braking to the left, accelerating to the right.
        g, middle, low = (
            (p.fore_g, p.fore_share, p.fore_low) if self._fore else (-p.g[::-1], p.share_at_g[::-1], p.low_at_g[::-1])
        )
        if not g.size:
            return
        painter = QPainter(self)
        x = float(g.min()) - 0.1, float(g.max()) + 0.1
        y = (min(50.0, 100.0 * float(low.min()) - 5.0), 110.0)
        ways = "braking (−) and accelerating (+), g" if self._fore else "left turns (−) and right turns (+), g"
        self._axes(painter, x, y, (ways, "share of normal, %"))
        wide = abs(self._at(0.1, 0.0, x, y).x() - self._at(0.0, 0.0, x, y).x()) * 0.7
        for u, v, w in zip(g.tolist(), middle.tolist(), low.tolist(), strict=True):
            top, bottom = self._at(u, 100.0 * v, x, y), self._at(u, 100.0 * w, x, y)
            name = "below" if p.floor is not None and w < p.floor else "fair"
            painter.fillRect(QRectF(top.x() - wide / 2, top.y(), wide, bottom.y() - top.y()), look.color(name))
        painter.setPen(paint.pen(look.color("ink"), 1.0))
        for piece in self._line(g, 100.0 * middle, x, y):
            painter.drawPolyline(piece)
        if p.floor is not None:
            area, at = self._area(), self._at(0.0, 100.0 * p.floor, x, y).y()
            paint.rule(painter, area.left(), at, area.right(), at, look.color("below"), Qt.PenStyle.DashLine)
