"""Every check that can speak has a name and says what hangs on it; those that change most come first."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from basso.analysis import analyse
from basso.pressure.options import JudgeOptions
from basso.recording.channel import Channel
from basso.recording.corrections import Correction, apply
from basso.recording.roles import Role
from basso.standin.faults import Logger, Mount
from basso.trust.consequence import costs, name_of, rank
from basso.trust.verdict import Check
from support import CLEAN, harrowfell_session, made_recording

FAULTY = [
    Logger(5),
    replace(CLEAN, absolute=True, spikes_per_min=3.0),
    replace(
        CLEAN, mount=Mount(swapped=True, yaw_deg=15.0, lateral_offset_g=0.2, longitudinal_offset_g=0.2, slip_s=0.5)
    ),
    replace(
        CLEAN, mount=Mount(flip_lateral=True, flip_longitudinal=True), delay_s=0.3, steps_kpa=12.0, vibration_kpa=20.0
    ),
    replace(CLEAN, load_kpa=20.0, temperature_stands_c=20.0, filter_kpa=30.0, cooler_kpa=20.0),
    replace(CLEAN, airstream_c=10.0, flat_from=0.8),
    Logger(20),
    replace(CLEAN, pressure_slip_s=0.5),
    replace(CLEAN, stands=("Engine speed", "Speed")),
    replace(CLEAN, stands=("Lateral acc", "Longitudinal acc")),
    replace(CLEAN, stands=("Oil pressure pump out", "Oil pressure cooler out"), filter_kpa=20.0, cooler_kpa=20.0),
]


@pytest.mark.parametrize("logger", FAULTY, ids=range(len(FAULTY)))
def test_nothing_that_is_found_is_without_a_name_or_a_consequence(logger: Logger) -> None:
    for check in analyse(harrowfell_session(logger)).checks:
        assert costs(check), check.id
        assert "_" not in name_of(check)
        assert check.message.endswith((".", "!"))


def test_what_cannot_be_judged_goes_before_what_was_put_right_and_that_before_a_note() -> None:
    checks = [
        Check("steps", "note", ""),
        Check("zero", "warn", ""),
        Check("clock", "ok", ""),
        Check("supply", "fail", ""),
        Check("delay", "warn", ""),
    ]
    assert [c.id for c in sorted(checks, key=rank)] == ["supply", "zero", "delay", "steps", "clock"]


@settings(max_examples=40, deadline=None)
@given(degrees=st.floats(-180, 180), seed=st.integers(0, 1000))
def test_a_turn_and_its_opposite_cancel(degrees: float, seed: int) -> None:
    rng = np.random.default_rng(seed)
    recording = made_recording(lateral_g=rng.normal(0, 0.5, 3000), longitudinal_g=rng.normal(0, 0.5, 3000))
    there = Correction("lateral_g", "turn", degrees, "°", "", other="longitudinal_g")
    back = replace(there, value=-degrees)
    again = apply(recording, [there, back])
    for role in (Role.LATERAL_G, Role.LONGITUDINAL_G):
        before, after = (r.channel(role) for r in (recording, again))
        assert before is not None and after is not None
        np.testing.assert_allclose(after.values, before.values, atol=1e-9)


def test_a_swap_changes_what_the_columns_mean_and_not_what_they_hold() -> None:
    recording = made_recording(lateral_g=1.0, longitudinal_g=2.0)
    swapped = apply(recording, [Correction("lateral_g", "swap", 1.0, "", "", other="longitudinal_g")])
    by_name: dict[str, Channel] = {c.name: c for c in swapped.channels}
    assert (by_name["lateral_g"].role, by_name["longitudinal_g"].role) == (Role.LONGITUDINAL_G, Role.LATERAL_G)
    lateral = swapped.channel(Role.LATERAL_G)
    assert lateral is not None and float(lateral.values[0]) == 2.0


def test_an_amount_that_the_user_knows_better_goes_before_what_was_found() -> None:
    late = harrowfell_session(replace(CLEAN, delay_s=0.3))
    found = analyse(late)
    (delay,) = (c for c in found.corrections if c.kind == "delay")
    other = analyse(late, JudgeOptions(edited=frozenset({(delay.channel, "delay", 0.2)})))
    assert [c.value for c in other.corrections if c.kind == "delay"] == [0.2]
    before, after = (a.corrected.channel(Role.OIL_PRESSURE) for a in (found, other))
    assert before is not None and after is not None
    assert float(after.time_s[0] - before.time_s[0]) == pytest.approx(delay.value - 0.2)


@pytest.mark.parametrize("rate_hz", [10, 25, 50, 100])
@pytest.mark.parametrize("length_s", [0.15, 0.25, 0.5])
def test_a_real_dip_is_never_taken_for_a_fault(rate_hz: int, length_s: float) -> None:
    """A gallery that empties at 2500 kPa/s and fills again, forty times, at any phase of the sampling."""
    rng = np.random.default_rng(3)
    n = 120 * rate_hz
    t = np.arange(n) / rate_hz
    kpa = np.full(n, 350.0)
    for at in np.linspace(5.0, 115.0, 40) + rng.uniform(0, 0.1, 40):
        inside = (t > at) & (t < at + length_s)
        kpa[inside] = np.maximum(350.0 - 2500.0 * np.minimum(t[inside] - at, at + length_s - t[inside]), 40.0)
    kpa += rng.normal(0, 2.0, n)
    rpm = 4000.0 + 800.0 * np.sin(t / 4.0)
    found = analyse(made_recording(rate_hz=float(rate_hz), seconds=120.0, oil_pressure=kpa, rpm=rpm))
    assert not any(c.kind == "spikes" for c in found.corrections)
