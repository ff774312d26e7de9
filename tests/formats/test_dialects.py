"""One drive in the dialects that loggers write, crossed with each other, read right with no help; and what must be
refused."""

from __future__ import annotations

import codecs
import gzip
import itertools
import os
import resource
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from basso import workflow
from basso.errors import FormatError
from basso.formats.options import ReadOptions
from basso.formats.registry import read_recording
from basso.recording.roles import Role
from support import write_temporary

ROWS = 240
TIME = np.arange(ROWS) * 0.05
TRUTH = {
    Role.RPM: 3500.0 + 1500.0 * np.sin(TIME / 2.0),
    Role.OIL_PRESSURE: 320.0 + 90.0 * np.sin(TIME / 2.0),
    Role.OIL_TEMP: 92.0 + TIME / 4.0,
    Role.LATERAL_G: 1.1 * np.sin(TIME / 1.5),
    Role.SPEED: 30.0 + 10.0 * np.cos(TIME / 3.0),
}
PSI = 6.894757293168361
# Names as different loggers write them, with the unit each is in and the factor from base units.
NAMES: dict[str, list[tuple[str, str, Role, Callable[[np.ndarray], np.ndarray], int]]] = {
    "plain": [
        ("Engine Speed", "rpm", Role.RPM, lambda v: v, 0),
        ("Oil Pressure", "psi", Role.OIL_PRESSURE, lambda v: v / PSI, 3),
        ("Oil Temp", "°F", Role.OIL_TEMP, lambda v: v * 1.8 + 32, 2),
        ("Lateral Acc", "g", Role.LATERAL_G, lambda v: v, 4),
        ("GPS Speed", "mph", Role.SPEED, lambda v: v / 0.44704, 3),
    ],
    "short": [
        ("RPM", "1/min", Role.RPM, lambda v: v, 0),
        ("OilP", "bar", Role.OIL_PRESSURE, lambda v: v / 100, 4),
        ("OilT", "C", Role.OIL_TEMP, lambda v: v, 2),
        ("AccLat", "m/s2", Role.LATERAL_G, lambda v: v * 9.80665, 4),
        ("vGPS", "km/h", Role.SPEED, lambda v: v * 3.6, 3),
    ],
}
CLOCKS: dict[str, tuple[str, str, Callable[[float], str]]] = {
    "seconds": ("Time", "s", lambda t: f"{t:.2f}"),
    "ms": ("Time", "ms", lambda t: f"{1000 * t:.0f}"),
    "clock": ("Time", "", lambda t: f"10:{int((55 + t) // 60):02d}:{(55 + t) % 60:06.3f}"),
    "date": ("Date Time", "", lambda t: f"2026-05-12T10:{int((55 + t) // 60):02d}:{(55 + t) % 60:06.3f}"),
    "epoch": ("Timestamp", "", lambda t: f"{1778581255000 + 1000 * t:.0f}"),
}
ENCODINGS: dict[str, Callable[[str], bytes]] = {
    "utf-8": lambda s: s.encode(),
    "bom": lambda s: codecs.BOM_UTF8 + s.encode(),
    "utf-16": lambda s: s.encode("utf-16"),
    "latin-1 gz": lambda s: gzip.compress(s.encode("latin-1")),
}
HEADS = {"none": [], "facts": [["Vehicle", "Car 31"], ["Venue", "Harrowfell"], ["Date", "12.05.2026"], []]}


