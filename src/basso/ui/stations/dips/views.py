"""Draws one dip, the way the g went, and a session's shares of normal."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Generic, TypeVar

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from basso.recording.spans import runs_of
from basso.ui.plots import paint
from basso.ui.plots.strokes import points_of
from basso.ui.plots.ticks import ticks
from basso.ui.stations.dips.one_dip import DipPicture, SharePicture
from basso.ui.theme.look import Look, Type
from basso.units import FloatArray

P = TypeVar("P")
T = TypeVar("T", float, FloatArray)


@dataclass(frozen=True, slots=True)
class _Frame:
    """The room inside a plot's axes, and the values at its edges."""

    room: QRectF
    x: tuple[float, float]
    y: tuple[float, float]

    def across(self, u: T) -> T:
        """Where values lie on the screen from the left."""
        return self.room.left() + (u - self.x[0]) * (self.room.width() / (self.x[1] - self.x[0]))

    def down(self, v: T) -> T:
        """Where values lie on the screen from the top."""
        return self.room.bottom() - (v - self.y[0]) * (self.room.height() / (self.y[1] - self.y[0]))

    def at(self, u: float, v: float) -> QPointF:
        """A pair of values as a point on the screen."""
        return QPointF(self.across(u), self.down(v))

    def curve(self, painter: QPainter, u: FloatArray, v: FloatArray) -> None:
        """Draw a curve, broken where a value is missing."""
        across, down = self.across(u), self.down(v)
        for first, last in runs_of(np.isfinite(down)):
            painter.drawPolyline(points_of(across[first:last], down[first:last]))


class _Plot(QWidget, Generic[P]):
    """A plot of a picture."""

    def __init__(self, look: Look, lines: float) -> None:
        super().__init__()
        self._look = look
        self.picture: P | None = None
        look.fit(self, lambda w: w.setMinimumHeight(round(look.height() * lines)))
        look.changed.connect(self.update)

    def show_picture(self, picture: P | None) -> None:
        """Show another one."""
        self.picture = picture
        self.update()

    def _frame(self, x: tuple[float, float], y: tuple[float, float]) -> _Frame:
        """The frame that leaves room for axes."""
        line = self._look.height(Type.SMALL)
        return _Frame(QRectF(line * 3.4, line * 0.9, self.width() - line * 4.2, self.height() - line * 3.3), x, y)

    def _axes(self, painter: QPainter, frame: _Frame, words: tuple[str, str]) -> None:
        """Draw the axes, named by ``words``."""
        look, room = self._look, frame.room
        small, soft, line = look.font(Type.SMALL), look.color("soft"), look.height(Type.SMALL)
        for v in ticks(*frame.y, 5):
            at = frame.down(v)
            paint.rule(painter, room.left(), at, room.right(), at, look.color("grid"))
            paint.text(painter, room.left() - 6, at, f"{v:g}", small, soft, paint.RIGHT)
        for v in ticks(*frame.x, 8):
            number = f"{v:g}".replace("-", "−")
            paint.text(painter, frame.across(v), room.bottom() + line * 0.8, number, small, soft, paint.CENTRE)
        paint.text(painter, room.right(), room.bottom() + line * 1.7, words[0], small, soft, paint.RIGHT)
        paint.text(painter, room.left() + 4, room.top() - line * 0.2, words[1], small, soft)


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
        painter = QPainter(self)
        x = float(p.time_s[0]), float(p.time_s[-1])
        shown = np.concatenate([p.pressure, p.expected, p.floor, *(values for _, values in p.others)])
        high = np.max(shown, initial=1.0, where=np.isfinite(shown))
        y = 0.0, float(high) * 1.08
        frame = self._frame(x, y)
        room = frame.room
        left, right = frame.across(0.0), frame.across(min(p.end_s, x[1]))
        painter.fillRect(QRectF(left, room.top(), right - left, room.height()), look.color("band"))
        self._axes(painter, frame, ("seconds from the crossing", f"pressure, {p.unit}"))
        painter.setClipRect(room)
        faint = look.color("soft")
        faint.setAlphaF(0.38)
        painter.setPen(paint.pen(faint, 1.0))
        for times, values in p.others:
            frame.curve(painter, times, values)
        for values, color, style in (
            (p.expected, "fair", Qt.PenStyle.SolidLine),
            (p.floor, "below", Qt.PenStyle.DashLine),
            (p.pressure, "ink", Qt.PenStyle.SolidLine),
        ):
            painter.setPen(look.pen(color, 1.0, style))
            frame.curve(painter, p.time_s, values)
        painter.setClipping(False)
        line = look.height(Type.SMALL)
        for values, color, words, up in ((p.expected, "fair", "normal", -0.8), (p.floor, "below", "floor", 0.8)):
            known = np.flatnonzero(np.isfinite(values))
            if known.size:
                at = frame.down(float(values[known[-1]])) + up * line
                font = look.font(Type.SMALL_STRONG)
                paint.text(painter, room.right() - 4, at, words, font, look.color(color), paint.RIGHT)


