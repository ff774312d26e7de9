"""Laps told from what the g repeats over the distance, without a path and without a lap column."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from basso.recording.recording import Channel, Recording
from basso.recording.roles import Role
from basso.track.pattern import crossings_from_pattern
from basso.units import UNITS, FloatArray

RATE = 20.0
LAP_M = 2400.0
_BENDS = ((250.0, 120.0, 1.1), (700.0, 90.0, -0.9), (1150.0, 160.0, 0.7), (1500.0, 80.0, -1.2), (2050.0, 140.0, 0.9))
"""Where along the lap, how long and how hard: no part of it is like another."""


def _side_g(along_m: FloatArray) -> FloatArray:
    g = np.zeros(along_m.size)
    for at, length, hard in _BENDS:
        g += hard * np.exp(-0.5 * ((along_m - at) / (0.4 * length)) ** 2)
    return g


def _drive(laps: float, slip: float = 0.0, repeats: bool = True, seed: int = 0) -> tuple[Recording, FloatArray]:
    """A drive with laps of slightly different pace; returns it with the times at which a lap was full."""
    rng = np.random.default_rng(seed)
    time_s = np.arange(0.0, laps * 75.0, 1.0 / RATE)
    pace = 1.0 + 0.03 * np.sin(2.0 * np.pi * time_s / 190.0)
    speed = 34.0 * pace * (1.0 + 0.15 * np.sin(2.0 * np.pi * time_s / 24.0))
    travelled = np.cumsum(speed) / RATE
    along = np.mod(travelled, LAP_M) if repeats else travelled
    g = _side_g(along) if repeats else np.cumsum(rng.normal(0.0, 0.05, time_s.size))
    g = g + rng.normal(0.0, 0.02, time_s.size)
    units = (UNITS["g"], UNITS["m/s"])
    channels = tuple(
        Channel(role.value, role, unit, False, time_s, values)
        for role, unit, values in zip((Role.LATERAL_G, Role.SPEED), units, (g, speed * (1.0 + slip)), strict=True)
    )
    full = np.interp(LAP_M * np.arange(1, int(travelled[-1] // LAP_M) + 1), travelled, time_s)
    return Recording(Path("made.csv"), "made", channels), full


@pytest.mark.parametrize("seed", range(3))
@pytest.mark.parametrize("slip", [0.0, 0.02, -0.03])
def test_every_lap_is_as_long_as_it_was(seed: int, slip: float) -> None:
    """The speed read off a wheel is a few per cent off: laps are told by the g, not by the metres."""
    drive, full = _drive(6.4, slip, seed=seed)
    found = np.array(crossings_from_pattern(drive))
    assert abs(found.size - full.size) <= 1
    # A lap may be begun anywhere; from one beginning to the next it must have gone round once.
    travelled = np.cumsum(drive.channels[1].values / (1.0 + slip)) / RATE
    length = np.diff(np.interp(found, drive.channels[0].time_s, travelled))
    assert length == pytest.approx(np.full(length.size, LAP_M), abs=12.0)


def test_a_drive_that_repeats_nothing_has_no_laps() -> None:
    assert crossings_from_pattern(_drive(6.0, repeats=False)[0]) == []


def test_less_than_two_laps_or_no_speed_tell_nothing() -> None:
    assert crossings_from_pattern(_drive(0.4)[0]) == []
    drive, _ = _drive(5.0)
    assert crossings_from_pattern(drive.with_channels(drive.channels[:1])) == []


def test_standing_still_is_no_lap() -> None:
    drive, _ = _drive(4.0)
    speed = drive.channels[1]
    still = Channel(speed.name, speed.role, speed.unit, False, speed.time_s, np.zeros(speed.values.size))
    assert crossings_from_pattern(drive.with_channels((drive.channels[0], still))) == []
