"""The pressure field of the Normal station, worked out without Qt: contours over engine speed and oil temperature, and
what one point says."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from basso.findings.normal.adviser import floor_met
from basso.pressure.floors import Floor, highest_floor, moves_with_normal
from basso.report.normal_documents import met_words
from basso.ui.plots.ticks import round_step
from basso.units import DisplayUnits, FloatArray, Quantity

if TYPE_CHECKING:
    from basso.analysis import Analysis
    from basso.findings.normal.findings import NormalFindings

_P, _T = Quantity.PRESSURE, Quantity.TEMPERATURE
_COLUMNS, _ROWS = 90, 60


@dataclass(frozen=True, slots=True)
class Contour:
    """One level of expected pressure: line segments (x0, y0, x1, y1) in rpm and °C, and where its label may stand, best
    first."""

    words: str
    segments: tuple[tuple[float, float, float, float], ...]
    label_at: tuple[tuple[float, float], ...]


@dataclass(frozen=True, slots=True, eq=False)
class FieldPicture:
    """The pressure field.

    Attributes:
        rpm, heat: edges of the picture, (low, high), rpm and °C.
        contours: of expected pressure; ``floors``: where expected pressure meets the active floor; ``floor_rules``:
            where it meets each other floor rule's and each of the owner's lines.
        density: shape (heat, rpm) counts of settled running; ``covered``: where normal rests on data, same shape.
        hot_area: (rpm low, high, °C low, high) of the car's hot working area, None where it was not judged.
        moment: rpm and °C of racing speed and hottest oil.
    """

    rpm: tuple[float, float]
    heat: tuple[float, float]
    contours: tuple[Contour, ...]
    floors: tuple[Contour, ...]
    density: FloatArray
    covered: NDArray[np.bool_]
    hot_area: tuple[float, float, float, float] | None
    moment: tuple[float, float]
    floor_rules: tuple[Contour, ...] = ()


def field_picture(told: NormalFindings, units: DisplayUnits) -> FieldPicture | None:
    """The pressure field of a session; None where normal is not known by oil temperature."""
    a, e = told.analysis, told.analysis.expected
    if not e.valid or e.temperature_range_c is None or a.temperature_c is None:
        return None
    rpm = (500.0 * math.floor(e.rpm_range[0] / 500.0), 500.0 * math.ceil(max(e.rpm_range[1], told.racing_rpm) / 500.0))
    low, high = e.temperature_range_c
    heat = (math.floor(low - 4.0), math.ceil(max(high, told.hot_c) + 8.0))
    x, y = np.linspace(*rpm, _COLUMNS), np.linspace(*heat, _ROWS)
    gx, gy = np.meshgrid(x, y)
    kpa = e.at(gx.ravel(), gy.ravel()).reshape(gx.shape)
    covered = e.covers(gx.ravel(), gy.ravel()).reshape(gx.shape)
    shown = units.pressure.from_base(kpa)
    step = round_step(float(np.ptp(shown)), 9)
    levels = np.arange(math.ceil(float(shown.min()) / step) * step, float(shown.max()), step)
    contours = tuple(_contour(f"{v:g}", x, y, shown, float(v)) for v in levels)
    line = _absolute_floor(a.options.floors, gx, kpa)
    floors = (_contour("at the floor", x, y, kpa - line, 0.0, label_in_the_middle=True),) if line is not None else ()
    others = [
        (s.floor_rule.name, s.floor_rule.floor)
        for s in (*told.floor_rules, *told.lines)
        if not s.active and not moves_with_normal(s.floor_rule.floor)
    ]
    floor_rules = tuple(
        _contour(
            name,
            x,
            y,
            kpa - highest_floor([floor], gx.ravel(), kpa.ravel()).kpa.reshape(gx.shape),
            0.0,
            label_in_the_middle=True,
        )
        for name, floor in others
    )
    use = a.settled & np.isfinite(a.temperature_c)
    density, _, _ = np.histogram2d(a.temperature_c[use], a.rpm[use], bins=(_ROWS, _COLUMNS), range=(heat, rpm))
    return FieldPicture(
        rpm=rpm,
        heat=heat,
        contours=contours,
        floors=floors,
        density=density,
        covered=covered,
        hot_area=_hot_area(a),
        moment=(told.racing_rpm, told.hot_c),
        floor_rules=floor_rules,
    )


def _absolute_floor(floors: tuple[Floor, ...], rpm: FloatArray, kpa: FloatArray) -> FloatArray | None:
    absolute = [f for f in floors if not moves_with_normal(f)]
    if not absolute:
        return None
    return highest_floor(absolute, rpm.ravel(), kpa.ravel()).kpa.reshape(rpm.shape)


def _hot_area(a: Analysis) -> tuple[float, float, float, float] | None:
    """Where the car works hot: the middle 90 % of engine speeds in the hottest third of the judged driving."""
    if a.temperature_c is None:
        return None
    use = a.judged & np.isfinite(a.temperature_c)
    if use.sum() < 50:
        return None
    from_c = float(np.percentile(a.temperature_c[use], 67))
    hot = use & (a.temperature_c >= from_c)
    low, high = (float(v) for v in np.percentile(a.rpm[hot], (5, 95)))
    return low, high, from_c, float(np.percentile(a.temperature_c[hot], 99))


def _contour(
    words: str, x: FloatArray, y: FloatArray, z: FloatArray, level: float, label_in_the_middle: bool = False
) -> Contour:
    """A level line by crossing every cell's edges (marching squares, ambiguous cells drawn as two crossings)."""
    segments = []
    above = z > level
    mixed = above[:-1, :-1].astype(int) + above[1:, :-1] + above[:-1, 1:] + above[1:, 1:]
    for row, column in np.argwhere((mixed > 0) & (mixed < 4)):
        corners = ((row, column), (row, column + 1), (row + 1, column + 1), (row + 1, column))
        crossed = []
        for (r0, c0), (r1, c1) in zip(corners, (*corners[1:], corners[0]), strict=True):
            if above[r0, c0] != above[r1, c1]:
                part = (level - z[r0, c0]) / (z[r1, c1] - z[r0, c0])
                crossed.append((x[c0] + part * (x[c1] - x[c0]), y[r0] + part * (y[r1] - y[r0])))
        for (ax, ay), (bx, by) in zip(crossed[::2], crossed[1::2], strict=False):
            segments.append((float(ax), float(ay), float(bx), float(by)))
    if not segments:
        return Contour(words, (), ())
    # Labels stand along a slanting line, so that those of neighbouring levels do not meet.
    if label_in_the_middle:
        across = sorted(segments)
        places = [across[int(len(across) * part)] for part in (0.4, 0.5, 0.6, 0.3, 0.7, 0.2, 0.8, 0.9)]
        middles = tuple(((x0 + x1) / 2.0, (y0 + y1) / 2.0) for x0, y0, x1, y1 in places)
        return Contour(words, tuple(segments), middles)
    wanted = y[0] + 0.30 * (y[-1] - y[0])
    best = min(segments, key=lambda s: abs((s[1] + s[3]) / 2.0 - wanted))
    return Contour(words, tuple(segments), (((best[0] + best[2]) / 2.0, (best[1] + best[3]) / 2.0),))


def reading_at(told: NormalFindings, rpm: float, heat: float, units: DisplayUnits) -> str:
    """What the field says at one engine speed and oil temperature: normal, floor, where that is met."""
    e = told.analysis.expected
    n, t = np.array([rpm]), np.array([heat])
    kpa, (low, high) = float(e.at(n, t)[0]), (float(v[0]) for v in e.interval(n, t))
    words = (
        f"{rpm:.0f} rpm, {units.text(heat, _T)}: {units.text(kpa, _P)} is normal ({units.number(low, _P)} to "
        f"{units.number(high, _P)})"
    )
    if not bool(e.covers(n, t)[0]):
        words += ", not driven there"
    met = floor_met(e, told.analysis.options.floors, [rpm])
    if met:
        absolute = [f for f in told.analysis.options.floors if not moves_with_normal(f)]
        floor = float(highest_floor(absolute, n, np.array([kpa])).kpa[0])
        words += f"; floor {units.text(floor, _P)}, met up to {met_words(met[0], e.temperature_range_c, units)}"
    return words
