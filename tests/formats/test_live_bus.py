"""A bus as it runs: what came is on the disk within a second, whatever happens; its clock may jump."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import can
import pytest

from basso.errors import InputError
from basso.formats.live_bus import BusClock, LiveBus, open_bus
from basso.formats.options import ReadOptions
from basso.formats.registry import read_recording
from basso.standin.bus import DATABASE
from support import write_temporary


def database() -> Path:
    return write_temporary(DATABASE.encode(), "car.dbc")


def frame(identifier: int = 0x640, data: bytes = b"\x00" * 8, **more: bool) -> can.Message:
    return can.Message(arbitration_id=identifier, data=data, is_extended_id=False, **more)


def settle(bus: LiveBus, count: int) -> None:
    until = time.monotonic() + 5.0
    while bus.received + bus.bad < count and time.monotonic() < until:
        time.sleep(0.01)


class TestClock:
    def test_stamps_are_taken_as_they_are(self) -> None:
        clock = BusClock()
        assert [clock.told(1000.0 + t, 50.0 + t) for t in (0.0, 0.04, 0.08, 9.0)] == [1000.0, 1000.04, 1000.08, 1009.0]
        assert clock.jumps == 0, "nine seconds of silence went by here too"

    @pytest.mark.parametrize("by_s", [-3600.0, -0.6, 6.0, 86400.0])
    def test_a_jump_goes_on_by_the_time_here(self, by_s: float) -> None:
        clock = BusClock()
        clock.told(1000.0, 50.0)
        assert clock.told(1000.04 + by_s, 50.04) == pytest.approx(1000.04)
        assert clock.told(1000.08 + by_s, 50.08) == pytest.approx(1000.08), "and the new clock is believed from then on"
        assert clock.jumps == 1

    def test_a_little_disorder_is_no_jump(self) -> None:
        clock = BusClock()
        assert [clock.told(t, 50.0 + i * 0.01) for i, t in enumerate((10.0, 10.02, 10.01, 10.03))] == [
            10.0,
            10.02,
            10.02,
            10.03,
        ]
        assert clock.jumps == 0


def test_what_comes_is_recorded_with_its_database(tmp_path: Path) -> None:
    bus = LiveBus("virtual", "recorded", database(), tmp_path)
    with open_bus("virtual", "recorded") as sender:
        for i in range(200):
            sender.send(frame(0x640, i.to_bytes(2, "little") + b"\xe8\x03" + b"\x00" * 4))
            time.sleep(0.001)
        sender.send(can.Message(is_error_frame=True))
        sender.send(frame(is_remote_frame=True, data=b""))
    settle(bus, 202)
    bus.close()
    assert (bus.received, bus.bad) == (200, 2)
    recording = read_recording(bus.path, ReadOptions())
    speed = next(c for c in recording.channels if c.name == "EngineSpeed")
    assert speed.values.tolist() == [0.25 * i for i in range(200)]
    assert next(c for c in recording.channels if c.name == "OilPressure").values.tolist() == [0.0] * 200


def test_where_nothing_comes_nothing_is_left(tmp_path: Path) -> None:
    LiveBus("virtual", "empty", database(), tmp_path).close()
    assert list(tmp_path.iterdir()) == []


def test_a_bus_that_is_not_there_is_one_sentence(tmp_path: Path) -> None:
    for interface, channel in (("nosuch", "can0"), ("socketcan", "nosuch7"), ("slcan", "/dev/nosuch")):
        with pytest.raises(InputError, match=f"--bus {interface} --channel {channel}: cannot be opened"):
            LiveBus(interface, channel, database(), tmp_path)
    assert list(tmp_path.iterdir()) == []


def test_a_bus_that_is_lost_is_told_and_opened_again(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from basso.formats import live_bus

    monkeypatch.setattr(live_bus, "_AGAIN_EVERY_S", 0.05)
    bus = LiveBus("virtual", "lost", database(), tmp_path)
    inner = bus._bus

    def pulled_out(timeout: float | None = None) -> None:
        raise can.CanOperationError("the adapter is gone")

    monkeypatch.setattr(inner, "recv", pulled_out)
    until, told = time.monotonic() + 5.0, ""
    while bus._bus is inner and time.monotonic() < until:
        told = bus.trouble or told
        time.sleep(0.002)
    assert "the adapter is gone" in told
    with open_bus("virtual", "lost") as sender:
        sender.send(frame())
        settle(bus, 1)
    bus.close()
    assert bus.received == 1 and bus.trouble == ""


CHILD = """
import sys, time
from pathlib import Path
from basso.formats.live_bus import LiveBus, open_bus
import can
bus = LiveBus("virtual", "killed", Path(sys.argv[1]), Path(sys.argv[2]))
sender = open_bus("virtual", "killed")
for i in range(100_000):
    sender.send(can.Message(arbitration_id=0x640, data=i.to_bytes(4, "little") * 2, is_extended_id=False))
    print(i, flush=True)
    time.sleep(0.002)
"""


def test_killed_at_any_moment_all_but_the_last_second_is_kept(tmp_path: Path) -> None:
    child = subprocess.Popen([sys.executable, "-c", CHILD, str(database()), str(tmp_path)], stdout=subprocess.PIPE)
    assert child.stdout is not None
    sent: list[tuple[float, int]] = []
    # Not by the clock alone: on a busy machine it sends slower.
    while len(sent) < 600 or sent[-1][0] - sent[0][0] < 2.5:
        sent.append((time.monotonic(), int(child.stdout.readline())))
    os.kill(child.pid, signal.SIGKILL)
    killed = time.monotonic()
    child.wait()
    (log,) = tmp_path.glob("*.log")
    numbers = [int.from_bytes(bytes.fromhex(line.split("#")[1][:8]), "little") for line in log.read_text().splitlines()]
    due = [n for at, n in sent if at < killed - 1.0]
    assert len(due) >= 100, "more than the last second was sent"
    assert numbers[: len(due)] == due, "none before the last second is missing, none twice"
    assert read_recording(log, ReadOptions()).duration_s > 1.0
