"""The recipe: what goes in comes out with the result, nothing is changed on the way, and progress is told."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from basso import workflow
from basso.analysis import analyse
from basso.analysis.pooled import pooled_normal
from basso.errors import Cancelled, FormatError, InputError
from basso.pressure.dips import DipRules
from basso.pressure.earlier import Known
from basso.pressure.floors import Share
from basso.pressure.options import JudgeOptions
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.report.documents import analysis_document
from basso.standin.faults import Logger
from basso.units import DisplayUnits
from basso.words.headline import sentence
from support import CLEAN, harrowfell_session, judged_scenario, made_recording, recording_of

DEMO = workflow.demo_folder()


@pytest.fixture(scope="module")
def baseline() -> Recording:
    return workflow.open_recording(DEMO / "baseline-1.csv")


def test_judging_changes_nothing_in_the_recording(baseline: Recording) -> None:
    before = [c.values.copy() for c in baseline.channels]
    analyse(baseline)
    for channel, values in zip(baseline.channels, before, strict=True):
        np.testing.assert_array_equal(channel.values, values)


def test_the_result_carries_its_inputs(baseline: Recording) -> None:
    options = JudgeOptions(rules=DipRules(rpm_gate=2000.0))
    a = analyse(baseline, options)
    assert a.recording is baseline
    assert a.options is options
    assert a.time_s.shape == a.pressure_kpa.shape == a.expected_kpa.shape == a.floor.kpa.shape == a.judged.shape


def test_progress_goes_up_to_1_and_says_what_is_done(baseline: Recording) -> None:
    told: list[tuple[float, str]] = []
    analyse(baseline, progress=lambda fraction, what: told.append((fraction, what)))
    fractions = [f for f, _ in told]
    assert fractions == sorted(fractions)
    assert fractions[-1] == 1.0
    assert all(what for _, what in told)


def test_work_stops_where_progress_says_so(baseline: Recording) -> None:
    def stop(fraction: float, what: str) -> None:
        if fraction > 0.4:
            raise Cancelled

    with pytest.raises(Cancelled):
        analyse(baseline, progress=stop)


def test_a_pooled_normal_is_one_curve_for_both_stints() -> None:
    recordings = [workflow.open_recording(DEMO / f"baseline-{i}.csv") for i in (1, 2)]
    pooled = pooled_normal(recordings)
    alone = [analyse(r).expected for r in recordings]
    assert pooled.valid
    assert pooled.samples == sum(e.samples for e in alone)
    rpm, heat = np.array([3000.0, 4500.0, 6000.0]), np.full(3, 103.0)
    for e in alone:
        np.testing.assert_allclose(pooled.at(rpm, heat), e.at(rpm, heat), rtol=0.04)


def test_a_normal_of_nothing_says_why() -> None:
    empty = pooled_normal([made_recording(oil_pressure=300.0)])
    assert not empty.valid
    assert empty.reason


def test_a_recording_of_one_moment_is_not_judged_but_not_refused() -> None:
    a = analyse(made_recording(seconds=0.1, oil_pressure=300.0, rpm=3000.0))
    assert a.dips == ()
    assert not a.expected.valid


@pytest.mark.parametrize("hole", ["rpm", "oil_temp", "lateral_g"])
def test_a_channel_that_drops_out_for_a_while_makes_no_dips(baseline: Recording, hole: str) -> None:
    a = analyse(baseline)
    channels = []
    for c in baseline.channels:
        values = c.values.copy()
        if c.role == hole:
            values[6000:8000] = np.nan
        channels.append(replace(c, values=values))
    holed = analyse(baseline.with_channels(tuple(channels)))
    inside = [d for d in holed.dips if 305.0 < d.dip.start_s < 395.0]
    outside = [d for d in holed.dips if not 295.0 < d.dip.start_s < 405.0]
    assert len(outside) >= 0.85 * len([d for d in a.dips if not 295.0 < d.dip.start_s < 405.0])
    if hole != "lateral_g":
        assert inside == []


def test_twice_the_sampling_rate_gives_the_same_dips() -> None:
    from basso.standin.faults import Logger, write_csv
    from basso.standin.scenarios import SCENARIOS, generator
    from basso.standin.simulate import simulate

    setup, _ = SCENARIOS["truth-left"].setup(generator("truth-left", 102))
    simulated = simulate(setup, generator("rates", 1))
    counts = []
    for rate in (25, 50, 100):
        a = analyse(recording_of(write_csv(simulated, Logger(rate), generator("logger", 1))))
        counts.append([d.dip.start_s for d in a.dips])
    assert len(counts[0]) == len(counts[1]) == len(counts[2])
    assert counts[0] == pytest.approx(counts[2], abs=0.08)


def test_severity_follows_the_share_of_normal() -> None:
    for d in judged_scenario("truth-right", 101).analysis.dips:
        assert d.dip.min_share is not None
        expected = "severe" if d.dip.min_share < 0.4 else "serious" if d.dip.min_share < 0.6 else "dip"
        assert d.severity == expected


def test_exposure_is_the_sum_of_the_dips() -> None:
    a = judged_scenario("baseline-1", 3).analysis
    assert a.exposure.below_floor_s == pytest.approx(sum(d.dip.duration_s for d in a.dips))
    assert a.exposure.running_s <= a.time_s[-1]
    assert a.exposure.judged_s <= a.exposure.running_s


class TestWriting:
    def test_a_file_is_whole_or_not_there(self, tmp_path: Path) -> None:
        target = tmp_path / "x.csv"
        workflow.write_whole(target, b"one")
        workflow.write_whole(target, b"two")
        assert target.read_bytes() == b"two"
        assert list(tmp_path.iterdir()) == [target]

    def test_what_was_there_stays_when_writing_fails(self, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
        target = tmp_path / "x.csv"
        target.write_bytes(b"old")

        def full(handle: int) -> None:
            raise OSError(28, "No space left on device")

        monkeypatch.setattr("os.fsync", full)
        with pytest.raises(InputError, match="No space left"):
            workflow.write_whole(target, b"new")
        assert target.read_bytes() == b"old"
        assert list(tmp_path.iterdir()) == [target]

    def test_a_folder_that_is_not_there_is_said(self) -> None:
        with pytest.raises(InputError, match="choose another folder"):
            workflow.write_whole(Path("/nowhere/x.csv"), b"x")


def test_errors_name_file_place_and_remedy() -> None:
    error = FormatError("run.csv", "is odd", "mend it", "row 3")
    assert str(error) == "run.csv, row 3: is odd; mend it."
    assert isinstance(error, InputError)


def test_every_demo_session_opens_and_says_something_sound() -> None:
    for path in sorted(DEMO.glob("*.csv")):
        a = analyse(workflow.open_recording(path))
        assert a.judgeable, path.name
        assert a.expected.valid, path.name
        assert a.recording.has(Role.OIL_TEMP)


def test_the_readme_shows_pictures_that_exist() -> None:
    root = Path(__file__).parent.parent
    import re

    readme = (root / "README.md").read_text()
    shown = re.findall(r"\((docs/screenshots/[^)]+)\)", readme)
    assert len(shown) >= 4
    assert all((root / s).is_file() for s in shown)
    assert len(list((root / "docs" / "screenshots").iterdir())) < 20
    assert re.findall(r"^    make (\w+)", readme, re.MULTILINE)[:2] == ["demo", "test"]


@pytest.mark.parametrize("logger", [Logger(50, vibration_kpa=40.0), Logger(20, noise_kpa=10.0)])
def test_what_a_sensor_shakes_by_is_no_exposure(logger: Logger) -> None:
    """Share of normal, depth and severity are those of the oil, not of the sensor; the lowest reading stays what was
    read."""
    quiet, shaken = (
        analyse(harrowfell_session(x, laps=6)) for x in (replace(logger, vibration_kpa=0.0, noise_kpa=2.2), logger)
    )
    for (level, true), (_, found) in zip(
        quiet.exposure.share_of_time_below, shaken.exposure.share_of_time_below, strict=True
    ):
        assert true is not None and found == pytest.approx(true, abs=0.012), level
    order = {"dip": 0, "serious": 1, "severe": 2}
    worst_quiet, worst = (max(order[d.severity] for d in a.dips) for a in (quiet, shaken))
    assert worst <= worst_quiet
    deepest = min(shaken.dips, key=lambda d: d.dip.min_margin_kpa).dip
    part = slice(deepest.first, deepest.last)
    assert deepest.min_pressure_kpa == float(np.nanmin(shaken.pressure_kpa[part]))
    assert deepest.told_margin_kpa > deepest.min_margin_kpa
    event = next(
        e for e in analysis_document(shaken)["events"] if e["start_s"] == pytest.approx(deepest.start_s, abs=0.001)
    )
    assert event["min_share"] < event["told_share"]
    assert all("told_share" not in e for e in analysis_document(quiet)["events"])


@pytest.mark.parametrize(("clearance", "said"), [("race", True), ("loose", True), ("production", False), ("", False)])
def test_the_lean_rule_is_not_used_silently_on_wide_clearances(clearance: str, said: bool) -> None:
    recording = harrowfell_session(CLEAN)
    a = analyse(recording, JudgeOptions(known=Known(clearance=clearance)))
    checks = [c for c in a.checks if c.id == "clearance"]
    assert (
        bool(checks) is said
        and ("the 7 psi per 1000 rpm rule is for production ones" in sentence(a, DisplayUnits())) is said
    )
    other = analyse(recording, JudgeOptions(known=Known(clearance=clearance), floors=(Share(0.7),)))
    assert not any(c.id == "clearance" for c in other.checks)
