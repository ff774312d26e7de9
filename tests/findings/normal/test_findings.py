"""What is told of a session's normal, and the same session on another day."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from basso.analysis import Analysis, analyse
from basso.findings.normal.before import AirsPart
from basso.findings.normal.findings import EarlierNormal, NormalFindings, earlier_of, find_normal
from basso.findings.normal.question import Question
from basso.findings.normal.what_if import what_if
from basso.oil.grades import Grade, grade
from basso.pressure.earlier import Earlier, KeptNormal, Known
from basso.pressure.floors import FLOOR_RULES, Fixed, Less, PointTable, Share, Slope
from basso.pressure.options import JudgeOptions
from basso.report.normal_documents import ceiling_words, port_words
from basso.standin.circuit import harrowfell
from basso.standin.engine import Heat, TrueEngine
from basso.standin.scenarios import generator, run_setup
from basso.standin.simulate import Setup, true_dips
from basso.trust.known import KnownSensor
from basso.units import DisplayUnits
from basso.workflow import demo_folder, open_recording
from support import CLEAN, made_recording, recording_of


@pytest.fixture(scope="module")
def analysis() -> Analysis:
    return analyse(open_recording(demo_folder() / "baseline-2.csv"))


@pytest.fixture(scope="module")
def told(analysis: Analysis) -> NormalFindings:
    found = find_normal(analysis)
    assert found is not None
    return found


def test_every_floor_rule_is_held_by_itself(analysis: Analysis, told: NormalFindings) -> None:
    by_name = {s.floor_rule.name: s for s in told.floor_rules}
    assert set(by_name) == {s.name for s in FLOOR_RULES}
    assert {n for n, s in by_name.items() if s.active} == {"7 psi per 1000 rpm", "% of normal"}
    for s in told.floor_rules:  # each as if it were the only rule
        alone = analyse(analysis.recording, JudgeOptions(floors=(s.floor_rule.floor,)))
        assert s.dips == len(alone.dips) and s.below_s == pytest.approx(sum(d.dip.duration_s for d in alone.dips))
    lean = by_name["7 psi per 1000 rpm"]
    assert lean.at_hot_kpa == pytest.approx(48.3 * told.racing_rpm / 1000.0)
    share = by_name["% of normal"]
    assert share.over_kpa == pytest.approx(share.at_hot_kpa * 0.3 / 0.7)  # type: ignore[operator]


def test_a_floor_of_ones_own_takes_its_rules_place(analysis: Analysis) -> None:
    own = (PointTable(((2000.0, 150.0), (6000.0, 330.0))), Slope(10.0, 40.0), Share(0.7))
    found = find_normal(analyse(analysis.recording, JudgeOptions(floors=own)))
    assert found is not None
    active = {s.floor_rule.name: s.floor_rule.floor for s in found.floor_rules if s.active}
    assert active == {"Maker's figures": own[0], "Your own": own[1], "% of normal": own[2]}


def test_the_question_moves_the_answer(analysis: Analysis, told: NormalFindings) -> None:
    asked = find_normal(
        analysis, Question(rpm=5000.0, hot_c=100.0, data_sheets={"House oil": Grade("House oil", 60.0, 9.0)})
    )
    assert asked is not None and asked.advice is not None and told.advice is not None
    assert asked.advice.floor_kpa == pytest.approx(48.3 * 5.0)
    assert any(g.grade.name == "House oil" for g in asked.advice.grades)
    assert asked.advice.lightest is not None and told.advice.lightest is not None
    assert asked.advice.lightest.grade.at_100_mm2ps <= told.advice.lightest.grade.at_100_mm2ps


def test_held_against_earlier_sessions(analysis: Analysis, told: NormalFindings) -> None:
    spring = analyse(open_recording(demo_folder() / "baseline-1.csv"))
    found = find_normal(analysis, earlier=[EarlierNormal("Stint 1", "2026-05-12", spring.expected)])
    assert found is not None and found.change is not None
    assert found.change.cause == "none" and abs(found.change.offset_kpa) < 5.0
    assert told.change is None and told.history == ()


def test_nothing_is_told_of_what_cannot_be_judged() -> None:
    assert find_normal(analyse(made_recording(rpm=3000.0))) is None
    rpm = 3500.0 + 2000.0 * np.sin(np.arange(10_000) / 350.0)
    by_rpm = find_normal(
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
    from basso.standin.car import Outing
    from basso.standin.circuit import harrowfell

    setup = Setup(
        harrowfell(),
        engine=TrueEngine(relief_kpa=480.0),
        heat=Heat(start_c=75.0 + ambient_c, ambient_c=ambient_c),
        session=Outing(laps=6),
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

    from basso.findings.normal.findings import idles_before
    from basso.normal.warmup import HotIdle

    own = find_normal(analysis)
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
    found = find_normal(
        analysis, earlier=[EarlierNormal("a", "", e, then), EarlierNormal("b", "", e, far), EarlierNormal("c", "", e)]
    )
    assert found is not None
    np.testing.assert_allclose(idles_before(found), [now.kpa], rtol=1e-6)


def test_warmer_air_is_told_with_what_the_air_does_on_this_car(analysis: Analysis) -> None:
    by_sessions = AirsPart(0.5, 0.3, 0.7, 6)
    air, oil = what_if(analysis, 0.0, air_c=20.0, part=by_sessions), what_if(analysis, 10.0)
    assert air is not None and oil is not None
    assert air.hotter_c == pytest.approx(10.0) and (air.dips, air.below_s) == (oil.dips, pytest.approx(oil.below_s))
    # What is not known of the air's part widens the band, and nothing else.
    assert air.high_s > oil.high_s and air.low_s <= oil.low_s
    colder = what_if(analysis, 0.0, air_c=-20.0, part=by_sessions)
    assert colder is not None and colder.low_s <= colder.below_s <= colder.high_s and colder.below_s <= air.below_s


def test_the_owners_lines_and_ceilings_are_told_of(analysis: Analysis, told: NormalFindings) -> None:
    question = Question(
        lines=(("Act now", Fixed(276.0)), ("Alarm", Less(45.0))),
        ceilings={"10W-40": 104.0, "5W-40": 90.0},
        clearance="race",
        pump_cm3=12.0,
    )
    found = find_normal(analysis, question)
    assert found is not None and found.advice is not None and told.advice is not None
    alone = analyse(analysis.recording, JudgeOptions(floors=(Fixed(276.0),)))
    assert [x.floor_rule.name for x in found.lines] == ["Act now", "Alarm"] and found.lines[0].dips == len(alone.dips)
    by_name = {g.grade.name: g for g in found.advice.grades}
    own = by_name["10W-40"]
    assert own.ceiling_set and own.limit_c == 104.0 and not own.pressure_first
    assert by_name["0W-20"].limit_c == by_name["0W-20"].holds_to_c and by_name["0W-20"].pressure_first
    assert analysis.temperature_c is not None
    over = float(np.sum(analysis.temperature_c > 104.0)) * float(np.median(np.diff(analysis.time_s)))
    assert found.over_ceiling_s == pytest.approx(over, rel=0.01) and told.over_ceiling_s is None
    # A grade over its ceiling on the hottest lap is not "the lightest that holds".
    assert told.advice.lightest is not None and found.advice.lightest is not None
    assert told.advice.lightest.grade.name in ("5W-40", "10W-40")
    assert found.advice.lightest.grade.name not in ("5W-40", "10W-40")
    assert "ceiling (104 °C, set for it)" in ceiling_words(found, DisplayUnits())
    assert found.flow is not None and found.flow.clearance == "race" and told.flow is None


def test_what_the_garage_knows_stands_in_order_of_what_it_says(analysis: Analysis) -> None:
    def kept(title: str, **how: bool) -> KeptNormal:
        return KeptNormal(title, "2026-05-01", analysis.expected, 2, **how)

    earlier = (
        Earlier("Stint 1", "2026-04-01", analysis.expected),
        Earlier("Armed", "2026-04-02", analysis.expected, masked=True),
    )
    known = Known(earlier=earlier, kept=(kept("other build"), kept("own", holds=True, own=True)))
    assert [e.title for e in earlier_of(known)] == ["own", "other build", "Stint 1", "Armed"]
    found = find_normal(analysis, earlier=earlier_of(known))
    assert found is not None and found.held is not None
    # An armed accumulator holds a session's pressure up: nothing is held against it.
    assert [h.earlier.title for h in found.history] == [
        "own",
        "other build",
        "Stint 1",
    ] and found.held.earlier.title == "Stint 1"
    holds = Known(earlier=earlier, kept=(kept("version 1"), kept("version 2", holds=True)))
    best = find_normal(analysis, earlier=earlier_of(holds))
    assert best is not None and best.held is not None and best.held.earlier.title == "version 2"
    assert earlier_of(None) == []


def test_a_normal_learned_with_another_oil_is_moved_before_it_is_held_against() -> None:
    thick, thin = (
        analyse(
            recording_of(
                run_setup(
                    Setup(harrowfell(), engine=TrueEngine(oil=oil), heat=Heat(start_c=78)), CLEAN, generator("moved", 3)
                )[1]
            ),
            JudgeOptions(oil=grade(oil)),
        )
        for oil in ("10W-40", "5W-30")
    )
    found = find_normal(thin, earlier=[EarlierNormal("Spring", "2026-04-01", thick.expected)])
    assert found is not None and found.held is not None and found.change is not None
    assert found.held.moved and found.change.cause == "none" and abs(found.change.offset_kpa) < 12.0
    # Taken as the same oil, it is a thinner one.
    blind = analyse(thin.recording, JudgeOptions(oil=grade("10W-40")))
    seen = find_normal(blind, earlier=[EarlierNormal("Spring", "2026-04-01", thick.expected)])
    assert seen is not None and seen.held is not None and seen.change is not None
    assert (
        not seen.held.moved
        and seen.change.offset_kpa < -25.0
        and seen.change.candidates[0].pattern.key in ("thin_oil", "worn_bearings")
    )


def test_the_makers_port_is_held_against_the_registers(analysis: Analysis) -> None:
    def said(maker: str, place: str | None) -> str:
        sensor = KnownSensor("P1", "gauge", "on a flexible line", place) if place is not None else None
        held = replace(analysis, options=replace(analysis.options, known=Known(sensor)))
        found = find_normal(held, Question(maker_port=maker))
        assert found is not None
        return port_words(found)

    assert "70 to 140 kPa apart" in said("pump outlet", "main gallery")
    assert said("main gallery", "main gallery") == "" and said("", "main gallery") == ""
    assert "not in the register" in said("pump outlet", None)
