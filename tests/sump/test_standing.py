"""Where oil stands in a pan and which g uncovers its pickup, against cases worked out by hand."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh

from basso.sump.measured import Bay, MeasuredPan, Pickup, pickup_in_car_m, solid_of
from basso.sump.solid import Solid, prism
from basso.sump.standing import DIRECTIONS_DEG, MOST_G, stand, uncover_g
from basso.units import FloatArray


def upright_box(length: float = 0.3, width: float = 0.2, deep: float = 0.5) -> Solid:
    x, y = length / 2, width / 2
    outline = np.array([[-x, -y], [x, -y], [x, y], [-x, y]])
    return Solid(prism(outline, np.zeros(4), np.full(4, deep)), (0.0, 0.0))


def pan_of(pickup: tuple[float, float, float], **more: object) -> MeasuredPan:
    outline = np.array([[-0.12, -0.1], [0.16, -0.1], [0.16, 0.09], [-0.12, 0.09]])
    bay = Bay("box", outline, np.zeros(4), np.full(4, 0.13))
    return MeasuredPan("pan", (bay,), Pickup(pickup), **more)  # type: ignore[arg-type]


def g_at(found: FloatArray, direction: int) -> float:
    return float(found[DIRECTIONS_DEG.index(direction)])


def test_while_the_surface_meets_walls_only_it_turns_about_the_middle() -> None:
    """A tall box, 100 mm of oil: the level stays at the middle, and a pickup at y is bare from (h − z) ÷ y on."""
    made, volume = upright_box(), 0.3 * 0.2 * 0.1
    for y, direction in ((0.06, 90), (-0.06, 270)):
        pickup = np.array([0.0, y, 0.06])
        found = uncover_g(made, pickup, volume)
        assert g_at(found, direction) == pytest.approx((0.1 - 0.06) / 0.06, abs=1e-4)
        assert np.isinf(g_at(found, (direction + 180) % 360))
        standing = stand(made, pickup, volume, 0.0, 0.5 if y > 0 else -0.5)
        assert standing.level_m == pytest.approx(0.1)
        # The head is measured along what the oil feels: shorter than upright by the cosine of the tilt.
        assert standing.head_m == pytest.approx((0.1 - 0.03 - 0.06) / np.sqrt(1.25))
        assert standing.is_covered
    along = uncover_g(made, np.array([0.1, 0.0, 0.05]), volume)
    assert g_at(along, 0) == pytest.approx(0.05 / 0.1, abs=1e-4), "driving off, the oil goes to the back"


def test_over_a_corner_both_ways_add_up() -> None:
    made, pickup = upright_box(), np.array([0.1, 0.06, 0.06])
    found = uncover_g(made, pickup, 0.3 * 0.2 * 0.1, np.array([45.0, 30.0]))
    for g, direction in zip(found, np.radians([45.0, 30.0]), strict=True):
        assert g == pytest.approx(0.04 / (0.1 * np.cos(direction) + 0.06 * np.sin(direction)), abs=1e-4)


def test_bare_at_rest_is_0_and_drowned_is_never() -> None:
    made = upright_box(deep=0.12)
    assert set(uncover_g(made, np.array([0.0, 0.0, 0.05]), 0.3 * 0.2 * 0.05)) == {0.0}, "just at the surface"
    assert set(uncover_g(made, np.array([0.0, 0.0, 0.05]), 0.3 * 0.2 * 0.04)) == {0.0}
    assert np.isinf(uncover_g(made, np.array([0.0, 0.0, 0.01]), made.capacity_m3)).all()
    assert MOST_G == 2.5 and len(DIRECTIONS_DEG) == 24


def test_the_first_g_counts_where_it_is_covered_again_beyond() -> None:
    """A low roof over the far side: the oil first leaves the pickup, then the full far side gives it back."""
    low = prism(np.array([[0.0, -0.1], [0.1, -0.1], [0.1, 0.1], [0.0, 0.1]]), np.zeros(4), np.full(4, 0.2))
    far = prism(np.array([[-0.4, -0.1], [0.0, -0.1], [0.0, 0.1], [-0.4, 0.1]]), np.full(4, 0.03), np.full(4, 0.05))
    made = Solid(np.concatenate([low, far]), (0.0, 0.0))
    pickup, volume = np.array([0.02, 0.0, 0.03]), 0.0019
    found = float(uncover_g(made, pickup, volume, np.array([0.0]))[0])
    assert 0.05 < found < 2.5
    for g, covered in ((found - 0.01, True), (found + 0.01, False)):
        assert stand(made, pickup, volume, g, 0.0).is_covered is covered
    assert all(stand(made, pickup, volume, g, 0.0).is_covered for g in np.arange(0.0, found - 0.005, 0.01))


def test_a_ball_uncovers_where_its_pickup_stands_over_the_tilted_level() -> None:
    """In a ball the level lies as far under the middle at any g, and a pickup at the bottom rises by the cosine."""
    r, low = 0.15, 0.13
    ball = Solid(np.asarray(trimesh.creation.icosphere(5, radius=r).triangles), (0.0, 0.0))
    cap = 0.05
    volume = np.pi * cap**2 * (3 * r - cap) / 3
    expected = np.sqrt((low / (r - cap)) ** 2 - 1)
    found = uncover_g(ball, np.array([0.0, 0.0, -low]), volume)
    assert found == pytest.approx(np.full(24, expected), abs=0.012)


def test_a_pan_across_the_car_answers_a_quarter_turn_later() -> None:
    along, across = (pan_of((-0.05, 0.05, 0.01), axis=a) for a in ("along", "across"))
    found = []
    for pan in (along, across):
        pickup = pickup_in_car_m(pan)
        assert pickup is not None
        found.append(uncover_g(solid_of(pan), pickup, 0.0025))
    # What a pan feels driving off when it lies along the car, it feels in a left turn when its front is to the left.
    assert np.roll(found[0], 6) == pytest.approx(found[1], abs=1e-3)


def test_an_engine_that_leans_stands_like_one_in_a_turn() -> None:
    """Leaned to the left by α at rest, the oil lies as in an upright pan at tan α to the right."""
    for lean, nose in ((12.0, 0.0), (-7.0, 0.0), (0.0, 5.0)):
        upright, leaned = pan_of((0.02, 0.05, 0.01)), pan_of((0.02, 0.05, 0.01), lean_left_deg=lean, nose_up_deg=nose)
        a, b = pickup_in_car_m(upright), pickup_in_car_m(leaned)
        assert a is not None and b is not None
        expected = stand(solid_of(upright), a, 0.003, np.tan(np.radians(nose)), -np.tan(np.radians(lean)))
        assert stand(solid_of(leaned), b, 0.003).head_m == pytest.approx(expected.head_m, abs=1e-9), (lean, nose)


def test_a_tilted_mouth_draws_air_by_its_highest_rim() -> None:
    assert Pickup((0.0, 0.0, 0.01), 0.015).rim_over_middle_m == 0.0
    assert Pickup((0.0, 0.0, 0.01), 0.015, nose_up_deg=10.0).rim_over_middle_m == pytest.approx(
        0.015 * np.sin(np.radians(10.0))
    )
