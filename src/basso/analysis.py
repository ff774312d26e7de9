"""From a recording to judged dips: the recipe, top to bottom.

1. **Trust**: check the readings, correct what can be corrected (a layer; the recording stays as it is).
2. **Frame**: everything at the pressure's own sample times, which are never smoothed.
3. **Track**: laps and places.
4. **Normal**: the expected pressure from settled running, or from earlier recordings.
5. **Floor**: the highest of the rules asked for.
6. **Dips** below it, each with its **cause**.
7. **Exposure**.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from basso.normal.drift import Drift, fit_drifting
from basso.normal.expected import ExpectedPressure, fit_expected, no_expectation
from basso.normal.settled import SettledLimits, running, settled, warm
from basso.pressure.causes import Cause, Signals, find_cause, look_elsewhere
from basso.pressure.dips import Dip, find_dips
from basso.pressure.earlier import KeptNormal, expected_before, heading_held
from basso.pressure.explained import explained_kpa
from basso.pressure.exposure import Exposure, measure_exposure
from basso.pressure.floors import LEAN_RULE, FloorLine, Slope, highest_floor
from basso.pressure.gauge import judge_readings
from basso.pressure.noise import (
    ReadingError,
    error_off_normal,
    leaves_doubt,
    reading_error,
    shakes,
    steadied,
    told_pressure,
)
from basso.pressure.options import JudgeOptions
from basso.pressure.rivals import Rival, rivals_of
from basso.pressure.slosh import felt
from basso.pressure.trusted import Readings, accepted, g_channels, trusted
from basso.progress import Progress, silent
from basso.recording.corrections import Correction, apply
from basso.recording.recording import Frame, Recording, frame_on
from basso.recording.roles import Role
from basso.recording.rolling import rolling_min
from basso.track.corners import Place, TrackMap
from basso.track.laps import Lap, find_laps
from basso.track.located import locate, rounds
from basso.track.runs import Run
from basso.trust.lookalikes import Lookalike, find_lookalikes
from basso.trust.scale import check_scale_against
from basso.trust.side import KNOWN, SIDE_CHECK, Side, side_of
from basso.trust.verdict import Check
from basso.units import FloatArray

_FOLLOW_S = 0.15
_BLIP_RPM = 250.0


@dataclass(frozen=True, slots=True)
class JudgedDip:
    """A dip with everything that is told about it."""

    dip: Dip
    cause: Cause
    rpm: float
    temperature_c: float | None
    lap: Lap | None
    place: Place | None
    rule: str | None
    severity: str
    """"dip", "serious" or "severe" by the lowest share of normal (70, 60, 40 %; default)."""


@dataclass(frozen=True, slots=True, eq=False)
class Analysis:
    """A judged recording; carries the inputs it came from. Arrays of shape (n,) at the pressure's times."""

    recording: Recording
    options: JudgeOptions
    corrected: Recording
    checks: tuple[Check, ...]
    corrections: tuple[Correction, ...]
    laps: tuple[Lap, ...]
    runs: tuple[Run, ...]
    track: TrackMap | None
    expected: ExpectedPressure
    time_s: FloatArray
    pressure_kpa: FloatArray
    expected_kpa: FloatArray
    floor: FloorLine
    rpm: FloatArray
    followed_rpm: FloatArray
    """The engine speed that the gallery has had time to follow: the floor is held to it."""
    temperature_c: FloatArray | None
    lateral_g: FloatArray | None
    longitudinal_g: FloatArray | None
    told_kpa: FloatArray
    """The pressure less what readings are off by; the reading itself where they are exact."""
    error: ReadingError
    """What each reading may be off by on its own."""
    judged: NDArray[np.bool_]
    settled: NDArray[np.bool_]
    dips: tuple[JudgedDip, ...]
    exposure: Exposure
    signals: Signals | None = None
    """What the causes were judged from."""
    drift: Drift | None = None
    """What normal followed where no oil temperature told."""
    likely_kpa: FloatArray | None = None
    """What the rest of the session leads to expect at each moment, starved or not; None where readings tell on their own."""
    side: Side = KNOWN
    """Whether it is proven which side is left, and by what."""
    lookalikes: tuple[Lookalike, ...] = ()
    """Columns without a role that look like one the verdict lacks; offered, never taken."""

    @property
    def margin_kpa(self) -> FloatArray:
        """Pressure less floor, as far as the readings tell it; shape (n,)."""
        return self.told_kpa - self.floor.kpa

    @property
    def share(self) -> FloatArray:
        """Share of normal, as far as the readings tell it; shape (n,); NaN where nothing is expected."""
        return self.told_kpa / self.expected_kpa

    @property
    def rounds(self) -> tuple[Lap, ...]:
        """What repeats: the whole laps, else the runs over one route."""
        return rounds(self.laps, self.runs)

    def rivals(self, dip: JudgedDip) -> tuple[Rival, ...]:
        """Every cause a dip might have, with what speaks for and against it; the one that was judged first."""
        return rivals_of(dip.dip, dip.cause, self.signals) if self.signals is not None else ()

    @property
    def zero(self) -> Correction | None:
        """What is added to the pressure so that it reads nothing with the engine stopped; None when nothing is."""
        channel = self.recording.channel(Role.OIL_PRESSURE)
        name = channel.name if channel is not None else ""
        return next((c for c in self.corrections if c.kind == "offset" and c.channel == name), None)

    def puts_right(self, check: Check) -> bool:
        """True where a check's correction is in force, by whatever amount."""
        return check.correction is not None and any(c.key == check.correction.key for c in self.corrections)

    @property
    def zero_state(self) -> str:
        """How far the pressure's zero can be trusted: one of :data:`basso.trust.verdict.ZERO_STATES`."""
        check = next((c for c in self.checks if c.id == "zero"), None)
        if self.zero is not None:
            return "put right"
        if check is not None and check.correction is not None:
            return "left wrong"
        return "proved" if check is not None and check.level == "ok" else "assumed"

    @property
    def at_or_below(self) -> bool:
        """True when the pressure was sampled too slowly for a lowest value to be the lowest there was."""
        return any(c.id == "update_rate" and c.level == "warn" for c in self.checks)

    @property
    def at_or_above(self) -> bool:
        """True when the sensor shakes so much that a lowest reading lies below the lowest pressure there was."""
        return shakes(self.error, self.judged)

    @property
    def judgeable(self) -> bool:
        """False when the recording lacks what judging needs."""
        return not any(c.level == "fail" and c.id in ("oil_pressure", "rpm") for c in self.checks)


