"""A station that puts together what it tells of the session shown: in the background, while it is looked at, and never
stale."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Generic, Protocol, TypeVar

from basso.progress import Progress
from basso.ui.bench import Bench
from basso.ui.stations.station import Page, Station

if TYPE_CHECKING:
    from basso.analysis import Analysis


class Findings(Protocol):
    """What was found carries the analysis it rests on."""

    @property
    def analysis(self) -> Analysis:
        """The session's."""


F = TypeVar("F", bound=Findings)


class FindingStation(Station[Page], Generic[Page, F]):
    """What one session tells a station. ``key``: of the station; ``what``: as it is called in a sentence
    ("corners")."""

    key = ""
    what = ""

    def __init__(self, bench: Bench) -> None:
        super().__init__(bench)
        self.found: F | None = None
        self._found_of: tuple[object, ...] = ()
        self._asked_of: tuple[object, ...] = ()
        self._rests = ""
        bench.sessions.shown_changed.connect(self._shown_changed)
        bench.units.changed.connect(self.fill)

    # What each such station says for itself

    def wanted(self, a: Analysis) -> tuple[object, ...]:
        """Everything that what is found rests on; the analysis first."""
        return (a,)

    def work(self, a: Analysis) -> Callable[[Progress], F | None]:
        """What puts it together; touches nothing but what it was given."""
        raise NotImplementedError

    def nothing(self, a: Analysis) -> str:
        """Why there is nothing to tell of a session that was looked at, and what would change that."""
        raise NotImplementedError

    def show_findings(self, found: F | None, waiting: str) -> None:
        """Show it, or why there is nothing yet."""
        raise NotImplementedError

    def fresh(self) -> None:
        """What follows once something new is shown."""

    def forget(self) -> None:
        """What was asked of one session is not asked of the next."""

    # The work

    def show(self) -> None:
        """Look at the session shown, where that was not done yet."""
        self.refresh()

    def refresh(self) -> None:
        """Tell of the session shown, where that was not done yet."""
        a = self.bench.sessions.analysis
        if a is None or not a.judgeable:
            self.found = None
            self.fill()
            return
        wanted = self.wanted(a)
        if (self._found_of == wanted and (self.found is not None or self._rests)) or self._asked_of == wanted:
            return
        self._asked_of, self._rests = wanted, ""
        if self.found is None:
            self.fill()

        def done(found: F | None) -> None:
            self._asked_of, self._found_of, self.found = (), wanted, found
            if found is None:
                self._rests = self.nothing(a)
            self.fill()
            self.fresh()

        def failed(sentence: str) -> None:
            self._rest(f"{self.what.capitalize()} could not be looked at: {sentence}")
            self.bench.tell(sentence)

        self.bench.jobs.start(self.key, f"looking at {self.what}", self.work(a), done, failed, dropped=self._dropped)

    def go_on(self) -> None:
        """Take up again what was stopped or failed, while the station is looked at."""
        if self._rests and self.found is None:
            self._found_of = ()
            self.refresh()

    def _dropped(self) -> None:
        self._rest(f"Looking at {self.what} was stopped. Go on with F5.")

    def _rest(self, sentence: str) -> None:
        """Nothing is working on it: say why, and what to do."""
        self._asked_of, self._found_of, self._rests = (), (), sentence
        self.fill()

    def _shown_changed(self) -> None:
        a = self.bench.sessions.analysis
        if self.found is not None and (a is None or self.found.analysis.recording is not a.recording):
            self.found = None
            self.forget()
            self.fill()
        if a is None or (self._found_of and self._found_of[0] is not a):
            self._rests = ""
        if self.looked_at:
            self.refresh()

    def fill(self) -> None:
        """Show what is there, or why there is nothing."""
        sessions = self.bench.sessions
        waiting = ""
        if self.found is None and sessions.shown is not None:
            waiting = sessions.waiting or self._rests or f"Looking at {self.what} …"
            if sessions.analysis is not None and not sessions.analysis.judgeable:
                waiting = (
                    f"{self.what.capitalize()} need{'' if self.what.endswith('s') else 's'} oil pressure "
                    "and engine speed; "
                    "say under Logs which columns they are"
                )
        self.show_findings(self.found, waiting)
