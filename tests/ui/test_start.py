"""How the window starts and ends on a desktop: signals, a second start, what is remembered, its name and look."""

from __future__ import annotations

import os
import shutil
import signal
import socket
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication

from basso.garage.bundle import export_car
from basso.garage.records import Car
from basso.garage.store import Garage
from basso.memory.memory import Memory
from basso.ui.app import make_window
from basso.ui.models.settings import Settings
from basso.ui.window import doorbell as door
from basso.ui.window.doorbell import Doorbell, ring
from basso.ui.window.ending import EndOnSignal
from basso.ui.window.main_window import MainWindow
from basso.ui.window.screenshots import wait_until
from basso.workflow import demo_folder
from support import destroy


@pytest.fixture
def window(application: QApplication) -> Iterator[MainWindow]:
    made = make_window(application)
    made.show()
    yield made
    destroy(made)


@pytest.mark.parametrize("number", [signal.SIGINT, signal.SIGTERM, signal.SIGHUP])
def test_a_signal_closes_the_window_and_its_logs_are_remembered(
    number: signal.Signals, application: QApplication, window: MainWindow, tmp_path: Path
) -> None:
    log = tmp_path / "mine.csv"
    shutil.copy(demo_folder() / "dyno.csv", log)
    window.open_logs([log])
    wait_until(application, lambda: window.desk.bench.sessions.analysis is not None)
    before = signal.getsignal(number)
    ending = EndOnSignal(window)
    try:
        os.kill(os.getpid(), number)
        wait_until(application, lambda: not window.isVisible())
    finally:
        ending.let_go()
    assert signal.getsignal(number) is before
    assert Settings().last_logs == [log]


class TestASecondStart:
    """Logs given to a second ``basso`` come to the window that is open."""

    @pytest.fixture
    def bell(self, application: QApplication) -> Iterator[Doorbell]:
        made = Doorbell()
        yield made
        made.let_go()

    def _rung(self, application: QApplication, logs: list[str]) -> bool:
        with ThreadPoolExecutor(1) as other:
            done = other.submit(ring, logs)
            wait_until(application, done.done)
            return done.result()

    def test_it_hands_over_whole_paths_and_is_answered(
        self, application: QApplication, bell: Doorbell, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
    ) -> None:
        heard: list[list[Path]] = []
        bell.rung.connect(heard.append)
        monkeypatch.chdir(tmp_path)
        assert self._rung(application, ["run 1.csv", "/x/ö.csv"])
        assert heard == [[tmp_path / "run 1.csv", Path("/x/ö.csv")]]

    def test_the_open_window_opens_the_log(self, application: QApplication, bell: Doorbell, window: MainWindow) -> None:
        bell.rung.connect(window.come_forward)
        assert self._rung(application, [str(demo_folder() / "dyno.csv")])
        wait_until(application, lambda: window.desk.bench.sessions.analysis is not None)
        assert [e.path.name for e in window.desk.bench.sessions.entries] == ["dyno.csv"]

    def test_without_a_window_nobody_answers(self) -> None:
        assert not ring(["run.csv"])

    def test_another_garage_is_another_basso(
        self, bell: Doorbell, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
    ) -> None:
        monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "other"))
        assert not ring(["run.csv"])

    @pytest.mark.parametrize("said", [b"no json\n", b'["relative.csv"]\n', b'{"a": 1}\n', b"[3]\n", b"x" * 70000])
    def test_what_basso_does_not_say_opens_nothing(
        self, said: bytes, application: QApplication, bell: Doorbell
    ) -> None:
        heard: list[list[Path]] = []
        bell.rung.connect(heard.append)
        with socket.socket(socket.AF_UNIX) as guest:
            guest.connect(door._address())
            guest.sendall(said)
            guest.shutdown(socket.SHUT_WR)
            guest.settimeout(0.01)
            wait_until(application, lambda: _over(guest))
        assert heard == []

    def test_a_second_window_of_the_same_user_leaves_the_bell_to_the_first(
        self, application: QApplication, bell: Doorbell
    ) -> None:
        second = Doorbell()
        heard: list[list[Path]] = []
        bell.rung.connect(heard.append)
        second.let_go()
        assert self._rung(application, []) and heard == [[]]


def _over(guest: socket.socket) -> bool:
    """Whether the other side has hung up."""
    try:
        return guest.recv(16) == b""
    except TimeoutError:
        return False
    except OSError:
        return True


def test_the_demo_takes_no_logs_away(application: QApplication, tmp_path: Path) -> None:
    log = tmp_path / "mine.csv"
    shutil.copy(demo_folder() / "dyno.csv", log)
    Settings().last_logs = [log]
    window = make_window(application)
    window.show()
    window.desk.run("demo.open")
    wait_until(application, lambda: window.desk.bench.sessions.analysis is not None)
    destroy(window)
    assert Settings().last_logs == [log]


def test_the_window_is_named_after_what_it_shows(application: QApplication, window: MainWindow) -> None:
    assert window.windowTitle() == "Basso"
    window.open_logs([demo_folder() / "dyno.csv"])
    wait_until(application, lambda: window.desk.bench.sessions.analysis is not None)
    assert window.windowTitle().startswith("dyno") and window.windowTitle().endswith("– Basso")
    assert not window.windowIcon().isNull()


def test_a_dark_desktop_gets_the_night_look_until_another_is_chosen(
    application: QApplication, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(type(application.styleHints()), "colorScheme", lambda _: Qt.ColorScheme.Dark)
    first = make_window(application)
    assert first.look.palette.name == "night"
    destroy(first)
    Settings().theme = "day"
    second = make_window(application)
    assert second.look.palette.name == "day"
    destroy(second)


def test_a_car_that_was_exported_is_taken_in_when_it_is_opened(
    application: QApplication, window: MainWindow, tmp_path: Path
) -> None:
    bundle = tmp_path / "car 31.basso.zip"
    with Garage(tmp_path / "elsewhere") as other:
        car = Car(name="Car 31")
        other.add("adding", car)
        export_car(other, car, bundle, Memory.own().decisions)
    window.open_logs([bundle])
    garage_model = window.desk.bench.garage
    wait_until(
        application, lambda: garage_model.is_open and bool(garage_model.cars) and not window.desk.bench.jobs.busy
    )
    assert [c.name for c in garage_model.cars] == ["Car 31"]
    assert window.desk.station == "garage" and window.desk.bench.sessions.entries == ()
