"""The volume under any plane, against shapes whose answer is known in closed form, and against counted points."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from basso.sump.measured import plan_centre_m
from basso.sump.shape import BoxPan
from basso.sump.solid import Solid, prism, surface_height_m, up_of, volume_under_m3
from basso.sump.surface import pickup_head_m, volume_under_l
from basso.units import FloatArray

g_either_way = st.floats(-2.5, 2.5)


def box(x0: float, x1: float, y0: float, y1: float, z0: float, z1: float) -> FloatArray:
    outline = np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]])
    return prism(outline, np.full(4, z0), np.full(4, z1))


def solid(*parts: FloatArray) -> Solid:
    return Solid(np.concatenate(parts), plan_centre_m(list(parts)))


@given(g_either_way, g_either_way, st.floats(0.2, 8.1))
def test_a_box_is_the_box_in_closed_form(ax: float, ay: float, litres: float) -> None:
    pan = BoxPan(0.26, 0.20, 0.16, (-0.03, 0.042, 0.008))
    made = solid(box(-0.13, 0.13, -0.10, 0.10, 0.0, 0.16))
    up = up_of(np.array([ax]), np.array([ay]))
    head = surface_height_m(made, up, litres / 1000.0) - up @ np.array(pan.pickup_m)
    assert made.capacity_m3 * 1000.0 == pytest.approx(pan.capacity_l, rel=1e-12)
    # The closed form is good to 0.02 mm where the surface is nearly level along an axis.
    assert head[0] == pytest.approx(float(pickup_head_m(pan, np.array(litres), np.array(ax), np.array(ay))), abs=3e-5)


@given(g_either_way, g_either_way, st.floats(-0.1, 0.3))
def test_a_pan_that_is_not_convex_is_the_box_around_it_less_its_notch(ax: float, ay: float, at: float) -> None:
    """An L seen from above: 0.3 × 0.2 with a notch of 0.12 × 0.08 at one corner, 0.15 deep."""
    outline = np.array([[0.0, 0.0], [0.3, 0.0], [0.3, 0.12], [0.18, 0.12], [0.18, 0.2], [0.0, 0.2]])
    made = solid(prism(outline, np.zeros(6), np.full(6, 0.15)))
    whole, notch = BoxPan(0.3, 0.2, 0.15, (0, 0, 0)), BoxPan(0.12, 0.08, 0.15, (0, 0, 0))
    # The closed form counts from the middle of its box, along the vertical.
    expected = volume_under_l(whole, at - ax * 0.15 - ay * 0.10, ax, ay) - volume_under_l(
        notch, at - ax * 0.24 - ay * 0.16, ax, ay
    )
    up = up_of(np.array([ax]), np.array([ay]))
    found = 1000.0 * volume_under_m3(made, up, np.array([at * up[0, 2]]))
    assert found[0] == pytest.approx(float(expected), abs=2e-3)
    assert made.capacity_m3 * 1000.0 == pytest.approx(1000 * (0.3 * 0.2 - 0.12 * 0.08) * 0.15)
    assert made.plan_centre_m == pytest.approx(
        ((0.06 * 0.15 - 0.0096 * 0.24) / 0.0504, (0.06 * 0.10 - 0.0096 * 0.16) / 0.0504)
    )


@given(g_either_way, g_either_way, st.floats(0.5, 6.4))
def test_a_step_in_the_floor_is_two_boxes_with_one_surface(ax: float, ay: float, litres: float) -> None:
    """A shelf 80 mm up beside a deep box: what either holds under the plane adds up to what is in."""
    deep, shelf = box(-0.1, 0.1, -0.1, 0.1, 0.0, 0.13), box(0.1, 0.25, -0.1, 0.1, 0.08, 0.13)
    made = solid(deep, shelf)
    up = up_of(np.array([ax]), np.array([ay]))
    height = surface_height_m(made, up, litres / 1000.0)
    at = height[0] / up[0, 2]
    in_deep = volume_under_l(BoxPan(0.2, 0.2, 0.13, (0, 0, 0)), at, ax, ay)
    on_shelf = volume_under_l(BoxPan(0.15, 0.2, 0.05, (0, 0, 0)), at - 0.08 - ax * 0.175, ax, ay)
    assert float(in_deep + on_shelf) == pytest.approx(litres, abs=5e-3)


@pytest.mark.parametrize("share", [0.1, 0.37, 0.5, 0.9])
@pytest.mark.parametrize("g", [0.0, 0.7, 2.0])
def test_a_ball_stands_level_at_every_g(share: float, g: float) -> None:
    """A ball is the same whichever way up is: only its cap counts, V = π h² (3 r − h) ÷ 3."""
    r = 0.15
    ball = solid(np.asarray(trimesh.creation.icosphere(5, radius=r).triangles))
    up = up_of(np.array([g]), np.array([-0.5 * g]))
    h = float(surface_height_m(ball, up, share * ball.capacity_m3)[0]) + r
    cap = np.pi * h * h * (3 * r - h) / 3
    assert cap == pytest.approx(share * 4 / 3 * np.pi * r**3, rel=2.5e-3)
    assert ball.plan_centre_m == pytest.approx((0.0, 0.0), abs=1e-9)


def test_a_floor_that_slopes_to_one_side_fills_from_there() -> None:
    """A wedge 0.2 × 0.1, from nothing to 60 mm deep under a level lid: filled to h it holds w·h²·l ÷ (2·d)."""
    outline = np.array([[0.0, 0.0], [0.2, 0.0], [0.2, 0.1], [0.0, 0.1]])
    wedge = solid(prism(outline, np.array([0.06, 0.0, 0.0, 0.06]), np.full(4, 0.0601)))
    for h in (0.01, 0.03, 0.055):
        held = volume_under_m3(wedge, np.array([[0.0, 0.0, 1.0]]), np.array([h]))[0]
        assert held == pytest.approx(0.1 * h * h * 0.2 / (2 * 0.06), rel=1e-9)


@settings(max_examples=15, deadline=None)
@given(st.integers(0, 10_000))
def test_counted_points_agree_on_shapes_nobody_thought_of(seed: int) -> None:
    """A bay that is not convex, its floor sloping at random, at a random g: points are counted on their own."""
    rng = np.random.default_rng(seed)
    outline = np.array([[-0.1, -0.08], [0.05, -0.1], [0.12, 0.02], [0.02, 0.03], [-0.02, 0.11]])
    slope, at = rng.uniform(-0.2, 0.2, 2), rng.uniform(0.0, 0.02)
    floor = outline @ slope + at
    made = solid(prism(outline, floor, np.full(5, 0.14)))
    ax, ay = rng.uniform(-2.0, 2.0, 2)
    up = up_of(np.array([ax]), np.array([ay]))
    points = rng.uniform([-0.12, -0.12, -0.08], [0.14, 0.12, 0.14], (400_000, 3))
    inside = points[:, 2] > points[:, :2] @ slope + at
    crossings = np.zeros(len(points), dtype=int)
    for (x0, y0), (x1, y1) in zip(outline, np.roll(outline, -1, axis=0), strict=True):
        spans = (y0 > points[:, 1]) != (y1 > points[:, 1])
        with np.errstate(divide="ignore", invalid="ignore"):
            crossings += spans & (points[:, 0] < (x1 - x0) * (points[:, 1] - y0) / (y1 - y0) + x0)
    inside &= crossings % 2 == 1
    each = 0.26 * 0.24 * 0.22 / len(points)
    assert made.capacity_m3 == pytest.approx(np.count_nonzero(inside) * each, rel=0.015)
    height = surface_height_m(made, up, 0.4 * made.capacity_m3)
    under = np.count_nonzero(inside & (points @ up[0] < height[0])) * each
    assert under == pytest.approx(0.4 * made.capacity_m3, rel=0.025)


@given(g_either_way, g_either_way, st.floats(0.0, 1.0))
def test_volume_and_height_are_each_others_answer(ax: float, ay: float, share: float) -> None:
    made = solid(box(-0.1, 0.1, -0.1, 0.1, 0.0, 0.13), box(0.1, 0.25, -0.1, 0.1, 0.08, 0.13))
    up = up_of(np.array([ax]), np.array([ay]))
    height = surface_height_m(made, up, share * made.capacity_m3)
    assert volume_under_m3(made, up, height)[0] == pytest.approx(share * made.capacity_m3, abs=1e-12)


def test_more_than_it_holds_is_full_and_less_than_nothing_empty() -> None:
    made = solid(box(0.0, 0.1, 0.0, 0.1, 0.0, 0.1))
    up = np.array([[0.0, 0.0, 1.0]])
    assert surface_height_m(made, up, 5.0)[0] == pytest.approx(0.1)
    assert surface_height_m(made, up, -1.0)[0] == pytest.approx(0.0)


def test_many_planes_at_once_are_the_same_as_one_by_one() -> None:
    ball = solid(np.asarray(trimesh.creation.icosphere(4, radius=0.15).triangles))
    rng = np.random.default_rng(2)
    up = up_of(rng.uniform(-2, 2, 700), rng.uniform(-2, 2, 700))
    heights = rng.uniform(-0.2, 0.2, 700)
    together = volume_under_m3(ball, up, heights)
    assert together == pytest.approx([volume_under_m3(ball, up[i : i + 1], heights[i : i + 1])[0] for i in range(700)])


def test_up_is_against_gravity_and_the_cars_acceleration() -> None:
    assert up_of(0.0, 0.0) == pytest.approx([0.0, 0.0, 1.0])
    # In a left turn the car accelerates to the left: the oil stands higher on the right.
    assert up_of(0.0, 1.0) == pytest.approx([0.0, 0.5**0.5, 0.5**0.5])
    assert up_of(-1.0, 0.0) == pytest.approx([-(0.5**0.5), 0.0, 0.5**0.5])
