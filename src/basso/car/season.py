"""A car's season in one line: what its sessions show at one engine speed and oil temperature, build after build.

Every session is judged by its own normal, so that wear and what was changed are seen; a repeated log counts once, and
one with an accumulator armed says nothing of the pan.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from basso.analysis import Analysis
from basso.car.floor_choices import choice_in_force, floors_of
from basso.car.history import CarHistory
from basso.car.known import known_for_trial
from basso.car.oils import oil_of
from basso.errors import InputError
from basso.findings.accumulator.armed import is_armed
from basso.findings.normal.findings import idle_of
from basso.garage.records import Session
from basso.memory.decisions import Decisions
from basso.normal.expected import ExpectedPressure
from basso.oil.grades import Grade, usual
from basso.oilway.drops import find_drops
from basso.pressure.floors import Floor, highest_floor, moves_with_normal
from basso.pressure.options import JudgeOptions
from basso.progress import Progress, silent
from basso.recording.drive import DriveMark, drive_mark, same_drive
from basso.recording.recording import Recording
from basso.trial.control import ZERO_MAY_BE_OFF_KPA

WAYS = ("right turns", "left turns", "turns", "braking", "acceleration", "other")
"""Which way a dip goes, by its cause."""
_WAY = {
    "right_turn": "right turns",
    "left_turn": "left turns",
    "turn": "turns",
    "braking": "braking",
    "acceleration": "acceleration",
}
_RPM_TRIED = np.arange(2000.0, 12001.0, 250.0)
_NEARLY = 0.15
"""Of the most sessions that drove anywhere so many may be missing (default)."""
_HEAT_TRIED = np.arange(60.0, 151.0, 1.0)


@dataclass(frozen=True, slots=True)
class SeasonPoint:
    """One session.

    Attributes:
        build: by name; ``oil``: that was in, None where nobody said; ``laps``: flying laps.
        dips_per_lap: way of :data:`WAYS` → dips in flying laps, for each lap; empty without flying laps.
        masked: an accumulator was armed: its dips are fewer than the pan's own.
        zero_proven: its sensor was seen to read nothing at rest, so that its margin is no matter of its zero.
        zero_kpa: what the sensor read with the engine stopped; None where it never stood.
        idle_kpa, idle_scatter_kpa: hot idle.
        drops_kpa: what lies between two places of the oil's way → its drop at the reference.
        expected: its own normal; ``floors``: it was judged by.
    """

    session: Session
    build: str
    oil: Grade | None
    laps: int
    dips_per_lap: Mapping[str, float]
    masked: bool
    zero_proven: bool
    zero_kpa: float | None
    idle_kpa: float | None
    idle_scatter_kpa: float | None
    drops_kpa: Mapping[str, float]
    expected: ExpectedPressure
    floors: tuple[Floor, ...]

    def normal_at(self, rpm: float, temperature_c: float) -> tuple[float, float, float] | None:
        """Normal with its 90 % interval, kPa, wider where the sensor's zero is not proven; None where the session did
        not drive there."""
        at, heat = np.array([rpm]), np.array([temperature_c])
        if self.expected.temperature_range_c is None or not self.expected.covers(at, heat)[0]:
            return None
        low, high = self.expected.interval(at, heat)
        off = 0.0 if self.zero_proven else ZERO_MAY_BE_OFF_KPA
        return float(low[0]) - off, float(self.expected.at(at, heat)[0]), float(high[0]) + off

    def floor_at(self, rpm: float) -> float | None:
        """The floor at an engine speed, of those that do not fall with normal; None where every one does."""
        fixed = [f for f in self.floors if not moves_with_normal(f)]
        if not fixed:
            return None
        return float(highest_floor(fixed, np.array([rpm]), np.array([np.nan])).kpa[0])

    def margin_at(self, rpm: float, temperature_c: float) -> tuple[float, float, float] | None:
        """Normal less the floor, with its 90 % interval, kPa; None where either is not known."""
        normal, floor = self.normal_at(rpm, temperature_c), self.floor_at(rpm)
        return None if normal is None or floor is None else (normal[0] - floor, normal[1] - floor, normal[2] - floor)


@dataclass(frozen=True, slots=True)
class Season:
    """A car's sessions, oldest first, and those left out with why (title, reason).

    Attributes:
        rpm, temperature_c: where the most sessions can be held against each other; None where none can.
    """

    points: tuple[SeasonPoint, ...]
    left_out: tuple[tuple[str, str], ...]
    rpm: float | None
    temperature_c: float | None


def season_of(
    history: CarHistory,
    log_of: Callable[[Session], Recording | None],
    decisions: Decisions,
    progress: Progress = silent,
) -> Season:
    """Judge every session of a car by itself.

    Args:
        log_of: gives the log of a session, or None where there is none; may raise InputError.
        decisions: what was decided about logs.
    """
    from basso.analysis import analyse

    floors = floors_of(choice_in_force(history))
    sessions = sorted(history.sessions, key=lambda s: (s.began, s.title))
    marks: list[tuple[str, DriveMark]] = []
    points: list[SeasonPoint] = []
    out: list[tuple[str, str]] = []
    for n, session in enumerate(sessions):
        progress(n / len(sessions), f"judging {session.title}")
        try:
            log = log_of(session) if session.log_hash else None
            if log is None:
                out.append((session.title, "its samples are not kept here" if session.log_hash else "it has no log"))
                continue
            mark = drive_mark(log)
            twin = next((title for title, m in marks if mark is not None and same_drive(m, mark)), None)
            if twin is not None:
                out.append((session.title, f"it is the same drive as {twin}"))
                continue
            oil = oil_of(history, session)
            known = known_for_trial(history, log)
            if known is not None:
                known = replace(known, accumulator=session.accumulator)
            options = JudgeOptions(oil=oil or usual()).by(decisions.of_log(log), known)
            a = analyse(log, replace(options, floors=floors) if floors else options)
        except InputError as error:
            out.append((session.title, str(error)))
            continue
        if a.barred_by is not None:
            out.append((session.title, a.barred_by.message))
            continue
        if mark is not None:
            marks.append((session.title, mark))
        build = history.names.build.get(session.build, "")
        points.append(_point(a, session, build, oil))
    rpm, heat = _common(points)
    return Season(tuple(points), tuple(out), rpm, heat)


def _point(a: Analysis, session: Session, build: str, oil: Grade | None) -> SeasonPoint:
    flying = [lap for lap in a.laps if lap.complete]
    ways = Counter(
        _WAY.get(d.cause.name, "other")
        for d in a.dips
        if any(lap.start_s <= d.dip.start_s < lap.end_s for lap in flying)
    )
    idle = idle_of(a)
    return SeasonPoint(
        session=session,
        build=build,
        oil=oil,
        laps=len(flying),
        dips_per_lap={w: ways[w] / len(flying) for w in WAYS if ways[w]} if flying else {},
        masked=session.accumulator == "armed" or is_armed(a),
        zero_proven=a.zero_proven,
        zero_kpa=_zero(a),
        idle_kpa=idle.kpa if idle is not None else None,
        idle_scatter_kpa=idle.scatter_kpa if idle is not None else None,
        drops_kpa={d.parts: d.at(5000.0) for d in find_drops(a.recording, a.options.oil)},
        expected=a.expected,
        floors=a.options.floors,
    )


def _zero(a: Analysis) -> float | None:
    check = next((c for c in a.checks if c.id == "zero"), None)
    return check.measured if check is not None else None


def _common(points: Sequence[SeasonPoint]) -> tuple[float | None, float | None]:
    """The hottest oil at which nearly as many sessions drove as anywhere, where margins are least; and the engine speed
    in the middle of theirs."""
    rpm, heat = (v.ravel() for v in np.meshgrid(_RPM_TRIED, _HEAT_TRIED, indexing="ij"))
    with_heat = [p.expected for p in points if p.expected.temperature_range_c is not None]
    count = np.sum([e.covers(rpm, heat) for e in with_heat], axis=0) if with_heat else np.zeros(rpm.size)
    most = int(count.max())
    if most == 0:
        return None, None
    enough = count >= most - max(1, round(_NEARLY * most)) if most > 2 else count == most
    hottest = float(heat[enough].max())
    speeds = np.sort(rpm[enough & (heat == hottest)])
    return float(speeds[speeds.size // 2]), hottest
