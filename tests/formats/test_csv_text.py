"""Reading CSV: what loggers write is read right; what cannot be read is said in one sentence."""

from __future__ import annotations

import gzip
import itertools
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from basso.errors import BassoError, FormatError
from basso.formats.options import ReadOptions, parse_role_option, parse_unit_option
from basso.formats.registry import read_recording
from basso.recording.recording import Recording
from basso.recording.roles import Role
from support import recording_of, write_temporary

ROWS = 120
TIME = np.arange(ROWS) * 0.05
RPM = 3000.0 + 40.0 * np.arange(ROWS)
PRESSURE_KPA = 300.0 + 50.0 * np.sin(np.arange(ROWS) / 9.0)
TEMPERATURE_C = 90.0 + 0.05 * np.arange(ROWS)
LATERAL_G = 1.1 * np.sin(np.arange(ROWS) / 20.0)

PRESSURES = {"psi": 1 / 6.894757293168361, "bar": 0.01, "kPa": 1.0}
TEMPERATURES = {"°C": (1.0, 0.0), "°F": (1.8, 32.0)}
ACCELERATIONS = {"g": 1.0, "m/s2": 9.80665}


def _clock(seconds: float) -> str:
    total = 36000 + seconds
    return f"{int(total // 3600):02d}:{int(total % 3600 // 60):02d}:{total % 60:06.3f}"


def _csv(
    pressure: str = "psi",
    temperature: str = "°C",
    acceleration: str = "g",
    units_row: bool = False,
    clock: bool = False,
    separator: str = ",",
    comma: bool = False,
    preamble: str = "",
) -> str:
    factor, offset = TEMPERATURES[temperature]
    columns = [
        ("Time", "s" if not clock else "", [_clock(t) if clock else f"{t:.2f}" for t in TIME]),
        ("Engine speed", "rpm", [f"{v:.0f}" for v in RPM]),
        ("Oil pressure", pressure, [f"{v * PRESSURES[pressure]:.4f}" for v in PRESSURE_KPA]),
        ("Oil temp", temperature, [f"{v * factor + offset:.2f}" for v in TEMPERATURE_C]),
        ("Lat acc", acceleration, [f"{v * ACCELERATIONS[acceleration]:.4f}" for v in LATERAL_G]),
    ]
    if units_row:
        head = [separator.join(c[0] for c in columns), separator.join(c[1] for c in columns)]
    else:
        head = [separator.join(f"{n} [{u}]" if u else n for n, u, _ in columns)]
    rows = [separator.join(cells) for cells in zip(*(c[2] for c in columns), strict=True)]
    if comma:
        rows = [r.replace(".", ",") for r in rows]
    return preamble + "\n".join(head + rows) + "\n"


def _check(recording: Recording) -> None:
    expected = {Role.RPM: RPM, Role.OIL_PRESSURE: PRESSURE_KPA, Role.OIL_TEMP: TEMPERATURE_C, Role.LATERAL_G: LATERAL_G}
    for role, values in expected.items():
        channel = recording.channel(role)
        assert channel is not None, role
        np.testing.assert_allclose(
            channel.values, values, atol=0.02 * (10 if role is Role.OIL_PRESSURE else 1), err_msg=role
        )
        np.testing.assert_allclose(channel.time_s, TIME, atol=1e-6)


@pytest.mark.parametrize(
    ("pressure", "temperature", "acceleration", "units_row", "clock"),
    list(itertools.product(PRESSURES, TEMPERATURES, ACCELERATIONS, (False, True), (False, True))),
)
def test_ordinary_csv_in_every_usual_unit(
    pressure: str, temperature: str, acceleration: str, units_row: bool, clock: bool
) -> None:
    _check(recording_of(_csv(pressure, temperature, acceleration, units_row, clock).encode()))


@pytest.mark.parametrize(
    ("name", "data"),
    [
        ("semicolon", _csv(separator=";").encode()),
        ("semicolon and decimal comma", _csv(separator=";", comma=True).encode()),
        ("tab", _csv(separator="\t").encode()),
        ("byte-order mark", b"\xef\xbb\xbf" + _csv().encode()),
        ("UTF-16", _csv().encode("utf-16")),
        ("Latin-1", _csv().encode("latin-1")),
        ("gzip", gzip.compress(_csv().encode())),
        ("Windows line ends", _csv().replace("\n", "\r\n").encode()),
        ("preamble", _csv(preamble="Vehicle,Car 31\nVenue,Harrowfell\nDate,2026-05-12\n\n").encode()),
        ("trailing separators", "\n".join(line + "," for line in _csv().splitlines()).encode()),
        ("quoted", "\n".join(",".join(f'"{c}"' for c in line.split(",")) for line in _csv().splitlines()).encode()),
    ],
)
def test_other_shapes_of_the_same_data(name: str, data: bytes) -> None:
    _check(recording_of(data))


def test_preamble_lines_become_facts() -> None:
    recording = recording_of(_csv(preamble="Vehicle,Car 31\nVenue,Harrowfell\n").encode())
    assert recording.facts["Venue"] == "Harrowfell"