def _text(
    names: str, clock: str, separator: str, comma: bool, units: str, head: str, sparse: bool, quoted: bool
) -> str:
    label, time_unit, stamp = CLOCKS[clock]
    columns = [(label, time_unit, [stamp(t) for t in TIME.tolist()])]
    for name, unit, role, convert, digits in NAMES[names]:
        cells = [f"{v:.{digits}f}" for v in convert(TRUTH[role]).tolist()]
        if sparse and role is Role.OIL_TEMP:
            cells = [c if i % 10 == 0 else "" for i, c in enumerate(cells)]
        columns.append((name, unit, cells))
    if comma:
        columns = [(n, u, [c.replace(".", ",") for c in cells]) for n, u, cells in columns]
    if units == "row":
        rows = [[n for n, _, _ in columns], [u for _, u, _ in columns]]
    else:
        rows = [[f"{n} [{u}]" if units == "bracket" and u else f"{n} ({u})" if u else n for n, u, _ in columns]]
    rows = [*HEADS[head], *rows, *(list(r) for r in zip(*(c for _, _, c in columns), strict=True))]
    quote = (lambda c: f'"{c}"' if c else c) if quoted else (lambda c: c)
    end = "\r\n" if quoted else "\n"
    return end.join(separator.join(quote(c) for c in row) for row in rows) + end


CASES = [
    (names, clock, separator, encoding, units, head, sparse, quoted)
    for i, (names, clock, (separator, encoding), (units, head)) in enumerate(
        itertools.product(
            NAMES,
            CLOCKS,
            [(",", "utf-8"), (";", "bom"), ("\t", "utf-16"), (",;", "latin-1 gz"), ("|", "utf-8")],
            [("bracket", "none"), ("row", "facts"), ("paren", "facts")],
        )
    )
    for sparse, quoted in [((i % 3) == 1, (i % 4) == 2)]
]


@pytest.mark.parametrize(("names", "clock", "separator", "encoding", "units", "head", "sparse", "quoted"), CASES)
def test_the_same_drive_in_every_dialect(
    names: str, clock: str, separator: str, encoding: str, units: str, head: str, sparse: bool, quoted: bool
) -> None:
    comma = separator == ",;"
    text = _text(names, clock, separator[-1], comma, units, head, sparse, quoted)
    recording = read_recording(write_temporary(ENCODINGS[encoding](text)))
    for role, truth in TRUTH.items():
        channel = recording.channel(role)
        assert channel is not None, role
        slow = sparse and role is Role.OIL_TEMP
        step = 10 if slow else 1
        np.testing.assert_allclose(channel.time_s, TIME[::step], atol=1e-5, err_msg=role)
        np.testing.assert_allclose(channel.values, truth[::step], atol=0.6 if role is Role.RPM else 0.02, err_msg=role)
        assert not channel.unit_assumed and channel.doubt == "", (role, channel.doubt)
    if head == "facts":
        assert recording.facts["Venue"] == "Harrowfell"
        assert recording.started.startswith("2026-05-12")


def test_there_are_enough_of_them() -> None:
    assert len(CASES) >= 60


@pytest.mark.parametrize(
    ("head", "options"),
    [
        ("Sample rate,20 Hz\n\nSample,", ReadOptions()),
        ("Logging interval,0.05 s\n\nIndex,", ReadOptions()),
        ("Sample interval [ms],50\n\nNo,", ReadOptions()),
        ("Row,", ReadOptions(rate_hz=20.0)),
        ("", ReadOptions(rate_hz=20.0)),
    ],
)
def test_rows_without_a_clock_by_their_rate(head: str, options: ReadOptions) -> None:
    counted = head.endswith(",")
    rows = [
        (f"{i}," if counted else "") + f"{r:.0f},{p:.2f}"
        for i, (r, p) in enumerate(zip(TRUTH[Role.RPM], TRUTH[Role.OIL_PRESSURE], strict=True))
    ]
    recording = read_recording(write_temporary((head + "RPM,Oil pressure [kPa]\n" + "\n".join(rows)).encode()), options)
    channel = recording.channel(Role.OIL_PRESSURE)
    assert channel is not None
    np.testing.assert_allclose(channel.time_s, TIME, atol=1e-9)
    assert any("20 Hz" in n for n in recording.notes)


def test_a_counter_is_no_clock() -> None:
    text = "Sample,RPM,Oil pressure [kPa]\n" + "\n".join(f"{i},3000,300" for i in range(50))
    with pytest.raises(FormatError, match="--rate HZ"):
        read_recording(write_temporary(text.encode()))


