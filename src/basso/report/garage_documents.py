"""The garage as JSON documents and as text for a terminal."""

from __future__ import annotations

from dataclasses import asdict
from typing import TYPE_CHECKING, Any

from basso.car.build_line import stages, state_of_oil
from basso.car.history import CarHistory, car_history
from basso.car.jobs import sheet_of, state
from basso.car.normals import Learned, curve_of, versions
from basso.garage.records import Arrival, Build, Car, Job, Session
from basso.normal.changed import Apart, normals_apart
from basso.report.documents import rounded
from basso.units import DisplayUnits, Quantity

if TYPE_CHECKING:
    from basso.garage.store import Garage
    from basso.oil.life import OilState


def garage_document(garage: Garage) -> dict[str, Any]:
    """Schema ``basso.garage/1``: every car in short."""
    return {
        "schema": "basso.garage/1",
        "folder": str(garage.folder),
        "cars": [_short(garage, c) for c in _cars(garage)],
    }


def car_document(garage: Garage, car: Car) -> dict[str, Any]:
    """Schema ``basso.car/1``: one car, its oil now, the engine's card of each session, and every record by kind as it
    is kept."""
    rows, history = garage.of_car(car.id), car_history(garage, car)
    arrivals = rows.pop(Arrival.table)
    cards = {s.id: card.id for s in history.sessions if (card := history.card_of(s)) is not None}
    return {
        "schema": "basso.car/1",
        **_short(garage, car),
        "oil_now": _oil_plain(_oil(garage, car)),
        "engine_cards": cards,
        "from_elsewhere": [{"source": a.source, "day": a.day} for a in arrivals if isinstance(a, Arrival)],
        "records": {name: [r.as_plain() for r in records] for name, records in rows.items()},
    }


def normal_document(history: CarHistory, build: Build, learned: Learned, kept: str) -> dict[str, Any]:
    """Schema ``basso.garage-normal/1``: a build's normal just learned; ``kept``: what it is called now, "" where it was
    not kept."""
    from basso.report.normal_documents import expected_document

    apart = _to_the_last(history, build, learned)
    return {
        "schema": "basso.garage-normal/1",
        "car": history.car.name,
        "build": build.name,
        "kept": kept or None,
        "learned_from": list(learned.used),
        "left_out": [{"session": title, "why": why} for title, why in learned.left_out],
        "expected": expected_document(learned.expected),
        "to_the_version_before": {
            "offset_kpa": rounded(apart.offset_kpa),
            "low_kpa": rounded(apart.low_kpa),
            "high_kpa": rounded(apart.high_kpa),
            "rpm": [rounded(v, 0) for v in apart.rpm],
            "oil_temp_c": [rounded(v, 1) for v in apart.temperature_c]
            if apart.temperature_c is not None
            else [None, None],
        }
        if apart is not None
        else None,
    }


def _to_the_last(history: CarHistory, build: Build, learned: Learned) -> Apart | None:
    """How what was learned lies to the build's newest version so far; None where there is none, or nothing in
    common."""
    before = [n for n in versions(history, build.id) if learned.record is None or n.id != learned.record.id]
    curve = curve_of(before[-1]) if before else None
    return normals_apart(curve.on_oil(learned.expected.oil), learned.expected) if curve is not None else None


def normal_text(
    history: CarHistory, build: Build, learned: Learned, kept: str, units: DisplayUnits | None = None
) -> str:
    """What was learned and kept of a build's normal, in sentences."""
    units = units or DisplayUnits()
    count = len(learned.used)
    words = (
        f"{f'Kept: {kept}' if kept else f'{build.name}, not kept'}, from {count} "
        f"{'session' if count == 1 else 'sessions'}."
    )
    if learned.left_out:
        words += " Left out: " + "; ".join(f"{title} ({why})" for title, why in learned.left_out) + "."
    apart = _to_the_last(history, build, learned)
    if apart is None:
        return words
    by, low, high = (
        units.text(v, Quantity.PRESSURE, difference=True, signed=True)
        for v in (apart.offset_kpa, apart.low_kpa, apart.high_kpa)
    )
    words += f" To the version before, at the same engine speed and oil temperature: {by} ({low} to {high})"
    return words + (", no more than two learnings differ by." if apart.low_kpa <= 0.0 <= apart.high_kpa else ".")


