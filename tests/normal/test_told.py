"""What is told of a session's normal, and the same session on another day."""

from __future__ import annotations

import numpy as np
import pytest

from basso.analysis import Analysis, analyse
from basso.normal.question import Question
from basso.normal.told import EarlierNormal, NormalTold, tell_normal
from basso.normal.what_if import what_if
from basso.oil.grades import Grade
from basso.pressure.floors import SCHOOLS, Fixed, Share, Slope, Table
from basso.pressure.options import JudgeOptions
from basso.standin.engine import Engine, Heat
from basso.standin.scenarios import generator, run_setup
from basso.standin.simulate import Setup, true_dips
from basso.workflow import demo_folder, open_recording
from support import CLEAN, made_recording, recording_of


@pytest.fixture(scope="module")
def analysis() -> Analysis:
    return analyse(open_recording(demo_folder() / "baseline-2.csv"))


@pytest.fixture(scope="module")
def told(analysis: Analysis) -> NormalTold:
    found = tell_normal(analysis)
    assert found is not None
    return found


def test_every_school_is_held_by_itself(analysis: Analysis, told: NormalTold) -> None:
    by_name = {s.school.name: s for s in told.schools}
    assert set(by_name) == {s.name for s in SCHOOLS}
    assert {n for n, s in by_name.items() if s.active} == {"Lean per-thousand", "Share of normal"}
    for s in told.schools:  # each as if it were the only rule
        alone = analyse(analysis.recording, JudgeOptions(floors=(s.school.floor,)))
        assert s.dips == len(alone.dips) and s.below_s == pytest.approx(sum(d.dip.duration_s for d in alone.dips))
    lean = by_name["Lean per-thousand"]
    assert lean.at_hot_kpa == pytest.approx(48.3 * told.racing_rpm / 1000.0)
    share = by_name["Share of normal"]
    assert share.over_kpa == pytest.approx(share.at_hot_kpa * 0.3 / 0.7)  # type: ignore[operator]


def test_a_floor_of_ones_own_takes_its_schools_place(analysis: Analysis) -> None:
    own = (Table(((2000.0, 150.0), (6000.0, 330.0))), Slope(10.0, 40.0), Share(0.7))
    found = tell_normal(analyse(analysis.recording, JudgeOptions(floors=own)))
    assert found is not None
    active = {s.school.name: s.school.floor for s in found.schools if s.active}
    assert active == {"Maker's point": own[0], "Your own": own[1], "Share of normal": own[2]}


def test_the_question_moves_the_answer(analysis: Analysis, told: NormalTold) -> None:
    asked = tell_normal(
        analysis, Question(rpm=5000.0, hot_c=100.0, data_sheets={"House oil": Grade("House oil", 60.0, 9.0)})
    )
    assert asked is not None and asked.advice is not None and told.advice is not None
    assert asked.advice.floor_kpa == pytest.approx(48.3 * 5.0)
    assert any(g.grade.name == "House oil" for g in asked.advice.grades)
    assert asked.advice.lightest is not None and told.advice.lightest is not None
    assert asked.advice.lightest.grade.at_100_mm2ps <= told.advice.lightest.grade.at_100_mm2ps


def test_held_against_earlier_sessions(analysis: Analysis, told: NormalTold) -> None:
    spring = analyse(open_recording(demo_folder() / "baseline-1.csv"))
    found = tell_normal(analysis, earlier=[EarlierNormal("Stint 1", "2026-05-12", spring.expected)])
    assert found is not None and found.change is not None
    assert found.change.cause == "none" and abs(found.change.offset_kpa) < 5.0
    assert told.change is None and told.history == ()


