"""Linked time traces: stacked panels over one time axis, drawn once to a pixmap; the cursor is an overlay."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPixmap, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from basso.ui.models.cursor import Cursor
from basso.ui.plots import paint
from basso.ui.plots.trace_sheet import LABELS_LINES, DipMark, TimeAxis, TraceSheet
from basso.ui.theme.look import Look, Type

if TYPE_CHECKING:
    from basso.ui.stations.dips.picture import Panel


class Traces(QWidget):
    """Stacked traces of one session. Drag pans, the wheel zooms, a click puts the cursor."""

    dip_clicked = Signal(int)

    def __init__(self, look: Look, cursor: Cursor) -> None:
        super().__init__()
        self._look, self._cursor = look, cursor
        self._sheet = TraceSheet(look, (), np.empty(0), ())
        self._selected = -1
        self._cache: QPixmap | None = None
        self._pressed_at: QPointF | None = None
        self._view_at_press = (0.0, 1.0)
        self._dragging = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        look.fit(self, lambda w: w.setMinimumHeight(round(look.height() * 9)))
        self.setAccessibleName("Time traces: gallery pressure, g, engine speed, oil temperature")
        self.setToolTip("")
        cursor.moved.connect(lambda _: self.update())
        cursor.view_changed.connect(lambda *_: self.redraw())
        look.changed.connect(self._redraw_all)

    def set_panels(self, panels: Sequence[Panel], time_s: np.ndarray, dips: Sequence[DipMark]) -> None:
        """Show other signals; the dips are marked on the first."""
        self._sheet = TraceSheet(self._look, panels, time_s, dips)
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
        self._sheet.forget_labels()
        self.redraw()

    @property
    def axis(self) -> TimeAxis:
        """Where each moment of the shown time stands."""
        left = float(round(LABELS_LINES * self._look.height(Type.SMALL)))
        return TimeAxis(*self._cursor.view, self.size(), self.devicePixelRatioF(), left)

    # Painting

    def paintEvent(self, event: QPaintEvent) -> None:
        if self._cache is None or self._cache.deviceIndependentSize().toSize() != self.size():
            self._cache = self._sheet.drawn(self.axis, self._selected)
        painter = QPainter(self)
        painter.drawPixmap(0, 0, self._cache)
        axis = self.axis
        if not self._sheet.is_empty:
            x = round(axis.x_of(self._cursor.time_s)) + 0.5
            if axis.left - 1 <= x <= axis.left + axis.width + 1:
                painter.setPen(self._look.pen("ink", 1.4))
                painter.drawLine(QPointF(x, 2.0), QPointF(x, self.height() - self._look.height(Type.SMALL) - 4.0))
        paint.focus_mark(self, painter, self._look.color("ink"))

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
            self._cursor.zoom(0.8 ** (turn / 120.0), self.axis.time_at(event.position().x()))
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
            shift = -moved / self.axis.width * (end - start)
            self._cursor.show(start + shift, end + shift)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._pressed_at is not None and not self._dragging:
            time_s = self.axis.time_at(event.position().x())
            self._cursor.move_to(time_s)
            for i, dip in enumerate(self._sheet.dips):
                if dip.start_s <= time_s <= dip.end_s:
                    self.dip_clicked.emit(i)
        self._pressed_at = None

    def keyPressEvent(self, event: QKeyEvent) -> None:
        start, end = self._cursor.view
        step = (end - start) / max(self.axis.width, 1.0)
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
