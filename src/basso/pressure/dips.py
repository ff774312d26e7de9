"""Dips: where the pressure lay below the floor while the engine ran above the gate.

A dip begins where the corrected pressure crosses the floor (interpolated between samples) and ends where it
has come back, or with the last sample before the log pauses; a return of less than 0.2 s, or one of up to 0.3 s that
stays within 1 % of the floor, does not end it.

Where the sensor shakes, or its converter is coarse, single readings cross the floor by themselves: what then tells
whether and when the pressure lay below it is in :mod:`basso.pressure.noise`. The lowest reading is always the reading
itself.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from basso.pressure.noise import ReadingError, tell_margin
from basso.recording.rolling import rolling_mean
from basso.recording.spans import longest_step_s, runs_of
from basso.units import FloatArray

_LEAST_DEPTH = 1.2
"""Of the noise, that the mean over 0.1 s has to lie under the floor."""
_LEAST_DEPTH_OF_TOLD = 0.7
"""Of what is left of the noise in a margin that is not as read."""


@dataclass(frozen=True, slots=True)
class DipRules:
    """When being below the floor counts as a dip (defaults; all editable)."""

    rpm_gate: float = 1500.0
    least_s: float = 0.15
    join_s: float = 0.2
    hysteresis: float = 0.01
    """A return that stays within this share above the floor, for up to 0.3 s, does not end a dip."""


@dataclass(frozen=True, slots=True)
class Dip:
    """Where one dip lies and how deep it goes.

    Attributes:
        start_s, end_s: interpolated crossings of the floor.
        first, last: index of the first sample below and one past the last.
        lowest: index of the lowest pressure.
        lowest_margin: index of the lowest margin.
        min_pressure_kpa, min_margin_kpa: at those.
        min_share: lowest share of normal, None without an expectation.
        told_margin_kpa, told_share: lowest margin and share less what readings are off by
            (:mod:`basso.pressure.noise`): what is to be judged
            by; ``min_margin_kpa`` and ``min_share`` where they are exact.
        deficit_kpa_s: area between floor and pressure.
    """

    start_s: float
    end_s: float
    first: int
    last: int
    lowest: int
    lowest_margin: int
    min_pressure_kpa: float
    min_margin_kpa: float
    min_share: float | None
    told_margin_kpa: float
    told_share: float | None
    deficit_kpa_s: float

    @property
    def duration_s(self) -> float:
        """Seconds below the floor, from crossing to crossing."""
        return self.end_s - self.start_s


def find_dips(
    time_s: FloatArray,
    pressure_kpa: FloatArray,
    floor_kpa: FloatArray,
    expected_kpa: FloatArray,
    judged: NDArray[np.bool_],
    error: ReadingError,
    rules: DipRules,
    likely_kpa: FloatArray | None = None,
) -> list[Dip]:
    """Find the dips; arrays of shape (n,).

    Args:
        time_s: sample times.
        pressure_kpa: corrected pressure, NaN where the reading is missing.
        floor_kpa: the floor, NaN where there is none.
        expected_kpa: expected pressure, NaN where there is none.
        judged: where a floor may be judged at all (engine above the gate, oil warm).
        error: what each reading may be off by; a crossing no deeper than that is none.
        rules: gate, least length, joining.
        likely_kpa: the pressure to be expected at each moment, starved or not, where single readings do not tell.
    """
    if time_s.size < 3:
        return []
    step = float(np.median(np.diff(time_s)))
    pressure = _bridged(time_s, pressure_kpa)
    margin = pressure - floor_kpa
    telling = tell_margin(margin, error, judged, step, None if likely_kpa is None else likely_kpa - floor_kpa)
    told = telling.margin_kpa
    below = np.nan_to_num(told, nan=1.0) < 0
    below &= judged
    longest = longest_step_s(time_s)
    runs = _joined(below, told, floor_kpa, judged, time_s, rules, longest)
    if not runs:
        return []
    depth, least_depth = -np.nan_to_num(told), _LEAST_DEPTH_OF_TOLD * telling.unsure_kpa
    if telling.as_read:
        depth = rolling_mean(depth, max(1, round(0.1 / step))) if step > 0 else depth
        least_depth = _LEAST_DEPTH * telling.unsure_kpa
    dips = []
    for first, last in runs:
        start = _crossing(time_s, told, first, -1, longest)
        end = _crossing(time_s, told, last - 1, +1, longest)
        if end - start < rules.least_s - 1e-9:
            continue
        part = slice(first, last)
        if not bool(np.any(depth[part] >= least_depth[part])):
            continue
        lowest = first + int(np.nanargmin(pressure[part]))
        deepest = first + int(np.nanargmin(margin[part]))
        share = _least(pressure[part] / expected_kpa[part])
        told_share = share if telling.as_read else _least((told[part] + floor_kpa[part]) / expected_kpa[part])
        times = np.concatenate([[start], time_s[part], [end]])
        # The area is the readings' own, whose noise cancels in it; what was told to lie above the floor does not count.
        lacking = np.nan_to_num(np.maximum(told[part], 0.0) - margin[part])
        dips.append(
            Dip(
                start_s=start,
                end_s=end,
                first=first,
                last=last,
                lowest=lowest,
                lowest_margin=deepest,
                min_pressure_kpa=float(pressure[lowest]),
                min_margin_kpa=float(margin[deepest]),
                min_share=share,
                told_margin_kpa=float(np.nanmin(told[part])),
                told_share=told_share,
                deficit_kpa_s=max(float(np.trapezoid(np.concatenate([[0.0], lacking, [0.0]]), times)), 0.0),
            )
        )
    return dips


def _least(shares: FloatArray) -> float | None:
    known = shares[np.isfinite(shares)]
    return float(known.min()) if known.size else None


def _bridged(time_s: FloatArray, pressure: FloatArray, longest_s: float = 0.25) -> FloatArray:
    """Missing readings bridged in a straight line over short gaps; long ones stay missing."""
    missing = np.isnan(pressure)
    if not missing.any() or missing.all():
        return pressure
    filled = pressure.copy()
    known = np.flatnonzero(~missing)
    for start, end in runs_of(missing):
        before, after = start - 1, end
        if before < 0 or after >= pressure.size or time_s[after] - time_s[before] > longest_s:
            continue
        filled[start:end] = np.interp(
            time_s[start:end], [time_s[before], time_s[after]], [pressure[before], pressure[after]]
        )
    return filled if known.size else pressure


def _joined(
    below: NDArray[np.bool_],
    margin: FloatArray,
    floor: FloatArray,
    judged: NDArray[np.bool_],
    time_s: FloatArray,
    rules: DipRules,
    longest_s: float,
) -> list[tuple[int, int]]:
    joined: list[tuple[int, int]] = []
    for start, end in _without_pauses(runs_of(below), time_s, longest_s):
        if joined:
            before = joined[-1][1]
            between = slice(before, start)
            gap = float(time_s[start] - time_s[before - 1])
            if float(np.diff(time_s[before - 1 : start + 1]).max()) > longest_s:
                joined.append((start, end))  # the log paused in between
                continue
            held = bool(judged[between].all()) and not np.isnan(margin[between]).any()
            near = held and bool(np.all(margin[between] <= rules.hysteresis * floor[between]))
            unread = np.isnan(margin[between])
            # Readings missing in the middle of a dip do not end it; what was read in between must be near the floor.
            if (
                unread.any()
                and gap <= 1.5
                and bool(np.all(unread | (margin[between] <= rules.hysteresis * floor[between])))
            ):
                joined[-1] = (joined[-1][0], end)
                continue
            if held and (gap <= rules.join_s or (gap <= 0.3 and near)):
                joined[-1] = (joined[-1][0], end)
                continue
        joined.append((start, end))
    return joined


def _without_pauses(runs: list[tuple[int, int]], time_s: FloatArray, longest_s: float) -> list[tuple[int, int]]:
    """Stretches cut where the log pauses: what happened meanwhile is not known."""
    pauses = np.flatnonzero(np.diff(time_s) > longest_s) + 1
    if not pauses.size:
        return runs
    cut: list[tuple[int, int]] = []
    for start, end in runs:
        inside = pauses[(pauses > start) & (pauses < end)].tolist()
        cut += zip([start, *inside], [*inside, end], strict=True)
    return cut


def _crossing(time_s: FloatArray, margin: FloatArray, inside: int, way: int, longest_s: float) -> float:
    """The time at which the margin crosses 0 between ``inside`` and its neighbour outside the dip; no crossing over a
    pause."""
    outside = inside + way
    at = float(time_s[inside])
    if not 0 <= outside < time_s.size:
        return at
    a, b = float(margin[inside]), float(margin[outside])
    if not np.isfinite(b) or b <= a or b < 0 or abs(float(time_s[outside]) - at) > longest_s:
        return at
    return at + (float(time_s[outside]) - at) * (-a) / (b - a)
