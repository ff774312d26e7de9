"""What is wrong with a reading is found and put right; what is right is left alone."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from basso.analysis import analyse
from basso.recording.corrections import apply
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.standin.car import Outing
from basso.standin.circuit import harrowfell
from basso.standin.faults import Logger
from basso.standin.scenarios import generator
from basso.standin.simulate import Setup
from basso.trust.axes import check_axes, correlation, correlations
from basso.trust.bounds import check_bounds
from basso.trust.delay import check_delay
from basso.trust.spikes import check_spikes, impossible_samples, noise_kpa
from basso.trust.zero import check_zero
from support import driven_and_logged, made_recording, recording_of


def _session(logger: Logger, laps: int = 2, **session: float) -> Recording:
    setup = Setup(harrowfell(), session=replace(Outing(laps=laps), **session))  # type: ignore[arg-type]
    return recording_of(driven_and_logged(setup, logger, generator("trust", 1))[1])


def _stopped_then_running(zero_kpa: float, noise: float = 1.0) -> Recording:
    n = 3000
    rng = np.random.default_rng(4)
    rpm = np.where(np.arange(n) < 300, 0.0, 3000.0)
    return made_recording(oil_pressure=np.where(rpm > 0, 300.0, 0.0) + zero_kpa + rng.normal(0, noise, n), rpm=rpm)


class TestZero:
    @pytest.mark.parametrize("zero", [0.0, 2.0, -2.5])
    def test_a_sound_gauge_sensor_is_left_alone(self, zero: float) -> None:
        check = check_zero(_stopped_then_running(zero))
        assert check.level == "ok"
        assert check.correction is None

    @pytest.mark.parametrize("zero", [101.3, 95.0, 84.0])
    def test_an_absolute_sensor_is_corrected_by_what_it_shows(self, zero: float) -> None:
        """84 kPa is the atmosphere at 1500 m: never a fixed constant."""
        check = check_zero(_stopped_then_running(zero))
        assert check.level == "warn"
        assert check.correction is not None
        assert check.correction.value == pytest.approx(-zero, abs=0.5)
        assert "vacuum" in check.message

    @pytest.mark.parametrize(("zero", "cut"), [(-12.0, True), (-1.0, False), (0.0, False)])
    def test_a_zero_below_what_the_logger_writes_is_no_proof(self, zero: float, cut: bool) -> None:
        """A logger that writes nothing under −2 kPa shows a sensor that reads 12 low as one that reads 2 low."""
        made = _stopped_then_running(zero)
        written = [
            replace(c, values=np.maximum(c.values, -2.0)) if c.role is Role.OIL_PRESSURE else c for c in made.channels
        ]
        check = check_zero(made.with_channels(tuple(written)))
        assert check.level == "ok"
        assert check.at_most is cut
        assert ("unless the logger writes nothing lower" in str(check.message)) is cut

    def test_an_offset_that_is_no_atmosphere_is_corrected_too(self) -> None:
        check = check_zero(_stopped_then_running(22.0))
        assert check.correction is not None
        assert check.correction.value == pytest.approx(-22.0, abs=0.5)

    @pytest.mark.parametrize("zero", [0.0, 6.0, 20.0])
    @pytest.mark.parametrize("step", [12.0, 25.0])
    def test_a_converter_that_cuts_off_what_is_left_of_a_step_reads_half_a_step_low(
        self, step: float, zero: float
    ) -> None:
        n = 3000
        rpm = np.where(np.arange(n) < 300, 0.0, 3000.0)
        true = np.where(rpm > 0, 300.0 + 40.0 * np.sin(np.arange(n) / 90.0), 0.0)
        seen = true + zero + np.random.default_rng(4).normal(0.0, 4.0, n)
        check = check_zero(made_recording(oil_pressure=step * np.floor(seen / step), rpm=rpm))
        # Sure to half a step at the least, and to the noise where the reading goes to and fro.
        sure = 3.0 if zero == 0.0 else 0.5 * step + 0.1
        assert check.measured == pytest.approx(zero - 0.5 * step, abs=sure)

    def test_the_reading_after_a_stop_counts_once_it_has_drained(self) -> None:
        n = 4000
        t = np.arange(n) / 50.0
        rpm = np.where(t < 60, 3000.0, 0.0)
        draining = 300.0 * np.exp(-(t - 60.0) / 0.8)
        kpa = np.where(t < 60, 300.0, draining) + 101.0
        check = check_zero(made_recording(seconds=80.0, oil_pressure=kpa, rpm=rpm))
        assert check.correction is not None
        assert check.correction.value == pytest.approx(-101.0, abs=2.0)

    def test_without_a_stop_the_zero_is_said_to_be_assumed(self) -> None:
        check = check_zero(made_recording(oil_pressure=300.0, rpm=3000.0))
        assert check.level == "warn"
        assert check.correction is None
        assert "assumed" in check.message

    @pytest.mark.parametrize("pressure_unit", ["psi", "bar", "kPa"])
    def test_on_the_stand_in_within_5_kpa(self, pressure_unit: str) -> None:
        check = check_zero(_session(Logger(absolute=True, pressure_unit=pressure_unit)))
        assert check.correction is not None
        assert check.correction.value == pytest.approx(-100.7, abs=2.0)


class TestSpikes:
    def _real_dip(self, rate_hz: float, length_s: float, depth_kpa: float = 250.0) -> np.ndarray:
        """A dip as oil makes it: a fall over 80 ms, a bottom, a rise over 100 ms."""
        t = np.arange(0.0, 20.0, 1.0 / rate_hz)
        down = np.clip((t - 10.0) / 0.08, 0, 1)
        up = np.clip((t - 10.0 - length_s) / 0.10, 0, 1)
        return 350.0 - depth_kpa * (down - up)

    @pytest.mark.parametrize("rate_hz", [10.0, 20.0, 25.0, 50.0, 100.0])
    @pytest.mark.parametrize("length_s", [0.15, 0.3, 1.0])
    def test_a_real_dip_is_never_taken_out(self, rate_hz: float, length_s: float) -> None:
        values = self._real_dip(rate_hz, length_s)
        time_s = np.arange(values.size) / rate_hz
        for seed in range(5):
            noisy = values + np.random.default_rng(seed).normal(0, 2.0, values.size)
            assert not impossible_samples(noisy, time_s).any()

    @pytest.mark.parametrize("value", [0.0, 1034.0, 2000.0])
    @pytest.mark.parametrize("rate_hz", [20.0, 50.0, 100.0])
    def test_single_readings_that_cannot_be_are_found(self, value: float, rate_hz: float) -> None:
        rng = np.random.default_rng(1)
        values = 350.0 + rng.normal(0, 2.0, 2000)
        values[[300, 700, 1500]] = value
        found = np.flatnonzero(impossible_samples(values, np.arange(2000) / rate_hz))
        assert found.tolist() == [300, 700, 1500]

    def test_an_open_connector_is_found_whole(self) -> None:
        rng = np.random.default_rng(1)
        values = 350.0 + rng.normal(0, 2.0, 2000)
        values[500:560] = 0.0
        marked = impossible_samples(values, np.arange(2000) / 50.0)
        assert np.flatnonzero(marked).tolist() == list(range(500, 560))

    def test_a_pressure_that_stops_moving_is_found(self) -> None:
        n = 3000
        rng = np.random.default_rng(2)
        rpm = 3000.0 + 1500.0 * np.sin(np.arange(n) / 60.0)
        kpa = 300.0 + rpm / 50.0 + rng.normal(0, 2.0, n)
        kpa[1000:1400] = kpa[1000]
        check = check_spikes(made_recording(oil_pressure=kpa, rpm=rpm))
        assert check.level == "warn"
        assert "does not move" in check.message
        assert check.correction is not None
        assert check.correction.value == pytest.approx(400, abs=3)

    def test_a_clean_session_has_nothing_taken_out(self) -> None:
        check = check_spikes(_session(Logger(50)))
        assert check.level == "ok"

    @settings(max_examples=20, deadline=None)
    @given(st.floats(0.0, 15.0), st.integers(0, 100))
    def test_noise_is_measured_whatever_the_signal_does(self, sigma: float, seed: int) -> None:
        rng = np.random.default_rng(seed)
        slow = 300.0 + 80.0 * np.sin(np.arange(5000) / 80.0)
        assert noise_kpa(slow + rng.normal(0, sigma, 5000)) == pytest.approx(sigma, abs=0.12 * sigma + 0.05)


class TestDelay:
    @pytest.mark.parametrize("delay", [0.08, 0.15, 0.2, 0.3, 0.4])
    def test_measured_within_30_ms(self, delay: float) -> None:
        check = check_delay(_session(Logger(50, delay_s=delay), laps=3))
        assert check is not None
        assert check.correction is not None
        assert check.correction.value == pytest.approx(delay, abs=0.03)

    @pytest.mark.parametrize(
        ("filter_s", "delay", "rate_hz"),
        [(0.1, 0.0, 100), (0.12, 0.0, 50), (0.2, 0.0, 50), (0.4, 0.0, 20), (0.2, 0.2, 100)],
    )
    def test_a_filter_is_told_from_a_delay_and_undone(self, filter_s: float, delay: float, rate_hz: int) -> None:
        setup = Setup(harrowfell(), session=Outing(laps=3))
        logger = Logger(rate_hz, filter_s=filter_s, delay_s=delay)
        simulated, csv = driven_and_logged(setup, logger, generator("trust", 1))
        recording = recording_of(csv)
        check = check_delay(recording)
        assert check is not None and check.correction is not None
        # The gallery itself takes 0.04 s.
        assert check.measured == pytest.approx(filter_s + delay + 0.04, abs=0.03)
        assert check.correction.filter_s == pytest.approx(filter_s, abs=0.04)
        off = []
        for correction in (replace(check.correction, filter_s=0.0), check.correction):
            channel = apply(recording, [correction]).channel(Role.OIL_PRESSURE)
            assert channel is not None
            true = np.interp(channel.time_s, simulated.drive.time_s, simulated.pressure_kpa)
            off.append(float(np.std(channel.values - true)))
        assert off[1] < 0.5 * off[0]

    @pytest.mark.parametrize("delay", [0.2, 0.4])
    def test_a_delay_alone_is_no_filter(self, delay: float) -> None:
        check = check_delay(_session(Logger(50, delay_s=delay), laps=3))
        assert check is not None and check.correction is not None and check.correction.filter_s == 0.0
        assert "filter" not in check.message

    @pytest.mark.parametrize("logger", [Logger(50, flat_from=0.5), Logger(50, flat_from=0.5, filter_s=0.3)])
    def test_a_line_that_stands_still_is_not_taken_for_a_slow_answer(self, logger: Logger) -> None:
        checks = {c.id: c for c in analyse(_session(logger, laps=6)).checks}
        assert checks["spikes"].level == "fail"
        assert checks["delay"].measured == pytest.approx(logger.filter_s + 0.035, abs=0.035)
        assert (checks["delay"].level == "warn") is (logger.filter_s > 0.0)

    def test_no_delay_no_correction(self) -> None:
        check = check_delay(_session(Logger(50), laps=3))
        assert check is not None
        assert check.level == "ok"

    def test_too_few_changes_of_rpm_to_tell(self) -> None:
        assert check_delay(made_recording(oil_pressure=300.0, rpm=3000.0)) is None


class TestBounds:
    def test_what_no_car_shows_is_left_out_and_said(self) -> None:
        rpm = np.full(3000, 4000.0)
        rpm[100:110] = 1e9
        (check,) = check_bounds(made_recording(oil_pressure=300.0, rpm=rpm, oil_temp=95.0))
        assert check.level == "note"
        assert "10 readings" in check.message and "rpm" in check.message
        assert check.correction is not None
        assert check.correction.samples.tolist() == list(range(100, 110))

    def test_a_sound_session_has_nothing_out_of_bounds(self) -> None:
        assert check_bounds(_session(Logger(50, gps=True))) == []


class TestAxes:
    def test_a_turned_sign_is_found_and_turned_back(self) -> None:
        recording = _session(Logger(50, gps=True))
        for role in (Role.LONGITUDINAL_G, Role.LATERAL_G):
            channel = recording.channel(role)
            assert channel is not None
            turned = recording.with_channels(
                tuple(replace(c, values=-c.values) if c is channel else c for c in recording.channels)
            )
            checks = {c.id: c for c in check_axes(turned)}
            correction = checks[f"{role}_sign"].correction
            assert correction is not None
            mended = apply(turned, [correction]).channel(role)
            assert mended is not None
            np.testing.assert_array_equal(mended.values, channel.values)

    def test_right_axes_are_said_to_agree(self) -> None:
        levels = {c.id: c.level for c in check_axes(_session(Logger(50, gps=True)))}
        assert levels == {"longitudinal_g_sign": "ok", "lateral_g_sign": "ok"}

    def test_without_gps_the_lateral_sign_is_not_claimed(self) -> None:
        along, across = check_axes(_session(Logger(50)))
        assert (along.id, along.level) == ("longitudinal_g_sign", "ok")
        assert (across.id, across.level, across.offered) == ("lateral_g_sign", "note", True)
        assert "cannot be proved" in across.message and "first turn after the start" in across.message


def test_an_oil_temperature_that_reads_nothing_is_left_out_in_plain_words() -> None:
    from basso.analysis import analyse

    time_s = np.arange(0.0, 300.0, 1.0 / 50.0)
    rpm = 4000.0 + 2000.0 * np.sin(time_s / 7.0)
    pressure = 0.06 * rpm + np.random.default_rng(0).normal(0, 2, rpm.size)
    empty = made_recording(50.0, 300.0, rpm=rpm, oil_pressure=pressure, oil_temp=np.full(rpm.size, np.nan))
    found = analyse(empty)
    (check,) = [c for c in found.checks if c.id == "oil_temp_flat"]
    assert "reads nothing" in check.message and "nan" not in check.message
    assert found.expected.valid and found.expected.method.endswith("rpm only")


def test_all_lags_together_agree_as_each_by_itself() -> None:
    rng = np.random.default_rng(5)
    reference = 0.02 * np.cumsum(rng.normal(size=3000))
    reference[700:720] = np.nan
    seen = 0.3 - 0.8 * np.roll(np.nan_to_num(reference), 7) + 0.1 * rng.normal(size=3000)
    lags = range(-20, 21, 3)
    each = [
        correlation(seen[lag:], reference[: 3000 - lag]) if lag >= 0 else correlation(seen[:lag], reference[-lag:])
        for lag in lags
    ]
    np.testing.assert_allclose(correlations(seen, reference, lags), each, atol=1e-12)
    assert np.argmax(np.abs(correlations(seen, reference, range(15)))) == 7
    assert correlations(seen, np.zeros(3000), [0, 5]).tolist() == [0.0, 0.0]
