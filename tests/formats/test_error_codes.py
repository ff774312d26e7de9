"""A logger's code for "no reading" is left out, and a reading that only looks like one is kept."""

from __future__ import annotations

import numpy as np
import pytest

from basso.formats.arrays import without_error_codes


@pytest.mark.parametrize(("span", "taken"), [(300.0, True), (332.0, True), (334.0, False), (400.0, False)])
def test_a_code_lies_further_out_than_three_times_the_span_of_the_readings(span: float, taken: bool) -> None:
    values = np.concatenate([np.linspace(0.0, span, 50), [-999.0]])
    notes: list[str] = []
    kept = without_error_codes(values, "P", notes)
    assert bool(np.isnan(kept[-1])) is taken and bool(notes) is taken


@pytest.mark.parametrize("code", [-999.0, -9999.0, 9999.0])
def test_codes_on_either_side_are_told_with_their_number(code: float) -> None:
    notes: list[str] = []
    values = np.concatenate([np.linspace(80.0, 120.0, 50), [code, code]])
    kept = without_error_codes(values, "Oil temp", notes)
    assert np.isnan(kept[-2:]).all() and np.isfinite(kept[:-2]).all()
    assert notes == [
        f"'Oil temp' holds {code:.0f} in 2 rows, which is a code for no reading; they were taken as missing."
    ]


def test_one_row_is_told_as_one() -> None:
    notes: list[str] = []
    without_error_codes(np.concatenate([np.linspace(80.0, 120.0, 50), [-999.0]]), "Oil temp", notes)
    assert "in 1 row, " in notes[0] and "it was taken as missing" in notes[0]


def test_a_channel_of_nothing_but_the_code_is_left_as_it_is() -> None:
    notes: list[str] = []
    kept = without_error_codes(np.full(50, -999.0), "P", notes)
    assert (kept == -999.0).all() and not notes
