"""The card of a trial day: the runs in their order, what to hold, when to stop, to be filled in at the pit wall."""

from __future__ import annotations

from html import escape

from basso.sentence import read_in
from basso.trial.plan import TrialPlan
from basso.units import DisplayUnits, Quantity
from basso.words.plan import CAUTIONS, plan_reasons, stop_when

_TO_FILL = ("Oil entering", "Oil leaving", "Level", "Pace", "Wet or dry, tyres, fuel", "Seen")


def held(plan: TrialPlan, units: DisplayUnits) -> list[str]:
    """What is to be held, a line each."""
    words = []
    for name, (low, high) in plan.hold.items():
        if name == "oil_temp_c":
            ends = " to ".join(units.text(v, Quantity.TEMPERATURE) for v in (low, high))
            words.append(f"Oil entering each flying lap: {ends}")
        elif name == "peak_g":
            words.append(f"g held in the places: {low:.2f} to {high:.2f} g")
        else:
            words.append(f"Lap time: {low:.1f} to {high:.1f} s; 1 % slower is 2 % less g")
    words.append("Same fuel, tyres and driver; level read before each run, car as it stood the time before")
    return words


def runs_of(plan: TrialPlan) -> list[tuple[int, str, int]]:
    """Every run: its number, its side, its flying laps."""
    return [(n, side, laps) for n, (side, laps) in enumerate(zip(plan.order, plan.laps_per_run, strict=True), 1)]


def as_html(plan: TrialPlan, change: str, units: DisplayUnits) -> str:
    """The card as HTML, to print. ``change``: what is tried on side B."""
    effect = units.text(plan.effect_kpa, Quantity.PRESSURE, difference=True, signed=True)
    heads = "".join(f"<th>{escape(h)}</th>" for h in ("Run", "Side", "Flying laps", *_TO_FILL))
    rows = "".join(
        f"<tr><td>{n}</td><td><b>{side}</b></td><td>{laps}</td>{'<td>&nbsp;<br>&nbsp;</td>' * len(_TO_FILL)}</tr>"
        for n, side, laps in runs_of(plan)
    )

    def listed(words: list[str]) -> str:
        return "".join(f"<li>{escape(str(read_in(w, units)))}</li>" for w in words)

    return (
        f"<h1>Run card: {escape(change) or 'A against B'}</h1>"
        f"<p>To see {escape(effect)} of the lowest pressure. A: as it is. B: with the change. One change only.</p>"
        f"<table border='1' cellpadding='4' cellspacing='0' width='100%'><tr>{heads}</tr>{rows}</table>"
        f"<p>An out-lap to warm before, a lap to cool after each run.</p>"
        f"<h2>Hold</h2><ul>{listed(held(plan, units))}</ul>"
        f"<h2>Stop when</h2><ul>{listed([*stop_when(plan), CAUTIONS[1]])}</ul>"
        f"<h2>Why so many laps</h2><ul>{listed(plan_reasons(plan))}</ul>"
        f"<p>Day ____________  Circuit ____________  Car ____________  Signed ____________</p>"
    )
