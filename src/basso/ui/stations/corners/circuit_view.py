"""Draws the circuit with its places, and takes the two clicks that set the lap line."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap
from PySide6.QtWidgets import QWidget

from basso.ui.plots import paint
from basso.ui.stations.corners.views import share_color
from basso.ui.theme.look import Look, Type
from basso.units import FloatArray

if TYPE_CHECKING:
    from basso.findings.corners.line import CircuitLine
    from basso.track.corners import Place


class CircuitView(QWidget):
    """The circuit with margin as width and colour.

    ``place_chosen`` carries the id of the place that was clicked; ``line_drawn`` the distance along the lap at which
    two clicks crossed the circuit, NaN where they did not.
    """

    place_chosen = Signal(str)
    line_drawn = Signal(float)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self.line: CircuitLine | None = None
        self._places: tuple[Place, ...] = ()
        self.chosen = ""
        self._floor = 0.7
        self.at_m = float("nan")
        self._drawing = False
        self._first: QPointF | None = None
        self._pointer = QPointF()
        self._kept = QPixmap()
        self._kept_by: tuple[object, ...] = ()
        self.setMouseTracking(True)
        look.fit(self, lambda w: w.setMinimumHeight(round(look.height() * 8)))
        self.setAccessibleName("The circuit, with the lowest % of normal along it")
        self.setToolTip("Width and colour: the lowest % of normal of all laps there. Click a place.")
        look.changed.connect(self.update)

    def show_circuit(self, line: CircuitLine | None, places: tuple[Place, ...], floor: float) -> None:
        """Show another circuit."""
        self.line, self._places, self._floor = line, places, floor
        self.update()

    def show_place(self, place: str) -> None:
        """Mark a place."""
        self.chosen = place
        self.update()

    def _track(self, line: CircuitLine, points: list[QPointF]) -> QPixmap:
        """The circuit itself, drawn once: the car that moves over it and the place that is marked come on top."""
        ratio, look, n = self.devicePixelRatioF(), self._look, len(points)
        kept = QPixmap(round(self.width() * ratio), round(self.height() * ratio))
        kept.setDevicePixelRatio(ratio)
        kept.fill(Qt.GlobalColor.transparent)
        painter = QPainter(kept)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        strokes: dict[bool, list[tuple[QPen, QPointF, QPointF]]] = {True: [], False: []}
        for i in range(n if line.closed else n - 1):
            share = float(line.share[i])
            known = share == share
            lost = min(max((1.0 - share) * 14.0, 0.0), 10.0) if known else 0.0
            color = share_color(look, share, self._floor) if known else look.color("rule")
            for ink, more in ((look.color("soft"), 1.6), (color, 0.0)):
                pen = paint.pen(ink, 3.0 + lost + more)
                pen.setCapStyle(Qt.PenCapStyle.RoundCap)
                strokes[more > 0].append((pen, points[i], points[(i + 1) % n]))
        for edge in (True, False):
            for pen, start, end in strokes[edge]:
                painter.setPen(pen)
                painter.drawLine(start, end)
        painter.end()
        return kept

    def begin_line(self) -> None:
        """The next two clicks draw a line across the circuit; Escape gives it up."""
        self._drawing, self._first = True, None
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setFocus()
        self.update()

    def _end_line(self) -> None:
        self._drawing, self._first = False, None
        self.unsetCursor()
        self.update()

    def show_at(self, along_m: float) -> None:
        """Where the car is at the cursor; NaN nowhere."""
        if along_m != self.at_m:
            self.at_m = along_m
            self.update()

    def _points(self) -> list[QPointF]:
        line = self.line
        assert line is not None
        room = self._look.height(Type.SMALL) * 1.9
        w, h = self.width() - 2 * room, self.height() - 2 * room
        x, y = line.x_m, line.y_m
        wide, tall = max(float(np.ptp(x)), 1.0), max(float(np.ptp(y)), 1.0)
        # A circuit that is taller than wide is laid on its side: it has more room there.
        if (tall > wide) != (h > w):
            x, y, wide, tall = y, -x, tall, wide
        scale = min(w / wide, h / tall)
        left, top = (
            self.width() / 2 - scale * (x.min() + x.max()) / 2,
            self.height() / 2 + scale * (y.min() + y.max()) / 2,
        )
        return [QPointF(left + scale * float(a), top - scale * float(b)) for a, b in zip(x, y, strict=True)]

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, look, line = QPainter(self), self._look, self.line
        if line is None:
            return
        points = self._points()
        n = len(points)
        key = (id(line), self.width(), self.height(), self.devicePixelRatioF(), look.state, self._floor)
        if self._kept_by != key:
            self._kept, self._kept_by = self._track(line, points), key
        painter.drawPixmap(0, 0, self._kept)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        for place in self._places:
            i = min(int(place.apex_m / 5.0), n - 1)
            at = points[i]
            # Outside the bend, where no other part of the circuit is near.
            inside = points[(i - 4) % n] + points[(i + 4) % n] - at * 2.0
            far = max((inside.x() ** 2 + inside.y() ** 2) ** 0.5, 1e-6)
            spot = at - inside * (look.height(Type.SMALL) * 1.25 / far)
            chosen = place.id == self.chosen
            if place.is_corner or chosen:
                paint.text(
                    painter,
                    spot.x(),
                    spot.y(),
                    place.id,
                    look.font(Type.STRONG if chosen else Type.SMALL),
                    look.color("ink" if chosen else "soft"),
                    paint.CENTRE,
                )
        # Where laps begin: a tick across the circuit.
        ahead, across = points[1] - points[0], 9.0
        size = max((ahead.x() ** 2 + ahead.y() ** 2) ** 0.5, 1e-6)
        tick = QPointF(-ahead.y(), ahead.x()) * (across / size)
        painter.setPen(look.pen("ink", 1.6))
        painter.drawLine(points[0] - tick, points[0] + tick)
        if self._drawing:
            words = (
                "Click on one side of the circuit" if self._first is None else "and on the other side; Esc: leave it"
            )
            paint.label(painter, look, 6, look.height(Type.SMALL), words, Type.SMALL_STRONG, "ink")
            if self._first is not None:
                painter.drawLine(self._first, self._pointer)
        if self.at_m == self.at_m:
            painter.setPen(look.pen("ink", 1.6))
            painter.setBrush(look.color("panel"))
            painter.drawEllipse(points[min(int(self.at_m / 5.0), n - 1)], 4.5, 4.5)
            painter.setBrush(Qt.BrushStyle.NoBrush)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.line is None or not self._places:
            return
        points, at = self._points(), event.position()
        if self._drawing:
            if self._first is None:
                self._first = self._pointer = at
                self.update()
                return
            first = self._first
            self._end_line()
            self.line_drawn.emit(_crossed(points, first, at, self.line.along_m, self.line.closed))
            return
        near = int(np.argmin([(p.x() - at.x()) ** 2 + (p.y() - at.y()) ** 2 for p in points]))
        along = float(self.line.along_m[near])
        inside = [p for p in self._places if p.start_m - 20.0 <= along <= p.end_m + 20.0]
        if inside:
            self.place_chosen.emit(min(inside, key=lambda p: abs(p.apex_m - along)).id)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drawing and self._first is not None:
            self._pointer = event.position()
            self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self._drawing and event.key() == Qt.Key.Key_Escape:
            self._end_line()
            return
        super().keyPressEvent(event)


def _crossed(points: list[QPointF], a: QPointF, b: QPointF, along_m: FloatArray, closed: bool) -> float:
    """The distance along the lap at which the line from a to b crosses the circuit first; NaN where it does not."""
    x, y = (np.array([getattr(p, n)() for p in points]) for n in ("x", "y"))
    if closed:
        x, y = np.append(x, x[0]), np.append(y, y[0])
    dx, dy, ex, ey = np.diff(x), np.diff(y), b.x() - a.x(), b.y() - a.y()
    turn = dx * ey - dy * ex
    with np.errstate(divide="ignore", invalid="ignore"):
        on_circuit = ((a.x() - x[:-1]) * ey - (a.y() - y[:-1]) * ex) / turn
        on_line = ((a.x() - x[:-1]) * dy - (a.y() - y[:-1]) * dx) / turn
    hit = np.flatnonzero((on_circuit >= 0) & (on_circuit < 1) & (on_line >= 0) & (on_line <= 1))
    if not hit.size:
        return float("nan")
    k = int(hit[np.argmin(on_line[hit])])
    return float(along_m[k] + on_circuit[k] * (along_m[1] - along_m[0]))
