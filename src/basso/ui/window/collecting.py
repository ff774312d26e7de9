"""Python's garbage is collected on the window's thread only.

A widget that is part of a circle of references is taken down by whichever thread happens to collect it, and Qt does not
survive a widget taken down off its own thread. Work on other threads frees what it made by counting references alone.
"""

from __future__ import annotations

import gc

from PySide6.QtCore import QObject, QTimer

_EVERY_MS = 500


class CollectHere(QObject):
    """Turns collection by itself off for the process, and collects from this thread's event loop when it is due."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        gc.disable()
        timer = QTimer(self, interval=_EVERY_MS)
        timer.timeout.connect(collect_when_due)
        timer.start()


def collect_when_due() -> None:
    """Collect as far as Python itself would have: the oldest generation over its limit, and those younger."""
    for generation, (count, limit) in reversed(list(enumerate(zip(gc.get_count(), gc.get_threshold(), strict=True)))):
        if limit and count > limit:
            gc.collect(generation)
            return
