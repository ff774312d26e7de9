"""A recording held against the car's earlier sessions: zero, scale, relief, cold start."""

from __future__ import annotations

import json
from dataclasses import replace

import numpy as np
import pytest

from basso.analysis import analyse
from basso.car.known import figures_of
from basso.normal.expected import no_expectation
from basso.oil.grades import usual
from basso.oilway.drops import Drop
from basso.pressure.earlier import Earlier, Known, check_zero_trend, cold_peak_kpa, relief_of
from basso.pressure.options import JudgeOptions
from basso.recording.corrections import Correction, apply
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.trust.verdict import Check
from support import CLEAN, harrowfell_session


def before(zero: float | None, day: str = "2026-05-01", air: float | None = None, same: bool = True) -> Earlier:
    return Earlier("Stint", day, no_expectation(""), zero, air, same_sensor=same)


def zero(measured: float | None) -> Check:
    return Check("zero", "ok", "", "P1", measured=measured)


@pytest.mark.parametrize(
    ("now", "earlier", "level"),
    [
        (0.4, [0.2, 0.5, 0.1], "ok"),
        (6.0, [0.2, 0.5, 0.1], "warn"),
        (-5.0, [0.2], "warn"),
        (100.8, [0.2, 0.4], "warn"),
        (0.1, [100.9], "warn"),
        (98.0, [100.9, 101.5], "ok"),
        (80.0, [100.9, 101.5], "warn"),
    ],
)
def test_a_zero_that_moved_is_told(now: float, earlier: list[float], level: str) -> None:
    assert check_zero_trend(zero(now), None, [before(z) for z in earlier]).level == level


def test_of_a_sensor_that_counts_from_vacuum_what_the_air_did_is_no_drift() -> None:
    hills = [before(100.0, air=100.2), before(99.5, air=99.8)]
    assert check_zero_trend(zero(82.0), 82.3, hills).level == "ok"
    assert check_zero_trend(zero(90.0), 82.3, hills).level == "warn"


def test_a_zero_that_always_wandered_may_wander() -> None:
    wandering = [before(z) for z in (-6.0, 5.0, 1.0, -4.0, 6.0)]
    assert check_zero_trend(zero(9.0), None, wandering).level == "ok"


def test_without_an_earlier_zero_of_the_same_sensor_nothing_is_passed() -> None:
    for earlier in ([], [before(None)], [before(0.1, same=False)]):
        check = check_zero_trend(zero(0.0), None, earlier)
        assert check.level == "note" and check.message.startswith("Cannot be checked")
    assert check_zero_trend(zero(None), None, [before(0.1)]).level == "note"


def scaled(recording: Recording, by: float) -> Recording:
    channel = recording.channel(Role.OIL_PRESSURE)
    assert channel is not None
    return apply(recording, [Correction(channel.name, "scale", by, "", "")])


@pytest.fixture(scope="module")
def earlier() -> tuple[Earlier, ...]:
    sessions = [harrowfell_session(CLEAN, seed=s) for s in (21, 22)]
    return tuple(figures_of(analyse(s), f"Stint {i}", f"2026-05-0{i + 1}", usual()) for i, s in enumerate(sessions))


@pytest.mark.parametrize("by", [2.0, 4.0])
def test_a_pressure_that_reads_so_many_times_as_much_as_before_is_put_back(
    earlier: tuple[Earlier, ...], by: float
) -> None:
    clean = harrowfell_session(CLEAN, seed=23)
    judged = analyse(scaled(clean, by), JudgeOptions(known=Known(None, earlier)))
    (correction,) = (c for c in judged.corrections if c.kind == "scale")
    assert correction.value == pytest.approx(1.0 / by, rel=0.06)
    true = analyse(clean, JudgeOptions(known=Known(None, earlier)))
    assert not any(c.kind == "scale" for c in true.corrections)
    assert len(judged.dips) == pytest.approx(len(true.dips), abs=1)


def test_a_pressure_of_half_as_much_is_told_and_left(earlier: tuple[Earlier, ...]) -> None:
    judged = analyse(scaled(harrowfell_session(CLEAN, seed=23), 0.5), JudgeOptions(known=Known(None, earlier)))
    check = next(c for c in judged.checks if c.id == "scale")
    assert check.level == "warn" and check.offered and "second gauge" in check.message
    assert not any(c.kind == "scale" for c in judged.corrections)


def test_figures_come_back_from_json_as_they_were(earlier: tuple[Earlier, ...]) -> None:
    first = replace(earlier[0], drops=(Drop("filter", 20.0, 5.0, 0.4, 0.1),))
    again = Earlier.from_plain(json.loads(json.dumps(first.as_plain())))
    assert again.as_plain() == first.as_plain()
    rpm, heat = np.array([2000.0, 6000.0]), np.array([90.0, 110.0])
    np.testing.assert_array_equal(again.expected.at(rpm, heat), first.expected.at(rpm, heat))


def test_the_relief_is_where_pump_and_bearings_alone_would_reach_it(earlier: tuple[Earlier, ...]) -> None:
    expected = replace(earlier[0].expected, relief_kpa=400.0, rpm_range=(1500.0, 9000.0))
    relief = relief_of(expected, at_c=100.0)
    assert relief is not None and relief.knee_rpm is not None
    free = replace(expected, relief_kpa=1e9)
    assert free.at(np.array([relief.knee_rpm]), np.array([100.0]))[0] == pytest.approx(relief.kpa, rel=2e-3)
    # The valve's pressure is told where it opens; it rises a little with engine speed.
    assert relief.kpa == pytest.approx(400.0 * (relief.knee_rpm / 4000.0) ** expected.relief_rise, rel=1e-6)
    # Never run up to it: then where it is was not seen.
    unseen = relief_of(replace(expected, rpm_range=(1500.0, relief.knee_rpm - 500.0)), at_c=100.0)
    assert unseen is not None and unseen.knee_rpm is None
    assert relief_of(no_expectation("")) is None


def test_the_peak_of_a_cold_start_is_no_spike() -> None:
    heat = np.linspace(10.0, 90.0, 400)
    kpa = np.full(400, 300.0)
    kpa[20:60] = 620.0
    kpa[100] = 1500.0
    assert cold_peak_kpa(kpa, heat) == 620.0
    assert cold_peak_kpa(kpa, heat + 50.0) is None and cold_peak_kpa(kpa, None) is None
