"""A measured pan changed by hand, one thing at a time: corners, edges, heights, pickup, walls, plates and holes.

Every function gives a new pan that could be read back from its own file (:mod:`basso.sump.pan_file`), or says what is
wrong with it in the same words. All in the pan's own axes: x forward along the crank, y to the left, z up, metres.
"""

from __future__ import annotations

import tomllib
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Literal, TypeVar

import numpy as np

from basso.errors import InputError
from basso.sump.measured import Bay, Hole, MeasuredPan, Opening, Pickup, Plate, Wall
from basso.sump.pan_file import pan_of, pan_text
from basso.units import FloatArray

Kind = Literal["pan", "bay", "corner", "edge", "pickup", "plate", "hole", "wall", "opening"]
if TYPE_CHECKING:
    import shapely

T = TypeVar("T")
_SAME_M = 2e-4
"""Corners nearer than this to each other are one, and move together."""
_NEW_BAY_M = 0.08
_NEW_HOLE_M = 0.010
_NEW_OPENING_M = (0.020, 0.040)


@dataclass(frozen=True, slots=True)
class Part:
    """Something that can be chosen. ``index``: of the bay, plate or wall; ``inner``: of its corner, edge (from that
    corner to the next), hole or opening."""

    kind: Kind
    index: int = 0
    inner: int = 0


def checked(pan: MeasuredPan) -> MeasuredPan:
    """The pan as its file would be read.

    Raises:
        InputError: it cannot be; the sentence says what and what to do.
    """
    return pan_of(tomllib.loads(pan_text(pan)), "The pan")


def parts_of(pan: MeasuredPan) -> Iterator[tuple[Part, str]]:
    """What there is to choose, with what it is called; corners and edges are chosen in the drawing."""
    yield Part("pan"), "Pan, oil and engine"
    if pan.pickup is not None:
        yield Part("pickup"), "Pickup"
    for i, bay in enumerate(pan.bays):
        yield Part("bay", i), f"Bay: {bay.name}"
    for i, wall in enumerate(pan.walls):
        yield Part("wall", i), f"Wall: {wall.between[0]}, {wall.between[1]}"
        for k, opening in enumerate(wall.openings):
            yield Part("opening", i, k), f"  {'Door' if opening.to_bay else 'Opening'} {k + 1}"
    for i, plate in enumerate(pan.plates):
        yield Part("plate", i), f"Plate: {plate.bay}"
        for k in range(len(plate.holes)):
            yield Part("hole", i, k), f"  Hole {k + 1}"


# Outlines


def moved_corner(pan: MeasuredPan, bay: int, corner: int, to_m: tuple[float, float]) -> MeasuredPan:
    """A corner of a bay moved, with the corners of other bays that lie on it."""
    return _moved(pan, [pan.bays[bay].outline_m[corner]], np.array(to_m) - pan.bays[bay].outline_m[corner])


def moved_edge(pan: MeasuredPan, bay: int, edge: int, by_m: tuple[float, float]) -> MeasuredPan:
    """An edge of a bay moved square to itself by as much of ``by_m`` as points that way, with what lies on it."""
    a, b = _edge(pan, bay, edge)
    along = (b - a) / max(float(np.linalg.norm(b - a)), 1e-9)
    square = np.array([-along[1], along[0]])
    return _moved(pan, [a, b], square * float(square @ np.array(by_m)))


def edge_length_m(pan: MeasuredPan, bay: int, edge: int) -> float:
    """How long an edge is."""
    a, b = _edge(pan, bay, edge)
    return float(np.linalg.norm(b - a))


def with_edge_length(pan: MeasuredPan, bay: int, edge: int, length_m: float) -> MeasuredPan:
    """An edge made so long: its far end moves, with the edge that begins there where that stands square to it."""
    a, b = _edge(pan, bay, edge)
    n = len(pan.bays[bay].outline_m)
    c = pan.bays[bay].outline_m[(edge + 2) % n]
    along = (b - a) / max(float(np.linalg.norm(b - a)), 1e-9)
    is_square = abs(float(along @ (c - b))) < _SAME_M and n > 3
    return _moved(pan, [b, c] if is_square else [b], a + along * length_m - b)


def with_corner(pan: MeasuredPan, bay: int, edge: int, at_m: tuple[float, float]) -> MeasuredPan:
    """A bay with one more corner, after the first end of an edge."""
    old = pan.bays[bay]
    return _with_bay(pan, bay, _reshaped(old, np.insert(old.outline_m, edge + 1, at_m, axis=0)))


