"""The Normal station at the bench: finds what normal is, in the background, and answers what is asked of it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from basso.findings.normal.question import Question
from basso.progress import Progress
from basso.sentence import read_in
from basso.ui.bench import Bench
from basso.ui.stations.finding_station import FindingStation
from basso.ui.stations.normal.verbs import NormalVerbs
from basso.ui.stations.station import Command, Shot, State, Working
from basso.ui.stations.table import Table
from basso.units import Quantity

if TYPE_CHECKING:
    from basso.analysis import Analysis
    from basso.findings.normal.findings import NormalFindings
    from basso.findings.normal.what_if import WhatIf
    from basso.ui.stations.normal.widget import NormalPage


class NormalStation(FindingStation["NormalPage", "NormalFindings"]):
    """What this engine's pressure should be, and which oil it wants."""

    key = what = "normal"

    def __init__(self, bench: Bench) -> None:
        self._question = Question()
        super().__init__(bench)
        self._verbs = NormalVerbs(bench)
        self._verbs.learned = lambda words: self.page.say_kept(words)
        self._verbs.oils_changed = self.refresh
        bench.garage.changed.connect(self._garage_changed)

    def make_page(self) -> NormalPage:
        """The page."""
        from basso.ui.stations.normal.widget import NormalPage

        keys = {c.key: c.keys[0] for c in self.commands()}
        page = NormalPage(self.bench.look, keys)
        page.asked.connect(self._ask)
        page.supposed.connect(self._suppose)
        page.held_to_kept.connect(self.bench.judging.set_by_kept)
        page.command_wanted.connect(self.bench.run)
        page.kept_opened.connect(self._verbs.correct_normal)
        return page

    def state(self) -> State:
        """How well it is learned, and for which oil temperatures."""
        a, units = self.bench.sessions.analysis, self.bench.shown_units
        if a is None:
            return State("")
        if not a.expected.valid:
            return State("not enough to learn it", "attention")
        level = float(np.nanmedian(a.pressure_kpa[a.settled])) if a.settled.any() else float("nan")
        words = f"fits to {a.expected.residual_kpa / level:.1%}" if np.isfinite(level) else "learned"
        heat = a.expected.temperature_range_c
        if heat is not None:
            low, high = (units.number(v, Quantity.TEMPERATURE) for v in heat)
            words += f", {low}–{high} {units.temperature.symbol}"
        return State(words)

    def commands(self) -> tuple[Command, ...]:
        """What is kept of it."""
        return (
            Command(
                "judge.normal",
                "Judge",
                "Save normal…",
                self._verbs.keep_normal,
                ("Ctrl+Shift+N",),
                "of this build, learned from its sessions together; later ones are laid over it",
            ),
            Command(
                "judge.oils",
                "Judge",
                "Oils…",
                self._verbs.edit_oils,
                ("Ctrl+Shift+K",),
                "data sheets, and up to which temperature each is used",
            ),
        )

    def table(self, only_selected: bool = False) -> Table | None:
        """Floor rules, oils, and where normal meets the floor."""
        return Table("normal", self.page.rows()) if self.found is not None else None

    def working(self) -> Working | None:
        """How normal came about."""
        return Working(self.page.title, self.page.working()) if self.found is not None else None

    def shots(self) -> tuple[Shot, ...]:
        """The page."""
        return (Shot("normal", lambda: None, lambda: self.found is not None),)

    # Finding

    def _asked(self) -> Question:
        """The question, with what the engine's card, the oils and the owner's lines say to it."""
        from basso.car.history import CarHistory
        from basso.car.oils import ceilings, data_sheets
        from basso.car.questions import asked_of
        from basso.garage.records import Car

        garage = self.bench.garage
        session = garage.session_of(self.bench.sessions.recording)
        if garage.view is not None and session is not None:
            return asked_of(garage.view, session, self._question)
        own = CarHistory(Car(name=""), oil_sheets=self._verbs.own_oils)
        return replace(self._question, data_sheets=data_sheets(own), ceilings=ceilings(own))

    def wanted(self, a: Analysis) -> tuple[object, ...]:
        """The analysis and what is asked of it."""
        return (a, self._asked())

    def work(self, a: Analysis) -> Callable[[Progress], NormalFindings | None]:
        """Floor rules, oils, the curve, what earlier sessions say."""
        question = self._asked()

        def work(progress: Progress) -> NormalFindings | None:
            from basso.findings.normal.findings import earlier_of, find_normal

            progress(0.0, "holding normal against floors and oils")
            return find_normal(a, question, earlier_of(a.options.known), progress)

        return work

    def nothing(self, a: Analysis) -> str:
        """Why normal cannot be learned."""
        from basso.words.coverage import coverage_of

        if a.recording.manual:
            return "Normal is not learned from readings off a gauge. Log a run: straights, the pit lane, a dyno."
        return (
            "Normal cannot be learned from this session. "
            f"{read_in(coverage_of(a).words, self.bench.shown_units)} Drive it warm, or hold it to the "
            "kept "
            "normal of its build."
        )

    def show_findings(self, found: NormalFindings | None, waiting: str) -> None:
        """On the page, once there is one."""
        if not self.made:
            return
        sessions = self.bench.sessions
        kept = sessions.analysis.options.kept if sessions.analysis is not None else None
        if sessions.analysis is not None or sessions.shown is None:
            self.page.show_kept(kept.title if kept is not None else "", self.bench.judging.by_kept)
        self.page.show_normal(found, self.bench.shown_units, waiting)

    def fresh(self) -> None:
        """The other day is worked out anew."""
        self._suppose()

    def forget(self) -> None:
        """What was asked of one session is not asked of the next."""
        self._question = Question()

    def _garage_changed(self) -> None:
        if self.looked_at:
            self.refresh()

    def _ask(self, question: Question) -> None:
        self._question = question
        self.refresh()

    def _suppose(self) -> None:
        found = self.found
        if found is None or not self.made:
            return
        air_c, hotter_c, faster_rpm = self.page.another_day

        def work(progress: Progress) -> WhatIf | None:
            from basso.findings.normal.what_if import what_if

            return what_if(found.analysis, hotter_c, faster_rpm, air_c, found.airs_part)

        def done(answer: WhatIf | None) -> None:
            if self.found is found:
                self.page.show_supposition(answer)

        self.bench.jobs.start("what-if", "computing the other day", work, done, self.bench.tell)
