"""Meshes of pans: both kinds of STL, holes, faces inside out, units, and files that are none."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import trimesh

from basso.errors import InputError
from basso.sump.mesh_file import LENGTHS_M, read_mesh
from basso.sump.solid import holds


def box() -> trimesh.Trimesh:
    made = trimesh.creation.box((260.0, 200.0, 160.0))
    made.apply_translation((0.0, 0.0, 80.0))
    return made


def write(file: Path, triangles: np.ndarray) -> Path:
    mesh = trimesh.Trimesh(triangles.reshape(-1, 3), np.arange(3 * len(triangles)).reshape(-1, 3), process=False)
    mesh.export(file)
    return file


@pytest.mark.parametrize("kind", ["stl", "stl_ascii"])
def test_both_kinds_are_read(kind: str, tmp_path: Path) -> None:
    file = tmp_path / "inside.stl"
    box().export(file, file_type=kind)
    solid, notes = read_mesh(file)
    assert 1000.0 * solid.capacity_m3 == pytest.approx(8.32) and notes == ()
    assert (solid.lowest_m, solid.highest_m) == pytest.approx((0.0, 0.16))
    assert solid.plan_centre_m == pytest.approx((0.0, 0.0), abs=1e-9)


def test_a_mesh_with_a_hole_is_refused_with_its_place(tmp_path: Path) -> None:
    open_at_the_top = box().triangles[box().triangles[:, :, 2].mean(axis=1) < 159.0]
    with pytest.raises(InputError, match=r"is not closed: 4 edges do not join two triangles, about x 0, y 0, z 160 mm"):
        read_mesh(write(tmp_path / "open.stl", open_at_the_top))


def test_a_mesh_inside_out_is_turned_and_that_is_said(tmp_path: Path) -> None:
    solid, notes = read_mesh(write(tmp_path / "a.stl", box().triangles[:, ::-1]))
    assert 1000.0 * solid.capacity_m3 == pytest.approx(8.32)
    assert notes == ("The mesh was inside out and was turned.",)
    mixed = np.array(box().triangles)
    mixed[3] = mixed[3][::-1]
    solid, notes = read_mesh(write(tmp_path / "b.stl", mixed))
    assert 1000.0 * solid.capacity_m3 == pytest.approx(8.32)
    assert "turned back" in notes[0]


def test_two_bodies_are_one_pan(tmp_path: Path) -> None:
    other = box()
    other.apply_translation((400.0, 0.0, 30.0))
    solid, _ = read_mesh(write(tmp_path / "two.stl", np.concatenate([box().triangles, other.triangles])))
    assert 1000.0 * solid.capacity_m3 == pytest.approx(2 * 8.32)
    assert solid.plan_centre_m == pytest.approx((0.2, 0.0), abs=1e-9)


def test_a_corner_on_the_middle_of_an_edge_leaves_no_hole(tmp_path: Path) -> None:
    """The lid in two halves over walls in one piece: edges meet in parts only, as drawing programs like to write."""
    walls = box().triangles[box().triangles[:, :, 2].mean(axis=1) < 159.0]
    x, y, z = 130.0, 100.0, 160.0
    lid = [[[-x, -y, z], [0, -y, z], [0, y, z]], [[-x, -y, z], [0, y, z], [-x, y, z]]]
    lid += [[[0, -y, z], [x, -y, z], [x, y, z]], [[0, -y, z], [x, y, z], [0, y, z]]]
    solid, notes = read_mesh(write(tmp_path / "a.stl", np.concatenate([walls, np.array(lid)])))
    assert 1000.0 * solid.capacity_m3 == pytest.approx(8.32) and notes == ()
    with pytest.raises(InputError, match="is not closed"):
        read_mesh(write(tmp_path / "b.stl", np.concatenate([walls, np.array(lid[:3])])))


def test_bodies_that_touch_along_an_edge_are_closed(tmp_path: Path) -> None:
    other = box()
    other.apply_translation((260.0, 200.0, 0.0))
    solid, _ = read_mesh(write(tmp_path / "a.stl", np.concatenate([box().triangles, other.triangles])))
    assert 1000.0 * solid.capacity_m3 == pytest.approx(2 * 8.32)


def test_bodies_in_one_another_are_refused(tmp_path: Path) -> None:
    other = box()
    other.apply_translation((100.0, 0.0, 0.0))
    with pytest.raises(InputError, match="lie in one another and would count twice"):
        read_mesh(write(tmp_path / "a.stl", np.concatenate([box().triangles, other.triangles])))


def test_what_is_left_out_of_the_inside_is_no_oil(tmp_path: Path) -> None:
    """A pickup's tube, drawn as a hole in the solid: its faces look the other way."""
    tube = trimesh.creation.box((40.0, 40.0, 40.0))
    tube.apply_translation((0.0, 0.0, 80.0))
    solid, notes = read_mesh(write(tmp_path / "a.stl", np.concatenate([box().triangles, tube.triangles[:, ::-1]])))
    assert 1000.0 * solid.capacity_m3 == pytest.approx(8.32 - 0.064) and notes == ()
    assert not holds(solid, np.array([0.0, 0.0, 0.08]))


