"""A measured pan as it is drawn: seen from above, and in two upright cuts through the pickup; and the oil in each.

All in the car's axes: a leaned engine is drawn leaned. Lengths in metres.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from basso.sump.compartments import SurfaceTable, pieces_of, surface_table
from basso.sump.in_time import OilMoment
from basso.sump.measured import MeasuredPan, Plate, pickup_in_car_m, solid_of
from basso.sump.shape import BoxPan
from basso.units import FloatArray

Polygon = list[tuple[float, float]]


@dataclass(frozen=True, slots=True)
class PlateLine:
    """A plate in a cut: from ``start`` to ``end``, each (across, up)."""

    start: tuple[float, float]
    end: tuple[float, float]


@dataclass(frozen=True, slots=True)
class DoorMark:
    """An opening seen from above: where it is, which way oil passes (x, y; (0, 0) both ways), and how wide it is."""

    at: tuple[float, float]
    way: tuple[float, float]
    width_m: float


@dataclass(frozen=True, slots=True)
class Room:
    """A piece of a pan whose oil has one surface with the rest of its compartment.

    Attributes:
        compartment: which it is of; ``floor_m``: its floor, taken as level.
        above, behind, side: as in :class:`Drawing`.
    """

    compartment: int
    floor_m: float
    above: Polygon
    behind: tuple[Polygon, ...]
    side: tuple[Polygon, ...]


@dataclass(frozen=True, eq=False)
class Drawing:
    """What is drawn of a pan, whatever oil is in it.

    Attributes:
        pan: it is of.
        above: each bay's outline (x forward, y left); ``names``: what the bays are called.
        behind: each bay in the cut across the car through the pickup: (left, up); ``side``: along it: (forward, up).
        plates_above, plates_behind, plates_side: where plates are.
        doors: openings, from above.
        pickup: its mouth (x, y, z); None where it was not measured.
        low_m, high_m: from the lowest point to the highest.
    """

    pan: MeasuredPan
    above: tuple[Polygon, ...]
    names: tuple[str, ...]
    behind: tuple[Polygon, ...]
    side: tuple[Polygon, ...]
    plates_above: tuple[Polygon, ...]
    plates_behind: tuple[PlateLine, ...]
    plates_side: tuple[PlateLine, ...]
    doors: tuple[DoorMark, ...]
    pickup: tuple[float, float, float] | None
    low_m: float
    high_m: float

    @cached_property
    def table(self) -> SurfaceTable:
        """Where the surface stands, the pan taken as one."""
        return surface_table(solid_of(self.pan))

    @cached_property
    def rooms(self) -> tuple[Room, ...]:
        """The pan cut at its walls and plates."""
        rotation, through = self.pan.rotation(), _through(self.pan)
        pieces, of_piece = pieces_of(self.pan)
        return tuple(
            Room(
                compartment=k,
                floor_m=float(b.floor_m.mean()),
                above=_turned(rotation, b.outline_m, float(b.floor_m.mean())),
                behind=tuple(_cuts(rotation, b.outline_m, b.floor_m, b.roof_m, 0, through)),
                side=tuple(_cuts(rotation, b.outline_m, b.floor_m, b.roof_m, 1, through)),
            )
            for b, k in zip((p.bay for p in pieces), of_piece, strict=True)
        )

    @cached_property
    def extent(self) -> tuple[float, float, float, float]:
        """Least and most x, least and most y."""
        points = np.array([p for outline in self.above for p in outline])
        (x0, y0), (x1, y1) = points.min(axis=0), points.max(axis=0)
        return float(x0), float(x1), float(y0), float(y1)


@dataclass(frozen=True, slots=True)
class DrawnOil:
    """The oil in a drawing at one g.

    Attributes:
        above: what of each bay's floor plan is under oil; ``behind``, ``side``: the oil in the cuts.
        head_m: over the pickup's mouth, below 0: uncovered; None without a pickup.
    """

    above: tuple[Polygon, ...]
    behind: tuple[Polygon, ...]
    side: tuple[Polygon, ...]
    head_m: float | None


def pan_of_box(box: BoxPan) -> MeasuredPan:
    """A plain box as a measured pan."""
    from basso.sump.measured import Bay, Pickup

    half_x, half_y = box.length_m / 2, box.width_m / 2
    outline = np.array([[-half_x, -half_y], [half_x, -half_y], [half_x, half_y], [-half_x, half_y]])
    bay = Bay("box", outline, np.zeros(4), np.full(4, box.depth_m))
    return MeasuredPan("Plain box", (bay,), Pickup(box.pickup_m))


def drawing_of(pan: MeasuredPan) -> Drawing:
    """Work out everything that does not hang on the oil."""
    rotation = pan.rotation()
    pickup = pickup_in_car_m(pan)
    through = _through(pan)
    mouth = (float(pickup[0]), float(pickup[1]), float(pickup[2])) if pickup is not None else None
    above = tuple(_turned(rotation, b.outline_m, float(b.floor_m.mean())) for b in pan.bays)
    behind, side = (tuple(cut for _, cut in cuts_by_bay(pan, axis)) for axis in (0, 1))
    plates = [(p, _covered(pan, p.bay, p.outline_m)) for p in pan.plates]
    solid = solid_of(pan)
    return Drawing(
        pan=pan,
        above=above,
        names=tuple(b.name for b in pan.bays),
        behind=behind,
        side=side,
        plates_above=tuple(_turned(rotation, outline, p.height_m) for p, outline in plates),
        plates_behind=_lines(rotation, plates, 0, through),
        plates_side=_lines(rotation, plates, 1, through),
        doors=_doors(pan),
        pickup=mouth,
        low_m=solid.lowest_m,
        high_m=solid.highest_m,
    )


def cuts_by_bay(pan: MeasuredPan, axis: int) -> list[tuple[int, Polygon]]:
    """What the upright cut through the pickup meets of each bay, with the bay's number: square to the car's axis 0
    (forward; points (left, up)) or 1 (left; (forward, up)); floor first, then roof back."""
    rotation, through = pan.rotation(), _through(pan)
    return [
        (n, cut)
        for n, b in enumerate(pan.bays)
        for cut in _cuts(rotation, b.outline_m, b.floor_m, b.roof_m, axis, through)
    ]


def oil_in(d: Drawing, volume_m3: float, ax_g: float, ay_g: float) -> DrawnOil:
    """The oil at rest under a steady acceleration (ax forward, ay left), in every view."""
    levels = d.table.by_volume(np.array([ax_g]), np.array([ay_g]))[0]
    share = min(max(volume_m3 / d.table.capacity_m3, 0.0), 1.0) * (levels.size - 1)
    k = min(int(share), levels.size - 2)
    z0 = float(levels[k]) + (share - k) * float(levels[k + 1] - levels[k])
    x, y, z = d.pickup if d.pickup is not None else (0.0, 0.0, 0.0)
    head = (z0 - ax_g * x - ay_g * y - z) / float(np.sqrt(1.0 + ax_g * ax_g + ay_g * ay_g))
    floors = [float(b.floor_m.mean()) for b in d.pan.bays]
    oil = [_under(z0, (ax_g, ay_g), (x, y), above, floor, (), ()) for above, floor in zip(d.above, floors, strict=True)]
    cuts = _under(z0, (ax_g, ay_g), (x, y), [], 0.0, d.behind, d.side)
    return DrawnOil(
        above=tuple(o.above[0] for o in oil),
        behind=cuts.behind,
        side=cuts.side,
        head_m=head if d.pickup is not None else None,
    )


def oil_at(d: Drawing, oil: OilMoment) -> DrawnOil:
    """The oil as the flow model has it, each compartment with a surface of its own."""
    x, y = d.pickup[:2] if d.pickup is not None else (0.0, 0.0)
    drawn = [
        _under(oil.z0_m[r.compartment], (oil.ax_g, oil.ay_g), (x, y), r.above, r.floor_m, r.behind, r.side)
        for r in d.rooms
    ]
    return DrawnOil(
        above=tuple(p for o in drawn for p in o.above),
        behind=tuple(p for o in drawn for p in o.behind),
        side=tuple(p for o in drawn for p in o.side),
        head_m=oil.head_m,
    )


def _under(
    z0: float,
    g: tuple[float, float],
    through: tuple[float, float],
    above: Polygon,
    floor_m: float,
    behind: Sequence[Polygon],
    side: Sequence[Polygon],
) -> DrawnOil:
    """What lies under the surface z0 − ax·x − ay·y: of a plan over its floor, and of cuts through a place (x, y)."""
    (ax, ay), (x, y) = g, through
    return DrawnOil(
        above=(clip_below(above, lambda px, py: z0 - ax * px - ay * py - floor_m),),
        behind=tuple(clip_below(cut, lambda py, up: z0 - ax * x - ay * py - up) for cut in behind),
        side=tuple(clip_below(cut, lambda px, up: z0 - ax * px - ay * y - up) for cut in side),
        head_m=None,
    )


def _through(pan: MeasuredPan) -> FloatArray:
    """Where the cuts go through: the pickup, else the middle; the car's axes."""
    pickup = pickup_in_car_m(pan)
    if pickup is not None:
        return pickup
    points = np.concatenate([b.outline_m for b in pan.bays]).mean(axis=0)
    made: FloatArray = pan.rotation() @ np.array([points[0], points[1], 0.0])
    return made


