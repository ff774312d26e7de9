"""The file of a measured pan: TOML, millimetres and litres, every entry explained in :func:`example`."""

from __future__ import annotations

import math
import tomllib
from importlib import resources
from pathlib import Path
from typing import Any, cast

import numpy as np

from basso.errors import InputError
from basso.files import open_plain
from basso.plain_text import plain
from basso.sump.measured import Axis, Bay, Gasket, Hole, MeasuredPan, Opening, Pickup, Plate, Wall
from basso.units import FloatArray

SCHEMA = "basso.pan/1"
_MOST_BYTES = 1_000_000
_MOST_BAYS, _MOST_CORNERS, _MOST_ENTRIES = 24, 400, 100
_FARTHEST_MM = 3000.0
_LEAST_AREA_M2 = 1e-4


def example() -> str:
    """A pan with every entry there is, explained."""
    return resources.files("basso.sump").joinpath("example.toml").read_text(encoding="utf-8")


def read_pan(path: Path) -> MeasuredPan:
    """Read a pan.

    Raises:
        InputError: the file cannot be read or used; the sentence names the entry and what to do.
    """
    with open_plain(path) as stream:
        raw = stream.read(_MOST_BYTES + 1)
    if len(raw) > _MOST_BYTES:
        raise InputError(f"{path}: is larger than any pan's file; 'basso sump --example' prints one.")
    try:
        table = tomllib.loads(raw.decode("utf-8"))
    except UnicodeDecodeError:
        raise InputError(f"{path}: is not text in UTF-8; save it as UTF-8.") from None
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        raise InputError(
            f"{path}: is not TOML ({plain(str(error), 120)}); 'basso sump --example' prints one."
        ) from None
    return pan_of(table, str(path))


def pan_of(table: dict[str, Any], where: str) -> MeasuredPan:
    """A pan from its table.

    Raises:
        InputError: an entry is missing, unknown or impossible; ``where`` is named first.
    """
    top = _Entry(where, "", table)
    if top.text("schema", "") != SCHEMA:
        raise InputError(f'{where}: is no pan\'s file: it has to begin with schema = "{SCHEMA}".')
    engine, fill, crank, stick, pump, gasket = (
        top.entry(k) for k in ("engine", "fill", "crank", "stick", "pump", "gasket")
    )
    from_rail = top.choice("heights_from", ("floor", "rail"), "floor") == "rail"

    def height_m(mm: float) -> float:
        return (-mm if from_rail else mm) / 1000.0

    bays = tuple(_bay(e, height_m) for e in top.entries("bay"))
    if not 1 <= len(bays) <= _MOST_BAYS:
        raise InputError(f"{where}: has {len(bays)} bays; describe 1 to {_MOST_BAYS} with [[bay]].")
    names = [b.name for b in bays]
    if len(set(names)) != len(names):
        raise InputError(f"{where}: two bays have the same name; give each its own.")
    # Heights count from the lowest point of the floor.
    lowest = min(float(b.floor_m.min()) for b in bays)
    bays = tuple(Bay(b.name, b.outline_m, b.floor_m - lowest, b.roof_m - lowest) for b in bays)
    _check_apart(where, bays)

    def from_lowest_m(mm: float) -> float:
        return height_m(mm) - lowest

    sweep = crank.number("sweep_z") if crank.has("sweep_z") else None
    full = stick.number("full_z") if stick.has("full_z") else None
    pan = MeasuredPan(
        name=top.text("name", "Pan"),
        bays=bays,
        pickup=_pickup(top.entry("pickup"), from_lowest_m) if top.has("pickup") else None,
        walls=tuple(_wall(e, names, from_lowest_m) for e in top.entries("wall")),
        plates=tuple(_plate(e, names, from_lowest_m) for e in top.entries("plate")),
        axis=cast(Axis, engine.choice("axis", ("along", "across"), "along")),
        lean_left_deg=engine.number("lean_left_deg", 0.0, -60.0, 60.0),
        nose_up_deg=engine.number("nose_up_deg", 0.0, -30.0, 30.0),
        fill_l=fill.number("volume", None, 0.0, 100.0) if fill.has("volume") else None,
        away_l=fill.number("away", 0.0, 0.0, 20.0),
        sweep_m=from_lowest_m(sweep) if sweep is not None else None,
        full_mark_m=from_lowest_m(full) if full is not None else None,
        pump_m3_per_rev=pump.number("cm3_per_rev", None, 0.1, 500.0) / 1e6 if pump.has("cm3_per_rev") else None,
        gasket_free_m=gasket.number("free", None, 0.0, 20.0) / 1000.0 if gasket.has("free") else None,
        gasket_pressed_m=gasket.number("pressed", None, 0.0, 20.0) / 1000.0 if gasket.has("pressed") else None,
        gasket_as_measured=cast(Gasket, gasket.choice("as_measured", ("out", "free", "pressed"), "pressed")),
    )
    for entry in (top, engine, fill, crank, stick, pump, gasket):
        entry.nothing_else()
    _check_pickup(where, pan)
    return pan


