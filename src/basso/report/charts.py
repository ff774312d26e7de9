"""The pictures of a report: the tide, a dip's traces, the pass ladder; before against after."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from basso.report.drawing import (
    AMPLE,
    BELOW,
    FAIR,
    GRID,
    INK,
    SOFT,
    WIDE_PT,
    Area,
    Drawing,
    Line,
    Point,
    Shape,
    Words,
    box,
    diamond,
)
from basso.units import DisplayUnits, FloatArray, Quantity

if TYPE_CHECKING:
    from basso.analysis import Analysis, JudgedDip
    from basso.trial.verdict import Comparison

_LEFT, _RIGHT = 44.0, 12.0
_COLUMNS = 460
_BEFORE_S, _AFTER_S = 4.0, 4.0
_MOST_POINTS = 500


def _ticks(low: float, high: float, most: int = 5) -> list[float]:
    """Round values between two ends."""
    span = high - low
    if not span > 0.0 or not math.isfinite(span):
        return [low]
    step = 10.0 ** math.floor(math.log10(span / most))
    step *= next(m for m in (1.0, 2.0, 5.0, 10.0) if span / (step * m) <= most)
    first = math.ceil(low / step - 1e-9)
    return [n * step for n in range(first, math.floor(high / step + 1e-9) + 1)]


def _signed(value: float) -> str:
    return f"{value:+g}".replace("-", "−") if value else "0"


def _clock(seconds: float) -> str:
    whole = round(seconds)
    return f"{whole // 60}:{whole % 60:02d}"


class _Axes:
    """A frame of values in a box of points."""

    def __init__(
        self, frame: tuple[float, float, float, float], x: tuple[float, float], y: tuple[float, float]
    ) -> None:
        self.left, self.top, self.right, self.bottom = frame
        self._x, self._y = x, (y if y[1] > y[0] else (y[0] - 1.0, y[0] + 1.0))

    def at(self, x: float, y: float) -> Point:
        """Where a value lies."""
        (x0, x1), (y0, y1) = self._x, self._y
        return (
            self.left + (x - x0) / max(x1 - x0, 1e-9) * (self.right - self.left),
            self.bottom - (y - y0) / (y1 - y0) * (self.bottom - self.top),
        )

    def rules(self, shown: tuple[float, float], scale: float = 1.0, offset: float = 0.0, most: int = 4) -> list[Shape]:
        """Lines at round values, ``shown`` = value · scale + offset, with their numbers at the left."""
        made: list[Shape] = []
        for value in _ticks(*shown, most):
            y = self.at(self._x[0], (value - offset) / scale)[1]
            made.append(Line(((self.left, y), (self.right, y)), GRID, 0.6))
            made.append(Words(self.left - 5, y + 2.6, f"{value:g}".replace("-", "−"), anchor="end"))
        return made

    def trace(
        self, x: FloatArray, y: FloatArray, color: str, width: float = 1.0, dash: tuple[float, ...] = ()
    ) -> list[Shape]:
        """A line through values, broken where one is missing; thinned to what can be seen."""
        step = max(1, x.size // _MOST_POINTS)
        made: list[Shape] = []
        part: list[Point] = []
        for a, b in zip(x[::step].tolist(), y[::step].tolist(), strict=True):
            if math.isfinite(b):
                part.append(self.at(a, b))
                continue
            if len(part) > 1:
                made.append(Line(tuple(part), color, width, dash))
            part = []
        if len(part) > 1:
            made.append(Line(tuple(part), color, width, dash))
        return made


def tide_chart(a: Analysis, units: DisplayUnits) -> Drawing | None:
    """The margin over the whole session: above the floor up, below it down; laps and dips."""
    margin = np.where(a.judged, a.margin_kpa, np.nan)
    known = margin[np.isfinite(margin)]
    if not known.size:
        return None
    height, unit = 120.0, units.pressure
    up, down = max(float(np.percentile(known, 97)), 20.0), max(float(-known.min()), 20.0) * 1.1
    start, end = float(a.time_s[0]), float(a.time_s[-1])
    axes = _Axes((_LEFT, 18, WIDE_PT - _RIGHT, height - 18), (start, end), (-down, up))
    shown = (float(unit.difference_from_base(-down)), float(unit.difference_from_base(up)))
    scale = float(unit.difference_from_base(1.0))
    shapes: list[Shape] = [Words(8, 12, f"Margin to the floor, {unit.symbol}", color=INK, bold=True)]
    shapes += axes.rules(shown, scale)
    edges = np.searchsorted(a.time_s, np.linspace(start, end, _COLUMNS + 1))
    wide = (axes.right - axes.left) / _COLUMNS
    water = axes.at(start, 0.0)[1]
    for n, (first, last) in enumerate(zip(edges[:-1].tolist(), edges[1:].tolist(), strict=True)):
        part = margin[first : max(last, first + 1)]
        part = part[np.isfinite(part)]
        if not part.size:
            continue
        x, low = axes.left + n * wide, float(part.min())
        top = axes.at(start, min(low, up))[1]
        shapes.append(Area(box(x, min(top, water), wide + 0.25, abs(top - water)), FAIR if low >= 0.0 else BELOW))
    shapes.append(Line(((axes.left, water), (axes.right, water)), INK, 0.8))
    for lap in a.laps:
        x = axes.at(lap.start_s, 0.0)[0]
        shapes.append(Line(((x, axes.top), (x, axes.bottom + 4)), GRID, 0.6))
        shapes.append(Words(x + 2, height - 6, f"lap {lap.number}"))
    if not a.laps:
        for t in _ticks(start, end, 8):
            shapes.append(Words(axes.at(t, 0.0)[0], height - 6, _clock(t), anchor="middle"))
    return Drawing(WIDE_PT, height, tuple(shapes), f"The margin to the floor over the session, with {len(a.dips)} dips")


def dip_chart(a: Analysis, d: JudgedDip, units: DisplayUnits) -> Drawing:
    """A dip from four seconds before: pressure over floor and normal, engine speed, g."""
    start, end = d.dip.start_s - _BEFORE_S, d.dip.end_s + _AFTER_S
    part = slice(*np.searchsorted(a.time_s, (start, end)).tolist())
    t = a.time_s[part]
    lanes: list[tuple[str, list[tuple[FloatArray, str, float, tuple[float, ...], str]], float]] = []
    unit = units.pressure
    lanes.append(
        (
            f"Pressure, {unit.symbol}",
            [
                (np.asarray(unit.from_base(a.expected_kpa[part])), AMPLE, 1.0, (4.0, 3.0), "normal"),
                (np.asarray(unit.from_base(a.floor.kpa[part])), BELOW, 1.2, (), "floor"),
                (np.asarray(unit.from_base(a.told_kpa[part])), INK, 1.6, (), "pressure"),
            ],
            110.0,
        )
    )
    lanes.append(("Engine, rpm", [(a.rpm[part], INK, 1.2, (), "")], 52.0))
    for name, g in (("Lateral g", a.lateral_g), ("Longitudinal g", a.longitudinal_g)):
        if g is not None:
            lanes.append((name, [(g[part], INK, 1.2, (), "")], 52.0))
    shapes: list[Shape] = []
    top = 8.0
    for name, traces, tall in lanes:
        seen = np.concatenate([y for y, *_ in traces])
        seen = seen[np.isfinite(seen)]
        low, high = (float(seen.min()), float(seen.max())) if seen.size else (0.0, 1.0)
        room = 0.08 * max(high - low, 1e-6)
        axes = _Axes((_LEFT, top + 12, WIDE_PT - 60, top + tall), (start, end), (low - room, high + room))
        shapes.append(Words(8, top + 7, name, color=INK, bold=True))
        x0, x1 = (axes.at(at, low)[0] for at in (d.dip.start_s, d.dip.end_s))
        shapes.append(Area(box(x0, axes.top, max(x1 - x0, 1.0), axes.bottom - axes.top), BELOW, 0.12))
        shapes += axes.rules((low, high), most=3)
        for y, color, width, dash, said in traces:
            shapes += axes.trace(t, y, color, width, dash)
            known = np.flatnonzero(np.isfinite(y))
            if said and known.size:
                at = axes.at(float(t[known[-1]]), float(y[known[-1]]))
                shapes.append(Words(axes.right + 4, at[1] + 2.6, said, color=color))
        top += tall + 8
    for at_s in _ticks(start, end, 8):
        x = _LEFT + (at_s - start) / (end - start) * (WIDE_PT - 60 - _LEFT)
        shapes.append(Words(x, top + 8, f"{at_s:g} s", anchor="middle"))
    where = d.place.label if d.place is not None else "off the laps"
    return Drawing(WIDE_PT, top + 14, tuple(_apart(shapes)), f"The dip at {d.dip.start_s:.1f} s, {where}")


def _apart(shapes: Sequence[Shape]) -> list[Shape]:
    """Names beside lines' ends pushed apart where they would lie over each other."""
    names = [s for s in shapes if isinstance(s, Words) and s.x > WIDE_PT - 60]
    moved: dict[int, Words] = {}
    last = -1e9
    for s in sorted(names, key=lambda w: w.y):
        y = max(s.y, last + 9.0)
        moved[id(s)] = Words(s.x, y, s.text, s.size, s.color, s.anchor, s.bold)
        last = y
    return [moved.get(id(s), s) for s in shapes]


