"""``basso accumulator``: the contract's document with and without a log, and one sentence for what is wrong."""

from __future__ import annotations

import json
from typing import Any

import pytest

from basso.cli.main import main
from basso.workflow import demo_folder

LOG = str(demo_folder() / "baseline-1.csv")
BOTTLE = ("--total", "2", "--precharge", "70", "--floor", "214")
CHARGED = (*BOTTLE, "--pressure", "375", "--flow", "50")
AIR = 101.325


def document(capsys: pytest.CaptureFixture[str], *words: str) -> dict[str, Any]:
    assert main(["accumulator", *words, "--json"]) == 0
    found: dict[str, Any] = json.loads(capsys.readouterr().out)
    return found


@pytest.mark.parametrize("n", [1.0, 1.25, 1.4])
def test_the_contracts_document_by_hand(n: float, capsys: pytest.CaptureFixture[str]) -> None:
    d = document(capsys, *CHARGED, *(() if n == 1.0 else ("--polytropic", str(n))))
    stored = 2.0 * (1.0 - ((70.0 + AIR) / (375.0 + AIR)) ** (1.0 / n))
    kept = 2.0 * (1.0 - ((70.0 + AIR) / (214.0 + AIR)) ** (1.0 / n))
    assert d["schema"] == "basso.accumulator/1"
    assert d["stored_l"] == pytest.approx(stored, rel=1e-9)
    assert d["usable_l"] == pytest.approx(stored - kept, rel=1e-9)
    assert d["seconds_at_flow"] == pytest.approx((stored - kept) * 60.0 / 50.0, rel=1e-8)
    curve = d["pressure_curve"]
    assert curve[0] == {"oil_l": 0.0, "pressure_kpa": 70.0}
    assert curve[-1]["oil_l"] == pytest.approx(stored, rel=1e-8) and curve[-1]["pressure_kpa"] == pytest.approx(375.0)
    for row in curve:
        assert (row["pressure_kpa"] + AIR) * (2.0 - row["oil_l"]) ** n == pytest.approx(171.325 * 2.0**n, rel=1e-6)
    assert any("pressure vessel" in c for c in d["cautions"]) and "replay" not in d


def cautions(capsys: pytest.CaptureFixture[str], **changed: str) -> str:
    values = {"total": "2", "precharge": "70", "pressure": "375", "floor": "214", "flow": "50", **changed}
    words = [w for k, v in values.items() for w in (f"--{k}", v)]
    return " ".join(document(capsys, *words)["cautions"])


def test_the_common_traps_are_answered(capsys: pytest.CaptureFixture[str]) -> None:
    said = cautions(capsys)
    assert "Of 2.0 L nominal, 1.28 L is oil when charged and 0.37 L can be used over the floor." in said
    assert "the size of the sump has no part in it" in said and "the gas law itself needs absolute ones" in said
    assert "0.91 L stays in the bottle when the gallery is at the floor" in said
    assert "stays in the bottle" not in cautions(capsys, precharge="205")
    assert "No accumulator holds 375 kPa: this one is charged to 375 kPa at most." in cautions(capsys, floor="375")
    assert "No accumulator holds" not in cautions(capsys, floor="374")
    assert "empty before the gallery falls to 214 kPa" in cautions(capsys, precharge="215")
    assert "no oil enters" in cautions(capsys, precharge="375")
    assert "Seals take 5 kPa" in cautions(capsys, friction="5")


def test_a_warm_gas_and_thin_air_count(capsys: pytest.CaptureFixture[str]) -> None:
    cold, warm = document(capsys, *CHARGED), document(capsys, *CHARGED, "--gas", "60")
    empty = 171.325 * 333.15 / 293.15
    assert warm["stored_l"] == pytest.approx(2.0 * (1.0 - empty / 476.325), rel=1e-9)
    assert warm["stored_l"] < cold["stored_l"]
    high = document(capsys, *CHARGED, "--air", "80")
    assert high["stored_l"] == pytest.approx(2.0 * (1.0 - 150.0 / 455.0), rel=1e-9)


