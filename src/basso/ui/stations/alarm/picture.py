"""What the Alarm station shows, worked out without Qt: pressure against rpm, the curves, the table of kinds."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from basso.alarm.backtest import Proof
from basso.alarm.findings import AlarmFindings, SetAlarm
from basso.alarm.rules import Kind
from basso.alarm.settings import FACTORY_KPA, Curve
from basso.sentence import in_kpa, phrase, read_in
from basso.units import DisplayUnits, FloatArray, Quantity
from basso.words.alarm import KINDS, blind_words, places_of, setting_words

_COLUMNS, _ROWS = 74, 52
LEAD_SPAN_S = 1.0
"""Showings earlier than this before the lowest pressure are drawn as this."""


@dataclass(frozen=True, slots=True, eq=False)
class Field:
    """Every sample of the log by engine speed and pressure.

    Attributes:
        density: shape (rows, columns), counts; row 0 at the lowest pressure.
        rpm, kpa: (low, high) of the axes.
        speeds: at which normal is drawn; ``warm``, ``hot``: normal there, kPa, NaN where it is not known.
        warm_c: the oil temperature of ``warm``, the middle of the log's; None where none was logged.
    """

    density: FloatArray
    rpm: tuple[float, float]
    kpa: tuple[float, float]
    speeds: FloatArray
    warm: FloatArray
    hot: FloatArray
    warm_c: float | None


def field_of(found: AlarmFindings, chosen: SetAlarm) -> Field:
    """The ground of the picture of pressure against rpm."""
    a, basis = found.analysis, found.basis
    known = np.isfinite(a.pressure_kpa) & np.isfinite(a.rpm)
    rpm, kpa = a.rpm[known], a.pressure_kpa[known]
    top_rpm = max(basis.top_rpm, float(np.percentile(rpm, 99.9)), chosen.rule.gate_rpm) * 1.04
    top_kpa = float(np.percentile(kpa, 99.8)) * 1.04
    for _, p in chosen.rule.first_shown.points:
        top_kpa = max(top_kpa, p * 1.05)
    density, _, _ = np.histogram2d(kpa, rpm, bins=(_ROWS, _COLUMNS), range=((0.0, top_kpa), (0.0, top_rpm)))
    speeds = np.linspace(800.0, basis.top_rpm, 60)
    warm_c = None
    if a.temperature_c is not None and np.isfinite(a.temperature_c[a.judged]).any():
        warm_c = float(np.nanmedian(a.temperature_c[a.judged]))
    return Field(
        density=np.asarray(density, dtype=np.float64),
        rpm=(0.0, top_rpm),
        kpa=(0.0, top_kpa),
        speeds=speeds,
        warm=basis.normal_kpa(speeds, warm_c),
        hot=basis.normal_kpa(speeds, chosen.setting.at_c),
        warm_c=warm_c,
    )


def drawn_line(points: Sequence[tuple[float, float]], gate_rpm: float, top_rpm: float) -> list[tuple[float, float]]:
    """A device's line as it is asked: from the gate up, held flat outside its points."""
    inside = [(rpm, kpa) for rpm, kpa in points if gate_rpm < rpm < top_rpm]
    speeds, pressures = zip(*points, strict=True)
    ends = np.interp((gate_rpm, top_rpm), speeds, pressures)
    return [(gate_rpm, float(ends[0])), *inside, (top_rpm, float(ends[1]))]


@dataclass(frozen=True, slots=True)
class LeadRow:
    """The dips of a place: (lead in s or None where missed, severe, index into the proof), earliest shown first."""

    name: str
    marks: tuple[tuple[float | None, bool, int], ...]

    @property
    def words(self) -> str:
        """ "9 of 11"."""
        return f"{sum(m[0] is not None for m in self.marks)} of {len(self.marks)}"


def lead_rows(p: Proof, most: int) -> tuple[list[LeadRow], int]:
    """The places with most dips, in the order of the lap, and how many dips lie elsewhere."""
    rows = []
    for name, dips in places_of(p):
        marks = [(p.each[i].lead_s, p.each[i].is_severe, i) for i in dips]
        marks.sort(key=lambda m: (m[0] is None, -(m[0] or 0.0)))
        rows.append(LeadRow(name.removeprefix("turn ").removeprefix("braking "), tuple(marks)))
    largest = sorted(rows, key=lambda r: -len(r.marks))[:most]
    return [r for r in rows if r in largest], sum(len(r.marks) for r in rows) - sum(len(r.marks) for r in largest)


@dataclass(frozen=True, slots=True)
class KindRow:
    """A kind of device on the same log. ``kind``: None for the factory lamp, which cannot be chosen."""

    kind: Kind | None
    words: str
    severe: str
    dips: str
    false: str
    lead: str
    blind: str
    is_chosen: bool = False