def test_rates_mixed_in_one_table_keep_their_own_times() -> None:
    """50 Hz and 20 Hz channels on the union of their times, with blanks between."""
    fast, slow = np.arange(500) / 50.0, np.arange(200) / 20.0
    union = np.unique(np.round(np.concatenate([fast, slow]), 6))
    rows = []
    for t in union.tolist():
        p = f"{300 + 50 * np.sin(t):.3f}" if np.any(np.isclose(fast, t)) else ""
        r = f"{3000 + 100 * np.sin(t):.1f}" if np.any(np.isclose(slow, t)) else ""
        rows.append(f"{t:.3f},{r},{p}")
    recording = read_recording(write_temporary(("Time [s],RPM,Oil pressure [kPa]\n" + "\n".join(rows)).encode()))
    rpm, pressure = recording.channel(Role.RPM), recording.channel(Role.OIL_PRESSURE)
    assert rpm is not None and pressure is not None
    np.testing.assert_allclose(rpm.time_s, slow, atol=1e-9)
    np.testing.assert_allclose(pressure.time_s, fast, atol=1e-9)
    assert rpm.missing == pressure.missing == 0


def _rows(form: str) -> str:
    return "\n".join(
        form.format(t=t, r=r, p=p, h=h)
        for t, r, p, h in zip(TIME, TRUTH[Role.RPM], TRUTH[Role.OIL_PRESSURE], TRUTH[Role.OIL_TEMP], strict=True)
    )


