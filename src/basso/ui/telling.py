"""What a station tells of the session shown: put together in the background while the station is looked at, and never stale."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Generic, Protocol, TypeVar

from basso.progress import Progress

if TYPE_CHECKING:
    from basso.analysis import Analysis
    from basso.ui.desk import Desk


class Told(Protocol):
    """What was told carries the analysis it rests on."""

    @property
    def analysis(self) -> Analysis:
        """The session's."""


T = TypeVar("T", bound=Told)


class Telling(Generic[T]):
    """Acts for one desk and one station.

    Args:
        station: its key. what: as it is called in a sentence ("corners").
    """

    def __init__(self, desk: Desk, station: str, what: str) -> None:
        self._desk, self._station, self._what = desk, station, what
        self._told: T | None = None
        self._told_of: tuple[object, ...] = ()
        self._asked_of: tuple[object, ...] = ()
        self._rests = ""
        desk.workspace.shown_changed.connect(self._shown_changed)
        desk.workspace.units_changed.connect(self._show)

    def refresh(self) -> None:
        """Tell of the session shown, where that was not done yet."""
        a = self._desk.workspace.analysis
        if a is None or not a.judgeable:
            self._told = None
            self._show()
            return
        wanted = self._wanted(a)
        if (self._told_of == wanted and (self._told is not None or self._rests)) or self._asked_of == wanted:
            return
        self._asked_of, self._rests = wanted, ""
        if self._told is None:
            self._show()

        def done(told: T | None) -> None:
            self._asked_of, self._told_of, self._told = (), wanted, told
            if told is None:
                self._rests = self._nothing(a)
            self._show()
            self._shown(told)

        def failed(sentence: str) -> None:
            self._rest(f"{self._what.capitalize()} could not be looked at: {sentence}")
            self._desk.tell(sentence)

        self._desk.jobs.start(
            self._station, f"looking at {self._what}", self._work(a), done, failed, dropped=self._dropped
        )

    def _wanted(self, a: Analysis) -> tuple[object, ...]:
        """Everything that what is told rests on."""
        return (a,)

    def _work(self, a: Analysis) -> Callable[[Progress], T | None]:
        """What puts it together; touches nothing but what it was given."""
        raise NotImplementedError

    def _show_told(self, told: T | None, waiting: str) -> None:
        """Show it at the station, or why there is nothing yet."""
        raise NotImplementedError

    def _shown(self, told: T | None) -> None:
        """What follows once it is shown."""

    def _forget(self) -> None:
        """What was asked of one session is not asked of the next."""

    def go_on(self) -> None:
        """Take up again what was stopped or failed, while the station is looked at."""
        if self._rests and self._told is None:
            self._told_of = ()
            self.refresh()

    def _nothing(self, a: Analysis) -> str:
        """Why there is nothing to tell of a session that was looked at, and what would change that."""
        raise NotImplementedError

    def _dropped(self) -> None:
        self._rest(f"Looking at {self._what} was stopped. Go on with F5.")

    def _rest(self, sentence: str) -> None:
        """Nothing is working on it: say why, and what to do."""
        self._asked_of, self._told_of, self._rests = (), (), sentence
        self._show()

    def _shown_changed(self) -> None:
        a = self._desk.workspace.analysis
        if self._told is not None and (a is None or self._told.analysis.recording is not a.recording):
            self._told = None
            self._forget()
            self._show()
        if a is None or (self._told_of and self._told_of[0] is not a):
            self._rests = ""
        if self._desk.station == self._station:
            self.refresh()

    def _show(self) -> None:
        w = self._desk.workspace
        waiting = ""
        if self._told is None and w.shown is not None:
            waiting = w.waiting or self._rests or f"Looking at {self._what} …"
            if w.analysis is not None and not w.analysis.judgeable:
                waiting = (
                    f"{self._what.capitalize()} need{'' if self._what.endswith('s') else 's'} oil pressure and engine speed; "
                    "say under Recordings which columns they are"
                )
        self._show_told(self._told, waiting)
