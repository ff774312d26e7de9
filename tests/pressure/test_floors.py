"""The floor rules, as rules and as lines."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from basso.errors import InputError
from basso.pressure.floors import (
    DEFAULT_FLOORS,
    FLOOR_RULES,
    Fixed,
    Less,
    PointTable,
    Share,
    Slope,
    highest_floor,
    moves_with_normal,
    parse_floor,
)

RPM = np.array([1000.0, 2000.0, 5000.0])
EXPECTED = np.array([200.0, 300.0, 400.0])


def test_full_per_thousand_is_30_psi_at_2000_and_60_at_5000() -> None:
    full = next(s.floor for s in FLOOR_RULES if s.name == "10 psi + 10 psi per 1000 rpm")
    psi = full.at(RPM, EXPECTED) / 6.894757293168361
    assert psi == pytest.approx([20.0, 30.0, 60.0])


def test_lean_rule_is_7_psi_per_thousand() -> None:
    assert DEFAULT_FLOORS[0].at(RPM, EXPECTED) / 6.894757293168361 == pytest.approx([7.0, 14.0, 35.0], abs=0.03)


def test_a_table_is_linear_between_and_flat_outside() -> None:
    table = PointTable(((1500.0, 100.0), (3500.0, 200.0)))
    assert table.at(np.array([1000.0, 2500.0, 6000.0]), EXPECTED).tolist() == [100.0, 150.0, 200.0]


def test_the_highest_rule_applies_and_is_named() -> None:
    line = highest_floor((Slope(0, 50.0), Share(0.7), Fixed(160.0)), RPM, EXPECTED)
    assert line.kpa.tolist() == [160.0, 210.0, 280.0]
    assert [line.rule_at(i) for i in range(3)] == ["fixed:160", "share:0.7", "share:0.7"]


def test_a_share_says_nothing_where_nothing_is_expected() -> None:
    line = highest_floor((Share(0.7),), RPM, np.full(3, np.nan))
    assert np.isnan(line.kpa).all()
    assert line.rule_at(0) is None


def test_normal_less_a_margin_follows_normal_down_to_nothing() -> None:
    line = highest_floor((Less(250.0),), RPM, EXPECTED)
    assert line.kpa.tolist() == [0.0, 50.0, 150.0]
    assert [moves_with_normal(f) for f in (Less(80.0), Share(0.7), Slope(0, 50.0), Fixed(200.0))] == [
        True,
        True,
        False,
        False,
    ]
    assert np.isnan(highest_floor((Less(80.0),), RPM, np.full(3, np.nan)).kpa).all()


@pytest.mark.parametrize("text", ["slope:0,48.3", "fixed:200", "share:0.7", "less:80", "table:1000=70,2500=193"])
def test_rules_read_back_as_written(text: str) -> None:
    assert parse_floor(text).rule == text


@given(st.floats(0, 500), st.floats(0, 200))
def test_any_slope_reads_back(base: float, per_1000: float) -> None:
    floor = Slope(base, per_1000)
    again = parse_floor(floor.rule)
    assert isinstance(again, Slope)
    assert again.base_kpa == pytest.approx(base, rel=1e-5)
    assert again.per_1000_kpa == pytest.approx(per_1000, rel=1e-5)


@pytest.mark.parametrize(
    "text",
    ["", "slope", "slope:1", "slope:a,b", "share:70", "share:0", "share:1", "fixed:", "table:1000", "lean:7", "less:x"],
)
def test_a_rule_that_cannot_be_read_is_answered_with_the_form(text: str) -> None:
    with pytest.raises(InputError, match="share"):
        parse_floor(text)


def test_a_margin_of_nothing_is_refused() -> None:
    with pytest.raises(InputError, match="must be over 0, so write less:80"):
        parse_floor("less:0")