def analyse(
    recording: Recording,
    options: JudgeOptions | None = None,
    progress: Progress = silent,
    looked_at: Readings | None = None,
) -> Analysis:
    """Judge a recording. Never raises for what the recording lacks: the checks say what could not be done.

    ``looked_at``: what the checks said of it by the same options, where they were run already.
    """
    options = options or JudgeOptions()
    progress(0.0, "checking the readings")
    if recording.manual:
        return _unjudged(recording, options, recording, [_gauge_check(recording, options)], [])
    said, made_right, corrected = looked_at or trusted(recording, options)
    checks, corrections = list(said), list(made_right)
    alike = find_lookalikes(recording)
    checks += [_lookalike_check(x) for x in alike]
    if not recording.has(Role.OIL_PRESSURE) or not recording.has(Role.RPM):
        return replace(_unjudged(recording, options, corrected, checks, corrections), lookalikes=alike)

    progress(0.3, "finding laps and places")
    frame = frame_on(corrected, Role.OIL_PRESSURE)
    lateral, longitudinal = g_channels(frame, checks)
    located = locate(corrected, frame, lateral, longitudinal, options.maps)
    side = side_of(checks, corrections, lateral, corrected)
    if not side.proven and (by_map := _side_by_map(located.track, options)) is not None:
        side = by_map
        checks = [replace(c, level="ok", message=side.by) if c.id == SIDE_CHECK else c for c in checks]
    elif not side.proven and lateral is not None and any(m.shape.path is not None for m in options.maps):
        # Not on any map as it reads: on one when it is turned over?
        turned = locate(corrected, frame, -lateral, longitudinal, options.maps)
        if (by_map := _side_by_map(turned.track, options)) is not None and (
            over := _turned_over(checks, by_map, options)
        ):
            check, correction = over
            side, located, lateral = by_map, turned, -lateral
            checks = [check if c.id == SIDE_CHECK else c for c in checks]
            corrections = [*corrections, correction]
            corrected = apply(corrected, [correction])
            frame = frame_on(corrected, Role.OIL_PRESSURE)
    laps, track = located.laps, located.track
    if not side.proven and track is not None:
        track = track.without_side()

    progress(0.5, "learning normal")
    pressure, rpm = frame.filled(Role.OIL_PRESSURE, np.nan), frame.filled(Role.RPM, np.nan)
    temperature = frame.get(Role.OIL_TEMP)
    is_settled = settled(frame, lateral, longitudinal, SettledLimits())
    given, held_to = _given_normal(options, temperature)
    checks += held_to
    followed = _followed_rpm(rpm, frame.step_s, _follow_s(checks, corrections))
    drift: Drift | None = None
    if given is None:
        expected, drift = _learned(frame, pressure, temperature, is_settled, options)
    else:
        expected = given
    expected_kpa = _expected_kpa(expected, followed, temperature, drift, frame)
    channel = corrected.channel(Role.OIL_PRESSURE)
    before_kpa = _expected_before(options, followed, temperature)
    if before_kpa is not None and channel is not None:
        scale = check_scale_against(
            channel, pressure, before_kpa, rpm, is_settled,
            heading_held=options.known is not None and heading_held(options.known.earlier, channel),
        )  # fmt: skip
        impossible = next((c for c in checks if c.id == "scale" and c.level == "fail"), None)
        if impossible is not None and scale is not None and (scale.correction is None or scale.offered):
            # What no engine could show stays a reading that cannot be judged; by how much it is off is known better from before.
            offer = scale.correction or impossible.correction
            scale = replace(
                impossible, correction=offer, offered=offer is not None, measured=scale.measured or impossible.measured
            )
        if scale is not None:
            checks = [*(c for c in checks if c.id != "scale"), scale]
            corrections = [*corrections, *(made := accepted([scale], options))]
            corrected = apply(corrected, made)
            frame = frame_on(corrected, Role.OIL_PRESSURE)
            pressure = frame.filled(Role.OIL_PRESSURE, np.nan)
            if made and given is None:
                # What was learned from this log itself was learned on the wrong scale.
                expected, drift = _learned(frame, pressure, temperature, is_settled, options)
                expected_kpa = _expected_kpa(expected, followed, temperature, drift, frame)
    if not expected.valid and options.kept is not None and _can_hold(options.kept.expected, temperature):
        # Better an earlier normal of the same build than none; what is lost all the time then shows as well.
        given = options.kept.expected
        checks.append(_by_kept(options.kept, f"this log shows none: {expected.reason}"))
        expected, expected_kpa, drift = given, given.at(followed, temperature), None
    if drift is not None and expected.valid:
        checks.append(_drift_check(drift))
    if not expected.valid:
        checks.append(Check("expected", "warn", f"No expected pressure: {expected.reason}."))

    if (
        options.known is not None
        and (loose := _lean_rule_on_wide_clearances(options, options.known.clearance)) is not None
    ):
        checks.append(loose)

    progress(0.7, "finding dips")
    floor = highest_floor(options.floors, followed, expected_kpa)
    is_judged = (np.nan_to_num(rpm) > options.rules.rpm_gate) & running(rpm) & warm(frame)
    error = error_off_normal(
        reading_error(pressure, rpm), pressure - expected_kpa, rpm, is_settled & is_judged, frame.step_s
    )
    likely_kpa: FloatArray | None = None
    if leaves_doubt(error, is_judged, frame.step_s):
        g = (_without_gaps(lateral), _without_gaps(longitudinal))
        likely_kpa = explained_kpa(
            pressure,
            expected_kpa,
            np.broadcast_to(error.kpa, pressure.shape),
            is_judged,
            g,
            followed,
            temperature,
            frame.step_s,
        )
    told_kpa = told_pressure(pressure, floor.kpa, error, is_judged, frame.step_s, likely_kpa)
    dips = find_dips(frame.time_s, pressure, floor.kpa, expected_kpa, is_judged, error, options.rules, likely_kpa)

    progress(0.9, "explaining them")
    signals = Signals(
        frame.time_s,
        rpm,
        pressure,
        expected_kpa,
        floor,
        _without_gaps(lateral),
        _without_gaps(longitudinal),
        temperature,
        look_elsewhere(rpm, pressure / expected_kpa, is_judged, lateral, longitudinal, frame.step_s),
        float(np.percentile(rpm[is_judged], 60)) if is_judged.any() else np.inf,
        expected,
        _coolest(temperature, is_judged),
        _level_share(pressure, expected_kpa, is_settled) if given is not None else 1.0,
        _felt(lateral, longitudinal, frame.step_s),
        tuple((run.start_s, run.end_s) for run in located.runs if run.kind == "launch"),
        side.proven,
    )
    judged_dips = tuple(_judge(d, signals, laps, track) for d in dips)
    below_s = sum(d.duration_s for d in dips)
    exposure = measure_exposure(frame.time_s, running(rpm), is_judged, below_s, told_kpa / expected_kpa)
    progress(1.0, "judged")
    return Analysis(
        recording,
        options,
        corrected,
        tuple(checks),
        tuple(corrections),
        laps,
        located.runs,
        track,
        expected,
        frame.time_s,
        pressure,
        expected_kpa,
        floor,
        rpm,
        followed,
        temperature,
        lateral,
        longitudinal,
        told_kpa,
        error,
        is_judged,
        is_settled,
        judged_dips,
        exposure,
        signals,
        drift,
        likely_kpa,
        side,
        alike,
    )


