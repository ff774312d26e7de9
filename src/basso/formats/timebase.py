"""Putting a log's time stamps right: what clocks do wrong, and what is made of it. Every repair is told in a note.

Gaps stay gaps. Rows that share a stamp are merged when they complete each other, spread when the clock is coarser
than the rows, dropped when they say nothing new. Where the clock was set in mid-log the rows are in order and the
stamps are not: what follows the jump is moved, behind a gap of :data:`UNKNOWN_GAP_S` that nothing is drawn across.
"""

from __future__ import annotations

import bisect
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from basso.formats.row_rate import steadied
from basso.units import FloatArray

UNKNOWN_GAP_S = 5.0
"""What stands for a pause whose length the clock did not keep."""
_LONGEST_GAP_S = 6 * 3600.0
_BLOCK_ROWS = 50
_LATEST_S = 3e11
"""Ten thousand years from 1970."""


def repair(seconds: FloatArray, columns: Sequence[FloatArray], notes: list[str]) -> tuple[FloatArray, list[FloatArray]]:
    """Return stamps that rise strictly from 0, and the columns' values at them.

    Args:
        seconds: one stamp a row, shape (n,), as the clock wrote them; NaN where it wrote none.
        columns: the other columns, shape (n,) each.
        notes: what was repaired is added here, one sentence each.
    """
    steps = np.diff(seconds)
    if bool(np.all(steps > 0)) and (steps.size == 0 or float(steps.max()) <= _LONGEST_GAP_S):  # False with any NaN
        seconds = steadied(seconds, columns, notes)
        return seconds - seconds[:1], list(columns)
    # What no clock can show (damage in a file of raw numbers) is no time.
    rows = np.flatnonzero(np.abs(np.nan_to_num(seconds, nan=np.inf)) < _LATEST_S)
    if rows.size < seconds.size:
        notes.append(f"{seconds.size - rows.size} rows have no time and were left out.")
        seconds, columns = seconds[rows], [c[rows] for c in columns]
    if seconds.size < 2:
        return seconds, list(columns)
    seconds, columns = _without_wild(seconds, columns, notes)
    seconds = _continued(seconds, columns, notes)
    seconds, columns = _shared_stamps(seconds, columns, notes)
    seconds = steadied(seconds, columns, notes)
    rise = _longest_rise(seconds)
    if rise.size < seconds.size:
        dropped = seconds.size - rise.size
        notes.append(f"{dropped} rows repeat an earlier time or are out of time order and were left out.")
        seconds, columns = seconds[rise], [c[rise] for c in columns]
    return seconds - seconds[:1], list(columns)


def _without_wild(
    seconds: FloatArray, columns: Sequence[FloatArray], notes: list[str]
) -> tuple[FloatArray, Sequence[FloatArray]]:
    """A stamp far from both its neighbours, which agree with each other, was miswritten."""
    if seconds.size < 5:
        return seconds, columns
    steps = np.abs(np.diff(seconds))
    usual = max(float(np.median(steps)), 1e-6)
    far = max(100.0 * usual, 10.0)
    across = np.abs(seconds[2:] - seconds[:-2])
    wild = np.zeros(seconds.size, dtype=bool)
    wild[1:-1] = (steps[:-1] > far) & (steps[1:] > far) & (across < 0.1 * np.minimum(steps[:-1], steps[1:]))
    wild[0] = steps[0] > far and steps[1] < far and seconds[0] > seconds[1]
    count = int(wild.sum())
    if not count:
        return seconds, columns
    notes.append(f"{count} rows carry a time far from the rows around them and were left out.")
    return seconds[~wild], [c[~wild] for c in columns]


def _continued(seconds: FloatArray, columns: Sequence[FloatArray], notes: list[str]) -> FloatArray:
    """Where the clock was set back or far ahead and then ran on for long, the rows go on and the stamps follow."""
    steps = np.diff(seconds)
    usual = float(np.median(steps[steps > 0])) if np.any(steps > 0) else 0.0
    jumps = np.flatnonzero((steps < -0.5 * usual) | (steps > _LONGEST_GAP_S)) + 1
    if not jumps.size:
        return seconds
    seconds = seconds.copy()
    start = 0
    for index, at in enumerate(jumps.tolist()):
        end = int(jumps[index + 1]) if index + 1 < jumps.size else seconds.size
        jump = float(seconds[at] - seconds[at - 1])
        # A short block that runs behind is a few rows out of order, not a clock that was set.
        behind = int(np.count_nonzero(seconds[at:end] <= seconds[at - 1]))
        if jump < 0 and (behind < _BLOCK_ROWS or _written_before(columns, at, min(at + behind, end), start)):
            continue
        if at - start < 2 or end - at < 2:
            continue
        # Set back by a little while the rows went on, or a new start: the true pause is unknown either way.
        little = -10.0 < jump < 0
        pause = usual if little else UNKNOWN_GAP_S
        seconds[at:] += seconds[at - 1] + pause - seconds[at]
        words = "back" if jump < 0 else "ahead"
        notes.append(
            f"At row {at + 1} of the data the clock jumps {_span(abs(jump))} {words}; the rows go on, so "
            "what follows was "
            f"placed {'one step' if little else f'{pause:.0f} s'} "
            f"later{'' if little else ' (the true pause is not known)'}."
        )
        start = at
    return seconds


