"""What a pan says standing still: plates, doors, pickup and crank against the oil's level, and what matters most."""

from __future__ import annotations

import tomllib
from dataclasses import replace

import numpy as np
import pytest

from basso.sump.cures import Cure, cures_of
from basso.sump.levels import against_book, levels_of
from basso.sump.measured import MeasuredPan, Opening, Pickup, Plate, Wall, pickup_in_car_m
from basso.sump.pan_file import pan_of, pan_text
from basso.words.sump import book_words, level_words, mark_words
from pans import BOX, TWO, bay

FILLED = replace(BOX, fill_l=3.6, away_l=0.5, sweep_m=0.096, full_mark_m=0.075)


def said(pan: MeasuredPan) -> str:
    return " ".join(str(w) for w in level_words(levels_of(pan)))


def test_levels_are_volume_over_area() -> None:
    told = levels_of(FILLED)
    area = 0.26 * 0.2
    assert told.rest_m == pytest.approx(0.0036 / area) and told.running_m == pytest.approx(0.0031 / area)
    assert told.most_fill_m3 == pytest.approx(0.096 * area) and told.at_full_mark_m3 == pytest.approx(0.075 * area)
    assert told.sweep_over_rest_m == pytest.approx(0.096 - 0.0036 / area)
    assert levels_of(FILLED, 4.16).rest_m == pytest.approx(0.08)
    assert "The oil stands at 69 mm with the engine stopped and at 60 mm with 0.5 L up in the engine." in said(FILLED)


@pytest.mark.parametrize(
    ("height_mm", "state", "words"),
    [
        (75, "over", "The plate in box is 15 mm over the running level."),
        (69.3, "over", "over the running level"),
        (69.0, "between", "is 9 mm over the running level, and under 0 mm of oil at rest"),
        (59.8, "between", "over the running level, and under 9 mm of oil at rest"),
        (59.5, "under", "under the running level and does nothing there"),
        (51, "under", "is 9 mm under the running level and does nothing there; raise it by 9 mm."),
    ],
)
def test_a_plate_works_only_over_the_running_level(height_mm: float, state: str, words: str) -> None:
    pan = replace(FILLED, plates=(Plate("box", height_mm / 1000.0),))
    assert levels_of(pan).plates[0].state == state
    assert words in said(pan)


def test_a_sealed_plate_lets_nothing_back() -> None:
    pan = replace(FILLED, plates=(Plate("box", 0.08, 1.0),))
    assert levels_of(pan).plates[0].open_m2 == 0.0 and "It has no opening" in said(pan)
    assert levels_of(replace(FILLED, plates=(Plate("box", 0.08, 0.75),))).plates[0].open_m2 == pytest.approx(0.013)


@pytest.mark.parametrize(
    ("over_mm", "words"),
    [(2.9, "can be choked"), (3.0, "within 3 to 10 mm"), (10.0, "within 3 to 10 mm"), (10.1, "uncovered early")],
)
def test_the_pickups_clearance_has_its_window(over_mm: float, words: str) -> None:
    assert words in said(replace(FILLED, pickup=Pickup((0.0, 0.0, over_mm / 1000.0))))


def test_clearance_counts_from_the_floor_of_its_own_bay_even_where_that_slopes() -> None:
    sloping = replace(bay("box", -0.13, 0.13), floor_m=np.array([0.0, 0.026, 0.026, 0.0]))
    pan = MeasuredPan("Sloping", (sloping,), Pickup((0.0, 0.0, 0.020)), fill_l=3.0)
    assert levels_of(pan).clearance_m == pytest.approx(0.007)


def test_a_tilted_mouth_draws_air_at_its_highest_rim() -> None:
    pan = replace(FILLED, pickup=Pickup((0.0, 0.0, 0.006), 0.015, nose_up_deg=10.0))
    assert levels_of(pan).rim_over_middle_m == pytest.approx(0.015 * np.sin(np.radians(10.0)))
    assert "the highest point of its rim is 2.6 mm over the middle" in said(pan)
    assert "It is tilted" not in said(FILLED)


