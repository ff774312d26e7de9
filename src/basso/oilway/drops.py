"""What the oil loses on its way: the drop across cooler, filter and galleries, and whether it has grown.

With pressures logged at several places the drop between two of them is that of the parts between. It grows with flow
and with viscosity, so that two sessions are held against each other only at one engine speed and one viscosity: ``drop
= a · (n/5000) · (ν/15 mm²/s) + b · (n/5000)²``, laminar and turbulent share, both not negative (Hagen and Poiseuille;
orifice). The flow is that of a positive-displacement pump, in proportion to the engine speed.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from basso.normal.settled import WARM_C
from basso.oil.grades import Grade, usual
from basso.oil.viscosity import walther
from basso.recording.gaps import or_zero
from basso.recording.recording import Recording, frame_on
from basso.recording.roles import Role
from basso.recording.rolling import rolling_mean
from basso.sentence import in_kpa, phrase
from basso.trust.oil_way import ORDER
from basso.units import FloatArray

_PARTS = {Role.PRESSURE_COOLER_OUT: "cooler", Role.PRESSURE_FILTER_OUT: "filter", Role.OIL_PRESSURE: "galleries"}
REFERENCE_RPM, REFERENCE_MM2PS = 5000.0, 15.0
_GRID_S = 0.1
_BLOCK_S = 15.0
_LEAST_S = 60.0
_GROWN = 1.25
_BYPASS = 0.85
_NOTHING_KPA = 1.5
"""Warm oil at 5000 rpm loses more than this in any filter or cooler (default)."""


@dataclass(frozen=True, slots=True)
class Drop:
    """The drop between two places.

    Attributes:
        parts: what lies between ("cooler", "cooler and filter").
        laminar_kpa, turbulent_kpa: a and b above.
        error_kpa: standard error of the drop at the reference, by leaving out 15 s at a time.
        zero_kpa: what the two read apart with the engine stopped, taken off; None when it never stood.
        bypass: at high engine speed it no longer grows as it should: a bypass opens.
    """

    parts: str
    laminar_kpa: float
    turbulent_kpa: float
    error_kpa: float
    zero_kpa: float | None
    bypass: bool = False

    def at(self, rpm: float, viscosity_mm2ps: float = REFERENCE_MM2PS) -> float:
        """The drop in kPa at an engine speed and viscosity."""
        n = rpm / REFERENCE_RPM
        return self.laminar_kpa * n * viscosity_mm2ps / REFERENCE_MM2PS + self.turbulent_kpa * n * n


@dataclass(frozen=True, slots=True)
class Change:
    """A drop against earlier sessions; ``words`` say it, ``costs_kpa`` is what is lost more at redline."""

    now: Drop
    before: Drop | None
    """The middle one of those before."""
    before_kpa: float | None
    state: str
    """"first", "as before", "grown" or "fallen"."""
    costs_kpa: float | None
    words: str


def find_drops(recording: Recording, oil: Grade | None = None) -> list[Drop]:
    """The drops a recording shows, in the order of the oil's way; none with fewer than two places or too little warm
    running."""
    places = [role for role in ORDER if recording.has(role)]
    if len(places) < 2 or not recording.has(Role.RPM):
        return []
    frame = frame_on(recording, places[-1])
    time_s = np.arange(frame.time_s[0], frame.time_s[-1], _GRID_S)
    if time_s.size < 3:
        return []
    seen = {r: np.interp(time_s, frame.time_s, frame.filled(r)) for r in (*places, Role.RPM)}
    rpm = seen[Role.RPM]
    temperature = frame.get(Role.OIL_TEMP)
    known = temperature is not None
    celsius = (
        np.interp(time_s, frame.time_s, or_zero(temperature))
        if temperature is not None
        else np.full(time_s.size, 100.0)
    )
    thick = walther(oil or usual()).viscosity_mm2ps(np.maximum(celsius, 1.0))
    change = np.abs(np.gradient(rolling_mean(rpm, 3), _GRID_S)) / np.maximum(rpm, 500.0)
    use = (rpm > 1500.0) & (change < 0.15) & ((celsius >= WARM_C) | (not known))
    stopped = rpm < 60.0
    found = []
    for up, down in pairwise(places):
        apart = seen[up] - seen[down]
        zero = float(np.median(apart[stopped])) if stopped.sum() * _GRID_S > 1.0 else None
        drop = _fitted(time_s, rpm, thick, apart - (zero or 0.0), use, _between(up, down), zero)
        if drop is not None:
            found.append(drop)
    return found


def _between(up: Role, down: Role) -> str:
    names = [_PARTS[r] for r in ORDER[ORDER.index(up) + 1 : ORDER.index(down) + 1]]
    return " and ".join([", ".join(names[:-1]), names[-1]]) if len(names) > 1 else names[0]


def _fitted(
    time_s: FloatArray,
    rpm: FloatArray,
    thick: FloatArray,
    apart: FloatArray,
    use: NDArray[np.bool_],
    parts: str,
    zero: float | None,
) -> Drop | None:
    if use.sum() * _GRID_S < _LEAST_S:
        return None
    n = rpm / REFERENCE_RPM
    design = np.column_stack([n * thick / REFERENCE_MM2PS, n * n])
    kept = use
    fit = np.zeros(2)
    for _ in range(4):
        fit = _not_negative(design[kept], apart[kept])
        off = apart - design @ fit
        spread = max(float(np.median(np.abs(off[kept]))) / 0.6745, 0.1)
        kept = use & (np.abs(off) < 3.0 * spread)
    block = (time_s[kept] // _BLOCK_S).astype(np.int64)
    names = np.unique(block)
    at = np.array([1.0, 1.0])
    without = (
        np.array([_not_negative(design[kept][block != b], apart[kept][block != b]) @ at for b in names])
        if names.size > 3
        else np.array([np.nan])
    )
    error = (
        float(np.sqrt((without.size - 1) * np.mean((without - without.mean()) ** 2)))
        if without.size > 3
        else float("nan")
    )
    return Drop(parts, float(fit[0]), float(fit[1]), error, zero, _bypass(rpm, apart, design, use))


def _not_negative(design: FloatArray, values: FloatArray) -> FloatArray:
    """Least squares of two terms, neither negative."""
    both: FloatArray = np.asarray(np.linalg.lstsq(design, values, rcond=None)[0], dtype=np.float64)
    if (both >= 0).all():
        return both
    best: FloatArray = np.zeros(2)
    least = float(np.sum(values**2))
    for i in range(2):
        alone = max(float(design[:, i] @ values / max(float(design[:, i] @ design[:, i]), 1e-12)), 0.0)
        left = float(np.sum((values - design[:, i] * alone) ** 2))
        if left < least:
            least, best = left, np.array([alone, 0.0] if i == 0 else [0.0, alone])
    return best


def _bypass(rpm: FloatArray, apart: FloatArray, design: FloatArray, use: NDArray[np.bool_]) -> bool:
    """True where the drop at high engine speed is under 85 % of what slower running promises."""
    slow, fast = np.percentile(rpm[use], (35, 85))
    slow_fit = _not_negative(design[use & (rpm <= slow)], apart[use & (rpm <= slow)])
    promised = design @ slow_fit
    there = use & (rpm >= fast) & (promised > 10.0)
    return bool(there.sum() >= 50 and float(np.median(apart[there] / promised[there])) < _BYPASS)


def held_against(now: Sequence[Drop], earlier: Sequence[Sequence[Drop]], redline_rpm: float) -> list[Change]:
    """Each drop against the same parts in earlier sessions, at one engine speed and viscosity.

    Args:
        now: of the session in question; ``earlier``: of sessions before it, oldest first.
        redline_rpm: where the cost is told.
    """
    return [_held(d, [e for drops in earlier for e in drops if e.parts == d.parts], redline_rpm) for d in now]


def _held(now: Drop, before: Sequence[Drop], redline_rpm: float) -> Change:
    here = now.at(REFERENCE_RPM)
    told = phrase(
        "{}{}: {:bare} ± {} at {:.0f} rpm and {:.0f} mm²/s",
        now.parts[:1].upper(),
        now.parts[1:],
        in_kpa(here, 1),
        in_kpa(2 * now.error_kpa, 1),
        REFERENCE_RPM,
        REFERENCE_MM2PS,
    )
    if now.zero_kpa is None:
        told += " (the two sensors were never read at rest)"
    if here < _NOTHING_KPA and now.parts != "galleries":
        told += "; next to nothing: its bypass stands open, or both sensors read at one place"
    if now.bypass:
        told += "; at high engine speed it no longer grows: a bypass opens"
    if not before:
        return Change(
            now, None, None, "first", None, phrase("{}. The first reading: there is none to hold it against.", told)
        )
    values = np.array([d.at(REFERENCE_RPM) for d in before])
    usual_kpa = float(np.median(values))
    scatter = float(np.std(values, ddof=1)) if values.size > 1 else float(before[0].error_kpa)
    doubt = float(np.hypot(now.error_kpa, scatter))
    middle = sorted(before, key=lambda d: d.at(REFERENCE_RPM))[len(before) // 2]
    more = now.at(redline_rpm) - middle.at(redline_rpm)
    if here > _GROWN * usual_kpa and here - usual_kpa > max(3.0 * doubt, 2.0):
        cause = "it clogs" if "filter" in now.parts else "it is narrower than it was"
        words = phrase(
            "{}, against {} before: {}. At {:.0f} rpm that costs {} of gallery pressure.",
            told,
            in_kpa(usual_kpa, 1),
            cause,
            redline_rpm,
            in_kpa(more),
        )
        return Change(now, middle, usual_kpa, "grown", more, words)
    if usual_kpa > _GROWN * max(here, 0.0) and usual_kpa - here > max(3.0 * doubt, 2.0):
        return Change(
            now,
            middle,
            usual_kpa,
            "fallen",
            more,
            phrase("{}, against {} before: a new part, or a bypass that stands open.", told, in_kpa(usual_kpa, 1)),
        )
    return Change(
        now, middle, usual_kpa, "as before", more, phrase("{}, {} before: as it was.", told, in_kpa(usual_kpa, 1))
    )