def test_corners_that_nearly_meet_are_one(tmp_path: Path) -> None:
    rng = np.random.default_rng(1)
    shaken = box().triangles + rng.normal(0.0, 2e-5, box().triangles.shape)
    assert 1000.0 * read_mesh(write(tmp_path / "a.stl", shaken))[0].capacity_m3 == pytest.approx(8.32, rel=1e-5)


@pytest.mark.parametrize("unit", LENGTHS_M)
def test_the_unit_is_asked_for_where_it_cannot_be_mm(unit: str, tmp_path: Path) -> None:
    drawn = box().triangles * (0.001 / LENGTHS_M[unit])
    file = write(tmp_path / "a.stl", drawn)
    solid, _ = read_mesh(file, unit)
    assert 1000.0 * solid.capacity_m3 == pytest.approx(8.32, rel=1e-5)
    if unit in ("m", "in"):
        with pytest.raises(InputError, match="long, which no pan is; say with --mesh-unit"):
            read_mesh(file)
    if unit == "cm":
        assert "is unusual for a pan: is it drawn in mm?" in read_mesh(file)[1][0]


def test_an_outline_with_a_bay_on_one_side_has_its_centre_there(tmp_path: Path) -> None:
    wing = trimesh.creation.box((100.0, 100.0, 60.0))
    wing.apply_translation((0.0, 150.0, 130.0))
    solid, _ = read_mesh(write(tmp_path / "a.stl", np.concatenate([box().triangles, wing.triangles])))
    assert solid.plan_centre_m[1] == pytest.approx(0.01 * 0.15 / (0.052 + 0.01), rel=1e-6)


@pytest.mark.parametrize(
    "raw",
    [
        b"",
        b"solid",
        b"solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 x\n",
        b"\x00" * 84,
        b"\xff" * 500,
        b"PK\x03\x04",
    ],
)
def test_files_that_are_none(raw: bytes, tmp_path: Path) -> None:
    file = tmp_path / "a.stl"
    file.write_bytes(raw)
    with pytest.raises(InputError, match=r"a\.stl: "):
        read_mesh(file)


def test_a_file_cut_short_is_refused(tmp_path: Path) -> None:
    file = tmp_path / "a.stl"
    box().export(file)
    file.write_bytes(file.read_bytes()[:-70])
    with pytest.raises(InputError, match=r"a\.stl: "):
        read_mesh(file)


def test_a_flat_sheet_encloses_nothing(tmp_path: Path) -> None:
    a, b, c, d = np.array([[0, 0, 0], [100, 0, 0], [100, 100, 0], [0, 100, 0]], dtype=float)
    sheet = np.array([[a, b, c], [a, c, d], [a, c, b], [a, d, c]])
    with pytest.raises(InputError, match=r"encloses no volume|is not closed"):
        read_mesh(write(tmp_path / "a.stl", sheet))


def test_whether_a_point_lies_inside(tmp_path: Path) -> None:
    file = tmp_path / "a.stl"
    box().export(file)
    solid, _ = read_mesh(file)
    assert holds(solid, np.array([0.0, 0.0, 0.01])) and holds(solid, np.array([0.129, 0.099, 0.159]))
    assert not holds(solid, np.array([0.0, 0.0, -0.01])) and not holds(solid, np.array([0.131, 0.0, 0.08]))
