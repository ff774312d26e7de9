"""Predictions beside what was measured, in words."""

from __future__ import annotations

from collections.abc import Sequence

from basso.car.predictions import KeptPrediction, LowestChange
from basso.sentence import Sentence, in_kpa, phrase


def kept_words(k: KeptPrediction) -> str:
    """One prediction, and what became of it."""
    if k.measured is None:
        return phrase("Predicted of {}: {}; not measured yet.", k.what, _band(k.predicted))
    if k.held:
        how = "the prediction held"
    elif k.held is None:
        how = "measured too loosely to tell; drive more laps"
    else:
        how = "more than predicted" if k.measured.effect.kpa > k.predicted.kpa else "less than predicted"
    return phrase("Predicted of {}: {}; measured {}: {}.", k.what, _band(k.predicted), _band(k.measured.effect), how)


def record_words(kept: Sequence[KeptPrediction]) -> str:
    """How far this car's predictions held so far; "" where none was measured."""
    measured = [k for k in kept if k.held is not None]
    if not measured:
        return ""
    held = sum(bool(k.held) for k in measured)
    return f"Predictions of this car that held when they were measured: {held} of {len(measured)}."


def _band(e: LowestChange) -> Sentence:
    return phrase(
        "{} ({:bare} to {:bare})",
        in_kpa(e.kpa, signed=True),
        in_kpa(e.low_kpa, signed=True),
        in_kpa(e.high_kpa, signed=True),
    )
