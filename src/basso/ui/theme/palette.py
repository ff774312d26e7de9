"""The palettes of day, night and direct sun. A colour means one thing: amber is oil, plum is below the floor, teal is
ample margin."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Palette:
    """Colours as ``#RRGGBB`` (with alpha: ``#AARRGGBB``).

    Attributes:
        paper, panel, band: backgrounds: the station, the side panels, the tide and selected rows.
        ink, soft: text and lines; soft ink keeps 4.5:1 on paper and panel.
        rule, grid: thin separating rules, fainter grid lines.
        edge: outlines of what can be used: fields, buttons, scroll bars; at least 3:1 on every background.
        oil: oil, and nothing else.
        ample, fair, sand, below: margin from plenty over just enough to below the floor.
        wash: the dip's shading behind a plot.
        expected: the band of expected pressure.
        side_a, side_b: the two sides of a trial (they differ in dash and mark as well).
        attention: the small mark of a station that wants something.
        stroke: how much thicker lines are than by day.
    """

    name: str
    paper: str
    panel: str
    band: str
    ink: str
    soft: str
    rule: str
    edge: str
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
    stroke: float = 1.0


DAY = Palette(
    name="day",
    paper="#F6F3EC",
    panel="#FBF9F4",
    band="#ECE6D8",
    ink="#1D2226",
    soft="#5C646A",
    rule="#DAD5C8",
    edge="#857F70",
    grid="#E4DFD3",
    oil="#B0730F",
    oil_wash="#78B0730F",
    ample="#14555F",
    fair="#316C73",
    sand="#E6D9B8",
    below="#8E2340",
    wash="#248E2340",
    expected="#40316C73",
    side_a="#35488A",
    side_b="#A84513",
    attention="#A0690C",
)
NIGHT = Palette(
    name="night",
    paper="#14181A",
    panel="#1B2023",
    band="#252B2E",
    ink="#ECE7DC",
    soft="#9FA8AC",
    rule="#353C40",
    edge="#7A8489",
    grid="#2A3033",
    oil="#E0A23A",
    oil_wash="#78E0A23A",
    ample="#7FC4CB",
    fair="#57A5AD",
    sand="#8F8462",
    below="#F07A9A",
    wash="#30F07A9A",
    expected="#505FA5AD",
    side_a="#9DB1FF",
    side_b="#FF9A5C",
    attention="#E0A23A",
)
SUN = Palette(
    name="sunlight",
    paper="#FFFFFF",
    panel="#FFFFFF",
    band="#E2E2E2",
    ink="#000000",
    soft="#2B2B2B",
    rule="#7D7D7D",
    edge="#3A3A3A",
    grid="#BDBDBD",
    oil="#9C5E00",
    oil_wash="#909C5E00",
    ample="#003E48",
    fair="#1C5C64",
    sand="#CDB673",
    below="#A1002F",
    wash="#40A1002F",
    expected="#5C1C5C64",
    side_a="#1B2D8C",
    side_b="#9A3600",
    attention="#7F4C00",
    stroke=1.6,
)
