"""Rolling filters against the plain definition."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp

from basso.recording.rolling import any_lately, bell_smooth, rolling_max, rolling_mean, rolling_min

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
