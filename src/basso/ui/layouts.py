"""Columns and rows of widgets with their margins and spacing, px."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, QPoint, QRect, QSize, Qt
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLayout,
    QLayoutItem,
    QScrollArea,
    QSizePolicy,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)


def column(owner: QWidget | None, margins: tuple[int, int, int, int], spacing: int) -> QVBoxLayout:
    """A column, laid out in ``owner`` where there is one; ``margins``: left, top, right, bottom."""
    made = QVBoxLayout() if owner is None else QVBoxLayout(owner)
    made.setContentsMargins(*margins)
    made.setSpacing(spacing)
    return made


def row(owner: QWidget | None, margins: tuple[int, int, int, int], spacing: int) -> QHBoxLayout:
    """A row, laid out in ``owner`` where there is one; ``margins``: left, top, right, bottom."""
    made = QHBoxLayout() if owner is None else QHBoxLayout(owner)
    made.setContentsMargins(*margins)
    made.setSpacing(spacing)
    return made


def split(orientation: Qt.Orientation, *parts: tuple[QWidget, int]) -> QSplitter:
    """Widgets side by side or stacked, with a border that can be dragged; the number is each one's part of new room."""
    made = QSplitter(orientation)
    made.setChildrenCollapsible(False)
    for at, (widget, stretch) in enumerate(parts):
        made.addWidget(widget)
        made.setStretchFactor(at, stretch)
    return made


class Flow(QLayout):
    """Widgets in a row, and in a second where they would not fit: nothing is cut off in a narrow window.

    Those added with ``at_end`` keep to the right of the last row.
    """

    def __init__(self, spacing: int = 8) -> None:
        super().__init__()
        self._items: list[QLayoutItem] = []
        self._at_end: set[int] = set()
        self.setContentsMargins(0, 2, 0, 2)
        self.setSpacing(spacing)

    def add(self, widget: QWidget, at_end: bool = False) -> None:
        """Add a widget."""
        if at_end:
            self._at_end.add(len(self._items))
        self.addWidget(widget)

    def addItem(self, item: QLayoutItem) -> None:
        self._items.append(item)

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return self._place(QRect(0, 0, width, 0), only_measured=True)

    def sizeHint(self) -> QSize:
        return self.minimumSize()

    def minimumSize(self) -> QSize:
        shown = [i.sizeHint() for i in self._items if not i.isEmpty()]
        margins = self.contentsMargins()
        wide = max((s.width() for s in shown), default=0)
        high = max((s.height() for s in shown), default=0)
        return QSize(wide + margins.left() + margins.right(), high + margins.top() + margins.bottom())

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._place(rect, only_measured=False)

    def _place(self, rect: QRect, only_measured: bool) -> int:
        """Lay everything out in rows; returns the height that takes."""
        margins, gap = self.contentsMargins(), self.spacing()
        left, right = rect.left() + margins.left(), rect.right() - margins.right()
        rows: list[list[int]] = [[]]
        used = 0
        for n, item in enumerate(self._items):
            if item.isEmpty():
                continue
            wide = item.sizeHint().width()
            if rows[-1] and left + used + wide > right + 1:
                rows.append([])
                used = 0
            rows[-1].append(n)
            used += wide + gap
        y = rect.top() + margins.top()
        for row in rows:
            sizes = {n: self._items[n].sizeHint() for n in row}
            high = max((s.height() for s in sizes.values()), default=0)
            ends = [n for n in row if n in self._at_end]
            x = left
            for n in row:
                if n in self._at_end and n == ends[0]:
                    x = max(x, right + 1 - sum(sizes[k].width() for k in ends) - gap * (len(ends) - 1))
                if not only_measured:
                    size = sizes[n]
                    self._items[n].setGeometry(QRect(QPoint(x, y + (high - size.height()) // 2), size))
                x += sizes[n].width() + gap
            y += high + gap
        return y - gap + margins.bottom() - rect.top()


class Pages(QStackedWidget):
    """Pages of which one is shown: as large as that one wants to be, not as the largest of them."""

    def __init__(self) -> None:
        super().__init__()
        self.currentChanged.connect(lambda _: self.updateGeometry())

    def minimumSizeHint(self) -> QSize:
        """What the page shown needs."""
        page = self.currentWidget()
        return page.minimumSizeHint().expandedTo(page.minimumSize()) if page is not None else super().minimumSizeHint()

    def heightForWidth(self, width: int) -> int:
        """None of its own: Qt would ask the tallest page."""
        return -1


class Scrolled(QScrollArea):
    """Scrolls what is higher than its room, and takes no more room than that needs."""

    def __init__(self, inside: QWidget) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setWidget(inside)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)

    def sizeHint(self) -> QSize:
        """What is in it, whole."""
        inside = self.widget()
        return inside.sizeHint() if inside is not None else super().sizeHint()

    def eventFilter(self, inside: QObject, event: QEvent) -> bool:
        """What is in it has become higher or lower."""
        if event.type() is QEvent.Type.LayoutRequest:
            self.updateGeometry()
        return super().eventFilter(inside, event)
