"""What shaking or coarse readings tell of the pressure, against the pressure that made them."""

from __future__ import annotations

import numpy as np
import pytest

from basso.pressure.dips import Dip, DipRules, find_dips
from basso.pressure.noise import ReadingError, error_off_normal, reading_error, steadied, tell_margin
from basso.units import FloatArray

RATE = 50.0
T = np.arange(0.0, 60.0, 1.0 / RATE)
EVERYWHERE = np.ones(T.shape, dtype=bool)


def _swing(depth: float, length: float) -> FloatArray:
    """300 kPa that falls every 6 s in a parabola to ``depth`` under 200 kPa, where it stays below for ``length``
    seconds."""
    away = np.abs((T % 6.0) - 3.0)
    return np.minimum(300.0, 200.0 - depth + depth * (away / (0.5 * length)) ** 2)


def _dips(readings: FloatArray, error: ReadingError) -> list[Dip]:
    floor, normal = np.full(T.shape, 200.0), np.full(T.shape, 400.0)
    return find_dips(T, readings, floor, normal, EVERYWHERE, error, DipRules())


def _in_steps(pressure: FloatArray, step: float) -> FloatArray:
    noise = np.random.default_rng(5).normal(0.0, 2.0, T.size)
    return np.asarray(np.round((pressure + noise) / step) * step)


def test_exact_readings_are_left_as_they_are() -> None:
    margin = _swing(20.0, 0.5) - 200.0
    told = tell_margin(margin, ReadingError(2.5, 2.0), EVERYWHERE, 1.0 / RATE)
    assert told.as_read and told.margin_kpa is margin


def test_a_margin_between_steps_is_nearer_the_truth_than_the_reading() -> None:
    true = 240.0 + 45.0 * np.sin(2.0 * np.pi * T / 2.3) + 20.0 * np.sin(2.0 * np.pi * T / 1.1)
    read = _in_steps(true, 25.0)
    told = tell_margin(read - 200.0, ReadingError(0.0, 12.5), EVERYWHERE, 1.0 / RATE)
    off_read, off_told = (float(np.std(m - true)) for m in (read, told.margin_kpa + 200.0))
    assert off_read == pytest.approx(25.0 / np.sqrt(12.0), rel=0.1)
    assert off_told < 0.6 * off_read
    # Nothing is told that the readings rule out.
    assert np.abs(told.margin_kpa - (read - 200.0)).max() <= 12.5 + 1e-9


@pytest.mark.parametrize(("depth", "length"), [(8.0, 0.4), (15.0, 0.5), (30.0, 0.8)])
def test_a_coarse_converter_hides_no_dip_less_deep_than_half_a_step(depth: float, length: float) -> None:
    read = _in_steps(_swing(depth, length), 25.0)
    error = reading_error(read, np.full(T.shape, 5000.0))
    assert error.half_step_kpa == pytest.approx(12.5)
    found = _dips(read, error)
    assert len(found) == 10
    assert np.mean([d.duration_s for d in found]) == pytest.approx(length, abs=0.08)


def test_a_wave_above_the_floor_is_no_dip_however_coarse() -> None:
    read = _in_steps(225.0 + 18.0 * np.sin(2.0 * np.pi * T / 1.7), 25.0)
    assert _dips(read, ReadingError(0.0, 12.5)) == []


@pytest.mark.parametrize("seed", range(3))
def test_a_shaking_sensor_keeps_the_bottom_of_a_short_dip(seed: int) -> None:
    """0.6 s and 30 kPa deep under noise of 35 kPa: a mean over it would fill the bottom."""
    read = _swing(30.0, 0.6) + np.random.default_rng(seed).normal(0.0, 35.0, T.size)
    found = [d for d in _dips(read, ReadingError(35.0)) if d.duration_s > 0.2]
    at = [round((0.5 * (d.start_s + d.end_s) - 3.0) / 6.0) for d in found]
    assert len(set(at)) >= 9 and len(found) <= 11
    told = tell_margin(read - 200.0, ReadingError(35.0), EVERYWHERE, 1.0 / RATE).margin_kpa
    middle = np.isclose(T % 6.0, 3.0, atol=0.5 / RATE)
    assert float(np.mean(told[middle])) == pytest.approx(-30.0, abs=9.0)


def test_gaps_pull_nothing_down_and_stay_gaps() -> None:
    margin = np.full(T.shape, 40.0)
    margin[500:530] = np.nan
    margin[1000] = np.nan
    told = tell_margin(margin, ReadingError(30.0), EVERYWHERE, 1.0 / RATE)
    assert np.array_equal(np.isnan(told.margin_kpa), np.isnan(margin))
    assert np.nanmin(told.margin_kpa) == pytest.approx(40.0) and np.nanmax(told.margin_kpa) == pytest.approx(40.0)


def test_settled_running_is_steadied_only_where_it_shakes() -> None:
    rng = np.random.default_rng(2)
    rpm = 5000.0 + 500.0 * np.sin(2.0 * np.pi * T / 20.0)
    quiet, loud = (300.0 + rng.normal(0.0, s, T.size) for s in (2.0, 30.0))
    settled = (T % 12.0) > 4.0
    assert steadied(quiet, rpm, settled, 1.0 / RATE) is quiet
    steady = steadied(loud, rpm, settled, 1.0 / RATE)
    assert np.array_equal(steady[~settled], loud[~settled])
    assert float(np.std(steady[settled])) < 0.3 * float(np.std(loud[settled]))


def _filtered_noise(sigma: float, constant_s: float, seed: int) -> FloatArray:
    """Noise of this standard deviation that passed a filter of first order."""
    alike = np.exp(-1.0 / (RATE * constant_s))
    steps = np.random.default_rng(seed).normal(0.0, sigma * np.sqrt(1.0 - alike**2), T.size)
    noise = np.zeros(T.size)
    for i in range(1, T.size):
        noise[i] = alike * noise[i - 1] + steps[i]
    return noise


@pytest.mark.parametrize("constant_s", [0.05, 0.1])
def test_noise_that_a_filter_spread_over_readings_is_seen_against_normal(constant_s: float) -> None:
    rpm = 5000.0 + 800.0 * np.sin(2.0 * np.pi * T / 15.0)
    noise = _filtered_noise(20.0, constant_s, 4)
    by_neighbours = reading_error(300.0 + noise, rpm)
    found = error_off_normal(by_neighbours, noise, rpm, EVERYWHERE, 1.0 / RATE)
    assert float(np.median(by_neighbours.kpa)) < 12.0
    assert float(np.median(found.kpa)) == pytest.approx(20.0, rel=0.15)
    assert found.alike == pytest.approx(np.exp(-1.0 / (RATE * constant_s)), abs=0.06)
    # What no oil did is no dip, and a dip is still one.
    assert _dips(240.0 + noise, found) == []
    assert 9 <= len(_dips(_swing(45.0, 0.8) + noise, found)) <= 11


def test_noise_that_neighbours_show_is_left_as_they_show_it() -> None:
    rpm = 5000.0 + 800.0 * np.sin(2.0 * np.pi * T / 15.0)
    noise = np.random.default_rng(3).normal(0.0, 12.0, T.size)
    error = reading_error(300.0 + noise, rpm)
    assert error_off_normal(error, noise, rpm, EVERYWHERE, 1.0 / RATE) is error