def kind_rows(found: AlarmFindings, chosen: SetAlarm, units: DisplayUnits) -> list[KindRow]:
    """The factory lamp, then each kind as it is proposed; the one that is set, as it is set."""
    lamp = read_in(phrase("Factory lamp, {}, usual", in_kpa(FACTORY_KPA)), units)
    rows = [_row(None, lamp, found.factory)]
    for kind in ("fixed", "gated", "share", "table", "two_stage"):
        if kind == chosen.setting.kind:
            words = setting_words(chosen.setting, bool(chosen.moved))
            rows.append(replace(_row(kind, read_in(words, units), chosen.proof), is_chosen=True))
            continue
        p = found.proposal(kind)
        shown = p.proof
        if p.rule.caution_points is not None:
            curve = next(c for c in found.curves if c.kind == kind)
            shown = curve.proofs[curve.amounts.index(p.setting.amount)]
        rows.append(_row(kind, read_in(setting_words(p.setting), units), shown))
    return rows


def _row(kind: Kind | None, words: str, p: Proof) -> KindRow:
    per_hour = p.cries_per_hour
    return KindRow(
        kind=kind,
        words=words,
        severe=f"{p.caught_severe}" if p.severe else "–",
        dips=f"{p.caught}" if p.dips else "–",
        false="–" if per_hour is None else f"{per_hour:.0f}" if per_hour >= 10.0 or not per_hour else f"{per_hour:.1f}",
        lead=f"{1000.0 * p.lead_s:.0f}".replace("-", "−") if p.lead_s is not None else "–",
        blind=blind_words(p) or ("nothing here" if p.dips else "not known"),
    )


@dataclass(frozen=True, slots=True)
class Steps:
    """A curve of false alarms an hour against dips caught, one point for each amount."""

    kind: Kind
    false_per_hour: tuple[float, ...]
    severe: tuple[int, ...]
    dips: tuple[int, ...]


def steps_of(curve: Curve) -> Steps:
    """A curve as it is drawn."""
    return Steps(
        curve.kind,
        tuple(p.cries_per_hour or 0.0 for p in curve.proofs),
        tuple(p.caught_severe for p in curve.proofs),
        tuple(p.caught for p in curve.proofs),
    )


def false_span(curves: Sequence[Steps]) -> float:
    """How far the axis of false alarms goes: past the middle of what the tables do, 10 an hour at least."""
    worst = sorted(f for c in curves for f in c.false_per_hour)
    return float(min(max(worst[int(0.8 * (len(worst) - 1))] if worst else 10.0, 10.0), 120.0))


def table_rows(found: AlarmFindings, chosen: SetAlarm, units: DisplayUnits) -> list[list[str]]:
    """The setting as plain numbers, the kinds, and every dip with what the device does in it."""
    unit = units.pressure.symbol
    rule = chosen.rule
    rows = [["Setting", read_in(setting_words(chosen.setting, bool(chosen.moved)), units)]]
    rows += [["Silent under, rpm", f"{rule.gate_rpm:.0f}"], ["Shows after, s", f"{rule.delay_s:g}"]]
    rows += [["Goes out so much over, " + unit, units.number(rule.hysteresis_kpa, Quantity.PRESSURE, difference=True)]]
    first, act = rule.first_shown.points, rule.points if rule.caution_points is not None else None
    rows.append([])
    rows.append(["rpm", f"shows under, {unit}", *([f"stays on under, {unit}"] if act is not None else [])])
    for n, (rpm, kpa) in enumerate(first):
        more = [units.number(act[n][1], Quantity.PRESSURE)] if act is not None else []
        rows.append([f"{rpm:.0f}", units.number(kpa, Quantity.PRESSURE), *more])
    rows += [[], ["Kind", "Severe caught", "Dips caught", "False an hour", "Shows before, ms", "Misses in"]]
    rows += [[r.words, r.severe, r.dips, r.false, r.lead, r.blind] for r in kind_rows(found, chosen, units)]
    rows += [[], ["Dip at, s", "Place", "Severe", f"Lowest, {unit}", f"Line there, {unit}", "Shows before, ms"]]
    for x in chosen.proof.each:
        rows.append(
            [
                f"{x.dip.dip.start_s:.1f}",
                x.place or "off the laps",
                "severe" if x.is_severe else "",
                units.number(x.dip.dip.min_pressure_kpa, Quantity.PRESSURE),
                units.number(x.line_kpa, Quantity.PRESSURE) if x.line_kpa is not None else "under the gate",
                f"{1000.0 * x.lead_s:.0f}" if x.lead_s is not None else "missed",
            ]
        )
    return rows


def kind_names() -> list[tuple[Kind, str]]:
    """The kinds, as they are offered."""
    return list(KINDS.items())
