"""Reading the garage: builds in time with their sessions, what differs between two of them, and finding a session."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, fields
from datetime import date

from basso.errors import InputError
from basso.garage.records import Build, Engine, OilEntry, OilSample, Session
from basso.oil.grades import Grade, grades, measured
from basso.oil.laboratory import Sampled
from basso.oil.life import Holding, OilState, oil_state

_WORDS = {
    "pan": "pan", "pickup": "pickup", "pickup_gap_mm": "pickup gap", "baffle": "baffle", "tray": "windage tray",
    "accumulator": "accumulator", "accumulator_l": "it stores", "cooler": "cooler", "sensors": "sensors", "oil_grade": "oil grade", "level_l": "oil in the pan",
    "tyres": "tyres", "map": "engine map", "parts": "parts", "engine": "engine",
}  # fmt: skip
_UNITS = {"pickup_gap_mm": "mm", "level_l": "L", "accumulator_l": "L", "air_c": "°C"}
_SESSION_WORDS = {
    "circuit": "circuit", "kind": "kind", "weather": "weather", "air_c": "air", "fuel": "fuel", "tyres": "tyres",
    "driver": "driver", "accumulator": "accumulator state",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Stage:
    """One build with its sessions in order of time; ``until``: the day the next build came, "" for the last."""

    build: Build
    until: str
    sessions: tuple[Session, ...]
    changed: tuple[str, ...]
    """What is other than on the build before, one phrase each."""
    caution: str = ""


@dataclass(frozen=True, slots=True)
class Difference:
    """One thing that two builds or sessions do not have in common."""

    what: str
    a: str
    b: str


def stages(builds: Sequence[Build], sessions: Sequence[Session]) -> list[Stage]:
    """The build line, oldest first."""
    ordered = sorted(builds, key=lambda b: (b.since, b.name))
    drives: dict[str, list[Session]] = {}
    for s in sorted(sessions, key=lambda s: s.began):
        drives.setdefault(s.build, []).append(s)
    made = []
    for i, build in enumerate(ordered):
        until = ordered[i + 1].since if i + 1 < len(ordered) else ""
        changed = tuple(
            f"{d.what}: {d.b or 'none'}" for d in differences(ordered[i - 1], build)
        ) if i else ()  # fmt: skip
        caution = parts_caution(ordered[i - 1], build) if i else ""
        made.append(Stage(build, until, tuple(drives.get(build.id, ())), changed, caution))
    return made


def differences(a: Build | Session, b: Build | Session) -> list[Difference]:
    """Only what differs, in the order people ask for it."""
    words = _WORDS if isinstance(a, Build) else _SESSION_WORDS
    found = []
    for f in fields(a):
        if f.name in words and getattr(a, f.name) != getattr(b, f.name):
            found.append(
                Difference(words[f.name], *(_text(getattr(r, f.name), _UNITS.get(f.name, "")) for r in (a, b)))
            )
    return found


def _text(value: object, unit: str = "") -> str:
    if value is None or value == "":
        return ""
    if isinstance(value, float):
        return f"{value:g} {unit}".rstrip()
    return ", ".join(value) if isinstance(value, tuple) else str(value)


def cards_apart(a: Sequence[Session], b: Sequence[Session], builds: Sequence[Build]) -> list[Difference]:
    """What the cards of two sides of a trial do not have in common: builds first, then the sessions themselves."""
    by_id = {x.id: x for x in builds}
    sides = ([by_id[s.build] for s in side if s.build in by_id] for side in (a, b))
    built_a, built_b = sides
    return [*_apart(built_a, built_b, _WORDS), *_apart(a, b, _SESSION_WORDS)]


def _apart(a: Sequence[Build | Session], b: Sequence[Build | Session], words: Mapping[str, str]) -> list[Difference]:
    found = []
    for name, what in words.items():
        on_a, on_b = (
            list(dict.fromkeys(_text(getattr(r, name), _UNITS.get(name, "")) for r in side)) for side in (a, b)
        )
        if sorted(on_a) != sorted(on_b):
            found.append(Difference(what, ", ".join(x or "none" for x in on_a), ", ".join(x or "none" for x in on_b)))
    return found


def trial_cautions(a: Sequence[Session], b: Sequence[Session], builds: Sequence[Build]) -> list[str]:
    """What on the cards makes a comparison doubtful, a sentence each."""
    said = []
    states = [{s.accumulator for s in side} for side in (a, b)]
    if states[0] != states[1] and "armed" in states[0] | states[1]:
        said.append(
            "The accumulator was armed on one side only: unless that is the test, this compares two things at once."
        )
    elif any("armed" in s and len(s) > 1 for s in states):
        said.append("On one side the accumulator was armed in some sessions only: it hides dips.")
    by_id = {x.id: x for x in builds}
    maps = [{by_id[s.build].map for s in side if s.build in by_id} for side in (a, b)]
    if maps[0] != maps[1] and maps[0] and maps[1]:
        said.append("The engine map was not the same: rpm and heat may differ for that reason.")
    return said


def find(sessions: Sequence[Session], builds: Sequence[Build], text: str) -> list[Session]:
    """Sessions in which every word of the text occurs: title, day, circuit, driver, weather, note, build or log."""
    words = text.lower().split()
    names = {b.id: b.name for b in builds}

    def said(s: Session) -> str:
        return " ".join(
            (
                s.title,
                s.began,
                s.circuit,
                s.driver,
                s.weather,
                s.tyres,
                s.kind,
                s.note,
                s.log_name,
                names.get(s.build, ""),
            )
        ).lower()

    return [s for s in sessions if all(w in said(s) for w in words)]


def holding(engine: Engine, build: Build | None = None) -> Holding:
    """What the parts of an engine's oil system hold, with the accumulator of a build."""
    fitted = build is not None and build.accumulator
    stored = build.accumulator_l if build is not None and fitted else 0.0
    return Holding(engine.full_l, engine.filter_l, engine.cooler_l, engine.lines_l, engine.galleries_l, stored)


