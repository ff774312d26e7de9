"""Kinds of warning devices and their settings: when one shows, for pressure and engine speed over time."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from basso.recording.spans import runs_of
from basso.units import FloatArray

Kind = Literal["fixed", "gated", "table", "share", "two_stage"]
KINDS: tuple[Kind, ...] = ("fixed", "gated", "table", "share", "two_stage")


@dataclass(frozen=True, slots=True)
class AlarmRule:
    """A device as it is set.

    Attributes:
        gate_rpm: it is silent below.
        points: (rpm, kPa) of its line, linear between, held flat outside; of two stages, the one that stays on.
        caution_points: of the one that blinks; None for one stage.
        delay_s: under the line for so long, at the gate or over it, before it shows; ``hysteresis_kpa``: so far over
            the line before it goes out.
    """

    kind: Kind
    gate_rpm: float
    points: tuple[tuple[float, float], ...]
    delay_s: float = 0.15
    hysteresis_kpa: float = 15.0
    caution_points: tuple[tuple[float, float], ...] | None = None

    def line_kpa(self, rpm: FloatArray) -> FloatArray:
        """The line at each engine speed."""
        return line_at(self.points, rpm)

    @property
    def first_shown(self) -> AlarmRule:
        """The stage that shows first, as a device of its own: what blinks, where there is such a thing."""
        return self if self.caution_points is None else replace(self, points=self.caution_points, caution_points=None)


def line_at(points: tuple[tuple[float, float], ...], rpm: FloatArray) -> FloatArray:
    """A line through points at each engine speed."""
    speeds, pressures = zip(*points, strict=True)
    return np.asarray(np.interp(rpm, speeds, pressures), dtype=np.float64)


def showings(rule: AlarmRule, time_s: FloatArray, rpm: FloatArray, pressure_kpa: FloatArray) -> list[tuple[int, int]]:
    """When a device shows: half-open index ranges. Arrays of shape (n,); a missing value neither lights nor clears."""
    line = rule.line_kpa(rpm)
    with np.errstate(invalid="ignore"):
        over_gate = rpm >= rule.gate_rpm
        under = over_gate & (pressure_kpa < line)
        clears = (rpm < rule.gate_rpm) | (pressure_kpa >= line + rule.hysteresis_kpa)
    clearing = np.flatnonzero(clears)
    made: list[tuple[int, int]] = []
    for start, end in runs_of(under):
        if made and start < made[-1][1]:
            continue  # it shows already
        lit = int(np.searchsorted(time_s, time_s[start] + rule.delay_s - 1e-9))
        if lit >= end and rule.delay_s > 0.0:
            continue
        after = int(np.searchsorted(clearing, lit))
        made.append((lit, int(clearing[after]) if after < clearing.size else time_s.size))
    return made
