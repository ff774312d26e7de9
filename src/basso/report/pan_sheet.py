"""The fabrication sheet of a pan: to scale in three views, with what is to be made, as SVG, DXF and words.

Lengths in mm, 1:1. Seen from above the nose is up and the car's left on the left; below it the view from behind; beside
that the view from the left, nose to the left.
"""

from __future__ import annotations

import io
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from types import MappingProxyType
from typing import Literal
from xml.sax.saxutils import escape

from basso.sump.measured import MeasuredPan
from basso.sump.sections import Drawing, drawing_of

Layer = Literal["PAN", "PLATE", "DOOR", "PICKUP", "SIZE", "WORDS"]
LAYERS: Mapping[Layer, tuple[int, str, str]] = MappingProxyType(
    {
        "PAN": (7, "#1D2226", ""),
        "PLATE": (5, "#35488A", "6 3"),
        "DOOR": (3, "#14555F", ""),
        "PICKUP": (1, "#8E2340", ""),
        "SIZE": (8, "#5C646A", ""),
        "WORDS": (7, "#1D2226", ""),
    }
)
"""Each layer's colour number (DXF), colour and dash (SVG)."""
CAUTIONS = (
    "Never weld a pan that held oil before it is cleaned and vented.",
    "Deburr, and clean every chip out before it closes.",
    "Turn the engine by hand with the pan on: nothing may touch crank, rods or the pickup's tube.",
    "Check ground clearance, and that the guard still fits.",
    "Measure the pickup with the gasket in: 3 to 10 mm over the floor unless its maker says otherwise.",
    "The engine builder, the maker's manual and the event's rules decide.",
)
_GAP, _WORD = 60.0, 6.0
_Placed = Callable[[tuple[float, float]], tuple[float, float]]


@dataclass(frozen=True, slots=True)
class Line:
    """A polyline; ``closed``: back to its start."""

    points: tuple[tuple[float, float], ...]
    layer: Layer
    closed: bool = False


@dataclass(frozen=True, slots=True)
class Circle:
    """A circle."""

    middle: tuple[float, float]
    radius: float
    layer: Layer


@dataclass(frozen=True, slots=True)
class Word:
    """A line of text, its start (or its middle) on the base line."""

    at: tuple[float, float]
    text: str
    centred: bool = False
    height: float = _WORD


@dataclass(frozen=True, slots=True)
class PanSheet:
    """A drawing in mm, y up, and the lines of its table.

    Attributes:
        title: what is to be made.
        lines, circles, words: the three views.
        table: what is measured where, a line each; ``cautions`` beside them.
    """

    title: str
    lines: tuple[Line, ...]
    circles: tuple[Circle, ...]
    words: tuple[Word, ...]
    table: tuple[str, ...]
    cautions: tuple[str, ...] = CAUTIONS

    @property
    def box(self) -> tuple[float, float, float, float]:
        """Least x and y, greatest x and y of what is drawn."""
        points = [p for line in self.lines for p in line.points]
        points += [(c.middle[0] + s * c.radius, c.middle[1] + s * c.radius) for c in self.circles for s in (-1, 1)]
        points += [w.at for w in self.words]
        xs, ys = [p[0] for p in points], [p[1] for p in points]
        return min(xs), min(ys), max(xs), max(ys)


def pan_sheet(pan: MeasuredPan, title: str = "") -> PanSheet:
    """The sheet of a pan as it is to be."""
    d = drawing_of(pan)
    x0, x1, y0, y1 = (1000.0 * v for v in d.extent)
    low, high = 1000.0 * d.low_m, 1000.0 * d.high_m
    lines: list[Line] = []
    circles: list[Circle] = []
    words: list[Word] = []

    def above(p: tuple[float, float]) -> tuple[float, float]:
        return -1000.0 * p[1], 1000.0 * p[0]

    below = x0 - _GAP - (high - low)
    beside = -y0 + _GAP + x1

    def behind(p: tuple[float, float]) -> tuple[float, float]:
        return -1000.0 * p[0], below + 1000.0 * p[1] - low

    def side(p: tuple[float, float]) -> tuple[float, float]:
        return beside - 1000.0 * p[0], below + 1000.0 * p[1] - low

    for name, outline in zip(d.names, d.above, strict=True):
        lines.append(Line(tuple(above(p) for p in outline), "PAN", True))
        middle = above((sum(p[0] for p in outline) / len(outline), sum(p[1] for p in outline) / len(outline)))
        words.append(Word(middle, name, True))
    lines += [Line(tuple(above(p) for p in plate), "PLATE", True) for plate in d.plates_above]
    lines += [Line(tuple(behind(p) for p in (c[3], c[0], c[1], c[2])), "PAN") for c in d.behind]
    lines += [Line(tuple(side(p) for p in (c[3], c[0], c[1], c[2])), "PAN") for c in d.side]
    lines += [Line((behind(p.start), behind(p.end)), "PLATE") for p in d.plates_behind]
    lines += [Line((side(p.start), side(p.end)), "PLATE") for p in d.plates_side]
    for door in d.doors:
        circles.append(Circle(above(door.at), 4.0, "DOOR"))
        if door.way != (0.0, 0.0):
            tip = (door.at[0] + 0.02 * door.way[0], door.at[1] + 0.02 * door.way[1])
            lines.append(Line((above(door.at), above(tip)), "DOOR"))
    rotation = pan.rotation()
    for plate in pan.plates:
        for hole in plate.holes:
            x, y, _ = (float(v) for v in rotation @ (hole.x_m, hole.y_m, plate.height_m))
            circles.append(Circle(above((x, y)), 1000.0 * hole.radius_m, "PLATE"))
    _add_pickup(d, pan, above, behind, side, high - low + below, lines, circles)
    _add_sizes((-y1, -y0), (x0, x1), (below, below + high - low), lines, words)
    words.append(Word((-y1, x1 + 26.0), "from above, nose up"))
    words.append(Word((-y1, below + high - low + 8.0), "from behind"))
    words.append(Word((beside - x1, below + high - low + 8.0), "from the left, nose to the left"))
    return PanSheet(title or pan.name, tuple(lines), tuple(circles), tuple(words), tuple(_table(pan, high - low)))


