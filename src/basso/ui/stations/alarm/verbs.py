"""What is done about the warning device: set, drawn, exported, printed, its proof planned."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import date
from typing import TYPE_CHECKING, Protocol

from basso.ui.bench import Bench
from basso.ui.models.undo import UndoStep

if TYPE_CHECKING:
    from basso.alarm.card import AlarmCard
    from basso.alarm.findings import AlarmFindings, SetAlarm
    from basso.alarm.rules import AlarmRule
    from basso.alarm.settings import Curve, Setting

_PROOF_JOB = "warning-proof"
_KINDS = "Settings, JSON (*.json);;Table, CSV (*.csv);;Bus messages, DBC and candump (*.dbc)"


class Shown(Protocol):
    """What the verbs ask of the station."""

    found: AlarmFindings | None

    def fill(self) -> None:
        """The device is another."""


@dataclass(frozen=True)
class Own:
    """A device as somebody set it.

    Attributes:
        moved: points drawn by hand, {rpm: kPa}.
        rule: the line as it was kept with the build; None: as the setting has it on the log shown.
    """

    setting: Setting
    moved: Mapping[float, float] = field(default_factory=dict)
    rule: AlarmRule | None = None


class AlarmVerbs:
    """Acts at one bench for the station that shows the warning device."""

    def __init__(self, bench: Bench, shown: Shown) -> None:
        self.bench, self._shown = bench, shown
        self._own: Own | None = None
        self._made: tuple[AlarmFindings, Own, SetAlarm] | None = None
        self._curve: tuple[AlarmFindings, Setting, Curve] | None = None
        self._before_drag: tuple[Own | None] | None = None

    def forget(self) -> None:
        """What was set for one log is not for the next."""
        self._own = None

    @property
    def own(self) -> Own | None:
        """As somebody set it, else as it is kept with the build, else as proposed; None while nothing is found."""
        found = self._shown.found
        if found is None:
            return None
        if self._own is not None:
            return self._own
        kept = self._kept()
        return Own(kept.setting, kept.moved, kept.rule) if kept is not None else Own(found.best.setting)

    def _kept(self) -> AlarmCard | None:
        from basso.car.alarms import alarm_of

        garage = self.bench.garage
        session = garage.session_of(self.bench.sessions.recording)
        if garage.view is None or session is None:
            return None
        return alarm_of(garage.view, garage.view.build_of(session))

    @property
    def chosen(self) -> SetAlarm | None:
        """The device that is set, proved."""
        from basso.alarm.findings import set_alarm

        found, own = self._shown.found, self.own
        if found is None or own is None:
            return None
        if self._made is None or self._made[0] is not found or self._made[1] != own:
            self._made = (found, own, set_alarm(found.basis, own.setting, own.moved, own.rule))
        return self._made[2]

    @property
    def curve(self) -> Curve | None:
        """Other amounts of what is set."""
        from basso.alarm.settings import curve_of

        found, own = self._shown.found, self.own
        if found is None or own is None:
            return None
        setting = own.setting
        rest = replace(setting, amount=0.0)
        if self._curve is None or self._curve[0] is not found or self._curve[1] != rest:
            kept = found.proposal(setting.kind)
            if replace(kept.setting, amount=0.0) == rest:
                made = next(c for c in found.curves if c.kind == setting.kind)
            else:
                made = curve_of(found.basis, setting)
            self._curve = (found, rest, made)
        return self._curve[2]

    def set(self, setting: Setting) -> None:
        """Set it another way; an error is told and nothing changes."""
        from basso.errors import InputError

        found = self._shown.found
        if found is None:
            return
        try:
            found.basis.rule(setting)
        except InputError as error:
            self.bench.tell(str(error))
            self._shown.fill()
            return
        self._change("setting the alarm", Own(setting))

    def draw(self, rpm: float, kpa: float) -> None:
        """Draw a point of the line elsewhere, while it is dragged."""
        own = self.own
        if own is None:
            return
        if self._before_drag is None:
            self._before_drag = (self._own,)
        held = own.moved if own.rule is None else dict(own.rule.first_shown.points)
        self._own = Own(own.setting, {**held, rpm: kpa})
        self._shown.fill()

    def let_go(self) -> None:
        """The point stays: one step to undo."""
        if self._own is None or self._before_drag is None:
            return
        drawn = self._own
        (self._own,), self._before_drag = self._before_drag, None
        self._change("drawing the alarm's line", drawn)

    def take_best(self) -> None:
        """What is proposed, in place of what was set or kept."""
        found = self._shown.found
        if found is not None and self.own != Own(found.best.setting):
            self._change("taking the proposed alarm", Own(found.best.setting))

    def _change(self, label: str, after: Own | None) -> None:
        before = self._own

        def put(own: Own | None) -> None:
            self._own = own
            self._shown.fill()

        self.bench.undo.push(UndoStep(label, lambda: put(after), lambda: put(before)))

    def keep(self) -> None:
        """Write it down with the build of the log shown, with what its switch did on the bench."""
        from basso.alarm.card import card_text
        from basso.car.alarms import alarm_record
        from basso.garage.records import Alarm
        from basso.ui.stations.form import ask_record
        from basso.words.alarm import setting_words

        garage, chosen = self.bench.garage, self.chosen
        session = garage.session_of(self.bench.sessions.recording)
        build = garage.view.build_of(session) if garage.view is not None and session is not None else None
        if garage.view is None or build is None or chosen is None:
            self.bench.tell(
                "An alarm is kept with a build: put this log's session into the garage first (Garage, New session)."
            )
            return
        before = alarm_record(garage.view, build)
        record = Alarm(
            car=garage.view.car.id,
            build=build.id,
            day=date.today().isoformat(),
            name=str(setting_words(chosen.setting, bool(chosen.moved))),
            card=card_text(chosen.setting, chosen.moved, chosen.rule),
            closes_kpa=before.closes_kpa if before is not None else None,
            opens_kpa=before.opens_kpa if before is not None else None,
        )
        hint = f"Kept with {build.name}. A pressure switch strays: write down at which pressure it closed on the bench."
        made = ask_record(self.bench, "Keep alarm", hint, record)
        if made is not None and garage.add("the alarm", made):
            self._own = None
            self._shown.fill()

    def export(self) -> None:
        """Write it for a gauge, a logger or a script."""
        from basso.report.alarm_bus import DBC, frames_text
        from basso.report.alarm_document import alarm_document, kept_plan
        from basso.report.alarm_table import alarm_csv
        from basso.report.documents import dump

        found, chosen = self._shown.found, self.chosen
        if found is None or chosen is None:
            return
        path = self.bench.files.ask_save("Export alarm", "alarm.json", _KINDS)
        if path is None:
            return
        if path.suffix.lower() == ".csv":
            self.bench.files.write(path, alarm_csv(chosen.rule, self.bench.shown_units).encode())
        elif path.suffix.lower() == ".dbc":
            if self.bench.files.write(path, DBC.encode()):
                self.bench.files.write(path.with_suffix(".log"), frames_text(chosen.rule).encode())
        else:
            path = path if path.suffix else path.with_suffix(".json")
            self.bench.files.write(path, (dump(alarm_document(kept_plan(found, chosen))) + "\n").encode())

    def print_card(self) -> None:
        """The driver's card and the settings on paper."""
        from basso.report.alarm_card import card_html

        found, chosen = self._shown.found, self.chosen
        if found is None or chosen is None:
            return
        entry = self.bench.sessions.shown
        history = self.bench.garage.car_of(self.bench.sessions.recording)
        car = history.car.name if history is not None else (entry.car if entry is not None else "")
        log = entry.title if entry is not None else found.analysis.recording.path.name
        words = card_html(found, chosen, car, log, self.bench.shown_units)
        self.bench.files.print_words(words, "alarm-card", "Print card")

    def job(self) -> None:
        """A job that proves switch, wiring and lamp."""
        from basso.car.jobs import begun
        from basso.garage.records import Job
        from basso.words.alarm import setting_words

        garage, chosen = self.bench.garage, self.chosen
        session = garage.session_of(self.bench.sessions.recording)
        if garage.view is None or session is None or chosen is None:
            self.bench.tell(
                "A job is kept with a car: put this log's session into the garage first (Garage, New session)."
            )
            return
        build = garage.view.build_of(session)
        job = Job(
            car=garage.view.car.id,
            build=build.id if build is not None else "",
            sheet=_PROOF_JOB,
            opened=date.today().isoformat(),
            begun_on=begun(_PROOF_JOB, garage.view.engine, build),
            note=str(setting_words(chosen.setting, bool(chosen.moved))),
            follow_up="Log the next drive and look at Alarm: what it caught, how often it cried.",
        )
        if garage.add("planning the alarm's proof", job):
            self.bench.tell("Planned. The job stands under Garage, Jobs.")
