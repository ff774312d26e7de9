"""A small form that says which car a log is of: car, build, oil, circuit. The rest can wait."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QComboBox, QDialog, QFormLayout, QLineEdit, QVBoxLayout, QWidget

from basso.car.sessions import Placing
from basso.oil.grades import grades
from basso.ui.dialogs import decision, label
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits, Quantity

if TYPE_CHECKING:
    from basso.car.history import CarHistory


class KeepDialog(QDialog):
    """:attr:`placing` is what was said; ``cars`` are asked for their history only when they are chosen."""

    def __init__(
        self, parent: QWidget, look: Look, units: DisplayUnits, cars: Sequence[CarHistory], title: str, day: str
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keep with a car")
        self._cars, self._units, self._day = {c.car.name: c for c in cars}, units, day
        self.car, self.build, self.grade = QComboBox(), QComboBox(), QComboBox()
        for box in (self.car, self.build, self.grade):
            box.setEditable(True)
            box.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.circuit, self.level = QLineEdit(), QLineEdit()
        self.said = label(look, "", Type.SMALL_STRONG)
        self.said.setStyleSheet(f"color: {look.palette.below};")
        rows = (
            ("Car", self.car, "a name of yours"),
            ("Build", self.build, "what is on it: pan, baffle, level"),
            ("Oil grade", self.grade, "as on the can, like 10W-40"),
            (f"Oil in the pan, {units.volume.symbol}", self.level, "empty where it is not known"),
            ("Circuit", self.circuit, "where it was driven"),
        )
        form = QFormLayout()
        for name, widget, hint in rows:
            line = widget.lineEdit() if isinstance(widget, QComboBox) else widget
            assert line is not None
            line.setPlaceholderText(hint)
            widget.setAccessibleName(name)
            form.addRow(name, widget)
        layout = QVBoxLayout(self)
        layout.addWidget(label(look, f"Keep {title} with a car", Type.TITLE))
        layout.addWidget(
            label(
                look,
                "Then its sensors, its oil and what it showed before are known wherever this car's logs are judged. "
                "Everything else can wait.",
                Type.SMALL,
                soft=True,
            )
        )
        layout.addLayout(form)
        layout.addWidget(self.said)
        layout.addWidget(decision(self, self._save, save=True))
        self.setMinimumWidth(round(look.height() * 26))
        self.car.addItems(list(self._cars))
        self.grade.addItems(list(grades()))
        self.grade.setCurrentText("")
        self.car.currentTextChanged.connect(lambda _: self._show_builds())
        self.build.currentTextChanged.connect(lambda _: self._show_build())
        self._show_builds()
        self.car.setFocus()

    @property
    def known(self) -> CarHistory | None:
        """The car named, where the garage has it."""
        return self._cars.get(self.car.currentText().strip())

    @property
    def placing(self) -> Placing:
        """Where the log belongs; raises ValueError where the level is no number."""
        words = self.level.text().strip().replace(",", ".")
        return Placing(
            car=self.car.currentText().strip(),
            build=self.build.currentText().strip(),
            day=self._day,
            circuit=self.circuit.text().strip(),
            oil_grade=self.grade.currentText().strip(),
            level_l=float(self._units.volume.to_base(float(words))) if words else None,
        )

    def _show_builds(self) -> None:
        """Of the car named, the newest first; a new car begins with its first."""
        builds = sorted(self.known.builds, key=lambda b: b.since, reverse=True) if self.known is not None else []
        self.build.clear()
        self.build.addItems([b.name for b in builds] or ["Build 1"])
        self._show_build()

    def _show_build(self) -> None:
        """A build that is there says itself which oil is in it, and how much."""
        known, name = self.known, self.build.currentText().strip()
        build = next((b for b in known.builds if b.name == name), None) if known is not None else None
        for widget in (self.grade, self.level):
            widget.setEnabled(build is None)
        if build is not None:
            self.grade.setCurrentText(build.oil_grade)
            level = build.level_l
            self.level.setText("" if level is None else self._units.number(level, Quantity.VOLUME))

    def _save(self) -> None:
        try:
            where = self.placing
        except ValueError:
            self.said.setText(f"'{self.level.text()}' is no amount of oil; write a number, or leave it empty.")
            self.level.setFocus()
            return
        missing = next((w for w, text in ((self.car, where.car), (self.build, where.build)) if not text), None)
        if missing is not None:
            self.said.setText(f"Give the {missing.accessibleName().lower()} a name.")
            missing.setFocus()
            return
        self.accept()
