"""What a channel means: roles, and how they are recognised from a column's name and unit.

A name is split into words ("OilP(bar)" → oil, p; unit bar). Each role lists the words that speak for it and
those that rule it out; the best score above a threshold wins and every role is given once. What had to be
assumed is told in the import's notes.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import cache
from types import MappingProxyType

from basso.limits import LONGEST_NAME
from basso.plain_text import out_of_cell, plain
from basso.recording.vocabulary import in_english
from basso.units import UNITS, Quantity, Unit, parse_unit


class Role(StrEnum):
    """The channel roles fixed by the headless contract, and the two of a position in plain metres."""

    TIME = "time"
    RPM = "rpm"
    OIL_PRESSURE = "oil_pressure"
    OIL_TEMP = "oil_temp"
    LATERAL_G = "lateral_g"
    LONGITUDINAL_G = "longitudinal_g"
    VERTICAL_G = "vertical_g"
    SPEED = "speed"
    LATITUDE = "latitude"
    LONGITUDE = "longitude"
    POSITION_X = "position_x"
    POSITION_Y = "position_y"
    DISTANCE = "distance"
    LAP = "lap"
    THROTTLE = "throttle"
    BRAKE = "brake"
    COOLANT_TEMP = "coolant_temp"
    AIR_TEMP = "air_temp"
    AIR_PRESSURE = "air_pressure"
    ACCUMULATOR_PRESSURE = "accumulator_pressure"
    ACCUMULATOR_VALVE = "accumulator_valve"
    PRESSURE_PUMP_OUT = "pressure_pump_out"
    PRESSURE_COOLER_OUT = "pressure_cooler_out"
    PRESSURE_FILTER_OUT = "pressure_filter_out"
    FUEL_LEVEL = "fuel_level"

    @property
    def words(self) -> str:
        """The role as people say it."""
        return _WORDS.get(self.value, self.value.replace("_", " "))


_WORDS = MappingProxyType(
    {
        "rpm": "engine speed",
        "oil_temp": "oil temperature",
        "lateral_g": "lateral g",
        "longitudinal_g": "longitudinal g",
        "lap": "lap number",
        "coolant_temp": "coolant temperature",
        "air_temp": "air temperature",
        "pressure_pump_out": "pressure after the pump",
        "pressure_cooler_out": "pressure after the cooler",
        "pressure_filter_out": "pressure after the filter",
    }
)

_Q = Quantity
QUANTITY_OF: MappingProxyType[Role, Quantity | None] = MappingProxyType(
    {
        Role.TIME: _Q.TIME,
        Role.RPM: _Q.ROTATION,
        Role.OIL_PRESSURE: _Q.PRESSURE,
        Role.OIL_TEMP: _Q.TEMPERATURE,
        Role.LATERAL_G: _Q.ACCELERATION,
        Role.LONGITUDINAL_G: _Q.ACCELERATION,
        Role.VERTICAL_G: _Q.ACCELERATION,
        Role.SPEED: _Q.SPEED,
        Role.LATITUDE: _Q.ANGLE,
        Role.LONGITUDE: _Q.ANGLE,
        Role.POSITION_X: _Q.DISTANCE,
        Role.POSITION_Y: _Q.DISTANCE,
        Role.DISTANCE: _Q.DISTANCE,
        Role.LAP: None,
        Role.THROTTLE: None,
        Role.BRAKE: None,
        Role.COOLANT_TEMP: _Q.TEMPERATURE,
        Role.AIR_TEMP: _Q.TEMPERATURE,
        Role.AIR_PRESSURE: _Q.PRESSURE,
        Role.ACCUMULATOR_PRESSURE: _Q.PRESSURE,
        Role.ACCUMULATOR_VALVE: None,
        Role.PRESSURE_PUMP_OUT: _Q.PRESSURE,
        Role.PRESSURE_COOLER_OUT: _Q.PRESSURE,
        Role.PRESSURE_FILTER_OUT: _Q.PRESSURE,
        Role.FUEL_LEVEL: None,
    }
)
"""The quantity whose unit a role must carry; None where any or no unit will do."""


@dataclass(frozen=True, slots=True)
class Heading:
    """A column heading taken apart: the name as written, its words, and the unit it names, if any."""

    name: str
    words: tuple[str, ...]
    unit: Unit | None


# A unit glued to the end of a name: oil_pressure_kPa, OilTempC (capital C after lower case), rpm stays a name.
_BRACKETED = re.compile(r"^(.*?)[\s_]*[\[(<{]\s*([^\])>}]*)\s*[\])>}]\s*$")
_SUFFIX = re.compile(r"^(.+?)[\s_.,:/-]+([^\s_]+(?:\s?[CF])?)$")
_CAMEL = re.compile(r"(?<=[a-z0-9])(?=[A-Z])|(?<=[A-Z])(?=[A-Z][a-z])|(?<=[A-Za-z])(?=\d)|(?<=\d)(?=[A-Za-z])")
_SPLIT = re.compile(r"[^a-z0-9]+")
_NOT_SUFFIX_UNITS = frozenset({"g", "m", "s", "h", "l", "c", "f", "k", "in", "min", "pa", "t"})
_G_NAMES = re.compile(r"(?i)acc|lat|lon|g[\s_-]?force|vert|force")


def take_apart(heading: str) -> Heading:
    """Split a column heading into its words and the unit it names.

    What cannot be seen becomes a blank, and what is longer than any name is cut off.

    ``"Oil Press [psi]"`` → (oil, press), psi; ``"oil_pressure_kPa"`` → (oil, pressure), kPa.
    """
    name = out_of_cell(plain(heading.strip().strip('"').strip(), LONGEST_NAME).strip())
    body, unit = name, None
    match = _BRACKETED.match(name)
    if match:
        unit = parse_unit(match.group(2))
        # What is in brackets but is no unit may still tell the axis: "Acc (lateral)".
        body = match.group(1) if unit is not None else f"{match.group(1)} {match.group(2)}"
    if unit is None:
        suffix = _SUFFIX.match(body)
        if suffix:
            tail = suffix.group(2)
            candidate = parse_unit(tail)
            short = tail.lower() in _NOT_SUFFIX_UNITS
            # One-letter tails are units only where the rest of the name asks for that quantity.
            fits = candidate is not None and _short_tail_fits(suffix.group(1), candidate) if short else True
            if candidate is not None and fits and candidate.quantity is not Quantity.ROTATION:
                unit, body = candidate, suffix.group(1)
                if unit.symbol == "ms" and re.search("speed|vel", body, re.IGNORECASE):
                    unit = UNITS["m/s"]
    letters = "".join(c for c in unicodedata.normalize("NFKD", body.replace("ß", "ss")) if not unicodedata.combining(c))
    words = in_english([w for w in _SPLIT.split(_CAMEL.sub(" ", letters).lower()) if w])
    return Heading(name, words, unit)


def _short_tail_fits(stem: str, unit: Unit) -> bool:
    low = stem.lower()
    if unit.quantity is Quantity.TEMPERATURE:
        return "temp" in low or low.split()[-1:] == ["t"] or low.endswith(("oilt", "oil_t", "oil t"))
    if unit.quantity is Quantity.ACCELERATION:
        return bool(re.search(r"acc", low))
    if unit.quantity is Quantity.TIME:
        return "time" in low
    if unit.quantity is Quantity.DISTANCE:
        return "dist" in low
    return False


@dataclass(frozen=True, slots=True)
class _Rule:
    role: Role
    patterns: tuple[str, ...]
    """Regular expressions over the words joined with single blanks; the first that matches scores."""
    without: str = r"(?!)"
    """A pattern that rules the role out."""


OTHER_PRESSURES = (
    r"fuel|boost|manifold|\bmap\b|brake|tyre|tire|coolant|water|baro|ambient|crank|gearbox|trans|diff|oil (t|temp)"
    r"|\btemp|accumulat|clutch|air"
)
_RULES: tuple[_Rule, ...] = (
    _Rule(
        Role.TIME,
        (r"^(time|t|zeit|elapsed|seconds|secs?|timestamp|time ?stamp|clock|utc|utc time|date ?time)$",
         r"^(log|logger|session|elapsed|relative|rel|gps|utc|running|run|record) (time|seconds|clock)( \d)?$",
         r"^time (s|sec|ms|elapsed|rel|relative|of day|stamp)$"),
        r"\blap\b|split|sector",
    ),
    _Rule(
        Role.RPM,
        (r"^(engine )?rpm( engine)?$", r"^(engine|eng|motor|crank(shaft)?) (speed|spd|rpm|revs?|rev|n)$", r"^n ?(mot|motor|engine|eng)$",
         r"^(revs|tach|tacho|rotation)$|^(engspd|neng|engrpm|enginespeed)$", r"^(speed|rotation) engine$", r"\brpm\b", r"\bengine (speed|revs)\b"),
        r"wheel|prop|turbo|limit|target|pump|gear(box)?|shaft (in|out)|max|min",
    ),
    _Rule(
        Role.PRESSURE_PUMP_OUT,
        (r"(press|pressure|\bp\b).*\bpump\b", r"\bpump\b.*(press|pressure|\bp\b|out)"),
        r"fuel|water|coolant|brake|temp",
    ),
    _Rule(
        Role.PRESSURE_COOLER_OUT,
        (r"(press|pressure|\bp\b).*\bcooler\b", r"\bcooler\b.*(press|pressure|\bp\b)"),
        r"fuel|water|coolant|temp|inter",
    ),
    _Rule(
        Role.PRESSURE_FILTER_OUT,
        (r"(press|pressure|\bp\b).*\bfilter\b", r"\bfilter\b.*(press|pressure|\bp\b)"),
        r"fuel|air|temp",
    ),
    _Rule(
        Role.ACCUMULATOR_PRESSURE,
        (r"\baccu(m\w*)?\b.*(press|pressure|\bp\b)", r"(press|pressure|\bp\b).*accum\w*", r"bottle (press|pressure|p)"),
    ),
    _Rule(Role.ACCUMULATOR_VALVE, (r"accum\w*.*(valve|state|open|arm)", r"(valve|state).*accum")),
    _Rule(
        Role.OIL_PRESSURE,
        (r"^oil (pressure|press|pres|prs|p)( (sensor|main|gallery|engine|1))?$", r"^(engine|eng|motor) oil (pressure|press|pres|p)$",
         r"^oil ?press(ure)?$", r"^(p|press|pressure|prs) ?oil$", r"^(eop|oilp|poil|oelp|poel|phuile|polio|paceite)( (sensor|main|1))?$",
         r"\boil\b.*\b(pressure|press|pres|prs|druck)\b", r"\b(pressure|press|pres|prs)\b.*\boil\b", r"\bgallery\b",
         r"^oil p\b", r"\bp oil\b"),
        OTHER_PRESSURES,
    ),
    _Rule(
        Role.OIL_TEMP,
        (r"^oil (temperature|temp|tmp|t)( (sensor|sump|main|engine|1))?$", r"^(engine|eng|motor) oil (temperature|temp|t)$",
         r"^(t|temp|temperature|tmp) ?oil$", r"^(eot|oilt|toil|oelt|toel|thuile|tolio|taceite|oiltemp)( (sensor|main|sump|1))?$",
         r"\boil\b.*\b(temperature|temp|tmp)\b", r"\b(temperature|temp)\b.*\boil\b", r"^sump (temp|temperature)$"),
        r"gearbox|trans|diff|water|coolant|press",
    ),
    _Rule(
        Role.LATERAL_G,
        (r"^(lateral|lat)( (g|acc|accel|acceleration|force|gforce))+( lat(eral)?)?$|^lateral$",
         r"^(g|a|acc|accel|acceleration|gforce|g force|force g)( g)? (lat|lateral|y|sideways)( "
r"(acc|accel|g))?$", r"^a ?y$",
         r"^g ?y$", r"^(y|sideways)( (g|acc|accel|acceleration))+$", r"\b(latacc|acclat|latg|glat|latac|accy|ay|accely)\b",
         r"\blat(eral)?\b.*\b(g|acc\w*)\b", r"\b(g|acc\w*|gforce)\b.*\blat(eral)?\b", r"^lat$",
         r"\bacc\w* y\b", r"\by acc\w*\b"),
        r"latitude|gyro|yaw|rate|deg|wheel|damper",
    ),
    _Rule(
        Role.LONGITUDINAL_G,
        (r"^(longitudinal|long|lon)( (g|acc|accel|acceleration|force|gforce))+$|^longitudinal$",
         r"^(g|a|acc|accel|acceleration|gforce|g force|force g)( g)? (lon|long|longitudinal|x|fore "
r"?aft|inline)( (acc|accel|g))?$",
         r"^a ?x$", r"^g ?x$", r"^(x|inline|fore ?aft)( (g|acc|accel|acceleration))+$",
         r"\b(longacc|acclong|longg|glong|glon|longac|accx|ax|lonacc|acclon)\b", r"\b(inline|inl) ?(g|acc\w*)?\b",
         r"\blon(g|gitudinal)?\b.*\b(g|acc\w*)\b", r"\b(g|acc\w*|gforce)\b.*\blon(g|gitudinal)?\b",
         r"\bacc\w* x\b", r"\bx acc\w*\b", r"^(lon|long)$"),
        r"longitude|gyro|rate|deg|wheel|damper",
    ),
    _Rule(
        Role.VERTICAL_G,
        (r"^(vert|vertical)( (g|acc|accel|acceleration))*$", r"^(g|acc|accel|acceleration|gforce)( g)? (vert|vertical|z)$",
         r"^[ag] ?z$", r"\b(vertacc|accvert|accz|az)\b", r"\bvert(ical)?\b.*\b(g|acc\w*)\b", r"\bacc\w* z\b"),
        r"gyro|rate|speed|damper",
    ),
    _Rule(
        Role.SPEED,
        (r"^(speed|velocity|vel|v|v ?x|vss|spd|vehspd)$", r"^(vehicle|veh|gps|ground|car|road|corr|wheel)( \w+)? (speed|spd|velocity|vel)$",
         r"^(speed|velocity) (gps|vehicle|ground|car|kph|kmh|mph|ms|km h|m s)$", r"^v ?(gps|car|veh|vehicle)$", r"\bspeed\b"),
        r"engine|\bwind\b|fan|turbo|pump|accuracy|acc\b|error|motor|rotation|crank|angular|vertical",
    ),
    _Rule(Role.LATITUDE, (r"^(gps )?lat(itude)?( (deg|gps))?$", r"\blatitude\b"), r"acc|force|\bg\b"),
    _Rule(
        Role.LONGITUDE,
        (r"^(gps )?(lon|lng|long|longitude)( (deg|gps))?$", r"\blongitude\b"),
        r"acc|force|\bg\b|longitudinal",
    ),
    _Rule(
        Role.POSITION_X,
        (r"^(pos|position|path|gps|track|local|car) (x|east|easting)( \w+)?$", r"^(x|east|easting)( (pos|position|path|m))?$"),
        r"acc|gyro|rate|\bg\b",
    ),
    _Rule(
        Role.POSITION_Y,
        (r"^(pos|position|path|gps|track|local|car) (y|north|northing)( \w+)?$", r"^(y|north|northing)( (pos|position|path|m))?$"),
        r"acc|gyro|rate|\bg\b",
    ),
    _Rule(
        Role.DISTANCE,
        (r"^(distance|dist|odo|odometer|odom)( (gps|total|session|m|km|travelled))?$",
         r"^(gps|lap|session|total|vehicle|trip) (distance|dist)$", r"\bdistance\b"),
        r"to go|ride|height",
    ),
    _Rule(
        Role.LAP,
        (r"^lap( (number|no|nr|num|count|counter|index|id))?$", r"^(lapno|lapnumber|lapnum|lapcount|laps)$|^number lap$",
         r"^(current|session) lap( number)?$", r"^n (lap|tour)$"),
        r"time|dist|delta|fuel",
    ),
    _Rule(
        Role.THROTTLE,
        (r"^(throttle|tps|throttle (pos|position)|pedal|accelerator( pedal)?|app|gas)( \d)?$", r"\bthrottle\b", r"\btps\b",
         r"\baccelerator\b"),
        r"accel (x|y|z)|body|target|angle rate",
    ),
    _Rule(Role.BRAKE, (r"^brake( (pos|position|pedal|pressure|press|front|rear|switch|f|r|p))*$", r"\bbrake\b"), r"temp|bias|\bg\b"),
    _Rule(
        Role.COOLANT_TEMP,
        (r"\b(coolant|water|ect|clt|cts|engine coolant)\b(.*\b(temp|temperature|t)\b)?", r"^(engine|eng|head) (temp|temperature)$",
         r"\b(t|temp|temperature) (coolant|water)\b"),
        r"press|level|flow|oil|pump",
    ),
    _Rule(
        Role.AIR_TEMP,
        (r"^(air|ambient|outside|intake|inlet|iat|oat|act)( air)?( (temp|temperature|t))?$", r"\b(ambient|intake|air)\b.*\btemp\w*\b",
         r"\btemp\w* (ambient|air|intake)\b"),
        r"press|oil|water",
    ),
    _Rule(
        Role.AIR_PRESSURE,
        (r"^(baro|barometer|barometric|atmospheric|ambient|air|atm)( (pressure|press|p))?$", r"\b(baro\w*|atmospher\w*|ambient)\b.*\bpress\w*\b",
         r"\bpress\w* (baro\w*|ambient|atm\w*)\b"),
        r"temp|oil|manifold",
    ),
    _Rule(Role.FUEL_LEVEL, (r"\bfuel (level|lvl|qty|quantity|remaining|volume)\b", r"\blevel fuel\b", r"^fuel$"), r"press|temp|flow|used"),
)  # fmt: skip


@cache
def _compiled() -> dict[Role, tuple[tuple[re.Pattern[str], ...], re.Pattern[str]]]:
    """The rules ready for use; made when a heading is first looked at, since most starts look at none."""
    return {r.role: (tuple(re.compile(p) for p in r.patterns), re.compile(r.without)) for r in _RULES}


def score(heading: Heading, role: Role) -> float:
    """How well a heading fits a role, 0 (not at all) to 1 (the role's usual name and unit)."""
    wanted = QUANTITY_OF[role]
    unit = heading.unit
    if clash(role, unit):
        return 0.0
    if unit is None and role in (Role.POSITION_X, Role.POSITION_Y):
        return 0.0  # "x" alone may be anything
    joined = " ".join(heading.words)
    patterns, without = _compiled()[role]
    if without.search(joined) and role is not Role.ACCUMULATOR_PRESSURE:
        return 0.0
    for rank, pattern in enumerate(patterns):
        if pattern.search(joined):
            named = 1.0 - 0.5 * rank / len(patterns)
            return named if unit is not None or wanted is None else named - 0.1
    return 0.0


def clash(role: Role, unit: Unit | None) -> str:
    """Why a stated unit cannot be this role's, in words that follow the column's name; "" where it can."""
    wanted = QUANTITY_OF[role]
    if unit is None or wanted is None or unit.quantity is wanted or _unit_excused(role, unit):
        return ""
    return f"says {unit.symbol}, which is no unit of {role.words}"


def _unit_excused(role: Role, unit: Unit) -> bool:
    """True when a unit that is odd for a role is common sloppiness of loggers."""
    return (role is Role.RPM and unit.quantity is Quantity.COUNT) or (
        role in (Role.LATITUDE, Role.LONGITUDE) and unit.quantity is Quantity.ANGLE
    )


def recognise(
    headings: Sequence[Heading], forced: dict[int, Role] | None = None, barred: frozenset[int] = frozenset()
) -> list[Role | None]:
    """Give each heading its role: best score first, each role once.

    Args:
        headings: the columns in file order.
        forced: column index → role set by the user; takes that role from every other column.
        barred: columns that carry no role, said by the user.
    """
    result: list[Role | None] = [None] * len(headings)
    taken: set[Role] = set()
    for index, role in (forced or {}).items():
        result[index] = role
        taken.add(role)
    ranked = sorted(
        ((score(h, role), -i, i, role) for i, h in enumerate(headings) if i not in barred for role in Role),
        key=lambda entry: (entry[0], entry[1]),
        reverse=True,
    )
    for value, _, index, role in ranked:
        if value < 0.35:
            break
        if result[index] is None and role not in taken:
            result[index] = role
            taken.add(role)
    return result
