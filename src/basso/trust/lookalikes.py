"""Columns that no name gave a role, and that look like one a verdict lacks: offered to be confirmed, never taken
unasked.

What is looked at: the unit, how the values swing or drift, and how they go with what is known (the change of speed, the
rate of turn, engine speed). A proof by relation names one column; a mere likeness names all that are alike.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from basso.recording.channel import Channel
from basso.recording.plausible import assume_unit
from basso.recording.recognition import presses, turns
from basso.recording.recording import Recording
from basso.recording.roles import Heading, Role, take_apart
from basso.recording.rolling import rolling_mean
from basso.sentence import in_celsius, phrase
from basso.trust.side import YAW
from basso.trust.verdict import Check
from basso.units import STANDARD_GRAVITY_MPS2, UNITS, FloatArray, Quantity, Unit

_STEP_S = 0.1
_FOLLOWS = 0.6
"""A correlation from which a column is the one that a relation asks for."""
_APART = 0.45
_MOST_NAMED = 3
_NO_G = re.compile(
    r"gyro|yaw|pitch|roll|steer|wheel|damper|susp|angle|torque|voltage|slip|diff|height|vertical|\bz\b|hdop"
)
_NO_OIL_TEMP = re.compile(
    r"water|coolant|air|intake|ambient|gearbox|trans|diff|tyre|tire|brake|exhaust|egt|fuel|cpu|board|box|ecu|logger|head|cabin|turbo"
)

_SIDEWAYS = re.compile(r"\blat|quer|\by\b|side|seit|tran?s|cross")
_ALONG = re.compile(r"\blon|laeng|lang|\bx\b|inline|brak|along")


@dataclass(frozen=True, slots=True)
class Lookalike:
    """A role that a log lacks, and the columns that look like it.

    Attributes:
        role: what is missing.
        columns: (name, unit symbol) of each, the likeliest first; with only one it can be confirmed at once.
        why: what speaks for the first, in words that follow "it".
    """

    role: Role
    columns: tuple[tuple[str, str], ...]
    why: str

    @property
    def alone(self) -> str | None:
        """The one column it can be; None where several look alike."""
        return self.columns[0][0] if len(self.columns) == 1 else None


@dataclass(frozen=True, slots=True, eq=False)
class _Candidate:
    """A column without a role: its samples on an even grid, in the base unit of what it states (or as logged)."""

    channel: Channel
    heading: Heading
    values: FloatArray

    @property
    def words(self) -> str:
        return " ".join(self.heading.words)

    def read_as(self, quantity: Quantity, role: Role) -> Unit | None:
        """The unit it is in if it is that quantity: the one it states, else one assumed; None where it states
        another."""
        unit = self.channel.unit
        if unit is not None:
            return unit if unit.quantity is quantity else None
        return assume_unit(role, self.values)

    def in_base(self, unit: Unit) -> FloatArray:
        return self.values if self.channel.unit is not None else unit.to_base(self.values)


_Fit = tuple[float, str, Unit]
"""How well a column fits (over 1: proved by a relation), why, and the unit it is read in."""


def find_lookalikes(recording: Recording) -> tuple[Lookalike, ...]:
    """What a log's nameless columns look like, of the roles that judging lacks; () where nothing is lacking."""
    wanted = _wanted(recording)
    free = [c for c in recording.channels if c.role is None and np.isfinite(c.values).sum() >= 50]
    if not wanted or not free or recording.manual:
        return ()
    seen = _Seen(recording)
    candidates = [_Candidate(c, take_apart(c.name), seen.on_grid(c)) for c in free]
    found = []
    taken: set[str] = set()
    for role in wanted:
        fits = [
            (c, fit) for c in candidates if c.channel.name not in taken and (fit := _LOOKS[role](c, seen)) is not None
        ]
        fits.sort(key=lambda entry: -entry[1][0])
        proved = [entry for entry in fits if entry[1][0] > 1.0]
        named = (proved or fits)[: 1 if proved else _MOST_NAMED]
        if not named or (len(fits) > 2 * _MOST_NAMED and not proved):
            continue
        if len(named) == 1:
            taken.add(named[0][0].channel.name)
            seen.learn(role, named[0][0].in_base(named[0][1][2]))
        found.append(Lookalike(role, tuple((c.channel.name, fit[2].symbol) for c, fit in named), named[0][1][1]))
    return tuple(found)


