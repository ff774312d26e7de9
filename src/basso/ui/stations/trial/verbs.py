"""What is done about a trial beside judging it: planned, its run card printed, its verdict tried."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import date
from typing import TYPE_CHECKING

from basso.errors import InputError
from basso.progress import Progress
from basso.sentence import read_in
from basso.ui.bench import Bench
from basso.ui.dialogs import run_dialog

if TYPE_CHECKING:
    from basso.memory.run_cards import KeptCard
    from basso.trial.fragile import Fragile
    from basso.trial.plan import TrialPlan
    from basso.ui.models.sessions import Entry
    from basso.ui.models.trial_sides import Side

_MOST_OFFERED = 4
_CARDS = "To print (*.pdf);;Page (*.html)"


class TrialVerbs:
    """Acts at one bench."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench

    def plan(self) -> None:
        """Plan a trial from side A's logs, else from the log shown."""
        from basso.ui.stations.trial.plan_dialog import PlanDialog

        c, shown = self.bench.trial.comparison, self.bench.sessions.analysis
        analyses = list(c.a.analyses) if c is not None else [shown] if shown is not None else []
        if not analyses:
            self.bench.tell("Open a log of this car first: how many laps it takes hangs on how its own laps scatter.")
            return

        def work_out(effect_kpa: float, power: float) -> None:
            def work(progress: Progress) -> TrialPlan:
                from basso.trial.plan import plan_trial

                return plan_trial(analyses, effect_kpa, power, progress)

            self.bench.jobs.start("plan", "planning the trial", work, dialog.show_plan, dialog.show_problem)

        names = [x.recording.path.name for x in analyses]
        dialog = PlanDialog(
            self.bench.window, self.bench.look, self.bench.shown_units, names, work_out, self.print_card
        )
        run_dialog(dialog)
        self.bench.jobs.drop("plan")

    def print_card(self, plan: TrialPlan, change: str) -> None:
        """The run card as PDF or HTML."""
        from basso.report.plan_document import plan_document
        from basso.report.run_card import as_html
        from basso.ui.files import pdf_of

        path = self.bench.files.ask_save("Run card", "run-card.pdf", _CARDS)
        if path is None:
            return
        html = as_html(plan, change, self.bench.shown_units)
        if path.suffix.lower() in (".html", ".htm"):
            data = f"<!doctype html><meta charset='utf-8'><title>Run card</title>{html}".encode()
        elif path.suffix.lower() == ".pdf":
            data = pdf_of(html)
        else:
            self.bench.tell(f"'{path.name}': a run card is written as .pdf or .html; name the file so.")
            return
        self.bench.files.write(path, data)
        try:
            self.bench.memory.run_cards.keep(plan_document(plan), change, date.today())
        except InputError as error:
            self.bench.tell(str(error))

    def check_runs(self) -> None:
        """The runs of both sides against the cards that were written."""
        trial = self.bench.trial
        cards = self.bench.memory.run_cards.all()
        if not cards:
            self.bench.tell("No run card was written yet: plan a trial and write its run card first.")
            return
        if not (trial.a or trial.b):
            self.bench.tell("Choose what was driven as A, and as B: these are the runs.")
            return
        self._judge_all([*trial.a, *trial.b], lambda: self._show_runs(cards))

    def _judge_all(self, entries: list[Entry], then: Callable[[], None]) -> None:
        """Judge each as it stands by itself, one after another, then go on."""
        if not entries:
            then()
            return
        self.bench.judging.judge_beside(entries[0], lambda: self._judge_all(entries[1:], then))

    def _show_runs(self, cards: Sequence[KeptCard]) -> None:
        from basso.trial.card import SideName, card_from, check_runs
        from basso.ui.stations.trial.runs_dialog import RunsDialog

        sides: tuple[tuple[SideName, Side], ...] = (("A", self.bench.trial.a), ("B", self.bench.trial.b))
        judged = [(s, x) for s, side in sides for e in side if (x := self.bench.sessions.of(e).analysis) is not None]
        checked = []
        for card in cards:
            try:
                found = card_from({**card.plan, "change": card.change}, "A kept run card")
            except InputError:
                continue
            name = ", ".join(t for t in (card.change or "A against B", f"{found.laps('A')} laps a side") if t)
            checked.append((f"{name}, written {card.written}", check_runs(found, judged)))
        if not checked:
            self.bench.tell("No run card that was kept can be read: plan the trial again and write its card.")
            return
        dialog = RunsDialog(self.bench.window, self.bench.look, self.bench.shown_units, checked)
        run_dialog(dialog)

    def hold_prediction(self) -> None:
        """What was predicted of this change beside what the trial shown measured, kept with the change's job."""
        from basso.car.predictions import LowestChange, Outcome, predictions_of, with_measured
        from basso.ui.dialogs import ChoiceDialog
        from basso.words.predictions import kept_words, record_words

        c, garage = self.bench.trial.comparison, self.bench.garage
        kept = predictions_of(garage.view) if garage.view is not None else ()
        if c is None or c.effect_kpa is None or c.verdict == "not_comparable":
            self.bench.tell(
                "Judge a trial first: without sides that can be compared there is nothing to hold a prediction against."
            )
            return
        if not kept:
            self.bench.tell("No prediction is kept of this car: plan a change under Sump, then drive it.")
            return
        units = self.bench.shown_units
        # The newest that wait for a trial; where none does, the newest to be measured anew.
        kept = (tuple(k for k in kept if k.measured is None) or kept)[-_MOST_OFFERED:]
        dialog = ChoiceDialog(
            self.bench.window,
            self.bench.look,
            "Which prediction was of this change?",
            "\n".join(str(read_in(kept_words(k), units)) for k in kept),
            [k.what.replace("&", "&&") for k in kept],
        )
        run_dialog(dialog)
        if dialog.chosen is None:
            return
        chosen, e = kept[dialog.chosen], c.effect_kpa
        on_a, on_b = (tuple(x.recording.content_hash for x in side.analyses) for side in (c.a, c.b))
        measured = Outcome(LowestChange(e.estimate, e.low, e.high), c.judgement, on_a, on_b)
        if garage.change(f"measuring {chosen.what}", chosen.job, with_measured(chosen.job, measured)):
            now = predictions_of(garage.view) if garage.view is not None else ()
            told = next((kept_words(k) for k in now if k.job.id == chosen.job.id), "")
            self.bench.tell(f"{read_in(told, units)} {record_words(now)}".strip())

    def overturn(self) -> None:
        """What would overturn the verdict shown."""
        c = self.bench.trial.comparison
        if c is None:
            self.bench.tell("Choose two sides first.")
            return

        def work(progress: Progress) -> tuple[Fragile, ...]:
            from basso.trial.fragile import fragile_of
            from basso.workflow import verdict_with_zero

            progress(0.0, "trying what would overturn the verdict")
            return fragile_of(c, lambda side, by_kpa: verdict_with_zero(c, side, by_kpa))

        def done(rows: tuple[Fragile, ...]) -> None:
            from basso.ui.stations.trial.overturn_dialog import OverturnDialog
            from basso.words.trial import fragile_words

            if self.bench.trial.comparison is not c:
                return
            words = [str(read_in(w, self.bench.shown_units)) for w in fragile_words(rows)]
            run_dialog(OverturnDialog(self.bench.window, self.bench.look, self.bench.shown_units, rows, words))

        self.bench.jobs.start("overturn", "trying what would overturn the verdict", work, done, self.bench.tell)
