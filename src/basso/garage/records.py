"""What the garage keeps, one frozen class for each kind of record.

Units are those of :mod:`basso.units` (kPa gauge, °C, L, km, h where named so, mm). Days are ISO dates, times ISO
date-times without a zone. Unknown is None (numbers) or "" (words), never 0. ``id`` is a UUID4 in hexadecimal.
"""

from __future__ import annotations

import re
import uuid
from dataclasses import dataclass, field, fields
from types import MappingProxyType
from typing import Any, ClassVar, Self

from basso.errors import InputError

CLEARANCES = ("production", "loose", "race", "extreme")
USES = ("road", "track", "competition")
SESSION_KINDS = ("track", "road", "runs", "dyno")
ACCUMULATOR_STATES = ("none", "armed", "off", "unknown")
MEASURES = ("pressure", "temperature")
REFERENCES = ("unknown", "gauge", "sealed", "absolute")
"""What a pressure sensor counts from: the air about it, a sealed-in air, or vacuum."""
MOUNTS = ("unknown", "on a flexible line", "on a rigid pipe", "on the block")
LAMPS = ("not looked at", "there, on its own port", "there, on the tee", "gone")
RULINGS = ("run on", "run with a limit", "change something first", "inspect first", "do not run")
"""What an owner may decide after a session."""
OIL_KINDS = ("fill", "change", "top-up", "level change", "drain")
"""A level change is made on purpose (less than 0: taken out); a top-up replaces what was used up."""


def new_id() -> str:
    """An identifier that no other record anywhere has."""
    return uuid.uuid4().hex


@dataclass(frozen=True, slots=True, kw_only=True)
class Record:
    """Base of all. ``id`` stays through every edit; ``car`` is the car a record belongs to."""

    id: str = field(default_factory=new_id)

    table: ClassVar[str]
    noun: ClassVar[str]

    def as_plain(self) -> dict[str, Any]:
        """Fields as JSON holds them."""
        return {f.name: _plain(getattr(self, f.name)) for f in fields(self)}

    @classmethod
    def from_plain(cls, plain: dict[str, Any]) -> Self:
        """Back from JSON.

        Raises:
            InputError: a field is unknown, missing or of the wrong type; the sentence names it.
        """
        known = {f.name: f for f in fields(cls)}
        for name in plain:
            if name not in known:
                raise InputError(f"{cls.noun} {plain.get('id', '?')}: has no field '{name}'; remove it.")
        made: dict[str, Any] = {}
        for name, f in known.items():
            if name not in plain:
                raise InputError(f"{cls.noun} {plain.get('id', '?')}: the field '{name}' is missing; put it back.")
            made[name] = _typed(cls, plain, name, str(f.type))
        return cls(**made)


_TYPES: dict[str, tuple[type, ...]] = {
    "str": (str,),
    "float | None": (int, float, type(None)),
    "int | None": (int, type(None)),
    "bool": (bool,),
    "tuple[str, ...]": (list, tuple),
    "tuple[tuple[float, float], ...]": (list, tuple),
    "dict[str, Any]": (dict,),
}


def _typed(cls: type[Record], plain: dict[str, Any], name: str, kind: str) -> Any:
    value = plain[name]
    good = isinstance(value, _TYPES[kind]) and (kind == "bool" or not isinstance(value, bool))
    if good and kind == "tuple[str, ...]":
        good = all(isinstance(v, str) for v in value)
    if good and kind == "tuple[tuple[float, float], ...]":
        good = all(isinstance(v, list | tuple) and len(v) == 2 and all(_number(x) for x in v) for v in value)
    if good and name in ("id", "car", "sensor") and not value:
        good = False
    if good and kind in ("float | None", "int | None") and value is not None:
        good = _number(value)
    if good and name in _HASHES and value:
        good = bool(_HASHES[name].fullmatch(value))
    if not good:
        wanted = "a fingerprint" if name in _HASHES else _WORDS[kind]
        raise InputError(
            f"{cls.noun} {str(plain.get('id', '?'))[:60]}: '{name}' is {_short(value)}, and should be "
            f"{wanted}; correct it."
        )
    if kind == "float | None" and value is not None:
        return float(value)
    if kind == "tuple[str, ...]":
        return tuple(value)
    if kind == "tuple[tuple[float, float], ...]":
        return tuple((float(a), float(b)) for a, b in value)
    return value


