"""Stretches of samples: where a condition holds without a break."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

_PAUSE_STEPS, _PAUSE_S = 5.0, 1.0


def longest_step_s(time_s: NDArray[np.float64]) -> float:
    """The longest time between two samples that is still sampling; what is longer is a pause of the log.

    A second, or five times the usual step where that is more (default): a drop-out of a few readings is no pause.
    """
    if time_s.size < 2:
        return _PAUSE_S
    return max(_PAUSE_S, _PAUSE_STEPS * float(np.median(np.diff(time_s))))


def sampled_s(time_s: NDArray[np.float64]) -> NDArray[np.float64]:
    """How long each sample stands for, shape (n,): to the next one, and nothing where the log pauses there or ends."""
    steps = np.diff(time_s, append=time_s[-1:])
    return np.where(steps > longest_step_s(time_s), 0.0, steps)


def runs_of(mask: NDArray[np.bool_], join: int = 0) -> list[tuple[int, int]]:
    """Half-open index ranges (start, end) over which ``mask`` is true.

    Ranges with no more than ``join`` false samples between them are made one. An all-false or empty mask
    gives an empty list.
    """
    edges = np.flatnonzero(np.diff(np.concatenate([[False], mask, [False]]).astype(np.int8)))
    runs: list[tuple[int, int]] = []
    for start, end in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
        if runs and start - runs[-1][1] <= join:
            runs[-1] = (runs[-1][0], end)
        else:
            runs.append((start, end))
    return runs
