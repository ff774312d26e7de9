"""What a text log looks like, from its first lines."""

from __future__ import annotations

import polars as pl
import pytest

from basso.formats.clock import clock_seconds
from basso.formats.sniff import find_layout, is_number, split_line


@pytest.mark.parametrize("text", ["1", "-1.5", "+3", ".5", "1e-3", "12,5", "007"])
def test_numbers(text: str) -> None:
    assert is_number(text)


@pytest.mark.parametrize("text", ["", "-", "1.2.3", "12:30", "abc", "1,2,3", "NaN"])
def test_what_is_no_number(text: str) -> None:
    assert not is_number(text)


def test_quoted_fields_keep_their_separators() -> None:
    assert split_line('"Oil, gallery",3,"x"', ",") == ("Oil, gallery", "3", "x")


def _table(heading: str, row: str, separator: str, before: str = "", units: str = "") -> list[str]:
    rows = [row.replace("#", str(i)) for i in range(30)]
    parts = [*before.splitlines(), heading, *([units] if units else []), *rows]
    return [p.replace("|", separator) for p in parts]


@pytest.mark.parametrize("separator", [",", ";", "\t", "|"])
def test_separators(separator: str) -> None:
    layout = find_layout(_table("Time|RPM|Oil P", "#|3000|44.5", separator))
    assert layout is not None
    assert layout.separator == separator
    assert layout.names == ("Time", "RPM", "Oil P")
    assert layout.data_line == 1
    assert layout.units is None


def test_a_decimal_comma_is_not_a_separator() -> None:
    layout = find_layout(_table("Time;RPM;Oil P", "#,05;3000,1;44,5", ";"))
    assert layout is not None
    assert layout.separator == ";"
    assert layout.decimal_comma


def test_preamble_heading_and_units_row_are_told_apart() -> None:
    layout = find_layout(
        _table("Time,RPM,Oil P", "#,3000,44.5", ",", "Format,1.2\nVenue,Harrowfell\nDriver,none\n", "s,rpm,psi")
    )
    assert layout is not None
    assert layout.names == ("Time", "RPM", "Oil P")
    assert layout.units == ("s", "rpm", "psi")
    assert ("Venue", "Harrowfell") in layout.preamble


def test_a_preamble_with_numbers_is_not_data() -> None:
    layout = find_layout(_table("Time,RPM,Oil P,T", "#,3000,44.5,90", ",", "Sample rate,20\nLaps,9\n\n"))
    assert layout is not None
    assert layout.names[0] == "Time"


@pytest.mark.parametrize("lines", [[], ["one"], ["a,b", "c,d"], ["hello world", "how are you"]])
def test_no_table_no_layout(lines: list[str]) -> None:
    assert find_layout(lines) is None


@pytest.mark.parametrize(
    ("cells", "seconds"),
    [
        (["10:00:00.0", "10:00:01.5"], [0.0, 1.5]),
        (["00:59.5", "01:00.5"], [0.0, 1.0]),
        (["2026-05-12 10:00:00.000", "2026-05-12 10:00:00.250"], [0.0, 0.25]),
        (["2026-05-12T10:00:00Z", "2026-05-12T10:01:00Z"], [0.0, 60.0]),
        (["12/05/2026 10:00:00.0", "12/05/2026 10:00:02.0"], [0.0, 2.0]),
        (["23:59:59.5", "00:00:00.5"], [0.0, 1.0]),
    ],
)
def test_clocks(cells: list[str], seconds: list[float]) -> None:
    parsed, _ = clock_seconds(pl.Series(cells))
    assert parsed is not None
    assert (parsed - parsed[0]).tolist() == pytest.approx(seconds)


def test_words_are_no_clock() -> None:
    assert clock_seconds(pl.Series(["fast", "slow"])) == (None, "")
