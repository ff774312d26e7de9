"""``basso sump``: the contract's document for a measured pan and for a mesh, and one sentence for what is wrong."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
import trimesh

from basso.cli.main import main
from basso.sump.flow import PARAMETERS
from basso.sump.pan_file import example
from basso.workflow import demo_folder


@pytest.fixture
def pan(tmp_path: Path) -> str:
    file = tmp_path / "pan.toml"
    file.write_text(example(), encoding="utf-8")
    return str(file)


@pytest.fixture
def mesh(tmp_path: Path) -> str:
    made = trimesh.creation.box((260.0, 200.0, 160.0))
    made.apply_translation((0.0, 0.0, 80.0))
    made.export(tmp_path / "inside.stl")
    return str(tmp_path / "inside.stl")


def document(capsys: pytest.CaptureFixture[str], *words: str) -> dict[str, Any]:
    assert main(["sump", *words, "--json"]) == 0
    found: dict[str, Any] = json.loads(capsys.readouterr().out)
    return found


def test_the_contracts_document(pan: str, capsys: pytest.CaptureFixture[str]) -> None:
    d = document(capsys, pan)
    assert list(d)[:7] == ["schema", "capacity_l", "volume_l", "surface", "pickup", "static_level_mm", "uncover"]
    assert (d["schema"], d["capacity_l"], d["volume_l"], d["static_level_mm"]) == ("basso.sump/1", 5.84, 3.0, 75.0)
    assert d["surface"] == {"normal": [0.0, 0.0, 1.0], "level_mm": 75.0}
    assert d["pickup"] == {"covered": True, "head_mm": 65.5}
    assert [row["direction_deg"] for row in d["uncover"]] == list(range(0, 360, 15))
    by_direction = {row["direction_deg"]: row["g"] for row in d["uncover"]}
    assert by_direction[0] is None and by_direction[135] < by_direction[90] < 2.5, (
        "the pickup stands back and to the left"
    )


def test_a_mesh_is_the_same_as_the_box_it_is(mesh: str, capsys: pytest.CaptureFixture[str]) -> None:
    d = document(capsys, mesh, "--pickup", "-30,42,8", "--volume", "3.6", "--ay", "1")
    assert (d["capacity_l"], d["static_level_mm"]) == (8.32, 69.231)
    assert d["surface"]["normal"] == [0.0, 0.707107, 0.707107]
    assert d["pickup"]["head_mm"] == pytest.approx((66.538 - 42.0 - 8.0) / 2**0.5, abs=0.01)
    assert document(capsys, mesh, "--pickup=-30,42,8", "--volume", "3.6", "--ay", "1") == d


def test_g_below_zero_is_braking_and_a_right_turn(mesh: str, capsys: pytest.CaptureFixture[str]) -> None:
    d = document(capsys, mesh, "--pickup", "100,-80,8", "--volume", "3.6", "--ax", "-0.5", "--ay", "-0.2")
    assert d["surface"]["normal"][0] < 0.0 and d["surface"]["normal"][1] < 0.0


def test_without_a_volume_what_rests_on_it_is_null(mesh: str, capsys: pytest.CaptureFixture[str]) -> None:
    d = document(capsys, mesh, "--pickup", "0,0,8")
    assert d["capacity_l"] == 8.32 and d["volume_l"] is None and d["static_level_mm"] is None
    assert d["pickup"] == {"covered": None, "head_mm": None} and d["uncover"] == []


def test_the_example_is_printed_and_read_back(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["sump", "--example"]) == 0
    assert capsys.readouterr().out == example()


def test_for_people(pan: str, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["sump", pan, "--ay", "1.6"]) == 0
    said = capsys.readouterr().out
    assert "holds 5.84 L" in said and "3 L stand 75.0 mm over the lowest point at rest" in said
    assert "pickup covered by" in said and "holds to 2.5 g" in said


@pytest.mark.parametrize(
    ("words", "said"),
    [
        ([], "name a pan's file"),
        (["none.toml"], "none.toml: does not exist"),
        (["PAN", "--volume", "9"], "holds 5.84 L, and 9 L are asked for"),
        (["PAN", "--volume", "-1"], "--volume -1: give the litres of oil"),
        (["PAN", "--ax", "nan"], "--ax nan: give a number"),
        (["PAN", "--pickup", "1,2,3"], "--pickup is for a mesh"),
        (["MESH"], "add --pickup X,Y,Z in mm"),
        (["MESH", "--pickup", "1,2"], "--pickup 1,2: write X,Y,Z in mm"),
        (["MESH", "--pickup", "a,b,c"], "--pickup a,b,c: write X,Y,Z in mm"),
        (["MESH", "--pickup", "0,0,8", "--mesh-unit", "in"], "long, which no pan is"),
    ],
)
def test_what_cannot_be_used_is_one_sentence(
    words: list[str], said: str, pan: str, mesh: str, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["sump", *({"PAN": pan, "MESH": mesh}.get(w, w) for w in words)]) == 2
    error = capsys.readouterr().err
    assert said in error and error.count("\n") == 1


def test_a_pickup_outside_of_the_mesh_is_told(mesh: str, capsys: pytest.CaptureFixture[str]) -> None:
    d = document(capsys, mesh, "--pickup", "0,0,-20", "--volume", "3.6")
    assert d["notes"] == ["The pickup lies outside of the mesh, or on its very surface: check --pickup."]


LOG = str(demo_folder() / "baseline-1.csv")
DEMO_PAN = str(demo_folder() / "pan.toml")


def test_on_a_logged_drive(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    """The contract's calibration and predictions, in the order they were asked for, each echoed as it was written."""
    deeper = tmp_path / "deeper.toml"
    text = Path(DEMO_PAN).read_text(encoding="utf-8")
    deeper.write_text(text.replace("volume = 4.3", "volume = 4.9"), encoding="utf-8")
    sign = ["--correct", "Lateral acc [g]=sign:1"]
    asked = ["volume=4.7", "pickup_z=+4", str(deeper)]
    d = document(capsys, DEMO_PAN, "--log", LOG, *sign, *(w for v in asked for w in ("--variant", v)))
    c = d["calibration"]
    assert c["usable"] is True and c["held_out"]["passes"] == 91 and c["held_out"]["median_error_kpa"] < 8.0
    assert c["reason"].startswith("On 91 passes of laps not used for the fit, the lowest pressure")
    assert len(c["fitted"]) >= len(PARAMETERS) - 2, "each by a name and unit of its own"
    slosh = c["fitted"]["slosh"]
    assert set(slosh) == {"value", "low", "high", "unit"} and slosh["unit"] == "Hz"
    assert slosh["low"] <= 0.5 <= slosh["high"] or slosh["value"] == pytest.approx(0.5, rel=0.1)
    more, higher, other = d["predictions"]
    assert [p["variant"] for p in d["predictions"]] == asked
    assert more["level"] == 0.8 and more["low"] < more["effect_kpa"] < more["high"]
    assert more["effect_kpa"] > 40.0 > 0.0 > higher["effect_kpa"], "more oil helps, a higher pickup does not"
    assert more["dips_after"] < 0.3 * more["dips_before"] <= higher["dips_after"]
    assert other["effect_kpa"] >= more["effect_kpa"], "0.6 L more is no worse than 0.4 L"
    place = next(p for p in more["places"] if p["corner"] == "6")
    assert place["low"] <= place["lowest_after_kpa"] <= place["high"]
    assert place["lowest_before_kpa"] < place["lowest_after_kpa"]


