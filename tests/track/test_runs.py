"""What is driven where there are no laps, cut out by itself."""

from __future__ import annotations

import numpy as np
import pytest

from basso.analysis import analyse
from basso.recording.roles import Role
from basso.track.runs import Run, route_of
from support import judged_scenario, made_recording


def kinds(runs: tuple[Run, ...]) -> dict[str, int]:
    found = [r.kind for r in runs]
    return {k: found.count(k) for k in dict.fromkeys(found)}


def test_a_strip_gives_a_launch_a_pass_and_a_stop_for_each_run() -> None:
    judged = judged_scenario("truth-launch", 3)
    runs = judged.analysis.runs
    assert kinds(runs) == {"launch": 8, "straight pass": 8, "stop": 8}
    speed, t = judged.simulated.drive.speed_mps, judged.simulated.drive.time_s
    began = t[1:][(speed[:-1] < 1.0) & (speed[1:] >= 1.0)]
    launches = [r.start_s for r in runs if r.kind == "launch"]
    assert launches == pytest.approx(began.tolist(), abs=0.15)
    assert all(r.distance_m == pytest.approx(699.0, rel=0.02) for r in runs if r.kind == "straight pass")


def test_hill_climbs_are_runs_over_one_route_and_laps_are_none() -> None:
    a = judged_scenario("hill-climb", 10).analysis
    assert kinds(a.runs) == {"launch": 4, "hill climb": 4, "stop": 4}
    assert len(route_of(a.runs)) == 4 and len(a.rounds) == 4 and not any(x.complete for x in a.laps)
    assert a.track is not None and not a.track.shape.closed and a.track.length_m == pytest.approx(1097.0, rel=0.01)


def test_a_run_over_another_route_is_no_round() -> None:
    runs = tuple(Run("hill climb", i, 0.0, 50.0, d) for i, d in enumerate((1100.0, 1105.0, 1098.0, 700.0), 1))
    assert [r.number for r in route_of(runs)] == [1, 2, 3]
    assert route_of(()) == ()


def test_sweeps_on_the_dyno_and_nothing_else_there() -> None:
    a = judged_scenario("dyno", 1).analysis
    assert kinds(a.runs) == {"dyno sweep": 7}
    rpm = a.rpm
    for r in a.runs:
        first, last = np.searchsorted(a.time_s, (r.start_s, r.end_s))
        assert rpm[last] - rpm[first] > 2000.0


def test_a_stint_of_laps_has_its_launch_and_its_stop_and_no_pass() -> None:
    assert kinds(judged_scenario("baseline-1", 3).analysis.runs) == {"launch": 1, "stop": 1}


def test_only_a_start_with_cold_oil_is_a_cold_start() -> None:
    seconds, rate = 90, 50
    t = np.arange(seconds * rate) / rate
    rpm = np.where(t < 5.0, 0.0, 1400.0)
    for first_c, expected in ((15.0, 1), (80.0, 0)):
        a = analyse(
            made_recording(
                seconds=seconds, oil_pressure=np.where(t < 5.0, 0.0, 500.0), rpm=rpm, oil_temp=first_c + 0.1 * t
            )
        )
        starts = [r for r in a.runs if r.kind == "cold start"]
        assert len(starts) == expected
        if starts:
            assert starts[0].start_s == pytest.approx(5.0, abs=0.1) and starts[0].duration_s == pytest.approx(
                60.0, abs=0.1
            )


def test_without_speed_a_launch_is_known_by_g_and_engine() -> None:
    a = judged_scenario("truth-launch", 3).analysis
    gone = (Role.SPEED, Role.LAP)
    bare = analyse(a.recording.with_channels(tuple(c for c in a.recording.channels if c.role not in gone)))
    launches = [r.start_s for r in bare.runs if r.kind == "launch"]
    assert launches == pytest.approx([r.start_s for r in a.runs if r.kind == "launch"], abs=1.0)
