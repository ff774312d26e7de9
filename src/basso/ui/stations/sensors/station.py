"""The Sensors station at the bench: decides about corrections, goes to a place in the log, measures the drops, keeps
the register."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from basso.errors import InputError
from basso.memory.decisions import Decision
from basso.pressure.earlier import cold_peak_kpa, relief_of, relief_words
from basso.progress import Progress
from basso.ui.bench import Bench
from basso.ui.models.undo import UndoStep
from basso.ui.stations.sensors.widget import DROPS, FIT, REGISTER, SensorsPage
from basso.ui.stations.station import Command, Shot, State, Station
from basso.ui.stations.table import Table
from basso.units import Quantity

if TYPE_CHECKING:
    from basso.fitting.planner import Part
    from basso.oilway.drops import Change, Drop
    from basso.ui.stations.sensors.register_verbs import RegisterVerbs

_SHORT = {
    "zero": "zero assumed",
    "spikes": "spikes left out",
    "oil_temp": "no oil temperature",
    "g": "no g logged",
    "expected": "no normal",
    "rpm": "no engine speed",
    "oil_pressure": "no oil pressure",
    "delay": "late, corrected",
    "update_rate": "renewed slowly",
    "gauge": "read off a gauge",
    "doubt": "a unit or column is doubted",
}
"""What the path says of a check that did not hold, by its id."""


class SensorsStation(Station[SensorsPage]):
    """Whether the readings can be believed, and what was corrected."""

    def __init__(self, bench: Bench) -> None:
        super().__init__(bench)
        self._verbs: RegisterVerbs | None = None
        bench.sessions.shown_changed.connect(self.fill)
        bench.units.changed.connect(self.fill)

    def make_page(self) -> SensorsPage:
        """The page."""
        page, bench = SensorsPage(self.bench.look, self.bench.memory.parts), self.bench
        page.decided.connect(self._decide)
        page.place_wanted.connect(self._go_to_place)
        page.drops_wanted.connect(self._work_out_drops)
        page.register_wanted.connect(lambda: self._register)
        fit = page.fit
        fit.print_wanted.connect(
            lambda: bench.files.print_words(fit.printed, "sensor-fitting", "Print the plan to a file")
        )
        fit.register_wanted.connect(self._register_plan)
        fit.parts_edited.connect(self._use_parts)
        return page

    @property
    def _register(self) -> RegisterVerbs:
        """What the register's verbs do; made when it is first looked at."""
        if self._verbs is None:
            from basso.ui.stations.sensors.register_verbs import RegisterVerbs

            self.bench.garage.open_own()
            self._verbs = RegisterVerbs(self.bench, self.page.register)
        return self._verbs

    def state(self) -> State:
        """The worst that was found."""
        a = self.bench.sessions.analysis
        if a is None:
            return State("")
        if a.zero is not None:
            off = self.bench.shown_units.text(abs(a.zero.value), Quantity.PRESSURE, difference=True)
            return State(f"zero off by {off}", "attention")
        for level, mark in (("fail", "below"), ("warn", "attention")):
            found = [c for c in a.checks if c.level == level and c.id != "clearance"]
            if found:
                return State(_SHORT.get(found[0].id, found[0].id.replace("_", " ")), mark)
        return State("readings OK" if a.side.proven else "left or right not proven")

    def commands(self) -> tuple[Command, ...]:
        """The pages."""
        go = self.bench.go_to
        return (
            Command(
                "judge.readings",
                "Judge",
                "Can the readings be believed?",
                lambda: go("sensors"),
                ("Ctrl+Shift+L",),
                "checks, corrections to accept or refuse, what was assumed",
            ),
            Command(
                "sensors.register",
                "Judge",
                "Register of sensors",
                lambda: self._show_page(REGISTER),
                ("Ctrl+Shift+R",),
                "what sits where, calibrated and wired how",
            ),
            Command(
                "sensors.drops",
                "Judge",
                "Pressure drops",
                lambda: self._show_page(DROPS),
                ("Ctrl+Shift+D",),
                "what cooler and filter take, and the relief valve",
            ),
            Command(
                "sensors.fit",
                "Judge",
                "Fit a sensor",
                lambda: self._show_page(FIT),
                ("Ctrl+Shift+F",),
                "the shortest sound chain of parts from port to sensor",
            ),
        )

    def focus(self) -> None:
        """To the list of checks."""
        self.page.take_focus()

    def fill(self) -> None:
        """The session shown."""
        if self.made:
            sessions = self.bench.sessions
            self.page.show_analysis(sessions.analysis, self.bench.shown_units, sessions.waiting)
            self._show_cold_peak()

    def table(self, only_selected: bool = False) -> Table | None:
        """The page that is looked at."""
        return self.page.table()

    def shots(self) -> tuple[Shot, ...]:
        """The checks of the log with the loose connector, the register, the planner."""
        return (
            Shot("sensors", self._show_connector, lambda: self.bench.sessions.analysis is not None),
            Shot("register", lambda: self.page.show_page(REGISTER)),
            Shot("fit", lambda: self.page.show_page(FIT)),
        )

    def _show_connector(self) -> None:
        sessions = self.bench.sessions
        sessions.show(next(e for e in sessions.entries if e.path.stem == "shakedown"))
        self.page.show_page(0)

    def _show_page(self, page: int) -> None:
        self.bench.go_to("sensors")
        self.page.show_page(page)

    def _register_plan(self) -> None:
        """What was planned goes into the register, to be completed there."""
        from basso.garage.records import Sensor

        fit = self.page.fit
        plan, place = fit.plan, fit.place.currentText()
        line = next((p for p in plan.parts if p.line), None)
        planned = Sensor(
            car="?",
            name="Pressure sensor",
            place=place if place != "not known" else "",
            thread=plan.sensor.thread,
            mount="on a flexible line" if line is not None else "on the block",
            line_m=line.length_mm / 1000.0 if line is not None else None,
            bore_mm=line.bore_mm if line is not None else None,
            lamp="there, on the tee" if plan.switch is not None else "not looked at",
        )
        self.page.show_page(REGISTER)
        self._register.new_sensor(planned)

    def _use_parts(self, parts: tuple[Part, ...]) -> None:
        """The user's catalogue of parts has changed, as one undo step."""
        fit = self.page.fit
        before = fit.parts

        def use(chosen: tuple[Part, ...]) -> None:
            try:
                self.bench.memory.parts.keep(chosen)
            except InputError as error:
                self.bench.tell(str(error))
            fit.use_parts(chosen)

        if parts != before:
            self.bench.undo.push(UndoStep("parts", lambda: use(parts), lambda: use(before)))

    def _show_cold_peak(self) -> None:
        """What sealant has to hold: the highest pressure of a cold start that this car's logs show."""
        a, units = self.bench.sessions.analysis, self.bench.shown_units
        if a is None or not self.made:
            return
        earlier = a.options.known.earlier if a.options.known is not None else ()
        own = cold_peak_kpa(a.pressure_kpa, a.temperature_c)
        peaks = [p for p in (own, *(e.cold_peak_kpa for e in earlier)) if p is not None]
        self.page.fit.show_cold_peak(units.text(max(peaks), Quantity.PRESSURE) if peaks else "")

    def _decide(self, channel: str, kind: str, put_right: bool, value: object) -> None:
        """A correction of the shown log is accepted, refused, or made by another amount."""
        before, key = self.bench.judging.decision, (channel, kind)
        refused = before.refused - {key} if put_right else before.refused | {key}
        edited = before.edited
        if kind == "sign" and not put_right and any(e[:2] == key for e in edited):
            # Turned over by somebody's word, and back again: it is as nobody had said anything.
            refused, edited = before.refused, frozenset(e for e in edited if e[:2] != key)
        if isinstance(value, float):
            edited = frozenset(e for e in edited if e[:2] != key) | {(*key, value)}
        self.bench.judging.decide(Decision(refused, edited))

    def _work_out_drops(self) -> None:
        """What cooler and filter take in the shown log, held against the garage's sessions before it and the open logs
        before it."""
        w, shown = self.bench.sessions, self.bench.sessions.shown
        a = w.analysis
        if shown is None or a is None:
            self.page.show_drops((), (), 0.0)
            return
        known = a.options.known.earlier if a.options.known is not None else ()
        # A log that the garage has looked at is not looked at twice.
        before = [
            (e, r)
            for e, r in w.read
            if e != shown
            and (e.day, e.title) < (shown.day, shown.title)
            and (not known or r.content_hash not in self.bench.judging.garage.logs)
        ]
        redline, oils, now = float(np.nanpercentile(a.rpm, 99.5)), self.bench.judging.garage.oils, a.corrected
        reliefs = [r for e in known if (r := relief_of(e.expected)) is not None]
        relief = relief_words(relief_of(a.expected), reliefs)

        def work(_: Progress) -> tuple[list[Change], list[tuple[str, tuple[Drop, ...]]]]:
            from basso.oilway.drops import find_drops, held_against

            kept = [(e.day, e.title, e.drops) for e in known]
            opened = [(e.day, e.title, tuple(find_drops(r, oils.get(r.content_hash)))) for e, r in before]
            earlier = [(title, drops) for _, title, drops in sorted([*kept, *opened], key=lambda x: x[:2]) if drops]
            changes = held_against(find_drops(now, oils.get(now.content_hash)), [d for _, d in earlier], redline)
            return changes, earlier

        def done(result: tuple[list[Change], list[tuple[str, tuple[Drop, ...]]]]) -> None:
            if self.bench.sessions.shown == shown:
                self.page.show_drops(*result, redline, relief)

        self.bench.jobs.start("drops", "measuring the drops", work, done, self.bench.tell)

    def _go_to_place(self, start_s: float, end_s: float) -> None:
        """Show a stretch of the log in the traces."""
        margin = max(2.0, 0.5 * (end_s - start_s))
        self.bench.cursor.show(start_s - margin, end_s + margin)
        self.bench.cursor.move_to(start_s)
        self.bench.go_to("dips")
