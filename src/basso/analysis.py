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

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from basso.oil.grades import Grade, usual
from basso.pressure.causes import Cause, Signals, find_cause, look_elsewhere
from basso.pressure.dips import Dip, DipRules, find_dips
from basso.pressure.earlier import Known, checks_of, expected_before, heading_held
from basso.pressure.expected import ExpectedPressure, fit_expected, no_expectation
from basso.pressure.exposure import Exposure, measure_exposure
from basso.pressure.floors import DEFAULT_FLOORS, Floor, FloorLine, highest_floor
from basso.pressure.gauge import judge_readings
from basso.pressure.settled import SettledLimits, running, settled, warm
from basso.progress import Progress, silent
from basso.recording.corrections import Correction, apply
from basso.recording.recording import Frame, Recording, frame_on
from basso.recording.roles import Role
from basso.recording.rolling import rolling_min
from basso.track.corners import Place, TrackMap, find_places
from basso.track.laps import Lap, find_laps
from basso.trust.axes import check_axes, lateral_from_path_g, longitudinal_from_speed_g
from basso.trust.bounds import check_bounds
from basso.trust.circuit import check_circuit
from basso.trust.clock import check_clocks, check_pressure_clock
from basso.trust.decisions import Decision
from basso.trust.delay import check_delay
from basso.trust.scale import check_scale, check_scale_against
from basso.trust.spikes import check_spikes
from basso.trust.steps import check_steps, step_noise_kpa
from basso.trust.stuck import check_stuck
from basso.trust.supply import check_supply
from basso.trust.temperature import check_temperature
from basso.trust.update_rate import check_update_rate
from basso.trust.verdict import Check
from basso.trust.vibration import check_vibration, noise_by_rpm
from basso.trust.zero import check_zero
from basso.units import FloatArray

_FOLLOW_S = 0.15
_BLIP_RPM = 250.0


@dataclass(frozen=True, slots=True)
class JudgeOptions:
    """How to judge.

    Attributes:
        floors: the rules; the highest applies.
        rules: gate, least length, joining.
        refused: (channel name, kind) of corrections the user refused.
        edited: (channel name, kind, value) of corrections that are made by another amount than was found.
        normal: expected pressure from earlier recordings, or None to learn it from this one.
        oil: whose viscosity the expected pressure follows.
        known: what the garage knows of the sensor and of the car's earlier sessions, or None.
    """

    floors: tuple[Floor, ...] = DEFAULT_FLOORS
    rules: DipRules = field(default_factory=DipRules)
    refused: frozenset[tuple[str, str]] = frozenset()
    edited: frozenset[tuple[str, str, float]] = frozenset()
    normal: ExpectedPressure | None = None
    oil: Grade = field(default_factory=usual)
    known: Known | None = None

    def by(self, decision: Decision | None, known: Known | None = None) -> JudgeOptions:
        """The same with what was decided about one log's corrections, and with what is known of its car."""
        options = self if known is None else replace(self, known=known)
        if decision is None or decision == Decision():
            return options
        return replace(options, refused=self.refused | decision.refused, edited=self.edited | decision.edited)


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
    judged: NDArray[np.bool_]
    settled: NDArray[np.bool_]
    dips: tuple[JudgedDip, ...]
    exposure: Exposure

    @property
    def margin_kpa(self) -> FloatArray:
        """Pressure less floor, shape (n,)."""
        return self.pressure_kpa - self.floor.kpa

    @property
    def share(self) -> FloatArray:
        """Share of normal, shape (n,); NaN where nothing is expected."""
        return self.pressure_kpa / self.expected_kpa

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
    def judgeable(self) -> bool:
        """False when the recording lacks what judging needs."""
        return not any(c.level == "fail" and c.id in ("oil_pressure", "rpm") for c in self.checks)