def ladder_chart(rows: Sequence[tuple[str, Sequence[tuple[str, float]]]], units: DisplayUnits) -> Drawing | None:
    """A row for each place, a mark for each lap at its lowest margin: [(place, [(lap, kPa)])]."""
    values = [kpa for _, marks in rows for _, kpa in marks if math.isfinite(kpa)]
    if not values:
        return None
    unit, tall = units.pressure, 20.0
    height = 30.0 + tall * len(rows) + 16
    low, high = min(*values, 0.0), max(*values, 0.0)
    room = 0.05 * max(high - low, 1.0)
    axes = _Axes((120.0, 24, WIDE_PT - _RIGHT, height - 18), (low - room, high + room), (0.0, 1.0))
    shapes: list[Shape] = [Words(8, 14, f"Lowest margin of each pass, {unit.symbol}", color=INK, bold=True)]
    scale = float(unit.difference_from_base(1.0))
    for value in _ticks((low - room) * scale, (high + room) * scale, 8):
        x = axes.at(value / scale, 0.0)[0]
        shapes.append(
            Line(((x, axes.top), (x, axes.bottom)), INK if value == 0.0 else GRID, 1.0 if value == 0.0 else 0.6)
        )
        shapes.append(Words(x, height - 6, _signed(value) if value else "floor", anchor="middle"))
    for n, (place, marks) in enumerate(rows):
        y = axes.top + tall * (n + 0.5)
        shapes.append(Words(8, y + 3, place, size=9, color=INK))
        for _, kpa in marks:
            if math.isfinite(kpa):
                x = axes.at(kpa, 0.0)[0]
                shapes.append(Area(diamond(x, y, 3.6), BELOW if kpa < 0.0 else FAIR, 0.8))
    return Drawing(WIDE_PT, height, tuple(shapes), "The lowest margin of each pass, place by place")


