"""Reading CSV and other separated text, as loggers and their software write it."""

from __future__ import annotations

import gzip
import hashlib
import io
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path
from types import MappingProxyType

import numpy as np

from basso.errors import FormatError
from basso.formats.registry import ReadOptions
from basso.formats.sniff import MISSING_WORDS, TextLayout, find_layout, is_number
from basso.progress import Progress
from basso.recording.channel import Channel
from basso.recording.plausible import assume_unit, contradicts
from basso.recording.recording import Recording
from basso.recording.roles import QUANTITY_OF, Heading, Role, recognise, take_apart
from basso.units import UNITS, FloatArray, Quantity, Unit, parse_unit

_HEAD_BYTES = 262144
_HEAD_LINES = 400
_NAMES_OF_SEPARATORS = MappingProxyType({",": "comma", ";": "semicolon", "\t": "tab", "|": "bar"})
_NEEDED = (Role.OIL_PRESSURE, Role.RPM)


def recognises(path: Path, head: bytes) -> bool:
    """True for gzip and for anything that is text: no NUL bytes unless it is UTF-16."""
    if head[:2] == b"\x1f\x8b" or head[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return True
    return b"\x00" not in head


def read(path: Path, options: ReadOptions, progress: Progress) -> Recording:
    """Read a text log into a recording.

    Raises:
        FormatError: one sentence that names the file, the place and what to do.
    """
    progress(0.0, f"reading {path.name}")
    raw, encoding = _text_bytes(path)
    # The hash lets go of the interpreter, so it costs nothing beside the parsing.
    with ThreadPoolExecutor(1) as beside:
        digest = beside.submit(_content_hash, raw)
        recording, layout = _parsed(path, raw, options, progress)
    separator = _NAMES_OF_SEPARATORS[layout.separator]
    progress(1.0, f"read {path.name}")
    return replace(
        recording,
        format=f"CSV, {separator}{', decimal comma' if layout.decimal_comma else ''}, {encoding}",
        content_hash=digest.result(),
    )


def _content_hash(raw: bytes) -> str:
    return hashlib.blake2b(raw, digest_size=16).hexdigest()


def _parsed(path: Path, raw: bytes, options: ReadOptions, progress: Progress) -> tuple[Recording, TextLayout]:
    layout = _layout(path, raw)
    progress(0.1, f"reading {path.name}")
    table, notes = _table(path, raw, layout)
    progress(0.6, f"recognising the columns of {path.name}")
    return _recording(path, layout, table, options, notes), layout


def _text_bytes(path: Path) -> tuple[bytes, str]:
    """The file's text as UTF-8 bytes without a byte-order mark, and the name of its encoding."""
    raw = path.read_bytes()
    packed = ""
    if raw[:2] == b"\x1f\x8b":
        try:
            raw = gzip.decompress(raw)
        except (OSError, EOFError):
            raise FormatError(path, "is a damaged gzip file", "copy it from the logger again") from None
        packed = " in gzip"
    if raw[:3] == b"\xef\xbb\xbf":
        return raw[3:], "UTF-8" + packed
    if raw[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return raw.decode("utf-16", errors="replace").encode(), "UTF-16" + packed
    if b"\x00" in raw:
        row = raw.count(b"\n", 0, raw.index(b"\x00")) + 1
        raise FormatError(
            path, "holds zero bytes, as after a power loss while writing",
            "export it again, or cut the file off above this row", f"row {row}",
        )  # fmt: skip
    if raw.isascii():
        return raw, "UTF-8" + packed
    try:
        raw.decode("utf-8")
    except UnicodeDecodeError:
        return raw.decode("latin-1").encode(), "Latin-1" + packed
    return raw, "UTF-8" + packed


def _layout(path: Path, raw: bytes) -> TextLayout:
    if not raw[:_HEAD_BYTES].strip():
        raise FormatError(path, "is empty", "export it again, or take it off the logger again")
    head = raw[:_HEAD_BYTES].decode("utf-8", errors="replace")
    lines = head.splitlines()[:_HEAD_LINES]
    if len(raw) > _HEAD_BYTES and len(lines) < _HEAD_LINES and len(lines) > 1:
        lines = lines[:-1]
    layout = find_layout(lines)
    if layout is None:
        if len([x for x in lines if x.strip()]) < 2:
            raise FormatError(path, "has no rows of data under its first line", "export the whole session again")
        raise FormatError(
            path, "holds no table with a row of column names and rows of numbers below",
            "export the log as CSV with a heading row",
        )  # fmt: skip
    return layout


@dataclass(slots=True)
class _Column:
    heading: Heading
    numbers: FloatArray


def _table(path: Path, raw: bytes, layout: TextLayout) -> tuple[tuple[list[_Column], FloatArray], list[str]]:
    import polars as pl

    notes: list[str] = []
    names = list(layout.names)
    width = max(len(names), max((len(r) for r in layout.sample[:5]), default=0))
    names += [""] * (width - len(names))
    while names and not names[-1] and all(len(r) < len(names) or not r[-1] for r in layout.sample):
        names.pop()
    body = _whole_last_row(raw, layout, len(names), notes)
    keys = [f"c{i}" for i in range(len(names))]
    textual = {i for i in range(len(names)) if _is_text_column(layout.sample, i)}
    schema: dict[str, type[pl.DataType]] = {k: pl.String if i in textual else pl.Float64 for i, k in enumerate(keys)}

    def load(types: dict[str, type[pl.DataType]], missing: list[str] | None = None) -> pl.DataFrame:
        return pl.read_csv(
            io.BytesIO(body), has_header=False, skip_lines=layout.data_line, separator=layout.separator, schema=types,
            decimal_comma=layout.decimal_comma, extra_columns="ignore", missing_columns="insert", null_values=missing,

        )  # fmt: skip

    try:
        # Without a list of words for "missing" the parser is twice as quick; a file that has them comes round again.
        frame = load(schema)
    except pl.exceptions.PolarsError:
        try:
            frame = load(dict.fromkeys(keys, pl.String), list(MISSING_WORDS))
        except pl.exceptions.PolarsError as error:
            first = str(error).splitlines()[0]
            raise FormatError(path, f"breaks the table's form ({first})", "open it in an editor and repair it") from None
        frame = _mend_numbers(path, frame, names, textual, layout, notes)
    if frame.height < 2:
        raise FormatError(path, "has fewer than two rows of data", "export the whole session again")

    headings = _headings(names, layout)
    clock_index, seconds = _find_time(path, frame, headings, textual, notes)
    columns: list[_Column] = []
    for i, key in enumerate(keys):
        if i == clock_index:
            columns.append(_Column(headings[i], seconds))
        elif i in textual:
            if headings[i].name:
                notes.append(f"Column '{headings[i].name}' holds text and was left out.")
        else:
            columns.append(_Column(headings[i], _finite(frame[key].to_numpy())))
    ordered = _in_order(columns, seconds, notes)
    return ordered, notes


def _finite(values: FloatArray) -> FloatArray:
    """Infinite readings become missing."""
    if not np.isfinite(values.sum()) and np.isinf(values).any():
        return np.where(np.isinf(values), np.nan, values)
    return values


def _whole_last_row(body: bytes, layout: TextLayout, width: int, notes: list[str]) -> bytes:
    """Leave out a last row that was cut short while it was written."""
    tail = body[-_HEAD_BYTES:]
    end = tail.rstrip(b"\r\n\x1a ")
    start = end.rfind(b"\n") + 1
    fields = end[start:].count(layout.separator.encode()) + 1
    usual = min((len(r) for r in layout.sample[:20]), default=width)
    cut = fields < min(width, usual) or not body.endswith((b"\n", b"\r", b"\x1a")) and start > 0 and _odd_last(end, start)
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


def _mend_numbers(path: Path, frame: object, names: list[str], textual: set[int], layout: TextLayout, notes: list[str]):  # type: ignore[no-untyped-def]
    """Cells that should be numbers and are not become missing, and are reported with row and column."""
    import polars as pl

    assert isinstance(frame, pl.DataFrame)
    columns = []
    for i, key in enumerate(frame.columns):
        text = frame[key]
        if i in textual:
            columns.append(text)
            continue
        clean = text.str.strip_chars()
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
                    path, f"has text where numbers belong ({count} cells; the first is '{str(cell)[:30]}')",
                    "repair or remove that column", f"row {row}, column '{names[i]}'",
                )  # fmt: skip
            notes.append(
                f"Row {row}, column '{names[i]}': '{str(cell)[:30]}' is no number; {count} such "
                f"{'cell was' if count == 1 else 'cells were'} taken as missing."
            )
        columns.append(numbers.alias(key))
    return pl.DataFrame(columns)


def _headings(names: list[str], layout: TextLayout) -> list[Heading]:
    headings = []
    seen: dict[str, int] = {}
    for i, name in enumerate(names):
        heading = take_apart(name)
        stated = layout.units[i] if layout.units is not None and i < len(layout.units) else ""
        unit = parse_unit(stated) if stated else None
        shown = heading.name or f"column {i + 1}"
        seen[shown] = seen.get(shown, 0) + 1
        if seen[shown] > 1:
            shown = f"{shown} ({seen[shown]})"
        headings.append(Heading(shown, heading.words, unit or heading.unit))
    return headings


def _find_time(path, frame, headings: list[Heading], textual: set[int], notes: list[str]) -> tuple[int, FloatArray]:  # type: ignore[no-untyped-def]
    """The time column and its values in seconds (not yet starting at zero)."""
    from basso.formats.clock import clock_seconds

    roles = recognise(headings)
    order = [i for i, r in enumerate(roles) if r is Role.TIME]
    order += [i for i, h in enumerate(headings) if i not in order and "time" in h.words and "lap" not in h.words]
    order += [0] if 0 not in order else []
    for i in order:
        column = frame[f"c{i}"]
        if i in textual:
            seconds = clock_seconds(column)
            if seconds is not None and np.isfinite(seconds).mean() > 0.9:
                return i, seconds
            continue
        values = column.to_numpy(writable=True)
        known = values[np.isfinite(values)]
        if known.size < 0.9 * values.size or known.size < 2 or known[-1] <= known[0]:
            continue
        steps = np.diff(known)
        if np.count_nonzero(steps >= 0) < 0.95 * steps.size:
            continue
        unit = headings[i].unit
        stated = unit is not None and unit.quantity is Quantity.TIME
        named = roles[i] is Role.TIME or "time" in headings[i].words
        if not named and not stated:
            notes.append(f"No column is named as time; '{headings[i].name}' rises steadily and was taken as seconds.")
        if unit is not None and stated:
            return i, unit.to_base(values)
        step = float(np.median(steps[steps > 0])) if np.any(steps > 0) else 0.0
        if known[0] > 1e11 or step > 1.9 and float(step).is_integer() and known[-1] - known[0] > 20000:
            scale = 1e-6 if known[0] > 1e14 else 1e-3
            notes.append(f"'{headings[i].name}' has no unit; by its steps it was taken as {'µs' if scale < 1e-4 else 'ms'}.")
            return i, values * scale
        return i, values
    raise FormatError(
        path, "has no time column (none that rises steadily, in seconds or as a clock time)",
        "export it with time, or name the column with --role time=\"NAME\"",
    )  # fmt: skip


def _in_order(columns: list[_Column], seconds: FloatArray, notes: list[str]) -> tuple[list[_Column], FloatArray]:
    """Rows without a time, repeated and backward stamps are left out and reported."""
    known = np.isfinite(seconds)
    if not known.all():
        notes.append(f"{int((~known).sum())} rows have no time and were left out.")
    highest = np.maximum.accumulate(np.where(known, seconds, -np.inf))
    rising = known & (np.diff(highest, prepend=-np.inf) > 0)
    dropped = int(known.sum() - rising.sum())
    if dropped:
        notes.append(f"{dropped} rows repeat an earlier time or go back in time and were left out.")
    if rising.all():
        return columns, seconds - seconds[0]
    kept = [_Column(c.heading, c.numbers[rising]) for c in columns]
    seconds = seconds[rising]
    return kept, seconds - seconds[0]


def _recording(
    path: Path, layout: TextLayout, table: tuple[list[_Column], FloatArray], options: ReadOptions, notes: list[str]
) -> Recording:
    columns, seconds = table
    if seconds.size < 2:
        raise FormatError(path, "has fewer than two rows in time order", "export the whole session again")
    headings = [c.heading for c in columns]
    forced = _forced(path, headings, options)
    for name in options.units:
        if name not in {h.name for h in headings}:
            raise FormatError(path, f"has no column '{name}' to set a unit for", f"use one of: {_some(headings)}")
    headings = [replace(h, unit=options.units.get(h.name, h.unit)) for h in headings]
    roles = recognise(headings, forced)
    channels: list[Channel] = []
    for column, heading, role in zip(columns, headings, roles, strict=True):
        if not heading.words and np.isnan(column.numbers).all():
            continue
        if role is Role.TIME:
            channels.append(Channel(heading.name, role, UNITS["s"], heading.unit is None, seconds, seconds))
            continue
        channels.append(_channel(heading, role, column.numbers, seconds, heading.name in options.units, notes))
    channels = _with_shared_times(channels)
    for role in _NEEDED:
        if not any(c.role is role for c in channels):
            notes.append(f"No column was recognised as {role}; name it with --role {role}=\"NAME\".")
    facts = {r[0].rstrip(":"): r[1] for r in layout.preamble if len(r) >= 2 and r[0] and r[1]}
    return Recording(path, "CSV", tuple(channels), tuple(notes), MappingProxyType(facts))


def _forced(path: Path, headings: list[Heading], options: ReadOptions) -> dict[int, Role]:
    forced: dict[int, Role] = {}
    for role, name in options.roles.items():
        index = next((i for i, h in enumerate(headings) if h.name.strip() == name.strip()), None)
        if index is None:
            index = next((i for i, h in enumerate(headings) if h.name.lower() == name.lower()), None)
        if index is None:
            raise FormatError(path, f"has no column '{name}' for {role}", f"use one of: {_some(headings)}")
        forced[index] = role
    return forced


def _some(headings: list[Heading]) -> str:
    names = [f"'{h.name}'" for h in headings]
    return ", ".join(names[:12]) + (" …" if len(names) > 12 else "")


def _channel(
    heading: Heading, role: Role | None, values: FloatArray, seconds: FloatArray, unit_forced: bool, notes: list[str]
) -> Channel:
    unit, assumed = heading.unit, False
    quantity = QUANTITY_OF[role] if role is not None else None
    if role is not None and quantity is not None:
        if unit is None or unit.quantity is not quantity:
            unit, assumed = assume_unit(role, values), True
            if quantity in (Quantity.PRESSURE, Quantity.TEMPERATURE, Quantity.ACCELERATION, Quantity.SPEED):
                notes.append(f"'{heading.name}' has no unit; its values were taken as {unit.symbol}.")
        elif not unit_forced and (better := contradicts(role, unit, values)) is not None:
            notes.append(
                f"'{heading.name}' says {unit.symbol}, which no engine shows at these values; taken as {better.symbol}."
            )
            unit, assumed = better, True
    if unit is not None and unit.absolute:
        # The day's atmosphere is not known here; zero correction measures it. Keep the value as logged.
        notes.append(f"'{heading.name}' is absolute pressure ({unit.symbol}); the zero is taken from the engine-off reading.")
    base = unit.to_base(values) if unit is not None else values
    return Channel(heading.name, role, unit, assumed, seconds, np.ascontiguousarray(base, dtype=np.float64))


def _with_shared_times(channels: list[Channel]) -> list[Channel]:
    """A column that was sampled more slowly (regular blanks between its values) gets its own times."""
    result = []
    shared: dict[bytes, FloatArray] = {}
    for channel in channels:
        known = ~np.isnan(channel.values)
        count = int(known.sum())
        if count < 2 or count > 0.7 * known.size:
            result.append(channel)
            continue
        steps = np.diff(np.flatnonzero(known))
        usual = np.median(steps)
        if np.count_nonzero(np.abs(steps - usual) <= max(1.0, 0.2 * usual)) < 0.8 * steps.size:
            result.append(channel)
            continue
        key = hashlib.blake2b(np.packbits(known).tobytes(), digest_size=8).digest()
        times = shared.setdefault(key, channel.time_s[known])
        result.append(replace(channel, time_s=times, values=channel.values[known]))
    return result


