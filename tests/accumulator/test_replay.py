"""Replaying a bottle, held against closed forms: where it comes to rest, what is conserved, how valves act."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from basso.accumulator.gas import Bottle, gas_kpa, stored_l
from basso.accumulator.replay import FLOW_EXPONENT, Gallery, gallery_of, hardmin, replay, replay_many, softmin
from basso.accumulator.valve import Line, Valve, checked
from basso.errors import InputError
from basso.units import FloatArray

STEP_S = 0.02
TWO = Bottle(2.0, 70.0)
LINE = Line(20.0, 20.0)


def gallery(pressure: FloatArray, out: float = 5.0, taken: float = 3.0, running: bool = True) -> Gallery:
    one = np.ones(pressure.size)
    return Gallery(0.0, STEP_S, pressure, out * one, taken * one, np.full(pressure.size, running))


def steady(kpa: float, seconds: float) -> FloatArray:
    return np.full(round(seconds / STEP_S), kpa)


DIP = np.concatenate([steady(350.0, 30.0), steady(120.0, 1.5), steady(350.0, 20.0)])
DIPS = slice(1500, 1575)


def test_it_charges_to_what_the_gas_law_says_and_none_is_lost() -> None:
    made = replay(gallery(steady(350.0, 60.0)), TWO, Valve(), LINE)
    assert made.oil_l[-1] == pytest.approx(float(stored_l(TWO, 350.0)), abs=1e-4)
    moved = -np.cumsum(made.flow_lpm) * STEP_S / 60.0
    assert np.allclose(moved, made.oil_l, atol=1e-9)
    # The gas's pressure is that of the law at every step, for the oil at its start.
    before = np.concatenate([[0.0], made.oil_l[:-1]])
    assert np.allclose(made.gas_kpa, gas_kpa(TWO, before), rtol=1e-9)


def test_charging_costs_the_gallery_and_a_restrictor_makes_it_cost_less() -> None:
    free = replay(gallery(steady(350.0, 20.0)), TWO, Valve(), LINE)
    slow = replay(gallery(steady(350.0, 20.0)), TWO, Valve(), Line(20.0, 4000.0))
    assert free.pressure_kpa.min() < slow.pressure_kpa.min() < 350.0
    assert free.oil_l[100] > slow.oil_l[100]


def test_in_a_dip_flow_pressure_and_line_agree() -> None:
    """At each moment p = p₀ + k·q and gas − p = c·q²: by hand, with the gas as it stands."""
    made = replay(gallery(DIP), TWO, Valve(), LINE)
    i = DIPS.start + 20
    q = made.flow_lpm[i]
    assert q > 5.0
    settled = 120.0 + 5.0 * q
    assert made.pressure_kpa[i] == pytest.approx(settled, rel=0.02)
    assert made.gas_kpa[i] - settled == pytest.approx(20.0 * (q / 20.0) ** 2, abs=3.0)


def test_it_runs_dry_and_then_holds_nothing() -> None:
    long = np.concatenate([steady(350.0, 30.0), steady(40.0, 20.0)])
    made = replay(gallery(long), replace(TWO, precharge_kpa=150.0), Valve(), LINE)
    assert made.oil_l.min() == 0.0 and made.flow_lpm[-1] == 0.0
    assert made.pressure_kpa[-1] == pytest.approx(40.0, abs=0.5)
    assert made.spent_l == pytest.approx(made.oil_l.max(), abs=1e-6)


def test_a_quick_dip_meets_a_stiffer_gas_than_a_slow_refill() -> None:
    """The exponent that a dip of a second and a half shows: ln(p₁/p₂) ÷ ln(room₂/room₁) of absolute pressures."""

    def exponent(settle_s: float | None) -> float:
        made = replay(gallery(DIP), replace(TWO, settle_s=settle_s), Valve(), LINE)
        first, last = DIPS.start + 1, DIPS.stop - 1
        p1, p2 = (made.gas_kpa[i] + TWO.air_kpa for i in (first, last))
        room1, room2 = (TWO.total_l - made.oil_l[i - 1] for i in (first, last))
        return float(np.log(p1 / p2) / np.log(room2 / room1))

    assert exponent(None) == pytest.approx(1.0, abs=1e-9)
    assert exponent(1e5) == pytest.approx(1.4, abs=0.01)
    assert 1.2 < exponent(5.0) < 1.4 and exponent(0.2) < 1.15


def test_a_switch_keeps_what_is_in_until_the_gallery_falls_under_its_trigger() -> None:
    shallow = np.concatenate([steady(400.0, 30.0), steady(300.0, 5.0), steady(200.0, 1.0), steady(400.0, 5.0)])
    made = replay(gallery(shallow), TWO, Valve(250.0), LINE)
    assert np.all(made.flow_lpm[1500:1750] == 0.0), "over the trigger it stays shut, though the gas stands higher"
    assert made.flow_lpm[1760:1800].max() > 1.0
    assert made.oil_l[1749] == pytest.approx(float(stored_l(TWO, 400.0)), abs=1e-3)


def test_a_switch_hunts_between_its_two_pressures_and_falls_under_the_trigger_for_its_delay() -> None:
    """Shut 200, open well over 265: it cannot rest. It falls under the trigger by 1 − e^(−15/35) of what is missing."""
    made = replay(gallery(np.concatenate([steady(400.0, 30.0), steady(200.0, 1.0)])), TWO, Valve(250.0), LINE)
    lowest = made.pressure_kpa[1510:].min()
    assert lowest == pytest.approx(250.0 - (1.0 - np.exp(-15.0 / 35.0)) * 50.0, abs=1.0)


def test_a_stopped_engine_shuts_the_switch_and_empties_a_plain_valve() -> None:
    stop = np.concatenate([steady(350.0, 30.0), steady(0.0, 20.0)])
    runs = np.arange(stop.size) < 1500
    plain, switched = (
        replay(replace(gallery(stop), running=runs), TWO, valve, LINE) for valve in (Valve(), Valve(200.0))
    )
    assert plain.oil_l[-1] < 0.01 and switched.oil_l[-1] == pytest.approx(float(stored_l(TWO, 350.0)), abs=1e-3)


def test_many_side_by_side_are_each_as_alone() -> None:
    bottles = [replace(TWO, total_l=v, settle_s=s) for v in (0.5, 2.0, 4.0) for s in (None, 5.0)]
    valves = [Valve(), Valve(250.0)] * 3
    many = replay_many(gallery(DIP), bottles, valves, LINE)
    for k, (bottle, valve) in enumerate(zip(bottles, valves, strict=True)):
        one = replay(gallery(DIP), bottle, valve, LINE)
        assert np.allclose(many.pressure_kpa[k], one.pressure_kpa, atol=1e-9)
        assert np.allclose(many.oil_l[k], one.oil_l, atol=1e-12)
    assert replay_many(gallery(DIP), bottles[:1], valves[:1], LINE).oil_l.shape == (1, DIP.size)


def test_steps_twice_as_long_say_the_same() -> None:
    fine = replay(gallery(DIP), TWO, Valve(), LINE)
    coarse = replay(gallery(DIP).coarser(2 * STEP_S), TWO, Valve(), LINE)
    assert coarse.pressure_kpa[750:790].min() == pytest.approx(fine.pressure_kpa[DIPS].min(), abs=3.0)
    assert gallery(DIP).part(10.0, 12.0).time_s[0] == pytest.approx(10.0)


def test_the_gallerys_stiffness_is_that_of_its_normal() -> None:
    """Bearings alone: p goes with the flow to the 1.1, so each L/min brings about 1.1·p/Q; over the relief, nothing."""
    rpm = np.full(3, 5000.0)
    free, capped, factor = np.full(3, 300.0), np.array([2000.0, 2000.0, 280.0]), np.ones(3)
    pressure = np.array([300.0, 150.0, 278.0])
    made = gallery_of(0.0, STEP_S, pressure, rpm, (free, capped, factor), 12.0, 0.010)
    flow = 50.0 * (np.array([300.0, 150.0]) / 300.0) ** (1.0 / FLOW_EXPONENT)
    assert made.stiffness_in[:2] == pytest.approx(FLOW_EXPONENT * pressure[:2] / flow, rel=0.02)
    assert made.stiffness_out[1] == pytest.approx(FLOW_EXPONENT * 150.0 / flow[1], rel=0.06)
    assert made.stiffness_in[2] < 0.6 * made.stiffness_in[0], "the relief valve gives first"
    unknown = np.full(3, np.nan)
    plain = gallery_of(0.0, STEP_S, pressure, rpm, (unknown, unknown, unknown), 12.0, 0.010)
    assert plain.stiffness_out == pytest.approx(pressure / 50.0)


def test_softmin_can_be_taken_back() -> None:
    a = np.array([50.0, 200.0, 260.0])
    assert hardmin(softmin(a, np.full(3, 300.0), 9.0), np.full(3, 300.0), 9.0) == pytest.approx(a, rel=1e-9)


@pytest.mark.parametrize(
    ("valve", "line", "words"),
    [
        (Valve(-1.0), LINE, "trigger cannot be −1"),
        (Valve(200.0, 501.0), LINE, "span cannot be 501"),
        (Valve(), Line(-1.0), "line's loss cannot be −1"),
        (Valve(), Line(20.0, 2e5), "refilling loss cannot be"),
    ],
)
def test_valves_and_lines_that_cannot_be_are_refused(valve: Valve, line: Line, words: str) -> None:
    with pytest.raises(InputError, match=words):
        checked(valve, line)
    assert checked(Valve(200.0), LINE) == (Valve(200.0), LINE) and Valve(200.0).shuts_kpa == 215.0
