"""What a job sheet says, worked out without Qt: where it stands, what it prints, what was new on the build it is
about."""

from __future__ import annotations

import html

from basso.car.build_line import stages
from basso.car.history import CarHistory
from basso.car.jobs import Entered, Sheet, SheetStep, entered, in_units, limits, sheet_of, state
from basso.garage.fields import show, unit_words
from basso.garage.records import Car, Job
from basso.units import DisplayUnits


def job_title(job: Job) -> str:
    """A job's name."""
    sheet = sheet_of(job)
    return sheet.name if sheet is not None else job.sheet


def job_words(job: Job) -> str:
    """Where a job stands, in short."""
    if job.closed:
        time = f", {job.minutes:.0f} min" if job.minutes else ""
        return f"signed off {job.closed[:10]}{f' by {job.signed}' if job.signed else ''}{time}"
    sheet = sheet_of(job)
    if sheet is None:
        return "its sheet does not ship with this Basso"
    at = state(sheet, job.entries)
    return f"open since {job.opened[:10]}, {at.done} of {at.of} steps"


def printed(job: Job, sheet: Sheet, car: Car, units: DisplayUnits) -> str:
    """A job sheet to print, as HTML: steps, limits and cautions, with what was entered or room for it."""
    e = html.escape
    rows = []
    for number, step in enumerate(sheet.steps, 1):
        got = entered(job.entries, step)
        box = "☑" if got.done else "☐"
        parts = [f"<b>{number}. {e(in_units(step.text, units))}</b>"]
        if step.caution:
            parts.append(f"<br><b>Caution: {e(step.caution)}</b>")
        if step.measure:
            value = show(step.field, got.value, units) or "______"
            why = in_units(step.why, units)
            parts.append(
                f"<br>{e(step.measure)}: {e(value)} {e(unit_words(step.field, units))} (within "
                f"{e(limits(step, units))}; {e(why)})"
            )
        if step.words or step.choices:
            parts.append(f"<br>{e(got.words) or ' / '.join(e(c) for c in step.choices) or '_' * 60}")
        if step.hold:
            parts.append(f"<br>Looked at by: {e(got.words) or '_' * 30}")
        if step.rows:
            parts.append(_printed_rows(step, got))
        if got.reason:
            parts.append(f"<br>Reason: {e(got.reason)}")
        rows.append(f"<tr><td width='24'>{box}</td><td>{''.join(parts)}</td></tr>")
    signed = (
        f"Signed off {e(job.closed[:10])} by {e(job.signed)}" if job.closed else "Signed off: ______________________"
    )
    return (
        f"<h2>{e(sheet.name)}</h2><p>{e(car.name)}, opened {e(job.opened[:10])}</p><table "
        f"cellspacing='6'>{''.join(rows)}</table>"
        f"<p>{signed}</p><p><small>Basso advises; the engine builder, the maker's manual, the event's "
        "rules and local law "
        "decide.</small></p>"
    )


def _printed_rows(step: SheetStep, got: Entered) -> str:
    e = html.escape
    head = "".join(f"<td>{e(c.name)}</td>" for c in step.columns)
    lines = ""
    for row in step.rows:
        cells = (e(str(got.rows.get(row, {}).get(c.name, ""))) or "_" * 12 for c in step.columns)
        lines += f"<tr><td>{e(row)}</td>{''.join(f'<td>{cell}</td>' for cell in cells)}</tr>"
    return f"<table border='1' cellspacing='0' cellpadding='3'><tr><td>{e(step.row)}</td>{head}</tr>{lines}</table>"


def new_on(view: CarHistory, job: Job, units: DisplayUnits) -> str:
    """What was new on the build a job is about: what it has that the one before had not, its parts, its engine's
    card."""
    stage = next((s for s in stages(view, units) if s.build.id == job.build), None)
    if stage is None:
        return ""
    said = [*stage.changed, *stage.build.parts]
    for card in stage.cards:
        said.append(f"engine card of {card.since or 'the beginning'}{f' ({card.reason})' if card.reason else ''}")
    return "; ".join(said) or "nothing that is written down"