class _Entry:
    """One table of the file: each value is asked for by name, and what was not asked for is a mistake."""

    def __init__(self, where: str, name: str, table: dict[str, Any]) -> None:
        self._where, self._name, self._table = where, name, table
        self._asked: set[str] = set()

    def wrong(self, key: str, what: str) -> InputError:
        place = f"{self._name}.{key}" if self._name else key
        return InputError(f"{self._where}: {place} {what}.")

    def has(self, key: str) -> bool:
        self._asked.add(key)
        return key in self._table

    def value(self, key: str) -> Any:
        if not self.has(key):
            raise self.wrong(key, "is missing; 'basso sump --example' shows what it is")
        return self._table[key]

    def number(
        self, key: str, default: float | None = None, low: float = -_FARTHEST_MM, high: float = _FARTHEST_MM
    ) -> float:
        if default is not None and not self.has(key):
            return default
        return self._as_number(key, self.value(key), low, high)

    def _as_number(self, key: str, value: Any, low: float = -_FARTHEST_MM, high: float = _FARTHEST_MM) -> float:
        if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
            raise self.wrong(key, "has to be a number")
        if not low <= value <= high:
            raise self.wrong(key, f"is {value:g}; it has to lie between {low:g} and {high:g}")
        return float(value)

    def text(self, key: str, default: str) -> str:
        value = self._table.get(key, default) if self.has(key) else default
        if not isinstance(value, str):
            raise self.wrong(key, "has to be text")
        return plain(value, 80)

    def choice(self, key: str, known: tuple[str, ...], default: str) -> str:
        value = self.text(key, default)
        if value not in known:
            raise self.wrong(key, f"is '{value}'; it has to be {' or '.join(known)}")
        return value

    def points(self, key: str, size: int, least: int, most: int) -> FloatArray:
        value = self.value(key)
        if not isinstance(value, list) or not least <= len(value) <= most:
            raise self.wrong(key, f"has to be a list of {least} to {most} points, in mm")
        for point in value:
            if not isinstance(point, list) or len(point) != size:
                raise self.wrong(key, f"has to hold points of {size} numbers, in mm")
        return np.array([[self._as_number(key, v) for v in point] for point in value], dtype=np.float64)

    def entry(self, key: str) -> _Entry:
        value = self._table.get(key, {}) if self.has(key) else {}
        if not isinstance(value, dict):
            raise self.wrong(key, f"has to be a table: [{key}]")
        return _Entry(self._where, f"{self._name}.{key}" if self._name else key, value)

    def entries(self, key: str) -> list[_Entry]:
        value = self._table.get(key, []) if self.has(key) else []
        if not isinstance(value, list) or not all(isinstance(v, dict) for v in value):
            raise self.wrong(key, f"has to be a list of tables: [[{key}]]")
        if len(value) > _MOST_ENTRIES:
            raise self.wrong(key, f"has {len(value)} entries; there may be {_MOST_ENTRIES}")
        name = f"{self._name}.{key}" if self._name else key
        return [_Entry(self._where, f"{name} {i}", v) for i, v in enumerate(value, 1)]

    def nothing_else(self) -> None:
        unknown = sorted(set(self._table) - self._asked)
        if unknown:
            known = ", ".join(sorted(self._asked))
            raise self.wrong(plain(unknown[0], 40), f"is not known here; there are {known}")