def test_nothing_is_told_of_what_cannot_be_judged() -> None:
    assert tell_normal(analyse(made_recording(rpm=3000.0))) is None
    rpm = 3500.0 + 2000.0 * np.sin(np.arange(10_000) / 350.0)
    by_rpm = tell_normal(
        analyse(
            made_recording(
                seconds=200.0, rpm=rpm, oil_pressure=0.06 * rpm + np.random.default_rng(1).normal(0.0, 2.0, rpm.size)
            )
        )
    )
    # Without oil temperature no oil can be advised, and no other day computed.
    assert by_rpm is not None and by_rpm.analysis.expected.valid
    assert by_rpm.advice is None and by_rpm.warm_up is None
    assert what_if(by_rpm.analysis, 10.0) is None


def _session(ambient_c: float) -> tuple[Analysis, int]:
    from basso.standin.car import Session
    from basso.standin.circuit import harrowfell

    setup = Setup(
        harrowfell(),
        engine=Engine(relief_kpa=480.0),
        heat=Heat(start_c=75.0 + ambient_c, ambient_c=ambient_c),
        session=Session(laps=6),
    )
    simulated, csv = run_setup(setup, CLEAN, generator("another day", 1))
    return analyse(recording_of(csv)), len(true_dips(simulated))


def test_as_driven_it_is_as_it_was(analysis: Analysis) -> None:
    same = what_if(analysis, 0.0)
    assert same is not None
    assert (same.dips, same.low_dips, same.high_dips) == (len(analysis.dips),) * 3
    assert same.below_s == pytest.approx(sum(d.dip.duration_s for d in analysis.dips))


def test_a_hotter_day_is_foretold_as_it_comes() -> None:
    mild, _ = _session(14.0)
    hot, _ = _session(26.0)
    assert mild.temperature_c is not None and hot.temperature_c is not None
    hotter = float(np.median(hot.temperature_c[hot.judged]) - np.median(mild.temperature_c[mild.judged]))
    foretold = what_if(mild, hotter)
    assert foretold is not None and foretold.below_s > what_if(mild, 0.0).below_s  # type: ignore[union-attr]
    came = sum(d.dip.duration_s for d in hot.dips)
    assert foretold.low_s * 0.8 - 3.0 <= came <= foretold.high_s * 1.2 + 3.0
    assert foretold.normal_kpa[1] < foretold.normal_kpa[0]


def test_beyond_what_was_driven_is_said(analysis: Analysis) -> None:
    near, far = what_if(analysis, 2.0), what_if(analysis, 30.0, 1000.0)
    assert near is not None and far is not None
    assert near.outside < 0.5 < far.outside


def test_a_plain_floor_does_not_move_with_the_day(analysis: Analysis) -> None:
    fixed = analyse(analysis.recording, JudgeOptions(floors=(Fixed(200.0),)))
    warm, hot = what_if(fixed, 0.0), what_if(fixed, 15.0)
    assert warm is not None and hot is not None and hot.below_s > warm.below_s


def test_hot_idles_are_compared_at_one_temperature(analysis: Analysis) -> None:
    from dataclasses import replace

    from basso.normal.told import idles_before
    from basso.pressure.warmup import HotIdle

    own = tell_normal(analysis)
    assert own is not None and own.hot_idle is not None
    now, e = own.hot_idle, analysis.expected
    # 8 °C cooler the same engine idles higher, by its own curve; moved here it is the same idle.
    cooler = float(
        e.at(np.array([now.rpm]), np.array([now.temperature_c - 8.0]))[0]
        / e.at(np.array([now.rpm]), np.array([now.temperature_c]))[0]
    )
    assert cooler > 1.03
    then = HotIdle(now.kpa * cooler, 2.0, now.rpm, now.temperature_c - 8.0, 20.0)
    far = replace(then, temperature_c=now.temperature_c - 40.0)
    found = tell_normal(
        analysis, earlier=[EarlierNormal("a", "", e, then), EarlierNormal("b", "", e, far), EarlierNormal("c", "", e)]
    )
    assert found is not None
    np.testing.assert_allclose(idles_before(found), [now.kpa], rtol=1e-6)
