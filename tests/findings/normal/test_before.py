"""Seasons, a cooler oil after a thicker grade, the air's part: answers worked by hand, and a made car in winter."""

from __future__ import annotations

import numpy as np
import pytest

from basso.findings.normal.before import ONE_FOR_ONE, HeatBefore, airs_part, cooler_oil, seasons
from basso.findings.normal.clearance import flow_need
from basso.findings.normal.cooler import cooler_trade
from basso.normal.warmup import Heating, OilHeat, WarmUp, oil_heat
from basso.oil.grades import grade
from basso.report.normal_documents import cooler_oil_words, cooler_words, flow_words, seasons_words
from basso.units import UNITS, DisplayUnits
from support import CLEAN, harrowfell_session

UNITS_C = DisplayUnits()


def heat(
    hot_c: float = 108.0,
    air_c: float | None = 20.0,
    pace: float = 5200.0,
    start_c: float = 20.0,
    ready_s: float | None = 300.0,
    steady_c: float | None = 108.0,
) -> OilHeat:
    rise = Heating(steady_c, steady_c - 3.0, steady_c + 3.0, 260.0, 8.0, "") if steady_c is not None else None
    return OilHeat(hot_c, pace, air_c, WarmUp(start_c, ready_s, 0.0, 0.0), rise)


def before(*heats: OilHeat, oil: str = "10W-40") -> list[HeatBefore]:
    return [HeatBefore(f"Stint {i + 1}", f"2026-05-{i + 1:02d}", grade(oil), h) for i, h in enumerate(heats)]


def time_to_ready(air_c: float, start_c: float, rise_c: float = 88.0, tau_s: float = 260.0) -> float:
    """First-order warming, solved by hand: T = S − (S − T0)·exp(−t/τ) with S = air + rise."""
    settles = air_c + rise_c
    return tau_s * float(np.log((settles - start_c) / (settles - 70.0)))


def test_colder_air_alone_makes_no_trickle() -> None:
    summer = [heat(air_c=a, start_c=a, ready_s=time_to_ready(a, a), steady_c=a + 88.0) for a in (18.0, 22.0, 25.0)]
    winter = heat(air_c=2.0, start_c=2.0, ready_s=time_to_ready(2.0, 2.0), steady_c=90.0)
    found = seasons(winter, before(*summer))
    assert found is not None and found.longer == pytest.approx(1.0, abs=0.02) and not found.trickle
    assert found.air_alone is not None and found.air_alone > 1.2
    assert [r[0] for r in found.rows] == ["2026-05-01", "2026-05-02", "2026-05-03", ""]
    words = seasons_words(found, UNITS_C)
    assert "18 to 25 °C" in words and "Cover the cooler" not in words


def test_a_winter_warm_up_that_the_air_does_not_explain_is_the_coolers() -> None:
    summer = [heat(air_c=a, start_c=a, ready_s=time_to_ready(a, a), steady_c=a + 88.0) for a in (18.0, 22.0)]
    slow = heat(air_c=2.0, start_c=2.0, ready_s=1.6 * time_to_ready(2.0, 2.0), steady_c=90.0)
    found = seasons(slow, before(*summer))
    assert found is not None and found.trickle and found.longer == pytest.approx(1.6, abs=0.05)
    assert "thermostatic plate" in seasons_words(found, UNITS_C)
    # As slow on a warm day it is something else: no colder air, no such cause.
    same_air = seasons(heat(air_c=20.0, start_c=20.0, ready_s=1.6 * time_to_ready(20.0, 20.0)), before(*summer))
    assert same_air is not None and not same_air.trickle


def test_runs_that_never_warmed_are_counted_and_unknown_air_is_no_zero() -> None:
    never = heat(ready_s=None)
    found = seasons(heat(air_c=None), before(never, never, heat(air_c=None)))
    assert found is not None and found.never == 2 and found.longer is None
    assert "2 of 3 earlier sessions" in seasons_words(found, UNITS_C)
    assert seasons(None, []) is None and seasons_words(None, UNITS_C) == ""
    warm = seasons(heat(ready_s=0.0), [])
    assert warm is None


