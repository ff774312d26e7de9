"""One window at a time: a second ``basso run.csv`` hands its logs to the window that is open, and ends.

A socket of this machine and this user; who knocks is asked for by the kernel, not believed. Only names of files are
handed over, to be opened as if they had been dropped on the window.
"""

from __future__ import annotations

import hashlib
import json
import os
import socket
import struct
from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import QObject, QSocketNotifier, Signal

from basso.platform.folders import data_folder

_MOST_BYTES = 1 << 20
_PATIENCE_S = 3.0
_HEARD = b"opened\n"


def _address() -> str:
    """Of this user's windows on this garage: another garage is another Basso."""
    return f"\0basso-{os.getuid()}-{hashlib.sha256(str(data_folder()).encode()).hexdigest()[:16]}"


def _same_user(end: socket.socket) -> bool:
    _, user, _ = struct.unpack("3i", end.getsockopt(socket.SOL_SOCKET, socket.SO_PEERCRED, struct.calcsize("3i")))
    return bool(user == os.getuid())


def ring(logs: Sequence[str]) -> bool:
    """Ask an open window of this user to open logs and come to the front; False where there is none that answers."""
    with socket.socket(socket.AF_UNIX) as end:
        end.settimeout(_PATIENCE_S)
        try:
            end.connect(_address())
            if not _same_user(end):
                return False
            end.sendall(json.dumps([str(Path(name).absolute()) for name in logs]).encode() + b"\n")
            return end.recv(len(_HEARD)) == _HEARD
        except OSError:
            return False


class Doorbell(QObject):
    """Listens for other starts of Basso; ``rung`` carries the paths they were given, perhaps none."""

    rung = Signal(list)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._door = socket.socket(socket.AF_UNIX)
        self._guests: dict[int, tuple[socket.socket, QSocketNotifier, bytearray]] = {}
        try:
            self._door.bind(_address())
        except OSError:  # another window has it: this one is not rung
            self._door.close()
            return
        self._door.listen(4)
        self._door.setblocking(False)
        self._notifier = QSocketNotifier(self._door.fileno(), QSocketNotifier.Type.Read, self)
        self._notifier.activated.connect(self._come_in)

    def let_go(self) -> None:
        """Listen no longer."""
        for number in list(self._guests):
            self._send_off(number)
        if self._door.fileno() >= 0:
            self._notifier.setEnabled(False)
            self._door.close()

    def _come_in(self) -> None:
        try:
            guest, _ = self._door.accept()
        except OSError:
            return
        if not _same_user(guest):
            guest.close()
            return
        guest.setblocking(False)
        number = guest.fileno()
        notifier = QSocketNotifier(number, QSocketNotifier.Type.Read, self)
        notifier.activated.connect(lambda *_: self._hear(number))
        self._guests[number] = guest, notifier, bytearray()

    def _hear(self, number: int) -> None:
        guest, _, heard = self._guests[number]
        try:
            part = guest.recv(65536)
        except OSError:
            part = b""
        heard += part
        if part and not heard.endswith(b"\n") and len(heard) <= _MOST_BYTES:
            return
        paths = _paths(bytes(heard))
        if paths is not None:
            try:
                guest.send(_HEARD)
            except OSError:
                paths = None
        self._send_off(number)
        if paths is not None:
            self.rung.emit(paths)

    def _send_off(self, number: int) -> None:
        guest, notifier, _ = self._guests.pop(number)
        notifier.setEnabled(False)
        notifier.deleteLater()
        guest.close()


def _paths(heard: bytes) -> list[Path] | None:
    """The paths in what was heard; None where it is nothing that Basso says."""
    try:
        names = json.loads(heard)
    except ValueError:
        return None
    if not isinstance(names, list) or not all(isinstance(n, str) and n.startswith("/") for n in names):
        return None
    return [Path(n) for n in names]
