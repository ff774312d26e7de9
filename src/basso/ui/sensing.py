"""What the Sensors station's verbs do: decide about corrections, go to a place in the log, measure the drops."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from basso.progress import Progress
from basso.trust.decisions import Decision

if TYPE_CHECKING:
    from basso.pressure.drops import Change
    from basso.ui.desk import Desk


class Sensing:
    """Acts for one desk."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        desk.sensors.decided.connect(self._decide)
        desk.sensors.place_wanted.connect(self._go_to_place)
        desk.sensors.drops_wanted.connect(self._work_out_drops)

    def _decide(self, channel: str, kind: str, put_right: bool, value: object) -> None:
        """A correction of the shown log is accepted, refused, or made by another amount."""
        before, key = self._desk.workspace.decision, (channel, kind)
        refused = before.refused - {key} if put_right else before.refused | {key}
        edited = before.edited
        if isinstance(value, float):
            edited = frozenset(e for e in edited if e[:2] != key) | {(*key, value)}
        self._desk.workspace.decide(Decision(refused, edited))

    def _work_out_drops(self) -> None:
        """What cooler and filter take in the shown log, held against the open logs before it."""
        w, shown = self._desk.workspace, self._desk.workspace.shown
        a = w.analysis
        if shown is None or a is None:
            self._desk.sensors.show_drops((), (), 0.0)
            return
        before = [(e, r) for e, r in w.read if e != shown and (e.day, e.title) < (shown.day, shown.title)]
        redline, oils, now = float(np.nanpercentile(a.rpm, 99.5)), w.garage.oils, a.corrected

        def work(_: Progress) -> tuple[list[Change], list[str]]:
            from basso.pressure.drops import find_drops, held_against

            earlier = [
                (e.title, find_drops(r, oils.get(r.content_hash)))
                for e, r in sorted(before, key=lambda b: (b[0].day, b[0].title))
            ]
            known = [(title, drops) for title, drops in earlier if drops]
            changes = held_against(find_drops(now, oils.get(now.content_hash)), [d for _, d in known], redline)
            return changes, [title for title, _ in known]

        def done(result: tuple[list[Change], list[str]]) -> None:
            if self._desk.workspace.shown == shown:
                self._desk.sensors.show_drops(*result, redline)

        self._desk.jobs.start("drops", "measuring the drops", work, done, self._desk.tell)

    def _go_to_place(self, start_s: float, end_s: float) -> None:
        """Show a stretch of the log in the traces."""
        margin = max(2.0, 0.5 * (end_s - start_s))
        self._desk.cursor.show(start_s - margin, end_s + margin)
        self._desk.cursor.move_to(start_s)
        self._desk.go_to("dips")
