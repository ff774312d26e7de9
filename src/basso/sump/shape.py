"""The pan's shape. A plain box for now: floor rectangle, depth, and the pickup in it."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class BoxPan:
    """A box-shaped pan in the vehicle's axes (x forward, y left, z up), metres, origin at the floor's middle.

    Attributes:
        length_m: along x.
        width_m: along y.
        depth_m: from floor to rail.
        pickup_m: the pickup's mouth (x, y, z).
    """

    length_m: float
    width_m: float
    depth_m: float
    pickup_m: tuple[float, float, float]

    @property
    def capacity_l(self) -> float:
        """Volume up to the rail, litres."""
        return self.length_m * self.width_m * self.depth_m * 1000.0


PLAIN_BOX = BoxPan(0.26, 0.20, 0.16, (-0.03, 0.042, 0.008))
"""The pan of a car of which none was measured, and of the stand-in; its pickup stands to the left and behind the
middle."""
