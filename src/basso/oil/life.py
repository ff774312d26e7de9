"""How long an oil has been in: volumes, use since the fill, what is due, consumption.

Works on anything that looks like the records of the garage (see :class:`Poured` and :class:`Use`), in time order or
not.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

_WARM_C = 60.0
"""A session that got the oil this warm and let it cool again is a heat cycle (default)."""


class Poured(Protocol):
    """Oil poured in or taken out."""

    @property
    def day(self) -> str: ...
    @property
    def kind(self) -> str: ...
    @property
    def grade(self) -> str: ...
    @property
    def lot(self) -> str: ...
    @property
    def volume_l(self) -> float | None: ...
    @property
    def filter_new(self) -> bool: ...


class Use(Protocol):
    """One drive."""

    @property
    def began(self) -> str: ...
    @property
    def kind(self) -> str: ...
    @property
    def running_s(self) -> float | None: ...
    @property
    def hot_s(self) -> float | None: ...
    @property
    def distance_km(self) -> float | None: ...
    @property
    def peak_oil_c(self) -> float | None: ...


@dataclass(frozen=True, slots=True)
class Holding:
    """What each part of the oil system holds, in litres; None where it was never measured."""

    pan_l: float | None = None
    filter_l: float | None = None
    cooler_l: float | None = None
    lines_l: float | None = None
    galleries_l: float | None = None
    accumulator_l: float | None = 0.0
    """What a charged accumulator takes; 0 without one, None with one that was never measured."""


@dataclass(frozen=True, slots=True)
class Needed:
    """What to pour, and how it adds up. ``unknown`` names parts whose volume was never measured."""

    litres: float
    parts: tuple[tuple[str, float], ...]
    unknown: tuple[str, ...]
    drop_l: float
    """How much of it leaves the pan once the filter (and what else was empty) has filled: the stick falls by this."""


WEIGHTS = {"track": 1.0, "runs": 1.0, "dyno": 1.0, "road": 0.5}
"""What an hour of each kind of use counts against an interval in hours (default); time over 100 °C counts half
again."""
HOT_WEIGHT = 0.5


@dataclass(frozen=True, slots=True)
class Due:
    """One interval: used of limit, in ``unit`` ("h", "km" or "sessions")."""

    unit: str
    used: float
    limit: float

    @property
    def share(self) -> float:
        """Part of the interval that is used up."""
        return self.used / self.limit


@dataclass(frozen=True, slots=True)
class OilState:
    """The oil that is in now.

    Attributes:
        grade, lot, since: of the last fill or change; since is its day.
        running_h, hot_h, distance_km: used since, as far as known. ``by_kind``: hours by kind of use.
        weighted_h: the hours as they count against an interval, by :data:`WEIGHTS`.
        sessions, heat_cycles: since.
        unknown: sessions since of which the running time is not known: everything above is then a least.
        added_l: topped up since; ``per_hour_l``, ``per_1000_km_l``: that over the use, None with nothing to divide by.
        due: every interval set, the one that comes first in front.
    """

    grade: str
    lot: str
    since: str
    filled_l: float | None
    running_h: float
    hot_h: float
    weighted_h: float
    distance_km: float
    sessions: int
    heat_cycles: int
    unknown: int
    by_kind: tuple[tuple[str, float], ...]
    added_l: float
    per_hour_l: float | None
    per_1000_km_l: float | None
    due: tuple[Due, ...]


def needed(
    holding: Holding,
    filter_new: bool = True,
    cooler_empty: bool = False,
    dry: bool = False,
    accumulator_empty: bool = False,
) -> Needed:
    """What to pour to reach the full mark *after* running.

    Args:
        holding: volumes of the parts.
        filter_new: the filter is empty; ``cooler_empty``: cooler and lines were drained; ``dry``: galleries too, as
            after a rebuild (else they keep their oil through a change); ``accumulator_empty``: it was vented for the
            change.
    """
    wanted = [("pan", holding.pan_l)]
    away: list[tuple[str, float | None]] = []
    if filter_new:
        away.append(("filter", holding.filter_l))
    if cooler_empty or dry:
        away += [("cooler", holding.cooler_l), ("lines", holding.lines_l)]
    if dry:
        away.append(("galleries", holding.galleries_l))
    if (dry or accumulator_empty) and holding.accumulator_l != 0.0:
        away.append(("accumulator", holding.accumulator_l))
    parts = [(name, litres) for name, litres in wanted + away if litres is not None]
    unknown = tuple(name for name, litres in wanted + away if litres is None)
    drop = sum(litres for _, litres in away if litres is not None)
    return Needed(sum(litres for _, litres in parts), tuple(parts), unknown, drop)


def oil_state(
    entries: Sequence[Poured],
    sessions: Sequence[Use],
    hours: float | None = None,
    km: float | None = None,
    events: float | None = None,
    until: str = "9999",
) -> OilState | None:
    """The oil that is in (at the end of the day ``until``), or None when no fill was ever written down.

    Args:
        entries, sessions: of one car. A session on the day of a fill counts for the new oil.
        hours, km, events: the intervals; None where not set.
    """
    past = sorted((e for e in entries if e.day[:10] <= until), key=lambda e: e.day)
    last = next((e for e in reversed(past) if e.kind in ("fill", "change")), None)
    if last is None:
        return None
    after = past[past.index(last) + 1 :]
    since = [s for s in sessions if last.day[:10] <= s.began[:10] <= until]
    running = sum(s.running_s or 0.0 for s in since) / 3600.0
    distance = sum(s.distance_km or 0.0 for s in since)
    kinds: dict[str, float] = {}
    for s in since:
        kinds[s.kind] = kinds.get(s.kind, 0.0) + (s.running_s or 0.0) / 3600.0
    hot = sum(s.hot_s or 0.0 for s in since) / 3600.0
    weighted = sum(WEIGHTS.get(kind, 1.0) * h for kind, h in kinds.items()) + HOT_WEIGHT * hot
    added = sum(e.volume_l or 0.0 for e in after if e.kind == "top-up")
    limits = (("h", weighted, hours), ("km", distance, km), ("sessions", float(len(since)), events))
    due = sorted((Due(u, used, limit) for u, used, limit in limits if limit), key=lambda d: -d.share)
    return OilState(
        grade=last.grade,
        lot=last.lot,
        since=last.day[:10],
        filled_l=last.volume_l,
        running_h=running,
        hot_h=hot,
        weighted_h=weighted,
        distance_km=distance,
        sessions=len(since),
        heat_cycles=sum(1 for s in since if (s.peak_oil_c or 0.0) >= _WARM_C),
        unknown=sum(1 for s in since if s.running_s is None),
        by_kind=tuple(sorted(kinds.items(), key=lambda k: -k[1])),
        added_l=added,
        per_hour_l=added / running if running > 0 else None,
        per_1000_km_l=1000.0 * added / distance if distance > 0 else None,
        due=tuple(due),
    )


def gone_l(entries: Sequence[Poured], holding: Holding) -> float | None:
    """Oil that was used up over the fill before the one that is in, by what came out of it; None where that is not
    known.

    What came out is a drain on the day of the change. Filter, cooler, lines and galleries keep what they hold, and all
    of them have to be measured for the sum to mean anything.
    """
    past = sorted(entries, key=lambda e: e.day)
    fills = [i for i, e in enumerate(past) if e.kind in ("fill", "change")]
    kept = (holding.filter_l, holding.cooler_l, holding.lines_l, holding.galleries_l)
    if len(fills) < 2 or any(k is None for k in kept):
        return None
    before, now = past[fills[-2]], past[fills[-1]]
    drains = [e for e in past if e.kind == "drain" and e.day[:10] == now.day[:10] and e.volume_l is not None]
    if not drains or before.volume_l is None:
        return None
    between = [e for e in past[fills[-2] + 1 : fills[-1]] if e.kind in ("top-up", "level change")]
    added = sum(e.volume_l or 0.0 for e in between)
    # A first fill fills everything; a change finds the rest full, and pours pan and filter only.
    left = sum(k or 0.0 for k in kept) if past[fills[-2]].kind == "fill" else (holding.filter_l or 0.0)
    return drained_short_l(sum(e.volume_l or 0.0 for e in drains), before.volume_l, added, left)


def drained_short_l(drained_l: float, poured_l: float, added_l: float, left_l: float) -> float:
    """Oil that is gone: poured and topped up, less drained and what stays in filter, cooler, lines and galleries."""
    return poured_l + added_l - drained_l - left_l
