"""The JSON documents of the headless contract, built from the core's results. Missing values are null."""

from __future__ import annotations

import json
import math
from typing import TYPE_CHECKING, Any

from basso.pressure.causes import in_contract
from basso.pressure.thresholds import Threshold
from basso.recording.corrections import OF_ONE_CHANNEL, Correction
from basso.recording.summary import Summary, summarise
from basso.units import DisplayUnits
from basso.words.coverage import coverage_of
from basso.words.headline import sentence
from basso.words.session import exposure_of

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

    from basso.analysis import Analysis, JudgedDip
    from basso.track.corners import Place
    from basso.trial.control import Control
    from basso.trial.effect import Effect
    from basso.trial.fragile import Fragile
    from basso.trial.match import Side
    from basso.trial.several import Sides
    from basso.trial.verdict import Comparison

Document = dict[str, Any]


def dump(document: Document | list[Document], ascii_only: bool = False) -> str:
    """JSON text; a number that is not finite is a fault of ours, never NaN text."""
    return json.dumps(document, ensure_ascii=ascii_only, indent=1, allow_nan=False)


def rounded(value: float | None, digits: int = 3) -> float | None:
    """A number for JSON, or None when it is missing or not finite."""
    if value is None or not math.isfinite(value):
        return None
    return round(float(value), digits)


def import_document(path: Path, summary: Summary) -> Document:
    """``basso.import/1``."""
    return {
        "schema": "basso.import/1",
        "path": str(path),
        "format": summary.format,
        "duration_s": rounded(summary.duration_s),
        "samples": summary.samples,
        "rate_hz": rounded(summary.rate_hz),
        "channels": [
            {
                "name": c.name,
                "role": c.role,
                "unit": c.unit,
                "unit_assumed": c.unit_assumed,
                "rate_hz": rounded(c.rate_hz),
                "samples": c.samples,
                "min": rounded(c.least, 6),
                "max": rounded(c.most, 6),
                "missing": c.missing,
            }
            for c in summary.channels
        ],
        "notes": list(summary.notes),
        **({"damage": list(summary.damage)} if summary.damage else {}),
    }


def analysis_document(analysis: Analysis) -> Document:
    """``basso.analysis/1``."""
    e = analysis.expected
    parameters = (
        {
            "k_kpa": rounded(math.exp(e.log_k)),
            "rpm_exponent": rounded(e.b),
            "viscosity_exponent": rounded(e.c),
            "relief_kpa": rounded(e.relief_kpa),
            "sharpness": rounded(e.sharpness),
            "oil": e.oil.name,
            "samples": e.samples,
        }
        if e.valid
        else {}
    )
    # Where normal is sure throughout; of a curve that is sure nowhere, what it was learned from.
    rpm_range, temperature = e.valid_range() or (e.rpm_range, e.temperature_range_c)
    seen = coverage_of(analysis)
    others = [_correction(c) for c in analysis.corrections if c.kind not in OF_ONE_CHANNEL]
    return {
        "schema": "basso.analysis/1",
        "log": import_document(analysis.recording.path, summarise(analysis.recording)),
        "checks": [{"id": c.id, "level": c.level, "message": c.message, "channel": c.channel} for c in analysis.checks],
        "corrections": [_correction(c) for c in analysis.corrections if c.kind in OF_ONE_CHANNEL],
        # Two channels exchanged or turned, two clocks: kinds the contract does not list stand by themselves.
        **({"other_corrections": others} if others else {}),
        "laps": [
            {
                "number": lap.number,
                "start_s": rounded(lap.start_s),
                "end_s": rounded(lap.end_s),
                "time_s": rounded(lap.time_s),
                "complete": lap.complete,
            }
            for lap in analysis.laps
        ],
        "corners": corners_of(analysis.track.places if analysis.track is not None else ()),
        "expected": {
            "method": e.method,
            "parameters": parameters,
            "residual_kpa": rounded(e.residual_kpa),
            "valid": e.valid,
            "range": {
                "rpm": [rounded(v, 0) for v in rpm_range] if e.valid else [None, None],
                "oil_temp_c": [rounded(v, 1) for v in temperature]
                if temperature is not None and e.valid
                else [None, None],
            },
        },
        "judged": {
            "minutes": rounded(seen.judged_min, 2),
            "not_judged": [{"minutes": rounded(minutes, 2), "why": why} for minutes, why in seen.not_judged],
        },
        "sentence": sentence(analysis, DisplayUnits()),
        "events": [_event(d) for d in analysis.dips],
        "exposure": {
            "running_s": rounded(analysis.exposure.running_s),
            "below_floor_s": rounded(analysis.exposure.below_floor_s),
            "share_of_time_below": [
                {"share": level, "fraction": rounded(fraction, 5)}
                for level, fraction in analysis.exposure.share_of_time_below
            ],
        },
        "more": _more(analysis),
    }


