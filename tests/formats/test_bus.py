"""Bus logs in every form the library writes are decoded as the library itself decodes them."""

from __future__ import annotations

import gzip
import random
from collections.abc import Callable
from pathlib import Path
from typing import Any

import can
import cantools
import numpy as np
import pytest

from basso.errors import FormatError
from basso.formats.database import bit_places, raw_values
from basso.formats.options import ReadOptions
from basso.formats.registry import read_recording
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.standin.bus import DATABASE

MULTIPLEXED = """VERSION ""
BU_: A
BO_ 100 MUX: 8 A
 SG_ Kind M : 0|4@1+ (1,0) [0|15] "" A
 SG_ OilPressure m0 : 8|16@1+ (0.1,0) [0|1000] "kPa" A
 SG_ OilTemp m1 : 8|16@1- (0.1,0) [-40|200] "degC" A
BO_ 2566834709 WIDE: 8 A
 SG_ EngineSpeed : 39|16@0+ (0.5,0) [0|20000] "rpm" A
 SG_ Trim : 2|11@1- (0.25,3) [-1000|1000] "" A
 SG_ Ratio : 63|1@0+ (1,0) [0|1] "" A
"""


def _database(folder: Path, text: str = DATABASE) -> Any:
    (folder / "bus.dbc").write_text(text)
    return cantools.database.load_string(text)


def _messages(database: Any, count: int = 400) -> tuple[list[can.Message], dict[str, list[float]]]:
    """Frames of a made drive, and what is in them."""
    truth: dict[str, list[float]] = {"EngineSpeed": [], "OilPressure": [], "LateralAcc": []}
    messages = []
    for i in range(count):
        engine = {"EngineSpeed": 3000 + 5 * i, "OilPressure": 250.0 + i / 2, "Throttle": 50}
        motion = {"LateralAcc": -1.2 + i / 200, "LongitudinalAcc": 0.3}
        for name, values in (("ENGINE_1", engine), ("MOTION", motion)):
            message = database.get_message_by_name(name)
            data = message.encode(values)
            messages.append(
                can.Message(
                    timestamp=1000.0 + i * 0.02 + (name == "MOTION") * 0.001,
                    arbitration_id=message.frame_id,
                    is_extended_id=False,
                    data=data,
                )
            )
            for key, value in message.decode(data).items():
                if key in truth:
                    truth[key].append(float(value))
    return messages, truth


def _check(recording: Recording, truth: dict[str, list[float]]) -> None:
    for name, role in (("EngineSpeed", Role.RPM), ("OilPressure", Role.OIL_PRESSURE), ("LateralAcc", Role.LATERAL_G)):
        channel = recording.channel(role)
        assert channel is not None and channel.name == name and not channel.unit_assumed
        np.testing.assert_allclose(channel.values, truth[name], atol=1e-9)
        np.testing.assert_allclose(np.diff(channel.time_s), 0.02, atol=1e-4)
        assert channel.confidence > 0.7


WRITERS: dict[str, Callable[[str], Any]] = {
    ".log": can.CanutilsLogWriter,
    ".asc": can.ASCWriter,
    ".blf": can.BLFWriter,
    ".trc": can.TRCWriter,
}


