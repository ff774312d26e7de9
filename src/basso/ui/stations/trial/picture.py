"""What the Trial station says and draws, worked out without Qt."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from basso.pressure.exposure import SHARES
from basso.trust.verdict import ZERO_STATES
from basso.units import DisplayUnits, Quantity
from basso.words.trial import places_words

if TYPE_CHECKING:
    from basso.trial.match import Side
    from basso.trial.verdict import Comparison, CornerRow

Q = Quantity


@dataclass(frozen=True, slots=True)
class Dot:
    """One pass: oil temperature and lowest pressure in display units; side 0 or 1."""

    x: float
    y: float
    side: int


@dataclass(frozen=True, slots=True)
class FittedLine:
    """A side's fitted line over its own temperatures, display units."""

    side: int
    x: tuple[float, float]
    y: tuple[float, float]
    half_band: float


@dataclass(frozen=True, slots=True)
class BeforeAfter:
    """The before/after plot: a dot a pass, two lines, the gap at the common temperature."""

    dots: tuple[Dot, ...]
    lines: tuple[FittedLine, ...]
    gap_x: float
    gap_y: tuple[float, float]
    gap_words: str
    floor: float | None
    x_range: tuple[float, float]
    y_range: tuple[float, float]
    x_unit: str
    y_unit: str
    zero: str
    """How far the zeros of both sides can be trusted."""


def zero_words(c: Comparison) -> str:
    """The zero's state of both sides, the worst log's of each."""
    a, b = (max((x.zero_state for x in side.analyses), key=ZERO_STATES.index) for side in (c.a, c.b))
    return f"zero {a}" if a == b else f"zero: A {a}, B {b}"


def before_after(c: Comparison, units: DisplayUnits) -> BeforeAfter | None:
    """Work out the before/after plot; None without passes that know their oil temperature."""
    shown: dict[tuple[int, int, int], list[tuple[float, float]]] = {}
    for p in c.passes_in_question:
        if math.isfinite(p.temperature_c):
            shown.setdefault(p.lap_key, []).append((p.temperature_c, p.min_pressure_kpa))
    dots = [
        Dot(_t(units, p.temperature_c), _p(units, p.min_pressure_kpa), p.side)
        for p in c.passes_in_question
        if math.isfinite(p.temperature_c)
    ]
    if not dots:
        return None
    xs, ys = np.array([d.x for d in dots]), np.array([d.y for d in dots])
    lines: list[FittedLine] = []
    gap = (float("nan"), (float("nan"), float("nan")), "")
    e = c.effect_kpa
    if e is not None and math.isfinite(e.at_temperature_c):
        half = units.pressure.difference_from_base((e.high - e.low) / 4.0)
        for side, level in ((0, e.level_a), (1, e.level_b)):
            own = [p.temperature_c for p in c.passes_in_question if p.side == side and math.isfinite(p.temperature_c)]
            ends = (min(own), max(own))
            y0, y1 = (_p(units, level + e.per_degree * (t - e.at_temperature_c)) for t in ends)
            lines.append(FittedLine(side, (_t(units, ends[0]), _t(units, ends[1])), (y0, y1), half))
        gap = (
            _t(units, e.at_temperature_c),
            (_p(units, e.level_a), _p(units, e.level_b)),
            units.number(e.estimate, Q.PRESSURE, difference=True, signed=True),
        )
    x_room, y_room = max(2.0, 0.05 * float(np.ptp(xs))), max(0.06 * float(np.ptp(ys)), 1e-3)
    # A typical floor where the passes were: a guide for the eye, since every pass has its own.
    needed = [_floor_at(c, p.side, p.log, p.time_s) for p in c.passes_in_question]
    known = [v for v in needed if math.isfinite(v)]
    floor = _p(units, float(np.median(known))) if known else None
    low, high = float(ys.min()), float(ys.max())
    if floor is not None:
        low, high = min(low, floor), max(high, floor)
    return BeforeAfter(
        tuple(dots),
        tuple(lines),
        *gap,
        floor,
        (float(xs.min()) - x_room, float(xs.max()) + x_room),
        (low - y_room, high + y_room),
        units.temperature.symbol,
        units.pressure.symbol,
        zero_words(c),
    )


def _floor_at(c: Comparison, side: int, log: int, time_s: float) -> float:
    a = (c.a if side == 0 else c.b).analyses[log]
    i = min(int(np.searchsorted(a.time_s, time_s)), a.time_s.size - 1)
    return float(a.floor.kpa[i])


def _p(units: DisplayUnits, kpa: float) -> float:
    return units.pressure.from_base(kpa)


def _t(units: DisplayUnits, celsius: float) -> float:
    return units.temperature.from_base(celsius)


@dataclass(frozen=True, slots=True)
class Row:
    """One place: texts, the interval in display units (None where it cannot be told), and whether it is clear."""

    place: str
    a: str
    b: str
    effect: str
    interval: tuple[float, float, float] | None
    clear: bool
    passes: str
    dips: str


