"""Each fault of sensors, wiring and clocks is found and, where it can be, put right; what is healthy is left alone."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from basso.analysis import Analysis, analyse
from basso.analysis.pooled import pooled_normal
from basso.car.known import figures_of
from basso.oil.grades import usual
from basso.pressure.earlier import Known
from basso.pressure.floors import Slope
from basso.pressure.options import JudgeOptions
from basso.recording.channel import Channel
from basso.recording.corrections import Correction, apply
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.recording.spans import runs_of
from basso.report.documents import analysis_document
from basso.standin.car import Outing
from basso.standin.circuit import random_circuit
from basso.standin.engine import TrueEngine, balance_kpa, pump_flow
from basso.standin.faults import Logger, Mount
from basso.standin.pan import Pan
from basso.standin.scenarios import generator, run_setup
from basso.standin.simulate import Setup
from basso.sump.shape import BoxPan
from basso.trust.axes import check_axes, thinned_on_g
from basso.trust.clock import check_clocks, check_pressure_clock, lags_of_g
from basso.trust.scale import check_scale
from basso.trust.spikes import check_spikes
from basso.trust.steps import check_steps, step_kpa
from basso.trust.stuck import check_stuck
from basso.trust.supply import check_supply
from basso.trust.temperature import check_temperature
from basso.trust.verdict import Check
from basso.trust.vibration import check_vibration
from support import CLEAN, harrowfell_session, judged_scenario, made_recording, recording_of


def mounted(**how: object) -> Recording:
    return harrowfell_session(replace(CLEAN, mount=Mount(**how)))  # type: ignore[arg-type]


def g_of(recording: Recording, role: Role) -> np.ndarray:
    channel = recording.channel(role)
    assert channel is not None
    return channel.values


def corrected(recording: Recording, checks: list[Check]) -> Recording:
    return apply(recording, [c.correction for c in checks if c.correction is not None])


class TestAxes:
    @pytest.mark.parametrize(
        "how",
        [
            {"swapped": True},
            {"flip_lateral": True},
            {"flip_longitudinal": True},
            {"swapped": True, "flip_lateral": True},
            {"swapped": True, "flip_lateral": True, "flip_longitudinal": True},
            {"yaw_deg": 12.0},
            {"yaw_deg": -25.0},
            {"swapped": True, "yaw_deg": 10.0, "flip_longitudinal": True},
            {"lateral_offset_g": 0.15},
            {"longitudinal_offset_g": -0.2},
        ],
    )
    def test_with_a_path_whatever_was_done_to_the_axes_is_undone(self, how: dict[str, object]) -> None:
        wrong, true = mounted(**how), harrowfell_session(CLEAN)
        right = corrected(wrong, check_axes(wrong))
        for role in (Role.LATERAL_G, Role.LONGITUDINAL_G):
            assert np.abs(g_of(right, role) - g_of(true, role)).mean() < 0.04, role
            # What was recorded stays as it was.
            assert g_of(wrong, role) is g_of(mounted(**how), role)

    def test_the_angle_is_measured(self) -> None:
        (turned,) = (c for c in check_axes(mounted(yaw_deg=12.0)) if c.id == "g_turned")
        assert turned.measured == pytest.approx(12.0, abs=1.0) and "turned 12° to the left" in turned.message

    def test_sound_axes_are_left_alone(self) -> None:
        assert [c.level for c in check_axes(harrowfell_session(CLEAN))] == ["ok", "ok"]

    def test_without_a_path_a_swap_is_still_seen_by_the_speed_and_the_lateral_sign_is_not_claimed(self) -> None:
        checks = check_axes(harrowfell_session(replace(CLEAN, gps=False, mount=Mount(swapped=True))))
        assert "g_swapped" in [c.id for c in checks]
        (sign,) = (c for c in checks if c.id == "lateral_g_sign")
        assert sign.level == "note" and "cannot be proved" in sign.message and sign.offered

    def test_g_in_m_per_s2_with_no_speed_is_seen_by_its_size(self) -> None:
        t = np.arange(3000) / 50.0
        recording = made_recording(lateral_g=11.0 * np.sin(t / 2), longitudinal_g=8.0 * np.cos(t / 3), rpm=3000.0)
        checks = [c for c in check_axes(recording) if c.id.endswith("_unit")]
        assert {c.channel for c in checks} == {"lateral_g", "longitudinal_g"}
        assert np.max(g_of(corrected(recording, checks), Role.LATERAL_G)) == pytest.approx(11.0 / 9.80665, abs=0.01)

    def test_a_swap_and_a_turn_are_told_apart_from_what_the_contract_lists(self) -> None:
        found = analyse(mounted(swapped=True, yaw_deg=15.0))
        document = analysis_document(found)
        assert {c["kind"] for c in document["other_corrections"]} == {"swap", "turn"}
        assert all(c["kind"] in ("offset", "scale", "sign", "delay", "spikes") for c in document["corrections"])
        assert "other_corrections" not in analysis_document(analyse(harrowfell_session(CLEAN)))


class TestClock:
    @pytest.mark.parametrize("slip", [0.3, 0.8, -0.5])
    def test_a_slip_is_found_where_it_happened_and_put_right(self, slip: float) -> None:
        recording = mounted(slip_s=slip)
        checks = check_clocks(recording)
        assert [c.channel for c in checks] == ["Longitudinal acc [g]", "Lateral acc [g]"]
        assert all(c.measured == pytest.approx(slip, abs=0.03) for c in checks)
        right = corrected(recording, checks)
        frame = thinned_on_g(right)
        lags = lags_of_g(frame) if frame is not None else None
        assert lags is not None and np.abs(lags.lag_s).max() < 0.3 and np.median(np.abs(lags.lag_s)) < 0.05

    @pytest.mark.parametrize("slip", [0.2, 0.6])
    def test_a_slip_of_the_pressures_box_is_found_where_it_happened_and_put_right(self, slip: float) -> None:
        recording = harrowfell_session(replace(CLEAN, pressure_slip_s=slip))
        (check,) = check_pressure_clock(recording)
        assert check.measured == pytest.approx(slip, abs=0.03) and check.correction is not None
        channel = recording.channel(Role.OIL_PRESSURE)
        assert channel is not None
        happened = float(channel.time_s[check.correction.samples[0]])
        assert happened == pytest.approx(recording.duration_s / 2, abs=6.0)
        assert check_pressure_clock(corrected(recording, [check])) == []
        dips, true = (analyse(r).dips for r in (recording, harrowfell_session(CLEAN)))
        assert abs(len(dips) - len(true)) <= 1

    def test_a_sound_pressure_clock_is_not_told(self) -> None:
        assert check_pressure_clock(harrowfell_session(CLEAN)) == []
        assert check_pressure_clock(harrowfell_session(replace(CLEAN, delay_s=0.3))) == []

    @pytest.mark.parametrize("rate_hz", [20, 50, 100])
    def test_an_open_connector_is_no_slip_of_a_clock(self, rate_hz: int) -> None:
        for seed in (7, 8, 9):
            loose = harrowfell_session(Logger(rate_hz, gps=True, dropouts_per_min=8.0, spikes_per_min=6.0), seed=seed)
            assert check_pressure_clock(loose) == []

    def test_a_g_that_is_late_throughout_is_moved(self) -> None:
        checks = check_clocks(mounted(late_s=0.7))
        assert all(c.correction is not None and c.correction.value == pytest.approx(0.7, abs=0.05) for c in checks)

    def test_a_sound_clock_and_one_that_nothing_can_prove(self) -> None:
        (sound,) = check_clocks(harrowfell_session(CLEAN))
        assert sound.level == "ok"
        (unknown,) = check_clocks(made_recording(lateral_g=np.sin(np.arange(3000) / 40.0), rpm=3000.0))
        assert unknown.level == "note" and "cannot be told" in unknown.message


class TestStuck:
    @pytest.mark.parametrize(
        ("column", "check"),
        [
            ("Engine speed", "rpm_stuck"),
            ("Lateral acc", "lateral_g_stuck"),
            ("Longitudinal acc", "longitudinal_g_stuck"),
            ("Speed", "speed_stuck"),
        ],
    )
    def test_a_channel_that_stands_while_the_car_moves_is_left_out(self, column: str, check: str) -> None:
        recording = harrowfell_session(replace(CLEAN, stands=(column,)))
        (found,) = check_stuck(recording)
        assert found.id == check and found.level == "warn" and found.correction is not None
        n = len(next(c for c in recording.channels if c.name == found.channel).values)
        assert found.correction.samples[0] == pytest.approx(0.4 * n, abs=2) and found.correction.value == pytest.approx(
            0.2 * n, rel=0.02
        )
        judged = analyse(recording)
        if check == "rpm_stuck":  # nothing is judged by an engine speed that was not driven
            start, end = recording.duration_s * 0.41, recording.duration_s * 0.59
            assert not any(start < d.dip.start_s < end for d in judged.dips)

    def test_what_only_looks_so_is_left_alone(self) -> None:
        assert check_stuck(harrowfell_session(CLEAN)) == []
        # In the pits: speed nothing, g nothing, the engine blipped.
        rpm = 3000.0 + 1500.0 * np.sin(np.arange(3000) / 30.0)
        assert check_stuck(made_recording(rpm=rpm, speed=0.0, lateral_g=0.0, longitudinal_g=0.0)) == []
        # On a dyno the rollers run, and the g is nothing.
        on_rollers = {
            "rpm": rpm,
            "speed": rpm / 100.0,
            "oil_pressure": rpm / 12.0,
            "lateral_g": 0.0,
            "longitudinal_g": 0.0,
        }
        assert check_stuck(made_recording(**on_rollers)) == []
        # Without noise, a steady corner in which the pressure falls: engine speed and speed stand, and are right.
        t = np.arange(3000) / 50.0
        corner = np.where((t % 12.0) > 6.0, 1.1, 0.0)
        steady = {
            "rpm": 5000.0,
            "speed": 35.0,
            "lateral_g": corner,
            "longitudinal_g": 0.0,
            "oil_pressure": 400.0 - 200.0 * (corner > 0),
        }
        assert check_stuck(made_recording(**steady)) == []


class TestScale:
    def test_what_may_hide_a_lost_engine_is_offered_and_only_made_when_said(self) -> None:
        before = pooled_normal([harrowfell_session(CLEAN, seed=1)])
        half = harrowfell_session(replace(CLEAN, pressure_scale=0.5))
        found = analyse(half, JudgeOptions(normal=before))
        (check,) = (c for c in found.checks if c.id == "scale")
        assert check.offered and check.correction is not None and found.corrections == ()
        said = frozenset({(check.correction.channel, "scale", 2.0)})
        made = analyse(half, JudgeOptions(normal=before, edited=said))
        assert [(c.kind, c.value) for c in made.corrections] == [("scale", 2.0)]
        assert abs(len(made.dips) - len(analyse(harrowfell_session(CLEAN), JudgeOptions(normal=before)).dips)) <= 1

    def test_a_heading_that_held_before_is_believed_over_what_the_values_seem_to_be(self) -> None:
        clean = harrowfell_session(CLEAN, seed=1)
        known = Known(None, (figures_of(analyse(clean), "before", "2026-05-01", usual()),))
        wrong = harrowfell_session(replace(CLEAN, pressure_scale=4.0))
        channel = wrong.channel(Role.OIL_PRESSURE)
        assert channel is not None and channel.unit is not None and channel.unit.symbol == "kPa"  # it says psi
        found = analyse(wrong, JudgeOptions(known=known))
        (check,) = (c for c in found.checks if c.id == "scale")
        assert check.measured == pytest.approx(4.0, rel=0.03) and not check.offered
        true = analyse(harrowfell_session(CLEAN), JudgeOptions(known=known))
        assert abs(len(found.dips) - len(true.dips)) <= 1

    def test_a_range_entered_wrong_is_seen_against_history_and_put_back(self) -> None:
        before = pooled_normal([harrowfell_session(CLEAN, seed=1)])
        wrong = harrowfell_session(replace(CLEAN, pressure_scale=2.5))
        found = analyse(wrong, JudgeOptions(normal=before))
        (scale,) = (c for c in found.checks if c.id == "scale")
        assert scale.level == "warn" and scale.measured == pytest.approx(2.5, rel=0.03)
        true = analyse(harrowfell_session(CLEAN), JudgeOptions(normal=before))
        assert abs(len(found.dips) - len(true.dips)) <= 1
        refused = frozenset({("Oil pressure [psi]", "scale")})
        left = analyse(wrong, JudgeOptions(normal=before, refused=refused))
        assert not left.corrections and next(c for c in left.checks if c.id == "scale").level == "warn"

    def test_half_the_pressure_is_told_and_never_put_right_by_itself(self) -> None:
        """A worn engine looks the same: what may be a lost engine stays lost until it is proved."""
        before = pooled_normal([harrowfell_session(CLEAN, seed=1)])
        found = analyse(harrowfell_session(replace(CLEAN, pressure_scale=0.5)), JudgeOptions(normal=before))
        (scale,) = (c for c in found.checks if c.id == "scale")
        assert scale.measured == pytest.approx(0.5, rel=0.03) and scale.offered
        assert not any(c.kind == "scale" for c in found.corrections)
        assert "an engine that has lost this pressure" in scale.message
        worn = judged_scenario("truth-worn", 3).analysis
        assert not any(c.kind == "scale" for c in worn.corrections)
        assert any(d.cause.name == "low_everywhere" for d in worn.dips)

    @pytest.mark.parametrize(
        ("factor", "said"), [(0.145, "were it psi and not kPa"), (0.01, "were it bar and not kPa")]
    )
    def test_a_unit_that_cannot_be_is_told_and_never_changed_by_itself(self, factor: float, said: str) -> None:
        n = 6000
        rpm = np.where(np.arange(n) < 500, 0.0, 4500.0 + 800.0 * np.sin(np.arange(n) / 70.0))
        recording = made_recording(seconds=120.0, oil_pressure=factor * 0.09 * rpm, rpm=rpm)
        check = check_scale(recording)
        assert check is not None and check.level == "fail" and said in check.message and check.offered
        assert "then stop the engine" in check.message


class TestPressureReading:
    @pytest.mark.parametrize("step", [6.0, 12.0, 25.0])
    def test_the_steps_of_a_coarse_converter_are_measured(self, step: float) -> None:
        check = check_steps(harrowfell_session(Logger(20, steps_kpa=step)))
        assert check is not None and check.measured == pytest.approx(step, rel=0.1)
        assert check.level == ("warn" if step >= 10 else "note")

    def test_a_fine_converter_is_fine(self) -> None:
        check = check_steps(harrowfell_session(CLEAN))
        assert check is not None and check.level == "ok"
        assert step_kpa(np.full(1000, 300.0)) == 0.0

    @pytest.mark.parametrize("step", [10.0, 25.0])
    @pytest.mark.parametrize("rate_hz", [10, 50])
    def test_a_coarse_reading_that_the_relief_valve_holds_is_no_flat_line(self, rate_hz: int, step: float) -> None:
        """Cold oil opens the valve at half the engine's speed: the reading stands on one step for many seconds, in good
        health."""
        read = harrowfell_session(Logger(rate_hz, steps_kpa=step))
        channel = read.channel(Role.OIL_PRESSURE)
        assert channel is not None
        stands = max(end - start for start, end in runs_of(np.diff(channel.values) == 0.0)) / rate_hz
        assert step < 20.0 or stands > 5.0
        assert check_spikes(read).level == "ok"

    @pytest.mark.parametrize("step", [10.0, 25.0])
    def test_a_coarse_reading_that_froze_is_one(self, step: float) -> None:
        read = harrowfell_session(Logger(20, steps_kpa=step, flat_from=0.9))
        channel = read.channel(Role.OIL_PRESSURE)
        check = check_spikes(read)
        assert channel is not None and check.correction is not None and "does not move at all" in check.message
        assert check.correction.samples[0] == pytest.approx(0.9 * channel.values.size, abs=20)

    @pytest.mark.parametrize("rate_hz", [20.0, 50.0])
    def test_a_coarse_converter_invents_no_dips_and_hides_no_deep_one(self, rate_hz: float) -> None:
        time_s = np.arange(0.0, 120.0, 1.0 / rate_hz)
        rpm = 4000.0 + 1500.0 * np.sin(2 * np.pi * time_s / 9.0)
        pressure = 48.3 * rpm / 1000.0 + 9.0
        pressure[(time_s > 60.0) & (time_s < 60.6)] -= 100.0
        coarse = made_recording(rate_hz, 120.0, oil_pressure=25.0 * np.round(pressure / 25.0), rpm=rpm)
        found = analyse(coarse, JudgeOptions(floors=(Slope(0.0, 48.3),)))
        assert [round(d.dip.start_s) for d in found.dips] == [60]

    @pytest.mark.parametrize("rate_hz", [10, 20, 100])
    def test_a_sensor_that_shakes_with_the_engine_is_found_and_a_quiet_one_is_not(self, rate_hz: int) -> None:
        shaken = check_vibration(harrowfell_session(Logger(rate_hz, vibration_kpa=16.0)))
        quiet = check_vibration(harrowfell_session(Logger(rate_hz)))
        noisy = check_vibration(
            harrowfell_session(Logger(rate_hz, noise_kpa=9.0))
        )  # much noise, the same at all speeds
        assert shaken is not None and shaken.level in ("note", "warn") and "flexible line" in shaken.message
        assert quiet is not None and quiet.level == "ok" and noisy is not None and noisy.level == "ok"

    def test_a_shift_with_the_electrical_load_is_measured(self) -> None:
        moved = harrowfell_session(Logger(20, load_kpa=20.0), laps=8)
        check = check_supply(moved)
        assert check is not None and check.level == "warn" and check.measured == pytest.approx(20.0, abs=4.0)
        # Put right, nothing is left that moves with the voltage, and nothing is moved while the voltage is high.
        right = corrected(moved, [check])
        again = check_supply(right)
        assert again is not None and again.level == "ok"
        before, after = (r.channel(Role.OIL_PRESSURE) for r in (moved, right))
        assert before is not None and after is not None
        lifted = after.values - before.values
        assert np.percentile(lifted, 95) == pytest.approx(20.0, abs=5.0)
        assert np.percentile(lifted, 5) == pytest.approx(0.0, abs=4.0)

    def test_a_steady_sensor_passes_and_one_without_a_voltage_is_not_passed(self) -> None:
        plain = harrowfell_session(Logger(20, load_kpa=1e-6), laps=8)
        steady = check_supply(plain)
        assert steady is not None and steady.level == "ok"
        unknown = check_supply(harrowfell_session(CLEAN))
        assert unknown is not None and unknown.level == "note" and unknown.message.startswith("Cannot be checked")


class TestTemperature:
    def test_steps_of_two_degrees_or_a_reading_a_second_show_no_lag(self) -> None:
        recording = harrowfell_session(replace(CLEAN, temperature_lag_s=60.0), laps=5)
        (channel,) = (c for c in recording.channels if c.role is Role.OIL_TEMP)
        stepped = replace(channel, values=np.round(channel.values / 2.0) * 2.0)
        coarse = recording.with_channels(tuple(stepped if c is channel else c for c in recording.channels))
        slow = harrowfell_session(replace(CLEAN, rate_hz=1, temperature_lag_s=60.0), laps=5)
        for log, why in ((coarse, "steps of 2.0 °C"), (slow, "too slowly")):
            check = next(c for c in check_temperature(log) if c.id == "oil_temp_lag")
            assert check.level == "note" and why in check.message
        fine = next(c for c in check_temperature(recording) if c.id == "oil_temp_lag")
        assert fine.level == "warn"

    @pytest.mark.parametrize("stands", [0.0, 25.0, 150.0])
    def test_one_that_stands_still_is_left_out_and_the_rest_is_judged(self, stands: float) -> None:
        found = analyse(harrowfell_session(Logger(20, gps=True, temperature_stands_c=stands)))
        (flat,) = (c for c in found.checks if c.id == "oil_temp_flat")
        assert flat.level == "warn" and flat.correction is not None
        assert found.temperature_c is None and found.judged.any()

    def test_one_that_sits_in_the_airstream_is_found(self) -> None:
        levels = {c.id: c.level for c in check_temperature(harrowfell_session(Logger(20, airstream_c=10.0)))}
        assert levels["oil_temp_place"] == "warn"

    @pytest.mark.parametrize("lag", [40.0, 80.0])
    def test_one_that_lags_is_found_by_the_pressure(self, lag: float) -> None:
        checks = {c.id: c for c in check_temperature(harrowfell_session(Logger(20, temperature_lag_s=lag), laps=6))}
        assert checks["oil_temp_lag"].level == "warn"
        assert checks["oil_temp_lag"].measured == pytest.approx(lag, rel=0.5)

    @pytest.mark.parametrize("lag", [40.0, 80.0])
    def test_one_that_lags_is_put_right_and_gaps_stay_gaps(self, lag: float) -> None:
        """Truth: what the same drive's sensor of 3 s read."""
        late = harrowfell_session(Logger(20, temperature_lag_s=lag), laps=6)
        prompt = harrowfell_session(Logger(20), laps=6).channel(Role.OIL_TEMP)
        found = analyse(late)
        channel = found.corrected.channel(Role.OIL_TEMP)
        assert prompt is not None and channel is not None and [c.kind for c in found.corrections] == ["lead"]
        off = np.abs(channel.values - prompt.values)[600:-600]
        before = np.abs(late.channel(Role.OIL_TEMP).values - prompt.values)[600:-600]  # type: ignore[union-attr]
        assert np.percentile(off, 95) < 2.0 and off.mean() < 0.35 * before.mean()
        gap = replace(
            channel, values=np.where((channel.time_s > 200.0) & (channel.time_s < 210.0), np.nan, channel.values)
        )
        ahead = apply(late.with_channels((gap,)), [Correction(gap.name, "lead", lag, "s", "")]).channels[0]
        assert np.array_equal(np.isnan(ahead.values), np.isnan(gap.values))

    def test_a_sound_one_passes(self) -> None:
        assert {c.level for c in check_temperature(harrowfell_session(CLEAN, laps=6))} <= {"ok", "note"}


