"""Draws the pass ladder, the oil rose and loss against g."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent
from PySide6.QtWidgets import QWidget

from basso.trust.side import KNOWN, Side
from basso.ui.plots import paint
from basso.ui.plots.ticks import ticks
from basso.ui.stations.corners.picture import Ladder, LadderRow, ThresholdPicture
from basso.ui.theme.look import Look, Type

if TYPE_CHECKING:
    from basso.findings.corners.rose import Rose


def share_color(look: Look, share: float, floor: float) -> QColor:
    """Ample, fair, at the floor, below: the margin's colours by share of normal."""
    name = "below" if share < floor else "sand" if share < floor + 0.1 else "fair" if share < 0.9 else "ample"
    return look.color(name)


_TALLEST_ROW = 3.0


class LadderView(QWidget):
    """A row for each place, a rung for each lap. ``place_chosen`` carries a place's id, ``rung_chosen`` seconds."""

    place_chosen = Signal(str)
    rung_chosen = Signal(float)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self.ladder: Ladder | None = None
        self.chosen = ""
        self._rung = -1
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        look.fit(self, lambda w: w.setMinimumHeight(round(look.height() * 12)))
        self.setAccessibleName("Pass ladder: a row for each place, a mark for each lap")
        self.setToolTip(
            "One mark per lap, at its lowest % of normal. Up and down choose a place, left and right a lap."
        )
        look.changed.connect(self.update)

    def show_ladder(self, ladder: Ladder | None) -> None:
        """Show another ladder; the chosen place stays chosen where it is there."""
        self.ladder = ladder
        ids = [r.id for r in ladder.rows] if ladder is not None else []
        if self.chosen not in ids:
            self.chosen = (
                next((r.id for r in ladder.rows if r.low), ids[0] if ids else "") if ladder is not None else ""
            )
        self._rung = -1
        self.update()

    def choose(self, place: str) -> None:
        """Choose a place."""
        if place != self.chosen:
            self.chosen, self._rung = place, -1
            self.update()
            self.place_chosen.emit(place)

    def _rows(self) -> tuple[LadderRow, ...]:
        return self.ladder.rows if self.ladder is not None else ()

    def _area(self) -> QRectF:
        line = self._look.height(Type.SMALL)
        return QRectF(line * 12.5, line * 1.6, self.width() - line * 13.2, self.height() - line * 2.0)

    def _x(self, share: float) -> float:
        area, ladder = self._area(), self.ladder
        assert ladder is not None
        return area.left() + (share - ladder.low) / (ladder.high - ladder.low) * area.width()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, look, rows = QPainter(self), self._look, self._rows()
        if not rows or self.ladder is None:
            return
        area, small = self._area(), look.font(Type.SMALL)
        area.setHeight(min(area.height(), len(rows) * _TALLEST_ROW * look.height()))
        high = min(area.height() / len(rows), _TALLEST_ROW * self._look.height())
        for i, row in enumerate(rows):
            if row.id == self.chosen:
                painter.fillRect(QRectF(0, area.top() + i * high, self.width(), high), look.color("band"))
        for share in np.arange(np.ceil(self.ladder.low * 5) / 5, self.ladder.high, 0.2):
            x = self._x(float(share))
            paint.rule(painter, x, area.top(), x, area.bottom(), look.color("rule"))
            paint.text(
                painter,
                x,
                area.top() - look.height(Type.SMALL) * 0.7,
                f"{100 * share:.0f} %",
                small,
                look.color("soft"),
                paint.CENTRE,
            )
        for share in self.ladder.lines:
            x = self._x(share)
            paint.rule(painter, x, area.top(), x, area.bottom(), look.color("below"), Qt.PenStyle.DashLine)
            words = f"{100 * share:.0f} %"
            paint.label(
                painter,
                look,
                x,
                area.top() - look.height(Type.SMALL) * 0.7,
                words,
                Type.SMALL_STRONG,
                "below",
                align=paint.CENTRE,
            )
        for i, row in enumerate(rows):
            self._draw_row(painter, row, area.top() + i * high, high)
        paint.focus_mark(self, painter, look.color("ink"))

    def _draw_row(self, painter: QPainter, row: LadderRow, top: float, high: float) -> None:
        look = self._look
        middle = top + high / 2
        strong = look.color("below" if row.low else "ink")
        paint.text(painter, 4, middle, row.id, look.font(Type.STRONG), strong)
        paint.text(
            painter,
            look.height(Type.SMALL) * 2.2,
            middle,
            row.words,
            look.font(Type.SMALL),
            look.color("ink" if row.low else "soft"),
        )
        count = max(len(row.rungs), 1)
        gap = min((high - 4.0) / count, 9.0)
        first = middle - gap * (count - 1) / 2
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        for k, rung in enumerate(row.rungs):
            x, y = self._x(rung.share), first + gap * k
            color = look.color("below" if rung.below else "ample" if rung.share > 0.9 else "fair")
            chosen = row.id == self.chosen and k == self._rung
            thick = max(2.0, min(gap - 1.5, 4.0)) + (2.0 if chosen else 0.0)
            painter.fillRect(QRectF(x - 7, y - thick / 2, 14, thick), color)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        rows, area = self._rows(), self._area()
        if not rows:
            return
        high = min(area.height() / len(rows), _TALLEST_ROW * self._look.height())
        i = int((event.position().y() - area.top()) / high)
        if not 0 <= i < len(rows):
            return
        self.choose(rows[i].id)
        rungs = rows[i].rungs
        if rungs and event.position().x() >= area.left() - 8:
            gap = min((high - 4.0) / len(rungs), 9.0)
            first = area.top() + (i + 0.5) * high - gap * (len(rungs) - 1) / 2
            near = [
                abs(event.position().x() - self._x(r.share)) / 14
                + abs(event.position().y() - first - gap * k) / max(gap, 4)
                for k, r in enumerate(rungs)
            ]
            self._choose_rung(int(np.argmin(near)))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        rows = self._rows()
        at = next((i for i, r in enumerate(rows) if r.id == self.chosen), -1)
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()))
        if step is not None and rows:
            self.choose(rows[max(0, min(len(rows) - 1, at + step))].id)
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right) and at >= 0 and rows[at].rungs:
            by = 1 if event.key() == Qt.Key.Key_Right else -1
            self._choose_rung(max(0, min(len(rows[at].rungs) - 1, self._rung + by)))
        else:
            super().keyPressEvent(event)

    def _choose_rung(self, which: int) -> None:
        row = next((r for r in self._rows() if r.id == self.chosen), None)
        if row is not None and 0 <= which < len(row.rungs):
            self._rung = which
            self.update()
            self.rung_chosen.emit(row.rungs[which].time_s)


