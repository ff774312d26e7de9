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
from basso.formats.kinds import is_packed, kind_of
from basso.formats.options import ReadOptions, database_for
from basso.progress import Progress, silent

if TYPE_CHECKING:
    from basso.recording.recording import Recording


class Reader(Protocol):
    """What every format module offers."""

    def read(self, path: Path, options: ReadOptions, progress: Progress) -> Recording:
        """Read the file whole; raises FormatError with one clear sentence."""
        ...


_PIECE_BYTES, _SLICE_BYTES = 1 << 20, 1 << 14
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
    kind = kind_of(file, head)
    if kind is None:
        raise FormatError(
            file,
            "is no log that Basso can read (it holds binary data of no kind it knows)",
            "export the log as CSV from the logger's software",
        )
    reader = cast(Reader, importlib.import_module(f"basso.formats.{kind}"))
    options = options or ReadOptions()
    if is_packed(head) and kind != "csv_text":  # which unpacks its text in memory
        recording = _read_packed(reader, file, options, progress)
    else:
        recording = reader.read(file, options, progress)
    progress(1.0, f"read {file.name}")
    return recording if recording.content_hash else replace(recording, content_hash=content_hash(file))


def _read_packed(reader: Reader, file: Path, options: ReadOptions, progress: Progress) -> Recording:
    """Read a gzip file by way of an unpacked copy; a database is still looked for beside the file itself."""
    import gzip
    import shutil
    import tempfile

    options = replace(options, database=database_for(file, options))
    with tempfile.TemporaryDirectory(prefix="basso-") as folder:
        plain = Path(folder) / (file.stem if file.suffix.lower() == ".gz" else file.name)
        try:
            with gzip.open(file) as packed, plain.open("wb") as out:
                shutil.copyfileobj(packed, out, _PIECE_BYTES)
        except (OSError, EOFError, zlib.error):
            raise FormatError(file, "is a damaged gzip file", "copy it from the logger again") from None
        try:
            recording = reader.read(plain, options, progress)
        except FormatError as error:
            raise error.about(file) from None
    return replace(recording, path=file, format=f"{recording.format} in gzip")


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