def test_the_same_bytes_have_the_same_hash() -> None:
    a, b = recording_of(_csv().encode()), recording_of(_csv().encode())
    assert a.content_hash == b.content_hash != recording_of(_csv("bar").encode()).content_hash


def test_a_unit_that_is_missing_is_assumed_and_said() -> None:
    text = _csv("psi").replace(" [psi]", "")
    recording = recording_of(text.encode())
    channel = recording.channel(Role.OIL_PRESSURE)
    assert channel is not None
    assert channel.unit_assumed
    assert channel.unit is not None and channel.unit.symbol == "psi"
    assert any("Oil pressure" in n and "psi" in n for n in recording.notes)


def test_a_stated_unit_that_cannot_be_is_corrected_and_said() -> None:
    recording = recording_of(_csv("psi").replace("[psi]", "[bar]").encode())
    channel = recording.channel(Role.OIL_PRESSURE)
    assert channel is not None
    assert float(channel.values.max()) < 400.0
    assert any("says bar" in n for n in recording.notes)


def test_roles_and_units_can_be_forced() -> None:
    text = _csv("psi").replace("Oil pressure [psi]", "P3 gallery")
    options = ReadOptions(
        dict([parse_role_option("oil_pressure=P3 gallery")]), dict([parse_unit_option("P3 gallery=psi")])
    )
    recording = read_recording(write_temporary(text.encode()), options)
    channel = recording.channel(Role.OIL_PRESSURE)
    assert channel is not None
    np.testing.assert_allclose(channel.values, PRESSURE_KPA, atol=0.2)
    assert not channel.unit_assumed


@pytest.mark.parametrize("said", ["P3 gallery", "p3 GALLERY [psi]", "P3 gallery [psi]"])
def test_a_column_may_be_named_without_its_unit_and_in_any_case(said: str) -> None:
    text = _csv("psi").replace("Oil pressure [psi]", "P3 gallery [psi]")
    options = ReadOptions(dict([parse_role_option(f"oil_pressure={said}")]), dict([parse_unit_option(f"{said}=bar")]))
    channel = read_recording(write_temporary(text.encode()), options).channel(Role.OIL_PRESSURE)
    assert channel is not None and channel.unit is not None and channel.unit.symbol == "bar"


def test_a_short_name_that_two_columns_have_is_not_guessed_at() -> None:
    text = _csv("psi").replace("Oil pressure [psi]", "P3 [psi]").replace("Oil temp [°C]", "P3 [bar]")
    with pytest.raises(FormatError, match="has no column 'P3'"):
        read_recording(write_temporary(text.encode()), ReadOptions(dict([parse_role_option("oil_pressure=P3")])))


def test_a_last_row_cut_short_is_left_out_and_said() -> None:
    whole = _csv()
    cut = whole[: len(whole.rstrip()) - 14]
    recording = recording_of(cut.encode())
    assert recording.samples == ROWS - 1
    assert any("cut short" in n for n in recording.notes)


def test_blank_cells_are_missing_never_zero() -> None:
    lines = _csv().splitlines()
    cells = lines[10].split(",")
    cells[2] = ""
    lines[10] = ",".join(cells)
    channel = recording_of("\n".join(lines).encode()).channel(Role.OIL_PRESSURE)
    assert channel is not None
    assert channel.missing == 1


def test_a_word_among_numbers_is_missing_and_reported_with_its_place() -> None:
    lines = _csv().splitlines()
    cells = lines[10].split(",")
    cells[2] = "ERR"
    lines[10] = ",".join(cells)
    recording = recording_of("\n".join(lines).encode())
    assert any("Row 11" in n and "Oil pressure" in n and "ERR" in n for n in recording.notes)
    channel = recording.channel(Role.OIL_PRESSURE)
    assert channel is not None and channel.missing == 1


def test_repeated_and_backward_stamps_are_left_out_and_said() -> None:
    lines = _csv().splitlines()
    lines.insert(20, lines[19])
    lines.insert(40, lines[30])
    recording = recording_of("\n".join(lines).encode())
    assert recording.samples == ROWS
    assert any("repeat an earlier time" in n for n in recording.notes)


def test_one_wild_stamp_costs_one_row() -> None:
    lines = _csv().splitlines()
    cells = lines[30].split(",")
    cells[0] = "9999999"
    lines[30] = ",".join(cells)
    recording = recording_of("\n".join(lines).encode())
    assert recording.samples == ROWS - 1
    assert recording.duration_s == pytest.approx(TIME[-1])


def test_a_first_row_without_a_time_is_left_out() -> None:
    lines = _csv().splitlines()
    lines[1] = "," + lines[1].split(",", 1)[1]
    assert recording_of("\n".join(lines).encode()).samples == ROWS - 1