def _short(value: object) -> str:
    """A value as a sentence quotes it; a number may have more digits than can be written out."""
    try:
        return repr(str(value)[:40])
    except ValueError:
        return "a number without end"


_WORDS = {
    "str": "text",
    "float | None": "a number or null",
    "int | None": "a whole number or null",
    "bool": "true or false",
    "tuple[str, ...]": "a list of texts",
    "tuple[tuple[float, float], ...]": "a list of pairs of numbers",
    "dict[str, Any]": "an object",
}


LOG_HASH, FILE_HASH = re.compile("[0-9A-Za-z]{1,96}"), re.compile(r"[0-9a-f]{64}(\.[a-z0-9]{1,12})?")
"""What the fingerprint of a log, and the name of a kept file, look like: never a path."""
_HASHES = MappingProxyType({"log_hash": LOG_HASH, "file_hash": FILE_HASH})
_LARGEST = 1e15


def _number(value: object) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool) and abs(value) < _LARGEST


def _plain(value: Any) -> Any:
    return [_plain(v) for v in value] if isinstance(value, tuple) else value


@dataclass(frozen=True, slots=True, kw_only=True)
class Car(Record):
    """A car. ``use``: what it is driven for."""

    table: ClassVar[str] = "cars"
    noun: ClassVar[str] = "car"
    name: str
    use: str = "track"
    note: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Engine(Record):
    """The card of an engine from a day on, until its next card: an engine is rebuilt, the sessions before it keep
    theirs.

    Attributes:
        engine: which engine; every card of one engine has the same, and builds name it.
        since: the day from which the card holds; "" from the first. ``reason``: what was done to the engine then.
        clearance: its class; advice for one class does not hold for another.
        cylinders, main_bearings: how many there are; a bearing sheet has a row for every shell.
        main_mm, rod_mm: bearing clearances on the diameter.
        pump_cm3: displacement of the oil pump per revolution of the engine.
        maker_points: the maker's least pressures, (rpm, kPa).
        window_low_kpa, window_high_kpa: the maker's window when running; ``window_rpm``, ``window_c``: at which engine
            speed and oil temperature it is quoted; ``maker_port``: where on the oil's way the maker's figures are read.
        grades: oil grades the maker lists.
        full_l: in the pan at the full mark; ``filter_l`` and the rest: what each holds besides.
        oil_hours, oil_km, oil_events: the oil is due after; whichever comes first.
    """

    table: ClassVar[str] = "engines"
    noun: ClassVar[str] = "engine"
    car: str
    engine: str = field(default_factory=new_id)
    name: str
    since: str = ""
    reason: str = ""
    clearance: str = "production"
    cylinders: int | None = None
    main_bearings: int | None = None
    main_mm: float | None = None
    rod_mm: float | None = None
    aspiration: str = ""
    relief_kpa: float | None = None
    idle_rpm: float | None = None
    redline_rpm: float | None = None
    pump_cm3: float | None = None
    maker_points: tuple[tuple[float, float], ...] = ()
    window_low_kpa: float | None = None
    window_high_kpa: float | None = None
    window_rpm: float | None = None
    window_c: float | None = None
    maker_port: str = ""
    grades: tuple[str, ...] = ()
    oil_target_c: float | None = None
    full_l: float | None = None
    filter_l: float | None = None
    cooler_l: float | None = None
    lines_l: float | None = None
    galleries_l: float | None = None
    oil_hours: float | None = None
    oil_km: float | None = None
    oil_events: float | None = None
    note: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Build(Record):
    """What was on the car from a day on, until the next build.

    Attributes:
        engine: which engine was in it (see :class:`Engine`); "" not written down.
        reason: why it was changed.
        accumulator_l: oil in the charged accumulator, which comes back into the pan when it empties.
    """

    table: ClassVar[str] = "builds"
    noun: ClassVar[str] = "build"
    car: str
    engine: str = ""
    name: str
    since: str
    reason: str = ""
    pan: str = ""
    pickup: str = ""
    pickup_gap_mm: float | None = None
    baffle: str = ""
    tray: str = ""
    accumulator: str = ""
    accumulator_l: float | None = None
    cooler: str = ""
    sensors: str = ""
    oil_grade: str = ""
    level_l: float | None = None
    tyres: str = ""
    map: str = ""
    parts: tuple[str, ...] = ()
    note: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Session(Record):
    """One drive or dyno session, on one build.

    Attributes:
        began: when, ISO date-time or date.
        accumulator: armed, off, none or unknown.
        map: the engine's map, where it was another than the build's.
        log_name, log_hash: the log as it was called, and the fingerprint of its content ("" with no log).
        running_s: engine running; ``hot_s``: with the oil at 100 °C and more; distance and laps as logged.
        lamp_rpm: the rpm below which the warning lamp came on, hot; for cars without a logger.
    """

    table: ClassVar[str] = "sessions"
    noun: ClassVar[str] = "session"
    car: str
    build: str
    title: str
    began: str
    kind: str = "track"
    circuit: str = ""
    weather: str = ""
    air_c: float | None = None
    fuel: str = ""
    tyres: str = ""
    driver: str = ""
    accumulator: str = "unknown"
    map: str = ""
    log_name: str = ""
    log_hash: str = ""
    running_s: float | None = None
    hot_s: float | None = None
    distance_km: float | None = None
    laps: int | None = None
    peak_oil_c: float | None = None
    lamp_rpm: float | None = None
    note: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class OilEntry(Record):
    """Oil poured in or taken out.

    Attributes:
        lot: which oil and lot, in the team's words; Basso ranks none.
        family: its approvals and family; one family is kept to when grades are switched.
    """

    table: ClassVar[str] = "oil"
    noun: ClassVar[str] = "oil entry"
    car: str
    day: str
    kind: str
    grade: str = ""
    lot: str = ""
    family: str = ""
    volume_l: float | None = None
    filter_new: bool = False
    note: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class OilSample(Record):
    """A laboratory's analysis.

    Attributes:
        bottle: what stands on the bottle; ``session``: after which session it was taken ("" unknown).
        values: measure → number: elements in mg/kg ("Fe", "Pb" …), "v40", "v100" in mm²/s, "bn" in mg KOH/g, "fuel",
            "water", "glycol" in %.
    """

    table: ClassVar[str] = "samples"
    noun: ClassVar[str] = "oil sample"
    car: str
    day: str
    bottle: str = ""
    session: str = ""
    values: dict[str, Any] = field(default_factory=dict)
    note: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class LevelPoint(Record):
    """One reading while oil was poured or drained step by step.

    Attributes:
        series: readings with one name belong together (one pan, one stick, one stance).
        pan_l: poured into the pan in all at this reading; what an armed accumulator has taken of it is allowed for.
        stance: how the car stood and how the stick was seated.
        depth_mm: read on the stick or in the pan, from its lower end; ``mark``: a mark it stood at ("full", "low").
        accumulator: its state; discharged, it adds its oil to the pan.
        wait_min: since pouring.
    """

    table: ClassVar[str] = "levels"
    noun: ClassVar[str] = "level reading"
    car: str
    series: str
    day: str
    pan_l: float | None = None
    depth_mm: float | None = None
    mark: str = ""
    accumulator: str = "none"
    stance: str = ""
    wait_min: float | None = None
    note: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Job(Record):
    """A job sheet being worked through.

    Attributes:
        entries: step key → what was entered (see :mod:`basso.car.jobs`).
        begun_on: the sheet as it was when the job was begun, so that a later Basso asks nothing else of it; {} of jobs
            begun before sheets were kept.
    """

    table: ClassVar[str] = "jobs"
    noun: ClassVar[str] = "job"
    car: str
    build: str = ""
    sheet: str
    opened: str
    closed: str = ""
    signed: str = ""
    minutes: float | None = None
    follow_up: str = ""
    entries: dict[str, Any] = field(default_factory=dict)
    begun_on: dict[str, Any] = field(default_factory=dict)
    note: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Attachment(Record):
    """A note or a file about another record (``about``: its id), or about a ``part`` of it ("rods: 2 upper"; "" the
    whole)."""

    table: ClassVar[str] = "attachments"
    noun: ClassVar[str] = "attachment"
    car: str
    about: str
    part: str = ""
    day: str
    text: str = ""
    file_name: str = ""
    file_hash: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Sensor(Record):
    """The card of a sensor from a day on, until its next card: where it sits, how, and how it is wired.

    Attributes:
        sensor: which one; every card of one sensor has the same, on whichever car it is: so it keeps its history.
        since: the day from which the card holds; ``reason``: what was done then.
        fitted: False once it is off this car.
        place: on the oil's way (see :mod:`basso.fitting.places`).
        channel: the column of the logs that it feeds; "" where there is but one that can be meant.
        low_kpa, high_kpa, low_c, high_c: its range; ``low_v``, ``high_v``: what it gives at its ends.
        mount: how it is held; ``line_m``, ``bore_mm`` of the line it hangs on; ``rises``: the line rises to the engine.
        lamp: whether an independent warning lamp is still there.
        tee_turns: turns that the tee is screwed in; ``belt_mm``: clearance to the nearest belt or fan.
        return_with: what else returns over the same wire; ``return_ma``: the current of all of it; ``return_ohm``: of
            wire and joints, from the sensor to the logger's reference.
    """

    table: ClassVar[str] = "sensors"
    noun: ClassVar[str] = "sensor"
    car: str
    sensor: str = field(default_factory=new_id)
    name: str
    since: str = ""
    reason: str = ""
    fitted: bool = True
    measures: str = "pressure"
    place: str = "main gallery"
    channel: str = ""
    reference: str = "unknown"
    low_kpa: float | None = None
    high_kpa: float | None = None
    low_c: float | None = None
    high_c: float | None = None
    low_v: float | None = None
    high_v: float | None = None
    thread: str = ""
    mount: str = "unknown"
    line_m: float | None = None
    bore_mm: float | None = None
    rises: bool = False
    lamp: str = "not looked at"
    tee_turns: float | None = None
    belt_mm: float | None = None
    supply_v: float | None = None
    supply_pin: str = ""
    fuse: str = ""
    signal_pin: str = ""
    return_pin: str = ""
    return_with: str = ""
    return_ma: float | None = None
    return_ohm: float | None = None
    note: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Calibration(Record):
    """A pressure sensor read against a known pressure.

    Attributes:
        sensor: which one (see :class:`Sensor`).
        against: what the pressure was known by.
        reads: what the second of each pair is in: "kPa" as logged, or "V".
        points: (applied kPa, what it read), in the order they were taken.
    """

    table: ClassVar[str] = "calibrations"
    noun: ClassVar[str] = "calibration"
    car: str
    sensor: str
    day: str
    against: str = "reference gauge"
    reads: str = "kPa"
    points: tuple[tuple[float, float], ...] = ()
    note: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Normal(Record):
    """What the engine shows on one build with its pickup covered, as it was learned on a day: a version of the build's
    normal.

    The newest of a build holds; the others stay, so that what was judged by them can be understood.

    Attributes:
        day: when it was learned; ``reason``: why it was learned anew.
        sessions: ids of those it was learned from.
        curve: as :meth:`basso.normal.expected.ExpectedPressure.as_plain` gives it, the oil it was learned with and all.
        idle: hot idle as :class:`basso.normal.warmup.HotIdle` has it; {} where no session shows one.
    """

    table: ClassVar[str] = "normals"
    noun: ClassVar[str] = "normal"
    car: str
    build: str
    day: str
    reason: str = ""
    sessions: tuple[str, ...] = ()
    curve: dict[str, Any] = field(default_factory=dict)
    idle: dict[str, Any] = field(default_factory=dict)
    note: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Pan(Record):
    """The pan of a build as it was measured on a day. The newest of a build holds; the others stay.

    Attributes:
        day: when it was measured; ``name``: what it is called.
        shape: its file (``basso.pan/1``, TOML), as ``basso sump`` reads it.
    """

    table: ClassVar[str] = "pans"
    noun: ClassVar[str] = "pan"
    car: str
    build: str
    day: str
    name: str = ""
    shape: str = ""
    note: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Accumulator(Record):
    """The accumulator of a build as it was fitted on a day. The newest of a build holds; the others stay.

    Attributes:
        day: since when it is so; ``name``: what it is called.
        card: its file (``basso.fitted/1``, TOML): size, precharge, valve, line, pump.
    """

    table: ClassVar[str] = "accumulators"
    noun: ClassVar[str] = "accumulator"
    car: str
    build: str
    day: str
    name: str = ""
    card: str = ""
    note: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Alarm(Record):
    """The low-pressure warning of a build as it was set on a day. The newest of a build holds; the others stay.

    Attributes:
        day: since when it is so; ``name``: what it is set to, in a few words.
        card: its setting and line (``basso.alarm_card/1``, JSON).
        closes_kpa, opens_kpa: at which its switch closed and opened on the bench; None where that was not tried.
    """

    table: ClassVar[str] = "alarms"
    noun: ClassVar[str] = "alarm"
    car: str
    build: str
    day: str
    name: str = ""
    card: str = ""
    closes_kpa: float | None = None
    opens_kpa: float | None = None
    note: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class FloorChoice(Record):
    """What the owner holds the car's pressure to from a day on, and why; until the next choice.

    Every line is written as the command line takes a floor ("slope:69,69"); "" where none was chosen.

    Attributes:
        floors: what sessions are judged by; the highest wins.
        target: what the oil system is built to hold; ``act_now``: below it the driver lifts; ``alarm``: what the
            warning is set to. Three lines, apart on purpose.
    """

    table: ClassVar[str] = "floors"
    noun: ClassVar[str] = "choice of floors"
    car: str
    since: str = ""
    reason: str = ""
    floors: tuple[str, ...] = ()
    target: str = ""
    act_now: str = ""
    alarm: str = ""
    note: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class OilSheet(Record):
    """An oil as its data sheet has it, or a grade's ceiling on this car's engine.

    Attributes:
        name: as the oil entries call it: a grade, or an oil.
        v40, v100: viscosity at 40 and 100 °C, mm²/s; both or neither.
        ceiling_c: the oil temperature up to which it is used on this engine.
        source: where the figures come from.
    """

    table: ClassVar[str] = "oil_sheets"
    noun: ClassVar[str] = "oil's data sheet"
    car: str
    name: str
    v40: float | None = None
    v100: float | None = None
    ceiling_c: float | None = None
    source: str = ""
    note: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Circuit(Record):
    """A circuit's lasting map, so that a corner keeps its number and its name from session to session.

    Attributes:
        name: as the sessions call it.
        day: when it was learned last; ``sessions``: ids of those it was learned from.
        survey: its map, as :meth:`basso.track.circuit_map.CircuitMap.as_plain` gives it.
    """

    table: ClassVar[str] = "circuits"
    noun: ClassVar[str] = "circuit"
    car: str
    name: str
    day: str = ""
    sessions: tuple[str, ...] = ()
    survey: dict[str, Any] = field(default_factory=dict)
    note: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Ruling(Record):
    """What the owner decided to do after a session, and why: nobody can say what an engine survives, so it is theirs to
    decide.

    Attributes:
        session: id of the session it was decided on.
        decision: one of :data:`RULINGS`; ``limit``: what the driver keeps to, in words.
        seen: what the session showed when it was decided, as a sentence.
    """

    table: ClassVar[str] = "rulings"
    noun: ClassVar[str] = "decision"
    car: str
    session: str
    day: str
    decision: str = ""
    limit: str = ""
    reason: str = ""
    seen: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Arrival(Record):
    """A car came from elsewhere and was not accepted yet: it is shown, and nothing of it acts on a log that is judged
    here.

    Attributes:
        day: when it came; ``source``: the name of the bundle, for people.
        decisions: what was decided elsewhere about the corrections of its logs, by the log's fingerprint, as
            :meth:`basso.memory.decisions.Decision.as_plain` gives it; taken over when the car is accepted.
    """

    table: ClassVar[str] = "arrivals"
    noun: ClassVar[str] = "arrival"
    car: str
    day: str
    source: str = ""
    decisions: dict[str, Any] = field(default_factory=dict)


KINDS: tuple[type[Record], ...] = (
    Car,
    Engine,
    Build,
    Session,
    OilEntry,
    OilSample,
    LevelPoint,
    Job,
    Attachment,
    Sensor,
    Calibration,
    Normal,
    Pan,
    Accumulator,
    Alarm,
    FloorChoice,
    OilSheet,
    Circuit,
    Ruling,
    Arrival,
)
"""Every kind, each after those it points to."""
BY_TABLE = MappingProxyType({k.table: k for k in KINDS})
