"""What is written reads back the same: any rates, gaps, units and names."""

from __future__ import annotations

from pathlib import Path
from types import MappingProxyType

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from basso import workflow
from basso.cli.main import main
from basso.errors import InputError
from basso.formats.registry import read_recording
from basso.formats.write import part_of, recording_bytes
from basso.recording.channel import Channel
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.units import UNITS, Unit
from support import judged_scenario, write_temporary


def _same(a: Recording, b: Recording) -> None:
    mine = [c for c in a.channels if c.role is not Role.TIME]
    theirs = [c for c in b.channels if c.role is not Role.TIME]
    assert len(mine) == len(theirs)
    for x, y in zip(mine, theirs, strict=True):
        assert x.role is y.role, (x.name, y.name)
        assert x.unit == y.unit
        np.testing.assert_allclose(y.time_s, x.time_s - min(c.time_s[0] for c in mine), atol=1e-9)
        np.testing.assert_allclose(y.values, x.values, rtol=1e-12, atol=1e-12)


names = st.text(
    st.characters(categories=["L", "N", "Z", "P", "S"], exclude_characters="\x00\r\n"), min_size=1, max_size=12
).map(lambda s: f"x {s.strip()} z")


@st.composite
def recordings(draw: st.DrawFn) -> Recording:
    """Recordings of one or two rates, with drop-outs in the first, odd names and any unit."""
    seed = draw(st.integers(0, 2**31))
    rng = np.random.default_rng(seed)
    rows = draw(st.integers(40, 200))
    rate = draw(st.sampled_from([10.0, 25.0, 50.0]))
    time_s = np.arange(rows) / rate
    pressure, heat = (UNITS[draw(st.sampled_from(u))] for u in (["psi", "bar", "kPa"], ["°C", "°F", "K"]))
    two_rates = draw(st.booleans())
    gaps = np.where(rng.random(rows) < (0.0 if two_rates else draw(st.sampled_from([0.0, 0.1]))), np.nan, 0.0)
    odd = draw(names)

    def channel(name: str, role: Role | None, unit: Unit | None, at: np.ndarray, values: np.ndarray) -> Channel:
        return Channel(name, role, unit, False, at, np.asarray(values, dtype=np.float64))

    slow = time_s[::4] + (0.004 if two_rates else 0.0)
    channels = [
        channel("Engine speed", Role.RPM, UNITS["rpm"], time_s, rng.uniform(1000, 7000, rows)),
        channel("P3 gallery", Role.OIL_PRESSURE, pressure, time_s, rng.uniform(80, 520, rows) + gaps),
        channel(
            "T of it",
            Role.OIL_TEMP,
            heat,
            slow if two_rates else time_s,
            rng.uniform(60, 120, slow.size if two_rates else rows),
        ),
        channel(odd, None, None, time_s, rng.normal(0, 1e3, rows)),
    ]
    facts = MappingProxyType({"Venue": "Harrowfell", "Driver note": draw(names)})
    return Recording(Path("made.csv"), "made", tuple(channels), (), facts, "", "2026-05-12T10:20:00")


@settings(max_examples=30, deadline=None)
@given(recordings())
def test_any_recording_reads_back_the_same_from_text(recording: Recording) -> None:
    _reads_back(recording, ".csv")


@settings(max_examples=12, deadline=None)
@given(recordings())
def test_any_recording_reads_back_the_same_from_columns(recording: Recording) -> None:
    """Fewer: each is read by a process of its own."""
    _reads_back(recording, ".parquet")


def _reads_back(recording: Recording, suffix: str) -> None:
    path = write_temporary(recording_bytes(recording, suffix, facts_above=True), f"out{suffix}")
    back = read_recording(path)
    _same(recording, back)
    assert back.facts["Venue"] == "Harrowfell"
    assert back.started == "2026-05-12T10:20:00"


@pytest.mark.parametrize("log", ["baseline-1.csv", "shakedown.csv", "hill-climb.csv", "bus/harrowfell.log"])
@pytest.mark.parametrize("suffix", [".csv", ".parquet"])
def test_the_demo_logs_survive_being_written(log: str, suffix: str, tmp_path: Path) -> None:
    recording = read_recording(workflow.demo_folder() / log)
    workflow.export_recording(recording, tmp_path / f"out{suffix}")
    _same(recording, read_recording(tmp_path / f"out{suffix}"))


def test_a_stretch_holds_just_that_stretch() -> None:
    recording = read_recording(workflow.demo_folder() / "baseline-1.csv")
    part = part_of(recording, 100.0, 101.0)
    channel, whole = part.channel(Role.OIL_PRESSURE), recording.channel(Role.OIL_PRESSURE)
    assert channel is not None and whole is not None
    inside = (whole.time_s >= 100.0) & (whole.time_s <= 101.0)
    np.testing.assert_array_equal(channel.values, whole.values[inside])
    with pytest.raises(InputError, match="nothing between"):
        part_of(recording, 1e6, 2e6)


def test_a_corrected_log_needs_no_correction_any_more(tmp_path: Path) -> None:
    """The shakedown's sensor reads absolute: written corrected, it is judged the same with a zero of its own."""
    analysis = judged_scenario("shakedown", 3, 2).analysis
    assert any(c.kind == "offset" for c in analysis.corrections)
    workflow.export_recording(analysis.recording, tmp_path / "c.csv", corrected=analysis, facts_above=True)
    again = workflow.judge(read_recording(tmp_path / "c.csv"))
    assert not any(c.kind == "offset" and abs(c.value) > 3 for c in again.corrections)
    assert len(again.dips) == len(analysis.dips)
    assert "offset" in again.recording.facts["Corrected"]


def test_by_command(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    log = str(workflow.demo_folder() / "baseline-1.csv")
    assert main(["export", log, str(tmp_path / "a.parquet"), "--from", "100", "--to", "160"]) == 0
    assert read_recording(tmp_path / "a.parquet").duration_s == pytest.approx(60, abs=0.1)
    assert main(["export", log, str(tmp_path / "a.doc")]) == 2
    assert main(["export", log, str(tmp_path / "b.csv"), "--from", "9", "--to", "3"]) == 2
    assert main(["export", log, str(tmp_path / "none" / "b.csv")]) == 2
    errors = capsys.readouterr().err.splitlines()
    assert len(errors) == 3 and "cannot be written" in errors[2]
    assert sorted(p.name for p in tmp_path.iterdir() if p.is_file()) == ["a.parquet"]


def test_a_log_is_never_written_over_itself(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    log = tmp_path / "run.csv"
    log.write_bytes((workflow.demo_folder() / "dyno.csv").read_bytes())
    before = log.read_bytes()
    assert main(["export", str(log), str(log)]) == 2
    assert log.read_bytes() == before
    assert "is the log itself" in capsys.readouterr().err
