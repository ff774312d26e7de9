"""What is told about where: thresholds against pans whose uncover g is known, places ranked, both sides at equal g."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import pytest

from basso.analysis import Analysis, analyse
from basso.findings.corners.findings import CornerFindings, find_corners
from basso.findings.corners.line import circuit_line
from basso.findings.corners.passes import Pass
from basso.findings.corners.pattern import lap_pattern, place_pattern
from basso.findings.corners.rose import SECTORS, oil_rose
from basso.pressure.floors import Fixed
from basso.pressure.options import JudgeOptions
from basso.pressure.thresholds import Threshold, felt, find_thresholds
from basso.recording.roles import Role
from basso.standin.car import Car, Outing
from basso.standin.car import Outing as Drive
from basso.standin.circuit import Straight, Turn, lay_out, random_circuit
from basso.standin.engine import Heat, TrueEngine, lagged
from basso.standin.faults import Logger
from basso.standin.pan import Pan
from basso.standin.scenarios import generator, run_setup
from basso.standin.simulate import Setup, Simulated
from basso.sump.shape import BoxPan
from basso.sump.surface import pickup_head_m
from basso.track.corners import Place
from basso.units import DisplayUnits
from basso.words.corners import held_up_words, place_words, runs_words
from basso.words.session import when_words
from basso.workflow import demo_folder, open_recording
from support import judged_scenario, made_recording, recording_of

WAY = {"left": (0.0, 1.0), "right": (0.0, -1.0), "braking": (-1.0, 0.0), "acceleration": (1.0, 0.0)}


@lru_cache(maxsize=8)
def driven(seed: int, rate_hz: int = 20) -> tuple[Setup, Simulated, Analysis]:
    """A circuit, engine and pan that nobody tuned for, the pickup off the centre."""
    rng = generator("corners/test", seed)
    shape = BoxPan(0.26, 0.20, 0.16, (float(rng.uniform(-0.05, 0.05)), float(rng.uniform(-0.06, 0.06)), 0.008))
    pan = Pan(shape=shape, fill_l=float(rng.uniform(3.4, 4.2)), slosh_hz=float(rng.uniform(0.4, 0.8)))
    setup = Setup(random_circuit(rng), Car(), TrueEngine(), heat=Heat(start_c=80.0), pan=pan, session=Drive(laps=7))
    simulated, csv = run_setup(setup, Logger(rate_hz, gps=True), generator("corners/drive", seed))
    return setup, simulated, analyse(recording_of(csv))


def true_g(setup: Setup, simulated: Simulated, a: Analysis, t: Threshold) -> float | None:
    """The steady g at which the head over the pickup falls to where air is drawn, at the running level of those
    passes."""
    pan = setup.pan
    held = lagged(pan.held_up_l * simulated.drive.rpm / 7000.0, pan.held_up_s)
    at = np.clip((a.time_s[t.at] * 100.0).astype(int), 0, held.size - 1)
    g = np.linspace(0.0, 2.5, 501)
    along, side = WAY[t.direction]
    volume = np.full(g.shape, pan.fill_l - float(np.median(held[at])))
    bare = np.flatnonzero(pickup_head_m(pan.shape, volume, along * g, side * g) < pan.mouth_m)
    return float(g[bare[0]]) if bare.size else None


def test_thresholds_hold_the_g_at_which_the_pickup_is_bared() -> None:
    inside = []
    for seed in range(700, 712):
        setup, simulated, a = driven(seed)
        for t in find_thresholds(
            a.time_s, a.share, a.rpm, np.nan_to_num(a.lateral_g), np.nan_to_num(a.longitudinal_g), a.judged
        ):
            true = true_g(setup, simulated, a, t)
            if t.g is not None and t.high_g is not None:
                inside.append(true is not None and (t.low_g or 0.0) <= true <= t.high_g)
            elif t.low_g is not None and true is not None:
                assert true > 0.9 * t.low_g  # nothing fell up to there
    assert len(inside) >= 8 and np.mean(inside) >= 0.85


def test_a_pan_that_never_bares_has_no_threshold_but_a_bound() -> None:
    rng = generator("corners/full", 1)
    deep = Pan(shape=BoxPan(0.26, 0.20, 0.16, (0.0, 0.0, 0.008)), fill_l=5.2, held_up_l=0.2)
    setup = Setup(random_circuit(rng), Car(), TrueEngine(), heat=Heat(start_c=80.0), pan=deep, session=Drive(laps=6))
    a = analyse(recording_of(run_setup(setup, Logger(50, gps=True), generator("corners/full", 2))[1]))
    found = find_corners(a)
    assert found is not None and all(t.g is None for t in found.thresholds)
    left = found.threshold("left")
    assert left is not None and left.low_g is not None and left.low_g > 0.9 and left.held_s(1.5) is None and left.reason


def test_a_higher_g_may_be_held_for_less_long() -> None:
    t = Threshold(
        direction="left",
        g=1.0,
        low_g=0.9,
        high_g=1.1,
        slope=1.0,
        slosh=(0.6, 0.7),
        passes=10,
        fell=5,
        rpm=5000.0,
        felt_g=np.ones(10),
        lost=np.zeros(10),
        at=np.zeros(10, dtype=np.intp),
    )
    times = [t.held_s(g) for g in (1.01, 1.1, 1.3, 2.0)]
    assert all(v is not None for v in times) and times == sorted(times, key=lambda v: -(v or 0.0))
    assert t.held_s(0.99) is None
    # By hand: a step of twice the threshold is felt half when the step response crosses 0.5.
    step, n = 0.01, 400
    x = felt(np.where(np.arange(n) >= 1, 2.0, 0.0), step, (0.6, 0.7))
    assert t.held_s(2.0) == pytest.approx(float(np.argmax(x >= 1.0)) * step, abs=0.03)
    # What is held for good is felt as it is.
    assert felt(np.full(500, 0.8), step, (0.6, 0.7)) == pytest.approx(0.8)


def test_without_g_or_with_too_few_passes_nothing_is_claimed() -> None:
    n = 2000
    t, share, rpm, judged = np.arange(n) / 20.0, np.ones(n), np.full(n, 5000.0), np.ones(n, dtype=bool)
    assert find_thresholds(t, share, rpm, None, None, judged) == ()
    (left, right) = find_thresholds(t, share, rpm, np.zeros(n), None, judged)
    assert left.g is None and "only 0 passes" in left.reason and right.passes == 0
    assert find_thresholds(t, np.full(n, np.nan), rpm, np.zeros(n), np.zeros(n), judged) == ()


@pytest.fixture(scope="module")
def told() -> CornerFindings:
    found = find_corners(analyse(open_recording(demo_folder() / "baseline-1.csv")))
    assert found is not None
    return found


def test_places_are_ranked_by_exposure_and_a_test_corner_is_proposed(told: CornerFindings) -> None:
    assert told.analysis.track is not None
    begun = {d.place.id for d in told.analysis.dips if d.place is not None}
    expected = [p.id for p in told.analysis.track.places if p.loaded or p.id in begun]
    assert [p.place.id for p in told.places] == expected
    ranked = told.ranked
    assert [p.exposure for p in ranked] == sorted((p.exposure for p in ranked), reverse=True) and ranked[0].dips > 0
    assert all(p.dips == 0 for p in told.places if p not in ranked)
    test = told.test_place
    assert test is not None and test.dips >= 0.7 * len(test.passes)
    assert {p.phase for p in ranked} <= {"turn-in", "middle", "exit", "after it"}


def test_both_sides_are_held_at_equal_g(told: CornerFindings) -> None:
    by = {s.direction: s for s in told.sides}
    assert by["left"].share > 0.1 and by["right"].share == 0.0 and by["left"].seconds > 2.0 * by["right"].seconds
    # Driven twice as long the same way, the rate at equal g stays what it was.
    a = told.analysis
    twice = analyse(recording_twice(a))
    again = find_corners(twice)
    assert again is not None
    assert {s.direction: s.share for s in again.sides}["left"] == pytest.approx(by["left"].share, abs=0.05)


def recording_twice(a: Analysis):  # type: ignore[no-untyped-def]
    from dataclasses import replace

    r, long = a.recording, a.recording.duration_s + 0.05
    channels = tuple(
        replace(c, time_s=np.concatenate([c.time_s, c.time_s + long]), values=np.concatenate([c.values, c.values]))
        for c in r.channels
        if c.role is not Role.LAP
    )
    return replace(r, channels=channels, content_hash="c" * 64)


def test_the_rose_points_the_way_the_oil_goes() -> None:
    n = 4000
    side = np.where((np.arange(n) // 200) % 2 == 0, 1.1, 0.0)  # left turns: oil to the right
    rpm = 4500.0 + 1200.0 * np.sin(np.arange(n) / 53.0)
    pressure = 0.08 * rpm * np.where(side > 0, 0.4, 1.0)
    made = made_recording(20.0, n / 20.0, oil_pressure=pressure, rpm=rpm, lateral_g=side, longitudinal_g=0.0)
    a = analyse(made, JudgeOptions(floors=(Fixed(200.0),)))
    rose = oil_rose(a)
    assert rose is not None
    right, left = SECTORS // 4, 3 * SECTORS // 4
    assert np.nanmin(rose.share[right]) < 0.6 and np.isnan(rose.share[left][1:]).all()
    assert rose.seconds.sum() == pytest.approx(float(a.judged.sum()) / 20.0, rel=0.02)
    assert oil_rose(analyse(made_recording(20.0, 60.0, oil_pressure=pressure[:1200], rpm=rpm[:1200]))) is None


def test_the_circuit_closes_with_and_without_a_path() -> None:
    _, _, a = driven(700)
    with_path = circuit_line(a)
    assert with_path is not None and with_path.from_gps
    gone = a.recording.with_channels(
        tuple(c for c in a.recording.channels if c.role not in (Role.LATITUDE, Role.LONGITUDE))
    )
    without = circuit_line(analyse(gone))
    assert without is not None and not without.from_gps
    for line in (with_path, without):
        steps = np.hypot(np.diff(line.x_m, append=line.x_m[0]), np.diff(line.y_m, append=line.y_m[0]))
        assert steps[-1] < 12.0 and np.median(steps) == pytest.approx(5.0, abs=1.5)
    assert circuit_line(analyse(open_recording(demo_folder() / "dyno.csv"))) is None


def test_a_session_without_laps_still_has_thresholds_and_one_that_cannot_be_judged_nothing() -> None:
    climb = open_recording(demo_folder() / "hill-climb.csv")
    no_speed = climb.with_channels(tuple(c for c in climb.channels if c.role is not Role.SPEED))
    found = find_corners(analyse(no_speed))
    assert found is not None and found.places == () and found.circuit is None and found.rose is not None
    assert found.threshold("left") is not None and found.test_place is None
    assert find_corners(analyse(made_recording(oil_pressure=300.0))) is None


def test_runs_over_one_route_have_places_like_laps_and_both_ends_of_the_pan_are_told() -> None:
    found = find_corners(analyse(open_recording(demo_folder() / "hill-climb.csv")))
    assert found is not None and found.circuit is not None and not found.circuit.closed
    assert [p.place.kind for p in found.places if p.place.is_corner] == [
        "left",
        "right",
        "left",
        "left",
        "right",
        "right",
    ]
    assert all(len(p.passes) == 4 for p in found.places)
    ends = runs_words(found)
    assert "4 launches (oil to the tail)" in ends and "4 stops (oil to the nose)" in ends
    strip = find_corners(judged_scenario("truth-launch", 3).analysis)
    assert strip is not None and strip.places == ()
    launches = [r for r in strip.runs if r.run.kind == "launch"]
    assert len(launches) == 8 and all(r.below_s > 0.0 and r.peak_g > 1.0 for r in launches)
    assert "8 of 8 below the floor" in runs_words(strip)


def _banked(bank_deg: float, gps: bool = True) -> CornerFindings:
    pieces = [
        Straight(300),
        Turn(70, 90),
        Straight(250),
        Turn(90, 90, bank_deg=bank_deg),
        Straight(300),
        Turn(70, 90),
        Straight(250),
        Turn(60, 90),
    ]
    setup = Setup(lay_out("Made", pieces), session=Outing(laps=5))
    found = find_corners(analyse(recording_of(run_setup(setup, Logger(20, gps=gps), generator("banked", 3))[1])))
    assert found is not None
    return found


@pytest.mark.parametrize("bank_deg", [0.0, 9.0, 14.0])
def test_banking_is_told_where_g_and_path_disagree_and_nowhere_else(bank_deg: float) -> None:
    corners = [p for p in _banked(bank_deg).places if p.place.is_corner]
    assert [p.banking_deg is not None for p in corners] == [False, bank_deg > 0, False, False]
    if bank_deg:
        assert corners[1].banking_deg == pytest.approx(bank_deg, abs=2.5)
        assert "banked" in place_words(corners[1]) and "banked" not in place_words(corners[0])


def test_without_a_path_no_banking_is_told() -> None:
    assert all(p.banking_deg is None for p in _banked(14.0, gps=False).places)


def _pass(lap: int, below_s: float, heat: float) -> Pass:
    return Pass(
        side=0,
        lap_key=(0, 0, lap),
        place="1",
        min_pressure_kpa=200.0,
        min_share=0.6 if below_s else 0.95,
        expected_kpa=300.0,
        temperature_c=heat,
        rpm=6000.0,
        peak_g=1.1,
        below_s=below_s,
        time_s=60.0 * lap,
        start_s=60.0 * lap,
        end_s=60.0 * lap,
        log=0,
    )


def test_a_pattern_is_told_only_where_chance_would_hardly_part_the_laps_so() -> None:
    place = Place("1", "left", 0.0, 50.0, 100.0, 1.1)
    late = place_pattern(place, [_pass(n, 0.5 if n >= 5 else 0.0, 95.0 + 2.0 * n) for n in range(1, 9)])
    assert (late.passes, late.dips, late.from_lap) == (8, 4, 5)
    assert late.above_c == pytest.approx(104.0)
    mixed = place_pattern(place, [_pass(n, 0.5 if n % 2 else 0.0, 95.0 + 2.0 * n) for n in range(1, 9)])
    assert (mixed.from_lap, mixed.above_c) == (None, None)
    few = place_pattern(place, [_pass(n, 0.5 if n >= 3 else 0.0, 95.0 + 2.0 * n) for n in range(1, 5)])
    assert (few.from_lap, few.above_c) == (None, None), "four laps could have come so by chance"
    always = place_pattern(place, [_pass(n, 0.5, 100.0) for n in range(1, 9)])
    assert (always.dips, always.from_lap, always.above_c) == (8, None, None)


def test_the_hot_session_dips_only_from_a_lap_and_a_temperature_on() -> None:
    a = judged_scenario("plus-0.4", 5).analysis
    hot = [d for d in a.dips if d.cause.name == "hot_oil"]
    from_lap, above_c = lap_pattern(a, hot)
    assert from_lap == 6 and above_c is not None and 105.0 < above_c < 115.0
    assert when_words(from_lap, above_c, DisplayUnits()) == f"only from lap 6 on, above {above_c:.0f} °C"
    assert when_words(None, None, DisplayUnits()) == ""


@pytest.mark.parametrize("held_l", [3.0, 0.0], ids=["in turns", "not at all"])
def test_oil_that_drains_back_late_is_told_by_the_turns_that_follow_each_other(held_l: float) -> None:
    """Eight turns alike, three of them in a row. In the head of the one pan a left turn leaves oil for ten seconds."""
    turn, apart = Turn(45, 45), (450, 450, 450, 25, 25, 450, 450, 300)
    pieces = [piece for gap in apart for piece in (Straight(gap), turn)]
    pan = Pan(
        shape=BoxPan(0.26, 0.20, 0.16, (0.0, 0.055, 0.008)),
        fill_l=4.5 if held_l else 3.9,
        held_up_l=0.4,
        held_in_left_l=held_l,
        held_up_s=10.0,
        slosh_hz=0.6,
    )
    setup = Setup(lay_out("Row", [*pieces, Straight(200)]), pan=pan, session=Drive(laps=6), heat=Heat(start_c=88.0))
    told = find_corners(analyse(recording_of(run_setup(setup, Logger(20, gps=True), generator("row", 1))[1])))
    assert told is not None and told.analysis.dips
    assert [(h.direction, h.kind) for h in told.held_up] == ([("left", "soon")] if held_l else [])
    assert ("Drain-back" in held_up_words(told)) == (held_l > 0)
