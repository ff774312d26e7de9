"""What is done about a trial beside judging it: planned, its run card printed, its verdict tried."""

from __future__ import annotations

from typing import TYPE_CHECKING

from basso.progress import Progress
from basso.ui.bench import Bench
from basso.ui.dialogs import run_dialog

if TYPE_CHECKING:
    from basso.trial.fragile import Fragile
    from basso.trial.plan import TrialPlan

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
            from basso.sentence import read_in
            from basso.ui.stations.trial.overturn_dialog import OverturnDialog
            from basso.words.trial import fragile_words

            if self.bench.trial.comparison is not c:
                return
            words = [str(read_in(w, self.bench.shown_units)) for w in fragile_words(rows)]
            run_dialog(OverturnDialog(self.bench.window, self.bench.look, self.bench.shown_units, rows, words))

        self.bench.jobs.start("overturn", "trying what would overturn the verdict", work, done, self.bench.tell)
