"""A pan as compartments: parts in which the oil has one surface, and the ways oil takes from one to another.

Bays that are open to each other are one compartment; walls and plates divide. What a compartment holds and the g tell
where its surface stands; this is looked up in a table made once (:class:`SurfaceTable`).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from basso.sump.measured import Bay, MeasuredPan, Opening, Plate, pickup_in_car_m
from basso.sump.solid import Solid, prism, volume_under_m3
from basso.units import FloatArray

if TYPE_CHECKING:
    import shapely

MOST_G = 2.6
"""Up to here, in each direction, surfaces are looked up; more g is taken as this."""
_G_STEPS = 27
_LEVELS = 33
_COARSE_G_STEPS, _MANY_TRIANGLES = 17, 1500
_TABLE_TRIANGLES = 4000
_TOUCH_M = 1e-3
_AT_REST = 17


@dataclass(frozen=True, slots=True, eq=False)
class SurfaceTable:
    """Where the oil's surface stands in a compartment.

    The surface is the plane z = z0 − ax·x − ay·y, with the car's acceleration (ax forward, ay left) in g.

    Attributes:
        capacity_m3: of the compartment.
        z0_m: on a grid of ax and ay from −:data:`MOST_G` to it, and of volume from empty to full; shape (k, k, levels).
    """

    capacity_m3: float
    z0_m: FloatArray

    def position(self, ax_g: FloatArray, ay_g: FloatArray) -> tuple[FloatArray, FloatArray]:
        """A g as places on the table's first two axes."""
        most = self.z0_m.shape[0] - 1
        per_g = most / (2.0 * MOST_G)
        return (np.clip((ax_g + MOST_G) * per_g, 0.0, most), np.clip((ay_g + MOST_G) * per_g, 0.0, most))

    def at(self, ax_g: FloatArray, ay_g: FloatArray, volume_m3: FloatArray) -> FloatArray:
        """z0 in metres for arrays of one shape; linear between the table's places."""
        from scipy.ndimage import map_coordinates

        i, j = self.position(ax_g, ay_g)
        k = np.clip(volume_m3 / self.capacity_m3, 0.0, 1.0) * (self.z0_m.shape[2] - 1)
        found: FloatArray = map_coordinates(self.z0_m, np.stack([i, j, k]), order=1, mode="nearest")
        return found

    def by_volume(self, ax_g: FloatArray, ay_g: FloatArray) -> NDArray[np.float32]:
        """z0 for every level of the table at each g: shape (…, levels)."""
        i, j = self.position(ax_g, ay_g)
        most = self.z0_m.shape[0] - 2
        a, b = np.minimum(i.astype(np.intp), most), np.minimum(j.astype(np.intp), most)
        u, v = ((p - q).astype(np.float32)[..., None] for p, q in ((i, a), (j, b)))
        table = self.z0_m.astype(np.float32)
        low = table[a, b]
        low += v * (table[a, b + 1] - low)
        high = table[a + 1, b]
        high += v * (table[a + 1, b + 1] - high)
        high -= low
        low += u * high
        return np.asarray(low)


def surface_table(solid: Solid) -> SurfaceTable:
    """Make the table of a compartment: exact volumes under planes, turned round by linear interpolation.

    A mesh of many triangles is first made coarser; its volume then is off by a few parts in a thousand.
    """
    solid = _coarser(solid) if solid.triangles.shape[0] > _TABLE_TRIANGLES else solid
    steps = _G_STEPS if solid.triangles.shape[0] <= _MANY_TRIANGLES else _COARSE_G_STEPS
    axis = np.linspace(-MOST_G, MOST_G, steps)
    ax, ay = (v.ravel() for v in np.meshgrid(axis, axis, indexing="ij"))
    length = np.sqrt(1.0 + ax * ax + ay * ay)
    up = np.stack([ax, ay, np.ones(ax.size)], axis=1) / length[:, None]
    heights = solid.triangles.reshape(-1, 3) @ up.T
    low, high = heights.min(axis=0), heights.max(axis=0)
    levels = np.linspace(0.0, 1.0, _LEVELS)
    at = low[:, None] + (high - low)[:, None] * levels
    under = volume_under_m3(solid, np.repeat(up, _LEVELS, axis=0), at.ravel()).reshape(at.shape)
    capacity = solid.capacity_m3
    z0 = np.empty(at.shape)
    for k in range(ax.size):
        z0[k] = np.interp(levels * capacity, np.maximum.accumulate(under[k]), at[k] * length[k])
    return SurfaceTable(capacity, z0.reshape(steps, steps, _LEVELS))