@pytest.mark.parametrize("suffix", WRITERS)
def test_every_form_of_log_with_its_database_beside_it(suffix: str, tmp_path: Path) -> None:
    messages, truth = _messages(_database(tmp_path))
    path = tmp_path / f"drive{suffix}"
    with WRITERS[suffix](str(path)) as writer:
        for m in messages:
            writer.on_message_received(m)
    _check(read_recording(path), truth)
    packed = tmp_path / f"{path.name}.gz"
    packed.write_bytes(gzip.compress(path.read_bytes()))
    recording = read_recording(packed)
    _check(recording, truth)
    assert recording.path == packed and recording.format.endswith("in gzip")
    whole = gzip.compress(path.read_bytes())
    packed.write_bytes(whole[: len(whole) // 2])
    cut = read_recording(packed)
    assert 0.0 < cut.duration_s < recording.duration_s
    assert "the gzip file is cut short" in cut.damage[0]
    packed.write_bytes(whole[:-8] + bytes(8))
    with pytest.raises(FormatError, match=r"gz: is a damaged gzip file"):
        read_recording(packed)


def test_candump_as_it_stands_on_a_terminal(tmp_path: Path) -> None:
    messages, truth = _messages(_database(tmp_path))
    path = tmp_path / "screen.txt"
    path.write_text(
        "".join(
            f" ({m.timestamp:017.6f})  can0  {m.arbitration_id:03X}   [{m.dlc}]  "
            f"{' '.join(f'{b:02X}' for b in m.data)}\n"
            for m in messages
        )
    )
    _check(read_recording(path), truth)


def test_decoding_is_the_librarys_for_random_frames() -> None:
    random.seed(4)
    database: Any = cantools.database.load_string(
        MULTIPLEXED + DATABASE.split("BU_: Engine Logger")[1].replace("Logger", "A")
    )
    for message in database.messages:
        data = [bytes(random.randrange(256) for _ in range(message.length)) for _ in range(300)]
        bits = np.unpackbits(
            np.frombuffer(b"".join(data), np.uint8).reshape(-1, message.length), axis=1, bitorder="little"
        )
        for signal in message.signals:
            found = raw_values(signal, bits, np.full(300, message.length))
            for row, value in zip(data, found, strict=True):
                decoded = (
                    message.decode(row, decode_choices=False, scaling=False, allow_truncated=True)
                    if not (message.is_multiplexed() and row[0] % 16 > 1)
                    else {}
                )
                if signal.name in decoded:
                    assert value == decoded[signal.name], signal.name


def test_multiplexed_signals_get_their_own_times(tmp_path: Path) -> None:
    database = _database(tmp_path, MULTIPLEXED)
    mux = database.get_message_by_name("MUX")
    path = tmp_path / "mux.log"
    with can.CanutilsLogWriter(str(path)) as writer:
        for i in range(200):
            values = {"Kind": i % 2, "OilPressure": 300 + i} if i % 2 == 0 else {"Kind": 1, "OilTemp": 60 + i / 10}
            writer.on_message_received(
                can.Message(timestamp=5.0 + i * 0.1, arbitration_id=100, is_extended_id=False, data=mux.encode(values))
            )
    recording = read_recording(path)
    pressure, temperature = recording.channel(Role.OIL_PRESSURE), recording.channel(Role.OIL_TEMP)
    assert pressure is not None and temperature is not None
    np.testing.assert_allclose(pressure.values, 300 + np.arange(0, 200, 2))
    np.testing.assert_allclose(temperature.values, 60 + np.arange(1, 200, 2) / 10, atol=1e-9)
    assert float(temperature.time_s[0]) == pytest.approx(0.1, abs=1e-4)


def test_places_of_a_big_endian_signal_worked_by_hand() -> None:
    assert bit_places(7, 16, little=False) == [7, 6, 5, 4, 3, 2, 1, 0, 15, 14, 13, 12, 11, 10, 9, 8]
    assert bit_places(1, 4, little=False) == [1, 0, 15, 14]
    assert bit_places(4, 3, little=True) == [6, 5, 4]


def test_without_a_database_the_bytes_are_shown_and_one_is_asked_for(tmp_path: Path) -> None:
    path = tmp_path / "lonely.log"
    path.write_text("".join(f"({i * 0.1:.6f}) can0 123#{i:02X}FF\n" for i in range(50)))
    recording = read_recording(path)
    assert [c.name for c in recording.channels] == ["id 123 byte 0", "id 123 byte 1"]
    np.testing.assert_array_equal(recording.channels[0].values, np.arange(50))
    assert any("--dbc" in n for n in recording.notes)


def test_the_wrong_or_a_damaged_database_is_said(tmp_path: Path) -> None:
    path = tmp_path / "drive.log"
    path.write_text("".join(f"({i * 0.1:.6f}) can0 123#{i:02X}FF\n" for i in range(50)))
    for text, words in ((DATABASE, "none of the 4 identifiers"), ("VERSION BO_ ??", "no bus database")):
        _ = (tmp_path / "other.dbc").write_text(text)
        with pytest.raises(FormatError, match=words):
            read_recording(path, ReadOptions(database=tmp_path / "other.dbc"))
    with pytest.raises(FormatError, match="does not exist"):
        read_recording(path, ReadOptions(database=tmp_path / "gone.dbc"))


def test_the_sample_that_ships_is_read() -> None:
    from basso.workflow import demo_folder

    recording = read_recording(demo_folder() / "bus" / "harrowfell.log")
    for role in (Role.RPM, Role.OIL_PRESSURE, Role.OIL_TEMP, Role.LATERAL_G, Role.LONGITUDINAL_G, Role.SPEED, Role.LAP):
        assert recording.has(role), role
    assert recording.started.startswith("2026-05-12")
