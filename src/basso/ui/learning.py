"""What the Normal station's verbs do: put together what is told of normal in the background, and answer what is asked."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from basso.normal.question import Question
from basso.progress import Progress
from basso.ui.telling import Telling

if TYPE_CHECKING:
    from basso.analysis import Analysis
    from basso.normal.told import NormalTold
    from basso.normal.what_if import WhatIf
    from basso.ui.desk import Desk


class Learning(Telling["NormalTold"]):
    """Acts for one desk. Works only while the station is looked at."""

    def __init__(self, desk: Desk) -> None:
        self._question = Question()
        super().__init__(desk, "normal", "normal")
        desk.normal.asked.connect(self._ask)
        desk.normal.supposed.connect(self._suppose)
        desk.normal.held_to_kept.connect(desk.workspace.set_by_kept)
        desk.normal.verb_wanted.connect(desk.run)
        desk.normal.kept_opened.connect(desk.keeping.correct_normal)

    def _asked(self) -> Question:
        return self._desk.keeping.asked(self._question)

    def _wanted(self, a: Analysis) -> tuple[object, ...]:
        return (a, self._asked())

    def _work(self, a: Analysis) -> Callable[[Progress], NormalTold | None]:
        question = self._asked()

        def work(progress: Progress) -> NormalTold | None:
            from basso.normal.told import earlier_of, tell_normal

            progress(0.0, "holding normal against floors and oils")
            return tell_normal(a, question, earlier_of(a.options.known), progress)

        return work

    def _nothing(self, a: Analysis) -> str:
        from basso.report.coverage import coverage_of

        if a.recording.manual:
            return "Normal is not learned from readings off a gauge. Log a run: straights, the pit lane, a dyno."
        return f"Normal cannot be learned from this session. {coverage_of(a).words} Drive it warm, or hold it to the kept normal of its build."

    def _show_told(self, told: NormalTold | None, waiting: str) -> None:
        w = self._desk.workspace
        kept = w.analysis.options.kept if w.analysis is not None else None
        if w.analysis is not None or w.shown is None:
            self._desk.normal.show_kept(kept.title if kept is not None else "", w.by_kept)
        self._desk.normal.show_normal(told, w.units, waiting)

    def _shown(self, told: NormalTold | None) -> None:
        self._suppose()

    def _forget(self) -> None:
        self._question = Question()

    def _ask(self, question: Question) -> None:
        self._question = question
        self.refresh()

    def _suppose(self) -> None:
        told = self._told
        if told is None:
            return
        air_c, hotter_c, faster_rpm = self._desk.normal.another_day

        def work(progress: Progress) -> WhatIf | None:
            from basso.normal.what_if import what_if

            return what_if(told.analysis, hotter_c, faster_rpm, air_c, told.airs_part)

        def done(answer: WhatIf | None) -> None:
            if self._told is told:
                self._desk.normal.show_supposition(answer)

        self._desk.jobs.start("what-if", "computing the other day", work, done, self._desk.tell)