def trial_chart(c: Comparison, units: DisplayUnits) -> Drawing | None:
    """Every pass through the places in question: its lowest pressure at its own oil temperature, before and after."""
    passes = [p for p in c.passes_in_question if math.isfinite(p.min_pressure_kpa) and math.isfinite(p.temperature_c)]
    if len(passes) < 2:
        return None
    heat, kpa = [p.temperature_c for p in passes], [p.min_pressure_kpa for p in passes]
    height, t, unit = 210.0, units.temperature, units.pressure
    pad = (0.06 * max(max(heat) - min(heat), 2.0), 0.06 * max(max(kpa) - min(kpa), 10.0))
    axes = _Axes(
        (_LEFT, 30, WIDE_PT - _RIGHT, height - 30),
        (min(heat) - pad[0], max(heat) + pad[0]),
        (min(kpa) - pad[1], max(kpa) + pad[1]),
    )
    shapes: list[Shape] = [Words(8, 14, f"Lowest pressure of each pass, {unit.symbol}", color=INK, bold=True)]
    ends = (float(unit.from_base(min(kpa))), float(unit.from_base(max(kpa))))
    shapes += axes.rules(ends, float(unit.difference_from_base(1.0)), float(unit.from_base(0.0)))
    for value in _ticks(float(t.from_base(min(heat))), float(t.from_base(max(heat))), 8):
        shapes.append(Words(axes.at(float(t.to_base(value)), 0.0)[0], height - 16, f"{value:g}", anchor="middle"))
    shapes.append(Words(axes.right, height - 5, f"oil temperature, {t.symbol}", anchor="end"))
    for p in passes:
        x, y = axes.at(p.temperature_c, p.min_pressure_kpa)
        if p.side == 0:
            shapes.append(Area(box(x - 2.8, y - 2.8, 5.6, 5.6), "#FFFFFF", edge=SOFT))
        else:
            shapes.append(Area(diamond(x, y, 3.8), AMPLE))
    e = c.effect_kpa
    if e is not None:
        for level, color, dash in ((e.level_a, SOFT, (4.0, 3.0)), (e.level_b, AMPLE, ())):
            line = [axes.at(h, level + e.per_degree * (h - e.at_temperature_c)) for h in (min(heat), max(heat))]
            if math.isfinite(e.at_temperature_c):
                shapes.append(Line(tuple(line), color, 1.4, dash))
    shapes.append(Area(box(240, 7, 6, 6), "#FFFFFF", edge=SOFT))
    shapes.append(Words(250, 13.5, f"{c.a.label[:28]}", color=INK))
    shapes.append(Area(diamond(393, 10, 3.8), AMPLE))
    shapes.append(Words(401, 13.5, f"{c.b.label[:28]}", color=INK))
    return Drawing(WIDE_PT, height, tuple(shapes), f"Lowest pressures before and after, {len(passes)} passes")


