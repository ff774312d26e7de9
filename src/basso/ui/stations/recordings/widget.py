"""The Recordings station: the log list with what each log holds and lacks, and the columns of the one chosen."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, QPoint, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from basso.ui import layouts
from basso.ui.plain import Label, tip
from basso.ui.stations.recordings.columns import ColumnsPanel
from basso.ui.stations.recordings.gauge import GaugePanel
from basso.ui.stations.recordings.picture import LogLine, headline, log_line
from basso.ui.stations.table import choose_row
from basso.ui.stations.words import TitledPage
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits

if TYPE_CHECKING:
    from basso.analysis import Analysis
    from basso.recording.recording import Recording
    from basso.ui.models.log_list import Row
    from basso.ui.models.sessions import Entry

_HEADINGS = ("Session", "Date", "Car and circuit", "Length", "Laps", "Channels", "What is missing")
_SESSION, _DATE, _CAR, _LENGTH, _LAPS, _CHANNELS, _FINDING = range(7)
_Index = QModelIndex | QPersistentModelIndex


class _LogsModel(QAbstractTableModel):
    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self.rows: list[Row] = []
        self.lines: list[LogLine] = []

    def show(self, rows: list[Row]) -> None:
        lines = [_line(r) for r in rows]
        if len(rows) == len(self.rows):
            self.rows, self.lines = rows, lines
            if rows:
                self.dataChanged.emit(self.index(0, 0), self.index(len(rows) - 1, _FINDING))
            return
        self.beginResetModel()
        self.rows, self.lines = rows, lines
        self.endResetModel()

    def refresh(self, row: int) -> None:
        if row < len(self.rows):
            self.lines[row] = _line(self.rows[row])
            self.dataChanged.emit(self.index(row, 0), self.index(row, _FINDING))

    def rowCount(self, parent: _Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.lines)

    def columnCount(self, parent: _Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(_HEADINGS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if orientation is Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return _HEADINGS[section]
        if orientation is Qt.Orientation.Horizontal and role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignRight if section in (_LENGTH, _LAPS) else Qt.AlignmentFlag.AlignLeft
            return int(side | Qt.AlignmentFlag.AlignVCenter)
        return None

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        line = self.lines[index.row()]
        text = RecordingsPage.cells(line)[index.column()]
        if role == Qt.ItemDataRole.DisplayRole:
            return text
        if role == Qt.ItemDataRole.ToolTipRole:
            return tip(text)
        if role == Qt.ItemDataRole.ForegroundRole:
            if index.column() == (_FINDING if line.length else _DATE) and line.mark == "below":
                return self._look.color("below")
            return self._look.color("ink" if index.column() in (_SESSION, _LENGTH, _LAPS) else "soft")
        if role == Qt.ItemDataRole.FontRole and index.column() == _SESSION:
            return self._look.font(Type.STRONG)
        if role == Qt.ItemDataRole.TextAlignmentRole and index.column() in (_LENGTH, _LAPS):
            return int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        return None


def _line(row: Row) -> LogLine:
    card = row.card
    return log_line(
        title=row.entry.title,
        car=row.entry.car,
        circuit=row.entry.circuit,
        day=row.entry.day,
        stage=row.stage,
        fraction=row.fraction,
        megabytes_s=row.megabytes_s,
        summary=card.summary if card is not None else None,
        laps=card.laps if card is not None else 0,
        words=row.words,
    )


class _LogDelegate(QStyledItemDelegate):
    """Paints the progress of a log that is being read under its words."""

    def __init__(self, look: Look, model: _LogsModel) -> None:
        super().__init__()
        self._look, self._model = look, model

    def sizeHint(self, option: QStyleOptionViewItem, index: _Index) -> QSize:
        return QSize(60, round(self._look.height() * 1.6))

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: _Index) -> None:
        super().paint(painter, option, index)
        row = self._model.rows[index.row()]
        if index.column() == _DATE and row.stage == "reading":
            rect = QRectF(option.rect)
            bar = QRectF(rect.left() + 4, rect.bottom() - 4, min(rect.width(), 260.0), 3)
            painter.fillRect(bar, self._look.color("band"))
            bar.setWidth(bar.width() * row.fraction)
            painter.fillRect(bar, self._look.color("ample"))


class _LogTable(QTableView):
    opened, cleared = Signal(int), Signal(int)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        row = self.currentIndex().row()
        if row >= 0 and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.opened.emit(row)
        elif row >= 0 and event.key() == Qt.Key.Key_Delete:
            self.cleared.emit(row)
        else:
            super().keyPressEvent(event)


class _DropHere(QWidget):
    """What to do when there is no log: drop one here, what it needs, or look at the demo first."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self.demo = QPushButton("Open the demo data")
        self.demo.setToolTip("A car that starves in long left turns, what was tried, and what helped")
        self._words = [Label(), Label(), Label()]
        layout = QVBoxLayout(self)
        layout.addStretch(2)
        for label, text in zip(
            self._words,
            (
                "Drop logs or a folder here",
                "CSV and other text, gz, Parquet, Arrow, MDF, and bus logs (candump, ASC, BLF, TRC) "
                "with their database.\n"
                "Needed: time, engine speed, oil pressure. Oil temperature and g tell why; speed and laps tell where.",
                "Nothing is sent anywhere, and no log is ever changed.",
            ),
            strict=True,
        ):
            label.setText(text)
            label.setAlignment(Qt.AlignmentFlag.AlignHCenter)
            label.setWordWrap(True)
            layout.addWidget(label)
        layout.addSpacing(12)
        layout.addWidget(self.demo, 0, Qt.AlignmentFlag.AlignHCenter)
        layout.addStretch(3)
        look.changed.connect(self._restyle)
        self._restyle()

    def _restyle(self) -> None:
        p = self._look.palette
        kinds = ((Type.TITLE, p.ink), (Type.BODY, p.soft), (Type.SMALL, p.soft))
        for label, (kind, color) in zip(self._words, kinds, strict=True):
            label.setFont(self._look.font(kind))
            label.setStyleSheet(f"color: {color};")
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(self._look.pen("soft", 1.0, Qt.PenStyle.DashLine))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 12, -9, -9), 6, 6)


