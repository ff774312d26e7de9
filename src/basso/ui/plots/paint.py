"""Small painting helpers over QPainter: crisp rules, pens, text with an anchor."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QPainter, QPen
from PySide6.QtWidgets import QWidget

from basso.ui.theme.look import Look, Type

LEFT, RIGHT, CENTRE = Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight, Qt.AlignmentFlag.AlignHCenter
_ROOM = 2000.0
# Worked out once: flags are slow to combine, and a frame writes a hundred words.
_ANCHORS = {
    anchor.value: (-part * _ROOM, int(anchor | Qt.AlignmentFlag.AlignVCenter))
    for anchor, part in ((LEFT, 0.0), (CENTRE, 0.5), (RIGHT, 1.0))
}


def text(
    painter: QPainter, x: float, y: float, words: str, font: QFont, color: QColor, anchor: Qt.AlignmentFlag = LEFT
) -> None:
    """Write one line with its vertical middle at ``y`` and its left, middle or right at ``x``."""
    painter.setFont(font)
    painter.setPen(color)
    shift, flags = _ANCHORS[anchor.value]
    painter.drawText(QRectF(x + shift, y - 60, _ROOM, 120), flags, words)


def label(
    painter: QPainter,
    look: Look,
    x: float,
    y: float,
    words: str,
    kind: Type = Type.SMALL,
    tone: str = "soft",
    align: Qt.AlignmentFlag = LEFT,
) -> None:
    """The same in one of the look's own types and colours: what names a picture and its axes."""
    text(painter, x, y, words, look.font(kind), look.color(tone), align)


def pen(color: QColor, width: float = 1.0, style: Qt.PenStyle = Qt.PenStyle.SolidLine) -> QPen:
    """A cosmetic pen with flat caps (the quick path of the painter)."""
    made = QPen(color, width, style, Qt.PenCapStyle.FlatCap, Qt.PenJoinStyle.BevelJoin)
    made.setCosmetic(True)
    return made


def rule(
    painter: QPainter,
    x0: float,
    y0: float,
    x1: float,
    y1: float,
    color: QColor,
    style: Qt.PenStyle = Qt.PenStyle.SolidLine,
) -> None:
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
