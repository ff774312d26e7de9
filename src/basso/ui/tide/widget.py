"""The tide along the bottom: scrub it and every view follows."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPixmap, QWheelEvent
from PySide6.QtWidgets import QWidget

from basso.ui.models.cursor import Cursor
from basso.ui.plots import paint
from basso.ui.plots.ticks import clock
from basso.ui.theme.look import Look, Type
from basso.ui.tide.picture import TidePicture

_LEFT_LINES = 11.4


class Tide(QWidget):
    """Margin over the whole session as a tide about a waterline."""

    def __init__(self, look: Look, cursor: Cursor) -> None:
        super().__init__()
        self._look, self._cursor = look, cursor
        self._picture: TidePicture | None = None
        self._caption = self._note = ""
        self._cache: QPixmap | None = None
        look.fit(self, lambda w: w.setFixedHeight(round(look.height() * 4.9)))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Tide: margin to the floor over the whole session")
        cursor.moved.connect(lambda _: self.update())
        cursor.view_changed.connect(lambda *_: self.update())
        look.changed.connect(self._redraw)

    def set_picture(self, picture: TidePicture | None, caption: str, note: str = "") -> None:
        """Show another session, or none. ``note``: what its margins rest on."""
        self._picture, self._caption, self._note = picture, caption, note
        self._redraw()

    def _redraw(self) -> None:
        self._cache = None
        self.update()

    def _strip(self) -> QRectF:
        line = self._look.height(Type.SMALL)
        left = float(round(_LEFT_LINES * line))
        return QRectF(left, line * 1.1, max(10.0, self.width() - left - 22.0), self.height() - line * 1.1 - 4)

    def _x_of(self, time_s: float) -> float:
        strip, (start, end) = self._strip(), self._cursor.whole
        return strip.left() + (time_s - start) / (end - start) * strip.width()

    def _time_at(self, x: float) -> float:
        strip, (start, end) = self._strip(), self._cursor.whole
        return start + (x - strip.left()) / strip.width() * (end - start)

    def paintEvent(self, event: QPaintEvent) -> None:
        if self._cache is None or self._cache.deviceIndependentSize().toSize() != self.size():
            self._cache = self._drawn()
        painter = QPainter(self)
        painter.drawPixmap(0, 0, self._cache)
        if self._picture is None:
            return
        strip = self._strip()
        start, end = self._cursor.view
        if (start, end) != self._cursor.whole:
            painter.setPen(self._look.pen("ink", 1.4))
            painter.drawRect(
                QRectF(
                    self._x_of(start), strip.top() - 4, max(self._x_of(end) - self._x_of(start), 3), strip.height() + 5
                )
            )
        x = round(self._x_of(self._cursor.time_s)) + 0.5
        painter.setPen(self._look.pen("ink", 2.0))
        painter.drawLine(QPointF(x, strip.top() - 2), QPointF(x, strip.bottom()))
        paint.focus_mark(self, painter, self._look.color("ink"))

    def _drawn(self) -> QPixmap:
        look, ratio = self._look, self.devicePixelRatioF()
        pixmap = QPixmap(self.size() * ratio)
        pixmap.setDevicePixelRatio(ratio)
        pixmap.fill(look.color("band"))
        painter = QPainter(pixmap)
        line = look.height(Type.SMALL)
        paint.rule(painter, 0, 0, self.width(), 0, look.color("rule"))
        paint.label(painter, look, 18, line * 1.1, "Tide", Type.STRONG, "ink")
        paint.label(painter, look, 18, line * 2.2, "margin to the floor")
        paint.label(painter, look, 18, line * 3.2, self._caption)
        paint.label(painter, look, 18, line * 4.2, self._note)
        if self._picture is not None:
            self._paint_tide(painter, self._picture)
        painter.end()
        return pixmap

    def _paint_tide(self, painter: QPainter, picture: TidePicture) -> None:
        look, strip = self._look, self._strip()
        count = int(strip.width())
        columns = picture.columns(count)
        water = strip.top() + 0.42 * strip.height()
        x = strip.left() + np.arange(count) + 0.5
        up = (water - strip.top()) * np.clip(columns.high, 0, 1)
        down = (strip.bottom() - water - 2) * np.clip(-columns.low, 0, 1)
        ample = np.nan_to_num(up) > 0.5
        painter.setPen(look.pen("fair", 1.0))
        painter.drawLines(
            [QLineF(a, water - h, a, water) for a, h in zip(x[ample].tolist(), up[ample].tolist(), strict=True)]
        )
        cut = np.nan_to_num(down) > 0.5
        painter.setPen(look.pen("below", 1.0))
        # A cut is at least two pixels wide, so that a short dip in a long session is still seen.
        strokes = [
            QLineF(a + s, water, a + s, water + h)
            for a, h in zip(x[cut].tolist(), down[cut].tolist(), strict=True)
            for s in (0.0, 1.0)
        ]
        painter.drawLines(strokes)
        paint.rule(painter, strip.left(), water, strip.right(), water, look.color("ink"))
        last = -100.0
        for start, number in picture.laps:
            at = self._x_of(start)
            paint.rule(painter, at, strip.top() - 2, at, strip.bottom(), look.color("rule"))
            if at - last > 18:
                paint.label(painter, look, at + 4, look.height(Type.SMALL) * 0.62, number)
                last = at

    def wheelEvent(self, event: QWheelEvent) -> None:
        self._cursor.zoom(0.8 ** (event.angleDelta().y() / 120.0), self._time_at(event.position().x()))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._scrub(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._scrub(event)

    def _scrub(self, event: QMouseEvent) -> None:
        if self._picture is None:
            return
        time_s = self._time_at(event.position().x())
        self._cursor.move_to(time_s)
        self._cursor.reveal(self._cursor.time_s)
        self.setToolTip(clock(self._cursor.time_s, 1))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        start, end = self._cursor.whole
        step = (end - start) / 200.0
        moves = {
            Qt.Key.Key_Left: -step,
            Qt.Key.Key_Right: step,
            Qt.Key.Key_Home: start - end,
            Qt.Key.Key_End: end - start,
        }
        key = Qt.Key(event.key())
        if key in moves:
            self._cursor.move_to(self._cursor.time_s + moves[key])
            self._cursor.reveal(self._cursor.time_s)
        else:
            super().keyPressEvent(event)
