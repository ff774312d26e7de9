"""The verdict of one check on a recording."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from basso.recording.corrections import Correction

Level = Literal["ok", "note", "warn", "fail"]
ZERO_STATES = ("measured", "corrected", "assumed", "wrong")
"""Best first: read at rest as nothing; what was read at rest taken off; never read at rest; wrong, and left so by the
user."""


@dataclass(frozen=True, slots=True)
class Check:
    """What one check found.

    Attributes:
        id: stable name of the check ("zero", "spikes").
        level: ``ok``; ``note``: worth knowing; ``warn``: verdicts lean on an assumption; ``fail``: do not judge.
        message: the finding with its numbers, one or two sentences.
        channel: the channel it is about, or None for the whole recording.
        correction: what would put it right, or None.
        offered: the correction is only made when the user says so: it might hide a real loss.
        measured: the figure the check rests on, in the unit its message names, or None.
        at_most: the true figure may lie below ``measured``, and nothing would show it.
    """

    id: str
    level: Level
    message: str
    channel: str | None = None
    correction: Correction | None = None
    measured: float | None = None
    offered: bool = False
    at_most: bool = False
