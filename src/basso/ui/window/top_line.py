"""The top line: brand, breadcrumb, background work, units, look, command search, menu."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QMenu, QProgressBar, QToolButton, QWidget

from basso.ui import layouts
from basso.ui.dialogs import replace_menu
from basso.ui.plain import Label
from basso.ui.plots import paint
from basso.ui.theme.look import Look, Type

if TYPE_CHECKING:
    from basso.units import DisplayUnits

_SHOW_WORK_EVERY_S = 0.05
_UNIT_CHOICES = (
    ("pressure", "Pressure", ("kPa", "bar", "psi")),
    ("temperature", "Temperature", ("°C", "°F")),
    ("volume", "Volume", ("L", "US qt")),
    ("length", "Length", ("mm", "in")),
    ("speed", "Speed", ("km/h", "mph")),
)


class TopLine(QWidget):
    """One line across the window."""

    units_chosen = Signal(object)
    """Carries the :class:`basso.units.DisplayUnits` chosen."""
    cancelled = Signal()

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        look.fit(self, lambda w: w.setFixedHeight(round(look.height() * 2.5)))
        self._brand = Label("Basso")
        self.crumbs, self.units_button, self.look_button = QToolButton(), QToolButton(), QToolButton()
        self.search_button, self.menu_button, self._cancel = QToolButton(), QToolButton(), QToolButton()
        self._work, self._bar = Label(), QProgressBar()
        self._shown_work = ("", 0.0)
        self._units: DisplayUnits | None = None
        self._build()
        look.changed.connect(self._restyle)
        self._restyle()

    def _build(self) -> None:
        layout = layouts.row(self, (18, 0, 12, 0), 4)
        layout.addWidget(self._brand)
        layout.addSpacing(18)
        layout.addWidget(self.crumbs)
        layout.addStretch(1)
        self._bar.setRange(0, 100)
        self._bar.setFixedWidth(90)
        self._bar.setTextVisible(False)
        self._cancel.setText("Cancel")
        self._cancel.clicked.connect(self.cancelled)
        for widget in (self._work, self._bar, self._cancel):
            layout.addWidget(widget)
            widget.hide()
        layout.addSpacing(8)
        for button in (self.units_button, self.look_button, self.search_button, self.menu_button):
            layout.addWidget(button)
        self.crumbs.setAccessibleName("Choose a session")
        self.crumbs.setToolTip("Choose a session (Ctrl+P)")
        self.units_button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.units_button.setAccessibleName("Units")
        self.units_button.setToolTip("Units; stored data stays as it is")
        self.look_button.setToolTip("Day, night or sunlight (F9)")
        self.search_button.setText("Find a command  Ctrl K")
        self.search_button.setToolTip("Type what you want to do (Ctrl+K)")
        self._cancel.setToolTip("Stop the work that is running; what is done stays (F5 goes on)")
        self.menu_button.setToolTip("Every command, by what it is about")
        self.menu_button.setText("Menu")
        self.menu_button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)

    def _restyle(self) -> None:
        self._brand.setFont(self._look.font(Type.BRAND))
        for widget in (
            self.crumbs,
            self.units_button,
            self.look_button,
            self.search_button,
            self.menu_button,
            self._cancel,
            self._work,
        ):
            widget.setFont(self._look.font(Type.BODY))
        soft = f"color: {self._look.palette.soft};"
        for widget in (self.units_button, self.look_button, self.search_button, self._work, self._cancel):
            widget.setStyleSheet(soft)
        self.look_button.setText(self._look.theme.capitalize())
        self.update()

    def set_crumbs(self, parts: list[str]) -> None:
        """Show where we are: car, build, session."""
        self.crumbs.setText("   ›   ".join(p for p in parts if p) or "No log open")

    def set_units(self, units: DisplayUnits) -> None:
        """Show the units in force and offer the others."""
        self._units = units
        self.units_button.setText(f"{units.pressure.symbol}  {units.temperature.symbol}")
        menu = QMenu(self.units_button)
        for field, title, symbols in _UNIT_CHOICES:
            menu.addSection(title)
            for symbol in symbols:
                action = menu.addAction(symbol)
                action.setCheckable(True)
                action.setChecked(getattr(units, field).symbol == symbol)
                action.triggered.connect(lambda _=False, f=field, s=symbol: self._choose(f, s))
        replace_menu(self.units_button, menu)

    def _choose(self, field: str, symbol: str) -> None:
        from dataclasses import replace

        from basso.units import UNITS

        if self._units is None:
            return
        self.units_chosen.emit(replace(self._units, **{field: UNITS[symbol]}))

    def show_work(self, what: str, fraction: float) -> None:
        """Show background work; as often as an eye can follow, for a bar draws itself at once."""
        now = time.monotonic()
        if self._bar.isVisible() and what == self._shown_work[0] and now - self._shown_work[1] < _SHOW_WORK_EVERY_S:
            return
        self._shown_work = what, now
        self._work.setText(what[:1].upper() + what[1:])
        self._bar.setValue(round(100 * fraction))
        for widget in (self._work, self._bar, self._cancel):
            widget.show()

    def hide_work(self) -> None:
        """No work is running."""
        for widget in (self._work, self._bar, self._cancel):
            widget.hide()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self._look.color("panel"))
        paint.rule(painter, 0, self.height() - 1, self.width(), self.height() - 1, self._look.color("rule"))
