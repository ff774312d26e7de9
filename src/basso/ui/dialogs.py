"""The few dialogs: floors, readings, working, command search, help."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QAbstractSpinBox,
    QCheckBox,
    QDialog,
    QDialogButtonBox,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from basso.errors import InputError
from basso.pressure.floors import SCHOOLS, Fixed, Floor, Less, Share, Slope, Table
from basso.ui.commands import COMMANDS, GROUPS, Command
from basso.ui.stations.working import Step
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits, digits_of

if TYPE_CHECKING:
    pass

_LEVELS = ("fail", "warn", "note", "ok")
_CAUTION = (
    "Basso advises; the engine builder, the maker's manual, the event's rules and local law decide. Test only on a closed "
    "course, never on the road. With a real low-pressure warning stop the engine."
)


def _label(look: Look, words: str, kind: Type = Type.BODY, soft: bool = False) -> QLabel:
    label = QLabel(words)
    label.setWordWrap(True)
    label.setFont(look.font(kind))
    label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    if soft:
        label.setStyleSheet(f"color: {look.palette.soft};")
    return label


def _scrolled(layout: QVBoxLayout) -> tuple[QWidget, QVBoxLayout]:
    """A column that scrolls when it is longer than the dialog."""
    body = QWidget()
    column = QVBoxLayout(body)
    column.setContentsMargins(0, 4, 10, 0)
    column.setSpacing(1)
    scroll = QScrollArea()
    scroll.setWidgetResizable(True)
    scroll.setWidget(body)
    scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    body.setAutoFillBackground(False)
    scroll.viewport().setAutoFillBackground(False)
    layout.addWidget(scroll, 1)
    return body, column


class FloorsDialog(QDialog):
    """Choose which schools of floor apply and edit their numbers, in the units shown."""

    def __init__(
        self, parent: QWidget, look: Look, floors: Sequence[Floor], units: DisplayUnits,
        maker_points: tuple[tuple[float, float], ...] = (), caution: str = "",
    ) -> None:  # fmt: skip
        """``maker_points`` (rpm, kPa) and a caution about the engine's clearances come from the engine's card."""
        super().__init__(parent)
        self.setWindowTitle("Floors")
        self.setMinimumWidth(560)
        self._units = units
        self._rows: list[tuple[QCheckBox, Callable[[], Floor]]] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 14)
        layout.addWidget(_label(look, "What is the least this engine may show?", Type.TITLE))
        layout.addWidget(_label(look, "Where several apply the highest wins, at every sample.", soft=True))
        grid = QGridLayout()
        grid.setVerticalSpacing(2)
        grid.setColumnStretch(1, 1)
        active = list(floors)
        for i, school in enumerate(SCHOOLS):
            own = next((f for f in active if type(f) is type(school.floor) and _alike(f, school.floor)), None)
            if own is None and not isinstance(school.floor, Slope):
                own = next((f for f in active if type(f) is type(school.floor)), None)
            if own is not None:
                active.remove(own)
            check = QCheckBox(school.name)
            check.setChecked(own is not None)
            check.setFont(look.font(Type.STRONG))
            reason, default = school.reason, school.floor
            if isinstance(default, Table) and len(maker_points) > 0:
                default, reason = Table(maker_points), "the maker's points on this engine's card"
            editor, read = self._editor(own or default)
            grid.addWidget(check, 3 * i, 0)
            grid.addWidget(editor, 3 * i, 1, Qt.AlignmentFlag.AlignRight)
            grid.addWidget(
                _label(look, reason[0].upper() + reason[1:] + ".", Type.SMALL, soft=True), 3 * i + 1, 0, 1, 2
            )
            grid.setRowMinimumHeight(3 * i + 2, 8)
            self._rows.append((check, read))
        layout.addLayout(grid)
        layout.addWidget(
            _label(
                look,
                "Nobody can say what pressure for how long destroys a given engine. " + _CAUTION,
                Type.SMALL,
                soft=True,
            )
        )
        if caution:
            layout.addWidget(_label(look, caution, Type.STRONG))
        self._problem = _label(look, "", Type.SMALL)
        self._problem.setStyleSheet(f"color: {look.palette.below};")
        layout.addWidget(self._problem)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self._try_accept)
        buttons.rejected.connect(self.reject)
        layout.addWidget(buttons)

    def floors(self) -> tuple[Floor, ...]:
        """The floors chosen; raises InputError for a table that cannot be read."""
        return tuple(read() for check, read in self._rows if check.isChecked())

    def _try_accept(self) -> None:
        try:
            chosen = self.floors()
        except InputError as error:
            self._problem.setText(str(error))
            return
        if not chosen:
            self._problem.setText("Choose at least one floor; without one nothing can be judged.")
            return
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
            share = self._number(100.0 * floor.fraction, 99.0, "% of expected", 0)
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
        row.addWidget(QLabel(f"rpm={pressure.symbol}"))

        def table() -> Floor:
            if points.text() == written:
                return floor
            try:
                pairs = [p.split("=") for p in points.text().split(",") if p.strip()]
                made = tuple(sorted((float(n), pressure.to_base(float(v))) for n, v in pairs))
            except ValueError:
                made = ()
            if not made:
                raise InputError(f"Maker's points: write rpm={pressure.symbol} pairs, such as 1000=70, 2500=193.")
            return Table(made)

        return holder, table


def _alike(a: Floor, b: Floor) -> bool:
    """A slope with a base is the full rule, one without is the lean rule."""
    return (a.base_kpa > 0) == (b.base_kpa > 0) if isinstance(a, Slope) and isinstance(b, Slope) else True


class WorkingDialog(QDialog):
    """How numbers came about: formula, inputs and their source, what would change them."""

    def __init__(self, parent: QWidget, look: Look, title: str, steps: Sequence[Step]) -> None:
        super().__init__(parent)
        self.setWindowTitle("Working")
        self.resize(640, 600)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 12, 14)
        layout.addWidget(_label(look, title, Type.TITLE))
        _, column = _scrolled(layout)
        for step in steps:
            column.addWidget(_label(look, step.what, Type.SMALL_STRONG))
            column.addWidget(_label(look, step.formula))
            if step.source:
                column.addWidget(_label(look, step.source, Type.SMALL, soft=True))
            column.addSpacing(9)
        column.addStretch(1)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        layout.addWidget(buttons)
        self.words = "\n".join(f"{s.what}: {s.formula} ({s.source})" for s in steps)


class SearchDialog(QDialog):
    """Type a few letters of a command, Enter runs it."""

    def __init__(self, parent: QWidget, look: Look, usable: Callable[[Command], bool]) -> None:
        super().__init__(parent)
        self.setWindowTitle("Find a command")
        self.resize(460, 380)
        self._commands = [c for c in COMMANDS if usable(c)]
        self.chosen: Command | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 12, 12, 12)
        self.entry = QLineEdit()
        self.entry.setPlaceholderText("Find a command or a station")
        self.entry.setAccessibleName("Find a command")
        self.list = QListWidget()
        self.list.setFont(look.font(Type.BODY))
        layout.addWidget(self.entry)
        layout.addWidget(self.list)
        self.entry.textChanged.connect(self._filter)
        self.entry.returnPressed.connect(self._take)
        self.list.itemActivated.connect(lambda _: self._take())
        self.list.itemClicked.connect(lambda _: self._take())
        self._filter("")

    def _filter(self, typed: str) -> None:
        wanted = typed.lower().split()
        self.list.clear()
        # A command called so comes before one that merely mentions it.
        for command in sorted(self._commands, key=lambda c: not all(w in c.title.lower() for w in wanted)):
            text = f"{command.title} {command.group} {command.hint}".lower()
            if all(w in text for w in wanted):
                shortcut = f"    {command.shortcut[0]}" if command.shortcut else ""
                item = QListWidgetItem(f"{command.title}{shortcut}")
                item.setData(Qt.ItemDataRole.UserRole, command.key)
                item.setToolTip(command.hint)
                self.list.addItem(item)
        self.list.setCurrentRow(0)

    def _take(self) -> None:
        item = self.list.currentItem()
        if item is not None:
            key = item.data(Qt.ItemDataRole.UserRole)
            self.chosen = next(c for c in self._commands if c.key == key)
            self.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        moves = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}
        key = Qt.Key(event.key())
        if key in moves:
            self.list.setCurrentRow(min(max(self.list.currentRow() + moves[key], 0), self.list.count() - 1))
        else:
            super().keyPressEvent(event)


class HelpDialog(QDialog):
    """What Basso does in a few sentences, and every shortcut."""

    def __init__(self, parent: QWidget, look: Look) -> None:
        super().__init__(parent)
        self.setWindowTitle("Help and shortcuts")
        self.resize(700, 620)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 12, 14)
        _, column = _scrolled(layout)
        column.setSpacing(5)
        column.addWidget(_label(look, "From a log to its dips", Type.TITLE))
        for words in (
            "Drop a log on the window. Basso finds the columns it needs, checks the readings and takes the sensor's zero from the "
            "seconds with the engine stopped; what it assumed is listed under Sensors.",
            "A dip is a stretch in which the gallery pressure lay below the floor while the engine ran warm above 1500 rpm. The "
            "floor is the highest of the rules under Floors. The margin is pressure less floor; the tide along the bottom shows it "
            "for the whole session.",
            "Normal is what this engine shows at the same rpm and oil temperature with the pan level, learned from the session's own "
            "straights. Share of normal is pressure over that.",
            "The cause is judged from the g before the dip, since oil follows late, and held against the rest of the session. "
            "“Not sure” and “not comparable” are meant.",
            _CAUTION,
        ):
            column.addWidget(_label(look, words))
        for group in GROUPS:
            column.addSpacing(8)
            column.addWidget(_label(look, group, Type.STRONG))
            grid = QGridLayout()
            grid.setColumnStretch(2, 1)
            grid.setColumnMinimumWidth(0, 150)
            grid.setColumnMinimumWidth(1, 190)
            grid.setHorizontalSpacing(18)
            for i, command in enumerate(c for c in COMMANDS if c.group == group):
                grid.addWidget(_label(look, "  or  ".join(command.shortcut) or "–", soft=True), i, 0)
                grid.addWidget(QLabel(command.title), i, 1)
                grid.addWidget(_label(look, command.hint, Type.SMALL, soft=True), i, 2)
            column.addLayout(grid)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        layout.addWidget(buttons)
