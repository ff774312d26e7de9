"""What the Garage station shows, worked out without Qt: the build line, its words, oil, laboratory, level book,
jobs."""

from __future__ import annotations

import html
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TypeVar

import numpy as np

from basso.car.build_line import Stage, find, holding, sampled, stages, state_of_oil
from basso.car.cards import differences
from basso.car.history import CarHistory
from basso.car.lamp import lamp_trend, lamp_words
from basso.car.level_readings import AFTER_RUNNING, BEFORE_START, sort_readings, stored_l
from basso.car.normals import normal_words, versions
from basso.errors import InputError
from basso.garage.fields import Names, fields_of, told
from basso.garage.records import Attachment, Build, Engine, Job, LevelPoint, OilEntry, Record, Session
from basso.oil.grades import grades
from basso.oil.laboratory import Finding, Trend, findings, trends
from basso.oil.level_book import LevelFit, drunk_l, fit_level, mixed_parts
from basso.oil.life import gone_l, needed
from basso.sentence import read_in
from basso.ui.stations.garage.sheet_picture import job_title
from basso.units import DisplayUnits, FloatArray, Quantity
from basso.words.oil import oil_short
from basso.words.opening import Opening

R = TypeVar("R", bound=Record)
"""Marks of two level readings with nothing poured between them: their difference is what the rest of the system
took."""


@dataclass(frozen=True, slots=True)
class LineRow:
    """One row of the build line.

    Attributes:
        kind: "build", "session" or "engine" (a card of one); ``record``: its id.
        day, title, words, more: what is written, the last smaller under it.
        mark: a word set apart at the right ("armed", "no log"), or "".
    """

    kind: str
    record: str
    day: str
    title: str
    words: str
    more: str = ""
    mark: str = ""


def line_rows(view: CarHistory, units: DisplayUnits, wanted: str = "") -> list[LineRow]:
    """The build line, newest build on top as people ask for it; only sessions that a search finds, and their builds."""
    kept = {s.id for s in find(view.sessions, view.builds, wanted)} if wanted.strip() else None
    rows: list[LineRow] = []
    for stage in reversed(stages(view, units)):
        drives = [s for s in reversed(stage.sessions) if kept is None or s.id in kept]
        if kept is not None and not drives:
            continue
        notes = sum(a.about == stage.build.id for a in view.attachments)
        rows.append(
            LineRow(
                "build",
                stage.build.id,
                stage.build.since,
                stage.build.name,
                stage.build.reason,
                "; ".join(stage.changed),
                ", ".join(
                    x for x in (stage.caution, f"{notes} {'note' if notes == 1 else 'notes'}" if notes else "") if x
                ),
            )
        )
        dated = [(s.began, _session_row(s, stage, units)) for s in drives]
        if kept is None:
            dated += [(c.since, _engine_row(view, c, units)) for c in reversed(stage.cards)]
        rows += [row for _, row in sorted(dated, key=lambda d: d[0], reverse=True)]
    return rows


def _engine_row(view: CarHistory, card: Engine, units: DisplayUnits) -> LineRow:
    cards = view.cards(card.engine)
    at = cards.index(card)
    changed = differences(cards[at - 1], card, units) if at else []
    words = card.reason or ("first card" if at == 0 else "no reason written down")
    more = "; ".join(f"{d.what}: {d.b or 'none'}" for d in changed)
    return LineRow("engine", card.id, card.since, f"Engine: {card.name}", words, more)


def _session_row(s: Session, stage: Stage, units: DisplayUnits) -> LineRow:
    said = [s.circuit, s.weather]
    if s.laps:
        said.append(f"{s.laps} laps")
    elif s.running_s:
        said.append(f"{s.running_s / 60:.0f} min")
    if s.peak_oil_c is not None:
        said.append(f"oil {units.text(s.peak_oil_c, Quantity.TEMPERATURE)}")
    marks = [
        "accumulator state not noted" if s.accumulator == "unknown" and stage.build.accumulator else "",
        f"accumulator {s.accumulator}" if s.accumulator in ("armed", "off") else "",
        "" if s.log_hash else "no log",
    ]
    if s.kind == "track" and "road" in (s.map or stage.build.map).lower().split():
        marks.append("road map")
    if stage.until and s.began[:10] > stage.until:
        marks.append("back on this build")
    return LineRow(
        "session", s.id, s.began[:10], s.title, ", ".join(x for x in said if x), mark=", ".join(m for m in marks if m)
    )


