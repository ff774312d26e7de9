"""Units of measurement: what logs are written in, what the core computes in, what people read.

The core holds every quantity in one *base unit* (below); conversion happens once on the way in and once on
the way out. Base units are those of the headless contract: pressure kPa **gauge**, temperature °C,
acceleration g, speed m/s, distance m, volume L, flow L/min, rotation rpm, angle °, time s, share %.

Exact factors: 1 psi = 6.894757293168361 kPa (lbf and inch are exact), 1 bar = 100 kPa,
1 g = 9.80665 m/s² (ISO 80000-3), 1 US quart = 0.946352946 L, 1 mph = 0.44704 m/s.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass, field
from enum import StrEnum
from types import MappingProxyType
from typing import TYPE_CHECKING, Any, overload

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    FloatArray = NDArray[np.float64]

STANDARD_GRAVITY_MPS2 = 9.80665
STANDARD_ATMOSPHERE_KPA = 101.325
PSI_KPA = 6.894757293168361
DEGREE_OF_ARC_M = 111_195.0
"""A degree of latitude on a sphere of the Earth's mean radius, 6371 km: a circuit is small enough for it."""


def __getattr__(name: str) -> Any:
    """``FloatArray`` at run time, made when first asked for: the window's frame needs units but no NumPy."""
    if name == "FloatArray":
        import numpy as np
        from numpy.typing import NDArray

        return NDArray[np.float64]
    raise AttributeError(name)


class Quantity(StrEnum):
    """A kind of thing that is measured."""

    PRESSURE = "pressure"
    TEMPERATURE = "temperature"
    ACCELERATION = "acceleration"
    SPEED = "speed"
    DISTANCE = "distance"
    TIME = "time"
    ROTATION = "rotation"
    RATIO = "ratio"
    ANGLE = "angle"
    VOLUME = "volume"
    COUNT = "count"
    LENGTH = "length"


@dataclass(frozen=True, slots=True)
class Unit:
    """A unit: ``base = value * factor + offset``.

    ``absolute`` marks a pressure unit that is counted from vacuum ("psia"); its offset stays 0, because the
    atmosphere to subtract is the day's and not a constant of the unit.
    """

    symbol: str
    quantity: Quantity
    factor: float = 1.0
    offset: float = 0.0
    absolute: bool = False

    @overload
    def to_base(self, value: float) -> float: ...
    @overload
    def to_base(self, value: FloatArray) -> FloatArray: ...
    def to_base(self, value: float | FloatArray) -> float | FloatArray:
        """Convert from this unit to the base unit of its quantity; NaN stays NaN."""
        if self.factor == 1.0 and self.offset == 0.0:
            return value
        return value * self.factor + self.offset

    @overload
    def from_base(self, value: float) -> float: ...
    @overload
    def from_base(self, value: FloatArray) -> FloatArray: ...
    def from_base(self, value: float | FloatArray) -> float | FloatArray:
        """Convert from the base unit of the quantity to this unit; NaN stays NaN."""
        return (value - self.offset) / self.factor

    def difference_from_base(self, value: float) -> float:
        """Convert a difference (a margin, an effect) from the base unit: the offset does not apply."""
        return value / self.factor


