"""One dip by itself: the seconds before and after, other laps at the same place, the way the g went, what speaks for
each cause."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from basso.ui.stations.dips.picture import cause_words, sentence
from basso.units import DisplayUnits, FloatArray, Quantity

if TYPE_CHECKING:
    from basso.analysis import Analysis, JudgedDip

BEFORE_S, AFTER_S = 5.0, 6.0
_PATH_S = 3.0
_MOST_OTHERS = 40
_SAMPLES = 400


@dataclass(frozen=True, slots=True, eq=False)
class DipPicture:
    """What a dip's page draws; times in seconds from the crossing of the floor, pressures in display units.

    Attributes:
        time_s, pressure, expected, floor, rpm: of the dip, shape (n,).
        others: (time, pressure) of the other laps through the same place, from where this one crossed the floor.
        end_s: when it was over; ``unit``: of the pressures.
        side_g, fore_g, g_time_s: the way the g went until the dip was at its deepest, shape (k,); empty without g.
    """

    time_s: FloatArray
    pressure: FloatArray
    expected: FloatArray
    floor: FloatArray
    rpm: FloatArray
    others: tuple[tuple[FloatArray, FloatArray], ...]
    end_s: float
    unit: str
    side_g: FloatArray
    fore_g: FloatArray
    g_time_s: FloatArray
    ways: tuple[str, str]
    """What its two sides are called."""


def dip_picture(a: Analysis, d: JudgedDip, units: DisplayUnits) -> DipPicture:
    """The picture of one dip."""
    start = d.dip.start_s
    part = _window(a, start - BEFORE_S, max(start + AFTER_S, d.dip.end_s + 2.0))
    part = part[:: max(1, part.size // _SAMPLES)]

    def shown(values: FloatArray) -> FloatArray:
        return units.pressure.from_base(values)

    path = _window(a, start - _PATH_S, float(a.time_s[d.dip.lowest_margin]))
    if a.lateral_g is None or a.longitudinal_g is None:
        path = path[:0]
    side, fore = (np.nan_to_num(g[path]) if g is not None else np.empty(0) for g in (a.lateral_g, a.longitudinal_g))
    return DipPicture(
        time_s=a.time_s[part] - start,
        pressure=shown(a.pressure_kpa[part]),
        expected=shown(a.expected_kpa[part]),
        floor=shown(np.where(a.judged[part], a.floor.kpa[part], np.nan)),
        rpm=a.rpm[part],
        others=tuple(_others(a, d, units)),
        end_s=d.dip.end_s - start,
        unit=units.pressure.symbol,
        side_g=side,
        fore_g=fore,
        g_time_s=a.time_s[path] - start,
        ways=(a.side.way("left"), a.side.way("right")),
    )


def _window(a: Analysis, start_s: float, end_s: float) -> np.ndarray:
    first, last = np.searchsorted(a.time_s, (start_s, end_s))
    return np.arange(int(first), max(int(last), int(first) + 1))


def _others(a: Analysis, d: JudgedDip, units: DisplayUnits) -> list[tuple[FloatArray, FloatArray]]:
    """Pressure over time through the same place on the other laps, from the distance at which this dip began."""
    if a.track is None:
        return []
    along = a.track.lap_distance_m
    at = float(along[d.dip.first])
    found: list[tuple[FloatArray, FloatArray]] = []
    if not math.isfinite(at):
        return found
    for lap in a.rounds:
        if lap.start_s <= d.dip.start_s <= lap.end_s:
            continue
        first, last = (int(i) for i in np.searchsorted(a.time_s, (lap.start_s, lap.end_s)))
        own = along[first:last]
        if not own.size or not np.isfinite(own).any():
            continue
        near = first + int(np.nanargmin(np.abs(own - at)))
        if abs(float(along[near]) - at) > 15.0:
            continue
        part = _window(a, float(a.time_s[near]) - BEFORE_S, float(a.time_s[near]) + AFTER_S)
        part = part[:: max(1, part.size // _SAMPLES)]
        found.append((a.time_s[part] - float(a.time_s[near]), units.pressure.from_base(a.pressure_kpa[part])))
    return found[-_MOST_OTHERS:]


@dataclass(frozen=True, slots=True)
class RivalRow:
    """A cause on the page: its name, whether it is the one that was judged, and its sentences."""

    name: str
    judged: bool
    speaks_for: tuple[str, ...]
    speaks_against: tuple[str, ...]


def rival_rows(a: Analysis, d: JudgedDip) -> list[RivalRow]:
    """Every cause it might have, the judged one first."""
    from basso.pressure.rivals import CAUSE_WORDS

    rows = []
    for i, r in enumerate(a.rivals(d)):
        name = CAUSE_WORDS[r.name]
        if i == 0 and d.cause.together_with:
            name += f" together with {CAUSE_WORDS[d.cause.together_with]}"
        rows.append(RivalRow(name[:1].upper() + name[1:], i == 0, r.speaks_for, r.speaks_against))
    return rows


def dip_title(a: Analysis, d: JudgedDip) -> str:
    """Where and why, short."""
    where = ", ".join(
        w
        for w in (f"lap {d.lap.number}" if d.lap is not None else "", d.place.label if d.place is not None else "")
        if w
    )
    return f"{cause_words(d)}{f': {where}' if where else ''}"


def dip_detail(a: Analysis, d: JudgedDip, units: DisplayUnits) -> str:
    """How deep, how long, under which conditions, where it stands among the others, and how sure the cause is."""
    from basso.words.session import exposure_of, lowest_words, rank_words

    order = sorted(a.dips, key=exposure_of, reverse=True)
    heat = f", oil {units.text(d.temperature_c, Quantity.TEMPERATURE)}" if d.temperature_c is not None else ""
    share = f", {100.0 * d.dip.told_share:.0f} % of normal" if d.dip.told_share is not None else ""
    rank = next(i for i, x in enumerate(order) if x is d) + 1
    return (
        f"Down to {lowest_words(a, d.dip.min_pressure_kpa, units)} {units.pressure.symbol}{share}, "
        f"{units.text(-d.dip.told_margin_kpa, Quantity.PRESSURE, difference=True)} under the "
        f"floor{' (share and depth less what the sensor shakes by)' if a.at_or_above else ''}, for "
        f"{d.dip.duration_s:.2f} s at {d.rpm:.0f} rpm{heat}. "
        f"{rank_words(rank, len(order))}.{_lift_words(a, d)} {sentence(d, units)}"
    )


def _lift_words(a: Analysis, d: JudgedDip) -> str:
    """What the engine speed did in the second before: a lift lowers the pressure by itself, and normal with it."""
    before = _window(a, d.dip.start_s - 1.0, d.dip.start_s)
    rpm = a.rpm[before]
    rpm = rpm[np.isfinite(rpm)]
    if rpm.size < 3:
        return ""
    change = float(rpm[-1] - rpm[0])
    if abs(change) < 300.0:
        return f" The engine held {rpm[-1]:.0f} rpm in the second before."
    return (
        f" The engine {'fell' if change < 0 else 'rose'} from {rpm[0]:.0f} to {rpm[-1]:.0f} rpm in the second before."
    )


@dataclass(frozen=True, slots=True, eq=False)
class SharePicture:
    """A session's shares of normal.

    Attributes:
        share: from high to low, shape (n,); ``below``: the part of judged running below each, shape (n,).
        g, share_at_g, low_at_g: ring of lateral g (left positive), and the median and the 5th percentile of the share
            there.
        fore_g, fore_share, fore_low: the same for g forward.
        floor: the floor that is a share of normal; None without one.
    """

    share: FloatArray
    below: FloatArray
    g: FloatArray
    share_at_g: FloatArray
    low_at_g: FloatArray
    fore_g: FloatArray
    fore_share: FloatArray
    fore_low: FloatArray
    floor: float | None


def share_picture(a: Analysis) -> SharePicture | None:
    """How often the share of normal lay below what, and what it was at which g; None where nothing is expected."""
    from basso.pressure.floors import Share

    use = a.judged & np.isfinite(a.share)
    if use.sum() < 100:
        return None
    shares = np.sort(a.share[use])
    levels = np.linspace(1.1, max(0.0, min(float(shares[0]), 0.4)), 141)
    below = np.searchsorted(shares, levels) / shares.size
    floor = next((f.fraction for f in a.options.floors if isinstance(f, Share)), None)
    return SharePicture(levels, below, *_by_g(a.lateral_g, a.share, use), *_by_g(a.longitudinal_g, a.share, use), floor)


def _by_g(g: FloatArray | None, share: FloatArray, use: np.ndarray) -> tuple[FloatArray, FloatArray, FloatArray]:
    if g is None:
        return np.empty(0), np.empty(0), np.empty(0)
    known = use & np.isfinite(g)
    ring = np.round(g[known] / 0.1).astype(int)
    values = share[known]
    order = np.argsort(ring, kind="stable")
    rings, first = np.unique(ring[order], return_index=True)
    rows = []
    for k, part in zip(rings, np.split(values[order], first[1:]), strict=True):
        if part.size >= 20:
            rows.append((0.1 * float(k), *np.percentile(part, (50, 5))))
    return tuple(np.array(rows).T) if rows else (np.empty(0),) * 3
