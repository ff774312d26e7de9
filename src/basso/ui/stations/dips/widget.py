"""The Dips station: what matters in a sentence, the traces, the dip list."""

from __future__ import annotations

from types import MappingProxyType
from typing import TYPE_CHECKING

from PySide6.QtCore import QModelIndex, QPoint, QSortFilterProxyModel, Qt, QTimer, Signal
from PySide6.QtGui import QBrush, QResizeEvent, QStandardItem, QStandardItemModel
from PySide6.QtWidgets import (
    QAbstractItemView,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QStackedWidget,
    QTableView,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from basso.plain_text import plain
from basso.ui import layouts
from basso.ui.models.cursor import Cursor
from basso.ui.plain import tip
from basso.ui.plots.trace_sheet import DipMark
from basso.ui.plots.traces import Traces
from basso.ui.stations.dips.pages import OneDipPage, SharesPage
from basso.ui.stations.dips.picture import DipRow, columns, dip_rows, panels, place_columns, place_rows, sentence
from basso.ui.stations.dips.places import PlaceList
from basso.ui.stations.table import KeepsColor, choose_row
from basso.ui.stations.words import HeldWords, PageBar, TitledPage, Words
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits
from basso.words.headline import opening

if TYPE_CHECKING:
    from basso.analysis import Analysis
    from basso.findings.laid_under import LaidLap
    from basso.pressure.dips import Dip
    from basso.recording.recording import Recording

_SORT_ROLE = Qt.ItemDataRole.UserRole
_NUMERIC = (2, 3, 4, 5)
_LOW_EM = 38.0
"""Under so many lines of height a window is low."""
_HIGH_EM = 44.0
"""Over so many the list takes a fifth of it."""
_LOWEST, _UNDER = 2, 3
TRACES, ONE_DIP, SHARES = range(3)
_PAGES = MappingProxyType(
    {
        "Traces": "Pressure, g, engine speed and oil temperature over time (T)",
        "One dip": "The seconds before and after it, other laps behind it, what speaks for each cause (D)",
        "% of normal": "How much of the running lay below which share, and against g (S)",
    }
)
_ORDERS = MappingProxyType(
    {
        "By place": "The worst place first, its passes folded under it",
        "In log order": "Every dip in the order of time; click a heading to sort",
    }
)


def _side(column: int) -> Qt.AlignmentFlag:
    """On which side of its column a cell stands."""
    side = Qt.AlignmentFlag.AlignRight if column in _NUMERIC else Qt.AlignmentFlag.AlignLeft
    return side | Qt.AlignmentFlag.AlignVCenter


class DipsPage(TitledPage):
    """Told an analysis and units; moves the cursor; :attr:`dip_selected` carries the dip's index or −1."""

    dip_selected = Signal(int)
    open_wanted = Signal()
    demo_wanted = Signal()
    columns_wanted = Signal()
    confirm_wanted = Signal()
    ruling_wanted = Signal()
    keep_wanted = Signal()
    under_wanted = Signal(QPoint)
    car_wanted = Signal()
    step_wanted = Signal(int)
    menu_wanted = Signal(QPoint)

    def __init__(self, look: Look, cursor: Cursor) -> None:
        super().__init__(look)
        self._cursor = cursor
        self._analysis: Analysis | None = None
        self._chosen: tuple[Recording, Dip] | None = None
        self._units = DisplayUnits()
        self._room = QWidget()
        self._reason = HeldWords(look, 2, Type.SMALL, "soft")
        self.traces = Traces(look, cursor)
        self._model = QStandardItemModel()
        self._sorted = QSortFilterProxyModel()
        self._sorted.setSourceModel(self._model)
        self._sorted.setSortRole(_SORT_ROLE)
        self.table = QTableView()
        self.places = PlaceList(look)
        self._lists = QStackedWidget()
        self.order = PageBar(look, _ORDERS)
        self.pages = PageBar(look, _PAGES)
        self.one, self.shares = OneDipPage(look), SharesPage(look)
        self._ruling = Words(look, Type.STRONG)
        self._ruling.hide()
        self._laid: LaidLap | None = None
        self._under_words = Words(look, Type.SMALL, "side_b")
        self._under_words.hide()
        self._start = self._starting_points()
        self._columns = QPushButton("Say which column is what…")
        self._columns.setToolTip("Which column of the log is what, and in which unit (Ctrl+M)")
        self._columns.clicked.connect(self.columns_wanted)
        self.confirm_button = QPushButton()
        self.confirm_button.setToolTip(
            "In this log and in every one with these columns (Ctrl+Return); Ctrl+Z takes it back"
        )
        self.confirm_button.clicked.connect(self.confirm_wanted)
        self._build()
        look.changed.connect(self._restyle)

    def _build(self) -> None:
        layout = layouts.column(self, (20, 10, 18, 4), 1)
        layout.addLayout(self.head())
        layout.addWidget(self._ruling)
        layout.addSpacing(6)
        layout.addWidget(self._start)
        asked = QHBoxLayout()
        for button in (self.confirm_button, self._columns):
            asked.addWidget(button)
        asked.addStretch(1)
        layout.addLayout(asked)
        self._stack = layouts.Pages()
        for page in (self.traces, self.one, self.shares):
            self._stack.addWidget(page)
        self.pages.choose(0)
        self.pages.chosen.connect(self.show_page)
        self.rule_button = QToolButton()
        self.rule_button.setText("Decide…")
        self.rule_button.setToolTip("What the owner does after this session, and why; kept with what it showed")
        self.rule_button.clicked.connect(self.ruling_wanted)
        row = QHBoxLayout()
        row.addWidget(self.pages)
        row.addStretch(1)
        self.under_button = QToolButton()
        self.under_button.setText("Lay a lap under…")
        self.under_button.setToolTip("Another lap, of this session or of another, under the traces by distance (U)")
        self.under_button.clicked.connect(self._ask_under)
        self.keep_button = QToolButton()
        self.keep_button.setText("Keep with a car…")
        self.keep_button.setToolTip(
            "No car of the garage has this log yet: with one, its sensors, its oil and what it showed before are known "
            "(Ctrl+Alt+K)"
        )
        self.keep_button.clicked.connect(self.keep_wanted)
        self.keep_button.hide()
        row.addWidget(self.under_button)
        row.addWidget(self.keep_button)
        row.addWidget(self.rule_button)
        below = QHBoxLayout()
        below.addWidget(self.order)
        below.addStretch(1)
        self.step_buttons = QToolButton(), QToolButton()
        steps = (("Previous dip", -1, "P"), ("Next dip", 1, "N"))
        for step, (words, by, key) in zip(self.step_buttons, steps, strict=True):
            step.setText(words)
            step.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
            step.setToolTip(f"In the order of time ({key})")
            step.clicked.connect(lambda _=False, by=by: self.step_wanted.emit(by))
            below.addWidget(step)
        layout.addLayout(row)
        layout.addWidget(self._under_words)
        layout.addWidget(self._stack, 1)
        table = self.table
        table.setModel(self._sorted)
        self._delegate = KeepsColor(table)
        table.setItemDelegate(self._delegate)
        table.setSortingEnabled(True)
        table.sortByColumn(0, Qt.SortOrder.AscendingOrder)
        table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        table.setShowGrid(False)
        table.setWordWrap(False)
        table.verticalHeader().hide()
        table.setTabKeyNavigation(False)
        look = self._look
        look.fit(table, lambda t: t.verticalHeader().setDefaultSectionSize(round(look.height() * 1.55)))
        table.horizontalHeader().setHighlightSections(False)
        table.horizontalHeader().setStretchLastSection(True)
        table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        table.setAccessibleName("Dips")
        table.activated.connect(lambda _: self.show_page(ONE_DIP))
        table.selectionModel().currentRowChanged.connect(lambda now, _: self._row_chosen(now))
        table.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        table.customContextMenuRequested.connect(lambda at: self.menu_wanted.emit(table.viewport().mapToGlobal(at)))
        self.places.menu_wanted.connect(self.menu_wanted)
        self.places.chosen.connect(self.select)
        self.places.entered.connect(lambda _: self.show_page(ONE_DIP))
        for listed in (self.places, table):
            self._lists.addWidget(listed)
        self.order.choose(0)
        self.order.chosen.connect(self._lists.setCurrentIndex)
        layout.addLayout(below)
        layout.addWidget(self._lists)
        layout.addWidget(self._reason)
        layout.addWidget(self._room, 1)
        self.traces.dip_clicked.connect(self.select)
        self._restyle()

    def _starting_points(self) -> QWidget:
        """What to do when nothing is open yet: three ways in."""
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 14, 0, 0)
        grid.setVerticalSpacing(16)
        grid.setHorizontalSpacing(20)
        for i, (words, wanted, title, hint) in enumerate(
            (
                (
                    "Open a log…",
                    self.open_wanted,
                    "Drop a log on this window, or a folder of them",
                    "Text, Parquet, MDF or bus log. It takes time, rpm and oil pressure; oil temperature and g tell "
                    "why. What is missing is said.",
                ),
                (
                    "Look at the demo",
                    self.demo_wanted,
                    "No log at hand: look at the demo car",
                    "A car that starves in long left turns, what was tried on it, and what helped.",
                ),
                (
                    "Begin with a car",
                    self.car_wanted,
                    "Or begin with your car",
                    "Its engine, oil, level and sensors; every log of it is then judged by them.",
                ),
            )
        ):
            button = QPushButton(words)
            button.setToolTip(hint)
            button.clicked.connect(wanted)
            grid.addWidget(button, i, 0, Qt.AlignmentFlag.AlignTop)
            said = QVBoxLayout()
            said.setSpacing(0)
            for text, kind, tone in ((title, Type.STRONG, "ink"), (hint, Type.SMALL, "soft")):
                line = Words(self._look, kind, tone)
                line.setText(text)
                said.addWidget(line)
            grid.addLayout(said, i, 1)
        grid.setColumnStretch(1, 1)
        return holder

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit_columns()
        self._fit_rows()

    def _fit_rows(self) -> None:
        # In a low window the list gives two rows, so that the plots above it can still be read.
        em = self._look.height()
        self._reason.keep_lines(1 if self.height() < _LOW_EM * em else 2)
        room = em * min(8.2, max(4.6, 8.2 - (_LOW_EM - self.height() / em)))
        if self.height() > _HIGH_EM * em:
            room = 0.2 * self.height()
        head, row = self.table.horizontalHeader().sizeHint().height(), self.table.verticalHeader().defaultSectionSize()
        self._lists.setFixedHeight(head + max(2, int((room - head) / row)) * row + 2)

    def _restyle(self) -> None:
        self.table.horizontalHeader().setFont(self._look.font(Type.SMALL))
        self._fit_columns()
        self._fit_rows()
        self._dress_cells()

    # What is shown

    def show_analysis(self, analysis: Analysis | None, units: DisplayUnits, waiting: str = "") -> None:
        """Show a judged session, or that none is there yet."""
        kept = self._kept(analysis)
        self._analysis, self._units = analysis, units
        has_dips = analysis is not None and bool(analysis.dips)
        for listed in (self._lists, self.order, *self.step_buttons):
            listed.setVisible(has_dips)
        self.under_button.setVisible(analysis is not None and analysis.track is not None)
        self._reason.setVisible(has_dips)
        self._start.setVisible(analysis is None and not waiting)
        unknown = analysis is not None and not analysis.judgeable
        sure = [x for x in analysis.lookalikes if x.alone is not None] if analysis is not None else []
        self.confirm_button.setText(
            plain(f"Confirm {' and '.join(f'{x.columns[0][0]} as {x.role.words}' for x in sure)}", 120).replace(
                "&", "&&"
            )
        )
        self.confirm_button.setVisible(bool(sure))
        self._columns.setVisible(unknown or (analysis is not None and len(sure) < len(analysis.lookalikes)))
        for widget in (self._stack, self.pages, self.rule_button):
            widget.setVisible(analysis is not None and not unknown)
        self._room.setVisible(analysis is None or unknown)
        if analysis is None:
            self.say_nothing(
                waiting,
                "Open a log to find where the oil pressure dips, and why",
                "Ctrl+O opens a log, Ctrl+K finds every command, F1 explains them. Nothing is sent anywhere.",
            )
            self._fill([])
            return
        words = opening(analysis, units)
        self.say(words.title, words.detail)
        # Traces of an hour take as long to lay out as all the rest: in a turn of their own, so that nothing waits.
        self.traces.set_panels((), analysis.time_s, ())
        QTimer.singleShot(0, self, self._lay_out_traces)
        self._fill(dip_rows(analysis, units))
        self._fit_columns()
        if kept >= 0:
            self.select(kept, move=False)
        self._show_page_of(self._stack.currentIndex())

    def _lay_out_traces(self) -> None:
        analysis, units = self._analysis, self._units
        if analysis is None:
            return
        from basso.words.session import lowest_words

        marks = [
            DipMark(
                d.dip.start_s,
                d.dip.end_s,
                float(analysis.time_s[d.dip.lowest]),
                units.pressure.from_base(d.dip.min_pressure_kpa),
                lowest_words(analysis, d.dip.min_pressure_kpa, units),
            )
            for d in analysis.dips
        ]
        self.traces.set_panels(panels(analysis, units, self._laid), analysis.time_s, marks)
        self.traces.select_dip(self.selected)

    def _fill(self, rows: list[DipRow]) -> None:
        """Fill the list. The cells live in Qt: asked of Python one by one they took as long to paint as everything
        else."""
        model = QStandardItemModel()
        model.setHorizontalHeaderLabels(columns(self._units))
        for column in range(model.columnCount()):
            model.setHeaderData(column, Qt.Orientation.Horizontal, _side(column), Qt.ItemDataRole.TextAlignmentRole)
        for row in rows:
            cells = [QStandardItem(words) for words in row.cells]
            for column, (cell, key) in enumerate(zip(cells, row.keys, strict=True)):
                cell.setData(key, _SORT_ROLE)
                cell.setTextAlignment(_side(column))
                cell.setToolTip(tip(row.reason))
                cell.setAccessibleDescription(row.reason)
                cell.setEditable(False)
            model.appendRow(cells)
        a = self._analysis
        self.places.show_rows(place_columns(a, self._units), place_rows(a, rows) if a is not None else [], rows)
        self._model = model
        self._dress_cells()
        self._sorted.setSourceModel(model)

    def _dress_cells(self) -> None:
        strong, below = self._look.font(Type.STRONG), QBrush(self._look.color("below"))
        for row in range(self._model.rowCount()):
            self._model.item(row, _LOWEST).setFont(strong)
            self._model.item(row, _UNDER).setForeground(below)

    def _kept(self, analysis: Analysis | None) -> int:
        """The dip that is selected now, found again in another judgement of the same recording; −1 where it is none
        there."""
        if self._analysis is not None:  # while it is being judged again there is none
            selected = self.selected
            self._chosen = (self._analysis.recording, self._analysis.dips[selected].dip) if selected >= 0 else None
        if analysis is None or self._chosen is None or self._chosen[0] is not analysis.recording:
            return -1
        dip = self._chosen[1]
        again = [i for i, d in enumerate(analysis.dips) if d.dip.start_s < dip.end_s and d.dip.end_s > dip.start_s]
        return again[0] if again else -1

    def _fit_columns(self) -> None:
        header = self.table.horizontalHeader()
        em = self._look.height()
        widths = (3.0, 7.2, 5.1, 6.2, 5.4, 4.7, 6.3)
        # In a narrow window everything gives a little, so that the cause can still be read.
        em *= min(1.0, max(0.88, (self.width() - 38 - 14.5 * em) / (sum(widths) * em)))
        for column, width in enumerate(widths):
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.Interactive)
            self.table.setColumnWidth(column, round(width * em))

    def show_under(self, laid: LaidLap | None, words: str) -> None:
        """Lay another lap under the traces, or none; ``words`` say which, or why it cannot be."""
        self._laid = laid
        self._under_words.show_words(words)
        QTimer.singleShot(0, self, self._lay_out_traces)

    def _ask_under(self) -> None:
        self.under_wanted.emit(self.under_button.mapToGlobal(QPoint(0, self.under_button.height())))

    def offer_keeping(self, wanted: bool) -> None:
        """Whether no car has the log shown yet."""
        self.keep_button.setVisible(wanted)

    def show_ruling(self, words: str) -> None:
        """What the owner decided after this session; "" where nothing was."""
        self._ruling.show_words(words)

    # Pages

    @property
    def page(self) -> int:
        """Which page is shown."""
        return self._stack.currentIndex()

    def show_page(self, page: int) -> None:
        """Show the traces, the chosen dip by itself, or the shares of normal."""
        self.pages.choose(page)
        self._stack.setCurrentIndex(page)
        self._show_page_of(page)

    def _show_page_of(self, page: int) -> None:
        """Fill a page that is looked at; the others wait until they are."""
        a, at = self._analysis, self.selected
        if page == ONE_DIP:
            self.one.show_dip(a, a.dips[at] if a is not None and at >= 0 else None, self._units)
        elif page == SHARES:
            self.shares.show_session(a)

    # Stepping through dips

    @property
    def selected(self) -> int:
        """Index of the selected dip in the order of time, −1 for none."""
        index = self.table.currentIndex()
        return self._sorted.mapToSource(index).row() if index.isValid() else -1

    def select(self, dip: int, move: bool = True) -> None:
        """Select a dip; the cursor goes to its lowest point and the traces show it with some room."""
        index = self._sorted.mapFromSource(self._model.index(dip, 0))
        chosen = self.table.selectionModel()
        chosen.blockSignals(not move)
        choose_row(self.table, index)
        chosen.blockSignals(False)
        # Once more when the table has its size, on a session that has only just been opened.
        QTimer.singleShot(0, self.table, self._bring_into_view)
        if not move:
            self._mark(dip)

    def _bring_into_view(self) -> None:
        """Scroll the list where the chosen dip has no other above or below it; else only two of its rows are painted
        anew."""
        table, index = self.table, self.table.currentIndex()
        row = table.visualRect(index)
        if not table.viewport().rect().contains(row.adjusted(0, -row.height(), 0, row.height())):
            table.scrollTo(index, QAbstractItemView.ScrollHint.PositionAtCenter)

    def step(self, by: int) -> None:
        """Next or previous dip in the order of time from the cursor (or from the selected one)."""
        if self._analysis is None or not self._analysis.dips:
            return
        count = len(self._analysis.dips)
        now = self.selected
        if now < 0:
            starts = [d.dip.start_s for d in self._analysis.dips]
            after = next((i for i, s in enumerate(starts) if s > self._cursor.time_s), count)
            now = after - 1 if by > 0 else after
        self.select(min(max(now + by, 0), count - 1))

    def _row_chosen(self, index: QModelIndex) -> None:
        if self._analysis is None or not index.isValid():
            return
        dip = self._sorted.mapToSource(index).row()
        self._mark(dip)
        d = self._analysis.dips[dip].dip
        span = min(max(12.0, 4.0 * d.duration_s), 120.0)
        middle = 0.5 * (d.start_s + d.end_s)
        self._cursor.show(middle - span / 2, middle + span / 2)
        self._cursor.move_to(float(self._analysis.time_s[d.lowest_margin]))

    def _mark(self, dip: int) -> None:
        assert self._analysis is not None
        self.traces.select_dip(dip)
        self.places.show_dip(dip)
        self._reason.setText(f"Dip {dip + 1}. {sentence(self._analysis.dips[dip], self._units)} F2 shows the working.")
        self._show_page_of(self._stack.currentIndex())
        self.dip_selected.emit(dip)

    # Taking it along

    def rows(self, only_selected: bool = False) -> list[list[str]]:
        """The dip list, in the shown order and units, headings first."""
        rows = sorted({i.row() for i in self.table.selectionModel().selectedIndexes()}) if only_selected else []
        rows = rows or list(range(self._sorted.rowCount()))
        lines: list[list[str]] = [[*columns(self._units), "Reason"]]
        for row in rows:
            source = self._sorted.mapToSource(self._sorted.index(row, 0)).row()
            cells = [self._model.item(source, c).text() for c in range(self._model.columnCount())]
            lines.append([*cells, self._model.item(source, 0).accessibleDescription()])
        return lines
