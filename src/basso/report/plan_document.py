"""A planned trial as the JSON document of the contract."""

from __future__ import annotations

from basso.report.documents import Document, rounded
from basso.trial.plan import TrialPlan
from basso.words.plan import plan_reasons, stop_when


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
