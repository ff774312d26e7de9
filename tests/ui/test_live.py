"""The live window, on a bus inside this process: what is large, what is silent, what is kept, how it ends."""

from __future__ import annotations

import threading
import time
from dataclasses import replace
from pathlib import Path

import can
import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialog

from basso.alarm.lap_lows import LapRow
from basso.alarm.live import LiveReading
from basso.alarm.rules import AlarmRule
from basso.recording.roles import Role
from basso.standin.bus import DATABASE
from basso.track.corners import Place
from basso.ui.live import verbs
from basso.ui.live.listen_dialog import ListenDialog, Listening
from basso.ui.live.picture import GrowingTide, headline, others_low, pressure_text, scale_end, shown_places, signal_rows
from basso.ui.models.folder_watch import FolderWatch
from basso.ui.window.desk import Desk
from basso.ui.window.screenshots import wait_until
from basso.units import UNITS, DisplayUnits

KPA = DisplayUnits()
READING = LiveReading(
    time_s=10.0,
    rpm=5000.0,
    pressure_kpa=185.0,
    expected_kpa=257.0,
    floor_kpa=212.0,
    low_margin_kpa=-27.0,
    oil_temp_c=108.0,
    lateral_g=1.06,
    longitudinal_g=0.1,
    speed_mps=30.0,
    state="low",
    lap=7,
    dips=14,
    ages_s={Role.OIL_PRESSURE: 0.05, Role.RPM: 0.05, Role.OIL_TEMP: 0.2},
)
TURN = Place("7", "left", 100.0, 150.0, 200.0, 1.0)


class Car:
    """Sends rpm and pressure fifty times a second until it is stopped."""

    def __init__(self, channel: str) -> None:
        self.rpm, self.kpa = 4000.0, 300.0
        self._stop, self.is_silent = threading.Event(), False
        self._bus = can.Bus(channel, interface="virtual")
        self._thread = threading.Thread(target=self._send)
        self._thread.start()

    def _send(self) -> None:
        while not self._stop.wait(0.02):
            if self.is_silent:
                continue
            data = round(self.rpm * 4).to_bytes(2, "little") + round(self.kpa * 10 + 1000).to_bytes(2, "little")
            self._bus.send(can.Message(arbitration_id=0x640, data=data + bytes(4), is_extended_id=False))

    def stop(self) -> None:
        self._stop.set()
        self._thread.join()
        self._bus.shutdown()


@pytest.fixture
def listening(tmp_path: Path, request: pytest.FixtureRequest) -> Listening:
    database = tmp_path / "car.dbc"
    database.write_text(DATABASE)
    return Listening("virtual", request.node.name, database, tmp_path / "out", None, None)


@pytest.fixture
def desk(wide_window: object) -> Desk:
    return wide_window.desk  # type: ignore[attr-defined,no-any-return]


def test_a_drive_is_seen_recorded_and_opened_when_it_ends(
    application: QApplication, desk: Desk, listening: Listening, monkeypatch: pytest.MonkeyPatch
) -> None:
    said: list[str] = []
    monkeypatch.setattr(desk, "tell", said.append)
    car = Car(listening.channel)
    try:
        alarm = AlarmRule("fixed", 0.0, ((0.0, 100.0),), delay_s=0.1)
        desk.live.hear(listening, None, alarm)
        window = desk.live.window
        assert window is not None
        wait_until(application, lambda: window.board.reading is not None and window.board.reading.state == "ok", 20.0)
        assert pressure_text(window.board.reading, KPA) == "300" and window.board.reading.rpm == 4000.0
        assert "107 kPa above the floor" in window.board.accessibleDescription()
        car.kpa = 80.0
        began = time.monotonic()
        wait_until(application, lambda: window.board.reading.pressure_kpa == 80.0, 5.0)
        assert time.monotonic() - began < 0.5, "on screen at once"
        wait_until(application, lambda: window.board.reading.state == "alarm", 5.0)
        car.is_silent = True
        wait_until(application, lambda: window.board.reading.state == "no signal", 5.0)
        assert window.board.reading.pressure_kpa is None and "No signal" in window.board.accessibleDescription()
        window.board.repaint()
    finally:
        car.stop()
    QTest.keyClick(window, Qt.Key.Key_Escape)
    wait_until(application, lambda: desk.live.window is None, 10.0)
    (recording,) = listening.folder.glob("*.log")
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    assert desk.run_sheets.dialog is not None, "what is seen first"
    desk.run_sheets.dialog.close()
    channel = desk.bench.sessions.recording.channel(Role.OIL_PRESSURE)
    assert desk.bench.sessions.recording.path == recording and channel is not None
    assert set(np.unique(channel.values)) == {80.0, 300.0} and said == []


