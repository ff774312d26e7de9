"""Changes worth trying on a measured pan, cheapest work first: what is filled, bolted on, welded, or made new.

Each is a pan as it would be; what it does is worked out by :mod:`basso.sump.variants`. Nothing is proposed that cannot
be made: the pickup keeps its clearance, the fill stays under the crank's sweep, a plate goes over the running level.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from basso.sentence import in_litres, in_mm, phrase
from basso.sump.compartments import compartments_of
from basso.sump.levels import LEAST_CLEARANCE_M, levels_of
from basso.sump.measured import Bay, MeasuredPan, Opening, Plate, Wall
from basso.sump.variants import Prediction, Variant
from basso.units import FloatArray

Work = Literal["fill", "bolt-on", "weld", "new pan"]
WORK_IN_ORDER: tuple[Work, ...] = ("fill", "bolt-on", "weld", "new pan")
_MORE_L = (0.2, 0.4, 0.6)
_LOWER_M = (0.002, 0.004)
_MOVED_M = 0.02
_PLATE_OVER_M = 0.010
_BOX_HALF_M, _BOX_HIGH_M, _DOOR_HIGH_M, _DOOR_WIDE_M = 0.075, 0.08, 0.03, 0.08
_DEEPER_M = 0.02
CURED_DIPS = 0.5
"""Fewer predicted dips than this on a drive are none."""
ENOUGH_DIPS, ENOUGH_SHARE = 1.5, 0.05
"""A change is enough where no more dips than this are left on a drive, or than this share of them (default): nearer
than that the model cannot tell."""
NOT_MODELLED = "Foam, oil thrown by the crank, a clogging strainer and flex of the pan are not modelled."


@dataclass(frozen=True, slots=True, eq=False)
class Cure:
    """A change that could be made.

    Attributes:
        title: what it is called; ``work``: what it takes.
        pan: the pan with it, the fill included.
        cost: what it costs elsewhere, a sentence; "" for nothing known.
    """

    title: str
    work: Work
    pan: MeasuredPan
    cost: str = ""

    def variant(self) -> Variant:
        """As the flow model tries it."""
        return Variant(self.title, compartments_of(self.pan), (self.pan.fill_l or 0.0) / 1000.0)


def cures_of(pan: MeasuredPan) -> tuple[Cure, ...]:
    """Sensible changes to a pan whose pickup and fill are known; () where they are not."""
    if pan.pickup is None or not pan.fill_l:
        return ()
    found = [*_more_oil(pan), *_lower_pickup(pan), *_moved_pickup(pan), *_plates(pan), *_doors(pan)]
    lower = next(iter(reversed(_lower_pickup(pan))), None)
    more = next((c for c in found if c.work == "fill"), None)
    if lower is not None and more is not None:
        both = replace(lower.pan, fill_l=more.pan.fill_l)
        title = phrase("{}, {}", lower.title, more.title)
        found.append(Cure(title, "bolt-on", both, lower.cost))
    found += [*_door_box(pan), *_deeper(pan)]
    return tuple(sorted(found, key=lambda c: WORK_IN_ORDER.index(c.work)))


def _more_oil(pan: MeasuredPan) -> list[Cure]:
    most = levels_of(pan).most_fill_m3
    fill = pan.fill_l or 0.0
    rows = []
    for more in _MORE_L:
        if fill + more > 0.95 * _capacity_l(pan) or (most is not None and fill + more > 1000.0 * most):
            continue
        cost = "" if most is not None else "The crank's sweep was not measured: check that it stays clear of the oil."
        title = phrase("{}", in_litres(more, 1, signed=True))
        rows.append(Cure(title, "fill", replace(pan, fill_l=fill + more), cost))
    return rows


def _capacity_l(pan: MeasuredPan) -> float:
    return 1000.0 * levels_of(pan).solid.capacity_m3


def _with_pickup(pan: MeasuredPan, **moved: float) -> MeasuredPan:
    pickup = pan.pickup
    assert pickup is not None
    x, y, z = pickup.middle_m
    at = (x + moved.get("x", 0.0), y + moved.get("y", 0.0), z + moved.get("z", 0.0))
    return replace(pan, pickup=replace(pickup, middle_m=at))


def _lower_pickup(pan: MeasuredPan) -> list[Cure]:
    clearance = levels_of(pan).clearance_m
    rows = []
    for lower in _LOWER_M:
        if clearance is None or clearance - lower < LEAST_CLEARANCE_M - 1e-9:
            continue
        title = phrase("Pickup {} lower", in_mm(1000 * lower))
        rows.append(Cure(title, "bolt-on", _with_pickup(pan, z=-lower)))
    return rows


def _home(pan: MeasuredPan) -> Bay | None:
    """The bay the pickup is in."""
    import shapely

    if pan.pickup is None:
        return None
    x, y, _ = pan.pickup.middle_m
    return next((b for b in pan.bays if shapely.Polygon(b.outline_m).buffer(1e-6).contains(shapely.Point(x, y))), None)


def _moved_pickup(pan: MeasuredPan) -> list[Cure]:
    import shapely

    home, pickup = _home(pan), pan.pickup
    if home is None or pickup is None:
        return []
    room = shapely.Polygon(home.outline_m).buffer(-pickup.radius_m)
    x, y, _ = pickup.middle_m
    rows = []
    for words, dx, dy, cost in (
        ("forward", _MOVED_M, 0.0, "Costs acceleration and launch."),
        ("back", -_MOVED_M, 0.0, "Costs braking."),
        ("to the left", 0.0, _MOVED_M, "Costs left turns."),
        ("to the right", 0.0, -_MOVED_M, "Costs right turns."),
    ):
        # Said of the car, measured on the pan.
        px, py, _ = (float(v) for v in pan.rotation().T @ np.array([dx, dy, 0.0]))
        if room.contains(shapely.Point(x + px, y + py)):
            moved = _with_pickup(pan, x=px, y=py)
            title = phrase("Pickup {} {}", in_mm(1000 * _MOVED_M), words)
            rows.append(Cure(title, "bolt-on", moved, cost))
    return rows


def _plates(pan: MeasuredPan) -> list[Cure]:
    told = levels_of(pan)
    home = _home(pan)
    rows: list[Cure] = []
    if told.running_m is None or home is None:
        return rows
    over = told.running_m + _PLATE_OVER_M
    for i, level in enumerate(told.plates):
        plate = level.plate
        others = pan.plates[:i], pan.plates[i + 1 :]

        def with_plate(made: Plate, others: tuple[tuple[Plate, ...], ...] = others) -> MeasuredPan:
            return replace(pan, plates=(*others[0], made, *others[1]))

        if level.over_running_m < 0.0 and over < float(home.roof_m.min()):
            raised = replace(plate, height_m=over)
            rows.append(
                Cure(
                    phrase("Plate in {} {} higher", plate.bay, in_mm(1000 * (over - plate.height_m))),
                    "bolt-on",
                    with_plate(raised),
                )
            )
        elif not plate.holes and plate.closed < 0.95:
            sealed = replace(plate, closed=0.95, outline_m=None)
            rows.append(
                Cure(
                    f"Plate in {plate.bay} sealed at its edge",
                    "bolt-on",
                    with_plate(sealed),
                    "Oil comes back more slowly: keep an opening away from where it is thrown.",
                )
            )
    if not any(p.bay == home.name for p in pan.plates) and float(home.floor_m.max()) < over < float(home.roof_m.min()):
        plate = Plate(home.name, over, 0.75)
        rows.append(
            Cure(
                phrase("Plate {} over the running level, three quarters closed", in_mm(1000 * _PLATE_OVER_M)),
                "weld",
                replace(pan, plates=(*pan.plates, plate)),
            )
        )
    return rows


def _doors(pan: MeasuredPan) -> list[Cure]:
    home = _home(pan)
    if home is None:
        return []
    turned = []
    for wall in pan.walls:
        if home.name in wall.between and any(not o.to_bay for o in wall.openings):
            turned.append(replace(wall, openings=tuple(replace(o, to_bay=home.name) for o in wall.openings)))
        else:
            turned.append(wall)
    if tuple(turned) == pan.walls:
        return []
    return [Cure("Doors in the openings to the pickup", "weld", replace(pan, walls=tuple(turned)))]


def _door_box(pan: MeasuredPan) -> list[Cure]:
    """A box about the pickup with a door in each side, open above."""
    import shapely
    from shapely import ops

    home, pickup = _home(pan), pan.pickup
    if home is None or pickup is None or any(home.name in w.between for w in pan.walls):
        return []
    if any(p.bay == home.name for p in pan.plates):
        return []
    if np.ptp(home.floor_m) > 1e-6 or np.ptp(home.roof_m) > 1e-6:
        return []  # of a sloping floor the pieces' corners would have to be measured
    x, y, _ = pickup.middle_m
    plan = shapely.Polygon(home.outline_m)
    box = shapely.box(x - _BOX_HALF_M, y - _BOX_HALF_M, x + _BOX_HALF_M, y + _BOX_HALF_M).intersection(plan)
    rest = plan.difference(box)
    if rest.is_empty or box.area > 0.6 * plan.area or not isinstance(box, shapely.Polygon):
        return []
    across = shapely.LineString([(x, y - 9.0), (x, y + 9.0)])
    pieces = shapely.get_parts(ops.split(rest, across))
    parts = [p for p in pieces if isinstance(p, shapely.Polygon) and p.area > 1e-5]
    floor, roof = float(home.floor_m[0]), float(home.roof_m[0])
    if floor + _BOX_HIGH_M >= roof - 0.005:
        return []

    def upright(name: str, shape: shapely.Polygon) -> Bay:
        outline = np.asarray(shapely.get_coordinates(shape.exterior))[:-1]
        outline = outline if shape.exterior.is_ccw else outline[::-1]
        return Bay(name, outline, np.full(len(outline), floor), np.full(len(outline), roof))

    inner = f"{home.name}, about the pickup"
    outer = [f"{home.name} {i}" for i in range(1, len(parts) + 1)]
    bays = [upright(inner, box), *(upright(name, part) for name, part in zip(outer, parts, strict=True))]
    walls = []
    for name, part in zip(outer, parts, strict=True):
        length = float(part.boundary.intersection(box.boundary.buffer(1e-6)).length)
        door = Opening(floor, floor + _DOOR_HIGH_M, min(_DOOR_WIDE_M, 0.8 * length), inner)
        walls.append(Wall((inner, name), (door, Opening(floor + _BOX_HIGH_M, roof, length))))
    others = tuple(b for b in pan.bays if b is not home)
    made = replace(pan, bays=(*bays, *others), walls=(*pan.walls, *walls))
    return [
        Cure(
            phrase("Box with one-way doors, {} wide, {} high", in_mm(2000 * _BOX_HALF_M), in_mm(1000 * _BOX_HIGH_M)),
            "weld",
            made,
            "Doors must open toward the pickup and close by themselves; clean every chip out.",
        )
    ]


def _deeper(pan: MeasuredPan) -> list[Cure]:
    home = _home(pan)
    if home is None or not pan.fill_l:
        return []
    # Heights go on counting from the lowest point, which is lower now: everything else stands higher over it.
    up = _DEEPER_M if float(home.floor_m.min()) <= 1e-6 else 0.0

    def bay(b: Bay) -> Bay:
        floor = b.floor_m + up - (_DEEPER_M if b is home else 0.0)
        return replace(b, floor_m=floor, roof_m=b.roof_m + up)

    def opening(o: Opening) -> Opening:
        return replace(o, low_m=o.low_m + up, high_m=o.high_m + up)

    made = replace(
        _with_pickup(pan, z=up - _DEEPER_M),
        bays=tuple(bay(b) for b in pan.bays),
        walls=tuple(replace(w, openings=tuple(opening(o) for o in w.openings)) for w in pan.walls),
        plates=tuple(replace(p, height_m=p.height_m + up) for p in pan.plates),
        sweep_m=pan.sweep_m + up if pan.sweep_m is not None else None,
        full_mark_m=pan.full_mark_m + up if pan.full_mark_m is not None else None,
        fill_l=pan.fill_l + 1000.0 * _area_m2(home.outline_m) * _DEEPER_M,
    )
    return [
        Cure(
            phrase("{} {} deeper, filled up", home.name.capitalize(), in_mm(1000 * _DEEPER_M)),
            "new pan",
            made,
            "Check ground clearance; the pickup has to reach as much further down, and the stick's mark moves.",
        )
    ]


def is_enough(told: Prediction) -> bool:
    """Whether a change leaves so few dips that the model cannot tell it from a cure."""
    return told.dips_after <= max(ENOUGH_DIPS, ENOUGH_SHARE * told.dips_before)


def ranked(cures: Sequence[Cure], predictions: Sequence[Prediction]) -> tuple[tuple[Cure, Prediction], ...]:
    """Cures with what they would do: those that are enough (:data:`ENOUGH_DIPS`) by the work they take, the smallest
    change first; then the others, by the dips they leave."""

    def order(pair: tuple[Cure, Prediction]) -> tuple[int, float, int, float]:
        cure, told = pair
        work = WORK_IN_ORDER.index(cure.work)
        if is_enough(told):
            return 0, float(work), 0, told.effect_kpa
        return 1, round(told.dips_after), work, told.effect_kpa

    return tuple(sorted(zip(cures, predictions, strict=True), key=order))


def _area_m2(outline_m: FloatArray) -> float:
    x, y = outline_m.T
    return float(0.5 * abs(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1))))
