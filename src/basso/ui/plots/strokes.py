"""Painting whole signals over QPainter: NumPy arrays straight into polygons."""

from __future__ import annotations

import ctypes

import numpy as np
import shiboken6
from PySide6.QtCore import Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPen, QPolygonF

from basso.recording.spans import runs_of
from basso.ui.plots.pyramid import Columns
from basso.units import FloatArray

_LEAST_HATCH_PX = 5.0
"""Narrower than this a hatch cannot be told from a fill, and costs as much as the rest of the frame."""


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
    memory = np.ctypeslib.as_array((ctypes.c_double * (2 * x.size)).from_address(address)).reshape(-1, 2)
    memory[:, 0], memory[:, 1] = x, y
    return polygon


def trace(painter: QPainter, columns: Columns, to_x: tuple[float, float], to_y: tuple[float, float], pen: QPen) -> None:
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
    painter.setPen(pen)
    if not columns.dense:
        for part in (slice(*run) for run in runs_of(known)):
            painter.drawPolyline(points_of(x[part], top[part]))
        return
    if pen.style() is not Qt.PenStyle.SolidLine:
        middle = 0.5 * (top + bottom)
        for part in (slice(*run) for run in runs_of(known)):
            painter.drawPolyline(points_of(x[part], middle[part]))
        return
    # Up and down each column as one line: as quick as strokes, and a steep edge leaves no hole.
    for part in (slice(*run) for run in runs_of(known)):
        painter.drawPolyline(points_of(np.repeat(x[part], 2), np.column_stack([top[part], bottom[part]]).ravel()))


def curve(painter: QPainter, x: FloatArray, y: FloatArray, pen: QPen) -> None:
    """Draw a line, shape (n,) in pixels, breaking at NaN."""
    painter.setPen(pen)
    for part in (slice(*run) for run in runs_of(np.isfinite(y))):
        painter.drawPolyline(points_of(x[part], y[part]))


def band(painter: QPainter, x: FloatArray, top: FloatArray, bottom: FloatArray, fill: QColor) -> None:
    """Fill between two lines, breaking at NaN."""
    _fill(painter, x, top, bottom, QBrush(fill), 0.0)


def hatch(painter: QPainter, x: FloatArray, top: FloatArray, bottom: FloatArray, color: QColor) -> None:
    """Hatch between two lines, breaking at NaN, where the stretch is wide enough for a hatch to be seen."""
    _fill(painter, x, top, bottom, QBrush(color, Qt.BrushStyle.BDiagPattern), _LEAST_HATCH_PX)


def _fill(
    painter: QPainter, x: FloatArray, top: FloatArray, bottom: FloatArray, brush: QBrush, least_px: float
) -> None:
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(brush)
    for first, last in runs_of(np.isfinite(top) & np.isfinite(bottom)):
        if last - first < 2 or x[last - 1] - x[first] < least_px:
            continue
        part = slice(first, last)
        across = np.concatenate([x[part], x[part][::-1]])
        painter.drawPolygon(points_of(across, np.concatenate([top[part], bottom[part][::-1]])))
    painter.setBrush(Qt.BrushStyle.NoBrush)
