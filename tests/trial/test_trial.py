"""Before against after: right where a naive look is wrong, and silent where like is not held against like."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

import numpy as np
import pandas
import pytest
import statsmodels.api as sm
import statsmodels.formula.api as smf
from benchmarks.silent import shifted

from basso.analysis import analyse
from basso.findings.corners.passes import Pass
from basso.memory.decisions import Decision
from basso.pressure.earlier import Known
from basso.recording.recording import Recording
from basso.report.documents import comparison_document
from basso.standin.car import Outing
from basso.standin.circuit import harrowfell, random_circuit
from basso.standin.engine import Heat, TrueEngine
from basso.standin.faults import Logger
from basso.standin.pan import Pan
from basso.standin.scenarios import generator
from basso.standin.simulate import Setup
from basso.trial.effect import effect_on_lowest
from basso.trial.verdict import Comparison
from basso.units import DisplayUnits
from basso.words.trial import opening
from basso.workflow import run_trial
from support import CLEAN, driven_and_logged, harrowfell_session, recording_of

PLAIN = Logger()
COOL, HOT = Heat(start_c=86.0, ambient_c=15.0), Heat(start_c=94.0, ambient_c=27.0)


@lru_cache(maxsize=64)
def _run(
    side: str, seed: int, fill: float, hot: bool, laps: int = 7, circuit: int = 0, logger: Logger = PLAIN
) -> Recording:
    track = harrowfell() if circuit == 0 else random_circuit(generator("circuit", circuit))
    setup = Setup(track, pan=Pan(fill_l=fill), heat=HOT if hot else COOL, session=Outing(laps=laps))
    return recording_of(driven_and_logged(setup, logger, generator(side, seed))[1])


def _compare(a: Recording, b: Recording) -> Comparison:
    return run_trial("before", [a], "after", [b])


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_a_level_change_with_b_hotter_helps_though_it_looks_like_nothing(seed: int) -> None:
    c = _compare(_run("a", seed, 4.2, hot=False), _run("b", seed, 4.35, hot=True))
    naive = c.naive_kpa
    assert naive is not None
    assert c.verdict == "better"
    assert c.effect_kpa is not None
    assert c.effect_kpa.low > 0
    assert naive < 0.6 * c.effect_kpa.estimate


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_no_change_with_b_cooler_is_no_change_though_it_looks_like_help(seed: int) -> None:
    c = _compare(_run("a", seed, 4.2, hot=True), _run("b", seed, 4.2, hot=False))
    naive = c.naive_kpa
    assert naive is not None and naive > 15.0
    assert c.verdict == "no_clear_change"


SHAKEN = {
    "noise": Logger(noise_kpa=8.0),
    "shaken": Logger(50, vibration_kpa=25.0),
    "shaken much": Logger(10, vibration_kpa=50.0),
    "coarse": Logger(steps_kpa=25.0),
    "filtered": Logger(50, filter_s=0.3),
}


@pytest.mark.parametrize("reads", SHAKEN)
@pytest.mark.parametrize("shaken_side", ["a", "b"])
def test_a_sensor_that_shakes_on_one_side_only_is_no_effect(reads: str, shaken_side: str) -> None:
    """The lowest of many shaking readings is low by the shaking: a hose under the sensor would pass for a cure."""
    a, b = (
        _run(side, 5, 4.2, hot=False, logger=SHAKEN[reads] if side == shaken_side else PLAIN) for side in ("a", "b")
    )
    c = _compare(a, b)
    assert c.verdict == "no_clear_change"
    assert c.effect_kpa is not None and abs(c.effect_kpa.estimate) < 8.0
    assert [x.state for x in c.likeness if x.what == "Single readings"] == ([] if reads == "filtered" else ["adjusted"])


@pytest.mark.parametrize("reads", SHAKEN)
def test_a_cure_is_seen_through_the_shaking(reads: str) -> None:
    clear = _compare(_run("a", 6, 4.2, hot=False), _run("b", 6, 4.5, hot=False))
    shaken = _compare(_run("a", 6, 4.2, hot=False), _run("b", 6, 4.5, hot=False, logger=SHAKEN[reads]))
    assert clear.verdict == shaken.verdict == "better"
    assert clear.effect_kpa is not None and shaken.effect_kpa is not None
    assert shaken.effect_kpa.estimate == pytest.approx(clear.effect_kpa.estimate, rel=0.25)


def test_less_oil_is_worse() -> None:
    c = _compare(_run("a", 1, 4.5, hot=False), _run("b", 1, 4.2, hot=False))
    assert c.verdict == "worse"
    assert c.effect_kpa is not None and c.effect_kpa.high < 0


def test_one_lap_is_no_proof_and_is_shown_beside_the_others() -> None:
    c = _compare(_run("a", 1, 4.2, False, 7), _run("b", 1, 4.6, False, 1))
    assert c.verdict == "not_comparable" and c.effect_kpa is None
    assert "one lap is no proof" in c.reasons[0] and "shown side by side" in c.reasons[0]
    assert all(r.a_min_kpa is not None and r.b_min_kpa is not None and r.effect is None for r in c.corners)


@pytest.mark.parametrize(("laps_a", "laps_b"), [(2, 3), (3, 3)])
@pytest.mark.parametrize("seed", [1, 2, 3])
def test_a_few_laps_are_judged_where_the_change_stands_clear_of_their_spread(
    laps_a: int, laps_b: int, seed: int
) -> None:
    clear = _compare(_run("a", seed, 4.2, False, laps_a), _run("b", seed, 4.7, False, laps_b))
    same = _compare(_run("a", seed, 4.2, False, laps_a), _run("c", seed, 4.2, False, laps_b))
    assert clear.verdict in ("better", "not_comparable") and same.verdict == "not_comparable"
    if clear.verdict == "better":
        assert any("few laps" in r for r in clear.reasons)
    assert "does not stand clear of the spread" in same.reasons[0]


def test_a_large_change_shows_in_three_laps() -> None:
    assert _compare(_run("a", 2, 4.2, False, 3), _run("b", 2, 4.7, False, 3)).verdict == "better"


@pytest.mark.parametrize("circuit", [1, 2, 3])
def test_another_circuit_is_not_comparable(circuit: int) -> None:
    c = _compare(_run("a", 1, 4.2, False), _run("b", 1, 4.6, False, circuit=circuit))
    assert c.verdict == "not_comparable"
    assert "circuit" in c.reasons[0]


def test_no_shared_oil_temperature_is_not_comparable() -> None:
    track, session = harrowfell(), Outing(laps=5)
    runs = []
    for side, heat in (
        ("a", Heat(start_c=80, ambient_c=5, rise_c=68)),
        ("b", Heat(start_c=118, ambient_c=38, rise_c=82)),
    ):
        runs.append(
            recording_of(driven_and_logged(Setup(track, heat=heat, session=session), Logger(), generator(side, 4))[1])
        )
    c = _compare(*runs)
    assert c.verdict == "not_comparable"
    assert "temperature" in c.reasons[0]


def test_wet_against_dry_is_not_comparable() -> None:
    from basso.standin.car import Car

    wet = Setup(harrowfell(), car=Car(grip_g=0.75, brake_g=0.7), session=Outing(laps=6))
    c = _compare(_run("a", 1, 4.2, False), recording_of(driven_and_logged(wet, Logger(), generator("wet", 1))[1]))
    assert c.verdict == "not_comparable"
    assert "cornering" in c.reasons[0]


def test_an_engine_that_changed_too_is_not_credited_to_the_part() -> None:
    worn = Setup(harrowfell(), engine=TrueEngine(bearing=1.7), heat=COOL, session=Outing(laps=6))
    c = _compare(_run("a", 1, 4.2, False), recording_of(driven_and_logged(worn, Logger(), generator("worn", 1))[1]))
    assert c.verdict == "not_comparable"
    assert "straights" in c.reasons[0]


def test_the_same_log_on_both_sides_is_refused() -> None:
    one = _run("a", 1, 4.2, False)
    assert _compare(one, one).verdict == "not_comparable"


def test_the_result_carries_what_it_came_from() -> None:
    a, b = _run("a", 1, 4.2, False), _run("b", 1, 4.6, False)
    c = _compare(a, b)
    assert c.a.analyses[0].recording is a
    assert c.b.analyses[0].recording is b
    assert {p.side for p in c.passes_in_question} == {0, 1}
    assert all(r.passes_a == 7 for r in c.corners)


def _passes(effect: float, slope: float, rng: np.random.Generator, laps: int = 8, lap_noise: float = 6.0) -> list[Pass]:
    """Passes whose truth is known: a common slope over temperature, a lap's own luck, noise."""
    made = []
    for side in (0, 1):
        for lap in range(laps):
            heat = 95.0 + 1.2 * lap + 3.0 * side
            luck = rng.normal(0, lap_noise)
            for place, base in (("2", 200.0), ("4", 180.0), ("6", 240.0)):
                value = base + effect * side + slope * (heat - 100.0) + luck + rng.normal(0, 5.0)
                made.append(
                    Pass(
                        side=side,
                        lap_key=(side, 0, lap),
                        place=place,
                        min_pressure_kpa=value,
                        min_share=value / 400,
                        expected_kpa=400.0,
                        temperature_c=heat,
                        rpm=5200.0,
                        peak_g=1.15,
                        below_s=0.0,
                        time_s=0.0,
                        start_s=0.0,
                        end_s=0.0,
                        log=0,
                    )
                )
    return made


