"""Causes from records made by hand: one mechanism at a time, and the pairs that are easily confused."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import pytest

from basso.analysis import Analysis, analyse
from basso.normal.expected import ExpectedPressure, fit_expected
from basso.pressure.floors import Fixed
from basso.pressure.options import JudgeOptions
from basso.recording.recording import Recording
from basso.units import DisplayUnits
from basso.words.headline import opening
from support import made_recording, side_said

RATE = 50.0
SECONDS = 240.0
T = np.arange(0.0, SECONDS, 1.0 / RATE)


@dataclass
class Made:
    """A drive made by hand: steady running with a slow sweep of rpm, into which a test puts its mechanism."""

    rpm: np.ndarray
    temperature: np.ndarray
    lateral: np.ndarray
    longitudinal: np.ndarray
    share: np.ndarray
    oily: bool = True

    def normal_kpa(self) -> np.ndarray:
        return np.asarray(0.075 * self.rpm * np.exp(-0.018 * (self.temperature - 95.0)))

    def recording(self) -> Recording:
        rng = np.random.default_rng(1)
        # Oil needs a tenth of a second or so; only a wire is quicker.
        share = np.convolve(np.pad(self.share, 4, mode="edge"), np.full(9, 1 / 9), "valid") if self.oily else self.share
        pressure = self.normal_kpa() * share + rng.normal(0, 1.5, T.size)
        return made_recording(
            RATE,
            SECONDS,
            oil_pressure=pressure,
            rpm=self.rpm,
            oil_temp=self.temperature,
            lateral_g=self.lateral,
            longitudinal_g=self.longitudinal,
            speed=30.0,
        )

    def judged(self, normal: ExpectedPressure | None = None) -> Analysis:
        recording = self.recording()
        return analyse(recording, side_said(recording, JudgeOptions(normal=normal)))


@pytest.fixture
def drive() -> Made:
    rpm = 4700.0 + 1500.0 * np.sin(T / 13.0)
    temperature = 88.0 + 14.0 * T / SECONDS
    # A g that never moves at all is a dead sensor, and what it does is then not known.
    side, along = np.random.default_rng(2).normal(0.0, 0.01, (2, T.size))
    return Made(rpm, temperature, side, along, np.ones(T.size))


EVENTS = (40.0, 75.0, 110.0, 150.0, 190.0)


def _put(drive: Made, channel: str, g: float, hold: float = 2.5, lag: float = 0.7, depth: float = 0.55) -> None:
    """Hold a g for a while at each event; the share falls ``lag`` after it began and recovers after it ended."""
    for at in EVENTS:
        getattr(drive, channel)[(at <= T) & (at + hold > T)] = g
        drive.share[(at + lag <= T) & (at + hold + 0.3 > T)] = depth


def _causes(a: Analysis) -> list[str]:
    return [d.cause.name for d in a.dips]


@pytest.mark.parametrize(
    ("channel", "g", "cause"),
    [
        ("lateral", 1.1, "left_turn"),
        ("lateral", -1.1, "right_turn"),
        ("longitudinal", -1.0, "braking"),
        ("longitudinal", 0.9, "acceleration"),
    ],
)
def test_the_way_the_oil_was_thrown(drive: Made, channel: str, g: float, cause: str) -> None:
    _put(drive, channel, g)
    a = drive.judged()
    assert _causes(a) == [cause] * len(EVENTS)
    for d in a.dips:
        assert d.cause.held_g == pytest.approx(abs(g), abs=0.05)
        assert d.cause.lag_s == pytest.approx(0.7, abs=0.15)
        assert d.cause.confidence > 0.8


def test_the_g_before_the_dip_counts_not_the_one_at_its_bottom(drive: Made) -> None:
    """A left turn bares the pickup; by the time the pressure is lowest the car already turns right."""
    for at in EVENTS:
        drive.lateral[(at <= T) & (at + 1.5 > T)] = 1.1
        drive.lateral[(at + 1.6 <= T) & (at + 3.2 > T)] = -1.1
        drive.share[(at + 0.9 <= T) & (at + 2.8 > T)] = 0.62
        drive.share[(at + 2.0 <= T) & (at + 2.8 > T)] = 0.45
    assert set(_causes(drive.judged())) == {"left_turn"}


def test_combined_g_is_told_as_both(drive: Made) -> None:
    _put(drive, "lateral", 1.1)
    for at in EVENTS:
        drive.longitudinal[(at <= T) & (at + 2.5 > T)] = -0.85
    reasons = [d.cause.reason for d in drive.judged().dips]
    assert all("left turn" in r and "with braking" in r for r in reasons)


def test_braking_that_is_harmless_alone_is_not_blamed(drive: Made) -> None:
    """Braking at 1.1 g happens often without a dip; only together with a left turn does the pressure fall."""
    for at in np.arange(20.0, 230.0, 9.0):
        drive.longitudinal[(at <= T) & (at + 1.4 > T)] = -1.1
    for at in EVENTS:
        drive.longitudinal[(at - 1.2 <= T) & (at + 0.5 > T)] = -1.1
        drive.lateral[(at - 0.4 <= T) & (at + 2.0 > T)] = 0.8
        drive.share[(at + 0.3 <= T) & (at + 2.0 > T)] = 0.5
    causes = _causes(drive.judged())
    assert causes.count("left_turn") >= 4


def test_froth_at_high_rpm_without_any_g(drive: Made) -> None:
    drive.share[drive.rpm > 5750.0] = 0.6
    a = drive.judged()
    assert a.dips
    assert set(_causes(a)) == {"high_rpm"}
    assert any("churning" in d.cause.reason or "top of this session" in d.cause.reason for d in a.dips)


def test_froth_is_told_from_thrown_oil_though_the_car_turns_at_the_same_time(drive: Made) -> None:
    """Turning at lower rpm is harmless, high rpm on the straight is not."""
    drive.lateral[:] = np.where(np.sin(T / 3.1) > 0.7, 1.0, 0.0)
    drive.share[drive.rpm > 5750.0] = 0.58
    causes = _causes(drive.judged())
    assert causes.count("high_rpm") >= 0.85 * len(causes)


def test_a_dip_with_nothing_to_explain_it_is_not_explained(drive: Made) -> None:
    for at in EVENTS:
        drive.rpm[(at - 2 <= T) & (at + 3 > T)] = 4000.0
        drive.share[(at <= T) & (at + 0.8 > T)] = np.linspace(1.0, 0.5, np.count_nonzero((at <= T) & (at + 0.8 > T)))
    a = drive.judged()
    assert a.dips
    assert set(_causes(a)) == {"unknown"}
    assert all(d.cause.confidence < 0.6 for d in a.dips)


def test_heat_brings_normal_down_to_the_floor(drive: Made) -> None:
    drive.temperature[:] = 90.0 + 40.0 * T / SECONDS
    a = drive.judged()
    assert a.dips
    assert set(_causes(a)) == {"hot_oil"}
    assert all(d.temperature_c is not None and d.temperature_c > 105.0 for d in a.dips)


def test_thrown_oil_in_hot_oil_is_still_thrown_oil(drive: Made) -> None:
    drive.temperature[:] = 90.0 + 40.0 * T / SECONDS
    _put(drive, "lateral", 1.2, depth=0.5)
    a = drive.judged()
    at_events = [d for d in a.dips if any(e <= d.dip.start_s <= e + 3.0 for e in EVENTS)]
    assert len(at_events) >= 3
    assert {d.cause.name for d in at_events} == {"left_turn"}


def test_low_everywhere_needs_an_earlier_normal_and_gets_it(drive: Made) -> None:
    frame_normal = drive.normal_kpa()
    normal = fit_expected(frame_normal, drive.rpm, drive.temperature, np.ones(T.size, dtype=bool))
    drive.share[:] = 0.6
    against_itself, against_earlier = drive.judged(), drive.judged(normal)
    assert set(_causes(against_earlier)) == {"low_everywhere"}
    assert all("earlier normal" in d.cause.reason for d in against_earlier.dips)
    assert "left_turn" not in _causes(against_itself)


def test_a_fall_that_no_oil_can_make_is_the_sensor(drive: Made) -> None:
    """Drops of 300 kPa within one sample onto a noisy low level, on the straight: electrical."""
    rng = np.random.default_rng(5)
    drive.oily = False
    for at in EVENTS:
        inside = (at <= T) & (at + 0.6 > T)
        drive.share[inside] = 0.05 + rng.uniform(0, 0.1, np.count_nonzero(inside))
    a = drive.judged()
    assert all(d.cause.name == "sensor" for d in a.dips)


def test_a_throttle_lift_and_a_gear_change_are_no_dips(drive: Made) -> None:
    for at in np.arange(20.0, 230.0, 15.0):
        inside = (at <= T) & (at + 1.0 > T)
        drive.rpm[inside] = np.linspace(6000.0, 2200.0, np.count_nonzero(inside))
    assert drive.judged().dips == ()


def test_idling_in_the_pits_is_no_dip(drive: Made) -> None:
    drive.rpm[T > 200.0] = 850.0
    assert drive.judged().dips == ()


def test_two_runs_of_the_same_record_say_the_same(drive: Made) -> None:
    _put(drive, "lateral", 1.1)
    recording = drive.recording()
    first, second = analyse(recording), analyse(recording)
    assert [d.dip for d in first.dips] == [d.dip for d in second.dips]
    assert [d.cause.reason for d in first.dips] == [d.cause.reason for d in second.dips]


def test_minutes_under_the_floor_are_no_braking_dip_and_the_headline_says_how_much(drive: Made) -> None:
    """From the second minute on the pump makes two thirds: braking now and then in it has nothing to do with it."""
    for at in np.arange(20.0, 230.0, 15.0):
        drive.longitudinal[(at <= T) & (at + 1.5 > T)] = -1.1
    healthy = drive.judged().expected
    drive.share[T > 60.0] = 0.62
    a = drive.judged(healthy)
    long = [d for d in a.dips if d.dip.duration_s > 30.0]
    assert long and {d.cause.name for d in long} == {"low_everywhere"}
    words = opening(a, DisplayUnits())
    assert "The pressure is low everywhere, not only in corners: below the floor in" in words.title
    assert "do not run it" in words.detail


def test_a_floor_over_the_engines_own_normal_is_said_to_be_that(drive: Made) -> None:
    recording = drive.recording()
    a = analyse(recording, side_said(recording, JudgeOptions(floors=(Fixed(600.0),))))
    words = opening(a, DisplayUnits())
    assert "lies over the engine's own normal" in words.title or "down at the floor" in words.title
    assert not any(d.cause.name in ("braking", "left_turn", "right_turn", "acceleration") for d in a.dips)


def test_a_turn_that_lasts_is_still_a_turn(drive: Made) -> None:
    """An oval: twenty seconds of one long turn bare the pickup."""
    _put(drive, "lateral", 1.1, hold=20.0, lag=1.0)
    assert set(_causes(drive.judged())) == {"left_turn"}
