"""What the Accumulator station shows, worked out without Qt: the figures, the stretch enlarged, the ladder, the map."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from basso.accumulator.fitted import Fitted
from basso.accumulator.gas import gas_kpa, seconds_of_cover, usable_l
from basso.findings.accumulator.cover import CoveredPass
from basso.findings.accumulator.findings import AccumulatorFindings, LapTrace, refill_s
from basso.findings.accumulator.ladder import Ladder
from basso.findings.accumulator.sizing import HOLDS_S, SizeMap
from basso.units import DisplayUnits, FloatArray, Quantity
from basso.words.accumulator import place_name

_BEFORE_S, _AFTER_S = 4.0, 8.0
_FINE = 6
CLASSES_S = (HOLDS_S, 0.5, 2.0)
"""Up to so many seconds under the floor a place of the map is of the first, second, third kind; over, of the last."""


@dataclass(frozen=True, slots=True)
class Figure:
    """One of the large figures: value, unit, and two short lines beside it."""

    value: str
    unit: str
    name: str
    note: str
    is_off: bool = False


def large_figures(
    found: AccumulatorFindings, fitted: Fitted, trace: LapTrace | None, units: DisplayUnits
) -> list[Figure]:
    """What is usable, for how long alone and as it dips, and how long the refill takes."""
    bottle, peak = fitted.bottle, found.peak_kpa
    usable = usable_l(bottle, peak, found.floor_kpa)
    charged = float(max(bottle.total_l - bottle.total_l * _gas_share(fitted, peak), 0.0))
    number = units.number
    size = f"{number(bottle.total_l, Quantity.VOLUME)} {units.volume.symbol}"
    made = [
        Figure(
            number(usable, Quantity.VOLUME),
            units.volume.symbol,
            "usable over the floor",
            f"of {number(charged, Quantity.VOLUME)} in the {size} bottle",
            usable <= 0.0,
        )
    ]
    rpm = found.dipping_rpm
    if rpm is not None:
        flow = found.pump.flow_lpm(rpm)
        made.append(
            Figure(
                f"{seconds_of_cover(usable, flow):.1f}",
                "s",
                "of cover without the pump",
                f"at {flow:.0f} L/min, {rpm:.0f} rpm",
            )
        )
    if trace is not None:
        mean = mean_need_lpm(trace, stretch_of(found, trace))
        if mean > 0.5:
            made.append(
                Figure(
                    f"{seconds_of_cover(usable, mean):.1f}",
                    "s",
                    "of cover as it dips here",
                    f"giving {mean:.0f} L/min beside the pump",
                )
            )
        refill = refill_s(trace)
        lap = f"on lap {trace.lap}" if trace.lap is not None else "on this stretch"
        made.append(
            Figure(f"{refill:.0f}", "s", "to refill", lap)
            if refill is not None
            else Figure("–", "s", "to refill", f"not full again {lap}")
        )
    return made


def _gas_share(fitted: Fitted, peak_kpa: float) -> float:
    from basso.accumulator.gas import charged_l

    return 1.0 - float(charged_l(fitted.bottle, peak_kpa)) / fitted.bottle.total_l


def mean_need_lpm(trace: LapTrace, stretch: Stretch | None) -> float:
    """What the bottle gives while the gallery alone is under the floor in a stretch, L/min, mean."""
    giving = (trace.alone_kpa < trace.floor_kpa) & (trace.flow_lpm > 0.0)
    if stretch is not None:
        giving &= (trace.time_s >= stretch.start_s) & (trace.time_s <= stretch.end_s)
    return float(trace.flow_lpm[giving].mean()) if giving.any() else 0.0


@dataclass(frozen=True, slots=True)
class Stretch:
    """A part of the lap that is enlarged, with the passes in it."""

    start_s: float
    end_s: float
    passes: tuple[tuple[float, float, str], ...]


def stretch_of(found: AccumulatorFindings, trace: LapTrace) -> Stretch | None:
    """The chain of passes about the one in which the bottle gives most on the lap; None where none lies in it."""
    begin, end = float(trace.time_s[0]), float(trace.time_s[-1])
    mine = [p for p in found.cover.passes if begin <= p.without.start_s < end]
    if not mine:
        return None
    worst = max(mine, key=lambda p: (not p.without.is_long, p.ran_dry, p.short_s, p.spent_l))
    start, stop = worst.without.start_s, worst.without.end_s
    for p in sorted(mine, key=lambda p: p.without.start_s):
        if p.without.start_s < start and start - p.without.end_s < _AFTER_S:
            start = p.without.start_s
        elif p.without.start_s >= stop and p.without.start_s - stop < _AFTER_S:
            stop = p.without.end_s
    start, stop = max(start - _BEFORE_S, begin), min(stop + _AFTER_S, end)
    inside = tuple(
        (p.without.start_s, p.without.end_s, place_name(p).removeprefix("turn "))
        for p in mine
        if start <= p.without.start_s < stop
    )
    return Stretch(start, stop, inside)


def passes_on(found: AccumulatorFindings, trace: LapTrace) -> list[CoveredPass]:
    """The dipping passes of the lap that is drawn."""
    begin, end = float(trace.time_s[0]), float(trace.time_s[-1])
    return [p for p in found.cover.passes if begin <= p.without.start_s < end]


@dataclass(frozen=True, slots=True)
class Mark:
    """A pressure, or a range of them, on the ladder; ``above``: its words stand over the line."""

    name: str
    low: float
    high: float
    tone: str


def ladder_marks(ladder: Ladder, fitted: Fitted) -> list[Mark]:
    """What stands on the ladder, lowest first, kPa."""
    made = [Mark("precharge", fitted.bottle.precharge_driven_kpa, fitted.bottle.precharge_driven_kpa, "ink")]
    made.append(Mark("floor", ladder.floor_kpa, ladder.floor_kpa, "below"))
    if ladder.hot_idle is not None:
        made.append(Mark("hot idle", *ladder.hot_idle, "soft"))
    if fitted.valve.trigger_kpa is not None and fitted.valve.shuts_kpa is not None:
        made.append(Mark("trigger", fitted.valve.trigger_kpa, fitted.valve.shuts_kpa, "ink"))
    if ladder.normal is not None:
        made.append(Mark("normal", *ladder.normal, "ample"))
    if ladder.relief is not None:
        made.append(Mark("relief", ladder.relief, ladder.relief, "ink"))
    return sorted(made, key=lambda m: m.low)


def map_classes(sizes: SizeMap) -> tuple[FloatArray, tuple[float, float, float, float]]:
    """The map made finer, each place with its kind 0 (holds) to 3, shape (rows, columns), the highest precharge in the
    first row; and the extent: least and most size, least and most precharge."""
    x, y = sizes.sizes_l, sizes.precharges_kpa
    fine_x = np.linspace(x[0], x[-1], _FINE * x.size)
    fine_y = np.linspace(y[-1], y[0], _FINE * y.size)
    along = np.array([np.interp(fine_x, x, row) for row in sizes.short_s])
    fine = np.array([[np.interp(v, y, column) for column in along.T] for v in fine_y])
    kinds: FloatArray = np.searchsorted(np.array(CLASSES_S), fine).astype(np.float64)
    return kinds, (float(x[0]), float(x[-1]), float(y[0]), float(y[-1]))


def gas_now(fitted: Fitted, oil_l: float) -> float:
    """Pressure of the gas with so much oil in, slowly."""
    return float(gas_kpa(fitted.bottle, min(oil_l, 0.999 * fitted.bottle.total_l)))


def table_rows(found: AccumulatorFindings, units: DisplayUnits) -> list[list[str]]:
    """Every dipping pass, with heads."""
    p, v = units.pressure.symbol, units.volume.symbol
    lines = [
        [
            "Lap",
            "Place",
            f"Lowest without, {p}",
            f"Lowest with, {p}",
            f"Floor, {p}",
            f"Oil left, {v}",
            "Ran dry",
            "Short, s",
        ]
    ]
    for x in found.cover.passes:
        was = x.without
        lines.append(
            [
                str(was.lap) if was.lap is not None else "",
                place_name(x),
                units.number(was.lowest_kpa, Quantity.PRESSURE),
                units.number(x.lowest_kpa, Quantity.PRESSURE),
                units.number(was.floor_kpa, Quantity.PRESSURE),
                units.number(x.oil_left_l, Quantity.VOLUME),
                "yes" if x.ran_dry else "no",
                f"{x.short_s:.2f}",
            ]
        )
    return lines


def axis_span(values: Sequence[FloatArray]) -> tuple[float, float]:
    """Least and most of several arrays, with a little room, from 0 or a round value."""
    low = min(float(np.nanmin(v)) for v in values if np.isfinite(v).any())
    high = max(float(np.nanmax(v)) for v in values if np.isfinite(v).any())
    return max(low - 0.05 * (high - low), 0.0), high + 0.08 * (high - low)