def without_corner(pan: MeasuredPan, bay: int, corner: int) -> MeasuredPan:
    """A bay with one corner less.

    Raises:
        InputError: it has three.
    """
    old = pan.bays[bay]
    if len(old.outline_m) <= 3:
        raise InputError("A bay needs three corners at least; take the whole bay out instead.")
    return _with_bay(pan, bay, _reshaped(old, np.delete(old.outline_m, corner, axis=0)))


def _edge(pan: MeasuredPan, bay: int, edge: int) -> tuple[FloatArray, FloatArray]:
    outline = pan.bays[bay].outline_m
    return outline[edge], outline[(edge + 1) % len(outline)]


def _moved(pan: MeasuredPan, which: list[FloatArray], by_m: FloatArray) -> MeasuredPan:
    """Every corner that lies on one of some places moved."""

    def moved(outline_m: FloatArray) -> FloatArray:
        on = np.min([np.hypot(*(outline_m - p).T) for p in which], axis=0) < _SAME_M
        made: FloatArray = np.where(on[:, None], outline_m + by_m, outline_m)
        return made

    bays = tuple(_reshaped(b, moved(b.outline_m)) for b in pan.bays)
    plates = tuple(replace(p, outline_m=moved(p.outline_m)) if p.outline_m is not None else p for p in pan.plates)
    return checked(replace(pan, bays=bays, plates=plates))


def plane_of(outline_m: FloatArray, heights_m: FloatArray) -> FloatArray:
    """A floor as a plane: height = a·x + b·y + c, shape (3,)."""
    made = np.linalg.lstsq(np.column_stack([outline_m, np.ones(len(outline_m))]), heights_m, rcond=None)[0]
    return np.asarray(made, dtype=np.float64)


def _reshaped(bay: Bay, outline_m: FloatArray) -> Bay:
    """A bay with another outline: floor and roof stay the planes they are."""
    if outline_m.shape == bay.outline_m.shape and np.array_equal(outline_m, bay.outline_m):
        return bay
    points = np.column_stack([outline_m, np.ones(len(outline_m))])
    floor, roof = (points @ plane_of(bay.outline_m, h) for h in (bay.floor_m, bay.roof_m))
    return Bay(bay.name, outline_m, floor, roof)


def _with_bay(pan: MeasuredPan, index: int, bay: Bay) -> MeasuredPan:
    return checked(replace(pan, bays=(*pan.bays[:index], bay, *pan.bays[index + 1 :])))


# Bays, walls, plates


def with_floor(pan: MeasuredPan, bay: int, middle_m: float, nose_up_m: float, left_up_m: float) -> MeasuredPan:
    """A bay's floor: its height in the middle of the bay, and by how much it rises to the nose and to the left over the
    whole of it."""
    old = pan.bays[bay]
    low, high = old.outline_m.min(axis=0), old.outline_m.max(axis=0)
    share = (old.outline_m - (low + high) / 2) / (high - low)
    return _with_bay(pan, bay, replace(old, floor_m=middle_m + share @ np.array([nose_up_m, left_up_m])))


def floor_of(bay: Bay) -> tuple[float, float, float]:
    """The same three figures of a bay."""
    a, b, c = plane_of(bay.outline_m, bay.floor_m)
    low, high = bay.outline_m.min(axis=0), bay.outline_m.max(axis=0)
    x, y = (low + high) / 2
    return float(a * x + b * y + c), float(a * (high[0] - low[0])), float(b * (high[1] - low[1]))


def with_roof(pan: MeasuredPan, bay: int, height_m: float) -> MeasuredPan:
    """A bay's roof, level."""
    old = pan.bays[bay]
    return _with_bay(pan, bay, replace(old, roof_m=np.full(old.roof_m.shape, height_m)))


def renamed(pan: MeasuredPan, bay: int, name: str) -> MeasuredPan:
    """A bay called something else, wherever it is named."""
    old = pan.bays[bay].name

    def new(given: str) -> str:
        return name if given == old else given

    bays = tuple(replace(b, name=new(b.name)) for b in pan.bays)
    walls = tuple(
        Wall((new(w.between[0]), new(w.between[1])), tuple(replace(o, to_bay=new(o.to_bay)) for o in w.openings))
        for w in pan.walls
    )
    return checked(replace(pan, bays=bays, walls=walls, plates=tuple(replace(p, bay=new(p.bay)) for p in pan.plates)))


