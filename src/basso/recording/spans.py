"""Stretches of samples: where a condition holds without a break."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


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
