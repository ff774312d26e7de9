"""Which sessions a build's normal is learned from, and why it is learned anew."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QCheckBox, QDialog, QDialogButtonBox, QLineEdit, QVBoxLayout, QWidget

from basso.garage.records import Session
from basso.ui.dialogs import label, scrolled
from basso.ui.theme.look import Look, Type


class KeepNormalDialog(QDialog):
    """``chosen`` are the ids of the sessions that are ticked; ``reason`` what was written."""

    def __init__(
        self,
        parent: QWidget,
        look: Look,
        build: str,
        good: Sequence[Session],
        out: Sequence[tuple[str, str]],
        version: int,
    ) -> None:
        """``build``: what it is called; ``good``: sessions it can be learned from; ``out``: the others, with why
        not."""
        super().__init__(parent)
        self.setWindowTitle("Save normal")
        self.resize(round(look.height() * 34), round(look.height() * 20))
        self.boxes: dict[str, QCheckBox] = {}
        self.reason_line = QLineEdit()
        self.reason_line.setPlaceholderText("why: first of this build, new bearings run in …")
        self.reason_line.setAccessibleName("Why")
        hint = (
            "What the engine shows with the pickup covered, learned from these sessions together and "
            "kept with the build. Later sessions "
            "are laid over it. Leave out what was driven with something wrong."
        )
        left = "Left out: " + "; ".join(f"{title} ({why})" for title, why in out) + "." if out else ""
        self.buttons = QDialogButtonBox()
        self.keep_button = self.buttons.addButton("Learn and save", QDialogButtonBox.ButtonRole.AcceptRole)
        self.buttons.addButton(QDialogButtonBox.StandardButton.Cancel)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 14)
        layout.addWidget(label(look, f"Version {version} of {build}'s normal", Type.TITLE))
        layout.addWidget(label(look, hint, Type.SMALL, soft=True))
        _, column = scrolled(layout)
        for session in good:
            where = f", {session.circuit}" if session.circuit else ""
            box = QCheckBox(f"{session.began[:10]}   {session.title}{where}")
            box.setChecked(True)
            box.toggled.connect(lambda _: self._look())
            column.addWidget(box)
            self.boxes[session.id] = box
        column.addStretch(1)
        if left:
            layout.addWidget(label(look, left, Type.SMALL, soft=True))
        layout.addWidget(self.reason_line)
        layout.addWidget(self.buttons)
        self._look()

    def _look(self) -> None:
        self.keep_button.setEnabled(bool(self.chosen))

    @property
    def chosen(self) -> list[str]:
        """Ids of the ticked sessions."""
        return [session for session, box in self.boxes.items() if box.isChecked()]

    @property
    def reason(self) -> str:
        """Why, as written."""
        return self.reason_line.text().strip()
