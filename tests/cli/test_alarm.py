"""``basso alarm``: the contract's document, and one sentence for a log that no alarm can be set by."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from basso.cli.main import main
from basso.workflow import demo_folder, judge, open_recording

LOG, OTHER = (demo_folder() / f"{name}.csv" for name in ("baseline-1", "baseline-2"))
PROOF = {"running_h", "dips", "severe", "caught", "caught_severe", "false", "false_per_hour", "lead_s", "shown_s"}


def test_the_contracts_document(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["alarm", str(LOG), "--held-out", str(OTHER), "--json"]) == 0
    d = json.loads(capsys.readouterr().out)
    assert d["schema"] == "basso.alarm/1"
    kinds = [p["kind"] for p in d["proposed"]]
    assert set(kinds) == {"fixed", "gated", "table", "share", "two_stage"} and d["best"] in kinds
    other = judge(open_recording(OTHER))
    for p in d["proposed"]:
        assert set(p["proof"]) == PROOF == set(p["held_out"])
        assert p["held_out"]["dips"] == len(other.dips)
        assert p["held_out"]["running_h"] == pytest.approx(other.exposure.running_s / 3600.0, abs=1e-3)
        assert p["blind_to"] and all(isinstance(words, str) for words in p["blind_to"])
        assert (p["caution_points"] is not None) == (p["kind"] == "two_stage")
    margins = [row["margin_kpa"] for row in d["trade_off"]]
    assert margins == sorted(margins)
    best = next(p for p in d["proposed"] if p["kind"] == d["best"])
    assert best["held_out"]["caught"] >= 0.5 * best["held_out"]["dips"]


def test_without_held_out_logs_nothing_is_claimed_of_any(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["alarm", str(LOG), "--json"]) == 0
    assert all(p["held_out"] is None for p in json.loads(capsys.readouterr().out)["proposed"])


def test_in_words_it_says_what_to_do_when_it_shows(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["alarm", str(LOG), "--held-out", str(OTHER)]) == 0
    said = capsys.readouterr().out
    assert "(best)" in said and "held-out logs" in said and "blind to" in said
    assert "do not restart until the cause is found" in said


@pytest.mark.parametrize(("without", "asked"), [("oil pressure", "pressure"), ("rpm", "rpm")])
def test_a_log_without_what_an_alarm_reads_is_refused_in_one_sentence(
    without: str, asked: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    lines = LOG.read_text().splitlines()
    recording = open_recording(LOG)
    role = {"oil pressure": "oil_pressure", "rpm": "rpm"}[without]
    name = next(c.name for c in recording.channels if c.role is not None and c.role.value == role)
    header = next(n for n, line in enumerate(lines) if name in line)
    column = next(n for n, cell in enumerate(lines[header].split(",")) if name in cell)
    short = [",".join(np.delete(line.split(","), column)) if "," in line else line for line in lines]
    path = tmp_path / "short.csv"
    path.write_text("\n".join(short))
    assert main(["alarm", str(path), "--json"]) == 2
    said = capsys.readouterr()
    assert said.out == "" and "short.csv" in said.err and asked in said.err and "Traceback" not in said.err
