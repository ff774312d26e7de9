"""The schemas that ship say what the documents are: each fits its own, and one that is spoilt does not."""

from __future__ import annotations

import copy
import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import jsonschema
import pytest

import basso
from basso.cli.main import main
from basso.workflow import demo_folder

SCHEMAS = Path(basso.__file__).parent / "schemas"
DEMO = demo_folder()
LOG, AGAIN, AFTER = (str(DEMO / f"{name}.csv") for name in ("baseline-1", "baseline-2", "gated"))
PAN = str(DEMO / "pan.toml")
BOTTLE = ["--total", "2", "--precharge", "70", "--pressure", "400", "--floor", "250", "--flow", "30"]
COMMANDS = {
    "import-1": ["import", LOG],
    "analysis-1": ["analyze", LOG],
    "comparison-1": ["compare", "--a", LOG, AGAIN, "--b", AFTER],
    "sump-1": ["sump", PAN, "--ay", "0.9"],
    "accumulator-1": ["accumulator", *BOTTLE, "--log", LOG, "--pump-cm3", "11.2"],
    "plan-1": ["plan", LOG, AGAIN, "--effect", "30"],
    "alarm-1": ["alarm", LOG, "--held-out", AGAIN],
}


def schema(name: str) -> dict[str, Any]:
    found = json.loads((SCHEMAS / f"{name}.json").read_text(encoding="utf-8"))
    assert isinstance(found, dict)
    return found


def document(words: list[str], capsys: pytest.CaptureFixture[str]) -> dict[str, Any]:
    capsys.readouterr()
    assert main([*words, "--json"]) == 0
    found = json.loads(capsys.readouterr().out)
    assert isinstance(found, dict)
    return found


def required(s: dict[str, Any], at: tuple[str, ...] = ()) -> Iterator[tuple[str, ...]]:
    """Every key that a document must have, where it stands; of lists in their first element."""
    for key in s.get("required", ()):
        yield (*at, key)
        yield from required(s["properties"][key], (*at, key))
    if "items" in s and isinstance(s["items"], dict):
        yield from required(s["items"], (*at, "0"))
    if "oneOf" in s:
        yield from required(s["oneOf"][0], at)


def without(whole: dict[str, Any], at: tuple[str, ...]) -> dict[str, Any] | None:
    """The document less one key; None where it holds no such place."""
    spoilt = copy.deepcopy(whole)
    here: Any = spoilt
    for key in at[:-1]:
        if isinstance(here, list):
            if not here:
                return None
            here = here[0]
        else:
            here = here.get(key)
        if here is None:
            return None
    if isinstance(here, list) or at[-1] not in here:
        return None
    del here[at[-1]]
    return spoilt


@pytest.mark.parametrize("name", COMMANDS)
def test_a_document_fits_and_a_spoilt_one_does_not(name: str, capsys: pytest.CaptureFixture[str]) -> None:
    rules, made = schema(name), document(COMMANDS[name], capsys)
    check = jsonschema.Draft202012Validator(rules)
    check.check_schema(rules)
    check.validate(made)
    spoilt = [(at, d) for at in required(rules) if (d := without(made, at)) is not None]
    assert len(spoilt) >= 8
    for at, d in spoilt:
        assert not check.is_valid(d), f"without {'.'.join(at)} it still fits"
    assert not check.is_valid({**made, "schema": "basso.other/1"})


def test_three_sides_fit(capsys: pytest.CaptureFixture[str]) -> None:
    words = ["compare", "--side", f"full={LOG},{AGAIN}", "--side", f"gated={AFTER}"]
    made = document([*words, "--side", f"plus={DEMO / 'plus-0.4.csv'}"], capsys)
    jsonschema.Draft202012Validator(schema("comparison-1")).validate(made)


def test_runs_against_their_card_fit(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    card = tmp_path / "plan.json"
    card.write_text(json.dumps(document(COMMANDS["plan-1"], capsys)))
    made = document(["plan", "--card", str(card), "--run", f"A={LOG}", "--run", f"B={DEMO / 'dyno.csv'}"], capsys)
    check = jsonschema.Draft202012Validator(schema("runs-1"))
    check.check_schema(schema("runs-1"))
    check.validate(made)
    assert [r["side"] for r in made["runs"]] == ["A", "B"] and made["runs"][1]["oil_temp_c"] is None


def test_logs_with_little_in_them_fit_too(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    log = tmp_path / "bare.csv"
    rows = "\n".join(f"{0.05 * n:.2f},{3000 + n % 700},{150 + n % 90}" for n in range(900))
    log.write_text(f"Time [s],RPM [rpm],Oil Pressure [kPa]\n{rows}\n")
    for name, command in (("import-1", "import"), ("analysis-1", "analyze")):
        jsonschema.Draft202012Validator(schema(name)).validate(document([command, str(log)], capsys))


def test_every_schema_is_tried() -> None:
    assert {p.stem for p in SCHEMAS.glob("*.json")} == {*COMMANDS, "live-line", "runs-1"}
