"""A build's normal as the garage keeps it: learned from the build's sessions together, one version after the other."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from basso.car.history import CarHistory
from basso.car.oils import oil_of
from basso.errors import InputError
from basso.garage.records import Build, Normal, Session
from basso.memory.decisions import Decisions
from basso.normal.expected import ExpectedPressure, no_expectation
from basso.normal.warmup import HotIdle
from basso.oil.grades import Grade, usual
from basso.pressure.earlier import KeptNormal
from basso.progress import Progress, silent
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.units import DisplayUnits, Quantity

_FORM = 1
"""Of what stands in a record's ``curve``."""
_FORM_KEY = "form"


@dataclass(frozen=True, slots=True, eq=False)
class Learned:
    """A build's normal just learned, not kept yet.

    Attributes:
        record: to be kept; None where nothing valid could be learned.
        expected: the curve; where it is not valid its reason says why.
        used: titles of the sessions it was learned from; ``left_out``: of the others, with why.
    """

    record: Normal | None
    expected: ExpectedPressure
    used: tuple[str, ...]
    left_out: tuple[tuple[str, str], ...]


def versions(history: CarHistory, build: str) -> tuple[Normal, ...]:
    """A build's normals, oldest first."""
    return tuple(sorted((n for n in history.normals if n.build == build), key=lambda n: n.day))


def title_of(history: CarHistory, normal: Normal) -> str:
    """What a normal is called: "Build 3, version 2"."""
    of_build = versions(history, normal.build)
    return f"{history.names.build.get(normal.build, 'a build')}, version {of_build.index(normal) + 1}"


def normal_words(history: CarHistory, normal: Normal, units: DisplayUnits) -> str:
    """A kept normal in a sentence: version, day, sessions, what it shows at the fast and hot end of where it is sure,
    why."""
    of_build = versions(history, normal.build)
    count = len(normal.sessions)
    words = (
        f"Version {of_build.index(normal) + 1} of {normal.day}, from {count} {'session' if count == 1 else 'sessions'}"
    )
    curve = curve_of(normal)
    block = curve.valid_range() if curve is not None else None
    if curve is None:
        words += ", written by another Basso: learn it anew"
    elif block is not None:
        (_, rpm), heat = block
        kpa = float(curve.at(np.array([rpm]), np.array([heat[1]]) if heat is not None else None)[0])
        hot = f" and {units.text(heat[1], Quantity.TEMPERATURE)}" if heat is not None else ""
        words += f": {units.text(kpa, Quantity.PRESSURE)} at {round(rpm, -2):.0f} rpm{hot} with {curve.oil.name}"
    return f"{words} ({normal.reason})" if normal.reason else words


def curve_of(normal: Normal) -> ExpectedPressure | None:
    """The curve of a kept normal; None where it was kept by a Basso that wrote it otherwise."""
    plain: dict[str, Any] = dict(normal.curve)
    if plain.pop(_FORM_KEY, None) != _FORM:
        return None
    try:
        return ExpectedPressure.from_plain(plain)
    except (KeyError, TypeError, ValueError):
        return None


def kept_normals(history: CarHistory, session: Session, oil: Grade) -> tuple[KeptNormal, ...]:
    """The normals of the engine of a session, with the oil that was in then, oldest first.

    Of other builds the newest version only; none of another engine, or of other clearances.
    """
    found = []
    for normal in sorted(history.normals, key=lambda n: n.day):
        of_build = versions(history, normal.build)
        build = next((b for b in history.builds if b.id == normal.build), None)
        own_build = normal.build == session.build
        if build is None or (not own_build and normal is not of_build[-1]):
            continue
        # The card that held when it was last driven, not today's: an engine may have been rebuilt since.
        if history.card_on(build, _last_day(history, normal)) != history.card_of(session):
            continue
        curve = curve_of(normal)
        if curve is None:
            continue
        found.append(
            KeptNormal(
                title_of(history, normal),
                normal.day,
                curve.on_oil(oil),
                len(normal.sessions),
                own_build and normal is of_build[-1],
                session.id in normal.sessions,
                _idle_of(normal),
            )
        )
    return tuple(found)