class RoseView(QWidget):
    """The oil rose: angle is the way the oil is thrown, radius the g it feels, colour the least share of normal seen
    there."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._side = KNOWN
        self._look = look
        self.rose: Rose | None = None
        self._floor = 0.7
        look.fit(self, lambda w: w.setMinimumHeight(round(look.height() * 9)))
        self.setAccessibleName("Oil rose: where the oil went, at which g, and the lowest % of normal there")
        self.setToolTip("Where the oil went; one ring per 0.2 g on the oil; colour: the lowest % of normal seen there.")
        look.changed.connect(self.update)

    def show_rose(self, rose: Rose | None, floor: float, side: Side = KNOWN) -> None:
        """Show another session's; ``side``: whether it is known which side is left."""
        self.rose, self._floor, self._side = rose, floor, side
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, look, rose = QPainter(self), self._look, self.rose
        if rose is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        line = look.height(Type.SMALL)
        sectors, rings = rose.share.shape
        centre = QPointF(self.width() / 2.0, self.height() / 2.0)
        radius = min(self.width() / 2.0 - line * (3.0 if self._side.proven else 4.2), self.height() / 2.0 - line * 1.3)
        step, wide = radius / rings, 360.0 / sectors
        painter.setPen(look.pen("rule"))
        for g in range(1, rings + 1):
            painter.drawEllipse(centre, step * g, step * g)
        for s in range(sectors):
            for r in range(rings):
                share = float(rose.share[s, r])
                if share != share:
                    continue
                path = QPainterPath()
                # Qt counts from three o'clock against the clock; sector 0 is the nose, the next to the right.
                start = 90.0 - s * wide + wide / 2.0
                outer, inner = (
                    QRectF(0, 0, 2 * step * (r + 1), 2 * step * (r + 1)),
                    QRectF(0, 0, 2 * step * r, 2 * step * r),
                )
                outer.moveCenter(centre)
                inner.moveCenter(centre)
                path.arcMoveTo(outer, start)
                path.arcTo(outer, start, -wide)
                path.arcTo(inner, start - wide, wide)
                path.closeSubpath()
                painter.fillPath(path, share_color(look, share, self._floor))
                painter.setPen(look.pen("paper", 1.0))
                painter.drawPath(path)
                if share < self._floor:
                    self._hatch(painter, path)
        soft, small = look.color("soft"), look.font(Type.SMALL)
        paint.text(painter, centre.x(), centre.y() - radius - line * 0.6, "nose", small, soft, paint.CENTRE)
        paint.text(painter, centre.x(), centre.y() + radius + line * 0.6, "tail", small, soft, paint.CENTRE)
        paint.text(painter, centre.x() - radius - 5, centre.y(), self._side.way("left"), small, soft, paint.RIGHT)
        paint.text(painter, centre.x() + radius + 5, centre.y(), self._side.way("right"), small, soft)
        words = f"{0.2 * rings:.1f} g"
        paint.text(painter, centre.x() + radius * 0.72 + 6, centre.y() - radius * 0.72 - 4, words, small, soft)

    def _hatch(self, painter: QPainter, path: QPainterPath) -> None:
        """Below the floor is told by hatching too, for eyes and prints without colour."""
        painter.save()
        painter.setClipPath(path)
        painter.setPen(self._look.pen("panel", 0.8))
        box = path.boundingRect()
        at = box.left() - box.height()
        while at < box.right():
            painter.drawLine(QPointF(at, box.bottom()), QPointF(at + box.height(), box.top()))
            at += 5.0
        painter.restore()


