"""A calibration's line, what is left over, and when no line is right; wiring and places worked by hand."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import linregress

from basso.errors import InputError
from basso.fitting.calibration import calibration_words, fit_line
from basso.fitting.places import places
from basso.fitting.wiring import ground_error_kpa
from basso.recording.roles import Role
from basso.units import UNITS, DisplayUnits

UP_AND_DOWN = np.array([0.0, 200.0, 400.0, 600.0, 800.0, 600.0, 400.0, 200.0, 0.0])


def pairs(applied: np.ndarray, read: np.ndarray) -> list[tuple[float, float]]:
    return [(float(a), float(b)) for a, b in zip(applied, read, strict=True)]


@given(gain=st.floats(0.8, 1.2), zero=st.floats(-120.0, 120.0), seed=st.integers(0, 10_000))
def test_the_line_is_that_of_another_library(gain: float, zero: float, seed: int) -> None:
    read = zero + gain * UP_AND_DOWN + np.random.default_rng(seed).normal(0.0, 1.5, UP_AND_DOWN.size)
    line, other = fit_line(pairs(UP_AND_DOWN, read)), linregress(UP_AND_DOWN, read)
    assert line.gain == pytest.approx(other.slope) and line.zero_kpa == pytest.approx(other.intercept)
    assert line.gain_error == pytest.approx(2.3646 * other.stderr, rel=1e-3)  # Student, 7 degrees of freedom
    assert line.zero_error == pytest.approx(2.3646 * other.intercept_stderr, rel=1e-3)
    np.testing.assert_allclose(line.residual_kpa, read - other.intercept - other.slope * UP_AND_DOWN, atol=1e-9)


def test_its_interval_holds_the_truth_as_often_as_it_says() -> None:
    rng = np.random.default_rng(11)
    lines = [fit_line(pairs(UP_AND_DOWN, 1.02 * UP_AND_DOWN + rng.normal(0, 2.0, 9))) for _ in range(400)]
    assert 0.92 <= np.mean([abs(x.gain - 1.02) <= x.gain_error for x in lines]) <= 0.98
    assert sum(x.bent for x in lines) == 0


@pytest.mark.parametrize(("gain", "off"), [(1.0, False), (1.003, False), (1.02, True), (0.97, True)])
def test_a_scale_is_off_by_half_a_percent_and_more_or_not_at_all(gain: float, off: bool) -> None:
    noise = np.array([0.3, -0.2, 0.1, 0.2, -0.3, 0.1, -0.1, 0.2, -0.2])
    assert fit_line(pairs(UP_AND_DOWN, gain * UP_AND_DOWN + noise)).is_off is off


def test_volts_go_through_the_sensors_own_range() -> None:
    # 0.5 to 4.5 V over 0 to 1000 kPa: 2.5 V is 500 kPa.
    line = fit_line([(0.0, 0.5), (500.0, 2.5), (1000.0, 4.5)], True, (0.0, 1000.0), (0.5, 4.5))
    np.testing.assert_allclose(line.read_kpa, [0.0, 500.0, 1000.0])
    assert line.gain == pytest.approx(1.0)
    with pytest.raises(InputError, match="range and its output"):
        fit_line([(0.0, 0.5), (500.0, 2.5)], True, (0.0, None), (0.5, 4.5))


def test_two_points_prove_nothing_and_one_is_no_line() -> None:
    line = fit_line([(0.0, 1.0), (400.0, 409.0)])
    assert not line.is_off and np.isnan(line.gain_error)
    assert "prove nothing" in calibration_words(line, DisplayUnits())
    for points in ([], [(0.0, 1.0)], [(200.0, 199.0), (200.0, 201.0)]):
        with pytest.raises(InputError, match="two pressures at least"):
            fit_line(points)


def test_a_bend_is_told_and_no_factor_is_offered() -> None:
    # A parabola lies an eighth of what it adds at the end on either side of a line: 12.5 kPa of 800, and 5.
    bent = UP_AND_DOWN + 100.0 * (UP_AND_DOWN / 800.0) ** 2
    assert not fit_line(pairs(UP_AND_DOWN, UP_AND_DOWN + 40.0 * (UP_AND_DOWN / 800.0) ** 2)).bent
    line = fit_line(pairs(UP_AND_DOWN, bent))
    assert line.bent and not line.is_off
    assert "on a bend" in calibration_words(line, DisplayUnits())


def test_a_sensor_that_sticks_reads_apart_going_up_and_coming_down() -> None:
    read = UP_AND_DOWN + np.array([0, 0, 0, 0, 0, 12.0, 12.0, 12.0, 12.0])
    line = fit_line(pairs(UP_AND_DOWN, read))
    assert line.sticks_kpa == pytest.approx(12.0)
    assert "it sticks" in calibration_words(line, DisplayUnits())
    assert fit_line([(0.0, 0.0), (400.0, 401.0), (800.0, 800.0)]).sticks_kpa is None


def test_what_is_said_is_in_the_units_shown_and_names_what_was_not_covered() -> None:
    line = fit_line([(0.0, 0.0), (34.474, 36.0), (68.948, 70.0)])
    words = calibration_words(line, DisplayUnits(pressure=UNITS["psi"]))
    assert "psi" in words and "kPa" not in words
    assert "span only 10.0 psi" in words


def test_the_ground_error_of_a_shared_return_worked_by_hand() -> None:
    # 50 mA through 0.2 Ω lift the ground by 10 mV; 1000 kPa over 4 V make that 2.5 kPa.
    assert ground_error_kpa(50.0, 0.2, 1000.0, 4.0) == pytest.approx(2.5)
    # A lamp's 400 mA on the same wire: 20 kPa, about 3 psi.
    assert ground_error_kpa(400.0, 0.2, 1000.0, 4.0) / UNITS["psi"].factor == pytest.approx(2.9, abs=0.05)


def test_places_follow_the_oils_way_and_name_channels_that_there_are() -> None:
    order = list(places())
    assert (
        order.index("pump outlet")
        < order.index("cooler outlet")
        < order.index("filter outlet")
        < order.index("main gallery")
    )
    for place in places().values():
        assert not place.role or place.role in list(Role)
        assert place.tells.endswith(".")
    assert {p.name for p in places().values() if p.trust == "ok"} == {"main gallery", "far end of the gallery"}
    assert {places()[n].trust for n in ("pump outlet", "cooler outlet", "head")} == {"warn"}
    assert places()["filter outlet"].trust == "note"
