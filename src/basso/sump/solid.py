"""The inside of a pan as a closed surface of triangles, and the exact volume under any plane in it.

With outward normals N and heights h = n·x along a unit vector n, the field F = (h − c)·n has divergence 1 and vanishes
on the plane h = c; so the volume under that plane is the flux of F through the part of the surface below it (divergence
theorem), and the free surface itself need not be built: V(c) = −Σ (n·N) A ⟨(c − h)₊⟩ over the triangles, where
⟨(c − h)₊⟩, the mean over a triangle, is a closed cubic in c. Exact for any closed surface: not convex, stepped, with
islands, of one body or several, with the plane through floor, walls or lid.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from basso.units import FloatArray

_AT_ONCE = 1_500_000
"""Triangles times planes that are worked out together: more would not fit into the processor's cache."""
_HALVINGS = 52


@dataclass(frozen=True, eq=False)
class Solid:
    """A closed surface, metres, in the vehicle's axes (x forward, y left, z up).

    Attributes:
        triangles: corners counter-clockwise seen from outside, shape (n, 3, 3).
        plan_centre_m: the centre (x, y) of the area of the outline seen from above.
    """

    triangles: FloatArray
    plan_centre_m: tuple[float, float]

    @cached_property
    def area_vectors(self) -> FloatArray:
        """Outward, as long as the triangle is large (m²), shape (n, 3)."""
        a, b, c = (self.triangles[:, i] for i in range(3))
        vectors: FloatArray = 0.5 * np.cross(b - a, c - a)
        return vectors

    @cached_property
    def capacity_m3(self) -> float:
        """What the whole of it holds; below 0 where it is inside out."""
        return float(np.einsum("ij,ij->", self.area_vectors, self.triangles.mean(axis=1))) / 3.0

    @cached_property
    def lowest_m(self) -> float:
        """Height of its lowest point."""
        return float(self.triangles[:, :, 2].min())

    @cached_property
    def highest_m(self) -> float:
        """Height of its highest point."""
        return float(self.triangles[:, :, 2].max())

    def moved(self, rotation: FloatArray, shift_m: FloatArray | None = None) -> Solid:
        """The same, turned by a rotation of shape (3, 3) and then moved.

        The centre of the plan is turned with it as a point of the floor: exact for a turn about the vertical.
        """
        shift = np.zeros(3) if shift_m is None else shift_m
        x, y = self.plan_centre_m
        centre = rotation @ np.array([x, y, self.lowest_m]) + shift
        return Solid(self.triangles @ rotation.T + shift, (float(centre[0]), float(centre[1])))


def up_of(ax_g: FloatArray | float, ay_g: FloatArray | float) -> FloatArray:
    """The unit vector that is up for the oil, of shape (…, 3): against gravity and the vehicle's acceleration together.

    With the vehicle accelerating by (ax forward, ay to the left) the oil feels (−ax, −ay, −1) g, and its surface at
    rest is square to that (hydrostatics in an accelerating frame: White, *Fluid Mechanics*, ch. 2).
    """
    ax, ay = np.broadcast_arrays(np.asarray(ax_g, dtype=np.float64), np.asarray(ay_g, dtype=np.float64))
    up = np.stack([ax, ay, np.ones(ax.shape)], axis=-1)
    length: FloatArray = np.linalg.norm(up, axis=-1, keepdims=True)
    return up / length


