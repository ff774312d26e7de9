"""Draws the pan, its figures, the uncover curve over the g that was logged, and the table of changes."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPolygonF, QResizeEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from basso.sentence import read_in
from basso.sump.cures import NOT_MODELLED
from basso.sump.sections import Drawing, Polygon, drawing_of, oil_in
from basso.ui.plots import paint
from basso.ui.plots.ticks import ticks
from basso.ui.stations.sump.picture import (
    Figure,
    VariantRow,
    curve_points,
    figures,
    height_words,
    logged_cells,
    reach_g,
    rows,
)
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits, FloatArray, Quantity
from basso.words.sump import book_words, calibration_words, level_words

if TYPE_CHECKING:
    from basso.findings.sump.findings import SumpFindings

_DASHES = (
    Qt.PenStyle.SolidLine,
    Qt.PenStyle.DashLine,
    Qt.PenStyle.DotLine,
    Qt.PenStyle.DashDotLine,
    Qt.PenStyle.DashDotDotLine,
)
_WRAPPED = int(Qt.TextFlag.TextWordWrap | Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
_TONES = ("side_a", "side_b", "ample", "soft", "fair")


class SumpBoard(QWidget):
    """Everything drawn: pan, figures, uncover curve, table of changes."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look, self._units = look, DisplayUnits()
        self._found: SumpFindings | None = None
        self._drawing: Drawing | None = None
        self._rows: list[VariantRow] = []
        self._figures: list[Figure] = []
        self._words: list[str] = []
        self._row_boxes: list[QRectF] = []
        self._supposed: FloatArray | None = None
        self.chosen = 1
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.MinimumExpanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("The pan, the g that uncovers its pickup, and changes to it")
        look.changed.connect(self._take_room)
        look.changed.connect(self.update)

    def show_found(self, found: SumpFindings | None, units: DisplayUnits) -> None:
        """Show another pan or drive."""
        if found is not None and (self._found is None or self._found.pan is not found.pan):
            self._drawing = drawing_of(found.pan)
        self._found, self._units = found, units
        self._rows = rows(found, units) if found is not None else []
        self._figures = figures(found, units) if found is not None else []
        self._words = [str(read_in(w, units)) for w in level_words(found.levels)] if found is not None else []
        self.chosen = min(self.chosen, max(len(self._rows) - 1, 0)) if self._rows else 1
        self._take_room()
        self.setAccessibleDescription("; ".join(f"{r.letter} {r.title}: {r.dips} dips a lap" for r in self._rows))
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """A narrow page needs more lines for its words."""
        self._take_room()

    def _take_room(self) -> None:
        line = self._look.height()
        needed = self._tops()[1] + line * (4.8 + 1.42 * len(self._rows)) if self._found is not None else 0.0
        self.setMinimumHeight(round(needed))

    def _tops(self) -> tuple[float, float]:
        """Where the cuts begin under plan and figures, and where the table does."""
        line = self._look.height()
        width = (float(self.width()) - 8) * 0.27 - line
        room = QRectF(0, 0, width, 1000.0)
        metrics = QFontMetricsF(self._look.font(Type.SMALL))
        words = metrics.boundingRect(room, _WRAPPED, self._note_words()).height()
        figures_end = line * (1.8 + 1.26 * len(self._figures[:7])) + words
        cut = max(line * 12.4, figures_end)
        return cut, cut + line * 8.4

    def _note_words(self) -> str:
        """What has to be minded about the pan, under its figures."""
        words = [w for w in self._words if "again first" in w or "does nothing" in w or "turn it round" in w]
        if self._found is not None and self._found.book is not None and not self._found.book.belongs:
            words.insert(0, str(read_in(book_words(self._found.book), self._units)))
        return " ".join(words)

    def suppose(self, curve: FloatArray | None) -> None:
        """Draw another uncover curve beside the others; None for none."""
        self._supposed = curve
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """A row is chosen: its curve is drawn beside that of the pan as it is."""
        for i, box in enumerate(self._row_boxes):
            if box.contains(event.position()):
                self.choose(i)

    def choose(self, row: int) -> None:
        """Choose a row by its number, 0 for the pan as it is."""
        if 0 <= row < len(self._rows):
            self.chosen = row
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self._look.color("paper"))
        if self._found is None or self._drawing is None:
            return
        line, width = self._look.height(), float(self.width()) - 8
        left, middle = width * 0.31, width * 0.27
        cut, top = self._tops()
        curve = QRectF(left + middle, 0, width - left - middle, top)
        self._paint_plan(painter, QRectF(0, 0, left - line, line * 12.0), self._drawing)
        self._paint_cuts(painter, QRectF(0, cut, left + middle - line * 2, top - cut), self._drawing)
        self._paint_figures(painter, QRectF(left, 0, middle - line, cut))
        self._paint_curve(painter, curve)
        paint.rule(painter, 0, top + line * 0.4, width, top + line * 0.4, self._look.color("soft"))
        self._paint_rows(painter, top + line * 1.2, width)

    # The pan

    def _paint_plan(self, painter: QPainter, box: QRectF, d: Drawing) -> None:
        look, line = self._look, self._look.height(Type.SMALL)
        paint.label(painter, look, box.left(), box.top() + line * 0.6, "Pan", Type.SMALL_STRONG, "ink")
        paint.label(painter, look, box.left() + line * 2.2, box.top() + line * 0.6, "from above, nose up, to scale")
        x0, x1, y0, y1 = d.extent
        area = box.adjusted(line * 3.8, line * 2.6, -line * 0.6, -line * 0.4)
        scale = min(area.width() / (y1 - y0), area.height() / (x1 - x0))
        x_mid, y_mid, middle = (x0 + x1) / 2, (y0 + y1) / 2, area.center()

        def at(x: float, y: float) -> QPointF:
            return QPointF(middle.x() - (y - y_mid) * scale, middle.y() - (x - x_mid) * scale)

        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        painter.setBrush(look.color("panel"))
        painter.setPen(look.pen("ink", 1.8))
        for outline in d.above:
            painter.drawPolygon(QPolygonF([at(*p) for p in outline]))
        painter.setBrush(Qt.BrushStyle.BDiagPattern)
        painter.setBrush(QColor(look.color("rule")))
        for plate in d.plates_above:
            wash = QColor(look.color("rule"))
            wash.setAlpha(90)
            painter.setBrush(wash)
            painter.setPen(look.pen("soft", 1.2, Qt.PenStyle.DashLine))
            painter.drawPolygon(QPolygonF([at(*p) for p in plate]))
        for name, outline in zip(d.names, d.above, strict=True):
            cx = sum(p[0] for p in outline) / len(outline)
            cy = sum(p[1] for p in outline) / len(outline)
            where = at(cx, cy)
            if len(d.names) > 1:
                paint.label(painter, look, where.x(), where.y(), name, align=paint.CENTRE)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for door in d.doors:
            start = at(*door.at)
            painter.setPen(look.pen("ample", 2.0))
            if door.way != (0.0, 0.0):
                _arrow(painter, start, -door.way[1], -door.way[0], line * 1.3)
            else:
                painter.drawEllipse(start, 3.5, 3.5)
        if d.pickup is not None:
            mouth = at(d.pickup[0], d.pickup[1])
            radius = max(d.pan.pickup.radius_m * scale, 4.0) if d.pan.pickup is not None else 6.0
            painter.setPen(look.pen("ink", 1.6))
            painter.setBrush(look.color("panel"))
            painter.drawEllipse(mouth, radius, radius)
            painter.drawEllipse(mouth, radius * 0.6, radius * 0.6)
        top = at(x1, y1)
        units = self._units
        paint.label(
            painter, look, middle.x(), top.y() - line * 0.8, _length(1000 * (y1 - y0), units), align=paint.CENTRE
        )
        paint.label(painter, look, top.x() - 6, middle.y(), _length(1000 * (x1 - x0), units), align=paint.RIGHT)

    def _paint_cuts(self, painter: QPainter, box: QRectF, d: Drawing) -> None:
        half, line = box.width() / 2, self._look.height(Type.SMALL)
        p = d.pickup
        # Both to one scale: that of the wider in its room.
        widths = [
            max((a for o in cuts for a, _ in o), default=1.0) - min((a for o in cuts for a, _ in o), default=0.0)
            for cuts in (d.behind, d.side)
        ]
        room = [half - self._look.height() - line * 0.4, half - self._look.height() - line * 6.6]
        high = (box.height() - line * 1.8) / (d.high_m - d.low_m)
        scale = min(high, *(r / max(w, 1e-6) for r, w in zip(room, widths, strict=True)))
        for i, (words, outlines, plates, across) in enumerate(
            (
                ("From behind", d.behind, d.plates_behind, p[1] if p is not None else None),
                ("From the left, nose to the left", d.side, d.plates_side, p[0] if p is not None else None),
            )
        ):
            area = QRectF(box.left() + half * i, box.top(), half - self._look.height(), box.height())
            self._paint_cut(
                painter, area, words, outlines, [(q.start, q.end) for q in plates], across, d, scale, i == 1
            )

    def _paint_cut(
        self,
        painter: QPainter,
        box: QRectF,
        words: str,
        outlines: Sequence[Polygon],
        plates: Sequence[tuple[tuple[float, float], tuple[float, float]]],
        mouth: float | None,
        d: Drawing,
        scale: float,
        with_heights: bool,
    ) -> None:
        look, line, found = self._look, self._look.height(Type.SMALL), self._found
        assert found is not None
        points = [a for o in outlines for a, _ in o]
        if not points:
            return
        least, most = min(points), max(points)
        area = box.adjusted(0, line * 1.5, -(line * 6.6 if with_heights else line * 0.4), -line * 0.3)
        centre, floor = (least + most) / 2, area.bottom()
        # Close over its own drawing: further up it reads like the one above's.
        top = floor - (d.high_m - d.low_m) * scale
        paint.label(painter, look, box.left(), max(box.top() + line * 0.6, top - line * 1.6), words)

        def at(across: float, up: float) -> QPointF:
            return QPointF(area.center().x() - (across - centre) * scale, floor - (up - d.low_m) * scale)

        pan, levels = found.pan, found.levels
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        if pan.fill_l is not None:
            oil = oil_in(d, max(pan.fill_l - pan.away_l, 0.0) / 1000.0, 0.0, 0.0)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(look.color("oil_wash"))
            for polygon in oil.side if with_heights else oil.behind:
                painter.drawPolygon(QPolygonF([at(*q) for q in polygon]))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        marks: list[tuple[float, str]] = []
        left, right = at(most, 0.0).x(), at(least, 0.0).x()
        for height, name, style, tone in (
            (levels.rest_m, "at rest", Qt.PenStyle.DashLine, "oil"),
            (levels.running_m if pan.away_l else None, "running", Qt.PenStyle.SolidLine, "oil"),
            (pan.sweep_m, "crank sweep", Qt.PenStyle.DashLine, "soft"),
        ):
            if height is None:
                continue
            y = at(0.0, height + d.low_m).y()
            painter.setPen(look.pen(tone, 1.2, style))
            painter.drawLine(QPointF(left, y), QPointF(right, y))
            marks.append((height, name))
        painter.setPen(look.pen("ink", 1.8))
        for a, b, c, e in outlines:
            painter.drawPolyline(QPolygonF([at(*q) for q in (e, a, b, c)]))
        painter.setPen(look.pen("ink", 2.4))
        for start, end in plates:
            painter.drawLine(at(*start), at(*end))
            marks.append((start[1] - d.low_m, "plate"))
        if mouth is not None and d.pickup is not None:
            at_mouth = at(mouth, d.pickup[2])
            painter.setPen(look.pen("ink", 2.0))
            painter.drawLine(QPointF(at_mouth.x(), at(0.0, d.high_m).y()), at_mouth)
            painter.setPen(look.pen("ink", 5.0))
            painter.drawLine(QPointF(at_mouth.x() - 9, at_mouth.y() - 2), QPointF(at_mouth.x() + 9, at_mouth.y() - 2))
            marks.append((d.pickup[2] - d.low_m, "mouth"))
        if with_heights:
            self._paint_heights(painter, right, box, [(at(0.0, h + d.low_m).y(), h, w) for h, w in marks])

    def _paint_heights(
        self, painter: QPainter, left: float, box: QRectF, marks: Sequence[tuple[float, float, str]]
    ) -> None:
        """Heights at the right of the cut, moved apart where they would lie on each other."""
        look, line = self._look, self._look.height(Type.SMALL)
        y_last = box.bottom() + line
        for y, height, words in sorted(marks, key=lambda m: -m[0]):
            where = min(y, y_last - line * 0.95)
            y_last = where
            painter.setPen(look.pen("soft"))
            painter.drawPolyline([QPointF(left + 3, y), QPointF(left + 10, y), QPointF(left + 18, where)])
            number = height_words(height, self._units)
            paint.label(painter, look, left + line * 2.9, where, number, Type.SMALL_STRONG, "ink", paint.RIGHT)
            paint.label(painter, look, left + line * 3.2, where, words)

    # Figures

    def _paint_figures(self, painter: QPainter, box: QRectF) -> None:
        look, line = self._look, self._look.height()
        assert self._found is not None
        paint.label(painter, look, box.left(), line * 0.5, "Measured pan", Type.SMALL_STRONG, "ink")
        paint.label(painter, look, box.right(), line * 0.5, self._found.pan.name[:22], align=paint.RIGHT)
        y = line * 1.8
        for f in self._figures[:7]:
            tone = "below" if f.is_off else "ink"
            paint.label(painter, look, box.left(), y, f.name)
            paint.label(painter, look, box.left() + box.width() * 0.64, y, f.value, Type.STRONG, tone, paint.RIGHT)
            note = f"{f.unit}, {f.note}" if f.note else f.unit
            paint.label(painter, look, box.left() + box.width() * 0.66, y, note)
            paint.rule(painter, box.left(), y + line * 0.68, box.right(), y + line * 0.63, look.color("rule"))
            y += line * 1.26
        painter.setFont(look.font(Type.SMALL))
        painter.setPen(look.color("ink"))
        painter.drawText(QRectF(box.left(), y, box.width(), box.bottom() - y + line), _WRAPPED, self._note_words())

    # The uncover curve

    def _paint_curve(self, painter: QPainter, box: QRectF) -> None:
        look, line, found = self._look, self._look.height(Type.SMALL), self._found
        assert found is not None
        paint.label(painter, look, box.left() + line, box.top() + line * 0.6, "Uncover curve", Type.SMALL_STRONG, "ink")
        for i, words in enumerate(
            (
                "steady g that uncovers the pickup, by where the oil goes",
                "grey: g held on flying laps; red: past curve A",
            )
        ):
            paint.label(painter, look, box.left() + line, box.top() + line * (1.6 + i), words)
        area = box.adjusted(line * 2.4, line * 4.6, -line * 2.6, -line * 1.4)
        radius, centre = min(area.width(), area.height()) / 2, area.center()
        reach = reach_g(found)
        scale = radius / reach
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)

        def at(right: float, up: float) -> QPointF:
            return QPointF(centre.x() + right * scale, centre.y() - up * scale)

        painter.setPen(Qt.PenStyle.NoPen)
        side = 0.1 * scale
        for cell in logged_cells(found.logged_g, found.uncover_g):
            color = QColor(look.color("below" if cell.uncovers else "soft"))
            color.setAlpha(round(40 + 110 * cell.often))
            painter.setBrush(color)
            middle = at(cell.right, cell.up)
            painter.drawRect(QRectF(middle.x() - side / 2 + 0.5, middle.y() - side / 2 + 0.5, side - 1, side - 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for g in ticks(0.0, reach, 4):
            if g > 0:
                painter.setPen(look.pen("rule"))
                painter.drawEllipse(centre, g * scale, g * scale)
                paint.label(painter, look, centre.x() + 3, centre.y() + g * scale - line * 0.5, f"{g:g} g")
        for words, x, y, anchor in (
            ("nose", centre.x(), centre.y() - radius - line * 0.7, paint.CENTRE),
            ("tail", centre.x(), centre.y() + radius + line * 0.7, paint.CENTRE),
            (found.analysis.side.way("left"), centre.x() - radius - 6, centre.y(), paint.RIGHT),
            (found.analysis.side.way("right"), centre.x() + radius + 6, centre.y(), paint.LEFT),
        ):
            paint.label(painter, look, x, y, words, align=anchor)
        curves = [(self._rows[0].letter, self._rows[0].curve, look.color(_TONES[0]), _DASHES[0])]
        if 0 < self.chosen < len(self._rows):
            row = self._rows[self.chosen]
            curves.append((row.letter, row.curve, look.color("ink"), _DASHES[1]))
        if self._supposed is not None:
            curves.append(("if", self._supposed, look.color("side_b"), _DASHES[2]))
        painter.save()
        painter.setClipRect(QRectF(centre.x() - radius, centre.y() - radius, 2 * radius, 2 * radius))
        for _, curve, color, dash in curves:
            painter.setPen(paint.pen(color, 2.2, dash))
            for piece in curve_points(curve):
                near = [q for q in piece if q[0] ** 2 + q[1] ** 2 < (1.25 * reach) ** 2]
                painter.drawPolyline(QPolygonF([at(*q) for q in near]))
        painter.restore()
        for n, (letter, curve, color, _) in enumerate(curves):
            inside = [q for piece in curve_points(curve) for q in piece if q[0] ** 2 + q[1] ** 2 < (0.98 * reach) ** 2]
            if inside:
                x, y = inside[(n + 1) * len(inside) // 4]
                # A letter stands inside the curve of the pan as it is, outside those of changes.
                away = (0.9 if n == 0 else 1.1) * scale
                where = QPointF(centre.x() + x * away, centre.y() - y * away)
                paint.text(painter, where.x(), where.y(), letter, look.font(Type.STRONG), color, paint.CENTRE)

    # The changes

    def _paint_rows(self, painter: QPainter, y: float, width: float) -> None:
        look, line, found = self._look, self._look.height(), self._found
        assert found is not None
        unit = self._units.pressure.symbol
        at = {
            "title": line * 2.0,
            "lowest": width * 0.415,
            "effect": width * 0.475,
            "from": width * 0.485,
            "to": width * 0.68,
            "where": width * 0.70,
            "dips": width * 0.84,
            "fill": width * 0.92,
            "work": width * 0.935,
        }
        for key, words, anchor in (
            ("title", "Change", paint.LEFT),
            ("lowest", f"Lowest, {unit}", paint.RIGHT),
            ("where", "Where", paint.LEFT),
            ("dips", "Dips a lap", paint.RIGHT),
            ("fill", f"Fill to, {self._units.volume.symbol}", paint.RIGHT),
            ("work", "Work", paint.LEFT),
        ):
            paint.label(painter, look, at[key], y, words, align=anchor)
        middle = (at["from"] + at["to"]) / 2
        paint.label(painter, look, middle, y, f"Effect, {unit}, with 80 % band", align=paint.CENTRE)
        known = [v for r in self._rows for v in (r.low, r.high) if v is not None]
        low, high = min([0.0, *known]), max([0.0, *known])
        reach = max(high - low, 1e-6)

        def px(v: float) -> float:
            return at["from"] + 12 + (v - low) / reach * (at["to"] - at["from"] - 24)

        top = y + line * 0.75
        bottom = top + line * 1.42 * len(self._rows)
        self._row_boxes = []
        for i in range(len(self._rows)):
            box = QRectF(0, top + line * 1.42 * i, width, line * 1.42)
            self._row_boxes.append(box)
            if i == self.chosen:
                painter.fillRect(box, look.color("band"))
        if known:
            for value in ticks(low, high, 4):
                paint.rule(painter, px(value), top, px(value), bottom, look.color("ink" if value == 0 else "grid"))
                words = f"{value:+g}".replace("-", "−") if value else "0"
                paint.label(painter, look, px(value), bottom + line * 0.5, words, align=paint.CENTRE)
        for row, box in zip(self._rows, self._row_boxes, strict=True):
            mid = box.center().y()
            strong = Type.STRONG if row.cured else Type.BODY
            paint.label(
                painter, look, line * 0.7, mid, row.letter, Type.STRONG, "side_a" if row.letter == "A" else "ink"
            )
            title = _fitting(painter, look, row.title, at["lowest"] - line * 4.6 - at["title"], strong)
            paint.label(painter, look, at["title"], mid, title, strong, "ink")
            paint.label(painter, look, at["lowest"], mid, row.lowest, Type.BODY, "ink", paint.RIGHT)
            paint.label(painter, look, at["where"], mid, row.where)
            paint.label(painter, look, at["dips"], mid, row.dips, strong, "ample" if row.cured else "ink", paint.RIGHT)
            paint.label(painter, look, at["fill"], mid, row.fill, Type.BODY, "ink", paint.RIGHT)
            paint.label(painter, look, at["work"], mid, row.work)
            if row.effect is not None and row.low is not None and row.high is not None:
                color = look.color("ample" if row.low > 0 else "below" if row.high < 0 else "soft")
                painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
                painter.setPen(paint.pen(color, 2.6))
                painter.drawLine(QPointF(px(row.low), mid), QPointF(px(row.high), mid))
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(color)
                painter.drawEllipse(QPointF(px(row.effect), mid), 4.0, 4.0)
                painter.setBrush(Qt.BrushStyle.NoBrush)
        y = bottom + line * 1.5
        if found.calibration is not None:
            said = f"{read_in(calibration_words(found.calibration), self._units)} " if found.calibration.usable else ""
            words = f"{said}{NOT_MODELLED}"
            painter.setFont(look.font(Type.SMALL))
            painter.setPen(look.color("soft"))
            painter.drawText(QRectF(0, y, width, line * 3), _WRAPPED, words)


def _fitting(painter: QPainter, look: Look, words: str, width: float, kind: Type) -> str:
    """Words cut with an ellipsis where they do not fit."""
    return QFontMetricsF(look.font(kind)).elidedText(words, Qt.TextElideMode.ElideRight, width)


def _length(mm: float, units: DisplayUnits) -> str:
    return units.text(mm, Quantity.LENGTH)


def _arrow(painter: QPainter, start: QPointF, dx: float, dy: float, length: float) -> None:
    begin = QPointF(start.x() - dx * length / 2, start.y() - dy * length / 2)
    end = QPointF(start.x() + dx * length / 2, start.y() + dy * length / 2)
    painter.drawLine(begin, end)
    for turn in (2.6, -2.6):
        c, s = math.cos(turn), math.sin(turn)
        painter.drawLine(end, QPointF(end.x() + 6 * (dx * c - dy * s), end.y() + 6 * (dx * s + dy * c)))