def lookalike_words(found: Sequence[Lookalike]) -> str:
    """ "Lateral g not recognised: a_quer [m/s²] looks like it. Confirm." for what can be confirmed; "" where nothing
    can."""
    sure = [x for x in found if x.alone is not None]
    parts = []
    if sure:
        names = together([x.role.words for x in sure])
        columns = together([_column(*x.columns[0]) for x in sure])
        looks = "looks like it" if len(sure) == 1 else "look like them"
        parts.append(f"{names[0].upper()}{names[1:]} not recognised: {columns} {looks}. Confirm.")
    for x in found:
        if x.alone is None:
            columns = " or ".join(_column(*c) for c in x.columns)
            parts.append(f"{x.role.words[0].upper()}{x.role.words[1:]} not recognised: it may be {columns}; say which.")
    return " ".join(parts)


def together(words: Sequence[str]) -> str:
    """ "a, b and c"."""
    return " and ".join([", ".join(words[:-1])] * bool(words[:-1]) + list(words[-1:]))


def _column(name: str, symbol: str) -> str:
    stated = take_apart(name).unit
    return name if stated is not None or not symbol else f"{name} [{symbol}]"


def _wanted(recording: Recording) -> list[Role]:
    """The roles that judging lacks and nothing stands in for, what hangs most on it first."""
    has = recording.has
    path = (has(Role.LATITUDE) and has(Role.LONGITUDE)) or (has(Role.POSITION_X) and has(Role.POSITION_Y))
    wanted = [r for r in (Role.RPM, Role.OIL_PRESSURE) if not has(r)]
    if not has(Role.SPEED):
        wanted.append(Role.SPEED)
    if not has(Role.LONGITUDINAL_G) and not has(Role.SPEED):
        wanted.append(Role.LONGITUDINAL_G)
    if not has(Role.LATERAL_G) and not path:
        wanted.append(Role.LATERAL_G)
    if not has(Role.OIL_TEMP):
        wanted.append(Role.OIL_TEMP)
    return wanted


class _Seen:
    """What is known of a drive on an even grid of a tenth of a second: the references that columns are held against."""

    def __init__(self, recording: Recording) -> None:
        self._recording = recording
        self.time_s = np.arange(0.0, max(recording.duration_s, _STEP_S), _STEP_S)
        self.rpm, self.rpm_time_s = self._of(Role.RPM)
        self.speed_mps: FloatArray | None = None
        self.longitudinal_g: FloatArray | None = None
        for role in (Role.LONGITUDINAL_G, Role.SPEED):
            if recording.has(role) and (channel := recording.channel(role)) is not None:
                self.learn(role, self.on_grid(channel))

    def learn(self, role: Role, values: FloatArray) -> None:
        """Use a column, in base units on the grid, as a reference for those that are looked for after it."""
        if role is Role.LONGITUDINAL_G:
            self.longitudinal_g = calm(values)
        elif role is Role.SPEED:
            self.speed_mps, self.longitudinal_g = values, change_g(values)
        elif role is Role.RPM:
            self.rpm, self.rpm_time_s = values, self.time_s

    def _of(self, role: Role) -> tuple[FloatArray, FloatArray]:
        channel = self._recording.channel(role)
        return (channel.values, channel.time_s) if channel is not None else (np.empty(0), np.empty(0))

    def on_grid(self, channel: Channel) -> FloatArray:
        """A channel's values every tenth of a second, each the mean of what was read about it; gaps bridged."""
        known = np.isfinite(channel.values)
        step = float(np.median(np.diff(channel.time_s))) if channel.time_s.size > 1 else _STEP_S
        values = rolling_mean(
            np.interp(channel.time_s, channel.time_s[known], channel.values[known]),
            max(1, round(_STEP_S / max(step, 1e-4))),
        )
        return np.asarray(np.interp(self.time_s, channel.time_s, values), dtype=np.float64)

    @property
    def turning_g(self) -> list[FloatArray]:
        """Lateral g by every column that is a rate of turn."""
        return [g for c in self._recording.channels if c.role is None and (g := self._turning(c)) is not None]

    def _turning(self, channel: Channel) -> FloatArray | None:
        """Lateral g by the rate of turn: yaw rate times speed."""
        if self.speed_mps is None or not YAW.search(" ".join(take_apart(channel.name).words)):
            return None
        if not np.isfinite(channel.values).any():
            return None
        rate = self.on_grid(channel)
        # Only its shape is used, so it does not matter whether it is in degrees.
        return calm(rate * self.speed_mps)


