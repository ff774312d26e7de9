"""``basso plan --card``: the runs of a day held against the plan of it."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from basso.cli.main import main
from basso.workflow import demo_folder

A, B, HOT = (str(demo_folder() / f"{name}.csv") for name in ("baseline-1", "gated", "hot-day"))


@pytest.fixture
def plan(tmp_path: Path) -> str:
    path = tmp_path / "plan.json"
    document = {
        "schema": "basso.plan/1",
        "order": ["A", "B", "B", "A"],
        "laps_per_run": [6, 6, 6, 6],
        "hold": {"oil_temp_c": [95.0, 110.0]},
    }
    path.write_text(json.dumps(document))
    return str(path)


def test_each_run_is_told_with_what_is_off(plan: str, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["plan", "--card", plan, "--run", f"A={A}", "--run", f"B={B}", "--run", f"B={HOT}"]) == 0
    out = capsys.readouterr().out
    first, *rest = out.splitlines()
    assert first.startswith("Run 3 (B) is off the card.") and "Still to drive with the oil in range: " in first
    assert rest[0].startswith("  Run 1, A, baseline-1.csv: ") and "°C hotter than the card" in out


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["--run", f"A={A}"], "--card PLAN.json"),
        (["--card", "PLAN"], "--run A=LOG"),
        (["--card", "PLAN", "--run", A], "write the side and the log"),
        (["--card", "PLAN", "--run", f"C={A}"], "write the side and the log"),
        (["--card", "PLAN", "--run", f"A={A}", "--run", f"B={A}"], "named twice"),
        (["--card", "PLAN", "--run", f"A={A}", "--effect", "20"], "without --effect"),
        (["--card", "PLAN", "--run", f"A={A}", B], "without --effect"),
        (["--card", A, "--run", f"A={A}"], "is no plan"),
        (["--card", "nowhere.json", "--run", f"A={A}"], "nowhere.json: does not exist"),
        ([A], "--effect"),
        (["--effect", "20"], "Name the car's own logs"),
    ],
)
def test_what_cannot_be_used_is_said_in_one_line(
    words: list[str], said: str, plan: str, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["plan", *(plan if w == "PLAN" else w for w in words)]) == 2
    error = capsys.readouterr().err
    assert said in error and error.count("\n") == 1