def analyse(recording: Recording, options: JudgeOptions | None = None, progress: Progress = silent) -> Analysis:
    """Judge a recording. Never raises for what the recording lacks: the checks say what could not be done."""
    options = options or JudgeOptions()
    progress(0.0, "checking the readings")
    if recording.manual:
        return _unjudged(recording, options, recording, [_gauge_check(recording, options)], [])
    checks, corrections, corrected = _trusted(recording, options)
    if not recording.has(Role.OIL_PRESSURE) or not recording.has(Role.RPM):
        return _unjudged(recording, options, corrected, checks, corrections)

    progress(0.3, "finding laps and places")
    frame = frame_on(corrected, Role.OIL_PRESSURE)
    lateral, longitudinal = _g_channels(frame, checks)
    laps = find_laps(corrected)
    track = find_places(frame, laps, lateral, longitudinal)

    progress(0.5, "learning normal")
    pressure, rpm = frame.filled(Role.OIL_PRESSURE, np.nan), frame.filled(Role.RPM, np.nan)
    temperature = frame.get(Role.OIL_TEMP)
    is_settled = settled(frame, lateral, longitudinal, SettledLimits())
    expected = options.normal or fit_expected(pressure, rpm, temperature, is_settled, options.oil)
    followed = _followed_rpm(rpm, frame.step_s, _follow_s(checks, corrections))
    expected_kpa = expected.at(followed, temperature)
    channel = corrected.channel(Role.OIL_PRESSURE)
    before_kpa = _expected_before(options, followed, temperature, expected_kpa)
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
            corrections = [*corrections, *(made := _accepted([scale], options))]
            corrected = apply(corrected, made)
            frame = frame_on(corrected, Role.OIL_PRESSURE)
            pressure = frame.filled(Role.OIL_PRESSURE, np.nan)
            if made and options.normal is None:
                # What was learned from this log itself was learned on the wrong scale.
                expected = fit_expected(pressure, rpm, temperature, is_settled, options.oil)
                expected_kpa = expected.at(followed, temperature)
    if not expected.valid:
        checks.append(Check("expected", "warn", f"No expected pressure: {expected.reason}."))

    progress(0.7, "finding dips")
    floor = highest_floor(options.floors, followed, expected_kpa)
    is_judged = (np.nan_to_num(rpm) > options.rules.rpm_gate) & running(rpm) & warm(frame)
    noise_kpa = np.hypot(noise_by_rpm(pressure, rpm), step_noise_kpa(pressure))
    dips = find_dips(frame.time_s, pressure, floor.kpa, expected_kpa, is_judged, noise_kpa, options.rules)

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
        _level_share(pressure, expected_kpa, is_settled) if options.normal is not None else 1.0,
    )
    judged_dips = tuple(_judge(d, signals, laps, track) for d in dips)
    below_s = sum(d.duration_s for d in dips)
    exposure = measure_exposure(frame.time_s, running(rpm), is_judged, below_s, pressure / expected_kpa)
    progress(1.0, "judged")
    return Analysis(
        recording,
        options,
        corrected,
        tuple(checks),
        tuple(corrections),
        laps,
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
        is_judged,
        is_settled,
        judged_dips,
        exposure,
    )


def _expected_before(
    options: JudgeOptions, rpm: FloatArray, temperature: FloatArray | None, expected_kpa: FloatArray
) -> FloatArray | None:
    """What this engine showed before, by the recordings that were named or by the garage; None where neither says."""
    if options.normal is not None:
        return expected_kpa
    return expected_before(options.known.earlier, rpm, temperature) if options.known is not None else None


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


def pooled_normal(
    recordings: Sequence[Recording],
    options: JudgeOptions | None = None,
    decided: Mapping[str, Decision] = MappingProxyType({}),
    known: Mapping[str, Known] = MappingProxyType({}),
) -> ExpectedPressure:
    """The expected pressure learned from several recordings together.

    ``decided``, ``known``: what was decided about the corrections of each log, and is known of its car, by its content.
    """
    options = options or JudgeOptions()
    parts: list[tuple[FloatArray, FloatArray, FloatArray | None, NDArray[np.bool_]]] = []
    for recording in recordings:
        if not recording.has(Role.OIL_PRESSURE) or not recording.has(Role.RPM):
            continue
        checks, _, corrected = _trusted(
            recording, options.by(decided.get(recording.content_hash), known.get(recording.content_hash))
        )
        frame = frame_on(corrected, Role.OIL_PRESSURE)
        lateral, longitudinal = _g_channels(frame, checks)
        parts.append(
            (
                frame.filled(Role.OIL_PRESSURE, np.nan),
                frame.filled(Role.RPM, np.nan),
                frame.get(Role.OIL_TEMP),
                settled(frame, lateral, longitudinal, SettledLimits()),
            )
        )
    if not parts:
        return no_expectation("none of the recordings has oil pressure and engine speed")
    with_temperature = all(t is not None for _, _, t, _ in parts)
    temperature = np.concatenate([t for _, _, t, _ in parts if t is not None]) if with_temperature else None
    return fit_expected(
        np.concatenate([p for p, _, _, _ in parts]),
        np.concatenate([n for _, n, _, _ in parts]),
        temperature,
        np.concatenate([s for _, _, _, s in parts]),
        options.oil,
    )


