"""The sessions that are open, and the one shown. Emits what changed; draws nothing, judges nothing."""

from __future__ import annotations

import tomllib
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QUndoStack

from basso.ui.models.undo import UndoStep

if TYPE_CHECKING:
    from basso.analysis import Analysis
    from basso.formats.options import ReadOptions
    from basso.memory.decisions import Decision
    from basso.pressure.earlier import Known
    from basso.recording.recording import Recording


@dataclass(frozen=True, slots=True)
class Entry:
    """One session in the window: where its log is, and what people call it."""

    path: Path
    title: str
    car: str = ""
    build: str = ""
    circuit: str = ""
    day: str = ""


@dataclass(slots=True)
class Loaded:
    """What is there of an open session so far."""

    recording: Recording | None = None
    analysis: Analysis | None = None
    known: Known | None = None
    known_by: object = None
    """What the garage's facts rested on when ``known`` was asked of them."""
    decision: Decision | None = None
    """About its corrections; None until it is read what was decided earlier."""
    columns: ReadOptions | None = None
    rests: str = ""
    """Why it is not judged, where nothing is working on it: it was stopped, or failed."""


class Sessions(QObject):
    """Every open session by its entry, in the order it was opened."""

    entries_changed = Signal()
    shown_changed = Signal()
    """Another session is shown, or the shown one has (not) been judged: :attr:`analysis` may be None."""
    wanted = Signal()
    """The shown session was asked for: it is to be judged where that was not done."""
    left, returned = Signal(object), Signal(object)
    """An entry went off the list, or came back by undo."""
    read_again = Signal(object)
    """Carries the list of entries whose logs are read with other columns from now on."""
    columns_confirmed = Signal(str)
    """What the columns of logs of this shape are was confirmed, or taken back."""
    refused = Signal(object, str)
    """An entry whose log cannot be read, and why; it leaves the list of sessions."""

    def __init__(self, undo: QUndoStack) -> None:
        super().__init__()
        self._undo = undo
        self._loaded: dict[Entry, Loaded] = {}
        self.shown: Entry | None = None

    @property
    def entries(self) -> tuple[Entry, ...]:
        """Every open session."""
        return tuple(self._loaded)

    def of(self, entry: Entry) -> Loaded:
        """What is there of a session. Raises KeyError for one that is not open."""
        return self._loaded[entry]

    @property
    def analysis(self) -> Analysis | None:
        """The judged shown session, or None while it is being worked on."""
        return self._loaded[self.shown].analysis if self.shown is not None else None

    @property
    def recording(self) -> Recording | None:
        """The shown session's recording, or None while it is being read."""
        return self._loaded[self.shown].recording if self.shown is not None else None

    @property
    def read(self) -> tuple[tuple[Entry, Recording], ...]:
        """Every open session whose log has been read."""
        return tuple((e, v.recording) for e, v in self._loaded.items() if v.recording is not None)

    @property
    def waiting(self) -> str:
        """What stands where a judged session would: that it is being read, or why it is not; "" where it is there, or
        none is shown."""
        if self.shown is None or self.analysis is not None:
            return ""
        return self._loaded[self.shown].rests or f"Reading {self.shown.title} …"

    @property
    def rests(self) -> bool:
        """True where the shown session is not judged and nothing is working on it."""
        return self.shown is not None and self.analysis is None and bool(self._loaded[self.shown].rests)

    def columns_of(self, entry: Entry) -> ReadOptions | None:
        """The columns and units the user chose for a session, or None."""
        return self._loaded[entry].columns if entry in self._loaded else None

    def add(self, entries: Sequence[Entry]) -> None:
        """Add sessions that are not open yet."""
        for entry in entries:
            self._loaded.setdefault(entry, Loaded())
        self.entries_changed.emit()

    def open_logs(self, paths: Sequence[Path]) -> None:
        """Add logs by path and show the first; one that is open already is shown again."""
        known = {e.path.resolve(): e for e in self.entries}
        entries = [known.get(p.resolve()) or Entry(p, p.stem) for p in paths]
        if entries:
            self.add(entries)
            self.show(entries[0])

    def show(self, entry: Entry) -> None:
        """Show a session."""
        self.shown = entry
        self.shown_changed.emit()
        self.wanted.emit()

    def close(self, entry: Entry) -> None:
        """Take a session off the list, as one undo step; its file stays where it is."""
        if entry not in self._loaded:
            return
        order = list(self._loaded)

        def put_back() -> None:
            kept = {**self._loaded, entry: self._loaded.get(entry, Loaded())}
            self._loaded = {e: kept[e] for e in [*order, *(e for e in kept if e not in order)] if e in kept}
            self.entries_changed.emit()
            self.show(entry)
            self.returned.emit(entry)

        self._undo.push(UndoStep(f"closing {entry.title}", lambda: self.forget(entry), put_back))

    def forget(self, entry: Entry) -> None:
        """A log leaves the list (it could not be read, or is there already); what was shown before comes back."""
        if self._loaded.pop(entry, None) is None:
            return
        if self.shown == entry:
            judged = [e for e, v in self._loaded.items() if v.analysis is not None]
            self.shown = judged[-1] if judged else next(iter(self._loaded), None)
        self.entries_changed.emit()
        self.shown_changed.emit()
        if self.shown is not None and self.analysis is None:
            self.wanted.emit()
        self.left.emit(entry)


def demo_entries(folder: Path) -> tuple[list[Entry], tuple[str, ...], tuple[str, ...]]:
    """The demo sessions, and the names of those on the two sides of its trial."""
    table = tomllib.loads((folder / "sessions.toml").read_text(encoding="utf-8"))
    entries = [
        Entry(folder / s["log"], s["title"], table["car"], s["build"], s["circuit"], s["day"]) for s in table["session"]
    ]
    return entries, tuple(table["trial"]["a"]), tuple(table["trial"]["b"])