def test_a_cooler_oil_on_a_thicker_grade_is_a_warning_that_asks() -> None:
    thin = before(heat(hot_c=114.0, air_c=24.0), oil="5W-30")
    found = cooler_oil(grade("15W-50"), heat(hot_c=108.0, air_c=22.0), thin)
    assert found is not None and found.cooler_c == pytest.approx(6.0) and found.air_c == pytest.approx(2.0)
    words = cooler_oil_words(found, "15W-50", DisplayUnits(temperature=UNITS["°F"]))
    assert "11 °F cooler than on 5W-30" in words and "To find out" in words
    # Not when it is no cooler, no thicker, driven slower, or there is nothing before.
    assert cooler_oil(grade("15W-50"), heat(hot_c=113.0), thin) is None
    assert cooler_oil(grade("0W-20"), heat(hot_c=100.0), thin) is None
    assert cooler_oil(grade("15W-50"), heat(hot_c=108.0, pace=4000.0), thin) is None
    assert cooler_oil(grade("15W-50"), heat(), []) is None and cooler_oil(grade("15W-50"), None, thin) is None


@pytest.mark.parametrize("true", [0.4, 1.0])
def test_the_airs_part_comes_from_the_cars_own_sessions(true: float) -> None:
    airs = (4.0, 11.0, 17.0, 24.0, 31.0)
    rng = np.random.default_rng(7)
    found = airs_part(None, before(*(heat(hot_c=95.0 + true * a + float(rng.normal(0, 1.0)), air_c=a) for a in airs)))
    assert found.sessions == 5 and found.low <= true <= found.high and found.high - found.low < 0.6


def test_without_a_spread_of_air_it_is_at_most_one_for_one() -> None:
    assert airs_part(heat(), before(heat(air_c=19.0), heat(air_c=22.0), heat(air_c=21.0))) == ONE_FOR_ONE
    assert airs_part(heat(), before(heat(air_c=None), heat(air_c=5.0), heat(air_c=30.0))) is not ONE_FOR_ONE
    slow = before(*(heat(air_c=a, pace=3000.0) for a in (1.0, 15.0, 30.0)))
    assert airs_part(heat(), slow) == ONE_FOR_ONE and airs_part(None, []) == ONE_FOR_ONE


def test_what_cooling_gains_and_costs() -> None:
    from basso.analysis import analyse

    a = analyse(harrowfell_session(CLEAN))
    settles = Heating(110.0, 107.0, 113.0, 260.0, 8.0, "")
    found = cooler_trade(a, 6000.0, settles, 95.0)
    assert found is not None and not found.measured and found.drop_kpa == (20.0, 70.0)
    hot, cooled = a.expected.at(np.full(2, 6000.0), np.array([110.0, 95.0]))
    assert found.gain_kpa == pytest.approx(float(cooled - hot)) and found.gain_kpa > 0
    assert found.net_kpa == pytest.approx((found.gain_kpa - 70.0, found.gain_kpa - 20.0))
    assert "95 °C instead of 110 °C" in cooler_words(found, UNITS_C)
    assert cooler_trade(a, 6000.0, settles, 110.0) is None and cooler_trade(a, 6000.0, None, 95.0) is None
    assert cooler_words(None, UNITS_C) == ""


def test_wider_clearances_pass_more_oil_and_a_surplus_is_a_cost() -> None:
    race, production = flow_need("race", 6000.0, 12.0, 100.0), flow_need("production", 6000.0, None, -20.0)
    assert race is not None and production is not None
    assert race.times == pytest.approx(1.5**3) and race.pump_l_per_min == pytest.approx(72.0)
    assert race.kw == pytest.approx(100e3 * 0.072 / 60.0 / 1000.0)  # pressure × flow
    assert "neither virtue nor fault" in flow_words(race, UNITS_C) and "3.4 times" in flow_words(race, UNITS_C)
    assert production.times == 1.0 and production.kw == 0.0 and "typical size" in flow_words(production, UNITS_C)
    assert flow_need("", 6000.0, 12.0, 100.0) is None and flow_words(None, UNITS_C) == ""


def test_the_heat_of_a_session_is_what_was_driven() -> None:
    t = np.arange(0.0, 600.0, 0.5)
    rpm = np.where(t < 100.0, 900.0, 5000.0)
    oil = np.minimum(60.0 + t / 10.0, 105.0)
    found = oil_heat(t, rpm, oil, 12.0)
    assert found is not None and found.pace_rpm == 5000.0 and found.air_c == 12.0
    assert found.hot_c == pytest.approx(105.0, abs=0.5) and found.warm_up is not None
    assert OilHeat.from_plain(found.as_plain()) == found
    assert oil_heat(t, rpm, None) is None and oil_heat(t, np.full(t.size, 900.0), oil) is None


def test_oil_is_never_said_to_rise_by_more_than_the_air() -> None:
    airs = (5.0, 12.0, 18.0, 25.0, 31.0)
    found = airs_part(None, before(*(heat(hot_c=95.0 + 1.5 * a, air_c=a) for a in airs)))
    assert found.by_c == 1.0 and found.high == 1.0
