"""The logs that a command names: how they are read, folders taken apart, ``-`` read from standard input."""

from __future__ import annotations

import argparse
import math
import shutil
import sys
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from basso.errors import FormatError, InputError

if TYPE_CHECKING:
    from basso.formats.options import ReadOptions
    from basso.memory.memory import Memory
    from basso.recording.recording import Recording

PIPED = "-"
_PIPED_NAME = "standard input"
_MOST = 500  # a folder with more is a disk named by mistake


def add_reading(parser: argparse.ArgumentParser) -> None:
    """``--role``, ``--unit``, ``--rate`` and ``--dbc``."""
    group = parser.add_argument_group("reading")
    group.add_argument(
        "--role",
        action="append",
        default=[],
        metavar="ROLE=COLUMN",
        help='the role of a column, such as oil_pressure="P3 gallery"; repeatable',
    )
    group.add_argument(
        "--unit",
        action="append",
        default=[],
        metavar="COLUMN=UNIT",
        help='its unit, such as "P3 gallery=psi"; repeatable',
    )
    group.add_argument("--rate", type=float, metavar="HZ", help="rows a second, for a log without time stamps")
    group.add_argument(
        "--dbc",
        metavar="FILE",
        help="the database that decodes a bus log (default: the one beside it, if there is one)",
    )


def memory() -> Memory:
    """What the user's own Basso remembers of logs."""
    from basso.memory.memory import Memory

    return Memory.own()


def reading(arguments: argparse.Namespace) -> ReadOptions:
    """The reading options; raises InputError for a role or unit that does not exist."""
    from basso.formats.options import ReadOptions, parse_role_option, parse_unit_option

    if arguments.rate is not None and not (math.isfinite(arguments.rate) and arguments.rate > 0):
        raise InputError(f"--rate {arguments.rate}: give the rows a second, a number over 0.")
    return ReadOptions(
        roles=dict(parse_role_option(t) for t in arguments.role),
        units=dict(parse_unit_option(t) for t in arguments.unit),
        rate_hz=arguments.rate,
        database=Path(arguments.dbc) if arguments.dbc else None,
    )


def named(names: Sequence[str]) -> list[Path]:
    """File names as paths, a folder as the logs in it.

    Raises:
        InputError: a folder holds no log, or standard input is named twice.
    """
    from basso.workflow import logs_in

    if names.count(PIPED) > 1:
        raise InputError("-: standard input is one log; name it once.")
    # One by one: a log that is named twice is the command's to tell of.
    found = [log for name in names for log in logs_in([Path(name)])]
    if len(found) > max(_MOST, len(names)):
        folder = next(n for n in names if Path(n).is_dir())
        raise InputError(f"{folder}: there are {len(found)} logs in it and below; name a smaller folder.")
    return found


def opened(arguments: argparse.Namespace, names: Sequence[str]) -> list[Recording]:
    """Read the logs named, by the command's reading options.

    Raises:
        InputError: one cannot be used.
    """
    paths = named(names)
    return [opened_one(arguments, path, i / len(paths), (i + 1) / len(paths)) for i, path in enumerate(paths)]


def opened_one(arguments: argparse.Namespace, path: Path, begun: float = 0.0, done: float = 1.0) -> Recording:
    """Read one log; ``begun`` and ``done`` are the shares of the work before and after it.

    Raises:
        InputError: it cannot be used.
    """
    from basso.workflow import open_recording

    def progress(fraction: float, what: str) -> None:
        arguments.progress(begun + (done - begun) * fraction, f"{path.name}: {what}")

    with at_hand(path) as file:
        recording = open_recording(file, reading(arguments), progress, memory())
    return recording if file == path else replace(recording, path=path)


@contextmanager
def at_hand(path: Path) -> Iterator[Path]:
    """The log as a file: itself, or of ``-`` a copy of standard input for as long as it is read.

    Raises:
        InputError: standard input is a keyboard, or what came from it cannot be used.
    """
    if str(path) != PIPED:
        yield path
        return
    if sys.stdin.isatty():
        raise InputError("-: nothing is piped in; write 'zcat run.csv.gz | basso analyze -', or name a file.")
    from tempfile import TemporaryDirectory

    from basso.platform.folders import cache_folder

    # Beside the cache: the temporary folder of many machines is memory.
    cache_folder().mkdir(parents=True, exist_ok=True)
    with TemporaryDirectory(dir=cache_folder(), prefix="piped-") as folder:
        copy = Path(folder) / "piped"
        with copy.open("wb") as out:
            shutil.copyfileobj(sys.stdin.buffer, out)
        try:
            yield copy
        except FormatError as error:
            raise error.about(Path(_PIPED_NAME)) from None
