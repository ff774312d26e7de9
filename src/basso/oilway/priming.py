"""Priming read off a cranking log: bursts and rests of the starter, seconds to pressure, and the start that
followed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from basso.recording.channel import extremes
from basso.recording.recording import Recording, frame_on
from basso.recording.roles import Role
from basso.sentence import in_kpa, phrase
from basso.units import FloatArray

_PLACES = (Role.PRESSURE_PUMP_OUT, Role.PRESSURE_COOLER_OUT, Role.PRESSURE_FILTER_OUT)
_CRANKING_RPM = (60.0, 450.0)
_RUNNING_RPM = 500.0
_PRESSURE_KPA = 35.0
"""Pressure is there from 5 psi on (default): what a factory warning switch opens at."""
_STEADY_S = 0.5
_LONG_BURST_S = 12.0
_SHORT_REST_S = 15.0
_LONGEST_S = 30.0
"""Cranking is of the order of 10 s; beyond three times that something is wrong (default)."""


@dataclass(frozen=True, slots=True)
class Burst:
    """The starter turning: seconds from the start of the log, and the greatest pressure in kPa."""

    start_s: float
    end_s: float
    peak_kpa: float


@dataclass(frozen=True, slots=True)
class Priming:
    """What a cranking log shows.

    Attributes:
        bursts: of the starter, before the engine ran.
        cranked_s: starter time in all.
        first_s: starter time until pressure first showed; None when it never did before the start.
        steady_s: starter time until it stayed for half a second of cranking; None.
        started_s: when the engine ran, seconds from the start of the log; None.
        after_start: (seconds after the start, kPa) at 1, 3 and 10 s, where logged.
        cautions: sentences.
    """

    bursts: tuple[Burst, ...]
    cranked_s: float
    first_s: float | None
    steady_s: float | None
    started_s: float | None
    after_start: tuple[tuple[float, float], ...]
    cautions: tuple[str, ...]
    elsewhere: tuple[tuple[str, float | None], ...] = ()
    """(place, starter time until pressure first showed there) of further oil pressures, where logged."""


def find_priming(recording: Recording) -> Priming | None:
    """Read the priming off a log; None when it has no rpm or no pressure, or never cranks."""
    if not (recording.has(Role.RPM) and recording.has(Role.OIL_PRESSURE)):
        return None
    frame = frame_on(recording, Role.OIL_PRESSURE)
    rpm, pressure = frame.get(Role.RPM), frame.get(Role.OIL_PRESSURE)
    assert rpm is not None and pressure is not None
    found = priming_of(frame.time_s, rpm, pressure)
    if found is None:
        return None
    elsewhere = []
    for role in _PLACES:
        other = frame.get(role)
        if other is not None and (there := priming_of(frame.time_s, rpm, other)) is not None:
            elsewhere.append((role.words, there.first_s))
    return replace(found, elsewhere=tuple(elsewhere))


def priming_by_hand(
    bursts: Sequence[tuple[float, float]], first_at_s: float | None, started_s: float | None = None
) -> Priming | None:
    """The same from a stopwatch: when the starter turned, and when the lamp went out or the gauge rose.

    Args:
        bursts: (start, end) in seconds, in order.
        first_at_s: when pressure showed, on the same clock; None when it did not.
        started_s: when the engine ran.
    """
    if not bursts:
        return None
    turned = [end - start for start, end in bursts]
    first = None if first_at_s is None else sum(max(0.0, min(end, first_at_s) - start) for start, end in bursts)
    made = tuple(Burst(start, end, float("nan")) for start, end in bursts)
    p = Priming(made, sum(turned), first, None, started_s, (), ())
    return replace(p, cautions=tuple(_cautions(p)))


def priming_of(time_s: FloatArray, rpm: FloatArray, pressure_kpa: FloatArray) -> Priming | None:
    """The same from arrays, shape (n,) each: seconds, rpm, kPa gauge; NaN counts as not cranking."""
    running = np.flatnonzero(rpm > _RUNNING_RPM)
    end = int(running[0]) if running.size else time_s.size
    cranking = (rpm[:end] > _CRANKING_RPM[0]) & (rpm[:end] < _CRANKING_RPM[1])
    if np.count_nonzero(cranking) < 3:
        return None
    edges = np.flatnonzero(np.diff(np.concatenate([[False], cranking, [False]]).astype(np.int8)))
    step = float(np.median(np.diff(time_s)))
    bursts = []
    starter = np.zeros(end)
    for a, b in zip(edges[::2], edges[1::2], strict=True):
        last = min(int(b), time_s.size - 1)
        bursts.append(Burst(float(time_s[a]), float(time_s[last]), extremes(pressure_kpa[a:b])[1]))
        starter[a:b] = np.minimum(np.diff(time_s[a : b + 1]) if b < time_s.size else step, 5.0 * step)[: b - a]
    turned = np.cumsum(starter)
    there = cranking & (pressure_kpa[:end] >= _PRESSURE_KPA)
    first = int(np.argmax(there)) if there.any() else -1
    steady = _first_steady(there, cranking, starter)
    started = float(time_s[end]) if running.size else None
    after: tuple[tuple[float, float], ...] = ()
    if started is not None:
        wanted = [s for s in (1.0, 3.0, 10.0) if started + s <= time_s[-1]]
        after = tuple((s, float(np.interp(started + s, time_s, pressure_kpa))) for s in wanted)
    made = Priming(
        tuple(bursts),
        float(turned[-1]),
        float(turned[first]) if first >= 0 else None,
        float(turned[steady]) if steady >= 0 else None,
        started,
        after,
        (),
    )
    return replace(made, cautions=tuple(_cautions(made)))


def _first_steady(there: np.ndarray, cranking: np.ndarray, starter: FloatArray) -> int:
    """First row from which pressure stays while cranking goes on, for half a second of it; −1 for none."""
    held = 0.0
    for i in range(there.size):
        if there[i]:
            held += float(starter[i])
            if held >= _STEADY_S:
                return i
        elif cranking[i]:
            held = 0.0
    return -1


def _cautions(p: Priming) -> list[str]:
    said = []
    longest = max(b.end_s - b.start_s for b in p.bursts)
    if longest > _LONG_BURST_S:
        said.append(f"One burst lasted {longest:.0f} s: keep them short, the starter burns out.")
    rests = [b.start_s - a.end_s for a, b in zip(p.bursts, p.bursts[1:], strict=False)]
    if rests and min(rests) < _SHORT_REST_S:
        said.append(f"A rest of {min(rests):.0f} s is short for the starter.")
    if p.started_s is not None and p.first_s is None:
        said.append("It was started before any pressure showed while cranking.")
    if p.first_s is None and p.cranked_s > _LONGEST_S:
        said.append(
            f"No pressure after {p.cranked_s:.0f} s of cranking: stop; look for an empty filter, pickup or pump drive."
        )
    late = [kpa for s, kpa in p.after_start if s <= 3.0]
    if late and max(late) < _PRESSURE_KPA:
        said.append("No pressure within 3 s of the start: stop the engine at once.")
    return said


def priming_words(p: Priming, earlier: Sequence[float]) -> str:
    """A priming in words: bursts, seconds to pressure against this car's history, the start, cautions."""
    bursts = f"{len(p.bursts)} {'burst' if len(p.bursts) == 1 else 'bursts'}, {p.cranked_s:.1f} s in all"
    said = [
        f"{bursts}.",
        against_history(p.first_s, earlier) if p.first_s is not None else "No pressure while cranking.",
    ]
    if p.steady_s is not None and p.first_s is not None and p.steady_s - p.first_s > 1.0:
        said.append(f"Steady only after {p.steady_s:.1f} s.")
    said += [
        f"{place[0].upper()}{place[1:]}: {'none' if first is None else f'after {first:.1f} s'}."
        for place, first in p.elsewhere
    ]
    said += [phrase("{} {:.0f} s after the start.", in_kpa(kpa), s) for s, kpa in p.after_start[:2]]
    return " ".join([*said, *p.cautions])


def against_history(first_s: float, earlier: Sequence[float]) -> str:
    """Seconds to pressure against this car's earlier primings, in words."""
    if len(earlier) < 2:
        return f"{first_s:.1f} s of cranking to pressure; too few earlier ones to compare with."
    usual, spread = float(np.median(earlier)), float(np.ptp(earlier))
    if first_s > usual + max(2.0, 2.0 * spread):
        return (
            f"{first_s:.1f} s of cranking to pressure, against {usual:.1f} s usual here ({len(earlier)} "
            "before): slower. Look for air, level or filter."
        )
    return f"{first_s:.1f} s of cranking to pressure, as usual here ({usual:.1f} s, {len(earlier)} before)."