def rows(c: Comparison, units: DisplayUnits) -> list[Row]:
    """The dip-prone places in driving order, then all others together."""
    made = []
    over = {p.id for p in c.over}
    shown = [r for r in c.corners if r.place.id in over] or list(c.corners)
    for r in shown:
        e = r.effect if c.verdict != "not_comparable" else None
        interval = (
            (
                units.pressure.difference_from_base(e.estimate),
                units.pressure.difference_from_base(e.low),
                units.pressure.difference_from_base(e.high),
            )
            if e is not None
            else None
        )
        made.append(
            Row(
                r.place.label,
                units.number(r.a_min_kpa, Q.PRESSURE) if r.a_min_kpa is not None else "–",
                units.number(r.b_min_kpa, Q.PRESSURE) if r.b_min_kpa is not None else "–",
                units.number(e.estimate, Q.PRESSURE, difference=True, signed=True)
                if e is not None
                else "too few"
                if _too_few(r)
                else "–",
                interval,
                e is not None and (e.low > 0 or e.high < 0),
                f"{r.passes_a} · {r.passes_b}",
                _dips_words(r),
            )
        )
    others = [r for r in c.corners if r not in shown]
    if others:
        made.append(_others(c, others, units))
    return made


def _too_few(r: CornerRow) -> bool:
    """Both sides went through, but too seldom for how far the passes spread."""
    return r.effect is None and r.passes_a > 0 and r.passes_b > 0


def _dips_words(r: CornerRow) -> str:
    """Dips a lap before and after; a side without passes has none to tell."""
    before, after = (
        f"{dips:.1f}" if passes else "–"
        for dips, passes in ((r.dips_per_lap_a, r.passes_a), (r.dips_per_lap_b, r.passes_b))
    )
    return f"{before} → {after}"


def _others(c: Comparison, others: list[CornerRow], units: DisplayUnits) -> Row:
    """The places that do not dip, on one line."""

    def mean(values: list[float | None]) -> str:
        known = [v for v in values if v is not None]
        return units.number(float(np.mean(known)), Q.PRESSURE) if known else "–"

    e = c.rest
    interval = None
    if e is not None:
        estimate, low, high = (units.pressure.difference_from_base(v) for v in (e.estimate, e.low, e.high))
        interval = (estimate, low, high)
    dips = [float(np.mean([getattr(r, name) for r in others])) for name in ("dips_per_lap_a", "dips_per_lap_b")]
    return Row(
        f"{len(others)} other places",
        mean([r.a_min_kpa for r in others]),
        mean([r.b_min_kpa for r in others]),
        units.number(e.estimate, Q.PRESSURE, difference=True, signed=True) if e is not None else "–",
        interval,
        e is not None and (e.low > 0 or e.high < 0),
        f"{sum(r.passes_a for r in others)} · {sum(r.passes_b for r in others)}",
        f"{dips[0]:.1f} → {dips[1]:.1f}",
    )


def side_words(side: Side, units: DisplayUnits) -> str:
    """Laps and oil temperatures of a side."""
    heat = side.conditions.oil_temp_c
    words = f"{side.laps} laps"
    if heat is not None:
        words += f" · {units.number(heat[0], Q.TEMPERATURE)}–{units.text(heat[2], Q.TEMPERATURE)}"
    return words


def exceedance(c: Comparison) -> tuple[list[tuple[float, float]], list[tuple[float, float]]]:
    """Percent of time below each share of normal, as points (share %, time %), for A and B; zeros are left out."""
    made = []
    for values in (c.exceedance_a, c.exceedance_b):
        made.append([(100 * s, 100 * v) for s, v in zip(SHARES, values, strict=True) if v is not None and v > 0][::-1])
    return made[0], made[1]


def settle(c: Comparison, units: DisplayUnits) -> list[str]:
    """What would settle the rest."""
    lines = []
    if c.verdict == "not_comparable":
        lines.append("Drive both sides at the same circuit, warm, at like pace, with the same sensor and oil.")
        lines.append("Order A B B A, so that heat and fuel cancel; four or more laps a side.")
        return lines
    e = c.effect_kpa
    if e is not None and c.verdict == "no_clear_change":
        half = (e.high - e.low) / 2
        target = 15.0
        if half > target:
            more = math.ceil((e.laps_a + e.laps_b) * ((half / target) ** 2 - 1) / 2)
            lines.append(f"About {more} more laps a side to see {units.text(target, Q.PRESSURE, difference=True)}.")
    wide = [r for r in c.corners if r.place.id in {p.id for p in c.over} and _too_few(r)]
    if wide:
        lines.append(
            f"{places_words([r.place.label for r in wide])}: too few passes for their spread; more laps a side."
        )
    if c.verdict == "better":
        left = [r for r in c.corners if r.dips_per_lap_b >= 0.2]
        if left:
            lines.append(f"Still below the floor in {places_words([r.place.label for r in left])}.")
        else:
            lines.append(
                "No place still dips in a fifth of its passes. That covers what was driven, not more g or hotter oil."
            )
        lines.append("After raising the level look for froth: breather, dipstick, sag at high rpm.")
    order = {x.what: x.state for x in c.likeness}
    if order.get("Oil temperature") == "adjusted":
        lines.append("The oil temperatures differ; the adjustment rests on the slope common to both sides.")
    lines.append("One change at a time; repeat A B B A before cutting metal.")
    return lines
