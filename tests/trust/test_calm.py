"""Where the oil was not thrown about, and what is measured there in a session that starves all the time."""

from __future__ import annotations

import numpy as np
import pytest

from basso.recording.recording import Channel, Recording, frame_on
from basso.recording.roles import Role
from basso.trust.calm import most_g
from basso.trust.supply import check_supply
from basso.units import FloatArray
from support import made_recording

RATE = 10.0
T = np.arange(0.0, 600.0, 1.0 / RATE)


def _bends() -> FloatArray:
    """Sideways g: half of every twelve seconds is bend."""
    return np.where((T % 12.0) < 6.0, 1.1, 0.05)


def _with_voltage(load_kpa: float, seed: int) -> Recording:
    """A session that loses half its pressure in every bend, and whose lamps pull the sensor's ground up."""
    rng = np.random.default_rng(seed)
    on = (np.convolve(rng.normal(size=T.size), np.ones(200), "same") > 0.0).astype(np.float64)
    rpm = 4800.0 + 900.0 * np.sin(T / 7.0)
    normal = 0.07 * rpm
    starved = np.where(np.roll(_bends(), 5) > 0.6, rng.uniform(0.3, 1.0, 50)[(T // 12.0).astype(int)], 1.0)
    pressure = normal * starved - load_kpa * on + rng.normal(0.0, 2.0, T.size)
    made = made_recording(RATE, 600.0, oil_pressure=pressure, rpm=rpm, oil_temp=95.0 + T / 120.0, lateral_g=_bends())
    volts = Channel("Battery voltage", None, None, False, T, 13.9 - 0.5 * on + rng.normal(0.0, 0.03, T.size))
    return made.with_channels((*made.channels, volts))


def test_the_most_of_the_last_seconds_is_felt_still() -> None:
    frame = frame_on(
        made_recording(RATE, 600.0, oil_pressure=300.0, rpm=4000.0, lateral_g=-_bends()), Role.OIL_PRESSURE
    )
    felt = most_g(frame, T, 2.0)
    assert felt[55] == pytest.approx(1.1) and felt[75] == pytest.approx(1.1)  # 1.6 s after the bend
    assert felt[100] == pytest.approx(0.05)
    assert np.array_equal(most_g(frame, T, 2.0, (Role.LONGITUDINAL_G,)), np.zeros(T.size))
    assert np.array_equal(most_g(frame, T[:1], 2.0), np.zeros(1))


@pytest.mark.parametrize("seed", range(3))
@pytest.mark.parametrize("load_kpa", [0.0, 8.0, 30.0])
def test_a_load_is_measured_beside_the_bends(load_kpa: float, seed: int) -> None:
    check = check_supply(_with_voltage(load_kpa, seed))
    assert check is not None
    assert check.level == ("warn" if load_kpa else "ok")
    if load_kpa:
        assert check.measured == pytest.approx(load_kpa, abs=0.15 * load_kpa + 1.0)