_Q = Quantity
_F = 5.0 / 9.0
_UNITS: tuple[tuple[Unit, tuple[str, ...]], ...] = (
    (Unit("kPa", _Q.PRESSURE), ("kpa", "kpag", "kpa(g)")),
    (Unit("kPa abs", _Q.PRESSURE, absolute=True), ("kpaa", "kpa(a)", "kpaabs")),
    (Unit("bar", _Q.PRESSURE, 100.0), ("bar", "barg", "bar(g)", "bars")),
    (Unit("bar abs", _Q.PRESSURE, 100.0, absolute=True), ("bara", "bar(a)", "barabs")),
    (Unit("mbar", _Q.PRESSURE, 0.1), ("mbar", "mb", "hpa")),
    (Unit("MPa", _Q.PRESSURE, 1000.0), ("mpa",)),
    (Unit("Pa", _Q.PRESSURE, 0.001), ("pa",)),
    (Unit("psi", _Q.PRESSURE, PSI_KPA), ("psi", "psig", "psi(g)", "lb/in2", "lbf/in2", "lb/in²")),
    (Unit("psi abs", _Q.PRESSURE, PSI_KPA, absolute=True), ("psia", "psi(a)", "psiabs")),
    (Unit("kg/cm²", _Q.PRESSURE, 98.0665), ("kg/cm2", "kg/cm²", "kgf/cm2", "kgf/cm²")),
    (
        Unit("°C", _Q.TEMPERATURE),
        ("°c", "c", "degc", "deg c", "celsius", "centigrade", "grad c", "gradc", "gradi c", "ºc", "℃", "\ufffdc"),
    ),
    (Unit("°F", _Q.TEMPERATURE, _F, -32.0 * _F), ("°f", "f", "degf", "deg f", "fahrenheit", "ºf", "℉", "\ufffdf")),
    (Unit("K", _Q.TEMPERATURE, 1.0, -273.15), ("k", "kelvin", "degk", "°k")),
    (Unit("g", _Q.ACCELERATION), ("g", "gs", "gn", "g0", "g-force")),
    (Unit("mg", _Q.ACCELERATION, 0.001), ("mg",)),
    (
        Unit("m/s²", _Q.ACCELERATION, 1.0 / STANDARD_GRAVITY_MPS2),
        ("m/s²", "m/s2", "m/s^2", "m/s/s", "mps2", "ms-2", "m/sec2", "m/s\u00b2", "m/s\ufffd", "m.s-2", "ms2"),
    ),
    (Unit("ft/s²", _Q.ACCELERATION, 0.3048 / STANDARD_GRAVITY_MPS2), ("ft/s2", "ft/s²", "ft/s^2")),
    (Unit("m/s", _Q.SPEED), ("m/s", "mps", "ms-1")),
    (Unit("km/h", _Q.SPEED, 1.0 / 3.6), ("km/h", "kmh", "kph", "kmph", "kmh-1")),
    (Unit("mph", _Q.SPEED, 0.44704), ("mph", "mi/h")),
    (Unit("kn", _Q.SPEED, 1852.0 / 3600.0), ("kn", "kt", "kts", "knots")),
    (Unit("m", _Q.DISTANCE), ("m", "metre", "metres", "meter", "meters")),
    (Unit("km", _Q.DISTANCE, 1000.0), ("km",)),
    (Unit("mi", _Q.DISTANCE, 1609.344), ("mi", "mile", "miles")),
    (Unit("ft", _Q.DISTANCE, 0.3048), ("ft", "feet")),
    (Unit("s", _Q.TIME), ("s", "sec", "secs", "second", "seconds")),
    (Unit("ms", _Q.TIME, 1e-3), ("ms", "msec", "millis", "milliseconds")),
    (Unit("µs", _Q.TIME, 1e-6), ("us", "µs", "μs", "usec", "micros")),
    (Unit("min", _Q.TIME, 60.0), ("min", "minutes")),
    (Unit("h", _Q.TIME, 3600.0), ("h", "hours")),
    (
        Unit("rpm", _Q.ROTATION),
        (
            "rpm",
            "1/min",
            "r/min",
            "rev/min",
            "min-1",
            "u/min",
            "tr/min",
            "trs/min",
            "tours/min",
            "giri/min",
            "umdr/min",
            "omw/min",
            "r.p.m.",
        ),
    ),
    (Unit("rad/s", _Q.ROTATION, 60.0 / (2 * math.pi)), ("rad/s",)),
    (Unit("Hz", _Q.ROTATION, 60.0), ("hz", "1/s", "rev/s", "rps")),
    (Unit("krpm", _Q.ROTATION, 1000.0), ("krpm", "rpm*1000", "rpmx1000", "x1000rpm", "1000rpm")),
    (Unit("%", _Q.RATIO), ("%", "pct", "percent")),
    (Unit("°", _Q.ANGLE), ("°", "deg", "degrees", "º")),
    (Unit("L", _Q.VOLUME), ("l", "litre", "litres", "liter", "liters", "ltr")),
    (Unit("US qt", _Q.VOLUME, 0.946352946), ("qt", "us qt", "quart", "quarts")),
    (Unit("US gal", _Q.VOLUME, 3.785411784), ("gal", "us gal")),
    (Unit("mm", _Q.LENGTH), ("mm",)),
    (Unit("in", _Q.LENGTH, 25.4), ("in", "inch", "inches")),
)

