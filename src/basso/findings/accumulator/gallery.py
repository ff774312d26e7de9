"""A judged log as the gallery an accumulator is replayed on, and its dipping passes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from basso.accumulator.replay import Gallery, gallery_of
from basso.analysis import Analysis, JudgedDip
from basso.errors import InputError
from basso.units import FloatArray

FINE_STEP_S, COARSE_STEP_S = 0.02, 0.04
_MANY_SAMPLES = 180_000
"""A drive of more fine steps than these, an hour, is replayed in coarse ones."""


@dataclass(frozen=True, slots=True)
class Pump:
    """What the oil pump delivers.

    Attributes:
        l_per_rev: for a turn of the crank, as delivered: displacement times efficiency.
    """

    l_per_rev: float

    @classmethod
    def of_displacement(cls, cm3_per_rev: float, efficiency: float = 1.0) -> Pump:
        """From its displacement for a turn of the crank.

        Raises:
            InputError: no engine has such a pump.
        """
        if not 0.1 <= cm3_per_rev <= 500.0:
            raise InputError(f"A pump of {cm3_per_rev:g} cm³ for a turn of the crank: give 0.1 to 500.")
        if not 0.2 <= efficiency <= 1.0:
            raise InputError(f"A pump's efficiency of {efficiency:g}: give 0.2 to 1.")
        return cls(cm3_per_rev / 1000.0 * efficiency)

    @classmethod
    def of_flow(cls, lpm: float, at_rpm: float) -> Pump:
        """From its flow at an engine speed.

        Raises:
            InputError: no engine has such a pump.
        """
        if not 100.0 <= at_rpm <= 25_000.0:
            raise InputError(f"A flow at {at_rpm:g} rpm: give an engine speed between 100 and 25000.")
        return cls.of_displacement(1000.0 * lpm / at_rpm)

    def flow_lpm(self, rpm: float) -> float:
        """Its flow at an engine speed."""
        return self.l_per_rev * rpm


@dataclass(frozen=True, slots=True)
class DippingPass:
    """A pass through a place on a lap in which the pressure dips; a dip elsewhere is one of its own.

    Attributes:
        lap, place: where: the lap's number and the place's id, None where not known; ``is_corner``: not a braking zone.
        start_s, end_s: from the first dip's start to the last one's end.
        lowest_kpa: without the bottle; ``floor_kpa``: the floor there.
        rpm: where it is lowest.
        in_reach: whether normal itself stands clear of the floor there; where it does not, thin oil makes the dip, and
            no bottle lifts normal.
    """

    lap: int | None
    place: str | None
    is_corner: bool
    start_s: float
    end_s: float
    lowest_kpa: float
    floor_kpa: float
    rpm: float
    in_reach: bool = True

    @property
    def is_long(self) -> bool:
        """Whether it lasts longer than bottles do."""
        return self.end_s - self.start_s > LONG_S


LONG_S = 5.0
"""A dip that lasts longer is no work for a bottle (default): half a litre is a second of the pump."""
CLEAR_OF_FLOOR = 1.05
"""Normal over this many floors stands clear of it (default)."""


def in_reach(a: Analysis) -> NDArray[np.bool_]:
    """Where a bottle can do anything about a low pressure, at the log's samples, shape (n,): normal stands clear of the
    floor, or is not known."""
    normal = a.expected_kpa
    return ~(normal < CLEAR_OF_FLOOR * a.floor.kpa)


def gallery_from(a: Analysis, pump: Pump, pressure_kpa: FloatArray | None = None) -> Gallery:
    """The gallery of a whole log as it was logged, or with another pressure at its samples, shape (n,).

    What was not logged or believed is taken as going on evenly from what is on both sides of it.

    Raises:
        InputError: the log lacks oil pressure or engine speed.
    """
    name = a.recording.path.name
    if not a.judgeable:
        why = next((c.message for c in a.checks if c.level == "fail" and c.id in ("oil_pressure", "rpm")), "")
        raise InputError(f"{name}: {why}")
    length = float(a.time_s[-1] - a.time_s[0])
    step = FINE_STEP_S if length / FINE_STEP_S <= _MANY_SAMPLES else COARSE_STEP_S
    grid = np.arange(float(a.time_s[0]), float(a.time_s[-1]) + 0.5 * step, step)
    rpm = np.maximum(_on(grid, a, a.rpm), 0.0)
    followed = np.maximum(_on(grid, a, a.followed_rpm), 300.0)
    heat = _on(grid, a, a.temperature_c) if a.temperature_c is not None else None
    if a.expected.valid:
        curves = a.expected.curves_at(followed, heat)
    else:
        unknown = np.full(grid.shape, np.nan)
        curves = (unknown, unknown, unknown)
    pressure = np.nan_to_num(_on(grid, a, a.pressure_kpa if pressure_kpa is None else pressure_kpa))
    return gallery_of(float(grid[0]), step, pressure, rpm, curves, a.expected.sharpness, pump.l_per_rev)


def _on(grid: FloatArray, a: Analysis, values: FloatArray) -> FloatArray:
    known = np.isfinite(values)
    return np.interp(grid, a.time_s[known], values[known]) if known.any() else np.full(grid.shape, np.nan)


def dipping_passes(a: Analysis) -> tuple[DippingPass, ...]:
    """Every pass that dips, in the order they were driven."""
    reach = in_reach(a)
    together: dict[tuple[int, str] | int, list[JudgedDip]] = {}
    for n, d in enumerate(a.dips):
        known = d.lap is not None and d.place is not None
        key = (d.lap.number, d.place.id) if known and d.lap is not None and d.place is not None else n
        together.setdefault(key, []).append(d)
    made = []
    for dips in together.values():
        worst = min(dips, key=lambda d: d.dip.min_pressure_kpa)
        first = dips[0]
        made.append(
            DippingPass(
                lap=first.lap.number if first.lap is not None else None,
                place=first.place.id if first.place is not None else None,
                is_corner=first.place is not None and first.place.is_corner,
                start_s=min(d.dip.start_s for d in dips),
                end_s=max(d.dip.end_s for d in dips),
                lowest_kpa=worst.dip.min_pressure_kpa,
                floor_kpa=float(a.floor.kpa[worst.dip.lowest]),
                rpm=float(a.rpm[worst.dip.lowest]),
                in_reach=any(bool(reach[d.dip.lowest]) for d in dips),
            )
        )
    return tuple(sorted(made, key=lambda p: p.start_s))