def _coarser(solid: Solid) -> Solid:
    """The same with corners gathered in cells: a closed surface stays closed, since its edges still run both ways."""
    corners = solid.triangles.reshape(-1, 3)
    extent = np.ptp(corners, axis=0)
    for cells in (48, 32, 24, 16):
        size = float(extent.max()) / cells
        index = np.floor((corners - corners.min(axis=0)) / size).astype(np.int64)
        _, which = np.unique(index, axis=0, return_inverse=True)
        which = which.ravel()
        count = np.bincount(which)
        middle = np.stack([np.bincount(which, weights=corners[:, i]) / count for i in range(3)], axis=1)
        faces = which.reshape(-1, 3)
        kept = (faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 2] != faces[:, 0])
        triangles = middle[faces[kept]]
        if len(triangles) <= _TABLE_TRIANGLES:
            break
    made = Solid(triangles, solid.plan_centre_m)
    # What the gathering took from the volume is given back by scaling about the middle.
    centre = corners.mean(axis=0)
    grown = (solid.capacity_m3 / made.capacity_m3) ** (1.0 / 3.0)
    return Solid((triangles - centre) * grown + centre, solid.plan_centre_m)


@dataclass(frozen=True, slots=True)
class Way:
    """A way oil takes from one compartment to another.

    Attributes:
        a, b: the compartments.
        at_m: where it is (x, y), in the car's axes.
        low_m, high_m: of an upright opening, straight above and below that place; equal for a hole in a plate.
        width_m: of an opening; ``area_m2``: of a hole.
        only_to: the compartment a door opens to; None where oil passes both ways.
    """

    a: int
    b: int
    at_m: tuple[float, float]
    low_m: float
    high_m: float
    width_m: float
    area_m2: float
    only_to: int | None = None


@dataclass(frozen=True, slots=True, eq=False)
class Compartments:
    """A pan in compartments, in the car's axes.

    Attributes:
        tables: one for each; ``names``: what each is made of.
        ways: between them.
        pickup_m: the middle of the mouth; ``pickup_in``: which compartment it is in; ``floor_m``: height of the floor
            straight below it.
        drains: the share of what comes back from the engine that falls into each, by its area open to above.
        around_pickup: the inside of the compartment the pickup is in.
    """

    names: tuple[str, ...]
    tables: tuple[SurfaceTable, ...]
    ways: tuple[Way, ...]
    pickup_m: FloatArray
    pickup_in: int
    floor_m: float
    drains: FloatArray
    around_pickup: Solid

    def with_pickup(self, pickup_m: FloatArray) -> Compartments:
        """The same with the middle of the mouth elsewhere in its compartment."""
        return replace(self, pickup_m=pickup_m, floor_m=floor_below_m(self.around_pickup, pickup_m))

    @property
    def capacity_m3(self) -> float:
        """Of all together."""
        return sum(t.capacity_m3 for t in self.tables)

    def at_rest(self, volume_m3: float) -> FloatArray:
        """What each holds when a volume has come to rest at one level, shape (compartments,): as poured in slowly from
        above, every way open."""
        none = np.zeros(1)
        held = np.array([t.by_volume(none, none)[0] for t in self.tables])
        low, high = float(held.min()), float(held.max())
        levels = [np.linspace(0.0, t.capacity_m3, held.shape[1]) for t in self.tables]

        def volumes(z: float) -> FloatArray:
            return np.array([np.interp(z, h, v, left=0.0, right=v[-1]) for h, v in zip(held, levels, strict=True)])

        for _ in range(60):
            middle = 0.5 * (low + high)
            low, high = (middle, high) if float(volumes(middle).sum()) < volume_m3 else (low, middle)
        found = volumes(high)
        total = float(found.sum())
        return found * (volume_m3 / total) if total > 0.0 else found

    def at_rest_each(self, volumes_m3: FloatArray) -> FloatArray:
        """:meth:`at_rest` of each of many volumes, shape (compartments, k): looked up between a few."""
        few = np.linspace(float(volumes_m3.min()), float(volumes_m3.max()), _AT_REST)
        held = np.array([self.at_rest(float(v)) for v in few])
        return np.array([np.interp(volumes_m3, few, h) for h in held.T])


