"""What a measured pan says standing still: heights against the oil's level, how far it may be filled, and which
measurement matters most."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from basso.sump.compartments import Piece, Way, called, holes_of, home_piece, pieces_of, shared_side, ways_of
from basso.sump.flow import USUAL_PUMP_M3_PER_REV
from basso.sump.measured import MeasuredPan, Plate, pickup_in_car_m, solid_of
from basso.sump.solid import Solid, surface_height_m, up_of, volume_under_m3
from basso.sump.standing import MOST_G, uncover_g
from basso.units import FloatArray

LEAST_CLEARANCE_M, MOST_CLEARANCE_M = 0.003, 0.010
"""Between the pickup's mouth and the floor (default): less chokes it, more uncovers it early."""
MOST_INLET_MPS = 1.5
"""Through the mouth (default; usual hydraulic practice for suction lines)."""
INLET_AT_RPM = 6500.0
THROWN_G = 1.0
"""At which the crank is looked at in thrown oil (default: what a car on good tyres holds)."""
_PICKUP_MAY_BE_OFF_M, _FILL_MAY_BE_OFF_M3 = 0.002, 0.0002
"""What a tape and a measuring jug are off by (default)."""

PlateState = Literal["over", "under", "between"]


@dataclass(frozen=True, slots=True)
class PlateLevel:
    """A plate against the oil's level.

    Attributes:
        over_rest_m, over_running_m: how high its underside stands over the level, engine stopped and at racing speed;
            below 0: under oil. None where the fill is not known.
        state: "over" the running level, "under" it, or "between": over the running level, under the one at rest.
        open_m2: area through which oil returns.
    """

    plate: Plate
    over_rest_m: float
    over_running_m: float
    state: PlateState
    open_m2: float


@dataclass(frozen=True, slots=True)
class DoorCheck:
    """A one-way door: the bay it opens to, and whether that is the pickup's side."""

    between: tuple[str, str]
    to: str
    is_right_way: bool


Side = Literal["front", "back", "left", "right"]


@dataclass(frozen=True, slots=True)
class OpenSide:
    """The walls about the pickup's part of the pan on one side, in the car's axes.

    Attributes:
        into: the share of their area through which oil can come in; ``out``: through which it can leave.
    """

    side: Side
    into: float
    out: float


@dataclass(frozen=True, slots=True)
class MeasuredError:
    """What a measurement's error does to the g at which the pickup comes uncovered.

    Attributes:
        what: "fill", "pickup x", "pickup y" or "pickup height".
        off: by how much it may be off, L or mm; ``unit``.
        g_lost, g_gained: the least uncover g by that error one way and the other, as changes.
    """

    what: str
    off: float
    unit: str
    g_lost: float
    g_gained: float

    @property
    def spread_g(self) -> float:
        """From the one to the other."""
        return abs(self.g_gained - self.g_lost)


@dataclass(frozen=True, slots=True, eq=False)
class Levels:
    """Levels and heights of a measured pan, metres over its lowest point and m³; None where the pan does not say.

    Attributes:
        rest_m, running_m: the level, engine stopped and with ``away`` up in the engine.
        clearance_m: from the mouth's middle straight down to the floor, the pan tightened; ``clearance_free_m``: its
            gasket loose, None where it was not measured.
        rim_over_middle_m: by how much a tilted mouth draws air earlier.
        inlet_mps: speed of the oil through the mouth at :data:`INLET_AT_RPM`; ``pump_is_assumed``: by a usual pump.
        sweep_over_rest_m: the crank's sweep over the level at rest.
        most_fill_m3: what the pan holds up to the sweep, level; ``most_thrown_m3``: at :data:`THROWN_G` in the worst
            direction; ``at_full_mark_m3``: up to the stick's full mark.
        sides: the walls about the pickup; () where it stands open in the pan.
        no_way_back: parts of the pan whose oil cannot come back to the pickup, by whatever g.
        errors: what each measurement's error does, the largest first.
    """

    pan: MeasuredPan
    solid: Solid
    rest_m: float | None
    running_m: float | None
    clearance_m: float | None
    clearance_free_m: float | None
    rim_over_middle_m: float
    inlet_mps: float | None
    pump_is_assumed: bool
    sweep_over_rest_m: float | None
    most_fill_m3: float | None
    most_thrown_m3: float | None
    at_full_mark_m3: float | None
    plates: tuple[PlateLevel, ...]
    doors: tuple[DoorCheck, ...]
    sides: tuple[OpenSide, ...]
    no_way_back: tuple[str, ...]
    errors: tuple[MeasuredError, ...]


