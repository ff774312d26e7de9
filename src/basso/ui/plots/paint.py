"""Small painting helpers over QPainter: crisp rules, strokes from columns, text with an anchor."""

from __future__ import annotations

import ctypes

import numpy as np
import shiboken6
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QFont, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from basso.ui.plots.pyramid import Columns
from basso.units import FloatArray

LEFT, RIGHT, CENTRE = Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight, Qt.AlignmentFlag.AlignHCenter
_ROOM = 2000.0


def text(painter: QPainter, x: float, y: float, words: str, font: QFont, color: QColor, anchor: Qt.AlignmentFlag = LEFT) -> None:
    """Write one line with its vertical middle at ``y`` and its left, middle or right at ``x``."""
    painter.setFont(font)
    painter.setPen(color)
    left = {LEFT: x, RIGHT: x - _ROOM, CENTRE: x - _ROOM / 2}[anchor]
    painter.drawText(QRectF(left, y - 20, _ROOM, 40), int(anchor | Qt.AlignmentFlag.AlignVCenter), words)


def pen(color: QColor, width: float = 1.0, style: Qt.PenStyle = Qt.PenStyle.SolidLine) -> QPen:
    """A cosmetic pen with flat caps (the quick path of the painter)."""
    made = QPen(color, width, style, Qt.PenCapStyle.FlatCap, Qt.PenJoinStyle.BevelJoin)
    made.setCosmetic(True)
    return made


def rule(painter: QPainter, x0: float, y0: float, x1: float, y1: float, color: QColor, style: Qt.PenStyle = Qt.PenStyle.SolidLine) -> None:
    """A crisp 1 px rule."""
    painter.setPen(pen(color, 1.0, style))
    painter.drawLine(QPointF(round(x0) + 0.5, round(y0) + 0.5), QPointF(round(x1) + 0.5, round(y1) + 0.5))


def focus_mark(widget: QWidget, painter: QPainter, color: QColor) -> None:
    """Corner marks around the widget that has the keyboard."""
    if not widget.hasFocus():
        return
    painter.setPen(pen(color, 1.6))
    w, h, arm = widget.width() - 1.0, widget.height() - 1.0, 9.0
    for x, y, dx, dy in ((1.0, 1.0, arm, arm), (w, 1.0, -arm, arm), (1.0, h, arm, -arm), (w, h, -arm, -arm)):
        painter.drawLine(QPointF(x, y), QPointF(x + dx, y))
        painter.drawLine(QPointF(x, y), QPointF(x, y + dy))


def points_of(x: FloatArray, y: FloatArray) -> QPolygonF:
    """A polygon from two arrays.

    Written straight into the polygon's own memory (QPointF is two doubles): a hundred times quicker than making a
    point object for each sample, which alone would cost a frame.
    """
    polygon = QPolygonF()
    if x.size == 0:
        return polygon
    polygon.resize(x.size)
    address = shiboken6.getCppPointer(polygon.data())[0]
    memory = np.frombuffer((ctypes.c_double * (2 * x.size)).from_address(address), dtype=np.float64).reshape(-1, 2)
    memory[:, 0], memory[:, 1] = x, y
    return polygon


def trace(painter: QPainter, columns: Columns, to_x: tuple[float, float], to_y: tuple[float, float], color: QColor, width: float = 1.0,
          style: Qt.PenStyle = Qt.PenStyle.SolidLine) -> None:  # fmt: skip
    """Draw a reduced signal: vertical strokes where columns hold many samples, a line where they do not.

    ``to_x`` and ``to_y`` are (scale, offset) from view fraction and value to pixels.
    """
    x = columns.x * to_x[0] + to_x[1]
    top, bottom = columns.high * to_y[0] + to_y[1], columns.low * to_y[0] + to_y[1]
    known = np.isfinite(top)
    if not known.any():
        return
    # Smooth lines are slow lines: only where there are few points and it shows.
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, columns.x.size < 300)
    painter.setPen(pen(color, width, style))
    if not columns.dense:
        for part in _unbroken(known):
            painter.drawPolyline(points_of(x[part], top[part]))
        return
    if style is not Qt.PenStyle.SolidLine:
        middle = 0.5 * (top + bottom)
        for part in _unbroken(known):
            painter.drawPolyline(points_of(x[part], middle[part]))
        return
    # Up and down each column as one line: as quick as strokes, and a steep edge leaves no hole.
    for part in _unbroken(known):
        painter.drawPolyline(points_of(np.repeat(x[part], 2), np.column_stack([top[part], bottom[part]]).ravel()))


def band(painter: QPainter, x: FloatArray, top: FloatArray, bottom: FloatArray, fill: QColor, hatch: QColor | None = None) -> None:
    """Fill between two lines, breaking at NaN; hatched when a hatch colour is given."""
    known = np.isfinite(top) & np.isfinite(bottom)
    painter.setPen(Qt.PenStyle.NoPen)
    for part in _unbroken(known):
        if part.stop - part.start < 2:
            continue
        shape = points_of(np.concatenate([x[part], x[part][::-1]]), np.concatenate([top[part], bottom[part][::-1]]))
        painter.setBrush(fill)
        painter.drawPolygon(shape)
        if hatch is not None:
            painter.setBrush(QBrush(hatch, Qt.BrushStyle.BDiagPattern))
            painter.drawPolygon(shape)
    painter.setBrush(Qt.BrushStyle.NoBrush)


def _unbroken(known: np.ndarray) -> list[slice]:  # type: ignore[type-arg]
    edges = np.flatnonzero(np.diff(np.concatenate([[False], known, [False]]).astype(np.int8)))
    return [slice(a, b) for a, b in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True)]
