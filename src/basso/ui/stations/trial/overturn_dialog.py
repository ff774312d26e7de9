"""What would overturn a verdict: each assumption as it was taken, where it flips, how far plausible values reach."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QDialog, QSizePolicy, QWidget

from basso.ui import layouts
from basso.ui.dialogs import closing, label
from basso.ui.plots import paint
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits, Quantity

if TYPE_CHECKING:
    from basso.trial.fragile import Fragile

_NAMES = {
    "zero_a": "Zero of A",
    "zero_b": "Zero of B",
    "temperature_slope": "1 °C of oil",
    "floor": "Every floor",
    "extreme_lap": "Laps left out",
}
_REACH = {"zero_a": 30.0, "zero_b": 30.0, "floor": 30.0, "extreme_lap": 2.0}


class OverturnDialog(QDialog):
    """Says it in words, and draws it on one picture."""

    def __init__(
        self, parent: QWidget, look: Look, units: DisplayUnits, rows: Sequence[Fragile], words: Sequence[str]
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("What would overturn it")
        self.resize(round(look.height() * 44), round(look.height() * 24))
        self.words = " ".join(words)
        whole = layouts.column(self, (16, 12, 16, 12), 8)
        whole.addWidget(label(look, "What would overturn the verdict", Type.STATION))
        whole.addWidget(label(look, self.words))
        whole.addWidget(_Picture(look, units, rows), 1)
        hint = "Line: plausible values. Mark: as it was taken. Diamond: where the verdict is another, run to be sure."
        whole.addWidget(label(look, hint, Type.SMALL, soft=True))
        whole.addWidget(closing(self))


class _Picture(QWidget):
    """A row for each assumption."""

    def __init__(self, look: Look, units: DisplayUnits, rows: Sequence[Fragile]) -> None:
        super().__init__()
        self._look, self._units, self._rows = look, units, rows
        self.setMinimumHeight(round(look.height() * 13))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Assumptions and where the verdict flips")

    def _text(self, r: Fragile, value: float) -> str:
        if r.assumption == "extreme_lap":
            return f"{value:.0f}"
        return self._units.text(value, Quantity.PRESSURE, difference=True, signed=True)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, look, line = QPainter(self), self._look, self._look.height()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        left, right = line * 8.0, float(self.width()) - line * 6.0
        middle = (left + right) / 2
        for i, r in enumerate(self._rows):
            y = line * (1.4 + 2.3 * i)
            reach = _REACH.get(r.assumption, max(1.5, 0.6 * abs(r.now)))
            paint.label(painter, look, 0.0, y, _NAMES[r.assumption], Type.BODY, "ink")
            start = left if r.assumption != "extreme_lap" else middle
            painter.setPen(look.pen("ample", 3.0))
            painter.drawLine(QPointF(start, y), QPointF(right, y))
            painter.setPen(look.pen("ink", 2.0))
            painter.drawLine(QPointF(middle, y - 7), QPointF(middle, y + 7))
            paint.label(painter, look, middle, y - line * 0.75, self._text(r, r.now), align=paint.CENTRE)
            if r.flips_at is None:
                paint.label(painter, look, right + 8, y, "holds", Type.SMALL_STRONG, "ample")
                continue
            x = middle + (r.flips_at - r.now) / reach * (right - middle)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(look.color("below"))
            painter.save()
            painter.translate(x, y)
            painter.rotate(45.0)
            painter.drawRect(QRectF(-5, -5, 10, 10))
            painter.restore()
            painter.setBrush(Qt.BrushStyle.NoBrush)
            words = f"flips at {self._text(r, r.flips_at)}"
            paint.label(painter, look, right + 8, y, words, Type.SMALL_STRONG, "below")
