"""A pan in plan and in two upright cuts, to be changed with the mouse and the arrow keys."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from basso.errors import InputError
from basso.sump.editing import Part, edge_length_m, floor_of, moved_corner, moved_edge, with_corner
from basso.sump.measured import MeasuredPan
from basso.sump.part_numbers import with_number
from basso.sump.sections import Drawing, Polygon, cuts_by_bay, drawing_of, oil_in
from basso.ui.plots import paint
from basso.ui.stations.sump.picture import height_words
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits, Quantity

_NEAR_PX = 9.0
_GRID_M = {"mm": 0.001, "in": 0.00127}
"""Steps of the mouse and of the arrow keys."""
_ARROWS = {Qt.Key.Key_Up: (1, 0), Qt.Key.Key_Down: (-1, 0), Qt.Key.Key_Left: (0, 1), Qt.Key.Key_Right: (0, -1)}


@dataclass(frozen=True, slots=True)
class _View:
    """One of the three pictures: metres (across to the viewer's left, up) to pixels."""

    box: QRectF
    scale: float
    centre: tuple[float, float]

    def at(self, across: float, up: float) -> QPointF:
        middle = self.box.center()
        return QPointF(
            middle.x() - (across - self.centre[0]) * self.scale, middle.y() - (up - self.centre[1]) * self.scale
        )

    def back(self, point: QPointF) -> tuple[float, float]:
        middle = self.box.center()
        return (
            self.centre[0] - (point.x() - middle.x()) / self.scale,
            self.centre[1] - (point.y() - middle.y()) / self.scale,
        )


@dataclass(frozen=True, slots=True)
class _Grip:
    """What the mouse holds: a part, and which of its numbers moves up and down in a cut ("" in the plan)."""

    part: Part
    view: str
    key: str = ""


class DrawCanvas(QWidget):
    """Told the pan and what is chosen; gives the pan as it was changed, and says what cannot be."""

    changed = Signal(object, str)
    """A pan, and what was done."""
    chosen = Signal(object)
    refused = Signal(str)
    removal_wanted = Signal()

    def __init__(self, look: Look, units: DisplayUnits) -> None:
        super().__init__()
        self._look, self._units = look, units
        self._pan: MeasuredPan | None = None
        self._drawing: Drawing | None = None
        self._part = Part("pan")
        self._views: dict[str, _View] = {}
        self._grip: _Grip | None = None
        self._from: tuple[MeasuredPan, tuple[float, float]] | None = None
        self._drags = 0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("The pan, drawn: drag corners, edges and heights, or choose one and use the arrow keys")

    def sizeHint(self) -> QSize:
        """Room for the plan over both cuts."""
        line = self._look.height()
        return QSize(round(line * 36), round(line * 34))

    def show_pan(self, pan: MeasuredPan, part: Part) -> None:
        """Draw a pan with a part of it chosen. The engine stands upright in the drawing."""
        if pan is not self._pan:
            self._pan = pan
            self._drawing = drawing_of(_upright(pan))
        self._part = part
        self.update()

    @property
    def drag(self) -> int:
        """The number of the drag that goes on; 0 where none does."""
        return self._drags if self._from is not None else 0

    # Where things are

    def resizeEvent(self, _event: object) -> None:
        """The pictures take the room there is."""
        self._views = {}

    def _view(self, name: str) -> _View:
        if not self._views and self._drawing is not None:
            self._views = self._laid_out(self._drawing)
        return self._views[name]

    def _laid_out(self, d: Drawing) -> dict[str, _View]:
        line, width, height = self._look.height(Type.SMALL), float(self.width()), float(self.height())
        x0, x1, y0, y1 = d.extent
        deep = d.high_m - d.low_m
        plan = QRectF(line * 4, line * 3.2, width - line * 6, height * 0.58 - line * 4.4)
        cuts_top = height * 0.58 + line * 1.4
        cut_height = height - cuts_top - line * 1.0
        behind = QRectF(line * 1, cuts_top, width * 0.40 - line * 2, cut_height)
        side = QRectF(width * 0.42, cuts_top, width * 0.58 - line * 8.5, cut_height)
        plan_scale = min(plan.width() / (y1 - y0), plan.height() / (x1 - x0))
        cut_scale = min(behind.width() / (y1 - y0), side.width() / (x1 - x0), cut_height / deep)
        middle = (d.low_m + d.high_m) / 2
        return {
            "plan": _View(plan, plan_scale, ((y0 + y1) / 2, (x0 + x1) / 2)),
            "behind": _View(behind, cut_scale, ((y0 + y1) / 2, middle)),
            "side": _View(side, cut_scale, ((x0 + x1) / 2, middle)),
        }

    def plan_point(self, x_m: float, y_m: float) -> QPointF:
        """Where a place of the pan is in the plan, px."""
        return self._view("plan").at(y_m, x_m)

    def side_point(self, x_m: float, up_m: float) -> QPointF:
        """Where a place of the cut along the crank is, px."""
        return self._view("side").at(x_m, up_m)

    def _under(self, at: QPointF) -> _Grip | None:
        """What is under the mouse, the smallest first."""
        if self._pan is None or self._drawing is None:
            return None
        side = self._view("side")
        if at.y() < side.box.top() - 2 * _NEAR_PX:
            return self._under_in_plan(at)
        name = "side" if at.x() > side.box.left() - _NEAR_PX else "behind"
        return self._under_in_cut(at, name, self._view(name))

    def _under_in_plan(self, at: QPointF) -> _Grip | None:
        pan = self._pan
        assert pan is not None

        def px(x: float, y: float) -> QPointF:
            return self.plan_point(x, y)

        for i, plate in enumerate(pan.plates):
            for k, h in enumerate(plate.holes):
                if _far(at, px(h.x_m, h.y_m)) < _NEAR_PX:
                    return _Grip(Part("hole", i, k), "plan")
        if pan.pickup is not None and _far(at, px(*pan.pickup.middle_m[:2])) < _NEAR_PX:
            return _Grip(Part("pickup"), "plan")
        corners = [
            (_far(at, px(*p)), Part("corner", i, k))
            for i, bay in enumerate(pan.bays)
            for k, p in enumerate(bay.outline_m.tolist())
        ]
        edges = [
            (_off(at, px(*a), px(*b)), Part("edge", i, k))
            for i, bay in enumerate(pan.bays)
            for k, (a, b) in enumerate(
                zip(bay.outline_m.tolist(), np.roll(bay.outline_m, -1, axis=0).tolist(), strict=True)
            )
        ]
        for found in (corners, edges):
            # Of two bays' corners on one place, that of the bay chosen.
            off, part = min(found, key=lambda f: (round(f[0]), f[1].index != self._part.index))
            if off < _NEAR_PX:
                return _Grip(part, "plan")
        for i, bay in enumerate(pan.bays):
            outline = QPolygonF([px(*p) for p in bay.outline_m.tolist()])
            if outline.containsPoint(at, Qt.FillRule.OddEvenFill):
                return _Grip(Part("bay", i), "plan")
        return None

    def _under_in_cut(self, at: QPointF, name: str, view: _View) -> _Grip | None:
        pan, d = self._pan, self._drawing
        assert pan is not None and d is not None
        if pan.pickup is not None:
            x, y, z = pan.pickup.middle_m
            if _far(at, view.at(y if name == "behind" else x, z)) < _NEAR_PX:
                return _Grip(Part("pickup"), name, "z")
        left, right = self._span(name)
        for height, key in ((pan.sweep_m, "sweep"), (pan.full_mark_m, "full")):
            if height is not None and _off(at, view.at(left, height), view.at(right, height)) < _NEAR_PX:
                return _Grip(Part("pan"), name, key)
        lines = d.plates_behind if name == "behind" else d.plates_side
        for line in lines:
            if _off(at, view.at(*line.start), view.at(*line.end)) < _NEAR_PX:
                near = [abs(p.height_m - line.start[1]) for p in pan.plates]
                return _Grip(Part("plate", int(np.argmin(near))), name, "z")
        for bay, (a, b, c, e) in self._cuts(name):
            if _off(at, view.at(*a), view.at(*b)) < _NEAR_PX:
                return _Grip(Part("bay", bay), name, "floor")
            if _off(at, view.at(*c), view.at(*e)) < _NEAR_PX:
                return _Grip(Part("bay", bay), name, "roof")
        return None

    def _cuts(self, name: str) -> list[tuple[int, Polygon]]:
        assert self._pan is not None
        return cuts_by_bay(_upright(self._pan), 0 if name == "behind" else 1)

    def _span(self, name: str) -> tuple[float, float]:
        assert self._drawing is not None
        x0, x1, y0, y1 = self._drawing.extent
        return (y1, y0) if name == "behind" else (x1, x0)

    # Changing it

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold of what is under the mouse."""
        self._grip = self._under(event.position())
        if self._grip is None or self._pan is None:
            return
        self._from = (self._pan, self._view(self._grip.view).back(event.position()))
        self._drags += 1
        self.chosen.emit(self._grip.part)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Move what is held; else show that something can be."""
        if self._grip is None or self._from is None:
            grip = self._under(event.position())
            shapes = Qt.CursorShape
            moves = grip is not None and (grip.key or grip.part.kind in ("corner", "edge", "pickup", "hole"))
            self.setCursor(shapes.SizeAllCursor if moves else shapes.ArrowCursor)
            return
        start, (across, up) = self._from
        view = self._view(self._grip.view)
        now_across, now_up = view.back(event.position())
        grip, by = self._grip, (now_up - up, now_across - across)
        self._try(lambda: self._moved(start, grip, by), f"moving the {_word(grip)}")

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        """Let go."""
        self._grip = self._from = None
        self._views = {}
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """On an edge: one more corner."""
        grip, pan = self._under(event.position()), self._pan
        if grip is None or pan is None or grip.part.kind != "edge":
            return
        across, up = self._view("plan").back(event.position())
        at = (self._on_grid(up), self._on_grid(across))
        self._try(lambda: with_corner(pan, grip.part.index, grip.part.inner, at), "adding a corner")
        self.chosen.emit(Part("corner", grip.part.index, grip.part.inner + 1))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrow keys move what is chosen by a step, ten with Shift; Delete takes it out."""
        key = Qt.Key(event.key())
        if key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.removal_wanted.emit()
            return
        pan, part = self._pan, self._part
        if key not in _ARROWS or pan is None or part.kind not in ("corner", "edge", "pickup", "hole"):
            super().keyPressEvent(event)
            return
        step = self._grid() * (10.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0)
        dx, dy = (d * step for d in _ARROWS[key])
        grip = _Grip(part, "plan")
        self._try(lambda: self._moved(pan, grip, (dx, dy)), f"moving the {_word(grip)}")

    def _moved(self, pan: MeasuredPan, grip: _Grip, by: tuple[float, float]) -> MeasuredPan:
        """``by``: up the picture and to its left, metres. What moves comes to lie on the grid."""
        part, (dx, dy) = grip.part, by
        if grip.key:
            return with_number(pan, part, grip.key, self._on_grid(_height(pan, part, grip.key) + dx))
        if part.kind == "corner":
            x, y = (float(v) for v in pan.bays[part.index].outline_m[part.inner])
            return moved_corner(pan, part.index, part.inner, (self._on_grid(x + dx), self._on_grid(y + dy)))
        if part.kind == "edge":
            return moved_edge(pan, part.index, part.inner, (self._on_grid(dx), self._on_grid(dy)))
        if part.kind == "pickup" and pan.pickup is not None:
            x, y, z = pan.pickup.middle_m
            moved = replace(pan.pickup, middle_m=(self._on_grid(x + dx), self._on_grid(y + dy), z))
            return with_number(replace(pan, pickup=moved), part, "z", z)
        if part.kind == "hole":
            hole = pan.plates[part.index].holes[part.inner]
            moved_x = with_number(pan, part, "x", self._on_grid(hole.x_m + dx))
            return with_number(moved_x, part, "y", self._on_grid(hole.y_m + dy))
        return pan

    def _try(self, change: Callable[[], MeasuredPan], what: str) -> None:
        try:
            made = change()
        except InputError as error:
            self.refused.emit(str(error))
            return
        self.changed.emit(made, what)

    def _grid(self) -> float:
        return _GRID_M.get(self._units.length.symbol, 0.001)

    def _on_grid(self, value: float) -> float:
        return round(value / self._grid()) * self._grid()

    # Painting

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter, look, d, pan = QPainter(self), self._look, self._drawing, self._pan
        painter.fillRect(self.rect(), look.color("paper"))
        if d is None or pan is None:
            return
        if self._grip is None:
            self._views = {}
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        self._paint_plan(painter, pan, d)
        for name, words in (("behind", "From behind"), ("side", "From the left, nose to the left")):
            self._paint_cut(painter, name, words, pan, d)
        paint.focus_mark(self, painter, look.color("soft"))

    def _paint_plan(self, painter: QPainter, pan: MeasuredPan, d: Drawing) -> None:
        look, line, view = self._look, self._look.height(Type.SMALL), self._view("plan")
        upright = "" if pan.is_level and pan.axis == "along" else ", in the engine's own axes"
        paint.label(painter, look, line, line, f"From above, nose up{upright}", Type.SMALL_STRONG, "ink")
        painter.setBrush(look.color("panel"))
        mine = self._part.index if self._part.kind in ("bay", "corner", "edge") else -1
        for i, outline in enumerate(d.above):
            painter.setPen(look.pen("ink", 2.4 if i == mine else 1.6))
            painter.drawPolygon(QPolygonF([view.at(y, x) for x, y in outline]))
        wash = QColor(look.color("rule"))
        wash.setAlpha(90)
        painter.setBrush(wash)
        for i, outline in enumerate(d.plates_above):
            chosen = self._part.kind in ("plate", "hole") and self._part.index == i
            painter.setPen(paint.pen(look.color("ink" if chosen else "soft"), 1.4, Qt.PenStyle.DashLine))
            painter.drawPolygon(QPolygonF([view.at(y, x) for x, y in outline]))
        painter.setBrush(look.color("panel"))
        for plate in pan.plates:
            painter.setPen(look.pen("ink", 1.2))
            for h in plate.holes:
                radius = max(h.radius_m * view.scale, 3.0)
                painter.drawEllipse(view.at(h.y_m, h.x_m), radius, radius)
        for i, bay in enumerate(pan.bays):
            middle = view.at(*reversed(bay.outline_m.mean(axis=0).tolist()))
            if len(pan.bays) > 1:
                paint.label(painter, look, middle.x(), middle.y(), bay.name, align=paint.CENTRE)
            for k, (x, y) in enumerate(bay.outline_m.tolist()):
                self._paint_corner(painter, view.at(y, x), Part("corner", i, k) == self._part)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for door in d.doors:
            start = view.at(door.at[1], door.at[0])
            painter.setPen(look.pen("ample", 2.2))
            painter.drawEllipse(start, 4.0, 4.0)
            painter.drawLine(start, QPointF(start.x() - 18.0 * door.way[1], start.y() - 18.0 * door.way[0]))
        if pan.pickup is not None:
            mouth = view.at(pan.pickup.middle_m[1], pan.pickup.middle_m[0])
            radius = max(pan.pickup.radius_m * view.scale, 5.0)
            painter.setBrush(look.color("panel"))
            painter.setPen(look.pen("ink", 2.4 if self._part.kind == "pickup" else 1.6))
            painter.drawEllipse(mouth, radius, radius)
            painter.drawEllipse(mouth, radius * 0.6, radius * 0.6)
        self._paint_dimensions(painter, pan, d, view)

    def _paint_corner(self, painter: QPainter, at: QPointF, is_chosen: bool) -> None:
        look, half = self._look, 4.5 if is_chosen else 3.0
        painter.setPen(look.pen("ink", 1.2))
        painter.setBrush(look.color("ink" if is_chosen else "paper"))
        painter.drawRect(QRectF(at.x() - half, at.y() - half, 2 * half, 2 * half))

    def _paint_dimensions(self, painter: QPainter, pan: MeasuredPan, d: Drawing, view: _View) -> None:
        """All of the pan; of the bay that is chosen, each edge."""
        look, line = self._look, self._look.height(Type.SMALL)
        x0, x1, y0, y1 = d.extent
        top, left = view.at((y0 + y1) / 2, x1), view.at(y1, (x0 + x1) / 2)
        paint.label(painter, look, top.x(), top.y() - line, self._mm(y1 - y0), Type.SMALL, "soft", paint.CENTRE)
        paint.label(painter, look, left.x() - 10, left.y(), self._mm(x1 - x0), Type.SMALL, "soft", paint.RIGHT)
        if self._part.kind not in ("bay", "corner", "edge"):
            return
        bay = pan.bays[self._part.index]
        centre = view.at(*reversed(bay.outline_m.mean(axis=0).tolist()))
        for k, (a, b) in enumerate(zip(bay.outline_m, np.roll(bay.outline_m, -1, axis=0), strict=True)):
            middle = view.at(float(a[1] + b[1]) / 2, float(a[0] + b[0]) / 2)
            inward = QPointF(centre.x() - middle.x(), centre.y() - middle.y())
            far = max(float(np.hypot(inward.x(), inward.y())), 1.0)
            is_mine = Part("edge", self._part.index, k) == self._part
            if is_mine:
                painter.setPen(look.pen("ample", 3.0))
                painter.drawLine(view.at(float(a[1]), float(a[0])), view.at(float(b[1]), float(b[0])))
            words = self._mm(edge_length_m(pan, self._part.index, k))
            x, y = middle.x() + inward.x() / far * line * 1.5, middle.y() + inward.y() / far * line * 0.9
            paint.label(painter, look, x, y, words, Type.SMALL_STRONG if is_mine else Type.SMALL, "ink", paint.CENTRE)

    def _paint_cut(self, painter: QPainter, name: str, words: str, pan: MeasuredPan, d: Drawing) -> None:
        look, line, view = self._look, self._look.height(Type.SMALL), self._view(name)
        left, right = self._span(name)
        top = view.at(0.0, d.high_m).y() - line * 1.3
        paint.label(painter, look, view.at(left, 0.0).x(), top, words, Type.SMALL_STRONG, "ink")
        if pan.fill_l is not None:
            oil = oil_in(d, pan.fill_l / 1000.0, 0.0, 0.0)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(look.color("oil_wash"))
            for polygon in oil.behind if name == "behind" else oil.side:
                painter.drawPolygon(QPolygonF([view.at(*q) for q in polygon]))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        marks: list[tuple[float, str]] = []
        for bay, (a, b, c, e) in self._cuts(name):
            chosen = self._part.kind in ("bay", "corner", "edge") and self._part.index == bay
            painter.setPen(look.pen("ink", 2.6 if chosen else 1.8))
            painter.drawPolyline(QPolygonF([view.at(*q) for q in (e, a, b, c)]))
            painter.setPen(look.pen("soft", 1.0, Qt.PenStyle.DotLine))
            painter.drawLine(view.at(*c), view.at(*e))
            if chosen or len(pan.bays) == 1:
                marks += [(floor_of(pan.bays[bay])[0], "floor"), (float(pan.bays[bay].roof_m[0]), "rail")]
        for height, mark in ((pan.sweep_m, "crank sweep"), (pan.full_mark_m, "full mark")):
            if height is not None:
                painter.setPen(look.pen("soft", 1.4, Qt.PenStyle.DashLine))
                painter.drawLine(view.at(left, height), view.at(right, height))
                marks.append((height, mark))
        for i, plate_line in enumerate(d.plates_behind if name == "behind" else d.plates_side):
            painter.setPen(look.pen("ink", 3.0 if self._part == Part("plate", i) else 2.2))
            painter.drawLine(view.at(*plate_line.start), view.at(*plate_line.end))
            marks.append((plate_line.start[1], "plate"))
        if pan.pickup is not None:
            x, y, z = pan.pickup.middle_m
            mouth = view.at(y if name == "behind" else x, z)
            painter.setPen(look.pen("ink", 2.0))
            painter.drawLine(QPointF(mouth.x(), view.at(0.0, d.high_m).y()), mouth)
            painter.setPen(look.pen("ink", 5.0))
            painter.drawLine(QPointF(mouth.x() - 9, mouth.y() - 2), QPointF(mouth.x() + 9, mouth.y() - 2))
            marks.append((z, "mouth"))
        if name == "side":
            self._paint_heights(painter, view, right, marks)

    def _paint_heights(self, painter: QPainter, view: _View, right: float, marks: list[tuple[float, str]]) -> None:
        look, line = self._look, self._look.height(Type.SMALL)
        above = -1e9
        for height, words in sorted(dict.fromkeys(marks), key=lambda m: -m[0]):
            at = view.at(right, height)
            y = max(at.y(), above + line * 0.95)
            above = y
            painter.setPen(look.pen("soft"))
            painter.drawPolyline([QPointF(at.x() + 3, at.y()), QPointF(at.x() + 10, at.y()), QPointF(at.x() + 18, y)])
            number = height_words(height, self._units)
            paint.label(painter, look, at.x() + line * 3.0, y, number, Type.SMALL_STRONG, "ink", paint.RIGHT)
            paint.label(painter, look, at.x() + line * 3.3, y, words)

    def _mm(self, metres: float) -> str:
        return self._units.text(1000.0 * metres, Quantity.LENGTH)


def _upright(pan: MeasuredPan) -> MeasuredPan:
    return replace(pan, axis="along", lean_left_deg=0.0, nose_up_deg=0.0)


def _height(pan: MeasuredPan, part: Part, key: str) -> float:
    """The height that a grip in a cut moves, now."""
    if part.kind == "pickup" and pan.pickup is not None:
        return pan.pickup.middle_m[2]
    if part.kind == "plate":
        return pan.plates[part.index].height_m
    if part.kind == "bay":
        bay = pan.bays[part.index]
        return floor_of(bay)[0] if key == "floor" else float(bay.roof_m[0])
    return (pan.sweep_m if key == "sweep" else pan.full_mark_m) or 0.0


def _word(grip: _Grip) -> str:
    return {"sweep": "crank sweep", "full": "full mark", "floor": "floor", "roof": "rail"}.get(grip.key, grip.part.kind)


def _far(a: QPointF, b: QPointF) -> float:
    return float(np.hypot(a.x() - b.x(), a.y() - b.y()))


def _off(p: QPointF, a: QPointF, b: QPointF) -> float:
    """How far a point is from a line between two others."""
    dx, dy = b.x() - a.x(), b.y() - a.y()
    length = max(dx * dx + dy * dy, 1e-9)
    t = min(max(((p.x() - a.x()) * dx + (p.y() - a.y()) * dy) / length, 0.0), 1.0)
    return float(np.hypot(p.x() - a.x() - t * dx, p.y() - a.y() - t * dy))