def levels_of(pan: MeasuredPan, fill_l: float | None = None) -> Levels:
    """What a pan says standing still, with its own fill or another."""
    solid, pickup = solid_of(pan), pickup_in_car_m(pan)
    fill_l = fill_l if fill_l is not None else pan.fill_l
    fill = fill_l / 1000.0 if fill_l is not None else None
    rest = level_m(solid, fill) if fill is not None else None
    running = level_m(solid, max(fill - pan.away_l / 1000.0, 0.0)) if fill is not None else None
    sweep, mark = ((_volume_at(solid, z) if z is not None else None) for z in (pan.sweep_m, pan.full_mark_m))
    pump = pan.pump_m3_per_rev or USUAL_PUMP_M3_PER_REV
    clearance = _clearance_m(pan)
    has_free = clearance is not None and pan.gasket_free_m is not None and pan.gasket_pressed_m is not None
    sides, no_way_back = _about_the_pickup(pan)
    return Levels(
        pan=pan,
        solid=solid,
        rest_m=rest,
        running_m=running,
        clearance_m=clearance,
        clearance_free_m=(clearance or 0.0) + (pan.gasket_free_m or 0.0) - (pan.gasket_pressed_m or 0.0)
        if has_free
        else None,
        rim_over_middle_m=pan.pickup.rim_over_middle_m if pan.pickup is not None else 0.0,
        inlet_mps=pump * INLET_AT_RPM / 60.0 / (np.pi * pan.pickup.radius_m**2) if pan.pickup is not None else None,
        pump_is_assumed=pan.pump_m3_per_rev is None,
        sweep_over_rest_m=pan.sweep_m - rest if pan.sweep_m is not None and rest is not None else None,
        most_fill_m3=sweep,
        most_thrown_m3=_most_thrown_m3(pan, solid),
        at_full_mark_m3=mark,
        plates=tuple(_plate(pan, p, rest, running) for p in pan.plates)
        if rest is not None and running is not None
        else (),
        doors=_doors(pan),
        sides=sides,
        no_way_back=no_way_back,
        errors=errors_of(solid, pickup, fill) if pickup is not None and fill is not None else (),
    )


def level_m(solid: Solid, volume_m3: float) -> float:
    """Height of the level surface over the pan's lowest point."""
    return float(surface_height_m(solid, _UP, volume_m3)[0]) - solid.lowest_m


_UP = np.array([[0.0, 0.0, 1.0]])


def _volume_at(solid: Solid, height_m: float) -> float:
    """What a pan holds up to a height over its lowest point, level."""
    return float(volume_under_m3(solid, _UP, np.array([height_m + solid.lowest_m]))[0])


def _most_thrown_m3(pan: MeasuredPan, solid: Solid) -> float | None:
    """What the pan may hold, engine running, so that the surface stays under the crank's lowest line at
    :data:`THROWN_G` in every direction; None where the sweep was not measured.

    The crank is taken as a line over the middle of the plan, from end to end of the pan.
    """
    if pan.sweep_m is None:
        return None
    corners = np.concatenate([b.outline_m for b in pan.bays])
    (x0, y0), (x1, y1) = corners.min(axis=0), corners.max(axis=0)
    height = pan.sweep_m + min(float(b.floor_m.min()) for b in pan.bays)
    ends = np.array([[x, 0.5 * (y0 + y1), height] for x in (x0, x1)]) @ pan.rotation().T
    up = up_of(THROWN_G * np.cos(_TURN), THROWN_G * np.sin(_TURN))
    return float(volume_under_m3(solid, up, (up @ ends.T).min(axis=1)).min())


_TURN = np.radians(np.arange(0.0, 360.0, 15.0))