def _trusted(recording: Recording, options: JudgeOptions) -> tuple[list[Check], list[Correction], Recording]:
    """Run the trust checks; corrections that were not refused are applied in order."""
    checks: list[Check] = []
    for role, cost in ((Role.OIL_PRESSURE, "nothing can be judged"), (Role.RPM, "nothing can be judged")):
        if not recording.has(role):
            checks.append(Check(role, "fail", f"There is no {role.replace('_', ' ')} channel: {cost}."))
    if checks:
        return checks, [], recording
    if not recording.has(Role.OIL_TEMP):
        checks.append(
            Check(
                "oil_temp",
                "warn",
                "There is no oil temperature: share of normal is by rpm only, and hot oil cannot be told from wear.",
            )
        )
    if not recording.has(Role.LATERAL_G) and not recording.has(Role.LONGITUDINAL_G):
        checks.append(
            Check(
                "g",
                "warn",
                "There is no g channel: the direction in which the oil was thrown is derived where it can be.",
            )
        )
    # Each check sees the recording with what was found before it put right: clocks, then axes (bounds hold for g in its true
    # unit), then values that cannot be.
    found: list[Check] = []
    sound = recording
    for look in _LOOKS:
        made = look(sound)
        found += made
        sound = apply(sound, _accepted(made, options))
    if options.known is not None:
        made = checks_of(options.known, sound, found)
        found += made
        sound = apply(sound, _accepted(made, options))
    checks += found
    return checks, _accepted(found, options), sound


def _pressure_checks(recording: Recording) -> list[Check]:
    """What is looked at on the pressure itself."""
    looks = (
        check_spikes,
        check_zero,
        check_delay,
        check_update_rate,
        check_scale,
        check_steps,
        check_vibration,
        check_supply,
    )
    return [c for look in looks if (c := look(recording)) is not None]


_LOOKS: tuple[Callable[[Recording], list[Check]], ...] = (
    check_clocks,
    check_stuck,
    check_axes,
    check_bounds,
    check_temperature,
    check_circuit,
    check_pressure_clock,
    _pressure_checks,
)


def _accepted(checks: Sequence[Check], options: JudgeOptions) -> list[Correction]:
    """The corrections that the user did not refuse, by the amounts the user knows better where there are any.

    One that is only offered is made where the user gave its amount.
    """
    made = {(channel, kind): value for channel, kind, value in options.edited}
    found = [
        check.correction
        for check in checks
        if check.correction is not None
        and check.correction.key not in options.refused
        and (not check.offered or check.correction.key in made)
    ]
    return [replace(c, value=made[c.key]) if c.key in made else c for c in found]


def _g_channels(frame: Frame, checks: list[Check]) -> tuple[FloatArray | None, FloatArray | None]:
    """Lateral and longitudinal g as logged, or worked out from path and speed."""
    lateral, longitudinal = frame.get(Role.LATERAL_G), frame.get(Role.LONGITUDINAL_G)
    if lateral is None and (lateral := lateral_from_path_g(frame)) is not None:
        checks.append(Check("lateral_g", "note", "Lateral g is worked out from the GPS path."))
    if longitudinal is None and (longitudinal := longitudinal_from_speed_g(frame)) is not None:
        checks.append(Check("longitudinal_g", "note", "Longitudinal g is worked out from the speed."))
    return lateral, longitudinal


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
    place = track.place_at(dip.first) or track.place_at(at) if track is not None else None
    temperature = float(s.temperature_c[at]) if s.temperature_c is not None else None
    severity = "dip"
    if dip.min_share is not None:
        severity = "severe" if dip.min_share < 0.40 else "serious" if dip.min_share < 0.60 else "dip"
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
        false,
        false,
        (),
        measure_exposure(time_s, false, false, 0.0, nothing),
    )