class GPathView(_Plot[DipPicture]):
    """The way the g went: sideways against fore and aft, as seen from above, the oil going the other way."""

    def __init__(self, look: Look) -> None:
        super().__init__(look, 5.5)
        self.setAccessibleName("The way the g went before the dip")
        self.setToolTip(
            "From three seconds before the crossing (thin) to the deepest point (thick); the mark is the crossing."
        )

    def paintEvent(self, event: QPaintEvent) -> None:
        p, look = self.picture, self._look
        if p is None or not p.side_g.size:
            return
        painter = QPainter(self)
        side = min(self.width(), self.height()) - 2.0 * look.height(Type.SMALL)
        most = max(1.0, float(np.ceil(np.hypot(p.side_g, p.fore_g).max() * 2.0) / 2.0))
        square = QRectF((self.width() - side) / 2.0, (self.height() - side) / 2.0, side, side)
        frame = _Frame(square, (-most, most), (-most, most))
        middle = square.center()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        small, soft = look.font(Type.SMALL), look.color("soft")
        for ring in np.arange(0.5, most + 0.01, 0.5):
            far = ring / most * side / 2.0
            painter.setPen(look.pen("grid"))
            painter.drawEllipse(middle, far, far)
            paint.text(painter, middle.x() + 3, middle.y() - far + 7, f"{ring:g} g", small, soft)
        for words, u, v, anchor in (
            ("accelerating", 0.0, most, paint.CENTRE),
            ("braking", 0.0, -most, paint.CENTRE),
            (p.ways[0], -most, 0.0, paint.RIGHT),
            (p.ways[1], most, 0.0, paint.LEFT),
        ):
            at = frame.at(u, v)
            paint.text(painter, at.x(), at.y() + (-8 if v > 0 else 8 if v < 0 else 0), words, small, soft, anchor)
        # A left turn is drawn to the left, as the driver feels it.
        crossed = min(int(np.searchsorted(p.g_time_s, 0.0)), p.side_g.size - 1)
        for part, color, width in ((slice(0, crossed + 1), "ink", 1.2), (slice(crossed, None), "below", 2.4)):
            painter.setPen(look.pen(color, width))
            frame.curve(painter, -p.side_g[part], p.fore_g[part])
        cross = frame.at(-float(p.side_g[crossed]), float(p.fore_g[crossed]))
        painter.setPen(look.pen("ink", 1.4))
        painter.setBrush(look.color("panel"))
        painter.drawEllipse(cross, 4.5, 4.5)


class ShareView(_Plot[SharePicture]):
    """How much of the running lay below which share of normal."""

    def __init__(self, look: Look) -> None:
        super().__init__(look, 5.5)
        self.setAccessibleName("Part of the running time below each % of normal")
        self.setToolTip("Read up from a % of normal: this much of the warm running above the rpm gate was below it.")

    def paintEvent(self, event: QPaintEvent) -> None:
        p, look = self.picture, self._look
        if p is None:
            return
        painter = QPainter(self)
        x = (100.0 * float(p.share[-1]), 105.0)
        top = max(0.05, min(1.0, 1.3 * float(np.interp(0.97, p.share[::-1], p.below[::-1]))))
        y = (0.0, 100.0 * top)
        frame = self._frame(x, y)
        room = frame.room
        self._axes(painter, frame, ("% of normal", "% of warm running below it"))
        painter.setClipRect(room)
        painter.setPen(look.pen("ink", 1.0))
        frame.curve(painter, 100.0 * p.share, 100.0 * p.below)
        painter.setClipping(False)
        if p.floor is not None:
            at = frame.across(100.0 * p.floor)
            part = float(np.interp(p.floor, p.share[::-1], p.below[::-1]))
            paint.rule(painter, at, room.top(), at, room.bottom(), look.color("below"), Qt.PenStyle.DashLine)
            words = f"{100.0 * part:.1f} % below {100.0 * p.floor:.0f} %"
            top = room.top() + look.height(Type.SMALL)
            paint.label(painter, look, at + 6, top, words, Type.SMALL_STRONG, "below")


class GView(_Plot[SharePicture]):
    """The share of normal against g, sideways or fore and aft: the middle, and the lowest twentieth."""

    def __init__(self, look: Look, fore: bool) -> None:
        super().__init__(look, 5.5)
        self._fore = fore
        self.setAccessibleName(f"% of normal against {'longitudinal' if fore else 'lateral'} g")
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
        frame = self._frame(x, y)
        self._axes(painter, frame, (ways, "% of normal"))
        wide = 0.7 * (frame.across(0.1) - frame.across(0.0))
        for u, v, w in zip(g.tolist(), middle.tolist(), low.tolist(), strict=True):
            top, bottom = frame.at(u, 100.0 * v), frame.at(u, 100.0 * w)
            name = "below" if p.floor is not None and w < p.floor else "fair"
            painter.fillRect(QRectF(top.x() - wide / 2, top.y(), wide, bottom.y() - top.y()), look.color(name))
        painter.setPen(look.pen("ink", 1.0))
        frame.curve(painter, g, 100.0 * middle)
        if p.floor is not None:
            room, at = frame.room, frame.down(100.0 * p.floor)
            paint.rule(painter, room.left(), at, room.right(), at, look.color("below"), Qt.PenStyle.DashLine)
