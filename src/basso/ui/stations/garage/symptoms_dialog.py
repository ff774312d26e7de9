"""The symptom interview as a dialog: questions on the left, causes ranked beside them as they are answered."""

from __future__ import annotations

import html

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QDialog, QDialogButtonBox, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from basso.findings.symptoms import EFFORT_WORDS, Interview, interview, questions
from basso.ui.dialogs import closing, label
from basso.ui.plain import Label
from basso.ui.theme.look import Look, Type


class SymptomsDialog(QDialog):
    """``accepted`` when the outcome is to be kept as a note."""

    def __init__(self, parent: QWidget, look: Look, may_keep: bool) -> None:
        super().__init__(parent)
        self._look = look
        self.setWindowTitle("Symptoms")
        self.resize(round(look.height() * 44), round(look.height() * 27))
        self.answers: dict[str, QComboBox] = {}
        head = label(look, "What does it do?", Type.TITLE)
        asked = QVBoxLayout()
        asked.addWidget(head)
        for question in questions():
            line, box = Label(question.text), QComboBox()
            line.setWordWrap(True)
            line.setFont(look.font(Type.SMALL))
            box.addItem("not said", "")
            for key, words in question.answers.items():
                box.addItem(words, key)
            box.setAccessibleName(question.text)
            box.currentIndexChanged.connect(lambda _: self._rank())
            line.setBuddy(box)
            self.answers[question.key] = box
            asked.addWidget(line)
            asked.addWidget(box)
        asked.addStretch(1)
        self.stop, self.ranked = Label(), Label()
        for words_label in (self.stop, self.ranked):
            words_label.setWordWrap(True)
            words_label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.stop.setFont(look.font(Type.STRONG))
        self.stop.setStyleSheet(f"color: {look.palette.below};")
        self.ranked.setTextFormat(Qt.TextFormat.RichText)
        self.ranked.setAlignment(Qt.AlignmentFlag.AlignTop)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.ranked)
        right = QVBoxLayout()
        right.addWidget(self.stop)
        right.addWidget(scroll, 1)
        buttons = closing(self)
        if may_keep:
            keep = buttons.addButton("Keep as a note", QDialogButtonBox.ButtonRole.AcceptRole)
            keep.setToolTip("On the build that is selected in the garage")
            buttons.accepted.connect(self.accept)
        columns = QHBoxLayout()
        columns.setSpacing(18)
        columns.addLayout(asked, 2)
        columns.addLayout(right, 3)
        layout = QVBoxLayout(self)
        layout.addLayout(columns, 1)
        layout.addWidget(buttons)
        self._rank()

    @property
    def outcome(self) -> Interview:
        """The ranking by what has been answered."""
        return interview({key: box.currentData() for key, box in self.answers.items() if box.currentData()})

    @property
    def note(self) -> str:
        """The interview as a note: what was said, and the first three causes."""
        said = "; ".join(f"{box.currentText()}" for box in self.answers.values() if box.currentData())
        causes = "; ".join(f"{s.name} ({s.standing})" for s in self.outcome.suspects[:3])
        return f"Symptoms: {said or 'none said'}. Look first at: {causes}. {self.outcome.stop}".strip()

    def _rank(self) -> None:
        found, p = self.outcome, self._look.palette
        self.stop.show_words(found.stop)
        parts = []
        for s in found.suspects:
            faint = s.standing == "unlikely" and not found.stop
            color = p.soft if faint else p.ink
            reasons = []
            if s.because:
                reasons.append(f"for it: {html.escape(', '.join(s.because))}")
            if s.against:
                reasons.append(f"against it: {html.escape(', '.join(s.against))}")
            parts.append(
                f"<p style='color:{color}; margin:0 0 9px 0'><b>{html.escape(s.name)}</b>&nbsp; {s.standing}"
                + (f"<br><span style='color:{p.soft}'>{'; '.join(reasons)}</span>" if reasons else "")
                + (f"<br>Test ({EFFORT_WORDS[s.effort]}): {html.escape(s.test)}" if not faint else "")
                + "</p>"
            )
        tail = "An order to look in, by weights that ship as defaults; no diagnosis. A log says more."
        self.ranked.setText("".join(parts) + f"<p style='color:{p.soft}'>{tail}</p>")