def _side_by_map(track: TrackMap | None, options: JudgeOptions) -> Side | None:
    """The side as a map of the circuit proves it: one that was made from a path, with the drive lying on it."""
    known = next((m for m in options.maps if track is not None and m.name == track.circuit), None)
    if known is None or known.shape.path is None:
        return None
    return Side(True, f"The turns go the way the map of {known.name} has them, which was made from a path.")


def _turned_over(checks: Sequence[Check], by_map: Side, options: JudgeOptions) -> tuple[Check, Correction] | None:
    """The check and the correction of a lateral g that lies on a map only when it is turned over; None where that was decided."""
    check = next((c for c in checks if c.id == SIDE_CHECK), None)
    if check is None or check.channel is None or (check.channel, "sign") in options.refused:
        return None
    reason = f"{by_map.by} Its own sign has left and right the other way about: it is turned over."
    correction = Correction(check.channel, "sign", -1.0, "", reason)
    return replace(check, level="warn", message=reason, correction=correction, offered=False), correction


def _lookalike_check(found: Lookalike) -> Check:
    """What a nameless column may be, and how to say so."""
    names = " or ".join(f"'{name}'" for name, _ in found.columns)
    name = found.columns[0][0]
    return Check(
        "lookalike",
        "note",
        f"{names} may be {found.role.words}: it {found.why}. Until you say so it is not used "
        f'(Columns, or --role {found.role}="{name}").',
        name,
    )


