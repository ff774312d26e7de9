"""A report on the screen: its blocks one under the other, to be read, printed and copied."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QFrame,
    QGridLayout,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from basso.report.pages import Block, Bullets, Chart, Heading, Paragraph, Report, Table
from basso.ui import layouts
from basso.ui.plots.drawing_view import DrawingView
from basso.ui.stations.words import Words
from basso.ui.theme.look import Look, Type


class ReportDialog(QDialog):
    """Shows one report, and another in its place.

    Args:
        save: writes what is shown to a file.
    """

    def __init__(self, parent: QWidget, look: Look, title: str, save: Callable[[Report], object]) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.resize(980, 760)
        self._look = look
        self.report: Report | None = None
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setFrameShape(QFrame.Shape.NoFrame)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._scroll.viewport().setAutoFillBackground(False)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        self.save = buttons.addButton("Print or save…", QDialogButtonBox.ButtonRole.ActionRole)
        self.save.clicked.connect(lambda: save(self.report) if self.report is not None else None)
        buttons.rejected.connect(self.close)
        layout = layouts.column(self, (20, 14, 14, 12), 8)
        layout.addWidget(self._scroll, 1)
        layout.addWidget(buttons)

    def show_report(self, report: Report) -> None:
        """Show another; the place on the page is kept."""
        at = self._scroll.verticalScrollBar().value()
        self.report = report
        page = QWidget()
        column = layouts.column(page, (0, 0, 10, 0), 6)
        column.addWidget(self._words(report.title, Type.BRAND))
        column.addWidget(self._words(report.about, Type.SMALL, "soft"))
        for block in report.blocks:
            self._add(column, block)
        column.addStretch(1)
        self._scroll.setWidget(page)
        self._scroll.verticalScrollBar().setValue(at)

    def _words(self, text: str, kind: Type, tone: str = "ink") -> Words:
        words = Words(self._look, kind, tone)
        words.setText(text)
        return words

    def _add(self, column: QVBoxLayout, block: Block) -> None:
        if isinstance(block, Heading):
            column.addSpacing(8)
            column.addWidget(self._words(block.text, Type.STATION))
        elif isinstance(block, Paragraph):
            kind = {"lead": Type.NUMBER, "note": Type.SMALL}.get(block.kind, Type.BODY)
            tone = {"note": "soft", "caution": "below"}.get(block.kind, "ink")
            column.addWidget(self._words(block.text, kind, tone))
        elif isinstance(block, Bullets):
            for point in block.points:
                column.addWidget(self._words(f"·  {point}", Type.BODY))
        elif isinstance(block, Chart):
            column.addWidget(DrawingView(self._look, block.drawing))
            if block.caption:
                column.addWidget(self._words(block.caption, Type.SMALL, "soft"))
        else:
            column.addWidget(self._table(block))

    def _table(self, t: Table) -> QWidget:
        made = QWidget()
        made.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        grid = QGridLayout(made)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(2)
        for r, row in enumerate((t.head, *t.rows)):
            for n, text in enumerate(row):
                words = self._words(text, Type.SMALL_STRONG if r == 0 else Type.BODY, "soft" if r == 0 else "ink")
                if n in t.numbers:
                    words.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop)
                grid.addWidget(words, r, n)
        for n, weight in enumerate(t.weights or (1.0,) * len(t.head)):
            grid.setColumnStretch(n, round(10 * weight))
        return made
