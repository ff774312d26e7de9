"""What a station is: a page of the path with its state, its commands, its table, its working. One folder and one row
each."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Generic, TypeVar

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget

    from basso.ui.bench import Bench
    from basso.ui.stations.table import Table
    from basso.ui.stations.working import WorkingStep


Page = TypeVar("Page", bound="QWidget")


@dataclass(frozen=True, slots=True)
class State:
    """A station's state: a few words from real data, and how much it wants attention."""

    words: str
    mark: str = ""
    """ "" for none, "attention" or "below"."""


def always() -> bool:
    """A command that can be run at any time."""
    return True


@dataclass(frozen=True, slots=True)
class Command:
    """Something a user can do. Menus, keys, command search and the help page are all made from these rows.

    Attributes:
        key: stable name.
        group: the menu it stands in.
        title: what it is called everywhere.
        run: does it.
        keys: key sequences, the first shown.
        hint: one more line for the help page.
        when: whether it can be run now; what it rests on is told by the models' signals.
    """

    key: str
    group: str
    title: str
    run: Callable[[], object]
    keys: tuple[str, ...] = ()
    hint: str = ""
    when: Callable[[], bool] = always


@dataclass(frozen=True, slots=True)
class Working:
    """How the numbers shown came about."""

    title: str
    steps: Sequence[WorkingStep]


@dataclass(frozen=True, slots=True)
class Shot:
    """A picture of the station for the documentation: its file's name, what to do before, and when it is ready."""

    name: str
    prepare: Callable[[], object]
    ready: Callable[[], bool] = always


class Station(ABC, Generic[Page]):
    """One station of the path. It is handed the bench, reaches for no other station, and makes its page when first
    wanted.

    What is not said here has an answer that suits a station without it: no commands, no table, nothing to take up
    again.
    """

    looked_at = False
    """Kept by the window: True while this is the station shown."""
    shows_oil = True
    """False where the oil's place says nothing: the Pan panel then gives its room."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench
        self._page: Page | None = None

    @property
    def page(self) -> Page:
        """What stands in the window while the station is shown; made, and filled, when first asked for."""
        if self._page is None:
            self._page = self.make_page()
            self.bench.place(self._page)  # before it is filled: fonts set outside the window are lost on the way in
            self.fill()
        return self._page

    @property
    def made(self) -> bool:
        """True once the page was wanted: before that there is nothing to show on."""
        return self._page is not None

    @abstractmethod
    def make_page(self) -> Page:
        """A new page, its signals connected."""

    def fill(self) -> None:
        """Show everything as it is now on the page; nothing where there is none yet."""

    def state(self) -> State:
        """How it stands, on the path; asked for whenever a model has changed, so it must be quick."""
        return State("")

    def commands(self) -> tuple[Command, ...]:
        """What it adds to the commands."""
        return ()

    def show(self) -> None:
        """It is looked at from now on."""

    def focus(self) -> None:
        """Let the keyboard go where it is most likely wanted."""

    def table(self, only_selected: bool = False) -> Table | None:
        """Its list, for copying and exporting; None where there is nothing to give away yet."""
        return None

    def working(self) -> Working | None:
        """The working behind what it shows; None where it shows no number."""
        return None

    def go_on(self) -> None:
        """Take up again what was stopped or failed."""

    def shots(self) -> tuple[Shot, ...]:
        """Pictures for the documentation, taken on the demo data."""
        return ()
