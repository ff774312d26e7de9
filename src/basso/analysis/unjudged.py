"""Recordings in which no dips can be found: without pressure or engine speed, or read off a gauge."""

from __future__ import annotations

import numpy as np

from basso.analysis.result import Analysis
from basso.analysis.trusted import Trusted
from basso.normal.expected import no_expectation
from basso.pressure.exposure import measure_exposure
from basso.pressure.floors import FloorLine
from basso.pressure.gauge import judge_readings
from basso.pressure.noise import ReadingError
from basso.pressure.options import JudgeOptions
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.sentence import in_kpa, phrase
from basso.track.laps import find_laps
from basso.trust.lookalikes import Lookalike
from basso.trust.verdict import Check


def unjudged(readings: Trusted, options: JudgeOptions, lookalikes: tuple[Lookalike, ...] = ()) -> Analysis:
    """What can be said where nothing can be judged: the checks, and the pressure as it was read."""
    recording = readings.recording
    pressure = recording.channel(Role.OIL_PRESSURE)
    time_s = pressure.time_s if pressure is not None else np.zeros(1)
    n = time_s.size
    nothing, false = np.full(n, np.nan), np.zeros(n, dtype=bool)
    read = pressure.values if pressure is not None else nothing
    return Analysis(
        recording=recording,
        options=options,
        corrected=readings.corrected,
        checks=readings.checks,
        corrections=readings.corrections,
        laps=find_laps(recording),
        runs=(),
        track=None,
        expected=no_expectation("oil pressure or engine speed is missing"),
        time_s=time_s,
        pressure_kpa=read,
        expected_kpa=nothing,
        floor=FloorLine(nothing, np.full(n, -1, dtype=np.int8), options.floors),
        rpm=nothing,
        followed_rpm=nothing,
        temperature_c=None,
        lateral_g=None,
        longitudinal_g=None,
        told_kpa=read,
        error=ReadingError(0.0),
        judged=false,
        settled=false,
        dips=(),
        exposure=measure_exposure(time_s, false, false, 0.0, nothing),
        lookalikes=lookalikes,
    )


def off_a_gauge(recording: Recording, options: JudgeOptions) -> Analysis:
    """Readings off a gauge are judged one by one; there is nothing between them to find dips in."""
    check = _gauge_check(recording, options)
    return unjudged(Trusted(recording=recording, checks=(check,), corrections=(), corrected=recording), options)


def _gauge_check(recording: Recording, options: JudgeOptions) -> Check:
    readings = judge_readings(recording, options.floors)
    if not readings:
        return Check(
            "gauge", "fail", "There is no reading with both engine speed and oil pressure: nothing can be judged."
        )
    below = [r for r in readings if r.margin_kpa is not None and r.margin_kpa < 0]
    words = f"{len(readings)} readings off a gauge, each judged by itself: "
    if not below:
        return Check("gauge", "note", words + "none lies below the floor. A gauge shows no dips between its readings.")
    worst = min(below, key=lambda r: r.margin_kpa or 0.0)
    return Check(
        "gauge",
        "warn",
        words
        + phrase(
            "{} below the floor, the worst {} under it at {:.0f} rpm.",
            len(below),
            in_kpa(-(worst.margin_kpa or 0.0)),
            worst.rpm,
        ),
        measured=float(len(below)),
    )
