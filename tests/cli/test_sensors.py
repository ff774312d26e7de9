"""``basso sensors``, and logs held against the garage, as scripts use them."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from basso.car.demo import make_demo_garage
from basso.cli.main import main
from basso.workflow import demo_folder


@pytest.fixture
def folder(tmp_path: Path) -> str:
    make_demo_garage(demo_folder(), tmp_path / "garage")
    return str(tmp_path / "garage")


def test_the_register_of_a_day(folder: str, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["sensors", "car 31", "--folder", folder, "--json"]) == 0
    document = json.loads(capsys.readouterr().out)
    assert document["schema"] == "basso.sensors/1"
    by_name = {s["card"]["name"]: s for s in document["sensors"]}
    assert set(by_name) == {"Pan temperature", "Gallery sensor", "Bottle sensor"}
    gallery = by_name["Gallery sensor"]
    line = gallery["calibrations"][0]["line"]
    assert line["gain"] == pytest.approx(1.003, abs=0.001) and not line["off"] and len(line["residual_kpa"]) == 9
    # 12 mA through 0.15 Ω, 1000 kPa over 4 V
    assert gallery["ground_error_kpa"] == pytest.approx(0.45)
    assert any("share the return" in c for c in document["cautions"])
    assert main(["sensors", "Car 31", "--folder", folder, "--day", "2026-04-20"]) == 0
    then = capsys.readouterr().out
    assert "Filter sensor: pressure, at the filter outlet, absolute" in then and "Gallery" not in then


def test_the_wiring_to_print(folder: str, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["sensors", "Car 31", "--folder", folder, "--wiring"]) == 0
    text = capsys.readouterr().out
    assert "pin 3, shared with the oil temperature, 12 mA, 0.15 Ω" in text and "unplug each other sensor" in text


def test_a_log_is_held_against_its_sensors_card(folder: str, capsys: pytest.CaptureFixture[str]) -> None:
    log = str(demo_folder() / "shakedown.csv")
    assert main(["analyze", log, "--garage", folder, "--json"]) == 0
    checks = {c["id"]: c for c in json.loads(capsys.readouterr().out)["checks"]}
    assert checks["sensor_mount"]["level"] == "warn" and checks["sensor_type"]["level"] == "ok"
    assert main(["analyze", log, "--json"]) == 0
    assert "sensor_mount" not in {c["id"] for c in json.loads(capsys.readouterr().out)["checks"]}


def test_a_garage_or_a_car_that_is_not_there_is_said_in_one_line(
    folder: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    log = str(demo_folder() / "dyno.csv")
    for arguments in (
        ["analyze", log, "--garage", str(tmp_path / "no")],
        ["drops", log, "--garage", str(tmp_path / "no")],
        ["sensors", "Car 31", "--folder", str(tmp_path / "no")],
        ["sensors", "Car 99", "--folder", folder],
    ):
        assert main(arguments) == 2
        error = capsys.readouterr().err
        assert len(error.strip().splitlines()) == 1 and "Traceback" not in error
