"""The hold test against sums worked by hand."""

from __future__ import annotations

import pytest

from basso.accumulator.hold import hold_test
from basso.errors import InputError


def test_cooling_alone_is_no_leak() -> None:
    # (400 + 101.325) kPa · 298.15 K / 343.15 K − 101.325 kPa = 334.26 kPa
    held = hold_test(400.0, 70.0, 334.3, 25.0)
    assert held.expected_kpa == pytest.approx(334.26, abs=0.05)
    assert held.lost_kpa == pytest.approx(0.0, abs=0.1)


def test_a_leak_shows_beyond_the_cooling() -> None:
    assert hold_test(400.0, 70.0, 250.0, 25.0).lost_kpa == pytest.approx(84.3, abs=0.1)
    assert hold_test(400.0, 25.0, 360.0, 25.0).lost_kpa == pytest.approx(40.0)


@pytest.mark.parametrize(
    "bad", [(-200.0, 20.0, 100.0, 20.0), (400.0, 900.0, 300.0, 20.0), (float("nan"), 20.0, 100.0, 20.0)]
)
def test_what_cannot_be_is_refused(bad: tuple[float, float, float, float]) -> None:
    with pytest.raises(InputError, match="read it again"):
        hold_test(*bad)
