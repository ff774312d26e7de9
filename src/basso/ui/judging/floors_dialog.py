"""Which floor rules apply, the owner's three lines beside them, and whether that is the car's choice."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QAbstractSpinBox,
    QCheckBox,
    QComboBox,
    QDialog,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from basso.car.floor_choices import LINES, USUAL_LINES
from basso.errors import InputError
from basso.pressure.floors import FLOOR_RULES, Fixed, Floor, Less, PointTable, Share, Slope
from basso.ui.dialogs import CAUTION, decision, label
from basso.ui.plain import Label
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits, digits_of

_FORMS: tuple[tuple[str, type, Floor], ...] = (
    ("fixed", Fixed, USUAL_LINES["act_now"]),
    ("by 1000 rpm", Slope, USUAL_LINES["target"]),
    ("under normal", Less, USUAL_LINES["alarm"]),
    ("% of normal", Share, Share(0.70)),
    ("points", PointTable, PointTable(((1000.0, 70.0), (2500.0, 193.0)))),
)
_LINE_HINTS = {
    "target": "what the oil system is built to hold",
    "act_now": "below it the driver lifts",
    "alarm": "what the warning is set to",
}


@dataclass(frozen=True, slots=True)
class CarsFloors:
    """What the garage knows for the dialog.

    Attributes:
        car: its name; "" where the log belongs to none, so that nothing can be kept.
        since, reason: of the choice in force; "" without one.
        lines: the owner's lines by their field, of the choice in force.
        maker_points: (rpm, kPa) on the engine's card; ``caution``: about its clearances.
    """

    car: str = ""
    since: str = ""
    reason: str = ""
    lines: Mapping[str, Floor] = field(default_factory=dict)
    maker_points: tuple[tuple[float, float], ...] = ()
    caution: str = ""


class FloorsDialog(QDialog):
    """Choose which floor rules apply and edit their numbers, in the units shown.

    ``keep`` and ``reason``: whether it becomes the car's choice, and why; ``lines`` the owner's three lines.
    """

    def __init__(
        self, parent: QWidget, look: Look, floors: Sequence[Floor], units: DisplayUnits, cars: CarsFloors | None = None
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Floors")
        self._look, self._units = look, units
        self._cars = cars or CarsFloors()
        self._rows: list[tuple[QCheckBox, Callable[[], Floor]]] = []
        self._lines: dict[str, Callable[[], Floor | None]] = {}
        self.forms: dict[str, QComboBox] = {}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 14)
        layout.addWidget(label(look, "What is the least this engine may show?", Type.TITLE))
        layout.addWidget(label(look, "Where several apply the highest wins, at every sample.", soft=True))
        sides = QHBoxLayout()
        sides.setSpacing(28)
        sides.addLayout(self._floor_rules(floors), 3)
        sides.addLayout(self._owner(), 2)
        layout.addLayout(sides)
        layout.addWidget(
            label(
                look,
                "Nobody can say what pressure for how long destroys a given engine. " + CAUTION,
                Type.SMALL,
                soft=True,
            )
        )
        if self._cars.caution:
            layout.addWidget(label(look, self._cars.caution, Type.STRONG))
        self._problem = label(look, "", Type.SMALL)
        self._problem.setStyleSheet(f"color: {look.palette.below};")
        layout.addWidget(self._problem)
        buttons = decision(self, self._try_accept)
        layout.addWidget(buttons)

    def _floor_rules(self, floors: Sequence[Floor]) -> QGridLayout:
        look = self._look
        grid = QGridLayout()
        grid.setVerticalSpacing(2)
        grid.setColumnStretch(1, 1)
        active = list(floors)
        for i, floor_rule in enumerate(FLOOR_RULES):
            own = next((f for f in active if type(f) is type(floor_rule.floor) and _alike(f, floor_rule.floor)), None)
            if own is None and not isinstance(floor_rule.floor, Slope):
                own = next((f for f in active if type(f) is type(floor_rule.floor)), None)
            if own is not None:
                active.remove(own)
            check = QCheckBox(floor_rule.name)
            check.setChecked(own is not None)
            check.setFont(look.font(Type.STRONG))
            reason, default = floor_rule.reason, floor_rule.floor
            if isinstance(default, PointTable) and len(self._cars.maker_points) > 0:
                default, reason = PointTable(self._cars.maker_points), "the maker's points on this engine's card"
            editor, read = self._editor(own or default)
            grid.addWidget(check, 3 * i, 0)
            grid.addWidget(editor, 3 * i, 1, Qt.AlignmentFlag.AlignRight)
            words = label(look, reason[0].upper() + reason[1:] + ".", Type.SMALL, soft=True)
            grid.addWidget(words, 3 * i + 1, 0, 1, 2)
            grid.setRowMinimumHeight(3 * i + 2, 8)
            self._rows.append((check, read))
        return grid

    def _owner(self) -> QVBoxLayout:
        """The three lines, and what makes all of it the car's choice."""
        look = self._look
        column = QVBoxLayout()
        column.setSpacing(3)
        column.addWidget(label(look, "Three lines of your own, apart on purpose", Type.STRONG))
        column.addWidget(
            label(
                look, "Each is told of by itself under Normal; dips are found below the floors.", Type.SMALL, soft=True
            )
        )
        for key, name in LINES.items():
            column.addSpacing(6)
            head = QHBoxLayout()
            words = label(look, f"{name}: {_LINE_HINTS[key]}", Type.SMALL_STRONG)
            head.addWidget(words)
            column.addLayout(head)
            column.addWidget(self._line(key, name))
        column.addSpacing(14)
        of = self._cars.car or "the car"
        self.keep_box = QCheckBox(f"Keep all this as {of}'s choice from today")
        self.keep_box.setFont(look.font(Type.STRONG))
        self.reason_line = QLineEdit()
        self.reason_line.setPlaceholderText("why: new rods, the builder's word …")
        self.reason_line.setAccessibleName("Why")
        self.reason_line.textEdited.connect(lambda _: self.keep_box.setChecked(True))
        column.addWidget(self.keep_box)
        column.addWidget(self.reason_line)
        if not self._cars.car:
            self.keep_box.setEnabled(False)
            self.reason_line.setEnabled(False)
            said = "The log shown belongs to no car of the garage: what is chosen holds until Basso is closed."
        elif self._cars.reason or self._cars.since:
            since = f" since {self._cars.since}" if self._cars.since else ""
            said = f"{of}'s choice{since}: {self._cars.reason}."
        else:
            said = f"No choice of {of} is kept yet. A kept one holds for all its sessions, with its reason."
        column.addWidget(label(look, said, Type.SMALL, soft=True))
        column.addStretch(1)
        return column

    def _line(self, key: str, name: str) -> QWidget:
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 0, 0, 0)
        form, editors = QComboBox(), QStackedWidget()
        form.setAccessibleName(f"{name}, in which form")
        form.addItem("not set")
        editors.addWidget(QWidget())
        chosen = self._cars.lines.get(key)
        reads: list[Callable[[], Floor | None]] = [lambda: None]
        for words, kind, default in _FORMS:
            usual = USUAL_LINES[key] if isinstance(USUAL_LINES[key], kind) else default
            if isinstance(usual, PointTable) and self._cars.maker_points:
                usual = PointTable(self._cars.maker_points)
            editor, read = self._editor(chosen if chosen is not None and type(chosen) is kind else usual)
            form.addItem(words)
            editors.addWidget(editor)
            reads.append(read)
        form.currentIndexChanged.connect(editors.setCurrentIndex)
        form.setCurrentIndex(next((i + 1 for i, f in enumerate(_FORMS) if type(chosen) is f[1]), 0))
        row.addWidget(form)
        row.addWidget(editors, 1)
        self.forms[key] = form
        self._lines[key] = lambda: reads[form.currentIndex()]()
        return holder

    @property
    def keep(self) -> bool:
        """True where all this becomes the car's choice."""
        return self.keep_box.isChecked()

    @property
    def reason(self) -> str:
        """Why, as written."""
        return self.reason_line.text().strip()

    def floors(self) -> tuple[Floor, ...]:
        """The floors chosen; raises InputError for a table that cannot be read."""
        return tuple(read() for check, read in self._rows if check.isChecked())

    def lines(self) -> dict[str, Floor]:
        """The lines that are set, by their field; raises InputError for a table that cannot be read."""
        return {key: line for key, read in self._lines.items() if (line := read()) is not None}

    def _try_accept(self) -> None:
        try:
            chosen, lines = self.floors(), self.lines()
        except InputError as error:
            self._problem.setText(str(error))
            return
        if not chosen:
            self._problem.setText("Choose at least one floor; without one nothing can be judged.")
        elif self.keep and not self.reason:
            self._problem.setText("Say why: next year's question is answered from that.")
            self.reason_line.setFocus()
        elif not self.keep and lines != dict(self._cars.lines):
            self._problem.setText(
                "Lines of your own are kept with the car: tick that, and say why."
                if self._cars.car
                else "Lines of your own are kept with a car: put this log's session into the garage first."
            )
        else:
            self.accept()

    def _number(self, value: float, top: float, unit: str, decimals: int) -> QDoubleSpinBox:
        box = QDoubleSpinBox()
        box.setButtonSymbols(QAbstractSpinBox.ButtonSymbols.NoButtons)
        box.setMinimumWidth(96 if len(unit) < 6 else 172)
        box.setRange(0.0, top)
        box.setDecimals(decimals)
        box.setValue(value)
        box.setSuffix(f" {unit}")
        box.setAccessibleName(unit)
        return box

    def _editor(self, floor: Floor) -> tuple[QWidget, Callable[[], Floor]]:
        pressure = self._units.pressure
        decimals = digits_of(pressure) + 1
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 0, 0, 0)

        def kpa(box: QDoubleSpinBox, was: float) -> float:
            # A number that was not touched keeps its exact stored value.
            return (
                was
                if abs(box.value() - pressure.from_base(was)) < 0.6 * 10**-decimals
                else pressure.to_base(box.value())
            )

        if isinstance(floor, Slope):
            base = self._number(
                pressure.from_base(floor.base_kpa), pressure.from_base(1000.0), pressure.symbol, decimals
            )
            per = self._number(
                pressure.from_base(floor.per_1000_kpa),
                pressure.from_base(500.0),
                f"{pressure.symbol} per 1000 rpm",
                decimals,
            )
            for box in (base, per):
                row.addWidget(box)
            return holder, lambda: Slope(kpa(base, floor.base_kpa), kpa(per, floor.per_1000_kpa))
        if isinstance(floor, Fixed):
            fixed = self._number(pressure.from_base(floor.kpa), pressure.from_base(1000.0), pressure.symbol, decimals)
            row.addWidget(fixed)
            return holder, lambda: Fixed(kpa(fixed, floor.kpa))
        if isinstance(floor, Share):
            share = self._number(100.0 * floor.fraction, 99.0, "% of normal", 0)
            row.addWidget(share)
            return holder, lambda: Share(share.value() / 100.0)
        if isinstance(floor, Less):
            less = self._number(
                pressure.difference_from_base(floor.kpa),
                pressure.from_base(1000.0),
                f"{pressure.symbol} under normal",
                decimals,
            )
            row.addWidget(less)
            return holder, lambda: Less(max(kpa(less, floor.kpa), 1.0))
        points = QLineEdit(", ".join(f"{n:g}={pressure.from_base(p):.{decimals}f}" for n, p in floor.points))
        points.setMinimumWidth(230)
        points.setToolTip(f"rpm={pressure.symbol}, rpm={pressure.symbol}, …")
        points.setAccessibleName(f"Points, rpm={pressure.symbol}")
        written = points.text()
        row.addWidget(points)
        row.addWidget(Label(f"rpm={pressure.symbol}"))

        def table() -> Floor:
            if points.text() == written:
                return floor
            try:
                pairs = [p.split("=") for p in points.text().split(",") if p.strip()]
                made = tuple(sorted((float(n), pressure.to_base(float(v))) for n, v in pairs))
            except ValueError:
                made = ()
            if not made:
                raise InputError(f"Maker's figures: write rpm={pressure.symbol} pairs, such as 1000=70, 2500=193.")
            return PointTable(made)

        return holder, table


def _alike(a: Floor, b: Floor) -> bool:
    """A slope with a base is the full rule, one without is the lean rule."""
    return (a.base_kpa > 0) == (b.base_kpa > 0) if isinstance(a, Slope) and isinstance(b, Slope) else True