def test_doors_lead_to_the_pickup() -> None:
    assert "opens toward the pickup, as it should" in said(replace(TWO, fill_l=3.0))
    wrong = replace(TWO, walls=(Wall(("back", "front"), (Opening(0.0, 0.03, 0.06, "back"),)),))
    assert not levels_of(wrong).doors[0].is_right_way and "turn it round" in said(replace(wrong, fill_l=3.0))


def test_a_crank_in_the_oil_is_said() -> None:
    assert "The crank's sweep is 27 mm over the oil at rest" in said(FILLED)
    assert "beaten to froth" in said(replace(FILLED, sweep_m=0.06))


def test_a_small_mouth_is_fast_only_where_the_pump_is_known() -> None:
    small = replace(FILLED, pickup=Pickup((0.0, 0.0, 0.006), 0.010))
    assert levels_of(small).inlet_mps == pytest.approx(10e-6 * 6500 / 60 / (np.pi * 1e-4))
    assert "m/s" not in said(small), "a usual pump is no reason to say so of this one"
    assert "At 6500 rpm oil enters it at 4.1 m/s" in said(replace(small, pump_m3_per_rev=12e-6))


def test_the_measurement_that_matters_most_comes_first() -> None:
    errors = levels_of(FILLED).errors
    assert {e.what for e in errors} == {"fill", "pickup x", "pickup y", "pickup height"}
    assert [e.spread_g for e in errors] == sorted((e.spread_g for e in errors), reverse=True)
    fill = next(e for e in errors if e.what == "fill")
    assert fill.g_lost < 0.0 < fill.g_gained
    assert "Measure the fill again first: 0.2 L off moves the least uncover g by −" in said(FILLED)


def test_without_a_fill_nothing_rests_on_it() -> None:
    told = levels_of(replace(FILLED, fill_l=None, plates=(Plate("box", 0.08),)))
    assert (told.rest_m, told.running_m, told.plates, told.errors) == (None, None, (), ())
    assert "stands at" not in said(replace(FILLED, fill_l=None))


def test_a_level_book_of_this_pan_agrees_wherever_the_sticks_zero_is() -> None:
    solid = levels_of(FILLED).solid
    depth = np.array([0.010, 0.022, 0.034, 0.046])
    poured = 1000.0 * 0.26 * 0.2 * (depth + 0.0175)
    fit = against_book(solid, poured, depth)
    assert fit is not None and fit.belongs and fit.zero_m == pytest.approx(0.0175, abs=2e-4) and fit.off_l < 0.01
    assert "agrees with this pan within 0.00 L (4 readings)" in book_words(fit) or "0.01 L" in book_words(fit)
    assert against_book(solid, poured[:2], depth[:2]) is None
    assert against_book(solid, poured, np.full(4, 0.02)) is None


@pytest.mark.parametrize(("stretch", "belongs"), [(1.0, True), (1.12, True), (1.6, False)])
def test_another_pans_book_is_told(stretch: float, belongs: bool) -> None:
    """More litres for each millimetre than this pan has: another pan, or another stick."""
    depth = np.array([0.010, 0.025, 0.040, 0.055])
    poured = 1000.0 * 0.26 * 0.2 * (stretch * depth + 0.0175)
    fit = against_book(levels_of(FILLED).solid, poured, depth)
    assert fit is not None and fit.belongs is belongs
    assert ("may not belong together" in book_words(fit)) is not belongs


