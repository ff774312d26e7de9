"""The runs of a trial day held against its card: laps, oil temperature, pace, g, order, and the line at which to stop.

A run that is off the card is not lost: temperature and g are adjusted for, at the price of a wider interval. What
cannot be checked because it was not logged is said to be so, never taken for held.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from basso.analysis import Analysis
from basso.errors import InputError
from basso.recording.spans import runs_of
from basso.trial.match import side_of
from basso.trial.plan import TrialPlan

_STOP_SHARE, _STOP_S = 0.5, 0.3
"""Under half of normal for so long a run is to be ended (default)."""
_LAP_BEGINS_S = 3.0
"""The oil temperature entering a lap is the median over its first seconds."""

SideName = Literal["A", "B"]
What = Literal["oil", "pace", "g"]
Unchecked = Literal["oil", "pace", "g", "stop line"]


@dataclass(frozen=True, slots=True)
class RunCard:
    """What was to be driven, and how.

    Attributes:
        change: what is tried on side B, in words.
        order, laps_per_run: runs in their order, and flying laps in each.
        hold: ``oil_temp_c``, ``lap_time_s``, ``peak_g`` → from where to where it is kept.
    """

    change: str
    order: tuple[SideName, ...]
    laps_per_run: tuple[int, ...]
    hold: Mapping[str, tuple[float, float]]

    def laps(self, side: SideName) -> int:
        """Flying laps of a side, all runs together."""
        return sum(n for s, n in zip(self.order, self.laps_per_run, strict=True) if s == side)


@dataclass(frozen=True, slots=True)
class Low:
    """The longest stretch of a run under half of normal."""

    seconds: float
    lap: int | None
    place: str | None


@dataclass(frozen=True, slots=True)
class CheckedRun:
    """One run against its line of the card.

    Attributes:
        number: in the order driven, from 1.
        asked: flying laps on its line; None where the card has no further run of its side.
        laps: flying laps driven; ``in_range``: of them with the oil in range, all where that cannot be told.
        oil_c: lowest, median and highest oil temperature entering the flying laps; None where not logged.
        lap_time_s, peak_g: medians; None where not known.
        off: how far outside its range each is, signed, in its own unit; only what is outside.
        unknown: what the card asks and the log does not tell.
        barred: why it cannot be judged at all; "" where it can.
        low: None where it never was under half of normal for long, or that cannot be told.
    """

    number: int
    side: SideName
    name: str
    asked: int | None
    laps: int
    in_range: int
    oil_c: tuple[float, float, float] | None
    lap_time_s: float | None
    peak_g: float | None
    off: Mapping[What, float]
    unknown: tuple[Unchecked, ...]
    barred: str
    low: Low | None


@dataclass(frozen=True, slots=True)
class CheckedCard:
    """A day's runs against the card.

    Attributes:
        in_order: the sides were driven in the card's order so far; None where the logs do not say when they began, or
            the same time.
        to_drive: flying laps in range that each side still lacks.
    """

    card: RunCard
    runs: tuple[CheckedRun, ...]
    in_order: bool | None
    to_drive: Mapping[SideName, int]


def card_of(plan: TrialPlan, change: str = "") -> RunCard:
    """The card of a plan.

    Raises:
        InputError: the plan found no number of laps.
    """
    if plan.laps_per_side is None:
        raise InputError("The plan has no number of laps, so there are no runs; choose a larger effect and plan again.")
    order = tuple(_side(s) for s in plan.order)
    return RunCard(change, order, plan.laps_per_run, dict(plan.hold))


def card_from(document: Any, where: str) -> RunCard:
    """The card in a document that ``basso plan --json`` wrote.

    Raises:
        InputError: it is none, or plans no runs; ``where`` begins the sentence.
    """
    wrong = InputError(f"{where}: is no plan; give the file that 'basso plan … --json' wrote.")
    try:
        if document["schema"] != "basso.plan/1":
            raise wrong
        order = tuple(_side(s) for s in document["order"])
        laps = tuple(int(n) for n in document["laps_per_run"])
        hold = {str(k): (float(low), float(high)) for k, (low, high) in document["hold"].items()}
        change = str(document.get("change", ""))
    except (KeyError, TypeError, ValueError, AttributeError, OverflowError):
        raise wrong from None
    if not order:
        raise InputError(f"{where}: plans no runs, since no number of laps was enough; plan a larger effect.")
    if len(order) != len(laps) or min(laps) < 1 or not all(low <= high for low, high in hold.values()):
        raise wrong
    return RunCard(change, order, laps, hold)


def check_runs(card: RunCard, driven: Sequence[tuple[SideName, Analysis]]) -> CheckedCard:
    """Hold runs against their card; in the order in which they began where every log says when, else as given."""
    began = [x.recording.started for _, x in driven]
    # A date alone orders no runs of one day.
    told = all("T" in t for t in began) and len(set(began)) == len(began)
    ordered = [driven[i] for i in sorted(range(len(driven)), key=began.__getitem__)] if told else list(driven)
    asked = {s: [n for of, n in zip(card.order, card.laps_per_run, strict=True) if of == s] for s in ("A", "B")}
    runs = []
    for number, (side, x) in enumerate(ordered, 1):
        left = asked[side]
        runs.append(_checked(card, number, side, x, left.pop(0) if left else None))
    sides = tuple(s for s, _ in ordered)
    names: tuple[SideName, SideName] = ("A", "B")
    to_drive = {s: max(0, card.laps(s) - sum(r.in_range for r in runs if r.side == s)) for s in names}
    return CheckedCard(card, tuple(runs), _in_order(card.order, sides) if told else None, to_drive)


def _side(name: object) -> SideName:
    if name == "A":
        return "A"
    if name == "B":
        return "B"
    raise ValueError(name)


def _in_order(order: Sequence[SideName], driven: Sequence[SideName]) -> bool:
    """Whether the sides follow each other as on the card; a run that was repeated at once is no change of order."""

    def turns(sides: Sequence[SideName]) -> list[SideName]:
        return [s for n, s in enumerate(sides) if n == 0 or s != sides[n - 1]]

    whole, so_far = turns(order), turns(driven)
    return so_far == (whole if len(driven) >= len(order) else whole[: len(so_far)])


def _checked(card: RunCard, number: int, side: SideName, x: Analysis, asked: int | None) -> CheckedRun:
    barred = x.barred_by
    flying = [lap for lap in x.laps if lap.complete]
    entering = _entering_c(x)
    conditions = side_of(side, [x], x.track, 0, None).conditions
    g = conditions.peak_g[1] if conditions.peak_g is not None else None
    values: dict[What, float | None] = {
        "oil": float(np.median(entering)) if entering.size else None,
        "pace": conditions.lap_time_s,
        "g": g,
    }
    held: dict[What, tuple[float, float] | None] = {
        "oil": card.hold.get("oil_temp_c"),
        "pace": card.hold.get("lap_time_s"),
        "g": card.hold.get("peak_g"),
    }
    off: dict[What, float] = {}
    unknown: list[Unchecked] = [] if x.judgeable and x.expected.valid else ["stop line"]
    for what, ends in held.items():
        value = values[what]
        if ends is None:
            continue
        if value is None:
            unknown.append(what)
        elif not ends[0] <= value <= ends[1]:
            off[what] = value - (ends[0] if value < ends[0] else ends[1])
    oil = held["oil"]
    in_range = len(flying)
    if oil is not None and entering.size:
        in_range = int(np.sum((entering >= oil[0]) & (entering <= oil[1])))
    return CheckedRun(
        number=number,
        side=side,
        name=x.recording.path.name,
        asked=asked,
        laps=len(flying),
        in_range=0 if barred is not None else in_range,
        oil_c=(float(entering.min()), float(np.median(entering)), float(entering.max())) if entering.size else None,
        lap_time_s=conditions.lap_time_s,
        peak_g=g,
        off=off,
        unknown=tuple(unknown),
        barred="" if barred is None else barred.message,
        low=_low(x),
    )


def _entering_c(x: Analysis) -> np.ndarray[tuple[int], np.dtype[np.float64]]:
    """The oil temperature entering each flying lap whose beginning has it, °C, shape (laps,)."""
    if x.temperature_c is None:
        return np.empty(0)
    found = []
    for lap in x.laps:
        first, last = np.searchsorted(x.time_s, (lap.start_s, lap.start_s + _LAP_BEGINS_S))
        known = x.temperature_c[first:last]
        known = known[np.isfinite(known)]
        if lap.complete and known.size:
            found.append(float(np.median(known)))
    return np.array(found)


def _low(x: Analysis) -> Low | None:
    if not x.judgeable or not x.expected.valid:
        return None
    under = x.judged & np.isfinite(x.share) & (x.share < _STOP_SHARE)
    spans = [(x.time_s[a], x.time_s[b - 1]) for a, b in runs_of(under)]
    if not spans:
        return None
    start, end = max(spans, key=lambda s: s[1] - s[0])
    if end - start < _STOP_S:
        return None
    dip = next((d for d in x.dips if d.dip.start_s <= end and d.dip.end_s >= start), None)
    lap = next((n.number for n in x.laps if n.start_s <= start < n.end_s), None)
    return Low(float(end - start), lap, dip.place.label if dip is not None and dip.place is not None else None)
