"""Pans that several tests share."""

from __future__ import annotations

import numpy as np

from basso.sump.measured import Bay, MeasuredPan, Opening, Pickup, Wall


def bay(name: str, x0: float, x1: float, floor: float = 0.0, roof: float = 0.16) -> Bay:
    outline = np.array([[x0, -0.1], [x1, -0.1], [x1, 0.1], [x0, 0.1]])
    return Bay(name, outline, np.full(4, floor), np.full(4, roof))


BOX = MeasuredPan("Box", (bay("box", -0.13, 0.13),), Pickup((-0.03, 0.042, 0.008)))
TWO = MeasuredPan(
    "Two",
    (bay("back", -0.13, 0.0), bay("front", 0.0, 0.13)),
    Pickup((0.06, 0.0, 0.008)),
    walls=(Wall(("back", "front"), (Opening(0.0, 0.03, 0.06, "front"),)),),
)