def effects_chart(c: Comparison, units: DisplayUnits) -> Drawing | None:
    """The effect in each place, with its interval."""
    rows = [r for r in c.corners if r.effect is not None]
    if not rows:
        return None
    unit, tall = units.pressure, 20.0
    height = 30.0 + tall * len(rows) + 16
    ends = [v for r in rows if r.effect is not None for v in (r.effect.low, r.effect.high)]
    low, high = min(*ends, 0.0), max(*ends, 0.0)
    room = 0.05 * max(high - low, 1.0)
    axes = _Axes((120.0, 24, WIDE_PT - 60, height - 18), (low - room, high + room), (0.0, 1.0))
    scale = float(unit.difference_from_base(1.0))
    shapes: list[Shape] = [
        Words(8, 14, f"Change of the lowest pressure, {unit.symbol}, with 95 % interval", color=INK, bold=True)
    ]
    for value in _ticks((low - room) * scale, (high + room) * scale, 7):
        x = axes.at(value / scale, 0.0)[0]
        shapes.append(
            Line(((x, axes.top), (x, axes.bottom)), INK if value == 0.0 else GRID, 1.0 if value == 0.0 else 0.6)
        )
        shapes.append(Words(x, height - 6, _signed(value), anchor="middle"))
    for n, r in enumerate(rows):
        assert r.effect is not None
        y = axes.top + tall * (n + 0.5)
        shapes.append(Words(8, y + 3, r.place.label, size=9, color=INK))
        x0, x1 = (axes.at(v, 0.0)[0] for v in (r.effect.low, r.effect.high))
        shapes.append(Line(((x0, y), (x1, y)), INK, 1.6))
        shapes.append(Area(diamond(axes.at(r.effect.estimate, 0.0)[0], y, 4.2), INK))
        words = units.number(r.effect.estimate, Quantity.PRESSURE, difference=True, signed=True)
        shapes.append(Words(WIDE_PT - 52, y + 3, words, size=9, color=INK, bold=True))
    return Drawing(WIDE_PT, height, tuple(shapes), "The change of the lowest pressure, place by place")