def with_bay(pan: MeasuredPan) -> MeasuredPan:
    """One more bay, open to its neighbour: on the left of the pan."""
    points = np.concatenate([b.outline_m for b in pan.bays])
    edge = float(points[:, 1].max())
    beside = max(pan.bays, key=lambda b: float(b.outline_m[:, 1].max()))
    on = beside.outline_m[np.abs(beside.outline_m[:, 1] - edge) < _SAME_M][:, 0]
    x0, x1 = (float(on.min()), float(on.max())) if np.ptp(on) > 0.01 else (float(on[0]) - 0.04, float(on[0]) + 0.04)
    outline = np.array([[x0, edge], [x1, edge], [x1, edge + _NEW_BAY_M], [x0, edge + _NEW_BAY_M]])
    floor, roof = float(beside.floor_m.mean()), float(beside.roof_m.mean())
    made = Bay(_free_name(pan, "bay"), outline, np.full(4, floor), np.full(4, roof))
    return checked(replace(pan, bays=(*pan.bays, made)))


def divided(pan: MeasuredPan, bay: int, axis: Literal["x", "y"], at_m: float) -> MeasuredPan:
    """A bay divided by a wall right across it, shut; its plates are divided with it.

    Args:
        axis: "x" for a wall across the crank at that x, "y" for one along it.

    Raises:
        InputError: the wall misses the bay, or would cut it in more than two.
    """
    import shapely
    from shapely.ops import split

    old = pan.bays[bay]
    plan = shapely.Polygon(old.outline_m)
    x0, y0, x1, y1 = plan.bounds
    ends = [(at_m, y0 - 1.0), (at_m, y1 + 1.0)] if axis == "x" else [(x0 - 1.0, at_m), (x1 + 1.0, at_m)]
    halves = [
        p for p in split(plan, shapely.LineString(ends)).geoms if isinstance(p, shapely.Polygon) and p.area > 1e-6
    ]
    if len(halves) != 2:
        raise InputError(f"A wall there cuts {old.name} into {len(halves)} parts; put it where it makes two.")
    halves.sort(key=lambda p: p.centroid.x if axis == "x" else p.centroid.y)
    second = _free_name(pan, old.name)
    bays = []
    for name, half in zip((old.name, second), halves, strict=True):
        outline = np.asarray(shapely.geometry.polygon.orient(half).exterior.coords, dtype=np.float64)[:-1, :2]
        bays.append(replace(_reshaped(old, outline), name=name))
    plates = [q for p in pan.plates for q in _divided_plate(p, old.name, bays, halves)]
    walls = (*pan.walls, *_copied_walls(pan, old.name, second, halves[1]), Wall((old.name, second)))
    made = replace(pan, bays=(*pan.bays[:bay], *bays, *pan.bays[bay + 1 :]), walls=tuple(walls), plates=tuple(plates))
    return checked(made)


def _divided_plate(plate: Plate, name: str, bays: list[Bay], halves: list[shapely.Polygon]) -> list[Plate]:
    import shapely

    if plate.bay != name:
        return [plate]
    made = []
    for bay, half in zip(bays, halves, strict=True):
        holes = tuple(h for h in plate.holes if shapely.Point(h.x_m, h.y_m).within(half))
        if plate.outline_m is None:
            made.append(replace(plate, bay=bay.name, holes=holes))
            continue
        part = shapely.Polygon(plate.outline_m).intersection(half)
        if isinstance(part, shapely.Polygon) and part.area > 1e-4:
            outline = np.asarray(part.exterior.coords, dtype=np.float64)[:-1, :2]
            made.append(replace(plate, bay=bay.name, outline_m=outline, holes=holes))
    return made


def _copied_walls(pan: MeasuredPan, name: str, second: str, half: shapely.Polygon) -> list[Wall]:
    """The walls of a bay that is divided stand before its second part too, where that touches what is behind them."""
    import shapely

    by_name = {b.name: shapely.Polygon(b.outline_m) for b in pan.bays}
    made = []
    for wall in pan.walls:
        if name not in wall.between:
            continue
        other = wall.between[1] if wall.between[0] == name else wall.between[0]
        if shapely.intersection(by_name[other].buffer(1e-3), half).area > 1e-6:
            made.append(Wall((second, other)))
    return made


def with_wall(pan: MeasuredPan, between: tuple[str, str]) -> MeasuredPan:
    """A shut wall between two bays that are open to each other.

    Raises:
        InputError: there is one.
    """
    if any(set(w.between) == set(between) for w in pan.walls):
        raise InputError(f"There is a wall between {between[0]} and {between[1]}; add an opening to it.")
    return checked(replace(pan, walls=(*pan.walls, Wall(between))))


