"""The register of sensors on screen: the oil's way with what sits where, each sensor's card, calibrations and life."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QScrollArea,
    QSplitter,
    QWidget,
)

from basso.garage.records import Sensor
from basso.ui import layouts
from basso.ui.dialogs import replace_menu
from basso.ui.stations.form import RecordForm
from basso.ui.stations.sensors.circuit import CircuitView
from basso.ui.stations.sensors.evidence import EvidencePlot
from basso.ui.stations.sensors.register_picture import Register, about, calibration_said, residuals
from basso.ui.stations.words import Words
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits

_EMPTY = (
    "No sensor of this car is in the register yet. Write down what sits where: type, range, how it is "
    "held, how it is wired. "
    "Every log is then held against it."
)
_NO_CAR = "Sensors belong to a car. Open the garage and make the car first, or look at the demo's."


class RegisterPanel(QWidget):
    """Told the register of a car; says what is wanted of it and edits nothing itself."""

    edited = Signal(str, object, object)
    verb_wanted = Signal(str, object)
    """(verb, card or calibration or None): new sensor, new card, move ID, off, remove, calibrate, calibration, wiring,
    garage, demo."""

    looked_at = Signal()

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._units = DisplayUnits()
        self.register: Register | None = None
        self._day, self._current = "", ""
        self._head, self._cautions = Words(look, Type.STRONG), Words(look, Type.SMALL, "below")
        self.then = QPushButton()
        self.then.setCheckable(True)
        self.circuit, self.list, self.form = CircuitView(look), QListWidget(), RecordForm(look)
        self.list.setAccessibleName("Sensors of this car")
        self._about, self._calibrated = Words(look, Type.SMALL), Words(look, Type.SMALL)
        self.plot = EvidencePlot(look)
        self.buttons: dict[str, QPushButton] = {}
        self._bottom = QSplitter(Qt.Orientation.Horizontal)
        self._lay_out()
        self.circuit.chosen.connect(self.choose)
        self.list.currentItemChanged.connect(lambda item, _: self._list_chosen(item))
        self.form.edited.connect(
            lambda label, before, after: self.edited.emit(f"{label} of {before.name}", before, after)
        )
        self.then.toggled.connect(lambda _: self._show())
        self.show_register(None, self._units, "", waiting=False)

    def showEvent(self, event: QShowEvent) -> None:
        """What is shown is read when it is looked at."""
        super().showEvent(event)
        self.looked_at.emit()

    def _button(self, verb: str, words: str) -> QPushButton:
        button = QPushButton(words)
        self.buttons[verb] = button
        button.clicked.connect(lambda: self.verb_wanted.emit(verb, self.card))
        return button

    def _lay_out(self) -> None:
        layout = layouts.column(self, (0, 8, 0, 0), 4)
        head = QHBoxLayout()
        head.addWidget(self._head, 1)
        head.addWidget(self.then)
        for verb, words in (
            ("garage", "Open the garage"),
            ("demo", "Open the demo"),
            ("new sensor", "New sensor…"),
            ("wiring", "Print the wiring…"),
        ):
            head.addWidget(self._button(verb, words))
        layout.addLayout(head)
        layout.addWidget(self.circuit)
        layout.addWidget(self._cautions)
        side = QWidget()
        column = layouts.column(side, (10, 0, 0, 0), 4)
        rows = (
            (("calibrate", "Calibrate…"), ("calibration", "Correct"), ("new card", "New card…")),
            (("move", "Move to"), ("off", "Take off…"), ("remove", "Remove card")),
        )
        said = QWidget()
        inner = layouts.column(said, (0, 0, 6, 0), 6)
        for label in (self._about, self._calibrated):
            inner.addWidget(label)
        inner.addWidget(self.plot, 1)
        column.addWidget(_scrolling(said), 1)
        for row in rows:
            line = QHBoxLayout()
            line.setSpacing(4)
            for verb, words in row:
                line.addWidget(self._button(verb, words))
            line.addStretch(1)
            column.addLayout(line)
        self.buttons["calibration"].clicked.disconnect()
        self.buttons["move"].clicked.disconnect()
        self._bottom.setChildrenCollapsible(False)
        for widget in (self.list, _scrolling(self.form), side):
            self._bottom.addWidget(widget)
        self._bottom.setSizes([190, 330, 350])
        layout.addWidget(self._bottom, 1)
        self._stretch = QWidget()
        layout.addWidget(self._stretch, 1)

    @property
    def card(self) -> Sensor | None:
        """The card that is chosen."""
        return self.register.card(self._current) if self.register is not None else None

    @property
    def day(self) -> str:
        """The day whose sensors are shown; "9999" is now."""
        return self._day if self.then.isChecked() and self._day else "9999"

    def show_register(self, register: Register | None, units: DisplayUnits, day: str, waiting: bool) -> None:
        """Show a car's sensors.

        Args:
            register: None without a car.
            day: of the log that is shown; "" where that is not known.
            waiting: the garage is being opened.
        """
        self.register, self._units, self._day = register, units, day[:10]
        if waiting:
            self._head.setText("Opening the garage …")
        self.then.setVisible(bool(self._day) and register is not None)
        self._show(waiting)

    def choose(self, card_id: str) -> None:
        """Choose a card."""
        self._current = card_id
        self._show()

    def _list_chosen(self, item: QListWidgetItem | None) -> None:
        if item is not None and item.data(Qt.ItemDataRole.UserRole):
            self._current = item.data(Qt.ItemDataRole.UserRole)
            self._show_card()

    def _show(self, waiting: bool = False) -> None:
        register = self.register
        there = register is not None
        fitted = register.fitted(self.day) if register is not None else []
        off = register.off() if register is not None and self.day == "9999" else []
        any_card = bool(fitted or off)
        for widget in (self.circuit, self._bottom):
            widget.setVisible(any_card)
        self._stretch.setVisible(not any_card)
        for verb, shown in (
            ("garage", not there and not waiting),
            ("demo", not there and not waiting),
            ("new sensor", there),
            ("wiring", bool(fitted)),
        ):
            self.buttons[verb].setVisible(shown)
        if register is None:
            self._cautions.hide()
            if not waiting:
                self._head.setText(_NO_CAR)
            return
        self.then.setText("As now" if self.then.isChecked() else f"As on {self._day}, the shown log's day")
        when = "now" if self.day == "9999" else f"on {self.day}"
        count = f"{len(fitted)} sensor{'' if len(fitted) == 1 else 's'}"
        self._head.setText(f"{register.history.car.name} {when}: {count}" if any_card else _EMPTY)
        self._cautions.setText(register.cautions(self.day))
        self._cautions.setVisible(bool(self._cautions.text()))
        ids = [c.id for c in (*fitted, *off)]
        if self._current not in ids:
            self._current = next((c.id for c in fitted if c.measures == "pressure"), ids[0] if ids else "")
        self.list.blockSignals(True)
        self.list.clear()
        for card in fitted:
            self._add_item(card, card.name)
        if off:
            heading = QListWidgetItem("Off the car")
            heading.setFlags(Qt.ItemFlag.NoItemFlags)
            heading.setFont(self._look.font(Type.SMALL))
            self.list.addItem(heading)
        for card in off:
            self._add_item(card, f"{card.name}\nsince {card.since[:10]}")
        self.list.blockSignals(False)
        self._show_card()

    def _add_item(self, card: Sensor, words: str) -> None:
        item = QListWidgetItem(words)
        item.setData(Qt.ItemDataRole.UserRole, card.id)
        self.list.addItem(item)
        if card.id == self._current:
            self.list.setCurrentItem(item)

    def _show_card(self) -> None:
        register, card = self.register, self.card
        if register is None or card is None:
            self.form.show_record(None, self._units)
            return
        self.circuit.show_picture(register.sketch(self.day), card.id)
        self.form.show_record(card, self._units, register.history.names)
        calibrations = register.calibrations_of(card)
        newest = calibrations[0] if calibrations else None
        self._about.setText(about(register, card, self._units))
        self._about.setVisible(bool(self._about.text()))
        self._calibrated.setText(calibration_said(card, newest, self._units))
        drawn = residuals(card, newest, self._units)
        self.plot.show_evidence(drawn)
        pressure = card.measures == "pressure"
        for verb, shown in (
            ("calibrate", pressure),
            ("calibration", bool(calibrations)),
            ("off", card.fitted),
            ("move", bool(register.other_cars())),
        ):
            self.buttons[verb].setVisible(shown)
        menu = QMenu(self.buttons["calibration"])
        for calibration in calibrations:
            menu.addAction(f"{calibration.day[:10]}, {calibration.against}").triggered.connect(
                lambda _=False, c=calibration: self.verb_wanted.emit("calibration", c)
            )
        replace_menu(self.buttons["calibration"], menu)
        cars = QMenu(self.buttons["move"])
        for car, name in register.other_cars():
            cars.addAction(name).triggered.connect(lambda _=False, c=car: self.verb_wanted.emit(f"move {c}", self.card))
        replace_menu(self.buttons["move"], cars)

    @property
    def words(self) -> str:
        """The register as text: what stands where, and what is said of the chosen card."""
        if self.register is None or self.card is None:
            return self._head.text()
        names = "\n".join(f"{c.name}\t{c.place}\t{c.channel}" for c in self.register.fitted(self.day))
        return "\n".join(
            x
            for x in (self._head.text(), names, self._cautions.text(), self._about.text(), self._calibrated.text())
            if x
        )


def _scrolling(inside: QWidget) -> QScrollArea:
    """The widget in an area that scrolls down where there is too little room."""
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setWidget(inside)
    return area
