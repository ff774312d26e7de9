"""The Garage station: the build line with what is edited beside it, and pages for oil, level book and jobs."""

from __future__ import annotations

from types import MappingProxyType

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QMenu,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from basso.car.history import CarHistory
from basso.garage.records import Build, Car, Engine, Record, Session
from basso.ui import layouts
from basso.ui.dialogs import replace_menu
from basso.ui.stations.form import RecordForm
from basso.ui.stations.garage.jobs import JobsPanel
from basso.ui.stations.garage.line import BuildLine
from basso.ui.stations.garage.pages import LevelPanel, OilPanel
from basso.ui.stations.garage.picture import (
    LineRow,
    attachment_html,
    card_words,
    compared,
    line_rows,
    normals_words,
    opening,
)
from basso.ui.stations.garage.verb import Verb
from basso.ui.stations.words import PageBar, TitledPage, Words
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits

_HINTS = MappingProxyType(
    {
        Verb.NEW_BUILD: "What is on the car from a day on; taken from the build chosen",
        Verb.NEW_SESSION: "A drive on the build chosen, filled in from the log that is open",
        Verb.NOTE: "Write a note to what is chosen",
        Verb.ATTACH: "Keep a file with what is chosen: photo, invoice, drawing",
        Verb.REMOVE: "Take away what is chosen, with what belongs to it; Ctrl+Z brings it back",
        Verb.NEW_CAR: "A car, with an engine and a first build",
        Verb.IMPORT: "A car from a file that another garage exported",
        Verb.DEMO: "A garage made for the demo; nothing done to it stays",
    }
)
_PAGES = MappingProxyType(
    {
        "Builds": "What was on the car when, with every session",
        "Oil": "What is in, what is due, what the laboratory saw",
        "Level book": "How much oil a reading on the stick means",
        "Jobs": "Job sheets: steps, limits and cautions, signed off when they hold",
    }
)


