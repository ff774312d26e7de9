"""Job sheets on screen: every job of the car, and the steps of one with their cautions, measurements and sign-off."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from datetime import date

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QMenu,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from basso.car.history import CarHistory
from basso.car.jobs import Entered, Sheet, SheetStep, entered, passed, reasons_wanted, sheet_of, sheets, state
from basso.errors import InputError
from basso.garage.fields import Field, read
from basso.garage.records import Attachment, Job
from basso.ui import layouts
from basso.ui.plain import Label
from basso.ui.stations.garage.picture import attachment_html
from basso.ui.stations.garage.sheet_picture import job_title, job_words
from basso.ui.stations.garage.step import StepRow
from basso.ui.stations.words import Words
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits


class JobsPanel(QWidget):
    """``edited`` carries (what was done, before, after); ``begun`` the key of a sheet; ``print_wanted`` a job."""

    edited = Signal(str, object, object)
    begun = Signal(str)
    print_wanted = Signal(object)
    photo_wanted = Signal(object, str)
    """(job, part of it, "" for the whole)"""
    photo_opened = Signal(str)
    work_wanted = Signal(str, object)
    """(step, job): the priming is to be read off the log that is shown; the hold test to be worked out."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._jobs: list[Job] = []
        self._attached: tuple[Attachment, ...] = ()
        self._units = DisplayUnits()
        self._laid: object = None
        self.list = QListWidget()
        look.changed.connect(self._show_job)
        self.list.setAccessibleName("Jobs")
        self.list.setWordWrap(True)
        self.list.setTextElideMode(Qt.TextElideMode.ElideNone)
        self.list.setResizeMode(QListWidget.ResizeMode.Adjust)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentRowChanged.connect(lambda _: self._show_job())
        self.new_button = QPushButton("New job…")
        self.new_button.setToolTip("Begin a job sheet: its steps, limits and cautions")
        menu = QMenu(self.new_button)
        for sheet in sheets().values():
            menu.addAction(sheet.name).triggered.connect(lambda _=False, k=sheet.key: self.begun.emit(k))
        self.new_button.setMenu(menu)
        self.steps: list[StepRow] = []
        self._sheet = QWidget()
        self._sheet_layout = QVBoxLayout(self._sheet)
        self._sheet_layout.setContentsMargins(0, 0, 8, 0)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setWidget(self._sheet)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._title, self._wrong = Words(look, Type.STATION), Words(look, Type.SMALL, "below")
        self.signed, self.minutes, self.follow_up = QLineEdit(), QLineEdit(), QLineEdit()
        for line, hint in (
            (self.signed, "signed off by"),
            (self.minutes, "minutes taken"),
            (self.follow_up, "look again on, 2026-06-30"),
        ):
            line.setPlaceholderText(hint)
            line.setAccessibleName(hint)
        self.sign_button, self.print_button = QPushButton("Sign off"), QPushButton("Print…")
        self.sign_button.setToolTip("Close the job; held back until every step that must hold does")
        self.print_button.setToolTip("The sheet on paper, with room to write")
        self.photo_button, self._photos = QPushButton("Attach a photo…"), Label()
        self.photo_button.setToolTip("Keep a photo with this job")
        self._photos.setTextFormat(Qt.TextFormat.RichText)
        self._photos.setWordWrap(True)
        self._photos.linkActivated.connect(self.photo_opened)
        self.photo_button.clicked.connect(lambda: self.photo_wanted.emit(self.job, ""))
        self.sign_button.clicked.connect(self._sign)
        self.print_button.clicked.connect(self._print)
        left = QVBoxLayout()
        left.addWidget(self.new_button)
        left.addWidget(self.list, 1)
        foot = QHBoxLayout()
        foot.addStretch(1)
        for widget in (
            self.signed,
            self.minutes,
            self.follow_up,
            self.sign_button,
            self.photo_button,
            self.print_button,
        ):
            foot.addWidget(widget)
        right = QVBoxLayout()
        right.addWidget(self._title)
        right.addWidget(scroll, 1)
        right.addWidget(self._photos)
        right.addWidget(self._wrong)
        right.addLayout(foot)
        self._wrong.setWordWrap(True)
        layout = layouts.row(self, (0, 6, 0, 0), 14)
        layout.addLayout(left, 2)
        layout.addLayout(right, 5)

    @property
    def job(self) -> Job | None:
        """The job shown."""
        row = self.list.currentRow()
        return self._jobs[row] if 0 <= row < len(self._jobs) else None

    @property
    def wrong(self) -> str:
        """Why the job cannot be signed off yet."""
        return self._wrong.text()

    def show_car(self, view: CarHistory, units: DisplayUnits) -> None:
        """Show a car's jobs, open ones first."""
        shown, self._attached, self._units = self.job, view.attachments, units
        self._jobs = sorted(view.jobs, key=lambda j: (bool(j.closed), j.opened), reverse=False)
        self.list.blockSignals(True)
        self.list.clear()
        for job in self._jobs:
            self.list.addItem(f"{job_title(job)}\n{job_words(job)}")
        at = next(
            (i for i, j in enumerate(self._jobs) if shown is not None and j.id == shown.id), 0 if self._jobs else -1
        )
        self.list.setCurrentRow(at)
        self.list.blockSignals(False)
        self._show_job()

    def choose(self, job_id: str) -> None:
        """Show one job."""
        self.list.setCurrentRow(next((i for i, j in enumerate(self._jobs) if j.id == job_id), -1))

    def _show_job(self) -> None:
        job, look = self.job, self._look
        sheet = sheet_of(job) if job is not None else None
        foot = (self.signed, self.minutes, self.follow_up, self.sign_button)
        if job is None or sheet is None:
            self._clear()
            words = "No job written down yet: choose a sheet under New job." if job is None else job_words(job)
            self._title.setText(words)
            self._wrong.setText("")
            for widget in (*foot, self.photo_button, self.print_button):
                widget.setVisible(False)
            return
        self._title.setText(f"{sheet.name}: {job_words(job)}")
        if self._laid != (sheet.steps, self._units, look.state):
            self._lay_steps(sheet)
        own = [a for a in self._attached if a.about == job.id]
        photos = Counter(a.part for a in own if a.part)
        wanted, held = reasons_wanted(sheet, job.entries), 0
        for number, row in enumerate(self.steps, 1):
            got = entered(job.entries, row.step)
            row.show_entered(got, bool(job.closed), row.step.key in wanted, held, photos)
            held = held or (0 if passed(row.step, got) else number)
        self._tell(job, sheet)
        for widget in foot:
            widget.setVisible(not job.closed)
        self.print_button.setVisible(True)
        self.photo_button.setVisible(True)
        self._photos.setText("<br>".join(attachment_html(a) for a in own))
        self._photos.setVisible(bool(own))

    def _lay_steps(self, sheet: Sheet) -> None:
        self._clear()
        self._laid = (sheet.steps, self._units, self._look.state)
        for number, step in enumerate(sheet.steps, 1):
            row = StepRow(self._look, number, step, self._units)
            row.entered.connect(self._entered)
            row.photo_wanted.connect(lambda part: self.photo_wanted.emit(self.job, part))
            row.work_button.clicked.connect(lambda _=False, k=step.key: self.work_wanted.emit(k, self.job))
            self.steps.append(row)
            self._sheet_layout.addWidget(row)
        self._sheet_layout.addStretch(1)

    def _clear(self) -> None:
        self.steps, self._laid = [], None
        while (item := self._sheet_layout.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()  # it is gone from the screen at once, and from memory when the loop comes round
                widget.deleteLater()

    def _tell(self, job: Job, sheet: Sheet) -> None:
        at = state(sheet, job.entries, self._units)
        self.sign_button.setEnabled(at.may_be_signed and not job.closed)
        # Steps not done are seen; what else is in the way is said first.
        other = [w for w in at.wrong if not w.endswith("is not done.")]
        left = at.of - at.done
        words = other[:2] + ([f"{left} {'step is' if left == 1 else 'steps are'} not done."] if left else [])
        self._wrong.setText("" if job.closed else " ".join(words))

    def _entered(self, step: SheetStep, got: Entered) -> None:
        job = self.job
        if job is None or entered(job.entries, step) == got:
            return
        after = replace(job, entries={**job.entries, step.key: got.as_plain()})
        self.edited.emit(f"step {[s.step.key for s in self.steps].index(step.key) + 1} of {job_title(job)}", job, after)

    def _sign(self) -> None:
        job = self.job
        if job is None:
            return
        if not self.signed.text().strip():
            self._wrong.setText("Who signs it off? Write a name.")
            self.signed.setFocus()
            return
        try:
            minutes = read(Field("minutes", "Minutes", "number"), self.minutes.text(), DisplayUnits())
            follow = (
                read(Field("follow_up", "Look again on", "day"), self.follow_up.text(), DisplayUnits())
                if self.follow_up.text().strip()
                else ""
            )
        except InputError as error:
            self._wrong.setText(str(error))
            return
        closed = replace(
            job, closed=date.today().isoformat(), signed=self.signed.text().strip(), minutes=minutes, follow_up=follow
        )
        for line in (self.signed, self.minutes, self.follow_up):
            line.clear()
        self.edited.emit(f"signing off {job_title(job)}", job, closed)

    def _print(self) -> None:
        if self.job is not None:
            self.print_wanted.emit(self.job)