@pytest.mark.parametrize("seed", range(20, 28))
def test_healthy_logs_are_never_called_unfit(seed: int) -> None:
    rate = (10, 20, 50, 100)[seed % 4]
    found: Analysis = analyse(harrowfell_session(replace(CLEAN, rate_hz=rate), seed=seed))
    wrong = [(c.id, c.level) for c in found.checks if c.level in ("warn", "fail") and c.id != "update_rate"]
    assert wrong == [] and found.corrections == ()


def test_a_turn_of_channels_with_times_of_their_own_is_worked_out_at_each_ones_times() -> None:
    t, u = np.arange(0.0, 10.0, 0.1), np.arange(0.0, 9.9, 0.04)
    across = Channel("a", Role.LATERAL_G, None, False, t, np.ones(t.size))
    along = Channel("b", Role.LONGITUDINAL_G, None, False, u, np.zeros(u.size))
    recording = replace(harrowfell_session(CLEAN), channels=(across, along))
    right = apply(recording, [Correction("a", "turn", 90.0, "°", "", other="b")])
    assert g_of(right, Role.LATERAL_G) == pytest.approx(np.zeros(t.size)) and g_of(
        right, Role.LONGITUDINAL_G
    ) == pytest.approx(-np.ones(u.size))


@pytest.mark.parametrize("seed", [0, 1, 2])
def test_a_pressure_of_a_few_kilopascals_is_told_and_breaks_nothing(seed: int) -> None:
    """Bar called kPa, written with one digit: what is left over 5 kPa lies near no curve at all."""
    rng = np.random.default_rng(seed)
    n = 4000
    engine = TrueEngine(relief_kpa=614.0, bearing=0.83)
    rpm = 5200.0 + 1400.0 * np.sin(np.arange(n) / 37.0) + rng.normal(0, 20, n)
    heat = np.linspace(70.0, 95.0, n)
    kpa = np.round(0.01 * balance_kpa(engine, rpm, heat, pump_flow(engine, rpm)) + rng.normal(0, 0.05, n), 1)
    found = analyse(made_recording(20.0, n / 20.0, oil_pressure=kpa, rpm=rpm, oil_temp=heat))
    (scale,) = (c for c in found.checks if c.id == "scale")
    assert scale.level == "fail" and scale.offered and scale.correction is not None
    assert scale.correction.value == pytest.approx(100.0, rel=0.01)


