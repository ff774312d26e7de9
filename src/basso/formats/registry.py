"""Which reader reads which file. A new format is one module and one line in ``_READERS``."""

from __future__ import annotations

import hashlib
import importlib
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from pathlib import Path
from types import MappingProxyType
from typing import Protocol, cast

from basso.errors import FormatError, InputError
from basso.progress import Progress, silent
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.units import Unit, parse_unit


@dataclass(frozen=True, slots=True)
class ReadOptions:
    """What the user says about a file beyond what it says itself.

    Attributes:
        roles: role → column name.
        units: column name → unit.
        rate_hz: rows a second, for a log without (usable) time stamps.
        database: the bus database (DBC) that decodes a bus log, else one beside it is used.
        remembered: roles and units were confirmed earlier for logs of this shape.
    """

    roles: Mapping[Role, str] = field(default_factory=lambda: MappingProxyType({}))
    units: Mapping[str, Unit] = field(default_factory=lambda: MappingProxyType({}))
    rate_hz: float | None = None
    database: Path | None = None
    remembered: bool = False


class Reader(Protocol):
    """What every format module offers."""

    def recognises(self, path: Path, head: bytes) -> bool:
        """True when the file's first bytes look like this format."""
        ...

    def read(self, path: Path, options: ReadOptions, progress: Progress) -> Recording:
        """Read the file whole; raises FormatError with one clear sentence."""
        ...


# Most particular first; text comes last, since anything can look like text.
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
            # The hash lets go of the interpreter, so it costs nothing beside the parsing.
            with ThreadPoolExecutor(1) as beside:
                digest = beside.submit(content_hash, file)
                recording = reader.read(file, options or ReadOptions(), progress)
                progress(1.0, f"read {file.name}")
                return replace(recording, content_hash=digest.result())
    raise FormatError(
        file,
        "is no log that Basso can read (it holds binary data of no kind it knows)",
        "export the log as CSV from the logger's software",
    )


def content_hash(file: Path) -> str:
    """Hash of a file's bytes, 128 bit as text: the same content has the same hash wherever it lies."""
    with file.open("rb") as stream:
        return hashlib.file_digest(stream, lambda: hashlib.blake2b(digest_size=16)).hexdigest()


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


def parse_role_option(text: str) -> tuple[Role, str]:
    """Read ``--role oil_pressure="P3 gallery"``."""
    role, _, column = text.partition("=")
    try:
        return Role(role.strip()), column.strip()
    except ValueError:
        known = ", ".join(Role)
        raise InputError(f"--role {text}: '{role}' is no role; use one of {known}.") from None


def parse_unit_option(text: str) -> tuple[str, Unit]:
    """Read ``--unit "P3 gallery=psi"``."""
    column, _, spelled = text.rpartition("=")
    unit = parse_unit(spelled)
    if not column or unit is None:
        raise InputError(f"--unit {text}: '{spelled}' is no unit Basso knows; write it like \"P3 gallery=psi\".")
    return column.strip(), unit
