"""A damaged log: what can be read is read right, what is lost is told wherever the log is judged."""

from __future__ import annotations

import gzip
import json
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from asammdf import MDF, Signal

from basso.analysis import analyse
from basso.cli.main import main
from basso.errors import FormatError
from basso.formats.registry import read_recording
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.units import DisplayUnits
from basso.words.headline import sentence
from streamed_mdf import streamed

ROWS = 12_000
TIME = 0.05 * np.arange(ROWS)
_TURN = np.sin(TIME / 3.0)
COLUMNS = {
    "Time": ("s", TIME),
    "Engine speed": ("rpm", 4500.0 + 1500.0 * np.sin(TIME / 7.0)),
    "Oil pressure": ("kPa", 420.0 + 60.0 * np.sin(TIME / 7.0)),
    "Oil temp": ("°C", 95.0 + 5.0 * np.sin(TIME / 200.0)),
    "Lateral acc": ("g", 0.9 * _TURN),
    "Speed": ("km/h", 110.0 + 20.0 * np.cos(TIME / 3.0)),
}
CSV = (
    ",".join(f"{n} [{u}]" for n, (u, _) in COLUMNS.items())
    + "\n"
    + "".join(",".join(f"{v:.3f}" for v in row) + "\n" for row in np.column_stack([v for _, v in COLUMNS.values()]))
).encode()
_NOISE = np.random.default_rng(77).integers(0, 256, 6000, dtype=np.uint8).tobytes()


DAMAGED: dict[str, Callable[[Path], bytes]] = {
    "cut.csv": lambda _: CSV[: int(0.7 * len(CSV))],
    "zeros at the end.csv": lambda _: CSV[: int(0.7 * len(CSV))] + bytes(9000),
    "noise to the end.csv": lambda _: CSV[: int(0.9 * len(CSV))] + _NOISE,
    "cut.csv.gz": lambda _: (whole := gzip.compress(CSV))[: int(0.7 * len(whole))],
    "never closed.mf4": lambda _: streamed(COLUMNS, closed=False)[: int(0.7 * 48 * ROWS)],
    "cut.mf4": lambda _: streamed(COLUMNS)[: int(0.7 * 48 * ROWS)],
    "cut, packed.mf4": lambda _: (whole := streamed(COLUMNS, zipped=True))[: int(0.7 * len(whole))],
}


def _read(folder: Path, name: str, data: bytes) -> Recording:
    path = folder / name
    path.write_bytes(data)
    return read_recording(path)


def _is_true(recording: Recording, rows: np.ndarray | slice) -> None:
    pressure = recording.channel(Role.OIL_PRESSURE)
    assert pressure is not None
    np.testing.assert_allclose(pressure.time_s, TIME[rows] - TIME[rows][0], atol=1e-6)
    np.testing.assert_allclose(pressure.values, COLUMNS["Oil pressure"][1][rows], atol=6e-4)


@pytest.mark.parametrize("name", DAMAGED)
def test_the_first_part_is_read_right_and_marked_as_such(name: str, tmp_path: Path) -> None:
    recording = _read(tmp_path, name, DAMAGED[name](tmp_path))
    assert 0.5 * ROWS < recording.samples < 0.95 * ROWS
    _is_true(recording, slice(recording.samples))
    (said,) = recording.damage
    minutes, seconds = divmod(int(recording.duration_s), 60)
    assert said.startswith(f"Only the first {minutes}:{seconds:02d} min could be read (")
    assert said == recording.notes[0]


@pytest.mark.parametrize("what", [bytes(6000), _NOISE])
def test_a_damaged_stretch_costs_itself(what: bytes, tmp_path: Path) -> None:
    at = int(0.6 * len(CSV))
    recording = _read(tmp_path, "middle.csv", CSV[:at] + what + CSV[at + len(what) :])
    pressure = recording.channel(Role.OIL_PRESSURE)
    assert pressure is not None
    lost = ROWS - pressure.time_s.size
    assert 0.9 * len(what) < lost * len(CSV) / ROWS < 1.2 * len(what)
    index = np.rint(pressure.time_s / 0.05).astype(int)
    np.testing.assert_allclose(pressure.values, COLUMNS["Oil pressure"][1][index], atol=6e-4)
    assert recording.damage and "their part of the drive is missing" in recording.damage[0]