def _bay(e: _Entry, height_m: Any) -> Bay:
    import shapely

    outline = e.points("outline", 2, 3, _MOST_CORNERS) / 1000.0
    shape = shapely.Polygon(outline)
    if not shape.is_valid or shape.area < _LEAST_AREA_M2:
        raise e.wrong("outline", "crosses itself or has no area; go round the bay once, corner by corner")
    if not shape.exterior.is_ccw:
        outline = outline[::-1]
    roof = np.full(len(outline), height_m(e.number("roof")))
    if isinstance(e.value("floor"), list):
        x, y, z = e.points("floor", 3, 3, 3).T
        plane = np.column_stack([x, y, np.ones(3)])
        if abs(np.linalg.det(plane)) < 1.0:
            raise e.wrong("floor", "has three points on one line; choose three that span the floor")
        a, b, c = np.linalg.solve(plane, z)
        floor = np.array([height_m(float(v)) for v in 1000.0 * outline @ np.array([a, b]) + c])
    else:
        floor = np.full(len(outline), height_m(e.number("floor")))
    if float((roof - floor).min()) <= 0.001:
        raise e.wrong(
            "roof",
            'does not lie over the floor everywhere; heights count from the floor up unless heights_from = "rail"',
        )
    name = e.text("name", "")
    if not name:
        raise e.wrong("name", "is missing; walls and plates call the bay by it")
    e.nothing_else()
    return Bay(name, outline, floor, roof)


def _pickup(e: _Entry, from_lowest_m: Any) -> Pickup:
    made = Pickup(
        middle_m=(e.number("x") / 1000.0, e.number("y") / 1000.0, from_lowest_m(e.number("z"))),
        radius_m=e.number("radius", 15.0, 1.0, 100.0) / 1000.0,
        nose_up_deg=e.number("nose_up_deg", 0.0, -60.0, 60.0),
        left_up_deg=e.number("left_up_deg", 0.0, -60.0, 60.0),
    )
    e.nothing_else()
    return made


def _wall(e: _Entry, names: list[str], from_lowest_m: Any) -> Wall:
    between = e.value("between")
    if not isinstance(between, list) or len(between) != 2 or between[0] == between[1] or not set(between) <= set(names):
        raise e.wrong("between", f"has to name two of the bays: {', '.join(names)}")
    openings = []
    for o in e.entries("opening"):
        low, high = sorted((from_lowest_m(o.number("low")), from_lowest_m(o.number("high"))))
        to = o.text("to", "")
        if to not in ("", *between):
            raise o.wrong("to", f"has to be one of its two bays, {between[0]} or {between[1]}")
        openings.append(Opening(low, high, o.number("width", None, 0.1, 2000.0) / 1000.0, to))
        o.nothing_else()
    e.nothing_else()
    return Wall((between[0], between[1]), tuple(openings))


def _plate(e: _Entry, names: list[str], from_lowest_m: Any) -> Plate:
    bay = e.text("bay", names[0])
    if bay not in names:
        raise e.wrong("bay", f"is '{bay}'; there are {', '.join(names)}")
    outline = e.points("outline", 2, 3, _MOST_CORNERS) / 1000.0 if e.has("outline") else None
    if outline is not None:
        import shapely

        shape = shapely.Polygon(outline)
        if not shape.is_valid or shape.area < _LEAST_AREA_M2:
            raise e.wrong("outline", "crosses itself or has no area; go round the plate once, corner by corner")
    holes = []
    for h in e.entries("hole"):
        holes.append(
            Hole(h.number("x") / 1000.0, h.number("y") / 1000.0, h.number("diameter", None, 0.5, 500.0) / 2000.0)
        )
        h.nothing_else()
    made = Plate(bay, from_lowest_m(e.number("z")), e.number("closed", 0.75, 0.0, 1.0), outline, tuple(holes))
    e.nothing_else()
    return made


def _check_apart(where: str, bays: tuple[Bay, ...]) -> None:
    """No room counts twice: bays may touch, and may lie over one another, but not in one another."""
    import shapely

    shapes = [shapely.Polygon(b.outline_m) for b in bays]
    for i, first in enumerate(bays):
        for k in range(i):
            second = bays[k]
            shared = shapes[i].intersection(shapes[k]).area
            over = (
                first.floor_m.min() >= second.roof_m.max() - 1e-6 or second.floor_m.min() >= first.roof_m.max() - 1e-6
            )
            if shared > 1e-6 and not over:
                raise InputError(
                    f"{where}: the bays {second.name} and {first.name} overlap by {shared * 1e4:.0f} cm² seen from "
                    "above; move a corner so that they only touch."
                )


def _check_pickup(where: str, pan: MeasuredPan) -> None:
    import shapely

    if pan.pickup is None:
        return
    x, y, z = pan.pickup.middle_m
    z += pan.gasket_lift_m
    for bay in pan.bays:
        inside = shapely.Polygon(bay.outline_m).buffer(1e-6).contains(shapely.Point(x, y))
        if inside and float(bay.floor_m.min()) - 1e-6 <= z <= float(bay.roof_m.max()) + 1e-6:
            return
    raise InputError(
        f"{where}: pickup lies outside of every bay, at x {1000 * x:g}, y {1000 * y:g} and {1000 * z:g} mm over the "
        "lowest point; x counts forward, y to the left."
    )


