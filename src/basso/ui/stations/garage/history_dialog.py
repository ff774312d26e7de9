"""Everything that was done in the garage, newest first, on this day and earlier ones; each edit can be taken back."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QAbstractItemView,
    QDialog,
    QDialogButtonBox,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from basso.garage.store import Edit
from basso.ui.dialogs import label
from basso.ui.models.garage import GarageModel
from basso.ui.plain import Label
from basso.ui.theme.look import Look, Type

_SHOWN = 1000


class HistoryDialog(QDialog):
    """``turn_button`` takes the selected edit back, or makes it again when it was taken back."""

    def __init__(self, parent: QWidget, look: Look, model: GarageModel) -> None:
        super().__init__(parent)
        self._model = model
        self._edits: list[Edit] = []
        self.setWindowTitle("What was done in the garage")
        self.resize(round(look.height() * 40), round(look.height() * 26))
        head = label(look, "What was done, newest first", Type.TITLE)
        hint = Label(
            "An edit can be taken back, or made again, as long as what it changed was not changed again since; each is "
            "itself a step that Undo takes back."
        )
        self.said = Label()
        for line, color in ((hint, look.palette.soft), (self.said, look.palette.below)):
            line.setWordWrap(True)
            line.setFont(look.font(Type.SMALL))
            line.setStyleSheet(f"color: {color};")
        self.search = QLineEdit()
        self.search.setPlaceholderText("Find an edit")
        self.search.setAccessibleName("Find an edit")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(lambda _: self._show())
        self.table = QTableWidget(0, 3)
        self.table.setTabKeyNavigation(False)
        self.table.setAccessibleName("Edits")
        self.table.setHorizontalHeaderLabels(["When", "What", ""])
        self.table.horizontalHeader().setStretchLastSection(True)
        self.table.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.verticalHeader().setDefaultSectionSize(round(look.height() * 1.35))
        self.table.setColumnWidth(0, round(look.height() * 9))
        self.table.setColumnWidth(1, round(look.height() * 22))
        self.table.itemSelectionChanged.connect(self._selected)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        self.turn_button = QPushButton("Take back")
        buttons.addButton(self.turn_button, QDialogButtonBox.ButtonRole.ActionRole)
        self.turn_button.clicked.connect(self._turn)
        buttons.rejected.connect(self.reject)
        layout = QVBoxLayout(self)
        for widget in (head, hint, self.search, self.table, self.said, buttons):
            layout.addWidget(widget)
        self._show()

    @property
    def edit(self) -> Edit | None:
        """The selected edit."""
        row = self.table.currentRow()
        return self._edits[row] if 0 <= row < len(self._edits) else None

    def _show(self) -> None:
        before = self.edit
        words = self.search.text().lower().split()
        self._edits = [e for e in self._model.edits(_SHOWN) if all(w in f"{e.at} {e.label}".lower() for w in words)]
        self.table.setRowCount(len(self._edits))
        for i, e in enumerate(self._edits):
            label = e.label[:1].upper() + e.label[1:]
            for j, text in enumerate((e.at.replace("T", "  "), label, "taken back" if e.undone else "")):
                self.table.setItem(i, j, QTableWidgetItem(text))
        at = next((i for i, e in enumerate(self._edits) if before is not None and e.id == before.id), 0)
        if self._edits:
            self.table.selectRow(at)
        self._selected()

    def _selected(self) -> None:
        e = self.edit
        self.turn_button.setText("Make again" if e is not None and e.undone else "Take back")
        self.turn_button.setEnabled(e is not None)

    def _turn(self) -> None:
        if (e := self.edit) is not None:
            self.said.setText(self._model.turn_as_edit(e))
            self._show()
