"""Viscosity over temperature against ASTM D341 worked by hand."""

from __future__ import annotations

import math

import numpy as np
import pytest

from basso.errors import InputError
from basso.oil.grades import Grade, grade, grades, parse_oil
from basso.oil.viscosity import log_viscosity, walther


@pytest.mark.parametrize("oil", list(grades().values()), ids=lambda g: g.name)
def test_the_curve_runs_through_the_data_sheet(oil: Grade) -> None:
    at = walther(oil).viscosity_mm2ps(np.array([40.0, 100.0]))
    assert at == pytest.approx([oil.at_40_mm2ps, oil.at_100_mm2ps], rel=1e-9)


def test_worked_example_between_the_points() -> None:
    """32 mm²/s at 40 °C and 5.4 at 100 °C, worked with log tables: W = log log (ν + 0.7) is linear in log T."""
    oil = Grade("worked", 32.0, 5.4)
    w40, w100 = math.log10(math.log10(32.7)), math.log10(math.log10(6.1))
    t40, t70, t100 = (math.log10(t + 273.15) for t in (40.0, 70.0, 100.0))
    w70 = w40 + (w100 - w40) * (t70 - t40) / (t100 - t40)
    expected = 10 ** (10**w70) - 0.7
    assert walther(oil).viscosity_mm2ps(np.array([70.0]))[0] == pytest.approx(expected, rel=1e-9)
    assert expected == pytest.approx(11.2, abs=0.25)


def test_hotter_is_thinner_everywhere() -> None:
    for oil in grades().values():
        curve = walther(oil).viscosity_mm2ps(np.arange(-20.0, 161.0, 5.0))
        assert np.all(np.diff(curve) < 0)
        assert np.all(curve > 1.0)


def test_gaps_stay_gaps() -> None:
    assert np.isnan(walther(grade("10W-40")).viscosity_mm2ps(np.array([np.nan]))[0])


def test_an_unknown_grade_is_answered_with_the_known_ones() -> None:
    with pytest.raises(InputError, match="10W-40"):
        grade("75W-90")


@pytest.mark.parametrize(
    ("text", "at_40", "at_100"), [("10W-40", 95.0, 14.5), ("93,14.1", 93.0, 14.1), (" 0W-20 ", 44.0, 8.5)]
)
def test_an_oil_by_its_label_or_as_measured(text: str, at_40: float, at_100: float) -> None:
    oil = parse_oil(text)
    assert (oil.at_40_mm2ps, oil.at_100_mm2ps) == (at_40, at_100)


@pytest.mark.parametrize("text", ["10W-99", "a,b", "14,93", "93,nan", "1,2,3"])
def test_what_is_no_oil_is_refused_in_one_sentence(text: str) -> None:
    with pytest.raises(InputError) as caught:
        parse_oil(text)
    assert "\n" not in str(caught.value)


def test_the_equation_holds_both_ways() -> None:
    curve, heat = walther(grade("10W-40")), np.linspace(-10.0, 180.0, 39)
    np.testing.assert_allclose(curve.temperature_c(curve.viscosity_mm2ps(heat)), heat, atol=1e-9)
    assert curve.temperature_c(np.array([14.5]))[0] == pytest.approx(100.0)


@pytest.mark.parametrize("name", ["0W-20", "10W-60"])
def test_the_table_is_as_exact_as_it_says(name: str) -> None:
    """Between its knots too, and at both ends: half a degree from a knot the error is largest."""
    oil = parse_oil(name)
    heat = np.arange(-29.5, 200.0, 0.25)
    exact = np.log(walther(oil).viscosity_mm2ps(heat) / walther(oil).viscosity_mm2ps(np.array([95.0])))
    off = np.abs(log_viscosity(oil, heat) - exact)
    assert off[heat > 40.0].max() < 7e-5 and off.max() < 6e-4
    assert log_viscosity(oil, np.array([95.0]))[0] == pytest.approx(0.0, abs=1e-12)
