"""The fourth step: the floor, the dips below it, the cause of each, what the bearings were exposed to."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from basso.analysis.learned import Learned
from basso.analysis.result import Analysis, JudgedDip
from basso.normal.settled import running, warm
from basso.pressure.causes import Signals, find_cause, look_elsewhere
from basso.pressure.dips import Dip, find_dips
from basso.pressure.explained import explained_kpa
from basso.pressure.exposure import measure_exposure
from basso.pressure.floors import FloorLine, highest_floor
from basso.pressure.noise import error_off_normal, leaves_doubt, reading_error, shakes, told_pressure
from basso.pressure.options import JudgeOptions
from basso.pressure.slosh import felt
from basso.progress import Progress, silent
from basso.recording.gaps import or_zero
from basso.track.corners import TrackMap
from basso.track.laps import Lap
from basso.trust.lookalikes import Lookalike
from basso.units import FloatArray


def judged(
    normal: Learned, options: JudgeOptions, lookalikes: tuple[Lookalike, ...] = (), progress: Progress = silent
) -> Analysis:
    """Hold a drive's pressure against its floor."""
    frame, drive, readings = normal.frame, normal.drive, normal.readings
    pressure, rpm, expected_kpa = normal.pressure_kpa, normal.rpm, normal.expected_kpa
    floor = highest_floor(options.floors, normal.followed_rpm, expected_kpa)
    is_judged = (or_zero(rpm) > options.rules.rpm_gate) & running(rpm) & warm(frame)
    error = error_off_normal(
        reading_error(pressure, rpm), pressure - expected_kpa, rpm, normal.settled & is_judged, frame.step_s
    )
    likely_kpa: FloatArray | None = None
    if leaves_doubt(error, is_judged, frame.step_s):
        likely_kpa = explained_kpa(
            pressure_kpa=pressure,
            normal_kpa=expected_kpa,
            noise_kpa=np.broadcast_to(error.kpa, pressure.shape),
            use=is_judged,
            g=(_without_gaps(drive.lateral_g), _without_gaps(drive.longitudinal_g)),
            rpm=normal.followed_rpm,
            temperature_c=normal.temperature_c,
            step_s=frame.step_s,
        )
    told_kpa = told_pressure(pressure, floor.kpa, error, is_judged, frame.step_s, likely_kpa)
    dips = find_dips(
        time_s=frame.time_s,
        pressure_kpa=pressure,
        floor_kpa=floor.kpa,
        expected_kpa=expected_kpa,
        judged=is_judged,
        error=error,
        rules=options.rules,
        likely_kpa=likely_kpa,
    )

    progress(0.9, "explaining them")
    signals = _signals(normal, floor, is_judged)
    below_s = sum(d.duration_s for d in dips)
    return Analysis(
        recording=readings.recording,
        options=options,
        corrected=readings.corrected,
        checks=readings.checks,
        corrections=readings.corrections,
        laps=drive.laps,
        runs=drive.runs,
        track=drive.track,
        expected=normal.expected,
        time_s=frame.time_s,
        pressure_kpa=pressure,
        expected_kpa=expected_kpa,
        floor=floor,
        rpm=rpm,
        followed_rpm=normal.followed_rpm,
        temperature_c=normal.temperature_c,
        lateral_g=drive.lateral_g,
        longitudinal_g=drive.longitudinal_g,
        told_kpa=told_kpa,
        error=error,
        judged=is_judged,
        settled=normal.settled,
        dips=tuple(_judge(d, signals, drive.laps, drive.track) for d in dips),
        exposure=measure_exposure(frame.time_s, running(rpm), is_judged, below_s, told_kpa / expected_kpa),
        signals=signals,
        drift=normal.drift,
        likely_kpa=likely_kpa,
        side=drive.side,
        at_or_above=shakes(error, is_judged),
        lookalikes=lookalikes,
    )


def _signals(normal: Learned, floor: FloorLine, is_judged: NDArray[np.bool_]) -> Signals:
    """What causes are judged from."""
    drive, frame, rpm = normal.drive, normal.frame, normal.rpm
    lateral, longitudinal = drive.lateral_g, drive.longitudinal_g
    share = normal.pressure_kpa / normal.expected_kpa
    return Signals(
        time_s=frame.time_s,
        rpm=rpm,
        pressure_kpa=normal.pressure_kpa,
        expected_kpa=normal.expected_kpa,
        floor=floor,
        lateral_g=_without_gaps(lateral),
        longitudinal_g=_without_gaps(longitudinal),
        temperature_c=normal.temperature_c,
        elsewhere=look_elsewhere(rpm, share, is_judged, lateral, longitudinal, frame.step_s),
        high_rpm=float(np.percentile(rpm[is_judged], 60)) if is_judged.any() else np.inf,
        expected=normal.expected,
        coolest_c=_coolest(normal.temperature_c, is_judged),
        level_share=_level_share(share, normal.settled) if normal.given else 1.0,
        felt=_felt(lateral, longitudinal, frame.step_s),
        launches=tuple((run.start_s, run.end_s) for run in drive.runs if run.kind == "launch"),
        side_proven=drive.side.proven,
    )


def _judge(dip: Dip, s: Signals, laps: Sequence[Lap], track: TrackMap | None) -> JudgedDip:
    cause = find_cause(dip, s)
    at = dip.lowest_margin
    lap = next((lap for lap in laps if lap.start_s <= s.time_s[at] <= lap.end_s), None)
    place = track.place_of(dip.first, at) if track is not None else None
    temperature = float(s.temperature_c[at]) if s.temperature_c is not None else None
    severity = "dip"
    if dip.told_share is not None:
        severity = "severe" if dip.told_share < 0.40 else "serious" if dip.told_share < 0.60 else "dip"
    rule = s.floor.rule_at(at)
    return JudgedDip(
        dip=dip,
        cause=cause,
        rpm=float(s.rpm[at]),
        temperature_c=temperature,
        lap=lap,
        place=place,
        rule=rule,
        severity=severity,
    )


def _without_gaps(values: FloatArray | None) -> FloatArray | None:
    """The g with gaps at 0: a missing g throws no oil as far as anyone can tell."""
    return or_zero(values) if values is not None else None


def _felt(
    lateral: FloatArray | None, longitudinal: FloatArray | None, step_s: float
) -> tuple[FloatArray, FloatArray] | None:
    """What the oil feels of both g; None where neither is logged."""
    known = next((g for g in (lateral, longitudinal) if g is not None and g.size > 2), None)
    if known is None or step_s <= 0:
        return None
    side, along = (or_zero(g) if g is not None else np.zeros(known.shape) for g in (lateral, longitudinal))
    return felt(side, step_s), felt(along, step_s)


def _coolest(temperature: FloatArray | None, judged: NDArray[np.bool_]) -> float:
    """The coolest warm oil that was judged (3rd percentile); NaN when there is none."""
    known = temperature[judged & np.isfinite(temperature)] if temperature is not None else np.empty(0)
    return float(np.percentile(known, 3)) if known.size else float("nan")


def _level_share(share: FloatArray, is_settled: NDArray[np.bool_]) -> float:
    ratio = share[is_settled]
    ratio = ratio[np.isfinite(ratio)]
    return float(np.median(ratio)) if ratio.size >= 20 else 1.0
