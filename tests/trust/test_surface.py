"""What engine speed and temperature explain of a pressure, with dips in it that must not count."""

from __future__ import annotations

import numpy as np
import pytest

from basso.standin.engine import TrueEngine, balance_kpa, pump_flow
from basso.trust.surface import asked, far_share, fitted, fitted_softly, hats, surface
from basso.units import FloatArray

N = 3000


def _made(seed: int) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Readings with a tenth of them in dips, the truth, and the design of a surface."""
    rng = np.random.default_rng(seed)
    speed, heat = rng.uniform(1500.0, 7000.0, N), rng.uniform(70.0, 110.0, N)
    true = np.minimum(0.08 * speed * np.exp(-0.01 * (heat - 90.0)), 420.0)
    read = true + rng.normal(0.0, 3.0, N)
    read[rng.random(N) < 0.1] -= rng.uniform(30.0, 200.0)
    return read, true, surface(hats(speed, 8), hats(heat, 3))


def _level(read: FloatArray, off: FloatArray, true: FloatArray) -> float:
    """By how much the fitted surface lies off the truth in the middle."""
    return float(np.median(read - off - true))


@pytest.mark.parametrize("seed", range(3))
def test_dips_pull_neither_fit_down(seed: int) -> None:
    read, true, design = _made(seed)
    hard, kept = fitted(read, design, np.ones(N, dtype=bool), 2.5, 2.5)
    soft = fitted_softly(read, design, 12.0)
    least = read - design @ np.linalg.lstsq(design, read, rcond=None)[0]
    assert _level(read, least, true) < -3.0  # what leaving them in would do
    assert abs(_level(read, hard, true)) < 1.5 and abs(_level(read, soft, true)) < 1.5
    assert not kept[read < true - 25.0].any()


def test_what_is_far_counts_once_and_what_is_near_by_its_square() -> None:
    share = far_share(np.array([0.0, 0.1, 30.0, -30.0, 1e6]), 1.0)
    assert share == pytest.approx([0.0, 0.01, 1.0, 1.0, 1.0], rel=0.01)


def test_the_soft_fit_moves_smoothly_with_its_readings() -> None:
    """A fit that leaves readings out jumps where one crosses the line; a search over it would stick there."""
    read, _, design = _made(4)
    losses = []
    for shift in np.linspace(0.0, 20.0, 81):
        moved = read + shift * np.sin(np.arange(N))
        losses.append(float(np.mean(far_share(fitted_softly(moved, design, 12.0), 12.0))))
    bends = np.abs(np.diff(losses, 2))
    assert np.all(np.diff(losses) > -1e-4)
    assert float(bends.max()) < 0.002


def test_hats_of_a_value_add_up_to_one() -> None:
    speed = np.random.default_rng(2).uniform(800.0, 7500.0, 500)
    belongs = hats(speed, 6)
    assert belongs.shape == (500, 6)
    assert belongs.sum(axis=1) == pytest.approx(np.ones(500))
    # Linear between knots: any straight line over the values is met exactly.
    line = belongs @ np.linalg.lstsq(belongs, 3.0 * speed - 2.0, rcond=None)[0]
    assert line == pytest.approx(3.0 * speed - 2.0, abs=0.5)


def test_over_what_an_engine_asks_for_a_valve_that_opens_at_ever_more_engine_speed_leaves_less() -> None:
    rng = np.random.default_rng(3)
    log_rpm, heat = np.log(rng.uniform(1500.0, 7000.0, 4000)), np.linspace(50.0, 110.0, 4000)
    engine = TrueEngine(relief_kpa=430.0)
    rpm = np.exp(log_rpm)
    pressure = balance_kpa(engine, rpm, heat, pump_flow(engine, rpm))
    left = []
    for over in (log_rpm, asked(log_rpm, heat)):
        off, _ = fitted(pressure, surface(hats(over, 12), hats(heat, 3)), np.ones(rpm.size, dtype=bool), 9.0, 9.0)
        left.append(float(np.std(off)))
    assert left[1] < 0.5 * left[0]
