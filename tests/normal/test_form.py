"""The physical form of gallery pressure, against its own formula and against made engines."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from basso.normal.form import (
    CENTRE,
    PARAMETERS,
    bounds_of,
    damped_least_squares,
    free_and_capped,
    log_curve,
    log_pressure,
    say_of,
)
from basso.units import FloatArray

GRID = np.linspace(np.log(1200.0 / 4000.0), np.log(7200.0 / 4000.0), 24)
HEATS = np.log(np.array([0.7, 1.0, 1.8]))
LOG_RPM, LOG_V = (a.ravel() for a in np.meshgrid(GRID, HEATS, indexing="ij"))


def _engine(log_k: float = np.log(280.0), relief: float = 450.0, sharp: float = 12.0) -> FloatArray:
    """Parameters of a made engine, in the order of ``PARAMETERS``."""
    return np.array([log_k, 0.8, 0.7, np.log(relief), np.log(sharp), 0.08, -0.05, 0.04, 0.03])


def test_pressure_keeps_under_what_pump_and_valve_allow() -> None:
    x = _engine()
    free, capped = free_and_capped(x, LOG_RPM, LOG_V)
    log_p = log_pressure(x, LOG_RPM, LOG_V)
    assert np.all(log_p < np.minimum(free, capped))
    # Far from the knee the lesser of the two is all there is.
    apart = np.abs(free - capped) > 0.5
    assert apart.any()
    assert np.abs(log_p - np.minimum(free, capped))[apart].max() < 0.01


def test_the_formula_of_its_own_docstring() -> None:
    x = _engine()
    n, v, m = np.exp(LOG_RPM), np.exp(LOG_V), 12.0
    bent = np.exp(-0.05 * np.log(n) ** 2 + 0.04 * np.log(n) * np.log(v) + 0.03 * np.log(v) ** 2)
    pump, valve = 280.0 * n**0.8 * v**0.7 * bent, 450.0 * n**0.08
    assert np.exp(log_pressure(x, LOG_RPM, LOG_V)) == pytest.approx((pump**-m + valve**-m) ** (-1.0 / m))


@settings(max_examples=25, deadline=None)
@given(st.lists(st.floats(-0.3, 0.3), min_size=len(PARAMETERS), max_size=len(PARAMETERS)), st.floats(-0.2, 0.2))
def test_the_jacobian_is_the_slope(moved: list[float], thicker: float) -> None:
    x = _engine() + np.array(moved)
    level, jacobian = log_curve(x, LOG_RPM, LOG_V, thicker)
    assert level == pytest.approx(log_pressure(x, LOG_RPM, LOG_V, thicker))
    for k in range(len(PARAMETERS)):
        step = np.zeros(x.size)
        step[k] = 1e-5
        up, down = (log_pressure(x + s * step, LOG_RPM, LOG_V, thicker) for s in (1.0, -1.0))
        assert jacobian[:, k] == pytest.approx((up - down) / 2e-5, abs=1e-5)


def test_thicker_oil_lifts_what_the_valve_does_not_cap() -> None:
    x = _engine()
    lifted = log_pressure(x, LOG_RPM, LOG_V, np.log(1.2)) - log_pressure(x, LOG_RPM, LOG_V)
    free, capped = free_and_capped(x, LOG_RPM, LOG_V)
    assert lifted[free < capped - 0.6] == pytest.approx(np.log(1.2), abs=0.01)
    assert np.all(lifted[free > capped + 0.6] < 0.01)


def test_where_the_viscosity_is_missing_so_is_the_expectation() -> None:
    log_v = LOG_V.copy()
    log_v[5] = np.nan
    missing = np.isnan(log_pressure(_engine(), LOG_RPM, log_v))
    assert missing[5] and missing.sum() == 1


@pytest.mark.parametrize("seed", range(3))
@pytest.mark.parametrize("relief", [380.0, 620.0])
def test_a_made_engine_is_met_from_a_usual_start(seed: int, relief: float) -> None:
    true = _engine(relief=relief)
    rng = np.random.default_rng(seed)
    seen = log_pressure(true, LOG_RPM, LOG_V) + rng.normal(0.0, 0.008, LOG_RPM.size)
    top = float(np.exp(seen.max()))
    lower, upper = bounds = bounds_of(top)
    start = CENTRE.copy()
    start[0], start[3] = float(np.median(seen)), np.log(top)
    start = np.clip(start, lower + 1e-6, upper - 1e-6)
    x = damped_least_squares(
        lambda y: log_curve(y, LOG_RPM, LOG_V),
        lambda y: log_pressure(y, LOG_RPM, LOG_V),
        seen,
        np.ones(seen.size),
        start,
        bounds,
        (CENTRE, np.diag(np.r_[0.0, 1.0, 1.0, 0.0, 1.0, 1.0, 9.0, 9.0, 9.0])),
    )
    off = log_pressure(x, LOG_RPM, LOG_V) - log_pressure(true, LOG_RPM, LOG_V)
    assert float(np.sqrt(np.mean(off**2))) < 0.006
    assert np.all((x >= lower) & (x <= upper))


def test_a_parameter_never_leaves_its_bounds() -> None:
    lower, upper = bounds_of(500.0)
    seen = np.full(LOG_RPM.size, np.log(5.0))  # no engine shows so little
    start = np.clip(_engine(), lower, upper)
    x = damped_least_squares(
        lambda y: log_curve(y, LOG_RPM, LOG_V),
        lambda y: log_pressure(y, LOG_RPM, LOG_V),
        seen,
        np.ones(seen.size),
        start,
        (lower, upper),
        (CENTRE, np.zeros((9, 9))),
    )
    assert np.all((x >= lower) & (x <= upper))
    assert float(np.exp(x[0])) < 40.0  # as low as it may


def test_what_lies_far_under_loses_its_say_and_what_lies_over_keeps_some() -> None:
    usual = np.random.default_rng(1).normal(0.0, 0.01, 60)
    error = np.concatenate([usual, [0.3, -0.3, -0.3]])
    say = say_of(error, np.ones(error.size), np.arange(error.size) == error.size - 1)
    assert float(np.median(say[:60])) > 0.9
    over, under, slow = say[60:]
    assert 0.0 < over < 0.6
    assert under == 0.0  # froth, or a starved moment
    assert slow > 0.0  # slow running is believed as it is