def _idle_of(normal: Normal) -> HotIdle | None:
    try:
        return HotIdle(**normal.idle) if normal.idle else None
    except TypeError:
        return None


def _last_day(history: CarHistory, normal: Normal) -> str:
    return max((s.began for s in history.sessions if s.id in normal.sessions), default=normal.day)


def sessions_to_learn_from(history: CarHistory, build: str) -> tuple[list[Session], list[tuple[str, str]]]:
    """The sessions of a build that make its normal, oldest first, and the titles of the others with why they do not.

    An armed accumulator pours oil in where the pump draws air: such a session hides what the pan does. One that was
    driven before a rebuild shows another engine.
    """
    own = sorted((s for s in history.sessions if s.build == build), key=lambda s: s.began)
    newest = history.card_of(own[-1]) if own else None
    good, out = [], []
    for s in own:
        if not s.log_hash:
            out.append((s.title, "it has no log"))
        elif s.accumulator == "armed":
            out.append((s.title, "its accumulator was armed"))
        elif history.card_of(s) != newest:
            out.append((s.title, "the engine has had another card since"))
        else:
            good.append(s)
    return good, out


def learn_build(
    history: CarHistory,
    build: Build,
    log_of: Callable[[Session], Recording | None],
    decisions: Decisions,
    day: str,
    reason: str = "",
    only: Sequence[str] | None = None,
    progress: Progress = silent,
) -> Learned:
    """Learn a build's normal from its sessions together.

    Args:
        log_of: gives the log of a session, or None where there is none; may raise InputError.
        decisions: what was decided about logs.
        only: ids of the sessions to learn from; None: every one that can be learned from.

    It is told for the oil of the newest session; the others' temperatures are moved by their oils' viscosity.
    """
    from basso.analysis import analyse
    from basso.analysis.pooled import pooled_normal
    from basso.findings.normal.findings import idle_of
    from basso.pressure.options import JudgeOptions

    good, out = sessions_to_learn_from(history, build.id)
    chosen = [s for s in good if only is None or s.id in only]
    out += [(s.title, "not chosen") for s in good if s not in chosen]
    read: list[tuple[Session, Recording]] = []
    for i, s in enumerate(chosen):
        progress(0.6 * i / len(chosen), f"reading {s.title}")
        try:
            log = log_of(s)
        except InputError as error:
            out.append((s.title, str(error)))
            continue
        if log is None:
            out.append((s.title, "its samples are not kept here"))
        elif not log.has(Role.OIL_PRESSURE) or not log.has(Role.RPM):
            out.append((s.title, "its log lacks oil pressure or engine speed"))
        else:
            read.append((s, log))
    with_temperature = [(s, r) for s, r in read if r.has(Role.OIL_TEMP)]
    if with_temperature and len(with_temperature) < len(read):
        out += [(s.title, "its log has no oil temperature") for s, r in read if not r.has(Role.OIL_TEMP)]
        read = with_temperature
    oils = {r.content_hash: oil_of(history, s) or usual() for s, r in read}
    decided = {r.content_hash: decisions.of_log(r) for _, r in read}
    options = JudgeOptions(oil=oils[read[-1][1].content_hash] if read else usual())
    progress(0.7, "learning normal")
    logs = [r for _, r in read]
    expected = (
        pooled_normal(logs, options, decided, oils=oils)
        if logs
        else no_expectation("there is no session to learn from")
    )
    used = tuple(s.title for s, _ in read)
    if not expected.valid:
        return Learned(None, expected, used, tuple(out))
    progress(0.9, "looking at the hot idle")
    judged = (analyse(r, options.by(decided[r.content_hash])) for _, r in reversed(read))
    idle = next((i for i in map(idle_of, judged) if i is not None), None)
    # As it comes back from the disk: lists, no tuples.
    curve = json.loads(json.dumps({_FORM_KEY: _FORM, **expected.as_plain()}))
    record = Normal(
        car=history.car.id,
        build=build.id,
        day=day,
        reason=reason,
        sessions=tuple(s.id for s, _ in read),
        curve=curve,
        idle=asdict(idle) if idle is not None else {},
    )
    return Learned(record, expected, used, tuple(out))
