"""Linked time traces: stacked panels over one time axis, drawn once to a pixmap; the cursor is an overlay."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPixmap,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from basso.ui.models.cursor import Cursor
from basso.ui.plots import paint, strokes
from basso.ui.plots.pyramid import Columns, Pyramid
from basso.ui.plots.ticks import clock, ticks, time_ticks
from basso.ui.theme.look import Look, Type

if TYPE_CHECKING:
    from basso.ui.stations.dips.picture import Panel

_LABELS_PX = 84
_DIP_LABEL_S = 600.0


@dataclass(frozen=True, slots=True)
class DipMark:
    """A dip over the traces: from when to when, and its lowest, when and in the first panel's unit, as it is written
    there."""

    start_s: float
    end_s: float
    at_s: float
    lowest: float
    label: str


class Traces(QWidget):
    """Stacked traces of one session. Drag pans, the wheel zooms, a click puts the cursor."""

    dip_clicked = Signal(int)

    def __init__(self, look: Look, cursor: Cursor) -> None:
        super().__init__()
        self._look, self._cursor = look, cursor
        self._panels: Sequence[Panel] = ()
        self._pyramids: list[list[Pyramid]] = []
        self._dips: Sequence[DipMark] = ()
        self._selected = -1
        self._cache: QPixmap | None = None
        self._labels: QPixmap | None = None
        self._pressed_at: QPointF | None = None
        self._view_at_press = (0.0, 1.0)
        self._dragging = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(240)
        self.setAccessibleName("Time traces: gallery pressure, g, engine speed, oil temperature")
        self.setToolTip("")
        cursor.moved.connect(lambda _: self.update())
        cursor.view_changed.connect(lambda *_: self.redraw())
        look.changed.connect(self._redraw_all)

    def set_panels(self, panels: Sequence[Panel], time_s: np.ndarray, dips: Sequence[DipMark]) -> None:
        """Show other signals; the dips are marked on the first."""
        self._panels = panels
        self._pyramids = [[Pyramid(time_s, line.values) for line in panel.lines] for panel in panels]
        self._dips = dips
        self._selected = -1
        self._redraw_all()

    def select_dip(self, index: int) -> None:
        """Mark one dip."""
        if index != self._selected:
            self._selected = index
            self.redraw()

    def redraw(self) -> None:
        """Draw the traces anew at the next paint."""
        self._cache = None
        self.update()

    def _redraw_all(self) -> None:
        """Draw everything anew at the next paint, the names and numbers at the left too."""
        self._labels = None
        self.redraw()

    # Geometry

    def _plot_left(self) -> float:
        return float(_LABELS_PX)

    def _plot_width(self) -> float:
        return max(10.0, self.width() - _LABELS_PX - 12.0)

    def _time_at(self, x: float) -> float:
        start, end = self._cursor.view
        return start + (x - self._plot_left()) / self._plot_width() * (end - start)

    def _x_of(self, time_s: float) -> float:
        start, end = self._cursor.view
        return self._plot_left() + (time_s - start) / (end - start) * self._plot_width()

    def _rows(self) -> list[QRectF]:
        """A rectangle for each panel; the time axis keeps a line below."""
        if not self._panels:
            return []
        gap = self._look.height(Type.SMALL) * 0.75
        room = self.height() - self._look.height(Type.SMALL) - 12.0 - gap * (len(self._panels) - 1)
        total = sum(p.weight for p in self._panels)
        rows, top = [], 6.0
        for panel in self._panels:
            height = room * panel.weight / total
            rows.append(QRectF(self._plot_left(), top, self._plot_width(), height))
            top += height + gap
        return rows

    # Painting

    def paintEvent(self, event: QPaintEvent) -> None:
        if self._cache is None or self._cache.deviceIndependentSize().toSize() != self.size():
            self._cache = self._drawn()
        painter = QPainter(self)
        painter.drawPixmap(0, 0, self._cache)
        if self._panels:
            x = round(self._x_of(self._cursor.time_s)) + 0.5
            if self._plot_left() - 1 <= x <= self._plot_left() + self._plot_width() + 1:
                painter.setPen(paint.pen(self._look.color("ink"), 1.4))
                painter.drawLine(QPointF(x, 2.0), QPointF(x, self.height() - self._look.height(Type.SMALL) - 4.0))
        paint.focus_mark(self, painter, self._look.color("ink"))

    def _sheet(self, size: QSize) -> QPixmap:
        """An empty sheet of paper to draw on."""
        ratio = self.devicePixelRatioF()
        pixmap = QPixmap(size * ratio)
        pixmap.setDevicePixelRatio(ratio)
        pixmap.fill(self._look.color("paper"))
        return pixmap

    def _drawn(self) -> QPixmap:
        rows = self._rows()
        if self._labels is None or self._labels.deviceIndependentSize().toSize().height() != self.height():
            self._labels = self._labelled(rows)
        pixmap = self._sheet(self.size())
        painter = QPainter(pixmap)
        painter.drawPixmap(0, 0, self._labels)
        if rows:
            self._paint_times(painter, rows)
            self._paint_dips(painter, rows)
        edges = self._pyramids[0][0].edges(*self._cursor.view, max(2, int(rows[0].width()))) if rows else None
        for panel, pyramids, row in zip(self._panels, self._pyramids, rows, strict=True):
            for value, y in self._levels(panel, row):
                zero = panel.zero and value == 0
                paint.rule(painter, row.left(), y, row.right(), y, self._look.color("rule" if zero else "grid"))
            painter.save()
            painter.setClipRect(row.adjusted(0, -2, 0, 2))
            self._paint_lines(painter, panel, pyramids, row, edges)
            painter.restore()
        if rows:
            self._paint_labels(painter, self._panels[0], self._pyramids[0], rows[0])
            self._paint_depths(painter, self._panels[0], rows[0])
        painter.end()
        return pixmap

    def _paint_times(self, painter: QPainter, rows: list[QRectF]) -> None:
        start, end = self._cursor.view
        small, soft = self._look.font(Type.SMALL), self._look.color("soft")
        y = self.height() - self._look.height(Type.SMALL) * 0.55
        decimals = 1 if end - start < 8 else 0
        bottom = rows[-1].bottom()
        for t in time_ticks(start, end, max(2, int(self._plot_width() / 110))):
            x = self._x_of(t)
            paint.rule(painter, x, rows[0].top(), x, bottom, self._look.color("grid"))
            paint.text(painter, x, y, clock(t, decimals), small, soft, paint.CENTRE)

    def _paint_dips(self, painter: QPainter, rows: list[QRectF]) -> None:
        start, end = self._cursor.view
        top, bottom = rows[0].top(), rows[-1].bottom()
        wash = self._look.color("wash")
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        for i, dip in enumerate(self._dips):
            a, b = dip.start_s, dip.end_s
            if b < start or a > end:
                continue
            # Whole pixels: a rectangle off the grid takes the painter's slow path.
            x0, x1 = round(self._x_of(a)), round(self._x_of(b))
            painter.fillRect(x0, round(top), max(x1 - x0, 1), round(bottom - top), wash)
            if i == self._selected:
                painter.fillRect(x0, round(top - 4), max(x1 - x0, 3), 3, self._look.color("below"))

    def _levels(self, panel: Panel, row: QRectF) -> list[tuple[float, float]]:
        """The values a panel's axis is marked at, each with its y."""
        marks = ticks(panel.low, panel.high, max(3, int(row.height() / (2.2 * self._look.height(Type.SMALL)))))
        return [(v, row.bottom() - (v - panel.low) / (panel.high - panel.low) * row.height()) for v in marks]

    def _labelled(self, rows: list[QRectF]) -> QPixmap:
        """What stands left of the traces and stays while they are moved: names, units, numbers of the axes."""
        look, line = self._look, self._look.height(Type.SMALL)
        small, soft = look.font(Type.SMALL), look.color("soft")
        pixmap = self._sheet(QSize(_LABELS_PX, self.height()))
        painter = QPainter(pixmap)
        if rows:
            paint.text(painter, 5, self.height() - line * 0.55, "min:s", small, soft)
        for panel, row in zip(self._panels, rows, strict=True):
            top = row.top() + line * 0.45
            # A number that would run into the words above it is left out; its rule stays.
            bottom, right = top + line * 1.45, 74.0 if panel.note else 50.0
            for value, y in self._levels(panel, row):
                label = f"{value:,.10g}".replace(",", "\u2009").replace("-", "−")
                left = row.left() - 7 - QFontMetricsF(small).horizontalAdvance(label)
                if y - line * 0.5 > bottom or left > right:
                    paint.text(painter, row.left() - 7, y, label, small, soft, paint.RIGHT)
            paint.text(painter, 5, top, panel.title, look.font(Type.SMALL_STRONG), look.color("ink"))
            if panel.note:
                after = 5 + QFontMetricsF(look.font(Type.SMALL_STRONG)).horizontalAdvance(panel.title + " ")
                paint.text(painter, after, top, panel.unit, small, soft)
                color = look.color("below") if panel.doubtful else soft
                paint.text(painter, 5, top + line * 0.95, panel.note, small, color)
            else:
                paint.text(painter, 5, top + line * 0.95, panel.unit, small, soft)
        painter.end()
        return pixmap

    def _paint_lines(
        self, painter: QPainter, panel: Panel, pyramids: list[Pyramid], row: QRectF, edges: NDArray[np.intp] | None
    ) -> None:
        start, end = self._cursor.view
        count = max(2, int(row.width()))
        scale = -row.height() / (panel.high - panel.low)
        to_y = (scale, row.bottom() - panel.low * scale)
        to_x = (row.width(), row.left())
        columns = [p.columns(start, end, count, edges) for p in pyramids]
        styles = [line.style for line in panel.lines]
        if "expected" in styles and panel.spread > 0:
            c = columns[styles.index("expected")]
            x = c.x * to_x[0] + to_x[1]
            reach = panel.spread * abs(scale)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
            strokes.band(
                painter,
                x,
                c.high * to_y[0] + to_y[1] - reach,
                c.low * to_y[0] + to_y[1] + reach,
                self._look.color("expected"),
            )
        if "floor" in styles and "measured" in styles:
            self._paint_below(painter, columns[styles.index("measured")], columns[styles.index("floor")], to_x, to_y)
        for line, c in zip(panel.lines, columns, strict=True):
            if line.style == "floor":
                strokes.trace(painter, c, to_x, to_y, self._look.color("below"), 1.0, Qt.PenStyle.DashLine)
            elif line.style == "measured":
                strokes.trace(painter, c, to_x, to_y, self._look.color("ink"))

    def _paint_below(
        self, painter: QPainter, measured: Columns, floor: Columns, to_x: tuple[float, float], to_y: tuple[float, float]
    ) -> None:
        """Hatch what lies between the floor and the pressure below it."""
        if measured.x.size != floor.x.size:
            return
        low, level = measured.low, floor.low
        under = np.where(np.isnan(low) | np.isnan(level), False, low < level)
        if not under.any():
            return
        x = measured.x * to_x[0] + to_x[1]
        top = level * to_y[0] + to_y[1]
        bottom = np.where(under, low * to_y[0] + to_y[1], top)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        # One shape for all of them (of no height where nothing is under), and a hatch only where it can be seen.
        strokes.band(painter, x, top, bottom, self._look.color("wash"))
        strokes.hatch(painter, x, np.where(under, top, np.nan), bottom, self._look.color("below"))

    def _paint_labels(self, painter: QPainter, panel: Panel, pyramids: list[Pyramid], row: QRectF) -> None:
        """Name the expected and floor lines where they run free of each other."""
        start, end = self._cursor.view
        at = start + 0.02 * (end - start)
        small = self._look.font(Type.SMALL)
        placed: list[float] = []
        for line, pyramid in zip(panel.lines, pyramids, strict=True):
            if not line.label:
                continue
            value = _first_known(pyramid, at, end)
            if value is None:
                continue
            t, level = value
            y = row.bottom() - (level - panel.low) / (panel.high - panel.low) * row.height()
            y += self._look.height(Type.SMALL) * (0.8 if line.style == "floor" else -1.0)
            if any(abs(y - other) < self._look.height(Type.SMALL) for other in placed):
                y += self._look.height(Type.SMALL)
            placed.append(y)
            color = self._look.color("below" if line.style == "floor" else "fair")
            x = max(self._x_of(t), row.left()) + 4
            width = len(line.label) * self._look.height(Type.SMALL) * 0.42
            painter.fillRect(QRectF(x - 2, y - 7, width + 6, 15), QColor(self._look.palette.paper))
            paint.text(painter, x, y, line.label, small, color)

    def _paint_depths(self, painter: QPainter, panel: Panel, row: QRectF) -> None:
        """The lowest pressure written under each dip, where there is room."""
        start, end = self._cursor.view
        font, color = self._look.font(Type.STRONG), self._look.color("below")
        last = -100.0
        for dip in self._dips:
            if dip.end_s < start or dip.start_s > end:
                continue
            x = self._x_of(dip.at_s)
            if x - last < 30 or not row.left() < x < row.right():
                continue
            y = row.bottom() - (dip.lowest - panel.low) / (panel.high - panel.low) * row.height()
            if not np.isfinite(y):
                continue
            y = min(max(y, row.top()) + self._look.height(Type.SMALL) * 0.8, row.bottom() - 7)
            paint.text(painter, x, y, dip.label, font, color, paint.CENTRE)
            last = x

    # Hands

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.redraw()

    def wheelEvent(self, event: QWheelEvent) -> None:
        turn = event.angleDelta().y()
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier or event.angleDelta().x():
            start, end = self._cursor.view
            step = (turn or event.angleDelta().x()) / 120.0 * 0.1 * (end - start)
            self._cursor.show(start - step, end - step)
        else:
            self._cursor.zoom(0.8 ** (turn / 120.0), self._time_at(event.position().x()))
        event.accept()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() is Qt.MouseButton.LeftButton:
            self._pressed_at, self._view_at_press, self._dragging = event.position(), self._cursor.view, False

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pressed_at is None:
            return
        moved = event.position().x() - self._pressed_at.x()
        if abs(moved) > 4:
            self._dragging = True
        if self._dragging:
            start, end = self._view_at_press
            shift = -moved / self._plot_width() * (end - start)
            self._cursor.show(start + shift, end + shift)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._pressed_at is not None and not self._dragging:
            time_s = self._time_at(event.position().x())
            self._cursor.move_to(time_s)
            for i, dip in enumerate(self._dips):
                if dip.start_s <= time_s <= dip.end_s:
                    self.dip_clicked.emit(i)
        self._pressed_at = None

    def keyPressEvent(self, event: QKeyEvent) -> None:
        start, end = self._cursor.view
        step = (end - start) / max(self._plot_width(), 1.0)
        big = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        moves = {Qt.Key.Key_Left: -1.0, Qt.Key.Key_Right: 1.0}
        key = Qt.Key(event.key())
        if key in moves:
            self._cursor.move_to(self._cursor.time_s + moves[key] * step * (20 if big else 2))
            self._cursor.reveal(self._cursor.time_s, 0.02)
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self._cursor.zoom(0.7, self._cursor.time_s)
        elif key is Qt.Key.Key_Minus:
            self._cursor.zoom(1 / 0.7, self._cursor.time_s)
        else:
            super().keyPressEvent(event)


def _first_known(pyramid: Pyramid, start_s: float, end_s: float) -> tuple[float, float] | None:
    part = slice(int(np.searchsorted(pyramid.time_s, start_s)), int(np.searchsorted(pyramid.time_s, end_s)))
    known = np.flatnonzero(np.isfinite(pyramid.values[part]))
    if known.size == 0:
        return None
    at = part.start + int(known[0])
    return float(pyramid.time_s[at]), float(pyramid.values[at])
