"""What the Normal station's verbs do: put together what is told of normal in the background, and answer what is asked."""

from __future__ import annotations

from typing import TYPE_CHECKING

from basso.normal.question import Question
from basso.progress import Progress

if TYPE_CHECKING:
    from basso.normal.told import NormalTold
    from basso.normal.what_if import WhatIf
    from basso.ui.desk import Desk


class Learning:
    """Acts for one desk. Works only while the station is looked at."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self._question = Question()
        self._told: NormalTold | None = None
        self._asked_of: object = None
        desk.normal.asked.connect(self._ask)
        desk.normal.supposed.connect(self._suppose)
        desk.normal.held_to_kept.connect(desk.workspace.set_by_kept)
        desk.normal.verb_wanted.connect(desk.run)
        desk.normal.kept_opened.connect(desk.keeping.correct_normal)
        desk.workspace.shown_changed.connect(self._shown_changed)
        desk.workspace.units_changed.connect(self._show)

    def refresh(self) -> None:
        """Tell of the session shown, where that was not done yet."""
        a = self._desk.workspace.analysis
        if a is None or not a.judgeable:
            self._told = None
            self._show()
            return
        question = self._desk.keeping.asked(self._question)
        if self._told is not None and self._told.analysis is a and self._told.question == question:
            return
        if self._asked_of == (a, question):
            return
        self._asked_of = (a, question)

        def work(progress: Progress) -> NormalTold | None:
            from basso.normal.told import earlier_of, tell_normal

            progress(0.0, "holding normal against floors and oils")
            return tell_normal(a, question, earlier_of(a.options.known), progress)

        def done(told: NormalTold | None) -> None:
            self._asked_of = None
            self._told = told
            self._show()
            if told is not None:
                self._suppose()

        self._desk.jobs.start("normal", "looking at normal", work, done, self._desk.tell, dropped=self._dropped)

    def _dropped(self) -> None:
        self._asked_of = None

    def _shown_changed(self) -> None:
        a = self._desk.workspace.analysis
        if self._told is not None and (a is None or self._told.analysis.recording is not a.recording):
            self._told, self._question = None, Question()
            self._show()
        if self._desk.station == "normal":
            self.refresh()

    def _show(self) -> None:
        w = self._desk.workspace
        waiting = ""
        if self._told is None and w.shown is not None:
            waiting = f"Reading {w.shown.title} …" if w.analysis is None else "Looking at normal …"
            if w.analysis is not None and not w.analysis.judgeable:
                waiting = "Normal needs oil pressure and engine speed; say under Recordings which columns they are"
        kept = w.analysis.options.kept if w.analysis is not None else None
        if w.analysis is not None or w.shown is None:
            self._desk.normal.show_kept(kept.title if kept is not None else "", w.by_kept)
        self._desk.normal.show_normal(self._told, w.units, waiting)

    def _ask(self, question: Question) -> None:
        self._question = question
        self.refresh()

    def _suppose(self) -> None:
        told = self._told
        air_c, hotter_c, faster_rpm = self._desk.normal.another_day
        if told is None:
            return

        def work(progress: Progress) -> WhatIf | None:
            from basso.normal.what_if import what_if

            return what_if(told.analysis, hotter_c, faster_rpm, air_c, told.airs_part)

        def done(answer: WhatIf | None) -> None:
            if self._told is told:
                self._desk.normal.show_supposition(answer)

        self._desk.jobs.start("what-if", "computing the other day", work, done, self._desk.tell)
