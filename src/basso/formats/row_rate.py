"""The rate that rows come at: stated in a file's head, wandered about by stamps put on late, drifted off by a bad
clock.

A clock is believed unless there is evidence against it. Rows that were sampled evenly and stamped on arrival show it
in their signals: read at even times they run smoothly, read at their stamps they do not. A clock whose own rate comes
and goes is the worse of two where the head states a steady rate close by.
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Iterator, Mapping, Sequence

import numpy as np

from basso.units import FloatArray

_RATE = re.compile(r"(sampl\w*|logging|log|data|record\w*) ?(rate|frequency|freq)|^(rate|frequency|freq)\b|abtastrate")
_STEP = re.compile(r"(sampl\w*|logging|log|time) ?(interval|period|step)|^(interval|period)\b")
_FIRST_NUMBER = re.compile(r"\d+(\.\d+)?")
_WINDOW_ROWS = 101
_LEAST_ROWS = 4 * _WINDOW_ROWS
_SMOOTHER, _SMOOTHER_AT_BEST = 0.9, 0.8
"""Even times are believed where signals are rough by less than these shares of what they are at the stamps: the middle
one of them, and the one that tells most."""


def stated_rate(facts: Mapping[str, str]) -> float | None:
    """The sampling rate in Hz that a file's head states, or None."""
    for key, value in facts.items():
        number = _FIRST_NUMBER.search(value.replace(",", "."))
        if number is None or not (found := float(number.group())) > 0:
            continue
        words = f"{key} {value}".lower()
        if _RATE.search(key.lower()):
            return 1000.0 * found if "khz" in words else found
        if _STEP.search(key.lower()):
            return 1.0 / (found * (1e-3 if re.search(r"\bms\b|milli", words) else 1.0))
    return None


