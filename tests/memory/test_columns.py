"""Confirmed columns are kept, applied and forgotten; a damaged memory loses nothing."""

from __future__ import annotations

from pathlib import Path

import pytest

from basso import workflow
from basso.errors import InputError
from basso.formats.options import ReadOptions
from basso.memory.columns import Columns, Confirmed, shape_of
from basso.memory.memory import Memory
from basso.recording.roles import Role
from basso.units import UNITS

TEXT = "Time [s],N,P3,T4\n" + "\n".join(f"{i / 20},{3000 + i},{300 + i % 50},{90 + i / 100}" for i in range(200))


def test_confirmed_columns_apply_to_every_log_of_the_shape(tmp_path: Path) -> None:
    for name in ("a.csv", "b.csv"):
        (tmp_path / name).write_text(TEXT + f"\n{10.1 if name == 'a.csv' else 10.2},3000,300,90")
    first = workflow.open_recording(tmp_path / "a.csv", memory=Memory.own())
    assert not first.has(Role.OIL_PRESSURE)
    Memory.own().columns.remember(
        first.shape, Confirmed({"oil_pressure": "P3", "rpm": "N"}, {"P3": "kPa"}, ("T4",), "2026-11-25")
    )
    for name in ("a.csv", "b.csv"):
        recording = workflow.open_recording(tmp_path / name, memory=Memory.own())
        channel = recording.channel(Role.OIL_PRESSURE)
        assert channel is not None and channel.unit is UNITS["kPa"] and channel.confidence == 1.0
        assert recording.channel(Role.OIL_TEMP) is None
        assert any("as you confirmed them" in n and "2026-11-25" in n for n in recording.notes)
    said = workflow.open_recording(tmp_path / "a.csv", ReadOptions(units={"P3": UNITS["psi"]}), memory=Memory.own())
    channel = said.channel(Role.OIL_PRESSURE)
    assert channel is not None and channel.unit is UNITS["psi"], "what is said now goes before what is remembered"
    Memory.own().columns.remember(first.shape, None)
    assert not workflow.open_recording(tmp_path / "a.csv", memory=Memory.own()).has(Role.OIL_PRESSURE)


def test_another_shape_is_left_alone() -> None:
    assert shape_of(["a", "b"]) != shape_of(["b", "a"]) != shape_of(["a", "b", "c"])


def test_a_damaged_memory_is_set_aside_and_a_new_one_begun(tmp_path: Path) -> None:
    file = tmp_path / "m" / "mappings.json"
    file.parent.mkdir()
    file.write_text('{"version": 1, "mappings": {"x": ')
    memory = Columns(file)
    assert memory.all() == {}
    memory.remember("s", Confirmed({"rpm": "N"}, {}, (), "2026-11-25"))
    assert memory.all()["s"].roles == {"rpm": "N"}
    assert file.with_suffix(".damaged.json").read_text().startswith('{"version": 1')


def test_a_memory_that_cannot_be_written_is_said(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("")
    with pytest.raises(InputError, match="cannot be written"):
        Columns(tmp_path / "file" / "mappings.json").remember("s", Confirmed())
