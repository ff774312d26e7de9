"""Corrections refused or made otherwise on the command line."""

from __future__ import annotations

import json

import pytest

from basso.cli.main import main
from basso.workflow import demo_folder

LOG = str(demo_folder() / "shakedown.csv")


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
