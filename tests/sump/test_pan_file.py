"""The file of a measured pan: what it means, and one sentence for each way of getting it wrong."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from basso.errors import InputError
from basso.sump.measured import MeasuredPan, Opening, Wall, pickup_in_car_m, solid_of
from basso.sump.pan_file import SCHEMA, example, pan_of, read_pan

SQUARE = [[-100, -100], [100, -100], [100, 100], [-100, 100]]


def table(**more: Any) -> dict[str, Any]:
    bay = {"name": "box", "outline": SQUARE, "floor": 0, "roof": 130}
    return {"schema": SCHEMA, "bay": [bay], "pickup": {"x": 0, "y": 20, "z": 8}, **more}


def with_bay(**changed: Any) -> dict[str, Any]:
    made = table()
    made["bay"][0].update(changed)
    return made


def read(made: dict[str, Any]) -> MeasuredPan:
    return pan_of(made, "pan.toml")


def test_the_example_is_a_pan_with_every_entry(tmp_path: Path) -> None:
    file = tmp_path / "pan.toml"
    file.write_text(example(), encoding="utf-8")
    pan = read_pan(file)
    assert 1000.0 * solid_of(pan).capacity_m3 == pytest.approx(0.2 * 0.2 * 130 + 0.16 * 0.08 * 50)
    assert pan.walls == (Wall(("box", "wing"), (Opening(0.08, 0.10, 0.06, "box"),)),)
    (plate,) = pan.plates
    assert (plate.bay, plate.height_m, plate.closed, plate.outline_m, plate.holes) == ("box", 0.08, 0.75, None, ())
    assert pan.pump_m3_per_rev == 10e-6
    assert (pan.fill_l, pan.away_l, pan.sweep_m, pan.full_mark_m) == (3.0, 0.5, 0.096, 0.075)
    assert pan.pickup is not None and pan.pickup.middle_m == (-0.03, 0.042, 0.0095)


def test_depths_from_the_rail_are_heights_from_the_floor() -> None:
    floor = table(stick={"full_z": 75}, crank={"sweep_z": 96}, plate=[{"z": 80}])
    rail = table(heights_from="rail", stick={"full_z": 55}, crank={"sweep_z": 34}, plate=[{"z": 50}])
    rail["bay"][0].update(floor=130, roof=0)
    rail["pickup"]["z"] = 122
    a, b = read(floor), read(rail)
    assert solid_of(a).triangles == pytest.approx(solid_of(b).triangles)
    assert a.pickup is not None and b.pickup is not None and a.pickup.middle_m == pytest.approx(b.pickup.middle_m)
    assert (a.sweep_m, a.full_mark_m, a.plates[0].height_m) == pytest.approx(
        (b.sweep_m, b.full_mark_m, b.plates[0].height_m)
    )


def test_heights_count_from_the_lowest_point_whatever_the_file_counts_from() -> None:
    lifted = with_bay(floor=500, roof=630)
    lifted["pickup"]["z"] = 508
    pan = read(lifted)
    assert solid_of(pan).lowest_m == pytest.approx(0.0)
    assert pan.pickup is not None and pan.pickup.middle_m[2] == pytest.approx(0.008)


def test_a_floor_through_three_points_slopes() -> None:
    made = read(with_bay(floor=[[-100, 0, 0], [100, 0, 20], [0, 100, 10]], roof=130))
    litres = 1000.0 * solid_of(made).capacity_m3
    assert litres == pytest.approx(0.2 * 0.2 * 120)
    assert made.bays[0].floor_m == pytest.approx([0.0, 0.02, 0.02, 0.0])


def test_an_outline_may_go_round_either_way() -> None:
    assert solid_of(read(with_bay(outline=SQUARE[::-1]))).capacity_m3 == pytest.approx(0.0052)


def test_bays_may_lie_over_one_another() -> None:
    shelf = {"name": "shelf", "outline": SQUARE, "floor": 130, "roof": 150}
    made = table()
    made["bay"].append(shelf)
    assert solid_of(read(made)).capacity_m3 == pytest.approx(0.006)


def test_a_pan_without_a_pickup_is_a_pan() -> None:
    made = table()
    del made["pickup"]
    assert pickup_in_car_m(read(made)) is None


@pytest.mark.parametrize(
    ("made", "said"),
    [
        ({}, "is no pan's file: it has to begin with schema"),
        ({"schema": SCHEMA}, "has 0 bays; describe 1 to 24"),
        (table(shema=1), "shema is not known here; there are"),
        (with_bay(roof="high"), "bay 1.roof has to be a number"),
        (with_bay(roof=True), "bay 1.roof has to be a number"),
        (with_bay(roof=float("nan")), "bay 1.roof has to be a number"),
        (with_bay(roof=1e9), "it has to lie between -3000 and 3000"),
        (with_bay(roof=0), "bay 1.roof does not lie over the floor everywhere"),
        (with_bay(floor=[[0, 0, 0], [10, 0, 0], [20, 0, 0]]), "three points on one line"),
        (with_bay(outline=[[0, 0], [100, 100], [100, 0], [0, 100]]), "bay 1.outline crosses itself"),
        (with_bay(outline=[[0, 0], [100, 0]]), "bay 1.outline has to be a list of 3 to 400 points"),
        (with_bay(outline=[[0, 0, 0], [1, 0, 0], [0, 1, 0]]), "points of 2 numbers"),
        (with_bay(name=""), "bay 1.name is missing"),
        (with_bay(colour="red"), "bay 1.colour is not known here"),
        (table(pickup={"x": 500, "y": 0, "z": 8}), "pickup lies outside of every bay"),
        (table(pickup={"x": 0, "y": 0}), "pickup.z is missing"),
        (table(pickup={"x": 0, "y": 0, "z": 8, "radius": 0}), "pickup.radius is 0; it has to lie between 1 and 100"),
        (table(wall=[{"between": ["box", "wing"]}]), "wall 1.between has to name two of the bays: box"),
        (table(plate=[{"bay": "wing", "z": 80}]), "plate 1.bay is 'wing'; there are box"),
        (table(plate=[{"z": 80, "closed": 75}]), "plate 1.closed is 75; it has to lie between 0 and 1"),
        (table(heights_from="sky"), "heights_from is 'sky'; it has to be floor or rail"),
        (table(engine={"axis": "up"}), "engine.axis is 'up'; it has to be along or across"),
        (table(engine=3), "engine has to be a table"),
        (table(bay=3), "bay has to be a list of tables"),
        (table(fill={"volume": -1}), "fill.volume is -1"),
    ],
)
def test_what_is_wrong_is_said_with_its_place(made: dict[str, Any], said: str) -> None:
    with pytest.raises(InputError) as error:
        read(made)
    assert str(error.value).startswith("pan.toml: ") and said in str(error.value)


def test_bays_in_one_another_are_refused() -> None:
    made = table()
    made["bay"].append({"name": "wing", "outline": [[90, 0], [200, 0], [200, 50], [90, 50]], "floor": 60, "roof": 130})
    with pytest.raises(InputError, match="the bays box and wing overlap by 5 cm²"):
        read(made)
    made["bay"][1]["name"] = "box"
    with pytest.raises(InputError, match="two bays have the same name"):
        read(made)


def test_a_door_leads_into_one_of_its_bays() -> None:
    made = table()
    made["bay"].append(
        {"name": "wing", "outline": [[100, 0], [200, 0], [200, 50], [100, 50]], "floor": 60, "roof": 130}
    )
    made["wall"] = [{"between": ["box", "wing"], "opening": [{"low": 0, "high": 20, "width": 50, "to": "out"}]}]
    with pytest.raises(InputError, match=r"wall 1\.opening 1\.to has to be one of its two bays, box or wing"):
        read(made)


@pytest.mark.parametrize("raw", [b"", b"\xff\xfe\x00", b"schema = ", b"a" * 2_000_000, b"x = " + b"[" * 50_000])
def test_files_that_are_none(raw: bytes, tmp_path: Path) -> None:
    file = tmp_path / "pan.toml"
    file.write_bytes(raw)
    with pytest.raises(InputError, match=r"pan\.toml: is "):
        read_pan(file)


_anything: st.SearchStrategy[Any] = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=5),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=5), inner, max_size=4),
    max_leaves=6,
)


@settings(max_examples=150, deadline=None)
@given(st.sampled_from(["bay", "pickup", "wall", "plate", "engine", "fill", "crank", "stick", "name"]), _anything)
def test_whatever_stands_in_an_entry_it_is_a_pan_or_one_sentence(key: str, value: Any) -> None:
    made = table()
    made[key] = value
    try:
        assert np.isfinite(solid_of(read(made)).capacity_m3)
    except InputError as error:
        assert str(error).startswith("pan.toml: ") and "\n" not in str(error)


@settings(max_examples=150, deadline=None)
@given(st.sampled_from(["name", "outline", "floor", "roof"]), _anything)
def test_whatever_stands_in_a_bay_it_is_a_pan_or_one_sentence(key: str, value: Any) -> None:
    try:
        assert solid_of(read(with_bay(**{key: value}))).capacity_m3 > 0.0
    except InputError as error:
        assert str(error).startswith("pan.toml: ") and "\n" not in str(error)


def test_more_plates_than_any_pan_has_are_refused() -> None:
    plates = [{"bay": "box", "z": 80 + 0.1 * i} for i in range(101)]
    assert len(read(table(plate=plates[:100])).plates) == 100
    with pytest.raises(InputError, match="plate has 101 entries; there may be 100"):
        read(table(plate=plates))
