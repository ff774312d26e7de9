"""The stand-in logger: a drive's frames sent on a bus, in real time or faster."""

from __future__ import annotations

import threading
import time
from collections.abc import Sequence
from typing import TYPE_CHECKING

from basso.standin.bus import BusFrame

if TYPE_CHECKING:
    import can

_LONGEST_NAP_S = 0.2


def send_frames(
    bus: can.BusABC, frames: Sequence[BusFrame], speed: float = 1.0, stop: threading.Event | None = None
) -> int:
    """Send every frame at its time divided by ``speed``; returns how many were sent before ``stop`` was set.

    Where the bus is slower than asked, frames follow at once: none is left out.

    Raises:
        can.CanError: the bus takes no more.
    """
    import can

    stop = stop or threading.Event()
    began = time.monotonic()
    for sent, frame in enumerate(frames):
        while (wait := began + frame.at_s / speed - time.monotonic()) > 0.0:
            if stop.wait(min(wait, _LONGEST_NAP_S)):
                return sent
        if stop.is_set():
            return sent
        bus.send(can.Message(arbitration_id=frame.identifier, data=frame.data, is_extended_id=False))
    return len(frames)
