"""The drawing of the pan, changed with mouse, keys and typed numbers."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QDialogButtonBox, QInputDialog, QLineEdit

from basso.sump.editing import Part, with_opening, with_wall
from basso.sump.measured import MeasuredPan, solid_of
from basso.ui.stations.sump.draw_dialog import DrawDialog
from basso.ui.window.main_window import MainWindow
from basso.units import UNITS, DisplayUnits
from pans import BOX, TWO


def litres(pan: MeasuredPan) -> float:
    return 1000.0 * solid_of(pan).capacity_m3


def opened(window: MainWindow, pan: MeasuredPan, units: DisplayUnits | None = None) -> DrawDialog:
    assert window.desk is not None
    dialog = DrawDialog(window, window.desk.bench.look, units or DisplayUnits(), pan)
    dialog.show()
    QApplication.processEvents()
    return dialog


@pytest.fixture
def dialog(window: MainWindow) -> Iterator[DrawDialog]:
    made = opened(window, BOX)
    yield made
    made.close()


def drag(dialog: DrawDialog, start: QPointF, end: QPointF) -> None:
    canvas = dialog.canvas
    middle = (start + end) / 2
    QTest.mousePress(canvas, Qt.MouseButton.LeftButton, pos=start.toPoint())
    for at in (middle, end):
        QTest.mouseMove(canvas, at.toPoint())
    QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=end.toPoint())
    QApplication.processEvents()


def test_a_corner_is_dragged_in_whole_millimetres_and_one_undo_takes_all_of_the_drag_back(dialog: DrawDialog) -> None:
    canvas = dialog.canvas
    drag(dialog, canvas.plan_point(0.13, 0.1), canvas.plan_point(0.16, 0.12))
    assert dialog.part.kind == "corner"
    x, y = dialog.pan.bays[0].outline_m[dialog.part.inner]
    assert x == pytest.approx(0.16, abs=0.002) and y == pytest.approx(0.12, abs=0.002)
    assert x * 1000 == pytest.approx(round(x * 1000), abs=1e-6)
    assert dialog.undo.count() == 1 and dialog.back.toolTip() == "Undo moving the corner"
    drag(dialog, canvas.plan_point(-0.13, -0.1), canvas.plan_point(-0.15, -0.1))
    assert dialog.undo.count() == 2
    QTest.mouseClick(dialog.back, Qt.MouseButton.LeftButton)
    QTest.mouseClick(dialog.back, Qt.MouseButton.LeftButton)
    assert litres(dialog.pan) == pytest.approx(litres(BOX)) and not dialog.back.isEnabled()
    QTest.mouseClick(dialog.again, Qt.MouseButton.LeftButton)
    assert dialog.pan.bays[0].outline_m.max() == pytest.approx(0.16, abs=0.002)


def test_heights_are_dragged_in_the_cuts(dialog: DrawDialog) -> None:
    canvas = dialog.canvas
    drag(dialog, canvas.side_point(-0.03, 0.008), canvas.side_point(-0.03, 0.020))
    assert dialog.part == Part("pickup")
    assert dialog.pan.pickup is not None and dialog.pan.pickup.middle_m[2] == pytest.approx(0.020, abs=0.002)
    drag(dialog, canvas.side_point(0.06, 0.16), canvas.side_point(0.06, 0.14))
    assert dialog.part == Part("bay", 0) and litres(dialog.pan) == pytest.approx(14 * 26 * 20 / 1000.0, rel=0.02)


def test_arrow_keys_move_what_is_chosen_and_delete_takes_it_out(dialog: DrawDialog) -> None:
    canvas = dialog.canvas
    dialog.choose(Part("edge", 0, 3))  # the one at the tail
    ends = dialog.pan.bays[0].outline_m[[3, 0], 0]
    assert np.allclose(ends, -0.13)
    QTest.keyClick(canvas, Qt.Key.Key_Down)
    QTest.keyClick(canvas, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    assert dialog.pan.bays[0].outline_m[0, 0] == pytest.approx(-0.141)
    QTest.mouseDClick(canvas, Qt.MouseButton.LeftButton, pos=canvas.plan_point(0.13, 0.02).toPoint())
    assert len(dialog.pan.bays[0].outline_m) == 5 and dialog.part.kind == "corner"
    QTest.keyClick(canvas, Qt.Key.Key_Delete)
    assert len(dialog.pan.bays[0].outline_m) == 4
    dialog.choose(Part("pickup"))
    QTest.keyClick(canvas, Qt.Key.Key_Left)
    assert dialog.pan.pickup is not None and dialog.pan.pickup.middle_m[1] == pytest.approx(0.043)


def test_numbers_are_typed_in_the_units_shown(window: MainWindow) -> None:
    dialog = opened(window, BOX, DisplayUnits(length=UNITS["in"], volume=UNITS["US qt"]))
    fill = dialog.edits["fill"]
    assert fill.text() == "not measured" and "US qt" in fill.suffix()
    fill.setValue(4.0)
    assert dialog.pan.fill_l == pytest.approx(4.0 * 0.946353, rel=1e-5)
    fill.setValue(20.0)
    assert "do not fit" in dialog.said.text()
    save = dialog.buttons.button(QDialogButtonBox.StandardButton.Save)
    assert not save.isEnabled()
    fill.setValue(fill.minimum())
    assert dialog.pan.fill_l is None and save.isEnabled()
    dialog.choose(Part("bay", 0))
    dialog.edits["roof"].setValue(5.0)
    assert litres(dialog.pan) == pytest.approx(12.7 * 26 * 20 / 1000.0, rel=1e-3)
    name = dialog.findChild(QLineEdit, "")
    names = [e for e in dialog.findChildren(QLineEdit) if e.accessibleName() == "What the bay is called"]
    assert name is not None and len(names) == 1
    names[0].setText("deep box")
    names[0].editingFinished.emit()
    assert dialog.pan.bays[0].name == "deep box" and "Bay: deep box" in dialog.parts.item(2).text()
    dialog.close()


def test_what_cannot_be_is_said_and_the_number_goes_back(dialog: DrawDialog) -> None:
    dialog.choose(Part("pickup"))
    dialog.edits["x"].setValue(900.0)
    assert "lies outside of every bay" in dialog.said.text()
    assert dialog.edits["x"].value() == pytest.approx(-30.0) and dialog.undo.count() == 0


def test_walls_doors_plates_and_holes_are_added_from_the_list(
    dialog: DrawDialog, monkeypatch: pytest.MonkeyPatch
) -> None:
    def add(words: str) -> None:
        made = dict(dialog.additions())
        dialog._try(made[next(w for w in made if w.startswith(words))], words)

    monkeypatch.setattr(QInputDialog, "getDouble", lambda *_: (20.0, True))
    add("Wall across box")
    assert [b.name for b in dialog.pan.bays] == ["box", "box 2"]
    dialog.choose(Part("wall", 0))
    add("Opening in this wall")
    dialog.choose(Part("opening", 0, 0))
    dialog.edits["width"].setValue(55.0)
    way = next(b for b in dialog.findChildren(QComboBox) if b.findText("both ways") >= 0)
    way.setCurrentIndex(way.findText("into box only (a door)"))
    way.activated.emit(way.currentIndex())
    opening = dialog.pan.walls[0].openings[0]
    assert opening.width_m == pytest.approx(0.055) and opening.to_bay == "box"
    assert "  Door 1" in [dialog.parts.item(i).text() for i in range(dialog.parts.count())]
    dialog.choose(Part("bay", 1))
    add("Plate over box 2")
    dialog.choose(Part("plate", 0))
    assert dialog.edits["closed"].value() == pytest.approx(75.0)
    add("Hole in this plate")
    dialog.choose(Part("hole", 0, 0))
    before = dialog.pan.plates[0].holes[0]
    at = dialog.canvas.plan_point(before.x_m, before.y_m)
    drag(dialog, at, at + QPoint(0, -30))
    assert dialog.pan.plates[0].holes[0].x_m > before.x_m + 0.01
    dialog.take_out()
    assert dialog.pan.plates[0].holes == ()
    for _ in range(dialog.undo.count()):
        dialog.back.click()
    assert litres(dialog.pan) == pytest.approx(litres(BOX)) and len(dialog.pan.bays) == 1


def test_a_wall_is_offered_only_between_bays_that_touch_and_have_none(window: MainWindow) -> None:
    dialog = opened(window, TWO)
    assert not any(w.startswith("Wall between") for w, _ in dialog.additions())
    dialog.choose(Part("wall", 0))
    dialog.take_out()
    assert [w for w, _ in dialog.additions() if w.startswith("Wall between")] == ["Wall between back and front"]
    assert with_opening(with_wall(dialog.pan, ("back", "front")), 0).walls[0].openings[0].low_m == 0.0
    dialog.close()
