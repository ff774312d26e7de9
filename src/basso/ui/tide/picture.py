"""The tide worked out without Qt: margin about a waterline, reduced to columns."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from basso.ui.plots.pyramid import Pyramid
from basso.units import FloatArray

if TYPE_CHECKING:
    from basso.analysis import Analysis


@dataclass(frozen=True, slots=True, eq=False)
class TideColumns:
    """Heights about the waterline, −1 (deepest) to 1 (ample), one a pixel column; NaN where nothing is judged."""

    low: FloatArray
    high: FloatArray


class TidePicture:
    """The margin of a whole session, ready to be reduced to any width."""

    def __init__(self, analysis: Analysis) -> None:
        margin = np.where(analysis.judged, analysis.margin_kpa, np.nan)
        known = margin[np.isfinite(margin)]
        ample = float(np.percentile(known, 95)) if known.size else 1.0
        deepest = float(-known.min()) if known.size else 1.0
        self.up_kpa = max(ample, 20.0)
        self.down_kpa = max(deepest, 40.0)
        self.start_s = float(analysis.time_s[0])
        self.end_s = float(analysis.time_s[-1])
        self.laps = [(lap.start_s, str(lap.number)) for lap in analysis.laps]
        self._pyramid = Pyramid(analysis.time_s, margin)

    def columns(self, count: int) -> TideColumns:
        """Reduce to ``count`` columns."""
        reduced = self._pyramid.columns(self.start_s, self.end_s, count)
        low, high = reduced.low, reduced.high
        if not reduced.dense:  # a short session: spread its samples over the columns
            grid = (np.arange(count) + 0.5) / count
            at = np.clip(np.searchsorted(reduced.x, grid), 0, reduced.x.size - 1)
            low = high = reduced.low[at]
        return TideColumns(self._scaled(low), self._scaled(high))

    def _scaled(self, margin: FloatArray) -> FloatArray:
        return np.clip(np.where(margin >= 0, margin / self.up_kpa, margin / self.down_kpa), -1.0, 1.0)
