"""Three sides and more: each against each, all against the first; what is wrong is one sentence."""

from __future__ import annotations

import json

import pytest

from basso.cli.main import main
from basso.workflow import demo_folder

LOGS = {n: str(demo_folder() / f"{n}.csv") for n in ("baseline-1", "baseline-2", "plus-0.4", "gated")}


def test_three_sides_are_held_against_the_first_and_against_each_other(capsys: pytest.CaptureFixture[str]) -> None:
    sides = ("--side", f"full={LOGS['baseline-1']}", "--side", f"plus={LOGS['plus-0.4']}", "--side")
    assert main(["compare", *sides, f"gated={LOGS['gated']}", "--json"]) == 0
    d = json.loads(capsys.readouterr().out)
    assert d["schema"] == "basso.comparison/1"
    assert [s["label"] for s in d["sides"]] == ["full", "plus", "gated"]
    assert d["sides"][0] == {"label": "full", "estimate": 0.0, "low": 0.0, "high": 0.0}
    assert all(s["low"] < s["estimate"] < s["high"] for s in d["sides"][1:]) and d["sides"][1]["estimate"] > 40.0
    pairs = {(c["from"], c["to"]): c for c in d["contrasts"]}
    assert set(pairs) == {("full", "plus"), ("full", "gated"), ("plus", "gated")}
    assert (
        pairs["full", "plus"]["estimate"] == d["sides"][1]["estimate"] and pairs["full", "plus"]["verdict"] == "better"
    )
    # Two ways to the same place agree within what both are sure of.
    around = pairs["full", "gated"]["estimate"] - pairs["full", "plus"]["estimate"]
    across = pairs["plus", "gated"]
    assert across["low"] - 15.0 < around < across["high"] + 15.0


@pytest.mark.parametrize(
    ("words", "problem"),
    [
        (("--side", "a=x.csv", "--side", "b=y.csv"), "three sides or more"),
        (("--side", "a=x.csv", "--side", "a=y.csv", "--side", "c=z.csv"), "the same label"),
        (("--side", "x.csv", "--side", "b=y.csv", "--side", "c=z.csv"), "write LABEL=LOG"),
        (("--side", "a=", "--side", "b=y.csv", "--side", "c=z.csv"), "write LABEL=LOG"),
        (("--side", "a=x.csv", "--b", "y.csv"), "instead of --a and --b"),
        (("--a", "x.csv"), "--b: name the logs after"),
        (("--b", "x.csv"), "--a: name the logs before"),
    ],
)
def test_what_is_wrong_is_one_sentence(
    words: tuple[str, ...], problem: str, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["compare", *words]) == 2
    told = capsys.readouterr()
    assert problem in told.err and told.err.count("\n") == 1
