"""How much of a session was judged, and why not the rest: no dips in what was not looked at says nothing."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from basso.normal.settled import WARM_C, running
from basso.recording.gaps import or_zero
from basso.recording.spans import sampled_s
from basso.sentence import Sentence, in_celsius, joined, phrase

if TYPE_CHECKING:
    from basso.analysis import Analysis

_MOST = 0.5
_LEAST_MIN = 0.05


@dataclass(frozen=True, slots=True)
class Coverage:
    """Minutes judged, and minutes of running that were not, each with the reason."""

    judged_min: float
    not_judged: tuple[tuple[float, str], ...]

    @property
    def running_min(self) -> float:
        """All of it."""
        return self.judged_min + sum(minutes for minutes, _ in self.not_judged)

    @property
    def is_most(self) -> bool:
        """True where what was not judged is the lesser part, engine speeds under the gate apart."""
        rest = sum(minutes for minutes, why in self.not_judged if not why.startswith("engine"))
        return self.judged_min > 0 and rest <= _MOST * (self.judged_min + rest)

    @property
    def words(self) -> Sentence:
        """Minutes and reasons, in a sentence."""
        if not self.not_judged:
            return phrase("All {:.1f} min of running were judged.", self.judged_min)
        rest = joined("; ", (phrase("{:.1f} min {}", minutes, why) for minutes, why in self.not_judged))
        if not self.judged_min:
            return phrase("Not judged: {}.", rest)
        return phrase(
            "Judged: {:.1f} of {:.1f} min of running; not judged: {}.", self.judged_min, self.running_min, rest
        )


def coverage_of(a: Analysis) -> Coverage:
    """How much of the running was judged. Time in a pause of the log belongs to nothing."""
    if a.recording.manual:
        return Coverage(0.0, ())  # readings off a gauge are judged one by one and have no duration
    if a.time_s.size == 0:
        why = next((c.message for c in a.checks if c.level == "fail"), "holds nothing that runs")
        return Coverage(0.0, ((a.recording.duration_s / 60.0, phrase("({})", why)),))
    weights = sampled_s(a.time_s) / 60.0
    runs = running(a.rpm)
    readable, floored = np.isfinite(a.told_kpa), np.isfinite(a.floor.kpa)
    judged = a.judged & readable & floored
    left = runs & ~judged
    cold = np.zeros(left.shape, dtype=bool)
    unread = np.zeros(left.shape, dtype=bool)
    if a.temperature_c is not None:
        unread = ~np.isfinite(a.temperature_c)
        cold = ~unread & (a.temperature_c < WARM_C)
    gate = a.options.rules.rpm_gate
    reasons: list[tuple[float, str]] = []
    for where, why in (
        (or_zero(a.rpm) <= gate, f"engine speed under {gate:.0f} rpm"),
        (cold, phrase("oil under {}", in_celsius(WARM_C))),
        (unread, "no reading of the oil temperature"),
        (~readable, "no usable reading of the oil pressure"),
        (~floored, "no floor applies"),
        (np.ones(left.shape, dtype=bool), "left out by the settings"),
    ):
        minutes = float(weights[left & where].sum())
        left = left & ~where
        if minutes >= _LEAST_MIN:
            reasons.append((minutes, why))
    return Coverage(float(weights[judged].sum()), tuple(reasons))
