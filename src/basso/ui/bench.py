"""The bench: everything a station is handed. It knows no station, so that none can reach through it for another."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from basso.units import DisplayUnits

if TYPE_CHECKING:
    from PySide6.QtCore import QPoint
    from PySide6.QtGui import QUndoStack
    from PySide6.QtWidgets import QWidget

    from basso.memory.memory import Memory
    from basso.ui.files import Files
    from basso.ui.models.cursor import Cursor
    from basso.ui.models.garage import GarageModel
    from basso.ui.models.jobs import Jobs
    from basso.ui.models.judging import Judging
    from basso.ui.models.log_list import LogList
    from basso.ui.models.pan import PanModel
    from basso.ui.models.sessions import Sessions
    from basso.ui.models.settings import Settings
    from basso.ui.models.trial_sides import TrialSides
    from basso.ui.models.units import UnitsShown
    from basso.ui.theme.look import Look


@dataclass(frozen=True, slots=True, eq=False)
class Bench:
    """Models, and the few things a station may ask of the window.

    Attributes:
        window: parent of dialogs.
        tell: says a problem, in one sentence, without stopping the work.
        go_to: shows a station by its key.
        run: runs a command by its key.
        pop_up: shows some commands as a menu at a point of the screen.
        place: takes a station's new page into the window, where it is not seen until it is gone to.
        files: asks for files and writes them.
    """

    window: QWidget
    look: Look
    settings: Settings
    memory: Memory
    jobs: Jobs
    undo: QUndoStack
    units: UnitsShown
    cursor: Cursor
    sessions: Sessions
    judging: Judging
    trial: TrialSides
    logs: LogList
    garage: GarageModel
    pan: PanModel
    files: Files
    tell: Callable[[str], None]
    go_to: Callable[[str], None]
    run: Callable[[str], None]
    pop_up: Callable[[Sequence[str], QPoint], None]
    place: Callable[[QWidget], object]

    @property
    def shown_units(self) -> DisplayUnits:
        """The units to read in."""
        return self.units.now