def _learned(
    frame: Frame,
    pressure: FloatArray,
    temperature: FloatArray | None,
    is_settled: NDArray[np.bool_],
    options: JudgeOptions,
) -> tuple[ExpectedPressure, Drift | None]:
    """The normal that a log shows itself; without temperature with the oil's drift about it."""
    rpm = frame.filled(Role.RPM, np.nan)
    pressure = steadied(pressure, rpm, is_settled, frame.step_s)
    if temperature is not None:
        return fit_expected(pressure, rpm, temperature, is_settled, options.oil), None
    return fit_drifting(frame.time_s, pressure, rpm, is_settled, options.oil)


def _expected_kpa(
    expected: ExpectedPressure, rpm: FloatArray, temperature: FloatArray | None, drift: Drift | None, frame: Frame
) -> FloatArray:
    return expected.at(rpm, temperature, drift.at(frame.time_s, rpm) if drift is not None else 0.0)


def _drift_check(drift: Drift) -> Check:
    fallen = drift.fallen
    words = (
        f"Without an oil temperature normal follows the pressure of calm running. What pump and bearings make had fallen by {fallen:.0%} at the "
        "end since it was highest, as that of warming oil does: a pressure that is lost over minutes for another reason looks the same."
    )
    return Check("oil_drift", "note", words, measured=fallen)


def _given_normal(options: JudgeOptions, temperature: FloatArray | None) -> tuple[ExpectedPressure | None, list[Check]]:
    """The normal that a recording is held to other than its own, and what is to be said of it; None: it is held to its own."""
    if options.normal is not None:
        if _can_hold(options.normal, temperature):
            return options.normal, []
        words = (
            "The normal of the earlier recordings is by oil temperature, and this log has none: it is held to its own instead, by "
            "engine speed only, and a loss that is there all the time does not show."
        )
        return None, [Check("expected", "warn", words)]
    kept = options.kept
    if options.by_kept and kept is not None and _can_hold(kept.expected, temperature):
        return kept.expected, [_by_kept(kept, "chosen so")]
    return None, []


def _can_hold(normal: ExpectedPressure, temperature: FloatArray | None) -> bool:
    """Whether a recording has what a normal asks for; one that is not valid says so itself."""
    return not normal.valid or normal.temperature_range_c is None or temperature is not None


def _by_kept(kept: KeptNormal, why: str) -> Check:
    own = " This log is among those it was learned from." if kept.own else ""
    return Check("expected", "note", f"Normal is that of {kept.title}, kept on {kept.day} ({why}).{own}")


def _expected_before(options: JudgeOptions, rpm: FloatArray, temperature: FloatArray | None) -> FloatArray | None:
    """What this engine showed before, by the recordings that were named or by the garage; None where neither says."""
    if options.normal is not None:
        return options.normal.at(rpm, temperature)
    return expected_before(options.known.earlier, rpm, temperature) if options.known is not None else None


