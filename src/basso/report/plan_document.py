"""A planned trial as the JSON document of the contract, and its runs held against their card as one more."""

from __future__ import annotations

from basso.report.documents import Document, rounded
from basso.trial.card import CheckedCard
from basso.trial.plan import TrialPlan
from basso.words.plan import plan_reasons, stop_when
from basso.words.run_card import card_words, run_words


def plan_document(p: TrialPlan) -> Document:
    """``basso.plan/1``."""
    return {
        "schema": "basso.plan/1",
        "measure": p.measure,
        "effect": rounded(p.effect_kpa, 3),
        "laps_per_side": p.laps_per_side,
        "power": rounded(p.reached, 3),
        "power_wanted": p.power,
        "power_at": [{"laps": laps, "power": rounded(power, 3)} for laps, power in p.power_at],
        "order": list(p.order),
        "laps_per_run": list(p.laps_per_run),
        "hold": {name: [rounded(low, 3), rounded(high, 3)] for name, (low, high) in p.hold.items()},
        "stop_when": [str(w) for w in stop_when(p)],
        "reasons": [str(w) for w in plan_reasons(p)],
        "over": [x.id for x in p.places],
        "scatter": {
            "lap_kpa": rounded(p.scatter.lap_kpa, 2),
            "pass_kpa": rounded(p.scatter.pass_kpa, 2),
            "laps": p.scatter.laps,
            "passes": p.scatter.passes,
        },
    }


def runs_document(c: CheckedCard) -> Document:
    """``basso.runs/1``: each run against its line of the card."""
    return {
        "schema": "basso.runs/1",
        "sentence": " ".join(map(str, card_words(c))),
        "in_order": c.in_order,
        "to_drive": dict(c.to_drive),
        "runs": [
            {
                "number": r.number,
                "side": r.side,
                "log": r.name,
                "laps_asked": r.asked,
                "laps": r.laps,
                "laps_in_range": r.in_range,
                "oil_temp_c": [rounded(v, 1) for v in r.oil_c] if r.oil_c is not None else None,
                "lap_time_s": rounded(r.lap_time_s, 3),
                "peak_g": rounded(r.peak_g, 3),
                "under_half_s": rounded(r.low.seconds, 2) if r.low is not None else None,
                "findings": [str(w) for w in run_words(r)],
            }
            for r in c.runs
        ],
    }