@dataclass(frozen=True, slots=True, eq=False)
class Piece:
    """A bay, or what of it lies between two plates.

    Attributes:
        bay: with the piece's own floor and roof; ``plan``: its outline.
        below, above: the plates that bound it.
    """

    bay: Bay
    plan: shapely.Polygon
    below: Plate | None
    above: Plate | None


def pieces_of(pan: MeasuredPan) -> tuple[list[Piece], list[int]]:
    """A pan cut at its walls and plates, and which compartment each piece belongs to.

    A plate divides its bay into what lies under it and over it. Pieces of neighbouring bays are one compartment where
    they touch over some height and no wall is named between them.
    """
    from scipy.sparse.csgraph import connected_components

    pieces = [p for bay in pan.bays for p in _pieces(bay, [q for q in pan.plates if q.bay == bay.name])]
    walled = {frozenset(w.between) for w in pan.walls}
    joined = np.zeros((len(pieces), len(pieces)))
    for i, first in enumerate(pieces):
        for k in range(i):
            second = pieces[k]
            apart = {first.bay.name, second.bay.name}
            if len(apart) == 2 and frozenset(apart) not in walled and _touch(first, second):
                joined[i, k] = 1.0
    return pieces, [int(n) for n in connected_components(joined, directed=False)[1]]


def compartments_of(pan: MeasuredPan) -> Compartments:
    """Cut a measured pan into compartments (:func:`pieces_of`) and find the ways between them.

    Raises:
        ValueError: the pan has no pickup.
    """
    pickup = pickup_in_car_m(pan)
    if pan.pickup is None or pickup is None:
        raise ValueError("a pan without a pickup")
    pieces, of_piece = pieces_of(pan)
    groups = [[i for i, label in enumerate(of_piece) if label == n] for n in range(max(of_piece) + 1)]
    rotation = pan.rotation()
    solids = []
    for group in groups:
        parts = [prism(pieces[i].bay.outline_m, pieces[i].bay.floor_m, pieces[i].bay.roof_m) for i in group]
        solids.append(Solid(np.concatenate(parts) @ rotation.T, (0.0, 0.0)))
    ways = ways_of(pan, pieces, of_piece)
    home = of_piece[home_piece(pan, pieces)]
    open_area = np.zeros(len(groups))
    for i, piece in enumerate(pieces):
        if piece.above is None:
            open_area[of_piece[i]] += piece.plan.area
    return Compartments(
        names=tuple(called(pieces, of_piece, n) for n in range(len(groups))),
        tables=tuple(surface_table(s) for s in solids),
        ways=tuple(ways),
        pickup_m=pickup,
        pickup_in=home,
        floor_m=floor_below_m(solids[home], pickup),
        around_pickup=solids[home],
        drains=open_area / open_area.sum(),
    )


def ways_of(pan: MeasuredPan, pieces: Sequence[Piece], of_piece: Sequence[int]) -> list[Way]:
    """The ways oil takes between the compartments of a pan that was cut into pieces."""
    return [*_through_walls(pan, pieces, of_piece), *_through_plates(pan, pieces, of_piece)]