def test_the_effect_is_found_at_matched_temperature() -> None:
    rng = np.random.default_rng(1)
    passes = _passes(40.0, -4.0, rng)
    e = effect_on_lowest(passes)
    assert e is not None
    assert e.low < 40.0 < e.high
    assert e.per_degree == pytest.approx(-4.0, abs=2.0)
    assert e.level_b - e.level_a == pytest.approx(e.estimate)


@pytest.mark.parametrize("laps", [2, 3, 4, 8])
def test_the_interval_covers_the_truth_as_often_as_it_says(laps: int) -> None:
    """300 made trials with laps of their own luck: 95 of 100 intervals hold the truth, however few the laps."""
    rng = np.random.default_rng(7 + laps)
    covered = 0
    for _ in range(300):
        e = effect_on_lowest(_passes(25.0, -3.0, rng, laps=laps, lap_noise=12.0))
        assert e is not None
        covered += e.low <= 25.0 <= e.high
    assert 0.925 <= covered / 300 <= 0.98


def test_more_passes_of_the_same_laps_do_not_narrow_it_as_if_independent() -> None:
    rng = np.random.default_rng(3)
    few = _passes(25.0, -3.0, rng, lap_noise=15.0)
    many = [replace(p, place=f"{p.place}{k}") for p in few for k in range(6)]
    widths = []
    for passes in (few, many):
        e = effect_on_lowest(passes)
        assert e is not None
        widths.append(e.high - e.low)
    assert widths[1] > 0.85 * widths[0]


