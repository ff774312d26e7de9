"""Which reader reads which file. A new format is one module with ``read(path, options, progress)`` and one line in
:mod:`basso.formats.kinds`."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from basso.errors import FormatError
from basso.files import open_plain
from basso.formats.fingerprint import content_hash
from basso.formats.isolated import read_isolated
from basso.formats.kinds import is_packed, kind_of
from basso.formats.options import ReadOptions
from basso.limits import MOST_BINARY_BYTES, SPLIT
from basso.progress import Progress, silent

if TYPE_CHECKING:
    from basso.recording.recording import Recording


LOG_SUFFIXES = (
    ".csv",
    ".txt",
    ".tsv",
    ".log",
    ".gz",
    ".parquet",
    ".arrow",
    ".feather",
    ".ipc",
    ".mf4",
    ".mdf",
    ".asc",
    ".blf",
    ".trc",
)
"""Endings a folder is searched for; a file named by the user is read whatever its ending."""


def read_recording(path: Path | str, options: ReadOptions | None = None, progress: Progress = silent) -> Recording:
    """Read a log of any known format.

    Raises:
        FormatError: the file is missing, not readable, empty, or nothing Basso knows.
    """
    file = Path(path)
    head = _head(file)
    kind = kind_of(file, head)
    if kind is None:
        raise FormatError(
            file,
            "is no log that Basso can read (it holds binary data of no kind it knows)",
            "export the log as CSV from the logger's software",
        )
    options = options or ReadOptions()
    if kind == "csv_text":  # text is parsed here, in bounds of its own; the rest is for another process
        from basso.formats import csv_text

        recording = csv_text.read(file, options, progress)
    else:
        if file.stat().st_size > MOST_BINARY_BYTES:
            raise FormatError(file, f"is larger than {MOST_BINARY_BYTES // 1_000_000} MB", SPLIT)
        before = content_hash(file)
        recording = replace(read_isolated(file, kind, is_packed(head), options, progress), content_hash=before)
        if content_hash(file) != before:
            raise FormatError(file, "was changed while it was being read", "open it again when it is complete")
    progress(1.0, f"read {file.name}")
    return recording


def _head(file: Path) -> bytes:
    try:
        with open_plain(file) as stream:
            head = stream.read(65536)
    except OSError as error:
        raise FormatError(file, f"cannot be read ({error.strerror})", "check the disk or the card") from None
    if not head.strip():
        raise FormatError(file, "is empty", "export it again, or take it off the logger again")
    return head
