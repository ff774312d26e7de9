"""The log list's model: every open session with what is in its log, read one after another in the background."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal

from PySide6.QtCore import QObject, Signal

from basso.memory.memory import Memory
from basso.progress import Progress
from basso.ui.models.jobs import Jobs
from basso.ui.models.sessions import Entry, Sessions

if TYPE_CHECKING:
    from basso.workflow import LogCard

Stage = Literal["waiting", "reading", "known", "refused", "cancelled"]


@dataclass(slots=True)
class Row:
    """One log of the list.

    Attributes:
        stage: where it is on its way in.
        fraction, megabytes_s: of the reading, while it is read.
        card: what is in it, once known.
        words: why it was refused, or what is worth knowing about it.
    """

    entry: Entry
    stage: Stage = "waiting"
    fraction: float = 0.0
    megabytes_s: float = 0.0
    card: LogCard | None = None
    words: str = ""


class LogList(QObject):
    """Rows for the open sessions, and for files that were refused until the user clears them."""

    changed = Signal()
    """Rows came, went, or are now known."""
    moved = Signal(int)
    """The row of this index read on."""

    def __init__(self, sessions: Sessions, jobs: Jobs, memory: Memory) -> None:
        super().__init__()
        self._sessions, self._jobs, self._memory = sessions, jobs, memory
        self._rows: dict[Path, Row] = {}
        self._active = False
        sessions.entries_changed.connect(self._follow)
        sessions.read_again.connect(self._read_again)
        sessions.columns_confirmed.connect(self._read_alike)
        sessions.refused.connect(self._judge_refused)

    @property
    def rows(self) -> list[Row]:
        """Every row, in the order the logs were opened."""
        return list(self._rows.values())

    @property
    def busy(self) -> bool:
        """True while logs are waiting or being read."""
        return self._active and any(r.stage in ("waiting", "reading") for r in self._rows.values())

    def activate(self) -> None:
        """Start reading: the list is about to be looked at, or something was dropped on it."""
        self._active = True
        self._read_next()

    def cancel(self) -> None:
        """Read no more; what is known stays."""
        for row in self._rows.values():
            if row.stage in ("waiting", "reading"):
                row.stage = "cancelled"
        self.changed.emit()

    def retry(self, row: Row) -> None:
        """Read a cancelled or refused log once more."""
        if row.entry not in self._sessions.entries:
            self._sessions.add([row.entry])
        row.stage, row.words, row.fraction = "waiting", "", 0.0
        self.changed.emit()
        self.activate()

    def go_on(self) -> None:
        """Read what was stopped."""
        for row in [r for r in self._rows.values() if r.stage == "cancelled"]:
            self.retry(row)

    def clear(self, row: Row) -> None:
        """Take a row off the list."""
        if row.entry in self._sessions.entries:
            self._sessions.close(row.entry)
        else:
            self._rows.pop(row.entry.path, None)
            self.changed.emit()

    def _follow(self) -> None:
        entries = {e.path: e for e in self._sessions.entries}
        for path, row in list(self._rows.items()):
            if path not in entries and row.stage != "refused":
                del self._rows[path]
        for path, entry in entries.items():
            row = self._rows.setdefault(path, Row(entry))
            if row.stage == "refused":
                row.stage, row.words = "waiting", ""
        # In the order of the sessions; what was not taken in stands below them.
        self._rows = {p: self._rows[p] for p in [*entries, *(p for p in self._rows if p not in entries)]}
        self.changed.emit()
        if self._active:
            self._read_next()

    def _read_again(self, entries: Sequence[Entry]) -> None:
        for entry in entries:
            if (row := self._rows.get(entry.path)) is not None:
                row.stage, row.fraction, row.card = "waiting", 0.0, None
        self.changed.emit()
        if self._active:
            self._read_next()

    def _read_alike(self, shape: str) -> None:
        """Logs that were only listed so far, and have the columns that were just confirmed."""
        self._read_again(
            [
                r.entry
                for r in self._rows.values()
                if r.card is not None and r.card.summary.shape == shape and self._sessions.columns_of(r.entry) is None
            ]
        )

    def _read_next(self) -> None:
        if any(r.stage == "reading" for r in self._rows.values()):
            return
        row = next((r for r in self._rows.values() if r.stage == "waiting"), None)
        if row is None:
            return
        row.stage = "reading"
        self.changed.emit()
        path, columns, memory = row.entry.path, self._sessions.columns_of(row.entry), self._memory
        begun = time.monotonic()

        def work(progress: Progress) -> LogCard:
            from basso.workflow import log_card

            return log_card(path, columns, progress, memory)

        def told(fraction: float, _: str) -> None:
            row.fraction = fraction
            spent = time.monotonic() - begun
            if spent > 0.05 and path.exists():
                row.megabytes_s = fraction * path.stat().st_size / 1e6 / spent
            if path in self._rows:
                self.moved.emit(list(self._rows).index(path))

        self._jobs.start(
            "list",
            f"reading {path.name}",
            work,
            self._then(row, self._known),
            self._then(row, self._refused),
            told,
            self.cancel,
        )

    def _then(self, row: Row, act: Callable[[Row, Any], None]) -> Callable[[Any], None]:
        def go_on(result: Any) -> None:
            if self._rows.get(row.entry.path) is row and row.stage == "reading":
                act(row, result)
            self.changed.emit()
            self._read_next()

        return go_on

    def _known(self, row: Row, card: LogCard) -> None:
        from basso.recording.drive import same_drive

        row.stage, row.card, row.words = "known", card, ""
        for other in self._rows.values():
            if other is row or other.card is None:
                continue
            if other.card.summary.content_hash == card.summary.content_hash:
                row.stage, row.words = "refused", f"the same log as {other.entry.title}; not added again"
                self._sessions.forget(row.entry)
                return
            if card.mark is not None and other.card.mark is not None and same_drive(card.mark, other.card.mark):
                order = list(self._rows.values())
                first, second = sorted((row, other), key=order.index)
                second.words = f"the same drive as {first.entry.title}, which counts once"

    def _judge_refused(self, entry: Entry, sentence: str) -> None:
        row = self._rows.setdefault(entry.path, Row(entry))
        row.stage, row.words = "refused", _without_path(sentence, entry.path)

    def _refused(self, row: Row, sentence: str) -> None:
        row.stage, row.words = "refused", _without_path(sentence, row.entry.path)
        self._sessions.forget(row.entry)


def _without_path(sentence: str, path: Path) -> str:
    """A problem without the file's name in front, which stands beside it in the list."""
    return sentence.removeprefix(str(path)).lstrip(":, ")