def test_one_lap_a_side_gives_no_effect_and_two_a_wide_one() -> None:
    assert effect_on_lowest(_passes(25.0, 0.0, np.random.default_rng(1), laps=1)) is None

    def width(laps: int) -> float:
        made = [effect_on_lowest(_passes(25.0, 0.0, np.random.default_rng(k), laps=laps)) for k in range(20)]
        return float(np.mean([e.high - e.low for e in made if e is not None]))

    assert width(2) > 1.3 * width(5)


def test_a_few_laps_are_not_asked_for_what_the_engine_says_of_itself() -> None:
    """With four laps a side the slope over temperature is not to be had from laps: normal tells it."""
    told, untold = [], []
    for seed in range(40):
        passes = _passes(25.0, -3.0 * 0.5, np.random.default_rng(seed), laps=4)
        for widths, heat in ((told, -3.0), (untold, None)):
            e = effect_on_lowest(passes, heat)
            assert e is not None
            widths.append(e.high - e.low)
    assert np.mean(told) < 0.9 * np.mean(untold)


def test_it_agrees_with_an_independent_library_on_the_same_table() -> None:
    """Generalised estimating equations with what laps have in common, corrected for few of them: estimate and error."""
    passes = _passes(25.0, -3.0, np.random.default_rng(4), laps=12, lap_noise=12.0)
    e = effect_on_lowest(passes)
    assert e is not None
    table = pandas.DataFrame(
        {
            "kpa": [p.min_pressure_kpa for p in passes],
            "side": [p.side for p in passes],
            "place": [p.place for p in passes],
            "heat": [p.temperature_c for p in passes],
            "lap": [f"{p.lap_key}" for p in passes],
        }
    )
    model = smf.gee("kpa ~ side + C(place) + heat", "lap", table, cov_struct=sm.cov_struct.Exchangeable())
    fitted = model.fit(cov_type="bias_reduced")
    assert e.estimate == pytest.approx(fitted.params["side"], abs=1.0)
    assert e.per_degree == pytest.approx(fitted.params["heat"], abs=0.3)
    assert 0.5 * (e.high - e.low) / 2.07 == pytest.approx(fitted.bse["side"], rel=0.15)