def _turned(rotation: FloatArray, outline_m: FloatArray, z_m: float) -> Polygon:
    points = np.column_stack([outline_m, np.full(len(outline_m), z_m)]) @ rotation.T
    return [(float(x), float(y)) for x, y in points[:, :2]]


def _covered(pan: MeasuredPan, bay: str, outline_m: FloatArray | None) -> FloatArray:
    return outline_m if outline_m is not None else next(b.outline_m for b in pan.bays if b.name == bay)


def _cuts(
    rotation: FloatArray, outline_m: FloatArray, floor_m: FloatArray, roof_m: FloatArray, axis: int, through: FloatArray
) -> list[Polygon]:
    """A bay in the upright cut through a point, square to the car's axis 0 (forward) or 1 (left)."""
    low = np.column_stack([outline_m, floor_m]) @ rotation.T
    high = np.column_stack([outline_m, roof_m]) @ rotation.T
    lows, highs = _crossings(low, axis, through[axis]), _crossings(high, axis, through[axis])
    made = []
    for a, b in zip(lows[::2], lows[1::2], strict=False):
        # Upright walls: the roof is met where the floor is, or nearly so in a leaned engine.
        c, d = _nearest(highs, a), _nearest(highs, b)
        made.append([a, b, d, c])
    return made