def test_in_the_garage_when_it_ends(application: QApplication, garage_desk: Desk, listening: Listening) -> None:
    desk = garage_desk
    before = len(desk.bench.garage.view.sessions)
    car = Car(listening.channel)
    try:
        desk.live.hear(listening, None, None)
        window = desk.live.window
        wait_until(application, lambda: window.board.reading is not None and window.board.reading.rpm == 4000.0, 20.0)
        wait_until(application, lambda: window.board.reading.time_s > 1.0, 20.0)
    finally:
        car.stop()
    window.close()
    wait_until(application, lambda: len(desk.bench.garage.view.sessions) == before + 1, 30.0)
    (fresh,) = [s for s in desk.bench.garage.view.sessions if s.title.startswith("Live ")]
    newest = max(desk.bench.garage.view.builds, key=lambda b: b.since)
    assert fresh.build == newest.id and fresh.log_name.startswith("live-") and fresh.log_hash
    desk.run_sheets.dialog.close()
    desk.bench.undo.undo()
    assert len(desk.bench.garage.view.sessions) == before


def test_a_bus_that_is_not_there_is_told_and_the_window_goes(
    application: QApplication, desk: Desk, listening: Listening, monkeypatch: pytest.MonkeyPatch
) -> None:
    said: list[str] = []
    monkeypatch.setattr(desk, "tell", said.append)
    desk.live.hear(replace(listening, interface="nosuch"), None, None)
    wait_until(application, lambda: desk.live.window is None, 20.0)
    assert len(said) == 1 and "nosuch" in said[0] and desk.bench.sessions.entries == ()