def _clearance_m(pan: MeasuredPan) -> float | None:
    """From the mouth's middle straight down (in the pan, tightened) to the floor of its bay."""
    import shapely

    if pan.pickup is None:
        return None
    x, y, z = pan.pickup.middle_m
    z += pan.gasket_lift_m
    for bay in pan.bays:
        if shapely.Polygon(bay.outline_m).buffer(1e-6).contains(shapely.Point(x, y)):
            plane = np.column_stack([bay.outline_m, np.ones(len(bay.outline_m))])
            a, b, c = np.linalg.lstsq(plane, bay.floor_m, rcond=None)[0]
            floor = float(a * x + b * y + c)
            if floor - 1e-6 <= z:
                return z - floor
    return None


def _plate(pan: MeasuredPan, plate: Plate, rest_m: float, running_m: float) -> PlateLevel:
    import shapely

    bay = next(b for b in pan.bays if b.name == plate.bay)
    over_rest, over_running = plate.height_m - rest_m, plate.height_m - running_m
    state: PlateState = "over" if over_rest >= 0.0 else "under" if over_running < 0.0 else "between"
    open_m2 = sum(area for _, area in holes_of(plate, shapely.Polygon(bay.outline_m)))
    return PlateLevel(plate, over_rest, over_running, state, float(open_m2))


def _doors(pan: MeasuredPan) -> tuple[DoorCheck, ...]:
    """Each one-way door, and whether it leads toward the pickup: through fewer walls from there than from here."""
    import shapely

    if pan.pickup is None:
        return ()
    x, y, _ = pan.pickup.middle_m
    home = next(
        (b.name for b in pan.bays if shapely.Polygon(b.outline_m).buffer(1e-6).contains(shapely.Point(x, y))), ""
    )
    away = {home: 0}
    waiting = [home]
    while waiting:
        here = waiting.pop(0)
        for wall in pan.walls:
            if here in wall.between:
                other = wall.between[0] if wall.between[1] == here else wall.between[1]
                if other not in away:
                    away[other] = away[here] + 1
                    waiting.append(other)
    found = []
    for wall in pan.walls:
        for opening in wall.openings:
            if opening.to_bay:
                other = wall.between[0] if wall.between[1] == opening.to_bay else wall.between[1]
                right = away.get(opening.to_bay, 99) < away.get(other, 99)
                found.append(DoorCheck(wall.between, opening.to_bay, right))
    return tuple(found)


def _about_the_pickup(pan: MeasuredPan) -> tuple[tuple[OpenSide, ...], tuple[str, ...]]:
    """Open and shut area of the walls about the pickup's part, by the side of the car they are on; and the parts that
    no way leads from to it."""
    if pan.pickup is None or not (pan.walls or pan.plates):
        return (), ()
    pieces, of_piece = pieces_of(pan)
    home = of_piece[home_piece(pan, pieces)]
    middle = pan.rotation() @ np.array(pan.pickup.middle_m)
    wall_m2: dict[Side, float] = {}
    into: dict[Side, float] = {}
    out: dict[Side, float] = {}
    for i, first in enumerate(pieces):
        for k, second in enumerate(pieces):
            side = shared_side(first, second) if of_piece[i] == home != of_piece[k] else None
            band = min(first.bay.roof_m.max(), second.bay.roof_m.max()) - max(
                first.bay.floor_m.min(), second.bay.floor_m.min()
            )
            if side is not None and band > 0.0 and first.bay.name != second.bay.name:
                at = pan.rotation() @ np.array([side[0], side[1], pan.pickup.middle_m[2]])
                where = _side(at - middle)
                wall_m2[where] = wall_m2.get(where, 0.0) + side[2] * float(band)
    ways = ways_of(pan, pieces, of_piece)
    for way in ways:
        if home not in (way.a, way.b) or way.area_m2 > 0.0:
            continue
        where = _side(np.array([*way.at_m, middle[2]]) - middle)
        area = way.width_m * (way.high_m - way.low_m)
        if way.only_to in (None, home):
            into[where] = into.get(where, 0.0) + area
        if way.only_to != home:
            out[where] = out.get(where, 0.0) + area
    sides = [
        OpenSide(w, min(into.get(w, 0.0) / wall_m2[w], 1.0), min(out.get(w, 0.0) / wall_m2[w], 1.0))
        for w in _SIDES
        if w in wall_m2
    ]
    return tuple(sides), _no_way_back(ways, home, pieces, of_piece)


