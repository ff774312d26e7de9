"""A lag of the oil temperature told by the pressure, on made sessions whose relief valve opens at ever more engine
speed as the oil warms."""

from __future__ import annotations

import numpy as np
import pytest

from basso.recording.roles import Role
from basso.standin.engine import lagged
from basso.trust.temperature_lag import check_lag
from basso.trust.verdict import Check
from support import made_recording

RATE = 10.0
T = np.arange(0.0, 900.0, 1.0 / RATE)


def _checked(lag_s: float, step_kpa: float = 0.0, seed: int = 0, settles_s: float = 260.0) -> Check:
    """Laps of 80 s in oil that warms from 65 °C; the work of each half minute differs, so that the warming is
    uneven."""
    rng = np.random.default_rng(seed)
    work = np.repeat(rng.uniform(-9.0, 9.0, 40), round(30.0 * RATE))[: T.size]
    heat = lagged(104.0 + work, settles_s, 65.0, 1.0 / RATE)
    rpm = 4700.0 + 1500.0 * np.sin(2.0 * np.pi * T / 23.0) + 300.0 * np.sin(2.0 * np.pi * T / 80.0)
    normal = np.minimum(0.085 * rpm * np.exp(-0.016 * (heat - 95.0)), 420.0 + 0.004 * rpm)
    seen = normal + rng.normal(0.0, 1.5, T.size)
    if step_kpa:
        seen = np.round(seen / step_kpa) * step_kpa
    read = lagged(heat, lag_s, heat[0], 1.0 / RATE) if lag_s else heat
    recording = made_recording(RATE, T[-1] + 1.0 / RATE, oil_pressure=seen, rpm=rpm, oil_temp=read)
    (channel,) = (c for c in recording.channels if c.role is Role.OIL_TEMP)
    (check,) = check_lag(recording, channel.name)
    return check


@pytest.mark.parametrize("seed", range(4))
def test_a_prompt_sensor_shows_no_lag_though_the_valve_opens_ever_later(seed: int) -> None:
    check = _checked(0.0, seed=seed)
    assert check.level == "ok" and check.measured == 0.0


@pytest.mark.parametrize("lag_s", [30.0, 60.0, 100.0])
def test_a_lag_is_measured(lag_s: float) -> None:
    check = _checked(lag_s, seed=5)
    assert check.level == "warn" and check.correction is not None and not check.offered
    assert check.measured == pytest.approx(lag_s, rel=0.34)


@pytest.mark.parametrize("seed", range(6))
def test_a_converter_in_steps_of_25_kpa_feigns_no_lag_and_does_not_pass_either(seed: int) -> None:
    check = _checked(0.0, step_kpa=25.0, seed=seed)
    assert check.level == "note" and check.message.startswith("Cannot be checked")
    assert "25 kPa" in check.message and check.correction is None


def test_what_a_coarse_converter_shows_of_a_lag_is_only_offered() -> None:
    checks = [_checked(100.0, step_kpa=12.0, seed=s, settles_s=150.0) for s in range(3)]
    assert all(c.offered for c in checks if c.correction is not None)
    assert any(c.correction is not None for c in checks)
