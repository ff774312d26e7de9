"""What a car's earlier sessions showed, in a few figures each, and a new recording held against them.

The zero's trend, the scale, the relief valve, the pressure drops, the peak of a cold start.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass, field, fields, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from basso.normal.cells import REFERENCE_RPM
from basso.normal.expected import ExpectedPressure
from basso.normal.warmup import HotIdle, OilHeat
from basso.oil.grades import Grade
from basso.oilway.drops import Drop
from basso.pressure.floors import Floor
from basso.recording.channel import Channel
from basso.recording.recording import Recording
from basso.recording.roles import Role, take_apart
from basso.sentence import in_celsius, in_kpa, phrase
from basso.track.circuit_map import CircuitMap
from basso.trust.known import KnownSensor, check_known_sensor
from basso.trust.verdict import Check
from basso.trust.zero import air_pressure_kpa
from basso.units import FloatArray

_COLD_C = 50.0
_STEADY_KPA = 3.0
_ATMOSPHERE_MOVES_KPA = 12.0
"""What weather and altitude alone do between two days: ± 3 kPa a day's weather, 12 kPa a thousand metres."""
_FROM_VACUUM_KPA = 60.0
_RELIEF_MOVES = 0.08
"""As much may the relief of a fit move from session to session (default)."""


@dataclass(frozen=True, slots=True)
class Relief:
    """Where the pressure flattens. ``knee_rpm``: from which engine speed on, at ``at_c``; None where it was never
    reached."""

    kpa: float
    at_c: float
    knee_rpm: float | None


@dataclass(frozen=True, slots=True, eq=False)
class Earlier:
    """One earlier session.

    Attributes:
        zero_kpa: read with the engine stopped, before anything was taken off; None when it never stood.
        air_kpa: air pressure as logged.
        column: name of the pressure's column, unit and all; ``unit``: in which it was read.
        same_sensor: by the register the same sensor, at the same place (or the register says nothing).
        idle: its hot idle, None where there was none; ``heat``: how warm it drove its oil; ``masked``: an armed
            accumulator may have held its pressure up.
        cold_peak_kpa: the highest pressure with the oil under 50 °C.
    """

    title: str
    day: str
    expected: ExpectedPressure
    zero_kpa: float | None = None
    air_kpa: float | None = None
    drops: tuple[Drop, ...] = ()
    cold_peak_kpa: float | None = None
    column: str = ""
    unit: str = ""
    same_sensor: bool = True
    idle: HotIdle | None = None
    heat: OilHeat | None = None
    masked: bool = False

    def as_plain(self) -> dict[str, Any]:
        """As JSON holds it."""
        plain = {f.name: getattr(self, f.name) for f in fields(self)}
        idle = asdict(self.idle) if self.idle is not None else None
        heat = self.heat.as_plain() if self.heat is not None else None
        return {
            **plain,
            "expected": self.expected.as_plain(),
            "drops": [asdict(d) for d in self.drops],
            "idle": idle,
            "heat": heat,
        }

    @classmethod
    def from_plain(cls, plain: dict[str, Any]) -> Earlier:
        """Back from JSON; raises KeyError, TypeError or ValueError where it is something else."""
        expected = ExpectedPressure.from_plain(plain["expected"])
        idle = HotIdle(**plain["idle"]) if plain["idle"] is not None else None
        heat = OilHeat.from_plain(plain["heat"]) if plain["heat"] is not None else None
        return cls(
            **{
                **plain,
                "expected": expected,
                "drops": tuple(Drop(**d) for d in plain["drops"]),
                "idle": idle,
                "heat": heat,
            }
        )


@dataclass(frozen=True, slots=True, eq=False)
class KeptNormal:
    """A version of a build's normal, as the garage keeps it.

    Attributes:
        title: "Build 3, version 2"; ``day``: when it was learned.
        expected: with the oil that is in now.
        sessions: from how many it was learned.
        holds: True for the one that holds for the recording: its own build's newest.
        own: the recording is among those it was learned from.
    """

    title: str
    day: str
    expected: ExpectedPressure
    sessions: int = 1
    holds: bool = False
    own: bool = False
    idle: HotIdle | None = None