def garage_text(garage: Garage) -> str:
    """One line a car."""
    lines = []
    for car in _cars(garage):
        s = _short(garage, car)
        lines.append(
            f"{s['name']}: {s['builds']} builds, {s['sessions']} sessions, last "
            f"{s['last_session'] or 'never'}, {s['open_jobs']} open jobs"
        )
    return "\n".join(lines) or "No cars yet."


def car_text(garage: Garage, car: Car) -> str:
    """The build line as text, the oil and the open jobs."""
    history = car_history(garage, car)
    lines = [car.name, ""]
    if history.arrival is not None:
        lines[1:1] = [f"From elsewhere ({history.arrival.source}, {history.arrival.day}), not accepted yet."]
    for stage in stages(history, DisplayUnits()):
        lines.append(f"{stage.build.since}  {stage.build.name}: {stage.build.reason or 'no reason written down'}")
        lines += [f"              changed {c}" for c in stage.changed]
        lines += [
            f"    {c.since[:10] or 'at first':<10}    engine card: {c.name}{f', {c.reason}' if c.reason else ''}"
            for c in stage.cards
        ]
        lines += [f"    {s.began[:10]}    {s.title}{f', {s.circuit}' if s.circuit else ''}" for s in stage.sessions]
    lines += ["", "Oil: " + oil_words(_oil(garage, car))]
    for job in garage.all(Job, car.id):
        if not job.closed:
            sheet = sheet_of(job)
            at = state(sheet, job.entries) if sheet is not None else None
            name = sheet.name if sheet is not None else job.sheet
            lines.append(f"Open job: {name}, {at.done} of {at.of} steps" if at is not None else f"Open job: {name}")
    return "\n".join(lines)


def oil_words(oil: OilState | None) -> str:
    """The oil that is in, in a sentence or two."""
    if oil is None:
        return "no fill was ever written down."
    more = " or more" if oil.unknown else ""
    words = (
        f"{oil.grade or 'grade not written down'} since {oil.since}: {oil.running_h:.1f} h{more}, "
        f"{oil.distance_km:.0f} km, {oil.sessions} sessions, {oil.heat_cycles} heat cycles"
    )
    if oil.added_l:
        words += f"; {oil.added_l:.1f} L topped up"
    if oil.due:
        first = oil.due[0]
        left = first.limit - first.used
        words += (
            f". {'Due in' if left > 0 else 'Overdue by'} {abs(left):.3g} {first.unit} ({first.used:.3g} of "
            f"{first.limit:g})"
        )
    return words + "."


def _cars(garage: Garage) -> list[Car]:
    return sorted(garage.all(Car), key=lambda c: c.name)


def _oil(garage: Garage, car: Car) -> OilState | None:
    return state_of_oil(car_history(garage, car))


def _oil_plain(oil: OilState | None) -> dict[str, Any] | None:
    if oil is None:
        return None
    plain = asdict(oil)
    return {**plain, "by_kind": dict(oil.by_kind), "due": [asdict(d) for d in oil.due]}


def _short(garage: Garage, car: Car) -> dict[str, Any]:
    sessions = garage.all(Session, car.id)
    return {
        "id": car.id,
        "name": car.name,
        "use": car.use,
        "builds": len(garage.all(Build, car.id)),
        "sessions": len(sessions),
        "last_session": max((s.began for s in sessions), default=None),
        "open_jobs": sum(not j.closed for j in garage.all(Job, car.id)),
    }
