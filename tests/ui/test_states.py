"""No state without a way out: every station says why there is nothing to show, and what to do, and waits for nothing
that is not coming."""

from __future__ import annotations

import threading
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

import basso.analysis
from basso import workflow
from basso.cli.main import main
from basso.errors import InputError
from basso.ui.window.desk import Desk
from basso.ui.window.main_window import MainWindow
from basso.ui.window.screenshots import wait_until

STATIONS = ("sensors", "recordings", "normal", "dips", "corners", "trial")


def _never_warm(folder: Path) -> Path:
    """Four minutes of driving with oil that stays at 45 °C."""
    t = np.arange(0.0, 240.0, 0.05)
    rng = np.random.default_rng(4)
    rpm = 3800 + 1700 * np.sin(t / 7)
    columns = [
        t,
        rpm,
        90 + 0.07 * rpm + rng.normal(0, 2, t.size),
        45 + 3 * t / 240,
        np.sin(t / 4),
        0.4 * np.cos(t / 5),
        30 + 10 * np.sin(t / 7),
    ]
    path = folder / "cold.csv"
    head = "Time [s],RPM,Oil pressure [kPa],Oil temp [°C],Lat acc [g],Long acc [g],Speed [m/s]"
    path.write_text(head + "\n" + "\n".join(",".join(f"{v:.3f}" for v in row) for row in zip(*columns, strict=True)))
    return path


def _gauge(folder: Path) -> Path:
    path = folder / "gauge.csv"
    path.write_text(
        "Kind,Gauge readings\n\nTime [s],Engine speed [rpm],Oil pressure [kPa],Oil temp [°C]\n"
        "0,1000,180,95\n60,3000,260,98\n120,6000,238,104\n"
    )
    return path


def _words(desk: Desk, station: str) -> str:
    return {
        "sensors": lambda: desk.stations["sensors"].page.title,
        "normal": lambda: desk.stations["normal"].page._title.text(),
        "dips": lambda: desk.stations["dips"].page._title.text(),
        "corners": lambda: desk.stations["corners"].page.title,
        "trial": lambda: desk.stations["trial"].page._title.text(),
        "recordings": lambda: " ".join(desk.stations["recordings"].page.columns.words),
    }[station]()


def _look_at_all(application: QApplication, desk: Desk) -> dict[str, str]:
    found = {}
    for station in STATIONS:
        desk.go_to(station)
        wait_until(application, lambda: not desk.bench.jobs.busy and not desk.bench.logs.busy)
        found[station] = _words(desk, station)
    return found


def _open(application: QApplication, desk: Desk, path: Path) -> None:
    desk.logs.open_logs([path])
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)


def test_a_session_that_never_warms_comes_to_rest_everywhere_and_says_why(
    application: QApplication, wide_window: MainWindow, tmp_path: Path
) -> None:
    _open(application, wide_window.desk, _never_warm(tmp_path))
    words = _look_at_all(application, wide_window.desk)
    assert not any("…" in w for w in words.values()), words
    assert words["dips"] == "Nothing could be judged in this session"
    assert "oil under 60 °C" in words["normal"] and "Drive it warm" in words["normal"]
    assert "oil under 60 °C" in words["corners"] and "Drive it warm" in words["corners"]


