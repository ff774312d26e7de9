"""A block of code that may run in circles, ended in time."""

from __future__ import annotations

import signal
import threading
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def time_box(seconds: float) -> Iterator[None]:
    """Raise TimeoutError in this process' main thread when a block takes longer.

    Only the main thread can be interrupted; elsewhere, as where there is no such timer, the block runs as it is and the
    process that reads has a limit of its own.
    """
    if threading.current_thread() is not threading.main_thread():
        yield
        return

    def over(*_: object) -> None:
        raise TimeoutError

    before = signal.signal(signal.SIGALRM, over)
    signal.setitimer(signal.ITIMER_REAL, seconds)
    try:
        yield
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        signal.signal(signal.SIGALRM, before)
