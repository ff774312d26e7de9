"""Files that attack: nothing they say is run, followed or waited for; what is damaged costs itself and is told."""

from __future__ import annotations

import gzip
import os
import shutil
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from basso import workflow
from basso.errors import FormatError
from basso.formats import csv_text, isolated, packed
from basso.formats.options import ReadOptions
from basso.formats.registry import read_recording
from basso.platform.child import Bounds
from basso.recording.roles import Role
from support import write_temporary

RAW = (np.arange(400) % 100).astype("u2")
TIME = np.arange(400) * 0.05
BUS = workflow.demo_folder() / "bus"


def measurement(folder: Path, version: str, pressure: object, clock: object = None) -> Path:
    """A measurement file whose oil pressure (and perhaps whose clock) has a conversion."""
    from asammdf import MDF, Signal

    path = folder / ("log.mdf" if version < "4" else "log.mf4")
    with MDF(version=version) as file:  # type: ignore[arg-type]
        file.append(
            [
                Signal(RAW, TIME, name="Oil pressure", unit="kPa", conversion=pressure),
                Signal(3000 + TIME, TIME, name="RPM"),
            ]
        )  # type: ignore[arg-type]
        file.save(path, overwrite=True)
    return path


def conversion(**said: object) -> object:
    from asammdf.blocks.conversion_utils import from_dict

    return from_dict(said)  # type: ignore[arg-type]


# Measurement files


@pytest.mark.parametrize("version", ["3.30", "4.10"])
def test_a_formula_is_worked_out(version: str, tmp_path: Path) -> None:
    recording = read_recording(measurement(tmp_path, version, conversion(formula="X * 2 + 100")))
    pressure = recording.channel(Role.OIL_PRESSURE)
    assert pressure is not None and np.array_equal(pressure.values, RAW * 2.0 + 100.0)


@pytest.mark.parametrize("version", ["3.30", "4.10"])
@pytest.mark.parametrize(
    "planted",
    [
        "__import__('os').system('touch {mark}') or X",
        "open('{mark}', 'w') and X",
        "X.tofile('{mark}')",
        "[X for _ in (1,)][0]",
    ],
)
def test_a_formula_that_is_a_program_is_not_run_and_leaves_no_raw_numbers(
    version: str, planted: str, tmp_path: Path
) -> None:
    mark = tmp_path / "planted"
    recording = read_recording(measurement(tmp_path, version, conversion(formula=planted.format(mark=mark))))
    assert not mark.exists()
    assert [c.role for c in recording.channels] == [Role.RPM]
    assert any("'Oil pressure' was left out" in n and "not plain arithmetic" in n for n in recording.notes)


def test_formulas_within_other_conversions_are_held_to_the_same(tmp_path: Path) -> None:
    mark = tmp_path / "planted"
    inner = conversion(formula=f"open('{mark}', 'w') and X")
    for outer in (
        conversion(lower_0=0, upper_0=10, text_0="low", default_addr=inner),
        conversion(val_0=1, text_0=inner, val_1=2, text_1="two", default_addr=inner),
    ):
        recording = read_recording(measurement(tmp_path, "4.10", outer))
        assert not mark.exists() and not recording.has(Role.OIL_PRESSURE)
        assert any("'Oil pressure'" in n and "left out" in n for n in recording.notes)


def test_a_damaged_block_costs_itself_and_is_told_with_its_place(tmp_path: Path) -> None:
    from asammdf import MDF, Signal

    path, clock = tmp_path / "blocks.mf4", np.arange(120_000) * 0.01
    noise = np.random.default_rng(1).normal(size=(2, clock.size))
    with MDF(version="4.10") as file:
        file.configure(write_fragment_size=1 << 19)
        file.append(
            [Signal(3000 + noise[0], clock, name="RPM"), Signal(300 + noise[1], clock, name="Oil pressure", unit="kPa")]
        )
        file.save(path, overwrite=True, compression=1)
    data = bytearray(path.read_bytes())
    blocks = [at for at in range(len(data)) if data[at : at + 4] == b"##DZ"]
    assert len(blocks) >= 4
    data[blocks[2] + 300 : blocks[2] + 360] = bytes(60)
    path.write_bytes(data)
    recording = read_recording(path)
    pressure = recording.channel(Role.OIL_PRESSURE)
    assert pressure is not None and 0.5 * clock.size < pressure.values.size < clock.size
    (told,) = [n for n in recording.notes if "damaged block" in n]
    gap = int(np.argmax(np.diff(pressure.time_s)))
    assert "'Oil pressure'" in told and f"from {pressure.time_s[gap]:.1f} s on" in told
    right = np.round(pressure.time_s / 0.01).astype(int)
    np.testing.assert_allclose(pressure.values, (300 + noise[1])[right])


