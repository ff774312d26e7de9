"""What the oil feels of a g, against the oscillator's own differential equation."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from basso.pressure.slosh import felt


@pytest.mark.parametrize("slosh", [(0.6, 0.7), (0.35, 0.55), (1.4, 0.85)])
def test_it_follows_the_oscillators_equation(slosh: tuple[float, float]) -> None:
    step = 0.02
    t = np.arange(1500) * step
    g = np.where((t > 3.0) & (t < 6.5), 1.2, 0.0) + 0.3 * np.sin(0.8 * t)
    w, damping = 2.0 * np.pi * slosh[0], slosh[1]

    def moves(at: float, x: np.ndarray) -> list[float]:
        return [x[1], w * w * (float(np.interp(at, t, g)) - x[0]) - 2.0 * damping * w * x[1]]

    true = solve_ivp(moves, (0.0, float(t[-1])), [float(g[0]), 0.0], t_eval=t, max_step=0.02).y[0]
    assert np.abs(felt(g, step, slosh) - true).max() < 0.03


def test_a_g_that_is_held_feels_like_itself_and_a_short_one_like_less() -> None:
    held = np.full(500, 0.9)
    assert felt(held, 0.02) == pytest.approx(held, abs=1e-9)
    short = np.zeros(500)
    short[100:110] = 1.0
    assert 0.1 < felt(short, 0.02).max() < 0.7
    assert felt(np.empty(0), 0.02).size == 0
    slow = np.array([0.0, 1.0, 0.0])
    assert felt(slow, 10.0) == pytest.approx(slow), "samples too far apart to show a slosh"
