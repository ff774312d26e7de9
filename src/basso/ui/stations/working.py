"""The working behind a number, as every station tells it. (No Qt.)"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class WorkingStep:
    """One step of the working: what, the formula with its numbers, where the inputs come from."""

    what: str
    formula: str
    source: str