# Bus logs and their databases


@pytest.fixture
def bus(tmp_path: Path) -> Path:
    shutil.copy(BUS / "harrowfell.dbc", tmp_path / "harrowfell.dbc")
    return tmp_path


def _text_log(suffix: str, folder: Path) -> list[str]:
    from can import ASCWriter, CanutilsLogReader, TRCWriter

    lines = (BUS / "harrowfell.log").read_text().splitlines()[:3000]
    if suffix == ".log":
        return lines
    (folder / "part.txt").write_text("\n".join(lines))
    with {".asc": ASCWriter, ".trc": TRCWriter}[suffix](str(folder / f"whole{suffix}")) as out:
        for m in CanutilsLogReader(str(folder / "part.txt")):
            out.on_message_received(m)
    return (folder / f"whole{suffix}").read_text().splitlines()


@pytest.mark.parametrize(
    ("suffix", "bad"),
    [
        (".log", "(17785764x garbage"),
        (".log", "(1778576400.100000) can0 640#0Z"),
        (".asc", "   1.5 1  640  Rx   d 8 00 ZZ 03 0B 00 00 00"),
        (".trc", "    300      1500.000 DT  1      0640 Rx -  8    00 ZZ 03 0B 00 00 00 00"),
    ],
)
def test_a_bad_line_costs_itself_and_is_told_with_its_place(suffix: str, bad: str, bus: Path) -> None:
    lines = _text_log(suffix, bus)
    (bus / f"good{suffix}").write_text("\n".join(lines) + "\n")
    at = len(lines) // 10
    (bus / f"bad{suffix}").write_text("\n".join([*lines[:at], bad, *lines[at : 2 * at], bad, *lines[2 * at :]]) + "\n")
    good, read = read_recording(bus / f"good{suffix}"), read_recording(bus / f"bad{suffix}")
    assert read.duration_s == pytest.approx(good.duration_s) and read.samples >= good.samples - 2
    (told,) = [n for n in read.notes if "damaged" in n]
    assert told.startswith("2 damaged lines") and f"line {at + 1:,}" in told
    assert not any("damaged" in n for n in good.notes)


def test_a_head_that_is_damaged_does_not_hold_up_the_rest(bus: Path) -> None:
    lines = _text_log(".asc", bus)
    lines[0] = "date Xyz 99 99:99:99 9999"
    path = bus / "head.asc"
    path.write_text("\n".join(lines) + "\n")
    recording = read_recording(path)
    assert recording.samples > 500 and any("damaged line" in n and "line 1" in n for n in recording.notes)


