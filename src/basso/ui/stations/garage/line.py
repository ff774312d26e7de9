"""The build line: builds as stations of a vertical line in time, with their sessions hanging off it."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QScrollArea, QSizePolicy, QWidget

from basso.ui.plots import paint
from basso.ui.stations.garage.picture import LineRow
from basso.ui.theme.look import Look, Type


class BuildLine(QWidget):
    """Told its rows; ``chosen`` carries the row picked, ``opened`` the one double-clicked or entered."""

    chosen = Signal(object)
    opened = Signal(object)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self.rows: list[LineRow] = []
        self._tops: list[float] = []
        self._current = ""
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)
        self.setAccessibleName("Build line")
        look.changed.connect(lambda: self.show_rows(self.rows, self._current))

    def show_rows(self, rows: list[LineRow], current: str) -> None:
        """Show the line with one row selected by its record's id."""
        self.rows, self._current = rows, current
        top, self._tops = 0.0, []
        for row in rows:
            self._tops.append(top)
            top += self._height(row)
        self._tops.append(top)
        self.setMinimumHeight(round(top + self._look.height()))
        self.setAccessibleDescription("; ".join(f"{r.day} {r.title}" for r in rows[:60]))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(300, round(self._tops[-1]) if self._tops else 100)

    def _height(self, row: LineRow) -> float:
        line, small = self._look.height(), self._look.height(Type.SMALL)
        if row.kind == "session":
            return line * 1.32
        if row.kind == "engine":
            return line * 1.32 + small * 1.2 * bool(row.more)
        return line * 1.9 + small * 1.15 * (bool(row.words) + bool(row.more))

    @property
    def current(self) -> str:
        """The selected record's id."""
        return self._current

    def _at(self, y: float) -> int:
        return next((i for i in range(len(self.rows)) if self._tops[i] <= y < self._tops[i + 1]), -1)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = self._at(event.position().y())
        if at >= 0:
            self._choose(at)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        at = self._at(event.position().y())
        if at >= 0:
            self.opened.emit(self.rows[at])

    def keyPressEvent(self, event: QKeyEvent) -> None:
        now = next((i for i, r in enumerate(self.rows) if r.record == self._current), -1)
        steps = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_PageDown: 10, Qt.Key.Key_PageUp: -10}
        key = Qt.Key(event.key())
        if key in steps and self.rows:
            self._choose(min(max(now + steps[key], 0), len(self.rows) - 1))
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and now >= 0:
            self.opened.emit(self.rows[now])
        else:
            super().keyPressEvent(event)

    def _choose(self, at: int) -> None:
        self._current = self.rows[at].record
        viewport = self.parentWidget()
        area = viewport.parentWidget() if viewport is not None else None
        if isinstance(area, QScrollArea):
            area.ensureVisible(0, round((self._tops[at] + self._tops[at + 1]) / 2), 0, round(self._look.height() * 3))
        self.update()
        self.chosen.emit(self.rows[at])

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        look, seen = self._look, event.rect()
        painter.fillRect(seen, look.color("paper"))
        line = look.height()
        spine = line * 4.6
        bottom = self._tops[-1] if self._tops else 0.0
        now = next((i for i, r in enumerate(self.rows) if r.record == self._current), -1)
        if now >= 0:
            height = self._tops[now + 1] - self._tops[now]
            painter.fillRect(QRectF(0, self._tops[now] + 1, self.width(), height - 2), look.color("band"))
        if self.rows:
            painter.setPen(look.pen("ink", 1.6))
            painter.drawLine(QPointF(spine, line * 0.8), QPointF(spine, bottom - line * 0.4))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        for i, row in enumerate(self.rows):
            top = self._tops[i]
            if self._tops[i + 1] < seen.top() or top > seen.bottom():
                continue
            box = QRectF(0, top, self.width(), self._tops[i + 1] - top)
            if row.kind == "build":
                self._paint_build(painter, box, row, spine)
            elif row.kind == "engine":
                self._paint_engine(painter, box, row, spine)
            else:
                self._paint_session(painter, box, row, spine)
        paint.focus_mark(self, painter, look.color("soft"))

    def _paint_build(self, painter: QPainter, box: QRectF, row: LineRow, spine: float) -> None:
        look, line, small = self._look, self._look.height(), self._look.height(Type.SMALL)
        y = box.top() + line * 0.95
        painter.setPen(look.pen("ink", 1.6))
        painter.setBrush(look.color("paper"))
        painter.drawEllipse(QPointF(spine, y), line * 0.3, line * 0.3)
        left, room = spine + line * 0.9, box.width() - spine - line * 1.4
        paint.label(painter, look, spine - line * 0.7, y, row.day, align=paint.RIGHT)
        paint.label(painter, look, left, y, row.title, Type.STATION, "ink")
        if row.mark:
            paint.label(painter, look, box.right() - line * 0.5, y, row.mark, align=paint.RIGHT)
        y += small * 0.15
        for words, color in ((row.words, "ink"), (row.more, "soft")):
            if words:
                y += small * 1.15
                paint.text(painter, left, y, _elided(words, look, room), look.font(Type.SMALL), look.color(color))

    def _paint_engine(self, painter: QPainter, box: QRectF, row: LineRow, spine: float) -> None:
        look, line, small = self._look, self._look.height(), self._look.height(Type.SMALL)
        y = box.top() + line * 0.66
        half = line * 0.22
        painter.setPen(look.pen("ink", 1.6))
        painter.setBrush(look.color("paper"))
        painter.drawRect(QRectF(spine - half, y - half, 2 * half, 2 * half))
        left = spine + line * 1.25
        room = box.width() - left - line * 0.5
        paint.label(painter, look, spine - line * 0.7, y, row.day, align=paint.RIGHT)
        strong = QFontMetricsF(look.font(Type.STRONG))
        name = strong.elidedText(row.title, Qt.TextElideMode.ElideRight, room)
        paint.label(painter, look, left, y, name, Type.STRONG, "ink")
        words = left + strong.horizontalAdvance(name) + line * 0.8
        paint.label(painter, look, words, y, _elided(row.words, look, box.width() - words - line * 0.5))
        if row.more:
            y += small * 1.2
            paint.label(painter, look, left, y, _elided(row.more, look, room))

    def _paint_session(self, painter: QPainter, box: QRectF, row: LineRow, spine: float) -> None:
        look, line = self._look, self._look.height()
        y = box.center().y()
        painter.setPen(look.pen("soft", 1.2))
        painter.drawLine(QPointF(spine, y), QPointF(spine + line * 0.9, y))
        left = spine + line * 1.25
        paint.label(painter, look, spine - line * 0.7, y, row.day, align=paint.RIGHT)
        title = QFontMetricsF(look.font(Type.STRONG))
        name = title.elidedText(row.title, Qt.TextElideMode.ElideRight, line * 10.5)
        paint.label(painter, look, left, y, name, Type.STRONG, "ink")
        words = left + max(title.horizontalAdvance(name) + line * 0.8, line * 8.2)
        mark = QFontMetricsF(look.font(Type.SMALL_STRONG)).horizontalAdvance(row.mark) + line if row.mark else 0.0
        room = box.width() - words - mark - line * 0.5
        paint.label(painter, look, words, y, _elided(row.words, look, room))
        if row.mark:
            paint.label(painter, look, box.right() - line * 0.5, y, row.mark, Type.SMALL_STRONG, align=paint.RIGHT)


def _elided(words: str, look: Look, room: float) -> str:
    return QFontMetricsF(look.font(Type.SMALL)).elidedText(words, Qt.TextElideMode.ElideRight, max(room, 0.0))
