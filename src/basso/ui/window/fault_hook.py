"""A fault of Basso's own while the window is worked in: written down, told once in a sentence, and the window goes on.

Qt calls back into Python from painting and from slots; what is raised there reaches nobody. Left alone it is printed
where no user of a desktop looks, and the frames it is kept with hold a painter on a widget that may go, which takes the
process down.
"""

from __future__ import annotations

import sys
import traceback
from collections.abc import Callable
from types import TracebackType

from PySide6.QtCore import QObject, QTimer

from basso.faults import note_fault

_MOST_TOLD = 5
"""Different faults told in one run of the window; more are written down only."""


class FaultHook(QObject):
    """Takes the place of ``sys.excepthook`` until :meth:`let_go`; ``tell`` says a sentence, the work goes on."""

    def __init__(self, tell: Callable[[str], None], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._tell, self._before = tell, sys.excepthook
        self._seen: set[tuple[type[BaseException], str]] = set()
        sys.excepthook = self._took

    def let_go(self) -> None:
        """Put back what was there before."""
        sys.excepthook = self._before

    def _took(self, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if issubclass(kind, KeyboardInterrupt | SystemExit):
            self._before(kind, error, trace)
            return
        frames = traceback.extract_tb(trace)
        key = (kind, f"{frames[-1].filename}:{frames[-1].lineno}" if frames else "")
        if key not in self._seen:  # painting fails again with every frame: once is enough
            self._seen.add(key)
            sentence = note_fault("What the window was doing", error)
            if len(self._seen) <= _MOST_TOLD:
                # Not from inside a painting: a box must not open there.
                QTimer.singleShot(0, self, lambda: self._tell(sentence))
        # What the frames hold, a painter above all, is let go of at once.
        traceback.clear_frames(trace)
        sys.last_value = sys.last_traceback = None
