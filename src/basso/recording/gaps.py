"""Samples that are not there: what stands in for them, and what is made of those that are."""

from __future__ import annotations

import numpy as np

from basso.units import FloatArray


def or_zero(values: FloatArray) -> FloatArray:
    """The values with 0 where there is none (NaN, infinite), of the same shape; the array itself where none is missing.

    ``np.nan_to_num`` takes five passes for it and makes infinities huge; this is one where nothing is missing.
    """
    known = np.isfinite(values)
    return values if known.all() else np.where(known, values, 0.0)


def median_known(values: FloatArray) -> float:
    """Median of the values that are there, NaN for none; of the few samples of a dip ten times quicker than
    ``np.nanmedian``."""
    known = np.sort(values[~np.isnan(values)], axis=None)
    half = known.size // 2
    if known.size == 0:
        return float("nan")
    return float(known[half]) if known.size % 2 else float(0.5 * (known[half - 1] + known[half]))
