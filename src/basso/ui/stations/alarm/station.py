"""The Alarm station at the bench: a low-pressure warning set by the log shown, while it is looked at."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from basso.pressure.options import JudgeOptions
from basso.progress import Progress
from basso.ui.bench import Bench
from basso.ui.stations.alarm.verbs import AlarmVerbs
from basso.ui.stations.finding_station import FindingStation
from basso.ui.stations.station import Command, Shot, State, Working
from basso.ui.stations.table import Table

if TYPE_CHECKING:
    from basso.alarm.findings import AlarmFindings
    from basso.analysis import Analysis
    from basso.garage.records import Session
    from basso.ui.stations.alarm.widget import AlarmPage

_MOST_OTHERS = 4


class AlarmStation(FindingStation["AlarmPage", "AlarmFindings"]):
    """Which limits catch this engine's dips, how early, and how often they cry without one."""

    key, what = "alarm", "the alarm"

    def __init__(self, bench: Bench) -> None:
        super().__init__(bench)
        self._verbs = AlarmVerbs(bench, self)
        bench.garage.changed.connect(self.fill)

    def make_page(self) -> AlarmPage:
        """The page."""
        from basso.ui.stations.alarm.widget import AlarmPage

        buttons = [c for c in self.commands() if c.key in ("alarm.export", "alarm.print", "alarm.keep")]
        page = AlarmPage(self.bench.look, self.bench.cursor, buttons)
        page.command_wanted.connect(self.bench.run)
        page.setting_typed.connect(self._verbs.set)
        page.board.point_moved.connect(self._verbs.draw)
        page.board.point_let_go.connect(self._verbs.let_go)
        return page

    def state(self) -> State:
        """What the device that is set catches."""
        a = self.bench.sessions.analysis
        if a is None:
            return State("")
        chosen = self._verbs.chosen
        if chosen is None:
            return State("not looked at")
        p = chosen.proof
        if not p.dips:
            return State("no dip to catch")
        words = f"{p.caught_severe} of {p.severe} severe" if p.severe else f"{p.caught} of {p.dips} dips"
        return State(f"{words}, {p.false} false", "attention" if p.caught_severe < p.severe else "")

    def commands(self) -> tuple[Command, ...]:
        """What can be done about it."""
        v, group = self._verbs, "Judge"
        return (
            Command(
                "alarm.export", group, "Export alarm…", v.export, (), "settings, table by rpm, bus messages", self._has
            ),
            Command("alarm.print", group, "Print card…", v.print_card, (), "driver's card and settings", self._has),
            Command(
                "alarm.keep",
                group,
                "Keep alarm…",
                v.keep,
                (),
                "with the build; its switch on the bench",
                self._in_garage,
            ),
            Command("alarm.best", group, "Proposed alarm", v.take_best, (), "back to what Basso proposes", self._has),
            Command(
                "alarm.job", group, "Plan alarm test…", v.job, (), "a job: switch, wiring and lamp proved", self._has
            ),
        )

    def _has(self) -> bool:
        return self.found is not None

    def _in_garage(self) -> bool:
        return self.found is not None and self.bench.garage.view is not None

    def table(self, only_selected: bool = False) -> Table | None:
        """The setting, the kinds and the dips."""
        return Table("alarm", self.page.rows()) if self.found is not None else None

    def working(self) -> Working | None:
        """How the line came about."""
        chosen = self._verbs.chosen
        if self.found is None or chosen is None:
            return None
        from basso.ui.stations.alarm.alarm_working import alarm_working

        return Working(self.page.title, alarm_working(self.found, chosen, self.bench.shown_units))

    def shots(self) -> tuple[Shot, ...]:
        """The page."""
        return (Shot("alarm", lambda: None, lambda: self.found is not None),)

    # Finding

    def wanted(self, a: Analysis) -> tuple[object, ...]:
        """The session, and the other sessions of its build."""
        return (a, *self._others(a))

    def _others(self, a: Analysis) -> tuple[Session, ...]:
        """The newest other sessions of the build with a log: what is set here is proved there."""
        view, own = self.bench.garage.view, self.bench.garage.session_of(a.recording)
        if view is None or own is None:
            return ()
        same = [s for s in view.sessions if s.build == own.build and s.id != own.id and s.log_hash]
        return tuple(sorted(same, key=lambda s: s.began, reverse=True)[:_MOST_OTHERS])

    def work(self, a: Analysis) -> Callable[[Progress], AlarmFindings | None]:
        """Set every kind by it, and prove it on the build's other sessions."""
        bench, others = self.bench, self._others(a)
        log_of, facts, memory = bench.garage.log_reader(bench.sessions.entries), bench.judging.garage, bench.memory

        def find(progress: Progress) -> AlarmFindings | None:
            from basso.alarm.findings import find_alarm
            from basso.workflow import judge, options_for

            held_out = []
            for n, session in enumerate(others):
                progress(0.6 * n / len(others), f"judging {session.title}")
                recording = log_of(session)
                if recording is None:
                    continue
                known = facts.known_of(recording, progress)
                asked = JudgeOptions(floors=a.options.floors, rules=a.options.rules)
                judged = judge(recording, options_for(recording, asked, memory, known, follow_car=False))
                if judged.judgeable and judged.barred_by is None and judged.zero_state != "wrong":
                    held_out.append(judged)
            return find_alarm(a, held_out, progress)

        return find

    def nothing(self, a: Analysis) -> str:
        """It always tells something."""
        return "No alarm could be set by this log"

    def show_findings(self, found: AlarmFindings | None, waiting: str) -> None:
        """Show it, or what is missing."""
        if self.made:
            v = self._verbs
            self.page.show_set(found, v.chosen, v.curve, self.bench.shown_units, waiting)
            self.page.enable({c.key: c.when() for c in self.commands()})

    def forget(self) -> None:
        """What was set for one log is not for the next."""
        self._verbs.forget()
