"""Dips by hand: where they start and end, how deep they are, what is none."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from basso.pressure.dips import Dip, DipRules, find_dips
from basso.pressure.exposure import measure_exposure
from basso.pressure.noise import ReadingError
from basso.units import FloatArray

RATE = 50.0
T = np.arange(0.0, 20.0, 1.0 / RATE)


def _find(
    pressure: FloatArray, time_s: FloatArray = T, judged: np.ndarray | None = None, noise: float = 1.0, **rules: float
) -> list[Dip]:
    floor, expected = np.full(time_s.shape, 200.0), np.full(time_s.shape, 400.0)
    use = judged if judged is not None else np.ones(time_s.shape, dtype=bool)
    return find_dips(time_s, pressure, floor, expected, use, ReadingError(noise), DipRules(**rules))


def _box(start: float, end: float, depth: float = 100.0) -> FloatArray:
    """300 kPa with a trapezoid down to 200 − depth: it crosses the floor at ``start`` and ``end`` exactly."""
    slope = 1000.0
    down = 300.0 - slope * (T - start + 0.1)
    up = 300.0 + slope * (T - end - 0.1)
    return np.clip(np.maximum(np.minimum(300.0, np.maximum(down, up)), 200.0 - depth), 0.0, 300.0)


def test_a_trapezoid_by_hand() -> None:
    (dip,) = _find(_box(5.0, 7.0))
    assert dip.start_s == pytest.approx(5.0, abs=1e-6)
    assert dip.end_s == pytest.approx(7.0, abs=1e-6)
    assert dip.duration_s == pytest.approx(2.0, abs=1e-6)
    assert dip.min_pressure_kpa == pytest.approx(100.0)
    assert dip.min_margin_kpa == pytest.approx(-100.0)
    assert dip.min_share == pytest.approx(0.25)
    # two ramps of 0.1 s to 100 kPa and 1.8 s flat: 2·(0.1·100/2) + 1.8·100
    assert dip.deficit_kpa_s == pytest.approx(190.0, rel=0.01)


@given(st.floats(1.0, 15.0), st.floats(0.25, 4.0), st.floats(15.0, 150.0))
def test_any_trapezoid(start: float, length: float, depth: float) -> None:
    (dip,) = _find(_box(start, start + length, depth))
    assert dip.start_s == pytest.approx(start, abs=0.011)
    assert dip.end_s == pytest.approx(start + length, abs=0.011)
    assert dip.min_margin_kpa >= -depth - 1e-9


@pytest.mark.parametrize(("length", "count"), [(0.10, 0), (0.14, 0), (0.20, 1)])
def test_shorter_than_150_ms_is_none(length: float, count: int) -> None:
    assert len(_find(_box(5.0, 5.0 + length, 60.0))) == count


def test_the_least_length_can_be_set() -> None:
    assert len(_find(_box(5.0, 5.3, 60.0), least_s=0.5)) == 0


def test_a_short_return_does_not_end_a_dip_and_a_long_one_does() -> None:
    joined = np.minimum(_box(5.0, 6.0), _box(6.15, 7.0))
    assert len(_find(joined)) == 1
    apart = np.minimum(_box(5.0, 6.0), _box(6.6, 7.5))
    assert len(_find(apart)) == 2


def test_missing_readings_in_the_middle_do_not_end_it() -> None:
    pressure = _box(5.0, 8.0)
    pressure[(T > 6.0) & (T < 7.0)] = np.nan
    (dip,) = _find(pressure)
    assert dip.duration_s == pytest.approx(3.0, abs=0.02)


def test_missing_readings_are_no_dip() -> None:
    pressure = np.full(T.shape, 300.0)
    pressure[200:400] = np.nan
    assert _find(pressure) == []


def test_where_nothing_is_judged_there_is_no_dip() -> None:
    judged = np.ones(T.shape, dtype=bool)
    judged[(T > 4.0) & (T < 8.0)] = False
    assert _find(_box(5.0, 7.0), judged=judged) == []


def test_a_crossing_no_deeper_than_the_noise_is_none() -> None:
    rng = np.random.default_rng(3)
    assert _find(202.0 + rng.normal(0, 1.5, T.size), noise=1.5) == []


def test_slow_sampling_still_finds_the_length() -> None:
    slow = T[::5]
    (dip,) = _find(_box(5.03, 6.47)[::5], slow)
    assert dip.duration_s == pytest.approx(1.44, abs=0.05)


@given(st.integers(0, 10_000))
def test_dips_are_in_order_apart_and_below(seed: int) -> None:
    rng = np.random.default_rng(seed)
    walk = 220.0 + np.cumsum(rng.normal(0, 6.0, T.size)) * 0.5
    dips = _find(walk, noise=0.0)
    assert all(a.end_s <= b.start_s for a, b in itertools.pairwise(dips))
    for d in dips:
        assert d.end_s - d.start_s >= 0.15 - 1e-9
        assert d.min_margin_kpa < 0
        assert d.deficit_kpa_s > 0
        assert d.start_s <= T[d.lowest_margin] <= d.end_s


def test_exposure_by_hand() -> None:
    share = np.where((T >= 5.0) & (T < 7.0), 0.55, 1.0)
    everywhere = np.ones(T.shape, dtype=bool)
    exposure = measure_exposure(T, everywhere, everywhere, 2.0, share)
    below = dict(exposure.share_of_time_below)
    assert exposure.running_s == pytest.approx(20.0, abs=0.03)
    assert below[0.6] == pytest.approx(0.1, abs=0.002)
    assert below[0.5] == 0.0


def test_exposure_does_not_count_a_gap() -> None:
    times = np.concatenate([np.arange(0, 5, 0.1), np.arange(100, 105, 0.1)])
    true = np.ones(times.shape, dtype=bool)
    assert measure_exposure(times, true, true, 0.0, np.ones(times.shape)).running_s < 13.0


def _shaken(pressure: FloatArray, sigma: float, seed: int) -> FloatArray:
    return pressure + np.random.default_rng(seed).normal(0.0, sigma, pressure.size)


@pytest.mark.parametrize("seed", range(5))
def test_a_shaking_sensor_makes_no_dips_and_splits_none(seed: int) -> None:
    quiet = np.full(T.size, 260.0)
    assert _find(_shaken(quiet, 35.0, seed), noise=35.0) == []
    (dip,) = _find(_shaken(_box(5.0, 7.0), 40.0, seed), noise=40.0)
    assert dip.start_s == pytest.approx(5.0, abs=0.08) and dip.end_s == pytest.approx(7.0, abs=0.08)
    # The lowest reading is the reading itself, shaking and all.
    assert dip.min_pressure_kpa == pytest.approx(float(_shaken(_box(5.0, 7.0), 40.0, seed)[250:350].min()))
    # What lies between floor and pressure is told without the noise's share.
    assert dip.deficit_kpa_s == pytest.approx(190.0, rel=0.12)


def test_noise_may_differ_from_sample_to_sample() -> None:
    noise = np.where(T < 10.0, 1.0, 40.0)
    pressure = np.where(T < 10.0, 300.0, _shaken(np.full(T.size, 270.0), 40.0, 3))
    floor, normal = np.full(T.size, 200.0), np.full(T.size, 400.0)
    assert find_dips(T, pressure, floor, normal, np.ones(T.size, dtype=bool), ReadingError(noise), DipRules()) == []


def _dip_with_return(height: float, length: float) -> FloatArray:
    """Below the floor from 5 to 7 s but for one stretch in the middle that lies so far over it."""
    pressure = _box(5.0, 7.0, 60.0)
    first = int(np.searchsorted(T, 6.0))
    pressure[first : first + round(length * RATE)] = 200.0 + height
    return pressure


@pytest.mark.parametrize(
    ("height", "length", "dips"),
    [
        (1.9, 0.24, 1),  # within 1 % of the floor: joined up to 0.3 s
        (2.1, 0.24, 2),  # further over it: joined up to 0.2 s only
        (2.1, 0.16, 1),
        (50.0, 0.16, 1),
        (1.9, 0.34, 2),
    ],
)
def test_a_return_is_judged_by_its_height_and_its_length(height: float, length: float, dips: int) -> None:
    assert len(_find(_dip_with_return(height, length), noise=0.0)) == dips


def test_joining_and_hysteresis_can_be_set() -> None:
    assert len(_find(_dip_with_return(50.0, 0.16), noise=0.0, join_s=0.1)) == 2
    assert len(_find(_dip_with_return(50.0, 0.40), noise=0.0, join_s=0.5)) == 1
    assert len(_find(_dip_with_return(3.9, 0.24), noise=0.0, hysteresis=0.02)) == 1


@pytest.mark.parametrize(("missing", "lowest"), [(9, 150.0), (13, 140.0)])
def test_a_short_hole_is_bridged_in_a_straight_line_and_a_long_one_is_not(missing: int, lowest: float) -> None:
    """Missing readings between 150 kPa and 140 kPa: bridged up to 0.25 s from reading to reading."""
    pressure = np.full(T.shape, 300.0)
    first = int(np.searchsorted(T, 6.0))
    pressure[first - 20 : first] = 150.0
    pressure[first : first + missing] = np.nan
    pressure[first + missing : first + missing + 20] = 140.0
    (dip,) = _find(pressure, noise=0.0)
    over_the_hole = 0.02 * (missing + 1) * (60.0 + 50.0) / 2.0
    ends = dip.deficit_kpa_s - 0.02 * 19 * (50.0 + 60.0)
    if missing == 9:
        assert ends == pytest.approx(over_the_hole, abs=1.2)
    assert dip.min_pressure_kpa == 140.0 and lowest in (140.0, 150.0)


@pytest.mark.parametrize(("hole_s", "dips"), [(1.3, 1), (1.6, 2)])
def test_a_hole_in_the_middle_of_a_dip_ends_it_from_a_second_and_a_half_on(hole_s: float, dips: int) -> None:
    pressure = _box(5.0, 9.0)
    pressure[(T > 6.0) & (6.0 + hole_s > T)] = np.nan
    assert len(_find(pressure, noise=0.0)) == dips


def test_a_pause_of_the_log_ends_a_dip() -> None:
    pressure, time_s = _box(5.0, 9.0), T.copy()
    time_s[T > 7.0] += 60.0
    first, second = _find(pressure, time_s, noise=0.0)
    assert first.end_s == pytest.approx(7.0, abs=0.021) and second.start_s == pytest.approx(67.02, abs=0.021)


def test_a_return_outside_what_is_judged_ends_a_dip() -> None:
    judged = np.ones(T.shape, dtype=bool)
    judged[(T > 6.0) & (T < 6.1)] = False
    assert len(_find(_box(5.0, 7.0), judged=judged, noise=0.0)) == 2


@pytest.mark.parametrize(("depth", "dips"), [(1.1, 0), (1.4, 1)])
def test_a_dip_has_to_lie_deeper_than_the_noise(depth: float, dips: int) -> None:
    assert len(_find(_box(5.0, 7.0, depth), noise=1.0)) == dips
