"""The sensor's card against what its channel reads."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from basso.analysis import analyse
from basso.pressure.earlier import Known
from basso.pressure.options import JudgeOptions
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.trust.known import KnownSensor, check_known_sensor
from basso.trust.verdict import Check
from basso.trust.zero import check_zero
from support import CLEAN, harrowfell_session, made_recording

CARD = KnownSensor(
    name="P1",
    reference="gauge",
    mount="on a flexible line",
    place="main gallery",
    place_tells="What the bearings get.",
    place_level="ok",
    lamp="there, on the tee",
    high_kpa=1000.0,
    calibrated_on="2026-05-09",
    gain=1.0,
    gain_error=0.002,
    ground_kpa=0.4,
)


def log(at_rest: float = 0.0, scale: float = 1.0) -> Recording:
    """Ten seconds stopped, then a hundred of running up and down."""
    rate, n = 20.0, 2200
    t = np.arange(n) / rate
    running = t > 10.0
    rpm = np.where(running, 4000.0 + 1500.0 * np.sin(t / 5.0), 0.0)
    kpa = np.where(running, 150.0 + 0.05 * rpm, 0.0) * scale + at_rest
    return made_recording(rate_hz=rate, seconds=n / rate, oil_pressure=kpa, rpm=rpm)


def found(recording: Recording, card: KnownSensor) -> dict[str, Check]:
    return {c.id: c for c in check_known_sensor(recording, card, check_zero(recording))}


def test_a_sensor_that_is_what_its_card_says_passes_every_check() -> None:
    assert {c.level for c in found(log(), CARD).values()} == {"ok"}


def test_a_card_that_says_nothing_lets_nothing_pass() -> None:
    checks = found(log(), KnownSensor("P1"))
    assert {c.level for c in checks.values()} == {"note"}
    assert len(checks) == 7


@pytest.mark.parametrize(
    ("said", "at_rest", "level"),
    [
        ("gauge", 0.0, "ok"),
        ("gauge", 100.0, "warn"),
        ("absolute", 100.0, "ok"),
        ("sealed", 101.0, "ok"),
        ("absolute", 1.0, "warn"),
        ("sealed", -2.0, "warn"),
    ],
)
def test_what_it_counts_from_is_proved_at_rest(said: str, at_rest: float, level: str) -> None:
    assert found(log(at_rest), replace(CARD, reference=said))["sensor_type"].level == level


def test_a_log_that_never_stood_still_proves_no_type() -> None:
    running = made_recording(oil_pressure=300.0, rpm=3000.0)
    check = found(running, CARD)["sensor_type"]
    assert check.level == "note" and check.message.startswith("Cannot be checked")


def test_readings_that_stand_at_the_end_of_the_range_are_cut_off() -> None:
    recording = log()
    channel = recording.channel(Role.OIL_PRESSURE)
    assert channel is not None
    cut = recording.with_channels(
        tuple(
            replace(c, values=np.minimum(c.values, 400.0)) if c.role is Role.OIL_PRESSURE else c
            for c in recording.channels
        )
    )
    assert found(cut, replace(CARD, high_kpa=400.0))["sensor_range"].level == "warn"
    assert found(recording, replace(CARD, high_kpa=450.0))["sensor_range"].level == "ok"


def test_a_sensor_that_counts_from_vacuum_ends_an_atmosphere_sooner() -> None:
    rest = 100.0
    recording = log(rest)
    raw = recording.channel(Role.OIL_PRESSURE)
    assert raw is not None
    top = float(np.nanmax(raw.values)) - 40.0
    cut = recording.with_channels(
        tuple(
            replace(c, values=np.minimum(c.values, top)) if c.role is Role.OIL_PRESSURE else c
            for c in recording.channels
        )
    )
    judged = analyse(cut, JudgeOptions(known=Known(replace(CARD, reference="absolute", high_kpa=top))))
    assert next(c.level for c in judged.checks if c.id == "sensor_range") == "warn"


@pytest.mark.parametrize(
    ("change", "check", "level"),
    [
        ({"mount": "on the block"}, "sensor_mount", "warn"),
        ({"place": "pump outlet", "place_level": "warn"}, "sensor_place", "warn"),
        ({"place": "filter outlet", "place_level": "note"}, "sensor_place", "note"),
        ({"lamp": "gone"}, "lamp", "warn"),
        ({"ground_kpa": 20.0}, "sensor_wiring", "warn"),
        ({"gain": 1.05, "gain_off": True}, "sensor_scale", "warn"),
        ({"bent": True}, "sensor_scale", "warn"),
    ],
)
def test_what_is_wrong_on_the_card_is_told(change: dict[str, object], check: str, level: str) -> None:
    assert found(log(), replace(CARD, **change))[check].level == level  # type: ignore[arg-type]


def test_a_scale_found_by_calibration_puts_every_pressure_right_after_the_zero() -> None:
    """Reads 5 % high from 98 kPa on: what is left must be the truth."""
    true, wrong = log(), log(98.0, 1.05)
    card = replace(CARD, reference="absolute", gain=1.05, gain_off=True)
    judged = analyse(wrong, JudgeOptions(known=Known(card)))
    assert [c.kind for c in judged.corrections] == ["offset", "gain"]
    channel = true.channel(Role.OIL_PRESSURE)
    assert channel is not None
    np.testing.assert_allclose(judged.pressure_kpa, channel.values, atol=0.5)
    name = channel.name
    refused = analyse(wrong, JudgeOptions(known=Known(card), refused=frozenset({(name, "gain")})))
    assert [c.kind for c in refused.corrections] == ["offset"]


def test_without_a_card_one_line_says_so() -> None:
    judged = analyse(log(), JudgeOptions(known=Known()))
    checks = {c.id: c for c in judged.checks}
    assert "register" in checks["sensor"].message and checks["zero_trend"].message.startswith("Cannot be checked")
    assert not {c.id for c in analyse(log()).checks} & {"sensor", "zero_trend"}


@pytest.mark.parametrize(("late", "level"), [(0.0, "ok"), (0.25, "warn")])
def test_a_pressure_later_than_its_line_explains_is_spongy(late: float, level: str) -> None:
    recording = harrowfell_session(replace(CLEAN, delay_s=late))
    judged = analyse(recording, JudgeOptions(known=Known(replace(CARD, line_s=0.01))))
    check = next(c for c in judged.checks if c.id == "sensor_line")
    assert check.level == level and ("does not rise" in check.message) == (level == "warn")


def test_whether_a_line_is_spongy_cannot_be_seen_where_the_engine_speed_hardly_changes() -> None:
    check = found(log(), replace(CARD, line_s=0.01))["sensor_line"]
    assert check.level == "note" and check.message.startswith("Cannot be checked")
