"""Oil in time, held against closed forms: sloshing, drain-back, what passes an opening, and that none is lost."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from basso.sump.calibration import PRIOR_MIDDLE
from basso.sump.compartments import compartments_of
from basso.sump.flow import (
    PARAMETERS,
    STEP_S,
    Run,
    air_of,
    at,
    delayed,
    drawn_air,
    heads_m,
    slosh,
    up_in_engine_m3,
    volumes_m3,
    with_air,
)
from basso.sump.measured import Opening, Plate, Wall, solid_of
from basso.sump.standing import stand
from basso.units import FloatArray
from pans import BOX, TWO


def sets(**changes: float) -> FloatArray:
    values = {**PRIOR_MIDDLE, **changes}
    return np.array([[values[n] for n in PARAMETERS]])


def run_of(seconds: float, ax: float = 0.0, ay: float = 0.0, rpm: float = 0.0) -> Run:
    n = round(seconds / STEP_S)
    one = np.ones(n)
    return Run(ax * one, ay * one, rpm * one, 400.0 * one, 500.0 * one, 9.0, one)


def test_a_steady_g_ends_where_the_oil_stands_still() -> None:
    solid = solid_of(BOX)
    for ax, ay in ((0.0, 0.0), (0.0, 1.1), (-0.9, -0.4), (0.5, 0.3)):
        head = heads_m(compartments_of(BOX), run_of(20.0, ax, ay), 0.0036, sets(held_l=1e-6))[0, -1]
        exact = stand(solid, np.array([-0.03, 0.042, 0.008]), 0.0036, ax, ay).head_m
        assert head == pytest.approx(exact, abs=0.0005)


def test_the_surface_swings_as_a_damped_oscillator_does() -> None:
    g = np.concatenate([np.zeros(50), np.ones(400)])
    moved = slosh(g, np.array([1.0]), np.array([0.3]))[0]
    assert moved[-1] == pytest.approx(1.0, abs=1e-6)
    # Overshoot e^(−πζ/√(1−ζ²)) at half a damped period.
    assert moved.max() - 1.0 == pytest.approx(np.exp(-np.pi * 0.3 / np.sqrt(1 - 0.09)), rel=0.03)
    assert (int(moved.argmax()) - 50) * STEP_S == pytest.approx(0.5 / np.sqrt(1 - 0.09), abs=2 * STEP_S)


def test_oil_goes_up_into_the_engine_with_its_speed_and_comes_back_as_slowly() -> None:
    run = run_of(40.0, rpm=6000.0)
    run = replace(run, rpm=np.where(np.arange(run.rpm.size) < 10, 0.0, 6000.0))
    up = 1000.0 * up_in_engine_m3(run, sets(held_l=0.8, held_s=3.0))[0]
    assert up[0] == 0.0 and up[-1] == pytest.approx(0.8, abs=1e-4)
    at = 9 + round(3.0 / STEP_S)
    assert up[at] == pytest.approx(0.8 * (1 - np.exp(-1)), rel=0.02)


def _level_gap(c_volumes: FloatArray) -> FloatArray:
    return (c_volumes[0] - c_volumes[1]) / (0.13 * 0.2)


def test_two_bays_even_out_by_torricelli() -> None:
    """Between upright bays of area A each, through a drowned hole of area a: √Δz falls by Cd·a·√(2g)/A each second."""
    pan = replace(TWO, walls=(Wall(("back", "front"), (Opening(0.0, 0.004, 0.05),)),))
    c = compartments_of(pan)
    run = run_of(60.0)
    # The oil begins tilted by braking, and is then left alone: what each bay holds evens out.
    g = np.where(np.arange(run.rpm.size) < 500, -0.8, 0.0)
    kept, _ = volumes_m3(c, run, 0.0035, sets(held_l=1e-9), 0.0, (g[None], np.zeros((1, g.size))), keep=True)
    assert kept is not None
    gap = _level_gap(kept[:, 0])
    start, later = 510, 560
    fall = np.sqrt(abs(gap[start])) - np.sqrt(abs(gap[later]))
    expected = 0.62 * 0.004 * 0.05 * np.sqrt(2 * 9.80665) / (0.13 * 0.2) * (later - start) * STEP_S
    assert fall == pytest.approx(expected, rel=0.03)
    assert abs(gap[-1]) < 0.002


def test_none_is_lost_or_made() -> None:
    pan = replace(TWO, plates=(Plate("front", 0.07, 0.8),))
    c = compartments_of(pan)
    rng = np.random.default_rng(3)
    n = 4000
    smooth = np.ones(25) / 25.0
    ax, ay = (np.convolve(rng.normal(0.0, 2.5, n), smooth, "same") for _ in range(2))
    rpm = 4000.0 + 2500.0 * np.sin(np.arange(n) / 60.0)
    run = Run(ax, ay, rpm, np.full(n, 400.0), np.full(n, 500.0), 9.0, np.ones(n))
    two = np.concatenate([sets(), sets(held_l=1.4, openings=0.4)])
    kept, _ = volumes_m3(c, run, 0.0033, two, 10e-6, (np.tile(ax, (2, 1)), np.tile(ay, (2, 1))), keep=True)
    assert kept is not None and float(kept.min()) >= -1e-12
    total = kept.sum(axis=0) + up_in_engine_m3(run, two)
    assert float(np.abs(total[:, ::2] / 0.0033 - 1.0).max()) < 1e-6
    for table, held in zip(c.tables, kept, strict=True):
        assert float(held.max()) <= table.capacity_m3 * (1 + 1e-9)


def test_a_door_keeps_oil_where_the_pickup_is() -> None:
    """Accelerating empties the front bay through a plain opening, and cannot through a door that opens forward."""
    run = run_of(12.0, ax=1.0)
    free = replace(TWO, walls=(Wall(("back", "front"), (Opening(0.0, 0.03, 0.06),)),))
    heads = [heads_m(compartments_of(p), run, 0.003, sets(held_l=1e-9))[0, -1] for p in (TWO, free)]
    assert heads[0] > heads[1] + 0.01
    # Turned round it lets the oil out and none in.
    wrong = replace(TWO, walls=(Wall(("back", "front"), (Opening(0.0, 0.03, 0.06, "back"),)),))
    braking = run_of(12.0, ax=-1.0)
    inward = [heads_m(compartments_of(p), braking, 0.003, sets(held_l=1e-9))[0, -1] for p in (TWO, wrong)]
    assert inward[0] > inward[1] + 0.01


def test_a_sealed_plate_over_the_oil_keeps_the_pickup_covered() -> None:
    run = run_of(10.0, ay=-1.4)
    volume = 0.0036
    plated = replace(BOX, plates=(Plate("box", 0.08, 1.0),))
    heads = [heads_m(compartments_of(p), run, volume, sets(held_l=1e-9))[0, -1] for p in (plated, BOX)]
    assert heads[0] > heads[1] + 0.005
    low = replace(BOX, plates=(Plate("box", 0.02, 0.9),))
    under = heads_m(compartments_of(low), run, volume, sets(held_l=1e-9))[0, -1]
    assert under <= heads[0] + 1e-9


def test_air_shows_late_and_takes_from_the_pump_not_from_the_relief_valve() -> None:
    run = run_of(10.0)
    run = replace(run, free_kpa=np.full(run.rpm.size, 900.0))
    head = np.where(np.arange(run.rpm.size) < 100, 0.05, -0.05)[None]
    s = sets(cover_m=0.0, delay_s=0.4, clearing_s=0.2, loss=0.5)
    air = drawn_air(head, s)[0]
    assert air[109] < 0.01 and air[-1] == pytest.approx(1.0, abs=1e-3)
    assert air[110 + round(0.2 / STEP_S) - 1] == pytest.approx(1 - np.exp(-1), abs=0.02)
    loss = at(s, "loss") * drawn_air(head, s)
    by_delivery, by_pressure = (with_air(run, loss, law)[0] for law in ("delivery", "pressure"))
    assert by_delivery[-1] > 0.9 * by_delivery[0], "the valve still had oil to spill"
    assert by_pressure[-1] == pytest.approx(by_pressure[0] * np.exp(-0.5), rel=1e-3)
    assert run.normal_kpa == pytest.approx(with_air(run, np.zeros((1, run.rpm.size)), "delivery")[0])


def test_a_delay_of_part_of_a_step_is_one() -> None:
    ramp = np.arange(50.0)[None]
    assert delayed(ramp, np.array([[0.06]]))[0, 10] == pytest.approx(10.0 - 1.5)


def test_an_offset_of_the_head_is_worth_as_much_cover() -> None:
    run = run_of(4.0)
    head = np.full((1, run.rpm.size), 0.003)
    s = sets(cover_m=0.004)
    assert air_of(head, s, 0.002) == pytest.approx(air_of(head + 0.002, s))
