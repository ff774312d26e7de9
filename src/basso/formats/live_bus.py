"""A bus as it runs: frames received on a thread of their own, and written down as they come.

What is written is an ordinary candump log with the database beside it, so that whatever happens to Basso the drive up
to the last moment can be read like any other log.
"""

from __future__ import annotations

import os
import queue
import shutil
import threading
import time
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, TextIO

from basso.errors import InputError
from basso.formats.frames import Frames, Key

if TYPE_CHECKING:
    import can

_WRITE_EVERY_S = 0.25
_AGAIN_EVERY_S = 1.0
_BACK_S, _AHEAD_S = 0.5, 5.0
_LONGEST_WAIT_S = 0.2


class BusClock:
    """Stamps that go on where a bus's clock is set back or jumps ahead.

    A clock that jumps is told from a bus that was silent by the time that went by here.
    """

    def __init__(self) -> None:
        self._offset_s = 0.0
        self._last: tuple[float, float] | None = None
        self.jumps = 0

    def told(self, stamp_s: float, received_s: float) -> float:
        """The time of a frame stamped so, received at a moment of a clock that never jumps."""
        at = stamp_s + self._offset_s
        if self._last is not None:
            before, then = self._last
            ahead = (at - before) - (received_s - then)
            if at < before - _BACK_S or ahead > _AHEAD_S:
                self._offset_s += before + (received_s - then) - at
                at = stamp_s + self._offset_s
                self.jumps += 1
            at = max(at, before)
        self._last = at, received_s
        return at


class LiveBus:
    """A bus that is being recorded.

    Attributes:
        path: the recording; its database stands beside it.
        bad: error frames and the like, which hold nothing.
        trouble: why nothing can be received just now, or "".

    Raises (on opening):
        InputError: there is no such bus, or nothing can be written.
    """

    def __init__(self, interface: str, channel: str, database: Path, folder: Path) -> None:
        self._interface, self._channel = interface, channel
        self._bus = open_bus(interface, channel)
        self.bad, self.received, self.trouble = 0, 0, ""
        self._clock = BusClock()
        try:
            folder.mkdir(parents=True, exist_ok=True)
            self.path = _unused(folder, datetime.now())
            self._database = self.path.with_suffix(database.suffix.lower() or ".dbc")
            shutil.copyfile(database, self._database)
            self._file: TextIO = self.path.open("x", encoding="ascii")
        except OSError as error:
            self._bus.shutdown()
            raise InputError(f"{folder}: cannot be written ({error.strerror}); choose another folder.") from None
        self._taken: queue.SimpleQueue[tuple[float, Key, bytes]] = queue.SimpleQueue()
        self._written: queue.SimpleQueue[can.Message] = queue.SimpleQueue()
        self._stop = threading.Event()
        self._threads = [
            threading.Thread(target=work, name=f"basso {work.__name__}", daemon=True)
            for work in (self._receive, self._write)
        ]
        for thread in self._threads:
            thread.start()

    def take(self) -> dict[Key, Frames]:
        """The frames that came since the last call, by identifier."""
        found: dict[Key, Frames] = {}
        while True:
            try:
                stamp, key, payload = self._taken.get_nowait()
            except queue.Empty:
                return found
            found.setdefault(key, Frames()).add(stamp, payload)

    def close(self) -> None:
        """Stop receiving and write down what is left; where nothing came, nothing is left behind."""
        self._stop.set()
        for thread in self._threads:
            thread.join(timeout=5.0)
        self._bus.shutdown()
        self._file.close()
        if not self.received:
            self.path.unlink(missing_ok=True)
            self._database.unlink(missing_ok=True)

    @property
    def jumps(self) -> int:
        """How often its clock jumped."""
        return self._clock.jumps

    def _receive(self) -> None:
        import can

        while not self._stop.is_set():
            try:
                message = self._bus.recv(_LONGEST_WAIT_S)
            except (can.CanError, OSError, ValueError) as error:
                self.trouble = f"{self._interface} {self._channel}: {error or type(error).__name__}"
                self._open_again()
                continue
            if message is None:
                continue
            if message.is_error_frame or message.is_remote_frame or not message.data or len(message.data) > 64:
                self.bad += 1
                continue
            now = time.monotonic()
            # A driver that stamps nothing gives 0.
            message.timestamp = self._clock.told(message.timestamp or time.time(), now)
            message.channel = "can0"
            self.received += 1
            self._written.put(message)
            self._taken.put(
                (message.timestamp, (message.arbitration_id, bool(message.is_extended_id)), bytes(message.data))
            )

    def _open_again(self) -> None:
        if self._stop.wait(_AGAIN_EVERY_S):
            return
        self._bus.shutdown()
        try:
            self._bus = open_bus(self._interface, self._channel)
        except InputError as error:
            self.trouble = str(error)
        else:
            self.trouble = ""

    def _write(self) -> None:
        import can

        writer = can.CanutilsLogWriter(self._file)
        while True:
            ends = self._stop.wait(_WRITE_EVERY_S)
            if ends:
                self._threads[0].join(timeout=2.0)  # what it still holds belongs to the drive
            try:
                while True:
                    try:
                        writer.on_message_received(self._written.get_nowait())
                    except queue.Empty:
                        break
                self._file.flush()
                os.fsync(self._file.fileno())
            except OSError as error:
                self.trouble = f"{self.path}: nothing more can be written ({error.strerror}); free the disk"
            if ends:
                return


def open_bus(interface: str, channel: str) -> can.BusABC:
    """A bus by the names that python-can gives it.

    Raises:
        InputError: there is no such interface, or it cannot be opened.
    """
    import can

    try:
        return can.Bus(interface=interface, channel=channel, ignore_config=True)
    except (can.CanError, ImportError, NotImplementedError, OSError, ValueError, TypeError) as error:
        raise InputError(
            f"--bus {interface} --channel {channel}: cannot be opened ({error}); name interface and channel as "
            "python-can does, such as --bus socketcan --channel can0."
        ) from None


def _unused(folder: Path, now: datetime) -> Path:
    stem = f"live-{now:%Y%m%d-%H%M%S}"
    names = (f"{stem}{f'-{n}' if n else ''}.log" for n in range(1000))
    return next(folder / n for n in names if not (folder / n).exists())
