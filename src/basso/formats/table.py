"""The table of a text log: from bytes to columns of numbers (or of text, for clock times)."""

from __future__ import annotations

import codecs
import io
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, cast

from basso.errors import FormatError
from basso.formats.reader_notes import ReaderNotes
from basso.formats.sniff import MISSING_WORDS, TextLayout, is_number, is_value

if TYPE_CHECKING:
    import polars as pl

    from basso.units import FloatArray

_TAIL_BYTES = 65536
SMALL_BYTES = 3_000_000
"""Up to this size NumPy reads a table of nothing but numbers in less time than the table library takes to load."""
_PIECE_BYTES = 1 << 20
_GROUPED = (r"^[+-]?\d{1,3}([,' \u2009\u00a0]\d{3})+(\.\d*)?$", r"^[+-]?\d{1,3}([.' \u2009\u00a0]\d{3})+(,\d*)?$")
"""Numbers with their thousands set apart, by whether the decimal mark is a comma."""
_NO_READING = (
    "err",
    "error",
    "inv",
    "invalid",
    "no data",
    "nodata",
    "n.a.",
    "open",
    "short",
    "ol",
    "over",
    "under",
    "overrange",
    "underrange",
    "off",
    "void",
    "missing",
    "#value!",
    "#div/0!",
    "#ref!",
    "#num!",
    "----",
    "***",
    "****",
)
"""Words in the place of a number that say there was none."""
_GROUPS = (r"[,' \u2009\u00a0]", r"[.' \u2009\u00a0]")


@dataclass(frozen=True, slots=True, eq=False)
class TextTable:
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


def in_numbers(table: TextTable) -> TextTable:
    """The table with its numbers as arrays. ``table`` is emptied on the way."""
    from basso.formats.arrays import numbers_of

    if not any(hasattr(c, "get_chunks") for c in table.columns):
        return table
    return replace(table, columns=numbers_of(cast("list[pl.Series]", table.columns), table.textual))


def read_table(path: Path, raw: bytes, layout: TextLayout, notes: ReaderNotes) -> TextTable:
    """Read the table of a text log; what had to be repaired is added to ``notes``.

    Raises:
        FormatError: one sentence with the row and column.
    """
    names = _names(layout)
    body = _whole_last_row(raw, layout, len(names), notes)
    textual = frozenset(i for i in range(len(names)) if _is_text_column(layout.sample, i))
    if not textual and not layout.decimal_comma and len(body) <= SMALL_BYTES:
        from basso.formats.arrays import plain_numbers

        if (plain := plain_numbers(body, layout, len(names))) is not None:
            return TextTable(names, plain, textual)
    frame = _frame(path, body, names, textual, layout, notes)
    if frame.height < 2:
        raise FormatError(path, "has fewer than two rows of data", "export the whole session again")
    return TextTable(names, list(frame.get_columns()), textual)


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

    # Decimal commas in quotes between commas: the library does not take them for numbers.
    quoted_commas = layout.decimal_comma and layout.separator == ","

    def load(types: dict[str, type[pl.DataType]], missing: list[str] | None = None) -> pl.DataFrame:
        return pl.read_csv(
            io.BytesIO(body),
            has_header=False,
            skip_lines=layout.data_line,
            separator=layout.separator,
            schema=types,
            decimal_comma=layout.decimal_comma and not quoted_commas,
            extra_columns="ignore",
            missing_columns="insert",
            null_values=missing,
        )

    if not quoted_commas:
        with suppress(pl.exceptions.PolarsError):
            # Without a list of words for "missing" the parser is twice as quick; a file that has them comes round
            # again.
            return load(schema)
    if not is_utf8(body):
        body = body.decode("latin-1").encode()
    try:
        frame = load(dict.fromkeys(keys, pl.String), list(MISSING_WORDS))
    except pl.exceptions.PolarsError as error:
        first = str(error).splitlines()[0]
        raise FormatError(path, f"breaks the table's form ({first})", "open it in an editor and repair it") from None
    return _mend_numbers(path, frame, names, textual, layout, notes)


def is_utf8(raw: bytes) -> bool:
    """True for valid UTF-8; looked at piece by piece, since a whole decoded copy would double the memory."""
    decoder = codecs.getincrementaldecoder("utf-8")()
    try:
        for start in range(0, len(raw), _PIECE_BYTES):
            decoder.decode(raw[start : start + _PIECE_BYTES], final=start + _PIECE_BYTES >= len(raw))
    except UnicodeDecodeError:
        return False
    return True


