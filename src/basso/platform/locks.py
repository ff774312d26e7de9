"""Locks between processes, which end with the process that holds them, however it ends."""

from __future__ import annotations

import fcntl
import os
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

_PATIENCE_S = 10.0
_AGAIN_S = 0.02


def try_lock(held: int, how: int, patience_s: float = 0.0) -> bool:
    """Take a lock on an open file; False where another process keeps it for longer than ``patience_s``.

    Args:
        held: the open file's number.
        how: ``fcntl.LOCK_SH`` or ``fcntl.LOCK_EX``.

    Raises:
        OSError: the disk has no locks.
    """
    until = time.monotonic() + patience_s
    while True:
        try:
            fcntl.flock(held, how | fcntl.LOCK_NB)
        except BlockingIOError:
            if time.monotonic() >= until:
                return False
            time.sleep(_AGAIN_S)
        else:
            return True


@contextmanager
def locked(file: Path) -> Iterator[None]:
    """Nobody else reads and rewrites a file meanwhile; where no lock can be had (a disk without any), work goes on.

    The lock lies beside the file, since the file itself is put in place anew at every writing.
    """
    held = None
    try:
        file.parent.mkdir(parents=True, exist_ok=True)
        held = os.open(file.with_name(f".{file.name}.lock"), os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o644)
        try_lock(held, fcntl.LOCK_EX, _PATIENCE_S)
    except OSError:
        pass  # writing says what is wrong
    try:
        yield
    finally:
        if held is not None:
            os.close(held)
