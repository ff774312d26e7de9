"""Ctrl+C in the terminal and the system's request to end: the window closes as by its own button, so nothing is lost.

Python's own handlers wait for Python code to run; while Qt waits for events none does. The signal's number comes in
over a socket that Qt watches.
"""

from __future__ import annotations

import signal
import socket
from types import FrameType

from PySide6.QtCore import QCoreApplication, QObject, QSocketNotifier
from PySide6.QtWidgets import QWidget

_SIGNALS = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)


class EndOnSignal(QObject):
    """Closes ``window`` and ends the application with 128 + the signal's number, until :meth:`let_go`."""

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        self._window = window
        self._read, self._write = socket.socketpair()
        for end in (self._read, self._write):
            end.setblocking(False)
        self._woken_before = signal.set_wakeup_fd(self._write.fileno(), warn_on_full_buffer=False)
        self._before = {number: signal.signal(number, _wait_for_qt) for number in _SIGNALS}
        self._notifier = QSocketNotifier(self._read.fileno(), QSocketNotifier.Type.Read, self)
        self._notifier.activated.connect(self._end)

    def let_go(self) -> None:
        """Put back what was there before."""
        self._notifier.setEnabled(False)
        signal.set_wakeup_fd(self._woken_before)
        for number, handler in self._before.items():
            signal.signal(number, handler)
        self._read.close()
        self._write.close()

    def _end(self) -> None:
        came = [n for n in self._read.recv(64) if n in _SIGNALS]
        if came:
            self._window.close()
            QCoreApplication.exit(128 + came[0])


def _wait_for_qt(number: int, frame: FrameType | None) -> None:
    """The signal is dealt with once Qt has seen the socket."""
