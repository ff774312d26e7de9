"""What a text log looks like, found from its first lines: encoding, separator, heading, units row."""

from __future__ import annotations

import csv
import re
from collections import Counter
from dataclasses import dataclass

from basso.limits import LONGEST_NAME
from basso.plain_text import out_of_cell, plain
from basso.recording.roles import recognise, take_apart
from basso.units import parse_unit

_SEPARATORS = (",", ";", "\t", "|")
_NUMBER = re.compile(r"^[+-]?(\d+([.,]\d*)?|[.,]\d+)([eE][+-]?\d+)?$")
_CLOCK = re.compile(r"^(\d{1,4}[-/.]\d{1,2}[-/.]\d{1,4}[T ])?\d{1,2}:\d{2}(:\d{2})?([.,]\d+)?Z?$")
MISSING_WORDS = (
    "",
    "nan",
    "NaN",
    "NAN",
    "null",
    "NULL",
    "n/a",
    "N/A",
    "#N/A",
    "-",
    "--",
    "---",
    "inf",
    "-inf",
    "Inf",
    "None",
)


@dataclass(frozen=True, slots=True)
class TextLayout:
    """Where things are in a text log.

    Attributes:
        separator: between fields.
        decimal_comma: 12,5 means twelve and a half.
        names: the heading's fields.
        units: the units row's fields, or None when there is none.
        preamble: lines above the heading, split into fields.
        data_line: index of the first data line.
        sample: the first data rows, split into fields.
    """

    separator: str
    decimal_comma: bool
    names: tuple[str, ...]
    units: tuple[str, ...] | None
    preamble: tuple[tuple[str, ...], ...]
    data_line: int
    sample: tuple[tuple[str, ...], ...]


def split_line(line: str, separator: str) -> tuple[str, ...]:
    """Split one line into fields, minding quotes."""
    if '"' in line:
        try:
            return tuple(f.strip() for f in next(csv.reader([line], delimiter=separator, skipinitialspace=True)))
        except csv.Error:  # a field longer than any name, or a line that is none
            pass
    return tuple(f.strip() for f in line.split(separator))


def is_number(text: str) -> bool:
    """True for anything that reads as a number, with a decimal point or comma."""
    return bool(_NUMBER.match(text))


def is_value(text: str) -> bool:
    """True for a number or a clock time."""
    return is_number(text) or bool(_CLOCK.match(text))


def _value_share(fields: tuple[str, ...]) -> float:
    filled = [f for f in fields if f and f not in MISSING_WORDS]
    return sum(map(is_value, filled)) / len(filled) if filled else 0.0


def find_layout(lines: list[str]) -> TextLayout | None:
    """Find the layout from the first lines of a text log; None when there is no table in them.

    The separator is the one under which most of the later lines split into the same number of fields, more
    than one. The first data line is the first of at least two lines of that width that hold values; the
    heading is the nearest line above of about that width that is not values; between the two may stand a
    units row.
    """
    best: tuple[float, str, int] | None = None
    for separator in _SEPARATORS:
        widths = Counter(len(split_line(line, separator)) for line in lines if line.strip() and separator in line)
        usable = [(count * min(width, 8), width) for width, count in widths.items() if width > 1]
        if not usable:
            continue
        weight, width = max(usable)
        values = [f for line in lines for f in split_line(line, separator) if f] if separator == "," else []
        # A decimal comma splits "0,05;12,5" evenly too, but leaves ';' inside the fields.
        if separator == "," and sum(";" in f or "\t" in f for f in values) > len(values) / 8:
            continue
        if best is None or weight > best[0]:
            best = (weight, separator, width)
    if best is None:
        return None
    _, separator, width = best
    rows = [split_line(line, separator) for line in lines]
    data_line = _first_data_line(rows, width)
    if data_line is None:
        return None
    head_line = _heading_above(rows, data_line, width)
    if head_line is None:
        return None
    units: tuple[str, ...] | None = None
    between = rows[head_line + 1 : data_line]
    for row in between:
        if any(row) and _looks_like_units(row):
            units = row
    sample = tuple(r for r in rows[data_line : data_line + 80] if any(r))
    commas = sum("," in f for r in sample for f in r if is_number(f))
    points = sum("." in f for r in sample for f in r if is_number(f))
    names = rows[head_line]
    return TextLayout(
        separator=separator,
        decimal_comma=commas > points,  # between commas too, where the fields are quoted
        names=(names[0].lstrip("#% ") or names[0], *names[1:]),
        units=units,
        preamble=tuple(r for r in rows[:head_line] if any(r)),
        data_line=data_line,
        sample=sample,
    )


def _first_data_line(rows: list[tuple[str, ...]], width: int) -> int | None:
    def is_data(row: tuple[str, ...]) -> bool:
        return abs(len(row) - width) <= 1 and _value_share(row) >= 0.5

    for index, row in enumerate(rows):
        if not is_data(row):
            continue
        following = [r for r in rows[index + 1 : index + 4] if any(r)]
        if not following or is_data(following[0]):
            return index
    return None


def _heading_above(rows: list[tuple[str, ...]], data_line: int, width: int) -> int | None:
    candidates = [
        i
        for i in range(data_line)
        if len(rows[i]) >= max(2, width - 1) and _value_share(rows[i]) < 0.5 and any(rows[i])
    ]
    if not candidates:
        return None
    named = [i for i in candidates if not _looks_like_units(rows[i])]
    if len(named) < 2:
        return named[0] if named else candidates[-1]
    # The heading is the line whose names say most; of equals the lowest (below it may stand ids and units).
    return max(named, key=lambda i: (sum(r is not None for r in recognise([take_apart(f) for f in rows[i]])), i))


def facts_of(preamble: tuple[tuple[str, ...], ...]) -> dict[str, str]:
    """Session facts in the lines above the heading: ``key, value`` in fields, or ``key: value`` in one."""
    facts: dict[str, str] = {}
    for row in preamble:
        first, value = row[0].lstrip("#%; ").strip(), row[1] if len(row) > 1 else ""
        if not value and ":" in first:
            first, _, value = first.partition(":")
        elif not value and "=" in first:
            first, _, value = first.partition("=")
        if first.strip() and value.strip():
            key = out_of_cell(plain(first, LONGEST_NAME).strip().rstrip(":").strip())
            facts[key] = out_of_cell(plain(value, LONGEST_NAME).strip())
    return facts


def _looks_like_units(row: tuple[str, ...]) -> bool:
    filled = [f for f in row if f]
    if not filled:
        return False
    known = sum(parse_unit(f) is not None for f in filled)
    # "RPM" and "g" are names as well as units: a units row is mostly units.
    return known > 0.5 * len(filled)
