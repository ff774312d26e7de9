"""A min–max pyramid over a sampled signal: what a plot of any width needs of a long log, quickly."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from basso.units import FloatArray

_STEP = 8


@dataclass(frozen=True, slots=True, eq=False)
class Columns:
    """A signal reduced to pixel columns.

    Attributes:
        x: column centres as a fraction of the view, 0 to 1; shape (k,).
        low, high: extremes in each column, NaN where there is no sample.
        dense: True when a column holds several samples (draw strokes); False when the points themselves are
            given (draw a line; ``low`` equals ``high``).
    """

    x: FloatArray
    low: FloatArray
    high: FloatArray
    dense: bool


class Pyramid:
    """Minima and maxima of ever larger blocks of one signal; built once, asked for every frame.

    Args:
        time_s: ascending, shape (n,).
        values: shape (n,); NaN is a gap.
    """

    def __init__(self, time_s: FloatArray, values: FloatArray) -> None:
        self.time_s = time_s
        self.values = values
        low, high = values, values
        self._levels: list[tuple[FloatArray, FloatArray]] = [_closed(low, high)]
        while low.size > 4096:
            low, high = _by_blocks(low, np.fmin), _by_blocks(high, np.fmax)
            self._levels.append(_closed(low, high))

    def edges(self, start_s: float, end_s: float, count: int) -> NDArray[np.intp]:
        """First sample of each pixel column, and one past the last: shape (count + 1,)."""
        return np.searchsorted(self.time_s, np.linspace(start_s, end_s, count + 1))

    def columns(self, start_s: float, end_s: float, count: int, edges: NDArray[np.intp] | None = None) -> Columns:
        """Reduce the view from ``start_s`` to ``end_s`` to ``count`` pixel columns.

        Signals sampled together share their :meth:`edges`; pass them in to look them up once a frame.
        """
        first = max(0, int(np.searchsorted(self.time_s, start_s)) - 1)
        last = min(self.time_s.size, int(np.searchsorted(self.time_s, end_s, side="right")) + 1)
        span = max(end_s - start_s, 1e-9)
        if last - first <= 2 * count:
            part = slice(first, last)
            values = self.values[part]
            return Columns((self.time_s[part] - start_s) / span, values, values, dense=False)
        edges = self.edges(start_s, end_s, count) if edges is None else edges
        a, b = edges[:-1], np.maximum(edges[1:], edges[:-1])
        level = 0
        while level + 1 < len(self._levels) and (last - first) / count > 3 * _STEP ** (level + 1):
            level += 1
        size = _STEP**level
        low, high = self._levels[level]
        low_i, high_i = a // size, np.minimum(-(-b // size), low.size - 1)
        filled = high_i > low_i
        starts = np.minimum(low_i, low.size - 2)
        # reduceat over [start, next start): close each block with its own end
        index = np.column_stack([starts, np.minimum(np.maximum(high_i, starts + 1), low.size - 1)]).ravel()
        lows = np.fmin.reduceat(low, index)[::2]
        highs = np.fmax.reduceat(high, index)[::2]
        empty = ~filled | ~np.isfinite(lows)
        x = (np.arange(count) + 0.5) / count
        return Columns(x, np.where(empty, np.nan, lows), np.where(empty, np.nan, highs), dense=True)


def _by_blocks(values: FloatArray, most: np.ufunc) -> FloatArray:
    """The most of each block of ``_STEP`` values, the last block being what is left; a NaN counts only among its like.

    Column by column: along rows as short as a block NumPy takes three times as long.
    """
    whole = values.size // _STEP * _STEP
    blocks = values[:whole].reshape(-1, _STEP)
    made: FloatArray = blocks[:, 0].copy()
    for column in range(1, _STEP):
        most(made, blocks[:, column], out=made)
    return np.append(made, most.reduce(values[whole:])) if whole < values.size else made


def _closed(low: FloatArray, high: FloatArray) -> tuple[FloatArray, FloatArray]:
    """A level with one empty block at its end, so that the last real one can be closed."""
    closed = np.append(low, np.nan)
    return closed, closed if high is low else np.append(high, np.nan)