def opening(view: CarHistory | None, units: DisplayUnits) -> Opening:
    """What there is to say about a car before anything else."""
    if view is None:
        return Opening(
            "No car yet",
            "A car with its builds, oil and sessions: then every log knows what was in the engine that "
            "day. Make one, or take "
            "one in from a bundle.",
        )
    now = view.newest_build
    title = (
        f"{view.car.name}: {now.name} since {now.since}"
        if now is not None
        else f"{view.car.name}: no build written down yet"
    )
    said = [f"{_count(len(view.builds), 'build')}, {_count(len(view.sessions), 'session')}."]
    if (oil := state_of_oil(view)) is not None:
        said.append(oil_short(oil))
    unfinished = [j for j in view.jobs if not j.closed]
    if unfinished:
        said.append(f"{_count(len(unfinished), 'job')} open.")
    if (again := follow_up_words(view.jobs)) != "":
        said.append(again)
    if (lamp := lamp_words(lamp_trend(view))) != "":
        said.append(lamp)
    if view.arrival is not None:
        said.insert(0, arrival_words(view))
    return Opening(title, " ".join(said))


def arrival_words(view: CarHistory) -> str:
    """Where a car came from that was not accepted yet, and what that means."""
    arrival = view.arrival
    if arrival is None:
        return ""
    count = len(arrival.decisions)
    decided = f", and {_count(count, 'decision')} about its logs' corrections" if count else ""
    return (
        f"This car came from elsewhere ({arrival.source}, {arrival.day}). Until you accept it, its "
        "sensor cards, oils, floors and "
        f"saved normals{decided} do not act on any log."
    )


def follow_up_words(jobs: Sequence[Job]) -> str:
    """The job that is to be looked at again first, or ""; one whose kind was done again since is seen to."""
    wanted = [
        j
        for j in jobs
        if j.follow_up and not any(k.sheet == j.sheet and k.closed and k.closed[:10] >= j.follow_up[:10] for k in jobs)
    ]
    first = min(wanted, key=lambda j: j.follow_up, default=None)
    return f"{job_title(first)}: look again on {first.follow_up[:10]}." if first is not None else ""


def _count(n: int, noun: str) -> str:
    return f"{n} {noun}{'' if n == 1 else 's'}"


def compared(a: R, b: R, units: DisplayUnits, names: Names) -> list[str]:
    """What two builds, or two cards of engines, do not have in common, a line each."""
    return [f"{d.what}: {d.a or 'none'} → {d.b or 'none'}" for d in differences(a, b, units, names)]


def card_words(view: CarHistory, session: Session, units: DisplayUnits) -> str:
    """The engine's card as it was at a session, in a line; "" where no engine is known."""
    card = view.card_of(session)
    if card is None:
        return ""
    wanted = ("main_mm", "rod_mm", "relief_kpa")
    facts = [
        f"{f.words} {told(f, getattr(card, f.name), units)}"
        for f in fields_of(Engine)
        if f.name in wanted and getattr(card, f.name) is not None
    ]
    when = f", card of {card.since[:10]}" if card.since else ""
    return f"Engine: {card.name}{when}. {', '.join([f'{card.clearance} clearances', *facts])}.".replace("\n", " ")


# Oil


_DUE = {"h": "hours", "km": "distance", "sessions": "sessions"}


def normals_words(view: CarHistory, build: Build, units: DisplayUnits) -> str:
    """The versions of a build's normal, newest first; "" where there is none."""
    kept = [f"{normal_words(view, n, units)}." for n in reversed(versions(view, build.id))]
    return "Normal: " + " ".join(kept) if kept else ""


@dataclass(frozen=True, slots=True)
class OilPage:
    """The oil page: a sentence, lines of the state, what to pour, the ledger, the laboratory."""

    title: str
    facts: tuple[tuple[str, str], ...]
    pour: str
    ledger: tuple[tuple[str, ...], ...]
    entries: tuple[OilEntry, ...]
    """The record behind each row of the ledger."""
    trends: tuple[Trend, ...]
    findings: tuple[Finding, ...]


