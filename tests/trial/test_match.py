"""Laying one lap on another, and what counts as a pass."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from basso.analysis import Analysis, analyse
from basso.findings.corners.passes import passes_of, read_alike
from basso.standin.car import Outing
from basso.standin.circuit import harrowfell
from basso.standin.faults import Logger
from basso.standin.pan import Pan
from basso.standin.scenarios import generator, run_setup
from basso.standin.simulate import Setup
from basso.track.alignment import align
from basso.track.corners import Place
from basso.track.shape import LapShape
from basso.trial.match import Conditions, Side, dip_prone
from support import judged_scenario, recording_of, side_said


def _map(profile: np.ndarray, length_m: float | None = None) -> LapShape:
    return LapShape(length_m or 5.0 * profile.size, profile)


def _profile(seed: int, n: int = 600) -> np.ndarray:
    """A made lap: a handful of corners of random place, length and side."""
    rng = np.random.default_rng(seed)
    x = np.arange(n)
    lap = np.zeros(n)
    for _ in range(8):
        at, width, g = rng.integers(0, n), rng.uniform(6, 25), rng.choice([-1.1, 1.1])
        distance = np.minimum(np.abs(x - at), n - np.abs(x - at))
        lap += g * np.exp(-((distance / width) ** 2))
    return lap


@pytest.mark.parametrize("shift", [0, 7, 150, 300, 555])
@pytest.mark.parametrize("seed", [1, 2, 3])
def test_a_lap_that_begins_elsewhere_is_laid_back(seed: int, shift: int) -> None:
    reference = _profile(seed)
    noise = np.random.default_rng(seed + 100).normal(0, 0.05, reference.size)
    laid = align(_map(reference), _map(np.roll(reference, -shift) + noise))
    assert laid.problem is None
    expected = 5.0 * shift if shift <= 300 else 5.0 * (shift - 600)
    assert laid.shift_m == pytest.approx(expected, abs=10.0)


@pytest.mark.parametrize("seed", range(8))
def test_other_circuits_of_the_same_length_are_told_apart(seed: int) -> None:
    laid = align(_map(_profile(seed)), _map(_profile(seed + 50)))
    assert laid.problem is not None
    assert "circuit" in laid.problem


def test_the_same_circuit_the_other_way_round_is_not_the_same() -> None:
    reference = _profile(4)
    assert align(_map(reference), _map(-reference[::-1])).problem is not None


def test_another_length_is_another_layout() -> None:
    reference = _profile(5)
    problem = align(_map(reference), _map(reference, 1.05 * 5.0 * reference.size)).problem
    assert problem is not None and "length" in problem


def test_an_oval_of_nothing_tells_nothing() -> None:
    problem = align(_map(np.zeros(600)), _map(np.zeros(600))).problem
    assert problem is not None and "too little cornering" in problem


class TestPasses:
    def test_one_for_each_complete_lap_and_place(self) -> None:
        a = judged_scenario("baseline-1", 3).analysis
        assert a.track is not None
        found = passes_of(a, a.track.places, a.track.length_m, 0, 0)
        assert len(found) == 7 * len(a.track.places)
        assert len({(p.lap_key, p.place) for p in found}) == len(found)

    def test_the_lowest_of_a_pass_is_the_lowest_recorded_there(self) -> None:
        a = judged_scenario("baseline-1", 3).analysis
        assert a.track is not None
        place = next(p for p in a.track.places if p.id == "4")
        for p in passes_of(a, a.track.places, a.track.length_m, 0, 0):
            if p.place != "4":
                continue
            lap = next(lap for lap in a.laps if lap.number == p.lap_key[2])
            inside = (a.time_s >= lap.start_s) & (a.time_s < lap.end_s)
            inside &= (a.track.lap_distance_m >= place.start_m) & (a.track.lap_distance_m <= place.end_m)
            assert p.min_pressure_kpa <= a.pressure_kpa[inside].min() + 1e-9
            assert lap.start_s <= p.time_s <= lap.end_s
            assert 0.9 < p.peak_g < 1.5

    def test_a_pass_does_not_run_into_the_next_place(self) -> None:
        a = judged_scenario("baseline-1", 3).analysis
        assert a.track is not None
        first = Place("x", "left", 100.0, 120.0, 140.0, 1.0)
        close = Place("y", "right", 150.0, 170.0, 190.0, -1.0)
        alone = passes_of(a, [first], a.track.length_m, 0, 0)
        followed = passes_of(a, [first, close], a.track.length_m, 0, 0)
        assert min(p.min_pressure_kpa for p in alone) <= min(p.min_pressure_kpa for p in followed if p.place == "x")

    def test_out_and_in_laps_give_no_pass(self) -> None:
        a = judged_scenario("baseline-1", 3).analysis
        assert a.track is not None
        laps = {p.lap_key[2] for p in passes_of(a, a.track.places, a.track.length_m, 0, 0)}
        assert laps == set(range(1, 8))

    def test_no_track_no_passes(self) -> None:
        a = judged_scenario("dyno", 1).analysis
        assert a.track is None
        assert passes_of(a, [], 3400.0, 0, 0) == []

    def test_a_shifted_map_finds_the_same_passes(self) -> None:
        a = judged_scenario("baseline-1", 3).analysis
        assert a.track is not None
        length = a.track.length_m
        moved = [
            replace(p, start_m=p.start_m - 200.0, apex_m=p.apex_m - 200.0, end_m=p.end_m - 200.0)
            for p in a.track.places
            if p.start_m > 250
        ]
        straight = {(p.lap_key, p.place): p.min_pressure_kpa for p in passes_of(a, a.track.places, length, 0, 0)}
        shifted = passes_of(a, moved, length, 0, 0, shift_m=-200.0)
        same = [p.min_pressure_kpa == pytest.approx(straight[(p.lap_key, p.place)]) for p in shifted]
        assert np.mean(same) > 0.9


@pytest.mark.parametrize(("lowest_at", "next_kpa", "counts"), [(0.9, 150.0, 1), (0.5, 150.0, 2), (0.9, 190.0, 2)])
def test_a_dip_that_two_places_share_counts_once(lowest_at: float, next_kpa: float, counts: int) -> None:
    """Braking into a turn: the pressure is lowest as the turn begins, and lower yet within it. It is the turn's dip,
    unless it is lowest within the braking, or the turn is not as low."""
    model = judged_scenario("truth-left", 11, 4).analysis
    assert model.track is not None
    braking, turn = [p for p in model.track.places if p.loaded][:2]
    made = passes_of(model, [braking], model.track.length_m, 0, 0)[0]
    sides = []
    for side in (0, 1):
        drawn = []
        for lap in range(4):
            start = 100.0 * lap
            one = replace(made, side=side, lap_key=(side, 0, lap), below_s=0.5)
            drawn.append(
                replace(
                    one,
                    place=braking.id,
                    min_pressure_kpa=160.0,
                    start_s=start,
                    end_s=start + 4.0,
                    time_s=start + 4.0 * lowest_at,
                )
            )
            drawn.append(
                replace(
                    one,
                    place=turn.id,
                    min_pressure_kpa=next_kpa,
                    start_s=start + 3.9,
                    end_s=start + 7.0,
                    time_s=start + 5.0,
                )
            )
        sides.append(Side("A" if side == 0 else "B", (), 4, tuple(drawn), Conditions(None, None, None, None)))
    assert len(dip_prone((braking, turn), *sides)) == counts


def test_each_side_is_read_where_its_own_passes_are_lowest() -> None:
    """What a change cured is lowest elsewhere than before: read where both sides are lowest on average, the cured side
    would look higher than it ever was."""
    before, after = (_shaken(fill) for fill in (4.1, 4.6))
    assert before.track is not None and after.track is not None
    places = [p for p in before.track.places if p.loaded]
    alike = read_alike([[(before, 0.0)], [(after, 0.0)]], places, before.track.length_m)
    assert alike is not None
    at = {log: {p.id: [] for p in places} for log in (before.recording.content_hash, after.recording.content_hash)}
    for (place, log, _), (m, _) in alike.at_m.items():
        at[log][place].append(m)
    own, others = (at[x.recording.content_hash] for x in (before, after))
    apart = [abs(np.median(own[p]) - np.median(others[p])) for p in own if own[p] and others[p]]
    assert max(apart) > 15.0, "somewhere the lowest has moved"
    read = passes_of(after, places, before.track.length_m, 1, 0, alike=alike)
    lower = [p.min_share * p.expected_kpa - p.min_pressure_kpa for p in read]
    assert max(lower) > 5.0, "the pressure is lowest elsewhere than its share of normal is"


def _shaken(fill_l: float) -> Analysis:
    setup = Setup(harrowfell(), pan=Pan(fill_l=fill_l), session=Outing(laps=5))
    recording = recording_of(run_setup(setup, Logger(50, noise_kpa=6.0), generator("shaken", 3))[1])
    return analyse(recording, side_said(recording))
