"""Which reader reads which file. A new format is one module and one line in ``_READERS``."""

from __future__ import annotations

import hashlib
import importlib
import zlib
from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Protocol, cast

from basso.errors import FormatError
from basso.formats.options import ReadOptions
from basso.progress import Progress, silent

if TYPE_CHECKING:
    from basso.recording.recording import Recording


class Reader(Protocol):
    """What every format module offers."""

    def recognises(self, path: Path, head: bytes) -> bool:
        """True when the file's first bytes look like this format."""
        ...

    def read(self, path: Path, options: ReadOptions, progress: Progress) -> Recording:
        """Read the file whole; raises FormatError with one clear sentence."""
        ...


# Most particular first; text comes last, since anything can look like text.
_PIECE_BYTES, _SLICE_BYTES = 1 << 20, 1 << 14
_READERS = (
    "basso.formats.columnar",
    "basso.formats.measurement",
    "basso.formats.bus",
    "basso.formats.csv_text",
)  # fmt: skip
LOG_SUFFIXES = (
    ".csv", ".txt", ".tsv", ".log", ".gz", ".parquet", ".arrow", ".feather", ".ipc", ".mf4", ".mdf", ".asc", ".blf", ".trc",
)  # fmt: skip
"""Endings a folder is searched for; a file named by the user is read whatever its ending."""


def read_recording(path: Path | str, options: ReadOptions | None = None, progress: Progress = silent) -> Recording:
    """Read a log of any known format.

    Raises:
        FormatError: the file is missing, not readable, empty, or nothing Basso knows.
    """
    file = Path(path)
    head = _head(file)
    for name in _READERS:
        # Looking at a few bytes must not cost the import of a big library: readers load theirs in ``read``.
        reader = cast(Reader, importlib.import_module(name))
        if reader.recognises(file, head):
            recording = reader.read(file, options or ReadOptions(), progress)
            progress(1.0, f"read {file.name}")
            return recording if recording.content_hash else replace(recording, content_hash=content_hash(file))
    raise FormatError(
        file,
        "is no log that Basso can read (it holds binary data of no kind it knows)",
        "export the log as CSV from the logger's software",
    )


def content_hash(file: Path) -> str:
    """The :func:`fingerprint` of a file."""
    with file.open("rb", buffering=0) as stream:
        return fingerprint(iter(lambda: stream.read(_PIECE_BYTES), b""))


def fingerprint_of(raw: bytes) -> str:
    """The :func:`fingerprint` of a file that is in memory already."""
    view = memoryview(raw)
    return fingerprint(view[at : at + _PIECE_BYTES] for at in range(0, len(raw), _PIECE_BYTES))


def fingerprint(pieces: Iterable[bytes | memoryview]) -> str:
    """What tells one file's bytes from another's: the same content has the same one wherever it lies.

    Size, CRC-32 of everything, and BLAKE2b of a slice of every megabyte: two different logs of one size share it once in
    four thousand million times, at a quarter of the cost of hashing every byte.
    """
    check, slices, size = 0, hashlib.blake2b(digest_size=12), 0
    for piece in pieces:
        check = zlib.crc32(piece, check)
        slices.update(piece[:_SLICE_BYTES])
        size += len(piece)
    return f"{slices.hexdigest()}{check:08x}{size:x}"


def _head(file: Path) -> bytes:
    if file.is_dir():
        raise FormatError(file, "is a folder", "name a log file in it")
    try:
        with file.open("rb") as stream:
            head = stream.read(65536)
    except FileNotFoundError:
        raise FormatError(file, "does not exist", "check the name and the folder") from None
    except PermissionError:
        raise FormatError(file, "may not be read", "give yourself permission to read it") from None
    except OSError as error:
        raise FormatError(file, f"cannot be read ({error.strerror})", "check the disk or the card") from None
    if not head.strip():
        raise FormatError(file, "is empty", "export it again, or take it off the logger again")
    return head
