"""The parts behind the window on their own: cursor, jobs, player, settings, states, traces under hand."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, QSettings, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPen, QUndoStack, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from basso.errors import InputError
from basso.memory.decisions import Decision
from basso.progress import Progress
from basso.ui.models.cursor import Cursor
from basso.ui.models.jobs import Jobs
from basso.ui.models.player import Player
from basso.ui.models.sessions import Entry, Sessions, demo_entries
from basso.ui.models.settings import Settings
from basso.ui.plots import strokes
from basso.ui.plots.pyramid import Pyramid
from basso.ui.plots.trace_sheet import DipMark
from basso.ui.plots.traces import Traces
from basso.ui.stations.dips.picture import Line, Panel
from basso.ui.theme.look import Look
from basso.ui.window.main_window import MainWindow
from basso.units import UNITS, DisplayUnits
from basso.workflow import demo_folder, open_recording


def wait(done: Callable[[], bool], seconds: float = 20.0) -> None:
    end = time.monotonic() + seconds
    while not done():
        assert time.monotonic() < end
        QApplication.processEvents()
        time.sleep(0.002)


class TestCursor:
    @pytest.fixture
    def cursor(self) -> Cursor:
        made = Cursor()
        made.set_whole(0.0, 100.0)
        return made

    def test_a_new_session_is_shown_whole_from_its_start(self, cursor: Cursor) -> None:
        assert cursor.view == (0.0, 100.0)
        assert cursor.time_s == 0.0

    def test_it_stays_within_the_session(self, cursor: Cursor) -> None:
        cursor.move_to(1e9)
        assert cursor.time_s == 100.0
        cursor.move_to(-5.0)
        assert cursor.time_s == 0.0
        cursor.show(-50.0, -20.0)
        assert cursor.view == (0.0, 30.0)
        cursor.show(90.0, 130.0)
        assert cursor.view == (60.0, 100.0)

    def test_zoom_keeps_the_point_under_the_hand(self, cursor: Cursor) -> None:
        cursor.show(20.0, 60.0)
        cursor.zoom(0.5, 30.0)
        start, end = cursor.view
        assert end - start == pytest.approx(20.0)
        assert (30.0 - start) / (end - start) == pytest.approx(0.25)

    def test_zoom_has_an_end(self, cursor: Cursor) -> None:
        for _ in range(60):
            cursor.zoom(0.5, 50.0)
        assert cursor.view[1] - cursor.view[0] == pytest.approx(0.2)

    def test_reveal_moves_no_more_than_it_must(self, cursor: Cursor) -> None:
        cursor.show(20.0, 40.0)
        cursor.reveal(30.0)
        assert cursor.view == (20.0, 40.0)
        cursor.reveal(70.0)
        assert cursor.view[0] < 70.0 < cursor.view[1]
        assert cursor.view[1] - cursor.view[0] == pytest.approx(20.0)

    def test_it_tells_each_move_once(self, cursor: Cursor) -> None:
        told: list[float] = []
        cursor.moved.connect(told.append)
        for t in (5.0, 5.0, 6.0):
            cursor.move_to(t)
        assert told == [5.0, 6.0]


class TestJobs:
    @pytest.fixture
    def jobs(self, application: QApplication) -> Jobs:
        return Jobs()

    def test_a_result_comes_back_on_the_interface_thread(self, jobs: Jobs) -> None:
        seen: list[tuple[int, bool]] = []
        main = threading.get_ident()
        jobs.start(
            "a", "adding", lambda p: 2 + 3, lambda r: seen.append((r, threading.get_ident() == main)), pytest.fail
        )
        wait(lambda: bool(seen))
        assert seen == [(5, True)]
        assert not jobs.busy

    def test_only_the_newest_under_a_key_is_delivered(self, jobs: Jobs) -> None:
        seen: list[str] = []

        def slow(progress: Progress) -> str:
            for i in range(50):
                progress(i / 50, "slow")
                time.sleep(0.01)
            return "old"

        jobs.start("a", "slow", slow, seen.append, pytest.fail)
        jobs.start("a", "quick", lambda p: "new", seen.append, pytest.fail)
        wait(lambda: bool(seen))
        QTest.qWait(300)
        assert seen == ["new"]

    def test_a_users_error_is_its_sentence(self, jobs: Jobs) -> None:
        said: list[str] = []

        def work(progress: Progress) -> None:
            raise InputError("run.csv: is odd; mend it.")

        jobs.start("a", "reading", work, pytest.fail, said.append)
        wait(lambda: bool(said))
        assert said == ["run.csv: is odd; mend it."]

    def test_a_fault_of_ours_is_a_sentence_too(self, jobs: Jobs) -> None:
        said: list[str] = []
        jobs.start("a", "judging", lambda p: 1 / 0, pytest.fail, said.append)
        wait(lambda: bool(said))
        assert "judging failed" in said[0] and "\n" not in said[0]

    def test_cancel_delivers_nothing(self, jobs: Jobs) -> None:
        seen: list[object] = []

        def work(progress: Progress) -> int:
            for i in range(100):
                progress(i / 100, "x")
                time.sleep(0.005)
            return 1

        jobs.start("a", "x", work, seen.append, seen.append)
        QTest.qWait(40)
        jobs.cancel_all()
        QTest.qWait(700)
        assert seen == []

    def test_one_at_a_time(self, jobs: Jobs) -> None:
        running, most, done = [0], [0], []

        def work(progress: Progress) -> int:
            running[0] += 1
            most[0] = max(most[0], running[0])
            time.sleep(0.05)
            running[0] -= 1
            return 1

        for key in "abcd":
            jobs.start(key, key, work, done.append, pytest.fail)
        wait(lambda: len(done) == 4)
        assert most[0] == 1


class TestPlayer:
    def test_speeds_double_and_halve_within_reason(self, application: QApplication) -> None:
        player = Player(Cursor())
        for _ in range(10):
            player.change_speed(2.0)
        assert player.speed == 8.0
        for _ in range(10):
            player.change_speed(0.5)
        assert player.speed == 0.25

    def test_it_stops_at_the_end_and_starts_over(self, application: QApplication) -> None:
        cursor = Cursor()
        cursor.set_whole(0.0, 1.0)
        cursor.move_to(0.9)
        player = Player(cursor)
        player.change_speed(8.0)
        player.toggle()
        wait(lambda: not player.playing)
        assert cursor.time_s == 1.0
        player.toggle()
        assert cursor.time_s < 0.5
        player.toggle()


class TestSettings:
    def test_everything_reads_back(self, application: QApplication, tmp_path: Path) -> None:
        store = QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat)
        settings = Settings(store)
        units = DisplayUnits(pressure=UNITS["psi"], temperature=UNITS["°F"], volume=UNITS["US qt"])
        settings.theme, settings.units, settings.station, settings.pan_shown, settings.folder = (
            "sunlight",
            units,
            "trial",
            False,
            tmp_path,
        )
        store.sync()
        again = Settings(QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat))
        assert (again.theme, again.units, again.station, again.pan_shown, again.folder) == (
            "sunlight",
            units,
            "trial",
            False,
            tmp_path,
        )

    def test_a_folder_that_is_gone_is_not_offered(self, application: QApplication, tmp_path: Path) -> None:
        settings = Settings(QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat))
        settings.folder = tmp_path / "gone"
        assert settings.folder.is_dir()


class TestStates:
    def test_nothing_open(self, window: MainWindow) -> None:
        states = {key: station.state().words for key, station in window.desk.stations.items()}
        assert states["recordings"] == "no log open yet"
        assert states["dips"] == ""

    @pytest.mark.parametrize(
        ("log", "station", "words"),
        [
            ("shakedown.csv", "sensors", "zero off by 101 kPa"),
            ("loose-connector.csv", "sensors", "spikes left out"),
            ("baseline-1.csv", "sensors", "left or right not proven"),
            ("gated.csv", "sensors", "readings OK"),
            ("baseline-1.csv", "recordings", "7 laps, 8 channels"),
            ("dyno.csv", "dips", "none found"),
            ("dyno.csv", "corners", "7 dyno sweeps"),
            ("accumulator.csv", "accumulator", "pressure logged"),
        ],
    )
    def test_real_data_in_a_few_words(self, window: MainWindow, log: str, station: str, words: str) -> None:
        window.desk.bench.memory.decisions.keep_log(
            open_recording(demo_folder() / log), Decision()
        )  # nobody said which side
        window.open_logs([demo_folder() / log])
        wait(lambda: window.desk.bench.sessions.analysis is not None)
        assert window.rail.state_words(station) == words

    def test_the_demo_names_its_sessions_and_its_trial(self) -> None:
        entries, a, b = demo_entries(demo_folder())
        titles = {e.title for e in entries}
        assert len(entries) == len(titles) == 10
        assert set(a) | set(b) <= titles
        assert all(e.path.is_file() and e.car == "Car 31" for e in entries)

    def test_an_entry_is_known_by_its_path(self, application: QApplication) -> None:
        path, sessions = demo_folder() / "dyno.csv", Sessions(QUndoStack())
        sessions.add([Entry(path, "Dyno")])
        sessions.open_logs([path])
        assert [e.title for e in sessions.entries] == ["Dyno"]


class TestTraces:
    @pytest.fixture
    def traces(self, application: QApplication) -> Iterator[Traces]:
        cursor = Cursor()
        t = np.arange(0.0, 100.0, 0.02)
        cursor.set_whole(0.0, 100.0)
        made = Traces(Look(application), cursor)
        line = Line("", 300.0 + 50 * np.sin(t), "measured")
        floor = Line("floor", np.full(t.size, 290.0), "floor")
        made.set_panels(
            [Panel("Gallery", "kPa", (floor, line), 0.0, 400.0, True, 3.0)],
            t,
            [DipMark(20.0, 22.0, 21.0, 250.0, "250")],
        )
        made.resize(800, 400)
        made.show()
        yield made
        made.close()

    def test_the_wheel_zooms_about_the_hand(self, traces: Traces) -> None:
        at = QPointF(traces.axis.x_of(40.0), 100.0)
        turn = QWheelEvent(
            at,
            traces.mapToGlobal(at),
            QPoint(),
            QPoint(0, 240),
            Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.NoModifier,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        traces.wheelEvent(turn)
        start, end = traces._cursor.view
        assert end - start == pytest.approx(64.0, rel=0.01)
        assert traces.axis.time_at(at.x()) == pytest.approx(40.0, abs=0.2)

    def test_keys_move_and_zoom(self, traces: Traces) -> None:
        traces._cursor.move_to(50.0)
        QTest.keyClick(traces, Qt.Key.Key_Right)
        assert traces._cursor.time_s > 50.0
        QTest.keyClick(traces, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
        assert traces._cursor.time_s < 50.0
        QTest.keyClick(traces, Qt.Key.Key_Plus)
        assert traces._cursor.view[1] - traces._cursor.view[0] == pytest.approx(70.0)

    def test_moving_the_cursor_does_not_draw_the_traces_anew(self, traces: Traces) -> None:
        traces.grab()
        drawn = traces._cache
        traces._cursor.move_to(33.0)
        traces.grab()
        assert traces._cache is drawn
        traces._cursor.show(10.0, 20.0)
        traces.grab()
        assert traces._cache is not drawn


def test_points_written_into_a_polygons_memory_are_its_points(application: QApplication) -> None:
    x, y = np.linspace(0, 10, 101), np.linspace(5, -5, 101)
    polygon = strokes.points_of(x, y)
    assert polygon.size() == 101
    assert (polygon[7].x(), polygon[7].y()) == pytest.approx((x[7], y[7]))
    assert strokes.points_of(np.empty(0), np.empty(0)).size() == 0


def test_a_drawn_trace_reaches_its_extremes_and_leaves_gaps(application: QApplication) -> None:
    t = np.arange(20_000) * 0.01
    values = np.where((t > 80) & (t < 120), np.nan, 0.5)
    values[3_000] = 1.0
    image = QImage(400, 100, QImage.Format.Format_RGB32)
    image.fill(QColor("white"))
    painter = QPainter(image)
    strokes.trace(
        painter, Pyramid(t, values).columns(0.0, 200.0, 400), (400.0, 0.0), (-100.0, 100.0), QPen(QColor("black"))
    )
    painter.end()
    pixels = np.frombuffer(image.constBits(), np.uint8).reshape(100, 400, 4)[..., 0] < 128
    assert pixels[:5, 58:62].any(), "the single high sample is drawn"
    assert not pixels[:, 165:235].any(), "the gap stays empty"
