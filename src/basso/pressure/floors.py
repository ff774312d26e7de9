"""Floors: the least pressure an engine may show. Several floor rules; the highest one asked for applies.

Rules are written as in the headless contract: ``slope:BASE,PER1000``, ``fixed:KPA``, ``table:RPM=KPA,…``,
``share:FRACTION``; and ``less:KPA``, so much under the expected pressure.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from basso.errors import InputError
from basso.units import PSI_KPA, FloatArray


@dataclass(frozen=True, slots=True)
class Slope:
    """A base plus so much per 1000 rpm, kPa."""

    base_kpa: float
    per_1000_kpa: float

    @property
    def rule(self) -> str:
        """The rule as the contract writes it."""
        return f"slope:{self.base_kpa:g},{self.per_1000_kpa:g}"

    def at(self, rpm: FloatArray, expected_kpa: FloatArray) -> FloatArray:
        """Floor in kPa at each sample."""
        return np.asarray(self.base_kpa + self.per_1000_kpa * rpm / 1000.0, dtype=np.float64)


@dataclass(frozen=True, slots=True)
class Fixed:
    """One pressure at every rpm, kPa."""

    kpa: float

    @property
    def rule(self) -> str:
        """The rule as the contract writes it."""
        return f"fixed:{self.kpa:g}"

    def at(self, rpm: FloatArray, expected_kpa: FloatArray) -> FloatArray:
        """Floor in kPa at each sample."""
        return np.full(rpm.shape, self.kpa)


@dataclass(frozen=True, slots=True)
class PointTable:
    """Points of (rpm, kPa), linear between, held flat outside."""

    points: tuple[tuple[float, float], ...]

    @property
    def rule(self) -> str:
        """The rule as the contract writes it."""
        return "table:" + ",".join(f"{n:g}={p:g}" for n, p in self.points)

    def at(self, rpm: FloatArray, expected_kpa: FloatArray) -> FloatArray:
        """Floor in kPa at each sample."""
        speeds, pressures = zip(*self.points, strict=True)
        return np.asarray(np.interp(rpm, speeds, pressures), dtype=np.float64)


@dataclass(frozen=True, slots=True)
class Share:
    """A share of the expected pressure at that rpm and oil temperature; silent where nothing is expected."""

    fraction: float

    @property
    def rule(self) -> str:
        """The rule as the contract writes it."""
        return f"share:{self.fraction:g}"

    def at(self, rpm: FloatArray, expected_kpa: FloatArray) -> FloatArray:
        """Floor in kPa at each sample; NaN where there is no expectation."""
        return self.fraction * expected_kpa


@dataclass(frozen=True, slots=True)
class Less:
    """Normal less a margin, kPa; silent where nothing is expected."""

    kpa: float

    @property
    def rule(self) -> str:
        """The rule as the contract writes its own."""
        return f"less:{self.kpa:g}"

    def at(self, rpm: FloatArray, expected_kpa: FloatArray) -> FloatArray:
        """Floor in kPa at each sample; NaN where there is no expectation."""
        return np.maximum(expected_kpa - self.kpa, 0.0)


Floor = Slope | Fixed | PointTable | Share | Less


def moves_with_normal(floor: Floor) -> bool:
    """True for a floor that is drawn from normal itself: it sinks where normal sinks, and says nothing of hot thin
    oil."""
    return isinstance(floor, Share | Less)


@dataclass(frozen=True, slots=True)
class FloorRule:
    """A floor rule, with its reason for people."""

    name: str
    floor: Floor
    reason: str


FLOOR_RULES: tuple[FloorRule, ...] = (
    FloorRule(
        "7 psi per 1000 rpm",
        Slope(0.0, 48.3),
        "7 psi for every 1000 rpm: standard clearances and steel rods to about 6500 rpm; more is pump work and heat",
    ),
    FloorRule(
        "10 psi + 10 psi per 1000 rpm",
        Slope(10.0 * PSI_KPA, 10.0 * PSI_KPA),
        "10 psi and 10 psi for every 1000 rpm, as several service manuals put it: loose clearances, heavy rods",
    ),
    FloorRule(
        "% of normal",
        Share(0.70),
        "below 70 % of what this engine shows at the same rpm and oil temperature something is wrong, "
        "whatever the engine",
    ),
    FloorRule(
        "Maker's figures",
        PointTable(((1000.0, 70.0), (2500.0, 28.0 * PSI_KPA))),
        "28 psi at 2500 rpm warm; put your maker's points here",
    ),
    FloorRule(
        "Normal less a margin",
        Less(100.0),
        "a fixed step under what this engine shows at the same rpm and oil temperature: as near to it "
        "idling as at speed",
    ),
    FloorRule("Fixed", Fixed(30.0 * PSI_KPA), "a plain back-off line: below it lift, whatever the rpm"),
)
LEAN_RULE = Slope(0.0, 48.3)
"""7 psi for every 1000 rpm."""
DEFAULT_FLOORS: tuple[Floor, ...] = (LEAN_RULE, Share(0.70))
"""The lean per-thousand rule and 70 % of normal (the contract's defaults)."""


def parse_floor(text: str) -> Floor:
    """Read a ``--floor`` rule; raises InputError that shows the form it should have."""
    kind, _, rest = text.partition(":")
    try:
        if kind == "slope":
            base, per_1000 = (float(v) for v in rest.split(","))
            return Slope(base, per_1000)
        if kind == "fixed":
            return Fixed(float(rest))
        if kind == "less":
            if not 0.0 < float(rest) < 2000.0:
                raise InputError(f"--floor {text}: the margin must be over 0, so write less:80.")
            return Less(float(rest))
        if kind == "share":
            fraction = float(rest)
            if not 0.0 < fraction < 1.0:
                raise InputError(f"--floor {text}: the share must lie between 0 and 1, such as share:0.70.")
            return Share(fraction)
        if kind == "table":
            pairs = [p.split("=") for p in rest.split(",")]
            return PointTable(tuple(sorted((float(n), float(p)) for n, p in pairs)))
    except ValueError:
        pass
    raise InputError(
        f"--floor {text}: write slope:BASE,PER1000 or fixed:KPA or table:RPM=KPA,RPM=KPA or "
        "share:FRACTION or less:KPA, in kPa."
    )


@dataclass(frozen=True, slots=True, eq=False)
class FloorLine:
    """The floor at every sample and which rule set it.

    Attributes:
        kpa: the highest rule at each sample, shape (n,); NaN where no rule says anything.
        rule_index: index into ``floors`` of the rule that applies, −1 where none, shape (n,).
        floors: the rules asked for.
    """

    kpa: FloatArray
    rule_index: NDArray[np.int8]
    floors: tuple[Floor, ...]

    def rule_at(self, index: int) -> str | None:
        """The rule in force at a sample, as the contract writes it."""
        which = int(self.rule_index[index])
        return self.floors[which].rule if which >= 0 else None


def highest_floor(floors: Sequence[Floor], rpm: FloatArray, expected_kpa: FloatArray) -> FloorLine:
    """The highest of several floors at each sample; arrays of shape (n,)."""
    best = np.full(rpm.shape, -np.inf)
    which = np.full(rpm.shape, -1, dtype=np.int8)
    for index, floor in enumerate(floors):
        level = np.nan_to_num(floor.at(rpm, expected_kpa), nan=-np.inf)
        higher = level > best
        best = np.where(higher, level, best)
        which[higher] = index
    return FloorLine(np.where(which >= 0, best, np.nan), which, tuple(floors))