UNITS: MappingProxyType[str, Unit] = MappingProxyType({u.symbol: u for u, _ in _UNITS})
_BY_SPELLING: MappingProxyType[str, Unit] = MappingProxyType(
    {s: u for u, spellings in _UNITS for s in (u.symbol.lower(), *spellings)}
)
# "G" is g; "Bar" is bar; but "MPA" in capitals is megapascal only by convention of the logger: accept it.
_CLEAN = re.compile(r"[\s_\[\]]+")
_LONGEST_SPELLING = 60


def parse_unit(text: str) -> Unit | None:
    """Return the unit that ``text`` spells ("PSI", "deg C", "m/s^2"), or None when it spells none.

    Brackets, blanks and letter case do not matter.
    """
    spelled = text.strip().strip("[]").strip().lower()
    if not spelled or len(spelled) > _LONGEST_SPELLING:
        return None
    found = _BY_SPELLING.get(spelled)
    if found is None and spelled.startswith("(") and spelled.endswith(")"):
        return parse_unit(spelled[1:-1])
    if found is None:
        found = _BY_SPELLING.get(_CLEAN.sub("", spelled))
    return found


def base_unit(quantity: Quantity) -> Unit:
    """The unit in which the core holds a quantity."""
    for unit, _ in _UNITS:
        if unit.quantity is quantity and unit.factor == 1.0 and unit.offset == 0.0 and not unit.absolute:
            return unit
    return Unit("", quantity)


_DIGITS = MappingProxyType(
    {"psi": 0, "bar": 2, "kPa": 0, "g": 2, "°C": 0, "°F": 0, "m/s": 1, "km/h": 0, "mph": 0, "rpm": 0,
     "L": 2, "US qt": 2, "mm": 0, "in": 2, "s": 1, "%": 0, "m": 0}
)  # fmt: skip


def digits_of(unit: Unit) -> int:
    """Sensible decimals for a reading in this unit."""
    return _DIGITS.get(unit.symbol, 2)


@dataclass(frozen=True, slots=True)
class DisplayUnits:
    """The units a person chose to read; stored data never changes with it."""

    pressure: Unit = field(default_factory=lambda: UNITS["kPa"])
    temperature: Unit = field(default_factory=lambda: UNITS["°C"])
    speed: Unit = field(default_factory=lambda: UNITS["km/h"])
    volume: Unit = field(default_factory=lambda: UNITS["L"])
    length: Unit = field(default_factory=lambda: UNITS["mm"])

    def number(self, value: float, quantity: Quantity, *, difference: bool = False, signed: bool = False) -> str:
        """Format a base-unit value as digits in the chosen unit; "–" when it is not a number.

        Negative numbers carry a true minus sign, thousands a thin space, so that columns align.
        """
        unit = self.unit(quantity)
        if not math.isfinite(value):
            return "–"
        shown = unit.difference_from_base(value) if difference else unit.from_base(value)
        text = f"{shown:+,.{digits_of(unit)}f}" if signed else f"{shown:,.{digits_of(unit)}f}"
        if float(text.replace(",", "")) == 0:
            text = text.lstrip("+-")
        return text.replace(",", "\u2009").replace("-", "−")

    def text(self, value: float, quantity: Quantity, *, difference: bool = False, signed: bool = False) -> str:
        """Like :meth:`number`, with the unit's symbol."""
        digits = self.number(value, quantity, difference=difference, signed=signed)
        return digits if digits == "–" else f"{digits} {self.unit(quantity).symbol}"

    def unit(self, quantity: Quantity) -> Unit:
        """The unit shown for a quantity."""
        chosen = {
            Quantity.PRESSURE: self.pressure,
            Quantity.TEMPERATURE: self.temperature,
            Quantity.SPEED: self.speed,
            Quantity.VOLUME: self.volume,
            Quantity.LENGTH: self.length,
        }.get(quantity)
        return chosen if chosen is not None else base_unit(quantity)
