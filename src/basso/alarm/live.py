"""Samples judged as they come: the pressure now against normal and floor, whether the alarm shows, and the dips.

The dips are found by the same steps as in a log that is read whole (:mod:`basso.analysis.judged`), over the last two
minutes; a dip that ended a few seconds ago is final.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Literal

import numpy as np

from basso.alarm.backtest import SEVERE_KPA, SEVERE_S, SEVERE_SHARE
from basso.alarm.rules import AlarmRule, line_at
from basso.analysis.learned import followed_rpm
from basso.normal.settled import RUNNING_RPM, WARM_C, SettledLimits, running, settled, warm
from basso.pressure.dips import Dip, find_dips
from basso.pressure.floors import highest_floor
from basso.pressure.noise import error_off_normal, reading_error
from basso.pressure.options import JudgeOptions
from basso.recording.channel import Channel
from basso.recording.corrections import Correction, apply
from basso.recording.gaps import or_zero
from basso.recording.recording import Recording, frame_on
from basso.recording.roles import Role
from basso.trust.spikes import check_spikes
from basso.trust.zero import check_zero
from basso.units import FloatArray, Unit

State = Literal["ok", "low", "caution", "alarm", "no signal"]

_WINDOW_S, _MOST_SAMPLES = 120.0, 12_000
_FINAL_AFTER_S = 3.0
_SILENT_S = {Role.OIL_TEMP: 5.0, Role.LAP: 5.0, Role.COOLANT_TEMP: 5.0}
_SILENT_USUALLY_S = 0.5
"""A channel that says nothing for so long is silent, and what it said last is no reading any more (default)."""
_LAMP_KPA, _LAMP_S = 20.0, 3.0
"""Under the gate no floor is judged; an engine that runs with next to no pressure for so long is told all the same."""
_LOW_SAMPLES = 3


@dataclass(frozen=True, slots=True)
class LiveReading:
    """What there is to show at one moment; None where it is not known.

    Attributes:
        time_s: from the first frame, on the bus's own clock.
        state: ``low``: under the floor; ``caution``, ``alarm``: what the warning device would show; ``no signal``:
            pressure or engine speed is silent.
        low_margin_kpa: the lowest margin of all samples since the reading before, where the floor is asked for.
        speed_mps: of the car.
        ages_s: how long each channel has said nothing.
    """

    time_s: float | None
    rpm: float | None
    pressure_kpa: float | None
    expected_kpa: float | None
    floor_kpa: float | None
    low_margin_kpa: float | None
    oil_temp_c: float | None
    lateral_g: float | None
    longitudinal_g: float | None
    speed_mps: float | None
    state: State
    lap: int | None
    dips: int
    ages_s: Mapping[Role, float]


class Stage:
    """A warning device, sample by sample: the same as :func:`basso.alarm.rules.showings` over the whole."""

    def __init__(self, rule: AlarmRule) -> None:
        self.rule = rule
        self.shows = False
        self._under_since: float | None = None
        self._spent = False

    def step(self, time_s: float, rpm: float, pressure_kpa: float) -> None:
        """One sample more; a missing value neither lights nor clears."""
        line = float(line_at(self.rule.points, np.array([rpm]))[0])
        under = rpm >= self.rule.gate_rpm and pressure_kpa < line
        if self.shows and (rpm < self.rule.gate_rpm or pressure_kpa >= line + self.rule.hysteresis_kpa):
            self.shows = False
        if not under:
            self._under_since = None
            return
        if self._under_since is None:
            self._under_since, self._spent = time_s, self.shows
        if not self.shows and not self._spent and time_s >= self._under_since + self.rule.delay_s - 1e-9:
            self.shows = True


class _Kept:
    """The latest samples of one channel: arrays that are moved along seldom."""

    def __init__(self) -> None:
        self._rows = np.empty((2, 4 * _MOST_SAMPLES))
        self._first = self._end = 0

    @property
    def times(self) -> FloatArray:
        """s, rising or standing still."""
        return self._rows[0, self._first : self._end]

    @property
    def values(self) -> FloatArray:
        """In base units."""
        return self._rows[1, self._first : self._end]

    def add(self, times: FloatArray, values: FloatArray) -> None:
        """Samples later than all before; what is older than two minutes goes."""
        times, values = times[-_MOST_SAMPLES:], values[-_MOST_SAMPLES:]
        if self._end + times.size > self._rows.shape[1]:
            held = self._rows[:, self._first : self._end].copy()
            self._first, self._end = 0, held.shape[1]
            self._rows[:, : self._end] = held
        end = self._end + times.size
        self._rows[0, self._end : end], self._rows[1, self._end : end] = times, values
        self._end = end
        oldest = int(np.searchsorted(self.times, self.times[-1] - _WINDOW_S))
        self._first += max(oldest, self._end - self._first - _MOST_SAMPLES)

    def since(self, time_s: float) -> tuple[FloatArray, FloatArray]:
        """From the last sample before a moment on."""
        at = max(int(np.searchsorted(self.times, time_s)) - 1, 0)
        return self.times[at:], self.values[at:]


class LiveJudge:
    """Judges one drive as it comes.

    Args:
        options: floors, gate and least length; ``normal`` is held, never learned here.
        rule: of the warning device; None: ``alarm`` is what the contract calls severe.
    """

    def __init__(self, options: JudgeOptions, rule: AlarmRule | None = None) -> None:
        self._options = options
        self._stages: list[tuple[State, Stage]] = []
        if rule is not None:
            self._stages.append(("alarm", Stage(rule)))
            if rule.caution_points is not None:
                self._stages.append(("caution", Stage(replace(rule, points=rule.caution_points))))
        self._samples: dict[Role, _Kept] = {}
        self._names: dict[Role, tuple[str, Unit | None]] = {}
        self._heard_s: dict[Role, float] = {}
        self._dips: list[Dip] = []
        self._open: list[Dip] = []
        self._low: deque[bool] = deque(maxlen=_LOW_SAMPLES)
        self._severe_since: float | None = None
        self._dry_since: float | None = None
        self._severe = self._dry = False
        self._zero: Correction | None = None
        self._zero_proven = False
        self._told_to_s = -np.inf
        self._low_margin_kpa: float | None = None
        self.notes: list[str] = []
        """What there is to say that was not said before, one sentence each; whoever says it takes it out."""

    @property
    def dips(self) -> tuple[Dip, ...]:
        """Every dip so far, the ones that may still grow last."""
        return (*self._dips, *self._open)

    def name(self, role: Role, name: str, unit: Unit | None) -> None:
        """Which channel a role is read from."""
        self._names[role] = name, unit

    def hear(self, role: Role, time_s: FloatArray, values: FloatArray, received_s: float) -> None:
        """Samples of one channel in base units, shape (n,), later than all before.

        ``received_s``: when they came, by a clock that never jumps.
        """
        known = np.isfinite(values)
        if not known.any():
            return  # it sends, but says nothing
        if role not in self._samples:
            self._samples[role] = _Kept()
        self._samples[role].add(time_s[known], values[known])
        self._heard_s[role] = received_s

    def now(self, received_s: float) -> LiveReading:
        """What there is to show at this moment."""
        ages = {role: received_s - at for role, at in self._heard_s.items()}
        heard = {role for role, age in ages.items() if age <= _SILENT_S.get(role, _SILENT_USUALLY_S)}
        last = {r: float(self._samples[r].values[-1]) for r in heard}
        time_s = max((float(s.times[-1]) for s in self._samples.values()), default=None)
        if time_s is not None and ages:
            time_s += min(ages.values())
        is_silent = not {Role.OIL_PRESSURE, Role.RPM} <= heard
        expected = floor = pressure = None
        if Role.OIL_PRESSURE in heard and Role.RPM in heard:
            pressure, expected, floor = self._follow(Role.OIL_TEMP in heard)
        else:
            self._low.clear()
            self._severe = self._dry = False
            self._severe_since = self._dry_since = None
            for _, stage in self._stages:
                stage.step(time_s or 0.0, float("nan"), float("nan"))
        lap, low = last.get(Role.LAP), self._low_margin_kpa
        self._low_margin_kpa = None
        return LiveReading(
            time_s=time_s,
            rpm=last.get(Role.RPM),
            pressure_kpa=pressure,
            expected_kpa=expected,
            floor_kpa=floor,
            low_margin_kpa=low,
            oil_temp_c=last.get(Role.OIL_TEMP),
            lateral_g=last.get(Role.LATERAL_G),
            longitudinal_g=last.get(Role.LONGITUDINAL_G),
            speed_mps=last.get(Role.SPEED),
            state="no signal" if is_silent else self._state(),
            lap=round(lap) if lap is not None else None,
            dips=len(self.dips),
            ages_s=ages,
        )

    def _state(self) -> State:
        shown = {state for state, stage in self._stages if stage.shows}
        if "alarm" in shown or self._dry or (not self._stages and self._severe):
            return "alarm"
        if len(self._low) == _LOW_SAMPLES and all(self._low):
            return "low"
        return "caution" if "caution" in shown else "ok"

    def _follow(self, has_heat: bool) -> tuple[float | None, float | None, float | None]:
        """Pressure, normal and floor of the latest sample; the devices follow through every sample not yet seen."""
        at, read = self._samples[Role.OIL_PRESSURE].since(self._told_to_s - _BEFORE_S)
        read = read + (self._zero.value if self._zero is not None else 0.0)
        rpm = self._at(Role.RPM, at)
        heat = self._at(Role.OIL_TEMP, at) if Role.OIL_TEMP in self._samples else None
        step = float(np.median(np.diff(at))) if at.size > 1 else 0.0
        followed = followed_rpm(rpm, step)
        normal = self._options.normal
        expected = np.full(at.shape, np.nan)
        if normal is not None and (normal.temperature_range_c is None or (heat is not None and has_heat)):
            expected = normal.at(followed, heat)
        floor = highest_floor(self._options.floors, followed, expected).kpa
        is_cold = heat is not None and bool(heat[-1] < WARM_C)
        for i in np.flatnonzero(at > self._told_to_s).tolist():
            self._sample(float(at[i]), float(rpm[i]), float(read[i]), float(expected[i]), float(floor[i]), is_cold)
        self._told_to_s = max(self._told_to_s, float(at[-1]))
        return float(read[-1]), _known(expected[-1]), _known(floor[-1])

    def _at(self, role: Role, at: FloatArray) -> FloatArray:
        """A channel at other times: what it says last is held."""
        return np.interp(at, *self._samples[role].since(float(at[0])))

    def _sample(self, time_s: float, rpm: float, kpa: float, expected: float, floor: float, is_cold: bool) -> None:
        for _, stage in self._stages:
            stage.step(time_s, rpm, kpa)
        is_judged = rpm > self._options.rules.rpm_gate and not is_cold
        self._low.append(is_judged and kpa < floor)
        if is_judged and np.isfinite(floor):
            low = self._low_margin_kpa
            self._low_margin_kpa = kpa - floor if low is None else min(low, kpa - floor)
        is_severe = is_judged and (kpa < SEVERE_SHARE * expected or kpa < floor - SEVERE_KPA)
        self._severe_since = (self._severe_since or time_s) if is_severe else None
        self._severe = self._severe_since is not None and time_s - self._severe_since >= SEVERE_S - 1e-9
        is_dry = RUNNING_RPM < rpm <= self._options.rules.rpm_gate and kpa < _LAMP_KPA
        self._dry_since = (self._dry_since or time_s) if is_dry else None
        self._dry = self._dry_since is not None and time_s - self._dry_since >= _LAMP_S

    def find(self) -> tuple[Dip, ...]:
        """Look for dips in the last two minutes; gives every one so far."""
        recording = self._lately()
        if recording is None:
            return self.dips
        recording = self._put_right(recording)
        frame = frame_on(recording, Role.OIL_PRESSURE)
        rpm, pressure = frame.filled(Role.RPM, np.nan), frame.filled(Role.OIL_PRESSURE, np.nan)
        heat, rules, normal = frame.get(Role.OIL_TEMP), self._options.rules, self._options.normal
        followed = followed_rpm(rpm, frame.step_s)
        expected = np.full(rpm.shape, np.nan)
        if normal is not None and (normal.temperature_range_c is None or heat is not None):
            expected = normal.at(followed, heat)
        is_judged = (or_zero(rpm) > rules.rpm_gate) & running(rpm) & warm(frame)
        calm = settled(frame, frame.get(Role.LATERAL_G), frame.get(Role.LONGITUDINAL_G), SettledLimits())
        found = find_dips(
            time_s=frame.time_s,
            pressure_kpa=pressure,
            floor_kpa=highest_floor(self._options.floors, followed, expected).kpa,
            expected_kpa=expected,
            judged=is_judged,
            error=error_off_normal(
                reading_error(pressure, rpm), pressure - expected, rpm, calm & is_judged, frame.step_s
            ),
            rules=rules,
        )
        if found and self._open and found[0].first == 0:  # it began before what is looked at here
            found[0] = replace(found[0], start_s=min(found[0].start_s, self._open[0].start_s))
        after = self._dips[-1].end_s if self._dips else -np.inf
        found = [d for d in found if d.start_s > after]
        ended = float(frame.time_s[-1]) - _FINAL_AFTER_S
        self._dips += [d for d in found if d.end_s < ended]
        self._open = [d for d in found if d.end_s >= ended]
        return self.dips

    def _lately(self) -> Recording | None:
        """The last two minutes as a recording; None without enough to judge."""
        channels = []
        for role, samples in self._samples.items():
            if role in self._names and samples.times.size > 2:
                times, values = samples.times, samples.values
                rising = np.concatenate([[True], np.diff(times) > 0.0])
                name, unit = self._names[role]
                channels.append(Channel(name, role, unit, False, times[rising], values[rising]))
        made = Recording(Path("live"), "bus", tuple(channels))
        return made if made.has(Role.OIL_PRESSURE) and made.has(Role.RPM) else None

    def _put_right(self, recording: Recording) -> Recording:
        if not self._zero_proven:
            check = check_zero(recording)
            rpm = recording.channel(Role.RPM)
            is_running = rpm is not None and float(rpm.values[-1]) > RUNNING_RPM
            if check.correction is not None and not check.offered:
                self._zero, self._zero_proven = check.correction, is_running
            elif check.level == "ok":
                self._zero, self._zero_proven = None, is_running
            if self._zero_proven:
                self.notes.append(f"zero: {check.message}")
        recording = apply(recording, [self._zero]) if self._zero is not None else recording
        spikes = check_spikes(recording)
        return apply(recording, [spikes.correction]) if spikes.correction is not None else recording


_BEFORE_S = 1.0
"""So long before a sample the engine speed is followed through."""


def _known(value: float) -> float | None:
    return float(value) if np.isfinite(value) else None
