"""The run sheet as a report of one page: for the screen at the pit wall, and on paper."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from basso.report.charts import ladder_chart, tide_chart
from basso.report.pages import Block, Chart, Heading, Paragraph, Report, Table, bullets
from basso.sentence import read_in
from basso.units import DisplayUnits, Quantity
from basso.words.headline import opening
from basso.words.session import exposure_words
from basso.words.trial import opening as trial_opening

if TYPE_CHECKING:
    from basso.trial.run_sheet import RunSheet

_P, _T = Quantity.PRESSURE, Quantity.TEMPERATURE
_CALLS = {"go": "Go", "limit": "Go with a limit", "stop": "Do not go until checked", "cannot tell": "Cannot tell"}
_MOST_PLACES = 8
PROMISE = (
    "A rule says this, not a promise: what was not logged or not driven is not known. The engine builder decides. "
    "With a low-pressure warning stop the engine."
)


def run_sheet_page(
    sheet: RunSheet, about: str, before: str, state: Sequence[str], act_now: str, units: DisplayUnits
) -> Report:
    """One page.

    Args:
        about: car, build and session. ``before``: what the run before is called; "" without one.
        state: oil, level and accumulator as the garage knows them, a sentence each.
        act_now: the act-now line in words, and whose it is.
    """
    a, v = sheet.analysis, sheet.verdict
    title = _CALLS[v.call]
    blocks: list[Block] = [Paragraph(read_in(v.rule, units), "lead")]
    if v.limit:
        blocks.append(Paragraph(f"Keep to {read_in(v.limit, units)}.", "lead"))
    said = opening(a, units)
    exposed = exposure_words(a, units)
    blocks.append(Paragraph(f"{read_in(said.title, units)}{f' {exposed}.' if exposed else ''}"))
    if sheet.comparison is not None:
        blocks += _against(sheet, before, units)
    if sheet.places:
        blocks += [Heading("Places, lowest first"), _places(sheet, units)]
    blocks += [Heading("State"), *bullets([*_readings(sheet, units), *state, f"Act-now line: {act_now}."])]
    blocks.append(Paragraph(_next(said.detail, units)))
    rows = [(r.place.label, [(f"{n}", m) for n, m in enumerate(r.marks, 1)]) for r in sheet.places[:_MOST_PLACES]]
    blocks += [Chart(chart) for chart in (ladder_chart(rows, units), tide_chart(a, units)) if chart is not None]
    blocks.append(Paragraph(PROMISE, "caution"))
    return Report(title, about, tuple(blocks))


def _against(sheet: RunSheet, before: str, units: DisplayUnits) -> list[Block]:
    assert sheet.comparison is not None
    c = sheet.comparison
    said = trial_opening(c, units)
    is_open = c.verdict == "not_comparable"
    words = read_in(said.title, units)
    words += f": {read_in(said.detail, units)}" if is_open else ""
    hint = " With so few laps it is an indication." if sheet.is_indication and not is_open else ""
    return [Heading(f"Against the run before: {before}"), Paragraph(f"{words}{hint}")]


def _places(sheet: RunSheet, units: DisplayUnits) -> Table:
    rows = []
    for r in sheet.places[:_MOST_PLACES]:
        low = min(r.marks, default=float("nan"))
        effect = units.number(r.effect.estimate, _P, difference=True, signed=True) if r.effect is not None else "–"
        rows.append(
            (
                r.place.label,
                units.number(low, _P, difference=True, signed=True) if np.isfinite(low) else "–",
                f"{r.low} of {len(r.marks)}",
                f"{r.before} of {r.laps_before}" if r.before is not None else "–",
                effect,
                r.change,
            )
        )
    unit = units.pressure.symbol
    head = ("Place", f"Lowest margin, {unit}", "Laps below", "Before", f"Change, {unit}", "")
    return Table(head, tuple(rows), frozenset((1, 2, 3, 4)), (2.0, 1.3, 0.9, 0.9, 1.1, 1.6))


def _readings(sheet: RunSheet, units: DisplayUnits) -> list[str]:
    a = sheet.analysis
    bad = [c for c in a.checks if c.level in ("fail", "warn")]
    words = [f"Readings: {len(bad)} to look at: {read_in(bad[0].message, units)}" if bad else "Readings OK."]
    if a.temperature_c is not None and np.isfinite(a.temperature_c).any():
        words.append(f"Oil reached {units.text(float(np.nanmax(a.temperature_c)), _T)}.")
    else:
        words.append("Oil temperature not logged.")
    return words


def _next(detail: str, units: DisplayUnits) -> str:
    """The next cheapest test, as the headline has it."""
    words = read_in(detail, units)
    return words[words.index("Next:") :] if "Next:" in words else "Next: log the next run the same way."
