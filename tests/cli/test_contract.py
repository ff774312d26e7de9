"""The headless contract: documents, signs, exit codes, one line of complaint."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

from basso import workflow
from basso.cli.main import build_parser, main
from support import say_which_side

pytestmark = pytest.mark.usefixtures("shared_cache")

DEMO = workflow.demo_folder()
CAUSES = {
    "right_turn",
    "left_turn",
    "turn",
    "braking",
    "acceleration",
    "high_rpm",
    "hot_oil",
    "low_everywhere",
    "sensor",
    "unknown",
}


def _json(capsys: pytest.CaptureFixture[str], *arguments: str) -> Any:
    assert main(list(arguments)) == 0
    return json.loads(capsys.readouterr().out)


def test_import_document(capsys: pytest.CaptureFixture[str]) -> None:
    d = _json(capsys, "import", str(DEMO / "baseline-1.csv"), "--json")
    assert d["schema"] == "basso.import/1"
    assert set(d) == {"schema", "path", "format", "duration_s", "samples", "rate_hz", "channels", "notes"}
    by_role = {c["role"]: c for c in d["channels"]}
    assert {
        "time",
        "rpm",
        "oil_pressure",
        "oil_temp",
        "lateral_g",
        "longitudinal_g",
        "speed",
        "throttle",
        "lap",
    } <= set(by_role)
    pressure = by_role["oil_pressure"]
    assert set(pressure) == {"name", "role", "unit", "unit_assumed", "rate_hz", "samples", "min", "max", "missing"}
    assert pressure["unit"] == "psi"
    assert 400 < pressure["max"] < 600, "kPa whatever the log's unit"
    assert by_role["speed"]["max"] < 75, "m/s whatever the log's unit"
    assert d["rate_hz"] == pytest.approx(20.0)


def test_analysis_document(capsys: pytest.CaptureFixture[str]) -> None:
    d = _json(capsys, "analyze", str(DEMO / "baseline-1.csv"), "--json")
    assert d["schema"] == "basso.analysis/1"
    fixed = {
        "schema",
        "log",
        "checks",
        "corrections",
        "laps",
        "corners",
        "expected",
        "events",
        "exposure",
        "judged",
        "sentence",
    }
    assert set(d) == {*fixed, "more"}, "what the contract fixes, and the rest in a place of its own"
    assert d["log"]["schema"] == "basso.import/1"
    assert d["events"]
    for e in d["events"]:
        assert set(e) == {
            "start_s",
            "end_s",
            "duration_s",
            "min_pressure_kpa",
            "min_margin_kpa",
            "min_share",
            "deficit_kpa_s",
            "rpm",
            "oil_temp_c",
            "lateral_g",
            "longitudinal_g",
            "lag_s",
            "lap",
            "corner",
            "cause",
            "confidence",
            "rule",
        }
        assert e["cause"] in CAUSES
        assert e["end_s"] - e["start_s"] == pytest.approx(e["duration_s"], abs=0.002)
        assert e["min_margin_kpa"] < 0
        assert e["rule"] in ("slope:0,48.3", "share:0.7")
    assert {e["corner"] for e in d["events"]} - {None} <= {c["id"] for c in d["corners"]}
    left = [e for e in d["events"] if e["cause"] == "left_turn"]
    assert all(e["lateral_g"] > 0 for e in left), "left is positive"
    assert [x["share"] for x in d["exposure"]["share_of_time_below"]] == [0.9, 0.8, 0.7, 0.6, 0.5, 0.4]
    fractions = [x["fraction"] for x in d["exposure"]["share_of_time_below"]]
    assert fractions == sorted(fractions, reverse=True)
    turns = [e for e in d["events"] if e["cause"] == "turn"]
    assert turns and not left, "no path proves which side is left"
    assert d["more"]["side"]["proven"] is False
    assert {c["direction"] for c in d["corners"]} == {"left", "right"}
    assert d["expected"]["valid"] is True
    assert sum(lap["complete"] for lap in d["laps"]) == 7


def test_thresholds_runs_and_what_speaks_for_and_against_each_cause_stand_beside_what_the_contract_fixes(
    capsys: pytest.CaptureFixture[str],
) -> None:
    say_which_side()
    d = _json(capsys, "analyze", str(DEMO / "baseline-1.csv"), "--json")
    more = d["more"]
    left = next(t for t in more["thresholds"] if t["direction"] == "left")
    assert left["low_g"] < left["g"] < left["high_g"] and left["level"] == 0.95
    assert [r["kind"] for r in more["runs"]] == ["launch", "stop"]
    assert len(more["events"]) == len(d["events"])
    for event, told in zip(d["events"], more["events"], strict=True):
        assert told["causes"][0]["cause"] == event["cause"] and len(told["causes"]) > 2
        assert told["causes"][0]["for"] and any(c["against"] for c in told["causes"][1:])
    hairpin = [t for t in more["events"] if t["place"] == "turn 6 left"]
    assert any(t["together_with"] == "braking" for t in hairpin), "it is entered on the brakes"


def test_several_logs_of_one_circuit_share_its_corners(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    """The second logger has no lap column: its lap begins elsewhere, and its corners are still those of the first."""
    rows = [line.split(",") for line in (DEMO / "gated.csv").read_text(encoding="utf-8").splitlines()]
    at = rows[0].index("Lap")
    other = tmp_path / "no-laps.csv"
    other.write_text("\n".join(",".join(c for i, c in enumerate(r) if i != at) for r in rows), encoding="utf-8")
    first, second = _json(capsys, "analyze", str(DEMO / "baseline-1.csv"), str(other), "--json")
    assert second["corners"] == first["corners"]
    assert {e["corner"] for e in second["events"]} - {None} <= {c["id"] for c in first["corners"]}
    alone = _json(capsys, "analyze", str(other), "--json")
    assert [c["apex_m"] for c in alone["corners"]] != [c["apex_m"] for c in first["corners"]]


def test_of_several_logs_the_good_are_answered_and_the_bad_named(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["analyze", "/nowhere.csv", str(DEMO / "dyno.csv"), "--json"]) == 2
    out, err = capsys.readouterr()
    assert [Path(d["log"]["path"]).name for d in json.loads(out)] == ["dyno.csv"]
    assert "/nowhere.csv" in err and len(err.strip().splitlines()) == 1


def test_several_logs_give_an_array(capsys: pytest.CaptureFixture[str]) -> None:
    d = _json(capsys, "analyze", str(DEMO / "dyno.csv"), str(DEMO / "gated.csv"), "--json")
    assert [x["schema"] for x in d] == ["basso.analysis/1"] * 2
    assert d[0]["events"] == []


def test_the_absolute_sensor_is_a_correction_not_an_event(capsys: pytest.CaptureFixture[str]) -> None:
    d = _json(capsys, "analyze", str(DEMO / "shakedown.csv"), "--json")
    (offset,) = [c for c in d["corrections"] if c["kind"] == "offset"]
    assert offset["value"] == pytest.approx(-100.7, abs=1.5)
    assert offset["unit"] == "kPa"
    assert next(c for c in d["checks"] if c["id"] == "zero")["level"] == "warn"


def test_the_loose_connector_makes_no_event_of_another_cause(capsys: pytest.CaptureFixture[str]) -> None:
    d = _json(capsys, "analyze", str(DEMO / "loose-connector.csv"), "--json")
    assert any(c["kind"] == "spikes" for c in d["corrections"])
    assert all(e["min_pressure_kpa"] > 50 for e in d["events"])


def test_floors_gate_and_least_length_are_obeyed(capsys: pytest.CaptureFixture[str]) -> None:
    log = str(DEMO / "baseline-1.csv")
    none = _json(capsys, "analyze", log, "--json", "--floor", "fixed:10")
    long = _json(capsys, "analyze", log, "--json", "--min-duration", "2")
    fast = _json(capsys, "analyze", log, "--json", "--rpm-gate", "5000")
    assert none["events"] == []
    assert long["events"] and all(e["duration_s"] >= 2 for e in long["events"])
    assert all(e["rpm"] > 5000 for e in fast["events"])


def test_an_earlier_normal_shows_what_is_low_everywhere(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    log = tmp_path / "worn.csv"
    assert main(["standin", str(log), "--scenario", "truth-worn", "--laps", "2"]) == 0
    d = _json(
        capsys, "analyze", str(log), "--json", "--normal", str(DEMO / "dyno.csv"), "--normal", str(DEMO / "gated.csv")
    )
    assert {e["cause"] for e in d["events"]} == {"low_everywhere"}


def test_comparison_document(capsys: pytest.CaptureFixture[str]) -> None:
    a = [str(DEMO / "baseline-1.csv"), str(DEMO / "baseline-2.csv")]
    d = _json(capsys, "compare", "--a", *a, "--b", str(DEMO / "plus-0.4.csv"), "--label-b", "+0.4 L", "--json")
    assert d["schema"] == "basso.comparison/1"
    assert set(d) == {
        "schema",
        "a",
        "b",
        "matched",
        "corners",
        "effects",
        "exceedance",
        "verdict",
        "judgement",
        "naive",
        "fragile",
        "reasons",
        "sentence",
        "more",
    }
    assert d["judgement"] in ("cured", "helps") and d["naive"]["min_pressure_kpa"] > 40.0
    assert d["more"]["control"]["zeros_proven"] and abs(d["more"]["control"]["shift_kpa"]) < 2.0
    assert d["verdict"] == "better"
    assert d["b"]["label"] == "+0.4 L"
    assert d["a"]["laps"] == 13
    assert d["matched"]["on"] == ["oil_temp_c", "rpm", "peak_g"]
    effect = next(e for e in d["effects"] if e["measure"] == "min_pressure_kpa")
    assert effect["low"] < effect["estimate"] < effect["high"]
    assert effect["level"] == 0.95
    assert set(effect["at"]) == {"rpm", "oil_temp_c", "peak_g"}
    assert set(effect["over"]) <= {c["id"] for c in d["corners"]}
    assert len(d["exceedance"]["share"]) == len(d["exceedance"]["a"]) == len(d["exceedance"]["b"])


def test_not_comparable_is_an_answer_not_an_error(capsys: pytest.CaptureFixture[str]) -> None:
    d = _json(capsys, "compare", "--a", str(DEMO / "baseline-1.csv"), "--b", str(DEMO / "hill-climb.csv"), "--json")
    assert d["verdict"] == "not_comparable"
    assert d["effects"] == []
    assert d["reasons"][0]


def test_standin_same_seed_same_bytes(tmp_path: Path) -> None:
    one, two = tmp_path / "1.csv", tmp_path / "2.csv"
    for path in (one, two):
        assert main(["standin", str(path), "--scenario", "gated", "--seed", "4", "--laps", "1"]) == 0
    assert one.read_bytes() == two.read_bytes()
    assert {p.name for p in tmp_path.iterdir() if p.is_file()} == {"1.csv", "2.csv"}


@pytest.mark.parametrize(
    "arguments",
    [
        ["import", "/nowhere/x.csv"],
        ["analyze", str(DEMO.parent / "fonts")],
        ["analyze", str(DEMO / "dyno.csv"), "--floor", "lean"],
        ["analyze", str(DEMO / "dyno.csv"), "--rpm-gate", "-5"],
        ["analyze", str(DEMO / "dyno.csv"), "--role", "oil=Oil pressure"],
        ["analyze", str(DEMO / "dyno.csv"), "--unit", "Oil pressure=furlong"],
        ["analyze", str(DEMO / "dyno.csv"), "--role", "oil_pressure=No such column"],
        ["compare", "--a", str(DEMO / "dyno.csv"), "--b", str(DEMO / "dyno.csv")],
        ["standin", "/nowhere/out.csv", "--scenario", "gated", "--laps", "1"],
        ["standin", "/tmp/out.csv", "--scenario", "elsewhere"],
        ["standin", "/tmp/out.csv", "--scenario", "gated", "--laps", "0"],
        ["standin"],
    ],
)
def test_what_cannot_be_used_is_one_line_and_exit_2(arguments: list[str], capsys: pytest.CaptureFixture[str]) -> None:
    assert main(arguments) == 2
    out, err = capsys.readouterr()
    assert out == ""
    assert err.startswith("basso: ")
    assert err.count("\n") == 1
    assert "Traceback" not in err


def test_broken_files_never_give_a_traceback(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    good = (DEMO / "dyno.csv").read_bytes()
    broken = {
        "empty": b"",
        "heading only": good.splitlines()[0],
        "binary": bytes(range(256)) * 40,
        "prose": b"hello\nworld\n",
        "zeros": b"\0" * len(good),
    }
    for name, data in broken.items():
        path = tmp_path / f"{name}.csv"
        path.write_bytes(data)
        assert main(["analyze", str(path), "--json"]) == 2, name
        out, err = capsys.readouterr()
        assert out == "" and err.count("\n") == 1 and str(path) in err, name
    holed = tmp_path / "holed.csv"
    holed.write_bytes(good[:3000] + b"\0" * 99 + good[3000:])
    assert "from row" in _json(capsys, "analyze", str(holed), "--json")["log"]["damage"][0]


def test_a_log_without_pressure_is_judged_as_not_judgeable(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "x.csv"
    path.write_text("Time,RPM\n" + "\n".join(f"{i / 10},{2000 + i}" for i in range(100)))
    d = _json(capsys, "analyze", str(path), "--json")
    assert d["events"] == []
    assert any(c["id"] == "oil_pressure" and c["level"] == "fail" for c in d["checks"])


@pytest.mark.parametrize("command", ["import", "analyze", "compare", "standin", "open"])
def test_every_command_has_help_worth_reading(command: str, capsys: pytest.CaptureFixture[str]) -> None:
    with pytest.raises(SystemExit) as ended:
        build_parser().parse_args([command, "--help"])
    assert ended.value.code == 0
    text = capsys.readouterr().out
    assert "basso" in text
    assert "the maker's manual" in text, "the caution"
    assert len(text.splitlines()) > 12


def test_for_people(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["analyze", str(DEMO / "baseline-1.csv")]) == 0
    text = capsys.readouterr().out
    assert "dips" in text and "turn to one side" in text and "°C" in text
    assert main(["import", str(DEMO / "baseline-1.csv")]) == 0
    assert "oil_pressure" in capsys.readouterr().out
    assert main(["compare", "--a", str(DEMO / "baseline-1.csv"), "--b", str(DEMO / "plus-0.4.csv")]) == 0
    assert capsys.readouterr().out.startswith("Helps")


def test_no_display_is_said_in_one_line() -> None:
    environment = {"PATH": "/usr/bin:/bin", "HOME": "/tmp"}
    done = subprocess.run(
        [sys.executable, "-m", "basso", "open", "--demo"], env=environment, capture_output=True, text=True
    )
    assert done.returncode == 2
    assert "no display" in done.stderr
    assert "make screenshots" in done.stderr
    assert done.stderr.count("\n") == 1


def test_a_role_whose_unit_the_column_denies_is_refused_with_what_to_do(
    capsys: pytest.CaptureFixture[str], tmp_path: Path
) -> None:
    log = tmp_path / "log.csv"
    log.write_text((DEMO / "dyno.csv").read_text().replace("Oil temp [°C]", "P3 [bar]", 1))
    assert main(["analyze", str(log), "--role", "oil_temp=P3 [bar]"]) == 2
    said = capsys.readouterr().err
    assert "column 'P3 [bar]' says bar, which is no unit of oil temperature" in said and "say its unit as well" in said
    assert main(["import", str(log), "--role", "oil_temp=P3 [bar]", "--unit", "P3 [bar]=°C", "--json"]) == 0
    column = next(c for c in json.loads(capsys.readouterr().out)["channels"] if c["name"] == "P3 [bar]")
    assert (column["role"], column["unit"], column["unit_assumed"]) == ("oil_temp", "°C", False)