def test_replayed_through_a_log(capsys: pytest.CaptureFixture[str]) -> None:
    d = document(capsys, *BOTTLE, "--log", LOG, "--pump-cm3", "11.2", "--refill-kpa", "4000")
    assert main(["analyze", LOG, "--json"]) == 0
    events = json.loads(capsys.readouterr().out)["events"]
    replay = d["replay"]
    assert {(p["lap"], p["corner"]) for p in replay["passes"]} == {(e["lap"], e["corner"]) for e in events}
    for p in replay["passes"]:
        mine = [e for e in events if p["start_s"] - 1e-3 <= e["start_s"] <= p["end_s"] + 1e-3]
        assert p["lowest_without_kpa"] == pytest.approx(min(e["min_pressure_kpa"] for e in mine), abs=0.01)
        assert p["oil_left_l"] > 0.02 and p["ran_dry"] is False
    assert sum(p["lowest_with_kpa"] > p["lowest_without_kpa"] + 10.0 for p in replay["passes"]) > 0.6 * len(
        replay["passes"]
    )
    assert 0.2 < replay["spent_l_per_lap"] < 2.0 and 0.5 < replay["emptiest_l"] < 1.3
    assert d["ladder"]["hot_idle_kpa"][0] < 70.0 < d["ladder"]["normal_kpa"][0]
    assert 1.2 < d["stored_l"] < 1.4, "charged by the log's own gallery"


def test_flow_at_an_engine_speed_is_a_pump(capsys: pytest.CaptureFixture[str]) -> None:
    by_size = document(capsys, *BOTTLE, "--log", LOG, "--pump-cm3", "11.2")
    by_flow = document(capsys, *BOTTLE, "--log", LOG, "--flow", "56", "--at-rpm", "5000")
    assert by_size["replay"] == by_flow["replay"]


def test_a_trigger_keeps_the_bottle_full_and_a_smaller_floor_needs_less(capsys: pytest.CaptureFixture[str]) -> None:
    plain = document(capsys, *BOTTLE, "--log", LOG, "--pump-cm3", "11.2")["replay"]
    armed = document(capsys, *BOTTLE, "--log", LOG, "--pump-cm3", "11.2", "--trigger", "230")["replay"]
    assert armed["spent_l_per_lap"] < plain["spent_l_per_lap"]
    low = document(capsys, "--total", "2", "--precharge", "120", "--floor", "160", "--log", LOG, "--pump-cm3", "11.2")
    more = document(capsys, "--total", "2", "--precharge", "120", "--floor", "180", "--log", LOG, "--pump-cm3", "11.2")
    none = document(capsys, "--total", "2", "--precharge", "120", "--floor", "385", "--log", LOG, "--pump-cm3", "11.2")
    sizes = [d["replay"]["smallest_total_l"] for d in (low, more, none)]
    assert 0.0 < sizes[0] < sizes[1] <= 6.0 and sizes[2] is None


def test_it_is_told_for_people(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["accumulator", *CHARGED]) == 0
    told = capsys.readouterr().out
    assert "usable over 214 kPa      0.37 L" in told and "cover at 50 L/min        0.4 s" in told
    assert main(["accumulator", *BOTTLE, "--log", LOG, "--pump-cm3", "11.2", "--settle", "5"]) == 0
    told = capsys.readouterr().out
    assert "The 2.0 L bottle covers" in told and "turn 6 on lap 5" in told
    assert "kPa, 0." in told and "leaves pan, pickup, pump and breathing as they were" in told


@pytest.mark.parametrize(
    ("words", "problem"),
    [
        (("--total", "0", *CHARGED[2:]), "total volume cannot be 0"),
        (("--total", "nan", *CHARGED[2:]), "--total nan: give a number"),
        ((*BOTTLE, "--pressure", "375"), "--flow: is needed"),
        ((*BOTTLE, "--flow", "50"), "--pressure: is needed"),
        ((*CHARGED, "--flow", "0"), "--flow 0: give the pump's flow"),
        ((*CHARGED, "--pressure", "-5"), "--pressure -5: give a gauge pressure"),
        ((*CHARGED, "--polytropic", "0.5"), "exponent cannot be 0.5"),
        ((*CHARGED, "--polytropic", "1.2", "--settle", "5"), "give one of them"),
        ((*CHARGED, "--trigger", "250"), "--trigger: is for a drive"),
        ((*CHARGED, "--log", LOG), "say what the pump delivers"),
        ((*BOTTLE, "--log", LOG, "--pump-cm3", "0"), "0.1 to 500"),
        ((*BOTTLE, "--log", LOG, "--pump-cm3", "11", "--trigger", "-3"), "trigger cannot be −3"),
        ((*BOTTLE, "--log", "missing.csv", "--pump-cm3", "11"), "missing.csv"),
    ],
)
def test_what_is_wrong_is_one_sentence(
    words: tuple[str, ...], problem: str, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["accumulator", *words]) == 2
    told = capsys.readouterr()
    assert problem in told.err and told.err.count("\n") == 1 and not told.out
