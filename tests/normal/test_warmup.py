"""Cold to hot: answers worked by hand."""

from __future__ import annotations

import numpy as np
import pytest

from basso.normal.warmup import Heating, heating, hot_idle, to_shed, warm_up, water_and_oil

T = np.arange(0.0, 900.0, 0.5)


def test_how_long_until_ready_and_what_was_asked_before() -> None:
    heat = np.minimum(20.0 + T / 6.0, 95.0)  # ready (70 °C) after 300 s
    rpm = np.where(T < 10.0, 0.0, 1500.0)
    rpm = np.where((T >= 200.0) & (T < 212.0), 5200.0, rpm)
    found = warm_up(T, rpm, heat)
    assert found is not None
    assert found.start_c == pytest.approx(21.7, abs=0.1)
    assert found.ready_s == pytest.approx(290.0, abs=1.0)  # it ran from 10 s on
    assert found.cold_load_s == pytest.approx(12.0, abs=0.6) and found.cold_top_rpm == pytest.approx(5200.0)


def test_never_warm_warm_from_the_start_and_not_known() -> None:
    rpm = np.full(T.size, 3000.0)
    never = warm_up(T, rpm, np.full(T.size, 55.0))
    assert never is not None and never.ready_s is None and never.cold_load_s == 0.0
    at_once = warm_up(T, rpm, np.full(T.size, 85.0))
    assert at_once is not None and at_once.ready_s == 0.0
    assert warm_up(T, rpm, None) is None and warm_up(T, np.zeros(T.size), np.full(T.size, 55.0)) is None


def test_the_hot_idle_is_a_triple() -> None:
    rpm = np.where(T < 60.0, 900.0, 4000.0)
    kpa = np.where(T < 60.0, 62.0, 380.0) + np.random.default_rng(1).normal(0, 2, T.size)
    heat = np.full(T.size, 101.0)
    found = hot_idle(T, rpm, kpa, heat, np.ones(T.size, dtype=bool))
    assert found is not None
    assert (found.kpa, found.rpm, found.temperature_c) == (pytest.approx(62.0, abs=1.0), 900.0, 101.0)
    assert found.scatter_kpa == pytest.approx(2.0, abs=0.6) and found.seconds == pytest.approx(60.0, abs=1.0)
    # A cold idle, or one of three seconds, is none.
    assert hot_idle(T, rpm, kpa, heat - 40.0, np.ones(T.size, dtype=bool)) is None
    assert hot_idle(T, rpm, kpa, heat, T < 3.0) is None


@pytest.mark.parametrize("seed", range(4))
def test_where_the_oil_would_settle(seed: int) -> None:
    true, tau = 118.0, 260.0
    heat = (
        true
        - (true - 80.0) * np.exp(-T / tau)
        + 0.4 * np.sin(T / 14.0)
        + np.random.default_rng(seed).normal(0, 0.1, T.size)
    )
    found = heating(T, np.full(T.size, 5000.0), heat)
    assert found is not None and found.steady_c is not None and found.low_c is not None and found.high_c is not None
    assert found.low_c <= true <= found.high_c and found.steady_c == pytest.approx(true, abs=1.5)
    assert found.tau_s == pytest.approx(tau, rel=0.15)
    assert found.rate_c_per_min == pytest.approx(38.0 * (1 - np.exp(-60.0 / tau)), abs=0.9)


def test_what_still_warms_evenly_settles_nobody_knows_where() -> None:
    found = heating(T, np.full(T.size, 5000.0), 60.0 + T / 30.0)
    assert found is not None and found.steady_c is None and "too evenly" in found.reason
    short = T < 60.0
    brief = heating(T[short], np.full(int(short.sum()), 5000.0), 60.0 + T[short] / 10.0)
    assert brief is not None and brief.steady_c is None and "two minutes" in brief.reason


def test_what_a_cooler_has_to_shed_by_hand() -> None:
    found = Heating(120.0, 116.0, 124.0, 258.0, 7.0, "")
    shed = to_shed(found, 105.0, 4.5)
    assert shed is not None
    # 0.86 kg/L · 2.0 kJ/(kg K) · 4.5 L ÷ 258 s = 30 W/K; twice that with the metal, over 15 K
    assert shed.kw == pytest.approx(0.90, abs=0.001)
    assert shed.low_kw == pytest.approx(0.030 * 11.0) and shed.high_kw == pytest.approx(0.090 * 19.0)
    below = to_shed(found, 130.0, 4.5)
    assert below is not None and below.kw == below.low_kw == below.high_kw == 0.0
    assert to_shed(None, 105.0, 4.5) is None
    assert to_shed(Heating(None, None, None, None, 7.0, "too short"), 105.0, 4.5) is None


def test_water_beside_oil_and_what_the_thermostat_does() -> None:
    rpm, oil = np.full(T.size, 4500.0), np.minimum(72.0 + T / 15.0, 118.0)
    noise = np.random.default_rng(3).normal(0, 0.4, T.size)
    held = water_and_oil(rpm, 84.0 + noise, oil)
    assert held is not None and held.holds_c == pytest.approx(84.0, abs=0.3) and held.oil_c > 110.0
    rising = water_and_oil(rpm, 0.8 * oil + noise, oil)
    assert rising is not None and rising.holds_c is None and rising.rises == pytest.approx(0.8, abs=0.05)
    level = water_and_oil(rpm, 84.0 + noise, np.full(T.size, 101.0))
    assert level is not None and np.isnan(level.rises) and level.holds_c is None
    assert water_and_oil(rpm, None, oil) is None and water_and_oil(rpm * 0.1, 84.0 + noise, oil) is None
