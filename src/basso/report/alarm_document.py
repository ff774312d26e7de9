"""Proposed alarms as the JSON document of the contract."""

from __future__ import annotations

from dataclasses import replace

from basso.alarm.backtest import Proof, prove
from basso.alarm.findings import AlarmFindings, SetAlarm
from basso.alarm.proposals import AlarmPlan, Proposed
from basso.alarm.rules import KINDS, AlarmRule
from basso.report.documents import Document, rounded


def alarm_document(plan: AlarmPlan) -> Document:
    """``basso.alarm/1``."""
    return {
        "schema": "basso.alarm/1",
        "oil_temp_c": rounded(plan.at_c, 1),
        "proposed": [
            {
                "kind": p.rule.kind,
                "gate_rpm": rounded(p.rule.gate_rpm, 0),
                "points": _points(p.rule.points),
                "caution_points": _points(p.rule.caution_points) if p.rule.caution_points is not None else None,
                "delay_s": p.rule.delay_s,
                "hysteresis_kpa": p.rule.hysteresis_kpa,
                "proof": _proof(p.proof),
                "held_out": _proof(p.held_out) if p.held_out is not None else None,
                "blind_to": list(p.blind_to),
            }
            for p in plan.proposed
        ],
        "best": plan.best,
        "trade_off": [
            {"margin_kpa": margin, "caught_severe": rounded(caught, 4), "false_per_hour": rounded(false, 3)}
            for margin, caught, false in plan.trade_off
        ],
    }


def kept_plan(found: AlarmFindings, chosen: SetAlarm) -> AlarmPlan:
    """The proposals with the device that is set in place of the one of its kind, as the best."""
    kind = chosen.setting.kind
    mine = Proposed(
        setting=chosen.setting,
        rule=chosen.rule,
        proof=prove(chosen.rule, found.basis.drives),
        held_out=prove(chosen.rule, found.basis.held_out) if found.basis.held_out else None,
        blind_to=chosen.blind_to,
    )
    proposed = tuple(mine if p.rule.kind == kind else p for p in found.plan.proposed)
    return replace(found.plan, proposed=proposed, best=kind)


def best_rule(document: Document) -> AlarmRule:
    """The best device of a document that was kept.

    Raises:
        KeyError, TypeError, ValueError: it is no such document.
    """
    (kept,) = [p for p in document["proposed"] if p["kind"] == document["best"]]
    if kept["kind"] not in KINDS:
        raise ValueError(kept["kind"])
    caution = kept["caution_points"]
    return AlarmRule(
        kind=kept["kind"],
        gate_rpm=_number(kept["gate_rpm"]),
        points=_kept_points(kept["points"]),
        delay_s=_number(kept["delay_s"]),
        hysteresis_kpa=_number(kept["hysteresis_kpa"]),
        caution_points=_kept_points(caution) if caution is not None else None,
    )


def _kept_points(points: list[Document]) -> tuple[tuple[float, float], ...]:
    made = sorted((_number(p["rpm"]), _number(p["kpa"])) for p in points)
    if not made:
        raise ValueError("a line without points")
    return tuple(made)


def _number(value: float) -> float:
    if not 0.0 <= float(value) < 1e5:
        raise ValueError(value)
    return float(value)


def _points(points: tuple[tuple[float, float], ...]) -> list[Document]:
    return [{"rpm": rounded(n, 0), "kpa": rounded(p, 1)} for n, p in points]


def _proof(p: Proof) -> Document:
    return {
        "running_h": rounded(p.running_h, 4),
        "dips": p.dips,
        "severe": p.severe,
        "caught": p.caught,
        "caught_severe": p.caught_severe,
        "false": p.false,
        "false_per_hour": rounded(p.false_per_hour, 3),
        "lead_s": rounded(p.lead_s, 3),
        "shown_s": rounded(p.shown_s, 2),
    }
