"""The real window, driven off-screen as a person would: keys, mouse, menus, files dropped on it."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QMimeData, QPointF, QSettings, Qt, QUrl
from PySide6.QtGui import QDropEvent, QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialog, QLabel, QMessageBox, QWidget

from basso.memory.decisions import Decision
from basso.pressure.floors import Fixed, Share
from basso.recording.roles import Role
from basso.ui.judging.floors_dialog import FloorsDialog
from basso.ui.models.settings import Settings
from basso.ui.stations.catalogue import STATIONS
from basso.ui.window.help_dialog import HelpDialog
from basso.ui.window.main_window import MainWindow
from basso.ui.window.rail import State
from basso.ui.window.search_dialog import SearchDialog
from basso.ui.window.working_dialog import WorkingDialog
from basso.units import UNITS, DisplayUnits
from basso.workflow import demo_folder

LOG = demo_folder() / "baseline-1.csv"


def wait(done: Callable[[], bool], seconds: float = 30.0) -> None:
    end = time.monotonic() + seconds
    while not done():
        assert time.monotonic() < end, "the window did not get there"
        QApplication.processEvents()
        time.sleep(0.003)
    QApplication.processEvents()


@pytest.fixture
def opened(window: MainWindow) -> MainWindow:
    window.open_logs([LOG])
    wait(lambda: window.desk.bench.sessions.analysis is not None)
    return window


def press(widget: QWidget, key: Qt.Key, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
    QTest.keyClick(widget, key, modifier)
    QApplication.processEvents()


def picture_of(widget: QWidget) -> np.ndarray:
    image = widget.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)
    return np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.width(), 4)[..., :3].copy()


def no_dialog_left() -> None:
    for widget in QApplication.topLevelWidgets():
        if isinstance(widget, QMessageBox):
            widget.close()


class TestStart:
    def test_an_empty_window_says_what_to_do(self, window: MainWindow) -> None:
        assert "Open a log" in window.desk.stations["dips"].page._title.text()
        assert "Ctrl+O" in window.desk.stations["dips"].page._detail.text()
        assert window.rail.state_words("recordings") == "no log open yet"

    def test_all_ten_stations_are_on_the_path_and_reached_by_key(self, window: MainWindow) -> None:
        for i, station in enumerate(STATIONS):
            press(window, Qt.Key(Qt.Key.Key_0 + (i + 1) % 10), Qt.KeyboardModifier.AltModifier)
            assert window.desk.station == station.key

    def test_the_demo_opens_with_its_trial(self, window: MainWindow) -> None:
        window.desk.run("demo.open")
        wait(lambda: window.desk.bench.trial.comparison is not None)
        assert window.desk.bench.sessions.shown is not None
        assert "Full mark, stint 1" in window.top.crumbs.text()
        assert "Car 31" in window.top.crumbs.text()
        assert len(window.desk.bench.sessions.entries) == 10
        assert window.desk.stations["trial"].page.title.startswith("Helps")
        assert window.rail.state_words("trial").startswith("helps")


class TestDips:
    def test_the_session_opens_with_a_sentence_and_the_worst_dip(self, opened: MainWindow) -> None:
        desk = opened.desk
        assert desk.stations["dips"].page._title.text().startswith("Left turns above")
        a = desk.bench.sessions.analysis
        assert a is not None
        worst = min(range(len(a.dips)), key=lambda i: a.dips[i].dip.min_margin_kpa)
        assert desk.stations["dips"].page.selected == worst
        assert desk.bench.cursor.time_s == pytest.approx(a.time_s[a.dips[worst].dip.lowest_margin])

    def test_stepping_by_keyboard_moves_every_view(self, opened: MainWindow) -> None:
        desk = opened.desk
        a = desk.bench.sessions.analysis
        assert a is not None
        desk.stations["dips"].page.select(0)
        before = (
            picture_of(desk.moments.tide),
            picture_of(desk.moments.pan),
            picture_of(desk.stations["dips"].page.traces),
        )
        press(opened, Qt.Key.Key_N)
        assert desk.stations["dips"].page.selected == 1
        d = a.dips[1].dip
        assert d.start_s <= desk.bench.cursor.time_s <= d.end_s
        assert desk.bench.cursor.view[0] < d.start_s and desk.bench.cursor.view[1] > d.end_s
        after = (
            picture_of(desk.moments.tide),
            picture_of(desk.moments.pan),
            picture_of(desk.stations["dips"].page.traces),
        )
        assert all((x != y).any() for x, y in zip(before, after, strict=True))
        press(opened, Qt.Key.Key_P)
        assert desk.stations["dips"].page.selected == 0

    def test_the_ends_of_the_list_are_ends(self, opened: MainWindow) -> None:
        desk = opened.desk
        a = desk.bench.sessions.analysis
        assert a is not None
        desk.stations["dips"].page.select(len(a.dips) - 1)
        press(opened, Qt.Key.Key_N)
        assert desk.stations["dips"].page.selected == len(a.dips) - 1

    def test_the_list_sorts_by_depth_and_selection_stays_with_its_dip(self, opened: MainWindow) -> None:
        table, a = opened.desk.stations["dips"].page.table, opened.desk.bench.sessions.analysis
        assert a is not None
        table.sortByColumn(3, Qt.SortOrder.AscendingOrder)
        first = int(table.model().index(0, 0).data()) - 1
        margins = [d.dip.min_margin_kpa for d in a.dips]
        assert margins[first] == min(margins)

    def test_the_list_gives_cause_and_reason(self, opened: MainWindow) -> None:
        model = opened.desk.stations["dips"].page.table.model()
        causes = [str(model.index(r, 7).data()) for r in range(model.rowCount())]
        assert any(c.startswith("Left turn") and " g" in c and "s after" in c for c in causes)
        reason = str(model.index(0, 0).data(Qt.ItemDataRole.ToolTipRole))
        assert "sure" in reason and "g before it" in reason

    def test_a_click_on_a_dip_in_the_traces_selects_it(self, opened: MainWindow) -> None:
        desk = opened.desk
        a = desk.bench.sessions.analysis
        assert a is not None
        desk.stations["dips"].page.select(3)
        d = a.dips[4].dip
        desk.bench.cursor.show(d.start_s - 5, d.end_s + 5)
        traces = desk.stations["dips"].page.traces
        at = QPointF(traces.axis.x_of((d.start_s + d.end_s) / 2), 60.0)
        QTest.mouseClick(traces, Qt.MouseButton.LeftButton, pos=at.toPoint())
        assert desk.stations["dips"].page.selected == 4

    def test_copy_gives_the_selected_rows_with_headings_and_units(self, opened: MainWindow) -> None:
        opened.desk.stations["dips"].page.select(2)
        opened.desk.run("edit.copy")
        lines = QApplication.clipboard().text().splitlines()
        assert len(lines) == 2
        assert "Lowest, kPa" in lines[0]
        assert lines[1].split("\t")[0] == "3"

    def test_one_dip_is_selected_whatever_keys_are_held(self, opened: MainWindow) -> None:
        table = opened.desk.stations["dips"].page.table
        opened.desk.stations["dips"].page.select(2)
        QTest.keyPress(table, Qt.Key.Key_Control, Qt.KeyboardModifier.ControlModifier)
        try:
            opened.desk.stations["dips"].page.select(3)  # as undoing with Ctrl+Z may
            assert [i.row() for i in table.selectionModel().selectedRows()] == [table.currentIndex().row()]
        finally:
            QTest.keyRelease(table, Qt.Key.Key_Control)

    def test_export_writes_the_whole_list(
        self, opened: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        target = tmp_path / "dips.csv"
        monkeypatch.setattr("PySide6.QtWidgets.QFileDialog.getSaveFileName", lambda *a, **k: (str(target), ""))
        opened.desk.run("list.export")
        a = opened.desk.bench.sessions.analysis
        assert a is not None
        assert len(target.read_text().splitlines()) == len(a.dips) + 1
        assert [p.name for p in tmp_path.glob("dips*")] == ["dips.csv"]

    def test_export_into_a_folder_that_cannot_be_written_says_so(
        self, opened: MainWindow, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        said: list[str] = []
        monkeypatch.setattr("PySide6.QtWidgets.QFileDialog.getSaveFileName", lambda *a, **k: ("/nowhere/dips.csv", ""))
        monkeypatch.setattr(opened.desk, "tell", said.append)
        opened.desk.run("list.export")
        assert said and "/nowhere/dips.csv" in said[0]


class TestTimeLine:
    def test_scrubbing_the_tide_moves_the_cursor_and_the_view(self, opened: MainWindow) -> None:
        desk = opened.desk
        desk.bench.cursor.show(100.0, 130.0)
        x = desk.moments.tide._x_of(600.0)
        QTest.mouseClick(desk.moments.tide, Qt.MouseButton.LeftButton, pos=QPointF(x, 40.0).toPoint())
        assert desk.bench.cursor.time_s == pytest.approx(600.0, abs=2.0)
        assert desk.bench.cursor.view[0] < 600.0 < desk.bench.cursor.view[1]

    def test_keys_on_the_tide(self, opened: MainWindow) -> None:
        desk = opened.desk
        press(desk.moments.tide, Qt.Key.Key_Home)
        assert desk.bench.cursor.time_s == desk.bench.cursor.whole[0]
        press(desk.moments.tide, Qt.Key.Key_End)
        assert desk.bench.cursor.time_s == desk.bench.cursor.whole[1]

    def test_laps_zoom_and_whole_session(self, opened: MainWindow) -> None:
        desk = opened.desk
        a = desk.bench.sessions.analysis
        assert a is not None
        desk.bench.cursor.move_to(a.laps[3].start_s + 5)
        desk.run("lap.next")
        assert desk.bench.cursor.view == pytest.approx((a.laps[4].start_s, a.laps[4].end_s))
        desk.run("zoom.in")
        assert desk.bench.cursor.view[1] - desk.bench.cursor.view[0] < a.laps[4].time_s
        desk.run("zoom.all")
        assert desk.bench.cursor.view == desk.bench.cursor.whole

    def test_dragging_the_traces_pans_and_keeps_the_length(self, opened: MainWindow) -> None:
        desk = opened.desk
        desk.bench.cursor.show(300.0, 330.0)
        traces = desk.stations["dips"].page.traces
        QTest.mousePress(traces, Qt.MouseButton.LeftButton, pos=QPointF(500, 60).toPoint())
        QTest.mouseMove(traces, QPointF(400, 60).toPoint())
        QTest.mouseRelease(traces, Qt.MouseButton.LeftButton, pos=QPointF(400, 60).toPoint())
        start, end = desk.bench.cursor.view
        assert end - start == pytest.approx(30.0)
        assert start > 301.0

    def test_play_runs_in_real_time_and_stops(self, opened: MainWindow) -> None:
        desk = opened.desk
        desk.bench.cursor.move_to(200.0)
        press(opened, Qt.Key.Key_Space)
        began = time.monotonic()
        wait(lambda: desk.bench.cursor.time_s > 200.3)
        assert desk.bench.cursor.time_s - 200.0 == pytest.approx(time.monotonic() - began, abs=0.25)
        press(opened, Qt.Key.Key_Space)
        stopped = desk.bench.cursor.time_s
        QTest.qWait(80)
        assert desk.bench.cursor.time_s == stopped

    def test_the_readings_are_those_of_the_sample_at_the_cursor(self, opened: MainWindow) -> None:
        desk = opened.desk
        a = desk.bench.sessions.analysis
        assert a is not None
        i = a.dips[5].dip.lowest
        desk.bench.cursor.move_to(float(a.time_s[i]))
        readings = desk.moments.pan.accessibleDescription()
        assert f"Pressure {a.pressure_kpa[i]:.0f} kPa" in readings
        assert f"Floor {a.floor.kpa[i]:.0f} kPa" in readings


class TestUnitsAndLook:
    def test_units_switch_everywhere_at_once_and_nothing_is_computed_again(self, opened: MainWindow) -> None:
        desk = opened.desk
        before = desk.bench.sessions.analysis
        desk.bench.units.choose(DisplayUnits(pressure=UNITS["psi"], temperature=UNITS["°F"]))
        QApplication.processEvents()
        assert desk.bench.sessions.analysis is before
        assert "psi" in desk.stations["dips"].page._detail.text()
        model = desk.stations["dips"].page.table.model()
        assert model.headerData(2, Qt.Orientation.Horizontal) == "Lowest, psi"
        assert "psi" in desk.moments.pan.accessibleDescription()
        assert "°F" in desk.moments.pan.accessibleDescription()
        assert "°F" in window_words(opened, "normal")
        assert opened.top.units_button.text().startswith("psi")
        assert before is not None
        shown = float(str(model.index(0, 2).data()))
        assert shown == pytest.approx(
            before.dips[int(str(model.index(0, 0).data())) - 1].dip.min_pressure_kpa / 6.894757, abs=0.6
        )

    def test_the_selected_dip_survives_a_change_of_units(self, opened: MainWindow) -> None:
        opened.desk.stations["dips"].page.select(6)
        view = opened.desk.bench.cursor.view
        opened.desk.run("units.next")
        assert opened.desk.stations["dips"].page.selected == 6
        assert opened.desk.bench.cursor.view == view

    def test_night_and_day(self, opened: MainWindow) -> None:
        day = picture_of(opened).mean()
        opened.desk.run("view.look")
        night = picture_of(opened).mean()
        opened.desk.run("view.look")
        assert opened.look.theme == "sunlight"
        sunlight = picture_of(opened).mean()
        opened.desk.run("view.look")
        assert night < 0.4 * day < day < sunlight
        assert picture_of(opened).mean() == pytest.approx(day, rel=0.05)

    def test_the_pan_folds_away_and_comes_back(self, opened: MainWindow) -> None:
        opened.desk.run("view.pan")
        assert not opened.desk.moments.pan.isVisible()
        opened.desk.run("view.pan")
        assert opened.desk.moments.pan.isVisible()

    @pytest.mark.parametrize("size", [(1100, 700), (1280, 800), (1920, 1080)])
    def test_it_lays_itself_out_at_any_usual_size(self, opened: MainWindow, size: tuple[int, int]) -> None:
        opened.resize(*size)
        QApplication.processEvents()
        assert (opened.width(), opened.height()) == size
        assert opened.desk.stations["dips"].page.traces.height() > 220
        assert opened.desk.stations["dips"].page.table.height() > 80

    def test_soft_ink_can_be_read(self, opened: MainWindow) -> None:
        """WCAG AA, 4.5:1, on paper and panel, by day and by night."""
        from basso.ui.theme.palette import DAY, NIGHT

        def luminance(colour: str) -> float:
            parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
            linear = [c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4 for c in parts]
            return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

        for palette in (DAY, NIGHT):
            for ink in (palette.ink, palette.soft, palette.below, palette.side_a, palette.side_b, palette.ample):
                for ground in (palette.paper, palette.panel):
                    high, low = sorted((luminance(ink), luminance(ground)), reverse=True)
                    assert (high + 0.05) / (low + 0.05) >= 4.5, (palette.name, ink, ground)


def window_words(window: MainWindow, station: str) -> str:
    return window.rail.state_words(station)


class TestOpening:
    def test_a_dropped_file_opens(self, window: MainWindow) -> None:
        mime = QMimeData()
        mime.setUrls([QUrl.fromLocalFile(str(LOG))])
        event = QDropEvent(
            QPointF(200, 200), Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        )
        window.dropEvent(event)
        wait(lambda: window.desk.bench.sessions.analysis is not None)

    def test_a_file_chosen_in_the_dialog_opens(self, window: MainWindow, monkeypatch: pytest.MonkeyPatch) -> None:
        monkeypatch.setattr("PySide6.QtWidgets.QFileDialog.getOpenFileNames", lambda *a, **k: ([str(LOG)], ""))
        press(window, Qt.Key.Key_O, Qt.KeyboardModifier.ControlModifier)
        wait(lambda: window.desk.bench.sessions.analysis is not None)

    @pytest.mark.parametrize("data", [b"", b"hello\nworld\n", bytes(range(256)) * 30])
    def test_a_bad_file_is_one_sentence_and_the_open_session_stays(
        self, opened: MainWindow, tmp_path: Path, data: bytes
    ) -> None:
        bad = tmp_path / "bad.csv"
        bad.write_bytes(data)
        before = opened.desk.bench.sessions.analysis
        said: list[str] = []
        opened.desk.bench.judging.problem.connect(said.append)
        opened.open_logs([bad])
        wait(lambda: bool(said))
        assert str(bad) in said[0] and "\n" not in said[0]
        assert opened.desk.bench.sessions.analysis is before
        assert [e.path for e in opened.desk.bench.sessions.entries] == [LOG]
        no_dialog_left()

    def test_the_same_file_twice_is_the_same_session(self, opened: MainWindow) -> None:
        opened.open_logs([LOG])
        assert len(opened.desk.bench.sessions.entries) == 1

    def test_a_result_that_is_no_longer_wanted_is_dropped(self, window: MainWindow) -> None:
        window.open_logs([LOG])
        window.open_logs([demo_folder() / "gated.csv"])
        wait(lambda: window.desk.bench.sessions.analysis is not None)
        analysis = window.desk.bench.sessions.analysis
        assert analysis is not None
        assert analysis.recording.path.name == "gated.csv"

    def test_work_shows_progress_and_can_be_cancelled(self, window: MainWindow) -> None:
        window.open_logs([LOG])
        assert window.top._bar.isVisible()
        window.top.cancelled.emit()
        QTest.qWait(300)
        assert not window.top._bar.isVisible()
        assert window.desk.bench.sessions.analysis is None

    def test_the_last_place_is_restored(self, application: QApplication, store: QSettings, opened: MainWindow) -> None:
        opened.desk.go_to("trial")
        opened.desk.run("units.next")
        opened.close()
        again = Settings(store)
        assert again.station == "trial"
        assert again.units.pressure.symbol == "bar"
        assert again.last_logs == [LOG]

    def test_damaged_settings_fall_back_to_sound_defaults(self, store: QSettings) -> None:
        for key, value in (
            ("units/pressure", "furlong"),
            ("units/temperature", "psi"),
            ("station", "x"),
            ("logs", "/gone.csv"),
        ):
            store.setValue(key, value)
        settings = Settings(store)
        assert settings.units == DisplayUnits()
        assert settings.last_logs == []


class TestJudging:
    def test_floors_change_the_dips_and_undo_brings_them_back(self, opened: MainWindow) -> None:
        desk = opened.desk
        before = len(desk.bench.sessions.analysis.dips) if desk.bench.sessions.analysis is not None else 0
        desk.bench.judging.set_floors((Fixed(50.0),))
        wait(lambda: desk.bench.sessions.analysis is not None)
        assert desk.bench.sessions.analysis is not None and len(desk.bench.sessions.analysis.dips) == 0
        assert desk.stations["dips"].page._title.text().startswith("No dips")
        press(opened, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        wait(lambda: desk.bench.sessions.analysis is not None)
        assert desk.bench.sessions.analysis is not None and len(desk.bench.sessions.analysis.dips) == before
        assert "floors" in desk.commands.actions["edit.redo"].text()

    def test_a_refused_zero_is_undoable_and_seen(self, window: MainWindow) -> None:
        window.open_logs([demo_folder() / "shakedown.csv"])
        wait(lambda: window.desk.bench.sessions.analysis is not None)
        desk = window.desk
        assert "zero off by 101 kPa" in window.rail.state_words("sensors")
        a = desk.bench.sessions.analysis
        assert a is not None
        key = next(c.key for c in a.corrections if c.kind == "offset")
        lowest = a.dips[0].dip.min_pressure_kpa
        desk.bench.judging.decide(Decision(frozenset({key})))
        wait(lambda: desk.bench.sessions.analysis is not None)
        b = desk.bench.sessions.analysis
        assert b is not None
        assert len(b.dips) < len(a.dips)
        desk.run("edit.undo")
        wait(lambda: desk.bench.sessions.analysis is not None)
        c = desk.bench.sessions.analysis
        assert c is not None
        assert c.dips[0].dip.min_pressure_kpa == lowest

    def test_the_floors_dialog_reads_and_writes_in_the_units_shown(self, opened: MainWindow) -> None:
        units = replace(DisplayUnits(), pressure=UNITS["psi"])
        floors = opened.desk.bench.judging.floors
        dialog = FloorsDialog(opened, opened.look, floors, units)
        assert dialog.floors() == floors, "an untouched dialog changes nothing"
        for check, _ in dialog._rows:
            check.setChecked(check.text() == "% of normal")
        assert dialog.floors() == (Share(0.70),)

    def test_no_floor_at_all_is_not_accepted(self, opened: MainWindow) -> None:
        dialog = FloorsDialog(opened, opened.look, opened.desk.bench.judging.floors, DisplayUnits())
        for check, _ in dialog._rows:
            check.setChecked(False)
        dialog._try_accept()
        assert dialog.result() != QDialog.DialogCode.Accepted
        assert "at least one" in dialog._problem.text()

    def test_a_log_whose_names_say_nothing_is_judged_once_its_columns_are_named(
        self, window: MainWindow, tmp_path: Path
    ) -> None:
        lines = LOG.read_text().splitlines()
        lines[0] = "Time [s],N1,P3 gallery,T4,A,B,V,C,D"
        odd = tmp_path / "odd.csv"
        odd.write_text("\n".join(lines))
        window.open_logs([odd])
        desk = window.desk
        wait(lambda: desk.bench.sessions.analysis is not None)
        assert (
            desk.stations["dips"].page._title.text().startswith("Engine speed, ")
            and "N1 [rpm]" in desk.stations["dips"].page._title.text()
        )
        assert (
            "not recognised" in desk.stations["dips"].page._title.text()
            and "P3 gallery" in desk.stations["dips"].page._detail.text()
        )

        desk.stations["dips"].page._columns.click()
        assert desk.station == "recordings"
        panel = desk.stations["recordings"].page.columns
        for column, role in (
            ("N1", Role.RPM),
            ("P3 gallery", Role.OIL_PRESSURE),
            ("T4", Role.OIL_TEMP),
            ("A", Role.LATERAL_G),
            ("B", Role.LONGITUDINAL_G),
            ("D", Role.LAP),
        ):
            panel.choose(column, role)
        panel.choose("P3 gallery", unit="psi")
        panel.use_button.click()
        wait(lambda: desk.bench.sessions.analysis is not None)
        a = desk.bench.sessions.analysis
        assert a is not None and len(a.dips) > 10
        assert desk.stations["dips"].page._title.text().startswith("Turns to one side (sign not proven)")
        desk.run("edit.undo")
        wait(lambda: desk.bench.sessions.analysis is not None)
        assert "not recognised" in desk.stations["dips"].page._title.text()

    def test_working_names_every_number_and_its_source(
        self, opened: MainWindow, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        shown: list[str] = []
        monkeypatch.setattr(WorkingDialog, "exec", lambda self: shown.append(self.words))
        opened.desk.stations["dips"].page.select(0)
        press(opened, Qt.Key.Key_F2)
        (words,) = shown
        for part in (
            "Normal pressure",
            "softmin",
            "% of normal",
            "48.3 kPa per 1000 rpm",
            "Margin",
            "Length",
            "Deficit",
            "Cause",
            "would change",
        ):
            assert part in words

    def test_every_command_is_found_by_searching_its_name(self, opened: MainWindow) -> None:
        commands = opened.desk.commands.rows
        dialog = SearchDialog(opened, opened.look, commands)
        for command in commands:
            dialog.entry.setText(command.title)
            keys = [dialog.list.item(i).data(Qt.ItemDataRole.UserRole) for i in range(dialog.list.count())]
            assert command.key in keys

    def test_search_runs_the_chosen_command(self, opened: MainWindow, monkeypatch: pytest.MonkeyPatch) -> None:
        def choose(self: SearchDialog) -> int:
            self.entry.setText("whole session")
            self._take()
            return 1

        monkeypatch.setattr(SearchDialog, "exec", choose)
        opened.desk.bench.cursor.show(100.0, 120.0)
        press(opened, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
        assert opened.desk.bench.cursor.view == opened.desk.bench.cursor.whole

    def test_no_two_commands_share_a_key_or_a_name(self, window: MainWindow) -> None:
        rows = window.desk.commands.rows
        keys = [s for c in rows for s in c.keys]
        assert len(keys) == len(set(keys))
        assert len({c.key for c in rows}) == len(rows) == len({c.title for c in rows})

    def test_help_lists_every_command(self, opened: MainWindow) -> None:
        commands = opened.desk.commands.rows
        dialog = HelpDialog(opened, opened.look, commands)
        dialog.search.setText("commands and keys")
        shown = dialog.page.toPlainText()
        assert [c.title for c in commands if c.title not in shown] == []
        assert [k for c in commands for k in c.keys if k not in shown] == []
        assert any("maker's manual" in label.text() for label in dialog.findChildren(QLabel))

    def test_help_opens_at_the_station_and_finds_words(self, opened: MainWindow) -> None:
        dialog = HelpDialog(opened, opened.look, opened.desk.commands.rows, "accumulator")
        assert dialog.page.toPlainText().startswith("Accumulator")
        dialog.search.setText("walther")
        pages = [dialog.list.item(i).text().strip() for i in range(dialog.list.count())]
        assert pages == ["Stations", "Normal"] and "ν(T)" in dialog.page.toPlainText()
        dialog.search.setText("zzzz")
        assert dialog.list.count() == 0 and "No page" in dialog.page.toPlainText()


class TestTrial:
    def test_choosing_sides_compares_them_and_undo_takes_it_back(self, window: MainWindow) -> None:
        desk = window.desk
        window.open_logs([LOG, demo_folder() / "plus-0.4.csv"])
        wait(lambda: desk.bench.sessions.analysis is not None)
        desk.go_to("trial")
        assert "Choose the logs" in desk.stations["trial"].page.title
        a, b = desk.bench.sessions.entries
        desk.bench.trial.toggle(a, 0, True)
        desk.bench.trial.toggle(b, 1, True)
        wait(lambda: desk.bench.trial.comparison is not None)
        assert desk.stations["trial"].page.title.startswith("Helps: lowest pressure up")
        assert "laps" in desk.stations["trial"].page.detail
        desk.run("edit.undo")
        assert desk.bench.trial.b == ()

    def test_a_verdict_goes_when_what_it_rests_on_changes(self, window: MainWindow) -> None:
        desk = window.desk
        desk.run("demo.open")
        wait(lambda: desk.bench.trial.comparison is not None)
        old = desk.bench.trial.comparison
        for change in (
            lambda: desk.bench.judging.set_floors((Fixed(150.0),)),
            lambda: desk.bench.judging.decide(Decision(frozenset({("Oil pressure [psi]", "offset")}))),
        ):
            change()
            assert desk.bench.trial.comparison is None
            assert "Comparing" in desk.stations["trial"].page.title, "no old verdict is shown as current"
            wait(lambda: desk.bench.trial.comparison is not None and desk.bench.sessions.analysis is not None)
            assert desk.bench.trial.comparison is not old

    def test_a_session_is_never_on_both_sides(self, opened: MainWindow) -> None:
        (entry,) = opened.desk.bench.sessions.entries
        opened.desk.bench.trial.toggle(entry, 0, True)
        opened.desk.bench.trial.toggle(entry, 1, True)
        assert opened.desk.bench.trial.a == ()
        assert opened.desk.bench.trial.b == (entry,)

    def test_copy_on_the_trial_takes_the_verdict_and_its_rows(self, window: MainWindow) -> None:
        desk = window.desk
        desk.run("demo.open")
        wait(lambda: desk.bench.trial.comparison is not None)
        desk.go_to("trial")
        desk.run("edit.copy")
        lines = QApplication.clipboard().text().splitlines()
        assert lines[0].strip('"').startswith("Helps")
        assert lines[2].startswith("Place\tA, kPa")
        assert len(lines) >= 5

    def test_not_comparable_says_why(self, window: MainWindow) -> None:
        desk = window.desk
        window.open_logs([LOG, demo_folder() / "hill-climb.csv"])
        wait(lambda: desk.bench.sessions.analysis is not None)
        a, b = desk.bench.sessions.entries
        desk.bench.trial.choose((a,), (b,))
        wait(lambda: desk.bench.trial.comparison is not None)
        assert desk.stations["trial"].page.title == "Not comparable"
        assert "laps" in desk.stations["trial"].page.detail

    def test_the_plot_changes_with_the_units_but_not_the_verdict(self, window: MainWindow) -> None:
        desk = window.desk
        desk.run("demo.open")
        wait(lambda: desk.bench.trial.comparison is not None)
        desk.go_to("trial")
        before, title = picture_of(desk.stations["trial"].page), desk.stations["trial"].page.title
        desk.run("units.next")
        desk.run("units.next")
        assert "psi" in desk.stations["trial"].page.title
        assert desk.stations["trial"].page.title.split(":")[0] == title.split(":")[0]
        assert (picture_of(desk.stations["trial"].page) != before).any()


def test_a_rail_state_is_told_in_words_and_shape(window: MainWindow) -> None:
    window.rail.set_states({"dips": State("3 dips", "below")})
    assert window.rail.state_words("dips") == "3 dips"
