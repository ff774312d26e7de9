"""What the Corners station's verbs do: put together what is told of where, in the background, while it is looked at."""

from __future__ import annotations

from typing import TYPE_CHECKING

from basso.progress import Progress

if TYPE_CHECKING:
    from basso.corners.told import CornersTold
    from basso.ui.desk import Desk


class Cornering:
    """Acts for one desk."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self._told: CornersTold | None = None
        self._asked_of: object = None
        desk.workspace.shown_changed.connect(self._shown_changed)
        desk.workspace.units_changed.connect(self._show)

    def refresh(self) -> None:
        """Tell of the session shown, where that was not done yet."""
        a = self._desk.workspace.analysis
        if a is None or not a.judgeable:
            self._told = None
            self._show()
            return
        if (self._told is not None and self._told.analysis is a) or self._asked_of is a:
            return
        self._asked_of = a

        def work(progress: Progress) -> CornersTold | None:
            from basso.corners.told import tell_corners

            return tell_corners(a, progress)

        def done(told: CornersTold | None) -> None:
            self._asked_of, self._told = None, told
            self._show()

        self._desk.jobs.start("corners", "looking at corners", work, done, self._desk.tell, dropped=self._dropped)

    def _dropped(self) -> None:
        self._asked_of = None

    def _shown_changed(self) -> None:
        a = self._desk.workspace.analysis
        if self._told is not None and (a is None or self._told.analysis.recording is not a.recording):
            self._told = None
            self._show()
        if self._desk.station == "corners":
            self.refresh()

    def _show(self) -> None:
        w = self._desk.workspace
        waiting = ""
        if self._told is None and w.shown is not None:
            waiting = f"Reading {w.shown.title} …" if w.analysis is None else "Looking at corners …"
            if w.analysis is not None and not w.analysis.judgeable:
                waiting = "Corners need oil pressure and engine speed; say under Recordings which columns they are"
        self._desk.corners.show_corners(self._told, w.units, waiting)
