"""The two palettes. A colour means one thing: amber is oil, plum is below the floor, teal is ample margin."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Palette:
    """Colours as ``#RRGGBB`` (with alpha: ``#AARRGGBB``).

    Attributes:
        paper, panel, band: backgrounds: the station, the side panels, the tide and selected rows.
        ink, soft: text and lines; soft ink keeps 4.5:1 on paper and panel.
        rule, grid: thin separating rules, fainter grid lines.
        oil: oil, and nothing else.
        ample, fair, sand, below: margin from plenty over just enough to below the floor.
        wash: the dip's shading behind a plot.
        expected: the band of expected pressure.
        side_a, side_b: the two sides of a trial (they differ in dash and mark as well).
        attention: the small mark of a station that wants something.
    """

    name: str
    paper: str
    panel: str
    band: str
    ink: str
    soft: str
    rule: str
    grid: str
    oil: str
    oil_wash: str
    ample: str
    fair: str
    sand: str
    below: str
    wash: str
    expected: str
    side_a: str
    side_b: str
    attention: str


DAY = Palette(
    name="day",
    paper="#F6F3EC",
    panel="#FBF9F4",
    band="#ECE6D8",
    ink="#1D2226",
    soft="#5C646A",
    rule="#DAD5C8",
    grid="#E4DFD3",
    oil="#C98A1B",
    oil_wash="#78C98A1B",
    ample="#14555F",
    fair="#4F8C92",
    sand="#E6D9B8",
    below="#8E2340",
    wash="#248E2340",
    expected="#404F8C92",
    side_a="#35488A",
    side_b="#AF4A17",
    attention="#B67A12",
)
NIGHT = Palette(
    name="night",
    paper="#14181A",
    panel="#1B2023",
    band="#252B2E",
    ink="#ECE7DC",
    soft="#9FA8AC",
    rule="#353C40",
    grid="#2A3033",
    oil="#E0A23A",
    oil_wash="#78E0A23A",
    ample="#7FC4CB",
    fair="#4F9AA2",
    sand="#8F8462",
    below="#F07A9A",
    wash="#30F07A9A",
    expected="#505FA5AD",
    side_a="#9DB1FF",
    side_b="#FF9A5C",
    attention="#E0A23A",
)