def home_piece(pan: MeasuredPan, pieces: Sequence[Piece]) -> int:
    """The piece the pickup's mouth is in; the first where that is not known."""
    import shapely

    if pan.pickup is None:
        return 0
    x, y, z = pan.pickup.middle_m
    z += pan.gasket_lift_m
    for i, p in enumerate(pieces):
        inside = p.plan.buffer(1e-6).contains(shapely.Point(x, y))
        if inside and p.bay.floor_m.min() - 1e-6 <= z <= p.bay.roof_m.max() + 1e-6:
            return i
    return 0


def one_compartment(solid: Solid, pickup_m: FloatArray) -> Compartments:
    """A pan known only as a closed surface: all of it one compartment."""
    return Compartments(
        ("pan",), (surface_table(solid),), (), pickup_m, 0, floor_below_m(solid, pickup_m), np.ones(1), solid
    )


def floor_below_m(solid: Solid, point_m: FloatArray) -> float:
    """Height of the floor straight below a point; of the lowest point of all where none is below it."""
    x, y, z = point_m
    a, b, c = (solid.triangles[:, i] for i in range(3))
    # A hair off, so that the line does not run along an edge.
    px, py = x + 1.7e-7, y + 2.3e-7
    twice = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    with np.errstate(divide="ignore", invalid="ignore"):
        u = ((px - a[:, 0]) * (c[:, 1] - a[:, 1]) - (py - a[:, 1]) * (c[:, 0] - a[:, 0])) / twice
        v = ((b[:, 0] - a[:, 0]) * (py - a[:, 1]) - (b[:, 1] - a[:, 1]) * (px - a[:, 0])) / twice
        met = (np.abs(twice) > 1e-14) & (u >= 0.0) & (v >= 0.0) & (u + v <= 1.0)
        heights = a[:, 2] + u * (b[:, 2] - a[:, 2]) + v * (c[:, 2] - a[:, 2])
    below = heights[met & (heights <= z + 1e-6)]
    return float(below.max()) if below.size else solid.lowest_m


def called(pieces: Sequence[Piece], of_piece: Sequence[int], compartment: int) -> str:
    """What a compartment is called: by what it is made of."""
    mine = (_called(p) for p, n in zip(pieces, of_piece, strict=True) if n == compartment)
    return " and ".join(dict.fromkeys(mine))


def _called(piece: Piece) -> str:
    if piece.above is not None:
        return f"{piece.bay.name} under the plate"
    return f"{piece.bay.name} over the plate" if piece.below is not None else piece.bay.name


def _pieces(bay: Bay, plates: Sequence[Plate]) -> list[Piece]:
    """A bay cut at its plates, from the floor up; a plate at the floor or at the roof divides nothing."""
    import shapely

    plan = shapely.Polygon(bay.outline_m)
    between = [p for p in plates if bay.floor_m.max() + 1e-3 < p.height_m < bay.roof_m.min() - 1e-3]
    between.sort(key=lambda p: p.height_m)
    made = []
    floor, below = bay.floor_m, None
    for plate in between:
        roof = np.full(floor.shape, plate.height_m)
        made.append(Piece(Bay(bay.name, bay.outline_m, floor, roof), plan, below, plate))
        floor, below = roof, plate
    made.append(Piece(Bay(bay.name, bay.outline_m, floor, bay.roof_m), plan, below, None))
    return made


def _touch(first: Piece, second: Piece) -> bool:
    """Whether two pieces of different bays have an open side in common."""
    low = max(float(first.bay.floor_m.min()), float(second.bay.floor_m.min()))
    high = min(float(first.bay.roof_m.max()), float(second.bay.roof_m.max()))
    return high - low > _TOUCH_M and shared_side(first, second) is not None


def shared_side(first: Piece, second: Piece) -> tuple[float, float, float] | None:
    """The middle (x, y) of the side that two pieces share, seen from above, and how long it is; None where they do not
    touch."""
    shared = first.plan.buffer(_TOUCH_M).intersection(second.plan.boundary)
    if shared.length < 5.0 * _TOUCH_M:
        return None
    # What was let out about the first to find what touches it reaches past both ends of the side.
    return float(shared.centroid.x), float(shared.centroid.y), float(shared.length) - 2.0 * _TOUCH_M