def parts_caution(before: Build, build: Build) -> str:
    """A caution when pan or pickup was changed without the other and the gap between them was not measured anew; else ""."""
    pan, pickup = before.pan != build.pan, before.pickup != build.pickup
    if pan == pickup or (build.pickup_gap_mm is not None and build.pickup_gap_mm != before.pickup_gap_mm):
        return ""
    return f"{'pan' if pan else 'pickup'} changed alone: measure the gap"


def state_of_oil(
    engine: Engine | None, entries: Sequence[OilEntry], sessions: Sequence[Session], until: str = "9999"
) -> OilState | None:
    """The oil that is in, against the intervals set for the engine."""
    intervals = (engine.oil_hours, engine.oil_km, engine.oil_events) if engine is not None else (None, None, None)
    return oil_state(entries, sessions, *intervals, until)


def oil_of(
    session: Session, build: Build | None, entries: Sequence[OilEntry], samples: Sequence[OilSample]
) -> Grade | None:
    """The oil a session was driven on: as measured nearest in time on the same fill, else by its label; None if neither.

    A sample counts for the sessions nearer to it than to the fill: fresh oil is what its label says.
    """
    day = session.began[:10]
    state = oil_state(entries, (), until=day)
    label = (state.grade if state is not None and state.grade else "") or (build.oil_grade if build is not None else "")
    fresh = grades().get(label)
    if state is None or not day:
        return fresh
    after = [e.day[:10] for e in entries if e.kind in ("fill", "change") and e.day[:10] > state.since]
    ends = min(after, default="9999")
    best, distance = fresh, _days(state.since, day)
    for s in samples:
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


def sampled(samples: Sequence[OilSample], entries: Sequence[OilEntry], sessions: Sequence[Session]) -> list[Sampled]:
    """Samples with the running hours of the oil they were drawn from; None where a session has no running time."""
    made = []
    for s in samples:
        # Oil drawn on the day of a change is the old oil, coming out.
        before = [e for e in entries if e.day[:10] < s.day[:10]]
        state = oil_state(before, sessions, until=s.day[:10])
        hours = state.running_h if state is not None and not state.unknown and state.running_h > 0 else None
        made.append(Sampled(s.day, {k: float(v) for k, v in s.values.items() if isinstance(v, int | float)}, hours))
    return made
