"""Units: what is read back is what was written, and what people see is rounded sensibly."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from basso.units import (
    DEGREE_OF_ARC_M,
    STANDARD_ATMOSPHERE_KPA,
    UNITS,
    DisplayUnits,
    Quantity,
    Unit,
    base_unit,
    digits_of,
    parse_unit,
)

any_unit = st.sampled_from(list(UNITS.values()))


@given(any_unit, st.floats(-1e6, 1e6))
def test_round_trip(unit: Unit, value: float) -> None:
    assert unit.from_base(unit.to_base(value)) == pytest.approx(value, rel=1e-9, abs=1e-9)


@given(any_unit, st.floats(-1e3, 1e3), st.floats(-1e3, 1e3))
def test_a_difference_does_not_know_the_offset(unit: Unit, a: float, b: float) -> None:
    difference = unit.to_base(a) - unit.to_base(b)
    assert unit.difference_from_base(difference) == pytest.approx(a - b, rel=1e-6, abs=1e-6)


@pytest.mark.parametrize(
    ("symbol", "value", "base"),
    [
        ("psi", 1.0, 6.894757293168361),
        ("psi", 87.0, 599.8438845),
        ("bar", 4.0, 400.0),
        ("°F", 212.0, 100.0),
        ("°F", 32.0, 0.0),
        ("K", 373.15, 100.0),
        ("m/s²", 9.80665, 1.0),
        ("km/h", 36.0, 10.0),
        ("mph", 1.0, 0.44704),
        ("US qt", 1.0, 0.946352946),
        ("Hz", 100.0, 6000.0),
        ("rad/s", 100.0, 954.929658551),
        ("krpm", 6.5, 6500.0),
        ("kg/cm²", 1.0, 98.0665),
        ("MPa", 0.6, 600.0),
        ("kn", 1.0, 0.514444444),
        ("mbar", 10.0, 1.0),
        ("Pa", 1000.0, 1.0),
        ("mg", 1000.0, 1.0),
        ("ft/s²", 32.174049, 1.0),
        ("mi", 1.0, 1609.344),
        ("ft", 1.0, 0.3048),
        ("min", 1.0, 60.0),
        ("h", 1.0, 3600.0),
        ("ms", 1.0, 0.001),
        ("µs", 1.0, 1e-6),
        ("US gal", 1.0, 3.785411784),
        ("in", 1.0, 25.4),
    ],
)
def test_known_conversions(symbol: str, value: float, base: float) -> None:
    assert UNITS[symbol].to_base(value) == pytest.approx(base, rel=1e-6, abs=1e-12)


def test_maker_window_of_4_to_6_bar_in_psi_is_not_rounded() -> None:
    psi = UNITS["psi"]
    assert psi.from_base(UNITS["bar"].to_base(4.0)) == pytest.approx(58.015, abs=1e-3)
    assert psi.from_base(UNITS["bar"].to_base(6.0)) == pytest.approx(87.023, abs=1e-3)


@pytest.mark.parametrize(
    ("spelled", "symbol"),
    [
        ("PSI", "psi"),
        ("psig", "psi"),
        ("[kPa]", "kPa"),
        ("(bar)", "bar"),
        ("deg C", "°C"),
        ("degF", "°F"),
        ("° F", "°F"),
        ("C", "°C"),
        ("m/s^2", "m/s²"),
        ("m/s/s", "m/s²"),
        ("G", "g"),
        ("km/h", "km/h"),
        ("kph", "km/h"),
        ("1/min", "rpm"),
        ("psia", "psi abs"),
        ("bar(a)", "bar abs"),
        ("ms", "ms"),
        ("%", "%"),
        ("deg", "°"),
    ],
)
def test_spellings(spelled: str, symbol: str) -> None:
    found = parse_unit(spelled)
    assert found is not None
    assert found.symbol == symbol


@pytest.mark.parametrize("nonsense", ["", "  ", "furlong", "oil", "[]"])
def test_what_is_no_unit(nonsense: str) -> None:
    assert parse_unit(nonsense) is None


def test_absolute_units_are_told_apart() -> None:
    assert UNITS["psi abs"].absolute
    assert not UNITS["psi"].absolute


@pytest.mark.parametrize("quantity", [Quantity.PRESSURE, Quantity.TEMPERATURE, Quantity.ACCELERATION, Quantity.SPEED])
def test_base_units_are_those_of_the_contract(quantity: Quantity) -> None:
    assert (
        base_unit(quantity).symbol
        == {Quantity.PRESSURE: "kPa", Quantity.TEMPERATURE: "°C", Quantity.ACCELERATION: "g", Quantity.SPEED: "m/s"}[
            quantity
        ]
    )


def test_arrays_convert_and_keep_gaps() -> None:
    shown = UNITS["psi"].to_base(np.array([1.0, np.nan]))
    assert shown[0] == pytest.approx(6.8948, abs=1e-4)
    assert math.isnan(shown[1])


class TestDisplay:
    units = DisplayUnits(pressure=UNITS["psi"], temperature=UNITS["°F"])

    def test_a_reading_carries_its_unit_once(self) -> None:
        assert self.units.text(300.0, Quantity.PRESSURE) == "44 psi"
        assert self.units.text(100.0, Quantity.TEMPERATURE) == "212 °F"

    def test_a_margin_is_signed_with_a_true_minus(self) -> None:
        assert self.units.number(-100.0, Quantity.PRESSURE, difference=True, signed=True) == "−15"

    def test_a_temperature_difference_has_no_offset(self) -> None:
        assert self.units.number(10.0, Quantity.TEMPERATURE, difference=True) == "18"

    def test_nothing_is_shown_for_what_is_not_known(self) -> None:
        assert self.units.text(float("nan"), Quantity.PRESSURE) == "–"

    def test_zero_has_no_sign(self) -> None:
        assert self.units.number(-0.4, Quantity.PRESSURE, signed=True) == "0"

    def test_thousands_are_set_apart(self) -> None:
        assert self.units.number(6240.0, Quantity.ROTATION) == "6\u2009240"


@pytest.mark.parametrize(
    ("symbol", "digits"),
    [
        *(("psi", 0), ("kPa", 0), ("bar", 2), ("°C", 0), ("°F", 0), ("rpm", 0), ("%", 0), ("mm", 0), ("m", 0)),
        *(("g", 2), ("L", 2), ("US qt", 2), ("in", 2)),
        *(("m/s", 1), ("km/h", 0), ("mph", 0), ("s", 1)),
        ("MPa", 2),  # one that is not in the list
    ],
)
def test_a_reading_is_shown_to_what_its_sensor_is_good_for(symbol: str, digits: int) -> None:
    assert digits_of(UNITS[symbol]) == digits


def test_absolute_pressures_are_by_the_same_unit_as_gauge_ones() -> None:
    for absolute, gauge in (("bar abs", "bar"), ("psi abs", "psi"), ("kPa abs", "kPa")):
        assert UNITS[absolute].absolute and not UNITS[gauge].absolute
        assert UNITS[absolute].to_base(2.0) == pytest.approx(UNITS[gauge].to_base(2.0))


def test_constants_of_the_earth() -> None:
    assert STANDARD_ATMOSPHERE_KPA == 101.325
    # A degree of a sphere of 6371 km.
    assert pytest.approx(math.pi / 180.0 * 6_371_000.0, rel=1e-5) == DEGREE_OF_ARC_M


def test_a_heading_too_long_for_a_unit_is_none() -> None:
    assert parse_unit("(" * 10 + "psi" + ")" * 10) == UNITS["psi"]
    assert parse_unit(" " * 80 + "psi") == UNITS["psi"]
    assert parse_unit("(" * 40 + "psi" + ")" * 40) is None
    assert parse_unit("") is None