class LossView(QWidget):
    """Every pass in one direction: lowest % of normal against the g on the oil. ``pass_chosen`` carries seconds."""

    pass_chosen = Signal(float)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self.picture: ThresholdPicture | None = None
        self._floor = 0.7
        look.fit(self, lambda w: w.setMinimumHeight(round(look.height() * 7)))
        self.setAccessibleName("Lowest % of normal of each pass against the g on the oil")
        self.setToolTip(
            "A mark for each pass; the band: where the pressure begins to fall, 95 %. Click a pass to go there."
        )
        look.changed.connect(self.update)

    def show_picture(self, picture: ThresholdPicture | None, floor: float) -> None:
        """Show another direction."""
        self.picture, self._floor = picture, floor
        self.update()

    def _area(self) -> QRectF:
        line = self._look.height(Type.SMALL)
        return QRectF(line * 3.2, line * 0.6, self.width() - line * 4.2, self.height() - line * 2.2)

    def _at(self, g: float, share: float) -> QPointF:
        p, area = self.picture, self._area()
        assert p is not None
        right, low = max(float(p.felt_g.max()) * 1.05, 0.5), min(float(p.share.min()), 0.6) - 0.05
        return QPointF(
            area.left() + g / right * area.width(), area.bottom() - (share - low) / (1.08 - low) * area.height()
        )

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, look, p = QPainter(self), self._look, self.picture
        if p is None:
            return
        area, small, soft = self._area(), look.font(Type.SMALL), look.color("soft")
        line = look.height(Type.SMALL)
        if p.g is not None and p.high_g is not None:
            left, right = self._at(p.low_g or 0.0, 1.0).x(), min(self._at(p.high_g, 1.0).x(), area.right())
            painter.fillRect(QRectF(left, area.top(), right - left, area.height()), look.color("band"))
        for share in (1.0, 0.8, 0.6, 0.4, 0.2):
            y = self._at(0.0, share).y()
            if area.top() <= y <= area.bottom():
                paint.rule(painter, area.left(), y, area.right(), y, look.color("grid"))
                paint.text(painter, area.left() - 6, y, f"{100 * share:.0f} %", small, soft, paint.RIGHT)
        y = self._at(0.0, self._floor).y()
        if area.top() <= y <= area.bottom():
            paint.rule(painter, area.left(), y, area.right(), y, look.color("below"), Qt.PenStyle.DashLine)
        if p.g is not None and p.high_g is not None:
            x, words, font = self._at(p.g, 1.0).x(), f"{p.g:.2f} g", look.font(Type.SMALL_STRONG)
            paint.rule(painter, x, area.top(), x, area.bottom(), look.color("ink"))
            wide, y = QFontMetricsF(font).horizontalAdvance(words), area.bottom() - line * 0.7
            end = max(x - 5, area.left() + wide)
            painter.fillRect(QRectF(end - wide - 2, y - line * 0.5, wide + 4, line), look.color("band"))
            paint.text(painter, end, y, words, font, look.color("ink"), paint.RIGHT)
        for g in ticks(0.0, max(float(p.felt_g.max()), 0.5), 6):
            paint.text(painter, self._at(g, 1.0).x(), area.bottom() + line * 0.8, f"{g:g} g", small, soft, paint.CENTRE)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        for g, share in zip(p.felt_g, p.share, strict=True):
            painter.setPen(look.pen("ink", 0.8))
            painter.setBrush(share_color(look, float(share), self._floor))
            at = self._at(float(g), float(share))
            painter.drawEllipse(at, 3.2, 3.2)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        p, at = self.picture, event.position()
        if p is None or not p.felt_g.size:
            return
        far = [(self._at(float(g), float(s)) - at).manhattanLength() for g, s in zip(p.felt_g, p.share, strict=True)]
        near = int(np.argmin(far))
        if far[near] < 30.0:
            self.pass_chosen.emit(float(p.time_s[near]))
