"""Who has a garage open: windows share it, putting a backup back wants it alone. Ends with the process, however it
ends."""

from __future__ import annotations

import fcntl
import os
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from basso.errors import InputError
from basso.platform.locks import try_lock

_FILE = ".in-use"
_PATIENCE_S = 10.0


def take_part(folder: Path) -> tuple[int | None, bool]:
    """Say that the garage is open here until the number returned is given to :func:`os.close`.

    Returns:
        The number, None where it cannot be said (a folder that may only be read, a disk without locks: then nothing is
        kept out); and whether nobody else has the garage open, and nobody can open it before :func:`share`.

    Raises:
        InputError: a backup is being put back just now.
    """
    try:
        held = os.open(folder / _FILE, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o644)
    except OSError:
        return None, False
    try:
        if try_lock(held, fcntl.LOCK_EX):
            return held, True
        if try_lock(held, fcntl.LOCK_SH, _PATIENCE_S):
            return held, False
    except OSError:
        os.close(held)
        return None, False
    os.close(held)
    raise InputError(f"{folder}: a backup is being put back just now; try again.")


def share(held: int) -> None:
    """Let others open the garage too."""
    with suppress(OSError):
        try_lock(held, fcntl.LOCK_SH, _PATIENCE_S)


@contextmanager
def alone(folder: Path) -> Iterator[None]:
    """Nobody else has the garage open, and nobody can open it meanwhile.

    Raises:
        InputError: another window has it open.
    """
    held = None
    with suppress(OSError):
        held = os.open(folder / _FILE, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o644)
    try:
        with suppress(OSError):  # a disk without locks
            if held is not None and not try_lock(held, fcntl.LOCK_EX):
                raise InputError(
                    f"{folder}: is open in another window, which would write into what is put back; "
                    "close that window first. "
                    "Nothing was changed."
                )
        yield
    finally:
        if held is not None:
            os.close(held)
