"""What the pressure did in each run: launches and stops side by side, passes, climbs, sweeps, cold starts."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from basso.analysis import Analysis
from basso.recording.gaps import median_known, or_zero
from basso.recording.rolling import rolling_mean
from basso.track.runs import Run


@dataclass(frozen=True, slots=True)
class RunFinding:
    """One run.

    Attributes:
        min_share: lowest share of normal while it is judged, NaN where nothing is; ``min_pressure_kpa`` likewise.
        below_s: seconds below the floor; ``time_s``: when the lowest was.
        peak_g: the most held for 0.3 s the way of the run: forward in a launch, backward in a stop, any way else; NaN
            without g.
        peak_kpa: the highest pressure, judged or not: of a cold start that is what seals and filter see.
        rpm, temperature_c: medians; NaN where not logged.
    """

    run: Run
    min_share: float
    min_pressure_kpa: float
    below_s: float
    time_s: float
    peak_g: float
    peak_kpa: float
    rpm: float
    temperature_c: float


def tell_runs(a: Analysis) -> tuple[RunFinding, ...]:
    """Every run of a session with what the pressure did in it."""
    step = float(np.median(np.diff(a.time_s))) if a.time_s.size > 2 else 1.0
    held = max(1, round(0.3 / step))
    side, fore = (rolling_mean(or_zero(g), held) if g is not None else None for g in (a.lateral_g, a.longitudinal_g))
    told = []
    for run in a.runs:
        # The oil a run has thrown is missing a moment later: it is followed for a second more.
        first, last = np.searchsorted(a.time_s, (run.start_s, run.end_s + 1.0))
        part = np.arange(int(first), int(last))
        if part.size < 3:
            continue
        judged = part[a.judged[part] & np.isfinite(a.pressure_kpa[part])]
        share = a.share[judged] if judged.size else np.empty(0)
        known = np.isfinite(share).any()
        lowest = judged[int(np.nanargmin(share))] if known else part[0]
        told.append(
            RunFinding(
                run=run,
                min_share=float(np.nanmin(share)) if known else float("nan"),
                min_pressure_kpa=float(a.pressure_kpa[judged].min()) if judged.size else float("nan"),
                below_s=float(np.count_nonzero(or_zero(a.margin_kpa[judged]) < 0) * step),
                time_s=float(a.time_s[lowest]),
                peak_g=_peak(run.kind, part, side, fore),
                peak_kpa=float(np.nanmax(a.pressure_kpa[part]))
                if np.isfinite(a.pressure_kpa[part]).any()
                else float("nan"),
                rpm=median_known(a.rpm[part]),
                temperature_c=median_known(a.temperature_c[part])
                if a.temperature_c is not None and np.isfinite(a.temperature_c[part]).any()
                else float("nan"),
            )
        )
    return tuple(told)


def _peak(kind: str, part: np.ndarray, side: np.ndarray | None, fore: np.ndarray | None) -> float:
    if fore is None:
        return float("nan")
    if kind in ("launch", "straight pass"):
        return float(fore[part].max())
    if kind == "stop":
        return float(-fore[part].min())
    return float(np.hypot(fore[part], side[part] if side is not None else 0.0).max())
