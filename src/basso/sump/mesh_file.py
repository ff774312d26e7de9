"""The inside of a pan as a closed triangle mesh: an STL file, text or binary, as every drawing program writes one."""

from __future__ import annotations

import io
from pathlib import Path
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from basso.errors import InputError
from basso.files import open_plain
from basso.sump.measured import plan_centre_m
from basso.sump.solid import Solid, times_round
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
    corners, faces = triangles_m.reshape(-1, 3)[first], faces[~thin]
    if len(faces) == 0:
        raise InputError(f"{where}: encloses no volume; export the inside of the pan as a closed solid.")
    loose = _loose_edges(faces)
    if len(loose) and not _cancel(corners, loose, size * 10.0 * _WELD):
        # Not closed as it is wound: with some of its triangles turned it may be.
        mesh = trimesh.Trimesh(corners, faces, process=False, validate=False)
        if not mesh.is_watertight:
            x, y, z = 1000.0 * corners[loose].mean(axis=(0, 1))
            raise InputError(
                f"{where}: is not closed: {len(loose)} edges do not join two triangles, about x {x:.0f}, y {y:.0f}, "
                f"z {z:.0f} mm; close it, the lid at the pan rail too."
            )
        trimesh.repair.fix_normals(mesh, multibody=True)  # type: ignore[no-untyped-call]
        notes.append("Some triangles were turned inside out; they were turned back.")
        faces = np.asarray(mesh.faces)
        if len(_loose_edges(faces)):
            raise InputError(f"{where}: some triangles are inside out and cannot be turned back; export it anew.")
    triangles = corners[faces]
    solid = Solid(triangles, (0.0, 0.0))
    if solid.capacity_m3 < 0.0:
        triangles = triangles[:, ::-1]
        notes.append("The mesh was inside out and was turned.")
    solid = Solid(triangles, plan_centre_m([triangles]))
    if solid.capacity_m3 < 1e-7:
        raise InputError(f"{where}: encloses no volume; export the inside of the pan as a closed solid.")
    if _is_in_itself(solid):
        raise InputError(f"{where}: parts of it lie in one another and would count twice; unite them into one solid.")
    litres = 1000.0 * solid.capacity_m3
    if not 0.5 <= litres <= 60.0:
        notes.append(f"It holds {litres:.3g} L, which is unusual for a pan: is it drawn in {unit}?")
    return solid, tuple(notes)


def _loose_edges(faces: NDArray[np.intp]) -> NDArray[np.intp]:
    """Edges, from corner to corner, that no triangle runs along the other way, shape (n, 2); closed: none."""
    ahead = np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]])
    way = np.where(ahead[:, 0] < ahead[:, 1], 1, -1)
    edges, index = np.unique(np.sort(ahead, axis=1), axis=0, return_inverse=True)
    left = np.bincount(index.ravel(), weights=way, minlength=len(edges)).round().astype(np.intp)
    loose = np.repeat(edges, np.abs(left), axis=0)
    back = np.repeat(left < 0, np.abs(left))
    loose[back] = loose[back][:, ::-1]
    return loose


def _cancel(corners_m: FloatArray, loose: NDArray[np.intp], near_m: float) -> bool:
    """Whether loose edges run over each other, there and back: where a corner lies on a longer edge they meet in parts
    only, and the surface is closed all the same."""
    start, end = corners_m[loose[:, 0]], corners_m[loose[:, 1]]
    along = end - start
    length = np.linalg.norm(along, axis=1)
    direction = along / length[:, None]
    # One of the two ways along a line is its own: the one whose first coordinate that is not 0 is over 0.
    leading = np.argmax(np.abs(direction) > 1e-6, axis=1)
    sign = np.sign(direction[np.arange(len(direction)), leading])
    direction *= sign[:, None]
    foot = start - np.einsum("ij,ij->i", start, direction)[:, None] * direction
    waiting = list(range(len(loose)))
    while waiting:
        first = waiting[0]
        close = np.linalg.norm(foot[waiting] - foot[first], axis=1) < near_m
        close &= np.linalg.norm(direction[waiting] - direction[first], axis=1) < 1e-4
        line = np.array(waiting)[close]
        waiting = [k for k, on_it in zip(waiting, close.tolist(), strict=True) if not on_it]
        a, b = (np.einsum("ij,j->i", v[line], direction[first]) for v in (start, end))
        # Everywhere along the line as many edges lead one way as the other.
        at = np.concatenate([a, b])
        step = np.concatenate([np.ones(len(a)), -np.ones(len(b))])
        order = np.argsort(at)
        at, run = at[order], np.cumsum(step[order])
        if np.any((run[:-1] != 0) & (np.diff(at) > near_m)):
            return False
    return True


def _is_in_itself(solid: Solid) -> bool:
    """Whether a point of it is enclosed twice, by a few hundred points spread evenly (a fixed sequence)."""
    corners = solid.triangles.reshape(-1, 3)
    count = int(np.clip(4_000_000 // len(solid.triangles), 20, 400))
    steps = (0.8191725134, 0.6710436067, 0.5497004779)  # evenly spread in three dimensions (Roberts' sequence)
    spread = np.mod(0.5 + np.outer(np.arange(1, count + 1), steps), 1.0)
    points = corners.min(axis=0) + spread * np.ptp(corners, axis=0)
    return any(times_round(solid, p) > 1.5 for p in points)