def _add_pickup(
    d: Drawing,
    pan: MeasuredPan,
    above: _Placed,
    behind: _Placed,
    side: _Placed,
    top: float,
    lines: list[Line],
    circles: list[Circle],
) -> None:
    if d.pickup is None or pan.pickup is None:
        return
    x, y, z = d.pickup
    radius = 1000.0 * pan.pickup.radius_m
    middle = above((x, y))
    circles.append(Circle(middle, radius, "PICKUP"))
    lines.append(Line(((middle[0] - radius - 4, middle[1]), (middle[0] + radius + 4, middle[1])), "PICKUP"))
    lines.append(Line(((middle[0], middle[1] - radius - 4), (middle[0], middle[1] + radius + 4)), "PICKUP"))
    for place in (behind((y, z)), side((x, z))):
        lines.append(Line(((place[0] - radius, place[1]), (place[0] + radius, place[1])), "PICKUP"))
        lines.append(Line(((place[0], place[1]), (place[0], top)), "PICKUP"))


def _add_sizes(
    across: tuple[float, float],
    along: tuple[float, float],
    up: tuple[float, float],
    lines: list[Line],
    words: list[Word],
) -> None:
    """Overall sizes beside the views."""
    (a, b), (c, e), (f, g) = across, along, up
    lines.append(Line(((a, e + 12.0), (b, e + 12.0)), "SIZE"))
    words.append(Word(((a + b) / 2, e + 14.0), f"{b - a:.1f}", True))
    for low, high in ((c, e), (f, g)):
        lines.append(Line(((a - 12.0, low), (a - 12.0, high)), "SIZE"))
        words.append(Word((a - 40.0, (low + high) / 2), f"{high - low:.1f}"))


def _table(pan: MeasuredPan, depth: float) -> Iterable[str]:
    """What is measured where, a line each."""

    def mm(metres: float) -> str:
        return f"{1000.0 * metres:.1f}".replace("-", "−")

    def from_rail(metres: float) -> str:
        return f"{mm(metres)} mm over the lowest point, {depth - 1000.0 * metres:.1f} mm below the rail"

    for bay in pan.bays:
        x0, y0 = bay.outline_m.min(axis=0)
        x1, y1 = bay.outline_m.max(axis=0)
        least, most = mm(float(bay.floor_m.min())), mm(float(bay.floor_m.max()))
        floor = least if least == most else f"{least} to {most}"
        yield (
            f"{bay.name}: {mm(x1 - x0)} × {mm(y1 - y0)} mm, floor {floor} mm and rail {mm(float(bay.roof_m.max()))} mm "
            "over the lowest point"
        )
    if pan.pickup is not None:
        x, y, z = pan.pickup.middle_m
        yield (
            f"Pickup: mouth {2000.0 * pan.pickup.radius_m:.1f} mm, its middle at {mm(x)} forward, {mm(y)} left in the "
            f"pan's own axes, {from_rail(z)}"
        )
    for plate in pan.plates:
        holes = ", ".join(f"hole {2000.0 * h.radius_m:.1f} mm at {mm(h.x_m)}, {mm(h.y_m)}" for h in plate.holes)
        yield (
            f"Plate in {plate.bay}: underside {from_rail(plate.height_m)}; "
            f"{holes or f'{100.0 * plate.closed:.0f} % closed'}"
        )
    for wall in pan.walls:
        for o in wall.openings:
            kind = f"door, opens only to {o.to_bay}" if o.to_bay else "opening"
            yield (
                f"Between {wall.between[0]} and {wall.between[1]}: {kind}, {mm(o.width_m)} mm wide, from "
                f"{mm(o.low_m)} to {mm(o.high_m)} mm over the lowest point"
            )
    if pan.fill_l is not None:
        yield f"Oil in the pan, engine stopped: {pan.fill_l:.2f} L"
    if pan.sweep_m is not None:
        yield f"Crank sweep: {from_rail(pan.sweep_m)}"


