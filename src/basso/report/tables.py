"""An analysis as plain tables, for CSV and spreadsheets: every number with its unit in the heading, missing cells
empty."""

from __future__ import annotations

import io
import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from basso.plain_text import as_cell, plain_lines, separated
from basso.pressure.rivals import CAUSE_WORDS
from basso.sentence import read_in
from basso.units import DisplayUnits, digits_of

if TYPE_CHECKING:
    from basso.analysis import Analysis, JudgedDip

Cell = str | float | int | None


@dataclass(frozen=True, slots=True)
class Sheet:
    """One table: a short name, headings, rows of cells."""

    name: str
    headings: tuple[str, ...]
    rows: tuple[tuple[Cell, ...], ...]


def sheets_of(analysis: Analysis, units: DisplayUnits) -> tuple[Sheet, ...]:
    """Every table of an analysis: dips, laps, exposure, checks, corrections, the log's channels and what was
    assumed."""
    return (
        dips_sheet(analysis, units),
        Sheet(
            "Laps",
            ("Lap", "Start, s", "End, s", "Time, s", "Complete"),
            tuple(
                (lap.number, _r(lap.start_s, 2), _r(lap.end_s, 2), _r(lap.time_s, 2), "yes" if lap.complete else "no")
                for lap in analysis.laps
            ),
        ),
        Sheet(
            "Exposure",
            ("Below % of normal", "Part of running time, %"),
            tuple(
                (f"{share:.0%}", _r(None if fraction is None else 100 * fraction, 3))
                for share, fraction in analysis.exposure.share_of_time_below
            ),
        ),
        Sheet(
            "Checks",
            ("Check", "Level", "Channel", "Finding"),
            tuple((c.id, c.level, c.channel, read_in(c.message, units)) for c in analysis.checks),
        ),
        Sheet(
            "Corrections",
            ("Channel", "Kind", "Value", "Unit", "Reason"),
            tuple((c.channel, c.kind, _r(c.value, 3), c.unit, read_in(c.reason, units)) for c in analysis.corrections),
        ),
        Sheet(
            "Log",
            ("Channel", "Role", "Unit as logged", "Unit assumed", "Rate, Hz", "Samples", "Missing"),
            tuple(
                (
                    c.name,
                    c.role.value if c.role is not None else None,
                    c.unit.symbol if c.unit is not None else None,
                    "yes" if c.unit_assumed else "no",
                    _r(c.rate_hz, 2),
                    int(c.values.size),
                    c.missing,
                )
                for c in analysis.recording.channels
            ),
        ),
        Sheet("Notes", ("Assumptions when reading",), tuple((n,) for n in analysis.recording.notes)),
    )


def dips_sheet(analysis: Analysis, units: DisplayUnits) -> Sheet:
    """One row a dip, in time order."""
    p, t = units.pressure, units.temperature
    headings = (
        "Dip",
        "Start, s",
        "End, s",
        "Length, s",
        f"Lowest, {p.symbol}",
        f"Lowest margin, {p.symbol}",
        "% of normal",
        f"Missing pressure over time, {p.symbol}·s",
        "Engine speed, rpm",
        f"Oil temperature, {t.symbol}",
        f"Lateral g, + {analysis.side.way('left')}",
        "Longitudinal g, + forward",
        "Lag, s",
        "Lap",
        "Place",
        "Cause",
        "Confidence, %",
        "Severity",
        "Reason",
    )

    def pressure(value: float, difference: bool = False) -> Cell:
        shown = p.difference_from_base(value) if difference else p.from_base(value)
        return _r(shown, digits_of(p) + 1)

    def row(number: int, d: JudgedDip) -> tuple[Cell, ...]:
        heat = None if d.temperature_c is None else t.from_base(d.temperature_c)
        return (
            number,
            _r(d.dip.start_s, 3),
            _r(d.dip.end_s, 3),
            _r(d.dip.duration_s, 3),
            pressure(d.dip.min_pressure_kpa),
            pressure(d.dip.told_margin_kpa, True),
            _r(None if d.dip.told_share is None else 100 * d.dip.told_share, 1),
            pressure(d.dip.deficit_kpa_s, True),
            _r(d.rpm, 0),
            _r(heat, 1),
            _r(d.cause.lateral_g, 2),
            _r(d.cause.longitudinal_g, 2),
            _r(d.cause.lag_s, 2),
            d.lap.number if d.lap is not None else None,
            d.place.label if d.place is not None else None,
            CAUSE_WORDS[d.cause.key],
            _r(100 * d.cause.confidence, 0),
            d.severity,
            read_in(d.cause.reason, units),
        )

    return Sheet("Dips", headings, tuple(row(i + 1, d) for i, d in enumerate(analysis.dips)))


def _r(value: float | None, digits: int) -> Cell:
    if value is None or not math.isfinite(value):
        return None
    return round(float(value), digits) if digits else round(float(value))


def as_csv(sheet: Sheet) -> bytes:
    """A table as CSV, UTF-8."""
    return separated([sheet.headings, *sheet.rows]).encode()


def as_spreadsheet(sheets: Sequence[Sheet]) -> bytes:
    """Tables as an Office Open XML workbook, one sheet each, headings held in view."""
    from openpyxl import Workbook
    from openpyxl.styles import Alignment, Font
    from openpyxl.utils import get_column_letter

    book = Workbook()
    for page in book.worksheets:
        book.remove(page)
    for sheet in sheets:
        page = book.create_sheet(sheet.name)
        page.append(list(sheet.headings))
        for row in sheet.rows:
            page.append([_safe(c) for c in row])
        for i, heading in enumerate(sheet.headings):
            page.cell(1, i + 1).font = Font(bold=True)
            page.cell(1, i + 1).alignment = Alignment(wrap_text=True, vertical="top")
            longest = max((len(str(r[i])) for r in sheet.rows if r[i] is not None), default=0)
            page.column_dimensions[get_column_letter(i + 1)].width = min(
                max(12, len(heading) * 0.7, longest * 1.05), 70
            )
        page.freeze_panes = "A2"
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def _safe(cell: Cell) -> Cell:
    """Text that begins like a formula stays text, and control characters, which the format forbids, go."""
    return as_cell(plain_lines(cell).rstrip()) if isinstance(cell, str) else cell
