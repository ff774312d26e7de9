"""What the user decided about corrections, kept with each log by its content: refused, or put right by another
amount."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

from basso.memory.kept_file import KeptFile

if TYPE_CHECKING:
    from basso.recording.recording import Recording

CorrectionKey = tuple[str, str]
_COLUMNS = "columns "
"""Before a shape: what holds for every log with these columns."""


@dataclass(frozen=True, slots=True)
class Decision:
    """For one log: (channel, kind) of what is refused, and (channel, kind, value) of what is put right otherwise."""

    refused: frozenset[CorrectionKey] = field(default_factory=frozenset)
    edited: frozenset[tuple[str, str, float]] = field(default_factory=frozenset)

    @classmethod
    def from_plain(cls, plain: Any) -> Decision:
        """Back from JSON; raises ValueError, TypeError or KeyError where it is something else."""
        refused = frozenset((str(c), str(k)) for c, k in plain["refused"])
        return cls(refused, frozenset((str(c), str(k), float(v)) for c, k, v in plain["edited"]))

    def as_plain(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {"refused": sorted(self.refused), "edited": sorted(self.edited)}


class Decisions:
    """The decisions of every log. ``file`` None: none were made, and none are kept."""

    def __init__(self, file: Path | None = None) -> None:
        self._kept = KeptFile(file, "logs")

    def of(self, content_hash: str) -> Decision:
        """What was decided about a log; nothing where nothing was, or where it cannot be read."""
        kept = self._kept.read().get(content_hash)
        with suppress(ValueError, TypeError, KeyError):
            if kept is not None:
                return Decision.from_plain(kept)
        return Decision()

    def of_log(self, recording: Recording) -> Decision:
        """What was decided about a log: its own, and the signs that were said of any log with its columns."""
        own = self.of(recording.content_hash)
        if not recording.shape:
            return own
        said = {(c, k) for c, k, _ in own.edited} | own.refused
        signs = frozenset(e for e in self.of(_COLUMNS + recording.shape).edited if e[:2] not in said)
        return Decision(own.refused, own.edited | signs)

    def keep_log(self, recording: Recording, decision: Decision) -> None:
        """Keep what was decided about a log; which way a channel is positive is the logger's, and holds for every log
        with these columns.

        Raises:
            InputError: it cannot be written.
        """
        signs = frozenset(e for e in decision.edited if e[1] == "sign") if recording.shape else frozenset()
        self.keep(recording.content_hash, Decision(decision.refused, decision.edited - signs))
        if recording.shape and self.of(_COLUMNS + recording.shape).edited != signs:
            self.keep(_COLUMNS + recording.shape, Decision(edited=signs))

    def keep(self, content_hash: str, decision: Decision) -> None:
        """Keep a decision; one that changes nothing is forgotten.

        Raises:
            InputError: it cannot be written.
        """
        with self._kept.alone():
            logs = dict(self._kept.read())
            if decision == Decision():
                logs.pop(content_hash, None)
            else:
                logs[content_hash] = decision.as_plain()
            self._kept.write(logs, "free the disk or the folder.")
