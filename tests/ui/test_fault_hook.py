"""A fault in the window is told and written down, and the window lives on."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from PySide6.QtCore import QTimer
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QApplication, QWidget

from basso.faults import fault_file
from basso.ui.window.fault_hook import FaultHook
from basso.ui.window.screenshots import wait_until


class Failing(QWidget):
    """Fails in the middle of its painting."""

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.drawLine(0, 0, 10, 10)
        raise ZeroDivisionError("painting")


@pytest.fixture
def told() -> Iterator[list[str]]:
    said: list[str] = []
    hook = FaultHook(said.append)
    yield said
    hook.let_go()


def test_a_fault_in_painting_is_told_once_and_written_down(application: QApplication, told: list[str]) -> None:
    for _ in range(3):
        widget = Failing()
        widget.resize(40, 40)
        widget.show()
        widget.repaint()
        widget.repaint()
        application.processEvents()
        widget.deleteLater()
        application.processEvents()
    (sentence,) = told
    assert "ZeroDivisionError: painting" in sentence and str(fault_file()) in sentence
    written = fault_file().read_text()
    assert "raise ZeroDivisionError" in written and "paintEvent" in written


def test_a_fault_in_a_slot_does_not_stop_what_comes_after(application: QApplication, told: list[str]) -> None:
    done: list[int] = []

    def fail() -> None:
        raise KeyError("slot")

    QTimer.singleShot(0, fail)
    QTimer.singleShot(1, lambda: done.append(1))
    wait_until(application, lambda: bool(done and told))
    assert done == [1]
    assert "KeyError" in told[0]
