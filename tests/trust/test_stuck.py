"""A channel that stands still is only called dead where others, that cannot move without it, moved."""

from __future__ import annotations

import numpy as np
import pytest

from basso.recording.recording import Recording
from basso.trust.stuck import check_stuck
from basso.units import FloatArray
from support import made_recording

RATE, SECONDS = 50.0, 120.0
T = np.arange(0.0, SECONDS, 1.0 / RATE)
RNG = np.random.default_rng(4)


def lively() -> dict[str, FloatArray]:
    """Every channel moves, and none rests on one value."""
    noise = RNG.normal(0.0, 1.0, (5, T.size))
    return {
        "rpm": 4500.0 + 1500.0 * np.sin(T / 2.0) + noise[0],
        "speed": 30.0 + 10.0 * np.sin(T / 1.7) + 0.01 * noise[1],
        "lateral_g": 1.2 * np.sin(T / 1.5) + 0.01 * noise[2],
        "longitudinal_g": 0.8 * np.sin(T / 1.2) + 0.01 * noise[3],
        "oil_pressure": 300.0 + 100.0 * np.sin(T / 2.0) + noise[4],
    }


def with_still(role: str, seconds: float, still: tuple[str, ...] = (), value: float = 1.0) -> Recording:
    """``role`` on one value from 40 s on, and the others of ``still`` as quiet as they can be without standing."""
    channels = lively()
    part = (T >= 40.0) & (40.0 + seconds > T)
    for other in still:
        channels[other][part] = channels[other][part].mean() + RNG.normal(0.0, 1e-3, part.sum())
    channels[role][part] = value
    return made_recording(RATE, SECONDS, **channels)


@pytest.mark.parametrize(("seconds", "found"), [(4.9, 0), (5.2, 1)])
def test_from_five_seconds_on(seconds: float, found: int) -> None:
    assert len(check_stuck(with_still("rpm", seconds, value=4000.0))) == found


@pytest.mark.parametrize(("seconds", "found"), [(29.5, 0), (30.5, 1)])
def test_on_exactly_nothing_it_takes_thirty(seconds: float, found: int) -> None:
    assert len(check_stuck(with_still("lateral_g", seconds, value=0.0))) == found


@pytest.mark.parametrize(
    ("role", "witness"),
    [
        ("lateral_g", "longitudinal_g"),
        ("longitudinal_g", "lateral_g"),
        ("longitudinal_g", "speed"),
        ("speed", "longitudinal_g"),
        ("rpm", "speed"),
    ],
)
def test_the_witness_has_to_have_moved(role: str, witness: str) -> None:
    """On a dyno the rollers turn and the g is truly nothing; in a steady corner speed and engine speed may stand."""
    assert len(check_stuck(with_still(role, 8.0))) == 1
    assert check_stuck(with_still(role, 8.0, (witness,))) == []


def test_one_channel_that_moved_proves_nothing() -> None:
    assert check_stuck(with_still("rpm", 8.0, ("lateral_g", "longitudinal_g", "oil_pressure"), 4000.0)) == []
    assert len(check_stuck(with_still("rpm", 8.0, ("lateral_g", "longitudinal_g"), 4000.0))) == 1


def test_a_channel_that_often_rests_may_do_so_once_more() -> None:
    channels = lively()
    channels["rpm"][(T >= 40.0) & (T < 48.0)] = 4000.0
    for start in (10.0, 20.0, 60.0, 80.0):
        channels["rpm"][(start <= T) & (start + 1.2 > T)] = 3000.0
    assert check_stuck(made_recording(RATE, SECONDS, **channels)) == []
