"""One map of a circuit laid on another: the same corner keeps its name across sessions."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from basso.recording.rolling import rolling_mean
from basso.track.corners import TrackMap
from basso.units import FloatArray


@dataclass(frozen=True, slots=True)
class Alignment:
    """How one map's lap distance lies on another's: ``shift_m`` is added after scaling; or why it does not."""

    shift_m: float
    problem: str | None = None


def align(reference: TrackMap, other: TrackMap) -> Alignment:
    """Lay ``other`` on ``reference`` by the lateral g along the lap.

    Laps may begin anywhere on the circuit (a line found by itself lies elsewhere than a beacon), so every shift is tried.
    """
    longer = max(reference.length_m, other.length_m)
    if abs(reference.length_m - other.length_m) / longer > 0.03:
        return Alignment(
            0.0,
            f"the laps differ in length, {reference.length_m:.0f} m against {other.length_m:.0f} m: another circuit or layout",
        )
    n = min(reference.lateral_profile_g.size, other.lateral_profile_g.size)
    grid = np.linspace(0.0, 1.0, n)

    def scaled(m: TrackMap) -> FloatArray:
        own = np.linspace(0.0, 1.0, m.lateral_profile_g.size)
        return rolling_mean(np.interp(grid, own, m.lateral_profile_g), 5)

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
            f"the cornering along the lap does not match (correlation {agreement[best]:.2f}): another circuit or direction",
        )
    return Alignment(cells / n * reference.length_m)
