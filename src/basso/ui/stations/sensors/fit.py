"""The fit planner on screen: choose port, sensor and switch; parts, steps and cautions follow at once."""

from __future__ import annotations

import html

from PySide6.QtCore import Qt
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from basso.fitting.planner import Plan, plan_fit
from basso.fitting.threads import GENDERS, End, identify, threads
from basso.ui.theme.look import Look, Type

_NO_SWITCH = "none stays"


class FitPanel(QWidget):
    """``plan`` is what is shown."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        names = [f"{g} {t}" for t in threads() for g in reversed(GENDERS)]
        self.port, self.sensor, self.switch = QComboBox(), QComboBox(), QComboBox()
        self.port.addItems([n for n in names if n.startswith("female")] + [n for n in names if n.startswith("male")])
        self.sensor.addItems([n for n in names if n.startswith("male")] + [n for n in names if n.startswith("female")])
        self.switch.addItems([*(n for n in names if n.startswith("male")), _NO_SWITCH])
        self.sensor.setCurrentText("male M10x1")
        self.on_line = QCheckBox("on a flexible line, off the block")
        self.on_line.setChecked(True)
        self.diameter, self.pitch = QLineEdit(), QLineEdit()
        self.taper = QComboBox()
        self.taper.addItems(["not looked at", "tapers", "is parallel"])
        self._known, self._said = QLabel(), QLabel()
        self._lay_out()
        for box in (self.port, self.sensor, self.switch, self.taper):
            box.currentIndexChanged.connect(lambda _: self._show())
        self.on_line.toggled.connect(lambda _: self._show())
        for line in (self.diameter, self.pitch):
            line.textChanged.connect(lambda _: self._identify())
        self.taper.currentIndexChanged.connect(lambda _: self._identify())
        look.changed.connect(self._show)

    def showEvent(self, event: QShowEvent) -> None:
        """Plan once it is looked at: nothing of it is worked out at the start."""
        super().showEvent(event)
        self._show()

    def _lay_out(self) -> None:
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        for row, (words, widget) in enumerate(
            (
                ("The engine's port", self.port),
                ("The sensor", self.sensor),
                ("The warning switch", self.switch),
                ("", self.on_line),
            )
        ):
            label = QLabel(words)
            label.setBuddy(widget)
            widget.setAccessibleName(words or widget.text() if isinstance(widget, QCheckBox) else words)
            grid.addWidget(label, row, 0)
            grid.addWidget(widget, row, 1)
        measured = QHBoxLayout()
        for line, hint in ((self.diameter, "over the crests"), (self.pitch, "pitch")):
            line.setPlaceholderText(hint)
            line.setAccessibleName(hint)
            measured.addWidget(line)
        self.taper.setAccessibleName("Does it taper?")
        measured.addWidget(self.taper)
        left = QVBoxLayout()
        left.addLayout(grid)
        left.addSpacing(18)
        which = QLabel("Which thread is it? Measure the male one, in mm")
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
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 8, 0, 0)
        layout.setSpacing(20)
        layout.addLayout(left, 2)
        layout.addWidget(scroll, 3)

    @property
    def plan(self) -> Plan:
        """The chain for what is chosen."""
        port, sensor = (End(*box.currentText().split(" ", 1)) for box in (self.port, self.sensor))
        wanted = self.switch.currentText()
        switch = None if wanted == _NO_SWITCH else End(*wanted.split(" ", 1))
        return plan_fit(port, sensor, switch, self.on_line.isChecked())

    @property
    def words(self) -> str:
        """The plan as plain text."""
        plan = self.plan
        if not plan.possible:
            return plan.missing
        parts = [f"{i}. {p}" for i, p in enumerate(plan.parts, 1)] or ["The sensor goes straight into the port."]
        return "\n".join(["Parts", *parts, "", "Steps", *plan.steps, "", "Beware", *plan.cautions])

    @property
    def known(self) -> str:
        """Which thread the measured one can be."""
        return self._known.text()

    def _show(self) -> None:
        if not self.isVisible():
            return
        plan, p, e = self.plan, self._look.palette, html.escape
        self._said.setFont(self._look.font(Type.BODY))
        if not plan.possible:
            self._said.setText(f"<b>It cannot be done with these parts.</b><p>{e(plan.missing)}</p>")
            return
        parts = "".join(f"<li>{e(str(x))}</li>" for x in plan.parts)
        steps = "".join(f"<li>{e(x)}</li>" for x in plan.steps)
        beware = "".join(f"<p style='margin:0 0 5px 0; color:{p.below}'>{e(x)}</p>" for x in plan.cautions)
        count = (
            f"{len(plan.parts)} part{'' if len(plan.parts) == 1 else 's'}, {plan.overhang_mm:.0f} mm stiff off the port"
        )
        self._said.setText(
            f"<b>{count if plan.parts else 'The sensor goes straight into the port'}</b><ol>{parts}</ol>{beware}<b>Steps</b><ol>{steps}</ol>"
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
