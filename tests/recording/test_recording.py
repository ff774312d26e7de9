"""A recording never changes; channels of different rates meet in one place, and gaps stay gaps."""

from __future__ import annotations

from dataclasses import FrozenInstanceError
from pathlib import Path

import numpy as np
import pytest

from basso.recording.channel import Channel
from basso.recording.corrections import Correction, apply
from basso.recording.plausible import assume_unit, contradicts
from basso.recording.recording import Recording, frame_on
from basso.recording.roles import Role
from basso.recording.spans import runs_of
from basso.units import UNITS
from support import made_recording


def _two_rates() -> Recording:
    fast, slow = np.arange(0.0, 10.0, 0.02), np.arange(0.0, 10.0, 0.5)
    return Recording(
        Path("x.csv"),
        "made",
        (
            Channel("P", Role.OIL_PRESSURE, UNITS["kPa"], False, fast, 300.0 + fast),
            Channel("T", Role.OIL_TEMP, UNITS["°C"], False, slow, 90.0 + slow),
            Channel("Lap", Role.LAP, None, False, slow, np.floor(slow / 4.0)),
        ),
    )


def test_values_cannot_be_written() -> None:
    recording = made_recording(oil_pressure=300.0)
    with pytest.raises(ValueError, match="read-only"):
        recording.channels[0].values[0] = 1.0
    with pytest.raises(FrozenInstanceError):
        recording.format = "other"  # type: ignore[misc]


def test_each_channel_keeps_its_own_rate() -> None:
    recording = _two_rates()
    assert [round(c.rate_hz or 0, 6) for c in recording.channels] == [50.0, 2.0, 2.0]
    assert recording.rate_hz == pytest.approx(50.0)


def test_a_slow_channel_is_interpolated_on_the_fast_ones_times() -> None:
    frame = frame_on(_two_rates(), Role.OIL_PRESSURE)
    temperature = frame.get(Role.OIL_TEMP)
    assert temperature is not None
    assert temperature[60] == pytest.approx(90.0 + 1.2)


def test_a_counter_steps_and_is_never_between_two_laps() -> None:
    lap = frame_on(_two_rates(), Role.OIL_PRESSURE).get(Role.LAP)
    assert lap is not None
    assert set(np.unique(lap[np.isfinite(lap)])) <= {0.0, 1.0, 2.0}


def test_the_master_is_taken_as_it_is() -> None:
    recording = _two_rates()
    frame = frame_on(recording, Role.OIL_PRESSURE)
    assert frame.get(Role.OIL_PRESSURE) is recording.channels[0].values


def test_a_long_gap_stays_a_gap() -> None:
    times = np.concatenate([np.arange(0.0, 5.0, 0.1), np.arange(20.0, 25.0, 0.1)])
    base = np.arange(0.0, 25.0, 0.05)
    recording = Recording(
        Path("x.csv"),
        "made",
        (
            Channel("P", Role.OIL_PRESSURE, UNITS["kPa"], False, base, np.full(base.size, 300.0)),
            Channel("N", Role.RPM, UNITS["rpm"], False, times, np.full(times.size, 5000.0)),
        ),
    )
    rpm = frame_on(recording, Role.OIL_PRESSURE).get(Role.RPM)
    assert rpm is not None
    assert np.isnan(rpm[(base > 6.0) & (base < 19.0)]).all()
    assert np.isfinite(rpm[(base > 0.0) & (base < 4.8)]).all()


class TestCorrections:
    def test_a_corrected_copy_leaves_the_recording_alone(self) -> None:
        recording = made_recording(oil_pressure=401.0)
        corrected = apply(recording, [Correction("oil_pressure", "offset", -101.0, "kPa", "absolute")])
        assert corrected.channels[0].values[0] == 300.0
        assert recording.channels[0].values[0] == 401.0

    def test_leaving_a_correction_out_undoes_it(self) -> None:
        recording = made_recording(oil_pressure=401.0)
        assert apply(recording, []) is recording

    def test_a_delay_moves_the_channel_earlier(self) -> None:
        recording = made_recording(oil_pressure=1.0)
        moved = apply(recording, [Correction("oil_pressure", "delay", 0.2, "s", "line")])
        assert moved.channels[0].time_s[10] == pytest.approx(recording.channels[0].time_s[10] - 0.2)

    def test_spikes_become_missing_not_zero(self) -> None:
        recording = made_recording(oil_pressure=300.0)
        cut = apply(recording, [Correction("oil_pressure", "spikes", 2, "samples", "x", np.array([3, 4]))])
        assert cut.channels[0].missing == 2
        assert np.isnan(cut.channels[0].values[3])

    def test_sign_and_scale(self) -> None:
        recording = made_recording(lateral_g=0.5)
        turned = apply(
            recording, [Correction("lateral_g", "sign", -1.0, "", "x"), Correction("lateral_g", "scale", 2.0, "", "x")]
        )
        assert turned.channels[0].values[0] == -1.0


class TestPlausibleUnits:
    @pytest.mark.parametrize(("top", "symbol"), [(5.5, "bar"), (80.0, "psi"), (550.0, "kPa")])
    def test_oil_pressure_by_its_size(self, top: float, symbol: str) -> None:
        assert assume_unit(Role.OIL_PRESSURE, np.linspace(0, top, 500)).symbol == symbol

    @pytest.mark.parametrize(("top", "symbol"), [(110.0, "°C"), (240.0, "°F"), (383.0, "K")])
    def test_oil_temperature(self, top: float, symbol: str) -> None:
        assert assume_unit(Role.OIL_TEMP, np.linspace(0.7 * top, top, 500)).symbol == symbol

    def test_acceleration(self) -> None:
        assert assume_unit(Role.LATERAL_G, np.sin(np.arange(500)) * 11.0).symbol == "m/s²"
        assert assume_unit(Role.LATERAL_G, np.sin(np.arange(500)) * 1.3).symbol == "g"

    def test_a_bar_column_that_idles_at_30_is_psi(self) -> None:
        values = np.linspace(25.0, 78.0, 500)
        better = contradicts(Role.OIL_PRESSURE, UNITS["bar"], values)
        assert better is not None
        assert better.symbol == "psi"

    def test_a_sensible_statement_is_believed(self) -> None:
        assert contradicts(Role.OIL_PRESSURE, UNITS["bar"], np.linspace(1.0, 5.0, 100)) is None


def test_runs_join_short_gaps_only() -> None:
    mask = np.array([0, 1, 1, 0, 1, 0, 0, 0, 1], dtype=bool)
    assert runs_of(mask) == [(1, 3), (4, 5), (8, 9)]
    assert runs_of(mask, join=1) == [(1, 5), (8, 9)]
    assert runs_of(np.zeros(5, dtype=bool)) == []