class GaragePage(TitledPage):
    """Told a car; says what is wanted of it by signals and edits nothing itself."""

    edited = Signal(str, object, object)
    """(what was done, before, after)"""
    car_wanted = Signal(str)
    verb_wanted = Signal(str, object, str)
    """(:class:`Verb`, record or None, part of it or "")"""
    session_opened = Signal(object)

    def __init__(self, look: Look) -> None:
        super().__init__(look)
        self._units = DisplayUnits()
        self.view: CarHistory | None = None
        self._current = ""
        self._first_buttons: list[QPushButton] = []
        self.car_button = QToolButton()
        self.search = QLineEdit()
        self.line = BuildLine(look)
        self.form = RecordForm(look)
        self.oil, self.level, self.jobs = OilPanel(look), LevelPanel(look), JobsPanel(look)
        self._form_title, self._card = Words(look, Type.STATION), Words(look, Type.SMALL, "soft")
        self._compared, self._notes = Words(look, Type.SMALL), Words(look, Type.SMALL, "soft")
        self.buttons: dict[Verb, QPushButton] = {}
        self.pages = PageBar(look, _PAGES)
        self._pages = QStackedWidget()
        self._empty_page = QWidget()
        self._lay_out()
        self.line.chosen.connect(self._row_chosen)
        self.line.opened.connect(self._row_opened)
        self.form.edited.connect(self._form_edited)
        self.search.textChanged.connect(lambda _: self._show_line())
        self.jobs.edited.connect(self.edited)
        self.jobs.begun.connect(lambda key: self.verb_wanted.emit(Verb.BEGIN_JOB, None, key))
        self.jobs.work_wanted.connect(lambda step, job: self.verb_wanted.emit(step, job, ""))
        self.jobs.photo_wanted.connect(lambda job, part: self.verb_wanted.emit(Verb.PHOTO, job, part))
        self.jobs.photo_opened.connect(self._open_attachment)
        self._notes.setTextFormat(Qt.TextFormat.RichText)
        self._notes.setTextInteractionFlags(
            Qt.TextInteractionFlag.TextBrowserInteraction
        )  # its links are to be clicked
        self._notes.linkActivated.connect(self._open_attachment)
        self.jobs.print_wanted.connect(lambda job: self.verb_wanted.emit(Verb.PRINT, job, ""))
        for page in (self.oil, self.level):
            page.record_wanted.connect(lambda record: self.verb_wanted.emit(Verb.CORRECT, record, ""))
        self.oil.entry_wanted.connect(lambda: self.verb_wanted.emit(Verb.NEW_OIL, None, ""))
        self.oil.sample_wanted.connect(lambda: self.verb_wanted.emit(Verb.NEW_SAMPLE, None, ""))
        self.level.reading_wanted.connect(lambda series: self.verb_wanted.emit(Verb.NEW_LEVEL, None, series))

    def _lay_out(self) -> None:
        layout = layouts.column(self, (20, 12, 12, 6), 4)
        head = QHBoxLayout()
        head.addLayout(self.head(), 1)
        self.accept_button = QPushButton("Accept this car")
        self.accept_button.setToolTip(
            "Its sensor cards, oils, floors, saved normals and decisions act on logs from then on."
        )
        self.accept_button.clicked.connect(lambda: self.verb_wanted.emit(Verb.ACCEPT, None, ""))
        head.addWidget(self.accept_button, 0, Qt.AlignmentFlag.AlignTop)
        self.car_button.setText("Cars  ▾")
        self.car_button.setToolTip("Another car, a new one, import, export, backup")
        self.car_button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        head.addWidget(self.car_button, 0, Qt.AlignmentFlag.AlignTop)
        layout.addLayout(head)
        bar = QHBoxLayout()
        bar.addWidget(self.pages)
        self.pages.chosen.connect(self.show_page)
        bar.addStretch(1)
        self.search.setPlaceholderText("Find a session: circuit, driver, day, build …")
        self.search.setAccessibleName("Find a session")
        self.search.setClearButtonEnabled(True)
        look = self._look
        look.fit(self.search, lambda w: w.setMinimumWidth(round(look.height() * 14)))
        bar.addWidget(self.search)
        layout.addLayout(bar)
        self._pages.addWidget(self._builds_page())
        for page in (self.oil, self.level, self.jobs):
            self._pages.addWidget(page)
        layout.addWidget(self._pages, 1)
        self._lay_out_empty()
        layout.addWidget(self._empty_page, 1)
        self.show_page(0)

    def _builds_page(self) -> QWidget:
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setWidget(self.line)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        side = QWidget()
        column = layouts.column(side, (14, 0, 0, 0), 4)
        for label in (self._form_title, self._card):
            column.addWidget(label)
        column.addWidget(layouts.Scrolled(self.form))
        for label in (self._compared, self._notes):
            column.addWidget(label)
        self.engine_button, self.compare_button = QPushButton("Engine"), QPushButton("Compare with")
        self.engine_button.setToolTip("A new card of this engine after a rebuild, or another engine")
        self.compare_button.setToolTip("What differs between this build and another")
        for verb, words in (
            (Verb.NEW_BUILD, "New build…"),
            (Verb.NEW_SESSION, "New session…"),
            (Verb.NOTE, "Add a note…"),
            (Verb.ATTACH, "Attach a file…"),
            (Verb.REMOVE, "Remove"),
        ):
            button = self.buttons[verb] = QPushButton(words)
            button.setToolTip(_HINTS[verb])
            button.clicked.connect(lambda _=False, v=verb: self.verb_wanted.emit(v, self.current, ""))
        for buttons in (
            (self.buttons[Verb.NEW_BUILD], self.buttons[Verb.NEW_SESSION], self.engine_button),
            (self.buttons[Verb.NOTE], self.buttons[Verb.ATTACH], self.compare_button, self.buttons[Verb.REMOVE]),
        ):
            row = QHBoxLayout()
            row.setSpacing(4)
            for button in buttons:
                row.addWidget(button)
            row.addStretch(1)
            column.addLayout(row)
        column.addStretch(1)
        engine = QMenu(self.engine_button)
        for verb, words in ((Verb.NEW_CARD, "New card: rebuilt or changed…"), (Verb.NEW_ENGINE, "Another engine…")):
            engine.addAction(words).triggered.connect(lambda _=False, v=verb: self.verb_wanted.emit(v, None, ""))
        self.engine_button.setMenu(engine)
        split = layouts.split(Qt.Orientation.Horizontal, (scroll, 5), (side, 3))
        split.setSizes([560, 330])
        return split

    def _lay_out_empty(self) -> None:
        layout = QVBoxLayout(self._empty_page)
        layout.setContentsMargins(0, 24, 0, 0)
        row = QHBoxLayout()
        for verb, words in (
            (Verb.NEW_CAR, "New car…"),
            (Verb.IMPORT, "Import a car…"),
            (Verb.DEMO, "Open the demo garage"),
        ):
            button = QPushButton(words)
            button.setToolTip(_HINTS[verb])
            button.clicked.connect(lambda _=False, v=verb: self.verb_wanted.emit(v, None, ""))
            self._first_buttons.append(button)
            row.addWidget(button)
        row.addStretch(1)
        self.restore_button = QPushButton("Restore the newest backup")
        self.restore_button.setToolTip("Close other windows of this garage first. What is there now is kept beside it.")
        self.restore_button.clicked.connect(lambda: self.verb_wanted.emit(Verb.RESTORE, None, ""))
        layout.addWidget(self.restore_button, 0, Qt.AlignmentFlag.AlignLeft)
        layout.addLayout(row)
        layout.addStretch(1)

    # Showing

    def show_garage(
        self,
        view: CarHistory | None,
        cars: tuple[Car, ...],
        units: DisplayUnits,
        trouble: str,
        opening_it: bool,
        stopped: bool = False,
    ) -> None:
        """Show a car, or what there is to do without one."""
        self.view, self._units = view, units
        words = opening(view, units)
        self._title.setText(
            "Opening the garage was stopped. Go on with F5."
            if stopped
            else "Opening the garage …"
            if opening_it
            else "The garage cannot be opened"
            if trouble
            else words.title
        )
        self._detail.setText(trouble or ("" if opening_it or stopped else words.detail))
        self._empty_page.setVisible(view is None and not opening_it and not stopped)
        self.restore_button.setVisible(bool(trouble))
        self.accept_button.setVisible(view is not None and view.arrival is not None and not trouble)
        for button in self._first_buttons:
            button.setVisible(not trouble)
        self._pages.setVisible(view is not None)
        self.search.setVisible(view is not None and self.pages.page == 0)
        self.pages.setVisible(view is not None)
        self.car_button.setVisible(not opening_it and not trouble)
        menu = QMenu(self.car_button)
        for car in cars:
            action = menu.addAction(car.name)
            action.setCheckable(True)
            action.setChecked(view is not None and car.id == view.car.id)
            action.triggered.connect(lambda _=False, c=car.id: self.car_wanted.emit(c))
        menu.addSeparator()
        for verb, name in (
            (Verb.CAR, "This car…"),
            (Verb.ENGINE, "Its engine"),
            (Verb.NEW_CAR, "New car…"),
            (Verb.IMPORT, "Import a car…"),
            (Verb.EXPORT, "Export this car…"),
            (Verb.REMOVE_CAR, "Remove this car"),
            (Verb.HISTORY, "What was done…"),
            (Verb.BACKUP, "Back up now"),
        ):
            action = menu.addAction(name)
            action.setEnabled(view is not None or verb in (Verb.NEW_CAR, Verb.IMPORT, Verb.HISTORY))
            action.triggered.connect(lambda _=False, v=verb: self.verb_wanted.emit(v, None, ""))
        replace_menu(self.car_button, menu)
        if view is None:
            return
        self._show_line()
        self.oil.show_car(view, units)
        self.level.show_car(view, units)
        self.jobs.show_car(view, units)

    def _show_line(self) -> None:
        if self.view is None:
            return
        rows = line_rows(self.view, self._units, self.search.text())
        ids = {r.record for r in rows}
        if self._current not in ids:
            self._current = next((r.record for r in rows), "")
        self.line.show_rows(rows, self._current)
        self._show_record()

    @property
    def current(self) -> Record | None:
        """The build, session or engine card that is selected."""
        view = self.view
        if view is None:
            return None
        return next((r for r in (*view.builds, *view.sessions, *view.engines) if r.id == self._current), None)

    def show_page(self, page: int) -> None:
        """Show builds, oil, level book or jobs."""
        self.pages.choose(page)
        self._pages.setCurrentIndex(page)
        self.search.setVisible(page == 0 and self.view is not None)

    def take_focus(self) -> None:
        """Give the keyboard to the build line."""
        self.line.setFocus()

    def select(self, record_id: str) -> None:
        """Select a build or a session."""
        self._current = record_id
        self._show_line()

    def _row_chosen(self, row: LineRow) -> None:
        self._current = row.record
        self._show_record()

    def _row_opened(self, row: LineRow) -> None:
        record = self.current
        if isinstance(record, Session):
            self.session_opened.emit(record)

    def _show_record(self) -> None:
        record, view = self.current, self.view
        title = f"Engine: {record.name}" if isinstance(record, Engine) else _name(record) if record is not None else ""
        self._form_title.setText(title or "Nothing here yet: make the first build.")
        self.form.setVisible(record is not None)
        self._compared.hide()
        for verb in (Verb.NOTE, Verb.ATTACH, Verb.REMOVE):
            self.buttons[verb].setEnabled(record is not None)
        self.buttons[Verb.NEW_SESSION].setEnabled(view is not None and bool(view.builds))
        if view is None or record is None:
            self.form.show_record(record, self._units)
            return
        self.form.show_record(record, self._units, view.names)
        card = _CORRECTING if isinstance(record, Engine) else ""
        if isinstance(record, Build):
            card = normals_words(view, record, self._units)
        self._card.setText(card_words(view, record, self._units) if isinstance(record, Session) else card)
        self._card.setVisible(bool(self._card.text()))
        notes = [a for a in view.attachments if a.about == record.id]
        self._notes.setText("<br>".join(attachment_html(a) for a in notes))
        self._notes.setVisible(bool(notes))
        kin = [r for r in self._kin(view, record) if r.id != record.id]
        self.compare_button.setVisible(bool(kin))
        menu = QMenu(self.compare_button)
        for other in sorted(kin, key=lambda r: r.since, reverse=True):
            menu.addAction(f"{other.name}, {other.since or 'first card'}").triggered.connect(
                lambda _=False, a=other, b=record: self.compare(a, b)
            )
        replace_menu(self.compare_button, menu)

    @staticmethod
    def _kin(view: CarHistory, record: Record) -> tuple[Build, ...] | tuple[Engine, ...]:
        """What a record can be compared with."""
        return view.builds if isinstance(record, Build) else view.engines if isinstance(record, Engine) else ()

    def _open_attachment(self, attachment: str) -> None:
        view = self.view
        found = next((a for a in view.attachments if a.id == attachment), None) if view is not None else None
        if found is not None:
            self.verb_wanted.emit(Verb.OPEN, found, "")

    def compare(self, a: Build | Engine, b: Build | Engine) -> None:
        """Say only what differs between two builds, or two cards of engines."""
        if self.view is None:
            return
        lines = compared(a, b, self._units, self.view.names) or ["nothing that is written down differs"]
        former, latter = (r.name if a.name != b.name else f"{r.name}, {r.since or 'first card'}" for r in (a, b))
        self._compared.setText("\n".join([f"From {former} to {latter}", *lines]))
        self._compared.show()

    @property
    def compared_words(self) -> str:
        """What the last comparison said."""
        return self._compared.text()

    def _form_edited(self, label: str, before: Record, after: Record) -> None:
        self.edited.emit(f"{label} of {_name(before)}", before, after)

    def rows(self) -> list[tuple[str, ...]]:
        """The build line."""
        rows: list[tuple[str, ...]] = [("Day", "Build or session", "What", "Changed", "Mark")]
        if self.view is not None:
            rows += [
                (r.day, r.title, r.words, r.more, r.mark) for r in line_rows(self.view, self._units, self.search.text())
            ]
        return rows


_CORRECTING = (
    "What is corrected here holds for every session this card covers. Rebuilt, or changed? Make a new "
    "card under Engine: "
    "earlier sessions keep theirs."
)


def _name(record: Record) -> str:
    return str(getattr(record, "name", "") or getattr(record, "title", "") or record.noun)
