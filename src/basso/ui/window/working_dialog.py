"""The working behind a number, as a dialog."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QDialog, QVBoxLayout, QWidget

from basso.ui.dialogs import closing, label, scrolled
from basso.ui.stations.working import WorkingStep
from basso.ui.theme.look import Look, Type


class WorkingDialog(QDialog):
    """How numbers came about: formula, inputs and their source, what would change them."""

    def __init__(self, parent: QWidget, look: Look, title: str, steps: Sequence[WorkingStep]) -> None:
        super().__init__(parent)
        self.setWindowTitle("Working")
        self.resize(640, 600)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 12, 14)
        layout.addWidget(label(look, title, Type.TITLE))
        _, column = scrolled(layout)
        for step in steps:
            column.addWidget(label(look, step.what, Type.SMALL_STRONG))
            column.addWidget(label(look, step.formula))
            if step.source:
                column.addWidget(label(look, step.source, Type.SMALL, soft=True))
            column.addSpacing(9)
        column.addStretch(1)
        buttons = closing(self)
        layout.addWidget(buttons)
        self.words = "\n".join(f"{s.what}: {s.formula} ({s.source})" for s in steps)
