"""A pan changed by hand, held against what its volume must then be by hand."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from basso.errors import InputError
from basso.sump import editing
from basso.sump.compartments import compartments_of
from basso.sump.editing import Part, parts_of
from basso.sump.measured import Hole, MeasuredPan, Plate, solid_of
from basso.sump.part_numbers import numbers_of, with_number
from basso.sump.quick import KINDS, pan_from
from pans import BOX, TWO


def litres(pan: MeasuredPan) -> float:
    return 1000.0 * solid_of(pan).capacity_m3


def value(pan: MeasuredPan, part: Part, key: str) -> float | None:
    return next(n.value for n in numbers_of(pan, part) if n.key == key)


def test_a_corner_takes_the_corner_of_the_next_bay_with_it() -> None:
    moved = editing.moved_corner(TWO, 0, 1, (0.02, -0.1))  # of the back bay, on the front one's
    assert litres(moved) == pytest.approx(litres(TWO))
    assert np.any(np.all(np.isclose(moved.bays[1].outline_m, (0.02, -0.1)), axis=1))
    assert 1000.0 * solid_of(replace(moved, bays=moved.bays[:1])).capacity_m3 == pytest.approx(
        16 * (13 * 20 + 0.5 * 2 * 20) / 1000.0
    )


def test_an_edge_moves_square_to_itself_and_can_be_given_a_length() -> None:
    right = next(k for k in range(4) if np.allclose(BOX.bays[0].outline_m[[k, (k + 1) % 4], 1], -0.1))
    wider = editing.moved_edge(BOX, 0, right, (0.5, -0.03))  # what points along it is not heard
    assert litres(wider) == pytest.approx(16 * 26 * 23 / 1000.0)
    longer = editing.with_edge_length(BOX, 0, right, 0.3)
    assert litres(longer) == pytest.approx(16 * 30 * 20 / 1000.0)
    assert len(longer.bays[0].outline_m) == 4 and editing.edge_length_m(longer, 0, right) == pytest.approx(0.3)


def test_corners_come_and_go() -> None:
    more = editing.with_corner(BOX, 0, 1, (0.17, 0.0))
    assert litres(more) == pytest.approx(16 * (26 * 20 + 0.5 * 4 * 20) / 1000.0)
    again = editing.without(more, Part("corner", 0, 2))
    assert litres(again) == pytest.approx(litres(BOX))
    triangle = editing.without_corner(replace(BOX, pickup=None), 0, 2)
    with pytest.raises(InputError, match="three corners"):
        editing.without_corner(triangle, 0, 0)


def test_a_floor_slopes_as_it_is_typed_and_keeps_its_plane_when_corners_move() -> None:
    sloping = with_number(BOX, Part("bay", 0), "ahead", 0.04)
    # Heights count from the lowest point: the tail end.
    assert value(sloping, Part("bay", 0), "floor") == pytest.approx(0.02)
    assert value(sloping, Part("bay", 0), "ahead") == pytest.approx(0.04)
    assert litres(sloping) == pytest.approx(litres(BOX), rel=1e-9), "what the nose loses the tail gains"
    longer = editing.moved_edge(sloping, 0, _edge_at(sloping, 0.13), (0.13, 0.0))
    assert value(longer, Part("bay", 0), "ahead") == pytest.approx(0.06)
    assert value(longer, Part("bay", 0), "left") == pytest.approx(0.0, abs=1e-9)


def _edge_at(pan: MeasuredPan, x: float) -> int:
    outline = pan.bays[0].outline_m
    return next(k for k in range(len(outline)) if np.allclose(outline[[k, (k + 1) % len(outline)], 0], x))


def test_a_bay_is_divided_by_a_wall_and_its_plates_and_walls_with_it() -> None:
    plates = (
        Plate("box", 0.09),
        Plate("box", 0.12, outline_m=np.array([[-0.13, -0.1], [0.0, -0.1], [0.0, 0.1], [-0.13, 0.1]])),
        Plate("box", 0.14, holes=(Hole(-0.1, 0.0, 0.01), Hole(0.1, 0.0, 0.01))),
    )
    cut = editing.divided(replace(BOX, plates=plates), 0, "x", 0.03)
    assert [b.name for b in cut.bays] == ["box", "box 2"] and cut.walls[0].between == ("box", "box 2")
    assert litres(cut) == pytest.approx(litres(BOX))
    assert len(compartments_of(replace(cut, plates=())).tables) == 2, "the wall is shut"
    kept = [(p.bay, len(p.holes), p.outline_m is None) for p in cut.plates]
    assert kept == [("box", 0, True), ("box 2", 0, True), ("box", 0, False), ("box", 1, True), ("box 2", 1, True)]
    twice = editing.divided(cut, 0, "y", 0.0)
    assert {frozenset(w.between) for w in twice.walls} == {
        frozenset(p) for p in (("box", "box 2"), ("box 3", "box 2"), ("box", "box 3"))
    }
    with pytest.raises(InputError, match="into 1 parts"):
        editing.divided(BOX, 0, "x", 0.5)


def test_what_is_added_can_be_opened_named_and_taken_out_again() -> None:
    pan = editing.with_bay(BOX)
    assert litres(pan) == pytest.approx(litres(BOX) + 16 * 26 * 8 / 1000.0)
    assert len(compartments_of(pan).tables) == 1, "open to its neighbour"
    walled = editing.with_opening(editing.with_wall(pan, ("box", "bay 2")), 0)
    assert len(compartments_of(walled).tables) == 2 and len(compartments_of(walled).ways) == 1
    with pytest.raises(InputError, match="There is a wall"):
        editing.with_wall(walled, ("bay 2", "box"))
    plated = editing.with_hole(editing.with_plate(walled, 1), 0)
    named = editing.renamed(plated, 1, "left wing")
    assert named.walls[0].between == ("box", "left wing") and named.plates[0].bay == "left wing"
    labels = [words for _, words in parts_of(named)]
    assert labels == [
        *("Pan, oil and engine", "Pickup", "Bay: box", "Bay: left wing", "Wall: box, left wing"),
        *("  Opening 1", "Plate: left wing", "  Hole 1"),
    ]
    assert editing.without(named, Part("hole", 0, 0)).plates[0].holes == ()
    assert editing.without(named, Part("opening", 0, 0)).walls[0].openings == ()
    bare = editing.without(named, Part("bay", 1))
    assert not bare.walls and not bare.plates and litres(bare) == pytest.approx(litres(BOX))
    with pytest.raises(InputError, match="one bay at least"):
        editing.without(bare, Part("bay", 0))
    again = editing.with_pickup(editing.without(bare, Part("pickup")))
    assert again.pickup is not None and again.pickup.middle_m == pytest.approx((0.0, 0.0, 0.008))


def test_what_cannot_be_is_said_and_nothing_is_changed() -> None:
    with pytest.raises(InputError, match="pickup lies outside of every bay"):
        with_number(BOX, Part("pickup"), "x", 0.5)
    with pytest.raises(InputError, match="crosses itself"):
        editing.moved_corner(BOX, 0, 0, (0.14, 0.0))
    with pytest.raises(InputError, match="overlap by"):
        editing.with_corner(TWO, 0, 1, (0.05, 0.0))
    with pytest.raises(InputError, match="does not lie over the floor"):
        with_number(BOX, Part("bay", 0), "roof", -0.01)


def test_every_number_typed_comes_back_as_it_was_typed() -> None:
    kind = "rear"
    base = pan_from(kind, {m.key: m.usual for m in KINDS[kind][1]})
    base = editing.with_hole(editing.with_plate(editing.with_wall(base, ("box", "shelf")), 0), 0)
    base = editing.with_opening(base, 0)
    tried = 0
    for part in [*(p for p, _ in parts_of(base)), Part("corner", 1, 1), Part("edge", 0, 0)]:
        for number in numbers_of(base, part):
            step = {"share": -0.1, "angle": 2.0, "volume": 0.1, "cm³": 1.0, "length": 0.004}[number.unit]
            wanted = (number.value if number.value is not None else 0.005) + step
            if number.key in ("floor", "ahead", "left") and part.index == 0:
                continue  # heights count from there
            changed = with_number(base, part, number.key, wanted)
            assert value(changed, part, number.key) == pytest.approx(wanted, abs=2e-6), (part, number.key)
            tried += 1
            if number.may_lack:
                assert value(with_number(changed, part, number.key, None), part, number.key) is None
    assert tried > 20
