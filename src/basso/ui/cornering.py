"""What the Corners station's verbs do: put together what is told of where, in the background, while it is looked at."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from basso.progress import Progress
from basso.ui.telling import Telling

if TYPE_CHECKING:
    from basso.analysis import Analysis
    from basso.corners.told import CornersTold
    from basso.ui.desk import Desk


class Cornering(Telling["CornersTold"]):
    """Acts for one desk."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk, "corners", "corners")

    def _work(self, a: Analysis) -> Callable[[Progress], CornersTold | None]:
        def work(progress: Progress) -> CornersTold | None:
            from basso.corners.told import tell_corners

            return tell_corners(a, progress)

        return work

    def _nothing(self, a: Analysis) -> str:
        from basso.report.coverage import coverage_of

        if a.recording.manual:
            return "Readings off a gauge tell of no corners. Log a run with both g."
        return f"No corner can be judged in this session. {coverage_of(a).words} Drive it warm, then look again."

    def _show_told(self, told: CornersTold | None, waiting: str) -> None:
        self._desk.corners.show_corners(told, self._desk.workspace.units, waiting)
