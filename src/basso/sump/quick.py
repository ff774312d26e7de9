"""A pan from a few tape measurements: the usual shapes, enough for a first answer."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType

import numpy as np

from basso.sump.measured import Axis, Bay, MeasuredPan, Pickup


@dataclass(frozen=True, slots=True)
class Measure:
    """Something to measure: its key, what it is called, where the tape goes, a usual value (default), mm or L."""

    key: str
    name: str
    hint: str
    usual: float
    unit: str = "mm"


_BOX = (
    Measure("length", "Box, length", "inside, along the crank", 260.0),
    Measure("width", "Box, width", "inside, across the crank", 200.0),
    Measure("depth", "Box, depth", "from the pan rail, gasket in, to the floor", 160.0),
)
_PICKUP = (
    Measure("forward", "Pickup, forward", "from the box's middle; back is negative", 0.0),
    Measure("left", "Pickup, left", "from the box's middle; right is negative", 0.0),
    Measure("over", "Pickup, over the floor", "of the mouth's middle; 3 to 10 mm is usual", 8.0),
)
_OIL = (
    Measure("fill", "Oil in the pan", "engine stopped, at the mark you run", 4.0, "L"),
    Measure("away", "Of that up in the engine", "at racing speed: about 0.5 to 1 L", 0.7, "L"),
    Measure("sweep", "Crank sweep", "over the floor; 0: not measured", 0.0),
)
_SHELF = (
    Measure("shelf_length", "Shelf, length", "along the crank, where the pan is shallow", 200.0),
    Measure("shelf_depth", "Shelf, depth", "from the pan rail to its floor", 60.0),
)
_WING = (
    Measure("wing_width", "Wing, width", "across the crank, beside the box", 80.0),
    Measure("wing_depth", "Wing, depth", "from the pan rail to its floor", 50.0),
)
KINDS: Mapping[str, tuple[str, tuple[Measure, ...]]] = MappingProxyType(
    {
        "box": ("Plain box", (*_BOX, *_PICKUP, *_OIL)),
        "rear": ("Deep box at the back, shallow shelf in front", (*_BOX, *_SHELF, *_PICKUP, *_OIL)),
        "front": ("Deep box in front, shallow shelf at the back", (*_BOX, *_SHELF, *_PICKUP, *_OIL)),
        "wings": ("Box with a wing on each side", (*_BOX, *_WING, *_PICKUP, *_OIL)),
        "left wing": ("Box with a wing on the left", (*_BOX, *_WING, *_PICKUP, *_OIL)),
        "right wing": ("Box with a wing on the right", (*_BOX, *_WING, *_PICKUP, *_OIL)),
    }
)
"""The usual shapes: what each is called, and what is to be measured, in the order of the work."""


def pan_from(kind: str, values: Mapping[str, float], axis: Axis = "along", name: str = "") -> MeasuredPan:
    """A pan of one of :data:`KINDS` from its measurements (mm and L by :attr:`Measure.key`).

    Raises:
        KeyError: the kind or a measurement is not known.
    """
    title, measures = KINDS[kind]
    v = {m.key: values[m.key] / (1.0 if m.unit == "L" else 1000.0) for m in measures}
    half_x, half_y, depth = v["length"] / 2, v["width"] / 2, v["depth"]

    def bay(called: str, x0: float, x1: float, y0: float, y1: float, floor: float) -> Bay:
        outline = np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]])
        return Bay(called, outline, np.full(4, floor), np.full(4, depth))

    bays = [bay("box", -half_x, half_x, -half_y, half_y, 0.0)]
    if kind in ("front", "rear"):
        shelf = v["shelf_length"]
        x0, x1 = (half_x, half_x + shelf) if kind == "rear" else (-half_x - shelf, -half_x)
        bays.append(bay("shelf", x0, x1, -half_y, half_y, depth - v["shelf_depth"]))
    if "wing" in kind:
        wing = v["wing_width"]
        floor = depth - v["wing_depth"]
        if kind != "right wing":
            bays.append(bay("left wing", -half_x, half_x, half_y, half_y + wing, floor))
        if kind != "left wing":
            bays.append(bay("right wing", -half_x, half_x, -half_y - wing, -half_y, floor))
    return MeasuredPan(
        name=name or title,
        bays=tuple(bays),
        pickup=Pickup((v["forward"], v["left"], v["over"])),
        axis=axis,
        fill_l=v["fill"],
        away_l=v["away"],
        sweep_m=v["sweep"] if v["sweep"] > 0.0 else None,
    )