def _in_car(pan: MeasuredPan, x: float, y: float, z: float) -> FloatArray:
    made: FloatArray = pan.rotation() @ np.array([x, y, z])
    return made


def _through_walls(pan: MeasuredPan, pieces: Sequence[Piece], of_piece: Sequence[int]) -> list[Way]:
    ways: list[Way] = []
    for wall in pan.walls:
        first, second = ([i for i, p in enumerate(pieces) if p.bay.name == name] for name in wall.between)
        for opening in wall.openings:
            for i in first:
                for k in second:
                    side = shared_side(pieces[i], pieces[k])
                    low = max(opening.low_m, float(pieces[i].bay.floor_m.min()), float(pieces[k].bay.floor_m.min()))
                    high = min(opening.high_m, float(pieces[i].bay.roof_m.max()), float(pieces[k].bay.roof_m.max()))
                    if side is None or high - low <= 0.0 or of_piece[i] == of_piece[k]:
                        continue
                    ways.append(
                        _upright(pan, opening, side[:2], (low, high), (of_piece[i], of_piece[k]), wall.between[0])
                    )
    return ways


def _upright(
    pan: MeasuredPan,
    opening: Opening,
    side: tuple[float, float],
    band: tuple[float, float],
    between: tuple[int, int],
    first_bay: str,
) -> Way:
    low, high = (_in_car(pan, *side, z) for z in band)
    only = None
    if opening.to_bay:
        only = between[0] if opening.to_bay == first_bay else between[1]
    return Way(
        between[0],
        between[1],
        (float(low[0]), float(low[1])),
        float(low[2]),
        float(high[2]),
        opening.width_m,
        0.0,
        only,
    )


_SPREAD = ((0.0, 0.0), (0.5, 0.5), (0.5, -0.5), (-0.5, 0.5), (-0.5, -0.5))
"""Where the holes of a plate of which nobody said where they are lie: in its middle and half way to its corners."""


def _through_plates(pan: MeasuredPan, pieces: Sequence[Piece], of_piece: Sequence[int]) -> list[Way]:
    ways: list[Way] = []
    for i, piece in enumerate(pieces):
        plate = piece.above
        if plate is None or of_piece[i] == of_piece[i + 1]:
            continue
        for (x, y), area in holes_of(plate, piece.plan):
            at = _in_car(pan, x, y, plate.height_m)
            z = float(at[2])
            ways.append(Way(of_piece[i], of_piece[i + 1], (float(at[0]), float(at[1])), z, z, 0.0, area))
    return ways


def holes_of(plate: Plate, plan: shapely.Polygon) -> list[tuple[tuple[float, float], float]]:
    """Where oil passes a plate and through how much area (m²): beside it, and through its own holes.

    Args:
        plan: the outline of its bay.
    """
    import shapely

    covered = plan if plate.outline_m is None else plan.intersection(shapely.Polygon(plate.outline_m))
    found = []
    for part in shapely.get_parts(plan.difference(covered.buffer(1e-6))):
        if part.area > 1e-6:
            found.append(((float(part.centroid.x), float(part.centroid.y)), float(part.area)))
    if plate.holes:
        return found + [((h.x_m, h.y_m), np.pi * h.radius_m**2) for h in plate.holes]
    open_area = (1.0 - plate.closed) * float(covered.area)
    if open_area > 1e-7:
        x0, y0, x1, y1 = covered.bounds
        middle = covered.centroid
        for dx, dy in _SPREAD:
            place = shapely.Point(middle.x + dx * (x1 - x0) / 2, middle.y + dy * (y1 - y0) / 2)
            place = place if covered.contains(place) else covered.representative_point()
            found.append(((float(place.x), float(place.y)), open_area / len(_SPREAD)))
    return found
