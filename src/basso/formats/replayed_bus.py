"""A bus that is not there: frames given beforehand, that come as its clock is moved on. For proof, not for driving."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from basso.formats.frames import Frames, Key


class ReplayedBus:
    """Stands where a :class:`basso.formats.live_bus.LiveBus` would, and records nothing.

    Args:
        frames: (time in s, identifier, data), in order.
        path: what the recording would be called.

    Attributes:
        now_s: its clock; whoever replays moves it.
    """

    def __init__(self, frames: Iterable[tuple[float, int, bytes]], path: Path) -> None:
        self._frames, self._next = list(frames), 0
        self.now_s = 0.0
        self.path, self.received, self.trouble = path, 0, ""

    @property
    def jumps(self) -> int:
        """Its clock never does."""
        return 0

    @property
    def end_s(self) -> float:
        """When the last frame comes."""
        return self._frames[-1][0] if self._frames else 0.0

    def clock(self) -> float:
        """Its clock, s."""
        return self.now_s

    def take(self) -> dict[Key, Frames]:
        """The frames that came since the last call."""
        came: dict[Key, Frames] = {}
        while self._next < len(self._frames) and self._frames[self._next][0] <= self.now_s:
            at_s, identifier, data = self._frames[self._next]
            came.setdefault((identifier, False), Frames()).add(at_s, data)
            self._next += 1
        self.received = self._next
        return came

    def close(self) -> None:
        """There is nothing to close."""
