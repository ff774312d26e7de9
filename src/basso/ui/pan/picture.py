"""The pan at the cursor, worked out without Qt: the exact tilted oil seen from behind, from the side and from above."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from basso.sump.in_time import OilMoment
from basso.sump.sections import Drawing, Polygon, oil_at, oil_in

ASSUMED_VOLUME_L = 3.6
"""What a pan that was not measured is drawn with while the engine runs."""


@dataclass(frozen=True, slots=True)
class PanPicture:
    """The oil in a pan as it is drawn, and what it means.

    Attributes:
        behind: oil in the cut across the pickup, seen from behind, one polygon for each bay: points (left, up).
        side: oil in the cut along the pickup, seen from the left: points (forward, up).
        above: the part of each bay's floor under oil: points (forward, left).
        head_m: oil over the pickup's mouth, negative when bare; None where it is not known where that is.
        throw: size and direction (x forward, y left) of the oil's throw, g.
        volume_l: oil in it.
        in_time: whether the calibrated flow model has it there; else it is at rest under a steady g.
    """

    behind: tuple[Polygon, ...]
    side: tuple[Polygon, ...]
    above: tuple[Polygon, ...]
    head_m: float | None
    throw: tuple[float, float]
    volume_l: float
    in_time: bool = False

    @property
    def covered(self) -> bool:
        """True while the pickup's mouth is under oil."""
        return self.head_m is None or self.head_m >= 0

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


def pan_picture(drawing: Drawing, volume_l: float, ax_g: float, ay_g: float) -> PanPicture:
    """The oil at rest under a steady acceleration (ax forward, ay left)."""
    oil = oil_in(drawing, volume_l / 1000.0, ax_g, ay_g)
    return PanPicture(oil.behind, oil.side, oil.above, oil.head_m, (-ax_g, -ay_g), volume_l)


def flowing_picture(drawing: Drawing, moment: OilMoment) -> PanPicture:
    """The oil where the calibrated flow model has it."""
    oil = oil_at(drawing, moment)
    volume_l = 1000.0 * moment.volume_m3
    return PanPicture(oil.behind, oil.side, oil.above, oil.head_m, (-moment.ax_g, -moment.ay_g), volume_l, True)
