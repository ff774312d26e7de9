"""What the garage knows of the car behind a log: the card of its pressure sensor, and what its earlier sessions showed.

The figures of an earlier session come from the samples that the garage keeps of it; once worked out they are kept by
the log's fingerprint in the cache folder, so that they are there at once the next time.
"""

from __future__ import annotations

import hashlib
import json
import zlib
from collections.abc import Callable
from contextlib import suppress
from dataclasses import replace
from pathlib import Path

from basso.analysis import Analysis, analyse
from basso.car.circuits import maps_for
from basso.car.floor_choices import choice_in_force, floors_of
from basso.car.history import CarHistory
from basso.car.normals import kept_normals
from basso.car.oils import oil_of
from basso.car.sensors import fitted_on, known_sensor, sensor_of_channel
from basso.errors import InputError
from basso.files import put_whole
from basso.findings.normal.findings import heat_of, idle_of
from basso.garage.records import Sensor, Session
from basso.memory.decisions import Decision, Decisions
from basso.normal.expected import no_expectation
from basso.oil.grades import Grade, usual
from basso.oilway.drops import find_drops
from basso.platform.folders import cache_folder
from basso.pressure.earlier import Earlier, Known, cold_peak_kpa
from basso.pressure.options import JudgeOptions
from basso.progress import Progress, silent
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.trust.zero import air_pressure_kpa
from basso.version import VERSION

MOST_SESSIONS = 8
"""As many earlier sessions are looked at (default): a trend wants a few, the newest say most."""
_FORM = 7


def session_of(history: CarHistory, content_hash: str) -> Session | None:
    """The session that a log belongs to."""
    return next((s for s in history.sessions if s.log_hash == content_hash), None)


def sensor_at(history: CarHistory, day: str, channel: str) -> Sensor | None:
    """The card of the sensor that fed the oil pressure's column on a day."""
    return sensor_of_channel(fitted_on(history.sensors, day), channel)


def known_for_trial(history: CarHistory, recording: Recording) -> Known | None:
    """What a trial uses of a log's car: its sensor's card and its circuit's map; quick. None where the garage has no
    session of the log.

    No earlier sessions: both sides are held to one normal, learned from them together.
    """
    session, channel = session_of(history, recording.content_hash), recording.channel(Role.OIL_PRESSURE)
    if session is None or channel is None:
        return None
    card = sensor_at(history, session.began, channel.name)
    sensor = known_sensor(card, history.calibrations, session.began) if card is not None else None
    return Known(sensor, circuits=maps_for(history, session))


def known_of(
    history: CarHistory,
    recording: Recording,
    log_of: Callable[[Session], Recording | None],
    decisions: Decisions,
    progress: Progress = silent,
    figures_folder: Path | None = None,
) -> Known | None:
    """What is known of the car behind a log; None where the garage has no session of it.

    Args:
        log_of: gives the log of a session, or None where there is none; may raise InputError.
        decisions: what was decided about logs.
        figures_folder: where figures are kept (default: the user's cache folder).

    Sessions that cannot be read are passed over: what is known of the others still holds.
    """
    session = session_of(history, recording.content_hash)
    if session is None:
        return None
    channel = recording.channel(Role.OIL_PRESSURE)
    card = sensor_at(history, session.began, channel.name if channel is not None else "")
    sensor = known_sensor(card, history.calibrations, session.began) if card is not None else None
    engine = history.card_of(session)
    before = sorted(
        (
            s
            for s in history.sessions
            if s.log_hash and (s.began, s.title) < (session.began, session.title) and s.log_hash != session.log_hash
        ),
        key=lambda s: (s.began, s.title),
    )[-MOST_SESSIONS:]
    found = []
    for i, s in enumerate(before):
        progress(i / len(before), f"looking at {s.title}")
        figures = _figures(history, s, log_of, decisions.of(s.log_hash), figures_folder or _own())
        if figures is None:
            continue
        then = sensor_at(history, s.began, figures.column)
        same = (
            (then.sensor, then.place) == (card.sensor, card.place)
            if then is not None and card is not None
            else then is card
        )
        # Another engine, or other clearances: what it showed says nothing of this one's scale.
        expected = figures.expected if history.card_of(s) == engine else no_expectation("it is of another engine card")
        heat = figures.heat
        if heat is not None and s.air_c is not None:
            heat = replace(heat, air_c=s.air_c)
        found.append(replace(figures, expected=expected, same_sensor=same, heat=heat, masked=s.accumulator == "armed"))
    oil = oil_of(history, session)
    return Known(
        sensor=sensor,
        earlier=tuple(found),
        kept=kept_normals(history, session, oil or usual()),
        air_c=session.air_c,
        oil=oil,
        circuits=maps_for(history, session),
        accumulator=session.accumulator,
        floors=floors_of(choice_in_force(history)),
        clearance=engine.clearance if engine is not None else "",
    )


def _figures(
    history: CarHistory,
    session: Session,
    log_of: Callable[[Session], Recording | None],
    decision: Decision,
    folder: Path,
) -> Earlier | None:
    """The figures of a session; None where its log is not there or cannot be read."""
    oil = oil_of(history, session) or usual()
    asked = json.dumps(
        [_FORM, VERSION, session.log_hash, decision.as_plain(), oil.name, oil.at_40_mm2ps, oil.at_100_mm2ps]
    )
    file = folder / f"{hashlib.sha256(asked.encode()).hexdigest()[:32]}.json"
    said = {"title": session.title, "day": session.began[:10]}
    with suppress(OSError, ValueError, KeyError, TypeError):
        check, _, text = file.read_text(encoding="utf-8").partition("\n")
        if check != f"{zlib.crc32(text.encode()):08x}":
            raise ValueError(file)  # a changed byte: worked out anew
        plain = json.loads(text)
        return Earlier.from_plain({**plain, **said})
    try:
        recording = log_of(session)
    except InputError:
        return None
    if recording is None or not recording.has(Role.OIL_PRESSURE) or recording.content_hash != session.log_hash:
        return None
    figures = figures_of(analyse(recording, JudgeOptions(oil=oil).by(decision)), session.title, said["day"], oil)
    with suppress(OSError, ValueError):
        folder.mkdir(parents=True, exist_ok=True)
        text = json.dumps(figures.as_plain())
        put_whole(file, f"{zlib.crc32(text.encode()):08x}\n{text}".encode(), lasting=False)
    return figures


def figures_of(analysis: Analysis, title: str, day: str, oil: Grade) -> Earlier:
    """The few figures by which later sessions are held against this one."""
    zero = next((c for c in analysis.checks if c.id == "zero"), None)
    channel = analysis.recording.channel(Role.OIL_PRESSURE)
    return Earlier(
        title=title,
        day=day,
        expected=analysis.expected,
        zero_kpa=zero.measured if zero is not None else None,
        air_kpa=air_pressure_kpa(analysis.recording),
        drops=tuple(find_drops(analysis.corrected, oil)),
        cold_peak_kpa=cold_peak_kpa(analysis.pressure_kpa, analysis.temperature_c),
        column=channel.name if channel is not None else "",
        unit=channel.unit.symbol if channel is not None and channel.unit is not None else "",
        idle=idle_of(analysis),
        heat=heat_of(analysis),
    )


def _own() -> Path:
    return cache_folder() / "earlier"