class RecordingsPage(TitledPage):
    """Told the rows of the log list and the shown session; says what the user wants by signals."""

    chosen = Signal(object)
    """Carries the :class:`Row` that was selected."""
    opened, cleared = Signal(object), Signal(object)
    """Carry a :class:`Row`: look at its dips (or read it); take it off the list."""
    command_wanted = Signal(str)
    """Carries a command's key."""
    cancelled = Signal()
    menu_wanted = Signal(object, QPoint)
    """(row, where on the screen)"""

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self.model = _LogsModel(look)
        self.table = _LogTable()
        self.columns = ColumnsPanel(look)
        self.gauge = GaugePanel(look)
        self.cancel_button = QPushButton("Stop reading")
        self.cancel_button.setToolTip("Read no more logs; what is read stays (F5 goes on)")
        self._empty = _DropHere(look)
        self._empty.demo.clicked.connect(lambda: self.command_wanted.emit("demo.open"))
        self._filling = False
        self._room_set = False
        self._lay_out()
        look.changed.connect(self._restyle)
        self._restyle()

    def _lay_out(self) -> None:
        layout = layouts.column(self, (20, 12, 12, 6), 4)
        head = QHBoxLayout()
        head.addLayout(self.head(), 1)
        for text, hint, key in (
            ("Add logs…", "Ctrl+O, or drop files on the window", "log.open"),
            ("Add a folder…", "every log in it and below", "log.folder"),
            ("Gauge readings…", "for a car without a logger: rpm, pressure and temperature by hand", "log.gauge"),
            ("Export log…", "as CSV or Parquet, raw or corrected, whole or what is in view", "log.write"),
        ):
            button = QPushButton(text)
            button.setToolTip(hint)
            button.clicked.connect(lambda _=False, key=key: self.command_wanted.emit(key))
            head.addWidget(button, 0, Qt.AlignmentFlag.AlignTop)
            self._write_button = button
        self.cancel_button.clicked.connect(self.cancelled)
        head.addWidget(self.cancel_button, 0, Qt.AlignmentFlag.AlignTop)
        layout.addLayout(head)
        table = self.table
        table.setModel(self.model)
        self._delegate = _LogDelegate(self._look, self.model)
        table.setItemDelegate(self._delegate)
        table.setShowGrid(False)
        table.setWordWrap(False)
        table.verticalHeader().hide()
        table.setTabKeyNavigation(False)
        look = self._look
        look.fit(table, lambda t: t.verticalHeader().setDefaultSectionSize(round(look.height() * 1.6)))
        table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        table.setAccessibleName("Logs")
        table.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        table.customContextMenuRequested.connect(self._menu_asked)
        header = table.horizontalHeader()
        header.setHighlightSections(False)
        header.setStyleSheet("QHeaderView::section { padding: 2px 4px; }")
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        for column, width in (
            (_SESSION, 11.6),
            (_DATE, 6.2),
            (_CAR, 8.2),
            (_LENGTH, 5.8),
            (_LAPS, 2.9),
            (_CHANNELS, 5.2),
        ):
            table.setColumnWidth(column, round(self._look.height() * width))
        header.setSectionResizeMode(_FINDING, QHeaderView.ResizeMode.Stretch)
        table.selectionModel().currentRowChanged.connect(self._row_changed)
        table.doubleClicked.connect(lambda i: self.opened.emit(self.model.rows[i.row()]))
        table.opened.connect(lambda row: self.opened.emit(self.model.rows[row]))
        table.cleared.connect(lambda row: self.cleared.emit(self.model.rows[row]))
        lower = QWidget()
        below = layouts.column(lower, (0, 0, 0, 0), 0)
        below.addWidget(self.columns, 3)
        below.addWidget(self.gauge, 2)
        split = layouts.split(Qt.Orientation.Vertical, (table, 2), (lower, 3))
        self._split = split
        split.splitterMoved.connect(lambda *_: setattr(self, "_room_set", True))
        layout.addWidget(split, 1)
        layout.addWidget(self._empty, 1)

    def _restyle(self) -> None:
        self.table.viewport().update()

    def show_rows(self, rows: list[Row], shown: Entry | None) -> None:
        """Show the log list with the shown session selected."""
        self._filling = True
        self.model.show(rows)
        at = next((i for i, r in enumerate(rows) if r.entry == shown), -1)
        if at >= 0 and self.table.currentIndex().row() != at:
            choose_row(self.table, self.model.index(at, 0))
        self._filling = False
        self.table.clearSpans()
        for i, line in enumerate(self.model.lines):
            if not line.length:
                self.table.setSpan(i, _DATE, 1, len(_HEADINGS) - _DATE)
        self._share_room()
        waiting = sum(r.stage in ("waiting", "reading") for r in rows)
        self.cancel_button.setVisible(waiting > 0)
        self._split.setVisible(bool(rows))
        self._empty.setVisible(not rows)
        self._write_button.setEnabled(bool(rows))
        if not rows:
            self.say("No log yet")
            return
        title, detail = headline(self.model.lines, waiting)
        self.say(title, detail)

    def _share_room(self) -> None:
        """Room for the whole list where there is room, and never less than half for the columns, until the user
        decides."""
        if self._room_set:
            return
        wanted = round(self._look.height() * (1.6 * max(len(self.model.lines), 3) + 2.4))
        whole = max(self._split.height(), 300)
        self._split.setSizes([min(wanted, whole // 2), whole - min(wanted, whole // 2)])

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._share_room()

    def refresh_row(self, row: int) -> None:
        """A row read on."""
        self.model.refresh(row)

    def show_log(
        self, recording: Recording | None, analysis: Analysis | None, units: DisplayUnits, waiting: str
    ) -> None:
        """Show the columns of the shown session, and its readings one by one when they come off a gauge."""
        if recording is None or recording is not self.columns.model.recording:
            self.columns.show_recording(recording, waiting)
        self.gauge.show_analysis(analysis if recording is not None and recording.manual else None, units)

    def _menu_asked(self, at: QPoint) -> None:
        index = self.table.indexAt(at)
        if index.isValid():
            self.menu_wanted.emit(self.model.rows[index.row()], self.table.viewport().mapToGlobal(at))

    def _row_changed(self, current: QModelIndex, _: QModelIndex) -> None:
        if not self._filling and current.isValid():
            self.chosen.emit(self.model.rows[current.row()])

    @property
    def words(self) -> tuple[str, str]:
        """The title and the line under it."""
        return self._title.text(), self._detail.text()

    def rows(self) -> list[Sequence[str]]:
        """The log list."""
        return [_HEADINGS, *(self.cells(line) for line in self.model.lines)]

    @staticmethod
    def cells(line: LogLine) -> Sequence[str]:
        """The texts of a row, in the order of the headings; a row with nothing but a finding says it from the second
        on."""
        if not line.length:
            return (line.title, line.finding, "", "", "", "", "")
        return (line.title, line.date, line.car, line.length, line.laps, line.channels, line.finding)