def test_a_slow_channel_among_blanks_gets_its_own_rate() -> None:
    lines = _csv().splitlines()
    for i in range(1, len(lines)):
        cells = lines[i].split(",")
        if (i - 1) % 5:
            cells[3] = ""
        lines[i] = ",".join(cells)
    recording = recording_of("\n".join(lines).encode())
    temperature, pressure = recording.channel(Role.OIL_TEMP), recording.channel(Role.OIL_PRESSURE)
    assert temperature is not None and pressure is not None
    assert temperature.rate_hz == pytest.approx(4.0, rel=0.01)
    assert pressure.rate_hz == pytest.approx(20.0, rel=0.01)


def test_a_clock_past_midnight_goes_on() -> None:
    rows = ["Time,RPM,Oil pressure [psi]"]
    for i in range(100):
        t = 86395.0 + 0.1 * i
        t -= 86400.0 if t >= 86400.0 else 0.0
        rows.append(f"{int(t // 3600):02d}:{int(t % 3600 // 60):02d}:{t % 60:06.3f},3000,50")
    assert recording_of("\n".join(rows).encode()).duration_s == pytest.approx(9.9, abs=1e-3)


def test_milliseconds_by_unit_and_by_their_steps() -> None:
    for heading in ("Time [ms]", "timestamp"):
        rows = [f"{heading},RPM,Oil pressure [psi]"] + [f"{1000 + 50 * i},{3000 + i},50" for i in range(500)]
        assert recording_of("\n".join(rows).encode()).duration_s == pytest.approx(24.95, abs=1e-3)


@pytest.mark.parametrize(
    ("name", "data", "says"),
    [
        ("empty", b"", "empty"),
        ("blank", b"\n\n   \n", "empty"),
        ("only a heading", b"Time,RPM,Oil pressure\n", "no rows"),
        ("one row", b"Time,RPM,Oil pressure\n0,1000,30\n", "two rows"),
        ("binary", bytes(range(256)) * 64, "binary"),
        ("mostly zero bytes", _csv().encode()[:900] + b"\x00" * 4000 + b"5,6", "zero bytes"),
        ("prose", b"Dear all,\nthe car was fine today.\nRegards\n", "no table"),
        ("no time", b"RPM,Oil pressure\n" + b"".join(b"%d,50\n" % (3000 + (i % 7)) for i in range(50)), "no time"),
        ("half a gzip", gzip.compress(_csv().encode(), mtime=0)[:60], "gzip"),
    ],
)
def test_bad_files_are_answered_in_one_sentence(name: str, data: bytes, says: str) -> None:
    path = write_temporary(data)
    with pytest.raises(FormatError) as caught:
        read_recording(path)
    sentence = str(caught.value)
    assert says in sentence
    assert str(path) in sentence
    assert "\n" not in sentence
    assert ";" in sentence, "what to do is missing"


def test_zero_bytes_are_found_by_row() -> None:
    lines = _csv().encode().splitlines(keepends=True)
    recording = recording_of(b"".join(lines[:40]) + b"\x00\x00\x00" + b"".join(lines[40:]))
    assert recording.samples == ROWS - 1
    assert any("from row 41 on" in n for n in recording.damage)


def test_a_tail_of_zero_bytes_is_left_out_and_said() -> None:
    lines = _csv().encode().splitlines(keepends=True)
    recording = recording_of(b"".join(lines[:41]) + b"\x00" * 4096)
    assert recording.samples == 40
    assert any("zero bytes" in n for n in recording.notes)


def test_a_column_full_of_words_is_refused_by_row_and_column() -> None:
    lines = _csv().splitlines()
    for i in range(60, 110):
        cells = lines[i].split(",")
        cells[2] = "fault"
        lines[i] = ",".join(cells)
    with pytest.raises(FormatError, match=r"row 61, column 'Oil pressure"):
        recording_of("\n".join(lines).encode())


def test_missing_file_folder_and_unknown_column(tmp_path: Path) -> None:
    with pytest.raises(FormatError, match="does not exist"):
        read_recording(tmp_path / "nothing.csv")
    with pytest.raises(FormatError, match="is a folder"):
        read_recording(tmp_path)
    with pytest.raises(FormatError, match="no column 'P9'"):
        read_recording(write_temporary(_csv().encode()), ReadOptions(roles={Role.OIL_PRESSURE: "P9"}))


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(st.data())
def test_damage_never_gives_anything_but_a_recording_or_a_sentence(data: st.DataObject) -> None:
    raw = bytearray(_csv().encode())
    for _ in range(data.draw(st.integers(1, 6))):
        at = data.draw(st.integers(0, len(raw) - 1))
        kind = data.draw(st.sampled_from(["flip", "cut", "insert", "repeat"]))
        if kind == "flip":
            raw[at] = data.draw(st.integers(0, 255))
        elif kind == "cut":
            del raw[at : at + data.draw(st.integers(1, 400))]
        elif kind == "insert":
            raw[at:at] = data.draw(st.binary(max_size=30))
        else:
            raw[at:at] = raw[max(0, at - 200) : at]
        if not raw:
            return
    try:
        recording = recording_of(bytes(raw))
    except BassoError as error:
        assert "\n" not in str(error)
    else:
        assert all(np.all(np.diff(c.time_s) > 0) for c in recording.channels)