@dataclass(frozen=True, slots=True, eq=False)
class Known:
    """What the garage knows of the car on the day of a recording.

    ``sensor``: its sensor's card; ``earlier``: its earlier sessions, ``kept``: normals that were kept of it, oldest
    first;
    ``air_c``: air temperature as it was written down; ``oil``: the oil that was in, None where neither label nor sample
    says;
    ``circuits``: maps of circuits, that of the session's own first; ``accumulator``: its state, "" where no session
    says;
    ``floors``: what the car's owner chose to judge by, () without a choice; ``clearance``: the class on its engine's
    card, "" unknown.
    """

    sensor: KnownSensor | None = None
    earlier: tuple[Earlier, ...] = field(default=())
    kept: tuple[KeptNormal, ...] = field(default=())
    air_c: float | None = None
    oil: Grade | None = None
    circuits: tuple[CircuitMap, ...] = field(default=())
    accumulator: str = ""
    floors: tuple[Floor, ...] = field(default=())
    clearance: str = ""

    @property
    def in_force(self) -> KeptNormal | None:
        """The kept normal that holds for the recording."""
        return next((k for k in self.kept if k.holds and k.expected.valid), None)


def relief_of(expected: ExpectedPressure, at_c: float | None = None) -> Relief | None:
    """The relief valve as the expected pressure shows it; None where there is none or it is by engine speed only.

    The knee is where pump and bearings alone would make the relief's pressure: k·n^b·ν^c = p_relief·n^r, with the
    engine's own departure from that form.
    """
    if not expected.valid or expected.temperature_range_c is None:
        return None
    hot = at_c if at_c is not None else expected.temperature_range_c[1]
    rpm = np.arange(500.0, expected.rpm_range[1] + 5.0, 5.0)
    free = replace(expected, relief_kpa=1e9).at(rpm, np.full(rpm.shape, hot))
    capped = expected.relief_kpa * (rpm / REFERENCE_RPM) ** expected.relief_rise
    reached = np.flatnonzero(free >= capped)
    if not reached.size:
        return Relief(expected.relief_kpa, hot, None)
    at = int(reached[0])
    return Relief(float(capped[at]), hot, float(rpm[at]))


def relief_words(now: Relief | None, before: Sequence[Relief]) -> str:
    """Where the pressure flattens, and whether that has moved since earlier sessions; "" where normal is not known."""
    if now is None:
        return ""
    if now.knee_rpm is None:
        return phrase(
            "Relief valve: not reached with the oil at {}, so where it opens is not seen.", in_celsius(now.at_c)
        )
    told = phrase(
        "Relief valve: the pressure flattens towards {}, from about {:.0f} rpm on with the oil at {}",
        in_kpa(now.kpa),
        round(now.knee_rpm, -2),
        in_celsius(now.at_c),
    )
    seen = [r.kpa for r in before if r.knee_rpm is not None]
    if not seen:
        return phrase("{}. No earlier session shows it.", told)
    usual_kpa = float(np.median(seen))
    moved = now.kpa - usual_kpa
    if abs(moved) <= max(_RELIEF_MOVES * usual_kpa, 3.0 * float(np.std(seen, ddof=1)) if len(seen) > 1 else 0.0):
        return phrase("{}; {} before: as it was.", told, in_kpa(usual_kpa))
    what = (
        "it opens sooner: dirt on its seat or a tired spring"
        if moved < 0
        else "it opens later: it sticks, or was shimmed"
    )
    return phrase("{}; {} before: {}.", told, in_kpa(usual_kpa), what)


def cold_peak_kpa(kpa: FloatArray, temperature_c: FloatArray | None) -> float | None:
    """The highest pressure (of three samples in a row, so that no spike counts) with the oil under 50 °C; None when it
    was never cold."""
    if temperature_c is None:
        return None
    cold = (temperature_c < _COLD_C) & np.isfinite(kpa)
    if cold.sum() < 20:
        return None
    read = kpa[cold]
    return float(np.max(np.minimum(np.minimum(read[:-2], read[1:-1]), read[2:])))