def _lean_rule_on_wide_clearances(options: JudgeOptions, clearance: str) -> Check | None:
    """The lean per-thousand rule is for production clearances: on wider ones it asks too little, and that is said."""
    if clearance in ("", "production") or not any(
        isinstance(f, Slope) and f.rule == LEAN_RULE.rule for f in options.floors
    ):
        return None
    return Check(
        "clearance", "warn",
        f"This engine's clearances are {clearance} on its card, and the lean per-thousand rule is for production ones: it asks too little "
        "of this engine. Choose its floor (Floors).",
    )  # fmt: skip


def _gauge_check(recording: Recording, options: JudgeOptions) -> Check:
    """Readings off a gauge are judged one by one; there is nothing between them to find dips in."""
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
        + f"{len(below)} below the floor, the worst {-(worst.margin_kpa or 0.0):.0f} kPa under it at {worst.rpm:.0f} rpm.",
        measured=float(len(below)),
    )


def _follow_s(checks: Sequence[Check], corrections: Sequence[Correction]) -> float:
    """How long the gallery of this log takes to follow the rpm: 0.15 s, or longer where it was measured to be slower."""
    delay = next((c for c in checks if c.id == "delay"), None)
    if delay is None or delay.measured is None:
        return _FOLLOW_S
    taken_out = sum(c.value for c in corrections if c.kind == "delay")
    return min(max(_FOLLOW_S, 3.5 * (delay.measured - taken_out)), 4.0 * _FOLLOW_S)


def _followed_rpm(rpm: FloatArray, step_s: float, follow_s: float) -> FloatArray:
    """The rpm the gallery has had time to follow.

    The gallery lags the engine: where the rpm jumps up by more than 250 within the time it takes to follow (a blip,
    a downshift), the lowest rpm of that time counts, so that a floor that leaps is not held against oil that cannot.
    """
    known = np.nan_to_num(rpm)
    size = max(1, round(follow_s / max(step_s, 1e-3)) + 1)
    lately = rolling_min(known, size, trailing=True)
    return np.where(known - lately > _BLIP_RPM, lately, known)


def _without_gaps(values: FloatArray | None) -> FloatArray | None:
    """The g with gaps at 0: a missing g throws no oil as far as anyone can tell."""
    return np.nan_to_num(values) if values is not None else None


def _felt(
    lateral: FloatArray | None, longitudinal: FloatArray | None, step_s: float
) -> tuple[FloatArray, FloatArray] | None:
    """What the oil feels of both g; None where neither is logged."""
    known = next((g for g in (lateral, longitudinal) if g is not None and g.size > 2), None)
    if known is None or step_s <= 0:
        return None
    side, along = (np.nan_to_num(g) if g is not None else np.zeros(known.shape) for g in (lateral, longitudinal))
    return felt(side, step_s), felt(along, step_s)


def _coolest(temperature: FloatArray | None, judged: NDArray[np.bool_]) -> float:
    """The coolest warm oil that was judged (3rd percentile); NaN when there is none."""
    known = temperature[judged & np.isfinite(temperature)] if temperature is not None else np.empty(0)
    return float(np.percentile(known, 3)) if known.size else float("nan")


def _level_share(pressure: FloatArray, expected: FloatArray, is_settled: NDArray[np.bool_]) -> float:
    ratio = (pressure / expected)[is_settled]
    ratio = ratio[np.isfinite(ratio)]
    return float(np.median(ratio)) if ratio.size >= 20 else 1.0


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
    return JudgedDip(dip, cause, float(s.rpm[at]), temperature, lap, place, rule, severity)


def _unjudged(
    recording: Recording,
    options: JudgeOptions,
    corrected: Recording,
    checks: list[Check],
    corrections: list[Correction],
) -> Analysis:
    pressure = recording.channel(Role.OIL_PRESSURE)
    time_s = pressure.time_s if pressure is not None else np.zeros(1)
    n = time_s.size
    nothing = np.full(n, np.nan)
    floor = FloorLine(nothing, np.full(n, -1, dtype=np.int8), options.floors)
    false = np.zeros(n, dtype=bool)
    return Analysis(
        recording,
        options,
        corrected,
        tuple(checks),
        tuple(corrections),
        find_laps(recording),
        (),
        None,
        no_expectation("oil pressure or engine speed is missing"),
        time_s,
        pressure.values if pressure is not None else nothing,
        nothing,
        floor,
        nothing,
        nothing,
        None,
        None,
        None,
        pressure.values if pressure is not None else nothing,
        ReadingError(0.0),
        false,
        false,
        (),
        measure_exposure(time_s, false, false, 0.0, nothing),
    )
