"""The fit planner on screen: choose port, sensor and switch; parts, steps and cautions follow at once."""

from __future__ import annotations

import html
from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from basso.errors import InputError
from basso.fitting.places import GALLERY, places
from basso.fitting.planner import Part, Plan, plan_fit, shipped_parts
from basso.fitting.threads import GENDERS, End, identify, threads
from basso.memory.parts import Parts
from basso.sentence import read_in
from basso.ui import layouts
from basso.ui.dialogs import run_dialog
from basso.ui.plain import Label
from basso.ui.stations.words import Words
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits

_NO_SWITCH = "none stays"


class FitPanel(QWidget):
    """``plan`` is what is shown."""

    print_wanted = Signal()
    register_wanted = Signal()
    parts_edited = Signal(object)
    """The catalogue as the user has it now."""

    def __init__(self, look: Look, kept: Parts) -> None:
        """``kept``: the user's own catalogue."""
        super().__init__()
        self._kept = kept
        self._units = DisplayUnits()
        self._look = look
        self._parts: tuple[Part, ...] | None = None
        self._trouble = ""
        self._cold_peak = ""
        self.place, self.room = QComboBox(), QLineEdit()
        self.place.addItems(["not known", *(p.name for p in places().values() if p.pressure)])
        self.place.setCurrentText(GALLERY)
        self.room.setPlaceholderText("mm, if it is tight")
        self._tells = Words(look, Type.SMALL, "soft")
        self.parts_button, self.print_button, self.register_button = (
            QPushButton("Parts…"),
            QPushButton("Print…"),
            QPushButton("Put it in the register…"),
        )
        for button, hint in (
            (self.parts_button, "Which adapters, tees and lines are at hand"),
            (self.print_button, "The chain with its steps and cautions on paper"),
            (self.register_button, "The sensor as fitted, into this car's register"),
        ):
            button.setToolTip(hint)
        names = [f"{g} {t}" for t in threads() for g in reversed(GENDERS)]
        self.port, self.sensor, self.switch = QComboBox(), QComboBox(), QComboBox()
        self.port.addItems([n for n in names if n.startswith("female")] + [n for n in names if n.startswith("male")])
        self.sensor.addItems([n for n in names if n.startswith("male")] + [n for n in names if n.startswith("female")])
        self.switch.addItems([*(n for n in names if n.startswith("male")), _NO_SWITCH])
        self.sensor.setCurrentText("male M10x1")
        self.on_line = QCheckBox("on a flexible line, off the block")
        self.on_line.setToolTip("A sensor on a line is spared the engine's shaking")
        self.on_line.setChecked(True)
        self.diameter, self.pitch = QLineEdit(), QLineEdit()
        self.taper = QComboBox()
        self.taper.addItems(["not looked at", "tapers", "is parallel"])
        self._known, self._said = Label(), Label()
        self._lay_out()
        for box in (self.port, self.sensor, self.switch, self.taper, self.place):
            box.currentIndexChanged.connect(lambda _: self._show())
        self.on_line.toggled.connect(lambda _: self._show())
        for line in (self.diameter, self.pitch):
            line.textChanged.connect(lambda _: self._identify())
        self.room.textChanged.connect(lambda _: self._show())
        self.parts_button.clicked.connect(self._edit_parts)
        self.print_button.clicked.connect(self.print_wanted)
        self.register_button.clicked.connect(self.register_wanted)
        self.taper.currentIndexChanged.connect(lambda _: self._identify())
        look.changed.connect(self._show)

    def showEvent(self, event: QShowEvent) -> None:
        """Plan once it is looked at: nothing of it is worked out at the start."""
        super().showEvent(event)
        self._show()

    def _lay_out(self) -> None:
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(6)
        for row, (words, widget) in enumerate(
            (
                ("The engine's port", self.port),
                ("Its place", self.place),
                ("The sensor", self.sensor),
                ("The warning switch", self.switch),
                ("", self.on_line),
                ("Room for stiff parts", self.room),
            )
        ):
            label = Label(words)
            label.setBuddy(widget)
            widget.setAccessibleName(words or widget.text() if isinstance(widget, QCheckBox) else words)
            grid.addWidget(label, row, 0)
            grid.addWidget(widget, row, 1)
        measured = QHBoxLayout()
        measured.setSpacing(6)
        for line, hint in ((self.diameter, "over the crests"), (self.pitch, "pitch")):
            line.setPlaceholderText(hint)
            line.setAccessibleName(hint)
            measured.addWidget(line)
        self.taper.setAccessibleName("Does it taper?")
        measured.addWidget(self.taper)
        left = QVBoxLayout()
        left.setSpacing(8)
        left.addLayout(grid)
        left.addWidget(self._tells)
        buttons = QHBoxLayout()
        buttons.setSpacing(6)
        for button in (self.parts_button, self.print_button, self.register_button):
            buttons.addWidget(button)
        buttons.addStretch(1)
        left.addLayout(buttons)
        left.addSpacing(18)
        which = Label("Which thread is it? Measure the male one, in mm")
        which.setFont(self._look.font(Type.STRONG))
        left.addWidget(which)
        left.addLayout(measured)
        for label in (self._known, self._said):
            label.setWordWrap(True)
            label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        left.addWidget(self._known)
        left.addStretch(1)
        self._said.setTextFormat(Qt.TextFormat.RichText)
        self._said.setAlignment(Qt.AlignmentFlag.AlignTop)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self._said)
        layout = layouts.row(self, (0, 8, 0, 0), 20)
        layout.addLayout(left, 2)
        layout.addWidget(scroll, 3)

    @property
    def plan(self) -> Plan:
        """The chain for what is chosen."""
        port, sensor = (End(*box.currentText().split(" ", 1)) for box in (self.port, self.sensor))
        wanted = self.switch.currentText()
        switch = None if wanted == _NO_SWITCH else End(*wanted.split(" ", 1))
        return plan_fit(port, sensor, switch, self.on_line.isChecked(), self.parts, self.room_mm)

    @property
    def room_mm(self) -> float | None:
        """Room for stiff parts; None where nothing usable is written."""
        try:
            room = float(self.room.text().replace(",", "."))
        except ValueError:
            return None
        return room if 0 <= room < 1e5 else None

    @property
    def parts(self) -> tuple[Part, ...]:
        """The parts that may be used: the user's own, or those that ship."""
        if self._parts is None:
            try:
                self._parts = self._kept.in_use()
            except InputError as error:
                self._parts, self._trouble = shipped_parts(), f"{error} Until then the parts that ship are used."
        return self._parts

    def use_parts(self, parts: Sequence[Part]) -> None:
        """Plan with other parts from now on."""
        self._parts, self._trouble = tuple(parts), ""
        self._show()

    def show_cold_peak(self, words: str) -> None:
        """The highest pressure of a cold start that was logged, in words with its unit; "" where none was."""
        self._cold_peak = words
        self._show()

    def _edit_parts(self) -> None:
        from basso.ui.stations.sensors.parts_dialog import PartsDialog

        dialog = PartsDialog(self.window(), self._look, self.parts)
        if run_dialog(dialog):
            self.parts_edited.emit(tuple(dialog.parts))

    @property
    def cure(self) -> str:
        """What the sealant has to hold."""
        return (
            f"The highest pressure of a cold start that was logged: {self._cold_peak}. The cure time is that for it."
            if self._cold_peak
            else ""
        )

    @property
    def tells(self) -> str:
        """What a pressure read at the port's place says."""
        place = places().get(self.place.currentText())
        return (
            place.tells
            if place is not None
            else "Find out by the engine's drawing whether it is before or after the filter."
        )

    @property
    def words(self) -> str:
        """The plan as plain text."""
        plan = self.plan
        if not plan.possible:
            return plan.missing
        parts = [f"{i}. {p}" for i, p in enumerate(plan.parts, 1)] or ["The sensor goes straight into the port."]
        bought = [f"Cost and time: {plan.purchase}"] if plan.purchase else []
        where = [f"At the {self.place.currentText()}: {self.tells}", ""]
        steps = [*plan.steps, *([self.cure] if self.cure else [])]
        return "\n".join([*where, "Parts", *parts, *bought, "", "Steps", *steps, "", "Beware", *self._cautions(plan)])

    @property
    def printed(self) -> str:
        """The plan to print, as HTML."""
        plan, e = self.plan, html.escape
        title = (
            f"<h2>{e(str(plan.sensor))} sensor on a {e(str(plan.port))} port, "
            f"{e(self.place.currentText())}</h2><p>{e(self.tells)}</p>"
        )
        if not plan.possible:
            return f"{title}<p>{e(plan.missing)}</p>"
        lists = "".join(
            f"<h3>{heading}</h3><{tag}>{''.join(f'<li>{e(str(x))}</li>' for x in items)}</{tag}>"
            for heading, tag, items in (
                ("Parts", "ol", plan.parts or ("none: the sensor goes straight into the port",)),
                ("Steps", "ol", (*plan.steps, *([self.cure] if self.cure else []))),
                ("Beware", "ul", self._cautions(plan)),
            )
        )
        return (
            f"{title}{lists}<p>{e(plan.purchase)}</p><p>The engine's maker and its builder decide where a "
            "port may be opened.</p>"
        )

    def show_units(self, units: DisplayUnits) -> None:
        """Speak in other units."""
        self._units = units
        self._show()

    def _cautions(self, plan: Plan) -> list[str]:
        return [read_in(x, self._units) for x in plan.cautions]

    @property
    def known(self) -> str:
        """Which thread the measured one can be."""
        return self._known.text()

    def _show(self) -> None:
        if not self.isVisible():
            return
        plan, p, e = self.plan, self._look.palette, html.escape
        self._said.setFont(self._look.font(Type.BODY))
        self._tells.setText(" ".join(x for x in (self.tells, self._trouble) if x))
        for button in (self.print_button, self.register_button):
            button.setEnabled(plan.possible)
        if not plan.possible:
            self._said.setText(f"<b>It cannot be done with these parts.</b><p>{e(plan.missing)}</p>")
            return
        parts = "".join(f"<li>{e(str(x))}</li>" for x in plan.parts)
        steps = "".join(f"<li>{e(x)}</li>" for x in (*plan.steps, *([self.cure] if self.cure else [])))
        beware = "".join(f"<p style='margin:0 0 5px 0; color:{p.below}'>{e(x)}</p>" for x in self._cautions(plan))
        count = (
            f"{len(plan.parts)} part{'' if len(plan.parts) == 1 else 's'}, {plan.overhang_mm:.0f} mm stiff off the port"
        )
        bought = f"<p>Cost and time: {e(plan.purchase)}</p>" if plan.purchase else ""
        self._said.setText(
            f"<b>{count if plan.parts else 'The sensor goes straight into the port'}</b><ol>{parts}</ol>{bought}"
            f"{beware}"
            f"<b>Steps</b><ol>{steps}</ol>"
        )

    def _identify(self) -> None:
        try:
            diameter, pitch = (float(x.text().replace(",", ".")) for x in (self.diameter, self.pitch))
        except ValueError:
            self._known.setText("")
            return
        taper = {1: True, 2: False}.get(self.taper.currentIndex())
        found = identify(diameter, pitch, taper)
        self._known.setText(". ".join(x for x in (", ".join(t.name for t in found.candidates), found.caution) if x))