def expected_before(earlier: Sequence[Earlier], rpm: FloatArray, temperature_c: FloatArray | None) -> FloatArray | None:
    """The middle one of what the earlier sessions make expected at each sample, shape (n,); None where there is
    none."""
    valid = [e.expected for e in earlier if e.expected.valid][-5:]
    if not valid:
        return None
    with np.errstate(all="ignore"):
        stacked = np.vstack([e.at(rpm, temperature_c) for e in valid])
    found: NDArray[np.float64] = np.median(stacked, axis=0)
    return found


def heading_held(earlier: Sequence[Earlier], channel: Channel) -> bool:
    """True where this column was called the same before, and was read in the unit it is called by then."""
    unit = take_apart(channel.name).unit
    return unit is not None and any(e.column == channel.name and e.unit == unit.symbol for e in earlier)


def check_zero_trend(zero: Check | None, air_kpa: float | None, earlier: Sequence[Earlier]) -> Check:
    """The zero against those of earlier sessions with the same sensor. Of one that counts from vacuum only what the
    weather leaves."""
    before = [e for e in earlier if e.zero_kpa is not None and e.same_sensor]
    if not before:
        return Check(
            "zero_trend", "note", "Cannot be checked: no earlier session of the garage shows this sensor's zero."
        )
    if zero is None or zero.measured is None:
        return Check(
            "zero_trend",
            "note",
            "Cannot be checked: this log does not show the zero.",
            zero.channel if zero is not None else None,
        )
    values = np.array([e.zero_kpa or 0.0 for e in before])
    middle, now = float(np.median(values)), zero.measured
    from_vacuum = [abs(v) >= _FROM_VACUUM_KPA for v in (now, middle)]
    told = phrase(
        "{} at rest, {} in {} earlier session{} ({} to {})",
        in_kpa(now, 1),
        in_kpa(middle, 1),
        len(before),
        "s" if len(before) > 1 else "",
        before[0].day,
        before[-1].day,
    )
    if from_vacuum[0] != from_vacuum[1]:
        words = phrase(
            "The sensor reads {}: it counts from something else than before. Another sensor, or another "
            "set-up of the logger.",
            told,
        )
        return Check("zero_trend", "warn", words, zero.channel, measured=now - middle)
    airs = [e.air_kpa for e in before]
    moved = now - middle
    allowed = _STEADY_KPA
    if from_vacuum[0]:
        if air_kpa is not None and all(a is not None for a in airs):
            moved -= air_kpa - float(np.median([a or 0.0 for a in airs]))
        else:
            allowed = _ATMOSPHERE_MOVES_KPA
    scatter = 1.4826 * float(np.median(np.abs(values - middle))) if values.size > 2 else 0.0
    allowed = max(allowed, 3.0 * scatter)
    if abs(moved) <= allowed:
        return Check("zero_trend", "ok", phrase("The zero is where it was: {}.", told), zero.channel, measured=moved)
    words = phrase(
        "The zero has moved by {}: {}. A sensor that drifts is dying, or its supply or return has changed.",
        in_kpa(moved, 1, signed=True),
        told,
    )
    return Check("zero_trend", "warn", words, zero.channel, measured=moved)


def checks_of(known: Known, recording: Recording, found: Sequence[Check]) -> list[Check]:
    """What the garage allows to be checked on a recording, after ``found`` was found on it and put right."""
    zero, delay = (next((c for c in found if c.id == name), None) for name in ("zero", "delay"))
    channel = recording.channel(Role.OIL_PRESSURE)
    if known.sensor is None:
        words = (
            "Which sensor this is, is not in the garage's register: its type, range, mount and calibration "
            "are not known."
        )
        made = [Check("sensor", "note", words, channel.name if channel is not None else None)]
    else:
        made = check_known_sensor(recording, known.sensor, zero, delay)
    return [*made, check_zero_trend(zero, air_pressure_kpa(recording), known.earlier)]
