"""The register of sensors, driven as a person would: what sits where, calibrated, moved, taken off, printed."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialogButtonBox, QFileDialog, QTableWidgetItem

from basso.garage.records import Calibration, Car, Sensor
from basso.memory.memory import Memory
from basso.ui.stations.form import RecordDialog
from basso.ui.stations.sensors.calibration_dialog import CalibrationDialog
from basso.ui.stations.sensors.circuit_picture import circuit_picture
from basso.ui.stations.sensors.parts_dialog import PartsDialog
from basso.ui.stations.sensors.register import RegisterPanel
from basso.ui.stations.sensors.widget import CHECKS, FIT, REGISTER
from basso.ui.window.desk import Desk
from basso.ui.window.main_window import MainWindow
from basso.ui.window.screenshots import wait_until
from basso.units import UNITS, DisplayUnits


@pytest.fixture
def desk(application: QApplication, garage_desk: Desk) -> Desk:
    garage_desk.go_to("sensors")
    garage_desk.stations["sensors"].page.show_page(REGISTER)
    application.processEvents()
    return garage_desk


@pytest.fixture
def panel(desk: Desk) -> RegisterPanel:
    return desk.stations["sensors"].page.register


def named(panel: RegisterPanel, name: str) -> Sensor:
    assert panel.register is not None
    return next(c for c in (*panel.register.fitted(), *panel.register.off()) if c.name == name)


def fill(monkeypatch: pytest.MonkeyPatch, **values: str) -> list[str]:
    """The next dialogs are filled in so and saved; returns their titles."""
    titles: list[str] = []

    def answer(self: RecordDialog) -> bool:
        titles.append(self.windowTitle())
        for name, text in values.items():
            editor = self.form.editor(name)
            editor.setText(text) if hasattr(editor, "setText") else editor.setCurrentText(text)
        assert self.form.take_all() == ""
        return True

    monkeypatch.setattr(RecordDialog, "exec", answer)
    return titles


def test_the_oils_way_shows_what_sits_where_and_a_click_chooses_it(panel: RegisterPanel) -> None:
    assert panel._head.text() == "Car 31 now: 3 sensors"
    picture = panel.circuit.picture
    assert picture is not None and [x.lines[0] for x in picture.labels] == [
        "Gallery sensor",
        "Pan temperature",
        "Bottle sensor",
    ]
    assert panel.card is not None and panel.card.name == "Gallery sensor"
    assert "What the bearings get" in panel._about.text() and "0.5 kPa too much" in panel._about.text()
    assert "share the return at pin 3" in panel._cautions.text()
    bottle = next(x for x in picture.labels if x.lines[0] == "Bottle sensor")
    at = panel.circuit._box(bottle).center().toPoint()
    QTest.mouseClick(panel.circuit, Qt.MouseButton.LeftButton, pos=at)
    assert panel.card.name == "Bottle sensor"
    QTest.mouseClick(panel.circuit, Qt.MouseButton.LeftButton, pos=QPointF(2, 2).toPoint())
    assert panel.card.name == "Bottle sensor"


def test_no_label_lies_over_another_however_many_sensors_there_are() -> None:
    places = ("pump outlet", "cooler outlet", "filter outlet", "main gallery", "far end of the gallery", "head")
    cards = [Sensor(car="c", name=f"P{i}", place=p) for i, p in enumerate(places)]
    labels = circuit_picture(cards, cooler=False, accumulator=False).labels
    assert len(labels) == 6
    for i, a in enumerate(labels):
        assert a.x >= 0.0 and a.x + a.width <= 1.0
        assert all(a.y != b.y or abs(a.x - b.x) >= a.width - 1e-9 for b in labels[:i])


def test_a_field_is_edited_where_it_stands_and_undone(
    application: QApplication, desk: Desk, panel: RegisterPanel
) -> None:
    before = named(panel, "Gallery sensor")
    editor = panel.form.editor("belt_mm")
    editor.setFocus()
    QTest.keyClicks(editor, "X")
    QTest.keyClick(editor, Qt.Key.Key_Return)
    assert "is no number" in panel.form._wrong.text()
    editor.clear()  # type: ignore[union-attr]
    QTest.keyClicks(editor, "30")
    QTest.keyClick(editor, Qt.Key.Key_Return)
    assert named(panel, "Gallery sensor").belt_mm == 30.0
    assert desk.bench.undo.undoText() == "clear of belts by of Gallery sensor"
    desk.bench.undo.undo()
    assert named(panel, "Gallery sensor") == before


def test_only_what_means_something_for_a_sensor_is_asked(panel: RegisterPanel) -> None:
    panel.choose(named(panel, "Pan temperature").id)
    assert panel.form.editor("low_kpa").isHidden() and not panel.form.editor("low_c").isHidden()
    assert panel.buttons["calibrate"].isHidden()
    panel.choose(named(panel, "Gallery sensor").id)
    assert not panel.form.editor("low_kpa").isHidden() and panel.form.editor("low_c").isHidden()


def test_a_new_sensor_a_later_card_and_taking_it_off(
    desk: Desk, panel: RegisterPanel, monkeypatch: pytest.MonkeyPatch
) -> None:
    titles = fill(monkeypatch, name="Pump sensor", since="2026-07-10", place="pump outlet")
    panel.buttons["new sensor"].click()
    pump = named(panel, "Pump sensor")
    assert panel.card == pump and "What the pump makes" in panel._about.text()
    fill(monkeypatch, since="2026-07-20", place="cooler outlet")
    panel.buttons["new card"].click()
    later = named(panel, "Pump sensor")
    assert (later.sensor, later.place, later.since) == (pump.sensor, "cooler outlet", "2026-07-20")
    assert "2026-07-10 to 2026-07-20 Car 31, pump outlet" in panel._about.text()
    told: list[str] = []
    monkeypatch.setattr(desk, "tell", told.append)
    panel.buttons["new card"].click()
    assert "already: correct that one" in told[0]
    fill(monkeypatch, since="2026-08-01", reason="Broken")
    panel.buttons["off"].click()
    assert not named(panel, "Pump sensor").fitted and titles == ["New sensor"]
    for _ in range(3):
        desk.bench.undo.undo()
    assert panel.register is not None and "Pump sensor" not in {c.name for c in panel.register.history.sensors}


def test_a_sensor_goes_to_another_car_with_its_calibrations(
    desk: Desk, panel: RegisterPanel, monkeypatch: pytest.MonkeyPatch
) -> None:
    gallery = named(panel, "Gallery sensor")
    other = Car(name="Car 32")
    first = desk.bench.garage.view
    assert first is not None
    desk.bench.garage.add("adding Car 32", other)
    desk.bench.garage.choose(first.car.id)
    panel.choose(gallery.id)
    titles = fill(monkeypatch, since="2026-08-01")
    panel.buttons["move"].menu().actions()[0].trigger()
    assert titles == ["Gallery sensor to Car 32"]
    assert not named(panel, "Gallery sensor").fitted
    desk.bench.garage.choose(other.id)
    moved = named(panel, "Gallery sensor")
    assert moved.sensor == gallery.sensor and moved.mount == "unknown"
    assert "Car 31, main gallery" in panel._about.text() and "1.003" in panel._calibrated.text()
    desk.bench.undo.undo()
    assert panel.register is not None and panel.register.fitted() == []


def enter(dialog: CalibrationDialog, *pairs: tuple[str, str]) -> None:
    for row, pair in enumerate(pairs):
        for column, text in enumerate(pair):
            dialog.table.setItem(row, column, QTableWidgetItem(text))


class TestCalibration:
    CARD = Sensor(car="c", name="P1", low_kpa=0.0, high_kpa=1000.0, low_v=0.5, high_v=4.5)

    def made(
        self, window: MainWindow, units: DisplayUnits | None = None, points: tuple[tuple[float, float], ...] = ()
    ) -> CalibrationDialog:
        before = Calibration(car="c", sensor=self.CARD.sensor, day="2026-05-09", points=points)
        return CalibrationDialog(window, window.look, self.CARD, before, units or DisplayUnits())

    def test_what_is_left_over_stands_beside_each_point_as_it_is_written(self, window: MainWindow) -> None:
        dialog = self.made(window)
        save = dialog._buttons.button(QDialogButtonBox.StandardButton.Save)
        assert not save.isEnabled() and "two pressures at least" in dialog.said.text()
        enter(dialog, ("0", "0"), ("200", "206"), ("400", "408"), ("600", "612"), ("800", "816"))
        assert (
            save.isEnabled()
            and "Reads 1.019 ± 0.005" in dialog.said.text()
            and "its scale is off" in dialog.said.text()
        )
        off = [dialog.table.item(r, 2).text() for r in range(5)]  # type: ignore[union-attr]
        assert off[1].startswith("+") and len([x for x in off if x]) == 5
        enter(dialog, ("0", ""))
        assert not save.isEnabled() and "Row 1" in dialog.said.text()
        enter(dialog, ("0", "nil"))
        assert "is no number" in dialog.said.text()

    def test_it_is_kept_in_kilopascals_whatever_is_shown(self, window: MainWindow) -> None:
        dialog = self.made(window, DisplayUnits(pressure=UNITS["psi"]))
        assert dialog.table.horizontalHeaderItem(0).text() == "Applied, psi"  # type: ignore[union-attr]
        enter(dialog, ("0", "0"), ("100", "100"))
        assert dialog.calibration.points[1] == pytest.approx((689.4757, 689.4757))
        again = self.made(window, DisplayUnits(pressure=UNITS["psi"]), dialog.calibration.points)
        assert again.table.item(1, 0).text() == "100"  # type: ignore[union-attr]

    def test_volts_are_kept_as_volts_and_read_through_the_card(self, window: MainWindow) -> None:
        dialog = self.made(window, DisplayUnits(pressure=UNITS["bar"]))
        dialog.reads.setCurrentIndex(1)
        enter(dialog, ("0", "0.5"), ("5", "2.5"), ("10", "4.5"))
        made = dialog.calibration
        assert (made.reads, made.points[1]) == ("V", pytest.approx((500.0, 2.5)))
        assert "Reads 1.000" in dialog.said.text()


def test_a_calibration_is_added_corrected_and_removed(
    desk: Desk, panel: RegisterPanel, monkeypatch: pytest.MonkeyPatch
) -> None:
    bottle = named(panel, "Bottle sensor")
    panel.choose(bottle.id)
    assert "Never read against a known pressure" in panel._calibrated.text() and panel.plot.evidence is None

    def answer(self: CalibrationDialog) -> int:
        enter(self, ("0", "0"), ("200", "210"), ("400", "420"), ("600", "630"), ("800", "840"))
        return 1

    monkeypatch.setattr(CalibrationDialog, "exec", answer)
    panel.buttons["calibrate"].click()
    assert "Reads 1.050" in panel._calibrated.text() and panel.plot.evidence is not None
    monkeypatch.setattr(CalibrationDialog, "exec", lambda self: CalibrationDialog.REMOVED)
    panel.buttons["calibration"].menu().actions()[0].trigger()
    assert "Never read" in panel._calibrated.text()
    desk.bench.undo.undo()
    assert "Reads 1.050" in panel._calibrated.text()


def test_the_wiring_and_the_plan_are_printed(
    desk: Desk, panel: RegisterPanel, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for name, button in (("wiring", panel.buttons["wiring"]), ("plan", desk.stations["sensors"].page.fit.print_button)):
        file = tmp_path / f"{name}.pdf"
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, file=file, **k: (str(file), ""))
        button.setEnabled(True)
        button.click()
        assert file.read_bytes().startswith(b"%PDF")
    assert (
        "copper washer" in desk.stations["sensors"].page.fit.printed
        and "What the bearings get" in desk.stations["sensors"].page.fit.printed
    )


def test_copy_takes_the_register(desk: Desk, panel: RegisterPanel) -> None:
    desk.run("edit.copy")
    text = QApplication.clipboard().text()
    assert "Gallery sensor\tmain gallery\tOil pressure" in text and "1.003" in text


def test_a_log_of_the_day_shows_the_sensors_of_that_day_and_is_held_against_them(
    application: QApplication, window: MainWindow
) -> None:
    window.resize(1280, 800)
    desk = window.desk
    desk.logs.open_demo()
    wait_until(application, lambda: desk.bench.garage.view is not None and not desk.bench.jobs.busy)
    entry = next(e for e in desk.bench.sessions.entries if e.path.stem == "shakedown")
    desk.bench.sessions.show(entry)
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    names = {x.check.id: x.state for x in desk.stations["sensors"].page.lines}
    assert names["sensor_mount"] == "Warning" and names["sensor_type"] == "OK" and names["zero_trend"] == "Not checked"
    desk.go_to("sensors")
    desk.stations["sensors"].page.show_page(REGISTER)
    panel = desk.stations["sensors"].page.register
    wait_until(application, lambda: panel.register is not None)
    assert panel.then.text() == "As on 2026-04-18, the shown log's day"
    panel.then.click()
    assert panel.card is not None and panel.card.name == "Filter sensor" and panel.circuit.picture is not None
    assert panel.circuit.picture.lamp == "gone"
    # Its card is corrected: the log is held against it anew.
    card = panel.card
    desk.bench.garage.change("the mount", card, replace(card, mount="on a rigid pipe"))
    wait_until(application, lambda: not desk.bench.jobs.busy)
    assert {x.check.id: x.state for x in desk.stations["sensors"].page.lines}["sensor_mount"] == "OK"
    # The zero's trend has its evidence where there were sessions before.
    later = next(e for e in desk.bench.sessions.entries if e.path.stem == "gated")
    desk.bench.sessions.show(later)
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    desk.stations["sensors"].page.show_page(CHECKS)
    desk.stations["sensors"].page.choose("zero_trend")
    assert desk.stations["sensors"].page.line is not None and desk.stations["sensors"].page.line.state == "OK"
    assert (
        desk.stations["sensors"].page.plot.evidence is not None
        and desk.stations["sensors"].page.plot.evidence.series[0].x.size >= 3
    )


def test_without_a_garage_it_says_what_to_do(application: QApplication, window: MainWindow) -> None:
    desk = window.desk
    desk.go_to("sensors")
    desk.stations["sensors"].page.show_page(REGISTER)
    wait_until(application, lambda: not desk.bench.jobs.busy)
    panel = desk.stations["sensors"].page.register
    assert panel.circuit.isHidden() and "Open the garage and make the car first" in panel._head.text()
    desk.bench.garage.add("adding a car", Car(name="Car 7"))
    assert "Write down what sits where" in panel._head.text() and not panel.buttons["new sensor"].isHidden()


class TestPlanner:
    def test_room_and_place_change_the_answer_at_once(self, application: QApplication, desk: Desk) -> None:
        fit = desk.stations["sensors"].page.fit
        desk.stations["sensors"].page.show_page(FIT)
        application.processEvents()
        assert "What the bearings get" in fit._tells.text()
        fit.place.setCurrentText("pump outlet")
        assert "The bearings get less" in fit._tells.text() and fit.words.startswith("At the pump outlet")
        fit.room.setText("20")
        assert "There is room for 20 mm" in fit.words and not fit.print_button.isEnabled()
        fit.room.setText("")
        assert fit.print_button.isEnabled()

    def test_what_was_planned_goes_into_the_register(
        self, desk: Desk, panel: RegisterPanel, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        fill(monkeypatch, name="Planned", since="2026-09-01")
        desk.stations["sensors"].page.fit.place.setCurrentText("filter outlet")
        desk.stations["sensors"].page.fit.register_button.click()
        made = named(panel, "Planned")
        assert (made.place, made.thread, made.mount, made.line_m, made.lamp) == (
            "filter outlet",
            "M10x1",
            "on a flexible line",
            0.6,
            "there, on the tee",
        )

    def test_the_catalogue_is_edited_kept_and_undone(self, desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
        fit, before = desk.stations["sensors"].page.fit, desk.stations["sensors"].page.fit.parts

        def answer(self: PartsDialog) -> int:
            self.add_button.click()
            row = self.table.rowCount() - 1
            for column, text in enumerate(("adapter", "male M16x1.5", "female M10x1", "", "25", "", "4,50", "2")):
                self.table.setItem(row, column, QTableWidgetItem(text))
            return 1

        monkeypatch.setattr(PartsDialog, "exec", answer)
        fit.parts_button.click()
        assert (
            len(fit.parts) == len(before) + 1 and Memory.own().parts.in_use() == fit.parts and fit.parts[-1].cost == 4.5
        )
        desk.bench.undo.undo()
        assert fit.parts == before and Memory.own().parts.in_use() == before

    def test_a_row_that_is_no_part_is_told_and_nothing_is_lost(self, window: MainWindow) -> None:
        dialog = PartsDialog(window, window.look, Memory.own().parts.in_use())
        dialog.table.setItem(0, 1, QTableWidgetItem("male 7/8 UNF"))
        dialog._save()
        assert dialog.result() == 0 and dialog.said.text().startswith("Row 1:") and "known are" in dialog.said.text()


def test_a_long_card_scrolls_rather_than_growing_over_the_screen(application: QApplication, desk: Desk) -> None:
    from basso.garage.records import Engine

    for record in (Engine(car="c", name="Two litre"), Sensor(car="c", name="P1")):
        dialog = RecordDialog(desk.window, desk.bench.look, "A card", "", record, DisplayUnits())
        dialog.show()
        application.processEvents()
        assert dialog.height() <= dialog.screen().availableGeometry().height() * 0.85
        assert dialog.form.height() > dialog._scroll.viewport().height()
        dialog.close()


@pytest.mark.parametrize(("command", "page"), [("sensors.register", REGISTER), ("sensors.fit", FIT)])
def test_each_page_has_a_command(desk: Desk, command: str, page: int) -> None:
    desk.go_to("dips")
    desk.run(command)
    assert desk.station == "sensors" and desk.stations["sensors"].page.pages.page == page
