"""Single readings off a gauge, judged one by one against the floors: for cars without a logger.

A reading says what was at that moment and nothing about the seconds around it, so there are no dips, no normal and no
cause; a share-of-normal floor is silent, since there is no normal to take a share of.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from basso.pressure.floors import Floor, highest_floor
from basso.recording.channel import Channel
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.units import FloatArray

_READ = (Role.RPM, Role.OIL_PRESSURE, Role.OIL_TEMP)


@dataclass(frozen=True, slots=True)
class GaugeReading:
    """One reading in base units; ``margin_kpa`` is pressure less floor, None where no floor says anything."""

    number: int
    rpm: float
    pressure_kpa: float
    temperature_c: float | None
    floor_kpa: float | None
    rule: str | None

    @property
    def margin_kpa(self) -> float | None:
        """Pressure less floor."""
        return None if self.floor_kpa is None else self.pressure_kpa - self.floor_kpa


def judge_readings(recording: Recording, floors: Sequence[Floor]) -> tuple[GaugeReading, ...]:
    """Every complete reading with the floor that applies to it; empty without rpm and oil pressure."""
    if not (recording.has(Role.RPM) and recording.has(Role.OIL_PRESSURE)):
        return ()
    times = np.unique(np.concatenate([c.time_s for c in recording.channels if c.role in _READ]))
    rpm, pressure, warm = (_at_readings(recording.channel(role), times) for role in _READ)
    line = highest_floor(floors, rpm, np.full(times.shape, np.nan))
    return tuple(
        GaugeReading(
            i + 1,
            float(rpm[i]),
            float(pressure[i]),
            float(warm[i]) if np.isfinite(warm[i]) else None,
            float(line.kpa[i]) if np.isfinite(line.kpa[i]) else None,
            line.rule_at(i),
        )
        for i in range(times.size)
        if np.isfinite(rpm[i]) and np.isfinite(pressure[i])
    )


def _at_readings(channel: Channel | None, times: FloatArray) -> FloatArray:
    """A channel's values at the moments of the readings, NaN where it was not read: nothing is interpolated."""
    values = np.full(times.shape, np.nan)
    if channel is not None:
        values[np.searchsorted(times, channel.time_s)] = channel.values
    return values