@pytest.mark.parametrize("hot", [False, True])
@pytest.mark.parametrize(
    ("offset", "gain", "engine_off"),
    [
        (14.0, 1.0, False),
        (-25.0, 1.0, False),
        (25.0, 1.0, False),
        (0.0, 1.04, False),
        (0.0, 0.94, False),
        (0.0, 0.94, True),
        (0.0, 1.06, True),
    ],
)
def test_a_shifted_sensor_is_no_cure_and_no_loss(offset: float, gain: float, engine_off: bool, hot: bool) -> None:
    a = shifted(_run("a", 3, 4.2, False), engine_off=engine_off)
    c = _compare(a, shifted(_run("b", 3, 4.2, hot), offset, gain, engine_off))
    assert c.verdict == "no_clear_change" and c.control is not None
    assert c.control.zeros_proven is engine_off
    assert any("reads" in r and "on side B" in r and "taken off" in r for r in c.reasons)
    assert any("zero is not proven" in r for r in c.reasons) is not engine_off


def test_what_a_change_does_is_still_seen_by_a_shifted_sensor() -> None:
    a, b = (
        shifted(_run(side, 3, fill, False), shift, 1.0, False)
        for side, fill, shift in (("a", 4.2, 0.0), ("b", 4.5, 14.0))
    )
    plain, found = _compare(_run("a", 3, 4.2, False), _run("b", 3, 4.5, False)), _compare(a, b)
    assert plain.effect_kpa is not None and found.effect_kpa is not None
    assert found.verdict == "better"
    assert found.effect_kpa.low < plain.effect_kpa.estimate < found.effect_kpa.high


def _steady(side: str, fill: float, start_c: float) -> Recording:
    """Five laps during which the oil warms by three degrees only."""
    setup = Setup(harrowfell(), pan=Pan(fill_l=fill), heat=Heat(start_c=start_c, tau_s=3000.0), session=Outing(laps=5))
    return recording_of(driven_and_logged(setup, PLAIN, generator(side, 1))[1])


def test_sides_that_share_no_oil_temperature_are_carried_on_a_little_with_a_wider_interval_and_no_further() -> None:
    a = _steady("a", 4.2, 90.0)
    near, far = (_compare(a, _steady("b", 4.5, start)) for start in (94.0, 98.0))
    assert far.verdict == "not_comparable" and "no oil temperature is shared" in far.reasons[0]
    assert any("share no oil temperature" in r and "wider" in r for r in near.reasons)


def test_what_cannot_be_trusted_and_is_only_offered_to_be_put_right_is_not_compared() -> None:
    """A pressure in another unit than its heading's: nothing is said of it until somebody has said that it is so."""
    small = harrowfell_session(replace(CLEAN, pressure_scale=0.145))
    sound = harrowfell_session(CLEAN, seed=8)
    refused = run_trial("A", [small], "B", [sound])
    assert refused.verdict == "not_comparable" and "cannot be trusted" in refused.reasons[0]
    unit = harrowfell_session(replace(CLEAN, pressure_scale=0.1))  # 7 psi at most: were it bar, an engine's
    check = next(c for c in analyse(unit).checks if c.id == "scale")
    assert check.offered and check.correction is not None
    assert run_trial("A", [unit], "B", [sound]).verdict == "not_comparable"
    said = Decision(edited=frozenset({(*check.correction.key, check.correction.value)}))
    taken = run_trial("A", [unit], "B", [sound], decided={unit.content_hash: said})
    assert "cannot be trusted" not in " ".join(taken.reasons)


def test_cured_is_said_only_where_no_dip_is_left_and_nothing_hides_one() -> None:
    c = _compare(_run("a", 4, 4.2, hot=False), _run("b", 4, 5.2, hot=False))
    assert c.verdict == "better" and sum(len(x.dips) for x in c.a.analyses) > 0
    flying = [d for x in c.b.analyses for d in x.dips if d.lap is not None and d.lap.complete]
    assert c.judgement == ("cured" if not flying else "helps")
    none = replace(c, b=replace(c.b, analyses=tuple(replace(x, dips=()) for x in c.b.analyses)))
    assert none.judgement == "cured" and opening(none, DisplayUnits()).title.startswith("Cured, no dip is left: ")
    armed = tuple(replace(x, options=replace(x.options, known=Known(accumulator="armed"))) for x in none.b.analyses)
    assert replace(none, b=replace(none.b, analyses=armed)).judgement == "helps", "an armed one hides dips"
    one = replace(c, b=replace(c.b, analyses=c.a.analyses))
    assert one.judgement == "helps" and opening(one, DisplayUnits()).title.startswith("Helps: ")
    never = replace(none, a=none.b)
    assert never.judgement == "helps", "where nothing dipped before there was nothing to cure"
    assert replace(none, verdict="worse").judgement == "worse"
    document = comparison_document(none)
    assert document["judgement"] == "cured"
    assert document["naive"]["min_pressure_kpa"] == pytest.approx(c.naive_kpa, abs=0.01)
