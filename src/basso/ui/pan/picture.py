"""The pan at the cursor, worked out without Qt: the exact tilted oil seen from behind, from the side and from above."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from basso.sump.shape import BoxPan
from basso.sump.surface import head_at, height_at, oil_outline, surface_offset_at, wetted_section

ASSUMED_VOLUME_L = 3.6
"""What such a pan holds while the engine runs: the fill less what the head and galleries hold up."""

Polygon = list[tuple[float, float]]


@dataclass(frozen=True, slots=True)
class PanPicture:
    """Outlines in metres and what they mean.

    Attributes:
        behind: oil in the cut across the pickup, seen from behind: (left… → −y … y), points (across, up).
        side: oil in the cut along the pickup, seen from the left: points (forward, up).
        above: the part of the floor under oil: points (forward, left).
        head_m: oil over the pickup's mouth, negative when bare.
        throw_g, throw: size and direction (x forward, y left) of the oil's throw.
    """

    behind: Polygon
    side: Polygon
    above: Polygon
    head_m: float
    throw: tuple[float, float]

    @property
    def covered(self) -> bool:
        """True while the pickup's mouth is under oil."""
        return self.head_m >= 0

    @property
    def tilt_deg(self) -> float:
        """Tilt of the oil's surface against level: true for a pan of any shape."""
        return float(np.degrees(np.arctan(self.throw_g)))

    @property
    def way(self) -> str:
        """Where the oil stands, in a word or two."""
        x, y = self.throw
        if self.throw_g < 0.08:
            return "level"
        words = []
        if abs(y) > 0.4 * self.throw_g:
            words.append("left" if y > 0 else "right")
        if abs(x) > 0.4 * self.throw_g:
            words.append("front" if x > 0 else "back")
        return " and ".join(words)

    @property
    def throw_g(self) -> float:
        """Size of the throw in g."""
        return float(np.hypot(*self.throw))


def pan_picture(pan: BoxPan, volume_l: float, ax_g: float, ay_g: float) -> PanPicture:
    """The oil at rest under a steady acceleration (ax forward, ay left)."""
    ax, ay = np.array(ax_g), np.array(ay_g)
    offset = surface_offset_at(pan, volume_l, ax_g, ay_g)
    x, y, _ = pan.pickup_m
    across = float(height_at(np.array(offset), ax, np.array(0.0), x, 0.0))
    along = float(height_at(np.array(offset), np.array(0.0), ay, 0.0, y))
    return PanPicture(
        behind=oil_outline(pan, across, ay_g, pan.width_m / 2),
        side=oil_outline(pan, along, ax_g, pan.length_m / 2),
        above=wetted_section(pan, offset, ax_g, ay_g),
        head_m=float(head_at(pan, np.array(offset), ax, ay)),
        throw=(-ax_g, -ay_g),
    )