@pytest.mark.parametrize("seed", [0, 2, 126])
def test_a_pan_that_braking_empties_is_no_clock_that_slips(seed: int) -> None:
    """The pressure sinks 0.6 to 0.9 s after the engine speed fell, lap after lap, and not on the out-lap: that is the
    oil."""
    pan = Pan(shape=BoxPan(0.27, 0.24, 0.16, (-0.054, -0.014, 0.008)), fill_l=4.1)
    setup = Setup(random_circuit(generator("braking slip", seed)), pan=pan, session=Outing(laps=6))
    recording = recording_of(run_setup(setup, Logger(50), generator("braking slip drive", seed))[1])
    assert check_pressure_clock(recording) == []


@pytest.mark.parametrize("fault", [{"vibration_kpa": 50.0}, {"steps_kpa": 25.0}], ids=["vibration", "steps"])
@pytest.mark.parametrize("seed", [3, 4, 5])
def test_normal_is_learned_from_a_pressure_that_shakes_as_from_one_that_does_not(
    fault: dict[str, float], seed: int
) -> None:
    clean, shaken = (
        analyse(harrowfell_session(replace(CLEAN, **how), seed=seed))  # type: ignore[arg-type]
        for how in ({}, fault)
    )
    judged = clean.judged & clean.expected.covers(clean.rpm, clean.temperature_c)
    off = np.log(shaken.expected_kpa[judged] / clean.expected_kpa[judged])
    assert abs(float(np.median(off))) < 0.015 and float(np.percentile(np.abs(off), 95)) < 0.05
