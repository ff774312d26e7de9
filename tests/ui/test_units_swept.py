"""In psi and °F no screen keeps a kPa or a °C of Basso's own: every word that is shown is looked at."""

from __future__ import annotations

import re
from collections.abc import Iterator

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractButton, QAbstractItemView, QApplication, QLabel, QTableView, QWidget

from basso import workflow
from basso.ui.stations.dips.dip_working import working
from basso.ui.window.desk import Desk
from basso.ui.window.main_window import MainWindow
from basso.ui.window.screenshots import wait_until
from basso.units import UNITS, DisplayUnits
from basso.words.headline import sentence

UNITS_SHOWN = DisplayUnits(
    pressure=UNITS["psi"], temperature=UNITS["°F"], speed=UNITS["mph"], volume=UNITS["US qt"], length=UNITS["in"]
)
_OTHER = re.compile(r"\d[ \u2009]?(?:kPa|°C|L/min)\b|°C\b|\bkPa\b")


def _words(root: QWidget) -> Iterator[str]:
    for widget in root.findChildren(QWidget):
        if isinstance(widget, QLabel):
            yield widget.text()
        elif isinstance(widget, QAbstractButton):
            yield from (widget.text(), widget.toolTip())
        if isinstance(widget, QAbstractItemView) and widget.model() is not None:
            model = widget.model()
            columns = model.columnCount() if isinstance(widget, QTableView) else 1
            for row in range(model.rowCount()):
                for column in range(columns):
                    index = model.index(row, column)
                    yield from (str(index.data() or ""), str(index.data(Qt.ItemDataRole.ToolTipRole) or ""))
        yield widget.accessibleDescription()


def _left(desk: Desk) -> list[str]:
    """What still speaks other units; the columns of a log are shown as it was written, and a label's viscosity is by 40
    and 100 °C."""
    as_logged = set(_words(desk.stations["recordings"].page.columns))
    return [w for w in _words(desk.window) if _OTHER.search(w) and w not in as_logged and "viscosity at" not in w]


def test_no_screen_keeps_other_units(application: QApplication, wide_window: MainWindow) -> None:
    desk = wide_window.desk
    desk.bench.units.choose(UNITS_SHOWN)
    for name in ("hot-day", "loose-connector", "shakedown"):
        desk.logs.open_logs([workflow.demo_folder() / f"{name}.csv"])
        wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
        a = desk.bench.sessions.analysis
        assert a is not None
        assert not _OTHER.search(sentence(a, UNITS_SHOWN))
        for d in a.dips:
            for step in working(a, d, UNITS_SHOWN):
                assert not _OTHER.search(f"{step.what} {step.formula} {step.source}"), step
        for station in ("sensors", "normal", "dips", "corners"):
            desk.go_to(station)
            wait_until(application, lambda: not desk.bench.jobs.busy)
            for page in range(3) if station == "dips" else range(1):
                if station == "dips":
                    desk.stations["dips"].page.show_page(page)
                application.processEvents()
                assert not _left(desk), (name, station)
        for line in desk.stations["sensors"].page.lines:
            desk.stations["sensors"].page.choose(line.check.id)
            assert not _left(desk), (name, line.check.id)