def _more(analysis: Analysis) -> Document:
    """What the contract leaves open, in a place of its own, so that what it fixes is just that."""
    from basso.findings.corners.findings import thresholds_of

    track = analysis.track
    return {
        "circuit": track.circuit if track is not None else None,
        "side": {"proven": analysis.side.proven, "by": analysis.side.by or None},
        "corner_names": {p.id: p.name for p in (track.places if track is not None else ()) if p.name},
        "runs": [
            {
                "kind": r.kind,
                "number": r.number,
                "start_s": rounded(r.start_s),
                "end_s": rounded(r.end_s),
                "distance_m": rounded(r.distance_m, 1),
            }
            for r in analysis.runs
        ],
        "thresholds": [threshold_document(t) for t in thresholds_of(analysis)],
        "events": [
            {
                "place": d.place.label if d.place is not None else None,
                "severity": d.severity,
                "exposure_s": rounded(exposure_of(d)),
                "together_with": in_contract(d.cause.together_with) or None,
                "side": d.cause.side or None,
                "reason": d.cause.reason,
                "causes": [
                    {"cause": in_contract(r.name), "for": list(r.speaks_for), "against": list(r.speaks_against)}
                    for r in analysis.rivals(d)
                ],
            }
            for d in analysis.dips
        ],
    }


def corners_of(places: Sequence[Place]) -> list[Document]:
    """The corners among the places of a lap."""
    return [
        {
            "id": p.id,
            "direction": p.kind,
            "start_m": rounded(p.start_m, 1),
            "apex_m": rounded(p.apex_m, 1),
            "end_m": rounded(p.end_m, 1),
            "peak_lateral_g": rounded(p.peak_g),
        }
        for p in places
        if p.is_corner
    ]


def _correction(c: Correction) -> Document:
    plain = {"channel": c.channel, "kind": c.kind, "value": rounded(c.value), "unit": c.unit, "reason": c.reason}
    more = {"other": c.other, "filter_s": rounded(c.filter_s)}
    return {**plain, **{name: value for name, value in more.items() if value}}


def _event(d: JudgedDip) -> Document:
    return {
        "start_s": rounded(d.dip.start_s),
        "end_s": rounded(d.dip.end_s),
        "duration_s": rounded(d.dip.duration_s),
        "min_pressure_kpa": rounded(d.dip.min_pressure_kpa, 2),
        "min_margin_kpa": rounded(d.dip.min_margin_kpa, 2),
        "min_share": rounded(d.dip.min_share, 4),
        **_less_the_shaking(d),
        "deficit_kpa_s": rounded(d.dip.deficit_kpa_s, 2),
        "rpm": rounded(d.rpm, 0),
        "oil_temp_c": rounded(d.temperature_c, 1),
        "lateral_g": rounded(d.cause.lateral_g),
        "longitudinal_g": rounded(d.cause.longitudinal_g),
        "lag_s": rounded(d.cause.lag_s),
        "lap": d.lap.number if d.lap is not None else None,
        "corner": d.place.id if d.place is not None and d.place.is_corner else None,
        "cause": d.cause.name,
        "confidence": rounded(d.cause.confidence, 2),
        **({"needs": [role.value for role in d.cause.needs]} if d.cause.needs else {}),
        "rule": d.rule,
    }


def _less_the_shaking(d: JudgedDip) -> Document:
    """What a dip is judged by where it is not the lowest reading, which is low by the sensor's shaking."""
    if d.dip.told_margin_kpa == d.dip.min_margin_kpa:
        return {}
    return {"told_margin_kpa": rounded(d.dip.told_margin_kpa, 2), "told_share": rounded(d.dip.told_share, 4)}


def threshold_document(t: Threshold) -> Document:
    """One direction's threshold."""
    return {
        "direction": t.direction,
        "g": rounded(t.g),
        "low_g": rounded(t.low_g),
        "high_g": rounded(t.high_g),
        "level": 0.95,
        "passes": t.passes,
        "fell": t.fell,
        "rpm": rounded(t.rpm, 0),
        "slosh_hz": rounded(t.slosh[0]),
        "damping": rounded(t.slosh[1]),
        "lost_per_g": rounded(t.slope),
        "reason": t.reason,
        "held": [{"g": g, "s": rounded(s)} for g in (1.0, 1.2, 1.4, 1.6) if (s := t.held_s(g)) is not None],
    }


