"""One lap laid on another: the same corner keeps its place across sessions."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from basso.recording.rolling import rolling_mean
from basso.track.shape import LapShape
from basso.units import DEGREE_OF_ARC_M, FloatArray

_NEAR_M = 40.0
"""Two receivers on two days, and two lines through a corner, differ by less."""
_FAR_M = 3000.0
_MOST_POINTS = 400
_ROUTE_SHIFT = 0.04
"""Runs over a route begin where it begins, within this share of it."""


@dataclass(frozen=True, slots=True)
class Alignment:
    """How one lap lies on another: scaled to its length, then ``shift_m`` further on; or why it does not."""

    shift_m: float
    problem: str | None = None


def align(reference: LapShape, other: LapShape) -> Alignment:
    """Lay ``other`` on ``reference``: by the path where both have one, else by the lateral g along the lap.

    Laps may begin anywhere on the circuit (a line found by itself lies elsewhere than a beacon), so every shift is
    tried.
    """
    longer = max(reference.length_m, other.length_m)
    if abs(reference.length_m - other.length_m) / longer > 0.03:
        return Alignment(
            0.0,
            f"the laps differ in length, {reference.length_m:.0f} m against {other.length_m:.0f} m: "
            "another circuit or layout",
        )
    if reference.closed != other.closed:
        return Alignment(0.0, "one is a circuit, the other a route from start to finish")
    laid = _by_path(reference, other) or _by_cornering(reference, other)
    if not reference.closed and laid.problem is None and abs(laid.shift_m) > _ROUTE_SHIFT * reference.length_m:
        return Alignment(0.0, "the runs do not begin at the same place: another route")
    return laid


def _by_path(reference: LapShape, other: LapShape) -> Alignment | None:
    """Where each point of the one lap lies on the other; None where the paths do not tell."""
    a, b = reference.path, other.path
    if a is None or b is None or a.centre is None or b.centre is None:
        return None
    north = (b.centre[0] - a.centre[0]) * DEGREE_OF_ARC_M
    east = (b.centre[1] - a.centre[1]) * DEGREE_OF_ARC_M * np.cos(np.radians(a.centre[0]))
    if np.hypot(north, east) > _FAR_M + reference.length_m:
        return Alignment(0.0, f"the laps lie {np.hypot(north, east) / 1000.0:.0f} km apart: another circuit")
    here = a.east_m + 1j * a.north_m
    there = (b.east_m + east) + 1j * (b.north_m + north)
    # Where the track comes back beside itself the nearest point may be of the other stretch: it has to lead the same
    # way.
    ways = [np.roll(p, -2) - np.roll(p, 2) for p in (here, there)]
    every = max(1, there.size // _MOST_POINTS)
    there, ways[1] = there[::every], ways[1][::every]
    apart = np.abs(there[:, None] - here[None, :])
    along = np.real(ways[1][:, None] * np.conj(ways[0][None, :])) > 0.5 * np.abs(ways[1])[:, None] * np.abs(ways[0])
    apart = np.where(along, apart, np.inf)
    nearest = np.argmin(apart, axis=1)
    near = apart[np.arange(there.size), nearest] < _NEAR_M
    if near.mean() < 0.8:
        return None
    length = reference.length_m
    own = other.along_m[::every][near] * (length / other.length_m)
    turned = np.exp(2j * np.pi * (reference.along_m[nearest[near]] - own) / length)
    middle = float(np.angle(np.median(turned.real) + 1j * np.median(turned.imag)))
    # Of what lies near the middle, the mean: finer than the grid.
    off = np.angle(turned * np.exp(-1j * middle))
    close = np.abs(off) < 2.0 * np.pi * 60.0 / length
    if close.mean() < 0.6:
        return None
    return Alignment(float((middle + off[close].mean()) / (2.0 * np.pi) * length))


def _by_cornering(reference: LapShape, other: LapShape) -> Alignment:
    n = min(reference.lateral_g.size, other.lateral_g.size)
    grid = np.linspace(0.0, 1.0, n)

    def scaled(shape: LapShape) -> FloatArray:
        own = np.linspace(0.0, 1.0, shape.lateral_g.size)
        return rolling_mean(np.interp(grid, own, shape.lateral_g), 5)

    pa, pb = scaled(reference), scaled(other)
    if np.std(pa) < 0.05 or np.std(pb) < 0.05:
        return Alignment(0.0, "there is too little cornering to tell whether it is the same circuit")
    pa, pb = (pa - pa.mean()) / pa.std(), (pb - pb.mean()) / pb.std()
    agreement = np.fft.irfft(np.fft.rfft(pa) * np.conj(np.fft.rfft(pb)), n) / n
    best = int(np.argmax(agreement))
    cells = best - n if best > n / 2 else best
    # With every shift to choose from, chance agrees more often: ask for more far from the logged line.
    if float(agreement[best]) < (0.80 if abs(cells) < 0.03 * n else 0.88):
        return Alignment(
            0.0,
            f"the cornering along the lap does not match (correlation {agreement[best]:.2f}): another "
            "circuit or direction",
        )
    return Alignment(cells / n * reference.length_m)
