"""Lap boundaries without GPS or a lap column: the lap is what the g repeats over the distance travelled."""

from __future__ import annotations

import itertools

import numpy as np

from basso.recording.gaps import or_zero
from basso.recording.recording import Recording, frame_on
from basso.recording.roles import Role
from basso.recording.rolling import rolling_mean
from basso.units import FloatArray

_GRID_M = 5.0
_SHORTEST_M, _LONGEST_M = 400.0, 12_000.0
_LEAST_AGREEMENT = 0.6
_WINDOW_M = 400.0
_PLACES = 36
_OFF_PACE = 0.10


def crossings_from_pattern(recording: Recording) -> list[float]:
    """Times in seconds at which a lap begins anew; empty when nothing repeats.

    The lap's length is the lag at which lateral g over distance resembles itself; each boundary is then moved to where
    the stretch around it fits the first one best, so that wheel slip and lines do not add up.
    """
    if not (recording.has(Role.LATERAL_G) and recording.has(Role.SPEED)):
        return []
    frame = frame_on(recording, Role.LATERAL_G)
    if frame.step_s <= 0:
        return []
    speed = np.maximum(or_zero(frame.filled(Role.SPEED)), 0.0)
    travelled = np.concatenate(
        [[0.0], np.cumsum(0.5 * (speed[1:] + speed[:-1]) * np.clip(np.diff(frame.time_s), 0.0, 2.0))]
    )
    length = float(travelled[-1])
    if not 2.2 * _SHORTEST_M < length < 1e7:
        return []
    grid = np.arange(0.0, length, _GRID_M)
    rising = np.concatenate([[True], np.diff(travelled) > 1e-6])
    side = rolling_mean(np.interp(grid, travelled[rising], or_zero(frame.filled(Role.LATERAL_G))[rising]), 5)
    when = np.interp(grid, travelled[rising], frame.time_s[rising])
    lap = _lap_cells(side)
    if lap is None:
        return []
    pace = np.interp(grid, travelled[rising], speed[rising])
    # Wherever the lap is begun it repeats; begun where the out-lap ends it parts the drive into the most whole laps.
    tried: list[list[float]] = [
        np.interp(_boundaries(side, first, lap), np.arange(when.size), when).tolist()
        for first in _calm_places(side, pace, lap)
    ]
    best = max(tried, key=_at_pace, default=[])
    return best if len(best) > 1 else []


def _at_pace(crossings: list[float]) -> float:
    """How many of the laps between crossings were driven at the faster half's pace; one that is 5 % off counts as three
    quarters.

    Counted whole or not at all, a first lap that begins a little before the out-lap's end would be lost or won by a
    hair.
    """
    if len(crossings) < 2:
        return 0.0
    times = np.sort(np.diff(crossings))
    usual = float(np.median(times[: max(1, (times.size + 1) // 2)]))
    return float(np.sum(np.maximum(0.0, 1.0 - ((times / usual - 1.0) / _OFF_PACE) ** 2)))


def _lap_cells(side: FloatArray) -> int | None:
    """The lap's length in grid cells: the first strong peak of the autocorrelation."""
    n = side.size
    centred = side - side.mean()
    spectrum = np.fft.rfft(centred, 2 * n)
    raw = np.fft.irfft(spectrum * np.conj(spectrum))[:n]
    energy = np.concatenate([[0.0], np.cumsum(centred**2)])
    lags = np.arange(int(_SHORTEST_M / _GRID_M), min(int(_LONGEST_M / _GRID_M), int(n / 2.2)))
    if lags.size == 0 or energy[-1] <= 0:
        return None
    norm = np.sqrt(energy[n - lags] * (energy[n] - energy[lags]))
    agreement = raw[lags] / np.maximum(norm, 1e-12)
    top = float(agreement.max())
    if top < _LEAST_AGREEMENT:
        return None
    first = int(np.argmax(agreement > 0.92 * top))
    climb = agreement[first : first + int(200.0 / _GRID_M)]
    return int(lags[first + int(np.argmax(climb))])


def _calm_places(side: FloatArray, speed: FloatArray, lap: int) -> list[int]:
    """Grid cells on fast straights of one lap, the calmest first: a lap may begin at any of them."""
    half = int(_WINDOW_M / _GRID_M)
    if side.size < lap + 2 * half + 2:
        return []
    start, end = max(half, lap // 2), min(side.size - half, lap // 2 + lap)
    calm = speed - 30.0 * rolling_mean(np.abs(side), 21)
    edges = np.linspace(start, end, _PLACES + 1).astype(int)
    found = [a + int(np.argmax(calm[a:b])) for a, b in itertools.pairwise(edges.tolist()) if b > a]
    return sorted(found, key=lambda i: -calm[i])


def _boundaries(side: FloatArray, first: int, lap: int) -> list[float]:
    """Where on the grid laps begin, in cells, a lap apart, each fitted to the first."""
    half = int(_WINDOW_M / _GRID_M)
    reference = side[first - half : first + half]
    reach = max(4, int(0.04 * lap))
    found = [float(first)]
    for way in (1, -1):
        at = float(first)
        while True:
            at = _best_fit(side, reference, round(at) + way * lap, reach, half)
            if at < 0:
                break
            found.append(at)
    return sorted(found)


def _best_fit(side: FloatArray, reference: FloatArray, guess: int, reach: int, half: int) -> float:
    """Where near ``guess`` the signal is most like ``reference``, in cells and parts of one; −1 when none is alike."""
    first, last = max(guess - reach, half), min(guess + reach, side.size - half)
    if first > last:
        return -1.0
    pieces = np.lib.stride_tricks.sliding_window_view(side[first - half : last + half], 2 * half)
    spread = pieces.std(axis=1) * reference.std()
    together = pieces @ (reference - reference.mean()) / reference.size
    alike = np.where(spread > 1e-9, together / np.maximum(spread, 1e-9), -1.0)
    best = int(np.argmax(alike))
    if alike[best] <= _LEAST_AGREEMENT:
        return -1.0
    if not 0 < best < alike.size - 1:
        return float(first + best)
    # The top of the parabola through the best cell and its neighbours.
    before, top, after = alike[best - 1 : best + 2]
    bend = before - 2.0 * top + after
    return first + best + (0.5 * float((before - after) / bend) if bend < 0 else 0.0)
