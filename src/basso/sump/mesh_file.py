"""The inside of a pan as a closed triangle mesh: an STL file, text or binary, as every drawing program writes one."""

from __future__ import annotations

import io
from pathlib import Path
from types import MappingProxyType

import numpy as np

from basso.errors import InputError
from basso.files import open_plain
from basso.sump.measured import plan_centre_m
from basso.sump.solid import Solid
from basso.units import FloatArray

LENGTHS_M = MappingProxyType({"mm": 0.001, "cm": 0.01, "m": 1.0, "in": 0.0254})
"""What a mesh may be drawn in; STL does not say."""
MOST_TRIANGLES = 400_000
_MOST_BYTES = 200_000_000
_SMALLEST_M, _LARGEST_M = 0.02, 3.0
"""No pan is smaller or larger: then the unit is another."""
_WELD = 1e-6
"""Of the mesh's size: corners nearer to each other are one."""


def read_mesh(path: Path, unit: str = "mm") -> tuple[Solid, tuple[str, ...]]:
    """Read a mesh, x forward, y to the left, z up.

    Args:
        unit: one of :data:`LENGTHS_M`.

    Returns:
        The solid, and what was put right or is to be minded, a sentence each.

    Raises:
        InputError: it is no STL file, is not closed, or has no pan's size; the sentence says what to do.
    """
    with open_plain(path) as stream:
        raw = stream.read(_MOST_BYTES + 1)
    if len(raw) > _MOST_BYTES:
        raise InputError(f"{path}: is larger than {_MOST_BYTES // 1_000_000} MB; export the mesh more coarsely.")
    return solid_of_mesh(_triangles(path, raw) * LENGTHS_M[unit], str(path), unit)


def _triangles(path: Path, raw: bytes) -> FloatArray:
    from trimesh.exchange.stl import load_stl

    try:
        loaded = load_stl(io.BytesIO(raw))
        vertices, faces = (np.asarray(loaded[k]) for k in ("vertices", "faces"))
        corners: FloatArray = vertices.astype(np.float64)[faces]
    except Exception:  # whatever damage makes of it in the library
        raise InputError(f"{path}: is no STL file that can be read; export the inside of the pan as STL.") from None
    if not 4 <= corners.shape[0] <= MOST_TRIANGLES:
        raise InputError(
            f"{path}: has {corners.shape[0]} triangles; a closed mesh has 4 at least, and more than {MOST_TRIANGLES} "
            "are more than a pan needs: export it more coarsely."
        )
    if not np.isfinite(corners).all():
        raise InputError(f"{path}: holds a corner that is no number; export it anew.")
    return corners


def solid_of_mesh(triangles_m: FloatArray, where: str, unit: str = "mm") -> tuple[Solid, tuple[str, ...]]:
    """A solid from triangles of shape (n, 3, 3), once it is sure that they enclose a volume.

    Raises:
        InputError: they do not, or it has no pan's size.
    """
    import trimesh

    size = float(np.ptp(triangles_m.reshape(-1, 3), axis=0).max())
    if not _SMALLEST_M <= size <= _LARGEST_M:
        shown = size / LENGTHS_M[unit]
        raise InputError(
            f"{where}: is {shown:g} {unit} long, which no pan is; say with --mesh-unit what it is drawn in "
            f"({', '.join(LENGTHS_M)})."
        )
    notes: list[str] = []
    grid = np.round(triangles_m.reshape(-1, 3) / (size * _WELD)).astype(np.int64)
    _, first, index = np.unique(grid, axis=0, return_index=True, return_inverse=True)
    faces = index.reshape(-1, 3)
    thin = (faces[:, 0] == faces[:, 1]) | (faces[:, 1] == faces[:, 2]) | (faces[:, 2] == faces[:, 0])
    mesh = trimesh.Trimesh(triangles_m.reshape(-1, 3)[first], faces[~thin], process=False, validate=False)
    if not mesh.is_watertight:
        raise InputError(f"{where}: is not closed: {_holes(mesh)}; close it, the lid at the pan rail too.")
    if not mesh.is_winding_consistent:
        trimesh.repair.fix_normals(mesh, multibody=True)  # type: ignore[no-untyped-call]
        notes.append("Some triangles were turned inside out; they were turned back.")
        if not mesh.is_winding_consistent:
            raise InputError(f"{where}: some triangles are inside out and cannot be turned back; export it anew.")
    triangles = np.asarray(mesh.triangles, dtype=np.float64)
    solid = Solid(triangles, (0.0, 0.0))
    if solid.capacity_m3 < 0.0:
        triangles = triangles[:, ::-1]
        notes.append("The mesh was inside out and was turned.")
    solid = Solid(triangles, plan_centre_m([triangles]))
    if solid.capacity_m3 < 1e-7:
        raise InputError(f"{where}: encloses no volume; export the inside of the pan as a closed solid.")
    litres = 1000.0 * solid.capacity_m3
    if not 0.5 <= litres <= 60.0:
        notes.append(f"It holds {litres:.3g} L, which is unusual for a pan: is it drawn in {unit}?")
    return solid, tuple(notes)


def _holes(mesh: object) -> str:
    """How much of its edge is open, and where."""
    edges = np.sort(np.asarray(mesh.edges), axis=1)  # type: ignore[attr-defined]
    found, count = np.unique(edges, axis=0, return_counts=True)
    lone = found[count != 2]
    middle = np.asarray(mesh.vertices)[lone].mean(axis=(0, 1)) * 1000.0  # type: ignore[attr-defined]
    x, y, z = (float(v) for v in middle)
    return f"{len(lone)} edges do not join two triangles, about x {x:.0f}, y {y:.0f}, z {z:.0f} mm"


def holds(solid: Solid, point_m: FloatArray) -> bool:
    """Whether a point lies inside: by the solid angle under which it sees the surface (Van Oosterom and Strackee)."""
    a, b, c = (solid.triangles[:, i] - point_m for i in range(3))
    la, lb, lc = (np.linalg.norm(v, axis=1) for v in (a, b, c))
    over = np.einsum("ij,ij->i", a, np.cross(b, c))
    under = (
        la * lb * lc
        + np.einsum("ij,ij->i", a, b) * lc
        + np.einsum("ij,ij->i", b, c) * la
        + np.einsum("ij,ij->i", c, a) * lb
    )
    return float(np.arctan2(over, under).sum() / (2.0 * np.pi)) > 0.5
