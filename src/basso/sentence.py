"""Sentences of the core whose numbers stay values: they read in kPa and °C, and in the reader's units where he is
known.

A number in a sentence is a :class:`Measured` until it is shown. ``phrase("Reads {} at rest.", in_kpa(98.2, 1))`` is
text like any other, "Reads 98.2 kPa at rest.", and :func:`read_in` gives it in psi without looking at that text.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from string import Formatter
from types import MappingProxyType
from typing import TYPE_CHECKING, Any, SupportsFloat, SupportsIndex

from basso.units import DisplayUnits, Quantity

if TYPE_CHECKING:
    from basso.units import Unit

_FINER = MappingProxyType({"psi": 1, "bar": 2, "US qt": 1, "in": 2})
"""So many digits more than in the base unit mean as much."""
_BASE = DisplayUnits()


@dataclass(frozen=True, slots=True)
class Measured:
    """A number with its quantity.

    Attributes:
        value: in the base unit.
        digits: decimals in the base unit; in another as many as mean as much.
        difference: of two readings, not a place on the scale.
        signed: with + or −.
    """

    value: float
    quantity: Quantity
    digits: int = 0
    difference: bool = False
    signed: bool = False

    def text(self, units: DisplayUnits, bare: bool = False) -> str:
        """As it is read; ``bare``: the unit follows with another number."""
        unit = units.unit(self.quantity)
        shown = unit.difference_from_base(self.value) if self.difference else float(unit.from_base(self.value))
        number = f"{shown:{'+' if self.signed else ''}.{self._digits_in(unit, shown)}f}"
        number = (number.lstrip("+-") if float(number) == 0.0 else number).replace("-", "−")
        return number if bare else f"{number} {unit.symbol}"

    def _digits_in(self, unit: Unit, shown: float) -> int:
        if unit.symbol == "psi" and abs(shown) >= 10:
            return self.digits
        return self.digits + _FINER.get(unit.symbol, 0)


def in_kpa(value: SupportsFloat, digits: int = 0, *, signed: bool = False) -> Measured:
    """A pressure, or a difference of two."""
    return Measured(float(value), Quantity.PRESSURE, digits, signed=signed)


def in_celsius(value: SupportsFloat, digits: int = 0) -> Measured:
    """A temperature."""
    return Measured(float(value), Quantity.TEMPERATURE, digits)


def in_degrees(value: SupportsFloat, digits: int = 0) -> Measured:
    """By how much two temperatures differ, °C."""
    return Measured(float(value), Quantity.TEMPERATURE, digits, difference=True)


def in_litres(value: SupportsFloat, digits: int = 0, *, signed: bool = False) -> Measured:
    """A volume."""
    return Measured(float(value), Quantity.VOLUME, digits, signed=signed)


def in_mm(value: SupportsFloat, digits: int = 0, *, signed: bool = False) -> Measured:
    """A length, given in mm."""
    return Measured(float(value), Quantity.LENGTH, digits, signed=signed)


class Sentence(str):
    """Text in kPa and °C that knows its numbers: ``parts`` are words and :class:`Measured` by turns, with whether the
    unit is left out."""

    parts: tuple[str | tuple[Measured, bool], ...]

    def __new__(cls, parts: Iterable[str | tuple[Measured, bool]]) -> Sentence:
        kept = tuple(parts)
        made = super().__new__(cls, _read(kept, _BASE))
        made.parts = kept
        return made

    def __getnewargs__(self) -> tuple[Any, ...]:
        return (self.parts,)

    def __add__(self, other: str) -> Sentence:
        return Sentence((*self.parts, *parts_of(other)))

    def __radd__(self, other: str) -> Sentence:
        return Sentence((*parts_of(other), *self.parts))

    def replace(self, old: str, new: str, count: SupportsIndex = -1, /) -> Sentence:
        """The same with other words; the numbers stay. ``count`` is not heeded."""
        return Sentence(p.replace(old, new) if isinstance(p, str) else p for p in self.parts)


def parts_of(text: str) -> tuple[str | tuple[Measured, bool], ...]:
    """The parts of a sentence; of plain text itself."""
    return text.parts if isinstance(text, Sentence) else (text,)


def phrase(template: str, /, *values: object) -> Sentence:
    """A sentence from a template as :meth:`str.format` takes it, its values in their order.

    A :class:`Measured` stays one (``{:bare}`` without its unit), a sentence's numbers do; the rest is formatted as
    always.
    """
    parts: list[str | tuple[Measured, bool]] = []
    left = iter(values)
    for words, name, how, _ in Formatter().parse(template):
        parts.append(words)
        if name is None:
            continue
        value = next(left)
        if isinstance(value, Measured):
            parts.append((value, how == "bare"))
        elif isinstance(value, str):
            parts += parts_of(value)
        else:
            parts.append(format(value, how or ""))
    return Sentence(parts)


def begun(text: str) -> Sentence:
    """The same with a capital letter in front, where words stand there."""
    first, *rest = parts_of(text) or ("",)
    return Sentence([first[:1].upper() + first[1:] if isinstance(first, str) else first, *rest])


def joined(separator: str, texts: Iterable[str]) -> Sentence:
    """Sentences one after the other, their numbers kept."""
    parts: list[str | tuple[Measured, bool]] = []
    for i, text in enumerate(texts):
        parts += [separator] if i else []
        parts += parts_of(text)
    return Sentence(parts)


def read_in(text: str, units: DisplayUnits) -> str:
    """A sentence in the reader's units; plain text as it is."""
    return _read(text.parts, units) if isinstance(text, Sentence) else text


def _read(parts: Iterable[str | tuple[Measured, bool]], units: DisplayUnits) -> str:
    return "".join(p if isinstance(p, str) else p[0].text(units, p[1]) for p in parts)