def _span(seconds: float) -> str:
    for size, name in ((2 * 31557600.0, "years"), (2 * 86400.0, "days"), (2 * 3600.0, "hours"), (120.0, "minutes")):
        if seconds >= size:
            unit = {"years": 31557600.0, "days": 86400.0, "hours": 3600.0, "minutes": 60.0}[name]
            return f"{seconds / unit:.0f} {name}"
    return f"{seconds:.1f} s"


def _written_before(columns: Sequence[FloatArray], at: int, end: int, start: int) -> bool:
    """True when rows ``at`` to ``end`` stand word for word above: the logger wrote a block twice."""
    size = end - at
    block = np.column_stack([c[at:end] for c in columns]) if columns else np.empty((size, 0))
    head = block[0]
    if not block.shape[1]:
        return False
    above = np.column_stack([c[start:at] for c in columns])
    same = np.flatnonzero(np.all((above == head) | (np.isnan(above) & np.isnan(head)), axis=1))
    return any(
        i + size <= above.shape[0] and np.array_equal(above[i : i + size], block, equal_nan=True)
        for i in same[:50].tolist()
    )


def _shared_stamps(
    seconds: FloatArray, columns: Sequence[FloatArray], notes: list[str]
) -> tuple[FloatArray, Sequence[FloatArray]]:
    """Rows that share a stamp with the row above: complete each other, stand for a coarse clock, or say nothing new."""
    new = np.concatenate([[True], np.diff(seconds) != 0])
    starts = np.flatnonzero(new)
    if starts.size == seconds.size or starts.size < 2:
        return seconds, columns
    counts = np.diff(np.append(starts, seconds.size))
    if any(bool(np.isnan(c).any()) for c in columns):
        merged = [np.fmax.reduceat(c, starts) for c in columns]
        clash = np.zeros(starts.size, dtype=bool)
        for c, high in zip(columns, merged, strict=True):
            clash |= np.fmin.reduceat(c, starts) < high
        if np.mean(clash[counts > 1]) < 0.1:
            notes.append("Rows with the same time complete each other and were put together.")
            return seconds[starts], merged
    if float(np.median(counts)) < 2:
        return seconds, columns
    again = ~new
    same = np.ones(int(again.sum()), dtype=bool)
    rows = np.flatnonzero(again)
    for c in columns:
        same &= (c[rows] == c[rows - 1]) | (np.isnan(c[rows]) & np.isnan(c[rows - 1]))
    if same.mean() > 0.9:
        return seconds, columns  # written twice: the second copies go
    spread = _spread(seconds[starts], counts)
    notes.append(
        f"The clock is coarser than the rows ({np.median(counts):.0f} rows share each time); they were "
        "spread evenly in between."
    )
    return spread, columns


def _spread(stamps: FloatArray, counts: NDArray[np.intp]) -> FloatArray:
    """Rows of equal stamps, spread evenly to the next stamp; the first, cut block ends at the second stamp."""
    usual = float(np.median(counts))
    ticks = np.diff(stamps)
    tick = float(np.median(ticks))
    length = np.append(ticks, tick)
    # Before a gap the rows keep their usual step; they do not stretch into the gap.
    step = np.where(length > 1.5 * tick, tick / np.maximum(counts, usual), length / np.maximum(counts, 1))
    step[-1] = tick / max(usual, float(counts[-1]))
    first = stamps.copy()
    if counts[0] < usual:
        step[0] = tick / usual
        first[0] = stamps[0] + length[0] - counts[0] * step[0] if length[0] <= 1.5 * tick else stamps[0]
    place = np.arange(int(counts.sum())) - np.repeat(np.cumsum(counts) - counts, counts)
    return np.asarray(np.repeat(first, counts) + place * np.repeat(step, counts), dtype=np.float64)


def _longest_rise(values: FloatArray) -> NDArray[np.intp]:
    """Indices of the longest strictly rising run of stamps: one wild stamp must not cost the rows after it."""
    if bool(np.all(np.diff(values) > 0)):
        return np.arange(values.size)
    tails: list[float] = []
    ends: list[int] = []
    before = np.full(values.size, -1, dtype=np.intp)
    for i, value in enumerate(values.tolist()):
        at = bisect.bisect_left(tails, value)
        if at == len(tails):
            tails.append(value)
            ends.append(i)
        else:
            tails[at] = value
            ends[at] = i
        before[i] = ends[at - 1] if at else -1
    kept = np.empty(len(ends), dtype=np.intp)
    i = ends[-1] if ends else -1
    for k in range(len(ends) - 1, -1, -1):
        kept[k] = i
        i = int(before[i])
    return kept
