"""The table of a text log: from bytes to columns of numbers (or of text, for clock times)."""

from __future__ import annotations

import codecs
import io
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, cast

import numpy as np

from basso.errors import FormatError
from basso.formats.sniff import MISSING_WORDS, TextLayout, is_number
from basso.recording.channel import extremes
from basso.units import FloatArray

if TYPE_CHECKING:
    import polars as pl

_TAIL_BYTES = 65536
_SMALL_BYTES = 3_000_000
_PIECE_BYTES = 1 << 20
_GROUPED = (r"^[+-]?\d{1,3}([,' \u2009\u00a0]\d{3})+(\.\d*)?$", r"^[+-]?\d{1,3}([.' \u2009\u00a0]\d{3})+(,\d*)?$")
"""Numbers with their thousands set apart, by whether the decimal mark is a comma."""
_GROUPS = (r"[,' \u2009\u00a0]", r"[.' \u2009\u00a0]")


@dataclass(frozen=True, slots=True, eq=False)
class Table:
    """A table as read.

    Attributes:
        names: the heading's fields, trailing empty ones cut off.
        columns: one array of numbers each, NaN where missing; a column of text, and any column before
            :func:`in_numbers`, as the table library's series.
        textual: indices of the columns of text.
    """

    names: tuple[str, ...]
    columns: list[FloatArray | pl.Series]
    textual: frozenset[int]


def read_table(path: Path, raw: bytes, layout: TextLayout, notes: list[str]) -> Table:
    """Read the table of a text log; what had to be repaired is added to ``notes``.

    Raises:
        FormatError: one sentence with the row and column.
    """
    names = _names(layout)
    body = _whole_last_row(raw, layout, len(names), notes)
    textual = frozenset(i for i in range(len(names)) if _is_text_column(layout.sample, i))
    if not textual and not layout.decimal_comma and (plain := _plain_numbers(body, layout, len(names))) is not None:
        return Table(names, [finite(c) for c in plain], textual)
    frame = _frame(path, body, names, textual, layout, notes)
    if frame.height < 2:
        raise FormatError(path, "has fewer than two rows of data", "export the whole session again")
    return Table(names, list(frame.get_columns()), textual)


def in_numbers(table: Table) -> Table:
    """The table with its numbers as arrays. ``table`` is emptied on the way."""
    if all(isinstance(c, np.ndarray) for c in table.columns):
        return table
    columns = _numbers_of(cast("list[pl.Series]", table.columns), table.textual)
    return Table(table.names, columns, table.textual)


def _numbers_of(series: list[pl.Series], textual: frozenset[int]) -> list[FloatArray | pl.Series]:
    """The columns as numbers, all in one block of memory (which costs the system far less than one for each).

    ``series`` is emptied, so that the library's own copy is let go of column by column.
    """
    rows = series[0].len()
    block = np.empty((len(series) - len(textual), rows))
    free = iter(block)
    columns: list[FloatArray | pl.Series] = []
    series.reverse()
    while series:
        column = series.pop()
        if len(columns) in textual:
            columns.append(column)
            continue
        own = next(free)
        at = 0
        for chunk in column.get_chunks():
            own[at : at + chunk.len()] = chunk.to_numpy()
            at += chunk.len()
        columns.append(finite(own))
    return columns


def _names(layout: TextLayout) -> tuple[str, ...]:
    names = list(layout.names)
    width = max(len(names), max((len(r) for r in layout.sample[:5]), default=0))
    names += [""] * (width - len(names))
    while names and not names[-1] and all(len(r) < len(names) or not r[-1] for r in layout.sample):
        names.pop()
    return tuple(names)


def _frame(
    path: Path, body: bytes, names: Sequence[str], textual: frozenset[int], layout: TextLayout, notes: list[str]
) -> pl.DataFrame:
    """The table by the table library; cells that are no numbers are mended and reported."""
    import polars as pl

    keys = [f"c{i}" for i in range(len(names))]
    schema: dict[str, type[pl.DataType]] = {k: pl.String if i in textual else pl.Float64 for i, k in enumerate(keys)}

    def load(types: dict[str, type[pl.DataType]], missing: list[str] | None = None) -> pl.DataFrame:
        return pl.read_csv(
            io.BytesIO(body),
            has_header=False,
            skip_lines=layout.data_line,
            separator=layout.separator,
            schema=types,
            decimal_comma=layout.decimal_comma,
            extra_columns="ignore",
            missing_columns="insert",
            null_values=missing,
        )

    try:
        # Without a list of words for "missing" the parser is twice as quick; a file that has them comes round again.
        return load(schema)
    except pl.exceptions.PolarsError:
        pass
    if not is_utf8(body):
        body = body.decode("latin-1").encode()
    try:
        frame = load(dict.fromkeys(keys, pl.String), list(MISSING_WORDS))
    except pl.exceptions.PolarsError as error:
        first = str(error).splitlines()[0]
        raise FormatError(path, f"breaks the table's form ({first})", "open it in an editor and repair it") from None
    return _mend_numbers(path, frame, names, textual, layout, notes)