def as_svg(sheet: PanSheet) -> bytes:
    """The sheet as SVG, 1:1 in mm."""
    x0, y0, x1, y1 = sheet.box
    rows = [sheet.title, *sheet.table, *(f"Caution: {c}" for c in sheet.cautions), "mm, 1:1"]
    left, top = x0 - 20.0, y1 + 20.0
    width = max(x1 - x0 + 60.0, 60.0 + 3.1 * max(len(r) for r in rows))
    height = y1 - y0 + 60.0 + 9.0 * len(rows)
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:.1f}mm" height="{height:.1f}mm" '
        f'viewBox="0 0 {width:.1f} {height:.1f}">',
        f"<title>{escape(sheet.title)}</title>",
        f'<rect width="{width:.1f}" height="{height:.1f}" fill="#FFFFFF"/>',
    ]

    def at(p: tuple[float, float]) -> str:
        return f"{p[0] - left:.2f},{top - p[1]:.2f}"

    for line in sheet.lines:
        _, color, dash = LAYERS[line.layer]
        tag = "polygon" if line.closed else "polyline"
        dashes = f' stroke-dasharray="{dash}"' if dash else ""
        points = " ".join(at(p) for p in line.points)
        parts.append(f'<{tag} points="{points}" fill="none" stroke="{color}" stroke-width="0.6"{dashes}/>')
    for c in sheet.circles:
        cx, cy = at(c.middle).split(",")
        color = LAYERS[c.layer][1]
        parts.append(
            f'<circle cx="{cx}" cy="{cy}" r="{c.radius:.2f}" fill="none" stroke="{color}" stroke-width="0.6"/>'
        )
    for w in sheet.words:
        x, y = at(w.at).split(",")
        anchor = ' text-anchor="middle"' if w.centred else ""
        parts.append(
            f'<text x="{x}" y="{y}" font-family="sans-serif" font-size="{w.height:g}"{anchor}>{escape(w.text)}</text>'
        )
    y_row = top - y0 + 24.0
    for n, row in enumerate(rows):
        style = 'font-family="sans-serif" font-size="6"' + (' font-weight="bold"' if n == 0 else "")
        parts.append(f'<text x="20" y="{y_row + 9.0 * n:.1f}" {style}>{escape(row)}</text>')
    parts.append("</svg>")
    return "\n".join(parts).encode("utf-8")


def as_dxf(sheet: PanSheet) -> bytes:
    """The sheet as DXF (R2010), mm, a layer for each kind of line."""
    from ezdxf import units
    from ezdxf.enums import TextEntityAlignment
    from ezdxf.filemanagement import new

    document = new("R2010")
    document.units = units.MM
    for name, (color, _, _) in LAYERS.items():
        document.layers.add(name, color=color)
    space = document.modelspace()
    for line in sheet.lines:
        space.add_lwpolyline(line.points, close=line.closed, dxfattribs={"layer": line.layer})
    for c in sheet.circles:
        space.add_circle(c.middle, c.radius, dxfattribs={"layer": c.layer})
    for w in sheet.words:
        align = TextEntityAlignment.MIDDLE_CENTER if w.centred else TextEntityAlignment.LEFT
        space.add_text(w.text, height=w.height, dxfattribs={"layer": "WORDS"}).set_placement(w.at, align=align)
    x0, y0, _, _ = sheet.box
    rows = [sheet.title, *sheet.table, *(f"Caution: {c}" for c in sheet.cautions)]
    for n, row in enumerate(rows):
        space.add_text(row, height=_WORD, dxfattribs={"layer": "WORDS"}).set_placement((x0, y0 - 20.0 - 10.0 * n))
    out = io.StringIO()
    document.write(out)
    return out.getvalue().encode("utf-8")


def as_html(sheet: PanSheet) -> str:
    """The sheet's table and cautions as HTML, to print."""
    rows = "".join(f"<li>{escape(r)}</li>" for r in sheet.table)
    cautions = "".join(f"<li>{escape(c)}</li>" for c in sheet.cautions)
    signed = "".join(
        f"<p>{escape(words)}: ______________________</p>"
        for words in ("As built, measured by", "Photo taken before closing, by", "Day")
    )
    return f"<h1>{escape(sheet.title)}</h1><ul>{rows}</ul><h2>Cautions</h2><ul>{cautions}</ul>{signed}"