_SIDES: tuple[Side, ...] = ("front", "back", "left", "right")


def _side(away_m: FloatArray) -> Side:
    x, y = float(away_m[0]), float(away_m[1])
    if abs(x) >= abs(y):
        return "front" if x > 0.0 else "back"
    return "left" if y > 0.0 else "right"


def _no_way_back(ways: list[Way], home: int, pieces: list[Piece], of_piece: list[int]) -> tuple[str, ...]:
    reached = {home}
    while True:
        more = {
            start
            for w in ways
            for start, end in ((w.a, w.b), (w.b, w.a))
            if end in reached and start not in reached and w.only_to in (None, end)
        }
        if not more:
            break
        reached |= more
    return tuple(called(pieces, of_piece, n) for n in range(max(of_piece) + 1) if n not in reached)


def errors_of(solid: Solid, pickup_m: FloatArray, fill_m3: float) -> tuple[MeasuredError, ...]:
    """What each measurement's error does to the least g that uncovers the pickup, the largest first."""

    def least(at_m: FloatArray, volume_m3: float) -> float:
        return float(min(uncover_g(solid, at_m, volume_m3).min(), MOST_G))

    base = least(pickup_m, fill_m3)
    rows = [
        MeasuredError(
            "fill",
            1000.0 * _FILL_MAY_BE_OFF_M3,
            "L",
            least(pickup_m, max(fill_m3 - _FILL_MAY_BE_OFF_M3, 1e-6)) - base,
            least(pickup_m, min(fill_m3 + _FILL_MAY_BE_OFF_M3, solid.capacity_m3)) - base,
        )
    ]
    for axis, what in enumerate(("pickup x", "pickup y", "pickup height")):
        step = np.zeros(3)
        step[axis] = _PICKUP_MAY_BE_OFF_M
        ways = [least(pickup_m + s * step, fill_m3) - base for s in (1.0, -1.0)]
        rows.append(MeasuredError(what, 1000.0 * _PICKUP_MAY_BE_OFF_M, "mm", min(ways), max(ways)))
    return tuple(sorted(rows, key=lambda r: -r.spread_g))


LEAST_BOOK_READINGS = 3
MOST_BOOK_OFF_L = 0.15
"""A measured pan and a level book that belong together agree within this (default; a tape's millimetre on 5 dm² is
0.05 L)."""


@dataclass(frozen=True, slots=True)
class BookFit:
    """A pan's volumes against what was poured and read on its stick.

    Attributes:
        zero_m: how high the stick's zero stands over the pan's lowest point, where both agree best.
        off_l: root mean square of what is left; ``worst_l``: the largest, with its sign: more was poured than the pan
            holds up to there.
        readings: how many.
    """

    zero_m: float
    off_l: float
    worst_l: float
    readings: int

    @property
    def belongs(self) -> bool:
        """Whether stick and pan may belong together."""
        return self.off_l <= MOST_BOOK_OFF_L


def against_book(solid: Solid, poured_l: FloatArray, depth_m: FloatArray) -> BookFit | None:
    """Hold a pan against readings of its stick, shape (n,) each; None with too few, or all at one depth.

    Where the stick's zero stands in the pan nobody measures: it is put where both agree best.
    """
    if poured_l.size < LEAST_BOOK_READINGS or float(np.ptp(depth_m)) < 0.005:
        return None
    height = solid.highest_m - solid.lowest_m
    levels = np.linspace(0.0, height, 400)
    up = np.repeat(_UP, levels.size, axis=0)
    held_l = 1000.0 * volume_under_m3(solid, up, levels + solid.lowest_m)
    zeros = np.linspace(-0.5 * height, height, 1501)
    left = poured_l - np.interp(zeros[:, None] + depth_m, levels, held_l)
    best = int(np.argmin((left * left).sum(axis=1)))
    off = left[best]
    worst = float(off[int(np.argmax(np.abs(off)))])
    return BookFit(float(zeros[best]), float(np.sqrt(np.mean(off * off))), worst, int(poured_l.size))
