"""Reading CSV and other separated text, as loggers and their software write it."""

from __future__ import annotations

import io
import os
import re
import threading
from dataclasses import replace
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING

from basso.errors import FormatError
from basso.files import open_plain
from basso.formats.damaged_text import without_binary
from basso.formats.fingerprint import fingerprint_of
from basso.formats.options import ReadOptions
from basso.formats.packed import CUT_GZIP, unpacked
from basso.formats.reader_notes import ReaderNotes
from basso.formats.sniff import TextLayout, facts_of, find_layout
from basso.formats.table import SMALL_BYTES, in_numbers, is_utf8, read_table
from basso.limits import MOST_COLUMNS, MOST_NUMBERS, MOST_TEXT_BYTES, SPLIT
from basso.progress import Progress

if TYPE_CHECKING:
    from basso.recording.recording import Recording

_HEAD_BYTES = 262144
_HEAD_LINES = 400
_BLANKS, _EDGES = re.compile(rb"[ \t]+"), re.compile(rb"(?m)^[ \t]+|[ \t\r]+$")
_NAMES_OF_SEPARATORS = MappingProxyType({",": "comma", ";": "semicolon", "\t": "tab", "|": "bar"})


def read(path: Path, options: ReadOptions, progress: Progress) -> Recording:
    """Read a text log into a recording.

    Raises:
        FormatError: one sentence that names the file, the place and what to do.
    """
    progress(0.0, f"reading {path.name}")
    notes = ReaderNotes()
    raw = _bytes_of(path)
    # The fingerprint lets go of the interpreter: beside loading the table library it costs next to nothing.
    digest: list[str] = []
    beside = threading.Thread(target=lambda whole: digest.append(fingerprint_of(whole)), args=(raw,))
    beside.start()
    raw, encoding = _text_bytes(path, raw, notes)
    try:
        layout = _layout(path, raw)
    except FormatError:
        # Columns may be set apart by blanks; that is tried last, since names hold blanks too.
        if raw[:_HEAD_BYTES].count(b"\n") < 2:
            raise
        raw = _BLANKS.sub(b"\t", _EDGES.sub(b"", raw))
        layout = _layout(path, raw)
    _check_extent(path, raw, layout)
    progress(0.1, f"reading {path.name}")
    if len(raw) > SMALL_BYTES:
        import polars  # noqa: F401

        # While the library parses, which needs no interpreter, what comes after it is loaded.
        threading.Thread(target=_load_the_rest).start()
    table = read_table(path, raw, layout, notes)
    from basso.formats.assemble import assemble
    from basso.formats.rows import columns_of

    beside.join()
    del raw, beside  # before the numbers take their own room
    table = in_numbers(table)
    progress(0.6, f"recognising the columns of {path.name}")
    facts = facts_of(layout.preamble)
    columns, started = columns_of(path, table, layout.units, options, facts, notes)
    separator = _NAMES_OF_SEPARATORS[layout.separator]
    kind = f"CSV, {separator}{', decimal comma' if layout.decimal_comma else ''}, {encoding}"
    recording = assemble(path, kind, columns, options, notes, facts, started)
    return replace(recording, content_hash=digest[0])


def _bytes_of(path: Path) -> bytes:
    """The file as it is, within the bounds of a text log.

    Raises:
        FormatError: it is no plain file, cannot be read, or is larger than a text log can be.
    """
    try:
        with open_plain(path) as stream:
            if os.fstat(stream.fileno()).st_size > MOST_TEXT_BYTES:
                raise _too_large(path)
            raw = stream.read(MOST_TEXT_BYTES + 1)
    except OSError as error:
        raise FormatError(path, f"cannot be read ({error.strerror})", "check the disk or the card") from None
    if len(raw) > MOST_TEXT_BYTES:
        raise _too_large(path)
    return raw


def _too_large(path: Path) -> FormatError:
    return FormatError(path, f"is text of more than {MOST_TEXT_BYTES // 1_000_000} MB", SPLIT)


def _unpacked(path: Path, raw: bytes, notes: ReaderNotes) -> bytes:
    whole: list[bool] = []
    text = b"".join(unpacked(path, io.BytesIO(raw), len(raw), MOST_TEXT_BYTES, whole))
    if not whole:
        notes.broken_off = CUT_GZIP
    return text


def _check_extent(path: Path, raw: bytes, layout: TextLayout) -> None:
    """Refuse a table that is too large before it is parsed, by its first rows."""
    columns = max(len(layout.names), max((len(r) for r in layout.sample), default=0))
    if columns > MOST_COLUMNS:
        raise FormatError(path, f"has {columns:,} columns", "export the channels you need, a few hundred at most")
    if len(raw) < MOST_NUMBERS:  # a reading takes a byte and its separator at the least
        return
    rows = raw.count(b"\n") - layout.data_line
    if rows * columns > MOST_NUMBERS:
        raise FormatError(path, f"holds {rows:,} rows of {columns} columns, more than {MOST_NUMBERS:,} readings", SPLIT)


def _load_the_rest() -> None:
    from basso.formats import arrays, assemble, rows  # noqa: F401


def _text_bytes(path: Path, raw: bytes, notes: ReaderNotes) -> tuple[bytes, str]:
    """The file's text as UTF-8 bytes without a byte-order mark, and the name of its encoding."""
    packed = ""
    if raw[:2] == b"\x1f\x8b":
        raw = _unpacked(path, raw, notes)
        packed = " in gzip"
    if raw[:3] == b"\xef\xbb\xbf":
        return raw[3:], "UTF-8" + packed
    if raw[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return _from_utf16(raw), "UTF-16" + packed
    whole = raw.rstrip(b"\x00") if raw.endswith(b"\x00") else raw
    if len(whole) < len(raw):
        notes.broken_off = "the file ends in zero bytes, as after a power loss"
        raw = whole
    if b"\x00" in raw:
        raw = without_binary(path, raw, notes)
    if b"\n" not in raw[:_HEAD_BYTES] and b"\r" in raw[:_HEAD_BYTES]:
        raw = raw.replace(b"\r", b"\n")
    # The rest is looked at only if it turns out to matter: most text is numbers.
    if is_utf8(raw[:_HEAD_BYTES]) or is_utf8(raw[: _HEAD_BYTES - 3]):
        return raw, "UTF-8" + packed
    return raw.decode("latin-1").encode(), "Latin-1" + packed


def _from_utf16(raw: bytes) -> bytes:
    """UTF-16 as UTF-8. Below the head there are as a rule only digits, which need no decoder: half of each pair is
    zero."""
    import numpy as np

    codec = "utf-16-le" if raw[:2] == b"\xff\xfe" else "utf-16-be"
    body = np.frombuffer(raw, dtype="<u2" if codec.endswith("le") else ">u2", offset=2, count=(len(raw) - 2) // 2)
    head = min(_HEAD_BYTES, body.size)
    if int(body[head:].max(initial=0)) < 128:
        return raw[2 : 2 + 2 * head].decode(codec, errors="replace").encode() + body[head:].astype(np.uint8).tobytes()
    return raw[2:].decode(codec, errors="replace").encode()


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
            path,
            "holds no table with a row of column names and rows of numbers below",
            "export the log as CSV with a heading row",
        )
    return layout
