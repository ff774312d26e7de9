"""Parquet, Arrow and measurement files give the same recording as the CSV of the same data would."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np
import polars as pl
import pytest
from asammdf import MDF, Signal

from basso.errors import FormatError
from basso.formats.registry import read_recording
from basso.recording.roles import Role

TIME = np.arange(400) * 0.05
DATA = {
    "Engine speed [rpm]": 3000.0 + 40.0 * np.sin(TIME),
    "Oil pressure [psi]": 50.0 + 8.0 * np.sin(TIME / 3),
    "Oil temp [°C]": 90.0 + TIME / 10,
}
WRITERS: dict[str, Callable[[pl.DataFrame, Path], object]] = {
    "drive.parquet": lambda f, p: f.write_parquet(p, metadata={"Venue": "Harrowfell"}),
    "drive.arrow": lambda f, p: f.write_ipc(p),
    "drive.feather": lambda f, p: f.write_ipc(p, compression="zstd"),
    "stream.arrow": lambda f, p: f.write_ipc_stream(p),
}


def _check(path: Path) -> None:
    recording = read_recording(path)
    for role, values in zip(
        (Role.RPM, Role.OIL_PRESSURE, Role.OIL_TEMP),
        (DATA["Engine speed [rpm]"], DATA["Oil pressure [psi]"] * 6.894757293168361, DATA["Oil temp [°C]"]),
        strict=True,
    ):
        channel = recording.channel(role)
        assert channel is not None and not channel.unit_assumed
        np.testing.assert_allclose(channel.values, values, rtol=1e-6)
        np.testing.assert_allclose(channel.time_s, TIME, atol=1e-6)


@pytest.mark.parametrize("name", WRITERS)
def test_columns_of_numbers(name: str, tmp_path: Path) -> None:
    WRITERS[name](pl.DataFrame({"Time [s]": TIME, **DATA}), tmp_path / name)
    _check(tmp_path / name)


@pytest.mark.parametrize(
    "times",
    [
        [datetime(2026, 5, 12, 10, 20) + timedelta(seconds=t) for t in TIME.tolist()],
        [timedelta(seconds=t) for t in TIME.tolist()],
        [(datetime(2026, 5, 12, 23, 0) + timedelta(seconds=t)).time() for t in TIME.tolist()],
        [f"{t:.2f}" for t in TIME.tolist()],
    ],
    ids=["dates", "durations", "clock", "text"],
)
def test_times_of_every_type(times: list[object], tmp_path: Path) -> None:
    pl.DataFrame({"Time": times, **DATA}).write_parquet(tmp_path / "t.parquet")
    _check(tmp_path / "t.parquet")


def test_when_it_began_and_the_facts_are_kept(tmp_path: Path) -> None:
    times = [datetime(2026, 5, 12, 10, 20) + timedelta(seconds=t) for t in TIME.tolist()]
    pl.DataFrame({"Stamp": times, **DATA}).write_parquet(tmp_path / "t.parquet", metadata={"Venue": "Harrowfell"})
    recording = read_recording(tmp_path / "t.parquet")
    assert recording.started == "2026-05-12T10:20:00"
    assert recording.facts["Venue"] == "Harrowfell"


def _measurement(path: Path, version: str) -> None:
    with MDF(version=version) as file:
        file.append(
            [
                Signal(DATA["Engine speed [rpm]"], TIME, name="Engine speed", unit="rpm"),
                Signal(DATA["Oil pressure [psi]"], TIME, name="Oil pressure", unit="psi"),
            ]
        )
        file.header.comment = "Windy"
        file.header.subject = "Testbed one"
        file.append(Signal(DATA["Oil temp [°C]"][::10], TIME[::10] + 0.013, name="Oil temp", unit="degC"))
        file.save(path, overwrite=True)


@pytest.mark.parametrize("version", ["3.30", "4.10", "4.20"])
def test_measurement_files_keep_each_groups_own_times(version: str, tmp_path: Path) -> None:
    path = tmp_path / ("old.mdf" if version.startswith("3") else "drive.mf4")
    _measurement(path, version)
    recording = read_recording(path)
    pressure, heat = recording.channel(Role.OIL_PRESSURE), recording.channel(Role.OIL_TEMP)
    assert pressure is not None and heat is not None
    np.testing.assert_allclose(pressure.values, DATA["Oil pressure [psi]"] * 6.894757293168361, rtol=1e-6)
    np.testing.assert_allclose(pressure.time_s, TIME, atol=1e-6)
    np.testing.assert_allclose(heat.time_s, TIME[::10] + 0.013, atol=1e-6)
    np.testing.assert_allclose(heat.values, DATA["Oil temp [°C]"][::10], rtol=1e-6)
    if version.startswith("4"):  # the library loses it on writing the older one
        assert recording.facts["Vehicle"] == "Testbed one"


@pytest.mark.parametrize("name", ["cut.parquet", "cut.arrow", "cut.mf4", "old.feather", "noise.bin"])
def test_damaged_files_are_refused_in_one_sentence(name: str, tmp_path: Path) -> None:
    path = tmp_path / name
    whole = tmp_path / "whole"
    if name.endswith("mf4"):
        _measurement(tmp_path / "whole.mf4", "4.10")
        whole = tmp_path / "whole.mf4"
    elif name.endswith("arrow"):
        pl.DataFrame({"Time [s]": TIME, **DATA}).write_ipc(whole)
    else:
        pl.DataFrame({"Time [s]": TIME, **DATA}).write_parquet(whole)
    data = whole.read_bytes()
    cut = {"old.feather": b"FEA1" + data, "noise.bin": bytes(range(256)) * 40}.get(name, data[: len(data) // 3])
    path.write_bytes(cut)
    with pytest.raises(FormatError) as caught:
        read_recording(path)
    assert str(caught.value).startswith(str(path)) and "\n" not in str(caught.value)