def test_readings_off_a_gauge_are_judged_and_the_stations_that_cannot_use_them_say_so(
    application: QApplication, wide_window: MainWindow, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    log = _gauge(tmp_path)
    _open(application, wide_window.desk, log)
    words = _look_at_all(application, wide_window.desk)
    assert not any("…" in w for w in words.values()), words
    assert words["dips"] == "1 of 3 readings off the gauge lies below the floor"
    assert "52 kPa under it, at 6\u2009000 rpm" in wide_window.desk.stations["dips"].page._detail.text()
    assert "gauge" in words["normal"] and "gauge" in words["corners"]
    assert main(["analyze", str(log)]) == 0
    said = capsys.readouterr().out
    assert "3 readings off a gauge" in said and "1 of 3 readings off the gauge lies below the floor" in said


def test_a_read_that_was_stopped_says_so_and_goes_on_with_one_key(
    application: QApplication, wide_window: MainWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    desk = wide_window.desk
    held, go = threading.Event(), threading.Event()
    real = workflow.open_recording

    def slow(path, options=None, progress=lambda *_: None, memory=None):  # type: ignore[no-untyped-def]
        held.set()
        go.wait(20.0)
        progress(0.5, "reading")
        return real(path, options, progress, memory)

    monkeypatch.setattr(workflow, "open_recording", slow)
    desk.logs.open_logs([workflow.demo_folder() / "shakedown.csv"])
    wait_until(application, held.is_set)
    desk.window.top.cancelled.emit()
    go.set()
    wait_until(application, lambda: not desk.bench.jobs.busy)
    for station in ("dips", "sensors", "normal", "corners"):
        desk.go_to(station)
        application.processEvents()
        assert "was stopped. Go on with F5" in _words(desk, station), station
    QTest.keyClick(desk.window, Qt.Key.Key_F5)
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    assert "stopped" not in _words(desk, "corners")


def test_looking_that_was_stopped_or_failed_rests_and_goes_on(
    application: QApplication, wide_window: MainWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    import basso.findings.corners.findings as told

    desk = wide_window.desk
    _open(application, desk, workflow.demo_folder() / "shakedown.csv")
    real, problems = told.find_corners, [InputError("the disk is full.")]

    def failing(a, progress):  # type: ignore[no-untyped-def]
        if problems:
            raise problems.pop()
        return real(a, progress)

    monkeypatch.setattr(told, "find_corners", failing)
    desk.go_to("corners")
    wait_until(application, lambda: not desk.bench.jobs.busy)
    assert _words(desk, "corners") == "Corners could not be looked at: the disk is full."
    desk.run("judge.again")
    wait_until(application, lambda: not desk.bench.jobs.busy)
    assert desk.stations["corners"].page.told is not None


def test_judging_that_failed_rests_with_its_sentence(
    application: QApplication, wide_window: MainWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    desk = wide_window.desk
    _open(application, desk, workflow.demo_folder() / "shakedown.csv")

    def full(*_: object) -> None:
        raise InputError("the memory is full.")

    monkeypatch.setattr(basso.analysis, "analyse", full)
    desk.bench.judging.set_floors(desk.bench.judging.floors[:1])
    wait_until(application, lambda: not desk.bench.jobs.busy)
    assert desk.stations["dips"].page._title.text() == "shakedown could not be judged: the memory is full."
    monkeypatch.undo()


def test_a_comparison_that_was_stopped_goes_on(application: QApplication, wide_window: MainWindow) -> None:
    desk = wide_window.desk
    logs = [workflow.demo_folder() / f"{n}.csv" for n in ("baseline-1", "plus-0.4")]
    desk.logs.open_logs(logs)
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    first, second = desk.bench.sessions.entries
    desk.go_to("trial")
    desk.bench.trial.choose((first,), (second,))
    desk.window.top.cancelled.emit()
    wait_until(application, lambda: not desk.bench.jobs.busy)
    assert _words(desk, "trial") == "The comparison was stopped. Go on with F5."
    QTest.keyClick(desk.window, Qt.Key.Key_F5)
    wait_until(application, lambda: desk.bench.trial.comparison is not None)


def test_a_garage_whose_opening_was_stopped_says_so_and_opens_with_one_key(
    application: QApplication, wide_window: MainWindow, tmp_path: Path
) -> None:
    desk, held, go = wide_window.desk, threading.Event(), threading.Event()

    def slow(folder: Path) -> None:
        held.set()
        go.wait(20.0)

    desk.bench.garage.open(tmp_path / "garage", slow)
    desk.go_to("garage")
    wait_until(application, held.is_set)
    desk.window.top.cancelled.emit()
    go.set()
    wait_until(application, lambda: not desk.bench.jobs.busy)
    assert desk.stations["garage"].page._title.text() == "Opening the garage was stopped. Go on with F5."
    desk.run("judge.again")
    wait_until(application, lambda: desk.bench.garage.is_open)
    assert "stopped" not in desk.stations["garage"].page._title.text()
