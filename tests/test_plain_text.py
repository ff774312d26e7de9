"""Text out of files: nothing that cannot be seen, and no cell that a spreadsheet would work out."""

from __future__ import annotations

import csv
import io

import pytest

from basso.formats.registry import read_recording
from basso.formats.write import recording_bytes
from basso.plain_text import as_cell, has_unseen, out_of_cell, plain, plain_lines, separated, spelled_out
from support import write_temporary


@pytest.mark.parametrize(
    "cell", ["=1+1", "@SUM(A1)", "+cmd|' /C calc'!A0", "-1+cmd|'x'!A0", '-HYPERLINK("x")', " =1", "\t=1", "-2*SUM(A1)"]
)
def test_a_formula_stays_text(cell: str) -> None:
    assert as_cell(cell) == f"'{cell}"
    assert out_of_cell(as_cell(cell.strip())) == cell.strip()


@pytest.mark.parametrize(
    "cell",
    ["-5", "+12.5", "-0.4 L", "+0.4 L", "-12 (-20 to -4)", "-", "--", "", "Oil", "'quoted'", "1=2", "-1.2e-3", "-5 °C"],
)
def test_numbers_and_words_stay_as_they_are(cell: str) -> None:
    assert as_cell(cell) == cell and out_of_cell(cell) == cell


def test_what_cannot_be_seen() -> None:
    nasty = "a\x1b[31m\n\u202eb\u200b\ud800c\x9b"
    assert plain(nasty) == "a [31m  b  c " and plain_lines(nasty).count("\n") == 1
    assert has_unseen(nasty) and not has_unseen("Öldruck [bar] – ≤ 30 °C")
    assert spelled_out("a\x1b\n\u202e") == "a\\x1b\\n\\u202e"
    assert plain("x" * 50, 10) == "x" * 9 + "…" and plain("x" * 10, 10) == "x" * 10


def test_a_table_for_a_spreadsheet_has_plain_digits_and_no_formula() -> None:
    text = separated([["Place", "kPa"], ["=1+1", "1\u2009234"], ["turn 1", "−5"], ["x,y", 2.5]])
    assert list(csv.reader(io.StringIO(text))) == [
        ["Place", "kPa"],
        ["'=1+1", "1234"],
        ["turn 1", "-5"],
        ["x,y", "2.5"],
    ]


def test_a_log_with_formulas_for_names_is_written_harmless_and_reads_back_the_same() -> None:
    rows = "".join(f"{i * 0.1:.1f},{3000 + i},{300 + i % 7},{i}\n" for i in range(50))
    text = f"Driver,=cmd|'x'!A0\nTime [s],RPM [rpm],Oil pressure [kPa],=HYPERLINK(1)\n{rows}"
    recording = read_recording(write_temporary(text.encode(), "names.csv"))
    written = recording_bytes(recording, ".csv", facts_above=True).decode("utf-8-sig")
    assert not any(cell[:1] in ("=", "@") for row in csv.reader(io.StringIO(written)) for cell in row)
    again = read_recording(write_temporary(written.encode(), "again.csv"))
    assert [c.name for c in again.channels] == [c.name for c in recording.channels]
    assert "=HYPERLINK(1)" in {c.name for c in again.channels} and dict(again.facts) == dict(recording.facts)
