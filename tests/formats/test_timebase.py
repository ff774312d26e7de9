"""What clocks do wrong is put right, and told; what is right stays as it is."""

from __future__ import annotations

import numpy as np

from basso.formats.timebase import UNKNOWN_GAP_S, repair
from basso.units import FloatArray


def _repair(seconds: FloatArray, values: FloatArray | None = None) -> tuple[FloatArray, FloatArray, list[str]]:
    notes: list[str] = []
    values = np.arange(seconds.size, dtype=np.float64) if values is None else values
    out, (column,) = repair(seconds, [values], notes)
    return out, column, notes


def test_a_sound_clock_is_left_alone_and_starts_at_zero() -> None:
    out, values, notes = _repair(np.arange(500) * 0.02 + 7.0)
    np.testing.assert_allclose(out, np.arange(500) * 0.02, atol=1e-12)
    assert values.size == 500 and notes == []


def test_a_gap_stays_a_gap() -> None:
    seconds = np.concatenate([np.arange(200) * 0.05, 60.0 + np.arange(200) * 0.05])
    out, _, notes = _repair(seconds)
    np.testing.assert_allclose(out, seconds)
    assert notes == []


def test_a_clock_in_whole_seconds_is_spread_over_its_rows() -> None:
    true = np.arange(1000) * 0.05 + 0.35  # begins in the middle of a second
    out, values, notes = _repair(np.floor(true))
    assert values.size == 1000
    np.testing.assert_allclose(out, true - true[0], atol=0.06)
    assert "coarser than the rows" in notes[0]


def test_rows_before_a_gap_are_not_stretched_into_it() -> None:
    stamps = np.repeat(np.array([0.0, 1.0, 2.0, 30.0, 31.0, 32.0]), 10)
    out, _, _ = _repair(stamps)
    steps = np.diff(out)
    assert np.count_nonzero(steps > 1.0) == 1
    assert float(steps[:29].max()) < 0.11


def test_rows_written_twice_count_once() -> None:
    seconds, values = np.repeat(np.arange(300) * 0.1, 2), np.repeat(np.sin(np.arange(300.0)), 2)
    out, kept, notes = _repair(seconds, values)
    assert out.size == 300
    np.testing.assert_allclose(kept, np.sin(np.arange(300.0)))
    assert "300 rows repeat" in notes[0]


def test_rows_that_complete_each_other_are_put_together() -> None:
    seconds = np.repeat(np.arange(100) * 0.1, 2)
    rpm = np.where(np.arange(200) % 2 == 0, 3000.0 + np.arange(200), np.nan)
    oil = np.where(np.arange(200) % 2 == 1, 400.0 + np.arange(200), np.nan)
    notes: list[str] = []
    out, (a, b) = repair(seconds, [rpm, oil], notes)
    assert out.size == 100
    assert not np.isnan(a).any() and not np.isnan(b).any()
    assert "put together" in notes[0]


def test_a_clock_set_back_does_not_cost_the_rows_after_it() -> None:
    true = np.arange(1000) * 0.02
    seconds = np.where(np.arange(1000) < 500, true, true - 3.0)
    out, values, notes = _repair(seconds)
    assert values.size == 1000
    np.testing.assert_allclose(out, true, atol=1e-9)
    assert "row 501" in notes[0] and "3.0 s back" in notes[0]


def test_a_clock_that_starts_anew_leaves_a_gap_nothing_is_drawn_across() -> None:
    seconds = np.concatenate([np.arange(600) * 0.1, np.arange(900) * 0.1])
    out, values, notes = _repair(seconds)
    assert values.size == 1500
    assert out[600] - out[599] == UNKNOWN_GAP_S
    assert "not known" in notes[0]


def test_a_clock_set_ahead_by_years_does_not_make_a_log_of_years() -> None:
    seconds = np.concatenate([np.arange(200) * 0.1, 8.2e8 + np.arange(800) * 0.1])
    out, values, notes = _repair(seconds)
    assert values.size == 1000
    assert float(out[-1]) < 120.0
    assert "26 years ahead" in notes[0]


def test_one_wild_stamp_costs_one_row() -> None:
    for wild in (1e6, -1e6, 1e9):
        seconds = np.arange(400) * 0.05
        seconds[123] = wild
        out, values, notes = _repair(seconds)
        assert values.size == 399
        np.testing.assert_allclose(out, np.delete(np.arange(400) * 0.05, 123), atol=1e-9)
        assert notes


def test_a_block_written_twice_counts_once() -> None:
    seconds, values = np.arange(500) * 0.1, np.cos(np.arange(500.0))
    again = np.r_[0:300, 200:500]
    out, kept, _ = _repair(seconds[again], values[again])
    np.testing.assert_allclose(out, seconds)
    np.testing.assert_allclose(kept, values)


def test_a_few_rows_out_of_order_are_dropped() -> None:
    seconds = np.arange(300) * 0.1
    seconds[100:103] = [5.0, 5.1, 5.2]
    out, values, notes = _repair(seconds)
    assert values.size == 297
    assert np.all(np.diff(out) > 0)
    assert "out of time order" in notes[0]


def test_rows_without_a_time_are_left_out() -> None:
    seconds = np.arange(50) * 0.1
    seconds[7] = np.nan
    out, values, notes = _repair(seconds)
    assert values.size == 49 and "1 rows have no time" in notes[0]
    assert np.all(np.diff(out) > 0)
