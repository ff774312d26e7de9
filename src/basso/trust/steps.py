"""How fine does the pressure read? A coarse converter writes it in steps, and a lowest value is only as sure as half of
one."""

from __future__ import annotations

import math

import numpy as np

from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.sentence import in_kpa, phrase
from basso.trust.verdict import Check
from basso.units import FloatArray

NOTED_STEP_KPA = 4.0
"""From here on a converter is coarse enough to mind (default)."""
COARSE_KPA = 10.0
"""From here on what it hides is more than what is looked for (default)."""


def step_kpa(values: FloatArray) -> float:
    """The usual distance between neighbouring readings that occur, kPa; 0 with too few to tell."""
    known = values[np.isfinite(values)]
    if known.size < 200:
        return 0.0
    low, high = np.percentile(known, (5, 95))
    seen = np.unique(np.round(known[(known >= low) & (known <= high)], 3))
    return float(np.median(np.diff(seen))) if seen.size >= 4 else 0.0


def step_noise_kpa(values: FloatArray) -> float:
    """Standard deviation of what reading in coarse steps adds, kPa: step / √12 (uniform within a step); 0 where
    fine."""
    step = step_kpa(values)
    return step / math.sqrt(12.0) if step >= NOTED_STEP_KPA else 0.0


def check_steps(recording: Recording) -> Check | None:
    """Say how coarse the reading is; None without enough samples."""
    channel = recording.channel(Role.OIL_PRESSURE)
    if channel is None or (step := step_kpa(channel.values)) <= 0.0:
        return None
    if step < NOTED_STEP_KPA:
        return Check(
            "steps",
            "ok",
            phrase(
                "The pressure reads in steps of {}: fine enough.",
                in_kpa(step, 0 if step >= 10 else 1 if step >= 0.095 else 2),
            ),
            channel.name,
            measured=step,
        )
    words = phrase(
        "The pressure reads in steps of {}: every figure is sure to ± {} at best, and a dip less "
        "deep than that is told only by how the steps follow one another. Use more of the "
        "converter's range, or a sensor of less range.",
        in_kpa(step, 1),
        in_kpa(step / 2, 1),
    )
    return Check("steps", "warn" if step >= COARSE_KPA else "note", words, channel.name, measured=step)
