"""Charts as a list of shapes, the same for a page on screen (SVG) and on paper (PDF): lines, areas and words."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from html import escape
from typing import Literal

INK, SOFT, RULE, GRID = "#1D2226", "#5C646A", "#DAD5C8", "#E4DFD3"
OIL, AMPLE, FAIR, SAND, BELOW = "#C98A1B", "#14555F", "#4F8C92", "#E6D9B8", "#8E2340"
PAPER, PANEL = "#F6F3EC", "#FBF9F4"
WIDE_PT = 520.0
"""As wide as fits both papers."""
FONT = "Barlow Semi Condensed"

Anchor = Literal["start", "middle", "end"]
Point = tuple[float, float]


@dataclass(frozen=True, slots=True)
class Line:
    """A line through points, pt from the top left."""

    points: tuple[Point, ...]
    color: str = INK
    width: float = 1.0
    dash: tuple[float, ...] = ()


@dataclass(frozen=True, slots=True)
class Area:
    """A filled polygon. ``edge``: the colour of its outline, "" for none."""

    points: tuple[Point, ...]
    fill: str
    opacity: float = 1.0
    edge: str = ""


@dataclass(frozen=True, slots=True)
class Words:
    """One line of words, its base line at ``y``."""

    x: float
    y: float
    text: str
    size: float = 8.0
    color: str = SOFT
    anchor: Anchor = "start"
    bold: bool = False


Shape = Line | Area | Words


@dataclass(frozen=True, slots=True)
class Drawing:
    """A chart: its size in pt, its shapes from the bottom up, and what it says to those who do not see it."""

    width: float
    height: float
    shapes: tuple[Shape, ...]
    says: str


def box(x: float, y: float, width: float, height: float) -> tuple[Point, ...]:
    """The corners of a box."""
    return ((x, y), (x + width, y), (x + width, y + height), (x, y + height))


def diamond(x: float, y: float, half: float) -> tuple[Point, ...]:
    """A diamond about a point."""
    return ((x, y - half), (x + half, y), (x, y + half), (x - half, y))


def to_svg(d: Drawing) -> str:
    """As SVG, for a page."""
    parts = [
        f'<svg viewBox="0 0 {d.width:g} {d.height:g}" width="100%" role="img" '
        f'aria-label="{escape(d.says, quote=True)}" font-family="{FONT}, sans-serif">'
    ]
    for s in d.shapes:
        if isinstance(s, Line):
            dash = f' stroke-dasharray="{" ".join(f"{v:g}" for v in s.dash)}"' if s.dash else ""
            parts.append(
                f'<polyline points="{_points(s.points)}" fill="none" stroke="{s.color}" '
                f'stroke-width="{s.width:g}"{dash}/>'
            )
        elif isinstance(s, Area):
            edge = f' stroke="{s.edge}" stroke-width="1"' if s.edge else ""
            see = f' fill-opacity="{s.opacity:g}"' if s.opacity < 1.0 else ""
            parts.append(f'<polygon points="{_points(s.points)}" fill="{s.fill}"{see}{edge}/>')
        else:
            weight = ' font-weight="600"' if s.bold else ""
            parts.append(
                f'<text x="{s.x:.1f}" y="{s.y:.1f}" font-size="{s.size:g}" fill="{s.color}" '
                f'text-anchor="{s.anchor}"{weight}>{escape(s.text)}</text>'
            )
    return "".join([*parts, "</svg>"])


def _points(points: Sequence[Point]) -> str:
    return " ".join(f"{x:.1f},{y:.1f}" for x, y in points)
