"""Where the oil stands in a measured pan at a steady g, how deep the pickup is in it, and which g uncovers it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from basso.sump.solid import Solid, surface_height_m, up_of, volume_under_m3
from basso.units import FloatArray

MOST_G = 2.5
"""Up to here the g is looked for at which the pickup comes uncovered."""
DIRECTIONS_DEG = tuple(range(0, 360, 15))
"""Of the vehicle's acceleration: 0 forward, 90 to the left."""
_STEPS_G = ((4_000, 0.025), (40_000, 0.1))
"""Up to so many triangles the g is looked for in such steps; with more, in coarse ones."""
_COARSE_STEP_G = 0.25
_HALVINGS = 16


@dataclass(frozen=True, slots=True)
class Standing:
    """Oil at rest in a pan under a steady g.

    Attributes:
        level_m: the surface over the pan's lowest point, straight above the centre of the plan.
        head_m: oil over the middle of the pickup's mouth, along the effective gravity; below 0: uncovered.
    """

    level_m: float
    head_m: float

    @property
    def is_covered(self) -> bool:
        """Whether the middle of the pickup's mouth is under oil."""
        return self.head_m > 0.0


def stand(solid: Solid, pickup_m: FloatArray, volume_m3: float, ax_g: float = 0.0, ay_g: float = 0.0) -> Standing:
    """Where a volume stands; ``pickup_m``: the middle of the mouth, shape (3,)."""
    up = up_of(np.array([ax_g]), np.array([ay_g]))
    height = float(surface_height_m(solid, up, volume_m3)[0])
    (x, y), n = solid.plan_centre_m, up[0]
    level = (height - n[0] * x - n[1] * y) / n[2] - solid.lowest_m
    return Standing(float(level), height - float(n @ pickup_m))


def uncover_g(
    solid: Solid, pickup_m: FloatArray, volume_m3: float, directions_deg: FloatArray | None = None
) -> FloatArray:
    """The steady g at which the pickup first comes uncovered, for each direction of the vehicle's acceleration; inf
    where it does not up to :data:`MOST_G`, 0 where it is uncovered at rest.

    The mouth is bare where the plane through it that is square to the effective gravity holds as much as there is:
    each g needs one volume, and no surface has to be looked for. Shape (k,), as ``directions_deg``.
    """
    toward = np.radians(np.array(DIRECTIONS_DEG, dtype=np.float64) if directions_deg is None else directions_deg)
    ways = np.column_stack([np.cos(toward), np.sin(toward)])

    def spare(way: FloatArray, g: FloatArray) -> FloatArray:
        """Oil over the plane through the mouth, m³: not over 0 where the mouth is bare."""
        up = up_of(way[:, 0] * g, way[:, 1] * g)
        return volume_m3 - volume_under_m3(solid, up, up @ pickup_m)

    step = next((s for most, s in _STEPS_G if solid.triangles.shape[0] <= most), _COARSE_STEP_G)
    grid = np.linspace(0.0, MOST_G, round(MOST_G / step) + 1)
    at = np.tile(grid, len(ways))
    bare = (spare(np.repeat(ways, grid.size, axis=0), at) <= 0.0).reshape(len(ways), grid.size)
    first = np.where(bare.any(axis=1), bare.argmax(axis=1), -1)
    found = np.where(first == 0, 0.0, np.inf)
    some = np.flatnonzero(first > 0)
    low, high = grid[first[some] - 1], grid[first[some]]
    for _ in range(_HALVINGS):
        middle = 0.5 * (low + high)
        is_bare = spare(ways[some], middle) <= 0.0
        low, high = np.where(is_bare, low, middle), np.where(is_bare, middle, high)
    found[some] = 0.5 * (low + high)
    return found
