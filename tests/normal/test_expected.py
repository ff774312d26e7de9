"""The expected pressure against engines whose true curve is known."""

from __future__ import annotations

import numpy as np
import pytest

from basso.normal.expected import ExpectedPressure, fit_expected, no_expectation
from basso.normal.settled import SettledLimits, settled
from basso.oil.grades import grade
from basso.recording.recording import frame_on
from basso.recording.roles import Role
from basso.standin.engine import TrueEngine, balance_kpa, pump_flow
from support import judged_scenario, made_recording

N = 6000


def _engine_data(
    engine: TrueEngine, seed: int = 0, low_rpm: float = 2500.0
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    rng = np.random.default_rng(seed)
    rpm, temperature = rng.uniform(low_rpm, 6800.0, N), rng.uniform(85.0, 112.0, N)
    pressure = balance_kpa(engine, rpm, temperature, pump_flow(engine, rpm))
    return pressure + rng.normal(0, 2.5, N), rpm, temperature


def _error(fit: ExpectedPressure, engine: TrueEngine) -> np.ndarray:
    rpm, temperature = (a.ravel() for a in np.meshgrid(np.linspace(2600, 6700, 30), np.linspace(86, 111, 20)))
    true = balance_kpa(engine, rpm, temperature, pump_flow(engine, rpm))
    return np.asarray(np.abs(fit.at(rpm, temperature) / true - 1.0))


ENGINES = {
    "as shipped": TrueEngine(),
    "relief never reached": TrueEngine(relief_kpa=900.0),
    "early soft relief": TrueEngine(relief_kpa=300.0, relief_slope=0.3),
    "small pump": TrueEngine(pump_l_per_rev=0.008, bearing=0.8),
    "thick oil": TrueEngine(oil="SAE 50", bearing=1.6),
    "thin oil": TrueEngine(oil="0W-20", bearing=0.8),
}


@pytest.mark.parametrize("name", ENGINES)
def test_within_3_percent_in_the_middle_and_6_at_the_edges(name: str) -> None:
    fit = fit_expected(*_engine_data(ENGINES[name]), np.ones(N, dtype=bool))
    error = _error(fit, ENGINES[name])
    assert fit.valid
    assert np.median(error) < 0.03
    assert np.percentile(error, 95) < 0.06


@pytest.mark.parametrize("share", [0.1, 0.2, 0.33])
def test_dips_in_a_third_of_the_settled_samples_do_not_pull_it_down(share: float) -> None:
    engine = TrueEngine()
    pressure, rpm, temperature = _engine_data(engine)
    rng = np.random.default_rng(9)
    starved = rng.random(N) < share
    pressure = np.where(starved, pressure * rng.uniform(0.2, 0.8, N), pressure)
    fit = fit_expected(pressure, rpm, temperature, np.ones(N, dtype=bool))
    error = _error(fit, engine)
    assert np.median(error) < 0.03
    assert np.percentile(error, 95) < 0.06


def test_froth_at_high_rpm_does_not_bend_it_down() -> None:
    engine = TrueEngine(relief_kpa=900.0)
    pressure, rpm, temperature = _engine_data(engine)
    frothed = np.where(rpm > 5800.0, pressure * (1 - 0.4 * (rpm - 5800.0) / 1000.0), pressure)
    fit = fit_expected(frothed, rpm, temperature, np.ones(N, dtype=bool))
    at = fit.at(np.array([6600.0]), np.array([100.0]))[0]
    true = balance_kpa(engine, np.array([6600.0]), np.array([100.0]), pump_flow(engine, np.array([6600.0])))[0]
    assert at == pytest.approx(true, rel=0.06)


def test_it_rises_with_rpm_and_falls_with_temperature() -> None:
    fit = fit_expected(*_engine_data(TrueEngine()), np.ones(N, dtype=bool))
    rpm = np.linspace(1500, 7000, 50)
    assert np.all(np.diff(fit.at(rpm, np.full(50, 100.0))) >= 0)
    assert np.all(np.diff(fit.at(np.full(50, 5000.0), np.linspace(80, 130, 50))) <= 0)


def test_by_rpm_only_without_temperature() -> None:
    pressure, rpm, _ = _engine_data(TrueEngine())
    fit = fit_expected(pressure, rpm, None, np.ones(N, dtype=bool))
    assert fit.method == "physical, rpm only"
    assert fit.temperature_range_c is None
    assert np.isfinite(fit.at(np.array([5000.0]), None)).all()


@pytest.mark.parametrize("count", [0, 10, 39])
def test_too_little_to_learn_from_is_said(count: int) -> None:
    use = np.zeros(N, dtype=bool)
    use[:count] = True
    fit = fit_expected(*_engine_data(TrueEngine()), use)
    assert not fit.valid
    assert "too little" in fit.reason
    assert np.isnan(fit.at(np.array([5000.0]), np.array([100.0]))).all()


def test_one_engine_speed_is_not_enough() -> None:
    pressure, rpm, temperature = _engine_data(TrueEngine())
    use = np.abs(rpm - 5000.0) < 200.0
    assert not fit_expected(pressure, rpm, temperature, use).valid


def test_what_it_covers() -> None:
    fit = fit_expected(*_engine_data(TrueEngine()), np.ones(N, dtype=bool))
    inside = fit.covers(np.array([4000.0, 900.0, 4000.0]), np.array([100.0, 100.0, 140.0]))
    assert inside.tolist() == [True, False, False]
    assert not no_expectation("x").covers(np.array([4000.0]), None).any()


class TestSettled:
    def test_cornering_braking_and_the_second_after_are_not_settled(self) -> None:
        n = 3000
        lateral = np.zeros(n)
        lateral[1000:1200] = 1.1
        recording = made_recording(oil_pressure=350.0, rpm=4000.0, oil_temp=95.0, lateral_g=lateral)
        frame = frame_on(recording, Role.OIL_PRESSURE)
        calm = settled(frame, lateral, None, SettledLimits())
        assert not calm[1000:1255].any()
        assert calm[1300:-20].all()
        assert calm[300:990].all()

    def test_cold_oil_is_never_normal(self) -> None:
        recording = made_recording(oil_pressure=600.0, rpm=4000.0, oil_temp=45.0)
        assert not settled(frame_on(recording, Role.OIL_PRESSURE), None, None, SettledLimits()).any()

    def test_a_gear_change_is_not_settled(self) -> None:
        n = 3000
        rpm = np.where(np.arange(n) < 1500, 6500.0, 4500.0)
        calm = settled(
            frame_on(made_recording(oil_pressure=350.0, rpm=rpm), Role.OIL_PRESSURE), None, None, SettledLimits()
        )
        assert not calm[1490:1510].any()
        assert calm[1600:-20].all()


@pytest.mark.parametrize("seed", [3, 7])
def test_on_a_whole_session_with_dips(seed: int) -> None:
    judged = judged_scenario("baseline-1", seed)
    a, s = judged.analysis, judged.simulated
    true = np.interp(a.time_s, s.drive.time_s, s.healthy_kpa)
    covered = a.settled & a.judged
    error = np.abs(a.expected_kpa[covered] / true[covered] - 1.0)
    assert np.median(error) < 0.03
    assert np.percentile(error, 95) < 0.06


def test_the_right_oil_explains_temperature_without_a_bent_exponent() -> None:
    """An engine on a far thicker oil: told so, the fit's viscosity exponent is the engine's own."""
    data = _engine_data(TrueEngine(oil="SAE 50", bearing=1.6))
    everywhere = np.ones(N, dtype=bool)
    told, untold = fit_expected(*data, everywhere, grade("SAE 50")), fit_expected(*data, everywhere, grade("0W-20"))
    assert told.oil.name == "SAE 50" and told.valid and untold.valid
    assert told.residual_kpa <= 1.05 * untold.residual_kpa
    assert untold.c > told.c  # a thinner oil thins less with heat; the exponent has to make up for it


def _grid_of(fit: ExpectedPressure) -> tuple[np.ndarray, np.ndarray]:
    rpm, heat = (a.ravel() for a in np.meshgrid(np.linspace(2600, 6700, 30), np.linspace(86, 111, 20)))
    inside = fit.covers(rpm, heat)
    assert inside.mean() > 0.9
    return rpm[inside], heat[inside]


@pytest.mark.parametrize("name", ENGINES)
def test_the_interval_holds_the_truth(name: str) -> None:
    engine = ENGINES[name]
    fit = fit_expected(*_engine_data(engine, seed=4), np.ones(N, dtype=bool), grade(engine.oil))
    rpm, heat = _grid_of(fit)
    true = balance_kpa(engine, rpm, heat, pump_flow(engine, rpm))
    low, high = fit.interval(rpm, heat)
    assert np.mean((low <= true) & (true <= high)) >= 0.85
    narrow_low, narrow_high = fit.interval(rpm, heat, level=0.5)
    assert np.all((low < narrow_low) & (narrow_high < high))
    assert np.median((high - low) / true) < 0.08  # and says something


def test_empty_cells_stay_empty() -> None:
    pressure, rpm, temperature = _engine_data(TrueEngine())
    driven = (rpm > 4500.0) | (rpm < 3000.0)
    fit = fit_expected(pressure, rpm, temperature, driven)
    assert fit.covers(np.array([2800.0, 5500.0]), np.array([100.0, 100.0])).all()
    assert not fit.covers(np.array([3750.0]), np.array([100.0])).any()
    gap, full = fit.spread_at(np.array([3750.0, 5500.0]), np.array([100.0, 100.0]))
    assert gap > full
    block = fit.valid_range()
    assert block is not None and block[1] is not None
    (low, high), (cool, hot) = block
    assert low > 3900.0 and high > 6500.0 and cool < 90.0 and hot > 107.0


def test_a_pump_of_two_stages_is_learned_from_the_data() -> None:
    engine, rng = TrueEngine(relief_kpa=900.0), np.random.default_rng(1)
    rpm, heat = rng.uniform(1500, 7000, 8000), rng.uniform(85, 112, 8000)

    def true(n: np.ndarray, t: np.ndarray) -> np.ndarray:
        free = balance_kpa(engine, n, t, pump_flow(engine, n))
        return np.where(n < 4200.0, np.minimum(free, 190.0 + 0.004 * n), np.minimum(free, 430.0))

    starved = np.where(rng.random(8000) < 0.2, rng.uniform(0.3, 0.9, 8000), 1.0)
    kpa = true(rpm, heat) * starved + rng.normal(0, 2.5, 8000)
    fit = fit_expected(kpa, rpm, heat, np.ones(8000, dtype=bool))
    assert fit.method == "from the data, rpm and oil temperature"
    away = np.abs(rpm - 4200.0) > 250.0
    error = np.abs(fit.at(rpm[away], heat[away]) / true(rpm[away], heat[away]) - 1.0)
    assert np.median(error) < 0.02 and np.percentile(error, 95) < 0.08


def test_dips_at_idle_speed_are_normal_there_not_starvation() -> None:
    """Idle lies far under a power law drawn through racing speeds; it is the engine's normal all the same."""
    engine, rng = TrueEngine(), np.random.default_rng(2)
    rpm = np.concatenate([rng.uniform(4200, 6800, 5000), rng.normal(900, 10, 800)])
    heat = rng.uniform(85, 110, rpm.size)
    kpa = balance_kpa(engine, rpm, heat, pump_flow(engine, rpm)) + rng.normal(0, 2, rpm.size)
    fit = fit_expected(kpa, rpm, heat, np.ones(rpm.size, dtype=bool))
    at, t = np.full(5, 900.0), np.linspace(87, 108, 5)
    np.testing.assert_allclose(fit.at(at, t), balance_kpa(engine, at, t, pump_flow(engine, at)), rtol=0.03)


def test_the_curve_goes_through_json_unchanged() -> None:
    import json

    fit = fit_expected(*_engine_data(TrueEngine()), np.ones(N, dtype=bool))
    again = ExpectedPressure.from_plain(json.loads(json.dumps(fit.as_plain())))
    rpm, heat = np.array([900.0, 4000.0, 6500.0]), np.array([80.0, 100.0, 125.0])
    np.testing.assert_array_equal(again.at(rpm, heat), fit.at(rpm, heat))
    np.testing.assert_array_equal(again.covers(rpm, heat), fit.covers(rpm, heat))
    assert again.parameter_sd == fit.parameter_sd
    with pytest.raises((KeyError, TypeError, ValueError)):
        ExpectedPressure.from_plain({**fit.as_plain(), "departure": {"log_rpm": [0.0]}})
