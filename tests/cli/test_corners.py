"""``basso corners`` as scripts use it."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from basso.cli.main import main
from basso.workflow import demo_folder

pytestmark = pytest.mark.usefixtures("shared_cache")

ONE = str(demo_folder() / "baseline-1.csv")


def test_one_document(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["corners", ONE, "--json"]) == 0
    d = json.loads(capsys.readouterr().out)
    assert d["schema"] == "basso.corners/1"
    by_id = {p["id"]: p for p in d["places"]}
    assert by_id["6"]["kind"] == "left" and by_id["6"]["below"] == by_id["6"]["passes"] == len(by_id["6"]["laps"])
    assert set(d["worst_first"]) == {p["id"] for p in d["places"] if p["below"]}
    left = next(t for t in d["thresholds"] if t["direction"] == "left")
    assert left["low_g"] < left["g"] < left["high_g"] and left["level"] == 0.95
    seconds = [h["s"] for h in left["held"]]
    assert seconds == sorted(seconds, reverse=True) and all(h["g"] > left["g"] for h in left["held"])
    right = next(t for t in d["thresholds"] if t["direction"] == "right")
    assert right["g"] is None and right["reason"] and right["held"] == []
    assert {s["direction"] for s in d["at_equal_g"]} == {"left", "right", "braking", "acceleration"}


def test_for_people_and_what_cannot_be_judged(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["corners", ONE]) == 0
    text = capsys.readouterr().out
    assert "turn 6 " in text and "hairpin to one side" in text and "In turns to one side pressure holds up to" in text
    bad = tmp_path / "bad.csv"
    bad.write_text("Time [s],Oil Press [kPa]\n" + "".join(f"{i / 10},300\n" for i in range(400)))
    assert main(["corners", str(bad)]) == 2
    assert "corners cannot be judged" in capsys.readouterr().err