def _whole_last_row(body: bytes, layout: TextLayout, width: int, notes: ReaderNotes) -> bytes:
    """Leave out a last row that was cut short while it was written."""
    tail = body[-_TAIL_BYTES:]
    end = tail.rstrip(b"\r\n\x1a ")
    start = end.rfind(b"\n") + 1
    fields = end[start:].count(layout.separator.encode()) + 1
    usual = min((len(r) for r in layout.sample[:20]), default=width)
    first = end[start:].split(layout.separator.encode())[0].decode("utf-8", errors="replace").strip('" ')
    if layout.sample and is_value(layout.sample[0][0]) and not is_value(first):
        return body  # a line of words under the rows; it was not cut, and is told of with others like it
    cut = fields < min(width, usual) or (
        not body.endswith((b"\n", b"\r", b"\x1a")) and start > 0 and _odd_last(end, start)
    )
    if cut and start > 0:
        notes.append("The last row was cut short (the file ends in the middle of it) and was left out.")
        if not body.endswith((b"\n", b"\r", b"\x1a")):  # a short row with its line end was written so
            notes.broken_off = notes.broken_off or "the file ends in the middle of a row"
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

    texts = {key: frame[key] for i, key in enumerate(frame.columns) if i not in textual}
    numbers = {key: _as_numbers(text, layout.decimal_comma) for key, text in texts.items()}
    bad = pl.DataFrame(
        {key: numbers[key].is_null() & (text.fill_null("").str.strip_chars() != "") for key, text in texts.items()}
    )
    filled = frame.select(pl.sum_horizontal(pl.col(list(texts)).is_not_null())).to_series()
    words = (
        (bad.sum_horizontal() >= 0.5 * filled) & bad.max_horizontal() if texts else pl.Series([False] * frame.height)
    )
    if count := int(words.sum()):
        first = int(words.arg_max() or 0)
        notes.append(
            f"Row {layout.data_line + first + 1}{f' and {count - 1} more' if count > 1 else ''} "
            f"{'hold' if count > 1 else 'holds'} words instead of readings (the first begins "
            f"'{str(next((c for c in frame.row(first) if c), ''))[:30]}') and "
            f"{'were' if count > 1 else 'was'} left out."
        )
        if count > 0.5 * frame.height:
            words = pl.Series([False] * frame.height)  # a column is told of below
            notes.pop()
    for i, key in enumerate(frame.columns):
        if i not in textual:
            _tell_bad(path, texts[key], bad[key] & ~words, names[i], layout, notes)
    columns = [numbers[key].alias(key) if key in numbers else frame[key] for key in frame.columns]
    return pl.DataFrame(columns).filter(~words)


def _as_numbers(text: pl.Series, decimal_comma: bool) -> pl.Series:
    """Numbers out of text; what is none becomes null."""
    import polars as pl

    clean = text.str.strip_chars()
    if text.str.contains(_GROUPED[decimal_comma]).any():
        clean = clean.str.replace_all(_GROUPS[decimal_comma], "")
    if decimal_comma:
        clean = clean.str.replace(",", ".", literal=True)
    return clean.cast(pl.Float64, strict=False)


def _tell_bad(path: Path, text: pl.Series, bad: pl.Series, name: str, layout: TextLayout, notes: list[str]) -> None:
    """Report a column's cells that are no numbers; many of them are refused unless they say that there was no
    reading."""
    count = int(bad.sum())
    if not count:
        return
    first = int(bad.arg_max() or 0)
    row, cell = layout.data_line + first + 1, str(text[first])[:30]
    known = text.filter(bad).str.strip_chars().str.to_lowercase().is_in(_NO_READING).all()
    if count > max(0.02 * bad.len(), 5) and not known:
        raise FormatError(
            path,
            f"has text where numbers belong ({count} cells; the first is '{cell}')",
            "repair or remove that column",
            f"row {row}, column '{name}'",
        )
    notes.append(
        f"Row {row}, column '{name}': '{cell}' is no number; {count} such "
        f"{'cell was' if count == 1 else 'cells were'} taken as missing."
    )