def oil_page(view: CarHistory, units: DisplayUnits) -> OilPage:
    """Work the oil page out."""
    oil, engine = state_of_oil(view), view.engine
    facts: list[tuple[str, str]] = []
    if oil is not None:
        least = " at least" if oil.unknown else ""
        facts += [
            (
                "Running",
                f"{oil.running_h:.1f} h{least}, {oil.hot_h:.1f} h of it over {units.text(100.0, Quantity.TEMPERATURE)}",
            ),
            ("Distance", f"{oil.distance_km:.0f} km{least}"),
            ("Sessions", f"{oil.sessions}, {oil.heat_cycles} heat cycles"),
            ("By kind", ", ".join(f"{k} {h:.1f} h" for k, h in oil.by_kind) or "–"),
        ]
        if oil.unknown:
            facts.append(("Not known", f"{_count(oil.unknown, 'session')} without a running time"))
        added = units.text(oil.added_l, Quantity.VOLUME)
        per = f", {units.text(oil.per_hour_l, Quantity.VOLUME)} an hour" if oil.per_hour_l and oil.added_l else ""
        facts.append(("Topped up", f"{added}{per} " if oil.added_l else "nothing"))
        gone = gone_l(view.oil, holding(engine)) if engine is not None else None
        if gone is not None:
            facts.append(("Last drain", f"{units.text(gone, Quantity.VOLUME)} of the fill before was gone"))
        if engine is not None and engine.oil_km and not (engine.oil_hours or engine.oil_events):
            facts.append(("Interval", "by distance alone, which says little: set hours or sessions too"))
        if abs(oil.weighted_h - oil.running_h) > 0.05:
            facts.append(
                (
                    "Counts as",
                    f"{oil.weighted_h:.1f} h: a road hour half, time over "
                    f"{units.text(100.0, Quantity.TEMPERATURE)} half again (default)",
                )
            )
        facts += [(f"Due by {_DUE[d.unit]}", f"{d.used:.3g} of {d.limit:g} {d.unit}") for d in oil.due]
    pour = ""
    if engine is not None and engine.full_l is not None:
        on = view.newest_build
        change, dry = needed(holding(engine, on)), needed(holding(engine, on), dry=True)
        pour = (
            f"For a change with filter pour {units.text(change.litres, Quantity.VOLUME)}; after a dry build "
            f"{units.text(dry.litres, Quantity.VOLUME)}. The full mark is reached before the filter is "
            "filled: the stick falls by "
            f"{units.text(change.drop_l, Quantity.VOLUME)} in the first minute."
        )
        if dry.unknown:
            pour += f" Never measured: {', '.join(dry.unknown)}."
    fills = sorted((e for e in view.oil if e.kind in ("fill", "change") and e.family), key=lambda e: e.day)[-2:]
    if len(fills) == 2 and fills[0].family != fills[1].family:
        pour += (
            f" The oil's family changed on {fills[1].day[:10]} ({fills[0].family} to {fills[1].family}): keep to one."
        )
    doubled = [b for b in {x.bottle for x in view.samples if x.bottle} if sum(x.bottle == b for x in view.samples) > 1]
    if doubled:
        pour += f" Two samples carry the bottle {', '.join(sorted(doubled))}: one of them may be another oil."
    entries = tuple(sorted(view.oil, key=lambda e: e.day, reverse=True))
    ledger = tuple(
        (
            e.day[:10],
            e.kind,
            e.grade,
            "" if e.volume_l is None else units.text(e.volume_l, Quantity.VOLUME),
            "new filter" if e.filter_new else "",
            e.lot,
            e.note,
        )
        for e in entries
    )
    drawn = sampled(view.samples, view.oil, view.sessions)
    fresh = grades().get(oil.grade) if oil is not None else None
    new_v100 = fresh.at_100_mm2ps if fresh is not None else None
    title = (
        oil_short(oil) if oil is not None else "No fill was ever written down: pour or drain, and Basso keeps count."
    )
    return OilPage(title, tuple(facts), pour, ledger, entries, tuple(trends(drawn)), tuple(findings(drawn, new_v100)))


# Level book


@dataclass(frozen=True, slots=True)
class LevelPage:
    """The level book of one pan and stick."""

    series: str
    title: str
    lines: tuple[str, ...]
    warning: str
    points: tuple[tuple[float, float], ...]
    """(depth in mm, litres) of every reading."""
    fit: LevelFit | None
    curve: FloatArray
    """Rows: depth in mm, litres, half the 95 % interval."""
    marks: tuple[tuple[str, float, float], ...]
    """(mark, depth in mm, litres)."""
    stored_l: float = 0.0
    """What the accumulator that is on the car now holds when it is charged."""


def series_of(view: CarHistory) -> list[str]:
    """The pans and sticks that were calibrated."""
    return list(dict.fromkeys(p.series for p in view.levels))


