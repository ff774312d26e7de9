"""A pan as it is drawn, held against areas and places worked by hand."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from basso.sump.measured import MeasuredPan, Pickup, Plate, pickup_in_car_m, solid_of
from basso.sump.sections import Polygon, drawing_of, oil_in, pan_of_box
from basso.sump.shape import PLAIN_BOX
from basso.sump.standing import stand
from pans import BOX, TWO, bay


def area(polygon: Polygon) -> float:
    x, y = np.array(polygon).T
    return float(0.5 * abs(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1))))


def test_level_oil_fills_each_cut_as_high_as_it_stands() -> None:
    d = drawing_of(BOX)
    oil = oil_in(d, 0.0036, 0.0, 0.0)
    level = 0.0036 / (0.26 * 0.2)
    assert area(oil.behind[0]) == pytest.approx(0.2 * level, rel=1e-3)
    assert area(oil.side[0]) == pytest.approx(0.26 * level, rel=1e-3)
    assert area(oil.above[0]) == pytest.approx(0.26 * 0.2) and oil.head_m == pytest.approx(level - 0.008, abs=1e-4)
    assert d.extent == pytest.approx((-0.13, 0.13, -0.1, 0.1)) and (d.low_m, d.high_m) == (0.0, pytest.approx(0.16))


@given(st.floats(-1.2, 1.2), st.floats(-1.2, 1.2), st.floats(0.0015, 0.006))
def test_the_head_drawn_is_the_exact_one(ax: float, ay: float, volume: float) -> None:
    pickup = pickup_in_car_m(BOX)
    assert pickup is not None
    exact = stand(solid_of(BOX), pickup, volume, ax, ay).head_m
    drawn = oil_in(drawing_of(BOX), volume, ax, ay).head_m
    assert drawn == pytest.approx(exact, abs=0.0025)


def test_thrown_oil_leaves_part_of_the_floor_dry() -> None:
    """At 1 g to the left, 2 L in a box 0.2 m wide: a wedge of 45°, √(2·V/L) wide."""
    oil = oil_in(drawing_of(BOX), 0.002, 0.0, 1.0)
    wide = np.sqrt(2 * 0.002 / 0.26)
    assert area(oil.above[0]) == pytest.approx(0.26 * wide, rel=0.02)
    assert max(y for _, y in oil.above[0]) < 0.1 and min(y for _, y in oil.above[0]) == pytest.approx(-0.1)


def test_a_step_a_plate_and_a_door_are_where_they_are() -> None:
    step = MeasuredPan("Step", (bay("shelf", -0.13, 0.0, 0.06), bay("box", 0.0, 0.13)), Pickup((0.06, 0.02, 0.01)))
    d = drawing_of(replace(step, plates=(Plate("box", 0.08),)))
    # The cut along goes through both bays; the one across only through the box.
    assert len(d.side) == 2 and len(d.behind) == 1
    assert sorted(min(up for _, up in cut) for cut in d.side) == pytest.approx([0.0, 0.06])
    (line,) = d.plates_side
    assert (line.start, line.end) == (pytest.approx((0.0, 0.08)), pytest.approx((0.13, 0.08)))
    (door,) = drawing_of(TWO).doors
    assert door.at == pytest.approx((0.0, 0.0), abs=2e-3) and door.way == pytest.approx((1.0, 0.0), abs=1e-3)


def test_a_bay_that_is_not_convex_is_cut_in_its_parts() -> None:
    """A U open to the front: the cut across its arms is two pieces."""
    outline = np.array([[0, 0], [0.2, 0], [0.2, 0.06], [0.06, 0.06], [0.06, 0.14], [0.2, 0.14], [0.2, 0.2], [0, 0.2]])
    u = replace(bay("u", 0.0, 0.2), outline_m=outline, floor_m=np.zeros(8), roof_m=np.full(8, 0.1))
    d = drawing_of(MeasuredPan("U", (u,), Pickup((0.15, 0.03, 0.01))))
    assert sorted((cut[0][0], cut[1][0]) for cut in d.behind) == [
        pytest.approx((0.0, 0.06)),
        pytest.approx((0.14, 0.2)),
    ]


def test_an_engine_across_is_drawn_turned_and_a_leaned_one_leaned() -> None:
    across = drawing_of(replace(BOX, axis="across"))
    assert across.extent == pytest.approx((-0.1, 0.1, -0.13, 0.13))
    assert across.pickup == pytest.approx((-0.042, -0.03, 0.008))
    leaned = drawing_of(replace(BOX, lean_left_deg=10.0))
    assert leaned.low_m < -0.01 and leaned.high_m > 0.16


def test_a_plain_box_is_a_pan_like_any_other() -> None:
    d = drawing_of(pan_of_box(PLAIN_BOX))
    assert d.pickup == PLAIN_BOX.pickup_m and 1000.0 * d.table.capacity_m3 == pytest.approx(PLAIN_BOX.capacity_l)
    assert drawing_of(replace(BOX, pickup=None)).pickup is None
    assert oil_in(drawing_of(replace(BOX, pickup=None)), 0.003, 0.1, 0.2).head_m is None
