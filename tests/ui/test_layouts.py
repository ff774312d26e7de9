"""Buttons and sliders wrap into a second row where they would not fit: none is cut off, none lies on another."""

from __future__ import annotations

import pytest
from PySide6.QtWidgets import QApplication, QPushButton, QWidget

from basso.ui import layouts


def laid_out(width: int) -> tuple[layouts.Flow, list[QPushButton], QWidget]:
    holder = QWidget()
    flow = layouts.Flow()
    buttons = [QPushButton(words) for words in ("Set accumulator", "Compare options", "Keep", "Size", "Precharge")]
    for n, button in enumerate(buttons):
        flow.add(button, at_end=n >= 3)
    holder.setLayout(flow)
    holder.resize(width, flow.heightForWidth(width))
    holder.show()
    QApplication.processEvents()
    return flow, buttons, holder


@pytest.mark.parametrize("width", [220, 400, 900])
def test_nothing_is_cut_off_or_lies_on_another(application: QApplication, width: int) -> None:
    flow, buttons, holder = laid_out(width)
    boxes = [b.geometry() for b in buttons]
    for i, box in enumerate(boxes):
        assert box.size() == buttons[i].sizeHint() and holder.rect().contains(box)
        assert not any(box.intersects(other) for other in boxes[:i])
    assert flow.heightForWidth(220) > flow.heightForWidth(900) and flow.count() == 5
    holder.close()


def test_what_belongs_at_the_end_keeps_to_the_right_and_what_is_hidden_takes_no_room(application: QApplication) -> None:
    flow, buttons, holder = laid_out(900)
    assert buttons[4].geometry().right() == holder.rect().right() and buttons[0].geometry().left() == 0
    before = flow.heightForWidth(400)
    for b in buttons[1:]:
        b.hide()
    assert flow.heightForWidth(400) < before
    assert flow.itemAt(9) is None and flow.takeAt(9) is None and flow.takeAt(0) is not None and flow.count() == 4
    holder.close()
