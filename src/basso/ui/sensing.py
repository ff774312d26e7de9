"""What the Sensors station's verbs do: decide about corrections, go to a place in the log, measure the drops."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from basso.errors import InputError
from basso.pressure.earlier import cold_peak_kpa, relief_of, relief_words
from basso.progress import Progress
from basso.trust.decisions import Decision
from basso.ui.stations.sensors.widget import REGISTER
from basso.ui.workspace import Edit
from basso.units import Quantity

if TYPE_CHECKING:
    from basso.fitting.planner import Part
    from basso.pressure.drops import Change, Drop
    from basso.ui.desk import Desk
    from basso.ui.registering import Registering


class Sensing:
    """Acts for one desk."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        desk.sensors.decided.connect(self._decide)
        desk.sensors.place_wanted.connect(self._go_to_place)
        desk.sensors.drops_wanted.connect(self._work_out_drops)
        desk.sensors.register_wanted.connect(lambda: self.registering)
        fit = desk.sensors.fit
        fit.print_wanted.connect(
            lambda: desk.exporting.print_words(fit.printed, "sensor-fitting", "Print the plan to a file")
        )
        fit.register_wanted.connect(self._register_plan)
        fit.parts_edited.connect(self._use_parts)
        desk.workspace.shown_changed.connect(self._show_cold_peak)
        desk.workspace.units_changed.connect(self._show_cold_peak)

    @cached_property
    def registering(self) -> Registering:
        """What the register's verbs do; made when it is first looked at."""
        from basso.ui.registering import Registering

        self._desk.garaging.open_own()
        return Registering(self._desk, self._desk.sensors.register)

    def _register_plan(self) -> None:
        """What was planned goes into the register, to be completed there."""
        from basso.garage.records import Sensor

        fit = self._desk.sensors.fit
        plan, place = fit.plan, fit.place.currentText()
        line = next((p for p in plan.parts if p.line), None)
        planned = Sensor(
            car="?", name="Pressure sensor", place=place if place != "not known" else "", thread=plan.sensor.thread,
            mount="on a flexible line" if line is not None else "on the block", line_m=line.length_mm / 1000.0 if line is not None else None,
            bore_mm=line.bore_mm if line is not None else None, lamp="there, on the tee" if plan.switch is not None else "not looked at",
        )  # fmt: skip
        self._desk.sensors.show_page(REGISTER)
        self.registering.new_sensor(planned)

    def _use_parts(self, parts: tuple[Part, ...]) -> None:
        """The user's catalogue of parts has changed, as one undo step."""
        from basso.fitting.catalogue import keep_parts

        fit, w = self._desk.sensors.fit, self._desk.workspace
        before = fit.parts

        def use(chosen: tuple[Part, ...]) -> None:
            try:
                keep_parts(chosen)
            except InputError as error:
                self._desk.tell(str(error))
            fit.use_parts(chosen)

        if parts != before:
            w.undo.push(Edit("parts", lambda: use(parts), lambda: use(before)))

    def _show_cold_peak(self) -> None:
        """What sealant has to hold: the highest pressure of a cold start that this car's logs show."""
        a, units = self._desk.workspace.analysis, self._desk.workspace.units
        if a is None:
            return
        earlier = a.options.known.earlier if a.options.known is not None else ()
        own = cold_peak_kpa(a.pressure_kpa, a.temperature_c)
        peaks = [p for p in (own, *(e.cold_peak_kpa for e in earlier)) if p is not None]
        self._desk.sensors.fit.show_cold_peak(units.text(max(peaks), Quantity.PRESSURE) if peaks else "")

    def _decide(self, channel: str, kind: str, put_right: bool, value: object) -> None:
        """A correction of the shown log is accepted, refused, or made by another amount."""
        before, key = self._desk.workspace.decision, (channel, kind)
        refused = before.refused - {key} if put_right else before.refused | {key}
        edited = before.edited
        if kind == "sign" and not put_right and any(e[:2] == key for e in edited):
            # Turned over by somebody's word, and back again: it is as nobody had said anything.
            refused, edited = before.refused, frozenset(e for e in edited if e[:2] != key)
        if isinstance(value, float):
            edited = frozenset(e for e in edited if e[:2] != key) | {(*key, value)}
        self._desk.workspace.decide(Decision(refused, edited))

    def _work_out_drops(self) -> None:
        """What cooler and filter take in the shown log, held against the garage's sessions before it and the open logs before it."""
        w, shown = self._desk.workspace, self._desk.workspace.shown
        a = w.analysis
        if shown is None or a is None:
            self._desk.sensors.show_drops((), (), 0.0)
            return
        known = a.options.known.earlier if a.options.known is not None else ()
        # A log that the garage has looked at is not looked at twice.
        before = [
            (e, r) for e, r in w.read
            if e != shown and (e.day, e.title) < (shown.day, shown.title) and (not known or r.content_hash not in w.garage.logs)
        ]  # fmt: skip
        redline, oils, now = float(np.nanpercentile(a.rpm, 99.5)), w.garage.oils, a.corrected
        reliefs = [r for e in known if (r := relief_of(e.expected)) is not None]
        relief = relief_words(relief_of(a.expected), reliefs)

        def work(_: Progress) -> tuple[list[Change], list[tuple[str, tuple[Drop, ...]]]]:
            from basso.pressure.drops import find_drops, held_against

            kept = [(e.day, e.title, e.drops) for e in known]
            opened = [(e.day, e.title, tuple(find_drops(r, oils.get(r.content_hash)))) for e, r in before]
            earlier = [(title, drops) for _, title, drops in sorted([*kept, *opened], key=lambda x: x[:2]) if drops]
            changes = held_against(find_drops(now, oils.get(now.content_hash)), [d for _, d in earlier], redline)
            return changes, earlier

        def done(result: tuple[list[Change], list[tuple[str, tuple[Drop, ...]]]]) -> None:
            if self._desk.workspace.shown == shown:
                self._desk.sensors.show_drops(*result, redline, relief)

        self._desk.jobs.start("drops", "measuring the drops", work, done, self._desk.tell)

    def _go_to_place(self, start_s: float, end_s: float) -> None:
        """Show a stretch of the log in the traces."""
        margin = max(2.0, 0.5 * (end_s - start_s))
        self._desk.cursor.show(start_s - margin, end_s + margin)
        self._desk.cursor.move_to(start_s)
        self._desk.go_to("dips")
