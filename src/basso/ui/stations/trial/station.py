"""The Trial station at the bench: shows the verdict, and lets sessions be put on its two sides."""

from __future__ import annotations

from typing import TYPE_CHECKING

from basso.ui.bench import Bench
from basso.ui.dialogs import TickMenu, replace_menu
from basso.ui.stations.station import Command, Shot, State, Station
from basso.ui.stations.table import Table
from basso.ui.stations.trial.verbs import TrialVerbs
from basso.units import Quantity

if TYPE_CHECKING:
    from basso.ui.stations.trial.widget import TrialPage

_SHORT = {
    "cured": "cured",
    "helps": "helps",
    "worse": "worse",
    "no_clear_change": "no clear change",
    "not_comparable": "not comparable",
}


_BUTTONS = ("trial.plan", "trial.runs", "trial.overturn")


class TrialStation(Station["TrialPage"]):
    """Whether a change helped: before against after, like with like."""

    def __init__(self, bench: Bench) -> None:
        super().__init__(bench)
        self._verbs = TrialVerbs(bench)
        bench.trial.changed.connect(self.fill)
        bench.units.changed.connect(self.fill)
        bench.sessions.entries_changed.connect(self._offer_sessions)
        bench.garage.changed.connect(self._show_cards)

    def make_page(self) -> TrialPage:
        """The page."""
        from basso.ui.stations.trial.widget import TrialPage

        page = TrialPage(self.bench.look, [c for c in self.commands() if c.key in _BUTTONS])
        page.command_wanted.connect(self.bench.run)
        return page

    def commands(self) -> tuple[Command, ...]:
        """What can be done beside judging."""
        v = self._verbs
        return (
            Command("trial.plan", "Judge", "Plan trial…", v.plan, (), "laps a side, order, what to hold; a run card"),
            Command(
                "trial.runs",
                "Judge",
                "Runs against card…",
                v.check_runs,
                (),
                "what of the runs driven is off the run card, and what is still to drive",
                lambda: bool(self.bench.trial.a or self.bench.trial.b),
            ),
            Command(
                "trial.prediction",
                "Judge",
                "Hold a prediction against it…",
                v.hold_prediction,
                (),
                "what was predicted of this change beside what was measured, kept with its job",
                lambda: self.bench.trial.comparison is not None,
            ),
            Command(
                "trial.overturn",
                "Judge",
                "What would overturn it…",
                v.overturn,
                (),
                "zeros, temperature slope, floors and single laps at which the verdict is another",
                lambda: self.bench.trial.comparison is not None,
            ),
        )

    def state(self) -> State:
        """The verdict."""
        trial, units = self.bench.trial, self.bench.shown_units
        c = trial.comparison
        if c is None:
            return State("comparing" if trial.a and trial.b else "choose before and after")
        words = _SHORT[c.judgement]
        if c.effect_kpa is not None and c.verdict in ("better", "worse"):
            words += f", {units.text(c.effect_kpa.estimate, Quantity.PRESSURE, difference=True, signed=True)}"
        return State(words, "below" if c.verdict == "worse" else "attention" if c.verdict == "not_comparable" else "")

    def table(self, only_selected: bool = False) -> Table | None:
        """The verdict and the places."""
        return Table("trial", self.page.rows()) if self.bench.trial.comparison is not None else None

    def go_on(self) -> None:
        """Compare again where that was stopped."""
        self.bench.trial.go_on()

    def shots(self) -> tuple[Shot, ...]:
        """The page."""
        return (Shot("trial", lambda: None),)

    def fill(self) -> None:
        """The verdict, the cards, the sessions to choose from."""
        if not self.made:
            return
        trial = self.bench.trial
        waiting = trial.problem or ("Comparing …" if trial.a and trial.b and trial.comparison is None else "")
        self.page.enable({c.key: c.when() for c in self.commands()})
        self.page.show_comparison(trial.comparison, self.bench.shown_units, trial.names, waiting)
        self._show_cards()
        self._offer_sessions()

    def _show_cards(self) -> None:
        """What the cards say of the two sides: differences first listed, then what they make doubtful."""
        if not self.made:
            return
        c, view = self.bench.trial.comparison, self.bench.garage.view
        words = ""
        if c is not None and view is not None:
            from basso.car.cards import trial_cards
            from basso.car.predictions import of_trial, predictions_of
            from basso.sentence import read_in
            from basso.words.predictions import kept_words

            on_a, on_b = ({a.recording.content_hash for a in side.analyses} for side in (c.a, c.b))
            cards = trial_cards([view], on_a, on_b, self.bench.shown_units)
            words = " ".join([cards.listed, *cards.cautions]) if cards is not None else ""
            held = of_trial(predictions_of(view), sorted(on_a), sorted(on_b))
            words = " ".join([words, *(read_in(kept_words(k), self.bench.shown_units) for k in held)]).strip()
        self.page.show_cards(words)

    def _offer_sessions(self) -> None:
        if not self.made:
            return
        trial, page = self.bench.trial, self.page
        for button, side in ((page.side_a, 0), (page.side_b, 1)):
            if (shown := button.menu()) is not None and shown.isVisible():
                continue  # it is being ticked; its ticks follow by themselves
            menu = TickMenu(button)
            for entry in self.bench.sessions.entries:
                action = menu.addAction(entry.title)
                action.setCheckable(True)
                action.setChecked(entry in (trial.a, trial.b)[side])
                action.triggered.connect(lambda on, e=entry, s=side: trial.toggle(e, s, on))
            menu.addSeparator()
            menu.addAction("Add logs…").triggered.connect(lambda: self.bench.run("log.open"))
            replace_menu(button, menu)