HABITS: dict[str, str] = {
    "ids under the units": "Time,RPM,Oil press,Oil T\ns,rpm,kPa,°C\nT0,CAN 1,AIN 3,AIN 4\n"
    + _rows("{t:.2f},{r:.0f},{p:.2f},{h:.2f}"),
    "columns set apart by blanks": "Time[s] RPM OilP[kPa] OilT[C]\n" + _rows("{t:8.2f} {r:8.0f} {p:9.2f}   {h:.2f}"),
    "thousands set apart": "Time [s],RPM,Oil P [kPa],Oil T [C]\n" + _rows('{t:.2f},"{r:,.0f}",{p:.2f},{h:.2f}'),
    "units beside the values": "Time,,RPM,,Oil P,,Oil T,\n" + _rows("{t:.2f},s,{r:.0f},rpm,{p:.2f},kPa,{h:.2f},°C"),
    "a separator line": "sep=;\nTime [s];RPM;Oil P [kPa];Oil T [C]\n" + _rows("{t:.2f};{r:.0f};{p:.2f};{h:.2f}"),
    "commented facts": "# Venue: Harrowfell\n# Date: 2026-05-12 10:20\n#\nTime [s],RPM,Oil P [kPa],Oil T [C]\n"
    + _rows("{t:.2f},{r:.0f},{p:.2f},{h:.2f}"),
    "a commented heading": "#Time [s],RPM,Oil P [kPa],Oil T [C]\n" + _rows("{t:.2f},{r:.0f},{p:.2f},{h:.2f}"),
    "a summary at the end": "Time [s],RPM,Oil P [kPa],Oil T [C]\n"
    + _rows("{t:.2f},{r:.0f},{p:.2f},{h:.2f}")
    + "\n\nMaximum,5000,410,98\n",
    "sections": "[Header]\nVehicle,Car 31\n\n[Data]\nTime [s],RPM,Oil P [kPa],Oil T [C]\n"
    + _rows("{t:.2f},{r:.0f},{p:.2f},{h:.2f}"),
    "numbers with exponents": "Time [s],RPM,Oil P [kPa],Oil T [C]\n" + _rows("{t:.6E},{r:.6E},{p:.6E},{h:.6E}"),
    "old line ends": "Time [s],RPM,Oil P [kPa],Oil T [C]\r"
    + _rows("{t:.2f},{r:.0f},{p:.2f},{h:.2f}").replace("\n", "\r"),
    "newest first": "Time [s],RPM,Oil P [kPa],Oil T [C]\n"
    + "\n".join(_rows("{t:.2f},{r:.0f},{p:.2f},{h:.2f}").split("\n")[::-1]),
    "the heading again and again": "Time [s],RPM,Oil P [kPa],Oil T [C]\n"
    + "\nTime [s],RPM,Oil P [kPa],Oil T [C]\n".join(
        "\n".join(_rows("{t:.2f},{r:.0f},{p:.2f},{h:.2f}").split("\n")[k::1][:200]) for k in range(0, len(TIME), 200)
    ),
    "remarks between the rows": "Time [s],RPM,Oil P [kPa],Oil T [C]\n"
    + _rows("{t:.2f},{r:.0f},{p:.2f},{h:.2f}").replace("\n2.00,", "\n# marker: oil lamp\n2.00,")
    + "\nEnd of data\n",
    "days as spreadsheets count them": "Time,RPM,Oil P [kPa],Oil T [C]\n"
    + "\n".join(
        f"{45789.5 + t / 86400:.11f},{r:.0f},{p:.2f},{h:.2f}"
        for t, r, p, h in zip(TIME, TRUTH[Role.RPM], TRUTH[Role.OIL_PRESSURE], TRUTH[Role.OIL_TEMP], strict=True)
    ),
    "decimal commas in quotes between commas": '"Zeit [s]","Drehzahl","Öldruck [kPa]","Öltemp [°C]"\n'
    + "\n".join(
        '"' + '","'.join(f"{v:.2f}".replace(".", ",") for v in row) + '"'
        for row in zip(TIME, TRUTH[Role.RPM], TRUTH[Role.OIL_PRESSURE], TRUTH[Role.OIL_TEMP], strict=True)
    ),
    "one row a reading": "Time,Channel,Value,Unit\n"
    + _rows("{t:.2f},RPM,{r:.0f},rpm\n{t:.2f},Oil P,{p:.2f},kPa\n{t:.2f},Oil T,{h:.2f},C"),
    "flags in words": "Time [s],GPS valid,RPM,Oil P [kPa],Oil T [C],Gear\n"
    + _rows("{t:.2f},TRUE,{r:.0f},{p:.2f},{h:.2f},N"),
}


@pytest.mark.parametrize("name", HABITS)
def test_other_habits_of_loggers(name: str) -> None:
    recording = read_recording(write_temporary(HABITS[name].encode()))
    for role, within in ((Role.RPM, 0.6), (Role.OIL_PRESSURE, 0.02), (Role.OIL_TEMP, 0.02)):
        channel = recording.channel(role)
        assert channel is not None, role
        np.testing.assert_allclose(channel.time_s, TIME, atol=1e-5)
        np.testing.assert_allclose(channel.values, TRUTH[role], atol=within)
        assert role is Role.RPM or not channel.unit_assumed
    if name == "commented facts":
        assert recording.facts["Venue"] == "Harrowfell" and recording.started == "2026-05-12T10:20:00"


def test_codes_and_words_for_no_reading_are_missing() -> None:
    rows = [
        f"{t:.2f},{65535 if i % 97 == 5 else r:.0f},{-9999 if i % 53 == 7 else p:.2f},"
        f"{'ERR' if i % 31 == 9 else format(h, '.2f')}"
        for i, (t, r, p, h) in enumerate(
            zip(TIME, TRUTH[Role.RPM], TRUTH[Role.OIL_PRESSURE], TRUTH[Role.OIL_TEMP], strict=True)
        )
    ]
    recording = read_recording(write_temporary(("Time [s],RPM,Oil P [kPa],Oil T [C]\n" + "\n".join(rows)).encode()))
    for role, every, first in ((Role.RPM, 97, 5), (Role.OIL_PRESSURE, 53, 7), (Role.OIL_TEMP, 31, 9)):
        channel = recording.channel(role)
        assert channel is not None
        expected = np.array(TRUTH[role], dtype=np.float64)
        expected[first::every] = np.nan
        np.testing.assert_allclose(channel.values, expected, atol=0.6)
        assert any(f"'{channel.name}" in n and "missing" in n for n in recording.notes)


