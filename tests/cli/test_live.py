"""``basso live --headless`` and ``basso standin --stream``: a drive on a bus, judged as it runs and recorded whole."""

from __future__ import annotations

import json
import threading
from pathlib import Path

import can
import jsonschema
import numpy as np
import pytest

import basso
from basso.cli.main import main
from basso.formats.options import ReadOptions
from basso.formats.registry import read_recording
from basso.recording.roles import Role
from basso.standin.bus import DATABASE

LINE = {
    "time_s", "rpm", "pressure_kpa", "expected_kpa", "floor_kpa", "oil_temp_c", "state", "lap", "dips",
}  # fmt: skip
STATES = {"ok", "low", "caution", "alarm", "no signal"}


@pytest.fixture
def database(tmp_path: Path) -> Path:
    assert main(["standin", "--dbc", str(tmp_path / "car.dbc")]) == 0
    return tmp_path / "car.dbc"


def live(database: Path, out: Path, channel: str, seconds: float, *more: str) -> int:
    on = ["--bus", "virtual", "--channel", channel, "--dbc", str(database), "--out", str(out)]
    return main(["live", "--headless", *on, "--seconds", str(seconds), *more])


def test_the_standins_database_is_written(database: Path) -> None:
    assert database.read_text() == DATABASE


def test_a_drive_is_shown_line_by_line_and_its_recording_analysed(
    database: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    send = ["--bus", "virtual", "--channel", "drive", "--scenario", "truth-left", "--laps", "2", "--speed", "40"]
    sender = threading.Timer(0.4, main, [["standin", "--stream", *send]])
    sender.start()
    try:
        assert live(database, tmp_path / "out", "drive", 5.0) == 0
    finally:
        sender.join()
    *lines, last = [json.loads(line) for line in capsys.readouterr().out.splitlines()]
    assert len(lines) >= 50 and all(set(line) == LINE and line["state"] in STATES for line in lines)
    assert lines[0]["state"] == "no signal" and lines[0]["pressure_kpa"] is None, "nothing had come"
    rules = json.loads((Path(basso.__file__).parent / "schemas" / "live-line.json").read_text(encoding="utf-8"))
    for line in lines[:: max(len(lines) // 20, 1)]:
        jsonschema.Draft202012Validator(rules).validate(line)
    heard = [line for line in lines if line["state"] != "no signal"]
    assert heard and all(line["rpm"] is not None and line["floor_kpa"] is not None for line in heard)
    times = [line["time_s"] for line in heard]
    assert times == sorted(times)
    recording = read_recording(Path(last["recording"]), ReadOptions())
    rpm, pressure = recording.channel(Role.RPM), recording.channel(Role.OIL_PRESSURE)
    assert rpm is not None and pressure is not None and rpm.values.size == pressure.values.size > 1000
    assert np.max(pressure.values) == pytest.approx(max(line["pressure_kpa"] for line in heard), abs=60.0)
    assert main(["import", last["recording"], "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["samples"] > 1000


def test_a_bus_that_says_nothing_is_told_and_leaves_nothing(
    database: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert live(database, tmp_path / "out", "quiet", 0.4) == 2
    said = capsys.readouterr()
    assert "No frame came" in said.err and "Traceback" not in said.err
    assert all(json.loads(line)["state"] == "no signal" for line in said.out.splitlines())
    assert not list((tmp_path / "out").glob("*.log"))


def test_the_alarm_of_a_kept_document_is_shown(
    database: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    always = {
        "kind": "fixed", "gate_rpm": 0, "points": [{"rpm": 0, "kpa": 2000}], "caution_points": None, "delay_s": 0,
        "hysteresis_kpa": 10,
    }  # fmt: skip
    kept = tmp_path / "alarm.json"
    kept.write_text(json.dumps({"schema": "basso.alarm/1", "best": "fixed", "proposed": [always]}))
    bus = can.Bus("lamp", interface="virtual")
    stop = threading.Event()

    def send() -> None:
        while not stop.wait(0.02):
            engine = (12000).to_bytes(2, "little") + (4000).to_bytes(2, "little") + bytes(4)
            bus.send(can.Message(arbitration_id=0x640, data=engine, is_extended_id=False))

    sender = threading.Thread(target=send)
    sender.start()
    try:
        assert live(database, tmp_path / "out", "lamp", 2.0, "--alarm", str(kept)) == 0
    finally:
        stop.set()
        sender.join()
        bus.shutdown()
    lines = [json.loads(line) for line in capsys.readouterr().out.splitlines()[:-1]]
    assert [line["state"] for line in lines[-10:]] == ["alarm"] * 10
    assert lines[-1]["pressure_kpa"] == 300.0 and lines[-1]["rpm"] == 3000.0


@pytest.mark.parametrize(
    "text", ["{}", "[1]", "nothing", '{"best": "fixed", "proposed": [{"kind": "fixed", "gate_rpm": -5}]}']
)
def test_a_document_that_is_none_is_refused_in_one_sentence(
    text: str, database: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    kept = tmp_path / "alarm.json"
    kept.write_text(text)
    assert live(database, tmp_path / "out", "none", 1.0, "--alarm", str(kept)) == 2
    assert "is no document of 'basso alarm --json'" in capsys.readouterr().err


@pytest.mark.parametrize(
    ("more", "words"),
    [
        (["--bus", "nosuch", "--channel", "x"], "nosuch"),
        (["--bus", "virtual"], "--channel CHANNEL"),
        (["--bus", "virtual", "--channel", "x", "--speed", "0"], "--speed 0"),
    ],
)
def test_a_bus_that_cannot_be_opened_is_told(more: list[str], words: str, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["standin", "--stream", "--scenario", "truth-left", "--laps", "1", *more]) == 2
    assert words in capsys.readouterr().err
