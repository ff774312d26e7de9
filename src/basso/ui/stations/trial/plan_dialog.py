"""A trial planned: the smallest change that matters, how sure to see it, and what then has to be driven."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QComboBox, QDialog, QDoubleSpinBox, QFormLayout, QLineEdit, QPushButton, QWidget

from basso.report.run_card import held, runs_of
from basso.sentence import read_in
from basso.ui import layouts
from basso.ui.dialogs import closing, label
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits
from basso.words.plan import CAUTIONS, plan_reasons, stop_when

if TYPE_CHECKING:
    from basso.trial.plan import TrialPlan

_POWERS = (0.8, 0.9, 0.95)
_USUAL_KPA = 20.0


class PlanDialog(QDialog):
    """Asks for effect and certainty; :meth:`show_plan` says what they take. ``work_out``: asks for a plan
    (effect in kPa, power); ``print_card``: of the plan that is shown, with what the change is called."""

    def __init__(
        self,
        parent: QWidget,
        look: Look,
        units: DisplayUnits,
        logs: Sequence[str],
        work_out: Callable[[float, float], object],
        print_card: Callable[[TrialPlan, str], object],
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Plan trial")
        self.resize(round(look.height() * 46), round(look.height() * 34))
        self._units, self._work_out, self._print = units, work_out, print_card
        self.plan: TrialPlan | None = None
        unit = units.pressure
        self.effect = QDoubleSpinBox()
        self.effect.setDecimals(2 if unit.symbol == "bar" else 1 if unit.symbol == "psi" else 0)
        self.effect.setRange(unit.difference_from_base(-300.0), unit.difference_from_base(300.0))
        self.effect.setValue(unit.difference_from_base(_USUAL_KPA))
        self.effect.setSuffix(f" {unit.symbol}")
        self.effect.setAccessibleName("Smallest change of the lowest pressure that matters")
        self.power = QComboBox()
        for p in _POWERS:
            self.power.addItem(f"{100 * p:.0f} % of trials", p)
        self.power.setCurrentIndex(1)
        self.power.setAccessibleName("How sure to see it")
        self.change = QLineEdit()
        self.change.setPlaceholderText("+0.3 L")
        self.change.setAccessibleName("What is changed")
        self.said = label(look, "", Type.STATION)
        self.words = label(look, "", Type.BODY)
        self.card = QPushButton("Run card…")
        self.card.setEnabled(False)
        self.card.clicked.connect(self._card)
        go = QPushButton("Work out")
        go.clicked.connect(self.ask)
        form = QFormLayout()
        form.addRow("What is changed", self.change)
        form.addRow("Smallest change that matters", self.effect)
        form.addRow("To be seen in", self.power)
        whole = layouts.column(self, (16, 12, 16, 12), 8)
        hint = f"From the scatter of this car's own flying laps in {', '.join(logs)}. Drive A and B in turns: A B B A."
        whole.addWidget(label(look, hint, Type.SMALL, soft=True))
        whole.addLayout(form)
        bar = layouts.row(None, (0, 0, 0, 0), 8)
        bar.addWidget(go)
        bar.addWidget(self.card)
        bar.addStretch(1)
        whole.addLayout(bar)
        whole.addWidget(self.said)
        whole.addWidget(self.words)
        whole.addStretch(1)
        whole.addWidget(closing(self))

    def ask(self) -> None:
        """Have it worked out."""
        kpa = self.effect.value() * self._units.pressure.factor
        if abs(kpa) < 1.0:
            self.said.setText("Give a change that matters, up or down.")
            return
        self.card.setEnabled(False)
        self.said.setText("Trying numbers of laps …")
        self.words.setText("")
        self._work_out(kpa, self.power.currentData())

    def show_plan(self, plan: TrialPlan) -> None:
        """Say what it takes."""
        self.plan = plan
        units = self._units
        if plan.laps_per_side is None:
            self.said.setText("No number of laps that was tried is enough")
        else:
            runs = ", ".join(f"{side} {laps}" for _, side, laps in runs_of(plan))
            self.said.setText(f"{plan.laps_per_side} flying laps a side: {runs}")
            self.card.setEnabled(True)
        powers = ", ".join(f"{laps} laps {100 * p:.0f} %" for laps, p in plan.power_at)
        lines = [f"Seen with: {powers}.", *(str(read_in(w, units)) for w in plan_reasons(plan))]
        lines += [f"Hold: {'; '.join(held(plan, units))}."]
        lines += ["Stop when: " + " ".join(str(read_in(w, units)) for w in (*stop_when(plan), CAUTIONS[1]))]
        self.words.setText("\n\n".join(lines))

    def show_problem(self, sentence: str) -> None:
        """Say why there is no plan."""
        self.said.setText(sentence)

    def _card(self) -> None:
        if self.plan is not None:
            self._print(self.plan, self.change.text().strip())
