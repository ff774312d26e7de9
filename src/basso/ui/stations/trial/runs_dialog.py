"""The runs of both sides against a run card that was written: what is off, what is still to drive."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QDialog, QFormLayout, QScrollArea, QWidget

from basso.sentence import read_in
from basso.trial.card import CheckedCard, CheckedRun
from basso.ui import layouts
from basso.ui.dialogs import copying, label
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits
from basso.words.run_card import card_words, facts, run_words


class RunsDialog(QDialog):
    """``cards``: what each card is called, and the runs held against it, in the order of the list."""

    def __init__(
        self, parent: QWidget, look: Look, units: DisplayUnits, cards: Sequence[tuple[str, CheckedCard]]
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Runs against the card")
        self.resize(round(look.height() * 44), round(look.height() * 32))
        self._look, self._units, self._cards = look, units, tuple(cards)
        self.card = QComboBox()
        self.card.setAccessibleName("Run card")
        for name, _ in self._cards:
            self.card.addItem(name)
        self.card.currentIndexChanged.connect(self._show)
        form = QFormLayout()
        form.addRow("Run card", self.card)
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        whole = layouts.column(self, (16, 12, 16, 12), 8)
        whole.addLayout(form)
        whole.addWidget(self._scroll, 1)
        whole.addLayout(copying(self, "Copy", lambda: self.text))
        self._show()

    @property
    def text(self) -> str:
        """Everything that is said, a line each."""
        checked = self._cards[self.card.currentIndex()][1]
        lines = [self._told(card_words(checked))]
        for r in checked.runs:
            lines += [f"{_head(r)}: {read_in(facts(r), self._units)}", *(f"  {self._told([w])}" for w in run_words(r))]
        return "\n".join(lines)

    def _told(self, words: Sequence[str]) -> str:
        return " ".join(read_in(w, self._units) for w in words)

    def _show(self) -> None:
        checked = self._cards[self.card.currentIndex()][1]
        page = QWidget()
        lines = layouts.column(page, (0, 0, 8, 0), 4)
        first, *rest = card_words(checked)
        lines.addWidget(label(self._look, self._told([first]), Type.STATION))
        lines.addWidget(label(self._look, self._told(rest)))
        for r in checked.runs:
            lines.addSpacing(round(self._look.height() * 0.4))
            lines.addWidget(label(self._look, _head(r), Type.STRONG))
            lines.addWidget(label(self._look, self._told([facts(r)]), Type.SMALL, soft=True))
            lines.addWidget(label(self._look, self._told(run_words(r))))
        lines.addStretch(1)
        self._scroll.setWidget(page)


def _head(r: CheckedRun) -> str:
    return f"Run {r.number} · {r.side} · {r.name}"
