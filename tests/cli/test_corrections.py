"""Corrections refused or made otherwise on the command line."""

from __future__ import annotations

import json

import pytest

from basso.cli.main import main
from basso.workflow import demo_folder

pytestmark = pytest.mark.usefixtures("shared_cache")

LOG = str(demo_folder() / "shakedown.csv")
FULL = str(demo_folder() / "baseline-1.csv")


def analysed(capsys: pytest.CaptureFixture[str], *more: str) -> dict[str, list[dict[str, object]]]:
    assert main(["analyze", LOG, "--json", *more]) == 0
    document = json.loads(capsys.readouterr().out)
    assert isinstance(document, dict)
    return document


def test_a_correction_is_left_out_or_made_by_another_amount(capsys: pytest.CaptureFixture[str]) -> None:
    found = analysed(capsys)
    (zero,) = found["corrections"]
    channel = str(zero["channel"])
    assert found["events"] and zero["value"] == pytest.approx(-100.8, abs=1.0)
    refused = analysed(capsys, "--refuse", f"{channel}=offset")
    assert refused["corrections"] == [] and len(refused["events"]) < len(found["events"])
    (other,) = analysed(capsys, "--correct", f"{channel}=offset:-95.5")["corrections"]
    assert other["value"] == -95.5


@pytest.mark.parametrize(
    ("option", "text", "says"),
    [
        ("--refuse", "offset", "write CHANNEL=KIND"),
        ("--refuse", "Oil pressure=zero", "the kind being one of offset, scale"),
        ("--correct", "Oil pressure=offset:much", "write CHANNEL=KIND:VALUE"),
        ("--correct", "Oil pressure=offset", "write CHANNEL=KIND:VALUE"),
        ("--refuse", "Oil presure=offset", "--refuse: 'Oil presure' is no channel of"),
        ("--correct", "Lateral=sign:-1", "there are 'Engine speed"),
    ],
)
def test_what_is_no_correction_is_told(option: str, text: str, says: str, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["analyze", LOG, option, text]) == 2
    said = capsys.readouterr().err
    assert says in said and said.count("\n") == 1


def test_an_oil_named_with_a_normal_stays_named(capsys: pytest.CaptureFixture[str]) -> None:
    normal = str(demo_folder() / "baseline-1.csv")
    thin = analysed(capsys, "--normal", normal, "--oil", "5W-30")
    assert thin["expected"] != analysed(capsys, "--normal", normal, "--oil", "15W-50")["expected"]


def test_what_no_check_found_is_corrected_by_the_users_word(capsys: pytest.CaptureFixture[str]) -> None:
    """The sign of a lateral g that nothing proves, and a zero that a gauge known to be right shows."""
    assert main(["analyze", FULL, "--json"]) == 0
    found = json.loads(capsys.readouterr().out)
    names = {c["role"]: c["name"] for c in found["log"]["channels"]}
    lateral, pressure = names["lateral_g"], names["oil_pressure"]
    assert found["corrections"] == []
    assert (
        main(["analyze", FULL, "--json", "--correct", f"{lateral}=sign:-1", "--correct", f"{pressure}=offset:7.5"]) == 0
    )
    turned = json.loads(capsys.readouterr().out)
    assert {(c["channel"], c["kind"], c["value"], c["unit"]) for c in turned["corrections"]} == {
        (lateral, "sign", -1.0, ""),
        (pressure, "offset", 7.5, "kPa"),
    }
    causes = [{e["cause"] for e in d["events"]} for d in (found, turned)]
    assert "turn" in causes[0] and "left_turn" not in causes[0], "nothing proves the side"
    assert "right_turn" in causes[1] and not {"left_turn", "turn"} & causes[1], "the user's word does"
    lowest = [min(e["min_pressure_kpa"] for e in d["events"]) for d in (found, turned)]
    assert lowest[1] == pytest.approx(lowest[0] + 7.5, abs=0.1)
    assert main(["analyze", FULL, "--json", "--correct", f"{lateral}=sign:1"]) == 0
    as_it_is = json.loads(capsys.readouterr().out)
    assert as_it_is["corrections"] == [] and "left_turn" in {e["cause"] for e in as_it_is["events"]}