def looks_uneven(seconds: FloatArray) -> bool:
    """True when many steps (those in the middle of the log are looked at) are off the usual one by a quarter and
    more."""
    some = seconds[max(0, seconds.size // 2 - 2000) :][:4000]
    usual = _usual_step(some)
    return bool(np.count_nonzero(np.abs(np.diff(some) - usual) > 0.25 * usual) > 0.2 * some.size)


def steadied(seconds: FloatArray, columns: Sequence[FloatArray], notes: list[str]) -> FloatArray:
    """Stamps evened out where the signals show that the rows came evenly and only the stamps wander.

    Args:
        seconds: one stamp a row, shape (n,), finite; they may run backward here and there.
        columns: the other columns, shape (n,) each; they must be full, as rows sampled together are.
        notes: what was done is added.
    """
    if seconds.size < _LEAST_ROWS or not looks_uneven(seconds):
        return seconds
    even = seconds.copy()
    usual = _usual_step(seconds)
    if usual <= 0:
        return seconds
    for part in _sections(seconds, usual):
        if part.stop - part.start >= _LEAST_ROWS:
            even[part] = _evened(seconds[part])
    moved = np.abs(even - seconds)
    if float(np.quantile(moved, 0.99)) > 25.0 * usual or bool(np.any(np.diff(even) <= 0)):
        return seconds
    if not _smoother_at(even, seconds, columns):
        return seconds
    notes.append(
        f"The time stamps wander by {1000.0 * float(np.quantile(moved, 0.9)):.3g} ms about a steady "
        f"{1.0 / usual:.4g} rows a "
        "second; the signals run smoothly row by row, so the rows were placed evenly."
    )
    return even


def held_to_rate(seconds: FloatArray, rate_hz: float, notes: list[str]) -> FloatArray:
    """Stamps against the rate that the head states: re-timed where the clock drifts about it, told where they differ.

    Args:
        seconds: stamps that rise strictly, shape (n,).
        rate_hz: stated rows a second.
        notes: what was found is added.
    """
    if seconds.size < _LEAST_ROWS:
        return seconds
    usual = _usual_step(seconds)
    off = 1.0 / (usual * rate_hz) - 1.0
    if abs(off) > 0.05:
        notes.append(
            f"The file's head states {rate_hz:g} Hz, but by their stamps the rows come at "
            f"{1.0 / usual:.4g} Hz; the stamps were used."
        )
        return seconds
    parts = list(_sections(seconds, usual))
    paces = np.concatenate([_paces(seconds[p]) for p in parts])
    low, high = (1.0 / np.quantile(paces, (0.95, 0.05))).tolist() if paces.size else (rate_hz, rate_hz)
    if high - low > 0.005 * rate_hz:
        kept = seconds.copy()
        for part, before in zip(parts, [None, *parts], strict=False):
            start = 0.0 if before is None else kept[before.stop - 1] + seconds[part.start] - seconds[before.stop - 1]
            kept[part] = start + np.arange(part.stop - part.start) / rate_hz
        notes.append(
            f"The clock drifts (between {low:.4g} and {high:.4g} rows a second); the file's head states "
            f"{rate_hz:g} Hz, "
            "so the rows were placed at that rate."
        )
        return kept
    if abs(off) > 0.002:
        notes.append(
            f"By their stamps the rows come at {1.0 / usual:.4g} Hz, by the file's head at {rate_hz:g} "
            "Hz; the stamps were used. "
            f"With --rate {rate_hz:g} the rows are counted instead."
        )
    return seconds


def _usual_step(seconds: FloatArray) -> float:
    """Mean step of a row, by blocks: bursts of rows do not hide it, nor does a gap."""
    block = min(50, seconds.size - 1)
    return float(np.median(seconds[block:] - seconds[:-block])) / block


def _sections(seconds: FloatArray, usual: float) -> Iterator[slice]:
    """Runs of rows with no gap."""
    gaps = np.flatnonzero(np.diff(seconds) > max(25.0 * usual, 0.5)) + 1
    edges = [0, *gaps.tolist(), seconds.size]
    for start, stop in itertools.pairwise(edges):
        yield slice(start, stop)


def _evened(seconds: FloatArray) -> FloatArray:
    """A line of stamps with what is left over smoothed by a running mean: quick wander goes, a slow drift stays."""
    rows = np.arange(seconds.size, dtype=np.float64)
    slope, start = np.polyfit(rows, seconds, 1)
    left = seconds - (start + slope * rows)
    window = np.ones(_WINDOW_ROWS)
    smooth = np.convolve(left, window, "same") / np.convolve(np.ones(left.size), window, "same")
    return np.asarray(start + slope * rows + smooth, dtype=np.float64)


def _paces(seconds: FloatArray) -> FloatArray:
    """Seconds a row over long blocks: too long for jitter to show in them."""
    block = max(200, seconds.size // 40)
    marks = seconds[::block]
    return np.diff(marks) / block


def _smoother_at(even: FloatArray, stamps: FloatArray, columns: Sequence[FloatArray]) -> bool:
    """True when most signals that can tell are smoother at even times than at the stamps.

    Each value is compared with the line between its neighbours, where the two times put it in different places between
    them; at wrong times a moving signal leaves the line.
    """
    part = slice(0, 40_000)
    even, stamps = even[part], stamps[part]
    there, here = _place(even), _place(stamps)
    telling = np.abs(there - here) > 0.15
    if np.count_nonzero(telling) < 50:
        return False
    votes = []
    for values in columns:
        x = values[part]
        # One held over several rows, or constant, cannot tell; neither can the stamps themselves.
        if bool(np.isnan(x).any()) or np.count_nonzero(np.diff(x)) < 0.5 * x.size:
            continue
        rough = [float(np.mean(np.abs(_off_the_line(x, p)[telling]))) for p in (there, here)]
        if rough[1] > 1e-6 * float(np.std(x)):
            votes.append(rough[0] / rough[1])
    # Stamps that often run backward are wrong whatever stands beside them; it is enough that even times are no worse.
    backward = bool(np.mean(np.diff(stamps) <= 0) > 0.01)
    middle, best = (float(np.median(votes)), min(votes)) if votes else (1.0, 1.0)
    return middle < 1.0 if backward else middle < _SMOOTHER and best < _SMOOTHER_AT_BEST


def _place(times: FloatArray) -> FloatArray:
    """Where each row but the first and last lies between its neighbours: 0 at the one before, 1 at the one after."""
    span = times[2:] - times[:-2]
    place: FloatArray = np.divide(times[1:-1] - times[:-2], span, out=np.full(span.size, 0.5), where=span > 0)
    return place


def _off_the_line(values: FloatArray, place: FloatArray) -> FloatArray:
    return values[1:-1] - (values[:-2] + place * (values[2:] - values[:-2]))
