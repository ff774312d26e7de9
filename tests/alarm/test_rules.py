"""When a warning device shows, sample by sample: the line, the gate, the delay, the way out."""

from __future__ import annotations

import numpy as np
import pytest

from basso.alarm.rules import AlarmRule, showings
from basso.units import FloatArray

TIME_S = np.arange(0.0, 2.0, 0.05)
FAST = np.full(TIME_S.shape, 6000.0)
RULE = AlarmRule("gated", 4000.0, ((4000.0, 200.0),), delay_s=0.15, hysteresis_kpa=15.0)


def pressure(*low: tuple[int, int], kpa: float = 150.0) -> FloatArray:
    made = np.full(TIME_S.shape, 300.0)
    for start, end in low:
        made[start:end] = kpa
    return made


@pytest.mark.parametrize(("samples", "shows"), [(3, False), (4, True)])
def test_it_shows_after_its_delay_and_not_before(samples: int, shows: bool) -> None:
    found = showings(RULE, TIME_S, FAST, pressure((10, 10 + samples)))
    assert found == ([(13, 10 + samples)] if shows else [])


def test_without_a_delay_it_shows_at_the_first_sample() -> None:
    rule = AlarmRule("gated", 4000.0, ((4000.0, 200.0),), delay_s=0.0)
    assert showings(rule, TIME_S, FAST, pressure((10, 11))) == [(10, 11)]


@pytest.mark.parametrize(("kpa", "end"), [(214.9, 30), (215.0, 20)])
def test_it_goes_out_only_so_far_over_its_line(kpa: float, end: int) -> None:
    readings = pressure((10, 20))
    readings[20:30] = kpa
    assert showings(RULE, TIME_S, FAST, readings) == [(13, end)]


def test_one_that_shows_is_not_counted_again_for_a_second_dip_inside_it() -> None:
    readings = pressure((10, 20), (22, 30))
    readings[20:22] = 205.0
    assert showings(RULE, TIME_S, FAST, readings) == [(13, 30)]


@pytest.mark.parametrize(("rpm", "shows"), [(3999.0, False), (4000.0, True)])
def test_under_its_gate_it_is_silent(rpm: float, shows: bool) -> None:
    assert bool(showings(RULE, TIME_S, np.full(TIME_S.shape, rpm), pressure((10, 30)))) == shows


def test_the_delay_counts_only_over_the_gate_and_a_lift_puts_it_out() -> None:
    rpm = FAST.copy()
    rpm[:12] = 3000.0
    rpm[20:] = 3000.0
    assert showings(RULE, TIME_S, rpm, pressure((5, 40))) == [(15, 20)]


def test_a_missing_value_neither_lights_nor_clears() -> None:
    for gap in ("rpm", "pressure"):
        rpm, readings = FAST.copy(), pressure((10, 20))
        (rpm if gap == "rpm" else readings)[16:18] = np.nan
        assert showings(RULE, TIME_S, rpm, readings) == [(13, 20)]
        rpm[:], readings[:] = (np.nan, 150.0) if gap == "rpm" else (6000.0, np.nan)
        assert showings(RULE, TIME_S, rpm, readings) == []


def test_the_line_is_straight_between_points_and_flat_outside() -> None:
    rule = AlarmRule("table", 3000.0, ((3000.0, 100.0), (5000.0, 200.0)))
    assert rule.line_kpa(np.array([2000.0, 3000.0, 4000.0, 7000.0])) == pytest.approx([100.0, 100.0, 150.0, 200.0])


def test_one_that_never_clears_shows_to_the_end() -> None:
    readings = pressure((30, TIME_S.size))
    assert showings(RULE, TIME_S, FAST, readings) == [(33, TIME_S.size)]
