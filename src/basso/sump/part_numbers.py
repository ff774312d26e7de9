"""What can be typed of each part of a pan, by name, and the pan with one of these numbers changed."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

from basso.sump.editing import (
    Part,
    checked,
    edge_length_m,
    floor_of,
    moved_corner,
    with_edge_length,
    with_floor,
    with_roof,
)
from basso.sump.measured import Hole, MeasuredPan, Opening, Pickup, Wall

Unit = Literal["length", "volume", "angle", "share", "cm³"]
_FAR_M = 3.0


@dataclass(frozen=True, slots=True)
class Number:
    """A number that can be typed.

    Attributes:
        key: for :func:`with_number`; ``name``: on screen.
        value: m, L, degrees, 0 to 1 or cm³ by ``unit``; None where it was not measured, which ``may_lack`` allows.
        low, high: it lies between.
    """

    key: str
    name: str
    value: float | None
    unit: Unit = "length"
    low: float = -_FAR_M
    high: float = _FAR_M
    may_lack: bool = False


def numbers_of(pan: MeasuredPan, part: Part) -> tuple[Number, ...]:
    """What can be typed of a part."""
    i, k = part.index, part.inner
    if part.kind == "pan":
        pump = 1e6 * pan.pump_m3_per_rev if pan.pump_m3_per_rev is not None else None
        return (
            Number("fill", "Oil in it, engine stopped", pan.fill_l, "volume", 0.0, 100.0, True),
            Number("away", "Of that up in the engine", pan.away_l, "volume", 0.0, 20.0),
            Number("sweep", "Crank sweep over the floor", pan.sweep_m, may_lack=True),
            Number("full", "Stick's full mark", pan.full_mark_m, may_lack=True),
            Number("pump", "Pump, for a turn of the crank", pump, "cm³", 0.1, 500.0, True),
            Number("gasket_free", "Gasket, loose", pan.gasket_free_m, low=0.0, high=0.02, may_lack=True),
            Number("gasket", "Gasket, tightened", pan.gasket_pressed_m, low=0.0, high=0.02, may_lack=True),
            Number("lean", "Engine leans left", pan.lean_left_deg, "angle", -60.0, 60.0),
            Number("nose", "Engine's nose up", pan.nose_up_deg, "angle", -30.0, 30.0),
        )
    if part.kind == "bay":
        middle, ahead, left = floor_of(pan.bays[i])
        return (
            Number("floor", "Floor, in its middle", middle),
            Number("ahead", "Floor rises to the nose by", ahead),
            Number("left", "Floor rises to the left by", left),
            Number("roof", "Rail or roof", float(pan.bays[i].roof_m[0])),
        )
    if part.kind == "corner":
        x, y = pan.bays[i].outline_m[k]
        return (Number("x", "Forward", float(x)), Number("y", "To the left", float(y)))
    if part.kind == "edge":
        return (Number("length", "Length", edge_length_m(pan, i, k), low=0.001),)
    if part.kind == "pickup" and pan.pickup is not None:
        p = pan.pickup
        return (
            Number("x", "Mouth, forward", p.middle_m[0]),
            Number("y", "Mouth, to the left", p.middle_m[1]),
            Number("z", "Mouth, over the floor", p.middle_m[2]),
            Number("radius", "Mouth, radius", p.radius_m, low=0.001, high=0.1),
            Number("nose_up", "Mouth tilted nose up", p.nose_up_deg, "angle", -60.0, 60.0),
            Number("left_up", "Mouth tilted left up", p.left_up_deg, "angle", -60.0, 60.0),
        )
    if part.kind == "opening":
        o = pan.walls[i].openings[k]
        return (
            Number("low", "From", o.low_m),
            Number("high", "Up to", o.high_m),
            Number("width", "Width", o.width_m, low=0.0001, high=2.0),
        )
    if part.kind == "plate":
        plate = pan.plates[i]
        closed = () if plate.holes else (Number("closed", "Closed share", plate.closed, "share", 0.0, 1.0),)
        return (Number("z", "Height of its underside", plate.height_m), *closed)
    if part.kind == "hole":
        h = pan.plates[i].holes[k]
        return (
            Number("x", "Forward", h.x_m),
            Number("y", "To the left", h.y_m),
            Number("diameter", "Diameter", 2.0 * h.radius_m, low=0.0005, high=0.5),
        )
    return ()


def with_number(pan: MeasuredPan, part: Part, key: str, value: float | None) -> MeasuredPan:
    """The pan with one number of a part changed; None: not measured.

    Raises:
        InputError: the pan cannot be so.
    """
    i, k = part.index, part.inner
    if value is None:
        return checked(replace(pan, **{_OF_PAN[key]: None}))  # type: ignore[arg-type]
    if part.kind == "pan":
        stored = value / 1e6 if key == "pump" else value
        return checked(replace(pan, **{_OF_PAN[key]: stored}))  # type: ignore[arg-type]
    if part.kind == "bay":
        if key == "roof":
            return with_roof(pan, i, value)
        figures = dict(zip(("floor", "ahead", "left"), floor_of(pan.bays[i]), strict=True)) | {key: value}
        return with_floor(pan, i, figures["floor"], figures["ahead"], figures["left"])
    if part.kind == "corner":
        x, y = (float(v) for v in pan.bays[i].outline_m[k])
        return moved_corner(pan, i, k, (value, y) if key == "x" else (x, value))
    if part.kind == "edge":
        return with_edge_length(pan, i, k, value)
    if part.kind == "pickup" and pan.pickup is not None:
        return checked(replace(pan, pickup=_pickup(pan.pickup, key, value)))
    if part.kind == "opening":
        return with_changed_opening(pan, part, replace(pan.walls[i].openings[k], **{f"{key}_m": value}))  # type: ignore[arg-type]
    if part.kind == "plate":
        plate = replace(pan.plates[i], **{"height_m" if key == "z" else "closed": value})  # type: ignore[arg-type]
        return checked(replace(pan, plates=(*pan.plates[:i], plate, *pan.plates[i + 1 :])))
    if part.kind == "hole":
        old = pan.plates[i]
        h = old.holes[k]
        hole = Hole(
            value if key == "x" else h.x_m,
            value if key == "y" else h.y_m,
            value / 2 if key == "diameter" else h.radius_m,
        )
        plate = replace(old, holes=(*old.holes[:k], hole, *old.holes[k + 1 :]))
        return checked(replace(pan, plates=(*pan.plates[:i], plate, *pan.plates[i + 1 :])))
    return pan


def with_changed_opening(pan: MeasuredPan, part: Part, opening: Opening) -> MeasuredPan:
    """The pan with an opening of a wall as given."""
    old = pan.walls[part.index]
    openings = (*old.openings[: part.inner], opening, *old.openings[part.inner + 1 :])
    walls = (*pan.walls[: part.index], Wall(old.between, openings), *pan.walls[part.index + 1 :])
    return checked(replace(pan, walls=walls))


_OF_PAN = {
    "fill": "fill_l",
    "away": "away_l",
    "sweep": "sweep_m",
    "full": "full_mark_m",
    "pump": "pump_m3_per_rev",
    "gasket_free": "gasket_free_m",
    "gasket": "gasket_pressed_m",
    "lean": "lean_left_deg",
    "nose": "nose_up_deg",
}


def _pickup(p: Pickup, key: str, value: float) -> Pickup:
    x, y, z = p.middle_m
    if key in ("x", "y", "z"):
        at = {"x": x, "y": y, "z": z} | {key: value}
        return replace(p, middle_m=(at["x"], at["y"], at["z"]))
    named = {"radius": "radius_m", "nose_up": "nose_up_deg", "left_up": "left_up_deg"}[key]
    return replace(p, **{named: value})  # type: ignore[arg-type]