def level_page(view: CarHistory, series: str, units: DisplayUnits) -> LevelPage:
    """Fit one series and say what its marks hold."""
    own = [p for p in view.levels if p.series == series]
    found = sort_readings(own, lambda p: stored_l(view.builds, p))
    readings = [r for _, r in found.used]
    left_out = [f"Left out: {level_words(p, units)}, {p.day[:10]}: {read_in(why, units)}." for p, why in found.left_out]
    fit = fit_level(readings)
    points = tuple((x.depth_mm, x.pan_l) for x in readings)
    if fit is None:
        return LevelPage(
            series=series,
            title="Not calibrated yet",
            lines=("Pour known volumes and read the stick each time: at least three readings, well apart.", *left_out),
            warning="",
            points=points,
            fit=None,
            curve=np.empty((3, 0)),
            marks=(),
        )
    now = view.newest_build
    depths = np.linspace(fit.lowest_mm, fit.highest_mm, 60)
    curve = np.array([depths, *np.array([fit.litres(float(d)) for d in depths]).T])
    marks = []
    lines = [
        f"{fit.readings} readings; {units.text(fit.litres_per_mm * 10, Quantity.VOLUME)} every "
        f"{units.text(10.0, Quantity.LENGTH)}{', bending' if len(fit.coefficients) > 2 else ''}."
    ]
    warning = ""
    for p in own:
        if (
            p.mark not in ("", BEFORE_START, AFTER_RUNNING)
            and p.depth_mm is not None
            and fit.lowest_mm <= p.depth_mm <= fit.highest_mm
        ):
            litres, within = fit.litres(p.depth_mm)
            marks.append((p.mark, p.depth_mm, litres))
            lines.append(
                f"The {p.mark} mark, {p.day[:10]}, holds {units.text(litres, Quantity.VOLUME)} (± "
                f"{units.text(within, Quantity.VOLUME)})."
            )
            if p.mark == "full" and view.engine is not None and view.engine.full_l is not None:
                warning = mixed_parts(litres, within, view.engine.full_l)
    lines += _drunk(own, fit, units)
    lines += left_out
    return LevelPage(
        series=series,
        title="What a reading means",
        lines=tuple(lines),
        warning=warning,
        points=points,
        fit=fit,
        curve=curve,
        marks=tuple(sorted(marks, key=lambda m: m[1])),
        stored_l=(now.accumulator_l or 0.0) if now is not None else 0.0,
    )


def _drunk(own: Sequence[LevelPoint], fit: LevelFit, units: DisplayUnits) -> list[str]:
    """What filter, cooler and lines took, where the stick was read before a start and after running on one day."""
    lines = []
    for after in own:
        before = next((p for p in own if p.mark == BEFORE_START and p.day[:10] == after.day[:10]), None)
        if after.mark != AFTER_RUNNING or before is None or after.depth_mm is None or before.depth_mm is None:
            continue
        try:
            litres, within = drunk_l(fit, before.depth_mm, after.depth_mm)
        except InputError:
            continue
        lines.append(
            f"Filter, cooler and lines took {units.text(litres, Quantity.VOLUME)} (± "
            f"{units.text(within, Quantity.VOLUME)}) on "
            f"{after.day[:10]}."
        )
    return lines


def level_words(p: LevelPoint, units: DisplayUnits) -> str:
    """A level reading in short."""
    said = [
        "" if p.depth_mm is None else units.text(p.depth_mm, Quantity.LENGTH),
        "" if p.pan_l is None else units.text(p.pan_l, Quantity.VOLUME),
        p.mark,
    ]
    return ", ".join(x for x in said if x)


def reading_words(page: LevelPage, depth_mm: float, units: DisplayUnits) -> str:
    """A reading in litres, or why not."""
    if page.fit is None:
        return page.lines[0]
    try:
        litres, within = page.fit.litres(depth_mm)
    except InputError as error:
        return str(error)
    words = f"{units.text(litres, Quantity.VOLUME)} in the pan (± {units.text(within, Quantity.VOLUME)})"
    if page.stored_l:
        emptied, charged = (units.text(litres + s * page.stored_l, Quantity.VOLUME) for s in (1.0, -1.0))
        words += (
            f"; read with the accumulator charged, {emptied} once it has emptied into the pan; read with it "
            f"empty, {charged} once it is charged"
        )
    return words


def attachment_html(a: Attachment) -> str:
    """A note or file in one line; the file's name is a link that carries the attachment's id."""
    words = html.escape(": ".join(x for x in (a.part, a.text) if x))
    if a.file_hash:
        words += f" <a href='{html.escape(a.id, quote=True)}'>{html.escape(a.file_name)}</a>"
    return f"{html.escape(a.day)}&nbsp; {words}"