def test_thrown_oil_reaches_the_crank_before_level_oil_does() -> None:
    """A box 0.26 by 0.2 m at 1 g forward: the surface falls 45°, and its higher end stands at the crank's line."""
    told = levels_of(replace(FILLED, sweep_m=0.130))
    assert told.most_fill_m3 == pytest.approx(0.130 * 0.26 * 0.2)
    # At the end of the crank (x = ±130 mm) 130 mm high, at the other end nothing: half of it.
    assert told.most_thrown_m3 == pytest.approx(0.5 * 0.130 * 0.130 * 0.2, rel=1e-6)
    assert (
        "Thrown at 1 g in the worst direction, oil reaches it from 1.69 L on, if the crank lies over the middle"
        in said(replace(FILLED, sweep_m=0.130))
    )
    assert levels_of(replace(FILLED, sweep_m=None)).most_thrown_m3 is None


@pytest.mark.parametrize(("measured", "clearance_mm"), [("pressed", 8.0), ("free", 6.8), ("out", 9.8)])
def test_the_pickups_clearance_is_that_with_the_gasket_pressed_however_it_was_measured(
    measured: str, clearance_mm: float
) -> None:
    """By hand: 8 mm over the floor, gasket 3.0 loose and 1.8 tightened."""
    pan = replace(FILLED, gasket_free_m=0.0030, gasket_pressed_m=0.0018, gasket_as_measured=measured)
    told = levels_of(pan)
    assert told.clearance_m == pytest.approx(clearance_mm / 1000.0)
    assert told.clearance_free_m == pytest.approx((clearance_mm + 1.2) / 1000.0)
    assert "That is with the gasket pressed; loose it is" in said(pan)
    at = pickup_in_car_m(pan)
    assert at is not None and at[2] == pytest.approx(clearance_mm / 1000.0), "the uncover curve rests on it too"
    assert pan_of(tomllib.loads(pan_text(pan)), "again").gasket_as_measured == measured


def test_open_sides_are_said_of_the_car_and_doors_count_one_way() -> None:
    pan = replace(TWO, fill_l=3.6)
    (back,) = levels_of(pan).sides
    # 30 × 60 mm in a wall of 200 × 160 mm, a door into the pickup's bay.
    assert (back.side, back.out) == ("back", 0.0) and back.into == pytest.approx(30 * 60 / (200 * 160))
    assert "back 6 % in, 0 % out" in said(pan)
    across = levels_of(replace(pan, axis="across")).sides
    assert [s.side for s in across] == ["right"], "the pan's front points to the car's left"
    assert levels_of(FILLED).sides == ()


def test_oil_that_cannot_come_back_to_the_pickup_is_named() -> None:
    wrong = replace(TWO, walls=(Wall(("back", "front"), (Opening(0.0, 0.03, 0.06, "back"),)),), fill_l=3.6)
    assert levels_of(wrong).no_way_back == ("back",)
    assert "Oil in back cannot come back to the pickup" in said(wrong)
    assert levels_of(replace(TWO, fill_l=3.6)).no_way_back == ()
    shut = replace(FILLED, plates=(Plate("box", 0.08, 1.0),))
    assert levels_of(shut).no_way_back == ("box over the plate",)
    ahead = replace(TWO, pickup=Pickup((-0.06, 0.0, 0.008)), fill_l=3.6)
    assert "nothing in the front wall lets it back" in said(ahead)


def test_a_change_says_what_it_does_to_the_mark_and_asks_of_the_pickup() -> None:
    more = replace(FILLED, fill_l=4.12)
    assert str(mark_words(Cure("+0.52 L", "fill", more), FILLED)) == (
        "The oil at rest then stands 10 mm higher: mark the stick anew."
    )
    deeper = next(c for c in cures_of(FILLED) if "deeper" in c.title)
    words = str(mark_words(deeper, FILLED))
    assert "Check the pickup: 8.0 mm over the floor" in words and "mark" not in words, "filled up it stands as high"
    lower = next(c for c in cures_of(FILLED) if c.title.startswith("Pickup") and "lower" in c.title)
    assert "Check the pickup: 6.0 mm" in str(mark_words(lower, FILLED))
