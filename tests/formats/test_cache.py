"""What was read before opens at once and is the same; what changed is read anew."""

from __future__ import annotations

import os
import time
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from basso import workflow
from basso.errors import FormatError
from basso.formats import csv_text, registry
from basso.formats.options import ReadOptions
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.units import UNITS

ROWS = "\n".join(f"{i / 20:.2f},{3000 + i % 7},{400 + i % 5},{90 + i / 100}" for i in range(300))
HEAD = "Time [s],RPM,Oil pressure [kPa],Oil temp [°C]\n"


@pytest.fixture(autouse=True)
def later(monkeypatch: pytest.MonkeyPatch) -> None:
    """Basso looks ten seconds after a file was written: when the disk says it last changed cannot be set back."""
    monkeypatch.setattr("basso.formats.cache.time", SimpleNamespace(time=lambda: time.time() + 10.0))


@pytest.fixture
def log(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    path = tmp_path / "run.csv"
    path.write_text(HEAD + ROWS)
    _settle(path)
    return path


def _settle(path: Path) -> None:
    """As if the file had been written a while ago."""
    os.utime(path, ns=(time.time_ns() - 10**11,) * 2)


def _same(a: Recording, b: Recording) -> None:
    assert (a.format, a.notes, dict(a.facts), a.content_hash, a.started) == (
        b.format,
        b.notes,
        dict(b.facts),
        b.content_hash,
        b.started,
    )
    for x, y in zip(a.channels, b.channels, strict=True):
        assert (x.name, x.role, x.unit, x.unit_assumed, x.confidence, x.why, x.doubt) == (
            y.name,
            y.role,
            y.unit,
            y.unit_assumed,
            y.confidence,
            y.why,
            y.doubt,
        )
        np.testing.assert_array_equal(x.time_s, y.time_s)
        np.testing.assert_array_equal(x.values, y.values)
    assert len({id(c.time_s) for c in b.channels}) == len({id(c.time_s) for c in a.channels})


def test_it_opens_again_without_being_read(log: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    first, summary = workflow.open_recording(log), workflow.describe(log)
    monkeypatch.setattr(registry, "read_recording", lambda *_: pytest.fail("read again"))
    _same(first, workflow.open_recording(log))
    assert workflow.describe(log) == summary
    copy = log.with_name("copy of run.csv")
    copy.write_bytes(log.read_bytes())
    again = workflow.open_recording(copy)
    _same(first, again)
    assert again.path == copy


def test_a_changed_file_and_other_options_are_read_anew(log: Path) -> None:
    workflow.open_recording(log)
    bar = workflow.open_recording(log, ReadOptions(units={"Oil pressure [kPa]": UNITS["bar"]}))
    channel = bar.channel(Role.OIL_PRESSURE)
    assert channel is not None and float(channel.values.max()) > 10000
    log.write_text(HEAD + ROWS.replace("90", "95"))
    heat = workflow.open_recording(log).channel(Role.OIL_TEMP)
    assert heat is not None and float(heat.values[0]) == 95.0


def test_a_file_changed_at_once_is_noticed(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    path = tmp_path / "run.csv"
    for value in ("400", "500", "600"):
        path.write_text(HEAD + ROWS.replace("400", value))
        summary = workflow.describe(path)
        most = next(c.most for c in summary.channels if c.role == "oil_pressure")
        assert most is not None and most >= float(value)


@pytest.mark.parametrize("damage", ["cut", "noise", "gone"])
def test_what_was_kept_and_got_damaged_is_not_used(log: Path, tmp_path: Path, damage: str) -> None:
    first = workflow.open_recording(log)
    for file in (tmp_path / "cache").rglob("*"):
        if file.is_file() and damage == "cut":
            file.write_bytes(file.read_bytes()[: file.stat().st_size // 2])
        elif file.is_file() and damage == "noise":
            file.write_bytes(b"\x00\xff{" * 30)
        elif file.is_file() and file.name != "summary.json":
            file.unlink()
    _same(first, workflow.open_recording(log))
    assert workflow.describe(log).samples == 300


def test_without_a_place_to_keep_it_nothing_fails(log: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "file").write_text("no folder")
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "file"))
    assert workflow.open_recording(log).samples == 300
    assert workflow.describe(log).samples == 300


def test_the_oldest_make_room(log: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from basso.formats import cache

    monkeypatch.setattr(cache, "_ROOM_BYTES", 25_000)
    for i in range(6):
        other = log.with_name(f"{i}.csv")
        other.write_text(HEAD + ROWS.replace("400", f"40{i}"))
        workflow.open_recording(other)
    kept = [p for p in (tmp_path / "cache" / "basso" / "recordings").iterdir() if p.name != "index"]
    assert 1 <= len(kept) <= 3


# What is kept is that of the bytes that were read, or is not used


def _kept_files(log: Path) -> list[Path]:
    cache = log.parent / "cache"
    return sorted(p for p in cache.rglob("*") if p.is_file())


def test_no_changed_byte_is_believed(log: Path) -> None:
    """Every kept file, at many places: what does not hold together is read anew, in silence."""
    sound = workflow.open_recording(log)
    rng = np.random.default_rng(5)
    files = _kept_files(log)
    assert {p.name for p in files} >= {"summary.json", "places.json", "samples.npy"}
    for file in files:
        whole = file.read_bytes()
        for change in range(12):
            spoiled = bytearray(whole)
            at = int(rng.integers(len(whole)))
            spoiled[at] ^= int(rng.integers(1, 256))
            if change in (10, 11):
                spoiled = bytearray((b"", b"{}")[change - 10])
            file.write_bytes(spoiled)
            _same(sound, workflow.open_recording(log))
            file.write_bytes(whole)


def test_another_logs_entry_is_not_taken_for_this_one(log: Path) -> None:
    other = log.with_name("other.csv")
    other.write_text(HEAD + ROWS.replace(",40", ",50"))
    sound, second = workflow.open_recording(log), workflow.open_recording(other)
    assert sound.content_hash != second.content_hash
    folders = [p.parent for p in _kept_files(log) if p.name == "samples.npy"]
    mine, its = sorted(folders, key=lambda p: sound.content_hash not in p.name)
    for name in ("samples.npy", "places.json", "summary.json"):
        (mine / name).write_bytes((its / name).read_bytes())
        _same(sound, workflow.open_recording(log))


@pytest.mark.parametrize("kind", [".csv", ".parquet"])
def test_a_log_replaced_while_it_is_read_is_not_kept_as_the_new_one(
    kind: str, log: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    old, new = log.with_name(f"old{kind}"), log.with_name(f"new{kind}")
    for target, text in ((old, ROWS), (new, ROWS.replace(",40", ",50"))):
        log.write_text(HEAD + text)
        if kind == ".csv":
            target.write_bytes(log.read_bytes())
        else:
            workflow.export_recording(registry.read_recording(log), target)
    name = log.with_name(f"drive{kind}")
    name.write_bytes(old.read_bytes())
    _settle(name)
    real = registry.read_isolated if kind == ".parquet" else csv_text.read_table

    def replaced(*arguments: Any, **named: Any) -> Any:
        made = real(*arguments, **named)  # type: ignore[operator]
        os.replace(new, name)  # noqa: PTH105
        return made

    if kind == ".parquet":
        monkeypatch.setattr(registry, "read_isolated", replaced)
        with pytest.raises(FormatError, match="was changed while it was being read"):
            workflow.open_recording(name)
    else:
        monkeypatch.setattr(csv_text, "read_table", replaced)
        workflow.open_recording(name)
    monkeypatch.undo()
    monkeypatch.setenv("XDG_CACHE_HOME", str(log.parent / "cache"))
    pressure = workflow.open_recording(name).channel(Role.OIL_PRESSURE)
    assert pressure is not None and float(pressure.values.min()) == 500.0
