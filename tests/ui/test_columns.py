"""Saying which column is what, in the window."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from PySide6.QtWidgets import QApplication, QWidget

from basso import workflow
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.ui.columns_dialog import ColumnsDialog
from basso.ui.theme.look import Look
from basso.units import UNITS
from support import recording_of


@pytest.fixture(scope="module")
def application() -> QApplication:
    app = QApplication.instance() or QApplication([])
    assert isinstance(app, QApplication)
    return app


@pytest.fixture
def parent(application: QApplication) -> Iterator[QWidget]:
    widget = QWidget()
    yield widget
    widget.close()


def _dialog(application: QApplication, parent: QWidget, recording: Recording) -> ColumnsDialog:
    return ColumnsDialog(parent, Look(application), recording)


def test_it_starts_from_what_was_recognised(application: QApplication, parent: QWidget) -> None:
    recording = workflow.open_recording(workflow.demo_folder() / "baseline-1.csv")
    roles, units = _dialog(application, parent, recording).choice()
    assert roles[Role.OIL_PRESSURE] == "Oil pressure [psi]"
    assert roles[Role.LAP] == "Lap"
    assert units == {}, "a unit that was read is not forced"


def test_an_assumed_unit_is_shown_as_assumed(application: QApplication, parent: QWidget) -> None:
    rows = ["Time,RPM,Oil pressure"] + [f"{i / 20},{3000 + i},{55 + i % 3}" for i in range(200)]
    dialog = _dialog(application, parent, recording_of("\n".join(rows).encode()))
    texts = {role: unit.itemText(0) for role, _, unit in dialog._rows}
    assert texts[Role.OIL_PRESSURE] == "taken as psi"


def test_a_column_and_a_unit_are_chosen(application: QApplication, parent: QWidget) -> None:
    rows = ["Time,RPM,P3,X"] + [f"{i / 20},{3000 + i},{3.5 + i % 3},{i % 5}" for i in range(200)]
    dialog = _dialog(application, parent, recording_of("\n".join(rows).encode()))
    for role, column, unit in dialog._rows:
        if role is Role.OIL_PRESSURE:
            column.setCurrentText("P3")
            unit.setCurrentText("bar")
    roles, units = dialog.choice()
    assert roles[Role.OIL_PRESSURE] == "P3"
    assert units == {"P3": UNITS["bar"]}
    assert Role.OIL_TEMP not in roles, "what is not in the log is not made up"


def test_only_units_of_the_right_kind_are_offered(application: QApplication, parent: QWidget) -> None:
    recording = workflow.open_recording(workflow.demo_folder() / "baseline-1.csv")
    for role, _, unit in _dialog(application, parent, recording)._rows:
        offered = {unit.itemText(i) for i in range(1, unit.count())}
        if role is Role.OIL_TEMP:
            assert {"°C", "°F"} <= offered and "psi" not in offered
        if role is Role.LATERAL_G:
            assert {"g", "m/s²"} <= offered and "kPa" not in offered
