"""An accumulator's file: what is written is read back, and what it must not hold is named."""

from __future__ import annotations

from dataclasses import replace

import pytest

from basso.accumulator.fitted import Fitted, checked, fitted_of, fitted_text
from basso.accumulator.gas import Bottle
from basso.accumulator.valve import Line, Valve
from basso.car.accumulators import read_card
from basso.errors import InputError
from basso.workflow import demo_folder

WHOLE = Fitted(
    Bottle(3.5, 200.0, set_c=18.0, gas_c=55.0, friction_kpa=4.0, settle_s=5.0),
    Valve(260.0, 20.0),
    Line(18.0, 900.0),
    11.2,
    214.0,
    'The "long" one',
)


@pytest.mark.parametrize("fitted", [WHOLE, Fitted(), replace(WHOLE, floor_kpa=None, pump_cm3_per_rev=None)])
def test_what_is_written_is_read_back(fitted: Fitted) -> None:
    assert fitted_of(fitted_text(fitted)) == fitted


def test_the_demos_card_can_be_read() -> None:
    card = (demo_folder() / "fitted.toml").read_text(encoding="utf-8")
    assert read_card(card) is read_card(card), "the same each time, so that nothing is worked out twice"
    found = read_card(card)
    assert found is not None and found.bottle.total_l == 2.0 and found.valve.trigger_kpa is None
    assert read_card("no card") is None and read_card("#" * 30_000) is None


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ('schema = "basso.fitted/1"', "", "has to begin with schema"),
        ("total = 3.5", "", r"lacks bottle\.total"),
        ("total = 3.5", 'total = "much"', "total has to be a number"),
        ("total = 3.5", "total = nan", "total has to be a number"),
        ("total = 3.5", "total = -1.0", "total volume cannot be −1.00 L"),
        ("pump = 11.2", "pump = 0.01", "0.1 to 500"),
        ("floor = 214.0", "floor = -4.0", "floor of −4 kPa"),
        ("[bottle]", "[bottle", "is not TOML"),
        ("[valve]", "", ""),
    ],
)
def test_what_it_must_not_hold_is_named(old: str, new: str, words: str) -> None:
    text = fitted_text(WHOLE).replace(old, new)
    if words:
        with pytest.raises(InputError, match=words):
            fitted_of(text)
    else:
        assert fitted_of(text).valve.trigger_kpa is None, "entries of another table are not taken for the valve's"
    with pytest.raises(InputError, match="floor of 5001"):
        checked(replace(WHOLE, floor_kpa=5001.0))
