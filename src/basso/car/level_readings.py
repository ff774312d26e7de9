"""Which readings of a level book enter its line, and why the others do not: one read nose up would bend it all."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from basso.garage.records import Build, LevelPoint
from basso.oil.level_book import Reading, fit_level
from basso.sentence import in_litres, phrase

BEFORE_START, AFTER_RUNNING = "before the start", "after running"
LEAST_WAIT_MIN = 5.0
"""Oil that was just poured is still running down (default)."""
_LEVEL = ("", "level", "on level ground", "level ground", "flat", "car level")
_LEAST_TO_JUDGE = 5
_OFF_L, _OFF_TIMES = 0.15, 4.0


@dataclass(frozen=True, slots=True)
class SortedReadings:
    """``used``: readings with what they mean; ``left_out``: the others, each with why."""

    used: tuple[tuple[LevelPoint, Reading], ...]
    left_out: tuple[tuple[LevelPoint, str], ...]


def sort_readings(points: Sequence[LevelPoint], stored_l: Callable[[LevelPoint], float | None]) -> SortedReadings:
    """Sort the readings of one pan and stick.

    Args:
        stored_l: what the accumulator had taken out of the pan at a reading; None where nobody wrote down whether it
            was charged.
    """
    left: list[tuple[LevelPoint, str]] = []
    stances = Counter(_stance(p) for p in points if p.pan_l is not None and p.depth_mm is not None)
    common = max(stances, key=lambda s: (stances[s], s == "level"), default="level")
    kept: list[tuple[LevelPoint, Reading]] = []
    for p in points:
        if p.pan_l is None or p.depth_mm is None or p.mark == AFTER_RUNNING:
            continue
        stored = stored_l(p)
        if _stance(p) != common:
            left.append((p, f"stance and seat '{p.stance or 'level'}', where most have '{common}'"))
        elif p.wait_min is not None and p.wait_min < LEAST_WAIT_MIN:
            left.append((p, f"read {p.wait_min:g} min after pouring: the oil was still running down"))
        elif stored is None:
            left.append((p, "whether the accumulator was charged was not written down"))
        else:
            kept.append((p, Reading(p.pan_l - stored, p.depth_mm)))
    worst = _off_the_line([r for _, r in kept])
    if worst is not None:
        at, off = worst
        p, _ = kept.pop(at)
        left.append(
            (
                p,
                phrase(
                    "lies {} {} the line of the others: read it again",
                    in_litres(abs(off), 1),
                    "over" if off > 0 else "under",
                ),
            )
        )
    return SortedReadings(tuple(kept), tuple(left))


def stored_l(builds: Sequence[Build], point: LevelPoint) -> float | None:
    """What an armed accumulator had taken out of the pan at a reading, by the build of that day; None where its state
    is not known."""
    if point.accumulator not in ("armed", "unknown"):
        return 0.0
    on = max((b for b in builds if b.since[:10] <= point.day[:10]), key=lambda b: b.since, default=None)
    stored = (on.accumulator_l or 0.0) if on is not None else 0.0
    return None if point.accumulator == "unknown" and stored else stored


def _stance(point: LevelPoint) -> str:
    words = " ".join(point.stance.lower().split()).rstrip(".")
    return "level" if words in _LEVEL else words


def _off_the_line(readings: Sequence[Reading]) -> tuple[int, float] | None:
    """(place, litres off) of the one reading that lies far off the line of all the others; None where there is none."""
    if len(readings) < _LEAST_TO_JUDGE:
        return None
    found = []
    for i, r in enumerate(readings):
        others = fit_level([*readings[:i], *readings[i + 1 :]])
        if others is None:
            continue
        said = sum(c * r.depth_mm**k for k, c in enumerate(others.coefficients))
        off = r.pan_l - said
        if (
            abs(off) > max(_OFF_L, _OFF_TIMES * others.scatter_l)
            and others.lowest_mm <= r.depth_mm <= others.highest_mm
        ):
            found.append((i, off))
    return max(found, key=lambda f: abs(f[1]), default=None)
