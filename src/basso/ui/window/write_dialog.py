"""What of a log to write, and how: the few choices before the file name."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QButtonGroup, QDialog, QDialogButtonBox, QRadioButton, QVBoxLayout, QWidget

from basso.ui.plain import Label
from basso.ui.plots.ticks import clock
from basso.ui.theme.look import Look, Type

if TYPE_CHECKING:
    from basso.analysis import Analysis


class WriteDialog(QDialog):
    """Raw or corrected, whole or what is in view, CSV or Parquet."""

    def __init__(self, parent: QWidget, look: Look, analysis: Analysis, view: tuple[float, float]) -> None:
        super().__init__(parent)
        self.setWindowTitle("Export log")
        self._look, self._view = look, view
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(20, 16, 20, 14)
        title = Label(f"Write {analysis.recording.path.name}")
        title.setFont(look.font(Type.TITLE))
        self._layout.addWidget(title)
        count = len(analysis.corrections)
        corrected = f"Corrected ({count} {'correction' if count == 1 else 'corrections'})" if count else "Corrected"
        self.corrected = self._choice("Readings", ("As recorded", corrected), first=0)
        if not count:
            self.corrected[1].setEnabled(False)
            self.corrected[1].setText("Corrected (nothing needs correcting)")
        stretch = f"What is in view, {clock(view[0], 1)} to {clock(view[1], 1)}"
        self.part = self._choice("How much", ("The whole session", stretch), first=0)
        kinds = ("CSV: opens anywhere", "CSV with the session's facts above the heading", "Parquet: small and exact")
        self.kind = self._choice("As", kinds, first=0)
        hint = Label("Channels keep their units and their own sample times. The log itself is never changed.")
        hint.setFont(look.font(Type.SMALL))
        hint.setStyleSheet(f"color: {look.palette.soft};")
        self._layout.addWidget(hint)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.button(QDialogButtonBox.StandardButton.Ok).setText("Choose where…")
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        self._layout.addWidget(buttons)

    def _choice(self, name: str, words: tuple[str, ...], first: int) -> tuple[QRadioButton, ...]:
        label = Label(name)
        label.setFont(self._look.font(Type.SMALL_STRONG))
        self._layout.addSpacing(6)
        self._layout.addWidget(label)
        group = QButtonGroup(self)
        made = tuple(map(QRadioButton, words))
        for button in made:
            button.setAccessibleName(f"{name}: {button.text()}")
            group.addButton(button)
            self._layout.addWidget(button)
        made[first].setChecked(True)
        return made

    def choice(self) -> tuple[str, tuple[float, float] | None, bool, bool]:
        """The file's ending, the stretch (None for all), whether corrected, and whether with facts above a CSV."""
        suffix = ".parquet" if self.kind[2].isChecked() else ".csv"
        span = self._view if self.part[1].isChecked() else None
        return suffix, span, self.corrected[1].isChecked(), self.kind[1].isChecked()