def touch(pan: MeasuredPan, first: int, second: int) -> bool:
    """Whether two bays have a side in common."""
    import shapely

    a, b = (shapely.Polygon(pan.bays[i].outline_m) for i in (first, second))
    return float(a.buffer(1e-3).intersection(b.boundary).length) > 5e-3


def with_opening(pan: MeasuredPan, wall: int) -> MeasuredPan:
    """An opening in a wall, at the floor of the higher of its bays, both ways."""
    old = pan.walls[wall]
    floor = max(float(b.floor_m.min()) for b in pan.bays if b.name in old.between)
    high, width = _NEW_OPENING_M
    made = Wall(old.between, (*old.openings, Opening(floor, floor + high, width)))
    return checked(replace(pan, walls=(*pan.walls[:wall], made, *pan.walls[wall + 1 :])))


def with_plate(pan: MeasuredPan, bay: int) -> MeasuredPan:
    """A plate over all of a bay, at six tenths of its depth."""
    b = pan.bays[bay]
    height = float(b.floor_m.max() + 0.6 * (b.roof_m.min() - b.floor_m.max()))
    return checked(replace(pan, plates=(*pan.plates, Plate(b.name, height))))


def with_hole(pan: MeasuredPan, plate: int) -> MeasuredPan:
    """A hole of 20 mm in a plate, in its middle."""
    import shapely

    old = pan.plates[plate]
    outline = old.outline_m if old.outline_m is not None else next(b.outline_m for b in pan.bays if b.name == old.bay)
    middle = shapely.Polygon(outline).representative_point()
    made = replace(old, holes=(*old.holes, Hole(float(middle.x), float(middle.y), _NEW_HOLE_M)))
    return checked(replace(pan, plates=(*pan.plates[:plate], made, *pan.plates[plate + 1 :])))


def with_pickup(pan: MeasuredPan) -> MeasuredPan:
    """A pickup in the middle of the deepest bay, 8 mm over its floor."""
    import shapely

    deepest = min(pan.bays, key=lambda b: float(b.floor_m.min()))
    middle = shapely.Polygon(deepest.outline_m).representative_point()
    floor = plane_of(deepest.outline_m, deepest.floor_m) @ np.array([middle.x, middle.y, 1.0])
    return checked(replace(pan, pickup=Pickup((float(middle.x), float(middle.y), float(floor) + 0.008))))


def without(pan: MeasuredPan, part: Part) -> MeasuredPan:
    """A pan with a part taken out; a bay goes with its walls and plates.

    Raises:
        InputError: it cannot do without it.
    """
    if part.kind == "corner":
        return without_corner(pan, part.index, part.inner)
    if part.kind == "bay":
        name = pan.bays[part.index].name
        if len(pan.bays) == 1:
            raise InputError("A pan needs one bay at least.")
        return checked(
            replace(
                pan,
                bays=_less(pan.bays, part.index),
                walls=tuple(w for w in pan.walls if name not in w.between),
                plates=tuple(p for p in pan.plates if p.bay != name),
            )
        )
    if part.kind == "wall":
        return checked(replace(pan, walls=_less(pan.walls, part.index)))
    if part.kind == "opening":
        old = pan.walls[part.index]
        made = replace(old, openings=_less(old.openings, part.inner))
        return checked(replace(pan, walls=(*pan.walls[: part.index], made, *pan.walls[part.index + 1 :])))
    if part.kind == "plate":
        return checked(replace(pan, plates=_less(pan.plates, part.index)))
    if part.kind == "hole":
        plate = pan.plates[part.index]
        fewer = replace(plate, holes=_less(plate.holes, part.inner))
        return checked(replace(pan, plates=(*pan.plates[: part.index], fewer, *pan.plates[part.index + 1 :])))
    if part.kind == "pickup":
        return checked(replace(pan, pickup=None))
    raise InputError("That cannot be taken out; choose a corner, bay, wall, opening, plate or hole.")


def _less(values: tuple[T, ...], index: int) -> tuple[T, ...]:
    return (*values[:index], *values[index + 1 :])


def _free_name(pan: MeasuredPan, like: str) -> str:
    names = {b.name for b in pan.bays}
    return next(f"{like} {n}" for n in range(2, 1000) if f"{like} {n}" not in names)