def calm(values: FloatArray) -> FloatArray:
    """Half-second means on the grid."""
    return rolling_mean(values, round(0.5 / _STEP_S))


def change_g(speed_mps: FloatArray) -> FloatArray:
    """Longitudinal g by the change of speed, on the grid."""
    if speed_mps.size < 3:
        return np.zeros(speed_mps.shape)
    return np.asarray(np.gradient(calm(speed_mps), _STEP_S) / STANDARD_GRAVITY_MPS2, dtype=np.float64)


def _agreement(a: FloatArray, b: FloatArray | None) -> float:
    """Correlation; 0 where one of them does not move."""
    if b is None or a.size != b.size or a.size < 50 or np.std(a) < 1e-9 or np.std(b) < 1e-9:
        return 0.0
    return float(np.corrcoef(a, b)[0, 1])


def _as_g(candidate: _Candidate, role: Role) -> tuple[FloatArray, Unit] | None:
    """A column as a car's g, where it swings like one: to and fro about nothing, up to a few g, over half a second and
    more."""
    unit = candidate.read_as(Quantity.ACCELERATION, role)
    if unit is None or _NO_G.search(candidate.words):
        return None
    g = candidate.in_base(unit)
    held = calm(g)
    low, middle, high = (float(v) for v in np.percentile(held, (1.0, 50.0, 99.0)))
    swing = max(high, -low)
    if not (0.25 < swing < 3.5 and high - low > 0.4) or abs(middle) > 0.35 * swing:
        return None
    if float(np.std(held)) < 0.5 * float(np.std(g)) or float(np.mean(np.abs(held) < 0.15)) < 0.05:
        return None
    return held, unit


def _longitudinal(candidate: _Candidate, seen: _Seen) -> _Fit | None:
    found = _as_g(candidate, Role.LONGITUDINAL_G)
    if found is None:
        return None
    held, unit = found
    follows = _agreement(held, seen.longitudinal_g)
    if abs(follows) > _FOLLOWS:
        return 1.0 + abs(follows), f"follows the change of speed (correlation {follows:.2f})", unit
    if seen.longitudinal_g is not None or candidate.channel.unit is None or _SIDEWAYS.search(candidate.words):
        return None
    return 0.5 + 0.3 * bool(_ALONG.search(candidate.words)), "swings to and fro as a g does", unit


def _lateral(candidate: _Candidate, seen: _Seen) -> _Fit | None:
    found = _as_g(candidate, Role.LATERAL_G)
    if found is None:
        return None
    held, unit = found
    for turning in seen.turning_g:
        follows = _agreement(held, turning)
        if abs(follows) > _FOLLOWS:
            return 1.0 + abs(follows), f"follows rate of turn times speed (correlation {follows:.2f})", unit
    if abs(_agreement(held, seen.longitudinal_g)) > _APART or min(float(held.max()), -float(held.min())) < 0.2:
        return None
    named = bool(_SIDEWAYS.search(candidate.words))
    if candidate.channel.unit is None and not named and (seen.longitudinal_g is None or seen.speed_mps is None):
        return None
    if seen.speed_mps is not None:
        standing = seen.speed_mps < 1.0
        if standing.sum() * _STEP_S > 3.0 and float(np.std(held[standing])) > 0.1:
            return None
    if seen.longitudinal_g is None and _ALONG.search(candidate.words):
        return None
    why = (
        "swings both ways as a turning car's does, and not with the change of speed"
        if seen.longitudinal_g is not None
        else "swings to and fro as a g does"
    )
    return 0.6 + 0.2 * named + 0.1 * (candidate.channel.unit is not None), why, unit