def pan_text(pan: MeasuredPan) -> str:
    """A pan as its file, heights counted from the floor; :func:`read_pan` gives it back."""

    def mm(metres: float) -> str:
        return f"{1000.0 * metres:.6g}"

    def points(values: FloatArray) -> str:
        return "[" + ", ".join(f"[{', '.join(mm(float(v)) for v in p)}]" for p in values) + "]"

    def surface(outline_m: FloatArray, heights_m: FloatArray) -> str:
        if float(np.ptp(heights_m)) < 1e-9:
            return mm(float(heights_m[0]))
        # Three corners that span the floor: those of the widest triangle from the first.
        corners = np.column_stack([outline_m, heights_m])
        return points(corners[_spanning(outline_m)])

    lines = [f'schema = "{SCHEMA}"', f"name = {_quoted(pan.name)}", 'heights_from = "floor"', ""]
    lines += ["[engine]", f'axis = "{pan.axis}"', f"lean_left_deg = {pan.lean_left_deg:g}"]
    lines += [f"nose_up_deg = {pan.nose_up_deg:g}", ""]
    if pan.fill_l is not None:
        lines += ["[fill]", f"volume = {pan.fill_l:g}", f"away = {pan.away_l:g}", ""]
    p = pan.pickup
    if p is not None:
        lines += ["[pickup]", *(f"{k} = {mm(v)}" for k, v in zip("xyz", p.middle_m, strict=True))]
        lines += [
            f"radius = {mm(p.radius_m)}",
            f"nose_up_deg = {p.nose_up_deg:g}",
            f"left_up_deg = {p.left_up_deg:g}",
            "",
        ]
    for bay in pan.bays:
        lines += ["[[bay]]", f"name = {_quoted(bay.name)}", f"outline = {points(bay.outline_m)}"]
        lines += [f"floor = {surface(bay.outline_m, bay.floor_m)}", f"roof = {mm(float(bay.roof_m[0]))}", ""]
    for wall in pan.walls:
        lines += ["[[wall]]", f"between = [{', '.join(_quoted(n) for n in wall.between)}]", ""]
        for o in wall.openings:
            lines += ["[[wall.opening]]", f"low = {mm(o.low_m)}", f"high = {mm(o.high_m)}", f"width = {mm(o.width_m)}"]
            lines += [f"to = {_quoted(o.to_bay)}", ""] if o.to_bay else [""]
    for plate in pan.plates:
        lines += ["[[plate]]", f"bay = {_quoted(plate.bay)}", f"z = {mm(plate.height_m)}", f"closed = {plate.closed:g}"]
        lines += [f"outline = {points(plate.outline_m)}"] if plate.outline_m is not None else []
        lines.append("")
        for h in plate.holes:
            lines += [
                "[[plate.hole]]",
                f"x = {mm(h.x_m)}",
                f"y = {mm(h.y_m)}",
                f"diameter = {mm(2.0 * h.radius_m)}",
                "",
            ]
    for table, key, value in (("crank", "sweep_z", pan.sweep_m), ("stick", "full_z", pan.full_mark_m)):
        if value is not None:
            lines += [f"[{table}]", f"{key} = {mm(value)}", ""]
    thick = [(k, v) for k, v in (("free", pan.gasket_free_m), ("pressed", pan.gasket_pressed_m)) if v is not None]
    if thick:
        lines += ["[gasket]", *(f"{k} = {mm(v)}" for k, v in thick), f'as_measured = "{pan.gasket_as_measured}"', ""]
    if pan.pump_m3_per_rev is not None:
        lines += ["[pump]", f"cm3_per_rev = {1e6 * pan.pump_m3_per_rev:g}", ""]
    return "\n".join(lines)


def _quoted(text: str) -> str:
    escaped = text.replace("\\", "\\\\").replace('"', '\\"')
    return f'"{escaped}"'


def _spanning(outline_m: FloatArray) -> list[int]:
    """Three corners of an outline with the largest triangle from the first."""
    first = outline_m[0]
    best = (0.0, [0, 1, 2])
    for i in range(1, len(outline_m)):
        for k in range(i + 1, len(outline_m)):
            a, b = outline_m[i] - first, outline_m[k] - first
            area = abs(float(a[0] * b[1] - a[1] * b[0]))
            if area > best[0]:
                best = (area, [0, i, k])
    return best[1]
