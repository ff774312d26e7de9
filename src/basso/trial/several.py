"""Three sides or more: each against each, and all against the first."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from basso.trial.effect import Effect
from basso.trial.verdict import Comparison


@dataclass(frozen=True, slots=True, eq=False)
class Sides:
    """Several sides compared.

    Attributes:
        labels: in the order given; the first is what the others are held against.
        contrasts: every pair, the earlier side as A.
    """

    labels: tuple[str, ...]
    contrasts: tuple[Comparison, ...]

    def against_first(self, label: str) -> Effect | None:
        """A side's effect against the first; None for the first itself, and where they cannot be compared."""
        pair = (self.labels[0], label)
        return next((c.effect_kpa for c in self.contrasts if (c.a.label, c.b.label) == pair), None)


def compare_several(labels: Sequence[str], judge_pair: Callable[[str, str], Comparison]) -> Sides:
    """Judge every pair of sides; each pair against its own shared normal."""
    return Sides(tuple(labels), tuple(judge_pair(a, b) for a, b in itertools.combinations(labels, 2)))
