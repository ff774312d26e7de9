"""The report of a trial: the verdict, both sides' conditions, like against like, what would overturn it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from basso.report.charts import effects_chart, tide_chart, trial_chart
from basso.report.pages import Block, Chart, Heading, Paragraph, Report, Table, bullets
from basso.report.session_report import CAUTIONS
from basso.sentence import read_in
from basso.units import DisplayUnits, Quantity
from basso.words.coverage import coverage_of
from basso.words.floors import floor_words
from basso.words.trial import fragile_words, opening

if TYPE_CHECKING:
    from basso.analysis import Analysis
    from basso.trial.fragile import Fragile
    from basso.trial.verdict import Comparison

_P = Quantity.PRESSURE
_STATES = {
    "matched": "alike",
    "adjusted": "adjusted for",
    "fair": "fairly alike",
    "not matched": "not alike",
    "not known": "not known",
}
LIMITS = (
    "The change of the lowest pressure is told at the oil temperature, rpm and g named above, not at others.",
    "The interval counts laps as repetitions; it does not hold what nobody varied: another day, driver or oil.",
    "Better is not safe: it says that the pressure rose where it was low, not that the engine is well.",
)


def trial_report(c: Comparison, fragile: Sequence[Fragile], units: DisplayUnits) -> Report:
    """The whole report."""
    said = opening(c, units)
    about = f"{c.a.label}: {_logs(c.a.analyses)} · {c.b.label}: {_logs(c.b.analyses)}"
    blocks: list[Block] = [Paragraph(read_in(said.detail, units), "lead")]
    blocks.append(_sides(c, units))
    dots = trial_chart(c, units)
    if dots is not None:
        blocks.append(
            Chart(
                dots,
                "Every flying pass through those places at its own oil temperature; the lines are fitted together.",
            )
        )
    effects = effects_chart(c, units)
    if effects is not None:
        blocks += [Heading("Place by place"), Chart(effects, "B less A at like temperature, rpm and g.")]
    if c.corners:
        blocks.append(_places(c, units))
    if c.likeness:
        rows = tuple((x.what, read_in(x.finding, units), _STATES.get(x.state, x.state)) for x in c.likeness)
        blocks += [Heading("Like against like"), Table(("What", "Finding", ""), rows, weights=(1.4, 5.0, 1.0))]
    blocks += [Heading("What would overturn it"), *bullets([read_in(w, units) for w in fragile_words(fragile)])]
    for side in (c.a, c.b):
        for a in side.analyses:
            tide = tide_chart(a, units)
            if tide is not None:
                blocks.append(
                    Chart(tide, f"{side.label}: {a.recording.path.name}. {read_in(coverage_of(a).words, units)}")
                )
    blocks += [Heading("Limits of the claim"), *bullets(LIMITS)]
    blocks += [Paragraph(words, "caution") for words in CAUTIONS]
    return Report(read_in(said.title, units).rstrip("."), about, tuple(blocks))


def _logs(analyses: Sequence[Analysis]) -> str:
    return ", ".join(a.recording.path.name for a in analyses) or "no log"


def _sides(c: Comparison, units: DisplayUnits) -> Table:
    rows: list[tuple[str, str, str]] = []

    def row(name: str, of: object) -> None:
        rows.append((name, *(of(s) for s in (c.a, c.b))))  # type: ignore[operator]

    row("Logs", lambda s: _logs(s.analyses))
    row("Flying laps", lambda s: f"{s.laps}")
    row("Passes", lambda s: f"{len(s.passes)}")
    row("Dips", lambda s: f"{sum(len(x.dips) for x in s.analyses)}")
    row("Below the floor, s", lambda s: f"{sum(x.exposure.below_floor_s for x in s.analyses):.1f}")
    row("Sensor's zero", lambda s: ", ".join(sorted({x.zero_state for x in s.analyses})))
    first = next((x for s in (c.a, c.b) for x in s.analyses), None)
    if first is not None:
        floors = "; ".join(floor_words(f, units) for f in first.options.floors)
        rows.append(("Floors", floors, "the same"))
    return Table(("", f"A: {c.a.label}", f"B: {c.b.label}"), tuple(rows), weights=(1.2, 3.0, 3.0))


def _places(c: Comparison, units: DisplayUnits) -> Table:
    def kpa(value: float | None, difference: bool = False) -> str:
        return units.number(value, _P, difference=difference, signed=difference) if value is not None else "–"

    rows = []
    for r in c.corners:
        e = r.effect
        rows.append(
            (
                r.place.label,
                kpa(r.a_min_kpa),
                kpa(r.b_min_kpa),
                kpa(e.estimate, True) if e is not None else "too few",
                f"{kpa(e.low, True)} to {kpa(e.high, True)}" if e is not None else "",
                f"{r.passes_a} · {r.passes_b}",
                f"{r.dips_per_lap_a:.1f} · {r.dips_per_lap_b:.1f}",
            )
        )
    unit = units.pressure.symbol
    head = (
        "Place",
        f"A lowest, {unit}",
        f"B lowest, {unit}",
        f"Change, {unit}",
        "95 % interval",
        "Passes",
        "Dips a lap",
    )
    return Table(head, tuple(rows), frozenset(range(1, 7)), (1.8, 1.0, 1.0, 1.0, 1.4, 0.9, 1.0))