def _plain_numbers(body: bytes, layout: TextLayout, width: int) -> list[FloatArray] | None:
    """The columns of a small table of numbers and nothing else, or None when it is not one.

    NumPy reads such a file in less time than the table library takes to load.
    """
    if len(body) > _SMALL_BYTES or body.count(b"\n") <= layout.data_line:
        return None
    try:
        table = np.loadtxt(
            io.BytesIO(body),
            delimiter=layout.separator,
            skiprows=layout.data_line,
            comments=None,
            ndmin=2,
            encoding="utf-8",
        )
    except ValueError:
        return None
    if table.shape[0] < 2 or table.shape[1] != width:
        return None
    return list(np.ascontiguousarray(table.T))


def is_utf8(raw: bytes) -> bool:
    """True for valid UTF-8; looked at piece by piece, since a whole decoded copy would double the memory."""
    decoder = codecs.getincrementaldecoder("utf-8")()
    try:
        for start in range(0, len(raw), _PIECE_BYTES):
            decoder.decode(raw[start : start + _PIECE_BYTES], final=start + _PIECE_BYTES >= len(raw))
    except UnicodeDecodeError:
        return False
    return True


def finite(values: FloatArray) -> FloatArray:
    """Infinite and absurdly large readings become missing: no quantity reaches 1e30 in any unit."""
    low, high = extremes(values)
    if low < -1e30 or high > 1e30:
        return np.where(np.abs(values) > 1e30, np.nan, values)
    return values


def _whole_last_row(body: bytes, layout: TextLayout, width: int, notes: list[str]) -> bytes:
    """Leave out a last row that was cut short while it was written."""
    tail = body[-_TAIL_BYTES:]
    end = tail.rstrip(b"\r\n\x1a ")
    start = end.rfind(b"\n") + 1
    fields = end[start:].count(layout.separator.encode()) + 1
    usual = min((len(r) for r in layout.sample[:20]), default=width)
    cut = fields < min(width, usual) or (
        not body.endswith((b"\n", b"\r", b"\x1a")) and start > 0 and _odd_last(end, start)
    )
    if cut and start > 0:
        notes.append("The last row was cut short (the file ends in the middle of it) and was left out.")
        return body[: len(body) - len(tail) + start]
    return body


def _odd_last(end: bytes, start: int) -> bool:
    """A last line without its line end that ends in a separator, sign or exponent was surely cut."""
    return end[-1:] in (b"-", b"+", b"e", b"E", b".")


def _is_text_column(sample: Sequence[tuple[str, ...]], index: int) -> bool:
    cells = [r[index] for r in sample if len(r) > index and r[index] not in MISSING_WORDS]
    return bool(cells) and sum(is_number(c) for c in cells) < 0.5 * len(cells)


def _mend_numbers(
    path: Path, frame: pl.DataFrame, names: Sequence[str], textual: frozenset[int], layout: TextLayout, notes: list[str]
) -> pl.DataFrame:
    """Cells that should be numbers and are not become missing, and are reported with row and column."""
    import polars as pl

    columns = []
    for i, key in enumerate(frame.columns):
        text = frame[key]
        if i in textual:
            columns.append(text)
            continue
        clean = text.str.strip_chars()
        if text.str.contains(_GROUPED[layout.decimal_comma]).any():
            clean = clean.str.replace_all(_GROUPS[layout.decimal_comma], "")
        if layout.decimal_comma:
            clean = clean.str.replace(",", ".", literal=True)
        numbers = clean.cast(pl.Float64, strict=False)
        bad = (numbers.is_null() & text.is_not_null() & (clean != "")).to_numpy()
        if bad.any():
            first = int(np.argmax(bad))
            row, cell = layout.data_line + first + 1, text[first]
            count = int(bad.sum())
            if count > 0.02 * bad.size and count > 5:
                raise FormatError(
                    path,
                    f"has text where numbers belong ({count} cells; the first is '{str(cell)[:30]}')",
                    "repair or remove that column",
                    f"row {row}, column '{names[i]}'",
                )
            notes.append(
                f"Row {row}, column '{names[i]}': '{str(cell)[:30]}' is no number; {count} such "
                f"{'cell was' if count == 1 else 'cells were'} taken as missing."
            )
        columns.append(numbers.alias(key))
    return pl.DataFrame(columns)