def test_where_the_log_cannot_calibrate_nothing_is_predicted(capsys: pytest.CaptureFixture[str]) -> None:
    dyno = str(demo_folder() / "dyno.csv")
    d = document(capsys, DEMO_PAN, "--log", dyno, "--variant", "volume=+0.4")
    assert d["calibration"]["usable"] is False and "predictions" not in d
    assert d["calibration"]["reason"].startswith("The flow model cannot be calibrated: dyno.csv has no")
    assert d["calibration"]["held_out"] == {"passes": 0, "median_error_kpa": None, "explained": None}
    assert main(["sump", DEMO_PAN, "--log", dyno]) == 0
    assert "The flow model cannot be calibrated" in capsys.readouterr().out


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["PAN", "--variant", "volume=4"], "--variant: predictions rest on a log; name one with --log"),
        (["PAN", "--log", LOG, "--variant", "volume=99"], "'volume=99': makes 99.00 L; the pan holds 5.84 L"),
        (["PAN", "--log", LOG, "--variant", "pickup_z=-40"], "not inside its part of the pan"),
        (["PAN", "--log", LOG, "--variant", "more"], "'more': write volume="),
        (["PAN", "--log", LOG, "--variant", "none.toml"], "none.toml: does not exist"),
        (["MESH", "--pickup", "0,0,8", "--log", LOG], "say with --volume how much oil was in the pan"),
        (["PAN", "--log", "none.csv"], "none.csv: does not exist"),
        (["PAN", "--sheet", "pan.doc"], "a sheet is written as .svg or .dxf"),
        (["MESH", "--pickup", "0,0,8", "--sheet", "pan.svg"], "a mesh has no bays and plates to draw"),
    ],
)
def test_what_cannot_be_tried_is_one_sentence(
    words: list[str], said: str, pan: str, mesh: str, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["sump", *({"PAN": pan, "MESH": mesh}.get(w, w) for w in words)]) == 2
    error = capsys.readouterr().err
    assert said in error and error.count("\n") == 1


def test_the_fabrication_sheet_is_written(pan: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    for name in ("pan.svg", "pan.dxf"):
        assert main(["sump", pan, "--sheet", str(tmp_path / name)]) == 0
        assert (tmp_path / name).stat().st_size > 1000
    capsys.readouterr()