def test_rows_behind_damage_are_not_placed_without_a_clock(tmp_path: Path) -> None:
    rows = ["Sample rate,20 Hz", "", "Engine speed [rpm],Oil pressure [kPa]"]
    text = "\n".join(rows + [f"{4000 + i % 90},{400 + i % 50}" for i in range(9000)]).encode()
    assert _read(tmp_path, "whole.csv", text).samples == 9000
    with pytest.raises(FormatError, match=r"row 4[,\d]*: is damaged there, and without a time column"):
        _read(tmp_path, "damaged.csv", text[:40_000] + bytes(500) + text[40_500:])


def test_engine_speed_that_only_rises_is_no_clock(tmp_path: Path) -> None:
    rows = ["Sample rate,20 Hz", "", "Engine speed [rpm],Oil pressure [kPa]"]
    pull = "\n".join(rows + [f"{2000 + i},{400 + i % 50}" for i in range(4000)]).encode()
    recording = _read(tmp_path, "pull.csv", pull)
    assert recording.duration_s == pytest.approx(3999 / 20)


def test_what_may_be_false_is_not_taken(tmp_path: Path) -> None:
    packed = bytearray(gzip.compress(CSV))
    packed[len(packed) // 2] ^= 0x10
    with pytest.raises(FormatError, match="in which any reading may be false"):
        _read(tmp_path, "flipped.csv.gz", bytes(packed))
    with pytest.raises(FormatError, match="holds binary data"):
        _read(tmp_path, "heading.csv", CSV[:140] + bytes(30) + CSV[170:])
    with pytest.raises(FormatError, match="damaged or was cut short"):
        _read(tmp_path, "description.mf4", streamed(COLUMNS)[:700])


def test_rows_with_impossible_stamps_cost_themselves(tmp_path: Path) -> None:
    raw = bytearray(streamed(COLUMNS))
    at = len(raw) - 48 * (ROWS // 2) + 10
    raw[at : at + 300] = _NOISE[:300]
    recording = _read(tmp_path, "noise.mf4", bytes(raw))
    assert recording.duration_s == pytest.approx(TIME[-1])
    assert recording.samples >= ROWS - 10
    assert len(set(recording.notes)) == len(recording.notes)


def test_no_dips_is_said_of_the_part_that_was_read(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    whole = _read(tmp_path, "whole.csv", CSV)
    assert sentence(analyse(whole), DisplayUnits()).startswith("No dips: the pressure stayed above the floor")
    cut = _read(tmp_path, "cut.csv", DAMAGED["cut.csv"](tmp_path))
    said = sentence(analyse(cut), DisplayUnits())
    assert said.startswith("No dips in what can be read of this damaged log. Only the first 7:0")
    assert main(["analyze", str(tmp_path / "cut.csv"), "--json"]) == 0
    document = json.loads(capsys.readouterr().out)
    assert document["sentence"] == said
    assert document["log"]["damage"] == list(cut.damage)
    assert main(["import", str(tmp_path / "whole.csv"), "--json"]) == 0
    assert "damage" not in json.loads(capsys.readouterr().out)


def test_a_short_last_row_with_its_line_end_is_no_damage(tmp_path: Path) -> None:
    recording = _read(tmp_path, "short.csv", CSV + b"600.000,4500.000\n")
    assert recording.samples == ROWS and not recording.damage


def test_without_a_clock_the_rows_above_a_damaged_end_are_kept(tmp_path: Path) -> None:
    rows = ["Sample rate,20 Hz", "", "Engine speed [rpm],Oil pressure [kPa]"]
    text = "\n".join(rows + [f"{4000 + i % 90},{400 + i % 50}" for i in range(9000)]).encode()
    recording = _read(tmp_path, "end.csv", text[:70_000] + _NOISE)
    assert 7000 < recording.samples < 8000
    assert recording.damage[0].startswith("Only the first 6:")


def test_readings_marked_as_not_valid_are_no_damage(tmp_path: Path) -> None:
    marked = np.zeros(ROWS, dtype=bool)
    marked[100:400] = True
    signals = [
        Signal(v, TIME, name=n, unit=u, invalidation_bits=marked if n == "Oil temp" else None)
        for n, (u, v) in list(COLUMNS.items())[1:]
    ]
    with MDF(version="4.10") as file:
        file.append(signals)
        path = file.save(tmp_path / "valid.mf4")
    assert read_recording(Path(path)).damage == ()
