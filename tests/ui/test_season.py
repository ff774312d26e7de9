"""The car's season in the window: drawn over the sessions whose logs are at hand, and moved to another place."""

from __future__ import annotations

from dataclasses import replace

import pytest
from PySide6.QtWidgets import QApplication, QDialog, QPushButton

from basso.ui.stations.garage import station
from basso.ui.stations.garage.season_dialog import SeasonDialog
from basso.ui.window.desk import Desk
from basso.ui.window.screenshots import wait_until
from basso.units import UNITS, DisplayUnits
from basso.workflow import demo_folder


def test_the_season_of_the_open_car_is_drawn_and_moved(
    application: QApplication, garage_desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    desk = garage_desk
    logs = [demo_folder() / f"{n}.csv" for n in ("baseline-1", "accumulator", "gated")]
    desk.bench.sessions.open_logs(logs)
    desk.bench.units.choose(DisplayUnits(pressure=UNITS["psi"], temperature=UNITS["°F"]))
    wait_until(application, lambda: not desk.bench.jobs.busy, 60.0)
    seen: list[str] = []

    def use(dialog: QDialog) -> bool:
        assert isinstance(dialog, SeasonDialog)
        rows = [line.split("\t") for line in dialog.table.splitlines()]
        assert [r[1] for r in rows[1:]] == ["Full mark, stint 1", "Gated baffle", "Accumulator"]
        assert rows[3][-1] == "armed" and rows[0][5] == "Margin, psi" and all(r[5] for r in rows[1:])
        assert [s.name for s in dialog.picture.strips()] == [
            "Margin, psi",
            "Dips a lap",
            "Zero read, psi",
            "Hot idle, psi",
        ]
        assert dialog.heat.suffix() == " °F" and dialog.at is not None and 90.0 < dialog.at[1] < 130.0
        first = dialog.first.text()
        assert "°F normal stands" in first and "psi over the floor in Gated baffle" in first and "kPa" not in first
        dialog.rpm.setValue(dialog.rpm.value() - 1500.0)
        assert dialog.first.text() != first and "so no proof of the pan: Accumulator." in dialog.said.text()
        dialog.heat.setValue(dialog.heat.maximum())
        assert "no session drove there" in dialog.first.text()
        assert next(s.name for s in dialog.picture.strips()) == "Dips a lap"
        next(b for b in dialog.findChildren(QPushButton) if b.text() == "Copy table").click()
        assert QApplication.clipboard().text() == dialog.table
        assert not dialog.grab().isNull()
        # A title from somebody else's bundle is no formula where the table is pasted.
        season = dialog._season
        strange = replace(season.points[0], session=replace(season.points[0].session, title="=1+1"))
        other = SeasonDialog(desk.window, desk.bench.look, DisplayUnits(), "Car", replace(season, points=(strange,)))
        assert "1+1" in other.table and "\t=" not in other.table
        other.deleteLater()
        seen.append(first)
        return False

    monkeypatch.setattr(station, "run_dialog", use)
    desk.run("garage.season")
    wait_until(application, lambda: bool(seen), 60.0)


def test_without_a_car_there_is_no_season(application: QApplication, wide_window: object) -> None:
    from basso.ui.window.main_window import MainWindow

    assert isinstance(wide_window, MainWindow)
    garage = wide_window.desk.stations["garage"]
    command = next(c for c in garage.commands() if c.key == "garage.season")
    assert wide_window.desk.bench.garage.view is None and not command.when()