def volume_under_m3(solid: Solid, up: FloatArray, height_m: FloatArray) -> FloatArray:
    """What of a solid lies under planes, m³, shape (k,).

    Args:
        up: unit vectors, shape (k, 3); ``height_m``: how high along it each plane stands, shape (k,).
    """
    n = solid.triangles.shape[0]
    each = max(1, _AT_ONCE // max(n, 1))
    made = np.empty(height_m.shape)
    for at in range(0, height_m.size, each):
        part = slice(at, at + each)
        made[part] = _volume_under(solid, up[part], height_m[part])
    return made


def _volume_under(solid: Solid, up: FloatArray, height_m: FloatArray) -> FloatArray:
    h0, h1, h2 = (solid.triangles[:, i] @ up.T for i in range(3))
    low, high = np.minimum(np.minimum(h0, h1), h2), np.maximum(np.maximum(h0, h1), h2)
    h0 += h1
    h0 += h2
    mean = np.maximum(height_m - h0 / 3.0, 0.0)
    mean[height_m < high] = 0.0
    # Few triangles lie across a plane: only these need the cubic.
    of, at = np.nonzero((height_m > low) & (height_m < high))
    c, a, b = height_m[at], low[of, at], high[of, at]
    m = h0[of, at] - a - b
    upper = c > m
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        # Ratios that are at most 1 where they are used: no triangle is too flat for them.
        mean[of, at] = np.where(
            upper,
            c - (a + m + b) / 3.0 + (b - c) / (b - m) * (b - c) ** 2 / (3.0 * (b - a)),
            (c - a) / (m - a) * (c - a) ** 2 / (3.0 * (b - a)),
        )
    under: FloatArray = -np.einsum("ij,ij->j", solid.area_vectors @ up.T, mean)
    return under


def surface_height_m(solid: Solid, up: FloatArray, volume_m3: FloatArray | float) -> FloatArray:
    """How high along ``up`` (unit vectors, shape (k, 3)) the free surface stands that holds a volume, m, shape (k,).

    By halving, to a billionth of the pan's height. Less than nothing counts as empty, more than it holds as full.
    """
    heights = solid.triangles.reshape(-1, 3) @ up.T
    low, high = heights.min(axis=0), heights.max(axis=0)
    wanted = np.broadcast_to(np.clip(volume_m3, 0.0, solid.capacity_m3), low.shape)
    for _ in range(_HALVINGS):
        middle = 0.5 * (low + high)
        short = volume_under_m3(solid, up, middle) < wanted
        low, high = np.where(short, middle, low), np.where(short, high, middle)
    standing: FloatArray = 0.5 * (low + high)
    return standing


def holds(solid: Solid, point_m: FloatArray) -> bool:
    """Whether a point lies inside: by the solid angle under which it sees the surface (Van Oosterom and Strackee)."""
    return times_round(solid, point_m) > 0.5


def times_round(solid: Solid, point_m: FloatArray) -> float:
    """How many times the surface goes round a point."""
    a, b, c = (solid.triangles[:, i] - point_m for i in range(3))
    la, lb, lc = (np.linalg.norm(v, axis=1) for v in (a, b, c))
    over = np.einsum("ij,ij->i", a, np.cross(b, c))
    under = (
        la * lb * lc
        + np.einsum("ij,ij->i", a, b) * lc
        + np.einsum("ij,ij->i", b, c) * la
        + np.einsum("ij,ij->i", c, a) * lb
    )
    return float(np.arctan2(over, under).sum() / (2.0 * np.pi))


def prism(outline_m: FloatArray, floor_m: FloatArray, roof_m: FloatArray) -> FloatArray:
    """The closed surface of an upright prism, as triangles of shape (n, 3, 3).

    Args:
        outline_m: corners (x, y) counter-clockwise seen from above, shape (m, 2).
        floor_m, roof_m: height of the floor and of the roof at each corner, shape (m,); both flat faces.
    """
    floor, roof = np.column_stack([outline_m, floor_m]), np.column_stack([outline_m, roof_m])
    ahead_floor, ahead_roof = np.roll(floor, -1, axis=0), np.roll(roof, -1, axis=0)
    sides = np.concatenate(
        [np.stack([floor, ahead_floor, ahead_roof], axis=1), np.stack([floor, ahead_roof, roof], axis=1)]
    )
    flat = _triangulated(outline_m)
    return np.concatenate([sides, roof[flat], floor[flat[:, ::-1]]])


def _triangulated(outline_m: FloatArray) -> NDArray[np.intp]:
    """A simple polygon, counter-clockwise, as triangles of its own corners, shape (n − 2, 3)."""
    ahead, behind = np.roll(outline_m, -1, axis=0) - outline_m, outline_m - np.roll(outline_m, 1, axis=0)
    if np.all(behind[:, 0] * ahead[:, 1] - behind[:, 1] * ahead[:, 0] >= 0.0):  # convex: a fan will do
        inner = np.arange(1, len(outline_m) - 1)
        return np.column_stack([np.zeros_like(inner), inner, inner + 1])
    import shapely

    made = shapely.get_parts(shapely.constrained_delaunay_triangles(shapely.polygons(outline_m)))
    corners = np.array([shapely.get_coordinates(t)[:3] for t in made])
    index: NDArray[np.intp] = np.argmin(np.linalg.norm(corners[:, :, None, :] - outline_m[None, None], axis=3), axis=2)
    a, b, c = (outline_m[index[:, i]] for i in range(3))
    turned = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) < (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    index[turned] = index[turned][:, ::-1]
    return index
