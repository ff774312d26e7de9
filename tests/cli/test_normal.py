"""``basso normal`` as scripts use it."""

from __future__ import annotations

import json

import pytest

from basso.cli.main import main
from basso.workflow import demo_folder

pytestmark = pytest.mark.usefixtures("shared_cache")

ONE, TWO, HOT = (str(demo_folder() / f"{name}.csv") for name in ("baseline-1", "baseline-2", "hot-day"))


def _document(capsys: pytest.CaptureFixture[str], *arguments: str) -> dict:  # type: ignore[type-arg]
    assert main(["normal", *arguments, "--json"]) == 0
    return json.loads(capsys.readouterr().out)  # type: ignore[no-any-return]


def test_one_document_with_intervals(capsys: pytest.CaptureFixture[str]) -> None:
    d = _document(capsys, TWO, "--listed", "5W-40", "--listed", "10W-40", "--start", "5")
    assert d["schema"] == "basso.normal/1" and d["expected"]["valid"]
    for name in ("k_kpa", "rpm_exponent", "viscosity_exponent", "relief_kpa"):
        p = d["expected"]["parameters"][name]
        assert p["low"] < p["value"] < p["high"]
    valid = [r for r in d["expected"]["field"] if r["valid"]]
    assert valid and all(r["low_kpa"] < r["expected_kpa"] < r["high_kpa"] for r in valid)
    low, high = d["expected"]["range"]["rpm"]
    assert 0 < low < high
    grades = {g["grade"]: g for g in d["grades"]}
    assert grades["10W-40"]["listed"] and not grades["0W-20"]["listed"]
    order = [g["at_100_mm2ps"] for g in d["grades"]]
    assert order == sorted(order)
    assert d["advice"]["lightest_that_holds"] in ("5W-40", "10W-40", None)
    assert {f["school"] for f in d["floors"] if f["active"]} == {"7 psi per 1000 rpm", "% of normal"}
    assert d["change"] is None and d["history"] == []


def test_pooled_over_a_build_and_held_against_it(capsys: pytest.CaptureFixture[str]) -> None:
    one, both = _document(capsys, TWO), _document(capsys, ONE, TWO)
    assert both["expected"]["samples"] > one["expected"]["samples"]
    assert both["logs"] == [ONE, TWO]
    held = _document(capsys, TWO, "--normal", ONE)
    assert held["change"]["cause"] == "none"
    assert held["history"][0]["against"].endswith("baseline-1.csv")
    assert sum(c["probability"] for c in held["change"]["candidates"]) == pytest.approx(1.0, abs=0.01)


def test_for_people(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["normal", HOT, "--rpm", "6500", "--hot", "120", "--margin", "20", "--sheet", "House=60,9.4"]) == 0
    text = capsys.readouterr().out
    assert "floors, at 6500 rpm and 120 °C" in text and "House" in text and "lightest that holds" in text
    assert "hot idle" in text
    assert main(["normal", HOT, "--window", "400,600", "--target", "120", "--litres", "5"]) == 0
    text = capsys.readouterr().out
    assert "under the maker's window" in text and "to hold 120 °C shed" in text


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["--hot", "500"], "give a number from 20 to 200"),
        (["--sheet", "House"], "write GRADE=V40,V100"),
        (["--sheet", "House=9,60"], "belong to no oil"),
        (["--margin", "nan"], "give a number"),
        (["--window", "400"], "write LOW,HIGH"),
        (["--target", "10"], "from 40 to 180"),
    ],
)
def test_what_cannot_be_is_one_sentence(arguments: list[str], says: str, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["normal", ONE, *arguments]) == 2
    error = capsys.readouterr().err
    assert says in error and error.count("\n") == 1


def test_a_log_without_pressure_is_refused_in_one_sentence(tmp_path, capsys: pytest.CaptureFixture[str]) -> None:  # type: ignore[no-untyped-def]
    log = tmp_path / "only.csv"
    log.write_text("Time [s],Engine Speed [rpm]\n" + "\n".join(f"{i / 10},3000" for i in range(400)), encoding="utf-8")
    assert main(["normal", str(log)]) == 2
    error = capsys.readouterr().err
    assert "normal cannot be learned" in error and error.count("\n") == 1
