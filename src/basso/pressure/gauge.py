"""Single readings off a gauge, judged one by one against the floors: for cars without a logger.

A reading says what was at that moment and nothing about the seconds around it, so there are no dips, no normal and no
cause; a share-of-normal floor is silent, since there is no normal to take a share of.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from basso.pressure.floors import Floor, highest_floor
from basso.recording.recording import Recording
from basso.recording.roles import Role


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
    rpm, pressure = recording.channel(Role.RPM), recording.channel(Role.OIL_PRESSURE)
    if rpm is None or pressure is None or rpm.values.shape != pressure.values.shape:
        return ()
    heat = recording.channel(Role.OIL_TEMP)
    warm = (
        heat.values if heat is not None and heat.values.shape == rpm.values.shape else np.full(rpm.values.shape, np.nan)
    )
    line = highest_floor(floors, rpm.values, np.full(rpm.values.shape, np.nan))
    return tuple(
        GaugeReading(
            i + 1,
            float(rpm.values[i]),
            float(pressure.values[i]),
            float(warm[i]) if np.isfinite(warm[i]) else None,
            float(line.kpa[i]) if np.isfinite(line.kpa[i]) else None,
            line.rule_at(i),
        )
        for i in range(rpm.values.size)
        if np.isfinite(rpm.values[i]) and np.isfinite(pressure.values[i])
    )
