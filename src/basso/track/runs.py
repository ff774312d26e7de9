"""Runs: what is driven where there are no laps. Launches and stops, straight passes, hill climbs, dyno sweeps, cold
starts."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from basso.recording.gaps import or_zero
from basso.recording.recording import Frame
from basso.recording.roles import Role
from basso.recording.rolling import rolling_mean
from basso.recording.spans import runs_of
from basso.track.laps import Lap
from basso.units import FloatArray

RUN_KINDS = ("launch", "stop", "straight pass", "hill climb", "dyno sweep", "cold start")
_STANDS_MPS, _STOOD_S = 1.0, 1.0
_QUICK_MPS = 12.0
_HARD_G = 0.25
"""A launch and a stop hold this much over a second (default): less does not move the oil to the end of the pan."""
_TURN_G = 0.3
_STRAIGHT_SHARE = 0.08
_PASS_M = 100.0
_STARTS_RPM = 350.0
_COLD_C = 50.0
_COLD_S = 60.0
_SWEEP_RPM, _SWEEP_S, _LONGEST_SWEEP_S = 2000.0, 3.0, 120.0
_STEADY_G = 0.12


@dataclass(frozen=True, slots=True)
class Run:
    """One run.

    Attributes:
        kind: one of :data:`RUN_KINDS`; ``number``: of its kind, from 1.
        start_s, end_s: in the recording's time.
        distance_m: driven in it; None where speed is not logged.
    """

    kind: str
    number: int
    start_s: float
    end_s: float
    distance_m: float | None = None

    @property
    def duration_s(self) -> float:
        """Seconds it took."""
        return self.end_s - self.start_s


_Cut = tuple[str, int, int]


def find_runs(
    frame: Frame, laps: Sequence[Lap], lateral_g: FloatArray | None, longitudinal_g: FloatArray | None
) -> tuple[Run, ...]:
    """Every run of a recording, in the order of time.

    Launches, stops and cold starts are cut out whatever else was driven; passes and hill climbs only from drives
    without a whole lap. Without speed the car is taken to stand where both g and the engine are calm; what is not
    logged is not taken for
    standing: a
    sweep on a dyno needs a speed of nothing, or both g at nothing.
    """
    t = frame.time_s
    if t.size < 20 or frame.step_s <= 0:
        return ()
    rpm = or_zero(frame.filled(Role.RPM))
    speed = frame.get(Role.SPEED)
    speed = or_zero(speed) if speed is not None and np.isfinite(speed).mean() > 0.9 else None
    second = max(1, round(1.0 / frame.step_s))
    turns_known = lateral_g is not None
    side = rolling_mean(or_zero(lateral_g), second) if lateral_g is not None else np.zeros(t.size)
    fore = rolling_mean(or_zero(longitudinal_g), second) if longitudinal_g is not None else None
    if fore is None and speed is not None:
        fore = rolling_mean(np.gradient(speed, t) / 9.80665, second)
    cuts: list[_Cut] = []
    if fore is not None and (speed is not None or turns_known):
        stands = _stands(speed, rpm, side, fore, second)
        for first, last in _drives(stands):
            cuts += [
                c
                for c in _of_drive(
                    t=t, speed=speed, side=side, fore=fore, first=first, last=last, laps=laps, second=second
                )
                if turns_known or c[0] not in _TOLD_BY_TURNS
            ]
    moves = np.zeros(t.size, dtype=bool) if speed is None else speed > _STANDS_MPS
    if not moves.any():
        calm = np.hypot(side, fore) < _STEADY_G if fore is not None else np.ones(t.size, dtype=bool)
        smooth = rolling_mean(rpm, second)
        known_to_stand = speed is not None or (fore is not None and turns_known)
        if known_to_stand or _climbs_as_on_a_dyno(t, smooth):
            cuts += [("dyno sweep", a, b) for a, b in _sweeps(t, smooth, calm & ~moves)]
    cuts += [("cold start", a, b) for a, b in _cold_starts(t, rpm, frame.get(Role.OIL_TEMP))]
    cuts.sort(key=lambda c: (c[1], RUN_KINDS.index(c[0])))
    counts = dict.fromkeys(RUN_KINDS, 0)
    runs = []
    for kind, first, last in cuts:
        counts[kind] += 1
        way = float(np.trapezoid(speed[first : last + 1], t[first : last + 1])) if speed is not None else None
        runs.append(Run(kind, counts[kind], float(t[first]), float(t[last]), way))
    return tuple(runs)


def run_words(kind: str, count: int) -> str:
    """ "8 launches", "1 straight pass"."""
    if count == 1:
        return f"1 {kind}"
    return f"{count} {kind}{'es' if kind.endswith(('s', 'ch')) else 's'}"


def route_of(runs: Sequence[Run]) -> tuple[Run, ...]:
    """The hill climbs that were driven over one route: as long as the middle one, within 4 %."""
    climbs = [r for r in runs if r.kind == "hill climb" and r.distance_m]
    if not climbs:
        return ()
    usual = float(np.median([r.distance_m or 0.0 for r in climbs]))
    return tuple(r for r in climbs if abs((r.distance_m or 0.0) / usual - 1.0) < 0.04)


def _stands(
    speed: FloatArray | None, rpm: FloatArray, side: FloatArray, fore: FloatArray, second: int
) -> NDArray[np.bool_]:
    if speed is not None:
        return speed < _STANDS_MPS
    calm = (np.hypot(side, fore) < 0.06) & (rolling_mean(rpm, second) < 1800.0)
    long = np.zeros(calm.size, dtype=bool)
    for first, last in runs_of(calm, 3 * second):
        long[first:last] = True
    return long


def _drives(stands: NDArray[np.bool_]) -> Iterator[tuple[int, int]]:
    """First and last index of what is driven from one standstill (or the log's edge) to the next."""
    for first, last in runs_of(~stands, 2):
        yield max(first - 1, 0), min(last, stands.size - 1)


def _of_drive(
    t: FloatArray,
    speed: FloatArray | None,
    side: FloatArray,
    fore: FloatArray,
    first: int,
    last: int,
    laps: Sequence[Lap],
    second: int,
) -> list[_Cut]:
    """Launch, stop and, without a whole lap in it, what the drive as a whole is."""
    cuts: list[_Cut] = []
    part = slice(first, last + 1)
    top = float(speed[part].max()) if speed is not None else float("inf")
    if top < _QUICK_MPS or t[last] - t[first] < 2.0:
        return cuts
    begins = first > 0 or (speed is not None and speed[first] < _STANDS_MPS)
    ends = last < t.size - 1
    launched = _held(fore[part] > 0.1, second // 2) if begins else 0
    stopped = _held(fore[part][::-1] < -0.1, second // 2) if ends else 0
    hard = launched and (float(speed[first + launched]) if speed is not None else top) >= _QUICK_MPS
    if hard and float(fore[first : first + launched + 1].max()) >= _HARD_G:
        cuts.append(("launch", first, first + launched))
    else:
        launched = 0
    if (
        stopped
        and (speed is None or float(speed[last - stopped]) >= _QUICK_MPS)
        and -float(fore[last - stopped : last + 1].min()) >= _HARD_G
    ):
        cuts.append(("stop", last - stopped, last))
    if any(x.complete and x.start_s < t[last] and x.end_s > t[first] for x in laps) or not launched:
        return cuts
    moving = (speed[part] > 3.0) if speed is not None else np.ones(last + 1 - first, dtype=bool)
    turning = np.abs(side[part]) > _TURN_G
    way = float(np.trapezoid(speed[part], t[part])) if speed is not None else float("inf")
    if float(np.mean(turning[moving])) < _STRAIGHT_SHARE:
        if speed is not None and way >= _PASS_M:
            cuts.append(("straight pass", first, last))
    elif len(runs_of(turning, max(1, second // 2))) >= 3:
        cuts.append(("hill climb", first, last))
    return cuts


def _held(on: NDArray[np.bool_], gap: int) -> int:
    """How many samples from the beginning on something holds, over gaps (a gear change) of up to a second and a half;
    0: it does not begin."""
    begins = np.flatnonzero(on[: 4 * max(gap, 1)])
    if not begins.size:
        return 0
    off = runs_of(~on[begins[0] :], max(2, 3 * gap))
    return int(begins[0] + (off[0][0] if off else on.size - 1 - begins[0]))


_TOLD_BY_TURNS = ("straight pass", "hill climb")
"""Runs that only the lateral g tells apart."""
_SLOW_CLIMB_S, _MOST_CLIMBS = 8.0, 0.6


def _climbs_as_on_a_dyno(t: FloatArray, rpm: FloatArray) -> bool:
    """With neither speed nor g: most climbs of the engine speed are slower than in any gear on the road (default 8 s
    for 1000 rpm)."""
    rate = np.gradient(rpm, t)
    climbs = [(a, b - 1) for a, b in runs_of((rate > 25.0) & (rpm > 800.0), 4) if rpm[b - 1] - rpm[a] >= 1000.0]
    slow = sum(t[b] - t[a] >= _SLOW_CLIMB_S for a, b in climbs)
    return bool(climbs) and slow >= _MOST_CLIMBS * len(climbs)


def _sweeps(t: FloatArray, rpm: FloatArray, where: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """Where the engine climbs steadily by 2000 rpm and more, the car standing."""
    rate = np.gradient(rpm, t)
    found = []
    for first, last in runs_of(where & (rate > 25.0) & (rpm > 800.0), 4):
        long = t[last - 1] - t[first]
        if rpm[last - 1] - rpm[first] >= _SWEEP_RPM and _SWEEP_S <= long <= _LONGEST_SWEEP_S:
            found.append((first, last - 1))
    return found


def _cold_starts(t: FloatArray, rpm: FloatArray, temperature: FloatArray | None) -> list[tuple[int, int]]:
    """From the engine's start, with oil under 50 °C, for a minute or until it stops."""
    if temperature is None:
        return []
    found = []
    on = rpm > _STARTS_RPM
    for first, last in runs_of(on, 2):
        heat = temperature[first:last]
        heat = heat[np.isfinite(heat)]
        if first > 0 and heat.size and float(heat[0]) < _COLD_C and t[last - 1] - t[first] > 2.0:
            found.append((first, int(min(np.searchsorted(t, t[first] + _COLD_S), last - 1))))
    return found
