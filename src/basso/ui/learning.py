"""What the Normal station's verbs do: put together what is told of normal in the background, and answer what is asked."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from basso.normal.question import Question
from basso.progress import Progress

if TYPE_CHECKING:
    from basso.analysis import Analysis
    from basso.normal.told import EarlierNormal, NormalTold
    from basso.normal.what_if import WhatIf
    from basso.ui.desk import Desk


class Learning:
    """Acts for one desk. Works only while the station is looked at."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self._question = Question()
        self._told: NormalTold | None = None
        self._answered: Question | None = None
        self._asked_of: object = None
        desk.normal.asked.connect(self._ask)
        desk.normal.supposed.connect(self._suppose)
        desk.workspace.shown_changed.connect(self._shown_changed)
        desk.workspace.units_changed.connect(self._show)

    def refresh(self) -> None:
        """Tell of the session shown, where that was not done yet."""
        a = self._desk.workspace.analysis
        if a is None or not a.judgeable:
            self._told = None
            self._show()
            return
        if self._told is not None and self._told.analysis is a and self._answered is self._question:
            return
        if self._asked_of == (a, self._question):
            return
        self._asked_of = (a, self._question)
        question, earlier = self._by_the_card(), _earlier(a)

        def work(progress: Progress) -> NormalTold | None:
            from basso.normal.told import tell_normal

            progress(0.0, "holding normal against floors and oils")
            return tell_normal(a, question, earlier, progress)

        def done(told: NormalTold | None) -> None:
            self._asked_of = None
            self._told, self._answered = told, self._question
            self._show()
            if told is not None:
                self._suppose(float(self._desk.normal.hotter.value()), float(self._desk.normal.faster.value()))

        self._desk.jobs.start("normal", "looking at normal", work, done, self._desk.tell, dropped=self._dropped)

    def _by_the_card(self) -> Question:
        """The question, with the maker's list and the pump from the engine's card."""
        engine = self._desk.garaging.engine_shown if self._desk.has_garage else None
        if engine is None:
            return self._question
        return replace(
            self._question, listed=engine.grades, pump_cm3=engine.pump_cm3, window_kpa=(engine.window_low_kpa, engine.window_high_kpa),
            target_c=engine.oil_target_c, oil_l=engine.full_l,
        )  # fmt: skip

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
        self._desk.normal.show_normal(self._told, w.units, waiting)

    def _ask(self, question: Question) -> None:
        self._question = question
        self.refresh()

    def _suppose(self, hotter_c: float, faster_rpm: float) -> None:
        told = self._told
        if told is None:
            return

        def work(progress: Progress) -> WhatIf | None:
            from basso.normal.what_if import what_if

            return what_if(told.analysis, hotter_c, faster_rpm)

        def done(answer: WhatIf | None) -> None:
            if self._told is told:
                self._desk.normal.show_supposition(answer)

        self._desk.jobs.start("what-if", "computing the other day", work, done, self._desk.tell)


def _earlier(a: Analysis) -> list[EarlierNormal]:
    """The normals of the car's earlier sessions that are valid, by the garage, oldest first."""
    from basso.normal.told import EarlierNormal

    known = a.options.known
    return (
        [EarlierNormal(e.title, e.day, e.expected, e.idle) for e in known.earlier if e.expected.valid]
        if known is not None
        else []
    )
