"""What traces look like: stacked panels over one time axis, painted to a pixmap."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPixmap

from basso.ui.plots import paint, strokes
from basso.ui.plots.pyramid import Columns, Pyramid
from basso.ui.plots.ticks import clock, ticks, time_ticks
from basso.ui.theme.look import Look, Type

if TYPE_CHECKING:
    from basso.ui.stations.dips.picture import Panel

LABELS_LINES = 6.0
"""Room for the names left of the traces, in lines of small type."""
_LEAST_LINES = 1.3
"""A panel lower than this cannot hold its name and unit."""


@dataclass(frozen=True, slots=True)
class DipMark:
    """A dip over the traces: from when to when, and its lowest, when and in the first panel's unit, as it is written
    there."""

    start_s: float
    end_s: float
    at_s: float
    lowest: float
    label: str


@dataclass(frozen=True, slots=True)
class TimeAxis:
    """Where on a sheet of some size (px) each moment of the shown time stands."""

    start_s: float
    end_s: float
    size: QSize
    ratio: float = 1.0
    """Dots of the screen a px."""
    left: float = 84.0
    """Where the traces begin, right of their names."""

    @property
    def width(self) -> float:
        """How wide they are."""
        return max(10.0, self.size.width() - self.left - 12.0)

    def time_at(self, x: float) -> float:
        """The moment at a px."""
        return self.start_s + (x - self.left) / self.width * (self.end_s - self.start_s)

    def x_of(self, time_s: float) -> float:
        """The px of a moment."""
        return self.left + (time_s - self.start_s) / (self.end_s - self.start_s) * self.width


class TraceSheet:
    """Panels of signals with their dips, ready to be drawn over any stretch of time."""

    def __init__(self, look: Look, panels: Sequence[Panel], time_s: np.ndarray, dips: Sequence[DipMark]) -> None:
        self._look, self._panels, self.dips = look, panels, dips
        self._pyramids = [[Pyramid(time_s, line.values) for line in panel.lines] for panel in panels]
        self._labels: QPixmap | None = None

    @property
    def is_empty(self) -> bool:
        """True where there is nothing to draw."""
        return not self._panels

    def forget_labels(self) -> None:
        """Write the names and numbers at the left anew at the next drawing: colours or type have changed."""
        self._labels = None

    def _rows(self, axis: TimeAxis) -> list[QRectF]:
        """A rectangle for each panel there is room for, from the first on; the time axis keeps a line below."""
        if not self._panels:
            return []
        line = self._look.height(Type.SMALL)
        gap, least = line * 0.75, line * _LEAST_LINES
        shown = list(self._panels)
        while True:
            room = axis.size.height() - line - 12.0 - gap * (len(shown) - 1)
            total = sum(p.weight for p in shown)
            if len(shown) == 1 or room * min(p.weight for p in shown) / total >= least:
                break
            shown.pop()
        rows, top = [], 6.0
        for panel in shown:
            height = room * panel.weight / total
            rows.append(QRectF(axis.left, top, axis.width, height))
            top += height + gap
        return rows

    def _paper(self, size: QSize, ratio: float) -> QPixmap:
        """An empty sheet of paper to draw on."""
        pixmap = QPixmap(size * ratio)
        pixmap.setDevicePixelRatio(ratio)
        pixmap.fill(self._look.color("paper"))
        return pixmap

    def drawn(self, axis: TimeAxis, selected: int) -> QPixmap:
        """The traces over a stretch of time; ``selected``: which dip is marked, -1 for none."""
        rows = self._rows(axis)
        if self._labels is None or self._labels.deviceIndependentSize().toSize().height() != axis.size.height():
            self._labels = self._labelled(axis, rows)
        pixmap = self._paper(axis.size, axis.ratio)
        painter = QPainter(pixmap)
        painter.drawPixmap(0, 0, self._labels)
        if rows:
            self._paint_times(painter, axis, rows)
            self._paint_dips(painter, axis, rows, selected)
        edges = self._pyramids[0][0].edges(axis.start_s, axis.end_s, max(2, int(rows[0].width()))) if rows else None
        for panel, pyramids, row in zip(self._panels, self._pyramids, rows, strict=False):
            for value, y in self._levels(panel, row):
                zero = panel.zero and value == 0
                paint.rule(painter, row.left(), y, row.right(), y, self._look.color("rule" if zero else "grid"))
            painter.save()
            painter.setClipRect(row.adjusted(0, -2, 0, 2))
            self._paint_lines(painter, axis, panel, pyramids, row, edges)
            painter.restore()
        if rows:
            self._paint_labels(painter, axis, self._panels[0], self._pyramids[0], rows[0])
            self._paint_depths(painter, axis, self._panels[0], rows[0])
        painter.end()
        return pixmap

    def _paint_times(self, painter: QPainter, axis: TimeAxis, rows: list[QRectF]) -> None:
        start, end = axis.start_s, axis.end_s
        small, soft = self._look.font(Type.SMALL), self._look.color("soft")
        y = axis.size.height() - self._look.height(Type.SMALL) * 0.55
        decimals = 1 if end - start < 8 else 0
        bottom = rows[-1].bottom()
        for t in time_ticks(start, end, max(2, int(axis.width / 110))):
            x = axis.x_of(t)
            paint.rule(painter, x, rows[0].top(), x, bottom, self._look.color("grid"))
            paint.text(painter, x, y, clock(t, decimals), small, soft, paint.CENTRE)

    def _paint_dips(self, painter: QPainter, axis: TimeAxis, rows: list[QRectF], selected: int) -> None:
        start, end = axis.start_s, axis.end_s
        top, bottom = rows[0].top(), rows[-1].bottom()
        wash = self._look.color("wash")
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        for i, dip in enumerate(self.dips):
            a, b = dip.start_s, dip.end_s
            if b < start or a > end:
                continue
            # Whole pixels: a rectangle off the grid takes the painter's slow path.
            x0, x1 = round(axis.x_of(a)), round(axis.x_of(b))
            painter.fillRect(x0, round(top), max(x1 - x0, 1), round(bottom - top), wash)
            if i == selected:
                painter.fillRect(x0, round(top - 4), max(x1 - x0, 3), 3, self._look.color("below"))

    def _levels(self, panel: Panel, row: QRectF) -> list[tuple[float, float]]:
        """The values a panel's axis is marked at, each with its y."""
        marks = ticks(panel.low, panel.high, max(2, int(row.height() / (2.2 * self._look.height(Type.SMALL)))))
        return [(v, row.bottom() - (v - panel.low) / (panel.high - panel.low) * row.height()) for v in marks]

    def _labelled(self, axis: TimeAxis, rows: list[QRectF]) -> QPixmap:
        """What stands left of the traces and stays while they are moved: names, units, numbers of the axes."""
        look, line = self._look, self._look.height(Type.SMALL)
        small, soft = look.font(Type.SMALL), look.color("soft")
        pixmap = self._paper(QSize(round(axis.left), axis.size.height()), axis.ratio)
        painter = QPainter(pixmap)
        if rows:
            paint.text(painter, 5, axis.size.height() - line * 0.55, "min:s", small, soft)
        name = QFontMetricsF(look.font(Type.SMALL_STRONG))
        for panel, row in zip(self._panels, rows, strict=False):
            top = row.top() + line * 0.45
            # A number that would run into the words above it is left out; its rule stays.
            bottom = top + line * 1.45
            words = panel.note or panel.unit
            right = 9.0 + max(name.horizontalAdvance(panel.title), QFontMetricsF(small).horizontalAdvance(words))
            for value, y in self._levels(panel, row):
                label = f"{value:,.10g}".replace(",", "\u2009").replace("-", "−")
                left = row.left() - 7 - QFontMetricsF(small).horizontalAdvance(label)
                if y - line * 0.5 > bottom or left > right:
                    paint.text(painter, row.left() - 7, y, label, small, soft, paint.RIGHT)
            paint.label(painter, look, 5, top, panel.title, Type.SMALL_STRONG, "ink")
            if panel.note:
                after = 5 + name.horizontalAdvance(panel.title + " ")
                paint.text(painter, after, top, panel.unit, small, soft)
                color = look.color("below") if panel.doubtful else soft
                paint.text(painter, 5, top + line * 0.95, panel.note, small, color)
            else:
                paint.text(painter, 5, top + line * 0.95, panel.unit, small, soft)
        painter.end()
        return pixmap

    def _paint_lines(
        self,
        painter: QPainter,
        axis: TimeAxis,
        panel: Panel,
        pyramids: list[Pyramid],
        row: QRectF,
        edges: NDArray[np.intp] | None,
    ) -> None:
        start, end = axis.start_s, axis.end_s
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
            if line.style == "under":
                strokes.trace(painter, c, to_x, to_y, self._look.pen("side_b", 1.2, Qt.PenStyle.DashLine))
            elif line.style == "floor":
                strokes.trace(painter, c, to_x, to_y, self._look.pen("below", 1.0, Qt.PenStyle.DashLine))
            elif line.style == "measured":
                strokes.trace(painter, c, to_x, to_y, self._look.pen("ink"))

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

    def _paint_labels(
        self, painter: QPainter, axis: TimeAxis, panel: Panel, pyramids: list[Pyramid], row: QRectF
    ) -> None:
        """Name the expected and floor lines where they run free of each other."""
        start, end = axis.start_s, axis.end_s
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
            x = max(axis.x_of(t), row.left()) + 4
            width, high = QFontMetricsF(small).horizontalAdvance(line.label), self._look.height(Type.SMALL)
            painter.fillRect(QRectF(x - 2, y - 0.45 * high, width + 4, 0.9 * high), self._look.color("paper"))
            paint.text(painter, x, y, line.label, small, color)

    def _paint_depths(self, painter: QPainter, axis: TimeAxis, panel: Panel, row: QRectF) -> None:
        """The lowest pressure written under each dip, where there is room."""
        start, end = axis.start_s, axis.end_s
        font, color = self._look.font(Type.STRONG), self._look.color("below")
        last = -100.0
        for dip in self.dips:
            if dip.end_s < start or dip.start_s > end:
                continue
            x = axis.x_of(dip.at_s)
            if x - last < 30 or not row.left() < x < row.right():
                continue
            y = row.bottom() - (dip.lowest - panel.low) / (panel.high - panel.low) * row.height()
            if not np.isfinite(y):
                continue
            y = min(max(y, row.top()) + self._look.height(Type.SMALL) * 0.8, row.bottom() - 7)
            paint.text(painter, x, y, dip.label, font, color, paint.CENTRE)
            last = x


def _first_known(pyramid: Pyramid, start_s: float, end_s: float) -> tuple[float, float] | None:
    part = slice(int(np.searchsorted(pyramid.time_s, start_s)), int(np.searchsorted(pyramid.time_s, end_s)))
    known = np.flatnonzero(np.isfinite(pyramid.values[part]))
    if known.size == 0:
        return None
    at = part.start + int(known[0])
    return float(pyramid.time_s[at]), float(pyramid.values[at])
