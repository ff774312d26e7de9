"""The path: the ten stations at the left, each with its state in a few words."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QAbstractButton, QButtonGroup, QWidget

from basso.ui import layouts
from basso.ui.plain import tip
from basso.ui.plots import paint
from basso.ui.stations.catalogue import STATIONS, Row
from basso.ui.stations.station import State
from basso.ui.theme.look import Look, Type

_LEAST_LINES = 2.1
"""A station lower than this shows its name alone."""


class _StationButton(QAbstractButton):
    def __init__(self, look: Look, station: Row) -> None:
        super().__init__()
        self._look, self.station = look, station
        self._state = State("")
        self.setCheckable(True)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setToolTip(station.purpose)
        self.setAccessibleName(station.title)
        look.changed.connect(self.update)

    def set_state(self, state: State) -> None:
        self._state = state
        self.setAccessibleDescription(state.words)
        self.setToolTip(tip(f"{state.words[:1].upper()}{state.words[1:]}. {self.station.purpose}".lstrip(". ")))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(150, round(self._look.height() * 2.95))

    def paintEvent(self, event: QPaintEvent) -> None:
        look, painter = self._look, QPainter(self)
        line = look.height()
        if self.isChecked():
            painter.fillRect(self.rect(), look.color("band"))
            painter.fillRect(QRectF(0, 0, 4, self.height()), look.color("ink"))
        elif self.underMouse():
            painter.fillRect(self.rect(), look.color("paper"))
        middle = self.height() / 2
        # In a low window, or with large type, the name alone; its state is in the hover help then.
        low = self.height() < _LEAST_LINES * line
        up = middle if low else middle - line * 0.48
        paint.text(painter, 18, up, self.station.title, look.font(Type.STATION), look.color("ink"))
        words = painter.fontMetrics().elidedText(self._state.words, Qt.TextElideMode.ElideRight, 400)
        painter.setFont(look.font(Type.SMALL))
        words = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, self.width() - 26)
        colour = "below" if self._state.mark == "below" else "soft"
        if not low:
            paint.text(painter, 18, middle + line * 0.55, words, look.font(Type.SMALL), look.color(colour))
        if self._state.mark:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(look.color(self._state.mark))
            spot = QRectF(self.width() - 19, up - 3.5, 7, 7)
            # Told by shape as well as colour: a diamond for "below", a disc for "attention".
            if self._state.mark == "below":
                painter.translate(spot.center())
                painter.rotate(45)
                painter.drawRect(QRectF(-3.6, -3.6, 7.2, 7.2))
                painter.resetTransform()
            else:
                painter.drawEllipse(spot)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(look.pen("ink", 1.0, Qt.PenStyle.DotLine))
            painter.drawRect(QRectF(self.rect()).adjusted(1.5, 1.5, -1.5, -1.5))


class Rail(QWidget):
    """The path; :attr:`chosen` carries the key of the station asked for."""

    chosen = Signal(str)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._buttons: dict[str, _StationButton] = {}
        look.fit(self, lambda w: w.setFixedWidth(round(look.height() * 9.4)))
        layout = layouts.column(self, (0, 4, 0, 0), 0)
        group = QButtonGroup(self)
        for station in STATIONS:
            button = _StationButton(look, station)
            button.clicked.connect(lambda _=False, key=station.key: self.chosen.emit(key))
            group.addButton(button)
            layout.addWidget(button)
            self._buttons[station.key] = button
        layout.addStretch(1)
        look.changed.connect(self.update)

    def select(self, key: str) -> None:
        """Mark a station as the one shown."""
        self._buttons[key].setChecked(True)

    def set_states(self, states: dict[str, State]) -> None:
        """Show every station's state."""
        for key, button in self._buttons.items():
            button.set_state(states.get(key, State("")))

    def state_words(self, key: str) -> str:
        """The words shown for a station."""
        return self._buttons[key].accessibleDescription()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self._look.color("panel"))
        paint.rule(painter, self.width() - 1, 0, self.width() - 1, self.height(), self._look.color("rule"))
