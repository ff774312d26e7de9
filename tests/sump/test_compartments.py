"""A pan cut into compartments: what is open to what, and surfaces looked up as exact as they are worked out."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from basso.sump.compartments import compartments_of, holes_of, one_compartment, surface_table
from basso.sump.measured import Hole, MeasuredPan, Pickup, Plate, solid_of
from basso.sump.solid import surface_height_m, up_of
from pans import BOX, TWO, bay


def test_looked_up_surfaces_are_the_exact_ones() -> None:
    shelf = MeasuredPan("Shelf", (bay("shelf", -0.13, 0.0, 0.06), bay("box", 0.0, 0.13)), Pickup((0.06, 0.0, 0.008)))
    solid = solid_of(shelf)
    table = surface_table(solid)
    rng = np.random.default_rng(1)
    ax, ay = rng.uniform(-1.5, 1.5, 400), rng.uniform(-1.5, 1.5, 400)
    volume = rng.uniform(0.15, 0.85, 400) * solid.capacity_m3
    exact = surface_height_m(solid, up_of(ax, ay), volume) * np.sqrt(1.0 + ax * ax + ay * ay)
    off = table.at(ax, ay, volume) - exact
    assert float(np.abs(off).max()) < 0.002 and float(np.sqrt(np.mean(off**2))) < 0.0004
    assert table.at(np.array([9.0]), np.zeros(1), np.array([0.003]))[0] == pytest.approx(
        table.at(np.array([2.6]), np.zeros(1), np.array([0.003]))[0]
    ), "more g than the table has is taken as its most"


def test_a_step_is_one_compartment_and_a_wall_makes_two() -> None:
    step = MeasuredPan("Step", (bay("shelf", -0.13, 0.0, 0.06), bay("box", 0.0, 0.13)), Pickup((0.06, 0.0, 0.008)))
    assert compartments_of(step).names == ("shelf and box",) and compartments_of(step).ways == ()
    c = compartments_of(TWO)
    assert c.names == ("back", "front") and c.pickup_in == 1
    (way,) = c.ways
    assert (way.a, way.b, way.only_to, way.low_m, way.high_m, way.width_m) == (0, 1, 1, 0.0, 0.03, 0.06)
    assert way.at_m == pytest.approx((0.0, 0.0), abs=2e-3)


def test_a_plate_divides_its_bay_and_its_openings_are_where_they_are() -> None:
    c = compartments_of(replace(BOX, plates=(Plate("box", 0.07, 1.0, holes=(Hole(0.05, 0.02, 0.01),)),)))
    assert c.names == ("box under the plate", "box over the plate") and c.pickup_in == 0
    (hole,) = c.ways
    assert hole.at_m == pytest.approx((0.05, 0.02)) and hole.area_m2 == pytest.approx(np.pi * 1e-4)
    assert c.tables[0].capacity_m3 == pytest.approx(0.26 * 0.2 * 0.07)
    assert compartments_of(replace(BOX, plates=(Plate("box", 0.16),))).names == ("box",), (
        "at the roof it divides nothing"
    )


def test_a_plate_that_covers_part_of_its_bay_is_open_beside_itself() -> None:
    import shapely

    plan = shapely.Polygon(BOX.bays[0].outline_m)
    outline = np.array([[-0.13, -0.1], [0.05, -0.1], [0.05, 0.1], [-0.13, 0.1]])
    found = holes_of(Plate("box", 0.07, 0.75, outline), plan)
    assert found[0][1] == pytest.approx(0.08 * 0.2, rel=1e-3) and found[0][0] == pytest.approx((0.09, 0.0), abs=1e-3)
    assert sum(a for _, a in found[1:]) == pytest.approx(0.25 * 0.18 * 0.2, rel=1e-3)
    assert sum(a for _, a in holes_of(Plate("box", 0.07, 1.0), plan)) == 0.0


def test_at_rest_all_stand_at_one_level() -> None:
    c = compartments_of(TWO)
    held = c.at_rest(0.003)
    assert held.sum() == pytest.approx(0.003) and held == pytest.approx([0.0015, 0.0015], rel=1e-3)
    assert compartments_of(BOX).at_rest(0.002) == pytest.approx([0.002])
    assert one_compartment(solid_of(BOX), np.array([0.0, 0.0, 0.01])).capacity_m3 == pytest.approx(0.00832)


def test_what_comes_back_falls_where_the_pan_is_open_to_above() -> None:
    plated = compartments_of(replace(TWO, plates=(Plate("front", 0.07, 0.9),)))
    by_name = dict(zip(plated.names, plated.drains.tolist(), strict=True))
    assert by_name["front under the plate"] == 0.0
    assert by_name["back"] == pytest.approx(0.5) and by_name["front over the plate"] == pytest.approx(0.5)


def test_an_engine_across_the_car_has_its_openings_turned_with_it() -> None:
    c = compartments_of(replace(TWO, axis="across"))
    assert c.pickup_m == pytest.approx([0.0, 0.06, 0.008], abs=1e-9)
    with pytest.raises(ValueError, match="without a pickup"):
        compartments_of(replace(TWO, pickup=None))


def test_a_mesh_of_many_triangles_is_made_coarser_without_losing_oil() -> None:
    import trimesh

    from basso.sump.mesh_file import solid_of_mesh

    ball = trimesh.creation.icosphere(subdivisions=5, radius=120.0)
    solid, _ = solid_of_mesh(np.asarray(ball.triangles) / 1000.0, "ball")
    assert solid.triangles.shape[0] > 4000
    table = surface_table(solid)
    assert table.capacity_m3 == pytest.approx(solid.capacity_m3, rel=1e-6)
    half = table.at(np.array([0.7]), np.array([-0.4]), np.array([solid.capacity_m3 / 2]))[0]
    assert half == pytest.approx(0.0, abs=0.001), "half a ball of oil stands through its middle, however it is tilted"
