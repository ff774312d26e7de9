"""What can be done, side by side: what each option works on this session, leaves and will not fix; cost and rules are
the owner's to write."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QFormLayout,
    QHeaderView,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from basso.findings.options import Weighed
from basso.memory.options import RULES, OptionNotes
from basso.ui import layouts
from basso.ui.dialogs import CAUTION, decision, label
from basso.ui.stations.table import Table
from basso.ui.theme.look import Look, Type

_HEADS = ("Option", "Works on", "Leaves as it is", "Will not fix", "Work", "Cost", "Rules")
_COST, _RULES = 5, 6
_DRY_SUMP = (("relief", "Relief valve set to"), ("stages", "Stages"), ("tank level hot", "Tank level, hot and running"))


class OptionsDialog(QDialog):
    """:attr:`notes` is what was written."""

    def __init__(self, parent: QWidget, look: Look, rows: Sequence[Weighed], notes: OptionNotes, car: str) -> None:
        super().__init__(parent)
        self.setWindowTitle("Compare options")
        self.resize(round(look.height() * 68), round(look.height() * 38))
        self._rows = rows
        self.table = QTableWidget(len(rows), len(_HEADS))
        self.table.setTabKeyNavigation(False)
        self.table.setHorizontalHeaderLabels(list(_HEADS))
        self.table.verticalHeader().hide()
        self.table.setWordWrap(True)
        self.table.setAccessibleName("Options, those that work on most of the dips first")
        self._rules: list[QComboBox] = []
        for i, row in enumerate(rows):
            self._fill(i, row, notes)
        for column, width in enumerate((9.5, 6.5, 11.0, 17.0, 6.0, 7.0, 8.0)):
            self.table.setColumnWidth(column, round(look.height() * width))
        self.table.horizontalHeader().setSectionResizeMode(3, QHeaderView.ResizeMode.Stretch)
        self.table.resizeRowsToContents()
        self._dry = {key: QLineEdit(notes.dry_sump.get(key, "")) for key, _ in _DRY_SUMP}
        copy = QPushButton("Copy table")
        copy.setAutoDefault(False)
        copy.clicked.connect(self._copy)
        buttons = decision(self, self.accept, save=True)
        whole = layouts.column(self, (16, 12, 16, 12), 8)
        dips = rows[0].dips if rows else 0
        whole.addWidget(label(look, f"{dips} dips on this drive, and what can be done about them", Type.STATION))
        words = (
            "Works on counts dips by their cause; how much an option does about them is predicted under Sump, "
            f"Accumulator and Normal. Cost and rules are yours to write{f' for {car}' if car else ''}. {CAUTION}"
        )
        whole.addWidget(label(look, words, Type.SMALL, soft=True))
        whole.addWidget(self.table, 1)
        form = QFormLayout()
        for key, name in _DRY_SUMP:
            self._dry[key].setAccessibleName(f"Dry sump: {name.lower()}")
            form.addRow(f"Dry sump: {name.lower()}", self._dry[key])
        whole.addLayout(form)
        foot = layouts.row(None, (0, 0, 0, 0), 8)
        foot.addWidget(copy)
        foot.addStretch(1)
        foot.addWidget(buttons)
        whole.addLayout(foot)

    def _fill(self, i: int, row: Weighed, notes: OptionNotes) -> None:
        o = row.option
        works = f"{row.works_on} of {row.dips}" if row.dips else "no dips"
        for column, text in enumerate((o.title, works, o.leaves, o.will_not_fix, o.work, notes.cost.get(o.key, ""))):
            item = QTableWidgetItem(text)
            if column != _COST:
                item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
            self.table.setItem(i, column, item)
        box = QComboBox()
        for words in RULES:
            box.addItem(words or "–", words)
        box.setCurrentIndex(max(box.findData(notes.rules.get(o.key, "")), 0))
        box.setAccessibleName(f"{o.title}: by the rules")
        self.table.setCellWidget(i, _RULES, box)
        self._rules.append(box)

    @property
    def notes(self) -> OptionNotes:
        """What is written now; nothing is kept of what is empty."""
        cost, rules = {}, {}
        for i, row in enumerate(self._rows):
            item = self.table.item(i, _COST)
            if item is not None and item.text().strip():
                cost[row.option.key] = item.text().strip()
            if self._rules[i].currentData():
                rules[row.option.key] = self._rules[i].currentData()
        dry = {k: e.text().strip() for k, e in self._dry.items() if e.text().strip()}
        return OptionNotes(cost, rules, dry)

    def as_table(self) -> Table:
        """As it is copied."""
        lines = [list(_HEADS)]
        for i in range(len(self._rows)):
            cells = [self.table.item(i, c) for c in range(_RULES)]
            lines.append([*(c.text() if c is not None else "" for c in cells), self._rules[i].currentData() or ""])
        lines += [[f"Dry sump: {name.lower()}", self._dry[key].text()] for key, name in _DRY_SUMP]
        return Table("options", lines)

    def _copy(self) -> None:
        from PySide6.QtWidgets import QApplication

        QApplication.clipboard().setText(self.as_table().text("\t"))
