"""A drive judged while it runs: the same dips as from the whole log, and nothing that is silent reads as a value."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from pathlib import Path

import numpy as np
import pytest

from basso.alarm.live import LiveJudge, LiveReading, Stage
from basso.alarm.rules import AlarmRule, showings
from basso.alarm.session import LiveSession
from basso.analysis import analyse
from basso.errors import InputError
from basso.formats.options import ReadOptions
from basso.formats.registry import read_recording
from basso.formats.replayed_bus import ReplayedBus
from basso.pressure.floors import Fixed
from basso.pressure.options import JudgeOptions
from basso.recording.roles import Role
from basso.standin.bus import DATABASE, BusFrame, frames_of
from basso.standin.scenarios import generator, run
from basso.units import UNITS
from support import write_temporary

ENGINE, HEAT = 0x640, 0x641


def database() -> Path:
    return write_temporary(DATABASE.encode(), "car.dbc")


@lru_cache(maxsize=4)
def driven(name: str, seed: int, laps: int | None = None) -> list[BusFrame]:
    return frames_of(run(name, seed, laps)[0], generator("bus", seed))


def heard(
    frames: Sequence[BusFrame],
    until_s: float | None = None,
    judging: JudgeOptions | None = None,
    reading: ReadOptions | None = None,
    tick_s: float = 0.1,
) -> tuple[LiveSession, list[LiveReading]]:
    source = ReplayedBus([(f.at_s, f.identifier, f.data) for f in frames], Path("live.log"))
    session = LiveSession(source, database(), reading or ReadOptions(), judging or JudgeOptions(), clock=source.clock)
    shown = []
    for tick in range(int((until_s or frames[-1].at_s) / tick_s) + 2):
        source.now_s = tick * tick_s
        shown.append(session.tick())
    return session, shown


def whole(frames: Sequence[BusFrame], judging: JudgeOptions | None = None) -> list[tuple[float, float]]:
    lines = "".join(f"({f.at_s:.6f}) can0 {f.identifier:03X}#{f.data.hex()}\n" for f in frames)
    log = write_temporary(lines.encode(), "drive.log")
    recording = read_recording(log, ReadOptions(database=database()))
    return [(d.dip.start_s, d.dip.end_s) for d in analyse(recording, judging or JudgeOptions()).dips]


@pytest.mark.parametrize(("name", "seed"), [("truth-left", 401), ("truth-high-rpm", 403)])
def test_the_dips_are_those_of_the_whole_log(name: str, seed: int) -> None:
    frames = [f for f in driven(name, seed, 5) if f.at_s < 180.0]
    lines = "".join(f"({f.at_s:.6f}) can0 {f.identifier:03X}#{f.data.hex()}\n" for f in frames)
    log = write_temporary(lines.encode(), "drive.log")
    own = analyse(read_recording(log, ReadOptions(database=database())))
    assert own.expected.valid
    judging = JudgeOptions(normal=own.expected)
    session, shown = heard(frames, judging=judging, tick_s=0.25)
    found, said = [(d.start_s, d.end_s) for d in session.judge.dips], whole(frames, judging)
    assert len(said) >= 2 and len(found) == len(said)
    assert np.max(np.abs(np.array(found) - np.array(said))) <= 0.02
    assert shown[-1].dips == len(said)
    assert any(r.state == "low" for r in shown)


def test_every_number_is_that_of_the_last_frame() -> None:
    frames = driven("truth-left", 401, 5)
    _, shown = heard(frames, 60.0, tick_s=0.05)
    engine = next(f for f in reversed(frames) if f.identifier == ENGINE and f.at_s <= 60.05)
    assert shown[-1].rpm == 0.25 * int.from_bytes(engine.data[0:2], "little")
    assert shown[-1].pressure_kpa == pytest.approx(0.1 * int.from_bytes(engine.data[2:4], "little") - 100.0)
    assert shown[-1].floor_kpa == pytest.approx(0.0483 * shown[-1].rpm, rel=0.05), "without a normal: by rpm alone"
    assert shown[-1].expected_kpa is None


def test_a_silent_channel_is_no_reading() -> None:
    frames = [f for f in driven("truth-left", 401, 5) if not (f.identifier == ENGINE and f.at_s > 40.0)]
    _, shown = heard(frames, 45.0)
    at = {round(r.time_s, 1): r for r in shown if r.time_s is not None}
    assert at[40.0].state != "no signal" and at[40.0].pressure_kpa is not None
    late = at[41.0]
    assert late.state == "no signal"
    assert late.pressure_kpa is None and late.rpm is None and late.floor_kpa is None
    assert late.oil_temp_c is not None, "the oil temperature still comes"
    first_silent = next(r for r in shown if r.time_s is not None and r.time_s > 40.0 and r.state == "no signal")
    assert first_silent.time_s < 40.7


def test_without_oil_temperature_there_is_no_normal_by_temperature() -> None:
    frames = driven("truth-left", 401, 5)
    lines = "".join(f"({f.at_s:.6f}) can0 {f.identifier:03X}#{f.data.hex()}\n" for f in frames)
    own = analyse(read_recording(write_temporary(lines.encode(), "d.log"), ReadOptions(database=database())))
    judging = JudgeOptions(normal=own.expected)
    quiet = [f for f in frames if not (f.identifier == HEAT and f.at_s > 50.0)]
    _, shown = heard(quiet, 62.0, judging)
    assert any(r.expected_kpa is not None for r in shown)
    assert shown[-1].oil_temp_c is None and shown[-1].expected_kpa is None and shown[-1].pressure_kpa is not None


def test_an_absolute_sensor_is_put_right_from_its_zero() -> None:
    off = 101.0
    frames = []
    for f in driven("shakedown", 403, 5):
        data = f.data
        if f.identifier == ENGINE:
            raised = int.from_bytes(data[2:4], "little") + round(off / 0.1)
            data = data[:2] + raised.to_bytes(2, "little") + data[4:]
        frames.append(BusFrame(f.at_s, f.identifier, data))
    _, right = heard(driven("shakedown", 403, 5), 40.0)
    session, shown = heard(frames, 40.0)
    assert shown[-1].pressure_kpa == pytest.approx(right[-1].pressure_kpa, abs=4.0)
    assert any("zero" in note for note in session.take_notes())


def test_frames_that_nobody_knows_harm_nothing() -> None:
    frames = driven("truth-left", 401, 5)
    strange = [BusFrame(f.at_s, 0x123, b"\xff" * 8) for f in frames[::3]]
    short = [BusFrame(f.at_s + 1e-4, ENGINE, f.data[:1]) for f in frames[::50]]
    mixed = sorted([*frames, *strange, *short], key=lambda f: f.at_s)
    session, shown = heard(mixed, 30.0)
    _, plain = heard(frames, 30.0)
    assert [r.pressure_kpa for r in shown[-100:]] == [r.pressure_kpa for r in plain[-100:]]
    assert session.take_notes()[1:] == [], "the first says what the zero is"


def test_a_database_of_another_bus_is_told_at_once() -> None:
    frames = [BusFrame(f.at_s, f.identifier + 0x100, f.data) for f in driven("truth-left", 401, 5)]
    session, shown = heard(frames, 6.0)
    assert {r.state for r in shown} == {"no signal"}
    assert "describes none of the frames" in " ".join(session.take_notes())


def test_nothing_at_all_is_told_and_leaves_no_recording() -> None:
    session, shown = heard([], 4.0)
    assert shown[-1].state == "no signal" and shown[-1].time_s is None
    assert session.take_notes() == ["Nothing comes from the bus yet; check channel, rate and wiring."]
    with pytest.raises(InputError, match="No frame came"):
        session.close()


def test_a_signal_is_taken_for_what_the_user_says() -> None:
    frames = driven("truth-left", 401, 5)
    _, shown = heard(
        frames, 30.0, reading=ReadOptions(roles={Role.OIL_PRESSURE: "Throttle"}, units={"Throttle": UNITS["kPa"]})
    )
    said = [r.pressure_kpa for r in shown[-100:] if r.pressure_kpa is not None]
    assert min(said) <= 0.0 and max(said) >= 50.0, "a throttle that opens and shuts, no pressure of a running engine"


def test_a_signal_that_is_not_there_is_told_and_the_rest_goes_on() -> None:
    session, shown = heard(driven("truth-left", 401, 5), 8.0, reading=ReadOptions(roles={Role.RPM: "Revs"}))
    assert "has no column 'Revs'" in " ".join(session.take_notes())
    assert shown[-1].state == "no signal"


class TestDevice:
    RULE = AlarmRule("table", 3000.0, ((3000.0, 200.0), (6000.0, 330.0)), 0.15, 15.0)

    @pytest.mark.parametrize("seed", range(6))
    def test_sample_by_sample_it_is_as_over_the_whole(self, seed: int) -> None:
        rng = np.random.default_rng(seed)
        time_s = np.arange(3000) * 0.02
        rpm = 4000.0 + 1500.0 * np.sin(time_s / 3.0) + rng.normal(0.0, 60.0, time_s.size)
        kpa = 280.0 + 90.0 * np.sin(time_s / 1.3) + rng.normal(0.0, 12.0, time_s.size)
        kpa[rng.integers(0, kpa.size, 60)] = np.nan
        stage, shown = Stage(self.RULE), []
        for t, n, p in zip(time_s.tolist(), rpm.tolist(), kpa.tolist(), strict=True):
            stage.step(t, n, p)
            shown.append(stage.shows)
        expected = np.zeros(time_s.size, dtype=bool)
        for start, end in showings(self.RULE, time_s, rpm, kpa):
            expected[start:end] = True
        assert expected.any() and not expected.all()
        assert shown == expected.tolist()

    def judge(self, kpa: float, rpm: float, rule: AlarmRule | None = None, seconds: float = 5.0) -> LiveReading:
        made = LiveJudge(JudgeOptions(floors=(Fixed(210.0),)), rule)
        for role in (Role.OIL_PRESSURE, Role.RPM):
            made.name(role, str(role), UNITS["kPa"] if role is Role.OIL_PRESSURE else UNITS["rpm"])
        reading = made.now(0.0)
        for i in range(int(seconds * 50)):
            at = np.array([i * 0.02])
            made.hear(Role.RPM, at, np.array([rpm]), i * 0.02)
            made.hear(Role.OIL_PRESSURE, at, np.array([kpa]), i * 0.02)
            reading = made.now(i * 0.02)
        return reading

    def test_the_states(self) -> None:
        two = AlarmRule("two_stage", 3000.0, ((3000.0, 150.0),), 0.15, 15.0, ((3000.0, 230.0),))
        assert self.judge(240.0, 5000.0, two).state == "ok"
        assert self.judge(220.0, 5000.0, two).state == "caution"
        assert self.judge(200.0, 5000.0, two).state == "low", "under the floor goes before the first stage"
        assert self.judge(140.0, 5000.0, two).state == "alarm"
        assert self.judge(140.0, 2500.0, two).state == "low", "the device is silent under its gate"

    def test_without_a_device_what_is_severe_alarms(self) -> None:
        assert self.judge(111.0, 5000.0).state == "low"
        assert self.judge(109.0, 5000.0).state == "alarm", "more than 100 kPa under the floor"
        assert self.judge(109.0, 5000.0, seconds=0.2).state == "low", "but not yet for 0.3 s"

    def test_idling_without_pressure_is_no_ok(self) -> None:
        assert self.judge(60.0, 900.0).state == "ok"
        assert self.judge(10.0, 900.0, seconds=2.0).state == "ok"
        assert self.judge(10.0, 900.0).state == "alarm"
        assert self.judge(0.0, 0.0).state == "ok", "it stands"