def comparison_document(c: Comparison) -> Document:
    """``basso.comparison/1``."""
    from basso.pressure.exposure import SHARES
    from basso.words.trial import sentence as trial_sentence

    over = [p.id for p in c.over]
    effects = [
        _effect(measure, effect, over)
        for measure, effect in (
            ("min_pressure_kpa", c.effect_kpa),
            ("min_share", c.effect_share),
            ("below_floor_s", c.effect_below),
        )
        if effect is not None
    ]
    return {
        "schema": "basso.comparison/1",
        "a": _side(c.a),
        "b": _side(c.b),
        "matched": {"passes_a": len(c.a.passes), "passes_b": len(c.b.passes), "on": list(c.matched_on)},
        "corners": [
            {
                "id": r.place.id,
                "direction": r.place.kind,
                "a_min_kpa": rounded(r.a_min_kpa, 1),
                "b_min_kpa": rounded(r.b_min_kpa, 1),
                "effect_kpa": rounded(r.effect.estimate, 2) if r.effect is not None else None,
                "low": rounded(r.effect.low, 2) if r.effect is not None else None,
                "high": rounded(r.effect.high, 2) if r.effect is not None else None,
                "passes_a": r.passes_a,
                "passes_b": r.passes_b,
            }
            for r in c.corners
        ],
        "effects": effects,
        "exceedance": {
            "share": list(SHARES),
            "a": [rounded(v, 5) for v in c.exceedance_a],
            "b": [rounded(v, 5) for v in c.exceedance_b],
        },
        "verdict": c.verdict,
        "judgement": c.judgement,
        "naive": {"min_pressure_kpa": rounded(c.naive_kpa, 2)},
        "reasons": list(c.reasons),
        "sentence": trial_sentence(c, DisplayUnits()),
        "more": {"control": _control(c.control)},
    }


def sides_document(found: Sides) -> Document:
    """``basso.comparison/1`` of three sides or more."""

    def row(effect: Effect | None) -> Document:
        if effect is None:
            return {"estimate": None, "low": None, "high": None}
        return {name: rounded(getattr(effect, name), 2) for name in ("estimate", "low", "high")}

    first = found.labels[0]
    none = {"estimate": 0.0, "low": 0.0, "high": 0.0}
    return {
        "schema": "basso.comparison/1",
        "measure": "min_pressure_kpa",
        "sides": [{"label": x, **(none if x == first else row(found.against_first(x)))} for x in found.labels],
        "contrasts": [
            {
                "from": c.a.label,
                "to": c.b.label,
                **row(c.effect_kpa),
                "verdict": c.verdict,
                "judgement": c.judgement,
                "over": [p.id for p in c.over],
                "reasons": [str(r) for r in c.reasons],
            }
            for c in found.contrasts
        ],
    }


def fragile_documents(rows: Sequence[Fragile]) -> list[Document]:
    """What would overturn a verdict, as ``fragile`` of ``basso.comparison/1``."""
    return [
        {"assumption": r.assumption, "now": rounded(r.now, 3), "flips_at": rounded(r.flips_at, 3), "unit": r.unit}
        for r in rows
    ]


def _control(control: Control | None) -> Document | None:
    """What calm running reads otherwise on side B; null where it was not looked at or does not tell."""
    if control is None or not control.known:
        return None
    half = 2.0 * control.spread_kpa
    return {
        "shift_kpa": rounded(control.shift_kpa, 2),
        "low": rounded(control.shift_kpa - half, 2),
        "high": rounded(control.shift_kpa + half, 2),
        "at_kpa": rounded(control.at_kpa, 1),
        "laps": control.laps,
        "zeros_proven": control.zeros_proven,
    }


def _effect(measure: str, e: Effect, over: list[str]) -> Document:
    return {
        "measure": measure,
        "estimate": rounded(e.estimate),
        "low": rounded(e.low),
        "high": rounded(e.high),
        "level": 0.95,
        "over": over,
        "at": {
            "rpm": rounded(e.at_rpm, 0),
            "oil_temp_c": rounded(e.at_temperature_c, 1),
            "peak_g": rounded(e.at_peak_g),
        },
    }


def _side(side: Side) -> Document:
    k = side.conditions

    def spread(values: tuple[float, float, float] | None) -> list[float | None] | None:
        return [rounded(v, 2) for v in values] if values is not None else None

    return {
        "label": side.label,
        "logs": [str(x.recording.path) for x in side.analyses],
        "laps": side.laps,
        "conditions": {
            "oil_temp_c": spread(k.oil_temp_c),
            "rpm": spread(k.rpm),
            "peak_g": spread(k.peak_g),
            "lap_time_s": rounded(k.lap_time_s),
        },
    }
