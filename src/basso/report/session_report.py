"""The report of one or more sessions: the sentence, what it rests on, dips, evidence, the limits of the claim."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from basso.findings.corners.lowest import lowest_margins
from basso.pressure.rivals import CAUSE_WORDS
from basso.recording.roles import Role
from basso.report.charts import dip_chart, ladder_chart, tide_chart
from basso.report.pages import Block, Chart, Heading, Paragraph, Report, Table, bullets
from basso.sentence import read_in
from basso.units import DisplayUnits, Quantity
from basso.words.coverage import coverage_of
from basso.words.floors import floor_words
from basso.words.headline import opening
from basso.words.session import by_cause, exposure_of, exposure_words, lowest_words, unknowns_words

if TYPE_CHECKING:
    from basso.analysis import Analysis, JudgedDip

_MOST_DIPS = 40
_P, _T = Quantity.PRESSURE, Quantity.TEMPERATURE
LIMITS = (
    "A dip says that the pressure was below the floor, not that the engine was harmed; no dip does not say that it was "
    "not. The floor is a choice, not a law.",
    "Causes are what the record supports: how rpm, temperature and g moved before each dip.",
    "What was not logged, not judged or not driven is not known: hotter oil, more g, less oil, another circuit.",
)
CAUTIONS = (
    "With a real low-pressure warning: lift, clutch, stop the engine; do not restart until the cause is found.",
    "Test only on a closed course, never on the road.",
)
_LEVELS = {"fail": "Fail", "warn": "Warning", "note": "Note", "ok": "OK"}


def session_report(analyses: Sequence[Analysis], left_out: Sequence[str], units: DisplayUnits) -> Report:
    """Every session after the other. ``left_out``: logs that repeat another, a sentence each."""
    blocks: list[Block] = []
    if len(analyses) == 1:
        a = analyses[0]
        title = read_in(opening(a, units).title, units)
        blocks += _one(a, units, with_title=False)
        about = a.recording.path.name
    else:
        dips = sum(len(a.dips) for a in analyses)
        title = f"{len(analyses)} sessions, {dips or 'no'} dip{'s' * (dips != 1)}"
        about = ", ".join(a.recording.path.name for a in analyses)
        blocks.append(_overview(analyses, units))
        for a in analyses:
            blocks.append(Heading(a.recording.path.name))
            blocks += _one(a, units, with_title=True)
    blocks += [Paragraph(f"{words}.", "note") for words in left_out]
    blocks += [Heading("Limits of the claim"), *bullets(LIMITS)]
    blocks += [Paragraph(words, "caution") for words in CAUTIONS]
    return Report(title.rstrip("."), about, tuple(blocks))


def _overview(analyses: Sequence[Analysis], units: DisplayUnits) -> Table:
    rows = []
    for a in analyses:
        lowest = min((d.dip.min_pressure_kpa for d in a.dips), default=None)
        heat = _hottest(a)
        rows.append(
            (
                a.recording.path.name,
                f"{len(a.rounds) or '–'}",
                f"{a.exposure.running_s / 60.0:.0f}",
                f"{len(a.dips)}",
                f"{a.exposure.below_floor_s:.1f}",
                lowest_words(a, lowest, units) if lowest is not None else "–",
                units.number(heat, _T) if heat is not None else "–",
                read_in(opening(a, units).title, units),
            )
        )
    head = (
        "Log",
        "Laps",
        "min",
        "Dips",
        "s below",
        f"Lowest, {units.pressure.symbol}",
        f"Oil, {units.temperature.symbol}",
        "",
    )
    return Table(head, tuple(rows), frozenset(range(1, 7)), (2.2, 0.6, 0.6, 0.6, 0.8, 1.0, 0.8, 4.0))


def _hottest(a: Analysis) -> float | None:
    if a.temperature_c is None or not np.isfinite(a.temperature_c[a.judged]).any():
        return None
    return float(np.nanmax(a.temperature_c[a.judged]))


def _one(a: Analysis, units: DisplayUnits, with_title: bool) -> list[Block]:
    said = opening(a, units)
    blocks: list[Block] = [Paragraph(read_in(said.title, units), "lead")] if with_title else []
    blocks.append(Paragraph(read_in(said.detail, units), "lead" if not with_title else "plain"))
    blocks.append(_facts(a, units))
    if not a.judgeable:
        return [*blocks, *_readings(a, units)]
    tide = tide_chart(a, units)
    if tide is not None:
        blocks.append(Chart(tide, "Above the line the pressure is over the floor, below it under. Grey rules: laps."))
    if a.dips:
        blocks += _dips(a, units)
    blocks += _ladder(a, units)
    blocks += _normal(a, units)
    blocks += _readings(a, units)
    return blocks


def _facts(a: Analysis, units: DisplayUnits) -> Table:
    r = a.recording
    rows = [
        ("Log", f"{r.path.name}, {r.duration_s / 60.0:.1f} min" + (f", begun {r.started}" if r.started else "")),
        ("Laps", f"{len(a.rounds)} flying" if a.rounds else "none recognised"),
        ("Coverage", read_in(coverage_of(a).words, units)),
        ("Floors", "; ".join(floor_words(f, units) for f in a.options.floors) + ". The highest applies."),
        ("Sensor's zero", _zero(a, units)),
    ]
    heat = _hottest(a)
    rows.append(("Oil", f"up to {units.text(heat, _T)}" if heat is not None else "temperature not logged"))
    seen = unknowns_words(a, units)
    if seen:
        rows.append(("Driven", seen))
    return Table(("", ""), tuple(rows), weights=(1.0, 5.0))


def _zero(a: Analysis, units: DisplayUnits) -> str:
    if a.zero is not None and a.zero.value is not None:
        return f"corrected by {units.text(a.zero.value, _P, difference=True, signed=True)}"
    return {"measured": "measured with the engine stopped", "wrong": "wrong, its correction was refused"}.get(
        a.zero_state, "assumed, not measured"
    )


def _dips(a: Analysis, units: DisplayUnits) -> list[Block]:
    ranked = sorted(a.dips, key=exposure_of, reverse=True)
    blocks: list[Block] = [Heading("Dips"), Paragraph(f"{exposure_words(a, units)}.")]
    causes = [
        (
            CAUSE_WORDS[key],
            f"{len(group)}",
            f"{sum(d.dip.duration_s for d in group):.1f}",
            lowest_words(a, min(d.dip.min_pressure_kpa for d in group), units),
            f"{100.0 * float(np.mean([d.cause.confidence for d in group])):.0f}",
        )
        for key, group in by_cause(a.dips)
    ]
    unit = units.pressure.symbol
    blocks.append(
        Table(("Cause", "Dips", "s below", f"Lowest, {unit}", "Confidence, %"), tuple(causes), frozenset((1, 2, 3, 4)))
    )
    rows = [_dip_row(a, d, units) for d in ranked[:_MOST_DIPS]]
    head = ("At", "Lap", "Where", f"Lowest, {unit}", f"Margin, {unit}", "% of normal", "s", "rpm", "Cause")
    blocks.append(
        Table(head, tuple(rows), frozenset((0, 1, 3, 4, 5, 6, 7)), (0.9, 0.5, 2.0, 1.0, 1.0, 1.0, 0.6, 0.8, 1.7))
    )
    if len(ranked) > _MOST_DIPS:
        blocks.append(Paragraph(f"The {_MOST_DIPS} worst of {len(ranked)}, worst first.", "note"))
    else:
        blocks.append(Paragraph("Worst first: seconds below, weighed by engine speed and depth.", "note"))
    worst = ranked[0]
    blocks.append(Heading("The worst dip"))
    where = worst.place.label if worst.place is not None else "off the laps"
    at = f"{_clock(worst.dip.start_s)}, {where}" + (f", lap {worst.lap.number}" if worst.lap is not None else "")
    blocks.append(Chart(dip_chart(a, worst, units), f"At {at}. Shaded: below the floor."))
    blocks.append(Paragraph(f"{CAUSE_WORDS[worst.cause.key].capitalize()}: {read_in(worst.cause.reason, units)}"))
    for rival in a.rivals(worst)[:4]:
        name = CAUSE_WORDS.get(rival.name, rival.name.replace("_", " "))
        parts = [f"for: {'; '.join(read_in(w, units) for w in rival.speaks_for)}"] if rival.speaks_for else []
        parts += (
            [f"against: {'; '.join(read_in(w, units) for w in rival.speaks_against)}"] if rival.speaks_against else []
        )
        if parts:
            blocks.append(Paragraph(f"{name.capitalize()}, {'; '.join(parts)}.", "note"))
    return blocks


def _dip_row(a: Analysis, d: JudgedDip, units: DisplayUnits) -> tuple[str, ...]:
    share = f"{100.0 * d.dip.told_share:.0f}" if d.dip.told_share is not None else "–"
    return (
        _clock(d.dip.start_s),
        f"{d.lap.number}" if d.lap is not None else "–",
        d.place.label if d.place is not None else "off the laps",
        lowest_words(a, d.dip.min_pressure_kpa, units),
        units.number(d.dip.told_margin_kpa, _P, difference=True, signed=True),
        share,
        f"{d.dip.duration_s:.2f}",
        f"{d.rpm:.0f}",
        CAUSE_WORDS[d.cause.key],
    )


def _clock(seconds: float) -> str:
    tenths = round(10.0 * seconds)
    return f"{tenths // 600}:{tenths % 600 / 10.0:04.1f}"


def _ladder(a: Analysis, units: DisplayUnits) -> list[Block]:
    rows = [(place.label, [(f"{lap}", kpa) for lap, kpa in marks]) for place, marks in lowest_margins(a) if marks]
    chart = ladder_chart(rows, units)
    if chart is None:
        return []
    return [Heading("Corner by corner"), Chart(chart, "One mark for each flying lap; left of the line it dips.")]


def _normal(a: Analysis, units: DisplayUnits) -> list[Block]:
    e = a.expected
    blocks: list[Block] = [Heading("Normal pressure")]
    if not e.valid:
        reason = e.reason or "it could not be learned"
        return [*blocks, Paragraph(f"No normal: {reason}. Floors that need it say nothing.")]
    block = e.valid_range()
    where = ""
    if block is not None:
        (low, high), heat = block
        where = f" Sure from {round(low, -2):.0f} to {round(high, -2):.0f} rpm"
        where += f" and {units.number(heat[0], _T)} to {units.text(heat[1], _T)}." if heat is not None else "."
    source = "an earlier session" if a.options.normal is not None else "this log's calm running"
    blocks.append(
        Paragraph(
            f"Learned from {source}: {e.samples} settled samples, {e.method}, with {e.oil.name}; they scatter by "
            f"{units.text(e.residual_kpa, _P, difference=True)}.{where}"
        )
    )
    if e.method.startswith("physical"):
        blocks.append(
            Paragraph(
                "p = min over the relief valve of k · (rpm / 4000)^b · (viscosity / reference)^c, with "
                f"k = {units.text(float(np.exp(e.log_k)), _P)}, b = {e.b:.2f}, c = {e.c:.2f}, relief at "
                f"{units.text(e.relief_kpa, _P)}; viscosity of the oil by Walther (ASTM D341).",
                "note",
            )
        )
    return blocks


def _readings(a: Analysis, units: DisplayUnits) -> list[Block]:
    order = {"fail": 0, "warn": 1, "note": 2, "ok": 3}
    checks = sorted(a.checks, key=lambda c: order.get(c.level, 4))
    rows = tuple((_LEVELS.get(c.level, c.level), c.channel or "", read_in(c.message, units)) for c in checks)
    blocks: list[Block] = [Heading("Readings")]
    if rows:
        blocks.append(Table(("Level", "Channel", "Finding"), rows, weights=(0.7, 1.6, 6.0)))
    fixed = [f"{c.channel}: {read_in(c.reason, units)}" for c in a.corrections]
    if fixed:
        blocks += [Paragraph("Corrected:"), *bullets(fixed)]
    assumed = [*a.recording.notes]
    assumed += [
        f"{c.name}: unit {c.unit.symbol} assumed" for c in a.recording.channels if c.unit_assumed and c.unit is not None
    ]
    needed = (Role.OIL_PRESSURE, Role.RPM, Role.OIL_TEMP, Role.LATERAL_G, Role.LONGITUDINAL_G, Role.SPEED)
    missing = [role.words for role in needed if not a.recording.has(role)]
    if missing:
        assumed.append(f"Not logged, so not known: {', '.join(missing)}.")
    if assumed:
        blocks += [Paragraph("Assumed:"), *bullets([read_in(w, units) for w in assumed])]
    return blocks
