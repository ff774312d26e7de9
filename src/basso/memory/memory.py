"""What is remembered of logs between starts, all of it in one place, so that it can be handed in."""

from __future__ import annotations

from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from basso.memory.columns import Columns
from basso.memory.decisions import Decisions
from basso.platform.folders import data_folder

if TYPE_CHECKING:
    from basso.memory.options import Options
    from basso.memory.parts import Parts
    from basso.memory.run_cards import RunCards


class Memory:
    """Confirmed columns, decisions about readings, and parts. ``folder`` None: nothing is remembered, and nothing will
    be."""

    def __init__(self, folder: Path | None = None) -> None:
        self._folder = folder
        self.columns = Columns(self._file("mappings.json"))
        self.decisions = Decisions(self._file("readings.json"))

    @classmethod
    def own(cls) -> Memory:
        """The user's own."""
        return cls(data_folder())

    @cached_property
    def parts(self) -> Parts:
        """The catalogue of parts."""
        from basso.memory.parts import Parts

        return Parts(self._file("parts.json"))

    @cached_property
    def options(self) -> Options:
        """What the owner wrote beside the options for each car."""
        from basso.memory.options import Options

        return Options(self._file("options.json"))

    @cached_property
    def run_cards(self) -> RunCards:
        """The run cards that were written."""
        from basso.memory.run_cards import RunCards

        return RunCards(self._file("run-cards.json"))

    def _file(self, name: str) -> Path | None:
        return self._folder / name if self._folder is not None else None