def _crossings(ring: FloatArray, axis: int, at: float) -> list[tuple[float, float]]:
    """Where a closed line in space crosses an upright plane: (along the other axis, height), in order."""
    other = 1 - axis
    found = []
    for p, q in zip(ring, np.roll(ring, -1, axis=0), strict=True):
        a, b = p[axis] - at, q[axis] - at
        if (a < 0.0) != (b < 0.0):
            t = a / (a - b)
            found.append((float(p[other] + t * (q[other] - p[other])), float(p[2] + t * (q[2] - p[2]))))
    return sorted(found)


def _nearest(points: list[tuple[float, float]], to: tuple[float, float]) -> tuple[float, float]:
    return min(points, key=lambda p: abs(p[0] - to[0])) if points else to


def _lines(
    rotation: FloatArray, plates: list[tuple[Plate, FloatArray]], axis: int, through: FloatArray
) -> tuple[PlateLine, ...]:
    made = []
    for plate, outline in plates:
        ring = np.column_stack([outline, np.full(len(outline), plate.height_m)]) @ rotation.T
        met = _crossings(ring, axis, through[axis])
        made += [PlateLine(a, b) for a, b in zip(met[::2], met[1::2], strict=False)]
    return tuple(made)


def _doors(pan: MeasuredPan) -> tuple[DoorMark, ...]:
    """Openings, where two bays meet."""
    import shapely

    rotation = pan.rotation()
    by_name = {b.name: shapely.Polygon(b.outline_m) for b in pan.bays}
    made = []
    for wall in pan.walls:
        first, second = (by_name[n] for n in wall.between)
        side = first.buffer(1e-3).intersection(second.boundary)
        if side.is_empty:
            continue
        middle = np.array([side.centroid.x, side.centroid.y, 0.0])
        for opening in wall.openings:
            toward = np.zeros(3)
            if opening.to_bay:
                c = by_name[opening.to_bay].centroid
                toward[:2] = (c.x - middle[0], c.y - middle[1])
                toward /= max(float(np.linalg.norm(toward)), 1e-9)
            at, way = rotation @ middle, rotation @ toward
            made.append(DoorMark((float(at[0]), float(at[1])), (float(way[0]), float(way[1])), opening.width_m))
    return tuple(made)


def clip_below(
    polygon: list[tuple[float, float]], inside: Callable[[float, float], float]
) -> list[tuple[float, float]]:
    """Clip a convex polygon to where a linear function ``inside(a, b)`` is not negative."""
    result: list[tuple[float, float]] = []
    for (a0, b0), (a1, b1) in zip(polygon, polygon[1:] + polygon[:1], strict=True):
        f0, f1 = inside(a0, b0), inside(a1, b1)
        if f0 >= 0:
            result.append((a0, b0))
        if (f0 >= 0) != (f1 >= 0):
            t = f0 / (f0 - f1)
            result.append((a0 + t * (a1 - a0), b0 + t * (b1 - b0)))
    return result
