"""The oil adviser, against engines whose flow balance is known for every oil."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy.optimize import brentq

from basso.findings.normal.adviser import WARMING_RPM, AskedAt, OilAdvice, advise, floor_met, relief_under_c
from basso.normal.expected import fit_expected, no_expectation
from basso.oil.grades import Grade, grade, grades
from basso.oil.viscosity import as_thick, walther
from basso.pressure.floors import DEFAULT_FLOORS, Fixed, Share, Slope
from basso.standin.engine import TrueEngine, balance_kpa, pump_flow

ENGINE = TrueEngine()
RPM = 6500.0


@pytest.fixture(scope="module")
def fit():  # type: ignore[no-untyped-def]
    rng = np.random.default_rng(5)
    rpm, heat = rng.uniform(2500.0, 6800.0, 6000), rng.uniform(80.0, 125.0, 6000)
    kpa = balance_kpa(ENGINE, rpm, heat, pump_flow(ENGINE, rpm)) + rng.normal(0, 2.0, 6000)
    return fit_expected(kpa, rpm, heat, np.ones(6000, dtype=bool), grade(ENGINE.oil))


def _advice(fit, hot_c: float = 115.0, **asked: object) -> OilAdvice:  # type: ignore[no-untyped-def]
    found = advise(fit, DEFAULT_FLOORS, list(grades().values()), AskedAt(RPM, hot_c, **asked))  # type: ignore[arg-type]
    assert found is not None
    return found


def _true_limit(oil: str, floor_kpa: float) -> float:
    from dataclasses import replace

    engine = replace(ENGINE, oil=oil)
    at = np.array([RPM])
    return float(
        brentq(
            lambda t: float(balance_kpa(engine, at, np.array([t]), pump_flow(engine, at))[0]) - floor_kpa, 60.0, 200.0
        )
    )


@pytest.mark.parametrize("oil", ["5W-30", "5W-40", "10W-40", "15W-50", "SAE 40"])
def test_each_oil_holds_the_floor_as_far_as_the_engine_says(fit, oil: str) -> None:  # type: ignore[no-untyped-def]
    row = next(g for g in _advice(fit).grades if g.grade.name == oil)
    true = _true_limit(oil, 48.3 * RPM / 1000.0)
    assert row.holds_to_c == pytest.approx(true, abs=2.5)
    assert row.low_c is not None and row.high_c is not None and row.low_c <= row.holds_to_c <= row.high_c  # type: ignore[operator]


def test_the_lightest_that_holds_and_the_makers_list(fit) -> None:  # type: ignore[no-untyped-def]
    free = _advice(fit, 112.0)
    assert free.lightest is not None
    held = [g.grade.name for g in free.grades if g.holds]
    assert free.lightest.grade.name == held[0]
    assert all(_true_limit(name, free.floor_kpa) > 112.0 for name in held if name != "10W-60")
    bound = _advice(fit, 112.0, listed=("15W-50",))
    assert bound.lightest is not None and bound.lightest.grade.name == "15W-50"
    assert any("not in the maker's list" in c for c in bound.cautions)
    # The caution about thick oil and cool oil together always stands there.
    assert any("warning, not a success" in c for c in bound.cautions)


def test_a_margin_costs_degrees_and_power(fit) -> None:  # type: ignore[no-untyped-def]
    def row(advice: OilAdvice):  # type: ignore[no-untyped-def]
        return next(g for g in advice.grades if g.grade.name == "15W-50")

    without, with_margin = row(_advice(fit)), row(_advice(fit, margin_kpa=30.0))
    assert with_margin.holds_to_c < without.holds_to_c - 3.0
    assert without.over_kpa - with_margin.over_kpa == pytest.approx(30.0)
    # P = Q·p: 11 cm³ a turn at 6500 rpm is 71.5 L/min
    assert without.pump_kw == pytest.approx(without.over_kpa * 71.5 / 60000.0, rel=1e-6)
    assert row(_advice(fit, pump_cm3=22.0)).pump_kw == pytest.approx(2.0 * without.pump_kw)


def test_no_oil_holds_an_impossible_floor(fit) -> None:  # type: ignore[no-untyped-def]
    found = advise(fit, [Fixed(900.0)], list(grades().values()), AskedAt(RPM, 110.0))
    assert found is not None and found.lightest is None and all(g.holds_to_c is None for g in found.grades)
    assert "cool the oil before thickening it" in found.cautions[0]


def test_a_share_of_normal_is_no_floor_for_an_oil(fit) -> None:  # type: ignore[no-untyped-def]
    assert advise(fit, [Share(0.7)], list(grades().values()), AskedAt(RPM, 110.0)) is None
    assert advise(no_expectation("x"), [Slope(0, 48.3)], list(grades().values()), AskedAt(RPM, 110.0)) is None


def test_an_oil_is_the_present_one_at_another_temperature(fit) -> None:  # type: ignore[no-untyped-def]
    heat = np.array([80.0, 100.0, 120.0])
    np.testing.assert_allclose(as_thick(grade("10W-40"), heat, fit.oil), heat, atol=1e-6)
    assert np.all(as_thick(grade("15W-50"), heat, fit.oil) < heat) and np.all(
        as_thick(grade("0W-20"), heat, fit.oil) > heat
    )
    # 10.8 mm²/s at 100 °C is what 10W-40 has where its own curve crosses it
    (like,) = as_thick(Grade("own", 70.0, 10.8), np.array([100.0]), fit.oil)

    assert walther(grade("10W-40")).viscosity_mm2ps(np.array([like]))[0] == pytest.approx(10.8, rel=1e-3)


def test_where_normal_meets_the_floor_is_where_the_engine_does(fit) -> None:  # type: ignore[no-untyped-def]
    floors = (Fixed(260.0), Share(0.7))
    for met in floor_met(fit, floors, [4000.0, 5000.0, 6500.0]):
        rpm = np.array([met.rpm])

        def over(heat: float, rpm: np.ndarray = rpm) -> float:
            return float(balance_kpa(ENGINE, rpm, np.array([heat]), pump_flow(ENGINE, rpm))[0]) - 260.0

        true = brentq(over, 60.0, 165.0)
        assert met.at_c == pytest.approx(true, abs=2.5)
        assert met.low_c is not None and met.high_c is not None and met.low_c < met.at_c < met.high_c
    assert floor_met(fit, (Share(0.7),), [5000.0]) == () and floor_met(no_expectation("x"), floors, [5000.0]) == ()
    (never,) = floor_met(fit, (Fixed(2000.0),), [5000.0])
    assert never.at_c is None


def test_a_thicker_oil_keeps_the_relief_valve_open_longer_while_it_warms(fit) -> None:  # type: ignore[no-untyped-def]
    found = [relief_under_c(fit, grade(name)) for name in ("0W-20", "5W-30", "10W-40", "15W-50", "SAE 50")]
    assert all(v is not None for v in found) and found == sorted(found, key=lambda v: v or 0.0)
    # At that temperature the pump alone would make the relief's pressure: the made engine agrees within what cold oil
    # allows.
    rpm, at = np.array([WARMING_RPM]), np.array([found[2]], dtype=float)
    open_engine = replace(ENGINE, relief_kpa=1e6)
    alone = float(balance_kpa(open_engine, rpm, at, pump_flow(open_engine, rpm))[0])
    assert alone == pytest.approx(fit.relief_kpa, rel=0.15)


def test_the_window_is_held_where_it_is_quoted(fit) -> None:  # type: ignore[no-untyped-def]
    def window(**how: object) -> str:
        found = advise(
            fit, DEFAULT_FLOORS, list(grades().values()), AskedAt(RPM, 110.0, window_kpa=(250.0, 300.0), **how)
        )  # type: ignore[arg-type]
        assert found is not None
        return found.window

    assert "at 6500 rpm and 110 °C" in window()
    quoted = window(window_at=(3000.0, 100.0))
    assert "at 3000 rpm and 100 °C" in quoted and quoted != window()
