"""Rolling filters against the plain definition."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp
from scipy.signal import savgol_filter

from basso.recording.rolling import any_lately, bell_smooth, local_parabola, rolling_max, rolling_mean, rolling_min

values = hnp.arrays(np.float64, st.integers(1, 60), elements=st.floats(-1e3, 1e3))
sizes = st.integers(1, 25)


def _windows(x: np.ndarray, size: int, trailing: bool) -> list[np.ndarray]:
    before = size - 1 if trailing else size // 2
    padded = np.pad(x, (before, size - 1 - before), mode="edge")
    return [padded[i : i + size] for i in range(x.size)]


@given(values, sizes, st.booleans())
def test_max_min_and_mean(x: np.ndarray, size: int, trailing: bool) -> None:
    windows = _windows(x, size, trailing)
    np.testing.assert_allclose(rolling_max(x, size, trailing), [w.max() for w in windows])
    np.testing.assert_allclose(rolling_min(x, size, trailing), [w.min() for w in windows])
    np.testing.assert_allclose(rolling_mean(x, size, trailing), [w.mean() for w in windows], atol=1e-8)


@given(hnp.arrays(np.bool_, st.integers(1, 60)), sizes)
def test_any_lately(mask: np.ndarray, size: int) -> None:
    expected = [bool(mask[max(0, i - size + 1) : i + 1].any()) for i in range(mask.size)]
    assert any_lately(mask, size).tolist() == expected


def test_a_trailing_window_never_looks_ahead() -> None:
    x = np.zeros(50)
    x[30] = 5.0
    assert rolling_max(x, 10, trailing=True)[:30].max() == 0.0
    assert rolling_max(x, 10, trailing=True)[30:40].min() == 5.0


def test_smoothing_keeps_a_constant_and_the_middle_of_a_step() -> None:
    np.testing.assert_allclose(bell_smooth(np.full(20, 3.0), 2.0), 3.0)
    step = np.concatenate([np.zeros(50), np.ones(50)])
    assert 0.4 < bell_smooth(step, 3.0)[50] < 0.65


@pytest.mark.parametrize("size", [5, 31, 61])
def test_the_local_parabola_is_that_of_another_library(size: int) -> None:
    values = np.cumsum(np.random.default_rng(size).normal(0, 1, 400))
    level, slope = local_parabola(values, size)
    inside = slice(size, -size)
    np.testing.assert_allclose(level[inside], savgol_filter(values, size, 2)[inside], atol=1e-9)
    np.testing.assert_allclose(slope[inside], savgol_filter(values, size, 2, deriv=1)[inside], atol=1e-9)
    # A parabola is left as it is, and its slope is known.
    x = np.arange(200.0)
    level, slope = local_parabola(0.01 * x * x, size)
    np.testing.assert_allclose(level[size:-size], (0.01 * x * x)[size:-size], rtol=1e-9)
    np.testing.assert_allclose(slope[size:-size], (0.02 * x)[size:-size], rtol=1e-9)
