"""What a reader assumed, repaired and lost, a sentence each. What was lost is told wherever the log is judged: no dip
in what can no longer be read says nothing."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from basso.recording.recording import Recording


class ReaderNotes(list[str]):
    """The sentences in order.

    Attributes:
        lost: those by which part of the drive is missing.
        broken_off: why the log ends before the drive did ("the file is cut short"), or "".
        damaged_rows: first row of the file (from 1) behind which rows are missing, or 0: without a clock of their own
            the rows below it cannot be placed.
    """

    def __init__(self) -> None:
        super().__init__()
        self.lost: list[str] = []
        self.broken_off = ""
        self.damaged_rows = 0

    def lose(self, sentence: str) -> None:
        """A part of the drive is missing, whole otherwise."""
        self.append(sentence)
        self.lost.append(sentence)


def with_losses(recording: Recording, notes: ReaderNotes) -> Recording:
    """The recording, marked with what of the drive is missing."""
    marked = replace(recording, damage=(*recording.damage, *notes.lost))
    return broken_off(marked, notes.broken_off) if notes.broken_off else marked


def broken_off(recording: Recording, why: str) -> Recording:
    """The recording, marked as the first part of a longer drive."""
    minutes, seconds = divmod(int(recording.duration_s), 60)
    sentence = f"Only the first {minutes}:{seconds:02d} min could be read ({why}); anything logged after that is lost."
    return replace(recording, damage=(sentence, *recording.damage), notes=(sentence, *recording.notes))
