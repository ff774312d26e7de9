"""Which oil was in: the fills' labels, data sheets, what a laboratory measured; and up to what temperature each is
used."""

from __future__ import annotations

from contextlib import suppress
from datetime import date

from basso.car.history import CarHistory
from basso.errors import InputError
from basso.garage.records import Session
from basso.oil.grades import Grade, grades, measured
from basso.oil.life import oil_state


def data_sheets(history: CarHistory) -> dict[str, Grade]:
    """The car's oils by its data sheets, by name; one whose figures belong to no oil is passed over."""
    found = {}
    for sheet in history.oil_sheets:
        if sheet.v40 is not None and sheet.v100 is not None:
            with suppress(InputError):
                found[sheet.name] = measured(sheet.v40, sheet.v100, sheet.name)
    return found


def ceilings(history: CarHistory) -> dict[str, float]:
    """The oil temperature up to which each oil is used on this car's engine, by name, °C."""
    return {s.name: s.ceiling_c for s in history.oil_sheets if s.ceiling_c is not None}


def oil_of(history: CarHistory, session: Session) -> Grade | None:
    """The oil a session was driven on: as measured nearest in time on the same fill, else by its label; None if
    neither.

    A label stands for the oil's own data sheet where there is one, else for the usual figures of the grade. A sample
    counts
    for the sessions nearer to it than to the fill: fresh oil is what its label says.
    """
    day, build = session.began[:10], history.build_of(session)
    state = oil_state(history.oil, (), until=day)
    label = (state.grade if state is not None and state.grade else "") or (build.oil_grade if build is not None else "")
    sheets = data_sheets(history)
    lot = state.lot if state is not None else ""
    fresh = sheets.get(lot) or sheets.get(label) or grades().get(label)
    if state is None or not day:
        return fresh
    after = [e.day[:10] for e in history.oil if e.kind in ("fill", "change") and e.day[:10] > state.since]
    ends = min(after, default="9999")
    best, distance = fresh, _days(state.since, day)
    for s in history.samples:
        cold, hot = s.values.get("v40"), s.values.get("v100")
        # Oil drawn on the day of a change is what came out of the fill before.
        if cold is None or hot is None or not state.since < s.day[:10] <= ends:
            continue
        if best is None or _days(s.day, day) < distance:
            with suppress(InputError):
                best = measured(float(cold), float(hot), f"{label or 'the oil'} as measured on {s.day[:10]}")
                distance = _days(s.day, day)
    return best


def _days(a: str, b: str) -> int:
    with suppress(ValueError):
        return abs((date.fromisoformat(a[:10]) - date.fromisoformat(b[:10])).days)
    return 10**6
