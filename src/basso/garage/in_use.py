"""Who has a garage open: windows share it, putting a backup back wants it alone. Ends with the process, however it ends."""

from __future__ import annotations

import fcntl
import os
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from basso.errors import InputError

_FILE = ".in-use"


def take_part(folder: Path) -> int | None:
    """Say that the garage is open here until the number returned is given to :func:`os.close`.

    None where that cannot be said (a folder that may only be read, a disk without locks): then nothing is kept out.

    Raises:
        InputError: a backup is being put back just now.
    """
    try:
        held = os.open(folder / _FILE, os.O_RDWR | os.O_CREAT, 0o644)
    except OSError:
        return None
    try:
        fcntl.flock(held, fcntl.LOCK_SH | fcntl.LOCK_NB)
    except BlockingIOError:
        os.close(held)
        raise InputError(f"{folder}: a backup is being put back just now; try again.") from None
    except OSError:
        os.close(held)
        return None
    return held


@contextmanager
def alone(folder: Path) -> Iterator[None]:
    """Nobody else has the garage open, and nobody can open it meanwhile.

    Raises:
        InputError: another window has it open.
    """
    held = None
    with suppress(OSError):
        held = os.open(folder / _FILE, os.O_RDWR | os.O_CREAT, 0o644)
    try:
        if held is not None:
            try:
                fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except BlockingIOError:
                raise InputError(
                    f"{folder}: is open in another window, which would write into what is put back; close that window first. "
                    "Nothing was changed."
                ) from None
            except OSError:
                pass  # a disk without locks
        yield
    finally:
        if held is not None:
            os.close(held)