REFUSED: dict[str, bytes] = {
    "empty": b"",
    "blank": b"\n\n  \n",
    "binary": bytes(range(256)) * 50,
    "no header": b"\n".join(b"%d,%d,%d" % (i, i, i) for i in range(60)),
    "header only": b"Time,RPM,Oil pressure\n",
    "one row": b"Time,RPM,Oil pressure\n0,1,2\n",
    "prose": b"Dear all, this is no log.\nIt has commas, though, and lines.\nNo numbers, no columns.\n",
    "text in numbers": b"Time,RPM,Oil pressure\n"
    + b"\n".join(b"%d,%s,%d" % (i, b"3000" if i < 150 else b"fast", i) for i in range(300)),
    "zero bytes": b"Time,RPM\n0,1\n\x00\x00\x00\x00\n1,2\n2,3\n",
    "cut gzip": gzip.compress(b"Time,RPM\n" + b"0,1\n" * 5000)[:60],
    "million characters": b"Time,RPM,Oil pressure\n" + b"x" * 1_000_000 + b"\n",
    "million-character heading": b"a" * 1_000_000 + b",RPM\n0,1\n1,2\n2,3\n",
}


@pytest.mark.parametrize("name", REFUSED)
def test_bad_input_is_one_sentence(name: str) -> None:
    path = write_temporary(REFUSED[name])
    try:
        recording = read_recording(path)
    except FormatError as error:
        text = str(error)
        assert text.startswith(str(path)) and text.endswith(".") and "\n" not in text and len(text) < 600, text
        return
    # Two of these hold a table all the same; it must then be the true one.
    assert name in ("million-character heading",), name
    assert recording.samples == 3


def test_a_million_characters_in_one_cell_cost_one_row() -> None:
    rows = [f"{i / 20:.2f},{3000 + i},{400 + i % 9}" for i in range(400)]
    rows[200] = "10.00,3000," + "9" * 1_000_000
    recording = read_recording(write_temporary(("Time [s],RPM,Oil pressure [kPa]\n" + "\n".join(rows)).encode()))
    channel = recording.channel(Role.OIL_PRESSURE)
    assert channel is not None and int(np.isfinite(channel.values).sum()) >= 399


def test_a_folder_and_a_file_without_permission(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    with pytest.raises(FormatError, match="is a folder"):
        read_recording(tmp_path)
    closed = tmp_path / "closed.csv"
    closed.write_text("Time,RPM\n0,1\n")

    def refuse(*_: object, **__: object) -> None:
        raise PermissionError(13, "Permission denied")

    # The tests may run as root, whom no permission stops.
    monkeypatch.setattr(os, "open", refuse)
    with pytest.raises(FormatError, match="may not be read"):
        read_recording(closed)


def test_a_full_disk_leaves_what_was_there(tmp_path: Path) -> None:
    """A real limit on file size stands in for the full disk: writing fails half way."""
    out = tmp_path / "out.csv"
    out.write_text("before")
    log = workflow.demo_folder() / "baseline-1.csv"
    done = subprocess.run(
        [sys.executable, "-m", "basso", "export", str(log), str(out), "--force"],
        env={**os.environ, "XDG_CACHE_HOME": "/proc/none"},
        preexec_fn=lambda: resource.setrlimit(resource.RLIMIT_FSIZE, (100_000, 100_000)),
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 2, done.stderr
    assert done.stderr.count("\n") == 1 and "cannot be written" in done.stderr
    assert out.read_text() == "before"
    assert [p.name for p in tmp_path.iterdir()] == ["out.csv"]