def test_a_cut_log_says_how_much_of_it_is_there(bus: Path) -> None:
    from can import BLFWriter, CanutilsLogReader

    whole = bus / "whole.blf"
    with BLFWriter(str(whole)) as out:
        for m in list(CanutilsLogReader(str(BUS / "harrowfell.log")))[:12000]:
            out.on_message_received(m)
    data = whole.read_bytes()
    (bus / "cut.blf").write_bytes(data[: len(data) * 3 // 10])
    cut = read_recording(bus / "cut.blf")
    assert any("cut short: 30 % of it is there" in n for n in cut.notes)
    middle = bytearray(data)
    middle[len(data) // 2 : len(data) // 2 + 60] = bytes(60)
    (bus / "middle.blf").write_bytes(middle)
    read, sound = read_recording(bus / "middle.blf"), read_recording(whole)
    assert read.duration_s == pytest.approx(sound.duration_s) and 0.4 * sound.samples < read.samples < sound.samples
    assert any("damaged block" in n and "s of the drive" in n for n in read.notes)
    assert not any("damaged" in n or "cut" in n for n in sound.notes)


def test_a_block_that_points_at_itself_is_not_read_for_ever(bus: Path) -> None:
    from can import BLFWriter, CanutilsLogReader

    path = bus / "circle.blf"
    with BLFWriter(str(path), compression_level=0) as out:
        for m in list(CanutilsLogReader(str(BUS / "harrowfell.log")))[:9000]:
            out.on_message_received(m)
    begun = time.monotonic()
    sound = read_recording(path)
    sound_s = time.monotonic() - begun
    data = bytearray(path.read_bytes())
    inner = data.index(b"LOBJ", data.index(b"LOBJ", 144) + 4)
    third = data.index(b"LOBJ", data.index(b"LOBJ", inner + 4) + 4)
    data[third + 8 : third + 12] = bytes(4)  # the next object begins where this one does
    path.write_bytes(data)
    begun = time.monotonic()
    read = read_recording(path)
    assert time.monotonic() - begun < 4.0 * sound_s + 4.0, "a minute before; slower only as the machine is"
    assert any("damaged block" in n for n in read.notes) and read.samples > 0.4 * sound.samples


def _sheet() -> bytes:
    import io

    from openpyxl import Workbook

    book, out = Workbook(), io.BytesIO()
    book.active.append(["=1+1"])  # type: ignore[union-attr]
    book.save(out)
    return out.getvalue()


DATABASE = (BUS / "harrowfell.dbc").read_bytes()
CLAIMS: dict[str, tuple[str, Callable[[], bytes], str]] = {
    "a spreadsheet": ("sheet.xlsx", _sheet, "is no bus database"),
    "a spreadsheet called a database": ("sheet.dbc", _sheet, "is no bus database"),
    "a table": ("table.dbc", lambda: b"a,b\n1,2\n", "is no bus database"),
    "a database called a spreadsheet": ("base.xls", lambda: DATABASE, "is no bus database"),
    "a signal of 10⁹ bits": ("a.dbc", lambda: DATABASE.replace(b"0|16@1+", b"0|1000000000@1+", 1), "a frame has 512"),
    "a range of 10⁸": (
        "b.dbc",
        lambda: DATABASE + b"\nSG_MUL_VAL_ 1600 Throttle EngineSpeed 0-100000000;\n",
        "multiplexer values",
    ),
    "brackets": ("c.dbc", lambda: b'VERSION ""\n' + b"(" * 300_000, "no bus database that can be read"),
    "entities": (
        "d.kcd",
        lambda: b'<!DOCTYPE a [<!ENTITY b "cc"><!ENTITY d "&b;&b;">]><NetworkDefinition>&d;</NetworkDefinition>',
        "no bus database that can be read",
    ),
}


@pytest.mark.parametrize("what", CLAIMS)
def test_what_no_database_can_claim_is_refused_at_once(what: str, tmp_path: Path) -> None:
    name, data, says = CLAIMS[what]
    database = tmp_path / name
    database.write_bytes(data())
    begun = time.monotonic()
    with pytest.raises(FormatError, match=says) as told:
        read_recording(BUS / "harrowfell.log", ReadOptions(database=database))
    assert name in str(told.value) and time.monotonic() - begun < 15.0


@pytest.mark.parametrize(
    ("old", "new", "lost"),
    [
        (b"SG_ Throttle :", b"SG_ Throttle m0M :", set()),
        (b"(0.25,0)", b"(1e99999,0)", {"EngineSpeed"}),
        (b"SG_ OilPressure : 16|16@1+", b"SG_ OilPressure : 16|12@1+", {"OilPressure"}),
    ],
)
def test_a_signal_that_no_frame_can_hold_is_left_out_and_told(
    old: bytes, new: bytes, lost: set[str], tmp_path: Path
) -> None:
    database = tmp_path / "odd.dbc"
    circle = b"\nSG_MUL_VAL_ 1600 Throttle OilPressure 0-1;\nSG_MUL_VAL_ 1600 OilPressure Throttle 0-1;\n"
    text = DATABASE.replace(old, new, 1)
    if b"m0M" in new:
        text, lost = text.replace(b"SG_ OilPressure :", b"SG_ OilPressure m1M :") + circle, {"Throttle", "OilPressure"}
    if b"|12@" in new:
        text += b"\nSIG_VALTYPE_ 1600 OilPressure : 1;\n"
    database.write_bytes(text)
    recording = read_recording(BUS / "harrowfell.log", ReadOptions(database=database))
    names = {c.name for c in recording.channels}
    assert not lost & names and "VehicleSpeed" in names
    assert all(any(f"'{n}'" in note and "no frame can hold" in note for note in recording.notes) for n in lost)


# What is not waited for, and what is not eaten


def test_pipes_devices_circles_and_names_are_refused_at_once(tmp_path: Path) -> None:
    pipe, circle = tmp_path / "pipe.csv", tmp_path / "circle.csv"
    os.mkfifo(pipe)
    circle.symlink_to(circle)
    (tmp_path / "two\nlines.csv").write_text("Time,RPM\n0,1\n")
    (tmp_path / "\x1b[31mred.csv").write_text("Time,RPM\n0,1\n")
    begun = time.monotonic()
    for path, says in (
        (pipe, "is a pipe or a device"),
        (Path("/dev/zero"), "is a pipe or a device"),
        (circle, "cannot be read"),
        (tmp_path / "two\nlines.csv", r"two\\nlines.csv: has a name with"),
        (tmp_path / "\x1b[31mred.csv", r"\\x1b\[31mred.csv: has a name with"),
    ):
        for read in (read_recording, workflow.describe, workflow.open_recording):
            with pytest.raises(FormatError, match=says) as told:
                read(path)
            assert "\n" not in str(told.value) and "\x1b" not in str(told.value)
    assert time.monotonic() - begun < 2.0


def test_a_pipe_beside_a_log_is_no_database(bus: Path) -> None:
    (bus / "harrowfell.dbc").unlink()
    os.mkfifo(bus / "log.dbc")
    (bus / "log.log").write_text("\n".join(_text_log(".log", bus)[:400]))
    assert any("No database was given" in n for n in read_recording(bus / "log.log").notes)
    with pytest.raises(FormatError, match=r"log\.dbc: is a pipe"):
        read_recording(bus / "log.log", ReadOptions(database=bus / "log.dbc"))


@pytest.mark.parametrize("heading", ["(" * 60_000, "_" * 60_000, "[ " * 30_000, "A1" * 30_000, "a" * 60_000])
def test_a_heading_of_any_length_is_read_in_linear_time(heading: str) -> None:
    rows = "".join(f"{i * 0.1:.1f},{3000 + i},{300 + i % 7},{i}\n" for i in range(60))
    path = write_temporary(f"Time [s],RPM,Oil pressure [kPa],{heading}\n{rows}".encode(), "long.csv")
    begun = time.monotonic()
    recording = read_recording(path)
    assert time.monotonic() - begun < 2.0 and recording.has(Role.OIL_PRESSURE)
    assert max(len(c.name) for c in recording.channels) <= 200


def test_names_and_notes_hold_nothing_that_cannot_be_seen() -> None:
    rows = "".join(f"{i * 0.1:.1f},{3000 + i},{300 + i % 7},x\x1b[2J\n" for i in range(60))
    text = f"Driver,\x1b]0;title\x07 A\u202eB\nTime [s],RPM,Oil\x07pressure\u200b [kPa],No\u202ete\n{rows}"
    recording = read_recording(write_temporary(text.encode(), "names.csv"))
    said = [c.name for c in recording.channels] + list(recording.notes) + list(recording.facts.values())
    assert recording.has(Role.OIL_PRESSURE) and "A B" in " ".join(recording.facts.values())
    assert not any(ord(c) < 32 or c in "\u202e\u200b\x7f" for s in said for c in s)


@pytest.mark.parametrize("name", ["bomb.csv.gz", "bomb.parquet.gz"])
def test_a_bomb_is_refused_before_it_goes_off(name: str, monkeypatch: pytest.MonkeyPatch) -> None:
    head = b"Time,RPM\n" if ".csv" in name else b"PAR1"
    path = write_temporary(gzip.compress(head + b"0,1\n" * 9_000_000), name)
    with pytest.raises(FormatError, match="unpacks to more than 200 times its size"):
        read_recording(path)
    monkeypatch.setattr(packed, "MOST_UNPACKED_RATIO", 10_000)
    monkeypatch.setattr(csv_text, "MOST_TEXT_BYTES", 20_000_000)
    if ".csv" in name:
        with pytest.raises(FormatError, match="unpacks to more than 20 MB"):
            read_recording(path)


def test_too_much_is_said_early_with_the_remedy(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    big = tmp_path / "big.csv"
    big.write_bytes(b"Time,RPM\n0,1\n0.1,2\n" + b"0.2,3\n" * 1000)
    os.truncate(big, 500_000_000)
    begun = time.monotonic()
    with pytest.raises(FormatError, match=r"text of more than 400 MB; export it stint by stint"):
        csv_text.read(big, ReadOptions(), lambda *_: None)
    monkeypatch.setattr(csv_text, "MOST_NUMBERS", 1000)
    rows = "".join(f"{i * 0.1:.1f},{i},{i},{i}\n" for i in range(250))
    four = write_temporary(f"Time [s],RPM,a,b\n{rows}".encode(), "four.csv")
    assert read_recording(four).samples == 250
    with pytest.raises(FormatError, match="251 rows of 4 columns, more than 1,000 readings"):
        read_recording(write_temporary(f"Time [s],RPM,a,b\n{rows}25.1,1,1,1\n".encode(), "more.csv"))
    wide = ",".join(f"c{i}" for i in range(5001))
    with pytest.raises(FormatError, match="has 5,002 columns"):
        read_recording(write_temporary(f"Time,{wide}\n{'1,' * 5001}1\n{'2,' * 5001}1\n".encode(), "wide.csv"))
    sparse = tmp_path / "sparse.log"
    sparse.write_bytes(b"(1.0) can0 640#0011\n")
    os.truncate(sparse, 8 << 30)
    with pytest.raises(FormatError, match="larger than 1000 MB"):
        read_recording(sparse)
    assert time.monotonic() - begun < 10.0


def test_damaged_gzip_of_any_kind_is_a_sentence() -> None:
    rng = np.random.default_rng(3)
    sound = gzip.compress(b"Time [s],RPM\n" + b"".join(b"%.1f,%d\n" % (i * 0.1, i) for i in range(3000)))
    refused = 0
    for _ in range(60):
        data = bytearray(sound)
        data[int(rng.integers(2, len(data)))] ^= int(rng.integers(1, 256))
        try:
            read_recording(write_temporary(bytes(data), "log.csv.gz"))
        except FormatError:
            refused += 1
    assert refused > 30


@pytest.mark.parametrize(("why", "says"), [("time", "takes far longer"), ("memory", "asks for more memory")])
def test_a_reader_that_runs_wild_is_ended_and_said(
    why: str, says: str, bus: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    tight = Bounds(60_000_000, 60.0, 1 << 30) if why == "memory" else Bounds(1 << 30, 0.05, 1 << 30)
    monkeypatch.setattr(isolated, "Bounds", lambda *_: tight)
    with pytest.raises(FormatError, match=rf"harrowfell\.log: {says}"):
        read_recording(BUS / "harrowfell.log")


def test_readings_far_beyond_anything_are_missing_and_told() -> None:
    values = [f"{i * 0.1:.1f},{3000 + i},{300 + i % 7}" for i in range(200)]
    values[50] = "5.0,3050,8.3e21"
    values[60] = "6.0,3060,-4e9"
    recording = read_recording(
        write_temporary(("Time [s],RPM,Oil pressure [kPa]\n" + "\n".join(values)).encode(), "wild.csv")
    )
    pressure = recording.channel(Role.OIL_PRESSURE)
    assert pressure is not None and np.flatnonzero(np.isnan(pressure.values)).tolist() == [50, 60]
    assert any("2 readings far beyond" in n and "5.0 s" in n for n in recording.notes)
