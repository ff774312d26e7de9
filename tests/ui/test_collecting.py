"""Widgets that hang in a circle of references are taken down on the window's thread, whatever runs beside it."""

from __future__ import annotations

import gc
import threading
import weakref
from collections.abc import Iterator
from typing import Any

import pytest
from PySide6.QtWidgets import QApplication, QLabel

from basso.progress import Progress
from basso.ui.models.jobs import Jobs
from basso.ui.window.screenshots import wait_until


@pytest.fixture
def collecting_threads() -> Iterator[set[threading.Thread]]:
    """Every thread on which Python collects meanwhile."""
    seen: set[threading.Thread] = set()

    def note(_phase: str, _facts: dict[str, Any]) -> None:
        seen.add(threading.current_thread())

    gc.callbacks.append(note)
    yield seen
    gc.callbacks.remove(note)


def test_a_widget_in_a_circle_goes_on_the_window_s_thread(
    application: QApplication, collecting_threads: set[threading.Thread]
) -> None:
    label = QLabel("left over")
    label.circle = label  # type: ignore[attr-defined]
    gone = threading.Event()
    weakref.finalize(label, gone.set)
    del label

    def work(_progress: Progress) -> int:
        """Leaves far more circles than Python lets lie by itself."""
        for _ in range(20_000):
            circle: list[Any] = []
            circle.append(circle)
        return 1

    done: list[int] = []
    jobs = Jobs()
    jobs.start("circles", "Making circles", work, done.append, pytest.fail)
    wait_until(application, lambda: bool(done))
    wait_until(application, lambda: gc.get_count()[0] < 20_000)
    assert collecting_threads <= {threading.main_thread()}
    gc.collect()
    assert gone.is_set()