def test_the_simulated_car_drives_at_a_key(
    application: QApplication, desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert not any(c.key == "live.demo" and not c.when() for c in desk.live.commands())
    desk.run("live.demo")
    window = desk.live.window
    wait_until(application, lambda: window.board.reading is not None and window.board.reading.rpm is not None, 30.0)
    assert all(not c.when() for c in desk.live.commands() if c.key in ("live.demo", "live.listen"))
    desk.bench.units.choose(DisplayUnits(pressure=UNITS["psi"]))
    assert window.board._units.pressure.symbol == "psi"
    QTest.keyClick(window, Qt.Key.Key_F9)
    assert desk.bench.look.theme == "night"
    desk.bench.look.set_theme("day")
    desk.live.end()
    assert desk.live.window is None


def test_what_is_asked_is_remembered(desk: Desk, listening: Listening, monkeypatch: pytest.MonkeyPatch) -> None:
    heard: list[Listening] = []

    def fill_in(dialog: QDialog) -> int:
        assert isinstance(dialog, ListenDialog)
        assert not dialog.begin.isEnabled()
        dialog.interface.setText(listening.interface)
        dialog.channel.setText(f" {listening.channel} ")
        dialog.database.setText(str(listening.database))
        dialog.folder.setText(str(listening.folder))
        assert dialog.begin.isEnabled() and dialog.normal.currentData() is None
        return 1

    monkeypatch.setattr(verbs, "run_dialog", fill_in)
    monkeypatch.setattr(desk.live, "hear", lambda chosen, *_: heard.append(chosen))
    desk.run("live.listen")
    assert heard == [listening]
    assert desk.bench.settings.bus == ("virtual", listening.channel, str(listening.database), str(listening.folder))


def test_a_log_that_appears_in_a_watched_folder_is_told_once_it_rests(tmp_path: Path) -> None:
    (tmp_path / "old.csv").write_text("a")
    watch, came = FolderWatch(tmp_path, every_ms=3_600_000), []
    watch.came.connect(came.append)
    new = tmp_path / "new.csv"
    for words in ("a", "ab", "abc"):
        new.write_text(words)
        watch.look()
    assert came == [], "still being written"
    (tmp_path / "notes.txt~").write_text("no log")
    watch.look()
    watch.look()
    watch.look()
    assert came == [new]
    lost: list[str] = []
    watch.lost.connect(lost.append)
    new.unlink()
    (tmp_path / "old.csv").unlink()
    (tmp_path / "notes.txt~").unlink()
    tmp_path.rmdir()
    watch.look()
    watch.look()
    assert len(lost) == 1 and "is not there any more" in lost[0]
    tmp_path.mkdir()
    (tmp_path / "next.csv").write_text("x")
    for _ in range(4):
        watch.look()
    assert came == [new, tmp_path / "next.csv"]


class TestPicture:
    def test_below_the_floor(self) -> None:
        h = headline(READING, KPA, TURN)
        assert (h.state, h.tone) == ("Dip", "below")
        assert (h.margin, h.share) == ("27 kPa below the floor", "72 % of normal")
        assert h.where == "Turn 7 left, 1.06 lateral g"

    def test_what_is_not_known_is_said(self) -> None:
        h = headline(replace(READING, expected_kpa=None, floor_kpa=None, lateral_g=None, state="ok"), KPA, None)
        assert (h.state, h.margin, h.share, h.where) == ("OK", "floor not known", "normal not known", "")
        silent = replace(READING, state="no signal", pressure_kpa=None, ages_s={Role.OIL_PRESSURE: 0.6, Role.RPM: 0.1})
        h = headline(silent, KPA, None)
        assert (h.state, h.margin, h.share) == ("No signal", "pressure silent", "")
        assert pressure_text(silent, KPA) == "–"

    def test_signals_that_are_late_or_never_came(self) -> None:
        ages = {Role.OIL_PRESSURE: 0.5, Role.RPM: 0.51, Role.SPEED: 90.0}
        rows = {row.name: (row.age, row.is_late) for row in signal_rows(replace(READING, ages_s=ages))}
        assert rows == {
            "Pressure": ("0.50 s", False),
            "Engine": ("0.51 s late", True),
            "Oil temperature": ("never came", True),
            "Speed": ("2 min late", True),
        }

    def test_the_tide_keeps_the_lowest_of_every_half_second(self) -> None:
        tide = GrowingTide()
        for n in range(40_000):  # over five hours, twice a second
            low = -50.0 if n == 39_990 else None if n < 100 else 30.0
            tide.hear(replace(READING, time_s=0.5 * n, low_margin_kpa=low, lap=n // 10_000))
        assert tide.end_s == 20_000.0 and [lap for _, lap in tide.laps] == [0, 1, 2, 3]
        columns = tide.columns(400)
        assert np.isnan(columns[0]) and columns[200] == 30.0 and columns[-1] == -50.0
        tide.hear(replace(READING, time_s=1e12))
        assert tide.end_s == 20_000.0, "a clock gone mad takes no memory"

    def test_the_worst_places_get_a_column_in_the_order_of_the_lap(self) -> None:
        places = tuple(Place(str(n), "left", 100.0 * n, 0.0, 0.0, 1.0) for n in range(5))
        rows = (LapRow(1, {"0": 5.0, "1": -3.0, "3": 9.0}, 2.0), LapRow(2, {"4": -9.0}, None))
        assert [p.id for p in shown_places(rows, places, 2)] == ["1", "4"]
        assert others_low(rows[0], shown_places(rows, places, 2)) == 2.0
        assert others_low(rows[0], [places[1]]) == 2.0 and others_low(rows[1], list(places)) is None

    @pytest.mark.parametrize(("kpa", "end"), [(100.0, 500.0), (476.0, 500.0), (477.0, 600.0), (1000.0, 1100.0)])
    def test_the_scale_only_grows(self, kpa: float, end: float) -> None:
        assert scale_end(replace(READING, pressure_kpa=kpa), 500.0) == end
        assert scale_end(READING, end) == end