def _speed(candidate: _Candidate, seen: _Seen) -> _Fit | None:
    unit = candidate.read_as(Quantity.SPEED, Role.SPEED)
    if unit is None or re.search(r"wheel|wind|fan|turbo|pump|vertical", candidate.words):
        return None
    speed = candidate.in_base(unit)
    if float(np.percentile(speed, 1)) < -1.0 or not 8.0 < float(np.percentile(speed, 99)) < 110.0:
        return None
    follows = _agreement(change_g(speed), seen.longitudinal_g)
    if follows > _FOLLOWS:
        return 1.0 + follows, f"changes as the g along the car says (correlation {follows:.2f})", unit
    return (0.6, "states a speed", unit) if candidate.channel.unit is not None else None


def _oil_temperature(candidate: _Candidate, seen: _Seen) -> _Fit | None:
    unit = candidate.read_as(Quantity.TEMPERATURE, Role.OIL_TEMP)
    if unit is None or _NO_OIL_TEMP.search(candidate.words):
        return None
    heat = rolling_mean(candidate.in_base(unit), round(10.0 / _STEP_S))
    low, high = float(heat.min()), float(np.percentile(heat, 95))
    if not (45.0 < high < 165.0 and low > -30.0):
        return None
    tenth = round(10.0 / _STEP_S)
    change = np.abs(heat[tenth:] - heat[:-tenth]) if heat.size > tenth else np.zeros(1)
    if float(change.max(initial=0.0)) > 20.0:
        return None
    stated = candidate.channel.unit is not None
    if not stated and not (high - low > 8.0 and float(np.median(change)) < 1.5 and "t" in candidate.heading.words):
        return None
    return (
        0.6 + 0.2 * ("oil" in candidate.words),
        phrase("only drifts, between {:bare} and {}", in_celsius(low), in_celsius(high)),
        unit,
    )


def _rpm(candidate: _Candidate, seen: _Seen) -> _Fit | None:
    heading, values = candidate.heading, candidate.values
    if turns(heading, candidate.channel.values):
        return 0.8, "idles and revs as an engine does", UNITS["rpm"]
    if heading.unit is not None or re.search(r"wheel|prop|turbo|limit|pump|shaft|fan|\bhz\b", candidate.words):
        return None
    low, high = float(np.percentile(values, 1)), float(np.percentile(values, 95))
    if not (-1.0 < low < 2500.0 and 2000.0 < high < 16000.0 and float(np.std(values)) > 300.0):
        return None
    return 0.5, "idles and revs as an engine does", UNITS["rpm"]


def _oil_pressure(candidate: _Candidate, seen: _Seen) -> _Fit | None:
    channel = candidate.channel
    if not seen.rpm.size:
        return None
    unit = candidate.read_as(Quantity.PRESSURE, Role.OIL_PRESSURE)
    if unit is None:
        return None
    # The column's values are in kPa where it states its unit, else as logged.
    as_read = Heading(
        candidate.heading.name, candidate.heading.words, UNITS["kPa"] if channel.unit is not None else unit
    )
    least = 0.35 if channel.unit is not None else 0.6
    if not presses(as_read, channel.time_s, channel.values, seen.rpm_time_s, seen.rpm, least):
        return None
    return 0.6 + 0.2 * (channel.unit is not None), "rises with engine speed as oil pressure does", unit


_LOOKS: dict[Role, Callable[[_Candidate, _Seen], _Fit | None]] = {
    Role.RPM: _rpm,
    Role.OIL_PRESSURE: _oil_pressure,
    Role.SPEED: _speed,
    Role.LONGITUDINAL_G: _longitudinal,
    Role.LATERAL_G: _lateral,
    Role.OIL_TEMP: _oil_temperature,
}


def lookalike_check(found: Lookalike) -> Check:
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
