"""The catalogue of parts that the fit planner may use: what is on the shelf, at what cost, how soon."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QHBoxLayout, QPushButton, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from basso.errors import InputError
from basso.fitting.planner import Part, shipped_parts
from basso.fitting.threads import threads
from basso.garage.fields import Field, read
from basso.memory.parts import made_part
from basso.ui.dialogs import decision, label
from basso.ui.plain import Label
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits

_HEADINGS = ("Part", "End", "Other end", "Branch", "Length, mm", "Bore, mm", "Cost", "Days")


class PartsDialog(QDialog):
    """``parts`` is the catalogue as written. A row that is emptied is no longer used."""

    def __init__(self, parent: QWidget, look: Look, parts: Sequence[Part]) -> None:
        super().__init__(parent)
        self.setWindowTitle("Parts for fitting sensors")
        self.resize(round(look.height() * 58), round(look.height() * 34))
        head = label(look, "Parts for fitting sensors", Type.TITLE)
        hint = label(
            look,
            "What the planner may use. Ends are written “male 1/8 NPT”; a tee has a branch; what has a "
            "bore is a flexible line. "
            f"Threads: {', '.join(threads())}.",
            Type.SMALL,
            soft=True,
        )
        self._part_px = round(look.height() * 10)
        self.table = QTableWidget(0, len(_HEADINGS))
        self.table.setTabKeyNavigation(False)
        self.table.setHorizontalHeaderLabels(list(_HEADINGS))
        self.table.verticalHeader().setVisible(False)
        self.table.verticalHeader().setDefaultSectionSize(round(look.height() * 1.35))
        self.table.setAccessibleName("Parts")
        self.said = Label(" ")
        self.said.setWordWrap(True)
        self.said.setFont(look.font(Type.SMALL_STRONG))
        self.said.setStyleSheet(f"color: {look.palette.below};")
        self.add_button, self.remove_button, self.shipped_button = (
            QPushButton("Add a part"),
            QPushButton("Remove"),
            QPushButton("Restore defaults"),
        )
        self.add_button.clicked.connect(self._add)
        self.remove_button.clicked.connect(self._remove)
        self.shipped_button.clicked.connect(lambda: self._fill(shipped_parts()))
        buttons = decision(self, self._save, save=True)
        row = QHBoxLayout()
        for button in (self.add_button, self.remove_button, self.shipped_button):
            button.setAutoDefault(False)
            row.addWidget(button)
        row.addStretch(1)
        layout = QVBoxLayout(self)
        for widget in (head, hint, self.table):
            layout.addWidget(widget)
        layout.addLayout(row)
        layout.addWidget(self.said)
        layout.addWidget(buttons)
        self._fill(parts)

    def _fill(self, parts: Sequence[Part]) -> None:
        self.table.setRowCount(0)
        for part in parts:
            ends = [str(e) for e in part.ends]
            numbers = [part.length_mm, part.bore_mm, part.cost, part.lead_days]
            self._put(
                [
                    part.name,
                    ends[0],
                    ends[1],
                    ends[2] if len(ends) > 2 else "",
                    *("" if x is None else f"{x:g}" for x in numbers),
                ]
            )
        self.table.resizeColumnsToContents()
        self.table.setColumnWidth(0, min(self.table.columnWidth(0), self._part_px))

    def _put(self, cells: Sequence[str]) -> None:
        row = self.table.rowCount()
        self.table.insertRow(row)
        for column, text in enumerate(cells):
            item = QTableWidgetItem(text)
            if column >= 4:
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            self.table.setItem(row, column, item)

    def _add(self) -> None:
        self._put(["adapter", "male ", "female ", "", "", "", "", ""])
        row = self.table.rowCount() - 1
        self.table.setCurrentCell(row, 1)
        self.table.scrollToBottom()

    def _remove(self) -> None:
        self.table.removeRow(self.table.currentRow())

    @property
    def parts(self) -> list[Part]:
        """The catalogue as written.

        Raises:
            InputError: a row cannot be a part; the sentence names it.
        """
        made = []
        units = DisplayUnits()
        for row in range(self.table.rowCount()):
            cells = [
                item.text().strip() if (item := self.table.item(row, c)) is not None else ""
                for c in range(len(_HEADINGS))
            ]
            if not cells[0]:
                continue
            ends = [e for e in cells[1:4] if e]
            try:
                numbers = [read(Field("x", _HEADINGS[c], "number"), cells[c], units) for c in range(4, 8)]
                if numbers[0] is None:
                    raise InputError("the length is missing; write it in mm.")
                made.append(made_part(cells[0], ends, *numbers))
            except InputError as error:
                raise InputError(f"Row {row + 1}: {error}") from None
        return made

    def _save(self) -> None:
        try:
            _ = self.parts
        except InputError as error:
            self.said.setText(str(error))
            return
        self.accept()
