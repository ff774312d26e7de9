"""A filter told from a delay, on pressures made from an engine speed that jumps as at gear changes."""

from __future__ import annotations

import numpy as np
import pytest

from basso.recording.recording import Recording
from basso.standin.engine import lagged
from basso.trust.response import GALLERY_S, Response, measure_response
from basso.units import FloatArray
from support import made_recording

SECONDS = 400.0
FINE_S = 0.005
T = np.arange(0.0, SECONDS, FINE_S)


def _rpm(seed: int) -> FloatArray:
    """Pulls through the gears: up by some, down by a third, never twice alike."""
    rng = np.random.default_rng(seed)
    rpm, at = np.empty(T.size), 0
    while at < T.size:
        size = int(rng.uniform(1.5, 4.0) / FINE_S)
        low, high = rng.uniform(3000.0, 4200.0), rng.uniform(5200.0, 6800.0)
        rpm[at : at + size] = np.linspace(low, high, size)[: T.size - at]
        at += size
    return lagged(rpm, 0.06, rpm[0], FINE_S)


def _read(
    constant_s: float,
    late_s: float,
    rate_hz: float = 50.0,
    seed: int = 0,
    dips: bool = False,
    noise: float = 2.0,
    cold_c: float = 85.0,
) -> Recording:
    rng = np.random.default_rng(seed)
    rpm = _rpm(seed)
    heat = cold_c + (105.0 - cold_c) * T / SECONDS
    normal = np.minimum(0.075 * rpm * np.exp(-0.012 * (heat - 95.0)), 430.0)
    if dips:
        for start in rng.uniform(5.0, SECONDS - 5.0, 40):
            normal[(start < T) & (start + 1.2 > T)] *= 0.5
    pressure = lagged(normal, GALLERY_S, normal[0], FINE_S)
    if constant_s:
        pressure = lagged(pressure, constant_s, pressure[0], FINE_S)
    pressure = np.interp(T - late_s, T, pressure)
    time_s = np.arange(0.0, SECONDS, 1.0 / rate_hz)
    seen = np.interp(time_s, T, pressure) + rng.normal(0.0, noise, time_s.size)
    return made_recording(
        rate_hz, SECONDS, oil_pressure=seen, rpm=np.interp(time_s, T, rpm), oil_temp=np.interp(time_s, T, heat)
    )


def _measured(recording: Recording) -> Response:
    found = measure_response(recording)
    assert found is not None
    return found


@pytest.mark.parametrize("rate_hz", [10.0, 50.0])
@pytest.mark.parametrize(("constant_s", "late_s"), [(0.1, 0.0), (0.3, 0.0), (0.15, 0.2), (0.5, 0.1)])
def test_a_filter_and_a_delay_are_told_apart(constant_s: float, late_s: float, rate_hz: float) -> None:
    found = _measured(_read(constant_s, late_s, rate_hz))
    assert found.constant_s == pytest.approx(constant_s, abs=0.03)
    assert found.late_s == pytest.approx(late_s, abs=0.03)
    assert found.better > 0.15


@pytest.mark.parametrize("seed", range(4))
def test_a_valve_that_opens_at_ever_more_engine_speed_does_not_pass_for_time(seed: int) -> None:
    found = _measured(_read(0.4, 0.0, seed=seed, cold_c=40.0))
    assert found.constant_s + found.late_s == pytest.approx(0.4, abs=0.02)


@pytest.mark.parametrize("late_s", [0.0, 0.1, 0.4])
def test_a_delay_alone_shows_no_filter(late_s: float) -> None:
    found = _measured(_read(0.0, late_s))
    assert found.constant_s < 0.03
    assert found.late_s == pytest.approx(late_s, abs=0.02)
    assert found.better < 0.05


@pytest.mark.parametrize("constant_s", [0.0, 0.2])
def test_dips_all_over_the_session_do_not_pass_for_a_filter(constant_s: float) -> None:
    found = _measured(_read(constant_s, 0.0, dips=True))
    assert found.constant_s + found.late_s == pytest.approx(constant_s, abs=0.03)


def test_readings_too_far_apart_or_an_engine_speed_that_keeps_still_tell_nothing() -> None:
    assert measure_response(_read(0.2, 0.0, rate_hz=5.0)) is None
    assert measure_response(made_recording(50.0, 200.0, oil_pressure=300.0, rpm=3000.0, oil_temp=90.0)) is None


def test_without_an_oil_temperature_it_is_told_too() -> None:
    read = _read(0.2, 0.1)
    bare = read.with_channels(tuple(c for c in read.channels if c.name != "oil_temp"))
    found = _measured(bare)
    assert found.constant_s == pytest.approx(0.2, abs=0.04) and found.late_s == pytest.approx(0.1, abs=0.04)
