"""A pan as it was measured: bays, pickup, walls with openings, plates, crank sweep, stick. Metres."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from basso.sump.solid import Solid, prism
from basso.units import FloatArray

Axis = Literal["along", "across"]
Gasket = Literal["out", "free", "pressed"]


@dataclass(frozen=True, slots=True, eq=False)
class Bay:
    """A part of the pan with upright sides. A step in the floor is two bays without a wall between them.

    Attributes:
        name: what it is called.
        outline_m: corners (x, y) seen from above, counter-clockwise, shape (n, 2).
        floor_m, roof_m: height of floor and roof at each corner, shape (n,): both flat, the floor may slope.
    """

    name: str
    outline_m: FloatArray
    floor_m: FloatArray
    roof_m: FloatArray


@dataclass(frozen=True, slots=True)
class Pickup:
    """The pickup's mouth.

    Attributes:
        middle_m: its middle (x, y, z).
        radius_m: of the mouth; ``nose_up_deg``, ``left_up_deg``: how it is tilted.
    """

    middle_m: tuple[float, float, float]
    radius_m: float = 0.015
    nose_up_deg: float = 0.0
    left_up_deg: float = 0.0

    @property
    def rim_over_middle_m(self) -> float:
        """How far the highest point of the rim stands over the middle: there the mouth begins to draw air."""
        slope = np.hypot(np.tan(np.radians(self.nose_up_deg)), np.tan(np.radians(self.left_up_deg)))
        return float(self.radius_m * np.sin(np.arctan(slope)))


@dataclass(frozen=True, slots=True)
class Opening:
    """A way through a wall.

    Attributes:
        low_m, high_m: between which heights; ``width_m``: how wide.
        to_bay: the only bay oil can pass to, through a door; "" where it passes both ways.
    """

    low_m: float
    high_m: float
    width_m: float
    to_bay: str = ""


@dataclass(frozen=True, slots=True)
class Wall:
    """Between two bays, from floor to roof but for its openings."""

    between: tuple[str, str]
    openings: tuple[Opening, ...] = ()


@dataclass(frozen=True, slots=True)
class Hole:
    """A round hole in a plate: its middle seen from above, and its radius."""

    x_m: float
    y_m: float
    radius_m: float


@dataclass(frozen=True, slots=True, eq=False)
class Plate:
    """A level plate in a bay (a baffle).

    Attributes:
        height_m: of its underside.
        closed: the share of the area it covers that it closes, 0 to 1; where holes are given they count instead.
        outline_m: what it covers, corners (x, y) seen from above, shape (n, 2); None where it covers the whole bay.
        holes: where they are known.
    """

    bay: str
    height_m: float
    closed: float = 0.75
    outline_m: FloatArray | None = None
    holes: tuple[Hole, ...] = ()


@dataclass(frozen=True, slots=True, eq=False)
class MeasuredPan:
    """A pan.

    Attributes:
        name: what it is called.
        bays: at least one; they do not overlap.
        pickup: its mouth; None where it was not measured.
        axis: which way the crank lies in the car: "along" it, or "across" with the pan's own front to the car's left.
        lean_left_deg, nose_up_deg: how the engine is tilted in the car.
        fill_l: oil in the pan at rest, engine stopped; None where nobody said.
        away_l: how much of it is up in the engine when it runs at racing speed.
        sweep_m: height of the lowest point the crank and rods sweep; None where it was not measured.
        full_mark_m: height at which the stick shows full; None where it was not measured.
        pump_m3_per_rev: what the pump delivers for a turn of the crank; None where nobody said.
        gasket_free_m, gasket_pressed_m: how thick the rail's gasket is, loose and tightened; None where not measured.
        gasket_as_measured: how it was in when the pickup's height over the floor was taken: "out", "free", "pressed".
    """

    name: str
    bays: tuple[Bay, ...]
    pickup: Pickup | None = None
    walls: tuple[Wall, ...] = ()
    plates: tuple[Plate, ...] = field(default=())
    axis: Axis = "along"
    lean_left_deg: float = 0.0
    nose_up_deg: float = 0.0
    fill_l: float | None = None
    away_l: float = 0.0
    sweep_m: float | None = None
    full_mark_m: float | None = None
    pump_m3_per_rev: float | None = None
    gasket_free_m: float | None = None
    gasket_pressed_m: float | None = None
    gasket_as_measured: Gasket = "pressed"

    @property
    def gasket_lift_m(self) -> float:
        """By how much higher the pickup stands over the floor with the pan tightened than it was measured: the pickup
        hangs on the block, and the gasket holds the pan away from it. 0 where the gasket was not measured."""
        then = {"out": 0.0, "free": self.gasket_free_m, "pressed": self.gasket_pressed_m}[self.gasket_as_measured]
        if self.gasket_pressed_m is None or then is None:
            return 0.0
        return self.gasket_pressed_m - then

    def rotation(self) -> FloatArray:
        """From the pan's own axes to the car's, shape (3, 3): laid along or across, then nose up, then leaned."""
        turn = np.radians(90.0 if self.axis == "across" else 0.0)
        nose, lean = np.radians(self.nose_up_deg), np.radians(self.lean_left_deg)
        yaw = np.array([[np.cos(turn), -np.sin(turn), 0.0], [np.sin(turn), np.cos(turn), 0.0], [0.0, 0.0, 1.0]])
        # About y (left) a turn that lifts the nose is negative; about x (forward) one that lowers the left side too.
        pitch = np.array([[np.cos(nose), 0.0, -np.sin(nose)], [0.0, 1.0, 0.0], [np.sin(nose), 0.0, np.cos(nose)]])
        roll = np.array([[1.0, 0.0, 0.0], [0.0, np.cos(lean), np.sin(lean)], [0.0, -np.sin(lean), np.cos(lean)]])
        made: FloatArray = roll @ pitch @ yaw
        return made

    @property
    def is_level(self) -> bool:
        """Whether the engine stands upright in the car."""
        return self.lean_left_deg == 0.0 and self.nose_up_deg == 0.0


def solid_of(pan: MeasuredPan) -> Solid:
    """The inside of all bays together, in the car's axes."""
    parts = [prism(b.outline_m, b.floor_m, b.roof_m) for b in pan.bays]
    rotation = pan.rotation()
    turned = [p @ rotation.T for p in parts]
    return Solid(np.concatenate(turned), plan_centre_m(turned))


def pickup_in_car_m(pan: MeasuredPan) -> FloatArray | None:
    """The middle of the pickup's mouth in the car's axes with the pan tightened, shape (3,); None where it was not
    measured."""
    if pan.pickup is None:
        return None
    x, y, z = pan.pickup.middle_m
    where: FloatArray = pan.rotation() @ np.array([x, y, z + pan.gasket_lift_m])
    return where


def plan_centre_m(parts: list[FloatArray]) -> tuple[float, float]:
    """The centre of the area of the outline of closed surfaces seen from above.

    Args:
        parts: triangles of each, shape (n, 3, 3).
    """
    import shapely

    seen_from_above = []
    for triangles in parts:
        plan = triangles[:, :, :2]
        a, b, c = (plan[:, i] for i in range(3))
        twice = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
        # What is seen from above: every column of the inside has a face that looks up.
        seen_from_above.append(plan[twice > 1e-14])
    outline = shapely.union_all(shapely.polygons(np.concatenate(seen_from_above)))
    return float(outline.centroid.x), float(outline.centroid.y)
