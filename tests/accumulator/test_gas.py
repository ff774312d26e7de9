"""The gas law against closed forms worked by hand, in absolute pressure."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from basso.accumulator.gas import (
    Bottle,
    charged_l,
    checked,
    curve,
    gas_kpa,
    highest_floor_kpa,
    seconds_of_cover,
    stored_l,
    usable_l,
)
from basso.errors import InputError

AIR = 101.325
TWO = Bottle(2.0, 70.0)


def test_oil_in_it_is_by_absolute_pressure_not_by_gauge() -> None:
    assert stored_l(TWO, 375.0) == pytest.approx(2.0 * (1.0 - (70.0 + AIR) / (375.0 + AIR)), rel=1e-12)
    # By gauge pressures one would believe in 1.63 L.
    assert stored_l(TWO, 375.0) == pytest.approx(1.28063, abs=1e-5) and 2.0 * (1 - 70 / 375) > 1.62
    assert usable_l(TWO, 375.0, 214.0) == pytest.approx(
        2.0 * (70.0 + AIR) * (1.0 / (214.0 + AIR) - 1.0 / (375.0 + AIR)), rel=1e-12
    )


@given(st.floats(0.1, 20.0), st.floats(0.0, 800.0), st.floats(1.0, 1.67), st.floats(0.0, 1500.0))
def test_pressure_and_oil_are_each_others_inverse(total: float, precharge: float, n: float, pressure: float) -> None:
    bottle = Bottle(total, precharge, n)
    oil = float(stored_l(bottle, pressure))
    assert 0.0 <= oil < total
    # The law itself: absolute pressure times the room of the gas to the n stays what it was without oil.
    assert (float(gas_kpa(bottle, oil)) + AIR) * (total - oil) ** n == pytest.approx(
        (precharge + AIR) * total**n, rel=1e-9
    )
    if pressure > precharge:
        assert float(gas_kpa(bottle, oil)) == pytest.approx(pressure, rel=1e-9, abs=1e-6)
    else:
        assert oil == pytest.approx(0.0, abs=1e-12)


def test_a_quick_gas_gives_less_for_the_same_fall() -> None:
    quick = replace(TWO, exponent=1.4)
    assert stored_l(quick, 375.0) == pytest.approx(2.0 * (1 - (171.325 / 476.325) ** (1 / 1.4)), rel=1e-12)
    assert usable_l(quick, 375.0, 214.0) < usable_l(TWO, 375.0, 214.0)


def test_a_warm_bottle_stands_at_more_than_its_precharge() -> None:
    warm = replace(TWO, set_c=20.0, gas_c=60.0)
    assert warm.precharge_driven_kpa == pytest.approx(171.325 * 333.15 / 293.15 - AIR, rel=1e-12)
    assert stored_l(warm, 375.0) < stored_l(TWO, 375.0)


def test_seals_take_their_part_on_the_way_in_and_out() -> None:
    piston = replace(TWO, friction_kpa=10.0)
    assert charged_l(piston, 375.0) == pytest.approx(stored_l(TWO, 365.0))
    assert usable_l(piston, 375.0, 214.0) == pytest.approx(stored_l(TWO, 365.0) - stored_l(TWO, 224.0))


def test_cover_is_oil_over_flow() -> None:
    assert seconds_of_cover(0.5, 60.0) == pytest.approx(0.5) and math.isinf(seconds_of_cover(0.5, 0.0))


def test_no_floor_over_what_it_was_charged_to_and_none_under_the_precharge_gives_more() -> None:
    assert usable_l(TWO, 300.0, 300.0) == 0.0 and usable_l(TWO, 300.0, 350.0) == 0.0
    assert usable_l(TWO, 300.0, 70.0) == usable_l(TWO, 300.0, 10.0) == pytest.approx(float(stored_l(TWO, 300.0)))
    assert usable_l(TWO, 60.0, 20.0) == 0.0, "never charged: the precharge is over the gallery"
    given_half = 0.5 * float(stored_l(TWO, 300.0))
    held = highest_floor_kpa(TWO, 300.0, given_half)
    assert held is not None and usable_l(TWO, 300.0, held) == pytest.approx(given_half)
    assert highest_floor_kpa(TWO, 300.0, 5.0) is None


def test_the_curve_goes_from_the_precharge_to_the_charge() -> None:
    oil, pressure = curve(TWO, 375.0)
    assert oil[0] == 0.0 and pressure[0] == pytest.approx(70.0) and pressure[-1] == pytest.approx(375.0)
    assert np.all(np.diff(pressure) > 0.0) and oil[-1] == pytest.approx(1.28063, abs=1e-5)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"total_l": 0.0}, "total volume cannot be 0"),
        ({"total_l": 51.0}, "lies between 0.01 L and 50.00 L"),
        ({"precharge_kpa": -1.0}, "precharge cannot be −1.00 kPa"),
        ({"exponent": 0.9}, "exponent cannot be 0.9"),
        ({"air_kpa": 20.0}, "atmosphere cannot be 20"),
        ({"friction_kpa": 201.0}, "friction cannot be 201"),
        ({"settle_s": 0.0}, "gas's time cannot be 0"),
        ({"gas_c": 251.0}, "temperature of the gas"),
    ],
)
def test_what_no_bottle_is_is_refused(change: dict[str, float], words: str) -> None:
    with pytest.raises(InputError, match=words):
        checked(replace(TWO, **change))  # type: ignore[arg-type]
    assert checked(TWO) is TWO
