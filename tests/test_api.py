"""What ``import basso`` gives: quick, typed, the same numbers as the command line."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import polars as pl
import pytest

import basso
from basso.cli.main import main
from basso.workflow import demo_folder
from support import write_temporary

DEMO = demo_folder()
LOG = DEMO / "baseline-1.csv"
SHORT = b"Time [s],RPM [rpm],Oil P [kPa]\n0,1,1\n1,2,2\n"


def printed(capsys: pytest.CaptureFixture[str], *words: str) -> dict[str, object]:
    capsys.readouterr()
    assert main([*words, "--json"]) == 0
    found = json.loads(capsys.readouterr().out)
    assert isinstance(found, dict)
    return found


def same(document: object, other: object) -> bool:
    return bool(json.loads(json.dumps(document)) == other)


def test_importing_it_loads_nothing_heavy() -> None:
    told = subprocess.run(
        [
            sys.executable,
            "-c",
            "import basso, sys; print([m for m in ('numpy', 'polars', 'scipy') if m in sys.modules])",
        ],
        capture_output=True,
        text=True,
        check=True,
    )
    assert told.stdout.strip() == "[]"


def test_a_log_that_was_read(capsys: pytest.CaptureFixture[str]) -> None:
    log = basso.read(LOG)
    assert same(log.to_dict(), printed(capsys, "import", str(LOG)))
    frame = log.to_frame()
    assert frame.columns[0] == "time_s" and {"rpm", "oil_pressure", "lateral_g"} <= set(frame.columns)
    assert frame["oil_pressure"].max() == pytest.approx(log.to_dict()["channels"][2]["max"])
    assert log.path == LOG and log.channels["RPM" if "RPM" in log.channels else list(log.channels)[1]] == "rpm"


def test_roles_and_units_are_as_the_command_line_takes_them(capsys: pytest.CaptureFixture[str]) -> None:
    rows = "\n".join(f"{0.1 * n:.1f},{3000 + n},{40 + n % 5},{n}" for n in range(50))
    path = write_temporary(f"t,n mot,P=3,extra [bar]\n{rows}\n".encode(), "odd.csv")
    log = basso.read(path, roles={"time": "t", "rpm": "n mot", "oil_pressure": "P=3"}, units={"P=3": "psi"})
    frame = log.to_frame()
    assert frame["oil_pressure"][0] == pytest.approx(40 * 6.894757, rel=1e-5)
    assert frame["extra [bar]"][7] == 7.0, "what has no role stands as it was logged"
    for wrong in ({"roles": {"oil": "P=3"}}, {"units": {"P=3": "stones"}}, {"rate_hz": -1.0}):
        with pytest.raises(basso.BassoError):
            basso.read(path, **wrong)  # type: ignore[arg-type]


def test_a_judged_log(capsys: pytest.CaptureFixture[str]) -> None:
    floors = ["slope:0,55", "share:0.8"]
    analysis = basso.judge(basso.read(LOG), floors=floors, rpm_gate=2000.0, min_duration_s=0.2)
    asked = [x for rule in floors for x in ("--floor", rule)]
    document = printed(capsys, "analyze", str(LOG), *asked, "--rpm-gate", "2000", "--min-duration", "0.2")
    assert same(analysis.to_dict(), document) and analysis.sentence == document["sentence"]
    frame = analysis.to_frame()
    assert frame.height == len(document["events"]) > 10  # type: ignore[arg-type]
    assert frame["cause"].to_list() == [e["cause"] for e in document["events"]]  # type: ignore[attr-defined]
    assert basso.judge(LOG, normal=[DEMO / "baseline-2.csv"]).to_frame().height > 0


def test_a_log_without_dips_has_a_frame_without_rows() -> None:
    frame = basso.judge(LOG, floors=["fixed:1"]).to_frame()
    assert frame.height == 0 and frame.schema["start_s"] == pl.Float64 and frame.schema["cause"] == pl.String


def test_a_comparison(capsys: pytest.CaptureFixture[str]) -> None:
    a, b = [LOG, DEMO / "baseline-2.csv"], [DEMO / "gated.csv"]
    trial = basso.compare(a=a, b=[basso.read(b[0])])
    document = printed(capsys, "compare", "--a", *map(str, a), "--b", *map(str, b))
    assert same(trial.to_dict(), document)
    assert (trial.verdict, trial.sentence) == (document["verdict"], document["sentence"])
    assert trial.to_frame()["id"].to_list() == [c["id"] for c in document["corners"]]  # type: ignore[attr-defined]


@pytest.mark.parametrize(
    ("what", "says"),
    [
        (lambda: basso.read("nowhere.csv"), "nowhere.csv"),
        (lambda: basso.judge(LOG, floors=["lean:3"]), "lean"),
        (lambda: basso.judge(LOG, floors="fixed:200"), "give a list"),
        (lambda: basso.judge(LOG, rpm_gate=float("nan")), "rpm_gate"),
        (lambda: basso.judge(LOG, min_duration_s=-1.0), "min_duration_s"),
        (
            lambda: basso.judge(
                LOG, normal=[write_temporary(b"Time [s],RPM [rpm],Oil P [kPa]\n0,1,1\n1,2,2\n", "x.csv")]
            ),
            "x.csv",
        ),
        (lambda: basso.compare(a=str(LOG), b=[LOG]), "give a list"),
        (lambda: basso.compare(a=[], b=[LOG]), "before the change"),
        (lambda: basso.compare(a=[LOG], b=[Path(LOG)]), "the same log"),
    ],
)
def test_what_cannot_be_used_is_one_sentence(what: object, says: str) -> None:
    with pytest.raises(basso.BassoError, match=says):
        what()  # type: ignore[operator]
