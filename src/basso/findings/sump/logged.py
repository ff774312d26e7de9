"""Judged logs as the flow model needs them, and the model calibrated on them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from basso.analysis import Analysis
from basso.findings.corners.passes import Pass, passes_of
from basso.progress import Progress, silent
from basso.recording.gaps import or_zero
from basso.sump.calibration import Calibration, Logged, LoggedPass, calibrate
from basso.sump.compartments import Compartments
from basso.sump.flow import STEP_S, USUAL_PUMP_M3_PER_REV, Run
from basso.sump.in_time import OilInTime, oil_in_time
from basso.track.alignment import align
from basso.units import FloatArray


def calibration_of(
    analyses: Sequence[Analysis],
    c: Compartments,
    volume_m3: float,
    away_l: float | None = None,
    pump_m3_per_rev: float | None = None,
    progress: Progress = silent,
) -> Calibration:
    """The flow model of a car's pan, calibrated on judged logs of it, driven with ``volume_m3`` in it at rest.

    Not usable, with the reason, where a log lacks what the model needs.
    """
    why = next((words for a in analyses if (words := _lacks(a))), "") or _elsewhere(analyses)
    if why:
        return Calibration(False, why, c, (), volume_m3, pump_m3_per_rev or USUAL_PUMP_M3_PER_REV)
    proven = all(a.side.proven for a in analyses)
    return calibrate(c, logged_of(analyses), volume_m3, away_l, pump_m3_per_rev, proven, progress)


def _lacks(a: Analysis) -> str:
    """What keeps a log from calibrating anything; "" where nothing does."""
    name = a.recording.path.name
    if not a.judgeable:
        return next(f"{name}: {c.message}" for c in a.checks if c.level == "fail" and c.id in ("oil_pressure", "rpm"))
    for what, values in (("lateral", a.lateral_g), ("longitudinal", a.longitudinal_g)):
        if values is None:
            return f"{name} has no {what} g, and without it nobody knows where the oil went"
    if not a.expected.valid:
        return f"{name}: normal pressure could not be learned: {a.expected.reason}"
    if a.track is None:
        return f"{name} has no laps to compare; log a lap channel, GPS or distance"
    return ""


def _elsewhere(analyses: Sequence[Analysis]) -> str:
    """Which log was driven on another circuit than the first; "" where none was."""
    first = analyses[0].track
    for a in analyses[1:]:
        if first is not None and a.track is not None and (why := align(first.shape, a.track.shape).problem) is not None:
            return f"{a.recording.path.name}: {why}"
    return ""


_LEAD_S = 25.0
"""Driven before the first pass that is looked at: by then the oil has forgotten where it began."""
_PAUSE_S = 120.0
"""Longer between two passes, and the log is looked at in two stretches."""
_LEAST_STEPS = 5


def logged_of(analyses: Sequence[Analysis]) -> tuple[Logged, ...]:
    """Judged logs of one car and circuit, on the flow model's grid of time, without waiting and out-laps: a stretch for
    each time it was driven without a long pause. Logs without laps are left out."""
    reference = next((a.track for a in analyses if a.track is not None), None)
    made: list[Logged] = []
    lap_numbers: dict[tuple[int, int, int], int] = {}
    for n, a in enumerate(analyses):
        if reference is None or a.track is None or a.lateral_g is None or not a.expected.valid:
            continue
        places = [p for p in reference.places if p.loaded]
        shift = align(reference.shape, a.track.shape).shift_m
        found = sorted(passes_of(a, places, reference.length_m, 0, n, shift), key=lambda p: p.start_s)
        for stretch in _stretches(found):
            logged = _logged(a, stretch, lap_numbers)
            if logged.passes:
                made.append(logged)
    return tuple(made)


def _stretches(passes: Sequence[Pass]) -> list[list[Pass]]:
    """Passes in the order they were driven, parted at long pauses."""
    made: list[list[Pass]] = []
    for p in passes:
        if made and p.start_s - max(q.end_s for q in made[-1]) < _PAUSE_S:
            made[-1].append(p)
        else:
            made.append([p])
    return made


def run_of(a: Analysis, grid: FloatArray) -> Run:
    """What the car did, on a grid of time with :data:`~basso.sump.flow.STEP_S` between."""
    rpm = np.maximum(_on(grid, a, a.followed_rpm), 0.0)
    heat = _on(grid, a, a.temperature_c) if a.temperature_c is not None else None
    free, capped, factor = a.expected.curves_at(rpm, heat)
    ahead = a.longitudinal_g if a.longitudinal_g is not None else np.zeros(a.time_s.shape)
    side = a.lateral_g if a.lateral_g is not None else np.zeros(a.time_s.shape)
    return Run(
        _on(grid, a, or_zero(ahead)),
        _on(grid, a, or_zero(side)),
        _on(grid, a, a.rpm),
        np.maximum(free, 1.0),
        np.maximum(capped, 1.0),
        a.expected.sharpness,
        factor,
    )


def _on(grid: FloatArray, a: Analysis, values: FloatArray) -> FloatArray:
    known = np.isfinite(values)
    return np.interp(grid, a.time_s[known], values[known]) if known.any() else np.full(grid.shape, np.nan)


def oil_of(a: Analysis, calibration: Calibration) -> OilInTime | None:
    """Where a usable model has the oil through a whole log; None where it is not usable."""
    if not calibration.usable:
        return None
    grid = np.arange(float(a.time_s[0]), float(a.time_s[-1]) + STEP_S, STEP_S)
    return oil_in_time(calibration, run_of(a, grid), float(grid[0]))


def _logged(a: Analysis, passes: Sequence[Pass], lap_numbers: dict[tuple[int, int, int], int]) -> Logged:
    """One stretch of a log."""
    begin = max(passes[0].start_s - _LEAD_S, float(a.time_s[0]))
    grid = np.arange(begin, max(p.end_s for p in passes) + STEP_S, STEP_S)
    run = run_of(a, grid)
    measured = np.where(np.interp(grid, a.time_s, a.judged.astype(np.float64)) > 0.99, _on(grid, a, a.told_kpa), np.nan)
    dips = [(float(a.time_s[d.dip.first]), float(a.time_s[d.dip.last - 1])) for d in a.dips]
    kept = []
    for p in passes:
        first, last = (int(v) for v in np.searchsorted(grid, (p.start_s, p.end_s)))
        last = min(last, grid.size - 1)
        if last - first < _LEAST_STEPS or not np.isfinite(measured[first : last + 1]).any():
            continue
        at = int(np.argmin(np.abs(a.time_s - p.time_s)))
        kept.append(
            LoggedPass(
                lap=lap_numbers.setdefault(p.lap_key, len(lap_numbers)),
                place=p.place,
                first=first,
                last=last,
                lowest_kpa=p.min_pressure_kpa,
                floor_kpa=float(a.floor.kpa[at]),
                dips=any(start <= p.end_s and end >= p.start_s for start, end in dips),
            )
        )
    return Logged(run, measured, tuple(kept))
